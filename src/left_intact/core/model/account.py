"""The account of one update: what came, what was kept, merged, set aside, asked, checked, and how to get it
back. As JSON it is documented in docs/formats.md.
"""

from __future__ import annotations

from dataclasses import dataclass

from left_intact.core.model.classes import FileClass
from left_intact.core.model.place import At
from left_intact.core.model.proof import Check
from left_intact.core.model.stages import KeyLine
from left_intact.core.model.update import Arrived


@dataclass(frozen=True, slots=True, kw_only=True)
class KeptClass:
    """What was there of a class before, and was to stay as it lay. The checks say whether it does."""

    file_class: FileClass
    files: int
    bytes: int
    digest: str
    """BLAKE3 over a line for each file, by place: its own BLAKE3, two spaces, its place."""


@dataclass(frozen=True, slots=True, kw_only=True)
class SetAside:
    """A file that was displaced, and the copy of it."""

    at: At
    file_class: FileClass
    bytes: int
    digest: str
    copy: str
    """Below the strongbox; empty where it was let go of."""


@dataclass(frozen=True, slots=True, kw_only=True)
class MergedFile:
    """A settings file that was merged key by key."""

    at: At
    lines: tuple[KeyLine, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class Answered:
    """A question and what was chosen, or stood as its default."""

    question: str
    answer: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Account:
    """What one run did, to be kept for years."""

    install: str
    root: str
    run: int
    kind: str
    """`update` or `back`."""
    route: str
    began: float
    """Seconds since 1970, as `ended`."""
    ended: float
    state: str
    from_version: str
    to_version: str
    came: tuple[Arrived, ...]
    is_whole: bool
    """Whether the journal still tells of each file; once a later update was settled it does not."""
    kept: tuple[KeptClass, ...]
    merged: tuple[MergedFile, ...]
    set_aside: tuple[SetAside, ...]
    answers: tuple[Answered, ...]
    verdict: str
    """Empty where it was never proven."""
    checks: tuple[Check, ...]
    ticked: tuple[str, ...]
    strongbox: str
    """The folder that the copies lie in."""
