"""Journals and libraries of version 0.1 open, prove, recover and go back; what a newer version wrote is
refused in one line.
"""

from __future__ import annotations

import json
import os
import sqlite3
import sys
import tarfile
from hashlib import sha256
from pathlib import Path

import pytest

from left_intact.core.carrying.heads import make_journal
from left_intact.core.carrying.journal import Journal
from left_intact.core.library.store import Library
from left_intact.core.model.errors import LeftIntactError
from left_intact.core.model.proof import Verdict
from left_intact.core.model.update import State
from left_intact.demo.unattended import snapshot
from left_intact.workbench import Workbench

FIXTURE = Path(__file__).parents[1] / "fixtures" / "journal-0.1.tar.xz"
WAS = "/tmp/fx/PLACE-OF-THE-FIXTURE"
CASES = ("trial", "cut-staging", "cut-laying", "cut-back")

pytestmark = pytest.mark.skipif(
    sys.platform == "win32", reason="version 0.1 carried nothing out on this system"
)


class Old:
    """One folder of the fixture, unpacked, with its databases led to where it lies now."""

    def __init__(self, folder: Path, name: str) -> None:
        with tarfile.open(FIXTURE) as archive:
            archive.extractall(
                folder, [m for m in archive if m.name.startswith(f"fixture/{name}/")], filter="fully_trusted"
            )
        self.folder = folder / "fixture" / name
        self.root, self.home = self.folder / "mocklet", self.folder / "home"
        here = str(self.folder)
        box = next((self.folder / ".left-intact").iterdir())
        for path in (self.home / "library.sqlite", box / "journal.sqlite"):
            _lead(path, f"{WAS}/{name}", here)
        box.rename(box.parent / f"mocklet-{sha256(os.fsencode(str(self.root))).hexdigest()[:8]}")
        self.bench = Workbench(str(self.home))
        self.install = self.bench.shelf.find("mocklet")
        said = json.loads((self.folder / "before.json").read_text())
        self.before = {path: tuple(values) for path, values in said.items()}

    def state(self) -> dict[str, tuple[str, ...]]:
        return {
            path: tuple(str(value) for value in values) for path, values in snapshot(str(self.root)).items()
        }

    def is_as_before(self) -> bool:
        """The whole tree; a tar keeps the times of folders to a millionth of a second only."""
        now = self.state()
        return now.keys() == self.before.keys() and all(
            _alike(path, now[path], self.before[path]) for path in now
        )

    @property
    def journal(self) -> Path:
        return next((self.folder / ".left-intact").glob("*/journal.sqlite"))


def _alike(path: str, one: tuple[str, ...], other: tuple[str, ...]) -> bool:
    if not path.endswith("/"):
        return one == other
    return one[:-1] == other[:-1] and abs(int(one[-1]) - int(other[-1])) < 1000


def _lead(path: Path, was: str, here: str) -> None:
    db = sqlite3.connect(path)
    for (table,) in db.execute("SELECT name FROM sqlite_master WHERE type = 'table'").fetchall():
        for _, column, *_ in db.execute(f"PRAGMA table_info({table})").fetchall():
            for kind in ("TEXT", "BLOB"):
                query = (
                    f"UPDATE {table} SET {column} = CAST(replace(CAST({column} AS TEXT), ?, ?) AS {kind}) "
                )
                db.execute(
                    query + f"WHERE typeof({column}) = ? AND instr({column}, CAST(? AS {kind}))",
                    (was, here, kind.lower(), was),
                )
    db.commit()
    db.close()


@pytest.mark.parametrize("name", CASES)
def test_the_fixture_is_what_it_says(tmp_path: Path, name: str) -> None:
    """Of version 0.1: the old tables, the old numbers."""
    with tarfile.open(FIXTURE) as archive:
        archive.extractall(
            tmp_path, [m for m in archive if m.name.startswith(f"fixture/{name}/")], filter="fully_trusted"
        )
    folder = tmp_path / "fixture" / name
    for path, number in (
        (folder / "home/library.sqlite", 3),
        (next(folder.glob(".left-intact/*/journal.sqlite")), 2),
    ):
        db = sqlite3.connect(path)
        assert db.execute("PRAGMA user_version").fetchone()[0] == number
        db.close()


