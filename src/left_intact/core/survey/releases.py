"""What a release has beside the names of a folder: evidence by column, a folder at a time.

Nearly all names are equal or absent on both sides, so those are told by digests alone; a value is made of an
entry only where the two differ. All evidence of one kind is one object, so that it can be told by its
identity.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Sequence
from typing import Protocol

from left_intact.core.files.names import builds_name, place_of
from left_intact.core.model.entry import Entry, Evidence
from left_intact.core.model.pages import COLUMNS, DIGEST_BYTES, NO_DIGEST, Page, pages_in
from left_intact.core.model.release import Release
from left_intact.core.survey import evidence as sources
from left_intact.core.survey.company import is_like_settings
from left_intact.core.survey.times import Times

Why = tuple[Evidence, ...]
_SECOND = 10**9
_HALF, _NEARLY_ALL = 0.5, 0.9
"""From this share of a release on, lying here, it begins to speak as a whole; from this one on it does."""


class Absent(Protocol):
    """What is said of a name that the release has not, by when it was written (seconds since 1970) and by
    whether it has the folder.
    """

    def __call__(self, seconds: int, *, folder: bool) -> Why: ...


class Beside:
    """The pages of a release, to be held against those of an install."""

    def __init__(
        self,
        release: Release,
        equal: Why,
        absent: Absent,
        other: Callable[[Page, int, Entry], Why],
        *,
        moved: bool = False,
    ) -> None:
        """`other` is given a name's place and what is shipped there. With `moved`, a folder that is named for
        another version is the same folder.
        """
        self._equal, self._absent, self._other = equal, absent, other
        pages = pages_in(release.entries)
        self._pages = {page.folder: page for page in pages}
        self._moved = _by_place(pages) if moved else {}
        self._entry_folders = frozenset(page.folder for page in pages if page.is_entry)

    def evidence(self, page: Page) -> list[Why]:
        """What it says of each name of a folder."""
        there = self.counterpart(page)
        names, times = page.names, page.numbers[2::COLUMNS]
        if there is not None and there.digests == page.digests and _comparable(there, page):
            return [self._equal] * len(names)
        above = f"{page.folder}/" if page.folder else ""
        places = {name: at for at, name in enumerate(there.names)} if there is not None else {}
        renamed = _by_builds_name(there.names) if there is not None and self._moved else {}
        found, width = [], DIGEST_BYTES
        for at, name in enumerate(names):
            place = places.get(name, -1)
            if place >= 0 and there is not None:
                mine = page.digests[at * width : (at + 1) * width]
                same = (
                    mine == there.digests[place * width : (place + 1) * width] and mine != NO_DIGEST and mine
                )
                found.append(self._equal if same else self._other(page, at, there.entry(place)))
            elif not page.root and self._entry_folders and above + name in self._entry_folders:
                found.append(self._other(page, at, next(self._pages[above + name].entries())))
            elif (other := renamed.get(builds_name(name), -1)) >= 0 and there is not None:
                found.append(self._other(page, at, there.entry(other)))
            else:
                found.append(self._absent(times[at] // _SECOND, folder=there is not None))
        return found

    def counterpart(self, page: Page) -> Page | None:
        """What the release has for a folder of the install; for one in another root it has nothing."""
        if page.root:
            return None
        return self._pages.get(page.folder) or self._moved.get(place_of(page.folder))

    def share(self, pages: Sequence[Page]) -> float:
        """How much of the release has a counterpart in an install, from 0 to 1."""
        size = sum(len(page.names) for page in self._pages.values())
        here = 0
        for page in pages:
            if (there := self.counterpart(page)) is not None:
                same = there.names == page.names
                here += len(page.names) if same else len(set(page.names).intersection(there.names))
        return here / size if size else 0.0


def _by_builds_name(names: Sequence[str]) -> dict[str, int]:
    """By a name without what a build adds to it the place of the one that has it, where there is but one."""
    found: dict[str, int] = {}
    for at, name in enumerate(names):
        if (bare := builds_name(name)) != name:
            found[bare] = -1 if bare in found else at
    return found


def _by_place(pages: Sequence[Page]) -> dict[str, Page]:
    """By such a name the folder that has it, where there is but one."""
    places = Counter(place_of(page.folder) for page in pages)
    return {place: page for page in pages if places[place := place_of(page.folder)] == 1}


def _comparable(one: Page, other: Page) -> bool:
    return one.names == other.names and not one.said and not other.said and NO_DIGEST not in one.digests


def beside_baseline(release: Release) -> Beside:
    """The release that the install came from."""
    name = release.version_text or "the baseline"
    absent = sources.of_baseline(name, "absent")

    def other(page: Page, at: int, shipped: Entry) -> Why:
        digest, file_format, link = _of(page, at)
        return sources.from_baseline(name, shipped, digest, file_format, link)

    return Beside(release, sources.of_baseline(name, "equal"), lambda seconds, *, folder: absent, other)


def beside_arrival(
    release: Release, pages: Sequence[Page], times: Times, *, knows_before: bool = False
) -> Beside:
    """The release that has come. The more of it has a counterpart in the install, the more its having one for
    a single file says; where the release before is known, only the very same bytes say anything.
    """
    name = release.version_text or "the arrival"
    absent_near = sources.of_arrival(name, "arrival-absent", 0.0)
    absent_else = sources.of_arrival(name, "arrival-absent-unproven", 0.0)
    folder_absent = sources.of_arrival(name, "arrival-folder-absent", 0.0)
    whole = 0.0

    def absent(seconds: int, *, folder: bool) -> Why:
        if knows_before:
            return ()
        return absent_near if times.near(seconds) else absent_else if folder else folder_absent

    def other(page: Page, at: int, coming: Entry) -> Why:
        if knows_before:
            return ()
        digest, file_format, _ = _of(page, at)
        seconds = page.numbers[at * COLUMNS + 2] // _SECOND
        like_settings = is_like_settings(page.names[at], file_format)
        case = sources.arrival_case(coming, digest, file_format, seconds, times, like_settings=like_settings)
        return sources.of_arrival(name, case, whole)

    def beside(equal: Why) -> Beside:
        return Beside(release, equal, absent, other, moved=True)

    share = beside(()).share(pages)
    whole = round(min(1.0, max(0.0, (share - _HALF) / (_NEARLY_ALL - _HALF))), 1)
    return beside(sources.of_arrival(name, "arrival-equal", whole))


def _of(page: Page, at: int) -> tuple[str, str, str]:
    """(digest, format, link) of a name."""
    raw = page.digest(at)
    file_format = page.formats[at] if page.formats else ""
    return (raw.hex() if raw != NO_DIGEST else ""), file_format, page.said.get(at, "")
