"""What stands against a plan as a whole, and what is worth a warning."""

from __future__ import annotations

import os
import re
import stat
from collections.abc import Iterable, Iterator

from left_intact.core.files.names import has_controls, needs_other_name
from left_intact.core.model.entry import Kind
from left_intact.core.model.errors import Fault
from left_intact.core.model.pages import COLUMNS, Page, pages_in
from left_intact.core.model.place import At
from left_intact.core.model.plan import Move, Space, Verb
from left_intact.core.model.release import Arrival, Reading, Release
from left_intact.core.model.survey import Survey
from left_intact.core.model.version import name_without_version
from left_intact.core.planning.circumstances import Circumstances

_COMMON = re.compile(
    r"(?i)^(readme|licen[cs]e|copying|changelog|changes|news|version|manifest|authors|credits)\b"
)
_FEW = 5
_SHOWN = 60
_STRANGER, _OTHER_NAME = 0.1, 0.25
_FURTHER_IN = 0.5
"""So much of what came must have its counterparts in a folder of the install to fit that one."""


def is_common(name: str) -> bool:
    """Whether a name is one that every program's release has, so that it tells nothing."""
    return _COMMON.match(name) is not None


def version_faults(mine: Reading | None, coming: Reading | None) -> tuple[list[Fault], list[Fault]]:
    """(blockers, warnings) from comparing the two versions."""
    if mine is None or coming is None:
        which = (
            "either side"
            if mine is None and coming is None
            else "the install"
            if mine is None
            else "the arrival"
        )
        return [], [Fault(code="version-unknown", says=f"no version could be read from {which}")]
    here, there = mine.version, coming.version
    order = here.compare(there) if here and there else None
    if order is None:
        says = f"{coming.text} is of another version line than {mine.text}, so nobody can tell which is newer"
        return [
            Fault(code="other-line", says=says, way_out="Pass it with --allow other-line.", passable=True)
        ], []
    if order > 0:
        says = f"{coming.text} is older than {mine.text}, which is installed"
        way = "Pass it with --allow older-version."
        return [Fault(code="older-version", says=says, way_out=way, passable=True)], []
    if order == 0:
        return [], [Fault(code="same-version", says=f"{mine.text} is installed already")]
    return [], []


def platform_faults(survey: Survey, arrival: Arrival) -> list[Fault]:
    """A blocker where the arrival's binaries are for another system or machine."""
    here, there = survey.platform, arrival.release.platform
    if not here or not there or _platforms_agree(here, there):
        return []
    says = f"this build is for {there}, the install is for {here}"
    way = "Get the right build, or pass it with --allow other-platform."
    return [Fault(code="other-platform", says=says, way_out=way, passable=True)]


def _platforms_agree(here: str, there: str) -> bool:
    mine, coming = set(here.split()), set(there.split())
    systems = {"linux", "windows", "macos"}
    for kind in (systems, {"x86_64", "x86", "arm64", "arm", "mips", "ppc", "ppc64", "riscv64"}):
        if mine & kind and coming & kind and mine & kind != coming & kind:
            return False
    return True


def identity_faults(install: str, survey: Survey, arrival: Arrival, baseline: Release | None) -> list[Fault]:
    """A blocker where the arrival is another program, or a stranger under the same name."""
    if arrival.shape == "file":
        says = "this is a single file, not a whole release: laid in place, it would set all else aside"
        return [Fault(code="not-a-release", says=says, way_out="Use a whole release.")]
    known = names_by_folder(pages_in(baseline.entries) if baseline else survey.findings.pages)
    coming = here = 0
    for page in pages_in(arrival.release.entries):
        names = frozenset(_files_of(page))
        coming += len(names)
        here += len(names & known.get(page.folder, frozenset()))
    if not coming:
        says = "there is no program in this arrival"
        return [Fault(code="empty-arrival", says=says, way_out="Check what came.")]
    if not known or (coming < _FEW and here):
        return []
    share = here / coming
    mine = {name_without_version(install), name_without_version(survey.root.rsplit("/", 1)[-1])}
    called = {
        name_without_version(arrival.release.name),
        name_without_version(arrival.source.rsplit("/", 1)[-1]),
    }
    alike = any(a and b and (a in b or b in a) for a in mine for b in called)
    if coming < _FEW:
        if alike:
            return []
        says = f"nothing of {arrival.release.name} has a counterpart in {install}"
        return [Fault(code="stranger", says=says, way_out="Pass it with --allow stranger.", passable=True)]
    if share < _STRANGER and (inner := _fits_further_in(survey, arrival, coming)):
        says = f"{arrival.release.name} fits what lies in {inner}/, not the whole of {install}"
        way = f"Name that folder instead: {survey.root}/{inner}"
        return [Fault(code="fits-further-in", says=says, way_out=way)]
    if not alike and share < _OTHER_NAME:
        says = (
            f"this is {arrival.release.name}, not {install}: {share:.0%} of its files have a counterpart here"
        )
        return [Fault(code="other-program", says=says, way_out="Choose the install that it is for.")]
    if share < _STRANGER:
        says = (
            f"this bears the name of {install}, but {share:.0%} of its files have a counterpart here: a fork?"
        )
        return [Fault(code="stranger", says=says, way_out="Pass it with --allow stranger.", passable=True)]
    return []


