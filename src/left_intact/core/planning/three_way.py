"""Joining what was shipped, what lies here and what comes, folder by folder.

`join` tells for every path which row of the decision table it meets. What stays needs no value of its own: it
goes into the columns of `Unchanged`. All else is given by path, to be asked about, merged and made into
moves. It is what every route uses for a path.
"""

from __future__ import annotations

import stat
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from functools import lru_cache

from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Entry, Finding, Kind
from left_intact.core.model.findings import SortedPages
from left_intact.core.model.pages import COLUMNS, DIGEST_BYTES, NO_DIGEST, Page, pages_in
from left_intact.core.model.place import At
from left_intact.core.model.release import Release
from left_intact.core.model.stages import Verb
from left_intact.core.model.survey import Survey
from left_intact.core.model.unchanged import CLASS_NUMBER, UnchangedPage
from left_intact.core.planning.table import (
    TABLE,
    Base,
    Coming,
    Mine,
    Row,
    Treatment,
    look_up,
    situate,
    treatment_of,
)
from left_intact.core.settings.formats.registry import may_be_settings, may_merge

SAME_ROW = next(row for row in TABLE if row.coming == (Coming.SAME_AS_MINE,))
"""Of what the arrival has just as it lies here."""
_row_of = lru_cache(maxsize=None)(look_up)
_NOTHING = Page(folder="")
_STRANGE, _MERGEABLE, _ONE_KIND, _STRANGE_TEXT, _ONE_KIND_OF_TEXT = range(5)


