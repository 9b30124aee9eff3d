"""Path by path, or a whole folder at once where it is as it was: what lies there now against the witness."""

from __future__ import annotations

import stat
from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field, replace

from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Entry, Kind
from left_intact.core.model.pages import COLUMNS, DIGEST_BYTES, NO_DIGEST, Page, PagedPlaces
from left_intact.core.model.place import At
from left_intact.core.model.proof import Witness, Witnessed
from left_intact.core.model.stages import Verb
from left_intact.core.model.survey import Total
from left_intact.core.model.unchanged import CLASSES, NOT_KEPT, UnchangedPage
from left_intact.core.proving.context import is_in_old_root

_STAYS = (Verb.KEEP, Verb.DROP, Verb.ASK)
_CARRIED = (Verb.CARRY, Verb.REHOME)


class Now:
    """What lies in the roots now, by place."""

    def __init__(self, pages: Sequence[Page], labels: Sequence[str], *, modes: bool = True) -> None:
        """`labels` are those of the roots that are there, the first one's empty; `modes` says whether this
        system keeps modes of files at all.
        """
        self.entries, self.labels = PagedPlaces(pages), tuple(labels)
        self._closed = frozenset(page.at for page in pages if page.fault)
        self.modes = modes
        self.holds_rights = modes and any(_may_run(page) for page in pages)
        """Whether the right to run can be kept here at all: some file systems know none."""

    def is_hidden(self, at: At) -> bool:
        """Whether a place lies in a folder that cannot be listed, so that nobody knows what is there."""
        return bool(self._closed) and any(folder in self._closed for folder in at.folder.upwards())

    def links(self) -> Iterator[Entry]:
        """Every link."""
        for page in self.entries.pages:
            for at in page.said:
                if (entry := page.entry(at)).kind is Kind.LINK:
                    yield entry

    def entry(self, at: At) -> Entry | None:
        """What lies there; a folder too, also one that is not empty."""
        if not at.path:
            return Entry(path="", kind=Kind.FOLDER) if at.root in self.labels else None
        return self.entries.look(at)

    def page(self, folder: At) -> Page | None:
        return self.entries.by_folder.get(folder)


@dataclass(slots=True)
class Tally:
    """What comparing path by path adds up to."""

    counts: Counter[Verb] = field(default_factory=Counter)
    kept: Total = field(default_factory=Total)
    lost: list[str] = field(default_factory=list)
    altered: list[str] = field(default_factory=list)
    unread: list[str] = field(default_factory=list)
    """What could not be read, then or now, so that nobody can say whether it is as it was."""
    weaker: list[str] = field(default_factory=list)
    """What has the content it should have, and lost its owner's right to read, write or run it."""
    newer: list[str] = field(default_factory=list)
    """Altered after the update was carried out, as by a run on trial."""
    appeared: list[str] = field(default_factory=list)
    """Paths that nobody planned."""
    not_laid: list[str] = field(default_factory=list)
    still_there: list[str] = field(default_factory=list)
    before: dict[FileClass, Total] = field(default_factory=lambda: dict.fromkeys(FileClass, Total()))
    after: dict[FileClass, Total] = field(default_factory=lambda: dict.fromkeys(FileClass, Total()))
    equal: Counter[FileClass] = field(default_factory=Counter)
    agreed: Counter[FileClass] = field(default_factory=Counter)
    trouble: Counter[FileClass] = field(default_factory=Counter)
    since: Counter[FileClass] = field(default_factory=Counter)
    untold: Counter[FileClass] = field(default_factory=Counter)
    has_new_root: bool = False
    """Whether a folder was left behind: what is there now counts nowhere."""
    back: bool = False
    """Whether that folder is the install again, and alone counts."""
    undoes: bool = False
    """Whether a run is looked at that took another back: then what it put back is what it was before."""
    by_hand: bool = False
    """Whether the program that lies there was laid by hand: it is as agreed, and of another release."""

    def adds_before(self, at: At) -> bool:
        """Whether what lay at a place before counts as before."""
        return not self.has_new_root or is_in_old_root(at)

    def add_equal(self, at: At, kind: FileClass, number: int) -> None:
        """Files that are what they were. In a new folder that is said of what was carried there; those of the
        program are of another release.
        """
        if kind is FileClass.PROGRAM and (self.by_hand or (self.has_new_root and not self.back)):
            self.agreed[kind] += number if self.adds_after(at) else 0
        elif self.adds_after(at):
            self.equal[kind] += number

    def adds_after(self, at: At) -> bool:
        """Whether what lies at a place now counts as after."""
        return not self.has_new_root or is_in_old_root(at) is self.back


