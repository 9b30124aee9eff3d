"""The screens by their keys, with Textual's Pilot, over a real workbench."""

from __future__ import annotations

from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from pathlib import Path
from typing import Any

import pytest
from textual import events
from textual.app import App, ComposeResult
from textual.pilot import Pilot
from textual.widgets import Input

from left_intact.core.model.classes import FileClass
from left_intact.core.model.place import At
from left_intact.tui.app import LeftIntactApp
from left_intact.tui.look import DARK
from left_intact.tui.screens.arrival import ArrivalScreen
from left_intact.tui.screens.back import BackDialog
from left_intact.tui.screens.dialogs import ConfirmDialog, RecoverDialog
from left_intact.tui.screens.help import HelpScreen
from left_intact.tui.screens.history import HeldRow, HistoryScreen
from left_intact.tui.screens.plan import LaneRow, MoveRow, PlanScreen, QuestionRow
from left_intact.tui.screens.proof import CheckRow, ProofScreen, ThingRow
from left_intact.tui.screens.shelf import ShelfScreen
from left_intact.tui.screens.stage import StageScreen
from left_intact.tui.screens.survey import EntryRow, SurveyScreen
from left_intact.tui.widgets.bars import KeyBar, StageLine, StopState, TitleBar
from left_intact.tui.widgets.lines import Lines, Paragraph, Words
from left_intact.tui.writing import bearable, clip, fit
from left_intact.worker.links import ThreadLink
from tests.builders import Mock, release


@asynccontextmanager
async def running(
    mock: Mock, size: tuple[int, int] = (160, 50)
) -> AsyncIterator[tuple[LeftIntactApp, Pilot[int]]]:
    link = ThreadLink(mock.bench.home)
    app = LeftIntactApp(mock.bench, mock.bench.shelf.rows(), link)
    try:
        async with app.run_test(size=size) as pilot:
            await settled(app, pilot)
            yield app, pilot
    finally:
        link.close()


async def settled(app: LeftIntactApp, pilot: Pilot[int]) -> None:
    """Wait until no job runs or waits, and all messages are handled."""
    for _ in range(100):
        await pilot.pause()
        await app.jobs.quiet.wait()
        await pilot.pause()
        if app.jobs.quiet.is_set():
            return
    raise AssertionError("the jobs did not come to an end")


async def press(app: LeftIntactApp, pilot: Pilot[int], *keys: str) -> None:
    for key in keys:
        await pilot.press(key)
        await settled(app, pilot)


def words(app: LeftIntactApp) -> str:
    """All text of the screen, as cells."""
    lines = app.screen._compositor.render_strips()
    return "\n".join("".join(segment.text for segment in strip) for strip in lines)


def stage(app: LeftIntactApp) -> StageScreen:
    assert isinstance(app.screen, StageScreen)
    return app.screen


@pytest.fixture
def waiting(mock: Mock) -> Mock:
    arriving = release("1.1", docs__news="new")
    del arriving["lib/libpad.so"]
    arriving["mocklet.ini"] = "[video]\nsmooth = on\nscale = 2\n\n[sound]\nrate = 48000\n"
    mock.edit(
        {
            "mocklet.ini": "[video]\nsmooth = off\nscale = 2\n\n[sound]\nrate = 44100\n",
            "mystery": b"\x91\x92" * 9,
        }
    )
    mock.arrive(arriving)
    mock.bench.surveys.survey(mock.install)
    mock.bench.surveys.set_baseline(mock.install, str(mock.base))
    mock.bench.shelf.set_waiting(mock.install, mock.bench.surveys.arrival(mock.install, str(mock.next)))
    return mock


async def test_an_empty_shelf_says_what_to_do(mock: Mock) -> None:
    async with running(mock) as (app, pilot):
        assert "Press a" in words(app)
        await press(app, pilot, "a")
        app.screen.query_one(Input).value = "/no/such/folder"
        await press(app, pilot, "enter")
        assert "there is nothing at" in words(app)
        app.screen.query_one(Input).value = str(mock.root)
        await press(app, pilot, "enter")
        assert "Mocklet" in words(app) and "1.0" in words(app)


