"""A release on record as one row of the library. The layout is described in docs/formats.md."""

from __future__ import annotations

import json
import struct
from collections.abc import Mapping
from dataclasses import dataclass
from types import MappingProxyType

from left_intact.core.model.page_packing import pages_from_bytes, pages_to_bytes, squeezed, unsqueezed
from left_intact.core.model.pages import PagedEntries, pages_in
from left_intact.core.model.records import from_record, to_text
from left_intact.core.model.release import Reading, Release

_LENGTHS = struct.Struct("<4sI")
_MAGIC = b"LIR1"


@dataclass(frozen=True, slots=True, kw_only=True)
class _Said:
    """What is said of a release beside its entries."""

    name: str
    platform: str
    texts: Mapping[str, bytes]
    readings: tuple[Reading, ...]


def release_to_row(release: Release) -> bytes:
    """What is said of it in JSON, then its entries as pages, both squeezed."""
    said = _Said(
        name=release.name, platform=release.platform, texts=release.texts, readings=tuple(release.readings)
    )
    head = squeezed(to_text(said).encode())
    return _LENGTHS.pack(_MAGIC, len(head)) + head + squeezed(pages_to_bytes(pages_in(release.entries)))


def release_from_row(row: bytes) -> Release:
    """The reverse. Raises ValueError for anything else."""
    magic, length = _LENGTHS.unpack_from(row)
    if magic != _MAGIC:
        raise ValueError("another beginning")
    end = _LENGTHS.size + length
    said = from_record(_Said, json.loads(unsqueezed(row[_LENGTHS.size : end])))
    return Release(
        name=said.name,
        entries=PagedEntries(pages_from_bytes(unsqueezed(row[end:]))),
        texts=MappingProxyType(dict(said.texts)),
        readings=said.readings,
        platform=said.platform,
    )
