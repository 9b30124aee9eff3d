"""What an install says of itself: the list of files it carries, the folders that its settings name."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from left_intact.core.model.classes import FileClass
from left_intact.core.model.place import At
from left_intact.core.survey.weights import PICTURES


@dataclass(frozen=True, slots=True, kw_only=True)
class Listed:
    """What a release's own list says, compared with the disk."""

    source: str
    states: Mapping[str, str] = field(default_factory=dict)
    """By path: `equal`, `changed` or, where the list has no digests, `named`."""

    def state(self, at: At) -> str:
        """`absent` for what is not listed; the list itself came with the rest."""
        if at.root:
            return "absent"
        return self.states.get(at.path) or ("named" if at.path == self.source else "absent")


@dataclass(frozen=True, slots=True, kw_only=True)
class Reference:
    """A folder that a settings file names for something."""

    source: str
    """The settings file."""
    key: str
    file_class: FileClass
    pictures: bool = False
    """Whether the key is about a place for pictures."""

    def says(self, folder: str) -> str:
        return f"{self.source} names {folder}/ as “{self.key}”" + (f", {PICTURES}" if self.pictures else "")


@dataclass(frozen=True, slots=True, kw_only=True)
class References:
    """What the settings of an install name."""

    inside: Mapping[str, Reference] = field(default_factory=dict)
    """By folder below the root."""
    outside: Mapping[str, Reference] = field(default_factory=dict)
    """By absolute path of a folder that is there."""

    def of(self, at: At) -> tuple[str, Reference] | None:
        """(folder, reference) that speaks of a folder: the nearest at or above it."""
        folder = "" if at.root else at.path
        while folder:
            if (found := self.inside.get(folder)) is not None:
                return folder, found
            folder = folder.rpartition("/")[0]
        return None