async def test_the_whole_way_by_keys(waiting: Mock) -> None:
    before = waiting.state()
    async with running(waiting) as (app, pilot):
        assert "1 waiting" in words(app)
        await press(app, pilot, "enter")
        assert isinstance(app.screen, SurveyScreen) and app.screen.desk.plan is not None
        assert [s.says for s in app.screen.query_one(StageLine).stops][2] == "1 question"
        await press(app, pilot, "n")
        assert isinstance(app.screen, ArrivalScreen) and "newer than what is installed" in words(app)
        await press(app, pilot, "n")
        assert isinstance(app.screen, PlanScreen)
        await press(app, pilot, "tab", "space")
        assert app.screen.desk.answers == {"mocklet-ini-sound-rate": "arriving"}
        assert (
            app.screen.desk.plan is not None
            and b"48000" in app.screen.desk.plan.merges[At("", "mocklet.ini")].content
        )
        assert "answered" in words(app)
        await press(app, pilot, "space", "c")
        assert isinstance(app.screen, ProofScreen) and "I N T A C T" in words(app)
        assert "rate = 44100" in waiting.read("mocklet.ini")
        await press(app, pilot, "g", "enter", "escape")
        assert isinstance(app.screen, ShelfScreen) and waiting.state() == before
        assert "1 waiting" in words(app)


async def test_settling_by_keys(waiting: Mock) -> None:
    async with running(waiting) as (app, pilot):
        await press(app, pilot, "u", "3", "c", "c")
        lines = app.screen.query_one(Lines)
        tick = next(r for r in lines.rows if isinstance(r, CheckRow) and "newest save" in r.check.says)
        lines.go_to(tick.key)
        await press(app, pilot, "space")
        assert "☑" in words(app)
        await press(app, pilot, "v", "6", "s")
        assert isinstance(app.screen, ConfirmDialog) and "not ticked" in words(app)
        await press(app, pilot, "escape", "s", "enter")
        assert isinstance(app.screen, ShelfScreen) and "settled" in words(app)


async def test_ruling_by_key_and_taking_it_back(waiting: Mock) -> None:
    async with running(waiting) as (app, pilot):
        await press(app, pilot, "enter", "u")
        screen = stage(app)
        row = screen.query_one(Lines).row
        assert isinstance(row, EntryRow) and row.finding.at.shown == "mystery"
        await press(app, pilot, "v")
        assert screen.desk.survey is not None
        assert [f.at.shown for f in screen.desk.survey.unsorted()] == []
        assert waiting.bench.surveys.rulings(waiting.install)[0].file_class is FileClass.SAVES
        await press(app, pilot, "z")
        assert len(screen.desk.survey.unsorted()) == 1 and not waiting.bench.surveys.rulings(waiting.install)


async def test_ruling_a_folder_and_a_pattern(waiting: Mock) -> None:
    async with running(waiting) as (app, pilot):
        await press(app, pilot, "enter")
        app.screen.query_one(Lines).go_to("games/")
        await press(app, pilot, "x")
        await press(app, pilot, "enter") if isinstance(app.screen, ConfirmDialog) else None
        found = stage(app).desk.survey.findings.find(At("", "games/harbour.cart"))  # type: ignore[union-attr]
        assert found is not None and found.file_class is FileClass.EXTRAS
        await press(app, pilot, "asterisk")
        app.screen.query(Input).first().value = "saves/*.sav"
        await pilot.pause()
        assert "2 met" in words(app)
        app.screen.query_one("#class", Input).value = "t"
        await press(app, pilot, "enter")
        assert stage(app).desk.survey.totals()[FileClass.STATES].files == 3  # type: ignore[union-attr]


