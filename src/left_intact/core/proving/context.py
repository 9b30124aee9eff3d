"""What a proof is told beside the disk and the witness."""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass, field
from types import MappingProxyType

from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Entry
from left_intact.core.model.facts import Laid
from left_intact.core.model.place import OLD, At
from left_intact.core.model.release import Reading, Release
from left_intact.core.model.things import Counted, Start, ThingRule


def is_in_old_root(at: At) -> bool:
    """Whether a place is of the folder that was left behind."""
    return at.root == OLD


@dataclass(frozen=True, slots=True, kw_only=True)
class OldRoot:
    """A folder that was left behind: what lay in it was before, what lies in it now counts no more."""

    moved: Mapping[str, str] = field(default_factory=lambda: MappingProxyType({}))
    """Paths in it, and those that the new folder has for them where they are other ones."""
    left: tuple[str, ...] = ()
    """Folders of it that are used from where they are."""
    back: bool = False
    """Whether it is the install again: then it alone counts, before and after."""

    def path(self, at: At) -> str:
        """A place in the folder left behind as the new folder has it; empty for one in another folder."""
        return self.moved.get(at.path, at.path) if is_in_old_root(at) else ""

    def stays(self, path: str) -> bool:
        """Whether a path is used from the folder left behind."""
        return any(path.startswith(folder + "/") for folder in self.left)


@dataclass(frozen=True, slots=True, kw_only=True)
class Context:
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
    laid: Laid = Laid.RELEASE
    shipped: Release | None = None
    """The whole release that was laid; None where only a part was."""
    came: str = ""
    """What people call what came: its version may be another thing's than the install's."""
    comes: Mapping[str, Entry] = field(default_factory=lambda: MappingProxyType({}))
    """What came to be laid over a release: a patch, a title's update."""
    confirmed: Collection[str] = ()
    """Links out of the install that the person knows of."""
    things: tuple[Counted, ...] = ()
    """What was counted before, from the program's own lists and from what leads to it."""
    rules: Sequence[ThingRule] = ()
    """How things were counted."""
    starts: Sequence[Start] = ()
    """What leads to the program now."""
    starts_of_old_root: Sequence[str] = ()
    """What leads to the folder that was left behind."""
    under_ids: Mapping[str, int] = field(default_factory=lambda: MappingProxyType({}))
    """Saves under ids that the new build may not use, by the folder that has those."""
    look_at: Sequence[str] = ()
    """What the person wants to tick."""
    pictures: tuple[str, str] = ("", "")
    """A scene before and after."""
    old_root: OldRoot | None = None
    """The folder that was left behind, where the install got a new one."""
    answered: Collection[At] | None = None
    """Places of which an answer let go; None where that was not kept."""
    not_saved: Collection[FileClass] = ()
    """Classes that an answer left to go with a removal."""
    chosen: Collection[str] = ()
    """Paths of what the person chose to lay over content: by a pack, by a title's updates."""
    renamed: Sequence[tuple[str, str]] = ()
    """Places of which a keepsheet says that the new build has another name for them."""


NO_CONTEXT = Context()
