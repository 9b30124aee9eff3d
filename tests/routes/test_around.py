"""Steps around the swap: before and after, with a sign or a command, some for some parts alone."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest

from left_intact.core.keepsheet.sheet import parse_sheet
from left_intact.core.model.errors import LeftIntactError, Misuse
from left_intact.core.model.plan import Plan
from left_intact.core.model.proof import Verdict
from left_intact.core.model.stages import ManualStep
from left_intact.core.model.update import State
from left_intact.core.planning.around import around
from left_intact.workbench import Outcome
from tests.builders import LATER, SCRIPTS, Mock, plant, release
from tests.routes.house import House, core


def with_sheet(mock: Any, text: str) -> Any:
    mock.bench.surveys.take_sheet(mock.install, "format = 1\n" + text)
    return mock


def stages(plan: Plan) -> list[str]:
    return [stage.id if isinstance(stage, ManualStep) else "lay" for stage in plan.stages]


@pytest.fixture
def coming(mock: Mock) -> Mock:
    mock.arrive(release("1.1"))
    return mock


BOTH = """
[[step]]
id = "close"
when = "before"
do = "close the front end"
gone = "running.lock"

[[step]]
id = "rescan"
do = "let it rescan its list"
appears = "lists/pier.list"
undo = "take the list out again"
"""


def test_they_stand_before_and_after_in_their_order(coming: Mock) -> None:
    with_sheet(coming, BOTH)
    assert stages(coming.plan()) == ["close", "lay", "rescan"]


def test_one_that_is_done_already_is_not_waited_for(coming: Mock) -> None:
    with_sheet(coming, BOTH)
    plant(coming.root, {"lists/pier.list": "harbour\n"}, mtime=LATER)
    outcome = coming.update()
    assert not outcome.waits
    assert outcome.proof.verdict is Verdict.INTACT


def test_before_nothing_is_changed_and_after_it_is_laid_but_not_at_its_end(coming: Mock) -> None:
    with_sheet(coming, BOTH)
    plant(coming.root, {"running.lock": "1\n"}, mtime=LATER)
    before = coming.state()
    assert coming.update().waits
    assert coming.state() == before
    (coming.root / "running.lock").unlink()
    assert coming.bench.updates.go_on(coming.install).waits
    assert coming.read("VERSION") == "1.1\n"
    plant(coming.root, {"lists/pier.list": "harbour\n"}, mtime=LATER)
    outcome = coming.bench.updates.go_on(coming.install)
    assert outcome.proof.verdict is Verdict.INTACT
    assert outcome.proof.kept.files >= 5


def test_the_proof_after_a_step_before_still_speaks_of_all_that_is_the_persons(coming: Mock) -> None:
    """Days pass between the plan and the laying: a save that goes in between the two is missed by nobody."""
    with_sheet(coming, BOTH)
    plant(coming.root, {"running.lock": "1\n", "lists/pier.list": "x\n"}, mtime=LATER)
    coming.update()
    (coming.root / "running.lock").unlink()
    outcome = coming.bench.updates.go_on(coming.install)
    assert outcome.proof.verdict is Verdict.INTACT
    (coming.root / "saves/mill.sav").unlink()
    proof = coming.bench.updates.prove(coming.install).proof
    assert (proof.verdict, proof.lost) == (Verdict.BROKEN, ("saves/mill.sav",))


def test_what_a_step_before_changed_is_drawn_again_within_what_was_agreed(coming: Mock) -> None:
    """The program wrote its settings as it closed: the merge is made of what lies there now."""
    with_sheet(coming, BOTH)
    coming.bench.surveys.set_baseline(coming.install, str(coming.base))
    theirs = release(
        "1.1", **{"mocklet.ini": "[video]\nsmooth = on\nscale = 2\nlines = 3\n\n[sound]\nrate = 22050\n"}
    )
    coming.arrive(theirs)
    plant(coming.root, {"running.lock": "1\n", "lists/pier.list": "x\n"}, mtime=LATER)
    coming.edit({"mocklet.ini": "[video]\nsmooth = off\nscale = 2\n\n[sound]\nrate = 22050\n"})
    before = coming.state()
    assert coming.update().waits
    (coming.root / "running.lock").unlink()
    coming.edit({"mocklet.ini": "[video]\nsmooth = off\nscale = 7\n\n[sound]\nrate = 22050\n"})
    outcome = coming.bench.updates.go_on(coming.install)
    assert outcome.proof.verdict is Verdict.INTACT, outcome.proof.checks
    said = coming.read("mocklet.ini")
    assert "scale = 7" in said and "lines = 3" in said
    coming.bench.updates.back.go(coming.install)
    coming.bench.updates.go_on(coming.install, done="undo-rescan")
    assert "scale = 7" in coming.read("mocklet.ini") and "lines" not in coming.read("mocklet.ini")
    now = coming.state()
    assert now["saves/mill.sav"] == before["saves/mill.sav"]


def test_what_goes_beyond_that_is_asked_about(coming: Mock) -> None:
    with_sheet(coming, BOTH)
    plant(coming.root, {"running.lock": "1\n", "lists/pier.list": "x\n"}, mtime=LATER)
    assert coming.update().waits
    (coming.root / "running.lock").unlink()
    coming.edit({"lib/libcore.so": b"patched in the meantime " * 9})
    outcome = coming.bench.updates.go_on(coming.install)
    assert outcome.waits
    waits = outcome.update.waits
    assert waits is not None and waits.options
    answer = next(option for option in waits.options if option not in ("arriving", "lay"))
    done = coming.bench.updates.go_on(coming.install, answers={waits.step: answer})
    assert not done.waits
    assert (coming.root / "lib/libcore.so").read_bytes().startswith(b"patched in the meantime")


TOOL = """
[[step]]
id = "convert"
do = "run the converter of the front end"
on = "the living-room box"
%s
[[step.prompt]]
asks = "delete originals?"
answer = "no"
"""


def after_the_tool(coming: Mock, does: Callable[[Path], object], more: str = "") -> Outcome:
    """The update once somebody else's tool was run in its step, which did something."""
    with_sheet(coming, TOOL % more)
    assert coming.update().waits
    does(coming.root)
    return coming.bench.updates.go_on(coming.install, done="convert")


