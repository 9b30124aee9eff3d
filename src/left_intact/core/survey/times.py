"""When things were written: the release in a few minutes, the person's over years."""

from __future__ import annotations

import stat
from collections import Counter
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from functools import lru_cache

from left_intact.core.files.headers import is_binary_program
from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Evidence
from left_intact.core.model.pages import COLUMNS, Page
from left_intact.core.survey.said import said
from left_intact.core.survey.weights import weights

P = FileClass.PROGRAM
PERSONS = (FileClass.SETTINGS, FileClass.SAVES, FileClass.STATES, FileClass.CONTENT, FileClass.EXTRAS)
_SECOND = 10**9
_MADE_ENOUGH, _NAMES_ENOUGH = 5000, 10_000
_CODE_LEAST, _CODE_ENOUGH = 3, 2

IsMade = Callable[[str, str], bool]
"""Whether a file (folder, name) is, by its name, one that a run or the person makes."""
IsForeign = Callable[[str], bool]
"""Whether a folder is, by its name, one of things that the person adds."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Times:
    """What the times of an install have to say. All in seconds since 1970."""

    builds: tuple[int, ...] = ()
    """The moments around which releases were built, the weightiest first."""
    mixed: float = 0.0
    """How much of what is named for saves, states and caches falls into those moments too."""
    installed: int | None = None
    """When the program was put here, where that can be told."""
    newest: int | None = None
    """When the newest of the program's code was written, where its times are scattered."""

    @property
    def built(self) -> int | None:
        return self.builds[0] if self.builds else None

    @property
    def speak(self) -> bool:
        """Whether any time says anything here."""
        return bool(self.builds) or self.installed is not None or self.newest is not None

    def near(self, seconds: int) -> bool:
        """Whether a moment is within a release's."""
        width = weights().time["cluster-seconds"]
        return any(abs(seconds - built) <= width for built in self.builds)

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
            return (
                "later" if seconds > self.newest + weights().time["years-apart-seconds"] else "not-later"
            ), 0
        width = weights().time["cluster-seconds"]
        for number, built in enumerate(self.builds):
            if abs(seconds - built) <= width:
                return "cluster", number
        apart = seconds - self.builds[0]
        if -weights().time["gather-seconds"] <= apart < 0:
            return "shortly-before", 0
        if abs(apart) < weights().time["years-apart-seconds"]:
            return "", 0
        days = abs(apart) // 86400
        span = -(days // 30) if days >= 60 else days if days >= 2 else 0
        return ("late" if apart > 0 else "early"), span

    def evidence(self, key: tuple[str, int], *, binary: bool) -> tuple[Evidence, ...]:
        """What a moment says. `key` is from `bucket`."""
        word, more = key
        spoken = weights().spoken
        if word == "cluster":
            day = datetime.fromtimestamp(self.builds[more], UTC).date()
            shared = self.mixed > weights().time["cluster-mixed"]
            found = [
                said(
                    "time",
                    f"written with the release, on {day}",
                    P,
                    spoken["cluster-shared" if shared else "cluster"],
                )
            ]
            if not shared:
                found += [
                    said("time", f"of the release's minutes, on {day}", c, spoken["cluster-persons"])
                    for c in PERSONS
                ]
            return tuple(found)
        if word == "shortly-before":
            if self.mixed > weights().time["cluster-mixed"]:
                return ()
            return (said("time", "written in the hour before the release was built", P, spoken[word]),)
        if word in ("later", "not-later"):
            says = "later" if word == "later" else "no later"
            return (said("time", f"written {says} than the newest of the program's code", P, spoken[word]),)
        if word == "after-install":
            return (said("time", "written after the program was put here", P, spoken["after-install"]),)
        if word:
            span = f"{-more} months" if more < 0 else f"{more} days" if more else "hours"
            weight = spoken[word + ("-binary" if binary else "")]
            return (
                said(
                    "time",
                    f"{span} {'after' if word == 'late' else 'before'} the release was built",
                    P,
                    weight,
                ),
            )
        return ()


def read_times(pages: Sequence[Page], is_made: IsMade, is_foreign: IsForeign, looks_shipped: IsMade) -> Times:
    """Look for the moments of releases among binaries and scripts, whose times packers keep.

    Those inside folders of things that people add do not count. A moment that nearly everything
    shares, or that things named for saves share, tells nothing apart: then somebody copied the
    whole folder without its times.
    """
    code = _code_times(pages, is_foreign, looks_shipped)
    builds = _builds([mtime for mtime, _ in code])
    mixed = 0.0
    if builds and _tells_nothing(pages, builds[0]):
        builds = ()
    if builds:
        mixed = _mixed(pages, builds, is_made)
        if mixed > weights().time["cluster-useless"]:
            builds = ()
    newest = max((mtime for mtime, _ in code), default=0)
    scattered = not builds and len(code) >= _CODE_LEAST and not _tells_nothing(pages, newest, before=True)
    return Times(builds=builds, mixed=mixed, installed=_installed(code), newest=newest if scattered else None)


def _code_times(pages: Sequence[Page], is_foreign: IsForeign, looks_shipped: IsMade) -> list[tuple[int, int]]:
    """(written, put here) of every binary and script that may be the release's.

    Where there are none with a header, of what looks shipped by its name.
    """
    found: list[tuple[int, int]] = []
    for page in pages:
        if any(map(_is_code, set(page.formats))) and not is_foreign(page.folder):
            found += _times_of(
                page, [at for at, file_format in enumerate(page.formats) if _is_code(file_format)]
            )
    if len(found) >= _CODE_ENOUGH:
        return found
    looked_at = 0
    for page in pages:
        if looked_at < _NAMES_ENOUGH and not is_foreign(page.folder):
            looked_at += len(page.names)
            found += _times_of(
                page, [at for at, name in enumerate(page.names) if looks_shipped(page.folder, name)]
            )
    return found


def _times_of(page: Page, places: Sequence[int]) -> list[tuple[int, int]]:
    numbers = page.numbers if places else ()
    return [(numbers[at * COLUMNS + 2] // _SECOND, numbers[at * COLUMNS + 3] // _SECOND) for at in places]


@lru_cache(maxsize=256)
def _is_code(file_format: str) -> bool:
    return is_binary_program(file_format) or file_format.startswith("script ")


def _tells_nothing(pages: Sequence[Page], built: int, *, before: bool = False) -> bool:
    """Whether nearly everything is of a moment, or with `before` of it or earlier."""
    w = weights().time
    least, most = (built - w["cluster-seconds"]) * _SECOND, (built + w["cluster-seconds"]) * _SECOND
    least = 0 if before else least
    files = near = 0
    for page in pages:
        times = page.numbers[2::COLUMNS]
        files += len(times)
        near += sum(1 for t in times if least <= t <= most)
    return near >= w["cluster-most"] * files


def _mixed(pages: Sequence[Page], builds: tuple[int, ...], is_made: IsMade) -> float:
    """How much of what runs make, by its names, falls into the moments of releases."""
    width = weights().time["cluster-seconds"]
    made = inside = 0
    for page in pages:
        numbers = page.numbers
        for at, name in enumerate(page.names):
            if made >= _MADE_ENOUGH:
                break
            if (
                _is_code(page.formats[at])
                or not stat.S_ISREG(numbers[at * COLUMNS])
                or not is_made(page.folder, name)
            ):
                continue
            made += 1
            seconds = numbers[at * COLUMNS + 2] // _SECOND
            inside += any(abs(seconds - b) <= width for b in builds)
    return inside / made if made else 0.0


def _builds(times: list[int]) -> tuple[int, ...]:
    """The moment that holds most of some times, if it holds enough.

    One, though an install that was updated by hand has several: a second moment may as well
    be that of code which the person put there.
    """
    w = weights().time
    width = int(w["cluster-seconds"])
    if len(times) < 2:
        return ()
    votes = Counter(t // width for t in times)
    best = max(votes, key=lambda b: (votes[b] + votes[b + 1], b))
    inside = sorted(t for t in times if t // width in (best, best + 1))
    return (inside[len(inside) // 2],) if len(inside) >= max(2, w["cluster-share"] * len(times)) else ()


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
