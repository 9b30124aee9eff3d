"""Verdicts as rows of the library. The layout is described in docs/formats.md."""

from __future__ import annotations

import json
import zlib
from array import array
from collections.abc import Sequence

from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Evidence
from left_intact.core.model.findings import Verdict


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
