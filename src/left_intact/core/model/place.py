"""Where something is: a root of an install and a path below it. What is shown never identifies."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass
from typing import NamedTuple, TypeVar


class At(NamedTuple):
    """A place in an install: the label of a root, empty for the first, and a path below it."""

    root: str
    path: str

    @property
    def shown(self) -> str:
        """In words, for people and JSON: `label:/path`. A folder of the install may be called so too; so
        what is shown never finds a place; `written` does.
        """
        if not self.root:
            return self.path
        return f"{self.root}:/{self.path}" if self.path else f"{self.root}:"

    @property
    def written(self) -> str:
        """As `from_words` reads it back: what might be read as the label of a root begins with `./`."""
        may_be_a_root = not self.root and ":" in self.path.partition("/")[0]
        return f"./{self.path}" if may_be_a_root else self.shown

    @property
    def folder(self) -> At:
        """The folder that it lies in; the root itself has an empty path."""
        return At(self.root, self.path.rpartition("/")[0])

    @property
    def name(self) -> str:
        """The last part of the path."""
        return self.path.rpartition("/")[2]

    def inner(self, path: str) -> At:
        """A place below this folder."""
        return At(self.root, f"{self.path}/{path}" if self.path else path)

    def holds(self, other: At) -> bool:
        """Whether another place is this one or lies below it."""
        if self.root != other.root:
            return False
        return not self.path or other.path == self.path or other.path.startswith(f"{self.path}/")

    def upwards(self) -> Iterator[At]:
        """The place and every folder above it; the folder of its root comes last."""
        root, path = self
        yield self
        while path:
            path = path.rpartition("/")[0]
            yield At(root, path)


TOP = At("", "")
"""The install's own folder."""

T = TypeVar("T")


def in_install(by_path: Mapping[str, T]) -> dict[At, T]:
    """What is known by path below the install's own folder, by place."""
    return {At("", path): known for path, known in by_path.items()}


def from_words(text: str, labels: Iterable[str]) -> At:
    """The place that a person wrote, who names a root by its label; all else lies in the install itself, as
    does what begins with `./`.
    """
    if text.startswith("./"):
        return At("", text[2:])
    head, colon, rest = text.partition(":")
    if colon and head and head in labels and (not rest or rest[0] == "/"):
        return At(head, rest[1:])
    return At("", text)


def of_old(text: str, labels: Iterable[str]) -> At:
    """The place that a record means which was written up to version 0.2: in words, with or without a mark
    before the colon.
    """
    root, mark, rest = text.partition("\0:")
    return At(root, rest[1:]) if mark else from_words(text, labels)


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


def old_root_in(roots: Iterable[Root]) -> str:
    """The folder that a plan or a run with these roots leaves behind; empty where it leaves none."""
    return next((root.place for root in roots if root.label == OLD), "")
