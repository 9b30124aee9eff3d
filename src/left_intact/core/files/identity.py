"""A folder by what the file system knows it as, not by its name."""

from __future__ import annotations

import os
import stat
import sys

CHANGE_TIMES = sys.platform != "win32"
"""Whether every write changes a time that nobody can set. Where `st_ctime` is when a file was made, equal
stamps say nothing.
"""


def identity_of(place: str) -> tuple[int, int] | None:
    """Device and inode of a folder, or None where there is no real folder; a link is none."""
    try:
        info = os.lstat(place)
    except OSError:
        return None
    return (info.st_dev, info.st_ino) if stat.S_ISDIR(info.st_mode) else None
