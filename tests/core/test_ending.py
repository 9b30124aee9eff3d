"""What ending a run looks at first, and what it leaves on record."""

from __future__ import annotations

import signal
from dataclasses import replace
from pathlib import Path

import pytest

from left_intact.core.carrying.heads import make_journal
from left_intact.core.carrying.journal import Journal
from left_intact.core.carrying.recovery import housekeeping, rebound
from left_intact.core.files.identity import identity_of
from left_intact.core.model.errors import LeftIntactError, Misuse
from left_intact.core.model.place import Root
from left_intact.core.model.stages import ManualCheck, Sign
from left_intact.core.model.update import RunKind, StageState, State, WaitsFor
from tests.builders import LATER, LINKS, Mock, plant, release
from tests.chains import HAND, MadeUp, asking, in_child, while_unpacking


def stands(made: MadeUp) -> tuple[State, list[StageState]]:
    with Journal(made.box.journal_path) as journal:
        return journal.update(1).state, [stage.state for stage in journal.stages(1)]


@LINKS
def test_a_going_back_is_not_even_drawn_where_a_root_became_a_link(made: MadeUp) -> None:
    made.begin(made.plan(hand=False))
    made.bench.updates.back.draw(made.install)
    made.saves.rename(made.folder / "away")
    made.saves.symlink_to(made.folder / "away")
    with pytest.raises(LeftIntactError) as error:
        made.bench.updates.back.draw(made.install)
    assert error.value.code == "root-replaced" and error.value.path == str(made.saves)


def test_a_run_that_waits_was_not_cut_off(made: MadeUp) -> None:
    made.begin(made.plan())
    lies, there = made.state(), stands(made)
    for forward in (True, False, None):
        with pytest.raises(LeftIntactError) as error:
            made.bench.updates.recover(made.install, forward)
        assert error.value.code == "nothing-to-recover"
    assert (made.state(), stands(made)) == (lies, there)


def test_an_answer_to_another_question_is_no_answer(made: MadeUp) -> None:
    made.begin(asking(made))
    made.start_once()
    updates = made.bench.updates
    assert updates.go_on(made.install).waits
    lies = made.state()
    for answers in ({"stage-9": "lay"}, {"stage-3": "what"}):
        with pytest.raises(Misuse) as error:
            updates.go_on(made.install, answers=answers)
        assert error.value.code == "unknown-answer" and made.state() == lies


def test_of_an_update_before_the_last_that_was_settled_only_what_is_held_is_on_record(mock: Mock) -> None:
    for version in ("1.1", "1.2"):
        arriving = release(version)
        arriving["mocklet.ini"] = f"{arriving['mocklet.ini']}deep = {version[-1]}\n"
        mine = mock.read("mocklet.ini").replace("smooth = on", "smooth = off")
        plant(mock.root, {"mocklet.ini": mine}, mtime=LATER)
        mock.arrive(arriving, f"mocklet-{version}")
        mock.update()
        mock.bench.updates.settle(mock.install)
    box = mock.bench.records.strongbox(mock.install)
    with Journal(box.journal_path) as journal:
        first, last = ({step.at.path for step in journal.steps(number)} for number in (1, 2))
    assert "mocklet" in last and "mocklet" not in first and "mocklet.ini" in first


def test_a_root_is_known_by_what_lies_at_its_place_now(tmp_path: Path) -> None:
    known = Root(label="", place=str(tmp_path / "before"), identity=(1, 2))
    assert rebound(known, str(tmp_path)).identity == identity_of(str(tmp_path))
    gone = rebound(known, str(tmp_path / "gone"))
    assert (gone.identity, gone.place) == ((1, 2), str(tmp_path / "gone"))


def test_between_two_stages_a_root_that_a_step_took_away_is_not_waited_for(made: MadeUp) -> None:
    """Cut off right after a step by hand, whose very point may be that a folder is gone."""
    made.begin(made.plan())
    made.start_once()
    made.saves.rename(made.folder / "away")
    with Journal(made.box.journal_path) as journal:
        journal.set_stage(1, 2, StageState.DONE)
        journal.set_stage(1, 3, StageState.SKIPPED)
        journal.set_state(1, State.CARRYING)
    assert made.bench.updates.recover(made.install, True).state is State.ON_TRIAL


def test_a_single_stage_that_was_put_back_is_taken_up_again(made: MadeUp) -> None:
    """Cut off after it was put back, before that was said: its steps are in the journal, and only there."""
    before = made.state()
    made.begin(made.plan(hand=False))
    laid = made.state()
    made.bench.updates.back.go(made.install)
    assert made.state() == before
    with Journal(made.box.journal_path) as journal:
        journal.set_state(2, State.ABANDONED)
        journal.set_state(1, State.PUTTING_BACK, stage=(1, StageState.UNDONE))
    recover = made.bench.updates.recover
    assert in_child(lambda: recover(made.install, True, report=while_unpacking)) == signal.SIGKILL
    with Journal(made.box.journal_path) as journal:
        assert [stage.state for stage in journal.stages(1)] == [StageState.STAGING]
    assert recover(made.install, True).state is State.ON_TRIAL
    now, then = (
        {path: said for path, said in state[""].items() if not path.endswith("/")}
        for state in (made.state(), laid)
    )
    assert now == then