async def test_lenses_filter_and_folders(waiting: Mock) -> None:
    async with running(waiting) as (app, pilot):
        await press(app, pilot, "enter")
        lines = app.screen.query_one(Lines)
        for _ in range(5):
            await press(app, pilot, "l")
            assert len(lines.rows) > 5
        lines.go_to("lib/")
        await press(app, pilot, "right")
        assert lines.go_to("lib/libcore.so")
        await press(app, pilot, "left", "left")
        assert not lines.go_to("lib/libcore.so")
        await press(app, pilot, "slash", "m", "i", "l", "l", "enter")
        assert [r.key for r in lines.rows if isinstance(r, EntryRow)] == ["saves/mill.sav"]
        await press(app, pilot, "escape")
        assert isinstance(app.screen, SurveyScreen) and len(lines.rows) > 5
        await press(app, pilot, "b", "home", "end", "pageup", "pagedown", "escape")
        assert isinstance(app.screen, ShelfScreen)


async def test_enter_takes_the_marked_answer_and_space_marks_another(waiting: Mock) -> None:
    async with running(waiting) as (app, pilot):
        await press(app, pilot, "u", "3", "tab")
        row = app.screen.query_one(Lines).row
        assert isinstance(row, QuestionRow)
        marked = row.question.choice
        await press(app, pilot, "enter")
        assert stage(app).desk.answers == {row.question.id: marked}
        app.screen.query_one(Lines).go_to(row.key)
        await press(app, pilot, "enter")
        assert stage(app).desk.answers == {row.question.id: marked}, "taken is taken"
        app.screen.query_one(Lines).go_to(row.key)
        await press(app, pilot, "space")
        assert stage(app).desk.answers[row.question.id] != marked


async def test_lanes_open_into_paths(waiting: Mock) -> None:
    async with running(waiting) as (app, pilot):
        await press(app, pilot, "u", "3")
        lines = app.screen.query_one(Lines)
        lanes = [r for r in lines.rows if isinstance(r, LaneRow)]
        lines.go_to(next(r.key for r in lanes if r.lane.label == "lib/"))
        await press(app, pilot, "right", "down")
        assert isinstance(lines.row, MoveRow) and "why it counts as program" in words(app)
        await press(app, pilot, "left")
        assert isinstance(lines.row, LaneRow)
        assert any(isinstance(r, QuestionRow) for r in lines.rows)


async def test_a_wrong_arrival_blocks_and_can_be_passed_knowingly(waiting: Mock) -> None:
    old = waiting.folder / "old"
    from tests.builders import plant

    plant(old, release("0.9"))
    async with running(waiting) as (app, pilot):
        await press(app, pilot, "u", "o")
        app.screen.query_one(Input).value = str(old)
        await press(app, pilot, "enter")
        assert "is older than" in words(app)
        await press(app, pilot, "3")
        assert "blocked" in words(app)
        await press(app, pilot, "c")
        assert isinstance(app.screen, PlanScreen)
        await press(app, pilot, "x", "enter", "c")
        assert isinstance(app.screen, ProofScreen)


async def test_a_hostile_arrival_is_one_line_on_the_screen(waiting: Mock) -> None:
    bad = waiting.folder / "bad.zip"
    bad.write_bytes(b"PK\x03\x04nothing")
    async with running(waiting) as (app, pilot):
        await press(app, pilot, "u", "o")
        app.screen.query_one(Input).value = str(bad)
        await press(app, pilot, "enter")
        assert "cannot be read" in words(app) and isinstance(app.screen, ArrivalScreen)
        await press(app, pilot, "3")
        assert isinstance(app.screen, ArrivalScreen)


