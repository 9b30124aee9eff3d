"""Classes, certainty and evidence; rulings and keepsheets; patterns."""

from __future__ import annotations

import os
from pathlib import Path

import pytest

from left_intact.core.keepsheet.sheet import parse_sheet, read_sheet
from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Finding
from left_intact.core.model.errors import LeftIntactError
from left_intact.core.model.findings import SortedPages
from left_intact.core.model.place import At
from left_intact.core.survey.classify import scores
from left_intact.core.survey.inputs import SurveyInputs
from left_intact.core.survey.patterns import Pattern, matches
from left_intact.core.survey.read import survey_install
from left_intact.core.survey.spelling import normalised_name
from left_intact.core.survey.weights import weights
from left_intact.presentation.outline import alike, outline_of
from left_intact.tui.widgets.strip import widths_of
from tests.builders import LATER, THEIRS, Mock, plant, release

C = FileClass


def meant(ruled: dict[str, FileClass]) -> list[tuple[Pattern, FileClass]]:
    return [(Pattern.of(pattern, ()), kind) for pattern, kind in ruled.items()]


def classes(root: Path, **known: object) -> dict[str, Finding]:
    survey, _, _ = survey_install(str(root), SurveyInputs(**known))  # type: ignore[arg-type]
    return {f.at.shown: f for f in survey.findings}


@pytest.fixture
def install(tmp_path: Path) -> Path:
    root = plant(tmp_path / "mocklet", release("1.0"))
    more = {
        "config/pads.cfg": "a = 1\n",
        "memory cards/left.card": b"\x05" * 24000,
        "logs/run.log": "hello\n",
        "mods/night/texture.png": b"\x89PNG\r\n\x1a\n1234",
        "mystery": b"\x91\x92\x93" * 7,
    }
    return plant(root, THEIRS | more, mtime=LATER)


EXPECTED = {
    "mocklet": C.PROGRAM,
    "lib/libcore.so": C.PROGRAM,
    "docs/guide.html": C.PROGRAM,
    "saves/mill.sav": C.SAVES,
    "states/harbour.state": C.STATES,
    "games/harbour.cart": C.CONTENT,
    "config/pads.cfg": C.SETTINGS,
    "memory cards/left.card": C.SAVES,
    "logs/run.log": C.CACHE,
    "mods/night/texture.png": C.EXTRAS,
    "mystery": C.UNSORTED,
}


def test_an_ordinary_install_without_a_baseline(install: Path) -> None:
    found = classes(install)
    assert {path: found[path].file_class for path in EXPECTED} == EXPECTED
    assert all(0 <= f.certainty <= 1 for f in found.values())
    assert all(e.says and e.source for f in found.values() for e in f.why)


def test_the_baseline_speaks_loudest_of_the_evidence(mock: Mock) -> None:
    mock.edit(
        {
            "docs/guide.html": "<!doctype html>mine",
            "mocklet.ini": "[video]\nsmooth = off\n",
            "lib/own.so": b"\x7fELF" + bytes(60),
        }
    )
    base = mock.bench.surveys.arrival(mock.install, str(mock.base)).release
    found = classes(mock.root, baseline=base)
    assert found["docs/licence.txt"].certainty > weights().retire
    assert found["mocklet.ini"].file_class is C.SETTINGS
    assert (
        found["lib/own.so"].file_class is not C.PROGRAM or found["lib/own.so"].certainty < weights().replace
    )
    assert found["docs/guide.html"].certainty < weights().replace


def test_rulings_and_sheets(install: Path) -> None:
    found = classes(
        install,
        rulings=meant({"mystery": C.SAVES, "lib/*.so": C.EXTRAS}),
        sheet=meant({"docs/": C.CONTENT, "mystery": C.CACHE}),
    )
    assert found["mystery"].file_class is C.SAVES and found["mystery"].certainty > 0.99
    assert found["lib/libcore.so"].file_class is C.EXTRAS and found["docs/guide.html"].file_class is C.CONTENT
    later = classes(install, rulings=meant({"**": C.CACHE, "mystery": C.STATES}))
    assert later["mystery"].file_class is C.STATES and later["saves/mill.sav"].file_class is C.CACHE


