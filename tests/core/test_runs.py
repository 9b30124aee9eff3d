"""What the engine itself refuses, whoever calls it, and what its runs leave in the journal."""

from __future__ import annotations

import errno
import os
import shutil
import signal
from dataclasses import replace
from functools import partial
from pathlib import Path

import pytest

from left_intact.core.carrying import recovery
from left_intact.core.carrying.chain import in_one_line, interrupted, refuse_roots
from left_intact.core.carrying.journal import Journal
from left_intact.core.files.identity import identity_of
from left_intact.core.model.errors import Fault, HalfDone, Interrupted, LeftIntactError, Refusal
from left_intact.core.model.place import At, Root
from left_intact.core.model.plan import Plan, Question
from left_intact.core.model.progress import CancelToken, Progress
from left_intact.core.model.proof import Verdict
from left_intact.core.model.stages import ChangeSet, DeferredStage, ManualCheck, Sign
from left_intact.core.model.update import RunKind, StageState, State, Update
from left_intact.workbench import Workbench
from tests import disks
from tests.builders import LATER, LINKS, Mock, in_memory, plant, release
from tests.chains import (
    HAND,
    MERGED,
    MINE,
    KillAt,
    KillWhenLaid,
    MadeUp,
    apart,
    asking,
    at_the_third,
    in_child,
    while_unpacking,
    with_another_time,
)


def test_a_plan_with_a_blocker_is_not_carried_out(made: MadeUp) -> None:
    before = made.state()
    fault = Fault(code="held", says="you held it", passable=True)
    with pytest.raises(Refusal):
        made.begin(replace(made.plan(), blockers=(fault,)))
    assert made.state() == before and not os.path.exists(made.box.journal_path)
    asked = replace(
        made.plan(),
        questions=(Question(id="q", asks="which?", options=("a", "b"), leads_to=("", ""), default="a"),),
    )
    with pytest.raises(LeftIntactError) as error:
        made.begin(asked)
    assert error.value.code == "questions-open" and made.state() == before


def test_nothing_is_begun_beside_a_run_that_waits_or_was_cut_off(made: MadeUp) -> None:
    plan = made.plan()
    assert in_child(lambda: made.begin(plan, report=KillAt(12))) == signal.SIGKILL
    with pytest.raises(Interrupted) as cut:
        made.begin(plan)
    assert "the update to 1.1" in cut.value.says and str(made.root) in str(cut.value.path)
    made.bench.updates.recover(made.install, False)
    assert made.begin(made.plan()).state is State.WAITING
    stands = made.state()
    with pytest.raises(LeftIntactError) as waits:
        made.begin(plan)
    assert waits.value.code == "waiting" and made.state() == stands
    assert not isinstance(waits.value, HalfDone)


def test_the_strongbox_may_not_lie_in_what_it_guards(tmp_path: Path) -> None:
    made = MadeUp(tmp_path / "all", box_at=tmp_path / "all" / "pier" / "mocklet" / "keeps")
    before = (made.root / "mocklet").read_bytes()
    with pytest.raises(LeftIntactError) as error:
        made.begin(made.plan())
    assert error.value.code == "strongbox-inside" and (made.root / "mocklet").read_bytes() == before


def test_the_strongbox_may_lie_in_a_folder_that_things_go_to(tmp_path: Path) -> None:
    """Of the install only is it known that an update may take anything in it away."""
    made = MadeUp(tmp_path / "all", box_at=tmp_path / "all" / "beside")
    place = str(tmp_path / "all" / "beside")
    refuse_roots((Root(label="beside", place=place, existed=True),), made.box)
    with pytest.raises(LeftIntactError) as error:
        refuse_roots((Root(label="", place=place, existed=True),), made.box)
    assert error.value.code == "strongbox-inside"


def test_what_stays_is_watched_over_also_where_a_step_by_hand_comes_first(made: MadeUp) -> None:
    plan = made.plan()
    change_set, hand = plan.stages[:2]
    made.begin(replace(plan, stages=(hand, change_set)))
    plant(made.root, {"started": "yes\n"})
    made.bench.updates.go_on(made.install)
    assert made.bench.updates.prove(made.install).proof.lost == ()
    (made.root / "art" / "harbour.png").unlink()
    assert "art/harbour.png" in " ".join(map(str, made.bench.updates.prove(made.install).proof.lost))


