"""One process at a time: a lock that is a file of its own, which a crash lets go of by itself."""

from __future__ import annotations

import errno
import os
import threading
from collections.abc import Iterator
from contextlib import contextmanager

from left_intact.core.files.private import for_owner_alone
from left_intact.core.model.errors import LeftIntactError

_PATIENCE = 0.2
"""Seconds that another is waited for."""
_here: dict[str, threading.Lock] = {}
_first = threading.Lock()


@contextmanager
def alone(path: str, busy: str) -> Iterator[None]:
    """Hold a lock, for one process and in it for one thread. Raises `busy` with those words, `no-room`,
    `lock-unreadable`.
    """
    import fasteners

    with _first:
        among_threads = _here.setdefault(os.path.realpath(path), threading.Lock())
    if not among_threads.acquire(timeout=_PATIENCE):
        raise _busy(path, busy)
    try:
        among_processes = fasteners.InterProcessLock(path)
        try:
            for_owner_alone(path)
            if not among_processes.acquire(delay=_PATIENCE / 4, timeout=_PATIENCE):
                raise _busy(path, busy)
        except OSError as error:
            raise _refused(path, error) from error
        try:
            yield
        finally:
            among_processes.release()  # type: ignore[no-untyped-call]
    finally:
        among_threads.release()


def _busy(path: str, says: str) -> LeftIntactError:
    return LeftIntactError("busy", says, path=os.path.dirname(path), way_out="Wait for it.")


def _refused(path: str, error: OSError) -> LeftIntactError:
    why = (error.strerror or str(error)).lower()
    code = "no-room" if error.errno == errno.ENOSPC else "lock-unreadable"
    way_out = "Check that disk and its rights."
    return LeftIntactError(code, f"the lock cannot be held ({why})", path=path, way_out=way_out)
