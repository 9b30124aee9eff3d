"""Clear and restore: copies first, steps by hand in their order, yours put back, and the way back."""

from __future__ import annotations

import errno
import shutil
from pathlib import Path
from typing import Any

import pytest

from left_intact.core.carrying import recovery
from left_intact.core.carrying.annex import WORK
from left_intact.core.carrying.journal import Journal
from left_intact.core.carrying.strongbox import Strongbox
from left_intact.core.model.classes import FileClass
from left_intact.core.model.errors import LeftIntactError
from left_intact.core.model.plan import Plan, Route
from left_intact.core.model.progress import CancelToken
from left_intact.core.model.proof import Verdict
from left_intact.core.model.stages import ChangeSet, ManualStep
from left_intact.core.model.update import State
from left_intact.demo.binaries import elf
from left_intact.workbench import Standing, Workbench
from tests import disks
from tests.builders import FORKS, LATER, examples, in_memory, plant
from tests.chains import Count, KillAt, in_child
from tests.routes.handhelds import MINE, SHEET, STARTED, Console, package

PLAYED = LATER + 900 * 86400


@pytest.fixture
def console(tmp_path: Path) -> Console:
    return Console(tmp_path)


def hands(plan: Plan) -> list[str]:
    return [stage.id for stage in plan.stages if isinstance(stage, ManualStep)]


# ---------------------------------------------------------------- the plan


def test_the_keepsheet_recommends_it_and_all_of_the_persons_is_saved(console: Console) -> None:
    before = console.state()
    plan = console.plan()
    assert plan.route is Route.CLEAR_AND_RESTORE
    assert not plan.blockers
    assert hands(plan) == ["remove", "ghost", "lay", "start"]
    first = plan.stages[0]
    assert isinstance(first, ChangeSet)
    assert {move.at.shown for move in first.moves} == set(MINE)
    assert all(move.safeguard and not move.changes_disk for move in first.moves)
    assert [q.id for q in console.draft().plan().open_questions] == ["save-cache"]
    assert console.state() == before


def test_without_a_keepsheet_it_is_taken_where_it_is_asked_for(tmp_path: Path) -> None:
    console = Console(tmp_path, "format = 1\n")
    assert console.plan().route is not Route.CLEAR_AND_RESTORE
    assert hands(console.plan(route="clear-and-restore")) == ["remove", "lay", "start"]


def test_what_is_left_out_is_named_before(console: Console) -> None:
    plan = console.plan({"save-cache": "leave", "save-states": "leave"})
    told = [fault.says for fault in plan.warnings if fault.code == "not-saved"]
    assert len(told) == 2
    assert any("states" in one for one in told)
    assert {"cache/shapes.cache", "states/salt-road.state"}.isdisjoint(
        m.at.shown for m in plan.change_sets[0].moves
    )


def test_saves_under_ids_are_a_warning_beforehand(console: Console) -> None:
    assert any(fault.code == "keys" for fault in console.plan().warnings)


# ---------------------------------------------------------------- the whole way


def test_started_anew_at_each_wait_it_comes_to_its_end_intact(console: Console) -> None:
    before = console.state()
    assert console.begin().waits
    assert console.state() == before
    with pytest.raises(LeftIntactError, match="another signature"):
        console.device.lay(str(console.new))
    assert console.go_on().waits and console.step() == "remove"
    console.device.remove("Gullnade")
    row = console.bench.shelf.rows()[0]
    assert row.standing is Standing.WAITS_FOR_YOU
    assert console.go_on().waits and console.step() == "lay"
    console.device.lay(str(console.new))
    assert console.go_on().waits and console.step() == "start"
    console.start()
    outcome = console.go_on()
    assert outcome.proof.verdict is Verdict.INTACT
    assert (outcome.proof.version_before, outcome.proof.version_after) == ("5.1", "5.4")
    assert outcome.proof.kept.files == 6
    program = next(line for line in outcome.proof.ledger if line.file_class is FileClass.PROGRAM)
    assert (program.equal, program.agreed) == (0, 4)  # another release, laid by hand
    assert console.read("gullnade.cfg") == b"scale=4\nsmooth=off\nhaze=2\n"
    assert console.read("states/salt-road.state") == MINE["states/salt-road.state"]
    assert console.read("cache/shapes.cache") == MINE["cache/shapes.cache"]


