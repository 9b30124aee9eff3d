"""Where something is: a root of an install and a path below it. What is shown never identifies."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import NamedTuple


class At(NamedTuple):
    """A place in an install: the label of a root, empty for the first, and a path below it."""

    root: str
    path: str

    @property
    def shown(self) -> str:
        """In words for people, as surveys and plans print it: `label:/path`."""
        if not self.root:
            return self.path
        return f"{self.root}:/{self.path}" if self.path else f"{self.root}:"

    @property
    def folder(self) -> At:
        """The folder that it lies in; the root itself has an empty path."""
        return At(self.root, self.path.rpartition("/")[0])


def at_of(shown: str, labels: Iterable[str] = ()) -> At:
    """The place that a path of a survey means; only labels that are known part a path."""
    head, colon, rest = shown.partition(":")
    if colon and head in labels and (not rest or rest.startswith("/")):
        return At(head, rest[1:])
    return At("", shown)


# Labels of our own have a space, which none that a person gives may have.
OLD = "old folder"
"""The label of the folder that is left behind."""
LET_GO = "let go"
"""The label of one that is let go of."""
SPOT = "shortcuts "
"""How the label begins of a folder of which only what a plan names is looked at, as one with shortcuts."""


LOOKED_AT = "looked at "
"""The same, of a folder in which nothing is ever laid."""


def is_spot(label: str) -> bool:
    """Whether nothing of a root but what a plan names is any of its business."""
    return label.startswith((SPOT, LOOKED_AT))


@dataclass(frozen=True, slots=True, kw_only=True)
class Root:
    """One folder of an install, as it was when it was looked at."""

    label: str
    """Empty for the install itself."""
    place: str
    """Absolute, with no link in it."""
    identity: tuple[int, int] | None = None
    """Device and inode of the folder; None where it is not there."""
    existed: bool = True
    """Whether it was there; making one that was not is a step of its own."""

    @property
    def file_system(self) -> int | None:
        """The device it lies on; None where it is not there yet."""
        return self.identity[0] if self.identity else None


def left_behind(roots: Iterable[Root]) -> str:
    """The folder that a plan or a run with these roots leaves behind; empty where it leaves none."""
    return next((root.place for root in roots if root.label == OLD), "")