def test_a_run_that_is_stopped_before_it_began_changes_nothing(made: MadeUp) -> None:
    before, cancel = made.state(), CancelToken()
    cancel.cancel()
    with pytest.raises(LeftIntactError) as error:
        made.begin(made.plan(), cancel=cancel)
    assert error.value.code == "stopped" and made.state() == before
    assert not isinstance(error.value, HalfDone)
    assert made.bench.records.history(made.install)[-1].state is State.ABANDONED


@LINKS
def test_a_root_that_is_yet_to_be_made_may_lie_below_a_link(made: MadeUp, tmp_path: Path) -> None:
    (tmp_path / "leads").symlink_to(tmp_path)
    place = str(tmp_path / "leads" / "fresh")
    refuse_roots((Root(label="new", place=place, existed=False),), made.box)
    with pytest.raises(LeftIntactError):
        refuse_roots((Root(label="new", place=place, existed=True),), made.box)


def test_a_blocker_is_passed_by_its_name_where_it_may_be(made: MadeUp) -> None:
    held = Fault(code="held", says="you held it", passable=True)
    firm = Fault(code="firm", says="never", passable=False)
    for faults, allowed in (((held, firm), {"held", "firm"}), ((held,), {"firm"})):
        with pytest.raises(Refusal):
            made.begin(replace(made.plan(hand=False), blockers=faults), allowed=frozenset(allowed))
    plan = replace(made.plan(hand=False), blockers=(held,))
    assert made.begin(plan, allowed=frozenset({"held"})).state is State.ON_TRIAL


# ---------------------------------------------------------------- words, and what is on record


def test_what_was_cut_off_is_said_by_what_it_was(made: MadeUp) -> None:
    update = made.begin(made.plan(hand=False))
    assert interrupted(update).says == "the update to 1.1 of Mocklet was cut off"
    assert "a new build" in interrupted(replace(update, to_version="")).says
    for back in (replace(update, state=State.GOING_BACK), replace(update, kind=RunKind.BACK)):
        assert interrupted(back).says.startswith("going back of Mocklet")


def test_what_the_disk_refuses_is_one_line_with_a_way_out() -> None:
    def refused(**words: str) -> LeftIntactError:
        with pytest.raises(LeftIntactError) as error, in_one_line(**words):
            raise OSError(errno.EROFS, "read-only", "/there/x")
        return error.value

    plain, told = refused(), refused(holds="the copy stays", way_out="Do that.")
    assert "nothing was changed" in plain.says and plain.way_out
    assert "the copy stays" in told.says and told.way_out == "Do that."


def test_the_strongbox_knows_whose_it_is(made: MadeUp) -> None:
    made.begin(made.plan(hand=False), install_id="17")
    card = made.box.card()
    assert card is not None and card.install == "17" and os.path.samefile(card.path, made.root)


def test_what_cannot_be_put_back_is_on_record(made: MadeUp) -> None:
    """Cut off half way, and the only copy of something gone meanwhile."""
    plan = made.plan(hand=False)

    def kill(progress: Progress) -> None:
        if progress.stage == "laying" and progress.done == progress.total:
            os.kill(os.getpid(), signal.SIGKILL)

    assert in_child(lambda: made.begin(plan, report=kill)) == signal.SIGKILL
    old = MINE["lib/old/gone.so"]
    copies = [p for p in made.folder.rglob("*") if p.is_file() and p.read_bytes() == old]
    assert copies and not (made.root / "lib" / "old" / "gone.so").exists()
    for copy in copies:
        copy.unlink()
    assert made.bench.updates.recover(made.install, False).missing == ("lib/old/gone.so",)


