"""Which folders a program's files speak of, and which are like many others and spoken of by none.

Somebody who wants a theme or a language of their own copies one of those that lie there: what is in it is
called what the others' is. What the program's own files say of its folder tells the two apart.
"""

from __future__ import annotations

import os
import re
from collections import Counter, defaultdict
from collections.abc import Sequence

from left_intact.core.survey.names import is_language

MANIFEST = "package.json"
_PACKAGES = "node_modules"
_PACKAGE = re.compile(rb"\"((?:@[\w\-.]+/)?[\w\-.]+)\"[ \t]*:")
OFTEN = 200
"""Names that are found in more places than that say nothing."""
_ROLL, _MOST_OF_ROLL, _DOTTED = 5, 0.5, 3
_MOST_OF_ONE, _ALIKE, _DEEP = 60, 4, 4
"""Files of a folder that somebody may have made from another, how many are alike, and how deep they go."""


def is_roll(called: int, of: int) -> bool:
    """Whether so many of a folder's names in one text make it a list of what lies there."""
    return called >= max(_ROLL, _MOST_OF_ROLL * of)


class Calls:
    """What was read so far says of the folders of a tree."""

    def __init__(self, folders: Sequence[str]) -> None:
        self._folders = sorted(folders)
        self._inside: dict[bytes, list[str]] = defaultdict(list)
        self._size: Counter[str] = Counter()
        self._spoken_of: set[tuple[bytes, bytes]] = set()
        """Folders that stand in paths in what was read: their names, each after that of the one above."""
        self.called: set[str] = set()
        """Folders that a list of all beside them calls, or the manifest of a package that needs them."""
        for folder in folders:
            above, _, name = folder.rpartition("/")
            self._inside[os.fsencode(name)].append(above)
            self._size[above] += 1

    def note_path(self, folder: str, token: bytes) -> None:
        """Note the folders of a path, or of a dotted name, each with the one above it."""
        parts = token.split(b"/") if b"/" in token else token.split(b".")
        if b"/" not in token and len(parts) < _DOTTED:
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

    def call_folders(self, words: set[bytes]) -> list[str]:
        """Note the folders that some words call by their bare names in one go, and give them."""
        by_place: dict[str, list[str]] = defaultdict(list)
        for word in words:
            places = self._inside.get(word, ())
            for above in places if len(places) <= OFTEN else ():
                name = os.fsdecode(word)
                by_place[above].append(f"{above}/{name}" if above else name)
        found = [
            folder
            for above, folders in by_place.items()
            if is_roll(len(folders), self._size[above])
            for folder in folders
        ]
        self.called.update(found)
        return found

    def call_packages(self, data: bytes) -> None:
        """Note the packages that one needs, by its manifest. Source: the format of package.json."""
        for name in set(_PACKAGE.findall(data)):
            scope, _, last = os.fsdecode(name).rpartition("/")
            inside = _PACKAGES + (f"/{scope}" if scope else "")
            for over in self._inside.get(os.fsencode(last), ()):
                if over == inside or over.endswith("/" + inside):
                    self.called.add(f"{over}/{last}")

    def is_spoken_of(self, folder: str) -> bool:
        above, _, name = folder.rpartition("/")
        return (os.fsencode(above.rpartition("/")[2]), os.fsencode(name)) in self._spoken_of

    def one_more(self, alike: frozenset[str], heard: set[str]) -> set[str]:
        """Of some folders those that nothing speaks of, and all below."""
        found: set[str] = set()
        for folder in self._folders:
            above, _, name = folder.rpartition("/")
            if above in found:
                found.add(folder)
            elif folder not in alike or folder in heard or is_language(name):
                continue
            elif not self.is_spoken_of(folder):
                found.add(folder)
        return found


def alike_folders(paths: Sequence[str]) -> frozenset[str]:
    """Folders that are made like others beside them: the same names, each with its own in them."""
    below: dict[str, list[str]] = defaultdict(list)
    for path in paths:
        parts = path.split("/")
        for depth in range(max(1, len(parts) - _DEEP), len(parts)):
            below["/".join(parts[:depth])].append("/".join(parts[depth:]))
    patterns: dict[str, set[str]] = {}
    who: dict[tuple[str, str], list[str]] = defaultdict(list)
    for folder, inside in below.items():
        if len(inside) > _MOST_OF_ONE:
            continue
        above, _, name = folder.rpartition("/")
        patterns[folder] = {path.replace(name, "*") for path in inside}
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