def test_saves_under_an_old_key_go_to_the_new_one_by_what_is_inside(console: Console) -> None:
    outcome = console.whole()
    assert console.read("cards/b044/card.bin") == MINE["cards/7f3a/card.bin"]
    assert console.read("cards/c155/card.bin") == MINE["cards/9c21/card.bin"]
    assert not (console.root / "cards/7f3a").exists()
    assert any("went to the ids" in note for note in outcome.update.notes)


def test_a_save_for_which_there_is_no_new_key_comes_back_under_its_own(console: Console) -> None:
    console.begin()
    console.swap()
    console.start({path: said for path, said in STARTED.items() if "c155" not in path})
    outcome = console.go_on()
    assert outcome.proof.verdict is Verdict.INTACT
    assert console.read("cards/9c21/card.bin") == MINE["cards/9c21/card.bin"]
    assert any("9c21" in note and "may not find" in note for note in outcome.update.notes)


def test_keys_that_nobody_can_tell_apart_are_asked_about(console: Console) -> None:
    bare = {path: said for path, said in MINE.items() if not path.endswith("title.txt")}
    shutil.rmtree(console.root / "cards")
    plant(console.root, {p: c for p, c in bare.items() if p.startswith("cards")}, mtime=LATER)
    console.begin()
    console.swap()
    console.start({path: said for path, said in STARTED.items() if not path.endswith("title.txt")})
    assert console.go_on().waits
    run = console.bench.records.open_run(console.install)
    assert run is not None and run.waits is not None
    assert run.waits.step == "key-cards-7f3a"
    assert run.waits.options == ("b044", "c155", "7f3a")
    console.go_on(answers={"key-cards-7f3a": "b044"})
    outcome = console.go_on(answers={"key-cards-9c21": "c155"})
    assert outcome.proof.verdict is Verdict.INTACT
    assert console.read("cards/b044/card.bin") == MINE["cards/7f3a/card.bin"]


def test_what_was_used_in_the_new_build_before_the_restore_is_asked_about(console: Console) -> None:
    console.begin()
    console.swap()
    console.start()
    plant(console.root, {"cards/b044/card.bin": b"\x55" * 700}, mtime=PLAYED)
    assert console.go_on().waits
    assert console.step() == "used-meanwhile"
    assert console.go_on(answers={"used-meanwhile": "newer"}).proof.verdict is Verdict.INTACT
    assert console.read("cards/b044/card.bin") == b"\x55" * 700


def test_a_stub_that_was_written_since_is_no_stub(console: Console) -> None:
    console.begin()
    console.swap()
    console.start(STARTED | {"cards/b044/seen.dat": "0\n", "cards/b044/more.dat": "0\n"})
    plant(console.root, {"cards/b044/card.bin": b"\x55" * 700}, mtime=PLAYED)
    assert console.go_on().waits
    plant(console.root, {"cards/b044/seen.dat": "mine\n"}, mtime=PLAYED)
    assert console.go_on(answers={"used-meanwhile": "newer"}).proof.verdict is Verdict.INTACT
    assert console.read("cards/b044/seen.dat") == b"mine\n"
    assert not (console.root / "cards/b044/more.dat").exists()


def test_steps_have_their_order(console: Console) -> None:
    console.begin()
    with pytest.raises(LeftIntactError) as caught:
        console.go_on(done="lay")
    assert caught.value.code == "unknown-step"
    with pytest.raises(LeftIntactError) as caught:
        console.go_on(done="remove")
    assert caught.value.code == "not-done-yet"
    assert console.step() == "remove"


def test_a_ghost_is_seen_and_waited_for(console: Console) -> None:
    console.begin()
    console.device.remove("Gullnade", leaves_ghost=True)
    assert console.go_on().waits and console.step() == "ghost"
    with pytest.raises(LeftIntactError, match="not to be seen"):
        console.device.lay(str(console.new))
    console.device.clear_ghost("Gullnade")
    assert console.go_on().waits and console.step() == "lay"


