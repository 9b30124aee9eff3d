"""One plan of three roots and two arrivals that waits for a step by hand: carried out, waited for, proven,
gone back.
"""

from __future__ import annotations

import os
import shutil
import signal
import tempfile
from collections.abc import Callable, Iterator
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest

from left_intact.core.carrying.chain import carry_out
from left_intact.core.carrying.journal import Journal
from left_intact.core.carrying.roots import Roots
from left_intact.core.carrying.steps import steps_of
from left_intact.core.files import place
from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Entry, Kind
from left_intact.core.model.errors import LeftIntactError
from left_intact.core.model.place import At
from left_intact.core.model.plan import DrawnStage, Move, Question, Verb
from left_intact.core.model.progress import Progress
from left_intact.core.model.proof import Verdict
from left_intact.core.model.stages import (
    ChangeSet,
    Consent,
    DeferredStage,
    FromStrongbox,
    ManualCheck,
    ManualStep,
    OnFailure,
    Sign,
)
from left_intact.core.model.unchanged import Unchanged
from left_intact.core.model.update import StageState, State
from left_intact.core.planning.deferred import Situation
from tests import disks
from tests.builders import BUILT, LATER, file_at, plant
from tests.chains import PLANNER, SAVES, MadeUp, in_child, with_later

WHERE = ("same", "other", "bare")
"""The strongbox on the same file system, on another; and without handles and exchanges, as other systems
are.
"""
BARE = place.Able(handles=False, exchange=False, no_replace=False)


