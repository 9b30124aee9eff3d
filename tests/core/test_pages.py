"""Pages, the two processes that fill them, and their rows in the library."""

from __future__ import annotations

import os
import sqlite3
import threading
from array import array
from pathlib import Path

import psutil
import pytest

from left_intact.core.files import workers
from left_intact.core.files.roots import absolute, read_roots, roots_reader
from left_intact.core.files.tree import first_bytes, read_tree
from left_intact.core.files.workers import share_out
from left_intact.core.library.verdict_rows import (
    table_from_row,
    table_to_row,
    verdicts_from_row,
    verdicts_to_row,
)
from left_intact.core.model.entry import Entry, Kind
from left_intact.core.model.errors import LeftIntactError
from left_intact.core.model.page_packing import pages_from_bytes, pages_to_bytes
from left_intact.core.model.pages import COLUMNS, Page, pages_of
from left_intact.core.model.place import At
from left_intact.core.model.progress import CancelToken
from left_intact.core.survey.classify import sort_out
from left_intact.core.survey.inputs import SurveyInputs
from tests import disks
from tests.builders import FORKS, STAMPS, Mock, plant

ODD = {
    "a.txt": "1",
    "b/c/d.ini": "[x]\ny = 1\n",
    "b/e": b"\xff" * 600,
    "empty": None,
    "link": ("link", "nowhere"),
    "z/": None,
}


def double(common: int, task: int) -> int:
    return common + task * 2


def die_once(common: str, task: int) -> int:
    """A worker that does not survive its third task, unless it is done here."""
    if task == 2 and os.getpid() != int(common):
        os._exit(9)
    return task


def test_work_is_shared_out_and_all_of_it_comes_back() -> None:
    tasks = list(range(300))
    done = dict(share_out(double, 7, tasks, CancelToken()))
    assert done == {n: 7 + 2 * n for n in tasks}
    assert list(share_out(double, 1, [5], CancelToken())) == [(0, 11)] and not list(
        share_out(double, 1, [], CancelToken())
    )


def test_a_process_that_dies_costs_nothing_but_time() -> None:
    done = dict(share_out(die_once, str(os.getpid()), list(range(12)), CancelToken()))
    assert done == {n: n for n in range(12)}


