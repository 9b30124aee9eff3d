"""Which files a text names: what code loads, a page shows, a list lists and a library needs."""

from __future__ import annotations

import os
import posixpath
import re
from collections import Counter, defaultdict
from collections.abc import Iterator, Sequence
from functools import cached_property

from left_intact.core.model.pages import COLUMNS, Page
from left_intact.core.survey.calls import MANIFEST, OFTEN, Calls, alike_folders, is_roll
from left_intact.core.survey.standing import MACHINE, OTHER, SOURCE, FolderContents

_KEPT = frozenset(b"@-./_0123456789abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ")
_SPACED = bytes(byte if byte in _KEPT else 32 for byte in range(256))
"""Leaves of a text what paths and dotted names are made of."""
_NEEDED = re.compile(rb"[\w\-+.]{2,80}?\.(?:so(?:\.\d+)*|dll|dylib)(?![\w])")
_QUOTED = re.compile(rb"[\"']([\w\-]{2,60}(?:[,;| ]{1,2}[\w\-]{1,60})*)[\"']")
_LISTED = re.compile(rb"[,;| ]+")
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
    r"(?i)^(record|manifest(\.\w+)?|sources\.txt|filelist.*|.+\.(qrc|list|files|install|pri|toc|cmake|gemspec))$"
    r"|^package\.json$"
)
_LEAST_STEM, _LONGEST, _FEW, _MANY_LISTS = 2, 160, 3, 5
_SHARE_OF_CODE, _MOST_OF_CODE = 0.1, 0.5
"""A folder at the top with so much of all code is one that the program begins in; so is one further down."""
_TAKEN_UP_BY = (b"index", b"main", b"plugin", b"__init__")
_PAGE_ENDINGS = (".html", ".htm", ".md", ".xhtml")
_PAGES = frozenset(("text html", "text markdown"))
File = int
"""The number of a file in an index."""


