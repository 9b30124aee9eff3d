"""The news and pack views by their keys, over the stand-in outlet of the demo."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

import pytest
from textual.widgets import Input

from left_intact.core.model.proof import Verdict
from left_intact.demo.build import open_outlet
from left_intact.demo.room import Room
from left_intact.demo.unattended import snapshot
from left_intact.standins.outlet import OutletServer
from left_intact.tui.screens.arrival import ArrivalScreen
from left_intact.tui.screens.news import InstallHead, NewsScreen, OfferRow
from left_intact.tui.screens.pack import PackScreen
from left_intact.tui.screens.proof import ProofScreen
from left_intact.tui.screens.shelf import ShelfScreen
from left_intact.tui.widgets.lines import Lines
from left_intact.workbench import Workbench
from tests.tui.test_screens import press, running, words


@dataclass
class Served:
    """The demo with its outlet open."""

    bench: Workbench
    room: Room
    server: OutletServer


@pytest.fixture
def room(pier: Room) -> Iterator[Served]:
    server = open_outlet(pier)
    yield Served(bench=Workbench(pier.home), room=pier, server=server)
    server.shutdown()
    server.server_close()


def _go(app, text: str) -> None:  # type: ignore[no-untyped-def]
    lines = app.screen.query_one(Lines)
    row = next(r for r in lines.rows if isinstance(r, (OfferRow, InstallHead)) and text in r.key)
    lines.go_to(row.key)


def _said(app) -> str:  # type: ignore[no-untyped-def]
    """What was said in passing, at the edge of the screen."""
    return " ".join(str(notification.message) for notification in app._notifications)


async def test_holding_waving_off_and_following(room: Served, tmp_path: Path) -> None:
    async with running(room) as (app, pilot):
        await press(app, pilot, "n")
        assert isinstance(app.screen, NewsScreen) and "never looked at" in words(app)
        await press(app, pilot, "c")
        assert "3 of 6 installs have something newer" in words(app)
        _go(app, "brindlemere-4.6.0-linux")
        await press(app, pilot, "d")
        assert "not this one, you said" in words(app)
        await press(app, pilot, "d", "h")
        app.screen.query_one(Input).value = "until 4.7: the pads first"
        await press(app, pilot, "enter")
        assert "held at 4.4.2" in words(app) and "the pads first" in words(app)
        hold = room.bench.surveys.library.hold(room.bench.shelf.find("Brindlemere"))
        assert (hold.beyond, hold.until) == ("4.4.2", "4.7")
        await press(app, pilot, "o")
        app.screen.query_one(Input).value = str(tmp_path / "nowhere")
        await press(app, pilot, "enter")
        assert len(room.bench.surveys.library.outlets(room.bench.shelf.find("Brindlemere"))) == 1
        await press(app, pilot, "a", "escape")
        assert isinstance(app.screen, ShelfScreen) and "held at 4.4.2" in words(app)
        assert room.bench.surveys.library.choice("look-at-start") == "yes"
    async with running(room) as (app, pilot):
        assert any(path.startswith("/feed/") and status == 304 for path, status, _ in room.server.log)
        await press(app, pilot, "n")
        _go(app, "install:Brindlemere")
        await press(app, pilot, "h", "a")
        assert room.bench.surveys.library.hold(room.bench.shelf.find("Brindlemere")) is None


@pytest.mark.sampled(0)
async def test_fetching_all_and_going_on_to_the_arrival(room: Served) -> None:
    async with running(room) as (app, pilot):
        await press(app, pilot, "n", "c", "F")
        assert "3 releases here, 0 not" in _said(app)
        _go(app, "tarnlight-26.11")
        await press(app, pilot, "enter")
        assert isinstance(app.screen, ArrivalScreen) and "newer than what is installed" in words(app)


@pytest.mark.sampled(0)
async def test_a_fetch_that_fails_is_one_line_and_nothing_waits(room: Served) -> None:
    room.server.wrong = True
    async with running(room) as (app, pilot):
        await press(app, pilot, "n", "c")
        _go(app, "tarnlight-26.11")
        await press(app, pilot, "f")
        assert "thrown away" in _said(app)
    waits = room.bench.shelf.waiting(room.bench.shelf.find("Tarnlight"))
    assert waits == room.room.install("tarnlight-26.11")  # what waited before, and nothing else


async def test_a_pack_is_seen_taken_along_laid_and_undone(room: Served) -> None:
    root = room.room.install("tarnlight-26.10")
    before = snapshot(root)
    async with running(room) as (app, pilot):
        await press(app, pilot, "n", "c")
        _go(app, "changed-content")
        await press(app, pilot, "enter")
        assert isinstance(app.screen, PackScreen) and "4 files replace something you own" in words(app)
        lines = app.screen.query_one(Lines)
        lines.go_to(next(r.key for r in lines.rows if "never-had-03" in r.key))
        await press(app, pilot, "space")
        assert "5 files come over the wire" in words(app)
        await press(app, pilot, "l")
        assert isinstance(app.screen, ProofScreen)
        assert app.screen.desk.outcome is not None and app.screen.desk.outcome.proof.verdict is Verdict.INTACT
        await press(app, pilot, "g", "enter")
    assert snapshot(root) == before
    waits = room.bench.shelf.waiting(room.bench.shelf.find("Tarnlight"))
    assert waits == room.room.install("tarnlight-26.11")


@pytest.mark.sampled(1)
@pytest.mark.parametrize("size", [(160, 50), (80, 24), (60, 16)])
async def test_the_views_fit_the_screen(room: Served, size: tuple[int, int]) -> None:
    async with running(room, size) as (app, pilot):
        await press(app, pilot, "n", "c", "w", "w", "question_mark", "escape")
        _go(app, "changed-content")
        await press(app, pilot, "enter")
        assert all(len(row) <= size[0] for row in words(app).splitlines())
        assert not re.search(r"(?m)(^|  )(KB|MB|GB)\b", words(app))  # a number keeps its unit
