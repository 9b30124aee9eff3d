"""Updates that wait, from the command line: what is waited for and why, going on, giving up, going back as
a plan.
"""

from __future__ import annotations

import errno
from pathlib import Path
from typing import Any

import pytest

from left_intact.core.model.errors import LeftIntactError
from left_intact.core.model.stages import ChangeSet, ManualCheck, ManualStep, OnFailure, Sign
from left_intact.core.model.unchanged import Unchanged
from left_intact.core.model.update import State
from tests import disks
from tests.chains import MadeUp
from tests.cli.test_commands import Line


@pytest.fixture
def line(tmp_path: Path, capfd: pytest.CaptureFixture[str]) -> Line:
    made = MadeUp(tmp_path / "all")
    made.bench.updates.update(made.plan(), made.install)
    return Line(made, capfd)  # type: ignore[arg-type]


def test_what_is_waited_for_is_said_everywhere(line: Line) -> None:
    out, _ = line("shelf")
    assert "[waiting]" in out and "waits for you: start Mocklet once" in out and "makes the folder" in out
    row = line.json("shelf")["installs"][0]
    assert row["state"] == "waiting" and row["waits_for"]["step"] == "start-once"
    for words in (
        ["prove", "mocklet"],
        ["settle", "mocklet"],
        ["go-back", "mocklet"],
        ["update", "mocklet", str(line.mock.one)],
        ["plan", "mocklet", str(line.mock.one)],
    ):
        _, err = line(*words, code=3)
        assert "waits for you: start Mocklet once" in err and "go-on" in err


def test_going_on_looks_first_and_then_carries_on(line: Line) -> None:
    said = line.json("go-on", "mocklet", code=1)
    assert said["waits_for"] == {
        "step": "start-once",
        "asks": "start Mocklet once, then close it",
        "why": "it makes the folder for its saves",
        "may_skip": False,
        "can_be_seen": True,
        "options": [],
        "command": [],
        "sees": "it goes on by itself once started is there",
    }
    out, _ = line("go-on", "mocklet", code=1)
    assert out.startswith("WAITS") and "start Mocklet once" in out
    _, err = line("go-on", "mocklet", "--done", "start-once", code=3)
    assert "cannot be seen that this was done" in err
    _, err = line("go-on", "mocklet", "--skip", "start-once", code=3)
    assert "cannot be left out" in err
    line("go-on", "mocklet", "--done", "another", code=2)
    line("go-on", "mocklet", "--done", "a", "--skip", "b", code=2)
    line.mock.start_once()
    assert line.json("go-on", "mocklet")["verdict"] == "intact"
    _, err = line("go-on", "mocklet", code=3)
    assert "no update waits" in err


def test_going_back_is_shown_before_it_is_done(line: Line) -> None:
    line.mock.start_once()
    line("go-on", "mocklet")
    now = line.mock.state()
    plan = line.json("go-back", "mocklet", "--plan")
    assert {m["verb"] for m in plan["moves"]} >= {"replace", "add", "retire", "keep"} and plan[
        "to_version"
    ] == "1.0"
    assert plan["stages"] == [
        {"kind": "carry", "changes": sum(m["verb"] not in ("keep",) for m in plan["moves"]), "intends": None}
    ]
    assert line.mock.state() == now
    said = line.json("go-back", "mocklet")
    assert (
        said["verdict"] == "intact" and said["missing"] == [] and said["proof"]["version"]["after"] == "1.0"
    )
    _, err = line("go-back", "mocklet", code=3)
    assert "no update on trial" in err


def test_giving_up_leaves_what_is_in_force_on_trial(line: Line) -> None:
    line.mock.start_once()
    assert line.json("give-up", "mocklet") == {"install": "Mocklet", "state": "on-trial", "to_version": "1.1"}
    proof = line.json("prove", "mocklet")
    assert proof["verdict"] == "intact" and not proof["lost"] and not proof["appeared"]
    line("give-up", "mocklet", code=3)
    line("go-back", "mocklet")
    assert (line.mock.root / "VERSION").read_text() == "1.0\n" and not line.mock.new.exists()


def test_a_step_that_cannot_be_seen_is_said(tmp_path: Path, capfd: pytest.CaptureFixture[str]) -> None:
    made = MadeUp(tmp_path / "all")
    plan = made.plan(hand=False)
    step = ManualStep(
        id="restart",
        asks="restart the handheld",
        why="it reads its list only then",
        may_skip=True,
        check=ManualCheck(sign=Sign.SAID),
    )
    for word in ("--done", "--skip"):
        before = made.state()
        from dataclasses import replace

        made.bench.updates.update(replace(made.plan(hand=False), stages=(*plan.stages, step)), made.install)
        line = Line(made, capfd)  # type: ignore[arg-type]
        out, _ = line("go-on", "mocklet", code=1)
        assert "--done restart" in out
        assert line.json("go-on", "mocklet", word, "restart")["verdict"] == "intact"
        line("go-back", "mocklet")
        assert made.state() == before


