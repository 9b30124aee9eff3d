"""The worker process: what crosses, how errors cross, and what happens when either side goes away."""

from __future__ import annotations

import os
import pickle
import queue
import signal
import subprocess
from collections.abc import Callable, Iterator
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest

from left_intact.core.model.errors import Fault, Interrupted, LeftIntactError, Misuse, Refusal, Stopped
from left_intact.core.model.place import At
from left_intact.core.model.proof import Verdict
from left_intact.core.model.update import State
from left_intact.presentation.views import FIRST_MOVES, plan_view
from left_intact.workbench import Workbench
from left_intact.worker.call import Call, Message, Signals, call, carry_out, worded
from left_intact.worker.links import Link, ProcessLink, ThreadLink
from tests.builders import Mock, release


class Face:
    """The other end of a link: sends calls, and waits for what comes."""

    def __init__(self, link: Link) -> None:
        self.link, self.numbers = link, 0
        self.heard: queue.Queue[Message] = queue.Queue()
        link.open(self.heard.put)

    def send(self, wanted: Call, *, beside: bool = False) -> int:
        self.numbers += 1
        self.link.send(("do", self.numbers, wanted, beside))
        return self.numbers

    def until(self, fits: Callable[[Message], bool]) -> Message:
        while True:
            message = self.heard.get(timeout=60)
            if fits(message):
                return message

    def ask(self, wanted: Call) -> Any:
        """The result of a call; raises its error."""
        number = self.send(wanted)
        kind, _, what = self.until(lambda m: m[0] != "progress" and m[1] == number)
        if kind == "failed":
            raise what
        return what


@pytest.fixture(params=[ProcessLink, ThreadLink])
def face(request: pytest.FixtureRequest, mock: Mock) -> Iterator[Face]:
    link = request.param(mock.bench.home)
    yield Face(link)
    link.close()


@pytest.fixture
def waiting(mock: Mock) -> Mock:
    mock.arrive(release("1.1", docs__news="new"))
    mock.bench.surveys.survey(mock.install)
    mock.bench.surveys.set_baseline(mock.install, str(mock.base))
    return mock


def test_an_update_is_drawn_carried_out_and_taken_back_across_the_link(face: Face, waiting: Mock) -> None:
    before, install = waiting.state(), waiting.install
    read = face.ask(call("desk.read", install))
    assert read.survey.findings.find(At("", "saves/mill.sav")) == waiting.bench.surveys.survey(
        install
    ).findings.find(At("", "saves/mill.sav"))
    assert read.outline.root.count == sum(t.files for t in read.survey.totals().values())
    came = face.ask(call("desk.look_into", install, str(waiting.next)))
    assert came.version_text == "1.1" and came.content.files > came.here_already > 0
    again, plan = face.ask(call("desk.draw_up", install, {}))
    assert again.survey.findings.pages == read.survey.findings.pages
    drawn = waiting.bench.updates.draft(install, str(waiting.next)).plan()
    assert replace(plan, space=drawn.space) == plan_view(drawn)
    assert all(len(lane.shown) <= min(FIRST_MOVES, lane.count) for lane in plan.lanes)
    lane = plan.lanes[0]
    assert tuple(face.ask(call("desk.moves", install, lane.key, 2))) == lane.shown[:2]
    outcome = face.ask(call("desk.carry_out", install, {}, frozenset()))
    assert outcome.proof.verdict is Verdict.INTACT and waiting.state() != before
    way = face.ask(call("desk.way_back", install))
    assert sum(way.changes.values()) == sum(plan.changes.values()) and way.to_version == "1.0"
    face.ask(call("desk.go_back", install, {}))
    assert waiting.state() == before


def test_what_is_not_at_hand_any_more_is_said(face: Face, waiting: Mock) -> None:
    for wanted, code in (
        (call("desk.rule", waiting.install, {}), "not-read"),
        (call("desk.draw_up", waiting.install, {}), "no-arrival"),
        (call("desk.carry_out", waiting.install, {}, ()), "no-plan"),
        (call("desk.lay_pack", waiting.install, ()), "not-read"),
    ):
        with pytest.raises(LeftIntactError) as caught:
            face.ask(wanted)
        assert caught.value.code == code and caught.value.way_out


def test_errors_keep_their_code_path_and_way_out(face: Face, mock: Mock) -> None:
    with pytest.raises(LeftIntactError) as caught:
        face.ask(call("shelf.find", "/no/such/place"))
    with pytest.raises(LeftIntactError) as here:
        mock.bench.shelf.find("/no/such/place")
    assert (caught.value.line(), caught.value.code) == (here.value.line(), here.value.code)
    with pytest.raises(LeftIntactError) as fault:
        face.ask(call("shelf.no_such_thing"))
    assert fault.value.code == "unexpected"
    assert "AttributeError" in Path(fault.value.path).read_text()  # the whole of it is written down


