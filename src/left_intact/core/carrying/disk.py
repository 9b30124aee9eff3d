"""Disk primitives. All that is ever written, moved or removed is so by this module.

What leaves an install is moved into the strongbox; the two functions that remove
(`discard` and `remove_folder`) take only paths of a strongbox, and only empty folders.
"""

from __future__ import annotations

import ctypes
import errno
import os
import stat
import sys
from functools import cache

from blake3 import blake3

from left_intact.core.files.tree import entry_of
from left_intact.core.files.walk import CHUNK
from left_intact.core.model.entry import Entry, Kind
from left_intact.core.model.errors import LeftIntactError

_TEMPORARY = ".left-intact-laying-"
_RENAME_NOREPLACE = 1
_AT_FDCWD = -100


def changed(path: str, says: str = "it changed while the update was under way") -> LeftIntactError:
    return LeftIntactError("changed-meanwhile", says, path=path, way_out="Draw the plan again.")


# ---------------------------------------------------------------- flushing


@cache
def _libc() -> ctypes.CDLL | None:
    return ctypes.CDLL(None, use_errno=True) if sys.platform == "linux" else None


def flush_file_system(folder: str) -> None:
    """Wait until all that was written to the file system of `folder` is on the device."""
    libc = _libc()
    if libc is not None and hasattr(libc, "syncfs"):
        descriptor = os.open(folder, os.O_RDONLY)
        try:
            if libc.syncfs(descriptor) == 0:
                return
        finally:
            os.close(descriptor)
    os.sync()


# ---------------------------------------------------------------- copying


def copy_verified(source: str, target: str, digest: str) -> None:
    """Copy a regular file to a new path and read the copy back.

    Raises `changed-meanwhile` where the source no longer has `digest`, `copy-differs`
    where the copy does not. The copy is not flushed; that is one call for many.
    """
    _copy(source, target)
    got = digest_of(target)
    if got != digest:
        if digest_of(source) != digest:
            raise changed(source)
        raise LeftIntactError("copy-differs", "a copy does not read back as it was written", path=target,
                              way_out="Check this disk before anything else.")  # fmt: skip


def _copy(source: str, target: str) -> None:
    flags = os.O_RDONLY | getattr(os, "O_NOFOLLOW", 0) | getattr(os, "O_BINARY", 0)
    reading = os.open(source, flags)
    try:
        writing = os.open(target, os.O_WRONLY | os.O_CREAT | os.O_EXCL | getattr(os, "O_BINARY", 0), 0o600)
        try:
            _pour(reading, writing)
        finally:
            os.close(writing)
    finally:
        os.close(reading)


def _pour(reading: int, writing: int) -> None:
    copy_range = getattr(os, "copy_file_range", None)
    if copy_range is not None:
        try:
            while copy_range(reading, writing, 1 << 30):
                pass
            return
        except OSError as error:
            if error.errno not in (errno.EXDEV, errno.EINVAL, errno.ENOSYS, errno.EOPNOTSUPP, errno.EBADF):
                raise
            os.lseek(reading, 0, os.SEEK_SET)
            os.ftruncate(writing, 0)
            os.lseek(writing, 0, os.SEEK_SET)
    while chunk := os.read(reading, CHUNK):
        view = memoryview(chunk)
        while view:
            view = view[os.write(writing, view) :]


def digest_of(path: str) -> str:
    """BLAKE3 of a regular file, in hex."""
    digest = blake3()
    descriptor = os.open(path, os.O_RDONLY | getattr(os, "O_NOFOLLOW", 0) | getattr(os, "O_BINARY", 0))
    try:
        while chunk := os.read(descriptor, CHUNK):
            digest.update(chunk)
    finally:
        os.close(descriptor)
    return digest.hexdigest()


def write_new(path: str, content: bytes) -> None:
    """Write bytes to a path where nothing lies."""
    descriptor = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL | getattr(os, "O_BINARY", 0), 0o600)
    with open(descriptor, "wb") as file:
        file.write(content)


def dress(path: str, entry: Entry) -> None:
    """Give a file, link or folder the mode and time of an entry."""
    if entry.kind is Kind.LINK:
        if os.utime in os.supports_follow_symlinks:
            os.utime(path, ns=(entry.mtime_ns, entry.mtime_ns), follow_symlinks=False)
        return
    if entry.mode is not None:
        os.chmod(path, entry.mode)
    os.utime(path, ns=(entry.mtime_ns, entry.mtime_ns))


