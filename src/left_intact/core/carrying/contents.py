"""The plain list of what every object of a strongbox is, for a person without us (docs/strongbox.md)."""

from __future__ import annotations

import json
from collections.abc import Iterator, Mapping, Sequence
from datetime import UTC, datetime
from functools import lru_cache

from left_intact.core.carrying.journal import Journal, Step
from left_intact.core.carrying.strongbox import Strongbox
from left_intact.core.model.entry import Kind


def list_rows(
    journal: Journal, box: Strongbox, at_hand: Mapping[int, Sequence[Step]] | None = None
) -> Iterator[tuple[str, ...]]:
    """A row for each file that a run displaced or made safe and that is still kept, newest run first.

    `at_hand` are steps that need not be read again: those of the last stage of a run, by its number.
    """
    there = box.objects()
    for run in journal.runs():
        taken = _moment(int(run.began))
        places = {root.label: root.place for root in run.roots}
        for step in _steps(journal, run.id, (at_hand or {}).get(run.id)):
            entry = step.before
            if entry is None or entry.kind is not Kind.FILE or entry.digest not in there:
                continue
            mode = "" if entry.mode is None else f"{entry.mode:04o}"
            yield (
                entry.digest,
                str(run.id),
                taken,
                step.verb.value,
                step.file_class.value,
                str(entry.bytes),
                mode,
                _moment(entry.mtime_ns // 10**9),
                json.dumps(places.get(step.at.root, "")),
                json.dumps(step.at.path),
            )


def _steps(journal: Journal, run: int, at_hand: Sequence[Step] | None) -> Sequence[Step]:
    if at_hand is None or len(journal.stages(run)) != 1:
        return journal.steps(run)
    return at_hand


@lru_cache(maxsize=4096)
def _moment(seconds: int) -> str:
    return datetime.fromtimestamp(seconds, UTC).strftime("%Y-%m-%dT%H:%M:%SZ")
