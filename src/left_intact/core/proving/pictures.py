"""A picture of a scene before the update and one after it: which to hold against each other."""

from __future__ import annotations

import os
from contextlib import suppress

from left_intact.core.files.roots import absolute
from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Kind
from left_intact.core.model.survey import Survey

_PICTURES = (".png", ".jpg", ".jpeg", ".webp", ".bmp")
_MOST = 16 << 20
_FOLDERS = ("captures", "screenshots", "shots", "snapshots", "screens")
"""What folders of pictures that a program takes of itself are mostly called."""


def newest_capture(survey: Survey) -> str:
    """The path of the capture of the person's that was taken last; empty where there is none."""
    found = [
        (entry.mtime_ns, f.at)
        for f in survey.findings.of_class(FileClass.EXTRAS)
        if is_capture(f.at.path) and (entry := f.entry).kind is Kind.FILE
    ]
    return absolute(survey.root, survey.roots, max(found)[1]) if found else ""


def is_capture(path: str) -> bool:
    """Whether a path looks like a picture that a program took of itself."""
    parts = path.casefold().split("/")
    return parts[-1].endswith(_PICTURES) and any(part in _FOLDERS for part in parts[:-1])


def captures(before: str) -> tuple[str, str]:
    """(the picture before, the newest that was taken after it and lies beside it); empty for none."""
    try:
        taken = os.stat(before).st_mtime_ns if before and os.path.isfile(before) else None
    except OSError:
        taken = None  # gone between one look and the next
    if taken is None:
        return "", ""
    found = []
    with suppress(OSError), os.scandir(os.path.dirname(before)) as there:
        for entry in there:
            if entry.name.casefold().endswith(_PICTURES) and entry.is_file(follow_symlinks=False):
                when = entry.stat(follow_symlinks=False).st_mtime_ns
                if when > taken and entry.path != before:
                    found.append((when, entry.path))
    return before, max(found)[1] if found else ""


def picture_bytes(path: str) -> bytes:
    """A picture's bytes; none where it is too large to be shown, or cannot be read."""
    try:
        if not path or os.path.getsize(path) > _MOST:
            return b""
        with open(path, "rb") as file:
            return file.read()
    except OSError:
        return b""
