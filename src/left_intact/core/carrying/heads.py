"""The heads of a strongbox's journal: which runs there were and where they stand. What the shelf needs, and
no more.

The first thing on the screen asks this for every install, so nothing heavy is imported here.
"""

from __future__ import annotations

import os
import sqlite3
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, fields
from typing import Self

from left_intact.core.database import Database, Migration
from left_intact.core.files.private import take_name
from left_intact.core.model.facts import RunFacts
from left_intact.core.model.records import from_text, unpacked
from left_intact.core.model.update import UNFINISHED, RunKind, RunRecord, StageState, State, Update, WaitsFor


def _from_0_2(db: sqlite3.Connection) -> None:
    from left_intact.core.carrying.journal_of_0_2 import to_records

    to_records(db)


_TABLES = """
    CREATE TABLE updates (
        id INTEGER PRIMARY KEY, state TEXT NOT NULL, changed REAL NOT NULL, record TEXT NOT NULL);
    CREATE TABLE stages (
        update_id INTEGER NOT NULL, seq INTEGER NOT NULL, kind TEXT NOT NULL, state TEXT NOT NULL,
        record TEXT NOT NULL, PRIMARY KEY (update_id, seq));
    CREATE TABLE moves (
        update_id INTEGER NOT NULL, stage INTEGER NOT NULL, record BLOB NOT NULL,
        PRIMARY KEY (update_id, stage));
    CREATE TABLE steps (
        update_id INTEGER NOT NULL, stage INTEGER NOT NULL, seq INTEGER NOT NULL, record TEXT NOT NULL,
        content BLOB, PRIMARY KEY (update_id, stage, seq));
    CREATE TABLE folders (update_id INTEGER NOT NULL, stage INTEGER NOT NULL, record TEXT NOT NULL);
    CREATE TABLE witness (
        update_id INTEGER NOT NULL, stage INTEGER NOT NULL, record BLOB NOT NULL,
        PRIMARY KEY (update_id, stage));
    CREATE TABLE observed (
        update_id INTEGER NOT NULL, stage INTEGER NOT NULL, record BLOB NOT NULL,
        PRIMARY KEY (update_id, stage));
    CREATE TABLE kept (update_id INTEGER NOT NULL, record TEXT NOT NULL)
    """


def _tables(db: sqlite3.Connection) -> None:
    """Those of a new journal; one that only version 0.1 knew has tables of that name, and is refused."""
    if db.execute("SELECT count(*) FROM sqlite_master").fetchone()[0]:
        raise ValueError("version 0.1 wrote it, which this one does not read")
    for statement in _TABLES.split(";"):
        db.execute(statement)


_MIGRATIONS: tuple[Migration, ...] = ("", "", _tables, _from_0_2)


@dataclass(frozen=True, slots=True, kw_only=True)
class _Waits:
    """Of a stage no more than that it waits."""

    waits: WaitsFor | None = None


class Heads:
    """Opened for each use; full synchronisation, so that a commit is on the device."""

    def __init__(self, path: str) -> None:
        """Open it. Raises `journal-newer`, `journal-broken` (also where there is none), `journal-unreadable`,
        `no-room`.
        """
        self._base = _opened(path, makes=False)
        self._db = self._base.db

    def close(self) -> None:
        self._base.close()

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    @contextmanager
    def _rows(self, query: str, *values: object) -> Iterator[list[sqlite3.Row]]:
        with self._base.worded():
            yield self._db.execute(query, values).fetchall()

    # ------------------------------------------------------------ runs

    def update(self, update: int) -> Update:
        with self._rows("SELECT * FROM updates WHERE id = ?", update) as rows:
            return self._update(rows[0])

    def facts(self, update: int) -> RunFacts:
        """What is known of a run beside its stages."""
        with self._rows("SELECT record FROM facts WHERE update_id = ?", update) as rows:
            return unpacked(RunFacts, rows[0]["record"]) if rows else RunFacts()

    def _update(self, row: sqlite3.Row) -> Update:
        record, state, waits = from_text(RunRecord, row["record"]), State(row["state"]), None
        stages = self._db.execute(
            "SELECT state, record FROM stages WHERE update_id = ? ORDER BY seq", (row["id"],)
        ).fetchall()
        if state is State.WAITING:
            found = next((s for s in stages if s[0] == StageState.WAITING.value), None)
            waits = from_text(_Waits, found[1]).waits if found else None
        known = {field.name: getattr(record, field.name) for field in fields(record)}
        return Update(
            **known, id=row["id"], state=state, changed=row["changed"], waits=waits, stages=len(stages)
        )

    def runs(self) -> list[Update]:
        """All updates and goings back, newest first."""
        with self._rows("SELECT * FROM updates ORDER BY id DESC") as rows:
            return [self._update(row) for row in rows]

    def updates(self) -> list[Update]:
        """All updates, newest first; what took them back is told by their states."""
        return [run for run in self.runs() if run.kind is RunKind.UPDATE]

    def unfinished(self) -> Update | None:
        """The run that was cut off; a going back before the update that it takes back."""
        return unfinished_of(self.runs())

    def waiting(self) -> Update | None:
        """The run that waits for the person."""
        return waiting_of(self.runs())


def unfinished_of(runs: Sequence[Update]) -> Update | None:
    """Of all runs, newest first, the one that was cut off."""
    held = {n for run in runs if run.state is State.WAITING for n in run.undoes}
    found = [run for run in runs if run.state in UNFINISHED and run.id not in held]
    return next((run for run in found if run.kind is RunKind.BACK), found[0] if found else None)


def waiting_of(runs: Sequence[Update]) -> Update | None:
    """Of all runs the one that waits for the person."""
    return next((run for run in runs if run.state is State.WAITING), None)


def make_journal(path: str) -> None:
    """A journal in which nothing stands yet, where there is none. It has its name once it is whole, so that
    whoever looks meanwhile sees none, or a whole one.
    """
    if os.path.lexists(path):
        return
    part = f"{path}.part"  # whoever makes one holds the lock of its strongbox
    _opened(part, makes=True).close()
    take_name(part, path)


def _opened(path: str, *, makes: bool) -> Database:
    way = "Nothing was changed; docs/strongbox.md says how to restore by hand."
    return Database(path, "journal", _MIGRATIONS, way_out=way, makes=makes)
