"""Names of files and programs are shown as they are: never markup, never an escape, never the end."""

from __future__ import annotations

import re
import sys
from collections.abc import Iterator
from dataclasses import replace

import pytest
from rich.cells import cell_len
from textual.widgets import Input, Static

from left_intact.core.model.classes import FileClass
from left_intact.core.model.outlet import Hold, Offer
from left_intact.core.model.place import At
from left_intact.standins.outlet import OutletServer
from left_intact.tui.app import LeftIntactApp
from left_intact.tui.screens.news import NewsScreen, OfferRow
from left_intact.tui.screens.pack import PackScreen
from left_intact.tui.screens.queue import QueueScreen
from left_intact.tui.screens.shelf import ShelfScreen
from left_intact.tui.screens.survey import SurveyScreen
from left_intact.tui.widgets.lines import Lines
from tests.builders import LATER, Mock, plant, release
from tests.tui.strange import NAME, ODD, follow_strange_outlet
from tests.tui.test_screens import press, running, settled, words

pytestmark = pytest.mark.skipif(sys.platform == "win32", reason="such names cannot be had on this system")


@pytest.fixture
def odd(mock: Mock) -> Mock:
    plant(mock.root, ODD, mtime=LATER)
    mock.bench.shelf.register(str(mock.root), name=NAME)
    arriving = release("1.1")
    arriving["games/Cart [b].w16"] = b"\x16" * 99
    mock.arrive(arriving)
    install = mock.install
    mock.bench.surveys.set_baseline(install, str(mock.base))
    mock.bench.shelf.set_waiting(install, mock.bench.surveys.arrival(install, str(mock.next)))
    return mock


@pytest.fixture
def followed(odd: Mock) -> Iterator[Mock]:
    server = follow_strange_outlet(odd)
    yield odd
    server.shutdown()
    server.server_close()


@pytest.mark.parametrize("path", [path for path in ODD if "\x1b" not in path])
def test_a_path_is_exact(mock: Mock, path: str) -> None:
    plant(mock.root, ODD, mtime=LATER)
    from left_intact.core.model.pattern import exactly

    survey = mock.bench.surveys.survey(mock.install)
    met, number = mock.bench.surveys.met_by(survey, exactly(path), 9)
    assert (number, met[0].at.shown) == (1, path)
    mock.bench.surveys.rule(mock.install, exactly(path), FileClass.EXTRAS)
    found = mock.bench.surveys.survey(mock.install).findings
    assert found.find(At("", path)).file_class is FileClass.EXTRAS  # type: ignore[union-attr]
    changed = [f.at.shown for f in found if f.why and f.why[0].source == "ruling"]
    assert changed == [path]


@pytest.mark.sampled(1)
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


@pytest.mark.sampled(0)
@pytest.mark.parametrize("size", [(160, 50), (80, 24)])
async def test_a_walk_through_the_views_beside(followed: Mock, size: tuple[int, int]) -> None:
    """News and notes, a fetch, a pack, what can be known of an install, history, help; all dialogs on the
    way.
    """

    async def look(*keys: str) -> None:
        await press(app, pilot, *keys)
        shown = words(app) + said(app)
        assert app.is_running and not {"\x1b", "\x07", "\u202e"} & set(shown), keys
        assert all(cell_len(row) <= size[0] for row in words(app).splitlines())
        # A number and its unit stay together, in the panel on the right as well.
        assert not re.search(r"(?m)(^|  )(KB|MB|GB)\b", words(app)), keys

    async with running(followed, size) as (app, pilot):
        await look("n")
        assert isinstance(app.screen, NewsScreen)
        await look("c", "end", "home")
        assert "[@click=app.quit]" in words(app) or size[0] == 80
        rows = [row for row in app.screen.query_one(Lines).rows if isinstance(row, OfferRow)]
        assert len(rows) == 2
        for row in rows:
            app.screen.query_one(Lines).go_to(row.key)
            await look("w", "question_mark")
            await look("escape", "w")
        await look("h")
        app.screen.query_one(Input).value = "[red]until\x1b[31m"
        await look("enter", "h", "o")
        await look("escape")
        release_row, pack_row = sorted(rows, key=lambda row: row.ranked.offer.pack)
        app.screen.query_one(Lines).go_to(release_row.key)
        await look("f")
        assert "mocklet-1.1 [b].zip is here" in said(app)
        app.screen.query_one(Lines).go_to(pack_row.key)
        await look("enter")
        assert isinstance(app.screen, PackScreen) and "Cart [b].w16" in words(app)
        await look("end", "home", "down", "down", "down", "w", "question_mark")
        await look("escape", "escape", "escape")
        while not isinstance(app.screen, ShelfScreen):
            await look("escape")
        await look("m", "escape", "y", "end", "escape", "enter")
        assert isinstance(app.screen, SurveyScreen)
        for keys in ("f", "*", "m", "mk", "mo", "mb", "mr", "?"):
            await look("end", *({"*": "asterisk", "?": "question_mark"}.get(key, key) for key in keys))
            while not isinstance(app.screen, SurveyScreen):
                await look("escape")


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


async def test_whatever_a_widget_shows_no_control_reaches_the_terminal(odd: Mock) -> None:
    """Also where it was forgotten: versions, channels and platforms are an outlet's words."""
    library = odd.bench.surveys.library
    library.follow(odd.install, "feed", "http://127.0.0.1:9/feed.xml")
    (outlet,) = library.outlets(odd.install)
    bad = "9.1\x9b31m\x1b]0;x\x07\u202e"
    offer = Offer(place=f"http://a/{bad}", name=bad, version=bad, channel=bad, platform=bad, needs=bad)
    library.note_checked(replace(outlet, trouble=bad, leads=bad), [offer, replace(offer, pack=True)])
    library.set_hold(odd.install, Hold(beyond=bad, reason=bad, until=bad))
    async with running(odd) as (app, pilot):
        for keys in (("n",), ("end",), ("h",), ("escape", "o"), ("escape", "escape"), ("m",), ("escape",)):
            await press(app, pilot, *keys)
            assert not {"\x9b", "\x1b", "\x07", "\u202e"} & set(words(app)), keys
        app.screen.mount(Static(f"raw {bad}", markup=False))
        await pilot.pause()
        assert "raw 9.1\u00b7" in words(app) and "\x9b" not in words(app)


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


async def test_what_has_come_is_shown_while_one_that_hangs_is_waited_for(followed: Mock) -> None:
    hanging = OutletServer(str(followed.folder / "outlet"), 0, "hang").start()
    followed.bench.outlets.follow(followed.install, f"{hanging.url}/feed.xml")
    async with running(followed) as (app, pilot):
        await press(app, pilot, "n")
        await pilot.press("c")
        for _ in range(5_000):
            await pilot.pause(0.02)
            if "20 Nov 2026" in words(app):
                break
        assert "20 Nov 2026" in words(app) and app.jobs.running is not None and not hanging.ended.is_set()
        hanging.ended.set()
        await settled(app, pilot)
        assert "cannot be reached" in words(app)
    hanging.shutdown()
    hanging.server_close()
