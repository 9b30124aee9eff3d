"""A pack that lies here: a zip, another archive, or a folder of changed content."""

from __future__ import annotations

import os
import zipfile
import zlib
from typing import IO

from left_intact.core.files.archives import open_source
from left_intact.core.files.vetting import Member
from left_intact.core.model.entry import Kind
from left_intact.core.model.progress import CancelToken, Progress, Report, silent


class _Summed:
    """A sink that takes the CRC-32 of what it is given, as the directory of a zip has it."""

    def __init__(self, info: zipfile.ZipInfo) -> None:
        self.info = info

    def write(self, data: bytes) -> None:
        self.info.CRC = zlib.crc32(data, self.info.CRC)

    def close(self) -> None: ...


class _Written:
    """A sink that writes a file."""

    def __init__(self, path: str) -> None:
        os.makedirs(os.path.dirname(path), exist_ok=True)
        self.file: IO[bytes] = open(path, "wb")  # noqa: SIM115 (closed by `close`)

    def write(self, data: bytes) -> None:
        self.file.write(data)

    def close(self) -> None:
        self.file.close()


def local_directory(place: str) -> tuple[list[zipfile.ZipInfo], int]:
    """(members with size and CRC, bytes of the pack). What has no directory is read once, all of it."""
    source = open_source(place)
    members = [m for m in source.members() if m.kind is Kind.FILE]
    found: dict[str, zipfile.ZipInfo] = {}

    def open_sink(member: Member) -> _Summed:
        info = found[member.path] = zipfile.ZipInfo(member.path)
        info.file_size = info.compress_size = member.bytes
        info.CRC = 0
        return _Summed(info)

    source.push(members, open_sink)
    whole = sum(m.bytes for m in members) if source.shape == "folder" else os.path.getsize(place)
    return [found[m.path] for m in members], whole


def lift_local(
    place: str,
    wanted: dict[str, str],
    into: str,
    *,
    report: Report = silent,
    cancel: CancelToken | None = None,
) -> None:
    """Unpack members (by name) to paths below `into`."""
    cancel, count = cancel or CancelToken(), 0
    source = open_source(place)

    def open_sink(member: Member) -> _Written:
        nonlocal count
        cancel.check()
        count += 1
        report(Progress(stage="fetching", done=count, total=len(wanted), path=wanted[member.path]))
        return _Written(os.path.join(into, wanted[member.path]))

    source.push([m for m in source.members() if m.path in wanted], open_sink)
