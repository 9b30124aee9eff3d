"""The survey's own ways: the quick queue, what is inside, lenses, watching a run, baselines, roots,
keepsheets, finding.
"""

from __future__ import annotations

import os
from pathlib import Path

import pytest
from textual.widgets import Input, TextArea

from left_intact.core.model.classes import FileClass
from left_intact.core.model.place import At
from left_intact.tui.look import DARK
from left_intact.tui.preview import preview_of
from left_intact.tui.screens.choosing import ChooseDialog, MenuDialog, SheetDialog, WatchDialog
from left_intact.tui.screens.dialogs import FindDialog
from left_intact.tui.screens.queue import QueueScreen
from left_intact.tui.screens.shelf import ShelfScreen
from left_intact.tui.screens.survey import LENSES, EntryRow, SurveyScreen
from left_intact.tui.widgets.lines import Lines
from tests.builders import LATER, Mock, plant, release, zipped
from tests.corpus.makers import Maker
from tests.lived_in import emulator
from tests.tui.test_screens import press, running, settled, stage, words

C = FileClass


@pytest.fixture
def waiting(mock: Mock) -> Mock:
    odd = {f"odd/part{n}.qq": bytes([200 + n, 9, 7]) * (40 + n) for n in range(5)}
    mock.edit(
        {
            **odd,
            "mystery": b"\x91\x92\x93" * 7,
            "screenshots/a.png": Maker("x").picture(),
            "config/p.cfg": "[a]\nb = 1\n",
        }
    )
    mock.bench.surveys.survey(mock.install)
    return mock


async def test_the_queue_clears_the_unsorted_in_a_few_keys(waiting: Mock) -> None:
    async with running(waiting) as (app, pilot):
        await press(app, pilot, "enter", "q")
        assert isinstance(app.screen, QueueScreen)
        shown = words(app)
        assert (
            "these 5 are alike" in shown
            and "odd/*.qq" in shown
            and "inside part0.qq" in shown
            and "c8 09 07" in shown
        )
        await press(app, pilot, "space", "backspace", "v")
        assert "mystery" in words(app) and "1 group ruled" in words(app)
        await press(app, pilot, "x")
        assert isinstance(app.screen, SurveyScreen)
        survey = stage(app).desk.survey
        assert survey is not None and not survey.unsorted()
        assert {r.pattern: r.file_class for r in waiting.bench.surveys.rulings(waiting.install)} == {
            "odd/*.qq": C.SAVES,
            "mystery": C.EXTRAS,
        }
        await press(app, pilot, "q")
        assert isinstance(app.screen, SurveyScreen)


async def test_leaving_the_queue_keeps_what_was_ruled(waiting: Mock) -> None:
    async with running(waiting) as (app, pilot):
        await press(app, pilot, "enter", "q", "c", "escape")
        assert [r.pattern for r in waiting.bench.surveys.rulings(waiting.install)] == ["odd/*.qq"]


async def test_what_is_inside(waiting: Mock) -> None:
    async with running(waiting) as (app, pilot):
        await press(app, pilot, "enter", "slash", *"p.cfg", "enter", "f")
        assert "[a]" in words(app) and "text ini" in words(app)
        await press(app, pilot, "f")
        assert "the evidence" in words(app) and "[a]" not in words(app)


def test_previews_of_anything() -> None:
    look = DARK
    for data, file_format in (
        (b"", "empty"),
        (None, ""),
        (b"\x89PNG\r\n\x1a\nbroken", "png"),
        (b"a\tb\n" * 99, "text plain"),
        (bytes(300), "zeros"),
    ):
        assert preview_of(data, file_format, look) is not None
    assert "more" in str(preview_of(b"line\n" * 99, "text plain", look))
    assert "00 00" in str(preview_of(bytes(9), "zeros", look))


