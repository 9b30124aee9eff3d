"""What a disk or a system may do to us, let happen in a test: the only place that reaches below.

Every test that needs a failing disk, a race, a lesser system or another clock takes it from here, so that it
holds no inside of the code: only the calls of a place (`LocalPlace`), what a system can do, the clock.
"""

from __future__ import annotations

import errno
import os
import sqlite3
import time
from collections.abc import Callable, Mapping
from typing import Any

import pytest

from left_intact.core.files import locks, place, walk, workers
from left_intact.core.files.place import Able, LocalPlace, able
from left_intact.core.outlets import fetch
from left_intact.core.planning.new_root import content
from left_intact.core.survey import classify

Patch = Callable[[Any, str, Any], None]
"""`monkeypatch.setattr`, or `setattr` in a process that ends with the test."""
Do = Callable[..., Any]
"""What happens in place of a call: gets the place, the real call, and the words of the call."""

WRITES = ("take", "exchange")
"""The two calls by which anything changes below an install."""


def instead(patch: pytest.MonkeyPatch | None, call: str, do: Do) -> None:
    """Have something happen in place of a call of every place."""
    real = getattr(LocalPlace, call)

    def called(self: LocalPlace, *words: Any, **named: Any) -> Any:
        return do(self, real, *words, **named)

    (patch.setattr if patch is not None else setattr)(LocalPlace, call, called)


def no_exchange(patch: pytest.MonkeyPatch | None) -> None:
    """Two things cannot change places at once."""
    instead(patch, "exchange", lambda *_, **__: False)


def lacking(patch: pytest.MonkeyPatch, can: Able | None = None, **lacks: Any) -> None:
    """A system that is able to do no more than this."""
    from dataclasses import replace

    told = replace(can if can is not None else able(), **lacks)
    patch.setattr(place, "able", lambda: told)


def at_the_change(
    patch: pytest.MonkeyPatch | None,
    root: object,
    path: str,
    do: Callable[[], object],
    *,
    after: bool = False,
) -> None:
    """Once, right before a place below a root is changed (or right after): when all was looked at."""
    done: list[str] = []

    def change(self: LocalPlace, real: Do, *words: Any, **named: Any) -> Any:
        places = [one.root for one in (self, *words) if isinstance(one, LocalPlace)]
        meant = str(root) in places and path in words and not done
        if meant and not after:
            done.append(path)
            do()
        told = real(self, *words, **named)
        if meant and after and told is not False:
            done.append(path)
            do()
        return told

    for call in WRITES:
        instead(patch, call, change)


def fails(number: int = errno.EIO) -> Callable[..., Any]:
    """Something that raises what a system says."""

    def failing(*_: Any, **__: Any) -> Any:
        raise OSError(number, os.strerror(number))

    return failing


def of_somebody(patch: pytest.MonkeyPatch, owners: Mapping[str, tuple[int, int]]) -> None:
    """Some files are another person's."""
    from left_intact.core.model.entry import Attributes

    def attributes(self: LocalPlace, real: Do, path: str) -> Any:
        if path not in owners:
            return real(self, path)
        owner, group = owners[path]
        return Attributes(owner=owner, group=group)

    instead(patch, "attributes", attributes)


def now_is(patch: pytest.MonkeyPatch, now_ns: Callable[[], int] = time.time_ns) -> None:
    """What the clock says when files are read."""
    patch.setattr(walk, "now_ns", now_ns)


def tells_change_times(patch: pytest.MonkeyPatch, *, told: bool) -> None:
    """Whether a system's change times tell of every write."""
    patch.setattr(walk, "CHANGE_TIMES", told)


def another_file_system(patch: pytest.MonkeyPatch, folder: str) -> None:
    """A folder below a root lies on a file system of its own."""
    import os as system

    def stat(self: LocalPlace, real: Do, path: str) -> Any:
        found = real(self, path)
        if path != folder or found is None:
            return found
        return system.stat_result((*found[:2], 99, *found[3:10]))

    instead(patch, "stat", stat)


def held_open(
    patch: pytest.MonkeyPatch, pause: Callable[[float], object], by: tuple[str, ...] | None = None
) -> None:
    """Another program holds files open: how long is waited, and who it is."""
    patch.setattr(locks, "pause", pause)
    if by is not None:
        patch.setattr(locks, "held_by", lambda path: by)


def flushes_each(patch: pytest.MonkeyPatch) -> None:
    """A system without a call that flushes a whole file system."""
    patch.setattr(place, "FLUSHES_WHOLE", False)


def held_online(patch: pytest.MonkeyPatch, is_held: Callable[[os.stat_result], bool]) -> None:
    """Files whose bytes are held by a service and fetched when they are read."""
    patch.setattr(walk, "TELLS_ONLINE", True)
    patch.setattr(walk, "is_held_online", is_held)


def starts_helpers(patch: pytest.MonkeyPatch, *, forks: bool | None = None) -> None:
    """Work is shared out however little it is; as forks, or to processes that start afresh."""
    for owner, name in ((walk, "ALONE_FOLDERS"), (walk, "ALONE_FILES"), (classify, "HELPED_FROM")):
        patch.setattr(owner, name, 1)
    if forks is not None:
        for module in (workers, classify):
            patch.setattr(module, "forks", lambda: forks)


def patience(patch: pytest.MonkeyPatch, seconds: float) -> None:
    """How long a feed may take to answer whole."""
    patch.setattr(fetch, "FEED_SECONDS", seconds)


def dear_from(patch: pytest.MonkeyPatch, size: int) -> None:
    """How many bytes are dear to copy."""
    patch.setattr(content, "DEAR", size)


def full_database(patch: pytest.MonkeyPatch, name: str) -> None:
    """A disk that is full where a database lies: it cannot grow any more."""
    real = sqlite3.connect

    def connect(path: str, *words: Any, **named: Any) -> Any:
        db = real(path, *words, **named)
        if os.path.basename(path).startswith(name):
            pages = db.execute("PRAGMA page_count").fetchone()[0]
            db.execute(f"PRAGMA max_page_count = {max(1, pages)}")
        return db

    patch.setattr(sqlite3, "connect", connect)


def opened_databases(patch: pytest.MonkeyPatch) -> list[str]:
    """The names of the databases that are opened from now on, in their order."""
    names: list[str] = []
    real = sqlite3.connect

    def connect(path: str, *words: Any, **named: Any) -> sqlite3.Connection:
        names.append(os.path.basename(path))
        return real(path, *words, **named)

    patch.setattr(sqlite3, "connect", connect)
    return names
