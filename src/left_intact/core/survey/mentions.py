"""What the program's own files name: where times are silent, a file that others of it load came with it.

Code names what it loads, a page what it shows, a list what it lists, a library what it needs. Somebody's own
plug-in among a hundred shipped ones is named by none of them. What is named counts only from the program's
beginnings on, link by link: a plug-in of several files names its own, and that says nothing.
"""

from __future__ import annotations

import heapq
from collections import defaultdict
from collections.abc import Callable, Sequence
from dataclasses import dataclass

from left_intact.core.model.pages import Page
from left_intact.core.survey.naming import File, Index
from left_intact.core.survey.standing import MACHINE, FolderContents

_EACH, _EACH_BINARY, _FIRST, _ALL = 96 << 10, 256 << 10, 2 << 20, 8 << 20
"""Bytes that are read of a text, of a binary, of a text that the program begins with, and of all."""

Read = Callable[[str, int], bytes | None]
"""Gives the first so many bytes of a path."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Mentions:
    """What is named."""

    named: dict[str, frozenset[str]]
    """By folder: the names in it that the program's files name."""
    one_more: frozenset[str]
    """Folders like several beside them, and what lies below those, that no file of the program's speaks of:
    what somebody makes from one of the others bears the same names."""
    called: frozenset[str]
    """Folders that a list of all beside them calls, or the manifest of a package that needs them."""

    def of(self, folder: str) -> frozenset[str]:
        return self.named.get(folder, frozenset())


NONE = Mentions(named={}, one_more=frozenset(), called=frozenset())


def read_mentions(pages: Sequence[Page], standing: FolderContents, read: Read) -> Mentions:
    """Follow what names what, link by link from the program's beginnings, as far as the bytes go that are
    read for it.
    """
    index = Index(pages, standing)
    named, left = set[File](), _ALL
    beginnings = index.beginnings()
    found = index.but(beginnings, index.one_more(index.heard(named)))
    seen = set(found)
    while found and left > 0:
        todo = [(index.sizes[file], file) for file in found]
        heapq.heapify(todo)  # the smallest first: they name the most for their bytes
        while todo and left > 0:
            _, source = heapq.heappop(todo)
            text = _FIRST if source in beginnings else _EACH
            data = read(index.paths[source], _EACH_BINARY if index.looks[source] == MACHINE else text)
            if not data:
                continue
            left -= len(data)
            targets = set(index.named_in(source, data)) - {source}
            named |= targets
            for target in targets - seen:
                if index.may_name[target]:
                    seen.add(target)
                    heapq.heappush(todo, (index.sizes[target], target))
        rolls = index.rolls(index.one_more(index.heard(named)))  # once all is known that is spoken of
        named |= rolls
        heard = index.heard(named)
        more = index.but(beginnings, index.one_more(heard)) | rolls | index.lists(heard)
        found = {file for file in more if index.may_name[file]} - seen
        seen |= found
    paths = {index.paths[file] for file in named}
    named |= {file for file, target in index.links if target in paths}
    by_folder: dict[str, set[str]] = defaultdict(set)
    for file in named:
        folder, _, name = index.paths[file].rpartition("/")
        by_folder[folder].add(name)
    return Mentions(
        named={folder: frozenset(names) for folder, names in by_folder.items()},
        one_more=frozenset(index.one_more(index.heard(named))),
        called=frozenset(index.calls.called),
    )
