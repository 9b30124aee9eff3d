"""Files and folders of ours outside of installs: for their owner alone."""

from __future__ import annotations

import os
import stat
from typing import IO


def private_folder(path: str) -> str:
    """A folder of ours, 0700; one that is there and ours is mended."""
    os.makedirs(path, mode=0o700, exist_ok=True)
    if hasattr(os, "getuid"):
        info = os.stat(path)
        if info.st_uid == os.getuid() and stat.S_IMODE(info.st_mode) & 0o077:
            os.chmod(path, 0o700)
    return path


def write_private(path: str, text: str) -> None:
    """A text file, 0600; what was there is written over, a link is not followed."""
    flags = os.O_WRONLY | os.O_CREAT | os.O_TRUNC | getattr(os, "O_NOFOLLOW", 0)
    with open(os.open(path, flags, 0o600), "w", encoding="utf-8") as file:
        if hasattr(os, "fchmod"):
            os.fchmod(file.fileno(), 0o600)
        file.write(text)


def open_private(path: str, *, append: bool = False) -> IO[bytes]:
    """A file of ours to be written, 0600, anew or at its end; a link in its place is no file of ours."""
    flags = os.O_WRONLY | os.O_CREAT | (os.O_APPEND if append else os.O_TRUNC)
    flags |= getattr(os, "O_NOFOLLOW", 0) | getattr(os, "O_BINARY", 0)
    return open(os.open(path, flags, 0o600), "ab" if append else "wb")


def take_name(part: str, whole: str) -> None:
    """Give a file of ours, complete now, its own name, durably."""
    with open(part, "r+b") as file:  # one system flushes only what may be written to
        os.fsync(file.fileno())
    os.replace(part, whole)


def for_owner_alone(path: str) -> None:
    """Make a file as 0600, or mend an older one of ours; SQLite gives its side files the same mode."""
    try:
        os.close(os.open(path, os.O_RDWR | os.O_CREAT | os.O_EXCL | getattr(os, "O_NOFOLLOW", 0), 0o600))
    except FileExistsError:
        info = os.lstat(path)
        if not stat.S_ISREG(info.st_mode):
            raise OSError(0, "this is no file", path) from None
        if hasattr(os, "getuid") and info.st_uid == os.getuid() and stat.S_IMODE(info.st_mode) & 0o077:
            os.chmod(path, 0o600)