def empties(path: str) -> Callable[[Path], object]:
    return lambda root: (root / path).write_bytes(b"")


def takes(path: str) -> Callable[[Path], object]:
    return lambda root: (root / path).unlink()


@pytest.mark.parametrize(
    ("path", "does"),
    [
        ("games/harbour.cart", empties),
        ("games/harbour.cart", takes),
        ("notes on harbour.txt", empties),
        ("saves/harbour.sav", takes),
    ],
)
def test_what_a_tool_did_to_what_is_mine_beyond_its_step_is_seen(
    coming: Mock, path: str, does: Callable[[str], Callable[[Path], object]]
) -> None:
    proof = after_the_tool(coming, does(path)).proof
    assert proof.verdict is Verdict.BROKEN, proof
    assert path in next(check.says for check in proof.checks if check.name == "accounted for")


@pytest.mark.parametrize(
    ("path", "does", "more"),
    [
        ("saves/harbour.sav", empties, ""),  # somebody plays on while it waits
        ("states/harbour.state", takes, ""),
        ("games/harbour.cart", empties, 'may-change = ["content"]'),
        ("games/harbour.cart", takes, 'may-remove = ["content"]'),
        ("saves/harbour.sav", takes, 'may-remove = ["saves"]'),
        ("games/harbour.cart", takes, 'gone = "games/harbour.cart"'),
    ],
)
def test_what_a_step_is_for_is_agreed_to_and_named(
    coming: Mock, path: str, does: Callable[[str], Callable[[Path], object]], more: str
) -> None:
    proof = after_the_tool(coming, does(path), more).proof
    assert proof.verdict is not Verdict.BROKEN, proof
    assert path in next(check.says for check in proof.checks if check.name == "accounted for")


def test_what_a_step_asks_and_where_it_is_done_stands_with_what_is_waited_for(coming: Mock) -> None:
    with_sheet(coming, TOOL % "")
    waits = coming.update().update.waits
    assert waits is not None and waits.on == "the living-room box"
    assert [(one.asks, one.answer) for one in waits.prompts] == [("delete originals?", "no")]


def test_giving_up_before_anything_is_laid_leaves_all_as_it_was(coming: Mock) -> None:
    with_sheet(coming, BOTH)
    plant(coming.root, {"running.lock": "1\n"}, mtime=LATER)
    before = coming.state()
    coming.update()
    assert coming.bench.updates.give_up(coming.install).state is State.ABANDONED
    assert coming.state() == before