def compare(tally: Tally, witness: Witness, now: Now, carried_at: float) -> None:
    """Everything that the witness speaks of, then what appeared that it does not speak of."""
    for at, row in witness.rows.items():
        _compare(tally, at, row, now.entry(at), now, carried_at)
    spoken: dict[At, set[str]] = {}
    for at in witness.rows:
        spoken.setdefault(at.folder, set()).add(at.name)
    kept = {one.page.at: one for one in witness.kept.pages}
    for folder, one in kept.items():
        _compare_page(tally, one, now.page(folder), now, carried_at)
    for page in now.entries.pages:
        known = kept.get(page.at)
        if known is None or known.page.names != page.names or NOT_KEPT in known.reasons:
            _look_for_new(tally, page, known, spoken.get(page.at, set()))
    tally.appeared.sort()


def _compare_page(tally: Tally, kept: UnchangedPage, page: Page | None, now: Now, carried_at: float) -> None:
    was = kept.page
    if page is not None and _is_as_it_was(kept, page):
        _count_equal(tally, kept)
        return
    odd = kept.places
    if page is not None and not was.said and not page.said:
        modes, modes_now = was.numbers[::COLUMNS], page.numbers[::COLUMNS]
        odd = [at for at in kept.places if not _is_equal(was, at, modes, page, modes_now)]
        if len(odd) < len(kept.places):
            reasons = bytearray(kept.reasons)
            for at in odd:
                reasons[at] = NOT_KEPT
            _count_equal(tally, replace(kept, reasons=bytes(reasons)))
    for at in odd:
        entry = was.entry(at)
        row = Witnessed(file_class=CLASSES[kept.classes[at]], verb=Verb.KEEP, before=entry, agreed=entry)
        place = page.find(was.names[at]) if page is not None else -1
        there = page.entry(place) if page is not None and place >= 0 else None
        _compare(tally, entry.at, row, there, now, carried_at)


def _count_equal(tally: Tally, kept: UnchangedPage) -> None:
    """Names that all have the bytes they had; so their sizes are what they were, too."""
    start = kept.page.at
    before, after = tally.adds_before(start), tally.adds_after(start)
    for kind, total in kept.totals().items():
        tally.before[kind] += total if before else Total()
        tally.after[kind] += total if after else Total()
        tally.add_equal(start, kind, total.files)
        tally.counts[Verb.KEEP] += total.files
        if kind.is_the_persons and before:
            tally.kept += total


def _is_equal(was: Page, at: int, modes: Sequence[int], now: Page, modes_now: Sequence[int]) -> bool:
    """Whether a name has the digest and the mode it had; of pages without links and faults."""
    name = was.names[at]
    place = at if at < len(now.names) and now.names[at] == name else now.find(name)
    if place < 0 or modes[at] != modes_now[place]:
        return False
    digest = was.digests[at * DIGEST_BYTES : (at + 1) * DIGEST_BYTES]
    return digest != NO_DIGEST and digest == now.digests[place * DIGEST_BYTES : (place + 1) * DIGEST_BYTES]


def _is_as_it_was(kept: UnchangedPage, now: Page) -> bool:
    """Whether a whole folder has the same files with the same bytes and modes."""
    was = kept.page
    return (
        was.digests == now.digests
        and was.names == now.names
        and not was.said
        and not now.said
        and NOT_KEPT not in kept.reasons
        and NO_DIGEST not in was.digests
        and was.numbers[::COLUMNS] == now.numbers[::COLUMNS]
    )


def _look_for_new(tally: Tally, page: Page, kept: UnchangedPage | None, spoken: set[str]) -> None:
    known = {kept.page.names[at] for at in kept.places} if kept is not None else set()
    for at, name in enumerate(page.names):
        if name not in known and name not in spoken:
            entry = page.entry(at)
            tally.appeared.append(entry.at.shown)
            if tally.adds_after(entry.at):
                tally.after[FileClass.UNSORTED] += Total(files=1, bytes=entry.bytes)


def _total(entry: Entry | None) -> Total:
    if entry is None or entry.kind is Kind.FOLDER:
        return Total()
    return Total(files=1, bytes=entry.bytes)


