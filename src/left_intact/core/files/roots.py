"""Several folders read as one tree: what lies apart has paths that begin with the label of its root.

`settings:/pads.ini` (with a mark in it, see `At.shown`) is the file `pads.ini` of the root that is labelled
`settings`. Nothing of an update is ever laid there: those paths are read, classified and proven, no more.
"""

from __future__ import annotations

import os
from collections.abc import Callable, Mapping, Sequence

from left_intact.core.files.tree import ReadText, Tree, first_bytes, read_tree, text_reader
from left_intact.core.model.errors import LeftIntactError
from left_intact.core.model.pages import Page
from left_intact.core.model.place import At, at_of, from_words
from left_intact.core.model.progress import CancelToken, Report, silent


def read_roots(
    root: str,
    roots: Sequence[tuple[str, str]],
    *,
    known: Callable[[], Mapping[str, Page]] | None = None,
    may_lack: bool = False,
    report: Report = silent,
    cancel: CancelToken | None = None,
) -> Tree:
    """Read a root and those beside it, as `read_tree` does. A root beside it that is gone is a fault, not
    an error; with `may_lack` the first may be gone too, and counts as empty.
    """
    if may_lack and not os.path.lexists(root):
        tree = Tree(root=root, pages=())
    else:
        tree = read_tree(root, known=known, report=report, cancel=cancel)
    if not roots:
        return tree
    before = known() if known else {}
    pages = list(tree.pages)
    for label, place in roots:
        start = At(label, "").shown
        inside = {
            p.folder[len(start) + 1 :]: p
            for p in before.values()
            if p.folder == start or p.folder.startswith(start + "/")
        }
        try:
            found = read_tree(place, known=inside or None, report=report, cancel=cancel).pages
        except LeftIntactError as error:
            if error.code not in ("no-folder", "no-rights"):
                raise
            pages.append(Page(folder=start, fault=error.says))
            continue
        old = {id(page) for page in inside.values()}
        for page in found:
            if id(page) not in old:
                page.folder = At(label, page.folder).shown
            pages.append(page)
    return Tree(root=tree.root, pages=tuple(sorted(pages, key=lambda page: page.folder)))


def roots_reader(root: str, roots: Sequence[tuple[str, str]], limit: int = 512 * 1024) -> ReadText:
    """A function that reads a small file of any of the roots, or returns None where it cannot be had."""
    first = text_reader(root, limit)
    others = {label: text_reader(place, limit) for label, place in roots}

    def read(path: str) -> bytes | None:
        root, below = at_of(path)
        if root:
            return others[root](below) if root in others else None
        found = first(below)
        # A keepsheet names a root as people do; what the install itself has of that name comes before.
        named = at_of(from_words(path, others)) if found is None and ":" in path else At("", "")
        return others[named.root](named.path) if named.root else found

    return read


def head_reader(root: str, roots: Sequence[tuple[str, str]]) -> Callable[[str, int], bytes | None]:
    """A function that reads the first so many bytes of a file of any of the roots, or returns None where it
    cannot be had.
    """
    return lambda path, limit: first_bytes(absolute(root, roots, path), limit)


def absolute(root: str, roots: Sequence[tuple[str, str]], path: str) -> str:
    """Where a path of a survey lies."""
    at = at_of(path)
    place = dict(roots).get(at.root, root) if at.root else root
    return os.path.join(place, at.path) if at.path or not at.root else place
