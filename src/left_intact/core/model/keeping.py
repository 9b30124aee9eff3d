"""What a strongbox holds, and what came of looking through it."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True, kw_only=True)
class Held:
    """One object of a strongbox."""

    digest: str
    bytes: int
    needed: int
    """How many places would be put back from it by runs that are not at their end."""
    runs: tuple[int, ...]
    """Which runs those are."""
    yours: bool
    """Whether it is a file of the person's, which stays until they free it."""
    places: tuple[str, ...]
    """Where it lay, in words."""
    update: int = 0
    """The first run that displaced it, and when that began; 0 where no run is known to have."""
    since: float = 0.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Frees:
    """Something that gives room back."""

    by: str
    """`settle`, `free` or `tidy`."""
    says: str
    bytes: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Holdings:
    """All that a strongbox holds."""

    held: tuple[Held, ...]
    """The largest first."""
    frees: tuple[Frees, ...]
    budget: int
    """How many bytes it may take before that is said to be too much; 0 for any."""

    @property
    def bytes(self) -> int:
        return sum(one.bytes for one in self.held)

    @property
    def over(self) -> int:
        """By how many bytes it is over its budget."""
        return max(0, self.bytes - self.budget) if self.budget else 0


@dataclass(frozen=True, slots=True, kw_only=True)
class Scrubbed:
    """What came of reading every object."""

    objects: int
    bytes: int
    damaged: tuple[str, ...]
    """Places whose copy is not what it should be."""
    missing: tuple[str, ...]
    """Places whose copy is needed, and gone."""

    @property
    def sound(self) -> bool:
        return not self.damaged and not self.missing
