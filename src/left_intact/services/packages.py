"""Update packages: found in what came, and sorted by the title that they are for."""

from __future__ import annotations

import os
from collections.abc import Sequence
from dataclasses import replace
from typing import TYPE_CHECKING

from left_intact.core.model.errors import LeftIntactError
from left_intact.core.model.progress import CancelToken, Report, silent

if TYPE_CHECKING:
    from left_intact.core.files.tree import ReadText
    from left_intact.core.keepsheet.sheet import Keepsheet
    from left_intact.core.model.install import Install
    from left_intact.core.model.ladder import Package
    from left_intact.core.model.release import Arrival
    from left_intact.core.model.survey import Survey
    from left_intact.core.planning.climbing import Updates


def packages_in(
    arrival: Arrival, *, always: bool, report: Report = silent, cancel: CancelToken | None = None
) -> tuple[Package, ...]:
    """The update packages in what came; none where it is something else.

    It is something else where nothing in it has a manifest, unless `always`: names alone are no reason to
    take a folder of archives for one.
    """
    from left_intact.core.arrival.look import look_into
    from left_intact.core.arrival.packages import (
        MANIFEST,
        has_manifest,
        package_of,
        places_of,
        unreadable_package,
    )

    if arrival.shape != "folder" or MANIFEST in arrival.release.entries:
        is_one = always or MANIFEST in arrival.release.texts
        return (package_of(arrival),) if is_one else ()
    places = places_of(arrival.source)
    if not places or (not always and not any(has_manifest(one) for one in places)):
        return ()
    found = []
    for one in places:
        try:
            found.append(package_of(look_into(one, report=report, cancel=cancel)))
        except LeftIntactError as error:
            if error.code == "stopped":
                raise
            found.append(unreadable_package(one, error.says))
    return tuple(found)


def sorted_by_title(
    packages: Sequence[Package], install: Install, sheet: Keepsheet, survey: Survey, read: ReadText
) -> Updates:
    """The titles here that some packages are for, each with the version that lies here."""
    from left_intact.core.planning.climbing import Title, Updates

    mine = {_plain(n) for n in (install.name, sheet.program, os.path.basename(install.root)) if n}
    by_title: dict[tuple[str, str], list[Package]] = {}
    strangers = []
    for package in packages:
        here = _lies_here(package.into, survey) if package.into else _is_for(package, mine)
        if here and package.to:
            by_title.setdefault((package.into, _plain(package.of) if package.into else ""), []).append(
                package
            )
        else:
            strangers.append(package.name)
    titles = [
        Title(
            of=next((p.of for p in found if p.of and not p.by_name), install.name),
            here=_version_in(into, install, sheet, survey, read),
            packages=tuple(found),
        )
        for (into, _), found in by_title.items()
    ]
    titles.sort(key=lambda title: not title.here or not title.climb().steps)
    why = ""
    if not titles:
        why = f"none of the {len(packages)} updates that came is for {install.name}"
    elif not titles[0].here:
        why = f"no version of {titles[0].of} could be read here, so nobody can tell which update comes first"
    return Updates(titles=tuple(titles), strangers=tuple(strangers), why_not=why)


def _plain(name: str) -> str:
    return "".join(c for c in name.casefold() if c.isalnum())


def _is_for(package: Package, mine: set[str]) -> bool:
    of = _plain(package.of)
    return of in mine or (package.by_name and any(of and one and (of in one or one in of) for one in mine))


def _lies_here(folder: str, survey: Survey) -> bool:
    return any(
        page.folder == folder or page.folder.startswith(folder + "/") for page in survey.findings.own_pages
    )


def _version_in(into: str, install: Install, sheet: Keepsheet, survey: Survey, read: ReadText) -> str:
    """The version that lies here, of the install or of a folder in it."""
    if not into:
        return survey.version_text
    from left_intact.core.files.versions import read_versions

    inside = [
        page.entry(at)
        for page in survey.findings.own_pages
        if page.folder == into or page.folder.startswith(into + "/")
        for at in range(len(page.names))
    ]
    below = [replace(entry, path=entry.path.removeprefix(into + "/")) for entry in inside]
    entries = {entry.path: entry for entry in below}
    rules = [(f.removeprefix(into + "/"), p) for f, p in sheet.version_places if f.startswith(into + "/")]
    found = read_versions("", entries, lambda path: read(f"{into}/{path}"), rules=rules)
    return max(found, key=lambda reading: reading.weight).text if found else ""
