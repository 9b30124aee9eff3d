"""One thing found on disk or in an archive, and what was made of it."""

from __future__ import annotations

from dataclasses import dataclass, field
from enum import StrEnum

from left_intact.core.model.classes import FileClass
from left_intact.core.model.place import At


class Kind(StrEnum):
    """The closed set of what an entry can be. `FAULT` is one that could not be read."""

    FILE = "file"
    LINK = "link"
    FOLDER = "folder"
    OTHER = "other"
    FAULT = "fault"


@dataclass(frozen=True, slots=True, kw_only=True)
class Entry:
    """A file, link, empty folder or special file below a root."""

    path: str
    """Relative to the root, POSIX style; bytes that are no UTF-8 as surrogate escapes."""
    kind: Kind = Kind.FILE
    bytes: int = 0
    mode: int | None = None
    """Permission bits, or None where the source records none."""
    mtime_ns: int = 0
    """Last change of the content, in nanoseconds since 1970."""
    digest: str = ""
    """BLAKE3 in hex; empty where the content was not read."""
    format: str = ""
    """What the first bytes say, in the words of `files.headers`."""
    link: str = ""
    """Where a link points, as written in it."""
    fault: str = ""
    """Why the entry could not be read."""
    stamp: tuple[int, int, int] = (0, 0, 0)
    """Device, inode and status-change time; any write changes the last."""
    root: str = field(default="", compare=False)
    """The label of the root that it lies below; empty for the install itself."""

    @property
    def at(self) -> At:
        return At(self.root, self.path)

    def same_content(self, other: Entry) -> bool:
        """Equal kind and bytes (or link target); what could not be read equals nothing."""
        if self.kind is not other.kind or self.kind is Kind.FAULT:
            return False
        if self.kind is Kind.LINK:
            return self.link == other.link
        if self.kind is Kind.FILE:
            return bool(self.digest) and self.digest == other.digest
        return self.kind is Kind.FOLDER


@dataclass(frozen=True, slots=True, kw_only=True)
class Folder:
    """A folder as it was, so that going back can restore its mode and time."""

    path: str
    mode: int
    mtime_ns: int
    root: str = ""

    @property
    def at(self) -> At:
        return At(self.root, self.path)


@dataclass(frozen=True, slots=True, kw_only=True)
class Attributes:
    """What the system keeps of a file beside its content, mode and time."""

    owner: int = -1
    """User number, -1 where the system has none."""
    group: int = -1
    names: int = 1
    """How many names it has; over one, it is hard-linked."""
    extended: tuple[tuple[str, bytes], ...] = ()
    """Extended attributes, by name."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Evidence:
    """One reason for (or against) a class."""

    source: str
    """Who says so: ruling, keepsheet, baseline, arrival, header, name, siblings, time, rights."""
    says: str
    speaks_for: FileClass
    weight: float
    """Log-odds in nats; negative speaks against the class."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Finding:
    """An entry with its class, the certainty of it, and why."""

    entry: Entry
    file_class: FileClass
    certainty: float
    """0 to 1, from all evidence together."""
    why: tuple[Evidence, ...] = ()
    leaning: FileClass = FileClass.UNSORTED
    """The class with most evidence, also where it was too little to sort the entry."""

    @property
    def at(self) -> At:
        return At(self.entry.root, self.entry.path)