async def test_every_lens_shows_its_order(waiting: Mock) -> None:
    async with running(waiting) as (app, pilot):
        await press(app, pilot, "enter")
        screen = app.screen
        assert isinstance(screen, SurveyScreen)
        for lens in (*LENSES[1:], "folder"):
            await press(app, pilot, "l")
            assert screen.lens == lens and f"by {lens}" in words(app)
            found = [
                row.finding for row in screen.query_one("#tree", Lines).rows if isinstance(row, EntryRow)
            ]
            if lens == "certainty":
                assert [f.certainty for f in found] == sorted(f.certainty for f in found)
            elif lens == "size":
                assert [f.entry.bytes for f in found] == sorted((f.entry.bytes for f in found), reverse=True)
            elif lens == "time":
                assert [f.entry.mtime_ns for f in found] == sorted(
                    (f.entry.mtime_ns for f in found), reverse=True
                )


async def test_watching_a_run_that_is_started_here(waiting: Mock) -> None:
    waiting.edit({"go.sh": "#!/bin/sh\necho 'a = 1' > made.cfg\n"})
    async with running(waiting) as (app, pilot):
        await press(app, pilot, "enter", "m")
        assert isinstance(app.screen, MenuDialog) and "watch a run" in words(app)
        await press(app, pilot, "r")
        assert isinstance(app.screen, WatchDialog)
        app.screen.query_one(Input).value = "./go.sh"
        await press(app, pilot, "enter")
        assert isinstance(app.screen, SurveyScreen)
        survey = stage(app).desk.survey
        assert survey is not None and survey.findings.find(At("", "made.cfg")) is not None
        assert waiting.bench.surveys.library.runs(waiting.install)[At("", "made.cfg")][0] == "made"


async def test_watching_a_run_that_the_person_starts(waiting: Mock) -> None:
    async with running(waiting) as (app, pilot):
        await press(app, pilot, "enter", "m", "r")
        await pilot.press("enter")
        await pilot.pause()
        assert "use it, and quit it" in words(app)
        (waiting.root / "by hand.cfg").write_text("a = 1\n")
        await press(app, pilot, "enter")
        assert waiting.bench.surveys.library.runs(waiting.install).keys() >= {At("", "by hand.cfg")}


async def test_leaving_a_watch_writes_nothing_down(waiting: Mock) -> None:
    async with running(waiting) as (app, pilot):
        await press(app, pilot, "enter", "m", "r")
        await pilot.press("enter")
        await pilot.press("escape")
        await settled(app, pilot)
        assert isinstance(app.screen, SurveyScreen) and not waiting.bench.surveys.library.runs(
            waiting.install
        )


async def test_its_baseline_and_its_folders_elsewhere(waiting: Mock, tmp_path: Path) -> None:
    zipped(release("1.0"), tmp_path / "mocklet-1.0.zip")  # beside the install
    away = plant(tmp_path / "nobody" / ".config" / "mocklet", {"x.ini": "a = 1\n"}, mtime=LATER)
    async with running(waiting) as (app, pilot):
        await press(app, pilot, "enter", "m", "b")
        assert isinstance(app.screen, ChooseDialog) and "mocklet-1.0.zip" in words(app)
        below = app.desk_screen()
        assert isinstance(below, SurveyScreen) and below.unit == "files"  # the letter was the menu's alone
        await press(app, pilot, "enter")
        assert "baseline 1.0 on record" in words(app)
        await press(app, pilot, "m", "o")
        assert isinstance(app.screen, ChooseDialog) and "settings:" in words(app)
        await press(app, pilot, "space", "enter")
        assert dict(waiting.bench.surveys.library.roots(waiting.install)) == {"settings": str(away)}
        survey = stage(app).desk.survey
        assert survey is not None and survey.findings.find(At("settings", "x.ini")) is not None
        await press(app, pilot, "m", "o", "space", "enter")
        assert not waiting.bench.surveys.library.roots(waiting.install)


