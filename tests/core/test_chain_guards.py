"""What the engine itself refuses, whoever calls it, and what its runs leave in the journal."""

from __future__ import annotations

import os
import signal
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest

from left_intact.core.carrying.chain import carry_out
from left_intact.core.model.errors import Fault, Interrupted, LeftIntactError, Refusal
from left_intact.core.model.plan import Plan, Question
from left_intact.core.model.progress import CancelToken
from left_intact.core.model.update import State, Update
from tests.chains import KillAt, MadeUp, in_child


@pytest.fixture
def made(tmp_path: Path) -> MadeUp:
    return MadeUp(tmp_path / "all")


def begin(made: MadeUp, plan: Plan, **more: Any) -> Update:
    return carry_out(plan, made.box, made.bench.updates.back.outside(made.install), **more)


def test_a_plan_with_a_blocker_is_not_carried_out(made: MadeUp) -> None:
    before = made.state()
    fault = Fault(code="held", says="you held it", passable=True)
    with pytest.raises(Refusal):
        begin(made, replace(made.plan(), blockers=(fault,)))
    assert made.state() == before and not os.path.exists(made.box.journal_path)
    asked = replace(
        made.plan(),
        questions=(Question(id="q", asks="which?", options=("a", "b"), leads_to=("", ""), default="a"),),
    )
    with pytest.raises(LeftIntactError) as error:
        begin(made, asked)
    assert error.value.code == "questions-open" and made.state() == before


def test_nothing_is_begun_beside_a_run_that_waits_or_was_cut_off(made: MadeUp) -> None:
    plan = made.plan()
    assert in_child(lambda: begin(made, plan, report=KillAt(12))) == signal.SIGKILL
    with pytest.raises(Interrupted) as cut:
        begin(made, plan)
    assert "the update to 1.1" in cut.value.says and str(made.root) in str(cut.value.path)
    made.bench.updates.recover(made.install, False)
    assert begin(made, made.plan()).state is State.WAITING
    stands = made.state()
    with pytest.raises(LeftIntactError) as waits:
        begin(made, plan)
    assert waits.value.code == "waiting" and made.state() == stands


def test_the_strongbox_may_not_lie_in_what_it_guards(tmp_path: Path) -> None:
    made = MadeUp(tmp_path / "all", box_at=tmp_path / "all" / "pier" / "mocklet" / "keeps")
    before = (made.root / "mocklet").read_bytes()
    with pytest.raises(LeftIntactError) as error:
        begin(made, made.plan())
    assert error.value.code == "strongbox-inside" and (made.root / "mocklet").read_bytes() == before


def test_a_run_that_is_stopped_before_it_began_changes_nothing(made: MadeUp) -> None:
    before, cancel = made.state(), CancelToken()
    cancel.cancel()
    with pytest.raises(LeftIntactError) as error:
        begin(made, made.plan(), cancel=cancel)
    assert error.value.code == "stopped" and made.state() == before
    assert made.bench.updates.back.history(made.install)[-1].state is State.ABANDONED
