"""What the program's own files name: where times tell nothing apart, a file that others of it load came with it.

Code names what it loads, a page what it shows, a list what it lists, a library what it needs. Somebody's own
plug-in among a hundred shipped ones is named by none of them. What is named counts only from the program's
beginnings on, link by link: a plug-in of several files names its own, and that says nothing.
"""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass

from left_intact.core.model.pages import COLUMNS, Page
from left_intact.core.survey.standing import MACHINE, SOURCE, Standing

_BETWEEN = re.compile(rb"[^\w@\-./]+")
_NEEDED = re.compile(rb"[\w\-+.]{2,80}?\.(?:so(?:\.\d+)*|dll|dylib)(?![\w])")
_QUOTED = re.compile(rb"[\"']([\w\-]{2,60})[\"']")
_IMPORT = re.compile(
    rb"(?m)^[ \t]*(?:from[ \t]+(\.*[\w.]*)[ \t]+import[ \t]+\(?([\w, \t\r\n]+)|import[ \t]+([\w., \t]+))"
)
_LISTS = re.compile(
    r"(?i)^(record|manifest(\.\w+)?|sources\.txt|filelist.*|.+\.(qrc|list|files|install|pri|toc|cmake))$|^package\.json$"
)
_EACH, _EACH_BINARY, _ALL = 96 << 10, 256 << 10, 6 << 20
"""Bytes that are read of a text, of a binary, and of all."""
_HUB = 3
"""What so many others name is a beginning too."""
_LEAST_STEM, _LONGEST = 2, 160
_SHARE_OF_CODE = 0.1
"""A folder at the top with so much of all code is one that the program begins in."""

_PAGES = frozenset(("text html", "text markdown"))

Read = Callable[[str], bytes | None]
_File = int


@dataclass(frozen=True, slots=True, kw_only=True)
class Mentions:
    """What is named."""

    named: dict[str, frozenset[str]]
    """By folder: the names in it that the program's files name."""
    coverage: float = 0.0
    """The share of what is code, or looks shipped, that is named."""

    def of(self, folder: str) -> frozenset[str]:
        return self.named.get(folder, frozenset())


NONE = Mentions(named={})


def read_mentions(pages: Sequence[Page], standing: Standing, read: Read) -> Mentions:
    """Read some of what can name others, the smallest first, and follow it from the program's beginnings."""
    index = _Index(pages, standing)
    edges: dict[_File, set[_File]] = defaultdict(set)
    named_by: dict[_File, set[_File]] = defaultdict(set)
    left = _ALL
    for source in index.sources():
        if left <= 0:
            break
        data = read(index.paths[source])
        if not data:
            continue
        data = data[: _EACH_BINARY if index.is_machine[source] else _EACH]
        left -= len(data)
        for target in set(index.named_in(source, data)):
            if target != source:
                edges[source].add(target)
                named_by[target].add(source)
    reached = index.beginnings() | {t for t, by in named_by.items() if len(by) >= _HUB}
    todo, named = list(reached), set[_File]()
    while todo:
        for target in edges.get(todo.pop(), ()):
            named.add(target)
            if target not in reached:
                reached.add(target)
                todo.append(target)
    by_folder: dict[str, set[str]] = defaultdict(set)
    for file in named:
        folder, _, name = index.paths[file].rpartition("/")
        by_folder[folder].add(name)
    tellable = [n for n, look in enumerate(index.looks) if look >= SOURCE]
    coverage = sum(n in named for n in tellable) / len(tellable) if tellable else 0.0
    return Mentions(named={f: frozenset(n) for f, n in by_folder.items()}, coverage=coverage)


