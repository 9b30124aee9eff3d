"""Many pages as one run of bytes, for library and journal. The layout is described in docs/formats.md.

Lengths, a head in JSON (all that is not a column), then each column of all pages one after the other: what
takes time is done once for thousands of folders.
"""

from __future__ import annotations

import json
import struct
import zlib
from collections.abc import Iterable, Sequence
from itertools import chain

from left_intact.core.model.pages import COLUMNS, DIGEST_BYTES, HEAD_BYTES, Page
from left_intact.core.model.place import At, of_old

_LENGTHS = struct.Struct("<4sII")
_WIDTHS = {"stats": COLUMNS * 8, "digests": DIGEST_BYTES, "heads": HEAD_BYTES, "marks": 1}
_MAGIC, _OF_ONE_ROOT = b"LIP2", b"LIP1"
_WORST = (ValueError, KeyError, TypeError, IndexError, struct.error, zlib.error)


def pages_to_bytes(pages: Sequence[Page], *, columns: Sequence[str] = tuple(_WIDTHS)) -> bytes:
    """All pages; of the columns only those that are named, and formats only with `marks`."""
    formats = "marks" in columns
    number = {name: n for n, name in enumerate(dict.fromkeys(chain.from_iterable(p.formats for p in pages)))}
    rows = [
        [
            page.folder,
            list(page.facts),
            page.inner,
            page.fault,
            list(page.said.items()),
            list(page.names),
            _alike([number[name] for name in page.formats]) if formats else [],
            [len(getattr(page, column)) for column in columns],
            page.root,
        ]
        for page in pages
    ]
    head = json.dumps([list(columns), list(number) if formats else [], rows], separators=(",", ":")).encode()
    parts = [_LENGTHS.pack(_MAGIC, len(head), len(pages)), head]
    for column in columns:
        parts += [getattr(page, column) for page in pages]
    return b"".join(parts)


def _alike(numbers: list[int]) -> list[int] | int:
    """One number where all are the same."""
    return numbers[0] if numbers and numbers.count(numbers[0]) == len(numbers) else numbers


def pages_from_bytes(data: bytes) -> list[Page]:
    """The reverse of `pages_to_bytes`. Raises ValueError for anything else."""
    try:
        return list(_pages(data))
    except _WORST as error:
        raise ValueError("these are no pages") from error


def is_of_old(data: bytes) -> bool:
    """Whether pages were packed up to version 0.2, when the root of a folder stood in its path."""
    return data.startswith(_OF_ONE_ROOT)


def _pages(data: bytes) -> Iterable[Page]:
    magic, length, count = _LENGTHS.unpack_from(data)
    if magic not in (_MAGIC, _OF_ONE_ROOT):
        raise ValueError("another beginning")
    at = _LENGTHS.size + length
    columns, kinds, rows = json.loads(data[_LENGTHS.size : at])
    if len(rows) != count:
        raise ValueError("another number of pages")
    starts = []
    for n in range(len(columns)):
        starts.append(at)
        at += sum(row[7][n] for row in rows)
    if at != len(data):
        raise ValueError("another length")
    for folder, facts, inner, fault, said, names, formats, lengths, *root in rows:
        at = At(root[0], folder) if root else of_old(folder, ())
        page = Page(
            folder=at.path,
            root=at.root,
            facts=tuple(facts),
            names=tuple(names),
            inner=inner,
            fault=fault,
            said=dict(said),
            formats=[kinds[formats]] * len(names)
            if isinstance(formats, int)
            else [kinds[n] for n in formats],
        )
        for n, column in enumerate(columns):
            end = starts[n] + lengths[n]
            setattr(page, column, data[starts[n] : end])
            starts[n] = end
        yield page


def squeezed(data: bytes) -> bytes:
    """For what is kept long and read seldom."""
    return zlib.compress(data, 1)


def unsqueezed(data: bytes) -> bytes:
    """Raises ValueError for what was not squeezed."""
    try:
        return zlib.decompress(data)
    except zlib.error as error:
        raise ValueError(str(error)) from error
