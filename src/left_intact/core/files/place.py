"""A folder tree that stages read and write, worked on from an open handle downwards.

Every path is walked component by component from the handle of the root, and no link is ever
followed, so a folder that is exchanged for a link cannot lead a write, a mode or a time out of
the root. The root itself is known by device and inode. All that only one system has sits
behind `Able`; with any of it switched off the same promises hold, but for races that only
handles can close. Nothing but `carrying` may use a place to write; what is removed is
removed only in a place that is our own.
"""

from __future__ import annotations

import ctypes
import errno
import os
import stat
import sys
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from functools import cache
from typing import IO, NamedTuple

from blake3 import blake3

from left_intact.core.files.headers import HEAD_BYTES, recognise
from left_intact.core.files.identity import CHANGE_TIMES
from left_intact.core.files.locks import patiently
from left_intact.core.files.walk import PIECE
from left_intact.core.model.entry import Attributes, Entry, Kind
from left_intact.core.model.errors import LeftIntactError, reason_of

_NOREPLACE, _EXCHANGE, _AT_FDCWD = 1, 2, -100
_NO_SUCH_CALL = (errno.EINVAL, errno.ENOSYS, errno.EOPNOTSUPP)
_NO_RANGE = (errno.EXDEV, errno.EINVAL, errno.ENOSYS, errno.EOPNOTSUPP, errno.EBADF, errno.EPERM)
_NOFOLLOW = getattr(os, "O_NOFOLLOW", 0)
_BINARY = getattr(os, "O_BINARY", 0)
# Without O_NONBLOCK, opening a pipe waits for somebody who writes into it.
_READ = os.O_RDONLY | _NOFOLLOW | _BINARY | getattr(os, "O_NONBLOCK", 0) | getattr(os, "O_CLOEXEC", 0)
_NEW = os.O_WRONLY | os.O_CREAT | os.O_EXCL | _BINARY | _NOFOLLOW | getattr(os, "O_CLOEXEC", 0)
_FOLDER = getattr(os, "O_DIRECTORY", 0) | _NOFOLLOW | getattr(os, "O_CLOEXEC", 0)
_WALK = _FOLDER | getattr(os, "O_PATH", os.O_RDONLY)
_SET_ID = stat.S_ISUID | stat.S_ISGID


@dataclass(frozen=True, slots=True, kw_only=True)
class Able:
    """What a system can do with a folder tree."""

    handles: bool = True
    """Work relative to an open folder."""
    exchange: bool = True
    """Two names change places in one step."""
    no_replace: bool = True
    """A rename that refuses to go over anything."""
    links: bool = True
    modes: bool = True
    owners: bool = True
    """Owners, groups and extended attributes."""
    change_times: bool = True
    """A time that every write changes, whoever sets the others; without it an equal stamp says nothing."""


@cache
def able() -> Able:
    """What this system can do."""
    renames = _libc() is not None
    return Able(
        handles=os.open in os.supports_dir_fd and os.stat in os.supports_dir_fd and hasattr(os, "O_NOFOLLOW"),
        exchange=renames,
        no_replace=renames,
        links=_may_link(),
        modes=sys.platform != "win32",
        owners=hasattr(os, "fchown"),
        change_times=CHANGE_TIMES,
    )


def _may_link() -> bool:
    """Whether links may be made and moved; one system grants that to some people only: tried there."""
    if sys.platform != "win32":
        return True
    import tempfile

    with tempfile.TemporaryDirectory() as folder:
        try:
            os.symlink("nowhere", os.path.join(folder, "link"))
            os.rename(os.path.join(folder, "link"), os.path.join(folder, "moved"))
        except OSError:
            return False
    return True


@cache
def _libc() -> ctypes.CDLL | None:
    if sys.platform != "linux":
        return None
    libc = ctypes.CDLL(None, use_errno=True)
    return libc if hasattr(libc, "renameat2") else None


def changed(path: str, says: str = "it changed while the update was under way") -> LeftIntactError:
    """Something is not as it was looked at."""
    return LeftIntactError("changed-meanwhile", says, path=path, way_out="Draw the plan again.")


