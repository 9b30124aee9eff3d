"""Journals and libraries of version 0.2 open, prove, recover both ways and go back; what a newer version
wrote is refused in one line.
"""

from __future__ import annotations

import json
import os
import sqlite3
import sys
import tarfile
from pathlib import Path
from typing import Any

import pytest

from left_intact.core.carrying.heads import make_journal
from left_intact.core.carrying.journal import Journal, Step
from left_intact.core.library.store import Library
from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Entry
from left_intact.core.model.errors import LeftIntactError
from left_intact.core.model.facts import IntoNewRoot
from left_intact.core.model.layers import Record
from left_intact.core.model.place import At
from left_intact.core.model.proof import Verdict
from left_intact.core.model.records import from_record, to_record
from left_intact.core.model.stages import Made, Verb
from left_intact.core.model.update import State
from left_intact.demo.unattended import snapshot
from left_intact.workbench import Workbench

FIXTURE = Path(__file__).parents[1] / "fixtures" / "journal-0.2.tar.xz"
WAS = "/tmp/fx/PLACE-OF-THE-FIXTURE"
CUT = ("cut-staging", "cut-laying", "cut-back")
CASES = ("trial", *CUT, "beside", "waits")

pytestmark = pytest.mark.skipif(
    sys.platform == "win32", reason="what was made on another system lies otherwise here"
)


class Old:
    """One folder of the fixture, unpacked, with its databases led to where it lies now."""

    def __init__(self, folder: Path, name: str) -> None:
        with tarfile.open(FIXTURE) as archive:
            members = [m for m in archive if m.name.startswith(f"fixture/{name}/")]
            archive.extractall(folder, members, filter="fully_trusted")
        for link in (m for m in members if m.issym()):
            when = int(float(link.mtime)) * 10**9
            os.utime(folder / link.name, ns=(when, when), follow_symlinks=False)
        self.folder, self.home = folder / "fixture" / name, folder / "fixture" / name / "home"
        here = str(self.folder)
        for path in (self.home / "library.sqlite", self.journal):
            _lead(path, f"{WAS}/{name}", here)
        _bind(self.home / "library.sqlite", self.journal)
        self.bench = Workbench(str(self.home))
        (self.install,) = self.bench.shelf.installs()
        self.before: dict[str, Any] = json.loads((self.folder / "before.json").read_text())

    def is_as_before(self, *roots: str) -> bool:
        """The whole tree; a tar keeps the times of folders to a millionth of a second only."""
        for root in roots or self.before:
            now, was = snapshot(str(self.folder / root)), self.before[root]
            if now.keys() != was.keys() or not all(_alike(p, [str(v) for v in now[p]], was[p]) for p in now):
                return False
        return True

    @property
    def journal(self) -> Path:
        return next(self.folder.rglob("journal.sqlite"))


def _alike(path: str, one: list[str], other: list[str]) -> bool:
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


def _bind(library: Path, journal: Path) -> None:
    """Folders that were unpacked have another inode than those that were packed."""

    def identity(place: str) -> list[int] | None:
        return [os.lstat(place).st_dev, os.lstat(place).st_ino] if os.path.isdir(place) else None

    db = sqlite3.connect(journal)
    places = []
    for number, record in db.execute("SELECT id, record FROM updates").fetchall():
        said = json.loads(record)
        for root in said["roots"]:
            root["identity"] = identity(root["place"])
        places.append(said["roots"][0]["place"])
        db.execute("UPDATE updates SET record = ? WHERE id = ?", (json.dumps(said), number))
    db.commit()
    db.close()
    db = sqlite3.connect(library)
    (root,) = db.execute("SELECT root FROM installs").fetchone()
    db.execute("UPDATE installs SET identity = ?", (json.dumps(identity(os.fsdecode(root))),))
    db.execute("UPDATE boxes SET folder = ?", (os.fsencode(journal.parent),))
    db.commit()
    db.close()
    card = journal.parent / "box.json"
    said = json.loads(card.read_text())
    said |= {"path": os.fsdecode(root), "identity": identity(os.fsdecode(root))}
    card.write_text(json.dumps(said))


@pytest.mark.parametrize("name", CASES)
def test_the_fixture_is_what_it_says(tmp_path: Path, name: str) -> None:
    """Of version 0.2: the old numbers, the old shape of a run."""
    with tarfile.open(FIXTURE) as archive:
        archive.extractall(
            tmp_path, [m for m in archive if m.name.startswith(f"fixture/{name}/")], filter="fully_trusted"
        )
    folder = tmp_path / "fixture" / name
    for path, number in ((folder / "home/library.sqlite", 9), (next(folder.rglob("journal.sqlite")), 3)):
        db = sqlite3.connect(path)
        assert db.execute("PRAGMA user_version").fetchone()[0] == number
        if path.name == "journal.sqlite":
            assert "inputs" in json.loads(db.execute("SELECT record FROM updates").fetchone()[0])
        db.close()


def test_an_update_on_trial_proves_and_goes_back(tmp_path: Path) -> None:
    old = Old(tmp_path, "trial")
    assert [u.state for u in old.bench.records.history(old.install)] == [State.ON_TRIAL, State.SETTLED]
    kinds = {f.at: f.file_class for f in old.bench.surveys.survey(old.install).findings}
    assert {At("memory", "quay.sav"), At("", "memory:/note.txt")} <= kinds.keys()
    proof = old.bench.updates.prove(old.install).proof
    assert proof.verdict is Verdict.INTACT and proof.things
    back = old.bench.updates.back.go(old.install)
    assert back.proof is not None and back.proof.verdict is Verdict.INTACT and not back.missing
    assert old.is_as_before()
    assert [u.state for u in old.bench.records.history(old.install)] == [State.GONE_BACK, State.SETTLED]