@pytest.mark.parametrize(
    ("pattern", "path", "meets"),
    [
        ("saves/", "saves/a/b", True),
        ("saves/", "saves2/a", False),
        ("lib/*.so", "lib/a.so", True),
        ("lib/*.so", "lib/x/a.so", False),
        ("lib/**/a.so", "lib/x/y/a.so", True),
        ("lib/**/a.so", "lib/a.so", True),
        ("*.sav", "deep/x.sav", True),
        ("a.sav", "deep/a.sav", False),
        ("a?c", "abc", True),
        ("a[!b]c", "abc", False),
        ("**", "any/thing", True),
        ("x.(1)", "x.(1)", True),
        ("x+y/", "x+y/z", True),
    ],
)
def test_patterns(pattern: str, path: str, meets: bool) -> None:
    assert matches(pattern, path) is meets


def test_sums_groups_and_strips(install: Path) -> None:
    survey, _, _ = survey_install(str(install), SurveyInputs())
    outline, totals = outline_of(survey), survey.totals()
    assert outline.root.files == {c: t.files for c, t in totals.items() if t.files}
    assert outline.root.size == sum(t.bytes for t in totals.values())
    assert outline.folders[At("", "saves")].only_class is C.SAVES
    assert isinstance(survey.findings, SortedPages)
    groups, unsorted = alike(survey.findings), survey.unsorted()
    assert sum(group.count for group in groups) == len(unsorted)
    assert sum(group.bytes for group in groups) == sum(f.entry.bytes for f in unsorted)
    assert all(matches(group.pattern, f.at.shown) for group in groups for f in group.first)
    assert survey.findings.unsorted_places() == [f.at for f in unsorted]
    assert survey.findings.unsorted_places(1) == [f.at for f in unsorted][:1]
    for width in (8, 30, 100):
        cells = widths_of(outline.root.files, width)
        assert sum(cells.values()) == width and set(cells) == set(outline.root.files)
    assert (
        widths_of({}, 10) == {}
        and abs(sum(scores([]).values()) - 1) < 1e-9
        and normalised_name("Save States!") == "savestates"
    )


def test_a_keepsheet_is_read_and_a_bad_one_refused_with_its_line(tmp_path: Path) -> None:
    good = 'format = 1\n[classes]\n"tapes/" = "content"\n[[version]]\nfile = "V"\npattern = "(.*)"\n'
    good += '[[renamed]]\nfile = "a.ini"\nfrom = "x.y"\nto = "x.z"\n'
    sheet = parse_sheet(good, "here")
    assert sheet.classes == (("tapes/", C.CONTENT),) and sheet.renames_in("a.ini") == (("x.y", "x.z"),)
    for bad, word in (
        ("format = 1\n[classes]\na = 'pets'\n", "line 3"),
        ("format = [", "line 1"),
        ("format = 9\n", "line 1"),
        ("colour = 1", "format"),
    ):
        with pytest.raises(LeftIntactError) as error:
            parse_sheet(bad, "here")
        assert error.value.code == "bad-sheet" and word in error.value.line()
    with pytest.raises(LeftIntactError):
        read_sheet(str(tmp_path / "none.toml"))


def test_sorting_again_reads_nothing(mock: Mock, monkeypatch: pytest.MonkeyPatch) -> None:
    survey = mock.bench.surveys.survey(mock.install)
    mock.bench.surveys.rule(mock.install, "saves/", C.EXTRAS)
    again = mock.bench.surveys.sort_again(mock.install, survey)
    assert (
        again.totals()[C.EXTRAS].files == survey.totals()[C.EXTRAS].files + 2
        and mock.bench.surveys.met_by(survey, "saves/", 1)[1] == 2
    )
    mock.bench.surveys.unrule(mock.install, "saves/")
    assert mock.bench.surveys.sort_again(mock.install, again).totals()[C.SAVES].files == 2


def test_the_newest_save_is_none_that_only_names_a_title(mock: Mock) -> None:
    ids = {"saves/ids/7/title.txt": "Harbour\n", "saves/ids/7/card.bin": b"\x07" * 300}
    plant(mock.root, dict(ids), mtime=LATER + 60)
    os.utime(mock.root / "saves/ids/7/title.txt", (LATER + 90, LATER + 90))
    mock.bench.surveys.rule(mock.install, "saves/ids/", FileClass.SAVES)
    mock.bench.surveys.survey(mock.install)
    (row,) = mock.bench.shelf.rows()
    assert row.summary["newest_save"][0] == "saves/ids/7/card.bin"
