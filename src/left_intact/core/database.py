"""One way to open journal and library: for their owner alone, migrated by numbers, a newer file refused in
one line.
"""

from __future__ import annotations

import errno
import os
import sqlite3
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from typing import Any

from left_intact.core.files.private import for_owner_alone
from left_intact.core.model.errors import LeftIntactError

Migration = str | Callable[[sqlite3.Connection], None]
"""A script, or a function that works inside the transaction of its number."""


class _Cursor(sqlite3.Cursor):
    """Rows are read as they are asked for, so a damaged page may show at any call: each is worded."""

    connection: _Connection

    def execute(self, *words: Any) -> Any:
        return self._worded(super().execute, *words)

    def executemany(self, *words: Any) -> Any:
        return self._worded(super().executemany, *words)

    def fetchone(self) -> Any:
        return self._worded(super().fetchone)

    def fetchall(self) -> Any:
        return self._worded(super().fetchall)

    def __next__(self) -> Any:
        return self._worded(super().__next__)

    def _worded(self, call: Callable[..., Any], *words: Any) -> Any:
        try:
            return call(*words)
        except sqlite3.Error as error:
            raise self.connection.fault(error) from error


class _Connection(sqlite3.Connection):
    fault: Callable[[sqlite3.Error], Exception]

    def cursor(self, factory: Any = _Cursor) -> Any:
        return super().cursor(factory)

    def execute(self, *words: Any) -> Any:
        return self.cursor().execute(*words)

    def executemany(self, *words: Any) -> Any:
        return self.cursor().executemany(*words)


class Database:
    """An SQLite file. Every call of its users is one transaction; a refusal becomes one line."""

    def __init__(
        self,
        path: str,
        what: str,
        migrations: Sequence[Migration],
        *,
        way_out: str,
        patience: float = 10.0,
        makes: bool = True,
    ) -> None:
        """Open it, or make it where it `makes` one; another that writes to it is waited for so many seconds.
        Raises `WHAT-newer`, `WHAT-broken` (also where none is there, or an empty file), `WHAT-unreadable`,
        `no-room`, `busy`.
        """
        self.path, self.what, self.way_out = path, what, way_out
        self.db: _Connection
        with self.worded():
            if not makes:
                self._refuse_none()
            for_owner_alone(path)
            self.db = sqlite3.connect(
                path, isolation_level=None, timeout=patience, check_same_thread=False, factory=_Connection
            )
            self.db.fault = self._error
            try:
                self.db.row_factory = sqlite3.Row
                self.db.execute("PRAGMA synchronous = FULL")
                self._migrate(migrations)
            except BaseException:
                self.db.close()
                raise

    def _refuse_none(self) -> None:
        """Where one must be, no file and an empty one are damage, and never one in which nothing stands."""
        try:
            empty = os.stat(self.path).st_size == 0
        except FileNotFoundError:
            empty = None
        if empty is not False:
            says = "is an empty file" if empty else "is gone"
            raise LeftIntactError(
                f"{self.what}-broken", f"the {self.what} {says}", path=self.path, way_out=self.way_out
            )

    def _migrate(self, migrations: Sequence[Migration]) -> None:
        while self._format(len(migrations)) < len(migrations):
            self.db.execute("BEGIN IMMEDIATE")
            try:
                # Another that opened it at the same time may have been quicker.
                if (at := self._format(len(migrations))) < len(migrations):
                    _migrated(self.db, migrations[at])
                    self.db.execute(f"PRAGMA user_version = {at + 1}")
            except BaseException:
                self.db.execute("ROLLBACK")
                raise
            self.db.execute("COMMIT")

    def _format(self, known: int) -> int:
        """The format that it is written in. Raises `WHAT-newer`."""
        at = int(self.db.execute("PRAGMA user_version").fetchone()[0])
        if at > known:
            raise LeftIntactError(
                f"{self.what}-newer",
                f"this {self.what} was written by a newer Left Intact (format {at}; this one knows {known})",
                path=self.path,
                way_out="Use the newer one; nothing was changed.",
            )
        return at

    @contextmanager
    def worded(self) -> Iterator[None]:
        """What SQLite or the system says, as an error that is data."""
        try:
            yield
        except sqlite3.Error as error:
            raise self._error(error) from error
        except OSError as error:
            why = (error.strerror or str(error)).lower()
            code = "no-room" if error.errno == errno.ENOSPC else f"{self.what}-unreadable"
            raise LeftIntactError(
                code, f"the {self.what} cannot be opened ({why})", path=self.path, way_out=self.way_out
            ) from error
        except (ValueError, KeyError, TypeError) as error:
            raise LeftIntactError(
                f"{self.what}-broken",
                f"the {self.what} cannot be read ({error})",
                path=self.path,
                way_out=self.way_out,
            ) from error

    def _error(self, error: sqlite3.Error) -> LeftIntactError:
        number = getattr(error, "sqlite_errorcode", 0) & 0xFF
        if number == sqlite3.SQLITE_FULL:
            return LeftIntactError(
                "no-room",
                f"the disk is full, so the {self.what} could not be written",
                path=self.path,
                way_out="Free some room there and start again.",
            )
        if number in (sqlite3.SQLITE_BUSY, sqlite3.SQLITE_LOCKED):
            return LeftIntactError(
                "busy",
                f"another Left Intact is at work on this {self.what}",
                path=self.path,
                way_out="Wait for it.",
            )
        if number in (
            sqlite3.SQLITE_IOERR,
            sqlite3.SQLITE_CANTOPEN,
            sqlite3.SQLITE_READONLY,
            sqlite3.SQLITE_PERM,
        ):
            return LeftIntactError(
                f"{self.what}-unreadable",
                f"the {self.what} cannot be read or written ({error})",
                path=self.path,
                way_out="Check that disk and its rights.",
            )
        return LeftIntactError(
            f"{self.what}-broken",
            f"the {self.what} cannot be read ({error})",
            path=self.path,
            way_out=self.way_out,
        )

    @contextmanager
    def transaction(self) -> Iterator[sqlite3.Connection]:
        """All of it or nothing."""
        with self.worded():
            self.db.execute("BEGIN IMMEDIATE")
            try:
                yield self.db
            except BaseException:
                if self.db.in_transaction:
                    self.db.execute("ROLLBACK")
                raise
            self.db.execute("COMMIT")

    def close(self) -> None:
        self.db.close()


def _migrated(db: sqlite3.Connection, migration: Migration) -> None:
    if isinstance(migration, str):
        for statement in migration.split(";"):
            if statement.strip():
                db.execute(statement)
    else:
        migration(db)
