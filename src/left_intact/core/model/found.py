"""What was found on disks, to be confirmed by the person: installs, roots, old releases, what a run did."""

from __future__ import annotations

import os
from dataclasses import dataclass

from left_intact.core.model.place import At
from left_intact.core.model.release import Release

ENOUGH = 0.8
"""So much of what a release shipped, settings aside, must lie here as shipped."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Candidate:
    """A folder that may be an install."""

    path: str
    name: str
    role: str
    version: str
    score: float
    why: tuple[str, ...]
    known: bool = False
    """Whether it is on the shelf already."""
    share: float = 0.0
    """How much of what came lies there under the same paths, where one looks for something that came."""
    used: float = 0.0
    """When something in it was last written, in seconds since 1970; with `share` alone."""


@dataclass(frozen=True, slots=True, kw_only=True)
class OtherRoot:
    """A folder that may belong to an install, for the person to confirm."""

    label: str
    place: str
    why: str
    files: int = 0
    """How many files lie in it, counted up to a limit."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Likeness:
    """How much of a release lies in an install."""

    path: str
    release: Release
    equal: int
    """Files that lie here byte for byte as shipped."""
    there: int
    """Files that lie here at all."""
    shipped: int
    """Files that the release shipped, settings aside."""
    code_equal: int
    code: int

    @property
    def share(self) -> float:
        return self.equal / self.shipped if self.shipped else 0.0

    @property
    def fits(self) -> bool:
        """Whether the install came from it: nearly all as shipped, and all but a little of its code."""
        return self.share >= ENOUGH and self.code_equal >= ENOUGH * self.code

    @property
    def says(self) -> str:
        name = self.release.version_text or os.path.basename(self.path)
        return f"{self.equal:,} of {self.shipped:,} files of {name} lie here as shipped"


@dataclass(frozen=True, slots=True, kw_only=True)
class Run:
    """What a watched run left."""

    made: tuple[At, ...] = ()
    changed: tuple[At, ...] = ()
    gone: tuple[At, ...] = ()
    new_folders: tuple[At, ...] = ()
    seconds: float = 0.0
    status: int | None = None
    """What the program ended with, where it was started from here."""
    digests: tuple[tuple[At, str], ...] = ()
    """(place, digest) of what was made or changed, right after the run; empty where it could not be read."""

    @property
    def touched(self) -> tuple[At, ...]:
        return (*self.made, *self.changed)