@pytest.mark.parametrize(
    "error",
    [
        LeftIntactError("a", "says", path="/p", way_out="out"),
        Refusal([Fault(code="b", says="one"), Fault(code="c", says="two")]),
        Stopped(),
        Interrupted("d", "cut off"),
        Misuse("e", "no"),
    ],
)
def test_an_error_is_the_same_on_the_other_side(error: LeftIntactError) -> None:
    crossed = pickle.loads(pickle.dumps(error))
    assert type(crossed) is type(error) and crossed.__dict__ == error.__dict__ and str(crossed) == str(error)


def test_any_other_error_gets_a_line() -> None:
    assert worded(PermissionError(13, "Permission denied", "/x")).line() == (
        "the disk refused (permission denied): /x."
    )
    assert worded(ValueError("odd")).code == "unexpected"


def test_a_look_beside_does_not_wait_for_long_work(face: Face, mock: Mock) -> None:
    long = face.send(call("surveys.watch", mock.install))
    beside = face.send(call("shelf.rows"), beside=True)
    assert face.until(lambda m: m[0] == "done")[1] == beside
    face.link.send(("nudge", long))
    assert face.until(lambda m: m[0] == "done")[1] == long


def test_work_that_waits_can_be_stopped_before_it_begins(face: Face, mock: Mock) -> None:
    first, second = face.send(call("surveys.watch", mock.install)), face.send(call("shelf.rows"))
    face.link.send(("cancel", second))
    face.link.send(("nudge", first))
    kind, _, error = face.until(lambda m: m[1] == second)
    assert kind == "failed" and isinstance(error, Stopped)


def test_a_worker_that_dies_is_said_and_another_takes_over(mock: Mock) -> None:
    link = ProcessLink(mock.bench.home)
    face = Face(link)
    try:
        face.ask(call("shelf.rows"))
        number = face.send(call("surveys.watch", mock.install))
        os.kill(link.pid, signal.SIGKILL)
        kind, _, error = face.until(lambda m: m[1] == number)
        assert kind == "failed" and error.code == "worker-gone" and "Nothing is lost" in error.way_out
        assert [row.install for row in face.ask(call("shelf.rows"))] == [mock.install]
    finally:
        link.close()


def test_a_worker_that_cannot_be_started_is_said(mock: Mock, monkeypatch: pytest.MonkeyPatch) -> None:
    def refused(*_: object, **__: object) -> None:
        raise OSError(11, "Resource temporarily unavailable")

    link = ProcessLink(mock.bench.home)
    monkeypatch.setattr(subprocess, "Popen", refused)
    face = Face(link)
    with pytest.raises(LeftIntactError) as error:
        face.ask(call("shelf.rows"))
    assert error.value.code == "worker-gone" and "no process can be started" in error.value.line()
    monkeypatch.undo()
    assert len(face.ask(call("shelf.rows"))) == 0
    link.close()


@pytest.mark.parametrize("stage", ["safe", "laying", "reading"])
def test_a_face_that_goes_away_leaves_nothing_half_done(waiting: Mock, stage: str) -> None:
    """The input ends in the midst of an update: all is as before, or all is as agreed and on trial."""
    before, install = waiting.state(), waiting.install
    link = ProcessLink(waiting.bench.home)
    face = Face(link)
    face.ask(call("desk.look_into", install, str(waiting.next)))
    face.ask(call("desk.draw_up", install, {}))
    face.send(call("desk.carry_out", install, {}, frozenset()))
    face.until(lambda m: m[0] == "done" or (m[0] == "progress" and m[2].stage == stage))
    link.close()
    bench = Workbench(waiting.bench.home)
    assert not bench.shelf.interrupted()
    states = [update.state for update in bench.records.history(install)]
    if State.ON_TRIAL in states:
        assert bench.updates.prove(install).proof.verdict is Verdict.INTACT
    else:
        assert waiting.state() == before


def test_a_call_gets_the_signals_that_it_names() -> None:
    class Hands:
        def takes(self, what: str, *, report: Any, wait: Any) -> tuple[Any, ...]:
            return what, report, wait

        def plain(self) -> str:
            return "plain"

    from left_intact.core.model.progress import CancelToken, silent

    signals = Signals(silent, CancelToken())
    assert carry_out(call("takes", "it"), Hands(), signals) == ("it", silent, signals.nudged.wait)
    assert carry_out(call("plain"), Hands(), signals) == "plain"