def test_a_right_that_was_taken_back_is_seen_by_its_effect(tmp_path: Path) -> None:
    step = (
        '[[step]]\nid = "rights"\nwhen = "started"\ndo = "let it use the card"\n'
        'file = "gullnade.cfg"\nkey = "card"\nvalue = "on"\n'
    )
    console = Console(tmp_path, f"{SHEET}\n{step}")
    console.begin()
    console.swap()
    console.start()
    assert console.go_on().waits and console.step() == "rights"
    with pytest.raises(LeftIntactError) as caught:
        console.go_on(done="rights")  # saying so is not enough
    assert caught.value.code == "not-done-yet"
    console.start(STARTED | {"gullnade.cfg": "scale=1\nsmooth=on\nhaze=2\ncard=off\n"})
    assert console.go_on().waits and console.step() == "rights"
    console.start(STARTED | {"gullnade.cfg": "scale=1\nsmooth=on\nhaze=2\ncard=on\n"})
    assert console.go_on().proof.verdict is Verdict.INTACT
    assert b"card=on" in console.read("gullnade.cfg")


def test_an_older_one_is_the_target_where_it_is_wanted_and_held_afterwards(console: Console) -> None:
    bench = console.bench
    newer = bench.surveys.arrival(console.install, str(package(console.folder / "g-5.6.zip", "5.6", "heron")))
    bench.shelf.set_waiting(console.install, newer)
    plan = console.plan()
    assert "refuse" in hands(plan)
    assert any("5.6 is on offer" in fault.says for fault in plan.warnings)
    assert console.whole().waits and console.step() == "refuse"
    assert console.go_on(done="refuse").proof.verdict is Verdict.INTACT
    hold = console.bench.outlets.library.hold(console.install)
    assert hold is not None and hold.beyond == "5.4"


def test_roots_elsewhere_are_saved_and_restored_too(console: Console) -> None:
    pads = plant(console.folder / "handheld" / "pads", {"right.pad": "b=2\n"}, mtime=LATER)
    console.bench.surveys.add_root(console.install, "pads", str(pads))
    console.begin()
    console.device.remove("Gullnade")
    shutil.rmtree(pads)
    console.go_on()
    console.device.lay(str(console.new))
    console.go_on()
    console.start()
    assert console.go_on().proof.verdict is Verdict.INTACT
    assert (pads / "right.pad").read_text() == "b=2\n"


def test_a_changed_program_file_is_kept_but_not_laid_over_the_new_one(console: Console) -> None:
    plant(console.root, {"lib/core.so": elf("gullnade 5.1 core", b"patched " * 50)}, mtime=LATER)
    outcome = console.whole()
    assert outcome.proof.verdict is Verdict.INTACT
    assert b"patched" not in console.read("lib/core.so")
    assert any("lib/core.so" in note for note in outcome.update.notes)
    assert console.bench.keeping.take(console.install, "lib/core.so", str(console.folder / "out"))


# ---------------------------------------------------------------- traps


def test_given_up_after_the_removal_nothing_is_called_intact(console: Console) -> None:
    """The only copy of the saves was inside: it is in the strongbox now, and the proof misses them."""
    console.begin()
    console.swap()
    assert console.bench.updates.give_up(console.install).state is State.ON_TRIAL
    proof = console.bench.updates.prove(console.install).proof
    assert proof.verdict is Verdict.BROKEN
    assert {"cards/7f3a/card.bin", "states/salt-road.state"} <= set(proof.lost)


def test_a_save_that_is_lost_on_the_way_is_missed(console: Console) -> None:
    outcome = console.whole()
    assert outcome.proof.verdict is Verdict.INTACT
    (console.root / "cards/b044/card.bin").unlink()
    (console.root / "states/salt-road.state").unlink()
    proof = console.bench.updates.prove(console.install).proof
    assert proof.verdict is Verdict.BROKEN
    assert {"cards/b044/card.bin", "states/salt-road.state"} == set(proof.lost)


# ---------------------------------------------------------------- the way back


def test_back_after_the_whole_way_is_byte_for_byte(console: Console) -> None:
    before = console.state()
    console.whole()
    console.go_back()
    assert console.state() == before
    assert console.bench.updates.prove(console.install).proof.verdict is Verdict.INTACT


