"""A release on record as one row of the library. The layout is described in docs/formats.md."""

from __future__ import annotations

import base64
import json
import struct
import zlib
from collections.abc import Mapping
from dataclasses import asdict
from types import MappingProxyType
from typing import Any

from left_intact.core.model.entry import Entry
from left_intact.core.model.packing import VERSION, entries_from_columns
from left_intact.core.model.page_packing import pages_from_bytes, pages_to_bytes, squeezed, unsqueezed
from left_intact.core.model.pages import PagedEntries, pages_in
from left_intact.core.model.release import Reading, Release

_LENGTHS = struct.Struct("<4sI")
_MAGIC = b"LIR1"


def release_to_row(release: Release) -> bytes:
    """What is said of it in JSON, then its entries as pages, both squeezed."""
    said = {
        "v": VERSION,
        "name": release.name,
        "texts": {p: base64.b64encode(t).decode() for p, t in release.texts.items()},
        "readings": [asdict(r) for r in release.readings],
        "platform": release.platform,
    }
    head = squeezed(json.dumps(said).encode())
    return _LENGTHS.pack(_MAGIC, len(head)) + head + squeezed(pages_to_bytes(pages_in(release.entries)))


def release_from_row(row: bytes) -> Release:
    """The reverse; also of the rows in JSON alone that version 0.1 wrote. Raises ValueError."""
    if row[:4] != _MAGIC:
        said = json.loads(zlib.decompress(row))
        entries = MappingProxyType({e.path: e for e in entries_from_columns(said["entries"])})
        return _release(said, entries)
    _, length = _LENGTHS.unpack_from(row)
    end = _LENGTHS.size + length
    said = json.loads(unsqueezed(row[_LENGTHS.size : end]))
    return _release(said, PagedEntries(pages_from_bytes(unsqueezed(row[end:]))))


def _release(said: dict[str, Any], entries: Mapping[str, Entry]) -> Release:
    return Release(
        name=said["name"],
        entries=entries,
        texts=MappingProxyType({p: base64.b64decode(t) for p, t in said["texts"].items()}),
        readings=tuple(Reading(**r) for r in said["readings"]),
        platform=said["platform"],
    )
