"""When things were written: the release in a few moments, the person's over years."""

from __future__ import annotations

import stat
from bisect import bisect_right
from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from datetime import UTC, datetime

from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Evidence
from left_intact.core.model.pages import COLUMNS, Page
from left_intact.core.model.place import At
from left_intact.core.survey.said import said
from left_intact.core.survey.standing import MACHINE, OTHER, SCRIPT, FolderContents
from left_intact.core.survey.weights import weights

P = FileClass.PROGRAM
PERSONS = (FileClass.SETTINGS, FileClass.SAVES, FileClass.STATES, FileClass.CONTENT, FileClass.EXTRAS)
UNTOUCHED = "untouched"
"""The source that says of a time that what is in a file is the release's still: it vouches for the bytes."""
_SECOND = 10**9
_CODE_LEAST, _CODE_ENOUGH = 3, 2
_SPREAD = 3
"""In so many folders a moment must have files beside those of others to be a release's like them."""
_MANY_CODE = 20
_SOME, _MUCH, _HALF, _ALMOST_ALL = 0.1, 0.4, 0.5, 0.95


@dataclass(frozen=True, slots=True, kw_only=True)
class Times:
    """What the times of an install have to say. All in seconds since 1970."""

    builds: tuple[tuple[int, int], ...] = ()
    """From when to when releases were built or gathered, the weightiest first."""
    apart: frozenset[int] = frozenset()
    """Which of those lie by themselves: what a release takes from others, or what a person adds."""
    last: int = 0
    """The end of the latest of those that the release was built in: what is later, somebody wrote."""
    mixed: float = 0.0
    """How much of what is named for saves, states and caches falls into those moments too."""
    clean: bool = False
    """Whether what is not the program's was seen to lie outside of those moments."""
    keeps_sources: bool = False
    """Whether the release keeps the times of its sources, as some packers do: what is older is its own."""
    installed: int | None = None
    """When the program was put here, where that can be told."""
    newest: int | None = None
    """When the newest of the program's code was written, where its times are scattered."""

    @property
    def built(self) -> int | None:
        return self.builds[0][0] if self.builds else None

    @property
    def speak(self) -> bool:
        """Whether any time says anything here."""
        return bool(self.builds) or self.installed is not None or self.newest is not None

    def near(self, seconds: int) -> bool:
        """Whether a moment is within a release's."""
        return any(start <= seconds <= end for start, end in self.builds)

    def tells(self, key: tuple[str, int]) -> bool:
        """Whether a moment tells by itself whose something is. What is older than the release, or of a moment
        of its own, may come from anybody: others pack things too. `key` is from `bucket`.
        """
        word, number = key
        return (word == "cluster" and number not in self.apart) or word in ("shortly-before", "late")

    def bucket(self, mtime_ns: int) -> tuple[str, int]:
        """Everything that `evidence` depends on, as a small key: many times are one case."""
        if not mtime_ns or not self.speak:
            return "", 0
        seconds = mtime_ns // _SECOND
        if not self.builds:
            if self.installed is not None and seconds > self.installed + weights().time["install-seconds"]:
                return "after-install", 0
            if self.newest is None:
                return "", 0
            late = seconds > self.newest + weights().time["years-apart-seconds"]
            return ("later" if late else "not-later"), 0
        for number, (start, end) in enumerate(self.builds):
            if start <= seconds <= end:
                return "cluster", number
        if seconds < self.last:
            if 0 <= self.builds[0][0] - seconds <= weights().time["gather-seconds"]:
                return "shortly-before", 0
            return ("kept", 0) if self.keeps_sources else ("early", _span(self.last - seconds))
        if seconds - self.last < weights().time["years-apart-seconds"]:
            return "", 0
        return "late", _span(seconds - self.last)

    def evidence(self, key: tuple[str, int], *, binary: bool) -> tuple[Evidence, ...]:
        """What a moment says. `key` is from `bucket`."""
        word, more = key
        spoken = weights().spoken
        shared = self.mixed > weights().time["cluster-mixed"]
        if word == "cluster":
            return self._in_a_moment(more, shared=shared)
        if word == "shortly-before":
            says = "written in the hour before the release was built"
            return () if shared else (said("time", says, P, spoken[word]), _untouched())
        if word == "kept":
            says = "older than the release, which keeps the times of its sources"
            return () if shared else (said("time", says, P, spoken[word]),)
        if word in ("later", "not-later"):
            says = "later" if word == "later" else "no later"
            return (said("time", f"written {says} than the newest of the program's code", P, spoken[word]),)
        if word == "after-install":
            return (said("time", "written after the program was put here", P, spoken["after-install"]),)
        if not word:
            return ()
        span = f"{-more} months" if more < 0 else f"{more} days" if more else "hours"
        when = "after" if word == "late" else "before"
        weight = spoken[word + ("-binary" if binary else "")]
        return (said("time", f"{span} {when} the release was built", P, weight),)

    def _in_a_moment(self, number: int, *, shared: bool) -> tuple[Evidence, ...]:
        spoken = weights().spoken
        day = datetime.fromtimestamp(self.builds[number][0], UTC).date()
        kind = "shared" if shared else "apart" if number in self.apart else "clean" if self.clean else ""
        key = f"cluster-{kind}" if kind else "cluster"
        if number in self.apart:
            return (said("time", f"of a moment of its own, on {day}", P, spoken[key]),)
        found = (said("time", f"written with the release, on {day}", P, spoken[key]),)
        if shared:
            return found
        says = f"of the release's minutes, on {day}"
        return (*found, _untouched(), *(said("time", says, c, spoken["cluster-persons"]) for c in PERSONS))