async def test_the_keepsheet_is_edited_and_a_bad_one_refused(waiting: Mock) -> None:
    async with running(waiting) as (app, pilot):
        await press(app, pilot, "enter", "m", "k")
        assert isinstance(app.screen, SheetDialog)
        area = app.screen.query_one(TextArea)
        area.text = 'format = 1\n[classes]\nmystery = "pets"\n'
        await press(app, pilot, "ctrl+s")
        assert isinstance(app.screen, SheetDialog) and "line 3" in words(app)
        area.text = 'format = 1\n[classes]\nmystery = "saves"\n'
        await press(app, pilot, "ctrl+e")
        assert "written to" in words(app)
        await press(app, pilot, "ctrl+s")
        found = stage(app).desk.survey.findings.find(At("", "mystery"))  # type: ignore[union-attr]
        assert found is not None and found.file_class is C.SAVES


async def test_installs_are_found_and_taken_up_from_the_shelf(waiting: Mock, tmp_path: Path) -> None:
    plant(tmp_path / "disk" / ".deep" / "kelvane-0.9", emulator("kelvane"))
    async with running(waiting) as (app, pilot):
        await press(app, pilot, "f")
        assert isinstance(app.screen, FindDialog)
        app.screen.query_one("#place", Input).value = str(tmp_path / "disk")
        await press(app, pilot, "enter")
        assert isinstance(app.screen, ChooseDialog) and "probably emulator" in words(app)
        await press(app, pilot, "space", "enter")
        assert isinstance(app.screen, ShelfScreen) and "Kelvane" in words(app)


@pytest.mark.sampled(1)
@pytest.mark.parametrize("size", [(160, 50), (80, 24)])
async def test_of_many_numbered_folders_the_one_that_something_came_for_is_first(
    waiting: Mock, tmp_path: Path, size: tuple[int, int]
) -> None:
    for number, tree in (("3104", {"other.bin": "x", "lib/a.so": "y"}), ("2207", release("1.0"))):
        plant(tmp_path / "prefixes" / number / "drive" / "tool", tree)
    donor = plant(tmp_path / "donor", release("1.1"))
    async with running(waiting, size) as (app, pilot):
        await press(app, pilot, "f")
        app.screen.query_one("#place", Input).value = str(tmp_path / "prefixes")
        await press(app, pilot, "tab")
        app.screen.query_one("#arrival", Input).value = str(tmp_path / "nowhere")
        await press(app, pilot, "enter")
        assert isinstance(app.screen, FindDialog) and "there is nothing at" in words(app)
        app.screen.query_one("#arrival", Input).value = str(donor)
        await press(app, pilot, "enter")
        assert isinstance(app.screen, ChooseDialog) and "of what came" in app.screen.choices[0].detail
        assert [choice.key for choice in app.screen.choices] == [
            str(tmp_path / "prefixes" / "2207" / "drive" / "tool")
        ]


@pytest.mark.sampled(1)
@pytest.mark.parametrize("size", [(160, 50), (80, 24)])
async def test_the_dialogs_fit(waiting: Mock, size: tuple[int, int]) -> None:
    async with running(waiting, size) as (app, pilot):
        for keys, said in (
            (("enter", "q"), "sorts them all"),
            (("escape", "m"), "keepsheet"),
            (("k",), "Ctrl+S"),
        ):
            await press(app, pilot, *keys)
            assert said in words(app)


async def test_a_survey_in_doubt_offers_what_would_help(mock: Mock) -> None:
    plant(mock.root, {f"lib/part{n}.dat": b"\x91" * (900 + n) for n in range(9)})
    lying = {path.relative_to(mock.root).as_posix(): path.read_bytes() for path in mock.root.rglob("*.dat")}
    for path in mock.root.rglob("*"):
        os.utime(path, (LATER, LATER))
    zipped(release("1.0") | lying, mock.folder / "mocklet-1.0.zip", "mocklet-1.0")
    mock.bench.surveys.survey(mock.install)
    async with running(mock) as (app, pilot):
        await press(app, pilot, "enter")
        shown = words(app)
        assert "tell nothing apart" in shown and "files stay unsorted" in shown
        assert "mocklet-1.0.zip on record" in shown and "would sort" in shown and "watch a run" in shown
        await press(app, pilot, "a")
        assert "tell nothing apart" not in words(app) and "baseline 1.0 on record" in words(app)
