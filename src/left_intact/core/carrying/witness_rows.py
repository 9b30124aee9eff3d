"""A witness as one row of the journal. The layout is described in docs/formats.md.

What changes is told entry by entry; what stays, which is nearly all, in the columns of its pages.
"""

from __future__ import annotations

import struct

from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Entry
from left_intact.core.model.kept import Kept, KeptPage
from left_intact.core.model.packing import (
    VERSION,
    Record,
    entries_from_columns,
    entries_to_columns,
    lines_from_records,
    lines_to_records,
    packed,
    unpacked,
)
from left_intact.core.model.page_packing import pages_from_bytes, pages_to_bytes, squeezed, unsqueezed
from left_intact.core.model.place import At, of_old
from left_intact.core.model.proof import Witness, Witnessed
from left_intact.core.model.stages import KeyLine, Verb

_LENGTHS = struct.Struct("<4sIII")
_MAGIC = b"LIW1"
_COLUMNS = ("stats", "digests")
"""What a proof compares; formats and first bytes are no part of it."""


def witness_to_row(witness: Witness) -> bytes:
    """Lengths, what is told in JSON, classes and reasons of what stays, then its pages; all but the lengths
    squeezed.
    """
    kept = witness.kept.pages
    head = _head(witness)
    marks = squeezed(b"".join(part for page in kept for part in (page.classes, page.reasons)))
    pages = squeezed(pages_to_bytes([page.page for page in kept], columns=_COLUMNS))
    return b"".join((_LENGTHS.pack(_MAGIC, len(head), len(marks), len(pages)), head, marks, pages))


def witness_from_row(row: bytes) -> Witness:
    """The reverse; also of the rows in JSON alone that version 0.1 wrote. Raises ValueError for anything
    else.
    """
    if row[:4] != _MAGIC:
        return _witness(unpacked(row), Kept())
    _, *lengths = _LENGTHS.unpack_from(row)
    parts, at = [], _LENGTHS.size
    for length in lengths:
        parts.append(row[at : at + length])
        at += length
    said, marks, kept, start = unpacked(parts[0]), unsqueezed(parts[1]), [], 0
    for page in pages_from_bytes(unsqueezed(parts[2])):
        page.root, page.folder = (
            (page.root, page.folder) if page.root else of_old(page.folder, said["labels"])
        )
        middle, end = start + len(page.names), start + 2 * len(page.names)
        kept.append(KeptPage(page=page, classes=marks[start:middle], reasons=marks[middle:end]))
        start = end
    return _witness(said, Kept(kept, ("", "")))


def _head(witness: Witness) -> bytes:
    """Entries in columns; what is agreed is told as `same` where it is what lay there before."""
    entries: list[Entry] = []
    rows = []
    for at, row in witness.rows.items():
        before = after = -1
        if row.before is not None:
            before = len(entries)
            entries.append(row.before)
        if row.agreed is row.before:
            after = before
        elif row.agreed is not None:
            after = len(entries)
            entries.append(row.agreed)
        rows.append([*at, row.file_class.value, row.verb.value, before, after])
    return packed(
        {
            "v": VERSION,
            "version": witness.version,
            "to_version": witness.to_version,
            "entries": entries_to_columns(entries),
            "rows": rows,
            "roots": [list(pair) for pair in witness.roots],
            "merged": [[*at, lines_to_records(lines)] for at, lines in witness.merged.items()],
            "labels": [],
        }
    )


def _witness(said: Record, kept: Kept) -> Witness:
    entries = entries_from_columns(said["entries"])
    classes, verbs = {c.value: c for c in FileClass}, {v.value: v for v in Verb}
    merged: dict[At, tuple[KeyLine, ...]] = {
        At(root, path): lines_from_records(lines) for root, path, lines in said["merged"]
    }
    return Witness(
        rows={
            At(root, path): Witnessed(
                file_class=classes[kind],
                verb=verbs[verb],
                before=entries[before] if before >= 0 else None,
                agreed=entries[after] if after >= 0 else None,
            )
            for root, path, kind, verb, before, after in said["rows"]
        },
        version=said["version"],
        to_version=said["to_version"],
        merged=merged,
        roots=tuple((label, place) for label, place in said["roots"]),
        kept=kept,
    )
