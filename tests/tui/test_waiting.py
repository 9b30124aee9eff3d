"""An update that waits, and the way back, on the screen."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import pytest

from left_intact.core.model.stages import ManualStep
from left_intact.core.model.update import State
from left_intact.tui.screens.back import BackDialog
from left_intact.tui.screens.proof import ProofScreen
from left_intact.tui.screens.shelf import ShelfScreen
from left_intact.tui.screens.waiting import WaitingScreen
from left_intact.tui.widgets.bars import StageLine
from left_intact.tui.widgets.lines import Lines
from left_intact.tui.widgets.stages import ChoiceRow, RungRow, StageRow
from tests.builders import LATER, SCRIPTS, Mock, plant, release
from tests.chains import MadeUp
from tests.routes.handhelds import Console
from tests.routes.ladders import STEPS, Rally
from tests.routes.test_around import commanded
from tests.tui.test_screens import press, running, settled, words


@pytest.fixture
def made(tmp_path: Path) -> MadeUp:
    made = MadeUp(tmp_path / "all")
    made.bench.updates.update(made.plan(), made.install)
    return made


async def test_the_shelf_and_the_stage_line_say_what_is_waited_for(made: MadeUp) -> None:
    async with running(made) as (app, pilot):  # type: ignore[arg-type]
        assert "waits for you" in words(app) and "start Mocklet once" in words(app)
        await press(app, pilot, "enter")
        assert isinstance(app.screen, WaitingScreen)
        shown = words(app)
        for text in (
            "start Mocklet once, then close it",
            "it makes the folder for its saves",
            "put the saves under the new key",
        ):
            assert text in shown
        stops = {stop.name: stop.says for stop in app.screen.query_one(StageLine).stops}
        assert stops["under way"] == "waits for you"
        await press(app, pilot, "3")
        assert isinstance(app.screen, WaitingScreen)  # nothing else can begin
        await press(app, pilot, "l")
        assert (
            isinstance(app.screen, WaitingScreen)
            and made.bench.records.history(made.install)[0].state is State.WAITING
        )


@pytest.mark.sampled(1)
@pytest.mark.parametrize("size", [(160, 50), (80, 24)])
async def test_strange_words_of_a_step_are_shown_as_they_are(tmp_path: Path, size: tuple[int, int]) -> None:
    made = MadeUp(tmp_path / "all")
    plan = made.plan()
    odd = {"asks": "start [@click=app.quit]it[/] \x1b[31monce", "why": "] it [red]makes\u202e a folder " * 9}
    stages = tuple(replace(stage, **odd) if isinstance(stage, ManualStep) else stage for stage in plan.stages)
    made.bench.updates.update(replace(plan, stages=stages), made.install)
    async with running(made, size) as (app, pilot):  # type: ignore[arg-type]
        for keys in ((), ("enter",), ("w",), ("question_mark",), ("escape", "escape", "y"), ("escape", "m")):
            await press(app, pilot, *keys)
            assert app.is_running and not {"\x1b", "\u202e"} & set(words(app)), keys
            if keys == ("enter",):
                assert isinstance(app.screen, WaitingScreen) and "[@click=app.quit]it[/]" in words(app)


async def test_it_goes_on_once_the_step_was_done(made: MadeUp) -> None:
    async with running(made) as (app, pilot):  # type: ignore[arg-type]
        await press(app, pilot, "enter")
        made.start_once()
        await press(app, pilot, "l")
        assert isinstance(app.screen, ProofScreen) and "I N T A C T" in words(app)
    assert made.bench.records.history(made.install)[0].state is State.ON_TRIAL


async def test_it_looks_by_itself(made: MadeUp) -> None:
    async with running(made) as (app, pilot):  # type: ignore[arg-type]
        await press(app, pilot, "enter")
        made.start_once()
        screen = app.screen
        assert isinstance(screen, WaitingScreen)
        screen.look_by_itself()
        await settled(app, pilot)
        assert isinstance(app.screen, ProofScreen)


async def test_giving_up_leaves_it_on_trial(made: MadeUp) -> None:
    async with running(made) as (app, pilot):  # type: ignore[arg-type]
        await press(app, pilot, "enter", "x", "enter")
        assert (
            isinstance(app.screen, ShelfScreen)
            and made.bench.records.history(made.install)[0].state is State.ON_TRIAL
        )


async def test_a_question_of_a_later_stage_is_answered_here(tmp_path: Path) -> None:
    from dataclasses import replace

    made = MadeUp(tmp_path / "all")
    plan = made.plan()
    later = plan.stages[2]
    narrow = replace(later, consent=replace(later.consent, roots=("saves",)))  # type: ignore[union-attr, type-var]
    made.bench.updates.update(replace(plan, stages=(*plan.stages[:2], narrow)), made.install)
    made.start_once()
    assert made.bench.updates.go_on(made.install).waits
    async with running(made) as (app, pilot):  # type: ignore[arg-type]
        await press(app, pilot, "enter")
        assert "lay" in words(app) and "leave" in words(app) and "was not spoken of" in words(app)
        await press(app, pilot, "enter")
        assert isinstance(app.screen, ProofScreen)
    assert (made.new / "memory/old.blk").exists()


@pytest.mark.sampled(1)
@pytest.mark.parametrize("size", [(160, 50), (80, 24)])
async def test_the_way_back_is_shown_before_it_is_gone(mock: Mock, size: tuple[int, int]) -> None:
    mock.edit({"mocklet.ini": "[video]\nsmooth = off\nscale = 2\n\n[sound]\nrate = 22050\n"})
    mock.arrive(
        release("1.1", **{"mocklet.ini": "[video]\nsmooth = on\nscale = 3\n\n[sound]\nrate = 22050\n"})
    )
    mock.update()
    plant(mock.root, {"mocklet.ini": "[video]\nsmooth = maybe\n"}, mtime=LATER + 99)
    async with running(mock, size) as (app, pilot):
        await press(app, pilot, "p", "g")
        assert isinstance(app.screen, BackDialog)
        shown = words(app)
        assert (
            "come back in place" in shown
            and "1 file changed since the update" in shown
            and "mocklet.ini" in shown
        )
        await press(app, pilot, "escape")
        assert isinstance(app.screen, ProofScreen) and mock.read("VERSION") == "1.1\n"
        await press(app, pilot, "g", "u", "enter", "escape")
        assert isinstance(app.screen, ShelfScreen)
    assert mock.read("VERSION") == "1.0\n" and mock.read("mocklet.ini") == "[video]\nsmooth = maybe\n"


async def test_one_damaged_journal_is_said_on_its_row_alone(mock: Mock, tmp_path: Path) -> None:
    mock.arrive(release("1.1"))
    mock.update()
    other = plant(tmp_path / "other", release("1.0"))
    mock.bench.surveys.survey(mock.bench.shelf.find(str(other)))
    Path(mock.bench.records.strongbox(mock.install).journal_path).write_bytes(
        b"SQLite format 3\0" + b"\xff" * 8000
    )
    async with running(mock) as (app, pilot):
        assert "cannot be opened" in words(app) and "restore by hand" in words(app)
        await press(app, pilot, "enter")
        assert isinstance(app.screen, ShelfScreen)
        await press(app, pilot, "down", "enter")
        assert not isinstance(app.screen, ShelfScreen)


@pytest.mark.sampled(1)
@pytest.mark.parametrize("size", [(160, 50), (80, 24)])
async def test_an_install_that_is_gone_says_what_can_still_be_had(
    tmp_path: Path, size: tuple[int, int]
) -> None:
    console = Console(tmp_path)
    console.device.remove("Gullnade")
    async with running(console, size) as (app, pilot):  # type: ignore[arg-type]
        await press(app, pilot, "enter")
        assert "its folder is gone" in words(app) and "4 saves: the strongbox has a copy of none" in words(
            app
        )
        await press(app, pilot, "enter")
        assert isinstance(app.screen, ShelfScreen)


@pytest.mark.sampled(1)
@pytest.mark.parametrize("size", [(160, 50), (80, 24)])
async def test_what_is_saved_is_chosen_line_by_line_and_the_steps_stand_in_their_order(
    tmp_path: Path, size: tuple[int, int]
) -> None:
    console = Console(tmp_path)
    arrival = console.bench.surveys.arrival(console.install, str(console.new))
    console.bench.shelf.set_waiting(console.install, arrival)
    async with running(console, size) as (app, pilot):  # type: ignore[arg-type]
        await press(app, pilot, "u", "3")
        lines = app.screen.query_one("#crossing", Lines)
        chosen = [row.key for row in lines.rows if isinstance(row, ChoiceRow)]
        assert chosen == ["question:save-saves", "question:save-states", "question:save-settings"]
        assert [row.stage.kind for row in lines.rows if isinstance(row, StageRow)] == [
            *("carry", "hand", "hand", "hand", "hand", "later"),
        ]
        lines.go_to("question:save-states")
        await press(app, pilot, "enter")
        assert "1, 404 B" in words(app) or "will be gone" in words(app)
        lines.go_to("stage:2")
        await pilot.pause()
        plan = app.screen.desk.plan  # type: ignore[attr-defined]
        assert any(fault.code == "not-saved" for fault in plan.warnings)
        await press(app, pilot, "c")
        await press(app, pilot, "c")
        assert isinstance(app.screen, WaitingScreen)
    saved = console.bench.records.history(console.install)[0]
    assert saved.state is State.WAITING


@pytest.mark.sampled(1)
@pytest.mark.parametrize("size", [(160, 50), (80, 24)])
async def test_a_ladder_is_drawn_from_the_ground_up(tmp_path: Path, size: tuple[int, int]) -> None:
    rally = Rally(tmp_path, {k: v for k, v in STEPS.items() if "1.06" not in k})
    rally.bench.shelf.set_waiting(rally.install, rally.bench.surveys.arrival(rally.install, str(rally.came)))
    async with running(rally, size) as (app, pilot):  # type: ignore[arg-type]
        await press(app, pilot, "u", "3")
        lines = app.screen.query_one("#crossing", Lines)
        rungs = [(row.rung.version, row.rung.state.value) for row in lines.rows if isinstance(row, RungRow)]
        assert rungs == [
            ("1.04", "here now"),
            ("1.05", "not needed"),
            ("1.06", "missing"),
            ("1.08", "out of reach"),
            ("1.09", "out of reach"),
        ]
        assert "the update to 1.06 is missing" in words(app)
        lines.go_to("question:how-far")
        await press(app, pilot, "left")
        assert list(app.screen.desk.plan.climb.steps)  # type: ignore[attr-defined]
        await press(app, pilot, "c")
        assert "I N T A C T" in words(app)
    assert rally.read("VERSION") == "1.05\n"


@SCRIPTS
async def test_a_command_is_run_by_one_key_once_it_was_allowed(tmp_path: Path) -> None:
    mock = commanded(Mock(tmp_path))
    mock.update()
    async with running(mock) as (app, pilot):
        await press(app, pilot, "enter")
        assert "r has it done: ./mocklet-caches --quietly" in words(app)
        await press(app, pilot, "r")
        assert "without asking again" in words(app)
        await press(app, pilot, "enter")
        assert isinstance(app.screen, ProofScreen)
    assert mock.read("cache/built") == "built --quietly\n"


async def test_what_went_on_elsewhere_meanwhile_is_noticed(made: MadeUp) -> None:
    async with running(made) as (app, pilot):  # type: ignore[arg-type]
        await press(app, pilot, "enter")
        screen = app.screen
        assert isinstance(screen, WaitingScreen)
        made.start_once()
        made.bench.updates.go_on(made.install)
        screen.look_by_itself()
        await settled(app, pilot)
        assert isinstance(app.screen, ShelfScreen)
