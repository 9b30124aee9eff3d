"""Which part of an install a file that came is, though its name carries a version, a platform or another
ending.

Cores, libraries, launchers and plug-ins are downloaded one by one, and the program finds each by one exact
name.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, replace
from functools import lru_cache
from types import MappingProxyType

from left_intact.core.files.headers import is_code
from left_intact.core.files.tree import ReadText
from left_intact.core.files.versions import read_part
from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Entry, Finding, Kind
from left_intact.core.model.findings import SortedPages
from left_intact.core.model.release import Arrival, Reading, Release
from left_intact.core.model.survey import Survey
from left_intact.core.model.version import name_without_version, version_in_name
from left_intact.core.settings.formats.registry import is_settings_text

MOST = 400
"""What brings more files than this is a release, whatever they are called."""
_COPY = re.compile(r"[ _.-]*\(\d{1,2}\)")
_CHANNEL = re.compile(
    r"(?i)(?<![a-z0-9])(nightly|latest|release|stable|build|beta|alpha|preview)(?![a-z0-9])"
)
_ENDING = re.compile(
    r"(?i)\.(so(\.\d+)*|dylib|dll|exe|py|sh|bat|cmd|appimage|jar|ini|toml|json|yaml|yml|cfg|conf|xml)$"
)
_OLD = re.compile(r"(?i)(?<![a-z0-9])(old|bak|backup|orig|previous|prev|copy|save[d]?)(?![a-z0-9])")
_SPOKEN = (FileClass.SAVES, FileClass.STATES, FileClass.CONTENT, FileClass.CACHE)


@dataclass(frozen=True, slots=True, kw_only=True)
class Part:
    """One file that came, and where it belongs."""

    came: str
    """Its path in what came."""
    places: tuple[str, ...]
    """Where it may belong in the install, the likeliest first; empty where nothing here goes by its name."""
    settings: bool = False
    """Whether it is the settings of a part rather than one."""

    @property
    def is_loose(self) -> bool:
        """Whether it has another path than the one it belongs to."""
        return bool(self.places) and self.came not in self.places


@lru_cache(maxsize=4096)
def part_key(name: str) -> str:
    """What a part is called without version, platform, channel, copy number and ending; empty for no name."""
    bare = _ENDING.sub("", _COPY.sub("", name))
    while _ENDING.search(bare):
        bare = _ENDING.sub("", bare)
    return name_without_version(_CHANNEL.sub(" ", bare)).replace(" ", "-")


def key_of_old(name: str) -> str:
    """As `part_key`, without the words that people mark an old one with; empty where it has none."""
    bare = re.sub(r"(?i)\.(bak|old|orig|backup)\d*$", "", name)
    marked = _OLD.sub(" ", _ENDING.sub("", bare))
    if bare == name and marked == _ENDING.sub("", bare):
        return ""
    return part_key(marked.strip(" -_."))


def is_part(entry: Entry) -> bool:
    """Whether a file is code that a program loads or runs."""
    if entry.kind is not Kind.FILE:
        return False
    return is_code(entry.format)


def parts_here(survey: Survey) -> Iterator[Finding]:
    """The parts of an install: its files of code, but for those that surely are something else."""
    findings = survey.findings
    assert isinstance(findings, SortedPages)
    for number, page in enumerate(findings.pages):
        if page.root or not any(
            f.startswith(("elf ", "pe ", "macho ", "script ")) for f in set(page.formats)
        ):
            continue
        for at in range(len(page.names)):
            if findings.class_at(number, at) not in _SPOKEN and is_part(page.entry(at)):
                yield findings.one(number, at)


def as_named_here(release: Release, survey: Survey) -> Release:
    """A release of one file under the name that it has in an install: where its very bytes lie, else where
    just one part goes by its name. As it is where there is none.
    """
    (path, entry), *more = release.entries.items()
    if more:
        return release
    pages = [page for page in survey.findings.pages if not page.root]
    same = [p.path(at) for p in pages for at in range(len(p.names)) if p.entry(at).same_content(entry)]
    key = part_key(_name(path))
    alike = [f.at.path for f in parts_here(survey) if part_key(f.at.name) == key]
    found = [one for one in same if one in alike] or same or alike
    if not found or len(found) > 1:
        return release
    here = found[0]
    texts = {here: release.texts[path]} if path in release.texts else {}
    entries = MappingProxyType({here: replace(entry, path=here)})
    return replace(release, entries=entries, texts=MappingProxyType(texts))


def parts_that_came(survey: Survey, arrival: Arrival) -> tuple[Part, ...]:
    """Each file of code that came with where it belongs, and the settings that came for such a one."""
    entries = arrival.release.entries
    if len(entries) > MOST:
        return ()
    here: dict[str, list[str]] = {}
    for finding in parts_here(survey):
        here.setdefault(part_key(finding.at.name), []).append(finding.at.path)
    found = [
        Part(came=path, places=_likeliest(_name(path), here.get(part_key(_name(path)), [])))
        for path, entry in entries.items()
        if is_part(entry)
    ]
    keys = {part_key(_name(part.came)): part for part in found if part.places}
    for path, entry in entries.items():
        owner = keys.get(part_key(re.sub(r"(?i)[-_. ]?(options?|settings|config)$", "", _stem(path))))
        if owner is not None and entry.kind is Kind.FILE and is_settings_text(entry.format):
            found.append(Part(came=path, places=_settings_of(survey, owner, path), settings=True))
    return tuple(found)


def _settings_of(survey: Survey, owner: Part, path: str) -> tuple[str, ...]:
    """Where the settings of a part lie: those of its name here, else beside the part."""
    findings, key = survey.findings, part_key(_name(path))
    assert isinstance(findings, SortedPages)
    same = [
        page.path(at)
        for page in findings.pages
        for at, name in enumerate(page.names)
        if not page.root and part_key(name) == key and page.formats and is_settings_text(page.formats[at])
    ]
    folder = owner.places[0].rpartition("/")[0]
    beside = f"{folder}/{_name(path)}" if folder else _name(path)
    return _likeliest(_name(path), same) or (beside,)


def _likeliest(name: str, paths: list[str]) -> tuple[str, ...]:
    """Paths with the numbers that a name has too before others, then those nearer to the root."""
    numbers = Counter(re.findall(r"\d+", name))

    def rank(path: str) -> tuple[int, int, str]:
        missed = Counter(re.findall(r"\d+", _name(path))) - numbers
        return sum(missed.values()), path.count("/"), path

    ranked = sorted(paths, key=rank)
    return tuple(p for p in ranked if rank(p)[0] == rank(ranked[0])[0]) if ranked else ()


def are_loose(came: Iterable[Part]) -> bool:
    """Whether what came are parts by their names, none of which lies where it belongs."""
    found = [part for part in came if not part.settings]
    return any(part.places for part in found) and all(part.is_loose or not part.places for part in found)


def brings_more(came: Iterable[Part], entries: Mapping[str, Entry]) -> bool:
    """Return True if something came beside parts, their settings and documents."""
    known = {part.came for part in came}
    rest = (entry for path, entry in entries.items() if path not in known and entry.kind is Kind.FILE)
    return any(is_settings_text(e.format) or not e.format.startswith(("text ", "pdf", "empty")) for e in rest)


def version_of(path: str, entry: Entry, read: ReadText) -> Reading | None:
    """The version that a part carries in itself; `read` gives its bytes."""
    data = read(path)
    return read_part(path, entry, data) if data is not None else None


def version_there(arrival: Arrival, path: str) -> Reading | None:
    """The version that a part that came carries: in itself as far as that was read, else in its name."""
    for reading in arrival.release.readings:
        if reading.source == path:
            return reading
    found = version_in_name(_name(path)) or version_in_name(_name(arrival.source))
    return Reading(text=found.text.lstrip("vV"), source="its name") if found else None


def _name(path: str) -> str:
    return path.rpartition("/")[2]


def _stem(path: str) -> str:
    return _ENDING.sub("", _name(path))