@STAMPS
@pytest.mark.parametrize("start", ["_fork", "_spawn"])
def test_both_ways_of_starting_helpers(start: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    root = plant(
        tmp_path / "many", {f"f{n % 90}/g{n % 3}/x{n}.dat": bytes([n % 251]) * (n % 900) for n in range(900)}
    )
    alone = {e.path: e for e in read_tree(str(root)).entries}
    disks.starts_helpers(monkeypatch, forks=start == "_fork")
    shared = read_tree(str(root))
    assert shared.by_path() == alone and len(shared.pages) == len({page.folder for page in shared.pages})
    (root / "f1/g1/x1.dat").write_bytes(b"other")
    again = read_tree(str(root), known={page.folder: page for page in shared.pages})
    changed = [a.folder for a, b in zip(again.pages, shared.pages, strict=True) if a is not b]
    assert changed == ["f1/g1"] and again.by_path()["f1/g1/x1.dat"].bytes == 5


def test_stopping_ends_the_helpers(tmp_path: Path) -> None:
    token = CancelToken()
    outcomes = share_out(double, 0, list(range(50)), token)
    next(outcomes)
    token.cancel()
    with pytest.raises(LeftIntactError) as error:
        list(outcomes)
    assert error.value.code == "stopped"


@STAMPS
def test_a_fault_meanwhile_leaves_no_helper_behind(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    root = plant(tmp_path / "many", {f"f{n}/x.dat": bytes([n]) * 9 for n in range(90)})
    disks.starts_helpers(monkeypatch)
    before = set(psutil.Process().children())

    def broken() -> dict[str, Page]:
        raise RuntimeError("the library is gone")

    with pytest.raises(RuntimeError):
        read_tree(str(root), known=broken)
    assert set(psutil.Process().children()) == before


def test_pages_and_entries_say_the_same(tmp_path: Path) -> None:
    root = plant(tmp_path / "x", {k: v for k, v in ODD.items() if k != "z/"})
    tree = read_tree(str(root))
    again = pages_of(tree.entries, {f.path: f for f in tree.folders})
    entries = sorted((e for page in again for e in page.entries()), key=lambda e: e.path)
    assert [(e.path, e.kind, e.digest, e.format, e.link, e.mtime_ns) for e in entries] == [
        (e.path, e.kind, e.digest, e.format, e.link, e.mtime_ns) for e in tree.entries
    ]
    page = next(p for p in tree.pages if p.folder == "b")
    assert (
        page.numbers[1::COLUMNS] == array("q", [600]) and page.path(0) == "b/e" and page.entry(0).bytes == 600
    )


def test_rows_of_the_library_come_back_whole(tmp_path: Path) -> None:
    root = plant(tmp_path / "x", {k: v for k, v in ODD.items() if k != "z/"})
    with open(os.fsencode(root) + b"/\xff\xfe.sav", "wb") as file:
        file.write(b"odd")
    tree = read_tree(str(root))
    for page in tree.pages:
        (back,) = pages_from_bytes(pages_to_bytes([page]))
        assert list(back.entries()) == list(page.entries()) and back.same_stamps(page)
    with pytest.raises(ValueError, match="no pages"):
        pages_from_bytes(pages_to_bytes(tree.pages) + b"x")
    found = sort_out(tree.pages, SurveyInputs())
    assert table_from_row(table_to_row(found.table)) == found.table
    assert all(verdicts_from_row(verdicts_to_row(v)) == v for v in found.verdicts)


def test_sorting_with_helpers_gives_the_same(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    from tests.corpus.draw import TUNING, draw

    install, _ = draw(TUNING[0]).lay(tmp_path)
    tree = read_tree(str(install))
    alone = sort_out(tree.pages, SurveyInputs())
    disks.starts_helpers(monkeypatch, forks=True)
    shared = sort_out(tree.pages, SurveyInputs())
    assert tuple(shared) == tuple(alone) and shared.totals() == alone.totals()


def test_a_fault_is_kept_as_one(tmp_path: Path) -> None:
    page = Page(folder="shut", fault="permission denied")
    (back,) = pages_from_bytes(pages_to_bytes([page]))
    assert [e.kind for e in back.entries()] == [Kind.FAULT] and back.fault == "permission denied"
    entry = Entry(path="x/locked", kind=Kind.FAULT, fault="no", bytes=5)
    assert next(iter(pages_of([entry])[0].entries())).kind is Kind.FAULT


@STAMPS
def test_a_survey_again_reads_nothing_and_writes_nothing(mock: Mock, monkeypatch: pytest.MonkeyPatch) -> None:
    first = mock.bench.surveys.survey(mock.install)
    opened: list[str] = []
    real = os.open
    monkeypatch.setattr(os, "open", lambda p, *m, **n: (opened.append(str(p)), real(p, *m, **n))[1])
    before = mock.bench.surveys.library.before(mock.install)
    again = mock.bench.surveys.survey(mock.install)
    assert not opened and again.totals() == first.totals() and tuple(again.findings) == tuple(first.findings)
    assert again.readings == first.readings and again.platform == first.platform
    after = mock.bench.surveys.library.before(mock.install)
    assert after.contexts == before.contexts and after.pages.keys() == before.pages.keys()
    mock.bench.surveys.rule(mock.install, "saves/", first.findings[0].file_class)
    assert mock.bench.surveys.survey(mock.install).findings.find(
        At("", "saves/mill.sav")
    ) != first.findings.find(At("", "saves/mill.sav"))


def test_what_was_left_and_cannot_be_read_is_read_anew(mock: Mock) -> None:
    first = mock.bench.surveys.survey(mock.install)
    with sqlite3.connect(mock.bench.surveys.library.path) as db:
        db.execute("UPDATE surveyed SET pages = x'0102'")
    assert mock.bench.surveys.survey(mock.install).totals() == first.totals()


@STAMPS
def test_several_roots_are_one_tree(tmp_path: Path) -> None:
    root, apart = (
        plant(tmp_path / "a", {"run": "1", "x/y": "2"}),
        plant(tmp_path / "b", {"z.ini": "k = 1\n", "w/v": "3"}),
    )
    roots = [("settings", str(apart)), ("gone", str(tmp_path / "nowhere"))]
    tree = read_roots(str(root), roots)
    assert {entry.at for entry in tree.entries} == {
        At("", "run"),
        At("", "x/y"),
        At("settings", "z.ini"),
        At("settings", "w/v"),
        At("gone", ""),
    }
    again = read_roots(str(root), roots[:1], known=lambda: {p.at: p for p in tree.pages})
    assert all(any(page is old for old in tree.pages) for page in again.pages)
    read = roots_reader(str(root), roots)
    assert read(At("settings", "z.ini")) == b"k = 1\n" and read(At("", "x/y")) == b"2"
    assert read(At("settings", "none")) is None
    assert absolute(str(root), roots, At("settings", "w/v")) == str(apart / "w/v")
    assert absolute(str(root), roots, At("", "x/y")) == str(root / "x/y")


def test_first_bytes_follow_no_link(tmp_path: Path) -> None:
    root = plant(tmp_path / "x", {"a": "12345", "l": ("link", "a")})
    assert first_bytes(str(root / "a"), 3) == b"123" and first_bytes(str(root / "l"), 3) is None
    assert first_bytes(str(root), 3) is None and first_bytes(str(root / "none"), 3) is None


@FORKS
def test_forks_only_where_there_is_one_thread() -> None:
    assert workers.forks() is (threading.active_count() == 1)


def test_where_no_time_tells_of_writes_everything_is_read_again(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A file written over with equal size and times, as a system without change times shows it."""
    from left_intact.core.files.tree import read_tree

    root = plant(tmp_path / "r", {"a": "one", "b/c": "two"})
    pages = {page.folder: page for page in read_tree(str(root)).pages}
    for page in pages.values():
        page.digests = bytes(len(page.digests) - 1) + b"\1" if page.digests else b""
    disks.tells_change_times(monkeypatch, told=False)
    fresh = {e.path: e.digest for e in read_tree(str(root)).entries}
    assert {e.path: e.digest for e in read_tree(str(root), known=pages).entries} == fresh
    disks.tells_change_times(monkeypatch, told=True)
    assert {e.path: e.digest for e in read_tree(str(root), known=pages).entries} != fresh