@pytest.mark.sampled(1)
@pytest.mark.parametrize("forward", [True, False])
async def test_an_interrupted_update_is_ended_first(waiting: Mock, forward: bool) -> None:
    from left_intact.core.carrying.journal import Journal
    from left_intact.core.model.update import State

    before = waiting.state()
    waiting.update()
    with Journal(waiting.bench.records.strongbox(waiting.install).journal_path) as journal:
        journal.set_state(1, State.CARRYING)
    async with running(waiting) as (app, pilot):
        assert "cut off" in words(app)
        await press(app, pilot, "enter")
        assert isinstance(app.screen, RecoverDialog)
        await press(app, pilot, "f" if forward else "b")
        assert isinstance(app.screen, ShelfScreen) and not waiting.bench.shelf.interrupted()
    assert (waiting.state() == before) is not forward


@pytest.mark.sampled(1)
@pytest.mark.parametrize("size", [(160, 50), (80, 24), (60, 16)])
async def test_every_view_fits_every_size(waiting: Mock, size: tuple[int, int]) -> None:
    async with running(waiting, size) as (app, pilot):
        await press(app, pilot, "question_mark")
        assert isinstance(app.screen, HelpScreen)
        await press(app, pilot, "escape", "ctrl+l", "enter")
        for key in ("2", "3", "1", "w", "w", "3"):
            await press(app, pilot, key)
            assert all(len(row) <= size[0] for row in words(app).splitlines())
            assert "help" in words(app).splitlines()[-1]
        await press(app, pilot, "c", "w", "escape", "escape")
        assert isinstance(app.screen, ShelfScreen)


async def test_the_edges_say_where_we_are(waiting: Mock) -> None:
    async with running(waiting) as (app, pilot):
        await press(app, pilot, "enter")
        assert app.screen.query_one(TitleBar).trail[-1] == "survey"
        stops = app.screen.query_one(StageLine).stops
        assert [s.standing for s in stops][:2] == [StopState.HERE, StopState.DONE]
        assert {"open", "rule", "filter", "help"} <= {h.says for h in app.screen.query_one(KeyBar).hints()}
        await press(app, pilot, "5")
        assert isinstance(app.screen, SurveyScreen)
        await pilot.click(StageLine, offset=(60, 0))
        await settled(app, pilot)
        assert isinstance(app.screen, PlanScreen)
        await press(app, pilot, "ctrl+p")
        await pilot.press(*"go to arrival")
        await pilot.pause()


async def test_a_hundred_thousand_rows_draw_only_what_shows(mock: Mock) -> None:
    from left_intact.core.model.entry import Entry, Finding

    drawn: list[int] = []

    class Counting(EntryRow):
        def draw(self, *more: Any) -> Any:
            drawn.append(1)
            return super().draw(*more)

    finding = Finding(entry=Entry(path="x/y", bytes=3), file_class=FileClass.SAVES, certainty=0.9)
    async with running(mock) as (app, pilot):
        lines = app.screen.query_one(Lines)
        lines.set_rows([Counting(finding, str(n), 0) for n in range(100_000)])
        await press(app, pilot, "pagedown", "end")
        assert lines.cursor == 99_999 and len(drawn) < 1000


def test_text_in_cells() -> None:
    assert fit("abc", 5) == "abc  " and fit("abc", 5, "right") == "  abc" and fit("a", 0) == ""
    assert len(clip("a/very/long/path/to/a.sav", 12)) == 12 and clip(
        "a/very/long/path/to/a.sav", 12
    ).endswith(".sav")
    assert "\x1b" not in bearable("a\x1b[31m") and bearable("\udcff.sav") == "?.sav"


async def test_settling_what_is_not_intact_takes_a_plain_y(waiting: Mock) -> None:
    waiting.update()
    (waiting.root / "saves/mill.sav").unlink()
    async with running(waiting) as (app, pilot):
        await press(app, pilot, "enter", "v")
        assert isinstance(app.screen, ProofScreen)
        assert "B R O K E N" in words(app) and "1 lost" in words(app)
        await press(app, pilot, "s")
        assert isinstance(app.screen, ConfirmDialog) and "mill.sav" in words(app)
        await press(app, pilot, "enter")
        assert isinstance(app.screen, ConfirmDialog)  # Enter is no yes here
        await press(app, pilot, "y")
        assert (
            isinstance(app.screen, ShelfScreen)
            and waiting.bench.records.history(waiting.install)[0].state == "settled"
        )


