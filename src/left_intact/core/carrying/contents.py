"""The plain list of what every object of a strongbox is, for a person without us (docs/strongbox.md)."""

from __future__ import annotations

import json
from collections.abc import Iterator
from datetime import UTC, datetime

from left_intact.core.carrying.journal import Journal
from left_intact.core.carrying.strongbox import Strongbox
from left_intact.core.model.entry import Kind


def list_rows(journal: Journal, box: Strongbox) -> Iterator[tuple[str, ...]]:
    """A row for each file that a run displaced or made safe and that is still kept, newest run first."""
    for run in journal.runs():
        taken = _moment(run.began)
        places = {root.label: root.place for root in run.roots}
        for step in journal.steps(run.id):
            entry = step.before
            if entry is None or entry.kind is not Kind.FILE or not box.holds(box.object_path(entry.digest)):
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
                _moment(entry.mtime_ns / 10**9),
                json.dumps(places.get(step.at.root, "")),
                json.dumps(step.at.path),
            )


def _moment(seconds: float) -> str:
    return datetime.fromtimestamp(seconds, UTC).strftime("%Y-%m-%dT%H:%M:%SZ")
