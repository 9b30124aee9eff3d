"""What reading an install gave."""

from __future__ import annotations

from dataclasses import dataclass

from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Finding, Kind
from left_intact.core.model.release import Reading


@dataclass(frozen=True, slots=True, kw_only=True)
class Total:
    """How much there is of something."""

    files: int = 0
    bytes: int = 0

    def __add__(self, other: Total) -> Total:
        return Total(files=self.files + other.files, bytes=self.bytes + other.bytes)


@dataclass(frozen=True, slots=True, kw_only=True)
class Folder:
    """A folder as it was, so that going back can restore its mode and time."""

    path: str
    mode: int
    mtime_ns: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Survey:
    """Every entry of an install with its class and why."""

    root: str
    findings: tuple[Finding, ...]
    """Ordered by path. Folders appear only where they are empty."""
    folders: tuple[Folder, ...] = ()
    readings: tuple[Reading, ...] = ()
    platform: str = ""
    seconds: float = 0.0
    """How long the reading took."""
    baseline: str = ""
    """Version of the baseline that was used; empty where there was none."""

    @property
    def reading(self) -> Reading | None:
        return self.readings[0] if self.readings else None

    @property
    def version_text(self) -> str:
        return self.reading.text if self.reading else ""

    def totals(self) -> dict[FileClass, Total]:
        """Files and bytes by class; empty folders count nowhere."""
        return totals_of(self.findings)

    def unsorted(self) -> tuple[Finding, ...]:
        """Entries that no evidence sorted; empty folders hold nothing to sort."""
        return tuple(f for f in self.findings if f.file_class is FileClass.UNSORTED and f.entry.kind is not Kind.FOLDER)


def totals_of(findings: tuple[Finding, ...] | list[Finding]) -> dict[FileClass, Total]:
    """Files and bytes by class, every class present; empty folders count nowhere."""
    files = dict.fromkeys(FileClass, 0)
    sizes = dict.fromkeys(FileClass, 0)
    for finding in findings:
        if finding.entry.kind is not Kind.FOLDER:
            files[finding.file_class] += 1
            sizes[finding.file_class] += finding.entry.bytes
    return {c: Total(files=files[c], bytes=sizes[c]) for c in FileClass}