@pytest.mark.parametrize("word", ["lay", "leave"])
def test_what_goes_beyond_the_consent_is_laid_or_left_as_the_person_says(made: MadeUp, word: str) -> None:
    plan = made.plan()
    later = plan.stages[2]
    assert isinstance(later, DeferredStage)
    narrow = replace(later, consent=replace(later.consent, roots=("saves",)))
    made.begin(replace(plan, stages=(*plan.stages[:2], narrow)))
    made.start_once()
    updates = made.bench.updates
    waits = updates.go_on(made.install).update
    assert waits.state is State.WAITING and waits.waits is not None
    done = updates.go_on(made.install, answers={waits.waits.step: word}).update
    assert done.state is State.ON_TRIAL and (made.new / "memory" / "old.blk").exists() is (word == "lay")
    stands = made.bench.updates.prove(made.install).proof
    assert stands.lost == () and done.waits is None
    with Journal(made.box.journal_path) as journal:
        last = journal.stages(done.id)[-1]
    assert last.state is (StageState.DONE if word == "lay" else StageState.SKIPPED)


def test_what_was_drawn_before_a_wait_is_laid_as_drawn_where_nothing_moved(made: MadeUp) -> None:
    plan = made.plan()
    change_set, hand = plan.stages[:2]
    assert made.begin(replace(plan, stages=(hand, change_set))).state is State.WAITING
    plant(made.root, {"started": "yes\n"})
    assert made.bench.updates.go_on(made.install).update.state is State.ON_TRIAL
    assert (made.root / "mocklet.ini").read_bytes() == MERGED
    assert (made.root / "parts" / "part.so").exists() and not (made.root / "lib" / "old").exists()


def test_what_a_stage_to_come_will_change_is_watched_over_until_then(made: MadeUp) -> None:
    plan = made.plan()
    first, later = apart(plan, "mocklet.ini")
    made.begin(replace(plan, stages=(first, HAND, later)))
    updates = made.bench.updates
    updates.give_up(made.install)
    assert updates.prove(made.install).proof.lost == ()
    (made.root / "mocklet.ini").unlink()
    assert "mocklet.ini" in " ".join(map(str, updates.prove(made.install).proof.lost))


def test_two_stages_in_a_row_are_proven_as_one(made: MadeUp) -> None:
    plan = made.plan()
    made.begin(replace(plan, stages=apart(plan, "mocklet.ini", "lib/core.so")))
    proof = made.bench.updates.prove(made.install).proof
    assert (proof.verdict, proof.lost) == (Verdict.INTACT, ())
    (made.root / "art" / "harbour.png").unlink()
    assert "art/harbour.png" in " ".join(map(str, made.bench.updates.prove(made.install).proof.lost))


@pytest.mark.parametrize("steps", [1, 2])
def test_a_root_that_was_made_is_known_by_itself_from_then_on(made: MadeUp, steps: int) -> None:
    """Also where a step by hand comes after it that is seen to be done at once."""
    plant(made.root, {"started": "yes\n"})
    plan = made.plan()
    update = made.begin(replace(plan, stages=plan.stages[:steps]))
    assert update.state is State.ON_TRIAL
    with Journal(made.box.journal_path) as journal:
        known = {root.label: root.identity for root in journal.update(update.id).roots}
    assert known == {label: identity_of(str(place)) for label, place in made.places.items()}


def test_a_strongbox_that_lost_its_card_is_gone_on_with(made: MadeUp) -> None:
    plan = made.plan(hand=False)
    assert in_child(lambda: made.begin(plan, report=while_unpacking)) == signal.SIGKILL
    os.unlink(os.path.join(made.box.folder, "box.json"))
    assert made.box.card() is None
    assert made.bench.updates.recover(made.install, True).state is State.ON_TRIAL
    assert made.bench.updates.prove(made.install).proof.verdict is Verdict.INTACT


