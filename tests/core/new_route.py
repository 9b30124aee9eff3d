"""What the route of docs/extending.md has to do. `test_extending.py` runs this in a copy of the program that
has the route; it is no test of the program as it stands.
"""

from __future__ import annotations

import signal
from pathlib import Path

import pytest

from left_intact.core.model.plan import Plan, Route
from left_intact.core.model.proof import Verdict
from left_intact.core.model.update import State
from left_intact.services.values import Draft
from left_intact.workbench import Workbench
from tests.builders import Mock
from tests.chains import KillAt, in_child
from tests.tui.test_screens import press, running, words

NAME = "one-file"
NEW = "1.0b\n"


def drawn(mock: Mock) -> tuple[Draft, Plan]:
    part = mock.folder / "VERSION"
    part.write_text(NEW)
    draft = mock.bench.updates.draft(mock.install, str(part))
    return draft, draft.plan()


def waits(mock: Mock) -> None:
    _, plan = drawn(mock)
    assert plan.route is Route(NAME) and [m.at.shown for m in plan.changes] == ["VERSION"]
    outcome = mock.bench.updates.update(plan, mock.install)
    assert outcome.update.state is State.WAITING and mock.read("VERSION") == "1.0\n"


def test_it_changes_bytes_waits_once_is_proven_and_goes_back(mock: Mock) -> None:
    before = mock.state()
    waits(mock)
    outcome = mock.bench.updates.go_on(mock.install, done="close")
    assert outcome.update.state is State.ON_TRIAL and mock.read("VERSION") == NEW
    assert outcome.proof.verdict is not Verdict.BROKEN, outcome.proof
    assert not [line for line in outcome.proof.ledger if line.trouble], outcome.proof
    mock.bench.updates.back.go(mock.install)
    assert mock.state() == before


async def test_it_is_on_the_screen_with_its_own_lanes_and_words(mock: Mock) -> None:
    part = mock.folder / "VERSION"
    part.write_text(NEW)
    mock.bench.shelf.set_waiting(mock.install, mock.bench.surveys.arrival(mock.install, str(part)))
    async with running(mock) as (app, pilot):
        await press(app, pilot, "enter", "3")
        shown = words(app)
        for text in ("one file", "1 turned over", "then  one file, 1 step by hand", "close Mocklet"):
            assert text in shown, shown


@pytest.mark.parametrize("forward", [True, False])
def test_killed_at_each_step_it_ends_either_way(tmp_path: Path, forward: bool) -> None:
    for number in range(1, 40):
        mock = Mock(tmp_path / f"{number}")
        before = mock.state()
        waits(mock)
        laid = tmp_path / f"{number}/over"

        def killed(mock: Mock = mock, number: int = number, laid: Path = laid) -> None:
            mock.bench.updates.go_on(mock.install, done="close", report=KillAt(number))
            laid.touch()

        ended = in_child(killed) != signal.SIGKILL
        assert ended == laid.exists()
        mock.bench = Workbench(mock.bench.home)
        run = mock.bench.records.open_run(mock.install)
        if ended:
            assert number > 5, "it was killed at several steps before this one was never reached"
            return
        if run is not None and run.state is State.WAITING:
            mock.bench.updates.go_on(mock.install, done="close")
        elif run is not None:
            mock.bench.updates.recover(mock.install, forward)
        assert mock.read("VERSION") in ("1.0\n", NEW)
        if mock.read("VERSION") == NEW:
            assert mock.bench.updates.prove(mock.install).proof.verdict is not Verdict.BROKEN
            mock.bench.updates.back.go(mock.install)
        assert mock.state() == before
    raise AssertionError("it never came to an end")