@pytest.fixture(params=WHERE)
def made(request: pytest.FixtureRequest, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[MadeUp]:
    if request.param == "bare":
        disks.lacking(monkeypatch, BARE)
    with tempfile.TemporaryDirectory(dir="/dev/shm" if os.access("/dev/shm", os.W_OK) else None) as memory:
        quick = Path(memory)
        if request.param != "other":
            yield MadeUp(quick / "all")
            return
        other = tmp_path / "elsewhere"
        other.mkdir()
        if os.stat(other).st_dev == os.stat(memory).st_dev:
            pytest.skip("there is only one file system here")
        yield MadeUp(quick / "all", other)


def _carry(made: MadeUp, report: Callable[[Progress], None] = lambda p: None) -> Any:
    return made.bench.updates.update(made.plan(), made.install, report=report)


def test_carried_out_waited_for_over_a_restart_proven_and_gone_back(made: MadeUp) -> None:
    before = made.state()
    outcome = _carry(made)
    assert outcome.waits and outcome.update.state is State.WAITING
    waits = outcome.update.waits
    assert waits is not None and waits.step == "start-once" and "folder for its saves" in waits.why
    row = made.bench.shelf.rows()[0]
    assert row.state is State.WAITING and row.waits == waits
    updates = made.bench.updates
    for refused in (updates.settle, updates.prove, updates.back.draw):
        with pytest.raises(LeftIntactError) as error:
            refused(made.install)
        assert error.value.code == "waiting" and "start Mocklet once" in error.value.line()
    again = made.bench.updates.go_on(made.install)
    assert again.waits and again.update.waits == waits  # it looked, and it was not done
    made.start_once()
    done = made.bench.updates.go_on(made.install)
    assert done.update.state is State.ON_TRIAL and done.proof.verdict is Verdict.INTACT, done.proof
    assert (made.saves / "b044/kept.blk").read_bytes() == b"\x01" * 700 and not (
        made.root / "memory/harbour.sav"
    ).exists()
    assert (made.new / "memory/mill.sav").read_bytes() == b"\x02" * 700 and (
        made.new / "memory/old.blk"
    ).exists()
    assert (made.root / "was").read_text() == "now a file\n" and (made.root / "turns/inside.txt").exists()
    counts = done.proof.counts
    assert (
        counts[Verb.CARRY] == 2
        and counts[Verb.REHOME] == 1
        and counts[Verb.MERGE] == 1
        and not done.proof.lost
    )
    back = made.bench.updates.back.go(made.install)
    assert not back.missing and not back.kept
    assert made.state() == before
    assert back.proof is not None and back.proof.verdict is Verdict.INTACT
    assert made.bench.records.history(made.install)[0].state is State.GONE_BACK
    assert not list(made.folder.rglob("annex-*")) and not list(made.folder.rglob("work-*"))


def test_every_change_gives_a_step(made: MadeUp) -> None:
    """A move that changes something and yields no step is a fault."""

    plan = made.plan()
    with Roots(plan.roots) as roots:
        steps = {step.at: step for step in steps_of(plan.change_sets[0], roots)}
    for move in plan.changes:
        assert move.at in steps
        step = steps[move.at]
        assert step.before == move.before and (step.after == move.after or step.after is not None)
    assert len(steps) == len(set(steps))


# ---------------------------------------------------------------- kill -9, everywhere


class Points:
    """Counts the reports of one phase, or kills at one of them."""

    def __init__(self, kill_at: int = 0) -> None:
        self.seen, self.kill_at = 0, kill_at

    def __call__(self, progress: Progress) -> None:
        if progress.stage in ("reading", "sorting"):
            return
        self.seen += 1
        if self.seen == self.kill_at:
            os.kill(os.getpid(), signal.SIGKILL)


def _carry_only(made: MadeUp, plan: Any, report: Points) -> None:
    carry_out(
        plan,
        made.box,
        made.bench.updates.back.outside(made.install),
        install_id=str(made.install.id),
        report=report,
    )


def _files(state: dict[str, Any]) -> dict[str, Any]:
    return {label: {p: s for p, s in tree.items() if not p.endswith("/")} for label, tree in state.items()}


def _same(made: MadeUp, expected: dict[str, Any], where: object) -> None:
    assert _files(made.state()) == _files(expected), where
    assert made.state().keys() == expected.keys(), where


def _recovered(made: MadeUp, forward: bool, killed_at: int, where: object) -> None:
    """Recover; with `killed_at` the recovery is killed too, and another one ends it."""
    if killed_at:
        in_child(lambda: made.bench.updates.recover(made.install, forward, Points(killed_at)))
    if made.bench.shelf.interrupted():
        made.bench.updates.recover(made.install, forward)
    assert not made.bench.shelf.interrupted(), where


PARTS = 4


@pytest.mark.sampled(1)
@pytest.mark.parametrize("part", range(PARTS))
def test_killed_at_every_step_of_the_first_stage(made: MadeUp, part: int) -> None:
    before, plan, safe = made.state(), made.plan(), made.folder.parent / "safe"
    made.copy_to(safe)
    counted = Points()
    _carry_only(made, plan, counted)
    waiting = made.state()
    assert counted.seen > 30
    crashed = made.folder.parent / "crashed"
    for number in range(1 + part, counted.seen + 1, PARTS):
        made.back_from(safe)
        assert in_child(lambda n=number: _carry_only(made, plan, Points(n))) == signal.SIGKILL
        made.copy_to(crashed)
        _recovered(made, True, number % 5, number)
        assert made.bench.records.history(made.install)[0].state is State.WAITING
        _same(made, waiting, number)
        made.back_from(crashed)
        _recovered(made, False, number % 7, number)
        _same(made, before, number)


@pytest.mark.sampled(1)
@pytest.mark.parametrize("part", range(PARTS))
def test_killed_at_every_step_behind_the_hand_step(made: MadeUp, part: int) -> None:
    _carry_only(made, made.plan(), Points())
    made.start_once()
    started, safe, crashed = made.state(), made.folder.parent / "safe", made.folder.parent / "crashed"
    made.copy_to(safe)
    counted = Points()
    made.bench.updates.go_on(made.install, report=counted)
    done = made.state()
    assert counted.seen > 6
    for number in range(1 + part, counted.seen + 1, PARTS):
        made.back_from(safe)
        in_child(lambda n=number: made.bench.updates.go_on(made.install, report=Points(n)))
        made.copy_to(crashed)
        if made.bench.shelf.interrupted():
            _recovered(made, False, number % 3, number)
            _same(made, started, number)
            assert made.bench.records.history(made.install)[0].state is State.WAITING
            assert made.bench.updates.go_on(made.install).proof.verdict is Verdict.INTACT
            _same(made, done, number)
            made.back_from(crashed)
            _recovered(made, True, number % 4, number)
        _same(made, done, number)
        assert made.bench.updates.prove(made.install).proof.verdict is Verdict.INTACT


@pytest.mark.sampled(1)
@pytest.mark.parametrize("part", range(PARTS))
def test_going_back_killed_at_every_step(made: MadeUp, part: int) -> None:
    before = made.state()
    _carry_only(made, made.plan(), Points())
    made.start_once()
    made.bench.updates.go_on(made.install)
    done, safe, crashed = made.state(), made.folder.parent / "safe", made.folder.parent / "crashed"
    made.copy_to(safe)
    plan, counted = made.bench.updates.back.draw(made.install), Points()
    _carry_only(made, plan, counted)
    assert made.state() == before and counted.seen > 30
    for number in range(1 + part, counted.seen + 1, PARTS):
        made.back_from(safe)
        plan = made.bench.updates.back.draw(made.install)  # the root that was made is another folder now
        assert in_child(lambda p=plan, n=number: _carry_only(made, p, Points(n))) == signal.SIGKILL
        made.copy_to(crashed)
        _recovered(made, False, number % 5, number)
        _same(made, before, number)
        made.back_from(crashed)
        _recovered(made, True, number % 6, number)
        _same(made, done, number)
        assert made.bench.records.history(made.install)[0].state is State.ON_TRIAL


# ---------------------------------------------------------------- a root that is removed, and laid again by
# somebody else


def _put_back_saves(situation: Any) -> DrawnStage:
    """The stubs that a first start wrote give way to what was made safe before."""
    wanted = dict(situation.context)
    moves = []
    for path, digest in sorted(wanted.items()):
        lies = situation.tree.get(At("", path))
        before = lies[0] if lies else None
        after = Entry(path=path, bytes=700, digest=digest, mode=0o644, mtime_ns=BUILT * 10**9)
        verb = Verb.REPLACE if before else Verb.ADD
        moves.append(
            Move(
                at=At("", path),
                verb=verb,
                file_class=FileClass.SAVES,
                because="yours",
                before=before,
                after=after,
                source=FromStrongbox(digest),
            )
        )
    return DrawnStage(change_set=ChangeSet(moves=tuple(moves)))


def test_a_root_may_vanish_and_come_back_as_another_folder(tmp_path: Path) -> None:
    """Made safe, removed by hand, laid by somebody else, saves put back; and all of it taken back, byte for
    byte.
    """
    with_later("put-back-saves", _put_back_saves)
    made = MadeUp(tmp_path / "all")
    before, plan = made.state(), made.plan()
    safe = tuple(
        Move(
            at=at,
            verb=Verb.KEEP,
            file_class=FileClass.SAVES,
            because="made safe",
            before=e,
            after=e,
            safeguard=True,
        )
        for at, e in sorted(made.entries().items())
        if not at.root and e.kind is not Kind.FOLDER
    )
    saves = {
        m.at.path: m.before.digest for m in safe if m.before is not None and m.at.path.startswith("memory/")
    }
    gone = ManualStep(
        id="remove",
        asks="remove Mocklet",
        why="it refuses another one over it",
        rebinds=("",),
        check=ManualCheck(sign=Sign.GONE),
    )
    laid = ManualStep(
        id="lay",
        asks="lay 1.1 and start it once",
        why="it makes its folders",
        rebinds=("",),
        check=ManualCheck(sign=Sign.APPEARS, at=At("", "VERSION")),
    )
    consent = Consent(
        roots=("",),
        classes=(FileClass.SAVES, FileClass.UNSORTED),
        verbs=(Verb.REPLACE, Verb.ADD),
        bytes=9_000,
    )
    back = DeferredStage(planner="put-back-saves", intends="put yours back", consent=consent, context=saves)
    roots = plan.roots[:1]
    plan = replace(
        plan, roots=roots, kept=Unchanged(), stages=(ChangeSet(moves=safe), gone, laid, back), arrivals=()
    )
    assert made.bench.updates.update(plan, made.install).update.waits.step == "remove"
    assert made.bench.records.strongbox(made.install).folder.startswith(made.home)  # where no removal reaches
    shutil.rmtree(made.root.parent)
    bench = made.bench
    assert (
        bench.shelf.rows()[0].missing
        and bench.shelf.rows()[0].waits is not None
        and bench.shelf.interrupted() == []
    )
    assert bench.updates.go_on(made.install).update.waits.step == "lay"
    assert bench.updates.go_on(made.install).waits  # days may pass
    plant(
        made.root, {"mocklet": '#!/bin/sh\nVERSION="1.1"\n', "VERSION": "1.1\n", "memory/mill.sav": b"stub"}
    )
    done = bench.updates.go_on(made.install)
    assert done.update.state is State.ON_TRIAL
    assert (made.root / "memory/mill.sav").read_bytes() == b"\x02" * 700 and (
        made.root / "memory/harbour.sav"
    ).exists()
    # This planner puts the saves back and nothing else: what was made safe and lies nowhere is missed.
    assert done.proof.verdict is Verdict.BROKEN
    missed = {
        m.at.path for m in safe if not m.at.path.startswith("memory/") and m.at.path not in done.proof.altered
    }
    assert set(done.proof.lost) <= missed and "art/harbour.png" in done.proof.lost
    assert bench.updates.prove(made.install).proof.lost == done.proof.lost
    plant(made.saves, SAVES, mtime=LATER)
    gone_back = bench.updates.back.go(made.install)
    assert gone_back.proof is not None and gone_back.proof.verdict is Verdict.INTACT and not gone_back.missing
    now = made.state()[""]
    assert {p: s for p, s in now.items() if not p.endswith("/")} == {
        p: s for p, s in before[""].items() if not p.endswith("/")
    }


def test_a_service_that_moves_saves_while_an_update_waits(made: MadeUp) -> None:
    """What it moved stays where it put it, afterwards and after going back; nobody takes it for ours."""
    _carry(made)
    mine = (made.saves / "index").read_bytes()
    (made.saves / "index").rename(made.saves / "index (from the handheld)")
    (made.saves / "new from afar.blk").write_bytes(b"\x09" * 77)
    made.start_once()
    done = made.bench.updates.go_on(made.install)
    assert done.update.state is State.ON_TRIAL and not done.proof.lost and not done.proof.altered
    assert (made.saves / "index (from the handheld)").read_bytes() == mine
    made.bench.updates.back.go(made.install)
    kept = (made.folder, made.box_at or made.folder)
    there = [path.read_bytes() for one in kept for path in one.rglob("*") if path.is_file()]
    assert mine in there and b"\x09" * 77 in there


def test_only_the_step_that_is_waited_for_can_be_said_to_be_done(made: MadeUp) -> None:
    _carry(made)
    before = made.state()
    updates = made.bench.updates
    for words, code in (
        ({"done": "another"}, "unknown-step"),
        ({"skip": "another"}, "unknown-step"),
        ({"answers": {"start-once": "yes"}}, "unknown-answer"),
        ({"skip": "start-once"}, "cannot-skip"),
    ):
        with pytest.raises(LeftIntactError) as error:
            updates.go_on(made.install, **words)  # type: ignore[arg-type]
        assert error.value.code == code, words
        assert made.state() == before and made.bench.records.history(made.install)[0].state is State.WAITING
    # A step that can be seen is not done because somebody says so.
    with pytest.raises(LeftIntactError) as error:
        updates.go_on(made.install, done="start-once")
    assert error.value.code == "not-done-yet" and made.state() == before


def test_what_is_given_up_where_it_waits_stays_on_trial_and_goes_back(made: MadeUp) -> None:
    before = made.state()
    _carry(made)
    update = made.bench.updates.give_up(made.install)
    assert update.state is State.ON_TRIAL
    assert made.bench.updates.prove(made.install).proof.lost == ()
    with pytest.raises(LeftIntactError) as error:
        made.bench.updates.go_on(made.install)
    assert error.value.code == "nothing-waits"
    back = made.bench.updates.back.go(made.install)
    assert back.update.state is State.GONE_BACK and made.state() == before


def test_a_stage_that_is_drawn_later_may_ask(tmp_path: Path) -> None:
    made = MadeUp(tmp_path / "all")
    question = Question(
        id="which", asks="which of two?", options=("one", "two"), leads_to=("one", "two"), default="one"
    )

    def draws(situation: Situation) -> DrawnStage:
        answered = replace(question, answer=situation.answers.get("which"))
        return DrawnStage(change_set=ChangeSet(moves=()), questions=(answered,))

    with_later(PLANNER, draws)
    made.bench.updates.update(made.plan(), made.install)
    made.start_once()
    asked = made.bench.updates.go_on(made.install).update
    assert asked.state is State.WAITING and asked.waits is not None
    assert (asked.waits.step, asked.waits.options) == ("which", ("one", "two"))
    ended = made.bench.updates.go_on(made.install, answers={"which": "two"}).update
    assert ended.state is State.ON_TRIAL


class Falls:
    """A planner of a later stage whose bytes are nowhere."""

    def __call__(self, situation: Situation) -> DrawnStage:
        gone = file_at("b044/kept.blk", "dd", stamp=(0, 0, 0))
        move = Move(
            at=At("new", "fallen.blk"),
            verb=Verb.CARRY,
            file_class=FileClass.SAVES,
            because="made up",
            after=gone,
            source=FromStrongbox(gone.digest),
        )
        return DrawnStage(change_set=ChangeSet(moves=(move,)))


@pytest.mark.parametrize("keep", [True, False])
def test_a_later_stage_that_fails_is_waited_for_or_given_up_with_those_behind_it(
    tmp_path: Path, keep: bool
) -> None:
    made = MadeUp(tmp_path / "all")
    with_later(PLANNER, Falls())
    plan = made.plan(on_failure=OnFailure.KEEP if keep else OnFailure.UNDO)
    plan = replace(plan, stages=(*plan.stages, plan.stages[-1]))
    made.bench.updates.update(plan, made.install)
    made.start_once()
    with pytest.raises(LeftIntactError):
        made.bench.updates.go_on(made.install)
    with Journal(made.box.journal_path) as journal:
        states = [stage.state for stage in journal.stages(1)]
        update = journal.update(1)
    if keep:
        assert states[2:] == [StageState.GIVEN_UP, StageState.GIVEN_UP] and update.state is State.ON_TRIAL
    else:
        assert update.state is State.WAITING and update.waits is not None
        assert update.waits.step == "stage-3" and states[3] is StageState.PLANNED