@pytest.mark.parametrize("anew", [False, True])
def test_the_card_of_a_strongbox_tells_the_install_that_is_there(made: MadeUp, anew: bool) -> None:
    """A step took the folder away, or put another in its place; a stage follows."""
    plan = made.plan()
    said = replace(HAND, check=ManualCheck(sign=Sign.SAID), rebinds=("",))
    made.begin(replace(plan, stages=(plan.stages[0], said, ChangeSet(moves=()))))
    card = made.box.card()
    assert card is not None
    made.root.rename(made.folder / "away")
    if anew:
        shutil.copytree(made.folder / "away", made.root, symlinks=True)
    outside = made.bench.updates.back.outside(made.install)
    assert recovery.go_on(made.box, outside, made.install.root, done=said.id).state is State.ON_TRIAL
    told = made.box.card()
    assert told is not None
    assert told.identity == (identity_of(str(made.root)) if anew else card.identity)


def test_a_root_that_a_step_took_away_is_known_by_what_it_was(made: MadeUp) -> None:
    plan = made.plan()
    first, later = apart(plan, "mocklet.ini")
    made.begin(replace(plan, stages=(first, HAND, later)))
    was = identity_of(str(made.saves))
    plant(made.root, {"started": "yes\n"})
    made.saves.rename(made.folder / "away")
    update = made.bench.updates.go_on(made.install).update
    assert update.state is State.ON_TRIAL
    with Journal(made.box.journal_path) as journal:
        assert {r.label: r.identity for r in journal.update(update.id).roots}["saves"] == was


def test_what_a_step_took_away_is_known_to_be_gone_after_the_next(made: MadeUp) -> None:
    """All are seen to be done at one look."""
    plan = made.plan()
    seen = replace(HAND, check=ManualCheck(sign=Sign.APPEARS, at=At("saves", "started")))
    steps = [replace(seen, id=f"step-{label}", rebinds=(label,)) for label in ("", "saves")]
    made.begin(replace(plan, stages=(plan.stages[0], seen, *steps)))
    made.root.rename(made.folder / "away")
    plant(made.saves, {"started": "yes\n"})
    outside = made.bench.updates.back.outside(made.install)
    assert recovery.go_on(made.box, outside, made.install.root).state is State.ON_TRIAL
    with Journal(made.box.journal_path) as journal:
        known = {root.label: root.identity for root in journal.update(1).roots}
    assert known[""] is None and known["saves"] == identity_of(str(made.saves))


class StopAt:
    """A report that asks to stop when some stage has come to a step of some number or path."""

    def __init__(self, stage: str, *at: int | str) -> None:
        self.stage, self.at, self.cancel = stage, at, CancelToken()

    def __call__(self, progress: Progress) -> None:
        if progress.stage == self.stage and (progress.done in self.at or progress.path in self.at):
            self.cancel.cancel()


def stages_of(made: MadeUp, update: int) -> list[StageState]:
    with Journal(made.box.journal_path) as journal:
        return [stage.state for stage in journal.stages(update)]


TWO = ("mocklet.ini", "lib/core.so", "VERSION")


def in_two(plan: Plan) -> Plan:
    """A plan of one stage as one of two."""
    return replace(plan, stages=apart(plan, *TWO))


def test_what_fails_in_its_second_stage_is_taken_back_whole(
    made: MadeUp,
) -> None:
    """And is known to be taken back before the first stage is touched."""
    before, stop = made.state(), StopAt("laying", *TWO)
    seen: list[object] = []

    def report(progress: Progress) -> None:
        stop(progress)
        if progress.stage == "going back" and progress.path not in TWO and not seen:
            with Journal(made.box.journal_path) as journal:
                seen.append((journal.update(1).state, [one.state for one in journal.stages(1)]))

    with pytest.raises(LeftIntactError) as error:
        timed = with_another_time(made, At("", "art/harbour.png"), LATER + 7)
        made.begin(in_two(timed), report=report, cancel=stop.cancel)
    assert seen == [(State.PUTTING_BACK, [StageState.PUTTING_BACK, StageState.UNDONE])]
    assert error.value.code == "stopped" and made.state() == before
    assert stages_of(made, 1) == [StageState.UNDONE, StageState.UNDONE]
    assert made.bench.records.history(made.install)[-1].state is State.ABANDONED


