"""Packed streams, read within bounds: gzip, bzip2, xz and Zstandard, told by their first bytes."""

from __future__ import annotations

import bz2
import gzip
import io
import lzma
import zlib
from collections.abc import Iterator
from contextlib import contextmanager
from typing import IO, Any

WINDOW_MOST = 128 << 20
"""Bytes that a stream may want to look back on: as much as the largest levels of all of them pack with."""
_CHUNK = 1 << 16


class Damaged(Exception):
    """A packed stream that cannot be unpacked, or wants more memory than any honest one."""


@contextmanager
def unpacked_stream(path: str) -> Iterator[IO[bytes]]:
    """The bytes in a file, unpacked where it is packed. Raises `Damaged`, `OSError`."""
    with open(path, "rb") as file:
        head = file.read(6)
        file.seek(0)
        stream: Any = file
        if head.startswith(b"\x1f\x8b"):
            stream = gzip.GzipFile(fileobj=file)  # noqa: SIM115 (closed with the file below it)
        elif head.startswith(b"BZh"):
            stream = bz2.BZ2File(file)
        elif head.startswith(b"\xfd7zXZ"):
            stream = io.BufferedReader(_Xz(file))
        elif head.startswith(b"\x28\xb5\x2f\xfd"):
            import zstandard

            packed = zstandard.ZstdDecompressor(max_window_size=WINDOW_MOST)
            stream = packed.stream_reader(file, read_across_frames=True)
        with _said_plainly():
            yield stream


@contextmanager
def _said_plainly() -> Iterator[None]:
    """Every way in which a decoder complains, as one."""
    try:
        yield
    except (EOFError, lzma.LZMAError, zlib.error, gzip.BadGzipFile) as error:
        raise Damaged(str(error) or "it ends too early") from error
    except Exception as error:
        if type(error).__module__.partition(".")[0] == "zstandard":
            raise Damaged(str(error)) from error
        if isinstance(error, OSError) and error.errno is None:  # bzip2 and gzip say so of bad data
            raise Damaged(str(error)) from error
        raise


class _Xz(io.RawIOBase):
    """xz with a bound on its memory, which the standard library's file has not."""

    def __init__(self, file: IO[bytes]) -> None:
        self._file = file
        self._coder = self._fresh()
        self._left = b""

    @staticmethod
    def _fresh() -> lzma.LZMADecompressor:
        return lzma.LZMADecompressor(format=lzma.FORMAT_XZ, memlimit=WINDOW_MOST + (1 << 20))

    def readable(self) -> bool:
        return True

    def readinto(self, buffer: Any) -> int:
        while True:
            if self._coder.eof:
                rest = (self._coder.unused_data or self._file.read(_CHUNK)).lstrip(b"\0")
                if not rest and not (rest := self._file.read(_CHUNK).lstrip(b"\0")):
                    return 0
                self._coder, self._left = self._fresh(), rest
            data = self._left
            self._left = b""
            if not data and self._coder.needs_input and not (data := self._file.read(_CHUNK)):
                raise EOFError("it ends before its end was marked")
            if out := self._coder.decompress(data, max_length=len(buffer)):
                buffer[: len(out)] = out
                return len(out)
