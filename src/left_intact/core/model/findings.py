"""The findings of a survey, kept as columns: a value is made of one only when somebody looks at it."""

from __future__ import annotations

import heapq
import stat
from array import array
from collections import Counter
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import overload

from left_intact.core.model.bulk import collector_at_rest
from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Entry, Evidence, Finding, Kind
from left_intact.core.model.pages import COLUMNS, Page
from left_intact.core.model.place import At
from left_intact.core.model.survey import Findings, Total


@dataclass(frozen=True, slots=True, kw_only=True)
class Verdict:
    """What some evidence leads to; shared by all entries that have it."""

    file_class: FileClass
    certainty: float
    leaning: FileClass
    why: tuple[Evidence, ...]


class SortedPages(Findings):
    """Pages with a verdict for each name."""

    def __init__(
        self,
        pages: Sequence[Page],
        verdicts: Sequence[array[int]],
        table: Sequence[Verdict],
        folders: Mapping[At, int],
        totals: Mapping[FileClass, Total] | None = None,
    ) -> None:
        self._totals = totals
        self.pages, self.verdicts, self.table, self.folders = pages, verdicts, table, folders
        """`verdicts` are numbers of `table`, a column a page; `folders` those of folders that are entries."""

    def __reduce__(self) -> tuple[object, ...]:
        """What was made of the columns for showing is not worth carrying to another process."""
        return SortedPages, (self.pages, self.verdicts, self.table, self.folders, self.totals())

    def __len__(self) -> int:
        return sum(len(page.names) for page in self.pages) + len(self.folders)

    def __iter__(self) -> Iterator[Finding]:
        return iter(self._all)

    @overload
    def __getitem__(self, at: int) -> Finding: ...
    @overload
    def __getitem__(self, at: slice) -> Sequence[Finding]: ...
    def __getitem__(self, at: int | slice) -> Finding | Sequence[Finding]:
        return self._all[at]

    @cached_property
    def _all(self) -> tuple[Finding, ...]:
        found = [f for at in range(len(self.pages)) for f in self.in_page(at)]
        return tuple(sorted(found, key=lambda f: f.at))

    def in_page(self, number: int) -> Iterator[Finding]:
        """The findings of one page, the folder itself where it is an entry."""
        page, verdicts = self.pages[number], self.verdicts[number]
        entries = page.entries()
        if page.at in self.folders:
            yield self._finding(next(entries), self.folders[page.at])
        for entry, verdict in zip(entries, verdicts, strict=True):
            yield self._finding(entry, verdict)

    def one(self, number: int, at: int) -> Finding:
        """The finding of one name of a page."""
        return self._finding(self.pages[number].entry(at), self.verdicts[number][at])

    def _finding(self, entry: Entry, verdict: int) -> Finding:
        v = self.table[verdict]
        return Finding(
            entry=entry, file_class=v.file_class, certainty=v.certainty, why=v.why, leaning=v.leaning
        )

    def find(self, at: At) -> Finding | None:
        number = self._by_folder.get(at.folder)
        if number is not None and (place := self.pages[number].find(at.name)) >= 0:
            return self.one(number, place)
        own = self._by_folder.get(at)
        return next(self.in_page(own)) if own is not None and at in self.folders else None

    @cached_property
    def _by_folder(self) -> dict[At, int]:
        return {page.at: number for number, page in enumerate(self.pages)}

    def totals(self) -> dict[FileClass, Total]:
        if self._totals is None:
            self._totals = self._added_up()
        return dict(self._totals)

    def _added_up(self) -> dict[FileClass, Total]:
        files: Counter[FileClass] = Counter()
        sizes: Counter[FileClass] = Counter()
        for number in range(len(self.pages)):
            for kind, (count, size) in self.page_totals(number).items():
                files[kind] += count
                sizes[kind] += size
        return {c: Total(files=files[c], bytes=sizes[c]) for c in FileClass}

    def page_totals(self, number: int) -> dict[FileClass, tuple[int, int]]:
        """(files, bytes) by class of one page, without what lies below it."""
        page, verdicts = self.pages[number], self.verdicts[number]
        sizes = page.numbers[1::COLUMNS]
        if page.said:
            modes = page.numbers[::COLUMNS]
            sizes = array("q", (s if stat.S_ISREG(m) else 0 for s, m in zip(sizes, modes, strict=True)))
        found: dict[int, tuple[int, int]] = {}
        if verdicts and verdicts.count(verdicts[0]) == len(verdicts):
            found[verdicts[0]] = len(verdicts), sum(sizes)
            sizes = verdicts = array("q")
        for verdict, size in zip(verdicts, sizes, strict=True):
            count, whole = found.get(verdict, (0, 0))
            found[verdict] = count + 1, whole + size
        by_class: dict[FileClass, tuple[int, int]] = {}
        if page.fault:
            by_class[self.table[self.folders[page.at]].file_class] = (1, 0)
        for verdict, (count, whole) in found.items():
            kind = self.table[verdict].file_class
            before = by_class.get(kind, (0, 0))
            by_class[kind] = before[0] + count, before[1] + whole
        return by_class

    def page_least(self, number: int) -> float:
        """The lowest certainty in one page."""
        return min((self.table[v].certainty for v in set(self.verdicts[number])), default=1.0)

    def places_of(self, kind: FileClass) -> Iterator[tuple[At, int, int]]:
        """(place, page, position) of all names of a class."""
        wanted = {n for n, v in enumerate(self.table) if v.file_class is kind}
        for number, verdicts in enumerate(self.verdicts):
            if not wanted.isdisjoint(verdicts):
                page = self.pages[number]
                yield from ((page.place(at), number, at) for at, v in enumerate(verdicts) if v in wanted)

    def unsorted_places(self, limit: int | None = None) -> list[At]:
        places = (at for at, _, _ in self.places_of(FileClass.UNSORTED))
        return sorted(places) if limit is None else heapq.nsmallest(limit, places)

    def of_class(self, kind: FileClass, limit: int | None = None) -> list[Finding]:
        with collector_at_rest():
            places = list(self.places_of(kind))
            places += [
                (f, self._by_folder[f], -1)
                for f, v in self.folders.items()
                if self.table[v].file_class is kind
            ]
            places = sorted(places) if limit is None else heapq.nsmallest(limit, places)
            return [self.at(number, at) for _, number, at in places]

    def where(self, meets: Callable[[At], bool]) -> list[tuple[At, int, int]]:
        """(place, page, position) of all entries whose place meets something; -1 for a folder itself."""
        found = [(f, self._by_folder[f], -1) for f in self.folders if meets(f)]
        for number, page in enumerate(self.pages):
            folder = page.at
            places = ((folder.inner(name), number, at) for at, name in enumerate(page.names))
            found += [place for place in places if meets(place[0])]
        return sorted(found)

    def class_at(self, number: int, at: int) -> FileClass:
        """The class of a place as `where` gives it."""
        verdict = self.verdicts[number][at] if at >= 0 else self.folders[self.pages[number].at]
        return self.table[verdict].file_class

    def at(self, number: int, at: int) -> Finding:
        """The finding of a name of a page, or with -1 of the folder itself."""
        return self.one(number, at) if at >= 0 else next(self.in_page(number))

    def newest(
        self, kind: FileClass, besides: Callable[[Iterable[Entry]], Collection[At]] = lambda entries: ()
    ) -> Entry | None:
        """What was written last of a class. `besides` are those of a folder's entries that do not count; it
        is asked of the folders that may hold the newest alone.
        """
        wanted = {n for n, v in enumerate(self.table) if v.file_class is kind}
        last: list[tuple[int, int]] = []
        for number, verdicts in enumerate(self.verdicts):
            if not wanted.isdisjoint(verdicts):
                times = self.pages[number].numbers[2::COLUMNS]
                last.append((max(times[at] for at, v in enumerate(verdicts) if v in wanted), number))
        best: Entry | None = None
        for when, number in sorted(last, reverse=True):
            if best is not None and best.mtime_ns >= when:
                break
            page, verdicts = self.pages[number], self.verdicts[number]
            entries = [page.entry(at) for at, verdict in enumerate(verdicts) if verdict in wanted]
            left_out = besides(entries)
            counting = [entry for entry in entries if entry.at not in left_out]
            best = max(
                (*counting, *((best,) if best else ())), key=lambda e: (e.mtime_ns, e.at), default=best
            )
        return best

    def unsorted(self) -> tuple[Finding, ...]:
        return self._unsorted

    @cached_property
    def _unsorted(self) -> tuple[Finding, ...]:
        return tuple(f for f in self.of_class(FileClass.UNSORTED) if f.entry.kind is not Kind.FOLDER)

    def ranked(self, by: str, limit: int) -> list[Finding]:
        """The first entries `by` certainty (lowest first), size (largest first) or time (newest first)."""
        column = {"size": 1, "time": 2}.get(by, -1)

        def rows() -> Iterator[tuple[float, int, int]]:
            for number, verdicts in enumerate(self.verdicts):
                if column < 0:
                    for at, verdict in enumerate(verdicts):
                        yield self.table[verdict].certainty, number, at
                else:
                    for at, value in enumerate(self.pages[number].numbers[column::COLUMNS]):
                        yield -value, number, at

        return [self.one(number, at) for _, number, at in heapq.nsmallest(limit, rows())]

    def containing(self, part: str, limit: int) -> tuple[list[Finding], int]:
        """(the first entries whose path contains some text, how many there are in all). Case does not
        count.
        """
        wanted = part.casefold()
        places = []
        for number, page in enumerate(self.pages):
            above = page.at.shown.casefold()
            in_any = "/" in wanted or wanted in above
            for at, name in enumerate(page.names):
                if wanted in name.casefold() or (in_any and wanted in f"{above}/{name.casefold()}"):
                    places.append((page.place(at), number, at))
        return [self.one(number, at) for _, number, at in sorted(places)[:limit]], len(places)