_NEAR_MOST = 32
"""Folders that a place keeps open; no call needs more than two at a time."""


class Spot(NamedTuple):
    """A name and the handle of the folder it is in; without handles the whole path and None."""

    folder: int | None
    name: str

    def __enter__(self) -> Spot:
        return self

    def __exit__(self, *_: object) -> None:
        """The place keeps the handle."""


class LocalPlace:
    """A folder on a disk of this machine."""

    def __init__(
        self,
        root: str,
        *,
        identity: tuple[int, int] | None = None,
        ours: bool = False,
        able_to: Able | None = None,
    ) -> None:
        """Open a folder. Raises `root-replaced` where it is not the folder with `identity`, or a link leads
        to it.
        """
        self.root, self.ours = root, ours
        self.able = able_to or able()
        self._handle = -1
        self._near: dict[str, int] = {}
        """Open folders by path, the oldest first."""
        info = self._open_root()
        self.identity = (info.st_dev, info.st_ino)
        if identity is not None and identity != self.identity:
            self.close()
            raise root_replaced(root)

    def _open_root(self) -> os.stat_result:
        if os.path.realpath(self.root) != os.path.abspath(self.root):
            raise root_replaced(self.root)
        if self.able.handles:
            try:
                self._handle = os.open(self.root, os.O_RDONLY | _FOLDER)
            except NotADirectoryError as error:
                raise root_replaced(self.root) from error
            return os.fstat(self._handle)
        info = os.lstat(self.root)
        if not stat.S_ISDIR(info.st_mode):
            raise root_replaced(self.root)
        return info

    def close(self) -> None:
        for folder in list(self._near):
            self._forget(folder)
        if self._handle >= 0:
            os.close(self._handle)
            self._handle = -1

    def __enter__(self) -> LocalPlace:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    def full(self, path: str) -> str:
        """A path as messages name it; nothing is opened by it."""
        return os.path.join(self.root, path) if path else self.root

    @property
    def file_system(self) -> int:
        return self.identity[0]

    # ------------------------------------------------------------ walking

    def _spot(self, path: str) -> Spot:
        """The folder that a path lies in, open. Raises `changed-meanwhile` where a part of the way is no
        folder.

        A handle is good until as many others were asked for as are kept open.
        """
        folder, _, name = path.rpartition("/")
        if not self.able.handles:
            self._refuse_false_folders(folder.split("/") if folder else [])
            return Spot(None, self.full(path))
        if not folder:
            return Spot(self._handle, name or ".")
        known = self._near.get(folder)
        if known is not None and self._is_still_there(folder, known):
            return Spot(known, name or ".")
        self._forget(folder)
        while len(self._near) >= _NEAR_MOST:
            self._forget(next(iter(self._near)))
        self._near[folder] = handle = self._walk(folder.split("/"))
        return Spot(handle, name or ".")

    def _walk(self, folders: list[str]) -> int:
        at = self._handle
        for number, part in enumerate(folders, 1):
            try:
                inner = os.open(part, _WALK, dir_fd=at)
            except OSError as error:
                if error.errno in (errno.ENOTDIR, errno.ELOOP):
                    raise changed(
                        self.full("/".join(folders[:number])), "this is no folder any more"
                    ) from error
                raise
            finally:
                if at != self._handle:
                    os.close(at)
            at = inner
        return at

    def _is_still_there(self, folder: str, handle: int) -> bool:
        """Whether an open folder still has the path that it was walked to, with no link on the way.

        Told by the system's own record of an open handle; without one every path is walked anew.
        """
        try:
            return os.readlink(f"/proc/self/fd/{handle}") == os.path.join(self.root, folder)
        except OSError:
            return False

    def _forget(self, folder: str) -> None:
        if (handle := self._near.pop(folder, None)) is not None:
            os.close(handle)

    def _refuse_false_folders(self, folders: list[str]) -> None:
        at = self.root
        info = os.lstat(at)
        if not stat.S_ISDIR(info.st_mode) or (info.st_dev, info.st_ino) != self.identity:
            raise root_replaced(self.root)
        for part in folders:
            at = os.path.join(at, part)
            if not stat.S_ISDIR(os.lstat(at).st_mode):
                raise changed(at, "this is no folder any more")

    # ------------------------------------------------------------ looking

    def stat(self, path: str) -> os.stat_result | None:
        """What the system says of a path, or None where nothing lies there; no link is followed."""
        try:
            with self._spot(path) as spot:
                return os.stat(spot.name, dir_fd=spot.folder, follow_symlinks=False)
        except FileNotFoundError:
            return None
        except LeftIntactError as error:
            if error.code == "changed-meanwhile":
                return None  # on the way there lies no folder, so nothing of this path does
            raise

    def look(self, path: str, *, content: bool = False) -> Entry | None:
        """What lies at a path right now, or None where nothing does. With `content` files are read."""
        info = self.stat(path)
        if info is None:
            return None
        mode, stamp = stat.S_IMODE(info.st_mode), (info.st_dev, info.st_ino, info.st_ctime_ns)
        common = {"path": path, "mode": mode, "mtime_ns": info.st_mtime_ns, "stamp": stamp}
        if stat.S_ISLNK(info.st_mode):
            return Entry(kind=Kind.LINK, link=self.link_at(path), **common)  # type: ignore[arg-type]
        if stat.S_ISDIR(info.st_mode):
            return Entry(kind=Kind.FOLDER, **common)  # type: ignore[arg-type]
        if not stat.S_ISREG(info.st_mode):
            return Entry(kind=Kind.OTHER, **common)  # type: ignore[arg-type]
        digest = file_format = ""
        if content:
            try:
                digest, file_format = self._content(path, info.st_size)
            except OSError as error:
                fault = reason_of(error)
                return Entry(kind=Kind.FAULT, bytes=info.st_size, fault=fault, **common)  # type: ignore[arg-type]
        return Entry(bytes=info.st_size, digest=digest, format=file_format, **common)  # type: ignore[arg-type]

    def link_at(self, path: str) -> str:
        with self._spot(path) as spot:
            return os.readlink(spot.name, dir_fd=spot.folder)

    @contextmanager
    def reading(self, path: str) -> Iterator[int]:
        """A descriptor of a regular file. Raises `changed-meanwhile` for anything else, a pipe or a link
        included.
        """
        with self._spot(path) as spot:
            try:
                descriptor = os.open(spot.name, _READ, dir_fd=spot.folder)
            except OSError as error:
                if error.errno in (errno.ELOOP, errno.ENXIO):
                    raise changed(self.full(path), "this is no file any more") from error
                raise
        try:
            if not stat.S_ISREG(os.fstat(descriptor).st_mode):
                raise changed(self.full(path), "this is no file any more")
            yield descriptor
        finally:
            os.close(descriptor)

    def _content(self, path: str, size: int) -> tuple[str, str]:
        digest, file_format = blake3(), ""
        with self.reading(path) as descriptor:
            while chunk := os.read(descriptor, PIECE):
                file_format = file_format or recognise(chunk[:HEAD_BYTES], size, path)
                digest.update(chunk)
        return digest.hexdigest(), file_format or recognise(b"", 0)

    def digest(self, path: str) -> str:
        """BLAKE3 of a regular file, in hex."""
        with self.reading(path) as descriptor:
            return _digest_of(descriptor)

    def attributes(self, path: str) -> Attributes:
        """Owner, group, number of names and extended attributes, as far as the system has them."""
        info = self.stat(path)
        if info is None or not self.able.owners:
            return Attributes()
        extended: list[tuple[str, bytes]] = []
        if stat.S_ISREG(info.st_mode) and hasattr(os, "listxattr"):
            with suppress(OSError, LeftIntactError), self._spot(path) as spot:
                # By way of the open folder, so that no link is followed and nothing has to be opened.
                there = f"/proc/self/fd/{spot.folder}/{spot.name}" if spot.folder is not None else spot.name
                extended = [
                    (name, os.getxattr(there, name, follow_symlinks=False))
                    for name in sorted(os.listxattr(there, follow_symlinks=False))
                ]
        names = info.st_nlink if stat.S_ISREG(info.st_mode) else 1
        return Attributes(owner=info.st_uid, group=info.st_gid, names=names, extended=tuple(extended))

    def names(self, path: str) -> list[str] | None:
        """All names in a folder, sorted; None where there is no folder."""
        try:
            with self._spot(f"{path}/." if path else ".") as spot:
                if spot.folder is None:
                    return sorted(os.listdir(self.full(path)))
                inner = os.open(".", os.O_RDONLY | _FOLDER, dir_fd=spot.folder)
                try:
                    return sorted(os.listdir(inner))
                finally:
                    os.close(inner)
        except (FileNotFoundError, NotADirectoryError):
            return None
        except LeftIntactError as error:
            if error.code == "changed-meanwhile":
                return None
            raise

    # ------------------------------------------------------------ making

    def new_file(self, path: str) -> IO[bytes]:
        """A file where nothing lies, to be written; for its owner alone until it has its own mode."""
        with self._spot(path) as spot:
            return open(os.open(spot.name, _NEW, 0o600, dir_fd=spot.folder), "wb")

    def copy_in(self, source: LocalPlace, source_path: str, path: str, digest: str) -> None:
        """Copy a regular file to a path where nothing lies, and read the copy back.

        Raises `changed-meanwhile` where the source no longer has `digest`, `copy-differs` where the copy
        does not. The copy is not flushed; that is one call for many.
        """
        with source.reading(source_path) as reading, self.new_file(path) as file:
            _pour(reading, file.fileno())
            written(file)
        if self.digest(path) != digest:
            if source.digest(source_path) != digest:
                raise changed(source.full(source_path))
            raise LeftIntactError(
                "copy-differs",
                "a copy does not read back as it was written",
                path=self.full(path),
                way_out="Check this disk before anything else.",
            )

    def new_link(self, path: str, target: str) -> None:
        with self._spot(path) as spot:
            os.symlink(target, spot.name, dir_fd=spot.folder)

    def second_name(self, other: LocalPlace, other_path: str, path: str) -> None:
        """Another name for a file, where nothing lies."""
        with other._spot(other_path) as there, self._spot(path) as here:
            if here.folder is None:
                os.link(other.full(other_path), self.full(path))
            else:
                os.link(
                    there.name,
                    here.name,
                    src_dir_fd=there.folder,
                    dst_dir_fd=here.folder,
                    follow_symlinks=False,
                )

    def make_folder(self, path: str, mode: int) -> None:
        with self._spot(path) as spot:
            os.mkdir(spot.name, 0o700, dir_fd=spot.folder)
        self._apply(path, mode, None, None)

    def make_folders(self, path: str) -> None:
        """A folder and those above it, each for its owner alone, where they are not there yet."""
        parts = path.split("/")
        for depth in range(1, len(parts) + 1):
            with suppress(FileExistsError):
                self.make_folder("/".join(parts[:depth]), 0o700)

    def remove_empty(self, path: str) -> bool:
        """Remove a folder if it is empty; False where something is in it, or it is no folder."""
        try:
            with self._spot(path) as spot:
                os.rmdir(spot.name, dir_fd=spot.folder)
        except OSError as error:
            if error.errno in (errno.ENOTEMPTY, errno.EEXIST, errno.ENOTDIR):
                return False
            raise
        return True

    def discard(self, path: str) -> None:
        """Remove one file of a place that is our own; nothing where it is gone already."""
        if not self.ours:
            raise AssertionError(f"{self.full(path)} is not ours to remove")
        with suppress(FileNotFoundError), self._spot(path) as spot:
            patiently(lambda: self._unlink(spot), self.full(path))

    @staticmethod
    def _unlink(spot: Spot) -> None:
        try:
            os.unlink(spot.name, dir_fd=spot.folder)
        except PermissionError:
            if sys.platform != "win32":
                raise
            _may_write_again(spot.name)
            os.unlink(spot.name)

    def discard_all(self, path: str) -> None:
        """Empty and remove a work folder of our own, with empty folders in it."""
        for name in self.names(path) or []:
            inner = f"{path}/{name}"
            info = self.stat(inner)
            if info is not None and stat.S_ISDIR(info.st_mode):
                self.discard_all(inner)
            else:
                self.discard(inner)
        with suppress(FileNotFoundError):
            self.remove_empty(path)

    # ------------------------------------------------------------ renaming

    def take(self, source: LocalPlace, source_path: str, path: str, *, over: bool) -> None:
        """Move a file, link or folder here in one step; without `over` anything that lies here stops it."""
        with source._spot(source_path) as there, self._spot(path) as here:
            if over:
                shown = source.full(source_path), self.full(path)
                at = {"src_dir_fd": there.folder, "dst_dir_fd": here.folder}
                if sys.platform == "win32":
                    _may_write_again(here.name)  # nothing goes over a read-only file there
                patiently(lambda: os.replace(there.name, here.name, **at), *shown)
            elif not (self.able.no_replace and _renamed(there, here, _NOREPLACE, self.full(path))):
                self._rename_where_free(there, here, source.full(source_path), path)

    def _rename_where_free(self, there: Spot, here: Spot, shown: str, path: str) -> None:
        if self.stat(path) is not None:
            raise changed(self.full(path), "something has appeared here")
        at = {"src_dir_fd": there.folder, "dst_dir_fd": here.folder}
        patiently(lambda: os.rename(there.name, here.name, **at), shown, self.full(path))

    def exchange(self, source: LocalPlace, source_path: str, path: str) -> bool:
        """Two things change places in one step; False where the system or its disk cannot."""
        if not self.able.exchange:
            return False
        with source._spot(source_path) as there, self._spot(path) as here:
            return _renamed(there, here, _EXCHANGE, self.full(path))

    # ------------------------------------------------------------ metadata

    def apply_metadata(
        self, path: str, entry: Entry, attributes: Attributes | None = None
    ) -> tuple[str, ...]:
        """Give a file, link or folder mode, time and (where known) owner and attributes of what it stands
        for.

        Returns in words what the system did not let us give. A set-id bit is given only with its owner.
        """
        if entry.kind is Kind.LINK:
            return self._apply_link_metadata(path, entry, attributes)
        return self._apply(path, entry.mode, entry.mtime_ns, attributes)

    def _apply_link_metadata(self, path: str, entry: Entry, attributes: Attributes | None) -> tuple[str, ...]:
        notes: list[str] = []
        with self._spot(path) as spot:
            if attributes is not None and attributes.owner >= 0 and self.able.owners:
                try:
                    os.chown(
                        spot.name,
                        attributes.owner,
                        attributes.group,
                        dir_fd=spot.folder,
                        follow_symlinks=False,
                    )
                except OSError:
                    notes.append("owner")
            if os.utime in os.supports_follow_symlinks:
                times = (entry.mtime_ns, entry.mtime_ns)
                os.utime(spot.name, ns=times, dir_fd=spot.folder, follow_symlinks=False)
        return tuple(notes)

    def set_time(self, path: str, mtime_ns: int) -> None:
        """The time of a folder."""
        self._apply(path, None, mtime_ns, None)

    def _apply(
        self, path: str, mode: int | None, mtime_ns: int | None, attributes: Attributes | None
    ) -> tuple[str, ...]:
        with self._handled(path) as target:
            info = os.stat(target)
            notes = (
                _give_owner(target, info, attributes) if attributes is not None and self.able.owners else []
            )
            if mode is not None and self.able.modes:
                if mode & _SET_ID and "owner" in notes:
                    mode &= ~_SET_ID
                if stat.S_IMODE(info.st_mode) != mode or notes or attributes is not None:
                    os.chmod(target, mode)
            if mtime_ns is not None:
                _may_write_again(target)
                os.utime(target, ns=(mtime_ns, mtime_ns))
            if mode is not None and sys.platform == "win32" and not stat.S_ISDIR(info.st_mode):
                # All that is left of modes there: whether it may be written to.
                os.chmod(target, stat.S_IWRITE if mode & stat.S_IWUSR else stat.S_IREAD)
        return tuple(notes)

    @contextmanager
    def _handled(self, path: str) -> Iterator[int | str]:
        """Something that modes and times can be given to without following a link: a descriptor where there
        are handles.
        """
        with self._spot(path) as spot:
            if spot.folder is None:
                info = os.lstat(spot.name)
                if stat.S_ISLNK(info.st_mode):
                    raise changed(self.full(path), "this is a link now")
                yield spot.name
                return
            try:
                descriptor = os.open(spot.name, _READ, dir_fd=spot.folder)
                target: int | str = descriptor
            except PermissionError:
                # A file that even its owner may not read can still be given a mode, by way of a bare handle.
                descriptor = os.open(spot.name, getattr(os, "O_PATH", 0) | _NOFOLLOW, dir_fd=spot.folder)
                target = f"/proc/self/fd/{descriptor}"
            except OSError as error:
                if error.errno == errno.ELOOP:
                    raise changed(self.full(path), "this is a link now") from error
                raise
        try:
            yield target
        finally:
            os.close(descriptor)

    # ------------------------------------------------------------ flushing

    def flush(self) -> None:
        """Wait until all that was written to this file system is on the device."""
        syncfs = getattr(_libc(), "syncfs", None)
        if syncfs is not None:
            descriptor = self._handle if self._handle >= 0 else os.open(self.root, os.O_RDONLY)
            try:
                if syncfs(descriptor) == 0:
                    return
            finally:
                if descriptor != self._handle:
                    os.close(descriptor)
        if hasattr(os, "sync"):
            os.sync()


