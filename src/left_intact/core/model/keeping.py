"""What a strongbox holds, and what came of looking through it."""

from __future__ import annotations

from dataclasses import dataclass

from left_intact.core.model.classes import FileClass


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
class Remains:
    """What can still be had of an install that is gone."""

    classes: tuple[tuple[FileClass, int, int], ...]
    """(class, files when it was last read, how many of them have a copy in the strongbox)."""
    roots: tuple[tuple[str, str, bool], ...]
    """(label, place, whether it is there) of its folders elsewhere."""
    left_behind: str = ""
    """The folder of the release before, where it is there still."""
    ghost: str = ""
    """What a former install left, where it is known to leave something."""

    @property
    def held(self) -> int:
        return sum(held for _, _, held in self.classes)

    @property
    def lines(self) -> tuple[str, ...]:
        """In words, what matters most first."""
        found = [
            f"{files:,} {_CALLED.get(kind, kind.value)}: the strongbox has a copy of {_how_many(held, files)}"
            for kind, files, held in self.classes
        ]
        found += [
            f"{label}: {place} is {'there' if there else 'gone too'}" for label, place, there in self.roots
        ]
        if self.left_behind:
            found.append(f"the folder of the release before is there: {self.left_behind}")
        if self.ghost:
            found.append(f"something of it is left: {self.ghost}")
        return tuple(found) or ("nothing is known of what lay in it",)


_CALLED = {FileClass.UNSORTED: "that were not sorted"}


def _how_many(held: int, files: int) -> str:
    return "none" if not held else "each" if held == files else f"{held:,}"


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
