"""Names of files and programs are shown as they are: never markup, never an escape, never the end."""

from __future__ import annotations

import sys

import pytest
from textual.widgets import Input

from left_intact.core.model.classes import FileClass
from left_intact.tui.app import LeftIntactApp
from left_intact.tui.screens.queue import QueueScreen
from left_intact.tui.screens.shelf import ShelfScreen
from left_intact.tui.screens.survey import SurveyScreen
from left_intact.tui.widgets.lines import Lines
from tests.builders import LATER, Mock, Tree, plant, release
from tests.tui.test_screens import press, running, words

pytestmark = pytest.mark.skipif(sys.platform == "win32", reason="such names cannot be had on this system")
ODD: Tree = {
    "games/Cart [!].w16": b"\x04" * 99,
    "games/Cart [a1][h2].w16": b"\x05" * 99,
    "games/Cart [b].w16": b"\x06" * 99,
    "themes/Dusk [a].png": b"\x89PNG" + b"\x01" * 99,
    "memory/[@click=app.quit]y[/]": b"\x91\x92\x93" * 9,
    "memory/zz[": b"\x94\x95" * 9,
    "memory/].wsv": b"\x96\x97" * 9,
    "memory/[red]r[/red].wsv": b"\x98\x99" * 9,
    "pile/odd[0": b"\x71\x92\x13" * 9,
    "pile/even]1.zzz": b"\x74\x95" * 9,
    "memory/who?.sav": b"\x01" * 40,
    "memory/whom.sav": b"\x02" * 40,
    "memory/back\\slash*.sav": b"\x03" * 40,
    "memory/\x1b[31mred\x07": b"\x9a" * 9,
    "memory/\u202egpj.exe": b"\x9b" * 9,
    "memory/音楽ゲーム.sav": b"\x07" * 40,
    "memory/" + "long " * 40 + ".sav": b"\x08" * 40,
}


@pytest.fixture
def odd(mock: Mock) -> Mock:
    plant(mock.root, ODD, mtime=LATER)
    mock.bench.shelf.register(str(mock.root), name="Mock[@click=app.quit]let[/] [b")
    arriving = release("1.1")
    arriving["games/Cart [b].w16"] = b"\x16" * 99
    mock.arrive(arriving)
    install = mock.install
    mock.bench.surveys.set_baseline(install, str(mock.base))
    mock.bench.shelf.set_waiting(install, mock.bench.surveys.arrival(install, str(mock.next)))
    return mock


@pytest.mark.parametrize("path", [path for path in ODD if "\x1b" not in path])
def test_a_path_is_exact(mock: Mock, path: str) -> None:
    plant(mock.root, ODD, mtime=LATER)
    from left_intact.core.model.pattern import exactly

    survey = mock.bench.surveys.survey(mock.install)
    met, number = mock.bench.surveys.met_by(survey, exactly(path), 9)
    assert (number, met[0].path) == (1, path)
    mock.bench.surveys.rule(mock.install, exactly(path), FileClass.EXTRAS)
    found = mock.bench.surveys.survey(mock.install).findings
    assert found.find(path).file_class is FileClass.EXTRAS  # type: ignore[union-attr]
    changed = [f.path for f in found if f.why and f.why[0].source == "ruling"]
    assert changed == [path]


@pytest.mark.parametrize("size", [(160, 50), (80, 24)])
async def test_a_walk_through_every_view(odd: Mock, size: tuple[int, int]) -> None:
    async with running(odd, size) as (app, pilot):
        assert "[@click=app.quit]let[/]" in words(app) or size[0] == 80
        await press(app, pilot, "ctrl+p", *"open mock", "escape")
        assert isinstance(app.screen, ShelfScreen)
        await press(app, pilot, "enter")
        assert isinstance(app.screen, SurveyScreen)
        for _ in range(5):  # every lens, every row in it
            lines = app.screen.query_one(Lines)
            await press(app, pilot, "end", "x")
            if not isinstance(app.screen, SurveyScreen):
                await press(app, pilot, "escape")
            await press(app, pilot, "home", "l")
            assert lines.row is not None
        await press(app, pilot, "slash")
        app.screen.query_one("#filter", Input).value = "[b]"
        await press(app, pilot, "enter")
        assert "Cart [b].w16" in words(app)
        await press(app, pilot, "down", "x")
        if not isinstance(app.screen, SurveyScreen):
            await press(app, pilot, "enter")
        assert any(r.pattern == "games/Cart [b].w16" for r in odd.bench.surveys.rulings(odd.install))
        await press(app, pilot, "escape", "z")
        assert not any(r.pattern == "games/Cart [b].w16" for r in odd.bench.surveys.rulings(odd.install))
        await press(app, pilot, "q")
        assert isinstance(app.screen, QueueScreen)
        await press(app, pilot, "x", "z", "escape")
        await press(app, pilot, "2", "3", "tab", "space", "c")
        assert app.is_running and "\x1b[31m" not in words(app)
        await press(app, pilot, "v", "end", "home", "g", "escape", "escape")
        assert app.is_running


async def test_z_takes_back_the_last_group_wherever_one_is(odd: Mock) -> None:
    async with running(odd) as (app, pilot):
        await press(app, pilot, "enter", "q")
        assert isinstance(app.screen, QueueScreen) and len(app.screen.groups) == 2
        await press(app, pilot, "x", "z")
        assert app.screen.ruled == {} and app.screen.at == 0  # taken back, and shown again
        await press(app, pilot, "x", "c")
        assert len(odd.bench.surveys.rulings(odd.install)) == 2
        await press(app, pilot, "home", "z")  # both were made as one
        assert odd.bench.surveys.rulings(odd.install) == []
        await press(app, pilot, "z")
        assert "no ruling of yours" in said(app)


def said(app: LeftIntactApp) -> str:
    return "\n".join(note.message for note in app._notifications)


async def test_what_a_message_names_is_never_markup(odd: Mock) -> None:
    async with running(odd) as (app, pilot):
        for name in ("zz[", "[@click=app.quit]y[/]", "Cart [b].w16", "]["):
            app.screen.notify(f"{name} is here", title=name)
            await pilot.pause()
            assert f"{name} is here" in said(app)
        app.notify("\x1b[31mred\u202e")
        await pilot.pause()
        assert "\x1b" not in said(app) and "\u202e" not in said(app)
        assert not any(note.markup for note in app._notifications)
        await pilot.pause()
