"""Archives and folders as sources of members, hostile until shown otherwise.

Every source lists its members, then pushes the bytes of those wanted into sinks, in
one pass. Listing refuses what an honest release has no use for: paths that escape,
links out of the root, devices, bombs, names twice (also but for case), encryption.
Truncation shows while reading. Nothing is unpacked anywhere by this module.
"""

from __future__ import annotations

import lzma
import os
import stat
import struct
import tarfile
import time
import zipfile
import zlib
from collections.abc import Callable, Collection, Iterator
from contextlib import contextmanager
from typing import IO, Any, Protocol, cast

from left_intact.core.files.names import STRONGBOX_FOLDER, safe_path
from left_intact.core.files.streams import Damaged, unpacked_stream
from left_intact.core.files.vetting import (
    HEADER_MOST,
    LINK_MOST,
    MEMBERS_MOST,
    MODE_MASK,
    Member,
    broken,
    hostile,
    moment_of,
    refuse_links_out,
    safe_member,
    unreadable,
    vetted,
)
from left_intact.core.model.entry import Kind
from left_intact.core.model.errors import LeftIntactError

CHUNK = 1 << 20


class Sink(Protocol):
    """Takes the bytes of one member."""

    def write(self, data: bytes) -> object: ...
    def close(self) -> None: ...


OpenSink = Callable[[Member], Sink]


class Source(Protocol):
    """A place that members can be read from."""

    path: str
    shape: str

    def members(self) -> tuple[Member, ...]: ...
    def some(self, paths: Collection[str]) -> list[Member]:
        """The members at some paths; those that are not there are left out."""
        ...

    def push(self, wanted: list[Member], open_sink: OpenSink) -> None: ...


_TARS = (".tar.gz", ".tar.bz2", ".tar.xz", ".tar.zst")
ARCHIVE_ENDINGS = (".zip", ".7z", ".tar", ".tgz", ".tbz2", ".txz", ".tzst", *_TARS)


def is_archive_name(path: str) -> bool:
    """Whether a name promises an archive."""
    return path.lower().endswith(ARCHIVE_ENDINGS)


def open_source(path: str) -> Source:
    """A source for an archive, folder or single file. Raises `LeftIntactError`."""
    if os.path.isdir(path):
        return FolderSource(path)
    if not os.path.isfile(path):
        raise LeftIntactError(
            "no-arrival", "there is no file or folder here", path=path, way_out="Check the path."
        )
    try:
        with open(path, "rb") as file:
            head = file.read(512)
    except OSError as error:
        raise unreadable(path, error) from error
    if head[:4] in (b"PK\x03\x04", b"PK\x05\x06"):
        return ZipSource(path)
    if head[:6] == b"7z\xbc\xaf\x27\x1c":
        return SevenZipSource(path)
    packed = head.startswith((b"\x1f\x8b", b"BZh", b"\xfd7zXZ\0", b"\x28\xb5\x2f\xfd"))
    if head[257:262] == b"ustar" or (packed and TarSource.looks_inside(path)):
        return TarSource(path)
    if is_archive_name(path):
        raise broken(path, "it is not what its name says")
    return SingleFileSource(path)


class _Counted:
    """A sink that refuses more bytes than the member said it has."""

    def __init__(self, archive: str, member: Member, sink: Sink) -> None:
        self.archive, self.member, self.sink = archive, member, sink
        self.count = 0

    def write(self, data: bytes) -> int:
        self.count += len(data)
        if self.count > self.member.bytes:
            raise hostile(self.archive, f"{self.member.path} is larger than it says")
        self.sink.write(data)
        return len(data)

    def close(self) -> None:
        self.sink.close()
        if self.count != self.member.bytes:
            raise broken(self.archive, f"{self.member.path} ends too early")


def _pour(archive: str, member: Member, stream: IO[bytes], open_sink: OpenSink) -> None:
    sink = _Counted(archive, member, open_sink(member))
    while chunk := stream.read(CHUNK):
        sink.write(chunk)
    sink.close()


