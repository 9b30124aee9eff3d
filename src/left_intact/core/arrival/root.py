"""Finding the real root of an arrival under its wrapper folders."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Iterable, Mapping

from left_intact.core.files.names import place_of

_DEEPEST = 5
Names = Mapping[str, Collection[str]]
"""The names of files, by the folder they lie in."""


def by_folder(paths: Iterable[str]) -> dict[str, set[str]]:
    """Paths of files as names by folder."""
    found: dict[str, set[str]] = {}
    for path in paths:
        folder, _, name = path.rpartition("/")
        found.setdefault(folder, set()).add(name)
    return found


def find_root(arriving: Names, installed: Names) -> str:
    """The folder of an arrival that lines up with the install's own root.

    Where files below a folder exist in the install, the folder with most of them wins; otherwise every
    wrapper is taken off that is the only thing at its level. An empty text means that there is no wrapper.
    """
    matches: Counter[str] = Counter()
    by_place = {place: names for folder, names in installed.items() if _tells(place := place_of(folder))}
    for folder, names in arriving.items():
        parts = folder.split("/") if folder else []
        for depth in range(min(len(parts) + 1, _DEEPEST)):
            below = "/".join(parts[depth:])
            known = installed.get(below) or by_place.get(place_of(below))
            if known and (alike := len(set(names).intersection(known))):
                matches["/".join(parts[:depth])] += alike
    if matches:
        most = max(matches.values())
        # A tie goes to the folder nearest the top: it leaves nothing out.
        return min((p for p, n in matches.items() if n == most), key=lambda p: (p.count("/") + bool(p), p))
    return _only_folder(
        [f"{folder}/{name}" if folder else name for folder, n in arriving.items() for name in n]
    )


def _tells(place: str) -> bool:
    """Whether a place has more than a version in its last name."""
    return place.rpartition("/")[2] != "#"


def _only_folder(files: list[str]) -> str:
    root = ""
    while True:
        below = [path[len(root) + 1 if root else 0 :] for path in files]
        tops = {path.split("/", 1)[0] for path in below}
        if len(tops) != 1 or any("/" not in path for path in below):
            return root
        root = f"{root}/{tops.pop()}" if root else tops.pop()
