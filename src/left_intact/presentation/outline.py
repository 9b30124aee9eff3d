"""A survey as folders: what each is made of, for a tree that opens folder by folder."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Finding, Kind
from left_intact.core.model.findings import SortedPages
from left_intact.core.model.pages import COLUMNS
from left_intact.core.model.pattern import exactly, exactly_at
from left_intact.core.model.place import TOP, At
from left_intact.core.model.survey import Survey


@dataclass(slots=True)
class FolderNode:
    """A folder with the sums of all below it. Other roots lie in the first as folders do."""

    at: At
    folders: list[At] = field(default_factory=list)
    files: dict[FileClass, int] = field(default_factory=dict)
    bytes: dict[FileClass, int] = field(default_factory=dict)
    least: float = 1.0
    """The lowest certainty of anything below."""
    inside: int = 0
    """How many entries lie right in it."""
    source: SortedPages | None = None
    page: int = -1

    @property
    def name(self) -> str:
        """What it is called; another root by its label."""
        return self.at.name or f"{self.at.root}:"

    @property
    def entries(self) -> list[Finding]:
        """What lies right in it; made anew from the columns at each call."""
        if self.source is None or self.page < 0:
            return []
        return [
            f for f in self.source.in_page(self.page) if f.entry.kind is not Kind.FOLDER and f.at != self.at
        ]

    @property
    def count(self) -> int:
        return sum(self.files.values())

    @property
    def size(self) -> int:
        return sum(self.bytes.values())

    @property
    def only_class(self) -> FileClass | None:
        """The class of everything below, where there is but one."""
        return next(iter(self.files)) if len(self.files) == 1 else None


@dataclass(frozen=True, slots=True)
class Outline:
    """All folders of a survey."""

    folders: dict[At, FolderNode]

    @property
    def root(self) -> FolderNode:
        return self.folders[TOP]


def outline_of(survey: Survey) -> Outline:
    """Sum a survey up by folder, from its columns."""
    findings = survey.findings
    assert isinstance(findings, SortedPages)
    folders = {TOP: FolderNode(TOP)}
    for number, page in enumerate(findings.pages):
        node = _folder(folders, page.at)
        node.source, node.page, node.inside = findings, number, len(page.names)
        sums, least = findings.page_totals(number), findings.page_least(number)
        for at in dict.fromkeys((*page.at.upwards(), TOP)):
            above = folders[at]
            above.least = min(above.least, least)
            for kind, (files, size) in sums.items():
                above.files[kind] = above.files.get(kind, 0) + files
                above.bytes[kind] = above.bytes.get(kind, 0) + size
    return Outline(folders)


def _folder(folders: dict[At, FolderNode], at: At) -> FolderNode:
    node = folders.get(at)
    if node is None:
        node = folders[at] = FolderNode(at)
        _folder(folders, at.folder if at.path else TOP).folders.append(at)
    return node


@dataclass(frozen=True, slots=True, kw_only=True)
class Alike:
    """Unsorted entries of one folder and ending: sort one, sort all."""

    pattern: str
    """What all of them meet."""
    count: int
    bytes: int
    first: tuple[Finding, ...]
    """A few of them, ordered by path."""


FEW = 6


def alike(findings: SortedPages) -> list[Alike]:
    """The unsorted in groups, the largest first."""
    groups: dict[tuple[int, str], list[int]] = {}
    for _, number, at in findings.places_of(FileClass.UNSORTED):
        name = findings.pages[number].names[at]
        ending = name.rpartition(".")[2] if "." in name else ""
        groups.setdefault((number, ending), []).append(at)
    found = []
    for (number, _), places in groups.items():
        page = findings.pages[number]
        sizes = page.numbers[1::COLUMNS]
        first = tuple(findings.one(number, at) for at in places[:FEW])
        found.append(
            Alike(
                pattern=pattern_for(first),
                count=len(places),
                bytes=sum(sizes[at] for at in places if at not in page.said),
                first=first,
            )
        )
    return sorted(found, key=lambda g: (-g.count, g.first[0].at))


def pattern_for(findings: Sequence[Finding]) -> str:
    """A pattern that entries of one folder and ending meet, in words."""
    first = findings[0].at
    if len(findings) == 1:
        return exactly_at(first)
    name, folder = first.name, first.folder
    ending = f"*.{exactly(name.rpartition('.')[2])}" if "." in name else "*"
    return ending if folder == TOP else f"{exactly_at(folder)}/{ending}"