def test_a_stage_that_was_put_back_is_not_put_back_again(made: MadeUp) -> None:
    """Killed while the first is put back after it: what is done in its places since stays."""
    plan, stop = in_two(made.plan(hand=False)), StopAt("laying", *TWO)

    def report(progress: Progress) -> None:
        stop(progress)
        if progress.stage == "going back" and progress.path not in TWO:
            os.kill(os.getpid(), signal.SIGKILL)

    killed = in_child(lambda: made.begin(plan, report=report, cancel=stop.cancel))
    assert killed == signal.SIGKILL
    assert stages_of(made, 1) == [StageState.PUTTING_BACK, StageState.UNDONE]
    (made.root / "mocklet.ini").write_text("[video]\nsmooth = mine since\n")
    assert made.bench.updates.recover(made.install, False).state is State.ABANDONED
    assert "mine since" in (made.root / "mocklet.ini").read_text()
    assert (made.root / "lib/old/gone.so").read_bytes() == MINE["lib/old/gone.so"]


def test_a_going_back_that_fails_in_its_second_stage_waits_to_be_tried_again(made: MadeUp) -> None:
    before = made.state()
    made.begin(made.plan(hand=False))
    plan = in_two(made.bench.updates.back.draw(made.install))
    stop = StopAt("going back", *TWO)
    with pytest.raises(LeftIntactError) as error:
        made.begin(plan, report=stop, cancel=stop.cancel)
    assert error.value.code == "stopped"
    assert stages_of(made, 2) == [StageState.DONE, StageState.WAITING]
    assert made.bench.updates.go_on(made.install).update.state is State.DONE
    assert made.state()[""]["mocklet"] == before[""]["mocklet"]
    assert stages_of(made, 2) == [StageState.DONE, StageState.DONE]


def test_a_stage_that_was_drawn_late_and_failed_is_drawn_anew(made: MadeUp) -> None:
    made.begin(made.plan())
    made.start_once()
    stop = StopAt("laying", 1)
    outside = made.bench.updates.back.outside(made.install)
    with pytest.raises(LeftIntactError):
        recovery.go_on(made.box, outside, made.install.root, report=stop, cancel=stop.cancel)
    with Journal(made.box.journal_path) as journal:
        last = journal.stages(1)[-1]
    assert (last.kind, last.state) == ("later", StageState.WAITING)
    plant(made.saves, {"b044/kept.blk": b"another stub"})
    assert made.bench.updates.go_on(made.install).update.state is State.ON_TRIAL


@pytest.mark.sampled(4)
@pytest.mark.parametrize("how", ["lay", "leave", "give up", "failed", "cut off"])
@pytest.mark.parametrize("twice", [False, True])
def test_what_somebody_does_while_a_stage_waits_is_theirs(made: MadeUp, how: str, twice: bool) -> None:
    """They play on for days, and are asked then: neither lost nor altered is what they did meanwhile."""
    updates = made.bench.updates
    made.begin(made.plan() if how in ("failed", "cut off") else asking(made))
    made.start_once()
    outside = updates.back.outside(made.install)
    for day in range(1 + twice):
        if how == "failed":
            stop = StopAt("laying", 1)
            with pytest.raises(LeftIntactError):
                recovery.go_on(made.box, outside, str(made.root), report=stop, cancel=stop.cancel)
        elif how == "cut off":
            going = partial(recovery.go_on, made.box, outside, str(made.root), report=KillWhenLaid(1))
            assert in_child(going) == signal.SIGKILL
            assert updates.recover(made.install, False).state is State.WAITING
        else:
            assert updates.go_on(made.install).waits
        played = {"art/harbour.png": b"repainted %d" % day, f"art/{day}.png": b"new"}
        plant(made.root, played, mtime=LATER + 900 + day)
    (made.root / "logs/run.log").unlink()
    if how in ("failed", "cut off"):  # it is drawn anew, on what lies there
        plant(made.saves, {"b044/kept.blk": b"another stub"})
    if how == "give up":
        updates.give_up(made.install)
    else:
        updates.go_on(made.install, answers={"stage-3": how} if how in ("lay", "leave") else {})
    proof = updates.prove(made.install).proof
    assert (proof.lost, proof.altered, proof.appeared) == ((), (), ())
    plant(made.root, {"art/harbour.png": b"repainted x"}, mtime=LATER + 901)
    assert updates.prove(made.install).proof.altered == ("art/harbour.png",)


