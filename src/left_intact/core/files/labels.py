"""Files that only name or show a title beside what belongs to it."""

from __future__ import annotations

from collections.abc import Iterable

from left_intact.core.files.headers import is_picture
from left_intact.core.model.entry import Entry
from left_intact.core.model.place import At


def that_only_name(found: Iterable[Entry]) -> set[At]:
    """Texts and pictures beside files of another kind in the same folder: they name or show a title, and
    nobody loads them.
    """
    folders: dict[At, list[Entry]] = {}
    for entry in found:
        folders.setdefault(entry.at.folder, []).append(entry)
    only = set[At]()
    for inside in folders.values():
        labels = {e.at for e in inside if is_picture(e.format) or e.format.startswith("text ")}
        if len(labels) < len(inside):
            only |= labels
    return only
