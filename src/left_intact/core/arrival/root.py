"""Finding the real root of an arrival under its wrapper folders."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Iterable

_DEEPEST = 5


def find_root(paths: Iterable[str], installed: Collection[str]) -> str:
    """The folder of an arrival that lines up with the install's own root.

    `paths` are the files of the arrival, `installed` those of the install. Where paths
    below a folder exist in the install, the folder with most of them wins; otherwise
    every wrapper is taken off that is the only thing at its level. An empty text means
    that there is no wrapper.
    """
    files = list(paths)
    known = set(installed)
    matches: Counter[str] = Counter()
    for path in files:
        parts = path.split("/")
        for depth in range(min(len(parts), _DEEPEST)):
            if "/".join(parts[depth:]) in known:
                matches["/".join(parts[:depth])] += 1
    if matches:
        most = max(matches.values())
        # A tie goes to the folder nearest the top: it leaves nothing out.
        return min((p for p, n in matches.items() if n == most), key=lambda p: (p.count("/") + bool(p), p))
    return _only_folder(files)


def _only_folder(files: list[str]) -> str:
    root = ""
    while True:
        below = [path[len(root) + 1 if root else 0 :] for path in files]
        tops = {path.split("/", 1)[0] for path in below}
        if len(tops) != 1 or any("/" not in path for path in below):
            return root
        root = f"{root}/{tops.pop()}" if root else tops.pop()
