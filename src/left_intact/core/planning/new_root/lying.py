"""The folder that a new build gets for itself: what lies there already, and what of it is a stub.

A stub is a file that a first start wrote and nobody used since, or one that is equal to what a release ships.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Sequence
from dataclasses import dataclass, field
from functools import cached_property

from left_intact.core.files.tree import ReadText
from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Entry, Kind
from left_intact.core.model.pages import Page, PagedEntries
from left_intact.core.planning.circumstances import Circumstances

FIRST_START = 900
"""Seconds that a first start, with a look around, may take from the first file that it writes."""


@dataclass(frozen=True, slots=True, kw_only=True)
class StartFile:
    """A desktop file, a script or a link that starts the program."""

    folder: str
    """Absolute, with no link in it."""
    place: str
    """Its name there."""
    identity: tuple[int, int] | None
    """Of the folder."""
    entry: Entry
    content: bytes = b""


@dataclass(frozen=True, kw_only=True)
class NewRoot:
    """A folder beside the install, as it lies now."""

    place: str
    """Absolute, with no link in it."""
    was: str
    """Where the install lies until then."""
    pages: Sequence[Page] = ()
    """What lies there; empty where nothing does."""
    existed: bool = False
    of: str = ""
    """The name of another install on the shelf that lies there; a new build that was started by hand may."""
    read: ReadText = field(default=lambda path: None)
    starts: Sequence[StartFile] = ()
    """Ways to start the program that lie outside and lead to where the install lies until then."""
    circumstances: Circumstances = field(default_factory=Circumstances)
    """What the machine says of the new folder and of the old one."""

    @cached_property
    def entries(self) -> PagedEntries:
        return PagedEntries(self.pages)

    def entry(self, path: str) -> Entry | None:
        """What lies at a path there; a folder too, also one that is not empty."""
        return self.entries.look(path)

    @property
    def is_empty(self) -> bool:
        return not any(page.names or page.is_entry for page in self.pages)


class Stubs:
    """Tells, of files that lie in the new folder, whether somebody used them since the first start."""

    def __init__(
        self, new_root: NewRoot, shipped: Collection[str], written: Iterable[str], built: int = 0
    ) -> None:
        """`shipped` are digests that releases have, `written` the paths of what no release ships so. What is
        no younger than `built` (nanoseconds since 1970) came with the release.
        """
        self.new_root, self.shipped, self.built = new_root, shipped, built
        found = [entry.mtime_ns for path in written if (entry := new_root.entry(path)) is not None]
        times = [when for when in found if when > built]
        self.until = min(times, default=0) + FIRST_START * 10**9
        self.wrote_several = sum(1 for when in times if when <= self.until) > 1

    def was_used(self, path: str, kind: FileClass) -> bool:
        """Whether what lies there is neither as shipped nor as a first start left it. A save that is all that
        was written there may be the first one of somebody who played.
        """
        entry = self.new_root.entry(path)
        if entry is None or entry.kind is not Kind.FILE or entry.digest in self.shipped:
            return False
        if entry.mtime_ns <= self.built:
            return False
        alone = kind in (FileClass.SAVES, FileClass.STATES) and not self.wrote_several
        return alone or entry.mtime_ns > self.until
