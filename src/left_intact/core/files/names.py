"""Names as they come from outside, made into paths below a root or refused."""

from __future__ import annotations

import os
import re

STRONGBOX_FOLDER = ".left-intact"
"""Beside an install; no walk goes into one."""
_DRIVE = re.compile(r"^[A-Za-z]:")
_RESERVED = re.compile(r"(?i)^(con|prn|aux|nul|com\d|lpt\d)(\..*)?$")


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


def link_stays_inside(path: str, target: str) -> bool:
    """Whether a relative link at `path` points to something below the same root."""
    target = target.replace("\\", "/")
    if not target or target.startswith("/") or _DRIVE.match(target) or "\0" in target:
        return False
    depth: list[str] = path.split("/")[:-1]
    for part in target.split("/"):
        if part == "..":
            if not depth:
                return False
            depth.pop()
        elif part not in ("", "."):
            depth.append(part)
    return True


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
