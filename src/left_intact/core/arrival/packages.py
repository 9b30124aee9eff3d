"""A folder of update packages, or one such: what each is for, which version it comes after and leads to.

A package says so in its manifest (`update.toml`, docs/update-packages.md). Where it has none, its name is
evidence, and no more than that.
"""

from __future__ import annotations

import os
import re
from dataclasses import replace
from types import MappingProxyType

from left_intact.core.files.archives import ARCHIVE_ENDINGS, is_archive_name, open_source
from left_intact.core.files.vetting import Member
from left_intact.core.model.errors import LeftIntactError
from left_intact.core.model.ladder import Package
from left_intact.core.model.release import Arrival
from left_intact.core.model.version import Version, name_without_version

MANIFEST = "update.toml"
_MOST = 300
"""So many things of a folder are looked at."""
_MANIFEST_MOST = 64 << 10
_DOTTED = re.compile(r"(?i)(?<![\d.])v?(\d+(?:\.\d+)+[a-z]?)(?![\d.])")


def places_of(source: str) -> list[str]:
    """What may be a package in a folder: archives, and folders with a manifest, right in it."""
    with os.scandir(source) as entries:
        found = [
            entry.path
            for entry in entries
            if (entry.is_file() and is_archive_name(entry.name))
            or (entry.is_dir() and os.path.isfile(os.path.join(entry.path, MANIFEST)))
        ]
    return sorted(found)[:_MOST]


def has_manifest(place: str) -> bool:
    """Whether something that came has a manifest, told without reading all of it."""
    if os.path.isdir(place):
        return os.path.isfile(os.path.join(place, MANIFEST))
    try:
        members = open_source(place).members()
    except LeftIntactError:
        return False
    return any(_is_manifest(member) for member in members)


def _is_manifest(member: Member) -> bool:
    above, _, name = member.path.rpartition("/")
    return name == MANIFEST and "/" not in above and member.bytes <= _MANIFEST_MOST


def package_of(arrival: Arrival) -> Package:
    """What a package that was looked into says of itself."""
    from left_intact.core.arrival.manifest import read_manifest

    text = arrival.release.texts.get(MANIFEST)
    if text is None:
        return replace(_by_its_name(arrival.source), bytes=arrival.packed_bytes, arrival=arrival)
    try:
        said = read_manifest(text, arrival.source)
    except LeftIntactError as error:
        named = _by_its_name(arrival.source)
        return replace(named, bytes=arrival.packed_bytes, fault=error.says)
    return Package(
        source=arrival.source,
        of=said.of,
        after=said.after,
        to=said.to,
        into=said.into,
        removes=tuple(said.removes),
        bytes=arrival.packed_bytes,
        arrival=_without_manifest(arrival),
    )


def unreadable_package(place: str, why: str) -> Package:
    """One that cannot be looked into: its name alone tells what it may be."""
    size = os.path.getsize(place) if os.path.isfile(place) else 0
    return replace(_by_its_name(place), bytes=size, fault=why)


def _by_its_name(source: str) -> Package:
    name = os.path.basename(os.path.normpath(source))
    ending = next((e for e in sorted(ARCHIVE_ENDINGS, key=len) if name.lower().endswith(e)), "")
    spoken = name.removesuffix(name[len(name) - len(ending) :]) if ending else name
    versions = [Version.parse(text) for text in _DOTTED.findall(spoken)]
    found = [v for v in versions if v is not None]
    of = name_without_version(_DOTTED.sub(" ", spoken)).removesuffix(" to").removesuffix(" update").strip()
    after = found[0].text if len(found) > 1 and found[0].compare(found[-1]) == -1 else None
    return Package(source=source, of=of, after=after, to=found[-1].text if found else "", by_name=True)


def _without_manifest(arrival: Arrival) -> Arrival:
    release = arrival.release
    entries = {p: e for p, e in release.entries.items() if p != MANIFEST}
    texts = {p: t for p, t in release.texts.items() if p != MANIFEST}
    return replace(
        arrival,
        release=replace(release, entries=MappingProxyType(entries), texts=MappingProxyType(texts)),
    )
