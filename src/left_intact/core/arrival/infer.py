"""Which release did an install come from? Looked for among old archives that lie about."""

from __future__ import annotations

import os
from collections.abc import Collection, Iterable, Mapping
from contextlib import suppress

from left_intact.core.arrival.look import look_into
from left_intact.core.arrival.root import Names, by_folder, find_root
from left_intact.core.files.archives import is_archive_name, open_source
from left_intact.core.files.headers import is_binary_program
from left_intact.core.model.entry import Entry, Kind
from left_intact.core.model.errors import LeftIntactError
from left_intact.core.model.found import ENOUGH, Likeness
from left_intact.core.model.progress import CancelToken, Progress, Report, silent
from left_intact.core.model.release import Release
from left_intact.core.model.version import Version, name_without_version, version_in_name
from left_intact.core.settings.formats.registry import is_settings_text

_MOST, _MOST_OTHERS = 12, 24
_PACKED_WHOLE, _PACKED = 4 << 30, 128 << 20
"""Bytes of an archive of another name that is looked into: of a zip, whose names lie at its end, and of one
that must be unpacked to be listed.
"""
_FEW, _HELD = 5, 0.5
"""So many files of an archive, and this share of them, must lie in an install for it to be worth reading."""


def likeness(path: str, release: Release, mine: Mapping[str, Entry]) -> Likeness:
    """Compare what a release shipped with what lies in an install; settings are anybody's."""
    shipped = [e for e in release.entries.values() if e.kind is Kind.FILE and not is_settings_text(e.format)]
    equal = there = code = code_equal = 0
    for entry in shipped:
        own = mine.get(entry.path)
        same = own is not None and own.same_content(entry)
        there += own is not None
        equal += same
        if is_binary_program(entry.format) or entry.format.startswith("script "):
            code += 1
            code_equal += same
    return Likeness(
        path=path,
        release=release,
        equal=equal,
        there=there,
        shipped=len(shipped),
        code_equal=code_equal,
        code=code,
    )


def infer_baseline(
    name: str,
    version: str,
    mine: Mapping[str, Entry],
    places: Iterable[str],
    *,
    report: Report = silent,
    cancel: CancelToken | None = None,
) -> list[Likeness]:
    """Old releases of a program that lie in some folders (or are named outright), the likest first.

    What bears the program's name, or was named outright, is read whole; of other archives, which somebody may
    have renamed, the names inside are looked at first. What is no archive or is hostile is passed over.
    """
    cancel = cancel or CancelToken()
    bearing, others = _candidates(name, version, places)
    found = _compared(bearing[:_MOST], name, mine, report, cancel)
    if not any(one.share >= ENOUGH for one in found):
        found += _compared(_holding(others, mine, cancel)[:_MOST], name, mine, report, cancel)
    return sorted(found, key=lambda one: (-one.share, one.path))


def _compared(
    paths: list[str], name: str, mine: Mapping[str, Entry], report: Report, cancel: CancelToken
) -> list[Likeness]:
    found = []
    for number, path in enumerate(paths, 1):
        cancel.check()
        base = os.path.basename(path)
        report(Progress(stage="looking for a baseline", done=number, total=len(paths), path=base))
        try:
            release = look_into(path, installed=mine.keys(), name=name, cancel=cancel).release
        except LeftIntactError as error:
            if error.code == "stopped":
                raise
            continue
        found.append(likeness(path, release, mine))
    return found


def most_settling(
    bearing: Iterable[str],
    unsorted: Collection[str],
    mine: Collection[str],
    cancel: CancelToken | None = None,
) -> list[tuple[int, str]]:
    """(of how many of some paths it has one of the same name, archive) of some archives, the best first. Only
    their lists of names are read.
    """
    names, found = by_folder(mine), []
    for path in bearing:
        (cancel or CancelToken()).check()
        inside = _names_in(path, names)
        if here := len(inside.intersection(unsorted)):
            found.append((here, path))
    return sorted(found, key=lambda one: (-one[0], one[1]))


def archives_about(name: str, version: str, places: Iterable[str]) -> list[str]:
    """Archives in some places that bear a program's name, then others, as far as they are looked into."""
    bearing, others = _candidates(name, version, places)
    return [*bearing[:_MOST], *others[:_MOST_OTHERS]]


def _names_in(path: str, names: Names) -> frozenset[str]:
    """The paths of the files in an archive as they would lie in an install; empty where it cannot be read, or
    would take long.
    """
    try:
        if os.path.getsize(path) > (_PACKED_WHOLE if path.lower().endswith(".zip") else _PACKED):
            return frozenset()
        inside = [m.path for m in open_source(path).members() if m.kind is Kind.FILE]
    except (LeftIntactError, OSError):
        return frozenset()
    root = find_root(by_folder(inside), names)
    return frozenset(
        p[len(root) + 1 :] if root else p for p in inside if not root or p.startswith(root + "/")
    )


def _holding(archives: list[str], mine: Mapping[str, Entry], cancel: CancelToken) -> list[str]:
    """Of some archives of any name those that hold what lies in an install, the one with most of it first."""
    names = by_folder(mine)
    found = []
    for path in archives[:_MOST_OTHERS]:
        cancel.check()
        below = _names_in(path, names)
        here = sum(p in mine for p in below)
        if here >= max(_FEW, _HELD * len(below)):
            found.append((here / len(below), path))
    return [path for _, path in sorted(found, key=lambda one: (-one[0], one[1]))]


def _candidates(name: str, version: str, places: Iterable[str]) -> tuple[list[str], list[str]]:
    """(archives and folders to look into, those of the installed version first; archives of other names, the
    newest first).
    """
    wanted = _bare(name_without_version(name))
    named, beside, others = [], [], []
    for place in places:
        if os.path.isfile(place):
            named.append(place)
            continue
        try:
            inside = sorted(os.scandir(place), key=lambda item: item.name)
        except OSError:
            continue
        for item in inside:
            is_archive = is_archive_name(item.name) and item.is_file(follow_symlinks=False)
            if is_archive and wanted and _bare(item.name).startswith(wanted):
                beside.append(item.path)
            elif is_archive:
                with suppress(OSError):  # gone meanwhile
                    others.append((item.stat().st_mtime, item.path))
    installed = Version.parse(version) if version else None

    def distance(path: str) -> tuple[int, str]:
        found = version_in_name(os.path.basename(path))
        return (0 if installed is not None and found == installed else 1), path

    newest = [path for _, path in sorted(others, key=lambda one: (-one[0], one[1]))]
    return list(dict.fromkeys([*named, *sorted(beside, key=distance)])), newest


def _bare(text: str) -> str:
    return "".join(c for c in text.lower() if c.isalnum())