class _Index:
    """The files of a tree by how others may name them."""

    def __init__(self, pages: Sequence[Page], standing: Standing) -> None:
        self.paths: list[str] = []
        self.looks: list[int] = []
        self.is_machine: list[bool] = []
        self._sizes: list[int] = []
        self._readable: list[_File] = []
        self._by_name: dict[bytes, list[_File]] = defaultdict(list)
        self._by_place: dict[tuple[bytes, bytes], list[_File]] = defaultdict(list)
        self._at: dict[tuple[str, bytes], _File] = {}
        for page in pages:
            foreign = standing.is_foreign(page.folder)
            sizes = page.numbers[1::COLUMNS]
            above = page.folder.rpartition("/")[2].encode()
            for at, (name, look) in enumerate(zip(page.names, standing.looks(page.folder), strict=True)):
                self._add(page.folder, above, name, look, sizes[at])
                file_format = page.formats[at] if page.formats else ""
                readable = look >= SOURCE or _LISTS.match(name) or file_format in _PAGES
                if readable and not foreign:
                    self._readable.append(len(self.paths) - 1)

    def _add(self, folder: str, above: bytes, name: str, look: int, size: int) -> None:
        file = len(self.paths)
        self.paths.append(f"{folder}/{name}" if folder else name)
        self.looks.append(look)
        self.is_machine.append(look == MACHINE)
        self._sizes.append(size)
        raw = name.encode("utf-8", "surrogateescape")
        self._by_name[raw].append(file)
        self._at[folder, raw] = file
        self._by_place[above, raw].append(file)
        stem = raw
        while (shorter := stem.rpartition(b".")[0]) and len(shorter) >= _LEAST_STEM:
            stem = shorter
            self._by_place[above, stem].append(file)
            self._at.setdefault((folder, stem), file)

    def sources(self) -> list[_File]:
        """What can name others, the lists first, then the smallest."""
        return sorted(
            self._readable,
            key=lambda f: (not _LISTS.match(self.paths[f].rpartition("/")[2]), self._sizes[f], self.paths[f]),
        )

    def beginnings(self) -> set[_File]:
        """Where the program begins: the code that lies nearest to the top, of the whole and of each folder at
        the top that holds enough of it; and lists.
        """
        code = [f for f in self._readable if self.looks[f] >= SOURCE]
        by_top: dict[str, list[_File]] = defaultdict(list)
        for file in code:
            by_top[self.paths[file].partition("/")[0]].append(file)
        found = {f for f in self._readable if _LISTS.match(self.paths[f].rpartition("/")[2])}
        for files in (code, *(f for f in by_top.values() if len(f) >= _SHARE_OF_CODE * len(code))):
            depths = [self.paths[f].count("/") for f in files]
            top = min(depths, default=0) + 1
            found |= {f for f, depth in zip(files, depths, strict=True) if depth <= top}
        return found

    def named_in(self, source: _File, data: bytes) -> Iterator[_File]:
        folder = self.paths[source].rpartition("/")[0]
        if self.is_machine[source]:
            for needed in set(_NEEDED.findall(data)):
                yield from self._of_name(folder, needed)
            return
        for token in set(_BETWEEN.split(data)):
            if len(token) <= _LONGEST and (b"." in token or b"/" in token):
                yield from self._of_token(folder, token.strip(b".-") if token[:1] != b"." else token)
        for word in set(_QUOTED.findall(data)):
            here = self._at.get((folder, word))
            if here is not None and self.looks[here] >= SOURCE:
                yield here
        for of, names, plain in _IMPORT.findall(data):
            yield from self._imported(folder, of, names, plain)

    def _of_name(self, folder: str, name: bytes) -> Sequence[_File]:
        """The file of a name: the only one in the tree, or the one beside who names it."""
        found = self._by_name.get(name)
        if found is None:
            return ()
        if len(found) == 1:
            return found
        here = self._at.get((folder, name))
        return () if here is None else (here,)

    def _of_token(self, folder: str, token: bytes) -> Iterator[_File]:
        before, slash, last = token.rpartition(b"/")
        if slash:
            above = before.rpartition(b"/")[2]
            if above in (b".", b""):
                here = self._at.get((folder, last))
                if here is not None:
                    yield here
            elif above == b"..":
                here = self._at.get((folder.rpartition("/")[0], last))
                if here is not None:
                    yield here
            else:
                yield from self._by_place.get((above, last), ())
                return
        yield from self._of_name(folder, last)
        parts = last.split(b".")
        if len(parts) >= 2 and not slash:
            yield from self._by_place.get((parts[-2], parts[-1]), ())
            if len(parts) >= 3:
                yield from self._by_place.get((parts[-3], parts[-2]), ())

    def _imported(self, folder: str, of: bytes, names: bytes, plain: bytes) -> Iterator[_File]:
        if plain:
            for word in plain.split(b","):
                here = self._at.get((folder, word.strip().partition(b" ")[0]))
                if here is not None:
                    yield here
            return
        module = of.lstrip(b".").rpartition(b".")[2]
        for word in re.findall(rb"\w+", names):
            if module:
                yield from self._by_place.get((module, word), ())
            elif of:
                here = self._at.get((folder, word))
                if here is not None:
                    yield here
        if of.startswith(b".") and module:
            here = self._at.get((folder, module))
            if here is not None:
                yield here