class FolderSource:
    """A folder that somebody unpacked or made."""

    shape = "folder"

    def __init__(self, path: str) -> None:
        self.path = os.path.abspath(path)

    def members(self) -> tuple[Member, ...]:
        found = tuple(sorted(self._walk(""), key=lambda m: m.path))
        refuse_links_out(self.path, {m.path: m.link for m in found if m.kind is Kind.LINK})
        return found

    def some(self, paths: Collection[str]) -> list[Member]:
        top, sound = os.path.realpath(self.path), {"": True}
        found = []
        for path in paths:
            folder = path.rpartition("/")[0]
            if folder not in sound:
                real = os.path.join(top, folder)
                sound[folder] = safe_path(folder) == folder and os.path.realpath(real) == real
            # What leads out, or through a link, is not there.
            if sound[folder] and (member := self._file(path)) is not None:
                found.append(member)
        return found

    def _file(self, path: str) -> Member | None:
        try:
            info = os.lstat(os.path.join(self.path, path))
        except OSError:
            return None
        if not stat.S_ISREG(info.st_mode):
            return None
        mode = stat.S_IMODE(info.st_mode) & MODE_MASK
        return Member(path=path, kind=Kind.FILE, bytes=info.st_size, mode=mode, mtime_ns=info.st_mtime_ns)

    def _walk(self, folder: str) -> Iterator[Member]:
        try:
            with os.scandir(os.path.join(self.path, folder)) as listing:
                inside = list(listing)
        except OSError as error:
            raise unreadable(os.path.join(self.path, folder), error) from error
        for item in inside:
            path = f"{folder}/{item.name}" if folder else item.name
            info = item.stat(follow_symlinks=False)
            mode = stat.S_IMODE(info.st_mode) & MODE_MASK
            common = {"path": path, "mode": mode, "mtime_ns": info.st_mtime_ns}
            if item.is_symlink():
                yield Member(kind=Kind.LINK, bytes=0, link=os.readlink(item.path), **common)  # type: ignore[arg-type]
            elif item.is_dir():
                if item.name != STRONGBOX_FOLDER:
                    yield Member(kind=Kind.FOLDER, bytes=0, **common)  # type: ignore[arg-type]
                    yield from self._walk(path)
            elif stat.S_ISREG(info.st_mode):
                yield Member(kind=Kind.FILE, bytes=info.st_size, **common)  # type: ignore[arg-type]
            else:
                raise hostile(self.path, f"{path} is a device, pipe or socket")

    def push(self, wanted: list[Member], open_sink: OpenSink) -> None:
        for member in wanted:
            try:
                with open(os.path.join(self.path, member.path), "rb") as stream:
                    _pour(self.path, member, stream, open_sink)
            except OSError as error:
                raise unreadable(os.path.join(self.path, member.path), error) from error


class SingleFileSource:
    """One file that is no archive."""

    shape = "file"

    def __init__(self, path: str) -> None:
        self.path = os.path.abspath(path)

    def members(self) -> tuple[Member, ...]:
        info = os.stat(self.path)
        mode = stat.S_IMODE(info.st_mode) & MODE_MASK
        name = os.path.basename(self.path)
        return (Member(path=name, kind=Kind.FILE, bytes=info.st_size, mode=mode, mtime_ns=info.st_mtime_ns),)

    def some(self, paths: Collection[str]) -> list[Member]:
        return [member for member in self.members() if member.path in paths]

    def push(self, wanted: list[Member], open_sink: OpenSink) -> None:
        for member in wanted:
            with open(self.path, "rb") as stream:
                _pour(self.path, member, stream, open_sink)