def test_going_back_undoes_a_step_by_hand_in_its_turn(coming: Mock) -> None:
    with_sheet(coming, BOTH)
    before = coming.state()
    coming.update()
    plant(coming.root, {"lists/pier.list": "harbour\n"}, mtime=LATER)
    coming.bench.updates.go_on(coming.install)
    went = coming.bench.updates.back.go(coming.install)
    assert went.waits is not None
    run = coming.bench.records.open_run(coming.install)
    assert run is not None and run.waits is not None and run.waits.step == "undo-rescan"
    done = coming.bench.updates.go_on(coming.install, done="undo-rescan")
    assert done.proof.verdict is Verdict.INTACT
    assert coming.read("VERSION") == "1.0\n"
    assert {p: s for p, s in coming.state().items() if p.startswith("saves")} == {
        p: s for p, s in before.items() if p.startswith("saves")
    }


# ---------------------------------------------------------------- commands

COMMAND = """
[[step]]
id = "caches"
do = "have it build its caches"
appears = "cache/built"
command = ["./mocklet-caches", "--quietly"]
"""
BUILDS = "#!/bin/sh\nmkdir -p cache && echo built $1 > cache/built\n"


def commanded(mock: Mock, script: str = BUILDS) -> Mock:
    with_sheet(mock, COMMAND)
    mock.arrive(release("1.1", **{"mocklet-caches": script}))
    return mock


@SCRIPTS
def test_a_command_waits_until_it_was_allowed_and_then_runs_by_itself(mock: Mock) -> None:
    commanded(mock)
    outcome = mock.update()
    assert outcome.waits and not (mock.root / "cache/built").exists()
    assert outcome.update.waits is not None
    assert outcome.update.waits.command == ("./mocklet-caches", "--quietly")
    done = mock.bench.updates.go_on(mock.install, run="caches")
    assert done.proof.verdict is Verdict.INTACT
    assert mock.read("cache/built") == "built --quietly\n"
    mock.bench.updates.back.go(mock.install)
    (mock.root / "cache/built").unlink(missing_ok=True)
    assert not mock.update().waits  # these words were allowed for this install


@SCRIPTS
def test_a_command_that_runs_at_once_may_move_the_ground_too(mock: Mock) -> None:
    """Allowed before, it writes the settings as it closes the program: the merge is of what it wrote."""
    text = COMMAND.replace('"caches"', '"close"\nwhen = "before"').replace("cache/built", "closed")
    with_sheet(mock, text.replace("mocklet-caches", "mocklet-close"))
    mock.bench.surveys.set_baseline(mock.install, str(mock.base))
    closes = (
        "#!/bin/sh\necho 1 > closed\n[ -e first ] || exit 0\nprintf '[video]\\nscale = 7\\n' > mocklet.ini\n"
    )
    plant(mock.root, {"mocklet-close": closes}, mtime=LATER)
    (mock.root / "mocklet-close").chmod(0o755)
    mock.edit({"mocklet.ini": "[video]\nsmooth = off\nscale = 2\n"})
    mock.arrive(release("1.1", **{"mocklet.ini": "[video]\nsmooth = on\nscale = 2\nlines = 3\n"}))
    assert mock.update().waits
    assert mock.bench.updates.go_on(mock.install, run="close").proof.verdict is Verdict.INTACT
    mock.bench.updates.back.go(mock.install)
    (mock.root / "closed").unlink(missing_ok=True)
    plant(mock.root, {"first": "no\n"}, mtime=LATER)
    outcome = mock.update()
    assert not outcome.waits and outcome.proof.verdict is Verdict.INTACT
    said = mock.read("mocklet.ini")
    assert "scale = 7" in said and "lines = 3" in said


@SCRIPTS
def test_other_words_are_not_allowed_with_them(mock: Mock) -> None:
    commanded(mock)
    mock.update()
    mock.bench.updates.go_on(mock.install, run="caches")
    mock.bench.updates.back.go(mock.install)
    (mock.root / "cache/built").unlink(missing_ok=True)
    with_sheet(mock, COMMAND.replace("--quietly", "--everything"))
    assert mock.update().waits


@SCRIPTS
def test_a_command_that_fails_leaves_the_step_waiting(mock: Mock) -> None:
    commanded(mock, "#!/bin/sh\nexit 3\n")
    mock.update()
    assert mock.bench.updates.go_on(mock.install, run="caches").waits


