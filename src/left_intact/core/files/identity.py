"""A folder by what the file system knows it as, not by its name."""

from __future__ import annotations

import os
import stat
import sys

CHANGE_TIMES = sys.platform != "win32"
"""Whether every write changes a time that nobody can set. Where `st_ctime` is when a file was made, equal
stamps say nothing.
"""

FINE_GRAIN, COARSE_GRAIN = 20_000_000, 2_000_000_000
"""How far apart, in ns, two writes may be and still have one time: a clock's tick, two seconds on a card."""
_ONLINE_ON_WINDOWS = 0x1000 | 0x40000 | 0x400000
"""Offline, recall on open, recall on data access: attributes of a file that a service fetches when read."""
_ONLINE_ON_MAC = 0x40000000
"""A file without data, as `st_flags` tells it."""
TELLS_ONLINE = sys.platform in ("win32", "darwin")
"""Whether the system tells of files that a service holds online."""


def is_settled(change_ns: int, read_ns: int) -> bool:
    """Whether a change time tells the file that was read at some time from one that was written just after.

    A time without a part of a second comes from a clock that has but whole or double seconds.
    """
    grain = FINE_GRAIN if change_ns % 1_000_000_000 else COARSE_GRAIN
    return change_ns + grain < read_ns


def is_held_online(info: os.stat_result) -> bool:
    """Whether a service holds a file's content elsewhere, so that reading it would fetch it."""
    return bool(
        getattr(info, "st_file_attributes", 0) & _ONLINE_ON_WINDOWS
        or getattr(info, "st_flags", 0) & _ONLINE_ON_MAC
    )


def identity_of(place: str) -> tuple[int, int] | None:
    """Device and inode of a folder, or None where there is no real folder; a link is none."""
    try:
        info = os.lstat(place)
    except OSError:
        return None
    return (info.st_dev, info.st_ino) if stat.S_ISDIR(info.st_mode) else None