async def test_a_line_of_their_own_is_added_and_taken_away(waiting: Mock) -> None:
    waiting.update()
    async with running(waiting) as (app, pilot):
        await press(app, pilot, "enter", "a", *"the quay", "enter")
        assert waiting.bench.updates.look_at(waiting.install) == ("the quay",)
        assert "the quay" in words(app)
        ledger = app.screen.query_one("#ledger", Lines)
        while not (isinstance(ledger.row, CheckRow) and ledger.row.check.says == "the quay"):
            await press(app, pilot, "down")
        await press(app, pilot, "a")
        assert waiting.bench.updates.look_at(waiting.install) == () and "the quay" not in words(app)


async def test_going_back_shows_its_proof(waiting: Mock) -> None:
    waiting.update()
    async with running(waiting) as (app, pilot):
        await press(app, pilot, "enter", "g", "enter")
        assert isinstance(app.screen, ProofScreen) and app.screen.went_back
        assert "I N T A C T" in words(app) and "gone back" in words(app) and "1.1 → 1.0" in words(app)
        await press(app, pilot, "v", "s")  # proves again; there is nothing to settle
        assert isinstance(app.screen, ProofScreen) and "I N T A C T" in words(app)
        await press(app, pilot, "escape")
        assert isinstance(app.screen, ShelfScreen)


@pytest.mark.sampled(1)
@pytest.mark.parametrize("size", [(160, 50), (80, 24)])
async def test_things_stand_between_files_and_checks(waiting: Mock, size: tuple[int, int]) -> None:
    waiting.update()
    (waiting.root / "games/harbour.cart").unlink()
    async with running(waiting, size) as (app, pilot):
        await press(app, pilot, "enter", "v")
        said = words(app)
        assert "things, by name" in said and "titles" in said and "1 lost" in said
        ledger = app.screen.query_one("#ledger", Lines)
        while not (isinstance(ledger.row, ThingRow)):
            await press(app, pilot, "down")
        if size[0] == 160:
            assert "no longer there" in words(app) and "games/harbour" in words(app)


async def test_c_leads_to_open_questions_first(waiting: Mock) -> None:
    before = waiting.state()
    async with running(waiting) as (app, pilot):
        await press(app, pilot, "u", "3", "c")
        assert isinstance(app.screen, PlanScreen) and waiting.state() == before
        assert isinstance(app.screen.lines.row, QuestionRow)
        await press(app, pilot, "c")
        assert isinstance(app.screen, ProofScreen)


async def test_six_is_no_key_for_settling(waiting: Mock) -> None:
    waiting.update()
    async with running(waiting) as (app, pilot):
        await press(app, pilot, "enter", "6", "enter")
        assert isinstance(app.screen, ProofScreen)
        assert waiting.bench.records.history(waiting.install)[0].state == "on-trial"


async def test_a_double_click_carries_out_nothing_that_nobody_saw(waiting: Mock) -> None:
    before = waiting.state()

    async def click(action: str, since: float) -> None:
        bar = app.screen.query_one(KeyBar)
        bar.since = since
        row, start = next((row, start) for row, start, _, name in bar.spans if name == action)
        await pilot.click(KeyBar, offset=(start + 1, row))
        await settled(app, pilot)

    async with running(waiting) as (app, pilot):
        await press(app, pilot, "u", "3", "tab")
        assert isinstance(app.screen, PlanScreen)
        await click("carry_out", float("inf"))  # the bar only just came to be under the mouse
        await click("carry_out", float("inf"))
        assert isinstance(app.screen, PlanScreen) and waiting.state() == before
        await click("carry_out", 0.0)
        assert isinstance(app.screen, ProofScreen)


