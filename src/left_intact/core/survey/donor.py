"""A tree that came from somebody's machine rather than from who makes the program: what in it is theirs.

It is sorted like an install. What is the program's may be taken; the rest is another person's.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from left_intact.core.files.headers import is_code
from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Finding
from left_intact.core.model.findings import SortedPages
from left_intact.core.model.pages import COLUMNS, Page
from left_intact.core.survey.names import folder_evidence, name_evidence
from left_intact.core.survey.weights import weights

_OWN = (FileClass.SAVES, FileClass.STATES)
_TRACES = (FileClass.SETTINGS, FileClass.CACHE, FileClass.EXTRAS, *_OWN)
_SURE = 0.75
"""A save or a state must be one with this certainty to show that somebody lived here."""
_HOUR = 3_600 * 10**9
_DAY, _DAYS = 24 * _HOUR, 3
_MANY = 3
"""So many kinds of traces tell somebody's tree where times do not."""
_TAKEN = 0.5
"""What is the program's with this certainty is taken from a donor; it replaces nothing of the person's."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Donor:
    """What lies in a tree of somebody's."""

    taken: frozenset[str]
    """Paths of what is the program's."""
    own: tuple[Finding, ...]
    """What is the other person's, ordered by path."""
    unsorted: tuple[Finding, ...]
    """What nobody can tell, ordered by path."""
    built: int = 0
    """When the newest of the program's files was written, in nanoseconds since 1970."""
    was_used: bool = False
    """Whether things in it were written day after day once it was built, whatever they are called."""

    @property
    def is_somebodys(self) -> bool:
        """Whether it is a tree of somebody's, surely or by how its times look."""
        return self.is_sure or (self.was_used and bool(self.own or self.unsorted))

    @property
    def is_sure(self) -> bool:
        """Whether it holds somebody's saves or states, written after the program was built, and other traces
        of a person; a release may bring a save to try. Where all has one time, caches must be among those.
        """
        sure = [f for f in self.own if f.file_class in _OWN and f.certainty >= _SURE]
        kinds = {f.file_class for f in self.own if f.file_class in _TRACES}
        if not sure or len(kinds) < 2:
            return False
        if any(f.entry.mtime_ns > self.built + _HOUR for f in sure):
            return True
        return FileClass.CACHE in kinds and len(kinds) >= _MANY


def may_be_somebodys(pages: Sequence[Page]) -> bool:
    """Whether names in a tree speak of what runs make, so that it is worth sorting. Cheap."""
    least = weights().spoken["subtree-least"]

    def speaks(page: Page) -> bool:
        if any(e.speaks_for in _OWN and e.weight >= least for e in folder_evidence(page.folder)):
            return bool(page.names)
        return any(
            e.speaks_for in _OWN and e.weight >= least for name in page.names for e in name_evidence(name)
        )

    return any(map(speaks, pages))


def was_used(pages: Sequence[Page]) -> bool:
    """Whether a folder shows use by the times in it: things that are no code, written on several days after
    the newest of its code. A build is gathered once.
    """
    code, rest = list[int](), list[int]()
    for page in pages:
        for at, file_format in enumerate(page.formats):
            (code if is_code(file_format) else rest).append(page.numbers[at * COLUMNS + 2])
    if not code:
        return False
    late = [when for when in rest if when > max(code) + _DAY]
    return len({when // _DAY for when in late}) >= _DAYS


def donor_of(findings: SortedPages, *, used: bool = False) -> Donor:
    """What may be taken of a tree that was sorted, and what stays out; `used` as `was_used` says."""
    taken, own, unsorted, built = set[str](), [], [], 0
    for number, page in enumerate(findings.pages):
        for at in range(len(page.names)):
            finding = findings.one(number, at)
            if finding.file_class is FileClass.PROGRAM and finding.certainty >= _TAKEN:
                taken.add(finding.at.path)
                built = max(built, finding.entry.mtime_ns)
            elif finding.file_class in (FileClass.UNSORTED, FileClass.PROGRAM):
                unsorted.append(finding)
            else:
                own.append(finding)
        if page.at in findings.folders:
            taken.add(page.folder)
    return Donor(
        taken=frozenset(taken),
        own=tuple(sorted(own, key=lambda f: f.at)),
        unsorted=tuple(sorted(unsorted, key=lambda f: f.at)),
        built=built,
        was_used=used,
    )