# ---------------------------------------------------------------- looking and placing


def refuse_false_parents(root: str, path: str) -> None:
    """Raise unless every folder between root and path is a real folder, not a link."""
    at = root
    for part in path.split("/")[:-1]:
        at = os.path.join(at, part)
        try:
            mode = os.lstat(at).st_mode
        except FileNotFoundError:
            return
        if not stat.S_ISDIR(mode):
            raise changed(at, "this is no folder any more")


def lay(ready: str, root: str, path: str, entry: Entry, *, over: bool) -> None:
    """Move a prepared file or link to its place in one step.

    `over` says whether something is to be replaced; without it, anything that lies
    there stops the work.
    """
    target = os.path.join(root, path)
    refuse_false_parents(root, path)
    try:
        _rename(ready, target, over=over)
    except OSError as error:
        if error.errno != errno.EXDEV:
            raise
        beside = temporary_for(target)
        if os.path.lexists(beside):
            os.unlink(beside)  # our own leftover of a crash, by its name
        if entry.kind is Kind.LINK:
            os.symlink(entry.link, beside)
        else:
            copy_verified(ready, beside, entry.digest)
        dress(beside, entry)
        flush_file_system(os.path.dirname(target))
        _rename(beside, target, over=over)


def temporary_for(target: str) -> str:
    """Where a file waits beside its target when the strongbox is on another file system."""
    folder, name = os.path.split(target)
    return os.path.join(folder, _TEMPORARY + name)


def _rename(source: str, target: str, *, over: bool) -> None:
    if over:
        os.replace(source, target)
        return
    libc = _libc()
    if libc is not None and hasattr(libc, "renameat2"):
        result = libc.renameat2(_AT_FDCWD, os.fsencode(source), _AT_FDCWD, os.fsencode(target), _RENAME_NOREPLACE)
        if result == 0:
            return
        code = ctypes.get_errno()
        if code == errno.EEXIST:
            raise changed(target, "something has appeared here")
        if code not in (errno.EINVAL, errno.ENOSYS):
            raise OSError(code, os.strerror(code), target)
    if os.path.lexists(target):
        raise changed(target, "something has appeared here")
    os.rename(source, target)


def take_away(root: str, path: str, aside: str) -> None:
    """Move a file or link out of an install to a path of the strongbox."""
    source = os.path.join(root, path)
    refuse_false_parents(root, path)
    try:
        os.rename(source, aside)
    except OSError as error:
        if error.errno != errno.EXDEV:
            raise
        entry = entry_of(source, path)
        if entry.kind is Kind.LINK:
            os.symlink(entry.link, aside)
        else:
            copy_verified(source, aside, entry.digest)
            flush_file_system(os.path.dirname(aside))
        os.unlink(source)  # its verified copy is in the strongbox


def make_folder(root: str, path: str, mode: int) -> None:
    refuse_false_parents(root, path)
    target = os.path.join(root, path)
    os.mkdir(target)
    os.chmod(target, mode)


def remove_empty(root: str, path: str) -> bool:
    """Remove a folder if it is empty; False where something is in it."""
    refuse_false_parents(root, path)
    try:
        os.rmdir(os.path.join(root, path))
    except OSError as error:
        if error.errno in (errno.ENOTEMPTY, errno.EEXIST):
            return False
        raise
    return True


# ---------------------------------------------------------------- our own files


def take_name(part: str, whole: str) -> None:
    """Give a file of ours, complete now, its own name, durably."""
    with open(part, "rb") as file:
        os.fsync(file.fileno())
    os.replace(part, whole)


def discard(path: str, strongbox: str) -> None:
    """Remove one file of a strongbox that nobody needs any more."""
    inside = os.path.realpath(os.path.dirname(path))
    if not inside.startswith(os.path.realpath(strongbox) + os.sep):
        raise AssertionError(f"{path} is not in the strongbox {strongbox}")
    try:
        os.unlink(path)
    except FileNotFoundError:
        return


def discard_all(folder: str, strongbox: str) -> None:
    """Empty and remove a flat work folder of a strongbox."""
    if not os.path.isdir(folder):
        return
    with os.scandir(folder) as found:
        names = [item.path for item in found]
    for name in names:
        discard(name, strongbox)
    os.rmdir(folder)