FLUSHES_WHOLE = hasattr(os, "sync")
"""Whether one call flushes all that was written; else each file is flushed when it is written."""


def written(file: IO[bytes]) -> None:
    """Said of a file that is whole, before it is closed."""
    if not FLUSHES_WHOLE:
        file.flush()
        os.fsync(file.fileno())


def _may_write_again(target: int | str) -> None:
    """Take the read-only attribute off, on the system where nothing can be done to what has it."""
    if sys.platform == "win32":
        with suppress(FileNotFoundError):
            os.chmod(target, stat.S_IWRITE)


def root_replaced(root: str) -> LeftIntactError:
    """The folder of an install is another one now."""
    return LeftIntactError(
        "root-replaced",
        "this is not the folder that was looked at: it was exchanged, or a link leads to it",
        path=root,
        way_out="Put the folder back in its place, or survey the install anew.",
    )


def _renamed(there: Spot, here: Spot, flag: int, shown: str) -> bool:
    """Rename as one system can; False where it or its disk cannot do it this way."""
    libc = _libc()
    if libc is None:
        return False
    old = _AT_FDCWD if there.folder is None else there.folder
    new = _AT_FDCWD if here.folder is None else here.folder
    if libc.renameat2(old, os.fsencode(there.name), new, os.fsencode(here.name), flag) == 0:
        return True
    code = ctypes.get_errno()
    if code == errno.EEXIST:
        raise changed(shown, "something has appeared here")
    if code in _NO_SUCH_CALL:
        return False
    raise OSError(code, os.strerror(code), shown)


def _give_owner(target: int | str, info: os.stat_result, attributes: Attributes) -> list[str]:
    notes = []
    if attributes.owner >= 0 and (info.st_uid, info.st_gid) != (attributes.owner, attributes.group):
        try:
            os.chown(target, attributes.owner, attributes.group)
        except OSError:
            notes.append("owner")
    for name, value in attributes.extended:
        try:
            os.setxattr(target, name, value)
        except OSError:
            notes.append(name)
    return notes


def _digest_of(descriptor: int) -> str:
    digest = blake3()
    while chunk := os.read(descriptor, PIECE):
        digest.update(chunk)
    return digest.hexdigest()


def _pour(reading: int, writing: int) -> None:
    copy_range = getattr(os, "copy_file_range", None)
    if copy_range is not None:
        try:
            while copy_range(reading, writing, 1 << 30):
                pass
            return
        except OSError as error:
            if error.errno not in _NO_RANGE:
                raise
            os.lseek(reading, 0, os.SEEK_SET)
            os.ftruncate(writing, 0)
            os.lseek(writing, 0, os.SEEK_SET)
    while chunk := os.read(reading, PIECE):
        view = memoryview(chunk)
        while view:
            view = view[os.write(writing, view) :]
