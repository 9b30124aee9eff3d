"""Several folders read as one tree: what lies apart bears the label of its root."""

from __future__ import annotations

import os
from collections.abc import Callable, Mapping, Sequence

from left_intact.core.files.tree import ReadText, Tree, read_tree, text_reader
from left_intact.core.model.errors import LeftIntactError
from left_intact.core.model.pages import Page
from left_intact.core.model.place import TOP, At, from_words
from left_intact.core.model.progress import CancelToken, Report, silent


def read_roots(
    root: str,
    roots: Sequence[tuple[str, str]],
    *,
    known: Callable[[], Mapping[At, Page]] | None = None,
    may_lack: bool = False,
    report: Report = silent,
    cancel: CancelToken | None = None,
) -> Tree:
    """Read a root and those beside it, as `read_tree` does. A root beside it that is gone is a fault, not
    an error; with `may_lack` the first may be gone too, and counts as empty.
    """

    def known_of(label: str) -> Callable[[], Mapping[str, Page]] | None:
        return (lambda: {p.folder: p for p in known().values() if p.root == label}) if known else None

    if may_lack and not os.path.lexists(root):
        tree = Tree(root=root, pages=())
    else:
        tree = read_tree(root, known=known_of(""), report=report, cancel=cancel)
    if not roots:
        return tree
    pages = list(tree.pages)
    for label, place in sorted(roots):
        try:
            found = read_tree(place, known=known_of(label), report=report, cancel=cancel).pages
        except LeftIntactError as error:
            if error.code not in ("no-folder", "no-rights"):
                raise
            found = (Page(folder="", fault=error.says),)
        for page in found:
            page.root = label
        pages += found
    return Tree(root=tree.root, pages=tuple(pages))


ReadPlace = Callable[[At], bytes | None]


def roots_reader(root: str, roots: Sequence[tuple[str, str]], limit: int = 512 * 1024) -> ReadPlace:
    """A function that reads a small file of any of the roots, or returns None where it cannot be had."""
    readers = {label: text_reader(place, limit) for label, place in (("", root), *roots)}
    return lambda at: readers[at.root](at.path) if at.root in readers else None


def reader_in_words(root: str, roots: Sequence[tuple[str, str]], limit: int = 512 * 1024) -> ReadText:
    """The same of paths as people and keepsheets write them; what the install itself has of a name comes
    before a root that is called so.
    """
    read, labels = roots_reader(root, roots, limit), [label for label, _ in roots]

    def read_words(path: str) -> bytes | None:
        found = read(At("", path))
        named = from_words(path, labels) if found is None else TOP
        return read(named) if named.root else found

    return read_words


def absolute(root: str, roots: Sequence[tuple[str, str]], at: At) -> str:
    """Where a place of a survey lies."""
    place = dict(roots).get(at.root, root) if at.root else root
    return os.path.join(place, at.path) if at.path or not at.root else place
