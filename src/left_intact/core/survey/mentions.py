"""What the program's own files name: where times are silent, a file that others of it load came with it.

Code names what it loads, a page what it shows, a list what it lists, a library what it needs. Somebody's own
plug-in among a hundred shipped ones is named by none of them. What is named counts only from the program's
beginnings on, link by link: a plug-in of several files names its own, and that says nothing.
"""

from __future__ import annotations

import heapq
import os
import posixpath
import re
from collections import Counter, defaultdict
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property

from left_intact.core.model.pages import COLUMNS, Page
from left_intact.core.survey.standing import MACHINE, OTHER, SOURCE, Standing

_BETWEEN = re.compile(rb"[^\w@\-./]+")
_NEEDED = re.compile(rb"[\w\-+.]{2,80}?\.(?:so(?:\.\d+)*|dll|dylib)(?![\w])")
_PACKAGE = re.compile(rb"\"((?:@[\w\-.]+/)?[\w\-.]+)\"[ \t]*:")
_PACKAGES, _MANIFEST = "node_modules", "package.json"
_LANGUAGE = re.compile(r"^[a-z]{2}([_@-]\w+)?$")
_QUOTED_LIST = re.compile(rb"[\"']([\w\-]{2,60}(?:[,;| ]{1,2}[\w\-]{1,60})+)[\"']")
_LISTED = re.compile(rb"[,;| ]+")
_QUOTED = re.compile(rb"[\"']([\w\-]{2,60})[\"']")
_LOADED = re.compile(
    rb"\b(?:require(?:_relative|_once)?|load|autoload|use|include(?:_once)?|import|extends|parent|base)\b"
    rb"[\s(:\w,]{0,40}[\"'<]([\w\-/.@]{2,120})[\"'>]"
)
_SCOPED = re.compile(rb"\b(?:use|require|parent|base|isa)\s+((?:\w+(?:::|\\))+\w+)")
_IMPORT = re.compile(
    rb"(?m)^[ \t]*(?:from[ \t]+(\.*[\w.]*)[ \t]+import[ \t]+(?:\(([^)]*)\)|([\w, \t]+))"
    rb"|import[ \t]+([\w., \t]+))"
)
_LISTS = re.compile(
    r"(?i)^(record|manifest(\.\w+)?|sources\.txt|filelist.*|.+\.(qrc|list|files|install|pri|toc|cmake|gemspec))$|^package\.json$"
)
_EACH, _EACH_BINARY, _ALL = 96 << 10, 256 << 10, 8 << 20
"""Bytes that are read of a text, of a binary, and of all."""
_LEAST_STEM, _LONGEST, _FEW = 2, 160, 3
_ROLL, _MOST_OF_ROLL, _OFTEN = 5, 0.5, 200
"""So many of a folder's names, and so much of all of them, make a list of what is in it; names that are found
in more places than that say nothing.
"""
_MOST_OF_ONE, _ALIKE, _DEEP = 60, 4, 4
"""Files of a folder that somebody may have made from another, how many are alike, and how deep they go."""
_TAKEN_UP_BY = (b"index", b"main", b"plugin", b"__init__")
_SHARE_OF_CODE, _MOST_OF_CODE = 0.1, 0.5
"""A folder at the top with so much of all code is one that the program begins in; so is one further down."""

_PAGES = frozenset(("text html", "text markdown"))

Read = Callable[[str], bytes | None]
_File = int


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


def read_mentions(pages: Sequence[Page], standing: Standing, read: Read) -> Mentions:
    """Follow what names what, link by link from the program's beginnings, as far as the bytes go that are
    read for it.
    """
    index = _Index(pages, standing)
    named, left = set[_File](), _ALL
    found = index.beginnings()
    seen = set(found)
    while found and left > 0:
        todo = [(index.sizes[file], file) for file in found]
        heapq.heapify(todo)  # the smallest first: they name the most for their bytes
        while todo and left > 0:
            _, source = heapq.heappop(todo)
            data = read(index.paths[source])
            if not data:
                continue
            data = data[: _EACH_BINARY if index.looks[source] == MACHINE else _EACH]
            left -= len(data)
            targets = set(index.named_in(source, data)) - {source}
            named |= targets
            for target in targets - seen:
                if index.may_name[target]:
                    seen.add(target)
                    heapq.heappush(todo, (index.sizes[target], target))
        rolls = index.rolls(index.one_more(named))  # once all is known that is spoken of
        named |= rolls
        found = {file for file in rolls | index.lists(named) if index.may_name[file]} - seen
        seen |= found
    paths = {index.paths[file] for file in named}
    named |= {file for file, target in index.links if target in paths}
    by_folder: dict[str, set[str]] = defaultdict(set)
    for file in named:
        folder, _, name = index.paths[file].rpartition("/")
        by_folder[folder].add(name)
    return Mentions(
        named={folder: frozenset(names) for folder, names in by_folder.items()},
        one_more=frozenset(index.one_more(named)),
        called=frozenset(index.called),
    )