def test_after_days_of_play_newer_saves_outlive_the_way_back(console: Console) -> None:
    before = console.state()
    console.whole()
    console.play()
    console.go_back()
    now = console.state()
    assert {path: said for path, said in now.items() if not path.startswith("cards")} == {
        path: said for path, said in before.items() if not path.startswith("cards")
    }
    assert console.read("cards/7f3a/card.bin") == MINE["cards/7f3a/card.bin"]
    assert console.read("cards/d266/card.bin") == b"\x44" * 90
    took = console.bench.keeping.take(console.install, "cards/b044/card.bin", str(console.folder / "out"))
    assert any(Path(one).read_bytes() == b"\x11" * 700 for one in took)


@pytest.mark.parametrize("answer", ["stay", "beside"])
def test_what_is_to_stay_stays_through_the_removal_on_the_way_back(console: Console, answer: str) -> None:
    console.whole()
    played = b"MST1" + b"\x66" * 400
    plant(console.root, {"states/salt-road.state": played}, mtime=PLAYED)
    console.go_back(answers={"used-since": answer})
    was = MINE["states/salt-road.state"]
    assert console.read("states/salt-road.state") == (played if answer == "stay" else was)


@pytest.mark.parametrize("done", [0, 1, 2, 3])
def test_back_after_each_step_is_byte_for_byte(console: Console, done: int) -> None:
    before = console.state()
    console.begin()
    steps: list[Any] = [
        lambda: console.device.remove("Gullnade"),
        lambda: console.device.lay(str(console.new)),
        console.start,
    ]
    for step in steps[:done]:
        step()
        if step is not steps[2]:
            console.go_on()
    console.bench.updates.give_up(console.install)
    console.bench.updates.back.go(console.install)
    for _ in range(4):
        match console.step():
            case "remove-new":
                console.device.remove("Gullnade")
            case "lay-again":
                if console.device.installed("Gullnade") is None:
                    console.device.lay(str(console.old))
            case _:
                break
        console.go_on()
    assert console.state() == before
    assert console.bench.records.open_run(console.install) is None


