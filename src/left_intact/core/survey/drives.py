"""Drives made for another system's programs: folders that hold what such a system has, users with their data
among it. They are told by that, whatever they are called.
"""

from __future__ import annotations

import os
import unicodedata
from collections.abc import Iterable
from functools import cache

from left_intact.core.survey.vocabulary import words

_HOME_LEAST = 2
"""So many things of a home make a folder one."""
_ABOVE, _EACH = 6, 200
"""Folders above an install that are looked at, and in each of those so many."""


@cache
def _of_homes() -> frozenset[str]:
    return frozenset(name.casefold() for name in words("home"))


def is_home(names: Iterable[str]) -> bool:
    """Return True if what lies in a folder is what lies in a person's home."""
    known = {unicodedata.normalize("NFC", name).casefold() for name in names}
    return len(known & _of_homes()) >= _HOME_LEAST


def users_beside(root: str, home: str) -> list[str]:
    """The folders of users on the drive that an install lies on; none on the drive that `home` is on.

    A drive is the nearest folder above the install in which one folder holds nothing but homes.
    """
    own, here = os.path.realpath(home), os.path.realpath(root)
    for _ in range(_ABOVE):
        here = os.path.dirname(here)
        if here == os.path.dirname(here) or own == here or own.startswith(here + os.sep):
            return []
        for folder in _folders(here):
            users = _folders(folder)
            if users and all(is_home(_names(user)) for user in users):
                return users
    return []


def _folders(place: str) -> list[str]:
    """Folders right in another, sorted; empty where it cannot be listed or holds too many."""
    try:
        with os.scandir(place) as inside:
            found = sorted(item.path for item in inside if item.is_dir(follow_symlinks=False))
    except OSError:
        return []
    return found if len(found) <= _EACH else []


def _names(place: str) -> list[str]:
    try:
        return os.listdir(place)
    except OSError:
        return []