@SCRIPTS
@pytest.mark.parametrize(
    "words",
    [["../outside"], ["way-out"], ["./way-out"], ["/bin/sh", "-c", "true"], ["no-such-program-anywhere"]],
)
def test_what_lies_outside_the_install_is_no_program_of_it(mock: Mock, words: list[str]) -> None:
    from left_intact.core.proving.run_step import run_step

    plant(mock.folder, {"outside": "#!/bin/sh\ntouch was-run\n"})
    (mock.folder / "outside").chmod(0o755)
    (mock.root / "way-out").symlink_to(mock.folder / "outside")
    assert not run_step(str(mock.root), words)
    assert not (mock.root / "was-run").exists()
    assert run_step(str(mock.root), ["sh", "-c", "exit 0"])  # a bare name may be one of the system's


def test_a_step_without_a_command_cannot_be_run(coming: Mock) -> None:
    with_sheet(coming, BOTH)
    coming.update()
    with pytest.raises(Misuse) as caught:
        coming.bench.updates.go_on(coming.install, run="rescan")
    assert caught.value.code == "no-command"


# ---------------------------------------------------------------- tests and workarounds

TRIED = """
[[test]]
title = "Harbour"
with = "plain.ini"
parts = ["cores/otter*"]

[[test]]
title = "Mill"
parts = ["cores/plover*"]

[[step]]
id = "calibrate"
do = "calibrate the pads"
parts = ["cores/plover*"]
"""


def test_how_it_is_tried_goes_by_the_part_that_changes(tmp_path: Path) -> None:
    house = House(tmp_path)
    with_sheet(house, TRIED)
    plan = house.plan(house.comes("otter-machine-1.4.0.so", core("otter", "1.4.0")))
    assert stages(plan) == ["lay", "test-1"]
    step = plan.stages[1]
    assert isinstance(step, ManualStep)
    assert step.asks == "try cores/otter-machine.so: start Harbour with plain.ini"
    assert step.may_skip


def test_a_part_is_tried_and_the_update_ends(tmp_path: Path) -> None:
    house = House(tmp_path)
    with_sheet(house, TRIED)
    outcome: Outcome = house.update(house.comes("otter-machine-1.4.0.so", core("otter", "1.4.0")))
    assert outcome.waits
    done = house.bench.updates.go_on(house.install, skip="test-1")
    assert done.proof.verdict is Verdict.INTACT


@pytest.mark.parametrize(
    ("here", "to", "offered"),
    [
        ("5.0", "5.4", True),
        ("5.1", "5.6", True),
        ("5.4", "5.6", False),
        ("4.8", "5.4", False),
        ("5.1", "5.2", False),
    ],
)
def test_a_workaround_is_offered_to_be_dropped_once_and_in_time(here: str, to: str, offered: bool) -> None:
    text = 'format = 1\n[[workaround]]\nwhat = "frame limit off"\nfrom = "5.0"\nuntil = "5.4"\n'
    _, after = around(parse_sheet(text, "it"), ["x"], here=here, to=to)
    assert bool(after) is offered
    assert not after or "frame limit off" in after[0].asks


# ---------------------------------------------------------------- the sheet


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ('[[step]]\ndo = "x"\ngone = "a"\nappears = "b"\n', "only one of"),
        ('[[step]]\ndo = "x"\nfile = "a.ini"\n', "needs a key"),
        ('[[step]]\ndo = "x"\ngone = "../out"\n', "below the install"),
        ('[[step]]\ndo = "x"\nwhen = "sometimes"\n', "when"),
        ('[clear]\nbecause = ""\n', "because"),
        ('[clear]\nbecause = "x"\nghost = "/etc"\n', "a path from the install"),
        ('[[workaround]]\nwhat = "x"\nuntill = "2"\n', "untill"),
    ],
)
def test_a_sheet_with_a_fault_is_refused_in_one_line(text: str, says: str) -> None:
    with pytest.raises(LeftIntactError) as caught:
        parse_sheet("format = 1\n" + text, "it")
    assert caught.value.code == "bad-sheet"
    assert says in caught.value.says


def test_a_given_sheet_adds_its_steps_to_mine() -> None:
    from left_intact.core.keepsheet.learn import merged

    text, differ = merged("format = 1\n" + BOTH, "format = 1\n" + TRIED + '[clear]\nbecause = "x"\n')
    sheet = parse_sheet(text, "it")
    assert [step.id for step in sheet.steps] == ["close", "rescan", "calibrate"]
    assert len(sheet.tests) == 2
    assert sheet.clear is not None
    assert not differ
    assert merged(text, 'format = 1\n[clear]\nbecause = "y"\n')[1] == ["[clear] says something else there"]


@pytest.fixture
def mock(tmp_path: Path) -> Mock:
    return Mock(tmp_path)