@pytest.mark.parametrize("what", ["a root is away", "nothing was watched"])
def test_what_is_not_known_to_be_theirs_is_said(made: MadeUp, what: str) -> None:
    made.begin(asking(made))
    made.start_once()
    updates = made.bench.updates
    assert updates.go_on(made.install).waits
    if what == "a root is away":
        made.saves.rename(made.folder / "away")
        updates.give_up(made.install)
        (made.folder / "away").rename(made.saves)
    else:  # as a journal of before has it
        with Journal(made.box.journal_path) as journal:
            journal.set_observed(1, 3, ())
        plant(made.root, {"art/harbour.png": b"repainted"}, mtime=LATER + 900)
        updates.give_up(made.install)
    proof = updates.prove(made.install).proof
    altered = () if what == "a root is away" else ("art/harbour.png",)
    assert (proof.lost, proof.altered, proof.appeared) == ((), altered, ())


@pytest.mark.skipif(not os.path.isdir("/proc/self/fd"), reason="no list of what is open on this system")
def test_what_fails_leaves_nothing_open(tmp_path: Path) -> None:
    """A recovery that cannot go on, with the strongbox on another file system."""
    with in_memory() as memory:
        if os.stat(memory).st_dev == os.stat(tmp_path).st_dev:
            pytest.skip("there is only one file system here")
        made = MadeUp(tmp_path / "all", Path(memory))
        plan = made.plan(hand=False)
        assert in_child(lambda: made.begin(plan, report=at_the_third)) == signal.SIGKILL
        made.one.unlink()
        for ready in [path for path in made.folder.rglob("ready-*") if path.is_file()]:
            ready.unlink()
        with pytest.raises(LeftIntactError) as error:
            made.bench.updates.recover(made.install, True)
        assert error.value.code == "cannot-go-forward"
        held = [os.path.realpath(fd) for fd in Path("/proc/self/fd").iterdir()]
        assert not [path for path in held if path.startswith(str(made.folder / "pier" / ".left-intact"))]


def cut(made: MadeUp) -> Update:
    """An update that was killed while its first stage was laid."""
    plan = made.plan()
    assert in_child(lambda: made.begin(plan, report=at_the_third)) == signal.SIGKILL
    with Journal(made.box.journal_path) as journal:
        update = journal.unfinished()
    assert update is not None and update.state is State.CARRYING
    return update


@pytest.mark.parametrize("forward", [True, False])
def test_a_recovery_that_is_killed_while_it_lays_is_known_to_have_laid(made: MadeUp, forward: bool) -> None:
    """Cut off before anything was laid, taken up, and cut off once more: what lies there now is mixed."""
    before, plan = made.state(), made.plan(hand=False)
    assert in_child(lambda: made.begin(plan, report=while_unpacking)) == signal.SIGKILL
    assert made.state() == before
    recover = made.bench.updates.recover
    killed = in_child(lambda: recover(made.install, True, report=at_the_third))
    assert killed == signal.SIGKILL and made.state() != before
    with Journal(made.box.journal_path) as journal:
        assert journal.update(1).state is State.CARRYING
        assert [s.state for s in journal.stages(1)] == [StageState.CARRYING]
    made.bench.updates.recover(made.install, forward)
    if forward:
        assert made.bench.updates.prove(made.install).proof.verdict is Verdict.INTACT
    else:
        assert made.state() == before


