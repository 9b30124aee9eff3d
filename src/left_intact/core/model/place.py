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
        """As surveys and plans write it: `label:/path`, with a mark before the colon that no name can have,
        so that a folder which is called like a root is none. Faces leave the mark out (`in_words`).
        """
        if not self.root:
            return self.path
        return f"{self.root}{_MARK}:/{self.path}" if self.path else f"{self.root}{_MARK}:"

    @property
    def folder(self) -> At:
        """The folder that it lies in; the root itself has an empty path."""
        return At(self.root, self.path.rpartition("/")[0])


_MARK = "\0"


def at_of(shown: str) -> At:
    """The place that a path of a survey means."""
    if _MARK not in shown:
        return At("", shown)
    root, _, rest = shown.partition(_MARK)
    return At(root, rest[2:])


def in_words(text: str) -> str:
    """A text that names places, as people read it."""
    return text.replace(f"{_MARK}:", ":") if _MARK in text else text


def from_words(text: str, labels: Iterable[str]) -> str:
    """A path or pattern that a person wrote, who names a root by its label; the reverse of `in_words`."""
    head, colon, rest = text.partition(":")
    return f"{head}{_MARK}:{rest}" if colon and head in labels and (not rest or rest[0] == "/") else text


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