class ZipSource:
    """PKWARE APPNOTE zip, by the standard library."""

    shape = "zip"

    def __init__(self, path: str) -> None:
        self.path = os.path.abspath(path)

    @contextmanager
    def _opened(self) -> Iterator[zipfile.ZipFile]:
        try:
            with zipfile.ZipFile(self.path) as archive:
                yield archive
        except (zipfile.BadZipFile, zlib.error, EOFError, NotImplementedError, ValueError) as error:
            raise broken(self.path, str(error)) from error
        except RuntimeError as error:
            raise hostile(self.path, "parts of it are encrypted") from error
        except OSError as error:
            raise unreadable(self.path, error) from error

    def members(self) -> tuple[Member, ...]:
        with self._opened() as archive:
            listed = (self._member(archive, info) for info in archive.infolist())
            return vetted(self.path, listed, os.path.getsize(self.path))

    def _member(self, archive: zipfile.ZipFile, info: zipfile.ZipInfo) -> Member:
        if info.flag_bits & 0x1:
            raise hostile(self.path, f"{info.filename} is encrypted")
        # `orig_filename` still has what the standard library cuts off at a NUL.
        path = safe_member(self.path, info.orig_filename if "\0" in info.orig_filename else info.filename)
        unix = info.external_attr >> 16
        mode = unix & MODE_MASK if info.create_system == 3 and unix else None
        common = {"path": path, "mode": mode, "mtime_ns": _zip_time(info), "handle": info}
        if info.is_dir():
            return Member(kind=Kind.FOLDER, bytes=0, **common)  # type: ignore[arg-type]
        if info.create_system == 3 and stat.S_ISLNK(unix):
            if info.file_size > LINK_MOST:
                raise hostile(self.path, f"the link {path} is no path")
            with archive.open(info) as stream:
                target = os.fsdecode(stream.read(LINK_MOST + 1))
            return Member(kind=Kind.LINK, bytes=0, link=target, **common)  # type: ignore[arg-type]
        if info.create_system == 3 and stat.S_IFMT(unix) not in (0, stat.S_IFREG):
            raise hostile(self.path, f"{path} is a device, pipe or socket")
        return Member(kind=Kind.FILE, bytes=info.file_size, **common)  # type: ignore[arg-type]

    def some(self, paths: Collection[str]) -> list[Member]:
        return [member for member in self.members() if member.path in paths]

    def push(self, wanted: list[Member], open_sink: OpenSink) -> None:
        with self._opened() as archive:
            for member in wanted:
                with archive.open(cast(zipfile.ZipInfo, member.handle)) as stream:
                    _pour(self.path, member, stream, open_sink)


def _zip_time(info: zipfile.ZipInfo) -> int:
    try:
        return moment_of(time.mktime((*info.date_time, 0, 0, -1)))
    except (ValueError, OverflowError):
        return 0


class _TooLong(Exception):
    """A header that carries more than any release needs."""


class _BoundedInfo(tarfile.TarInfo):
    """A header of a tar that says when it is damaged, wherever it stands, and carries only so much.

    The standard library takes a damaged header for the end of the archive: what comes behind it would be
    missing without a word.
    """

    @classmethod
    def frombuf(cls, buf: bytes | bytearray, encoding: str, errors: str) -> Any:
        try:
            return super().frombuf(buf, encoding, errors)
        except tarfile.EOFHeaderError:  # type: ignore[attr-defined]
            raise
        except tarfile.HeaderError as error:
            raise tarfile.ReadError(f"{error}, where another member or the end should be") from error

    def _proc_member(self, archive: tarfile.TarFile) -> Any:
        carries = (tarfile.GNUTYPE_LONGNAME, tarfile.GNUTYPE_LONGLINK, tarfile.XHDTYPE, tarfile.XGLTYPE)
        if self.type in (*carries, tarfile.SOLARIS_XHDTYPE) and self.size > HEADER_MOST:
            raise _TooLong
        return super()._proc_member(archive)  # type: ignore[misc]