def test_an_update_on_trial_settles_and_the_next_goes_in(tmp_path: Path) -> None:
    old = Old(tmp_path, "trial")
    assert old.bench.updates.settle(old.install).freed > 0
    draft = old.bench.updates.draft(old.install, str(old.folder / "mocklet-1.1.zip"))
    assert {fault.code for fault in draft.plan().blockers} == {"older-version"}


@pytest.mark.parametrize("name", CUT)
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
        proof = old.bench.updates.prove(old.install).proof
        assert proof.verdict is Verdict.INTACT and proof.merged
        old.bench.updates.back.go(old.install)
    assert old.is_as_before()
    assert not old.bench.shelf.interrupted() and not list(old.folder.rglob("work-*"))


def test_one_in_a_folder_of_its_own_proves_and_goes_back(tmp_path: Path) -> None:
    old = Old(tmp_path, "beside")
    (update,) = old.bench.records.history(old.install)
    with Journal(str(old.journal)) as journal:
        assert isinstance(journal.facts(update.id).way, IntoNewRoot)
    assert old.bench.updates.prove(old.install).proof.verdict is Verdict.INTACT
    back = old.bench.updates.back.go(old.install)
    assert back.proof is not None and back.proof.verdict is Verdict.INTACT
    assert old.is_as_before() and old.bench.shelf.installs()[0].root == str(old.folder / "pier/mocklet-1.0")
    assert not (old.folder / "pier/mocklet-1.1").exists()


def test_one_that_waits_goes_on_and_goes_back(tmp_path: Path) -> None:
    """It waits for the removal; given up, all is as it was; gone on with, it waits for the next step."""
    old = Old(tmp_path / "one", "waits")
    ended = old.bench.updates.give_up(old.install)
    assert ended.state is State.ON_TRIAL and old.is_as_before()
    assert old.bench.updates.back.go(old.install).missing == () and old.is_as_before()
    old = Old(tmp_path / "two", "waits")
    root = Path(old.install.root)
    assert old.bench.updates.look(old.install)[0] is False
    for path in sorted(root.rglob("*"), reverse=True):
        path.rmdir() if path.is_dir() else path.unlink()
    root.rmdir()
    now = old.bench.updates.go_on(old.install)
    assert now.update.waits is not None and now.update.waits.step != "remove"


def test_a_library_keeps_what_it_knew(tmp_path: Path) -> None:
    old = Old(tmp_path, "trial")
    library = old.bench.surveys.library
    base = Record(library.layers(old.install, 2)).fold()
    assert base is not None and base.version_text == "1.2" and base.entries["mocklet"].digest
    assert library.proof(old.install, 2) is not None and dict(library.roots(old.install)).keys() == {"memory"}


def test_what_watched_runs_made_keeps_its_root(tmp_path: Path) -> None:
    """The label of a root stood in the path: in words, or with a mark before the colon."""
    old = Old(tmp_path, "trial")
    db = sqlite3.connect(old.home / "library.sqlite")
    db.execute("PRAGMA user_version = 9")
    db.execute("DROP TABLE watched")
    db.execute(
        "CREATE TABLE runs (install_id INTEGER, path BLOB, change TEXT, digest TEXT, seen REAL, "
        "PRIMARY KEY (install_id, path))"
    )
    for path in (b"memory:/quay.sav", b"memory\0:/deep/mill.sav", b"mocklet.ini", b"other:/x"):
        db.execute("INSERT INTO runs VALUES (1, ?, 'made', '', 0)", (path,))
    db.commit()
    db.close()
    assert Library(str(old.home)).runs(old.install).keys() == {
        At("memory", "quay.sav"),
        At("memory", "deep/mill.sav"),
        At("", "mocklet.ini"),
        At("", "other:/x"),
    }


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


def test_a_journal_of_version_0_1_is_refused_in_one_line(tmp_path: Path) -> None:
    path = tmp_path / "journal.sqlite"
    db = sqlite3.connect(path)
    db.execute("CREATE TABLE updates (id INTEGER PRIMARY KEY)")
    db.execute("PRAGMA user_version = 2")
    db.close()
    with pytest.raises(LeftIntactError) as error:
        Journal(str(path))
    assert error.value.code == "journal-broken" and "0.1" in error.value.line()


def test_records_may_grow() -> None:
    """A field that this version does not know is passed over; one that is missing has a meaning."""
    entry = from_record(Entry, {"path": "a", "kind": "file", "mode": 420, "colour": "blue"})
    assert entry == Entry(path="a", mode=0o644)
    step = Step(
        seq=3,
        at=At("x", "b\udcff"),
        verb=Verb.MERGE,
        file_class=FileClass.SETTINGS,
        before=entry,
        after=None,
        source=Made("aa", b"\xff\0", ()),
    )
    said = to_record(step)
    assert from_record(Step, {**json.loads(json.dumps(said)), "colour": "blue"}) == step
    with pytest.raises(ValueError, match="seq"):
        from_record(Step, {name: value for name, value in said.items() if name != "seq"})


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
