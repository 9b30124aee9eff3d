"""What a proof is told beside the disk and the witness."""

from __future__ import annotations

from collections.abc import Callable, Collection, Sequence
from dataclasses import dataclass

from left_intact.core.model.release import Reading, Release
from left_intact.core.model.things import Counted, Start, ThingRule


@dataclass(frozen=True, slots=True, kw_only=True)
class Told:
    """None of it can make a proof say that something is as it was: that is read from the disk alone."""

    name: str = ""
    """The install's."""
    carried_at: float = 0.0
    """Seconds since 1970: tells what a run on trial changed from what the update did."""
    modes: bool = True
    """Whether this system keeps modes of files."""
    in_strongbox: Callable[[str], bool] = lambda digest: True
    """Whether a verified copy of a digest is there."""
    readings: tuple[Reading, ...] = ()
    """What the program itself said of its version."""
    version_places: tuple[tuple[str, str], ...] = ()
    """Where a keepsheet says that the version is read."""
    shipped: Release | None = None
    """The whole release that was laid; None where only a part was."""
    confirmed: Collection[str] = ()
    """Links out of the install that the person knows of."""
    things: tuple[Counted, ...] = ()
    """What was counted before, from the program's own lists and from what leads to it."""
    rules: Sequence[ThingRule] = ()
    """How things were counted."""
    starts: Sequence[Start] = ()
    """What leads to the program now."""
    look_at: Sequence[str] = ()
    """What the person wants to tick."""
    pictures: tuple[str, str] = ("", "")
    """A scene before and after."""


NOTHING_TOLD = Told()
