"""A zip at an outlet, read by ranges: its central directory first, then only the members that are wanted."""

from __future__ import annotations

import io
import lzma
import os
import struct
import zipfile
import zlib

from left_intact.core.files.vetting import BOMB_FLOOR, BOMB_RATIO, MEMBERS_MOST, safe_member
from left_intact.core.model.errors import LeftIntactError
from left_intact.core.model.progress import CancelToken, Progress, Report, silent
from left_intact.core.outlets.asking import Answer, Asker, whole_length, without_secrets
from left_intact.core.outlets.fetch import TRIES

_TAIL = 1 << 10
"""Bytes asked for at the end first: directory record and, in a small pack, the directory itself."""
_LOCAL_HEADER = 30
_DIRECTORY_MOST = 32 << 20
_PART_SECONDS, _LEAST_A_SECOND = 30.0, 16 << 10
"""Seconds that one part of a file may take, and bytes that come in each beyond."""
_CHUNK = 1 << 20


class RangedFile(io.RawIOBase):
    """A remote file that can be sought in; what was asked for once is kept."""

    def __init__(self, url: str, ask: Asker, known: tuple[int, int, bytes] | None = None) -> None:
        """`known` is the `directory_window` of an earlier reading, so that it is asked for but once."""
        self.url, self.ask = url, ask
        self.at = 0
        self.over_the_wire = 0
        self.windows: list[tuple[int, bytes]] = []
        if known is not None:
            self.size, start, data = known
            self.windows.append((start, data))
            return
        answer = self._get(f"bytes=-{_TAIL}")
        self.size = whole_length(answer.headers)
        if answer.status not in (200, 206):
            raise self._failed(f"the outlet answered {answer.status}")
        if answer.status != 206 or self.size < 0:
            says, way_out = "this outlet gives no parts of files", "Fetch the whole pack."
            raise LeftIntactError("no-ranges", says, path=without_secrets(url), way_out=way_out)
        if len(answer.content) > min(_TAIL, self.size):
            raise _broken(self, "more came than was asked for")
        self._take_directory(self.size - len(answer.content), answer.content)

    def _take_directory(self, start: int, tail: bytes) -> None:
        """The central directory, of which the tail may be but the end, as one window. Source: PKWARE
        APPNOTE 4.3.16.
        """
        at = tail.rfind(b"PK\x05\x06")
        if at >= 0 and at + 22 <= len(tail):
            length, offset = struct.unpack_from("<II", tail, at + 12)
            if length > _DIRECTORY_MOST:
                raise _broken(self, "its directory is larger than any pack needs")
            if offset < start and offset + length <= self.size:
                tail = self._get(f"bytes={offset}-{start - 1}", start - offset).content + tail
                start = offset
        self.windows.append((start, tail))

    @property
    def directory_window(self) -> tuple[int, int, bytes]:
        start, data = self.windows[0]
        return self.size, start, data

    def _get(self, wanted: str, length: int = _TAIL) -> Answer:
        """A part of the file; no more than so many bytes of it are taken."""
        import httpx

        seconds = _PART_SECONDS + length / _LEAST_A_SECOND
        for attempt in range(TRIES):
            try:
                answer = self.ask.get(
                    self.url, most=length, seconds=seconds, headers={"Range": wanted}, only=206
                )
                break
            except httpx.HTTPError as error:
                if attempt == TRIES - 1:
                    raise self._failed(str(error) or type(error).__name__) from error
        self.over_the_wire += len(answer.content)
        return answer

    def _failed(self, why: str) -> LeftIntactError:
        says = f"it could not be fetched ({why})"
        return LeftIntactError("fetch-failed", says, path=without_secrets(self.url), way_out="Try again.")

    def prefetch(self, start: int, stop: int) -> None:
        """Ask for a stretch in one request."""
        stop = min(stop, self.size)
        self.windows.append((start, self._get(f"bytes={start}-{stop - 1}", stop - start).content))

    def seekable(self) -> bool:
        return True

    def readable(self) -> bool:
        return True

    def seek(self, offset: int, whence: int = 0) -> int:
        self.at = offset if whence == 0 else self.at + offset if whence == 1 else self.size + offset
        return self.at

    def tell(self) -> int:
        return self.at

    def read(self, size: int = -1) -> bytes:
        stop = self.size if size < 0 else min(self.size, self.at + size)
        if stop <= self.at:
            return b""
        if not self._window(self.at, stop):
            if stop - self.at > _DIRECTORY_MOST:
                raise _broken(self, "its directory is larger than any pack needs")
            self.prefetch(self.at, stop)
        window = self._window(self.at, stop)
        if window is None:
            raise self._failed("the outlet sent less than was asked for")
        start, data = window
        said = data[self.at - start : stop - start]
        self.at = stop
        return said

    def _window(self, start: int, stop: int) -> tuple[int, bytes] | None:
        return next(((s, d) for s, d in reversed(self.windows) if s <= start and stop <= s + len(d)), None)


