"""Arrivals that wait for an install: several may, and one is offered first."""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass
from functools import cmp_to_key

from left_intact.core.model.version import Version

STABLE, PREVIEW = "stable", "preview"
_EARLY = re.compile(r"(?i)preview|beta|alpha|nightly|(?<![a-z])(?:rc|dev|pre)(?![a-z])")


@dataclass(frozen=True, slots=True)
class Waits:
    """One arrival that could be laid."""

    path: str
    version: str
    channel: str
    """`stable`, or what its outlet calls it."""
    since: float
    """Seconds since 1970."""

    def is_newer_than(self, version: str) -> bool:
        """Whether it may be newer; two that cannot be compared may."""
        mine, other = Version.parse(self.version), Version.parse(version)
        order = mine.compare(other) if mine is not None and other is not None else None
        return order is None or order > 0


def newest_of(versions: Iterable[str]) -> str:
    """The newest of some versions; those that cannot be compared with it are passed over."""
    newest = ""
    for text in versions:
        version, best = Version.parse(text), Version.parse(newest)
        if version is not None and (best is None or version.compare(best) == 1):
            newest = text
    return newest


def channel_of(version: str) -> str:
    """The channel of a version or the name of a release: an early one by its own words, or not."""
    return PREVIEW if _EARLY.search(version) else STABLE


def first_to_lay(found: Iterable[Waits]) -> list[Waits]:
    """The newest stable one first, then older stable ones, then previews in the same order."""
    return sorted(found, key=cmp_to_key(_before))


def _before(one: Waits, other: Waits) -> int:
    if (one.channel == STABLE) != (other.channel == STABLE):
        return -1 if one.channel == STABLE else 1
    mine, theirs = Version.parse(one.version), Version.parse(other.version)
    order = mine.compare(theirs) if mine is not None and theirs is not None else None
    if order:
        return -order
    return -1 if one.since > other.since else 1
