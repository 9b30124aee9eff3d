"""A page and its verdicts as one row of the library. The layout is described in docs/formats.md."""

from __future__ import annotations

import json
import struct
import zlib
from array import array
from collections.abc import Sequence

from left_intact.core.files.pages import COLUMNS, DIGEST_BYTES, HEAD_BYTES, Page
from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Evidence
from left_intact.core.survey.findings import Verdict

_LENGTHS = struct.Struct("<II")


def page_to_row(page: Page) -> bytes:
    """Lengths, a head in JSON, then the columns one after the other."""
    kinds = list(dict.fromkeys(page.formats))
    number = {file_format: n for n, file_format in enumerate(kinds)}
    head = json.dumps(
        [
            page.facts,
            page.inner,
            page.fault,
            kinds,
            [number[f] for f in page.formats],
            list(page.said.items()),
            list(page.names),
        ],
        separators=(",", ":"),
    ).encode()
    return b"".join(
        (_LENGTHS.pack(len(head), len(page.names)), head, page.stats, page.digests, page.heads, page.marks)
    )


def page_from_row(folder: str, row: bytes) -> Page:
    """The reverse of `page_to_row`. Raises ValueError or struct.error for anything else."""
    head_bytes, count = _LENGTHS.unpack_from(row)
    at = _LENGTHS.size + head_bytes
    facts, inner, fault, kinds, formats, said, names = json.loads(row[_LENGTHS.size : at])
    ends = [at]
    for width in (COLUMNS * 8, DIGEST_BYTES, HEAD_BYTES, 1):
        ends.append(ends[-1] + width * count)
    if ends[-1] != len(row):
        raise ValueError("a page of another length")
    return Page(
        folder=folder,
        facts=tuple(facts),
        names=tuple(names),
        stats=row[ends[0] : ends[1]],
        inner=inner,
        fault=fault,
        said=dict(said),
        digests=row[ends[1] : ends[2]],
        formats=[kinds[n] for n in formats],
        heads=row[ends[2] : ends[3]],
        marks=row[ends[3] : ends[4]],
    )


def verdicts_to_row(verdicts: array[int]) -> bytes:
    return array("I", verdicts).tobytes()


def verdicts_from_row(row: bytes) -> array[int]:
    found = array("I")
    found.frombytes(row)
    return found


def table_to_row(table: Sequence[Verdict]) -> bytes:
    """All verdicts, each piece of evidence written once."""
    number: dict[int, int] = {}
    evidence: list[Evidence] = []
    rows = []
    for verdict in table:
        for piece in verdict.why:
            if id(piece) not in number:
                number[id(piece)] = len(evidence)
                evidence.append(piece)
        why = [number[id(piece)] for piece in verdict.why]
        rows.append([verdict.file_class.value, verdict.certainty, verdict.leaning.value, why])
    said = [[e.source, e.says, e.speaks_for.value, e.weight] for e in evidence]
    return zlib.compress(json.dumps([said, rows], separators=(",", ":")).encode(), 1)


def table_from_row(row: bytes) -> list[Verdict]:
    """The reverse of `table_to_row`. Raises ValueError or zlib.error for anything else."""
    said, rows = json.loads(zlib.decompress(row))
    classes = {c.value: c for c in FileClass}
    evidence = [Evidence(source=s, says=t, speaks_for=classes[c], weight=w) for s, t, c, w in said]
    return [
        Verdict(
            file_class=classes[c],
            certainty=sure,
            leaning=classes[leaning],
            why=tuple([evidence[n] for n in why]),
        )
        for c, sure, leaning, why in rows
    ]