@pytest.mark.sampled(1)
@FORKS
def test_killed_at_any_moment_it_is_ended_and_nothing_is_lost() -> None:
    """In the copying and in the putting back: forward to the end, or to where it waits; then back whole."""
    with in_memory() as folder:
        sizes = []
        for phase in ("begin", "restore"):
            console, count = Console(Path(folder) / f"count-{phase}"), Count()
            _to(console, phase, count)
            sizes.append(count.number)
        for phase, number in zip(("begin", "restore"), sizes, strict=True):
            wanted = max(2, examples(14) - 1)
            for n, moment in enumerate(sorted({1 + k * number // wanted for k in range(wanted)})):
                console = Console(Path(folder) / f"{phase}-{moment}")
                before = console.state()
                in_child(lambda c=console, p=phase, m=moment: _to(c, p, KillAt(m)))  # type: ignore[misc]
                _through(console, forward=n % 2 == 0)
                assert console.bench.updates.prove(console.install).proof.verdict is Verdict.INTACT, moment
                assert console.read("cards/b044/card.bin") == MINE["cards/7f3a/card.bin"]
                console.go_back()
                assert console.state() == before, (phase, moment)


def _to(console: Console, phase: str, report: Any) -> None:
    console.begin(**({"report": report} if phase == "begin" else {}))
    if phase == "restore":
        console.swap()
        console.start()
        console.go_on(report=report)


def _through(console: Console, *, forward: bool) -> None:
    """End what was cut off one way or the other, and go the whole way."""
    for _ in range(12):
        bench = Workbench(console.home)
        run = bench.records.open_run(console.install)
        if run is None:
            if any(one.state is State.ON_TRIAL for one in bench.records.history(console.install)):
                return
            console.begin()
            continue
        if run.state is not State.WAITING:
            bench.updates.recover(console.install, forward)
            continue
        assert run.waits is not None
        match run.waits.step:
            case "remove":
                console.device.remove("Gullnade")
            case "lay":
                console.device.lay(str(console.new))
            case "start":
                console.start()
        console.go_on()


# ---------------------------------------------------------------- a device that only the person reaches

BY_HAND = SHEET.replace('ghost = "../../ghosts/gullnade.toml"', "by-hand = true")


def test_a_device_that_only_a_bridge_reaches_is_copied_by_hand_and_checked_here(tmp_path: Path) -> None:
    console = Console(tmp_path, BY_HAND)
    here = Path(shutil.copytree(console.root, tmp_path / "copy", copy_function=shutil.copy2))
    install = console.bench.shelf.register(str(here), name="Fetched")
    console.bench.surveys.take_sheet(install, BY_HAND)
    console.bench.surveys.survey(install)
    console.bench.surveys.set_baseline(install, str(console.old))
    console.install = install
    plan = console.plan()
    steps = ["copy-out", "remove", "lay", "start", "copy-new", "copy-back", "copy-check"]
    assert hands(plan) == steps

    def fetch(to: Path) -> None:
        shutil.rmtree(to, ignore_errors=True)
        shutil.copytree(console.root, to, copy_function=shutil.copy2)

    console.begin()
    (here / "cards/7f3a/card.bin").unlink()  # fetched badly
    assert console.go_on(done="copy-out").waits
    assert console.step() == "copy-lacks"
    assert console.go_on(answers={"copy-lacks": "again"}).waits and console.step() == "copy-lacks"
    fetch(here)
    console.go_on()
    assert console.step() == "remove"
    console.device.remove("Gullnade")
    console.go_on(done="remove")
    console.device.lay(str(console.new))
    console.go_on(done="lay")
    console.start()
    console.go_on(done="start")
    fetch(here)
    console.go_on(done="copy-new")
    assert console.step() == "copy-back"
    shutil.rmtree(console.root)
    shutil.copytree(here, console.root, copy_function=shutil.copy2)
    console.go_on(done="copy-back")
    check = tmp_path / "copy-check"
    fetch(check)
    (check / "cards/b044/card.bin").write_bytes(b"\x00" * 700)
    assert console.go_on().waits  # it lacks what was put back
    fetch(check)
    outcome = console.go_on()
    assert outcome.proof.verdict is Verdict.INTACT
    assert console.read("cards/b044/card.bin") == MINE["cards/7f3a/card.bin"]


def test_the_classes_of_what_was_saved_are_told_in_the_ledger(console: Console) -> None:
    ledger = {line.file_class: line for line in console.whole().proof.ledger}
    assert ledger[FileClass.SAVES].before.files == ledger[FileClass.SAVES].after.files == 4
    assert ledger[FileClass.STATES].equal == 1


def test_a_program_removed_before_anything_was_saved_says_what_can_still_be_had(console: Console) -> None:
    """One update went before: of what it displaced there are copies; of the rest there is the truth."""
    pads = plant(console.folder / "pads", {"right.pad": "b=2\n"}, mtime=LATER)
    console.bench.surveys.add_root(console.install, "pads", str(pads))
    console.whole()
    console.go_back()
    console.bench.surveys.survey(console.install)
    plant(console.root, {"cards/e377/card.bin": b"\x77" * 90}, mtime=PLAYED)
    console.bench.surveys.survey(console.install)
    console.device.remove("Gullnade", leaves_ghost=True)
    bench = console.bench
    assert bench.shelf.rows()[0].standing is Standing.MISSING
    found = bench.keeping.remains(bench.shelf.known("Gullnade"))
    had = {kind: (files, held) for kind, files, held in found.classes}
    assert had[FileClass.SAVES] == (5, 4)
    assert had[FileClass.STATES] == (1, 1)
    assert found.roots == (("pads", str(pads), True),)
    assert Path(found.ghost).name == "gullnade.toml"
    assert any("5 saves" in line and "a copy of 4" in line for line in found.lines)
    with pytest.raises(LeftIntactError) as caught:
        bench.updates.draft(bench.shelf.known("Gullnade"), str(console.new))
    assert "left-intact remains" in caught.value.line()
    out = console.folder / "out"
    assert bench.keeping.take(bench.shelf.known("Gullnade"), "cards/7f3a/card.bin", str(out))


def test_of_one_that_was_never_updated_nothing_can_be_had_and_that_is_said(console: Console) -> None:
    console.device.remove("Gullnade")
    found = console.bench.keeping.remains(console.bench.shelf.known("Gullnade"))
    assert found.held == 0
    assert any("4 saves" in line and "copy of none" in line for line in found.lines)


# ---------------------------------------------------------------- played on while it waits


def test_what_is_played_between_plan_and_removal_is_copied_too(console: Console) -> None:
    plan = console.plan()
    plant(console.root, {"cards/7f3a/card.bin": b"\x31" * 700}, mtime=LATER + 5)
    plan = console.plan()
    plant(console.root, {"states/new.state": b"MST1" + b"\x32" * 90}, mtime=LATER + 6)
    console.bench.updates.update(plan, console.install)
    plant(console.root, {"cards/9c21/card.bin": b"\x33" * 700, "pads/third.pad": "c=3\n"}, mtime=LATER + 7)
    assert console.bench.updates.look(console.install)[0]  # going on would do something
    assert console.go_on().waits
    assert not console.bench.updates.look(console.install)[0]
    before = console.state()
    console.swap()
    console.start()
    assert console.go_on().proof.verdict is Verdict.INTACT
    assert console.read("cards/b044/card.bin") == b"\x31" * 700
    assert console.read("cards/c155/card.bin") == b"\x33" * 700
    assert console.read("states/new.state") == b"MST1" + b"\x32" * 90
    assert console.read("pads/third.pad") == b"c=3\n"
    console.go_back()
    assert console.state() == before


def test_stubs_of_the_new_one_never_take_the_place_of_copies(console: Console) -> None:
    """Looks at the steps behind the removal find defaults under the names of what was copied."""
    console.begin()
    console.device.remove("Gullnade")
    console.go_on()
    console.device.lay(str(console.new))
    plant(console.root, {"gullnade.cfg.tmp": "x", "pads/left.pad": "a=0\n"}, mtime=PLAYED)
    console.go_on()
    for _ in range(3):
        assert not console.bench.updates.look(console.install)[0]
        console.go_on()
    console.start()
    assert console.go_on().proof.verdict is Verdict.INTACT
    assert console.read("pads/left.pad") == b"a=1\n"


def test_what_goes_in_the_midst_of_a_removal_keeps_its_copy(console: Console) -> None:
    console.begin()
    shutil.rmtree(console.root / "cards")  # half way through
    plant(console.root, {"states/removing.state": b"MST1 log"}, mtime=PLAYED)
    assert console.go_on().waits
    console.swap()
    console.start()
    assert console.go_on().proof.verdict is Verdict.INTACT
    assert console.read("cards/b044/card.bin") == MINE["cards/7f3a/card.bin"]


def test_what_is_played_while_the_way_back_waits_is_kept_too(console: Console) -> None:
    console.whole()
    console.bench.updates.back.go(console.install)
    plant(console.root, {"cards/e377/card.bin": b"\x77" * 90}, mtime=PLAYED)
    assert console.go_on().waits
    console.device.remove("Gullnade")
    console.go_on()
    console.device.lay(str(console.old))
    console.go_on()
    assert console.read("cards/e377/card.bin") == b"\x77" * 90


def test_what_was_left_out_is_not_copied_later_either(console: Console) -> None:
    console.begin({"save-states": "leave", "save-cache": "leave"})
    plant(console.root, {"states/salt-road.state": b"MST1 newer"}, mtime=PLAYED)
    assert not console.bench.updates.look(console.install)[0]


def test_two_saves_never_go_to_one_place(tmp_path: Path) -> None:
    """A keepsheet that moves one folder onto another: what has its name keeps it, and both are there."""
    console = Console(tmp_path, f'{SHEET}\n[[moved]]\nfrom = "pads"\nto = "sticks"\n')
    plant(console.root, {"sticks/left.pad": "a=7\n"}, mtime=LATER)
    console.bench.surveys.survey(console.install)
    outcome = console.whole()
    assert outcome.proof.verdict is Verdict.INTACT
    assert console.read("sticks/left.pad") == b"a=7\n"
    assert console.read("pads/left.pad") == b"a=1\n"
    assert any("keeps its name" in note for note in outcome.update.notes)


def test_what_was_allowed_for_one_install_passes_to_no_other(console: Console) -> None:
    bench = console.bench
    bench.records.allow_command(console.install, ("./rescan",))
    bench.shelf.forget(console.install)
    other = console.bench.shelf.register(str(console.root), name="Another")
    assert other.id == console.install.id  # numbers are given again
    assert not console.bench.records.is_allowed(other, ("./rescan",))


def test_what_cannot_be_copied_just_now_is_said_and_copied_at_the_next_look(
    console: Console, monkeypatch: pytest.MonkeyPatch
) -> None:
    console.begin()
    plant(console.root, {"cards/9c21/card.bin": b"\x33" * 700}, mtime=PLAYED)
    with monkeypatch.context() as patched:
        disks.instead(patched, "copy_in", disks.fails(errno.ENOSPC))
        outcome = console.go_on()
    assert outcome.waits and outcome.update.waits is not None
    assert "not copied yet" in outcome.update.waits.why
    assert console.go_on().waits
    run = console.bench.records.open_run(console.install)
    assert run is not None and run.waits is not None and "not copied" not in run.waits.why
    console.swap()
    console.start()
    assert console.go_on().proof.verdict is Verdict.INTACT
    assert console.read("cards/c155/card.bin") == b"\x33" * 700


def test_what_is_copied_while_it_waits_is_safe_before_it_is_said_to_be(
    console: Console, monkeypatch: pytest.MonkeyPatch
) -> None:
    order: list[str] = []

    def told(of: type, name: str) -> None:
        real = getattr(of, name)
        monkeypatch.setattr(of, name, lambda *a: (order.append(name), real(*a))[1])

    console.begin()
    plant(console.root, {"cards/9c21/card.bin": b"\x33" * 700}, mtime=PLAYED)
    told(Strongbox, "flush")
    told(Journal, "add_copies")
    told(Strongbox, "write_list")
    told(Journal, "wait")
    box, outside = (
        console.bench.records.strongbox(console.install),
        console.bench.updates.back.outside(console.install),
    )
    assert recovery.go_on(box, outside, console.install.root).waits
    assert order[: order.index("wait")][-3:] == ["flush", "add_copies", "write_list"]
    listed = box.read_list() or {}
    assert any('"cards/9c21/card.bin"' in row for rows in listed.values() for row in rows)
    assert not [name for name in box.place.names("") or [] if name.startswith(WORK)]


def test_to_stop_while_more_is_copied_stops(console: Console) -> None:
    console.begin()
    plant(console.root, {"cards/9c21/card.bin": b"\x33" * 700}, mtime=PLAYED)
    cancel = CancelToken()
    cancel.cancel()
    with pytest.raises(LeftIntactError) as error:
        console.bench.updates.go_on(console.install, cancel=cancel)
    assert error.value.code == "stopped"
    assert console.go_on().waits


def test_what_changes_while_it_is_copied_is_tried_again(
    console: Console, monkeypatch: pytest.MonkeyPatch
) -> None:
    console.begin()
    plant(console.root, {"cards/9c21/card.bin": b"\x33" * 700}, mtime=PLAYED)

    def writes(place: Any, real: Any, source: Any, path: str, *more: Any) -> None:
        if path.endswith("cards/9c21/card.bin"):
            plant(console.root, {"cards/9c21/card.bin": b"\x34" * 700}, mtime=PLAYED + 1)
        real(place, source, path, *more)

    with monkeypatch.context() as patched:
        disks.instead(patched, "copy_in", writes)
        outcome = console.go_on()
    assert outcome.update.waits is not None and "it changed while" in outcome.update.waits.why


def test_a_sheet_that_was_given_for_one_plan_leads_all_of_its_stages(tmp_path: Path) -> None:
    console = Console(tmp_path, "format = 1\n")
    sheet = tmp_path / "given.toml"
    sheet.write_text(SHEET)
    draft = console.draft(sheet=str(sheet))
    plan = draft.plan({q.id: q.default for q in draft.plan().questions})
    assert hands(plan) == ["remove", "ghost", "lay", "start"]
    console.bench.updates.update(plan, console.install)
    console.device.remove("Gullnade", leaves_ghost=True)
    assert console.go_on().waits and console.step() == "ghost"
    console.device.clear_ghost("Gullnade")
    console.go_on()
    console.device.lay(str(console.new))
    console.go_on()
    console.start()
    assert console.go_on().proof.verdict is Verdict.INTACT
    assert console.read("cards/b044/card.bin") == MINE["cards/7f3a/card.bin"]  # by its [[keyed]]
