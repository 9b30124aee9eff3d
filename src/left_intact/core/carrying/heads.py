"""The heads of a strongbox's journal: which runs there were and where they stand. What the shelf needs, and
no more.

The first thing on the screen asks this for every install, so nothing heavy is imported here.
"""

from __future__ import annotations

import json
import os
import sqlite3
from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from typing import Any, Self

from left_intact.core.database import Database, Migration
from left_intact.core.files.private import take_name
from left_intact.core.model.effects import InstallMoved, ShelfEffect, effects_from_record, effects_of
from left_intact.core.model.place import Root, left_behind
from left_intact.core.model.update import UNFINISHED, RunKind, StageState, State, Update, WaitsFor


def _from_old_tables(db: sqlite3.Connection) -> None:
    from left_intact.core.carrying.old_journal import from_old_tables

    from_old_tables(db)


_VERSION_0_1 = (
    """
    CREATE TABLE updates (
        id INTEGER PRIMARY KEY, state TEXT NOT NULL, install TEXT NOT NULL, root TEXT NOT NULL,
        from_version TEXT NOT NULL, to_version TEXT NOT NULL, arrival TEXT NOT NULL,
        arrival_root TEXT NOT NULL, began REAL NOT NULL, changed REAL NOT NULL, merged TEXT NOT NULL);
    CREATE TABLE steps (
        update_id INTEGER NOT NULL, seq INTEGER NOT NULL, path TEXT NOT NULL, verb TEXT NOT NULL,
        class TEXT NOT NULL, before TEXT, after TEXT, content BLOB, PRIMARY KEY (update_id, seq));
    CREATE TABLE folders (
        update_id INTEGER NOT NULL, path TEXT NOT NULL, mode INTEGER NOT NULL, mtime_ns INTEGER NOT NULL);
    CREATE TABLE witness (
        update_id INTEGER NOT NULL, path TEXT NOT NULL, class TEXT NOT NULL, verb TEXT NOT NULL,
        before TEXT, agreed TEXT);
    CREATE INDEX witness_of ON witness (update_id);
    CREATE TABLE trial (update_id INTEGER NOT NULL, path TEXT NOT NULL, kept_at TEXT NOT NULL);
    """,
    "ALTER TABLE updates ADD COLUMN roots TEXT NOT NULL DEFAULT '[]'",
)
_MIGRATIONS: tuple[Migration, ...] = (*_VERSION_0_1, _from_old_tables)


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

    def inputs(self, update: int) -> Mapping[str, Any]:
        """What a run was begun with, beside its plan."""
        with self._rows("SELECT record FROM updates WHERE id = ?", update) as rows:
            found: Mapping[str, Any] = json.loads(rows[0]["record"]).get("inputs", {})
            return found

    def _update(self, row: sqlite3.Row) -> Update:
        said = json.loads(row["record"])
        state, waits = State(row["state"]), None
        stages = self._db.execute(
            "SELECT state, record FROM stages WHERE update_id = ? ORDER BY seq", (row["id"],)
        ).fetchall()
        if state is State.WAITING:
            found = next((s for s in stages if s[0] == StageState.WAITING.value), None)
            waits = waits_from(json.loads(found[1]).get("waits")) if found else None
        arrivals = tuple(
            (a["source"], a.get("root", ""), a.get("digest", "")) for a in said.get("arrivals", ())
        )
        first = arrivals[0] if arrivals else ("", "", "")
        roots = tuple(_root_from(r) for r in said["roots"])
        return Update(
            id=row["id"],
            state=state,
            install=said["install"],
            root=roots[0].place,
            from_version=said["from_version"],
            to_version=said["to_version"],
            arrival=said.get("inputs", {}).get("came_from") or first[0],
            arrival_root=first[1],
            began=said["began"],
            changed=row["changed"],
            kind=RunKind(said.get("kind", "update")),
            undoes=tuple(said.get("undoes", ())),
            roots=roots,
            arrivals=arrivals,
            route=said.get("route", ""),
            waits=waits,
            missing=tuple(said.get("missing", ())),
            notes=tuple(said.get("notes", ())),
            stages=len(stages),
            aimed=said.get("aimed", ""),
            effects=_effects(said, roots),
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


def _effects(said: Mapping[str, Any], roots: tuple[Root, ...]) -> tuple[ShelfEffect, ...]:
    """What a run does to the shelf; of one before that stood in journals, as its roots tell it."""
    if "effects" in said:
        return effects_from_record(said["effects"])
    behind = said.get("inputs", {}).get("behind")
    old = left_behind(roots)
    if not behind or not old:
        return ()
    return effects_of(
        InstallMoved(old, roots[0].place), behind.get("left", ()), back=bool(said.get("undoes"))
    )


def _root_from(said: Mapping[str, Any]) -> Root:
    identity = said.get("identity")
    known = (identity[0], identity[1]) if identity else None
    return Root(label=said["label"], place=said["place"], identity=known, existed=said.get("existed", True))


def waits_from(said: Mapping[str, Any] | None) -> WaitsFor | None:
    """What a run waits for, from its record."""
    if said is None:
        return None
    return WaitsFor(
        step=said["step"],
        asks=said["asks"],
        why=said["why"],
        may_skip=said.get("may_skip", False),
        can_be_seen=said.get("can_be_seen", True),
        options=tuple(said.get("options", ())),
        command=tuple(said.get("command", ())),
        sees=said.get("sees", ""),
    )