def _compare(tally: Tally, at: At, row: Witnessed, there: Entry | None, now: Now, carried_at: float) -> None:
    kind = row.file_class
    tally.before[kind] += _total(row.before) if tally.adds_before(at) else Total()
    tally.after[kind] += _total(there) if tally.adds_after(at) else Total()
    if _cannot_tell(row, there, now, at):
        tally.unread.append(at.shown)
        tally.untold[kind] += 1
        return
    stays = row.verb in _STAYS or row.agreed == row.before
    if not stays and row.agreed is None:
        if there is None or (there.kind is Kind.FOLDER and _may_stay(row, at, now)):
            # A thing that moved is counted once, where it came to lie.
            tally.counts[row.verb] += row.verb is not Verb.REHOME
            tally.agreed[kind] += row.before is not None and row.before.kind is not Kind.FOLDER
        else:
            tally.still_there.append(at.shown)
            tally.trouble[kind] += 1
        return
    if stays:
        _compare_kept(tally, at, row, there, now, carried_at)
    elif row.agreed is not None and there is not None and _lies_as(there, row.agreed):
        is_file = there.kind is not Kind.FOLDER
        tally.counts[row.verb] += is_file or (
            row.verb not in _CARRIED and bool(at.path)
        )  # no root is a file laid
        if row.verb in _CARRIED and tally.has_new_root:
            tally.add_equal(at, kind, there.kind is not Kind.FOLDER)
        elif row.verb in _CARRIED and row.before is not None and row.before.same_content(row.agreed):
            _count_back(tally, at, kind, there)
        else:
            tally.agreed[kind] += there.kind is not Kind.FOLDER
            if tally.undoes and kind.is_the_persons and tally.adds_after(at):
                tally.kept += _total(there)
        _compare_rights(tally, at, row.agreed, there, now)
    elif row.verb is Verb.MERGE or (row.verb in _CARRIED and kind.is_the_persons):
        _altered(tally, at, kind, there, carried_at)
    else:
        tally.not_laid.append(at.shown)
        tally.trouble[kind] += 1


def _may_stay(row: Witnessed, at: At, now: Now) -> bool:
    """Whether a folder may lie where something was to go: where that was a file, and where it holds what came
    into it since, as by a step by hand.
    """
    was_folder = row.before is not None and row.before.kind is Kind.FOLDER
    return not was_folder or any(
        page.names and at.holds(folder) for folder, page in now.entries.by_folder.items()
    )


def _count_back(tally: Tally, at: At, kind: FileClass, there: Entry) -> None:
    """What was taken away by hand and put back as it was is as it was."""
    tally.add_equal(at, kind, there.kind is not Kind.FOLDER)
    if kind.is_the_persons:
        tally.kept += _total(there)


def _cannot_tell(row: Witnessed, there: Entry | None, now: Now, at: At) -> bool:
    """Whether what lies here could not be read, then or now; what was to go and is gone needs no reading."""
    if there is None:
        return row.agreed is not None and now.is_hidden(at)
    if there.kind is Kind.FAULT:
        return True
    return row.before is not None and row.before.kind is Kind.FAULT and row.agreed == row.before


def _compare_rights(tally: Tally, at: At, agreed: Entry, there: Entry, now: Now) -> None:
    """What a file may do less than it should; a file system that knows no rights is not asked."""
    if agreed.mode is None or there.mode is None or agreed.kind is not Kind.FILE or not now.modes:
        return
    gone = agreed.mode & ~there.mode & 0o700
    if gone & 0o600 or (gone & 0o100 and now.holds_rights):
        tally.weaker.append(at.shown)


def _compare_kept(
    tally: Tally, at: At, row: Witnessed, there: Entry | None, now: Now, carried_at: float
) -> None:
    before, kind = row.before, row.file_class
    if before is None:
        if there is not None:
            tally.newer.append(at.shown)
        return
    if there is not None and _lies_as(there, before):
        tally.counts[Verb.KEEP] += 1
        tally.add_equal(at, kind, before.kind is not Kind.FOLDER)
        if kind.is_the_persons and tally.adds_before(at):
            tally.kept += _total(before)
        _compare_rights(tally, at, before, there, now)
        return
    if kind is FileClass.CACHE:
        tally.agreed[kind] += 1  # what can be rebuilt may change by itself
        return
    _altered(tally, at, kind, there, carried_at)


def _altered(tally: Tally, at: At, kind: FileClass, there: Entry | None, carried_at: float) -> None:
    if there is not None and carried_at and there.mtime_ns / 1e9 > carried_at:
        tally.newer.append(at.shown)
        tally.since[kind] += 1
        return
    (tally.lost if there is None else tally.altered).append(at.shown)
    tally.trouble[kind] += 1


def _lies_as(there: Entry, agreed: Entry) -> bool:
    """Whether a place holds what it should; of what is no file, link or folder only the kind is known."""
    if agreed.kind in (Kind.FOLDER, Kind.OTHER):
        return there.kind is agreed.kind
    return there.same_content(agreed)


def _may_run(page: Page) -> bool:
    return any(stat.S_ISREG(mode) and mode & 0o100 for mode in page.numbers[::COLUMNS])
