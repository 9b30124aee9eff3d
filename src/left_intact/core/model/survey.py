"""What reading an install gave."""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Callable, Collection, Iterable, Sequence
from dataclasses import dataclass
from enum import StrEnum

from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Entry, Finding, Folder
from left_intact.core.model.pages import Page
from left_intact.core.model.place import At
from left_intact.core.model.release import Reading


@dataclass(frozen=True, slots=True, kw_only=True)
class Total:
    """How much there is of something."""

    files: int = 0
    bytes: int = 0

    def __add__(self, other: Total) -> Total:
        return Total(files=self.files + other.files, bytes=self.bytes + other.bytes)


class Findings(Sequence[Finding]):
    """All findings of a survey, ordered by path. Folders appear only where they are empty or cannot be
    listed.

    A sequence that knows its sums without making a value of every entry.
    """

    pages: Sequence[Page]
    """What was read, ordered by root and folder."""

    @property
    def own_pages(self) -> list[Page]:
        """Those of the install's own folder."""
        return [page for page in self.pages if not page.root]

    @abstractmethod
    def totals(self) -> dict[FileClass, Total]:
        """Files and bytes by class, every class present; empty folders count nowhere."""

    @abstractmethod
    def find(self, at: At) -> Finding | None:
        """The finding of a place."""

    @abstractmethod
    def of_class(self, kind: FileClass, limit: int | None = None) -> list[Finding]:
        """All findings of a class, or the first of them, ordered by path."""

    @abstractmethod
    def newest(
        self, kind: FileClass, besides: Callable[[Iterable[Entry]], Collection[At]] = lambda entries: ()
    ) -> Entry | None:
        """What was written last of a class."""

    @abstractmethod
    def unsorted_places(self, limit: int | None = None) -> list[At]:
        """The places of what no evidence sorted, or the first of them, without making a value of each."""

    @abstractmethod
    def unsorted(self) -> tuple[Finding, ...]:
        """Entries that no evidence sorted; empty folders hold nothing to sort."""


IN_DOUBT = "its times tell nothing apart, and no release of it is on record"
"""The note of a survey that could know more."""


class Helps(StrEnum):
    """What would help a survey that is in doubt."""

    ARCHIVE = "archive"
    ARRIVAL = "arrival"
    RUN = "run"


@dataclass(frozen=True, slots=True, kw_only=True)
class Lesson:
    """Something that a survey in doubt could learn from."""

    kind: Helps
    path: str = ""
    """Of the archive, or of what came."""
    settles: int = 0
    """How many of what is unsorted it has something to say of; 0 where nobody can know that beforehand."""
    unsorted: int = 0


@dataclass(frozen=True, slots=True, kw_only=True)
class Survey:
    """Every entry of an install with its class and why."""

    root: str
    findings: Findings
    folders: tuple[Folder, ...] = ()
    readings: tuple[Reading, ...] = ()
    platform: str = ""
    seconds: float = 0.0
    """How long the reading took."""
    baseline: str = ""
    """Version of the baseline that was used; empty where there was none."""
    roots: tuple[tuple[str, str], ...] = ()
    """(label, absolute path) of roots beside the first; their entries bear the label."""
    notes: tuple[str, ...] = ()
    """What is worth knowing of how it was sorted: a list that the release carries, moments of builds."""

    @property
    def is_in_doubt(self) -> bool:
        """Whether much of it could be told if one knew what the release had shipped."""
        return IN_DOUBT in self.notes and self.findings.totals()[FileClass.UNSORTED].files > 0

    def unread(self) -> list[Entry]:
        """What could not be read or listed, ordered by path: what lies behind it is not counted."""
        found = [entry for page in self.findings.pages for entry in page.unread()]
        return sorted(found, key=lambda entry: entry.at)

    @property
    def reading(self) -> Reading | None:
        return self.readings[0] if self.readings else None

    @property
    def version_text(self) -> str:
        return self.reading.text if self.reading else ""

    def totals(self) -> dict[FileClass, Total]:
        """Files and bytes by class; empty folders count nowhere."""
        return self.findings.totals()

    def unsorted(self) -> tuple[Finding, ...]:
        """Entries that no evidence sorted."""
        return self.findings.unsorted()