class Index:
    """The files of a tree by how others may name them."""

    def __init__(self, pages: Sequence[Page], standing: FolderContents) -> None:
        self.paths: list[str] = []
        self.looks: list[int] = []
        self.may_name: list[bool] = []
        self._is_page: list[bool] = []
        self.sizes: list[int] = []
        self.links: list[tuple[File, str]] = []
        """Links, and the paths that they lead to: what leads to something of the program's came with it."""
        self._by_name: dict[bytes, list[File]] = defaultdict(list)
        self._by_place: dict[tuple[bytes, bytes], list[File]] = defaultdict(list)
        self._by_stem: dict[bytes, list[File]] = defaultdict(list)
        self._at: dict[tuple[str, bytes], File] = {}
        self._code_in: Counter[str] = Counter()
        self.calls = Calls([page.folder for page in pages])
        self._rolls: dict[str, set[File]] = defaultdict(set)
        self._lists: dict[str, list[File]] = defaultdict(list)
        for page in pages:
            foreign = standing.is_foreign(page.at)
            sizes = page.numbers[1::COLUMNS]
            above = os.fsencode(page.folder.rpartition("/")[2])
            for at, (name, look) in enumerate(zip(page.names, standing.looks(page.at), strict=True)):
                file_format = page.formats[at] if page.formats else ""
                if look == OTHER and not file_format.startswith("text ") and at not in page.said:
                    continue
                self._add(page.folder, above, name, look, sizes[at])
                if at in page.said and not file_format:
                    leads = posixpath.normpath(posixpath.join(page.folder, page.said[at]))
                    self.links.append((len(self.paths) - 1, leads))
                is_list = bool(_LISTS.match(name))
                readable = look >= SOURCE or is_list or file_format in _PAGES
                self.may_name.append(readable and not foreign)
                if is_list and not foreign:
                    self._lists[page.folder].append(len(self.paths) - 1)
                self._is_page.append(name.endswith(_PAGE_ENDINGS))  # comments look like headings

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

    def beginnings(self) -> set[File]:
        """Where the program begins: lists, and the code that lies nearest to the top: of the whole, of each
        folder at the top that holds enough of it, and further down where most of it lies.
        """
        readable = [f for f, may in enumerate(self.may_name) if may]
        code = [f for f in readable if self.looks[f] >= SOURCE]
        found = self.lists(self.calls.called) | self._nearest(code, deep=1)
        inside, depth, most = code, 0, _SHARE_OF_CODE
        while inside:
            by_folder: dict[str, list[File]] = defaultdict(list)
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

    def _nearest(self, files: Sequence[File], *, deep: int) -> set[File]:
        """Those that lie nearest to the top, and so many folders below."""
        top = min((self.paths[f].count("/") for f in files), default=0) + deep
        return {f for f in files if self.paths[f].count("/") <= top}

    def named_in(self, source: File, data: bytes) -> Iterator[File]:
        folder = self.paths[source].rpartition("/")[0]
        if self.looks[source] == MACHINE:
            for needed in set(_NEEDED.findall(data)):
                yield from self._of_name(folder, needed)
            return
        for token in set(data.translate(_SPACED).split()):
            if b"." not in token and b"/" not in token:
                continue
            self.calls.note_path(folder, token)
            if len(token) <= _LONGEST:
                yield from self._of_token(folder, token.strip(b".-") if token[:1] != b"." else token)
        if not self._is_page[source]:
            yield from self._named_by_code(source, folder, data)

    def _named_by_code(self, source: File, folder: str, data: bytes) -> Iterator[File]:
        quoted = {word for listed in set(_QUOTED.findall(data)) for word in _LISTED.split(listed)}
        self._call_together(quoted)
        if self.paths[source].rpartition("/")[2] == MANIFEST:
            self.calls.call_packages(data)
        for word in quoted:
            here = self._at.get((folder, word))
            if here is not None and self.looks[here] >= SOURCE:
                yield here
        for word in set(_LOADED.findall(data)):
            if b"/" not in word:
                yield from self._of_stem(word)
        if b"::" in data or b"\\" in data:
            for scoped in set(_SCOPED.findall(data)):
                parts = re.split(rb"::|\\", scoped)
                yield from self._of_place(parts[-2], parts[-1])
        if b"import" in data:
            for of, listed, names, plain in _IMPORT.findall(data):
                yield from self._imported(folder, of, listed or names, plain)

    def _of_name(self, folder: str, name: bytes) -> Sequence[File]:
        """The file of a name: the only one in the tree, or the one beside who names it."""
        found = self._by_name.get(name)
        if found is None:
            return ()
        if len(found) == 1:
            return found
        here = self._at.get((folder, name))
        return () if here is None else (here,)

    def _of_place(self, above: bytes, name: bytes) -> Sequence[File]:
        """The file of a name in a folder of a name. Where there are several it counts as a roll does: one of
        them may be a copy that somebody made.
        """
        found = self._by_place.get((above, name), ())
        if len(found) > 1:
            for file in found:
                self._rolls[self.paths[file].rpartition("/")[0]].add(file)
            return ()
        return found

    def _only(self, name: bytes) -> Sequence[File]:
        """Code that only one place in the tree has, whatever lies above it in lists of where it was made."""
        found = self._by_name.get(name, ())
        return found if len(found) == 1 and self.looks[found[0]] >= SOURCE else ()

    def _of_stem(self, stem: bytes) -> Sequence[File]:
        """Code that is loaded by its bare name, where there are but a few of that name."""
        found = self._by_stem.get(stem.partition(b".")[0], ())
        return found if len(found) <= _FEW else ()

    def _call_together(self, words: set[bytes]) -> None:
        """Note what code is called by its bare names in one go: most of what lies in a folder, or in the
        folders of one, as lists of commands, languages and the like do.
        """
        files: dict[str, list[File]] = defaultdict(list)
        for word in words:
            found = self._by_stem.get(word, ())
            for file in found if len(found) <= OFTEN else ():
                files[self.paths[file].rpartition("/")[0]].append(file)
        for folder, called in files.items():
            if is_roll(len(called), self._code_in[folder]):
                self._rolls[folder].update(called)
        for folder in self.calls.call_folders(words):
            self._rolls[folder].update(self._first_of(folder))

    def heard(self, named: set[File]) -> set[str]:
        """Folders that are called, or in or below which something is named."""
        heard = self.calls.called | {self.paths[file].rpartition("/")[0] for file in named}
        for folder in tuple(heard):
            while folder := folder.rpartition("/")[0]:
                heard.add(folder)
        return heard

    def one_more(self, heard: set[str]) -> set[str]:
        """Folders like several beside them, and all below, that nothing speaks of: neither by name nor by
        what lies in them.
        """
        return self.calls.one_more(self._alike, heard)

    def but(self, files: set[File], folders: set[str]) -> set[File]:
        """Those of some files that do not lie in some folders."""
        return {file for file in files if self.paths[file].rpartition("/")[0] not in folders}

    def rolls(self, one_more: set[str]) -> set[File]:
        """What was called together, in folders that are spoken of."""
        return {file for folder, files in self._rolls.items() if folder not in one_more for file in files}

    @cached_property
    def _alike(self) -> frozenset[str]:
        return alike_folders(self.paths)

    def lists(self, heard: set[str]) -> set[File]:
        """Lists of what a program or a part of it is made of: at the top, and where the program's files speak
        of the folder; a plug-in of somebody's own brings its own.
        """
        return {
            file
            for folder, files in self._lists.items()
            if folder.count("/") < 1
            or len(files) >= _MANY_LISTS
            or folder in heard
            or self.calls.is_spoken_of(folder)
            for file in files
        }

    def _first_of(self, folder: str) -> Iterator[File]:
        """What a folder that is called by its name is taken up by."""
        for stem in (os.fsencode(folder.rpartition("/")[2]), *_TAKEN_UP_BY):
            file = self._at.get((folder, stem))
            if file is not None and self.looks[file] >= SOURCE:
                yield file

    def _of_token(self, folder: str, token: bytes) -> Iterator[File]:
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
                if (above, last) in self._by_place:
                    yield from self._of_place(above, last)
                else:
                    yield from self._only(last)
                return
        yield from self._of_name(folder, last)
        parts = last.split(b".")
        if len(parts) >= 2 and not slash:
            yield from self._of_place(parts[-2], parts[-1])
            if len(parts) >= 3:
                yield from self._of_place(parts[-3], parts[-2])

    def _imported(self, folder: str, of: bytes, names: bytes, plain: bytes) -> Iterator[File]:
        if plain:
            for word in plain.split(b","):
                here = self._at.get((folder, word.strip().partition(b" ")[0]))
                if here is not None:
                    yield here
            return
        module = of.lstrip(b".").rpartition(b".")[2]
        for word in re.findall(rb"\w+", names):
            if module:
                yield from self._of_place(module, word)
            elif of:
                here = self._at.get((folder, word))
                if here is not None:
                    yield here
        if of.startswith(b".") and module:
            here = self._at.get((folder, module))
            if here is not None:
                yield here
