"""What is known of a run beside its stages: what all have in common, and what only one way of doing it knows.

It stands in the journal with the run, for its proof, for going back and for what is to be seen of it.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import StrEnum
from types import MappingProxyType

import msgspec

from left_intact.core.model.classes import FileClass
from left_intact.core.model.place import At
from left_intact.core.model.things import Counted, ThingRule


class Laid(StrEnum):
    """What a run laid, so that a proof says of it what is so."""

    RELEASE = "release"
    OVER = "over"
    """A patch, a title's update: laid over what is there."""
    PARTS = "parts"
    PACK = "pack"
    UPDATES = "updates"
    TREE = "tree"
    """The program out of somebody's tree."""
    BACK = "back"
    """Nothing new: what lay there before."""


@dataclass(frozen=True, slots=True, kw_only=True)
class PartChange:
    """One part that is swapped alone."""

    path: str
    """The name that the program expects."""
    came: str
    """What it is called in what came."""
    before: str
    """Version; empty where none could be read."""
    after: str


class InPlace(msgspec.Struct, frozen=True, tag="in-place"):
    """All is laid where the install lies."""


class IntoNewRoot(msgspec.Struct, frozen=True, tag="new-root"):
    """The install gets a new folder; the old one stays."""

    moved: tuple[tuple[str, str], ...] = ()
    """(path in the old root, path that the new one has for it) where those differ."""
    left: tuple[str, ...] = ()
    """Folders of the old root that are used from where they are."""


class Cleared(msgspec.Struct, frozen=True, tag="cleared"):
    """The program is removed by hand and laid anew."""

    not_saved: tuple[FileClass, ...] = ()
    """Classes that an answer left to go with the removal."""


class Swapped(msgspec.Struct, frozen=True, tag="swapped"):
    """Single parts are replaced."""

    parts: tuple[PartChange, ...] = ()


class Climbed(msgspec.Struct, frozen=True, tag="climbed"):
    """Updates are laid one after the other."""

    chosen: tuple[str, ...] = ()
    """Paths of what the person chose to lay over content."""


class Grafted(msgspec.Struct, frozen=True, tag="grafted"):
    """The program came out of somebody's tree."""


class FromPack(msgspec.Struct, frozen=True, tag="from-pack"):
    """The person's share of a pack."""

    chosen: tuple[str, ...] = ()
    """Paths of what they chose to have replaced."""


class PutBack(msgspec.Struct, frozen=True, tag="put-back"):
    """An update is taken back."""

    to_old_root: bool = False
    """Whether the folder that it left behind is the install again."""


class OldRootFreed(msgspec.Struct, frozen=True, tag="old-root-freed"):
    """The folder that an update left behind goes."""

    place: str = ""


IN_PLACE = InPlace()
Way = InPlace | IntoNewRoot | Cleared | Swapped | Climbed | Grafted | FromPack | PutBack | OldRootFreed
"""How a run does it, with what it alone knows. A route takes the one that says what its proof must know."""


@dataclass(frozen=True, slots=True, kw_only=True)
class RunFacts:
    """What is known of a run beside its stages."""

    way: Way = IN_PLACE
    came: str = ""
    """What people call what came: its version may be another thing's than the install's."""
    comes: Mapping[str, str] = field(default_factory=lambda: MappingProxyType({}))
    """By path: the digest of what is laid over a release, and has to be laid whole too."""
    version_places: tuple[tuple[str, str], ...] = ()
    """(file, pattern) where the keepsheet says that the version is read."""
    rules: tuple[ThingRule, ...] = ()
    """How things are counted, before and after."""
    counted: tuple[Counted, ...] = ()
    """What was counted before, from the program's own lists and from what leads to it."""
    picture: str = ""
    """A picture of a scene before."""
    given_sheet: str = ""
    """The text of a keepsheet that was given for this run alone."""
    under_ids: Mapping[str, int] = field(default_factory=lambda: MappingProxyType({}))
    """Saves under ids that the new build may not use, by the folder that has those."""
    let_go: tuple[At, ...] | None = None
    """Places of which an answer let go; None where that was not kept."""
    answers: Mapping[str, str] = field(default_factory=lambda: MappingProxyType({}))
    """By question: what was chosen, or stood as the default."""
    allowed: tuple[str, ...] = ()
    """Codes of the blockers that were passed knowingly."""

    @property
    def has_old_root(self) -> bool:
        """Whether it is about two folders of the install: the new one and the one that is left behind."""
        return isinstance(self.way, IntoNewRoot) or (isinstance(self.way, PutBack) and self.way.to_old_root)

    @property
    def parts(self) -> tuple[PartChange, ...]:
        """The parts that are swapped alone."""
        return self.way.parts if isinstance(self.way, Swapped) else ()

    @property
    def chosen(self) -> tuple[str, ...]:
        """Paths of what the person chose to lay over content: by a pack, by a title's updates."""
        return self.way.chosen if isinstance(self.way, (Climbed, FromPack)) else ()

    def laid(self, *, whole: bool) -> Laid:
        """What is laid; `whole` says whether a whole release is among it."""
        match self.way:
            case Swapped():
                return Laid.PARTS
            case FromPack():
                return Laid.PACK
            case Climbed():
                return Laid.UPDATES
            case Grafted():
                return Laid.TREE
            case PutBack():
                return Laid.BACK
        return Laid.RELEASE if whole else Laid.OVER


NOTHING_KNOWN = RunFacts()
