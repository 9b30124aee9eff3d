"""What names the old folder, in a text or as a link, leads to the new one."""

from __future__ import annotations

import os
import re
from collections.abc import Collection


def led_text(data: bytes, was: str, place: str, stays: Collection[str] = ()) -> bytes:
    """A text with every path at or below `was` leading to `place`, but for folders below it that stay there.

    A longer name that only begins or ends so is another's: `/pier/loom-1.0-beta`, `/disk/pier/loom-1.0`.
    """
    kept = b"|".join(re.escape(os.fsencode("/" + folder)) for folder in stays)
    away = rb"(?!(?:" + kept + rb")(?:/|\b))" if kept else b""
    before, behind = rb"(?<![\w.~\-\x80-\xff])", rb"(?=[/\\\"'\s;,:)\]}]|$)"
    named = re.compile(before + re.escape(os.fsencode(was)) + away + behind)
    return named.sub(lambda _: os.fsencode(place), data)


def led_link(link: str, folder: str, was: str, place: str) -> str:
    """A link that lies in `folder`, outside of `was`: what it points to at or below that, at `place`."""
    target = os.path.normpath(os.path.join(folder, link))
    inside = _below(target, was)
    return link if inside is None else place + inside


def carried_link(link: str, folder: str, was: str, place: str) -> str:
    """A link that is carried from `folder` below `was` to the same one below `place`: it leads to the same
    thing, or to its like in the new folder.
    """
    if os.path.isabs(link):
        return led_link(link, folder, was, place)
    target = os.path.normpath(os.path.join(was, folder, link))
    same = os.path.normpath(os.path.join(place, folder, link)) == target
    return link if same or _below(target, was) is not None else target


def _below(path: str, folder: str) -> str | None:
    """The rest of a path behind a folder, with its separator; None where it does not lie there."""
    if path == folder:
        return ""
    return path[len(folder) :] if path.startswith((folder + "/", folder + os.sep)) else None