def test_a_step_that_is_done_or_left_out_is_on_record_with_what_it_changed(made: MadeUp) -> None:
    made.begin(made.plan())
    assert stands(made) == (State.WAITING, [StageState.DONE, StageState.WAITING, StageState.PLANNED])
    with pytest.raises(LeftIntactError) as error:
        made.bench.updates.go_on(made.install, done="start-once")
    assert error.value.code == "not-done-yet"
    made.start_once()
    made.bench.updates.go_on(made.install, done="start-once")
    assert stands(made) == (State.ON_TRIAL, [StageState.DONE] * 3)
    with Journal(made.box.journal_path) as journal:
        seen = {one.at.path: (one.before, one.after) for one in journal.observed(1, 2)}
    assert {"started", "logs/run.log", "b044/kept.blk", "index"} <= set(seen)
    assert seen["started"][0] is None and seen["index"][0] is not None


@pytest.mark.parametrize("word", ["done", "skip"])
def test_a_word_is_enough_for_a_step_that_nothing_shows(made: MadeUp, word: str) -> None:
    plan = made.plan()
    step = replace(HAND, check=ManualCheck(sign=Sign.SAID), may_skip=True)
    made.begin(replace(plan, stages=(plan.stages[0], step)))
    assert made.bench.updates.go_on(made.install).waits  # looking again changes nothing
    made.bench.updates.go_on(made.install, **{word: "start-once"})  # type: ignore[arg-type]
    told = StageState.DONE if word == "done" else StageState.SKIPPED
    assert stands(made) == (State.ON_TRIAL, [StageState.DONE, told])


def test_what_is_given_up_is_over_stage_by_stage(made: MadeUp) -> None:
    made.begin(made.plan())
    made.start_once()
    made.bench.updates.give_up(made.install)
    assert stands(made) == (State.ON_TRIAL, [StageState.DONE, StageState.GIVEN_UP, StageState.GIVEN_UP])
    with Journal(made.box.journal_path) as journal:
        assert journal.waiting() is None and journal.unfinished() is None
        assert all(stage.waits is None for stage in journal.stages(1)[2:])
        assert {"started", "index"} <= {one.at.path for one in journal.observed(1, 2)}


def test_a_stage_that_waits_for_a_word_is_given_up_too(made: MadeUp) -> None:
    made.begin(made.plan())
    with Journal(made.box.journal_path) as journal:
        journal.set_stage(1, 2, StageState.DONE)
        journal.wait(1, 3, WaitsFor(step="stage-3", asks="may it?", why="", can_be_seen=False))
    made.bench.updates.give_up(made.install)
    assert stands(made) == (State.ON_TRIAL, [StageState.DONE, StageState.DONE, StageState.GIVEN_UP])


# ---------------------------------------------------------------- what is let go of


def test_nothing_is_let_go_of_where_nothing_is_on_record(made: MadeUp) -> None:
    made.box.make()
    make_journal(made.box.journal_path)
    made.box.claim(str(made.root), "mocklet")
    made.box.close()
    assert housekeeping(made.box) == 0


def test_a_settled_update_leaves_no_empty_room_in_its_journal(made: MadeUp) -> None:
    import sqlite3

    made.begin(made.plan(hand=False))
    made.bench.updates.settle(made.install)
    base = sqlite3.connect(made.box.journal_path)
    assert base.execute("PRAGMA freelist_count").fetchone()[0] == 0
    base.close()


def test_what_ended_is_proven_by_no_more_than_is_needed(made: MadeUp) -> None:
    """Two updates that were taken back: of the one before the last nothing but its head is kept."""
    for _ in range(2):
        made.begin(made.plan(hand=False))
        made.bench.updates.back.go(made.install)
    with Journal(made.box.journal_path) as journal:
        runs = journal.runs()
        assert [run.kind for run in runs] == [RunKind.BACK, RunKind.UPDATE, RunKind.BACK, RunKind.UPDATE]
        seen = [journal.witness_of(run.id, 1) for run in runs]
    witnesses = [bool(one.kept.pages or one.rows) for one in seen]
    assert witnesses == [True, False, False, False]
    assert {line.partition("\t")[0] for line in _listed(made)} <= made.box.objects()
    made.box.close()


def _listed(made: MadeUp) -> list[str]:
    text = (Path(made.box.folder) / "contents.tsv").read_text()
    return [line for line in text.splitlines() if not line.startswith(("#", "object\t"))]
