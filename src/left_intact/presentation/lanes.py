"""Lanes: moves of a plan that go the same way, and what a lane says of itself."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, replace
from itertools import islice

from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Entry, Kind
from left_intact.core.model.plan import KeyLine, Move, Plan, Verb
from left_intact.core.model.survey import Total
from left_intact.core.model.telling import Stroke
from left_intact.core.model.unchanged import CLASSES, NOT_KEPT, Unchanged, UnchangedPage

ORDER = {c: n for n, c in enumerate(FileClass)}
MOST = 22


@dataclass(frozen=True, slots=True, kw_only=True)
class LaneHead:
    """What a lane says of itself."""

    key: str
    label: str
    after_label: str
    file_class: FileClass
    stroke: Stroke
    says: str
    now: Total
    after: Total
    count: int
    means: str = ""
    """What is told of it where somebody asks why; empty for what its stroke means everywhere."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Lane(LaneHead):
    """Moves that go the same way."""

    spoken: tuple[Move, ...]
    """Those with values of their own, what changes first."""
    stays: tuple[UnchangedPage, ...]
    """Folders of what stays, the names of other lanes left out."""
    kept: Unchanged
    question: str = ""

    def each(self) -> Iterator[Move]:
        """All of its moves, what changes first."""
        yield from self.spoken
        for page in self.stays:
            yield from self.kept.moves_of(page)

    def first(self, number: int) -> list[Move]:
        return list(islice(self.each(), number))

    @property
    def reasons(self) -> Counter[str]:
        """How many go this way for which reason."""
        found = Counter(m.because for m in self.spoken)
        for page in self.stays:
            for reason, number in Counter(page.reasons).items():
                if reason != NOT_KEPT:
                    found[self.kept.because[reason]] += number
        return found


def by_class(page: UnchangedPage) -> Iterator[tuple[FileClass, UnchangedPage]]:
    """A folder's names by class, each with the others left out."""
    there = set(page.classes)
    if len(there) == 1:
        if any(page.reasons):
            yield CLASSES[page.classes[0]], page
        return
    for number in sorted(there):
        reasons = bytes(
            r if c == number else NOT_KEPT for r, c in zip(page.reasons, page.classes, strict=True)
        )
        if any(reasons):
            yield CLASSES[number], replace(page, reasons=reasons)


def is_open(plan: Plan, question: str) -> bool:
    """Whether a question of a plan waits for its answer."""
    return any(one.id == question and one.is_open for one in plan.questions)


def asked_words(moves: Iterable[Move], waits: bool) -> str:
    """What becomes of what a question asks about: by its default while that waits, else by its answer."""
    count = Counter(move.verb for move in moves)
    words = {Verb.REPLACE: "replaced", Verb.ADD: "laid", Verb.DROP: "left out"}
    parts = [f"{count[verb]} {says}" for verb, says in words.items() if count[verb]]
    if stays := count[Verb.KEEP]:
        parts.append(f"{stays} stays" if stays == 1 else f"{stays} stay")
    return f"{', '.join(parts[:2]) or 'stays'}, by {'default' if waits else 'your answer'}"


def sum_of(entries: Iterable[Entry | None]) -> Total:
    files = [e for e in entries if e is not None and e.kind is not Kind.FOLDER]
    return Total(files=len(files), bytes=sum(e.bytes for e in files))


def sum_of_pages(pages: Iterable[UnchangedPage]) -> Total:
    totals = [total for page in pages for total in page.totals().values()]
    return Total(files=sum(t.files for t in totals), bytes=sum(t.bytes for t in totals))


def merged_words(merges: list[tuple[KeyLine, ...]]) -> str:
    lines = [line for merge in merges for line in merge]
    mine = sum(
        1 for x in lines if x.result is not None and x.result == x.yours and x.decided not in ("same", "new")
    )
    new = sum(1 for x in lines if x.decided in ("new", "arriving"))
    return f"{mine} of yours kept, {new} new"
