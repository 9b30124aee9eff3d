"""Names as they come from outside, made into paths below a root or refused."""

from __future__ import annotations

import os
import re
import unicodedata
from collections.abc import Mapping
from functools import lru_cache
from types import MappingProxyType

STRONGBOX_FOLDER = ".left-intact"
"""Beside an install; no walk goes into one."""
_DRIVE = re.compile(r"^[A-Za-z]:")
_RESERVED = re.compile(r"(?i)^(con|prn|aux|nul|com\d|lpt\d)(\..*)?$")
_NUMBERS = re.compile(r"(?<![^/])\d+(?![^/])|(\d+(?:[._-]\d+)*)")


@lru_cache(maxsize=65536)
def place_of(folder: str) -> str:
    """A folder without the versions in its name and in those above it: `share/tool-4.2` is `share/tool-#`. A
    bare number is a name like any other.
    """
    return _NUMBERS.sub(lambda match: "#" if match[1] else match[0], folder)


_OF_A_BUILD = re.compile(r"(?<=[.\-_])(?=[\w-]*[0-9A-Z_])[\w-]{6,40}(?=\.)")


@lru_cache(maxsize=65536)
def builds_name(name: str) -> str:
    """A name without the digest that a build puts before its ending: `app.i0agV2UI.js` is `app.#.js`."""
    return _OF_A_BUILD.sub("#", name)


def safe_path(name: str) -> str | None:
    """An archive's name as a relative POSIX path, or None where it leaves the root.

    Back slashes count as separators: an unpacker elsewhere may read them so.
    """
    clean = name.replace("\\", "/")
    if clean.startswith("/") or _DRIVE.match(clean) or "\0" in clean:
        return None
    parts = [part for part in clean.split("/") if part not in ("", ".")]
    if ".." in parts or not parts:
        return None
    return "/".join(parts)


def is_below(path: str) -> bool:
    """Whether a path leads to something below a root of this system: here a back slash may be a letter of a
    name like any other, and so may what would be a drive elsewhere.
    """
    if os.name == "nt":
        return safe_path(path) == path
    return bool(path) and "\0" not in path and not {"", ".", ".."} & set(path.split("/"))


_LINKS_MOST = 40
"""Links on one way, beyond which systems take it for a circle."""
_DEEPEST = 256
"""Folders below its root that a link may pass; the paths of a release are much shorter."""


def link_stays_inside(path: str, target: str, links: Mapping[str, str] = MappingProxyType({})) -> bool:
    """Whether a relative link at `path` points to something below the same root, by way of other links too:
    `links` are those that lie there, by path. One that goes in a circle leads nowhere, and so not out.
    """
    return way_inside(path, target, links) is not None


def way_inside(path: str, target: str, links: Mapping[str, str]) -> int | None:
    """The steps from a link to what it points to; None where it leads out. See `link_stays_inside`."""
    at, first, followed, steps = path.split("/")[:-1], _parts_of(target), 1, 0
    if first is None:
        return None
    left = list(first)
    while left:
        part, steps = left.pop(), steps + 1
        if part == "..":
            if not at:
                return None
            at.pop()
            continue
        if len(at) >= _DEEPEST:
            return None
        at.append(part)
        if (further := links.get("/".join(at))) is not None:
            followed += 1
            if followed > _LINKS_MOST:
                return steps
            at.pop()
            if (more := _parts_of(further)) is None:
                return None
            left += more
    return steps


@lru_cache(maxsize=1024)
def _parts_of(target: str) -> tuple[str, ...] | None:
    """What a link says, the last part first; None where it begins at a root of its own."""
    target = target.replace("\\", "/")
    if not target or target.startswith("/") or _DRIVE.match(target) or "\0" in target:
        return None
    return tuple(part for part in reversed(target.split("/")) if part not in ("", "."))


def lies_in(path: str, folder: str) -> bool:
    """Whether an absolute path is a folder or lies below it, both as the system writes them; other drives
    never are.
    """
    path, folder = os.path.normcase(path), os.path.normcase(folder)
    return path == folder or path.startswith(folder.rstrip(os.sep) + os.sep)


def parents(path: str) -> list[str]:
    """Every folder above a path, outermost first: `a/b/c` -> [`a`, `a/b`]."""
    parts = path.split("/")
    return ["/".join(parts[:i]) for i in range(1, len(parts))]


def needs_other_name(path: str) -> bool:
    """Whether a path cannot be had on the file systems that sticks and cards carry."""
    return any(
        _RESERVED.match(part) or part.endswith((" ", ".")) or re.search(r'[<>:"|?*\x00-\x1f]', part)
        for part in path.split("/")
    )


def has_controls(path: str) -> bool:
    """Whether a name would move the cursor or ring the bell of whoever lists it: no release has one."""
    return not path.isprintable() and any(unicodedata.category(c) == "Cc" for c in path)