def directory(file: RangedFile) -> list[zipfile.ZipInfo]:
    """The members of a zip at an outlet. Raises `archive-broken`, `archive-hostile`."""
    try:
        with zipfile.ZipFile(file) as archive:  # type: ignore[arg-type]
            members = [info for info in archive.infolist() if not info.is_dir()]
    except _DAMAGED as error:
        raise _broken(file, error) from error
    if len(members) > MEMBERS_MOST:
        raise _hostile(file, f"it has over {MEMBERS_MOST:,} members")
    for info in members:
        safe_member(file.url, info.filename)
        if info.flag_bits & 1:
            raise _hostile(file, f"{info.filename!r} is encrypted")
    return members


def lift(
    file: RangedFile,
    wanted: dict[str, str],
    into: str,
    *,
    report: Report = silent,
    cancel: CancelToken | None = None,
) -> int:
    """Unpack members (by name) to paths below `into`; the sum of their bytes. The CRC is checked."""
    cancel, done = cancel or CancelToken(), 0
    try:
        with zipfile.ZipFile(file) as archive:  # type: ignore[arg-type]
            for number, (name, path) in enumerate(wanted.items(), 1):
                cancel.check()
                info = archive.getinfo(name)
                names = len(info.filename.encode()) + len(info.extra) + 32
                file.prefetch(
                    info.header_offset, info.header_offset + _LOCAL_HEADER + names + info.compress_size
                )
                if info.file_size > BOMB_FLOOR and info.file_size > info.compress_size * BOMB_RATIO:
                    raise _hostile(file, f"{name!r} unpacks to over {BOMB_RATIO} times its size")
                target = os.path.join(into, path)
                os.makedirs(os.path.dirname(target), exist_ok=True)
                with archive.open(info) as stream, open(target, "wb") as sink:
                    while chunk := stream.read(_CHUNK):
                        done += sink.write(chunk)
                        if sink.tell() > info.file_size:
                            raise _hostile(file, f"{name!r} is larger than it says")
                del file.windows[1:]  # what was lifted is not needed again
                report(Progress(stage="fetching", done=number, total=len(wanted), bytes_done=done, path=path))
    except _DAMAGED as error:
        raise _broken(file, error) from error
    return done


_DAMAGED = (zipfile.BadZipFile, zlib.error, lzma.LZMAError, ValueError, EOFError, KeyError, RuntimeError)
"""What the standard library raises for damaged zips, those whose way of packing it does not know included."""


def _broken(file: RangedFile, error: Exception | str) -> LeftIntactError:
    says, way_out = f"this pack cannot be read ({error})", "Try again, or another outlet."
    return LeftIntactError("archive-broken", says, path=without_secrets(file.url), way_out=way_out)


def _hostile(file: RangedFile, why: str) -> LeftIntactError:
    says = f"this pack is refused: {why}"
    return LeftIntactError("archive-hostile", says, path=without_secrets(file.url), way_out="Do not use it.")