class _Index:
    """The files of a tree by how others may name them."""

    def __init__(self, pages: Sequence[Page], standing: Standing) -> None:
        self.paths: list[str] = []
        self.looks: list[int] = []
        self.may_name: list[bool] = []
        self.sizes: list[int] = []
        self.links: list[tuple[_File, str]] = []
        """Links, and the paths that they lead to: what leads to something of the program's came with it."""
        self._by_name: dict[bytes, list[_File]] = defaultdict(list)
        self._by_place: dict[tuple[bytes, bytes], list[_File]] = defaultdict(list)
        self._by_stem: dict[bytes, list[_File]] = defaultdict(list)
        self._at: dict[tuple[str, bytes], _File] = {}
        self._code_in: Counter[str] = Counter()
        self._inside: dict[bytes, list[str]] = defaultdict(list)
        self._folders_in: Counter[str] = Counter()
        self._folders: list[str] = []
        self._spoken_of: set[tuple[bytes, bytes]] = set()
        """Folders that stand in paths in what was read: their names, each after that of the one above."""
        self.called: set[str] = set()
        """Folders that were called together with those beside them."""
        self._rolls: dict[str, set[_File]] = defaultdict(set)
        for page in pages:
            foreign = standing.is_foreign(page.folder)
            sizes = page.numbers[1::COLUMNS]
            over, _, last = page.folder.rpartition("/")
            above = os.fsencode(last)
            self._inside[above].append(over)
            self._folders_in[over] += 1
            self._folders.append(page.folder)
            for at, (name, look) in enumerate(zip(page.names, standing.looks(page.folder), strict=True)):
                file_format = page.formats[at] if page.formats else ""
                if look == OTHER and not file_format.startswith("text ") and at not in page.said:
                    continue
                self._add(page.folder, above, name, look, sizes[at])
                if at in page.said and not file_format:
                    leads = posixpath.normpath(posixpath.join(page.folder, page.said[at]))
                    self.links.append((len(self.paths) - 1, leads))
                readable = look >= SOURCE or bool(_LISTS.match(name)) or file_format in _PAGES
                self.may_name.append(readable and not foreign)

    def _add(self, folder: str, above: bytes, name: str, look: int, size: int) -> None:
        file = len(self.paths)
        self.paths.append(f"{folder}/{name}" if folder else name)
        self.looks.append(look)
        self.sizes.append(size)
        raw = os.fsencode(name)
        self._by_name[raw].append(file)
        self._at[folder, raw] = file
        self._by_place[above, raw].append(file)
        if look >= SOURCE and b"." in raw:
            self._by_stem[raw.partition(b".")[0]].append(file)
            self._code_in[folder] += 1
        stem = raw
        while (shorter := stem.rpartition(b".")[0]) and len(shorter) >= _LEAST_STEM:
            stem = shorter
            self._by_place[above, stem].append(file)
            self._at.setdefault((folder, stem), file)

    def beginnings(self) -> set[_File]:
        """Where the program begins: lists, and the code that lies nearest to the top: of the whole, of each
        folder at the top that holds enough of it, and further down where most of it lies.
        """
        readable = [f for f, may in enumerate(self.may_name) if may]
        code = [f for f in readable if self.looks[f] >= SOURCE]
        found = self.lists(set()) | self._nearest(code, deep=1)
        inside, depth, most = code, 0, _SHARE_OF_CODE
        while inside:
            by_folder: dict[str, list[_File]] = defaultdict(list)
            for file in inside:
                parts = self.paths[file].split("/")
                if len(parts) > depth + 1:
                    by_folder[parts[depth]].append(file)
            for files in by_folder.values():
                if len(files) >= most * len(code):
                    found |= self._nearest(files, deep=0 if depth else 1)
            inside = max(by_folder.values(), key=len, default=[])
            depth, most = depth + 1, _MOST_OF_CODE
            if len(inside) < most * len(code):
                break
        return found

    def _nearest(self, files: Sequence[_File], *, deep: int) -> set[_File]:
        """Those that lie nearest to the top, and so many folders below."""
        top = min((self.paths[f].count("/") for f in files), default=0) + deep
        return {f for f in files if self.paths[f].count("/") <= top}

    def named_in(self, source: _File, data: bytes) -> Iterator[_File]:
        folder = self.paths[source].rpartition("/")[0]
        if self.looks[source] == MACHINE:
            for needed in set(_NEEDED.findall(data)):
                yield from self._of_name(folder, needed)
            return
        for token in set(_BETWEEN.split(data)):
            self._note_folders(folder, token)
            if len(token) <= _LONGEST and (b"." in token or b"/" in token):
                yield from self._of_token(folder, token.strip(b".-") if token[:1] != b"." else token)
        quoted = set(_QUOTED.findall(data))
        for listed in set(_QUOTED_LIST.findall(data)):
            quoted.update(_LISTED.split(listed))
        self._call_together(quoted)
        if self.paths[source].rpartition("/")[2] == _MANIFEST:
            self._call_packages(data)
        for word in quoted:
            here = self._at.get((folder, word))
            if here is not None and self.looks[here] >= SOURCE:
                yield here
        for word in set(_LOADED.findall(data)):
            if b"/" not in word:
                yield from self._of_stem(word)
        for scoped in set(_SCOPED.findall(data)):
            parts = re.split(rb"::|\\", scoped)
            yield from self._by_place.get((parts[-2], parts[-1]), ())
        for of, listed, names, plain in _IMPORT.findall(data):
            yield from self._imported(folder, of, listed or names, plain)

    def _of_name(self, folder: str, name: bytes) -> Sequence[_File]:
        """The file of a name: the only one in the tree, or the one beside who names it."""
        found = self._by_name.get(name)
        if found is None:
            return ()
        if len(found) == 1:
            return found
        here = self._at.get((folder, name))
        return () if here is None else (here,)

    def _only(self, name: bytes) -> Sequence[_File]:
        """Code that only one place in the tree has, whatever lies above it in lists of where it was made."""
        found = self._by_name.get(name, ())
        return found if len(found) == 1 and self.looks[found[0]] >= SOURCE else ()

    def _of_stem(self, stem: bytes) -> Sequence[_File]:
        """Code that is loaded by its bare name, where there are but a few of that name."""
        found = self._by_stem.get(stem.partition(b".")[0], ())
        return found if len(found) <= _FEW else ()

    def _note_folders(self, folder: str, token: bytes) -> None:
        """Note the folders of a path, or of a dotted name, each with the one above it."""
        *parts, last = token.split(b"/") if b"/" in token else token.split(b".")
        if not last or not parts:
            return
        above = os.fsencode(folder.rpartition("/")[2])
        for part in parts:
            if part == b"..":
                folder = folder.rpartition("/")[0]
                above = os.fsencode(folder.rpartition("/")[2])
            elif part not in (b".", b""):
                if part in self._inside:
                    self._spoken_of.add((above, part))
                above = part

    def _call_together(self, words: set[bytes]) -> None:
        """Note what code is called by its bare names in one go: most of what lies in a folder, or in the
        folders of one, as lists of commands, languages and the like do.
        """
        files: dict[str, list[_File]] = defaultdict(list)
        folders: dict[str, list[str]] = defaultdict(list)
        for word in words:
            found = self._by_stem.get(word, ())
            for file in found if len(found) <= _OFTEN else ():
                files[self.paths[file].rpartition("/")[0]].append(file)
            places = self._inside.get(word, ())
            for over in places if len(places) <= _OFTEN else ():
                folders[over].append(os.fsdecode(word))
        for folder, called in files.items():
            if len(called) >= max(_ROLL, _MOST_OF_ROLL * self._code_in[folder]):
                self._rolls[folder].update(called)
        for over, names in folders.items():
            if len(names) >= max(_ROLL, _MOST_OF_ROLL * self._folders_in[over]):
                for name in names:
                    folder = f"{over}/{name}" if over else name
                    self.called.add(folder)
                    self._rolls[folder].update(self._first_of(folder, os.fsencode(name)))

    def _call_packages(self, data: bytes) -> None:
        """Note the packages that one needs, by its manifest. Source: the format of package.json."""
        for name in set(_PACKAGE.findall(data)):
            scope, _, last = os.fsdecode(name).rpartition("/")
            inside = _PACKAGES + (f"/{scope}" if scope else "")
            for over in self._inside.get(os.fsencode(last), ()):
                if over == inside or over.endswith("/" + inside):
                    self.called.add(f"{over}/{last}")

    def lists(self, named: set[_File]) -> set[_File]:
        """Lists of what a program or a part of it is made of: at the top, and where the program's files speak
        of the folder; a plug-in of somebody's own brings its own.
        """
        heard = self._heard(named)
        by_folder: dict[str, list[_File]] = defaultdict(list)
        for file, path in enumerate(self.paths):
            folder, _, name = path.rpartition("/")
            if self.may_name[file] and _LISTS.match(name):
                by_folder[folder].append(file)
        return {
            file
            for folder, files in by_folder.items()
            if folder.count("/") < 1 or len(files) >= _ROLL or folder in heard or self._is_spoken_of(folder)
            for file in files
        }

    def _is_spoken_of(self, folder: str) -> bool:
        above, _, name = folder.rpartition("/")
        return (os.fsencode(above.rpartition("/")[2]), os.fsencode(name)) in self._spoken_of

    def _heard(self, named: set[_File]) -> set[str]:
        """Folders that are called, or in or below which something is named."""
        heard = self.called | {self.paths[file].rpartition("/")[0] for file in named}
        for folder in tuple(heard):
            while folder := folder.rpartition("/")[0]:
                heard.add(folder)
        return heard

    def rolls(self, one_more: set[str]) -> set[_File]:
        """What was called together, in folders that are spoken of."""
        return {file for folder, files in self._rolls.items() if folder not in one_more for file in files}

    def one_more(self, named: set[_File]) -> set[str]:
        """Folders like several beside them, and all below, that nothing speaks of: neither by name nor by
        what lies in them.
        """
        heard = self._heard(named)
        found: set[str] = set()
        for folder in sorted(self._folders):
            above, _, name = folder.rpartition("/")
            if above in found:
                found.add(folder)
            elif not folder or folder in heard or folder not in self._alike:
                continue
            elif not self._is_spoken_of(folder) and not _LANGUAGE.match(name):
                found.add(folder)
        return found

    @cached_property
    def _alike(self) -> frozenset[str]:
        """Folders that are made like others beside them: the same names, each with its own in them."""
        below: dict[str, list[str]] = defaultdict(list)
        for path in self.paths:
            parts = path.split("/")
            for depth in range(max(1, len(parts) - _DEEP), len(parts)):
                below["/".join(parts[:depth])].append("/".join(parts[depth:]))
        patterns: dict[str, set[str]] = {}
        who: dict[tuple[str, str], list[str]] = defaultdict(list)
        for folder, paths in below.items():
            if len(paths) > _MOST_OF_ONE:
                continue
            above, _, name = folder.rpartition("/")
            patterns[folder] = {path.replace(name, "*") for path in paths}
            for pattern in patterns[folder]:
                who[above, pattern].append(folder)
        found = set()
        for folder, mine in patterns.items():
            above = folder.rpartition("/")[0]
            shared = [who[above, pattern] for pattern in mine if len(who[above, pattern]) > 1]
            others = {other for alike in shared for other in alike[:_ALIKE]} - {folder}
            if len(others) >= _ALIKE - 1 and 2 * len(shared) >= len(mine):
                found.add(folder)
        return frozenset(found)

    def _first_of(self, folder: str, name: bytes) -> Iterator[_File]:
        """What a folder that is called by its name is taken up by."""
        for stem in (name, *_TAKEN_UP_BY):
            file = self._at.get((folder, stem))
            if file is not None and self.looks[file] >= SOURCE:
                yield file

    def _of_token(self, folder: str, token: bytes) -> Iterator[_File]:
        before, slash, last = token.rpartition(b"/")
        if slash:
            above = before.rpartition(b"/")[2]
            if above in (b".", b"", b".."):
                beside = folder.rpartition("/")[0] if above == b".." else folder
                here = self._at.get((beside, last))
                if here is None:  # what is written in one language is loaded as it is in the other
                    here = self._at.get((beside, last.rpartition(b".")[0]))
                if here is not None:
                    yield here
            else:
                there = self._by_place.get((above, last), ())
                yield from there or self._only(last)
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