def test_a_step_by_hand_is_undone_by_hand(tmp_path: Path, capfd: pytest.CaptureFixture[str]) -> None:
    """Going back in reverse: what came after it, the step that undoes it, and the rest on the tree as it
    lies then.
    """
    from dataclasses import replace

    made = MadeUp(tmp_path / "all")
    before, plan = made.state(), made.plan()
    hand = plan.stages[1]
    assert isinstance(hand, ManualStep)
    undo = ManualStep(
        id="take-out",
        asks="take the mark out",
        why="only the program may",
        check=ManualCheck(sign=Sign.GONE, at=hand.check.at),
    )
    made.bench.updates.update(
        replace(plan, stages=(plan.stages[0], replace(hand, back=undo), plan.stages[2])), made.install
    )
    made.start_once()
    made.bench.updates.go_on(made.install)
    line = Line(made, capfd)  # type: ignore[arg-type]
    stages = line.json("go-back", "mocklet", "--plan")["stages"]
    assert [s["kind"] for s in stages] == ["carry", "hand", "later"]
    said = line.json("go-back", "mocklet", code=1)
    assert said["waits_for"]["step"] == "take-out"
    assert (made.root / "VERSION").read_text() == "1.1\n" and not (made.new / "memory/old.blk").exists()
    assert line.json("shelf")["installs"][0]["state"] == "waiting"
    (made.root / "started").unlink()
    assert line.json("go-on", "mocklet")["verdict"] == "intact"
    assert made.state() == before and made.bench.records.history(made.install)[0].state is State.GONE_BACK


def test_what_goes_beyond_the_consent_is_asked(tmp_path: Path, capfd: pytest.CaptureFixture[str]) -> None:
    from dataclasses import replace

    made = MadeUp(tmp_path / "all")
    plan = made.plan()
    later = plan.stages[2]
    narrow = replace(later, consent=replace(later.consent, roots=("saves",)))  # type: ignore[union-attr, type-var]
    made.bench.updates.update(replace(plan, stages=(*plan.stages[:2], narrow)), made.install)
    made.start_once()
    line = Line(made, capfd)  # type: ignore[arg-type]
    said = line.json("go-on", "mocklet", code=1)["waits_for"]
    assert said["options"] == ["lay", "leave"] and "was not spoken of" in said["why"]
    answers = tmp_path / "answers.toml"
    answers.write_text(f'[answers]\n{said["step"]} = "perhaps"\n')
    line("go-on", "mocklet", "--answers", str(answers), code=2)
    answers.write_text(f'[answers]\n{said["step"]} = "lay"\n')
    assert line.json("go-on", "mocklet", "--answers", str(answers))["verdict"] == "intact"
    assert (made.new / "memory/old.blk").exists()


def test_a_stage_that_fails_keeps_or_undoes_those_before_it(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    from dataclasses import replace

    for way in OnFailure:
        made = MadeUp(tmp_path / way.value)
        before, plan = made.state(), made.plan(hand=False, on_failure=way)
        moves = plan.change_sets[0].moves
        first = tuple(m for m in moves if m.at.path in ("VERSION", "lib/core.so"))
        second = ChangeSet(moves=tuple(m for m in moves if m.at.path in ("mocklet",)))
        third = ChangeSet(moves=tuple(m for m in moves if m.at.path in ("mocklet.ini",)))
        chosen = {m.at for m in (*first, *second.moves, *third.moves)}
        stays = tuple(
            replace(m, after=m.before) for m in moves if m.at not in chosen and m.before is not None
        )
        plan = replace(
            plan, stages=(ChangeSet(moves=first), second, third), kept=Unchanged(rest=(*plan.kept, *stays))
        )
        with monkeypatch.context() as patch, pytest.raises(LeftIntactError) as error:
            disks.at_the_change(patch, made.root, "mocklet", disks.fails(errno.ENOSPC))
            made.bench.updates.update(plan, made.install)
        if way is OnFailure.UNDO:
            assert made.state() == before and "nothing was changed" in error.value.line()
            assert made.bench.records.history(made.install)[0].state is State.ABANDONED
            continue
        assert error.value.code == "stopped-half-way" and "1 of 3 stages" in error.value.line()
        assert (made.root / "VERSION").read_text() == "1.1\n" and b"1.0" in (
            made.root / "mocklet"
        ).read_bytes()
        assert made.bench.records.history(made.install)[0].state is State.ON_TRIAL
        made.bench.updates.back.go(made.install)
        assert made.state() == before


@pytest.mark.parametrize("forward", [True, False])
def test_killed_while_the_stages_before_a_failed_one_are_undone(tmp_path: Path, forward: bool) -> None:
    """Three stages, the third fails, and the undoing of the others is killed: ended either way, whole."""
    from dataclasses import replace

    from left_intact.core.model.proof import Verdict
    from tests.chains import KillAt, in_child

    for number in (1, 2, 3):
        made = MadeUp(tmp_path / f"{forward}{number}")
        before, plan = made.state(), made.plan(hand=False)
        moves = plan.change_sets[0].moves
        parts = (("VERSION", "lib/core.so"), ("mocklet", "lib/newest"), ("mocklet.ini",))
        stages = tuple(ChangeSet(moves=tuple(m for m in moves if m.at.path in part)) for part in parts)
        chosen = {m.at for stage in stages for m in stage.moves}
        stays = tuple(
            replace(m, after=m.before) for m in moves if m.at not in chosen and m.before is not None
        )
        plan = replace(plan, stages=stages, kept=Unchanged(rest=(*plan.kept, *stays)))

        def killed(made: MadeUp = made, plan: Any = plan, number: int = number) -> None:
            disks.at_the_change(None, made.root, "mocklet.ini", disks.fails(errno.ENOSPC))
            kill = KillAt(number)
            made.bench.updates.update(
                plan, made.install, report=lambda p: kill(p) if p.stage == "going back" else None
            )

        assert in_child(killed)
        made.bench.updates.recover(made.install, forward)
        if forward:
            proof = made.bench.updates.prove(made.install).proof
            assert (made.root / "VERSION").read_text() == "1.1\n" and b"1.1" in (
                made.root / "mocklet"
            ).read_bytes()
            assert b"lines = 3" in (made.root / "mocklet.ini").read_bytes()
            assert proof.verdict is Verdict.INTACT, proof
            made.bench.updates.back.go(made.install)
        assert made.state() == before