def _untouched() -> Evidence:
    says = "not written to since the release was built"
    return said(UNTOUCHED, says, P, weights().spoken["untouched"])


def _span(seconds: int) -> int:
    """Days, or months as a negative number, as a small key."""
    days = seconds // 86400
    return -(days // 30) if days >= 60 else days if days >= 2 else 0


@dataclass(slots=True)
class _Moment:
    """A run of times with no gap in it."""

    start: int
    end: int
    files: int = 0
    code: int = 0
    shipped: int = 0
    """What looks shipped, code included."""
    data: int = 0
    """What is no text and looks like nothing: content, pictures, saves."""
    foreign: int = 0
    """What lies in folders of things that people add or runs make."""
    folders: set[At] = field(default_factory=set)
    """Of what looks shipped."""

    @property
    def weight(self) -> int:
        return self.shipped + 2 * self.code

    def is_like_a_release(self, all_shipped: int) -> bool:
        """Whether enough of it looks shipped, beside data that may be anybody's: content has times too."""
        enough = self.shipped >= _HALF * min(self.data, all_shipped)
        return enough and self.shipped >= _SOME * self.files and self.foreign <= _HALF * self.files

    def holds_the_code(self, all_code: int) -> bool:
        """Whether most of the machine code and scripts are of it, in several folders: they were built then,
        whatever was gathered with them.
        """
        enough = self.code >= max(_CODE_LEAST, _HALF * all_code)
        return enough and len(self.folders) >= _SPREAD and self.foreign <= _HALF * self.files

    def holds_most(self, of_all: int) -> bool:
        """Whether most there is was written then, and is no data: that is how a release is laid."""
        much = self.files >= max(_MANY_CODE, _MUCH * of_all)
        return much and self.data <= _HALF * self.files


def read_times(pages: Sequence[Page], standing: FolderContents) -> Times:
    """Look for the moments of releases among what looks shipped, whose times packers keep.

    What lies in folders of things that people add does not count. Where nothing at all lies outside of those
    moments, or things named for saves lie in them, they tell nothing apart: then somebody copied the whole
    folder without its times.
    """
    foreign = {page.at for page in pages if standing.is_foreign(page.at)}
    code = [row for page in pages if page.at not in foreign for row in _code_in(page, standing)]
    moments = _moments(pages, standing, foreign)
    shipped = sum(m.shipped for m in moments)
    builds, apart = _builds(moments, shipped)
    installed = _installed(code)
    if builds:
        spans = tuple((m.start, m.end) for m in builds)
        last = max(m.end for m in builds if m not in apart)
        inside, outside = _made(pages, standing, spans)
        mixed = inside / (inside + outside) if inside else 0.0
        late = sum(m.files for m in moments if m.start > last)
        early = sum(m.shipped for m in moments if m.end < last and m not in builds)
        if mixed <= weights().time["cluster-useless"] and (outside or late or early):
            return Times(
                builds=spans,
                apart=frozenset(n for n, m in enumerate(builds) if m in apart),
                last=last,
                mixed=mixed,
                clean=bool(outside or late),
                keeps_sources=early >= weights().time["sources-share"] * shipped,
                installed=installed,
            )
    newest = _newest([mtime for mtime, _ in code])
    scattered = len(code) >= _CODE_LEAST and not _is_all_before(pages, newest)
    return Times(installed=installed, newest=newest if scattered else None)


def _code_in(page: Page, standing: FolderContents) -> Iterator[tuple[int, int]]:
    """(written, put here) of every binary and script of a page."""
    looks = standing.looks(page.at)
    if SCRIPT in looks or MACHINE in looks:
        numbers = page.numbers
        for at, look in enumerate(looks):
            if look >= SCRIPT:
                yield numbers[at * COLUMNS + 2] // _SECOND, numbers[at * COLUMNS + 3] // _SECOND


def _moments(pages: Sequence[Page], standing: FolderContents, foreign: set[At]) -> list[_Moment]:
    """The runs of times, in their order."""
    every: Counter[int] = Counter()
    shipped: Counter[int] = Counter()
    code: Counter[int] = Counter()
    elsewhere: Counter[int] = Counter()
    data: Counter[int] = Counter()
    for page in pages:
        times = [t // _SECOND for t in page.numbers[2::COLUMNS]]
        every.update(times)
        if page.at in foreign:
            elsewhere.update(times)
        else:
            looks = standing.looks(page.at)
            shipped.update(t for t, look in zip(times, looks, strict=True) if look != OTHER)
            code.update(t for t, look in zip(times, looks, strict=True) if look >= SCRIPT)
            told = zip(times, looks, page.formats, strict=True) if page.formats else ()
            data.update(t for t, look, f in told if look == OTHER and f and not f.startswith("text "))
    width, longest = int(weights().time["cluster-seconds"]), int(weights().time["gather-seconds"])
    found: list[_Moment] = []
    for seconds in sorted(every):
        if not seconds:
            continue
        if not found or seconds - found[-1].end > width or seconds - found[-1].start > longest:
            found.append(_Moment(seconds, seconds))
        moment = found[-1]
        moment.end = seconds
        moment.files += every[seconds]
        moment.shipped += shipped[seconds]
        moment.code += code[seconds]
        moment.foreign += elsewhere[seconds]
        moment.data += data[seconds]
    _note_folders(found, pages, standing, foreign)
    return found


def _note_folders(
    moments: list[_Moment], pages: Sequence[Page], standing: FolderContents, foreign: set[At]
) -> None:
    """Where the files of those moments lie that may be a build's."""
    likely = [m for m in moments if m.shipped >= _CODE_ENOUGH]
    starts = [m.start for m in likely]
    for page in pages:
        if page.at in foreign:
            continue
        times, looks = page.numbers[2::COLUMNS], standing.looks(page.at)
        for t in {t // _SECOND for t, look in zip(times, looks, strict=True) if look != OTHER}:
            place = bisect_right(starts, t) - 1
            if place >= 0 and t <= likely[place].end:
                likely[place].folders.add(page.at)


def _builds(moments: list[_Moment], shipped: int) -> tuple[list[_Moment], list[_Moment]]:
    """(the moments in which a release was built or gathered, the weightiest first; those of them that lie by
    themselves).

    There are some if enough of what looks shipped falls into the weightiest, or into all, or if hardly
    anything that looks so is later than the weightiest. A later one may as well be that of code which the
    person put there, so it must be spread over the folders of the others.
    """
    w = weights().time
    least = max(w["moment-least"], w["moment-share"] * shipped)
    files, code = sum(m.files - m.foreign for m in moments), sum(m.code for m in moments)
    likely = [
        m
        for m in moments
        if m.shipped >= _CODE_ENOUGH
        and (m.is_like_a_release(shipped) or m.holds_most(files) or m.holds_the_code(code))
    ]
    if not likely:
        return [], []
    main = max(likely, key=lambda m: (m.holds_most(files), m.weight, m.start))
    others = sorted((m for m in likely if m is not main and m.shipped >= least), key=lambda m: -m.weight)
    later = sum(m.shipped for m in moments if m.start > main.end)
    enough = (
        main.shipped >= w["cluster-share"] * shipped
        or main.code >= max(2, w["cluster-share"] * code)
        or sum(m.shipped for m in (main, *others)) >= w["moments-share"] * shipped
        or (main.shipped >= max(least, _SOME * shipped) and later <= w["later-share"] * shipped)
    )
    if not enough:
        return [], []
    found, apart, folders = [main], [], set(main.folders)
    for moment in others:
        is_spread = len(moment.folders & folders) >= _SPREAD
        large = moment.shipped >= w["cluster-share"] * main.shipped
        holds_code = moment.code >= w["cluster-share"] * max(1, code)
        if is_spread and (large or moment.shipped >= w["large-share"] * shipped):
            folders |= moment.folders
        elif moment.start > main.end and not is_spread and not holds_code:
            continue
        elif not (large and holds_code):
            apart.append(moment)
        found.append(moment)
    return found, apart


def _made(
    pages: Sequence[Page], standing: FolderContents, spans: tuple[tuple[int, int], ...]
) -> tuple[float, float]:
    """Of the folders in which something lies that runs make: how much falls into some moments, and how much
    outside of them. A folder counts once, however much lies in it.
    """
    inside = outside = 0.0
    for page in pages:
        looks, numbers = standing.looks(page.at), page.numbers
        made = within = 0
        any_made = bool(standing.evidence(page.at))
        for at, spoken in enumerate(standing.spoken(page.at)):
            if looks[at] or not (any_made or spoken) or not stat.S_ISREG(numbers[at * COLUMNS]):
                continue
            if not standing.is_made(page.at, spoken):
                continue
            made += 1
            seconds = numbers[at * COLUMNS + 2] // _SECOND
            within += any(start <= seconds <= end for start, end in spans)
        if made:
            inside += within / made
            outside += 1 - within / made
    return inside, outside


def _newest(times: list[int]) -> int:
    """When the newest of the code was written; of much code a few may be the person's, and are left out."""
    if not times:
        return 0
    ordered = sorted(times)
    return ordered[int(_ALMOST_ALL * (len(ordered) - 1))] if len(ordered) >= _MANY_CODE else ordered[-1]


def _is_all_before(pages: Sequence[Page], newest: int) -> bool:
    """Whether nearly everything is of a moment or earlier, so that it tells nothing apart."""
    w = weights().time
    most = (newest + w["cluster-seconds"]) * _SECOND
    files = near = 0
    for page in pages:
        times = page.numbers[2::COLUMNS]
        files += len(times)
        near += sum(1 for t in times if t <= most)
    return near >= w["cluster-most"] * files


def _installed(code: list[tuple[int, int]]) -> int | None:
    """When most of the code was put here: no other time than that of the disk itself can tell."""
    w = weights().time
    width = int(w["install-seconds"])
    votes = Counter(put // width for _, put in code if put)
    if len(code) < 2 or not votes:
        return None
    best = max(votes, key=lambda b: votes[b] + votes[b + 1])
    if votes[best] + votes[best + 1] < max(2, w["install-share"] * len(code)):
        return None
    return max(put for _, put in code if put // width in (best, best + 1))
