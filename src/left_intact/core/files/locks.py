"""Files that another program holds open, on a system where that keeps them from being moved.

Such a hold is often over in a moment (a scanner, an indexer), so what it refuses is tried again for a while.
"""

from __future__ import annotations

import sys
import time
from collections.abc import Callable

from left_intact.core.model.errors import LeftIntactError

_HELD = (5, 32, 33)
"""Access denied, sharing violation, lock violation: what a move meets where somebody holds a file open."""
TRIES, PAUSE = 12, 0.1
pause = time.sleep


def is_held(error: OSError) -> bool:
    """Whether an error may come of another program that holds a file open."""
    return getattr(error, "winerror", None) in _HELD


def patiently(do: Callable[[], None], *shown: str) -> None:
    """Do something, again and again for a moment where a file is held open elsewhere.

    `shown` are the files in question. Raises `in-use`, with the program's name where it can be known, and
    whatever else `do` raises.
    """
    for left in reversed(range(TRIES)):
        try:
            do()
            return
        except OSError as error:
            if not is_held(error):
                raise
            if not left:
                raise _in_use(shown) from error
            pause(PAUSE)


def _in_use(shown: tuple[str, ...]) -> LeftIntactError:
    for path in shown:
        if names := held_by(path):
            who = ", ".join(names)
            return LeftIntactError(
                "in-use", f"{who} holds this file open", path=path, way_out=f"Close {who} first."
            )
    return LeftIntactError(
        "in-use",
        "another program holds this file open, or it may not be moved",
        path=shown[-1] if shown else "",
        way_out="Close what uses it, or give yourself the right, then start again.",
    )


def held_by(path: str) -> tuple[str, ...]:
    """The programs that hold a file open, as the system names them; empty where it will not tell."""
    if sys.platform != "win32":
        return ()
    try:
        return _by_restart_manager(path)
    except (OSError, AttributeError, ValueError):
        return ()


def _by_restart_manager(path: str) -> tuple[str, ...]:
    """What Windows itself asks before it replaces a file that is in use."""
    import ctypes
    from ctypes import wintypes

    class Process(ctypes.Structure):
        _fields_ = (
            ("id", wintypes.DWORD),
            ("began", wintypes.FILETIME),
            ("name", wintypes.WCHAR * 256),
            ("service", wintypes.WCHAR * 64),
            ("kind", ctypes.c_int),
            ("status", wintypes.ULONG),
            ("session", wintypes.DWORD),
            ("may_restart", wintypes.BOOL),
        )

    manager = ctypes.WinDLL("rstrtmgr")  # type: ignore[attr-defined]
    session, key = wintypes.DWORD(), ctypes.create_unicode_buffer(64)
    if manager.RmStartSession(ctypes.byref(session), 0, key):
        return ()
    try:
        files = (wintypes.LPCWSTR * 1)(path)
        if manager.RmRegisterResources(session, 1, files, 0, None, 0, None):
            return ()
        needed, number, why = wintypes.UINT(), wintypes.UINT(8), wintypes.DWORD()
        found = (Process * 8)()
        if manager.RmGetList(session, ctypes.byref(needed), ctypes.byref(number), found, ctypes.byref(why)):
            return ()
        return tuple(dict.fromkeys(found[at].name for at in range(number.value) if found[at].name))
    finally:
        manager.RmEndSession(session)
