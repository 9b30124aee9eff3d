"""The journal of one strongbox: every update with its whole plan, written before the first change.

Only the state of an update changes afterwards. How far an update came is told by the
disk, since each step knows what lay there before and what is to lie there after.
The schema is described in docs/formats.md.
"""

from __future__ import annotations

import json
import sqlite3
import time
from collections.abc import Iterable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import asdict, dataclass
from typing import Any

from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Entry
from left_intact.core.model.packing import entry_from_list, entry_to_list
from left_intact.core.model.plan import KeyLine, Verb
from left_intact.core.model.proof import Witness, Witnessed
from left_intact.core.model.survey import Folder
from left_intact.core.model.update import UNFINISHED, State, Update

_MIGRATIONS = (
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
    "ALTER TABLE updates ADD COLUMN roots TEXT NOT NULL DEFAULT '[]';",
)


@dataclass(frozen=True, slots=True, kw_only=True)
class Step:
    """One path that goes from one state to another; None is an empty place."""

    seq: int
    path: str
    verb: Verb
    file_class: FileClass
    before: Entry | None
    after: Entry | None
    content: bytes | None = None
    """The bytes of a merged file, which no archive has."""


def entry_to_text(entry: Entry | None) -> str | None:
    """An entry as one line of ASCII JSON; odd names survive as escapes."""
    return None if entry is None else json.dumps(entry_to_list(entry))


def entry_from_text(text: str | None) -> Entry | None:
    return None if text is None else entry_from_list(json.loads(text))


class Journal:
    """Opened for each use; full synchronisation, so that a commit is on the device."""

    def __init__(self, path: str) -> None:
        self._db = sqlite3.connect(path, isolation_level=None, timeout=10)
        self._db.row_factory = sqlite3.Row
        self._db.execute("PRAGMA synchronous = FULL")
        self._migrate()

    def _migrate(self) -> None:
        at = self._db.execute("PRAGMA user_version").fetchone()[0]
        for number, script in enumerate(_MIGRATIONS[at:], at + 1):
            self._db.executescript(f"BEGIN; {script} PRAGMA user_version = {number}; COMMIT;")

    def close(self) -> None:
        self._db.close()

    def __enter__(self) -> Journal:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    @contextmanager
    def _transaction(self) -> Iterator[None]:
        self._db.execute("BEGIN IMMEDIATE")
        try:
            yield
        except BaseException:
            self._db.execute("ROLLBACK")
            raise
        self._db.execute("COMMIT")

    def begin(
        self, *, install: str, root: str, arrival: str, arrival_root: str, steps: Iterable[Step],
        folders: Iterable[Folder], witness: Witness,
    ) -> Update:  # fmt: skip
        """Write a whole update down, in one transaction."""
        now = time.time()
        merged = json.dumps({path: [asdict(line) for line in lines] for path, lines in witness.merged.items()})
        with self._transaction():
            cursor = self._db.execute(
                "INSERT INTO updates (state, install, root, from_version, to_version, arrival, arrival_root, "
                "began, changed, merged, roots) VALUES (?,?,?,?,?,?,?,?,?,?,?)",
                (State.STAGING, install, _text(root), witness.version, witness.to_version, _text(arrival),
                 _text(arrival_root), now, now, merged, json.dumps(witness.roots)),
            )  # fmt: skip
            update = int(cursor.lastrowid or 0)
            self._db.executemany(
                "INSERT INTO steps VALUES (?,?,?,?,?,?,?,?)",
                ((update, s.seq, _text(s.path), s.verb, s.file_class, entry_to_text(s.before),
                  entry_to_text(s.after), s.content) for s in steps),
            )  # fmt: skip
            self._db.executemany(
                "INSERT INTO folders VALUES (?,?,?,?)", ((update, _text(f.path), f.mode, f.mtime_ns) for f in folders)
            )
            self._db.executemany(
                "INSERT INTO witness VALUES (?,?,?,?,?,?)",
                ((update, _text(path), row.file_class, row.verb, entry_to_text(row.before), entry_to_text(row.agreed))
                 for path, row in witness.rows.items()),
            )  # fmt: skip
        return self.update(update)

    def set_state(self, update: int, state: State) -> None:
        with self._transaction():
            self._db.execute("UPDATE updates SET state = ?, changed = ? WHERE id = ?", (state, time.time(), update))

    def update(self, update: int) -> Update:
        return _update(self._db.execute("SELECT * FROM updates WHERE id = ?", (update,)).fetchone())

    def updates(self) -> list[Update]:
        """All updates, newest first."""
        return [_update(row) for row in self._db.execute("SELECT * FROM updates ORDER BY id DESC")]

    def unfinished(self) -> Update | None:
        return next((u for u in self.updates() if u.state in UNFINISHED), None)

    def last_in_force(self) -> Update | None:
        """The newest update that is on trial or settled."""
        return next((u for u in self.updates() if u.state in (State.ON_TRIAL, State.SETTLED)), None)

    def steps(self, update: int) -> list[Step]:
        rows = self._db.execute("SELECT * FROM steps WHERE update_id = ? ORDER BY seq", (update,))
        return [
            Step(
                seq=row["seq"], path=_path(row["path"]), verb=Verb(row["verb"]), file_class=FileClass(row["class"]),
                before=entry_from_text(row["before"]), after=entry_from_text(row["after"]), content=row["content"],
            )
            for row in rows
        ]  # fmt: skip

    def folders(self, update: int) -> list[Folder]:
        rows = self._db.execute("SELECT * FROM folders WHERE update_id = ?", (update,))
        return [Folder(path=_path(row["path"]), mode=row["mode"], mtime_ns=row["mtime_ns"]) for row in rows]

    def witness(self, update: int) -> Witness:
        head = self._db.execute("SELECT * FROM updates WHERE id = ?", (update,)).fetchone()
        rows = self._db.execute("SELECT * FROM witness WHERE update_id = ?", (update,))
        merged = json.loads(head["merged"])
        return Witness(
            rows={
                _path(row["path"]): Witnessed(
                    file_class=FileClass(row["class"]), verb=Verb(row["verb"]),
                    before=entry_from_text(row["before"]), agreed=entry_from_text(row["agreed"]),
                )
                for row in rows
            },
            version=head["from_version"],
            to_version=head["to_version"],
            merged={path: tuple(KeyLine(**line) for line in lines) for path, lines in merged.items()},
            roots=tuple((label, place) for label, place in json.loads(head["roots"])),
        )  # fmt: skip

    def note_trial(self, update: int, path: str, kept_at: str) -> None:
        with self._transaction():
            self._db.execute("INSERT INTO trial VALUES (?,?,?)", (update, _text(path), _text(kept_at)))

    def trial(self, update: int) -> list[tuple[str, str]]:
        """(path, where it is kept) of what was changed while on trial and set aside on going back."""
        rows: Sequence[Any] = self._db.execute("SELECT path, kept_at FROM trial WHERE update_id = ?", (update,)).fetchall()
        return [(_path(row[0]), _path(row[1])) for row in rows]


def _update(row: sqlite3.Row) -> Update:
    return Update(
        id=row["id"], state=State(row["state"]), install=row["install"], root=_path(row["root"]),
        from_version=row["from_version"], to_version=row["to_version"], arrival=_path(row["arrival"]),
        arrival_root=_path(row["arrival_root"]), began=row["began"], changed=row["changed"],
    )  # fmt: skip


def _text(path: str) -> str:
    # SQLite takes no lone surrogates, JSON escapes do.
    return json.dumps(path)


def _path(text: str) -> str:
    path: str = json.loads(text)
    return path