@pytest.mark.parametrize("what", ["an update", "a going back"])
def test_a_taking_back_that_is_killed_is_known_for_what_it_is(made: MadeUp, what: str) -> None:
    before = made.state()
    if what == "an update":
        cut(made)
        word, stands, ends = False, State.PUTTING_BACK, State.ABANDONED
    else:
        made.begin(made.plan(hand=False))
        laid, go = made.state(), made.bench.updates.back.go
        assert in_child(lambda: go(made.install, _while_going_back)) == signal.SIGKILL
        word, stands, ends = True, State.GOING_BACK, State.ABANDONED
    recover = made.bench.updates.recover
    assert in_child(lambda: recover(made.install, word, report=_while_going_back)) == signal.SIGKILL
    with Journal(made.box.journal_path) as journal:
        update = journal.unfinished()
        assert update is not None and update.state is stands
        assert journal.stages(update.id)[0].state is StageState.PUTTING_BACK
    made.bench.updates.recover(made.install, word)
    with Journal(made.box.journal_path) as journal:
        assert journal.update(update.id).state is ends
    assert made.state() == (laid if what == "a going back" else before)


def _while_going_back(progress: Progress) -> None:
    if progress.stage in ("going back", "putting back") and progress.done == 2:
        os.kill(os.getpid(), signal.SIGKILL)


def test_what_was_cut_off_before_it_laid_anything_touches_nothing_on_the_way_back(made: MadeUp) -> None:
    plan = made.plan(hand=False)
    assert in_child(lambda: made.begin(plan, report=while_unpacking)) == signal.SIGKILL
    (made.root / "mocklet.ini").write_text("[video]\nsmooth = changed since\n")
    (made.root / "lib/core.so").unlink()
    stands = made.state()
    made.bench.updates.recover(made.install, False)
    assert made.state() == stands


@pytest.mark.parametrize("forward", [True, False])
def test_a_root_that_is_gone_is_waited_for(made: MadeUp, forward: bool) -> None:
    cut(made)
    stands = made.state()
    made.saves.rename(made.folder / "away")
    with pytest.raises(LeftIntactError) as error:
        made.bench.updates.recover(made.install, forward)
    assert error.value.code == "root-absent" and error.value.path == str(made.saves)
    (made.folder / "away").rename(made.saves)
    assert made.state() == stands
    made.bench.updates.recover(made.install, forward)
    assert not made.bench.shelf.interrupted()


@LINKS
def test_a_link_in_the_place_of_a_root_is_not_taken_for_it(made: MadeUp) -> None:
    known = cut(made).roots
    made.saves.rename(made.folder / "away")
    made.saves.symlink_to(made.folder / "away")
    with pytest.raises(LeftIntactError) as error:
        made.bench.updates.recover(made.install, True)
    assert error.value.code == "root-replaced" and error.value.path == str(made.saves)
    with Journal(made.box.journal_path) as journal:
        assert journal.update(1).roots == known


@LINKS
@pytest.mark.parametrize(
    ("place", "existed"),
    [("mocklet", True), ("{}/a/../mocklet", False), ("{}/.left-intact/mocklet", False), ("{}/leads", True)],
)
def test_roots_are_vetted_as_if_a_stranger_had_written_them(
    mock: Mock, place: str, existed: bool, tmp_path: Path
) -> None:
    (tmp_path / "leads").symlink_to(mock.root)
    box = mock.bench.records.strongbox(mock.install)
    refuse_roots((Root(label="", place=os.path.realpath(mock.root)),), box)
    with pytest.raises(LeftIntactError) as error:
        refuse_roots((Root(label="", place=place.format(os.path.realpath(tmp_path)), existed=existed),), box)
    assert error.value.code == "root-replaced"


def test_library_and_journal_are_opened_once_for_a_use_case(
    mock: Mock, monkeypatch: pytest.MonkeyPatch
) -> None:
    mock.arrive(release("1.1"))
    mock.update()
    mock.bench.updates.back.go(mock.install)
    install, draft = mock.install, mock.draft()
    plan = draft.plan({q.id: q.default for q in draft.plan().questions})
    for does in ("update", "prove", "back"):
        updates = Workbench(mock.bench.home).updates
        opened = disks.opened_databases(monkeypatch)
        if does == "update":
            assert updates.update(plan, install).proof.verdict is Verdict.INTACT
        elif does == "prove":
            assert updates.prove(install).proof.verdict is Verdict.INTACT
        else:
            assert updates.back.go(install).missing == ()
        assert sorted(opened) == ["journal.sqlite", "library.sqlite"], does