@dataclass(slots=True)
class Joined:
    """What became of every path."""

    kept: list[UnchangedPage] = field(default_factory=list)
    rows: dict[str, Row] = field(default_factory=dict)
    """By path below the install's own folder: what meets a row that says more than to stay, and
    empty folders.
    """
    in_the_way: list[str] = field(default_factory=list)
    """Paths that are a folder here and something else in the arrival."""
    unreadable: list[str] = field(default_factory=list)
    """Paths that cannot be read here and that the arrival ships, or ships into."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Policy:
    """The certainties that displacing needs."""

    replace_at: float
    retire_at: float
    likely: bool = False
    """Whether most of what comes lies here under the same paths, which is evidence where there is no
    baseline.
    """


def join(survey: Survey, coming: Release, base: Release | None, policy: Policy) -> Joined:
    """Walk all three by folder. A folder that is alike on both sides is decided in one comparison."""
    return _Join(survey, coming, base, policy).run()


class _Join:
    def __init__(self, survey: Survey, coming: Release, base: Release | None, policy: Policy) -> None:
        findings = survey.findings
        assert isinstance(findings, SortedPages)
        self.findings, self.coming, self.base, self.policy = findings, coming, base, policy
        self.folders = {folder.path for folder in survey.folders if not folder.root}
        self.mine_pages = {page.folder: n for n, page in enumerate(findings.pages) if not page.root}
        self.mine_folders = {at.path for at in findings.folders if not at.root}
        self.coming_pages = {page.folder: page for page in pages_in(coming.entries)}
        self.base_pages = {page.folder: page for page in pages_in(base.entries)} if base else {}
        self.unknown = Base.UNKNOWN if base is None else Base.ABSENT
        numbers = [CLASS_NUMBER[v.file_class] for v in findings.table]
        self.classes = bytes(numbers).ljust(256, b"\0") if len(numbers) <= 256 else b""
        self.treatments = [self._treatments(n) for n in range(len(findings.table))]
        self.shut = [page.folder for page in findings.pages if page.fault and not page.root]
        both = (*self.coming_pages.values(), *self.base_pages.values())
        self.entry_folders = frozenset(page.folder for page in both if page.is_entry)
        self.joined = Joined()

    def _treatments(self, verdict: int) -> tuple[Treatment, ...]:
        """What a verdict leads to: of one kind with nothing that comes, where settings can be merged, and
        where another file of the same format comes; and both of these where they may turn out to be settings.
        """
        v = self.findings.table[verdict]
        finding = Finding(
            entry=Entry(path=""), file_class=v.file_class, certainty=v.certainty, leaning=v.leaning
        )
        replace_at, retire_at, likely = self.policy.replace_at, self.policy.retire_at, self.policy.likely
        strange = treatment_of(finding, mergeable=False, replace=replace_at, retire=retire_at)
        merged = treatment_of(finding, mergeable=True, replace=replace_at, retire=retire_at)
        alike = treatment_of(finding, mergeable=False, replace=replace_at, retire=retire_at, likely=likely)
        is_settings = v.file_class is FileClass.SETTINGS
        return strange, merged, alike, merged if is_settings else strange, merged if is_settings else alike

    def run(self) -> Joined:
        for folder in sorted({*self.mine_pages, *self.coming_pages, *self.base_pages}):
            if (shut := self._shut_above(folder)) is None:
                self._folder(folder)
            elif folder in self.coming_pages:
                self.joined.unreadable.append(shut)
        for path in self._folder_entries():
            if path in self.shut or self._shut_above(path) is None:
                self._one(path)
        for number, page in enumerate(self.findings.pages):
            if page.root and page.names:
                self._apart(page, self.findings.verdicts[number])
        self.joined.unreadable = list(dict.fromkeys(self.joined.unreadable))
        return self.joined

    def _apart(self, page: Page, verdicts: Iterable[int]) -> None:
        """What lies in another root stays: nothing of a release is laid there."""
        row = _row_of(self.unknown, Mine.OTHER, Coming.ABSENT, Treatment.THEIRS)
        reasons = bytes((row.number,)) * len(page.names)
        self.joined.kept.append(UnchangedPage(page=page, classes=self._classes_of(verdicts), reasons=reasons))

    def _shut_above(self, path: str) -> str | None:
        """The folder that could not be listed and that a path is, or lies in: nobody knows what is there."""
        return next((shut for shut in self.shut if f"{path}/".startswith(f"{shut}/")), None)

    # ------------------------------------------------------------ a folder

    def _folder(self, folder: str) -> None:
        number = self.mine_pages.get(folder, -1)
        coming, base = self.coming_pages.get(folder), self.base_pages.get(folder)
        if number < 0:
            self._only_coming(folder, coming or _NOTHING, base or _NOTHING)
            return
        mine, verdicts = self.findings.pages[number], self.findings.verdicts[number]
        if not mine.names:
            self._only_coming(folder, coming or _NOTHING, base or _NOTHING)
            return
        if coming is not None and _alike(mine, coming):
            reasons = bytes((SAME_ROW.number,)) * len(mine.names)
        else:
            reasons = self._by_name(mine, verdicts, coming or _NOTHING, base or _NOTHING)
        if any(reasons):
            self.joined.kept.append(
                UnchangedPage(page=mine, classes=self._classes_of(verdicts), reasons=reasons)
            )
        if coming is not None and coming.names != mine.names:
            self._only_coming(folder, coming, base or _NOTHING, besides=frozenset(mine.names))

    def _classes_of(self, verdicts: Iterable[int]) -> bytes:
        if self.classes:
            return bytes(iter(verdicts)).translate(self.classes)
        table = self.findings.table
        return bytes(CLASS_NUMBER[table[v].file_class] for v in verdicts)

    def _by_name(self, mine: Page, verdicts: Iterable[int], coming: Page, base: Page) -> bytes:
        above = f"{mine.folder}/" if mine.folder else ""
        reasons = bytearray(len(mine.names))
        there = {name: at for at, name in enumerate(coming.names)}
        shipped = {name: at for at, name in enumerate(base.names)}
        plain = _all_files(mine) and _all_files(coming) and _all_files(base)
        folders, treatments, rows = self.entry_folders, self.treatments, self.joined.rows
        for at, (name, verdict) in enumerate(zip(mine.names, verdicts, strict=True)):
            to, was = there.get(name, -1), shipped.get(name, -1)
            if plain and not (folders and above + name in folders):
                place = self._of_files(mine, at, coming, to, base, was)
                if place[2] is Coming.SAME_AS_MINE:
                    reasons[at] = SAME_ROW.number
                    continue
                alike = _alike_in_kind(mine.formats[at], coming.formats[to]) if to >= 0 else _STRANGE
            else:
                place, alike = self._situation(mine, at, coming, to, base, was)
                if place[1] is Mine.FAULT and place[2] is not Coming.ABSENT:
                    self.joined.unreadable.append(above + name)
            row = _row_of(*place, treatments[verdict][alike])
            if row.verb is Verb.KEEP:
                reasons[at] = row.number
            else:
                rows[above + name] = row
        return bytes(reasons)

    def _of_files(
        self, mine: Page, at: int, coming: Page, to: int, base: Page, was: int
    ) -> tuple[Base, Mine, Coming]:
        """As `situate` says of three regular files that were all read, told by their digests alone."""
        here = mine.digest(at)
        shipped = base.digest(was) if was >= 0 else b""
        b = Base.PRESENT if was >= 0 else self.unknown
        m = Mine.AS_SHIPPED if shipped == here else Mine.OTHER
        if to < 0:
            return b, m, Coming.ABSENT
        arriving = coming.digest(to)
        if arriving == here:
            return b, m, Coming.SAME_AS_MINE
        return b, m, Coming.SAME_AS_BASE if arriving == shipped else Coming.OTHER

    def _situation(
        self, mine: Page, at: int, coming: Page, to: int, base: Page, was: int
    ) -> tuple[tuple[Base, Mine, Coming], int]:
        m = mine.entry(at)
        c = coming.entry(to) if to >= 0 else self._folder_entry(self.coming_pages, m.path)
        b = base.entry(was) if was >= 0 else self._folder_entry(self.base_pages, m.path)
        return situate(b, m, c, known=self.base is not None), _alike_in(m, c)

    @staticmethod
    def _folder_entry(pages: Mapping[str, Page], path: str) -> Entry | None:
        page = pages.get(path)
        return next(page.entries()) if page is not None and page.is_entry else None

    def _only_coming(
        self, folder: str, coming: Page, base: Page, besides: frozenset[str] = frozenset()
    ) -> None:
        """Names that nothing of the person's lies under."""
        above = f"{folder}/" if folder else ""
        shipped = {name: at for at, name in enumerate(base.names)}
        for at, name in enumerate(coming.names):
            if name in besides:
                continue
            path = above + name
            if path in self.folders:
                if self._entry_of_mine(path) is None:
                    self.joined.in_the_way.append(path)
                continue  # an empty folder is an entry and has its turn among those
            was = shipped.get(name, -1)
            known = base.entry(was) if was >= 0 else self._folder_entry(self.base_pages, path)
            place = situate(known, None, coming.entry(at), known=self.base is not None)
            self.joined.rows[path] = _row_of(*place, Treatment.OPEN)

    # ------------------------------------------------------------ folders that are entries

    def _folder_entries(self) -> Iterator[str]:
        """Empty folders (and those not to be listed) of any side, where nothing above has spoken for the
        path.
        """
        yield from sorted({*self.mine_folders, *self.entry_folders})

    def _entry_of_mine(self, path: str) -> Finding | None:
        return self.findings.find(At("", path)) if path in self.mine_folders else None

    def _one(self, path: str) -> None:
        finding = self.findings.find(At("", path))
        if finding is not None and path not in self.mine_folders:
            return  # a file of theirs: its folder has spoken for it
        if finding is None and path in self.folders:
            return  # a folder of theirs needs no move, and what comes in its place was told above it
        coming = self.coming.entries.get(path)
        base = self.base.entries.get(path) if self.base else None
        place = situate(base, finding.entry if finding else None, coming, known=self.base is not None)
        row = _row_of(*place, Treatment.THEIRS if finding is not None else Treatment.OPEN)
        if place[1] is Mine.FAULT and coming is not None:
            self.joined.unreadable.append(path)
        if row.verb is not None:
            self.joined.rows[path] = row


def _all_files(page: Page) -> bool:
    """Whether everything in it is a regular file that was read."""
    are_read = len(page.digests) == len(page.names) * DIGEST_BYTES and NO_DIGEST not in page.digests
    return are_read and all(map(stat.S_ISREG, page.numbers[::COLUMNS]))


def _alike(mine: Page, coming: Page) -> bool:
    """Whether two folders have the same names with the same bytes, files alone."""
    is_same = mine.digests == coming.digests and mine.names == coming.names
    return is_same and _all_files(mine) and _all_files(coming)


def _alike_in_kind(mine: str, coming: str) -> int:
    """Which of the treatments of a verdict is meant, by two formats."""
    if may_merge(mine, coming):
        return _MERGEABLE
    if may_be_settings(mine, coming):
        return _ONE_KIND_OF_TEXT if mine == coming else _STRANGE_TEXT
    return _ONE_KIND if mine == coming else _STRANGE


def _alike_in(mine: Entry, coming: Entry | None) -> int:
    if coming is None or not (mine.kind is coming.kind is Kind.FILE):
        return _STRANGE
    return _alike_in_kind(mine.format, coming.format)