def _fits_further_in(survey: Survey, arrival: Arrival, coming: int) -> str:
    """The folder of an install in which most of what came has its counterparts; empty for none."""
    pages = pages_in(arrival.release.entries)
    here = names_by_folder(survey.findings.pages)
    tops = {folder.partition("/")[0] for folder in here if folder}
    wide = {"/".join(folder.split("/")[:2]) for folder in here if "/" in folder}
    for inner in sorted(tops) + sorted(wide):
        found = 0
        for page in pages:
            there = here.get(f"{inner}/{page.folder}" if page.folder else inner, frozenset())
            found += len(there.intersection(_files_of(page)))
        if found >= _FURTHER_IN * coming:
            return inner
    return ""


def _files_of(page: Page) -> Iterator[str]:
    """Names of regular files, but for those that every release has."""
    numbers, top = page.numbers[::COLUMNS], page.folder.partition("/")[0]
    if top and is_common(top):
        return
    for at, name in enumerate(page.names):
        if stat.S_ISREG(numbers[at]) and (top or not is_common(name)):
            yield name


def names_by_folder(pages: Iterable[Page]) -> dict[str, frozenset[str]]:
    """Names by folder; of an install those that lie in its own folder."""
    return {page.folder: frozenset(page.names) for page in pages if page.names and not page.root}


def counterparts(pages: Iterable[Page], survey: Survey) -> int:
    """How many entries of some pages have something at the same path of a survey."""
    known = names_by_folder(survey.findings.pages)
    found = 0
    for page in pages:
        found += len(known.get(page.folder, frozenset()).intersection(page.names))
        found += page.is_entry and survey.findings.find(At("", page.folder)) is not None
    return found


def machine_faults(
    install: str, moves: Iterable[Move], space: Space, circumstances: Circumstances
) -> list[Fault]:
    """Blockers from disk, rights, processes and names."""
    changing = [m for m in moves if m.changes_disk]
    found = []
    if circumstances.held:
        found.append(
            Fault(code="held", says=circumstances.held, way_out="Pass it with --allow held.", passable=True)
        )
    if circumstances.running:
        says = f"{install} is running: {', '.join(circumstances.running[:3])}"
        found.append(Fault(code="running", says=says, way_out="Quit it first."))
    if changing and (tight := space.short) is not None:
        where = f" at {tight.place}" if tight.place else ""
        says = f"there is not enough room{where}: {tight.needed:,} bytes are needed, {tight.free:,} are free"
        found.append(Fault(code="no-room", says=says, way_out="Free some room on that disk."))
    barred = sorted(_touched(changing) & set(circumstances.unwritable))
    if barred:
        listed = ", ".join(barred[:3]) + (" …" if len(barred) > 3 else "")
        folders = "1 folder" if len(barred) == 1 else f"{len(barred):,} folders"
        says = f"{folders} may not be written: {listed}"
        found.append(Fault(code="no-rights", says=says, way_out="Give yourself the right to write there."))
    return [
        *found,
        *_name_faults([m for m in changing if m.after is not None and m.before is None], circumstances),
    ]


def _touched(changing: Iterable[Move]) -> set[str]:
    """Every folder in which something changes, and those above it; the root as a dot."""
    found = {"."} if changing else set()
    for move in changing:
        found |= {at.shown for at in move.at.folder.upwards() if at.path}
    return found


def _name_faults(arriving: list[Move], circumstances: Circumstances) -> list[Fault]:
    """Names that the file system of the install cannot hold, told before the first write."""
    way = "Move the install to another file system."
    found = []
    if circumstances.narrow_names and (bad := [m.at.shown for m in arriving if needs_other_name(m.at.path)]):
        found.append(
            Fault(code="names", says=f"this file system cannot hold {_names(bad)}: {bad[0]}", way_out=way)
        )
    # What is carried over has the names that the person gave it, or bore with.
    shipped = [m for m in arriving if m.verb not in (Verb.CARRY, Verb.REHOME)]
    if odd := [m.at.shown for m in shipped if has_controls(m.at.path)]:
        says = f"{_names(odd)} with control characters: {odd[0]}"
        found.append(Fault(code="names", says=says, way_out="Rename them in what arrives."))
    if long := [m.at.shown for m in arriving if _too_long(m.at.path, circumstances)]:
        shown = long[0] if len(long[0]) < _SHOWN else long[0][:_SHOWN] + "…"
        says = f"{_names(long)} too long for this file system: {shown}"
        found.append(
            Fault(code="names", says=says, way_out="Leave it out, or shorten the path of the install.")
        )
    if not circumstances.links and (
        links := [m.at.shown for m in arriving if m.after is not None and m.after.kind is Kind.LINK]
    ):
        found.append(Fault(code="names", says=f"this file system holds no links: {links[0]}", way_out=way))
    return found


def _names(paths: list[str]) -> str:
    return "1 name" if len(paths) == 1 else f"{len(paths):,} names"


def _too_long(path: str, circumstances: Circumstances) -> bool:
    root = len(os.fsencode(circumstances.roots[0].place)) + 1 if circumstances.roots else 0
    parts = [len(os.fsencode(part)) for part in path.split("/")]
    return max(parts) > circumstances.name_bytes or root + sum(parts) + len(parts) > circumstances.path_bytes


def reading_warnings(survey: Survey) -> list[Fault]:
    """A warning where parts of the install could not be read."""
    unread = survey.unread()
    if not unread:
        return []
    first = unread[0]
    number = "1 entry" if len(unread) == 1 else f"{len(unread):,} entries"
    says = f"{number} could not be read and left alone: {first.at.shown} ({first.fault})"
    return [Fault(code="unreadable", says=says)]