def burst(app: LeftIntactApp, *keys: str) -> None:
    """Keys that came so fast that the screen of the first has read none of the others."""
    for key in keys:
        app.post_message(events.Key(key, key))


async def test_a_key_that_was_pressed_twice_at_once_carries_out_once(waiting: Mock) -> None:
    async with running(waiting) as (app, pilot):
        await press(app, pilot, "u", "3", "tab")
        burst(app, "c", "c", "c")
        await settled(app, pilot)
        assert isinstance(app.screen, ProofScreen), app.screen
        assert len(waiting.bench.records.history(waiting.install)) == 1
        burst(app, "g", "g")  # the second is for a screen that lies below the dialog by then
        await settled(app, pilot)
        assert sum(isinstance(screen, BackDialog) for screen in app.screen_stack) == 1
        burst(app, "enter", "enter")
        await settled(app, pilot)
        assert isinstance(app.screen, ProofScreen) and (waiting.root / "VERSION").read_text() == "1.0\n"


async def test_history_and_what_is_kept(mock: Mock, tmp_path: Path) -> None:
    mock.arrive(release("1.1"))
    mock.update(baseline=False)  # so nothing proves that what was displaced is as a release shipped it
    mock.bench.updates.settle(mock.install)
    async with running(mock) as (app, pilot):
        await press(app, pilot, "y")
        assert isinstance(app.screen, HistoryScreen)
        said = words(app)
        assert "1.0 → 1.1" in said and "intact" in said and "the strongbox keeps" in said
        lines = app.screen.query_one(Lines)
        row = next(row for row in lines.rows if isinstance(row, HeldRow))
        path = row.held.places[0]
        lines.go_to(row.key)
        await press(app, pilot, "t")
        app.screen.query_one(Input).value = str(tmp_path / "out")
        await press(app, pilot, "enter")
        assert (tmp_path / "out" / Path(path).name).is_file()
        await press(app, pilot, "v", "f", "enter")
        assert isinstance(app.screen, ConfirmDialog)  # it is theirs: a plain y
        await press(app, pilot, "y")
        kept = mock.bench.keeping.look(mock.install).held
        assert path not in [place for held in kept for place in held.places]
        await press(app, pilot, "escape")
        assert isinstance(app.screen, ShelfScreen)


async def test_the_shelf_in_order(waiting: Mock) -> None:
    before = waiting.state()
    async with running(waiting) as (app, pilot):
        await press(app, pilot, "m", "r", *"Good", "enter")
        assert "Good" in words(app) and waiting.bench.shelf.installs()[0].name == "Good"
        await press(app, pilot, "m", "x", "enter")
        assert "Nothing on the shelf yet" in words(app) and waiting.bench.shelf.installs() == []
    assert waiting.state() == before


class _Listed(App[None]):
    """A list with a long paragraph and something below it."""

    look = DARK

    def compose(self) -> ComposeResult:
        yield Lines()


async def test_a_paragraph_takes_the_lines_that_the_width_asks_for_at_every_width() -> None:
    words = " ".join(["the saves went to the ids of the new build"] * 6)
    paragraph, below = Paragraph(words, indent=4), Words("below")
    app = _Listed()
    async with app.run_test(size=(140, 20)) as pilot:
        app.query_one(Lines).set_rows([paragraph, below])
        heights = []
        for width in (140, 60, 140):
            await pilot.resize_terminal(width, 20)
            await pilot.pause()
            shown = [app.query_one(Lines).render_line(y).text.strip() for y in range(20)]
            assert " ".join(shown).split() == [*words.split(), "below"]
            assert shown.index("below") == paragraph.height
            heights.append(paragraph.height)
        assert heights[0] < heights[1] and heights[2] == heights[0]
