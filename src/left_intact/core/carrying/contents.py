"""The plain list of what every object of a strongbox is, for a person without us (docs/strongbox.md)."""

from __future__ import annotations

import json
from collections.abc import Iterable, Iterator, Sequence
from datetime import UTC, datetime
from functools import lru_cache

from left_intact.core.carrying.journal import Journal, Step
from left_intact.core.carrying.strongbox import Strongbox
from left_intact.core.model.entry import Kind
from left_intact.core.model.update import Update

Row = tuple[str, ...]


def list_rows(
    journal: Journal, box: Strongbox, fresh: tuple[int, Sequence[Step]] | None = None
) -> Iterator[Row]:
    """A row for each file that a run displaced or made safe and that is still kept, newest run first.

    `fresh` is a run that has just begun, and its steps: the rows of all others are taken from the list that
    is there.
    """
    there = box.objects()
    known = box.read_list() if fresh is not None else None
    for run in journal.runs():
        if fresh is not None and run.id == fresh[0] and len(journal.stages(run.id)) == 1:
            yield from _rows_of(run, fresh[1], there)
        elif known is not None and fresh is not None and run.id != fresh[0]:
            yield from (row for row in known.get(str(run.id), ()) if row[0] in there)
        else:
            yield from _rows_of(run, journal.steps(run.id), there)


def _rows_of(run: Update, steps: Iterable[Step], there: set[str]) -> Iterator[Row]:
    taken = _moment(int(run.began))
    places = {root.label: json.dumps(root.place) for root in run.roots}
    for step in steps:
        entry = step.before
        if entry is None or entry.kind is not Kind.FILE or entry.digest not in there:
            continue
        yield (
            entry.digest,
            str(run.id),
            taken,
            step.verb.value,
            step.file_class.value,
            str(entry.bytes),
            "" if entry.mode is None else f"{entry.mode:04o}",
            _moment(entry.mtime_ns // 10**9),
            places.get(step.at.root, '""'),
            json.dumps(step.at.path),
        )


@lru_cache(maxsize=4096)
def _moment(seconds: int) -> str:
    return datetime.fromtimestamp(seconds, UTC).strftime("%Y-%m-%dT%H:%M:%SZ")