def test_an_update_on_trial_proves_and_goes_back(tmp_path: Path) -> None:
    old = Old(tmp_path, "trial")
    assert [u.state for u in old.bench.updates.history(old.install)] == [State.ON_TRIAL, State.SETTLED]
    proof = old.bench.updates.prove(old.install).proof
    assert proof.verdict is Verdict.INTACT and proof.merged
    back = old.bench.updates.back.go(old.install)
    assert back.proof is not None and back.proof.verdict is Verdict.INTACT and not back.missing
    assert old.is_as_before()
    assert [u.state for u in old.bench.updates.history(old.install)] == [State.GONE_BACK, State.SETTLED]


def test_an_update_on_trial_settles_and_the_next_goes_in(tmp_path: Path) -> None:
    old = Old(tmp_path, "trial")
    assert old.bench.updates.settle(old.install).freed > 0
    draft = old.bench.updates.draft(old.install, str(old.folder / "mocklet-1.1.zip"))
    assert {fault.code for fault in draft.plan().blockers} == {"older-version"}


@pytest.mark.parametrize("name", CASES[1:])
@pytest.mark.parametrize("forward", [True, False, None])
def test_what_was_cut_off_is_ended_either_way(tmp_path: Path, name: str, forward: bool | None) -> None:
    old = Old(tmp_path, name)
    assert [i.name for i, _ in old.bench.shelf.interrupted()] == ["Mocklet"]
    update = old.bench.updates.recover(old.install, forward)
    in_force = forward if forward is not None else name == "cut-laying"
    assert update.state is (
        State.ON_TRIAL if in_force else State.GONE_BACK if name == "cut-back" else State.ABANDONED
    )
    if in_force:
        assert old.bench.updates.prove(old.install).proof.verdict is Verdict.INTACT
        old.bench.updates.back.go(old.install)
    assert old.is_as_before()
    assert not old.bench.shelf.interrupted() and not list(old.folder.rglob("work-*"))


def test_a_library_of_old_keeps_what_it_knew(tmp_path: Path) -> None:
    old = Old(tmp_path, "trial")
    base = old.bench.surveys.library.baseline(old.install, 2)
    assert base is not None and base.version_text == "1.2" and base.entries["mocklet"].digest
    assert old.bench.surveys.library.proof(old.install, 2) is not None


@pytest.mark.parametrize("which", ["journal", "library"])
def test_a_file_of_a_newer_version_is_refused_in_one_line(tmp_path: Path, which: str) -> None:
    path = str(tmp_path / f"{which}.sqlite")
    if which == "journal":
        make_journal(path)
    made = Journal(path) if which == "journal" else Library(str(tmp_path))
    made.close()
    db = sqlite3.connect(path)
    db.execute("PRAGMA user_version = 99")
    db.close()
    with pytest.raises(LeftIntactError) as error:
        Journal(path) if which == "journal" else Library(str(tmp_path))
    assert (
        error.value.code == f"{which}-newer" and "99" in error.value.line() and "\n" not in error.value.line()
    )


def test_records_may_grow(tmp_path: Path) -> None:
    """A field that this version does not know is passed over; one that is missing has a meaning."""
    from left_intact.core.model.packing import entries_from_columns, entry_from_record

    entry = entry_from_record({"path": "a", "kind": "file", "mode": 420, "colour": "blue"})
    assert entry is not None and entry.bytes == 0
    said = {"v": 2, "fields": ["path", "kind", "mode", "colour"], "rows": [["a", "file", 420, "blue"]]}
    assert entries_from_columns(said) == [entry]


def test_the_journal_is_readable_by_its_owner_alone(tmp_path: Path) -> None:
    old = Old(tmp_path, "trial")
    os.chmod(old.journal, 0o644)
    os.chmod(old.journal.parent, 0o755)
    os.chmod(old.home, 0o755)
    os.chmod(old.home / "library.sqlite", 0o644)
    bench = Workbench(str(old.home))
    bench.updates.settle(bench.shelf.find("mocklet"))
    for path in (old.journal.parent, old.journal.parent.parent, old.home):
        assert path.stat().st_mode & 0o077 == 0, path
    for path in (old.journal, old.home / "library.sqlite"):
        assert path.stat().st_mode & 0o777 == 0o600, path
