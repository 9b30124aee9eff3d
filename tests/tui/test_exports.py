"""What a view shows is taken along by one key, to a path that is typed."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from textual.widgets import Input

from left_intact.charts.exports import EXPORTS, file_name
from left_intact.tui.screens.exporting import ExportDialog
from left_intact.tui.screens.history import HistoryScreen
from left_intact.tui.screens.plan import PlanScreen
from left_intact.tui.screens.proof import ProofScreen
from left_intact.tui.screens.survey import SurveyScreen
from left_intact.words import size
from tests.builders import Mock
from tests.tui.test_screens import press, running, waiting, words

__all__ = ["waiting"]

TO = {"shelf": (), "survey": ("enter",), "plan": ("u", "3"), "proof": ("p",), "history": ("y",)}
SCREENS = {"survey": SurveyScreen, "plan": PlanScreen, "proof": ProofScreen, "history": HistoryScreen}
BEGINS = {".svg": b"<?xml", ".pdf": b"%PDF", ".json": b"{", ".txt": b"20"}


@pytest.mark.sampled(0)
@pytest.mark.parametrize("size_of", [(160, 50), (80, 24)])
@pytest.mark.parametrize("view", EXPORTS)
async def test_every_export_of_a_view_is_written_where_one_says(
    waiting: Mock, tmp_path: Path, view: str, size_of: tuple[int, int]
) -> None:
    if view in ("proof", "history"):
        waiting.update()
    async with running(waiting, size_of) as (app, pilot):
        await press(app, pilot, *TO[view])
        assert view == "shelf" or isinstance(app.screen, SCREENS[view])
        for at, export in enumerate(EXPORTS[view]):
            await press(app, pilot, "e", *["down"] * at)
            assert isinstance(app.screen, ExportDialog) and export.says in words(app)
            line = app.screen.query_one(Input)
            assert line.value.endswith(file_name("Mocklet", view, export))
            target = tmp_path / f"{at}-יומן-{'x' * 180}{export.ending}"
            line.value = str(target)
            await press(app, pilot, "enter")
            assert not isinstance(app.screen, ExportDialog), words(app)
            assert target.read_bytes().startswith(BEGINS[export.ending])
            notes = [note.message for note in app._notifications]
            assert any(size(target.stat().st_size) in note for note in notes), notes


async def test_a_name_that_was_typed_keeps_all_but_its_ending(waiting: Mock, tmp_path: Path) -> None:
    async with running(waiting) as (app, pilot):
        await press(app, pilot, "e")
        line = app.screen.query_one(Input)
        line.value = str(tmp_path / "mine.svg")
        await press(app, pilot, "down")
        assert line.value == str(tmp_path / "mine.pdf")
        await press(app, pilot, "up", "up")
        assert line.value == str(tmp_path / "mine.txt")


async def test_what_cannot_be_written_is_said_and_the_path_can_be_mended(
    waiting: Mock, tmp_path: Path
) -> None:
    (tmp_path / "notes.txt").write_text("mine")
    async with running(waiting) as (app, pilot):
        await press(app, pilot, "e", "up")
        line = app.screen.query_one(Input)
        for path, says in (
            (tmp_path / "notes.txt", "nothing is written over"),
            (tmp_path / "no" / "folder.txt", "could not be written"),
        ):
            line.value = str(path)
            await press(app, pilot, "enter")
            assert isinstance(app.screen, ExportDialog) and says in " ".join(words(app).split())
        line.value = str(tmp_path / "shelf.txt")
        await press(app, pilot, "enter")
        assert "Mocklet" in (tmp_path / "shelf.txt").read_text()
    assert (tmp_path / "notes.txt").read_text() == "mine"


async def test_the_plan_is_exported_with_the_answers_that_are_marked(waiting: Mock, tmp_path: Path) -> None:
    async with running(waiting) as (app, pilot):
        await press(app, pilot, "u", "3", "tab", "space", "e", "up")
        app.screen.query_one(Input).value = str(tmp_path / "plan.txt")
        await press(app, pilot, "enter")
    said = (tmp_path / "plan.txt").read_text()
    assert "Mocklet  1.0 → 1.1  in-place" in said
    (line,) = [line for line in said.splitlines() if line.startswith("  * ")]
    (other,) = [line for line in said.splitlines() if line.startswith("    ") and ":" in line][:1]
    assert "arriving" in line and "yours" in other, said


async def test_a_report_from_history_is_of_the_run_at_the_cursor(waiting: Mock, tmp_path: Path) -> None:
    waiting.update()
    waiting.bench.updates.back.go(waiting.install)
    async with running(waiting) as (app, pilot):
        await press(app, pilot, "y", "down", "e", "down", "down", "down")
        app.screen.query_one(Input).value = str(tmp_path / "it.json")
        await press(app, pilot, "enter")
    account = json.loads((tmp_path / "it.json").read_text())
    assert account["kind"] == "update" and account["to_version"] == "1.1"
