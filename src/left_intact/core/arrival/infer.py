"""Which release did an install come from? Looked for among old archives that lie about."""

from __future__ import annotations

import os
from collections.abc import Iterable, Mapping

from left_intact.core.arrival.look import look_into
from left_intact.core.files.archives import is_archive_name
from left_intact.core.files.headers import is_binary_program
from left_intact.core.model.entry import Entry, Kind
from left_intact.core.model.errors import LeftIntactError
from left_intact.core.model.found import Likeness
from left_intact.core.model.progress import CancelToken, Progress, Report, silent
from left_intact.core.model.release import Release
from left_intact.core.model.version import Version, name_without_version, version_in_name
from left_intact.core.settings.formats.registry import is_settings_text

_MOST = 12


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

    Only what bears the program's name, or was named outright, is opened. What is no archive or
    is hostile is passed over.
    """
    cancel = cancel or CancelToken()
    found = []
    paths = _candidates(name, version, places)
    for number, path in enumerate(paths[:_MOST], 1):
        cancel.check()
        report(
            Progress(
                stage="looking for a baseline", done=number, total=len(paths), path=os.path.basename(path)
            )
        )
        try:
            release = look_into(path, installed=mine.keys(), name=name, cancel=cancel).release
        except LeftIntactError as error:
            if error.code == "stopped":
                raise
            continue
        found.append(likeness(path, release, mine))
    return sorted(found, key=lambda one: (-one.share, one.path))


def _candidates(name: str, version: str, places: Iterable[str]) -> list[str]:
    """Archives and folders to look into, those of the installed version first."""
    wanted = _bare(name_without_version(name))
    named, beside = [], []
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
    installed = Version.parse(version) if version else None

    def distance(path: str) -> tuple[int, str]:
        found = version_in_name(os.path.basename(path))
        return (0 if installed is not None and found == installed else 1), path

    return list(dict.fromkeys([*named, *sorted(beside, key=distance)]))


def _bare(text: str) -> str:
    return "".join(c for c in text.lower() if c.isalnum())