class TarSource:
    """POSIX tar, plain or under gzip, bzip2, xz or Zstandard."""

    shape = "tar"

    def __init__(self, path: str) -> None:
        self.path = os.path.abspath(path)

    @staticmethod
    def looks_inside(path: str) -> bool:
        """Whether a compressed file has a tar in it."""
        try:
            with unpacked_stream(path) as stream:
                head = stream.read(512)
            return head[257:262] == b"ustar" or (len(head) == 512 and path.lower().endswith(_TAR_NAMES))
        except (Damaged, OSError):
            return path.lower().endswith(_TAR_NAMES)

    @contextmanager
    def _opened(self) -> Iterator[tarfile.TarFile]:
        try:
            with (
                unpacked_stream(self.path) as stream,
                tarfile.open(fileobj=stream, mode="r|", tarinfo=_BoundedInfo) as archive,
            ):
                yield archive
        except (tarfile.TarError, Damaged, ValueError, OSError) as error:
            raise broken(self.path, str(error)) from error
        except _TooLong as error:
            raise hostile(self.path, "a header of it is longer than any release needs") from error

    def members(self) -> tuple[Member, ...]:
        with self._opened() as archive:
            return vetted(self.path, self._listed(archive), os.path.getsize(self.path))

    def _listed(self, archive: tarfile.TarFile) -> Iterator[Member]:
        for info in archive:
            if info.name in (".", "./"):
                continue
            path = safe_member(self.path, info.name)
            common = {
                "path": path,
                "mode": info.mode & MODE_MASK,
                "mtime_ns": moment_of(float(info.mtime)),
                "handle": info.name,
            }
            if info.isdir():
                yield Member(kind=Kind.FOLDER, bytes=0, **common)  # type: ignore[arg-type]
            elif info.issym():
                yield Member(kind=Kind.LINK, bytes=0, link=info.linkname, **common)  # type: ignore[arg-type]
            elif info.isreg() and not info.issparse():
                yield Member(kind=Kind.FILE, bytes=info.size, **common)  # type: ignore[arg-type]
            elif info.islnk():
                raise hostile(self.path, f"{path} is a hard link to {info.linkname}")
            else:
                raise hostile(self.path, f"{path} is a device, pipe or sparse file")

    def some(self, paths: Collection[str]) -> list[Member]:
        return [member for member in self.members() if member.path in paths]

    def push(self, wanted: list[Member], open_sink: OpenSink) -> None:
        by_name = {member.handle: member for member in wanted}
        with self._opened() as archive:
            for info in archive:
                member = by_name.pop(info.name, None)
                if member is not None:
                    stream = archive.extractfile(info)
                    if stream is None:
                        raise broken(self.path, f"{info.name} has no content")
                    _pour(self.path, member, stream, open_sink)
        if by_name:
            raise broken(self.path, "it changed while it was read")


_TAR_NAMES = (".tgz", ".tbz2", ".tbz", ".txz", ".tzst", ".tar.gz", ".tar.bz2", ".tar.xz", ".tar.zst")


_DIRECTORY_MOST = 64 << 20
"""Bytes of an unpacked header of 7z."""


