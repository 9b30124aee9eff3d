"""What came, by what is in it and where it fits: a build of the program, or something to be laid over one.

A build carries the program's own code. What goes into folders that lie here and carries little or none of it
is a mod, a pack of extras, a patch of data: it is laid over, nothing is taken away for it, and its version is
its own unless it brings the very file that the program's is read from.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Mapping
from dataclasses import dataclass

from left_intact.core.files.headers import is_code
from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Entry, Finding, Kind
from left_intact.core.model.findings import SortedPages
from left_intact.core.model.place import At
from left_intact.core.model.release import Arrival
from left_intact.core.model.survey import Survey
from left_intact.core.planning.blockers import is_common
from left_intact.core.planning.counterparts import part_key, parts_here

_CARRIES = 0.5
"""So much of the program's code, by name, makes what came a build of it."""
_FITS = 0.8
"""So many of its files must go into folders that lie here to be laid over them."""
_MOST = 4_000
"""Files of the program that are looked for."""
_PROGRAMS = 0.34
"""So many of those that something lies under must be the program's for it to be the program's own update."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Nature:
    """What came is to an install."""

    is_over: bool = False
    """Whether it is no build, but goes over one."""
    carried: float = 1.0
    """The share of the program's code that it carries, by name."""
    is_unsure: bool = False
    """Whether it covers most of the program's files and brings code, but other code than lies here: a build
    that calls it otherwise, or something large that goes over it.
    """
    carries_version: bool = True
    """Whether it brings the file that the program's version is read from, and is the program's own."""
    version_file: str = ""
    """That file, where something else brings one of its name."""

    @property
    def raises_version(self) -> bool:
        """Whether the program's version rises with it; one that is unsure does so as a whole release too."""
        return not (self.is_over or self.is_unsure) or self.carries_version


BUILD = Nature()
"""A build of the program, as nearly all that comes."""


def nature_of(arrival: Arrival, survey: Survey) -> Nature:
    """What came is to what lies here."""
    entries = arrival.release.entries
    own = {part_key(f.at.name) for f in parts_here(survey) if _may_be_code_of_it(f)} - {""}
    came = {part_key(_name(path)) for path, entry in entries.items() if is_code(entry.format)}
    carried = len(own & came) / len(own) if own else 1.0
    files = [path for path, entry in entries.items() if entry.kind is Kind.FILE and not _tells_nothing(path)]
    if carried >= _CARRIES or arrival.shape == "file" or not files:
        return Nature(carried=carried)
    here = {p.folder for p in survey.findings.pages if p.folder and p.names and not p.root}
    fits = sum(1 for path in files if path.rpartition("/")[0] in here)
    if fits < _FITS * len(files):
        return Nature(carried=carried)
    source = survey.reading.source if survey.reading is not None else ""
    there = entries.get(source)
    brings = there is not None and there.kind is Kind.FILE
    if came and _covered(survey, entries) >= _CARRIES:
        return Nature(carried=carried, is_unsure=True, carries_version=brings)
    own_update = _is_the_programs_own(survey, entries)
    return Nature(
        is_over=True,
        carried=carried,
        carries_version=brings and own_update,
        version_file=source if brings and not own_update else "",
    )


def _covered(survey: Survey, entries: Mapping[str, Entry]) -> float:
    """The share of the program's files here under whose path something comes."""
    findings = survey.findings
    assert isinstance(findings, SortedPages)
    its = [
        f.at.path
        for f in findings.of_class(FileClass.PROGRAM, _MOST)
        if f.entry.kind is Kind.FILE and not f.at.root
    ]
    return sum(path in entries for path in its) / len(its) if its else 0.0


def _is_the_programs_own(survey: Survey, entries: Mapping[str, Entry]) -> bool:
    """Whether what it replaces is the program's rather than the person's: extras replace extras."""
    found = Counter(_leans(finding) for finding in _counterparts(survey, entries))
    return bool(found) and found[True] >= _PROGRAMS * found.total()


def _counterparts(survey: Survey, entries: Mapping[str, Entry]) -> Iterator[Finding]:
    for path in entries:
        finding = survey.findings.find(At("", path))
        if finding is not None and not _tells_nothing(path):
            yield finding


def _leans(finding: Finding) -> bool:
    """Whether something is the program's or the title's by what it is. A text says nothing: people write and
    share those, and whoever packs them anew gives them all one time.
    """
    its = (FileClass.PROGRAM, FileClass.CONTENT, FileClass.UNSORTED)
    return finding.file_class in its and not finding.entry.format.startswith("text ")


def _may_be_code_of_it(finding: Finding) -> bool:
    return finding.file_class in (FileClass.PROGRAM, FileClass.UNSORTED)


def _tells_nothing(path: str) -> bool:
    return is_common(_name(path))


def _name(path: str) -> str:
    return path.rpartition("/")[2]
