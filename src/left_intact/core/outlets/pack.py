"""A pack of changed content beside the person's own: only what replaces something they own.

Matched by name, whatever folder the pack nests it in; told apart by size and CRC-32, which the
directory of a zip has for every member, so that nothing need be fetched to know.
"""

from __future__ import annotations

import os
import zipfile
import zlib
from collections.abc import Iterable

from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Kind
from left_intact.core.model.outlet import PackLine, PackView
from left_intact.core.model.place import At
from left_intact.core.model.survey import Survey
from left_intact.core.outlets.pockets import lies_in_pocket, pockets


def sort_pack(
    name: str, place: str, members: Iterable[zipfile.ZipInfo], survey: Survey, *, full: int, whole: int
) -> PackView:
    """Sort the members of a pack by what they are to an install."""
    owned: dict[str, list[tuple[str, int]]] = {}
    folders: dict[str, int] = {}
    endings: set[str] = set()
    members = list(members)
    within = pockets(survey, place, members, lambda path, info: _is_member(survey, path, info))
    for finding in survey.findings:
        if finding.at.root or lies_in_pocket(finding.at.path, within):
            continue
        if finding.file_class is FileClass.CONTENT and finding.entry.kind is Kind.FILE:
            path, folder, base = finding.at.path, finding.at.folder.path, finding.at.name
            owned.setdefault(base.casefold(), []).append((path, finding.entry.bytes))
            folders[folder] = folders.get(folder, 0) + 1
            endings.add(os.path.splitext(base)[1].casefold())
    home = max(folders, key=lambda f: folders[f], default="")
    lines = []
    for info in members:
        base = info.filename.replace("\\", "/").rpartition("/")[2]
        mine = owned.get(base.casefold())
        if mine and len(mine) == 1:
            path, size = mine[0]
            same = _is_member(survey, path, info)
            lines.append(
                PackLine(
                    member=info.filename,
                    bytes=info.file_size,
                    packed=info.compress_size,
                    path=path,
                    old_bytes=size,
                    kind="same" if same else "mine",
                )
            )
        else:
            lacking = not mine and os.path.splitext(base)[1].casefold() in endings
            path = (f"{home}/{base}" if home else base) if lacking else ""
            lines.append(
                PackLine(
                    member=info.filename,
                    bytes=info.file_size,
                    packed=info.compress_size,
                    path=path,
                    kind="lacking" if lacking else "other",
                )
            )
    return PackView(name=name, place=place, lines=tuple(lines), full_bytes=full, pack_bytes=whole)


def _is_member(survey: Survey, path: str, info: zipfile.ZipInfo) -> bool:
    """Whether a file of an install is a member of a pack, byte for byte."""
    finding = survey.findings.find(At("", path))
    if finding is None or finding.entry.bytes != info.file_size:
        return False
    return crc_of(os.path.join(survey.root, path)) == info.CRC


def crc_of(path: str) -> int:
    """CRC-32 of a file, as zips use it; -1 where it cannot be read."""
    crc = 0
    try:
        with open(path, "rb") as file:
            while chunk := file.read(1 << 20):
                crc = zlib.crc32(chunk, crc)
    except OSError:
        return -1
    return crc