class SevenZipSource:
    """7z, by py7zr."""

    shape = "7z"

    def __init__(self, path: str) -> None:
        self.path = os.path.abspath(path)

    @contextmanager
    def _opened(self) -> Iterator[Any]:
        import py7zr
        import py7zr.exceptions
        from py7zr import archiveinfo

        # It makes room for as many members as a header says there are, before it has read one.
        archiveinfo.MAX_NUMFILES = archiveinfo.MAX_SUBSTREAMS = MEMBERS_MOST
        archiveinfo.MAX_HEADER_SIZE = _DIRECTORY_MOST
        try:
            # A file object, not a path: py7zr then works in one thread and in order.
            with open(self.path, "rb") as file, py7zr.SevenZipFile(file) as archive:
                if archive.needs_password():
                    raise hostile(self.path, "it is encrypted")
                yield archive
        except py7zr.exceptions.PasswordRequired as error:
            raise hostile(self.path, "it is encrypted") from error
        except (py7zr.exceptions.ArchiveError, lzma.LZMAError, EOFError, zlib.error) as error:
            raise broken(self.path, str(error) or type(error).__name__) from error
        except (TypeError, ValueError, IndexError, AssertionError, struct.error, MemoryError) as error:
            # py7zr answers some damaged headers with whatever its parser trips over.
            raise broken(self.path, "its header is damaged") from error
        except OSError as error:
            raise unreadable(self.path, error) from error

    def members(self) -> tuple[Member, ...]:
        with self._opened() as archive:
            listed = [self._member(info) for info in archive.files]
            members = vetted(self.path, iter(listed), os.path.getsize(self.path))
        links = [m for m in members if m.kind is Kind.LINK]
        if not links:
            return members
        return self._with_targets(members, links)

    def _member(self, info: Any) -> Member:
        path = safe_member(self.path, info.filename)
        mode = info.posix_mode & MODE_MASK if info.posix_mode is not None else None
        changed = info.lastwritetime
        mtime_ns = moment_of(changed.totimestamp()) if changed is not None else 0
        common = {"path": path, "mode": mode, "mtime_ns": mtime_ns, "handle": info.filename}
        if info.is_directory:
            return Member(kind=Kind.FOLDER, bytes=0, **common)
        if info.is_symlink or info.is_junction:
            if (info.uncompressed or 0) > LINK_MOST:
                raise hostile(self.path, f"the link {path} is no path")
            return Member(kind=Kind.LINK, bytes=info.uncompressed or 0, link=".", **common)
        if info.is_socket:
            raise hostile(self.path, f"{path} is a socket")
        return Member(kind=Kind.FILE, bytes=info.uncompressed or 0, **common)

    def _with_targets(self, members: tuple[Member, ...], links: list[Member]) -> tuple[Member, ...]:
        said: dict[str, bytearray] = {}

        class Target:
            def __init__(self, path: str) -> None:
                self.into = said.setdefault(path, bytearray())

            def write(self, data: bytes) -> None:
                self.into += data

            def close(self) -> None: ...

        self.push(links, lambda member: Target(member.path))
        result = []
        for member in members:
            if member.kind is Kind.LINK:
                target = os.fsdecode(bytes(said[member.path]))
                member = Member(
                    path=member.path,
                    kind=Kind.LINK,
                    bytes=0,
                    mode=None,
                    mtime_ns=member.mtime_ns,
                    link=target,
                )
            result.append(member)
        refuse_links_out(self.path, {m.path: m.link for m in result if m.kind is Kind.LINK})
        return tuple(result)

    def some(self, paths: Collection[str]) -> list[Member]:
        return [member for member in self.members() if member.path in paths]

    def push(self, wanted: list[Member], open_sink: OpenSink) -> None:
        if not wanted:
            return
        by_name = {member.handle: member for member in wanted}
        with self._opened() as archive:
            factory = _sevenzip_factory(self.path, by_name, open_sink)
            archive.extract(targets=[str(name) for name in by_name], factory=factory)
            factory.finish()


def _sevenzip_factory(archive: str, by_name: dict[object, Member], open_sink: OpenSink) -> Any:
    from py7zr.io import Py7zIO, WriterFactory

    class Pipe(Py7zIO):  # type: ignore[misc]
        def __init__(self, sink: _Counted) -> None:
            self.sink = sink

        def write(self, s: bytes | bytearray) -> int:
            return self.sink.write(bytes(s))

        def read(self, size: int | None = None) -> bytes:
            return b""

        def seek(self, offset: int, whence: int = 0) -> int:
            return 0

        def flush(self) -> None: ...

        def size(self) -> int:
            return self.sink.count

        def close(self) -> None:
            self.sink.close()

    class Factory(WriterFactory):  # type: ignore[misc]
        def __init__(self) -> None:
            self.left = {member.path: member for member in by_name.values()}

        def create(self, filename: str, mode: str | None = None) -> Py7zIO:
            member = self.left.pop(safe_path(filename) or filename)
            return Pipe(_Counted(archive, member, open_sink(member)))

        def finish(self) -> None:
            if any(member.bytes for member in self.left.values()):
                raise broken(archive, "parts of it are missing")
            for member in self.left.values():
                open_sink(member).close()

    return Factory()
