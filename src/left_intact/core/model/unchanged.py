"""What a plan leaves as it is, in the columns of its survey: a value is made only of what somebody looks
at.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, replace
from functools import cached_property

from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Finding
from left_intact.core.model.findings import SortedPages
from left_intact.core.model.pages import COLUMNS, Page, signed
from left_intact.core.model.place import At
from left_intact.core.model.stages import Move, Verb
from left_intact.core.model.survey import Findings, Total

CLASSES = tuple(FileClass)
CLASS_NUMBER = {c: n for n, c in enumerate(CLASSES)}
NOT_KEPT = 0
"""In `UnchangedPage.reasons`: this name is not among what is kept."""


@dataclass(frozen=True, slots=True)
class UnchangedPage:
    """A folder, and which of its names stay. One byte a name in each column."""

    page: Page
    classes: bytes
    """A number of `CLASSES`."""
    reasons: bytes
    """A number of `Unchanged.because`, or `NOT_KEPT`."""

    @property
    def places(self) -> Sequence[int]:
        """The positions of what stays."""
        if NOT_KEPT not in self.reasons:
            return range(len(self.reasons))
        return [at for at, reason in enumerate(self.reasons) if reason]

    def totals(self) -> dict[FileClass, Total]:
        """Files and bytes by class; links and what could not be read count as files without bytes."""
        sizes = self.page.numbers[1::COLUMNS]
        said, files, weights = self.page.said, Counter[int](), Counter[int]()
        if len(set(self.classes)) == 1 and NOT_KEPT not in self.reasons and not said:
            return {CLASSES[self.classes[0]]: Total(files=len(sizes), bytes=sum(sizes))}
        for at in self.places:
            files[self.classes[at]] += 1
            weights[self.classes[at]] += 0 if at in said else sizes[at]
        return {CLASSES[n]: Total(files=count, bytes=weights[n]) for n, count in files.items()}


class Unchanged:
    """Everything that stays, ordered by page; `rest` is what needs values of its own: dropped, asked,
    folders.
    """

    def __init__(
        self,
        pages: Iterable[UnchangedPage] = (),
        because: Sequence[str] = ("",),
        rest: Iterable[Move] = (),
    ) -> None:
        self.pages, self.because, self.rest = tuple(pages), tuple(because), tuple(rest)

    def __eq__(self, other: object) -> bool:
        if not isinstance(other, Unchanged):
            return NotImplemented
        return (self.pages, self.because, self.rest) == (other.pages, other.because, other.rest)

    __hash__ = None  # type: ignore[assignment]

    @cached_property
    def in_pages(self) -> int:
        """How many stay in pages."""
        return sum(len(page.reasons) - page.reasons.count(NOT_KEPT) for page in self.pages)

    def __len__(self) -> int:
        return self.in_pages + len(self.rest)

    def __iter__(self) -> Iterator[Move]:
        for page in self.pages:
            yield from self.moves_of(page)
        yield from self.rest

    def moves_of(self, page: UnchangedPage) -> Iterator[Move]:
        """What stays in a folder, as values."""
        for at in page.places:
            entry = page.page.entry(at)
            yield Move(
                at=entry.at,
                verb=Verb.KEEP,
                file_class=CLASSES[page.classes[at]],
                because=self.because[page.reasons[at]],
                bytes=entry.bytes,
                before=entry,
                after=entry,
            )

    def without(self, places: Iterable[At]) -> Unchanged:
        """All but some places; the pages themselves are shared."""
        gone = frozenset(places)
        by_folder: dict[At, set[str]] = {}
        for at in gone:
            by_folder.setdefault(at.folder, set()).add(at.name)
        if not by_folder:
            return self
        rest = [m for m in self.rest if m.at not in gone]
        return Unchanged(
            [self._less(p, by_folder.get(p.page.at)) for p in self.pages],
            self.because,
            rest,
        )

    def speaking(self, places: Iterable[At], words: str) -> Unchanged:
        """The same, saying `words` of some places in pages; no more than 255 sentences in all."""
        by_folder: dict[At, set[str]] = {}
        for at in places:
            by_folder.setdefault(at.folder, set()).add(at.name)
        said = len(self.because)

        def spoken(page: UnchangedPage) -> UnchangedPage:
            found = [page.page.find(name) for name in by_folder.get(page.page.at, ())]
            reasons = bytearray(page.reasons)
            for at in found:
                if at >= 0 and reasons[at] != NOT_KEPT:
                    reasons[at] = said
            return replace(page, reasons=bytes(reasons)) if found else page

        return Unchanged(map(spoken, self.pages), (*self.because, words), self.rest)

    @staticmethod
    def _less(page: UnchangedPage, names: set[str] | None) -> UnchangedPage:
        if not names:
            return page
        reasons = bytearray(page.reasons)
        for name in names:
            if (at := page.page.find(name)) >= 0:
                reasons[at] = NOT_KEPT
        return replace(page, reasons=bytes(reasons))

    def class_at(self, at: At) -> FileClass | None:
        """The class of a place that stays; None for any other."""
        page = self._by_folder.get(at.folder)
        place = page.page.find(at.name) if page is not None else -1
        if page is None or place < 0 or page.reasons[place] == NOT_KEPT:
            return None
        return CLASSES[page.classes[place]]

    @cached_property
    def _by_folder(self) -> dict[At, UnchangedPage]:
        return {page.page.at: page for page in self.pages}

    def named(self, device: int, inode: int) -> list[At]:
        """Where files of a device and inode lie: all names of one that is hard-linked."""
        return self._by_inode.get((device, signed(inode)), [])

    @cached_property
    def _by_inode(self) -> dict[tuple[int, int], list[At]]:
        """Made when a hard link is first asked for."""
        found: dict[tuple[int, int], list[At]] = {}
        for page in self.pages:
            for at, inode in enumerate(page.page.numbers[4::COLUMNS]):
                found.setdefault((page.page.facts[2], inode), []).append(page.page.place(at))
        return found


def unchanged_of(findings: Findings, because: str) -> Unchanged:
    """Everything of a survey, for one reason; empty folders have values of their own."""
    assert isinstance(findings, SortedPages)
    classes = [CLASS_NUMBER[v.file_class] for v in findings.table]
    pages = [
        UnchangedPage(
            page=page, classes=bytes([classes[v] for v in verdicts]), reasons=b"\1" * len(page.names)
        )
        for page, verdicts in zip(findings.pages, findings.verdicts, strict=True)
        if page.names
    ]
    rest = [_stays(findings.find(folder), because) for folder in sorted(findings.folders)]
    return Unchanged(pages, ("", because), rest)


def _stays(finding: Finding | None, because: str) -> Move:
    assert finding is not None
    entry = finding.entry
    return Move(
        at=entry.at, verb=Verb.KEEP, file_class=finding.file_class, because=because, before=entry, after=entry
    )
