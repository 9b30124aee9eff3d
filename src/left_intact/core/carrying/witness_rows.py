"""A witness as one row of the journal. The layout is described in docs/formats.md.

What changes is told entry by entry; what stays, which is nearly all, in the columns of its pages.
"""

from __future__ import annotations

import struct
from dataclasses import dataclass

from left_intact.core.model.page_packing import pages_from_bytes, pages_to_bytes, squeezed, unsqueezed
from left_intact.core.model.place import At
from left_intact.core.model.proof import Witness, Witnessed
from left_intact.core.model.records import packed, unpacked
from left_intact.core.model.stages import KeyLine
from left_intact.core.model.unchanged import Unchanged, UnchangedPage

_LENGTHS = struct.Struct("<4sIII")
_MAGIC = b"LIW2"
_COLUMNS = ("stats", "digests")
"""What a proof compares; formats and first bytes are no part of it."""


@dataclass(frozen=True, slots=True, kw_only=True)
class WitnessRecord:
    """What of a witness is kept in JSON."""

    version: str
    to_version: str
    roots: tuple[tuple[str, str], ...] = ()
    rows: tuple[tuple[At, Witnessed], ...] = ()
    merged: tuple[tuple[At, tuple[KeyLine, ...]], ...] = ()


def witness_to_row(witness: Witness) -> bytes:
    """Lengths, what is told in JSON, classes and reasons of what stays, then its pages; all but the lengths
    squeezed.
    """
    record = WitnessRecord(
        version=witness.version,
        to_version=witness.to_version,
        roots=witness.roots,
        rows=tuple(witness.rows.items()),
        merged=tuple(witness.merged.items()),
    )
    return row_of(packed(record), witness.kept)


def row_of(head: bytes, kept: Unchanged) -> bytes:
    marks = squeezed(b"".join(part for page in kept.pages for part in (page.classes, page.reasons)))
    pages = squeezed(pages_to_bytes([page.page for page in kept.pages], columns=_COLUMNS))
    return b"".join((_LENGTHS.pack(_MAGIC, len(head), len(marks), len(pages)), head, marks, pages))


def witness_from_row(row: bytes) -> Witness:
    """The reverse. Raises ValueError for anything else."""
    head, kept = parts_of(row, _MAGIC)
    record = unpacked(WitnessRecord, head)
    return Witness(
        rows=dict(record.rows),
        version=record.version,
        to_version=record.to_version,
        merged=dict(record.merged),
        roots=record.roots,
        kept=kept,
    )


def parts_of(row: bytes, magic: bytes) -> tuple[bytes, Unchanged]:
    """(what is told, what stays). Raises ValueError where the row has another beginning."""
    known, *lengths = _LENGTHS.unpack_from(row)
    if known != magic:
        raise ValueError("another beginning")
    parts, at = [], _LENGTHS.size
    for length in lengths:
        parts.append(row[at : at + length])
        at += length
    marks, kept, start = unsqueezed(parts[1]), [], 0
    for page in pages_from_bytes(unsqueezed(parts[2])):
        middle, end = start + len(page.names), start + 2 * len(page.names)
        kept.append(UnchangedPage(page=page, classes=marks[start:middle], reasons=marks[middle:end]))
        start = end
    return parts[0], Unchanged(kept, ("", ""))
