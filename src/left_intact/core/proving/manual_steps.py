"""Whether a step by hand was done, read from the disk: one of a closed set of signs."""

from __future__ import annotations

import os
from collections.abc import Mapping, Sequence

from left_intact.core.files.headers import HEAD_BYTES, recognise
from left_intact.core.files.identity import identity_of
from left_intact.core.files.tree import read_tree, text_reader
from left_intact.core.model.errors import LeftIntactError
from left_intact.core.model.pages import Page
from left_intact.core.model.place import Root
from left_intact.core.model.release import Reading
from left_intact.core.model.stages import ManualCheck, Sign
from left_intact.core.model.version import Version


def was_done(
    check: ManualCheck,
    roots: Sequence[Root],
    *,
    name: str,
    rules: tuple[tuple[str, str], ...] = (),
    extra_readings: tuple[Reading, ...] = (),
    known: Mapping[str, Page] | None = None,
) -> bool:
    """Whether the sign of a step is to be seen now; one that cannot be seen never is.

    `known` are pages of an earlier reading of the first root: what has their stamps is not read again.
    """
    root = next((r.place for r in roots if r.label == check.at.root), "")
    if not root:
        return False  # a journal that names no such folder tells nothing of it
    place = os.path.join(root, check.at.path) if check.at.path else root
    match check.sign:
        case Sign.GONE:
            return not os.path.lexists(place)
        case Sign.APPEARS:
            return os.path.lexists(place)
        case Sign.VERSION_READS:
            return identity_of(root) is not None and _reads(root, check, name, rules, extra_readings, known)
        case Sign.SETTING_HAS:
            return identity_of(root) is not None and _has(root, check)
        case Sign.SAME:
            return _is_the_same(next((r.place for r in roots if not r.label), ""), place)
        case Sign.SAID:
            return False


def _reads(
    root: str,
    check: ManualCheck,
    name: str,
    rules: tuple[tuple[str, str], ...],
    extra: tuple[Reading, ...],
    known: Mapping[str, Page] | None,
) -> bool:
    from left_intact.core.proving.prove import version_now

    try:
        tree = read_tree(root, known=known if not check.at.root else None)
    except LeftIntactError:
        return False
    now, want = version_now(tree, name, extra, rules), Version.parse(check.value)
    return now is not None and now.version is not None and want is not None and now.version.compare(want) == 0


def _is_the_same(root: str, copy: str) -> bool:
    """Whether all files of a folder lie in a copy of it too, read whole on both sides."""
    if identity_of(root) is None or identity_of(copy) is None:
        return False
    try:
        mine, theirs = read_tree(root), read_tree(copy)
    except LeftIntactError:
        return False
    there = {entry.path: entry for entry in theirs.entries}
    return all(entry.path in there and there[entry.path].same_content(entry) for entry in mine.entries)


def _has(root: str, check: ManualCheck) -> bool:
    from left_intact.core.settings.document import NotReadable, shown
    from left_intact.core.settings.formats.registry import open_document

    data = text_reader(root)(check.at.path)
    if data is None:
        return False
    try:
        document = open_document(data, recognise(data[:HEAD_BYTES], len(data)))
    except NotReadable:
        return False
    return any(
        shown(key) == check.key and document.same(value, check.value)
        for key, value in document.values().items()
    )
