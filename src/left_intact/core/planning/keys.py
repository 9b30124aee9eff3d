"""Saves under ids: which id of the new build is which of the old one's.

Ids mean nothing to a person, so they are matched by what is inside: a file that is equal in both, the same
names. Where the program has a list of its own that says which id belongs to what, that list speaks first.
"""

from __future__ import annotations

import re
from collections import Counter, defaultdict
from collections.abc import Collection, Iterable, Mapping
from dataclasses import dataclass, field

from left_intact.core.keepsheet.sheet import Keepsheet
from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Entry, Kind
from left_intact.core.model.findings import SortedPages
from left_intact.core.model.release import Release
from left_intact.core.model.survey import Survey
from left_intact.core.settings.document import NotReadable
from left_intact.core.settings.formats.registry import open_document

Inside = Mapping[str, Entry]
"""Entries by their path below the folder of one id."""
_EQUAL, _NAMES, _ALONE = 4.0, 2.0, 0.5
"""What is said for a pair: by a file that is equal in both, by all the same names, by being the only ones."""
_SURE = 1.0
_MOST_SAVES = 1 << 14
_AHEAD = 1.5
"""So many times as much as the next best must speak for a pair."""


@dataclass(frozen=True, slots=True, kw_only=True)
class KeyMatch:
    """The ids of one folder, old to new."""

    pairs: Mapping[str, str]
    unsure: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    """By old id: the new ones that it may be, the likeliest first."""
    left: tuple[str, ...] = ()
    """Old ids for which there is no new one."""


def by_key(entries: Iterable[tuple[str, Entry]], folder: str) -> dict[str, dict[str, Entry]]:
    """What lies below each part of a keyed folder: entries by id, then by their path below it."""
    found: dict[str, dict[str, Entry]] = {}
    start = folder.rstrip("/") + "/"
    for path, entry in entries:
        if path.startswith(start):
            key, _, inside = path[len(start) :].partition("/")
            if inside and entry.kind is Kind.FILE:
                found.setdefault(key, {})[inside] = entry
    return found


def match_keys(
    old: Mapping[str, Inside], new: Mapping[str, Inside], said: Mapping[str, str] | None = None
) -> KeyMatch:
    """Which new id each old one is. `said` are pairs that the program's own lists give.

    An id that is in both is itself. A pair is taken where clearly more speaks for it than for any other of
    either side.
    """
    pairs = {key: key for key in old if key in new}
    for key in old:
        to = said.get(key) if said and key not in pairs else None
        if to is not None and to not in pairs.values():
            pairs[key] = to
    mine = [key for key in old if key not in pairs]
    free = [key for key in new if key not in pairs.values()]
    score = {(a, b): _speaks(old[a], new[b]) for a in mine for b in free}
    if len(mine) == 1 and len(free) == 1:
        score[mine[0], free[0]] += _ALONE + _SURE
    while (sure := _clearest(mine, free, score)) is not None:
        pairs[sure[0]] = sure[1]
        mine.remove(sure[0])
        free.remove(sure[1])
    ranked = {a: sorted(free, key=lambda b: (-score[a, b], b)) for a in mine}
    unsure = {a: found for a in mine if (found := tuple(b for b in ranked[a] if score[a, b] >= _SURE))}
    left = tuple(key for key in mine if key not in unsure)
    return KeyMatch(pairs=pairs, unsure=unsure, left=left)


def _speaks(old: Inside, new: Inside) -> float:
    shared = old.keys() & new.keys()
    equal = sum(1 for name in shared if old[name].bytes and old[name].digest == new[name].digest)
    every = old.keys() | new.keys()
    return (_EQUAL if equal else 0.0) + (_NAMES * len(shared) / len(every) if every else 0.0)


def _clearest(
    mine: list[str], free: list[str], score: Mapping[tuple[str, str], float]
) -> tuple[str, str] | None:
    """The pair for which most speaks, if that is clearly more than for any other of either."""
    pairs = sorted(((a, b) for a in mine for b in free), key=lambda pair: (-score[pair], pair))
    for one, other in pairs:
        if score[one, other] < _SURE:
            return None
        rivals = [score[one, b] for b in free if b != other] + [score[a, other] for a in mine if a != one]
        if score[one, other] >= _AHEAD * max(rivals, default=0.0):
            return one, other
    return None


def keys_by_lists(
    old: Mapping[tuple[str, ...], str], new: Mapping[tuple[str, ...], str], keys: Iterable[str]
) -> dict[str, str]:
    """Old ids to new ones, as two editions of the program's own list say. Each is given as its settings:
    names or values are ids, their counterparts are what the ids belong to.
    """
    was, is_now = _belongs(old), {of: key for key, of in _belongs(new).items()}
    found = {}
    for key in keys:
        of = was.get(key)
        if of is not None and of in is_now and is_now[of] != key:
            found[key] = is_now[of]
    return found


def by_lists(old: Release, new: Release, keys: Collection[str]) -> dict[str, str]:
    """Old ids to new ones, by all texts that both releases ship."""
    found: dict[str, str] = {}
    for path in old.texts.keys() & new.texts.keys():
        found |= keys_by_lists(_said_in(old, path), _said_in(new, path), keys)
    return found


def _said_in(release: Release, path: str) -> Mapping[tuple[str, ...], str]:
    """What a text of a release says, key by key; nothing where nobody can read it so."""
    try:
        return open_document(release.texts[path], release.entries[path].format).values()
    except (NotReadable, KeyError):
        return {}


def out_of_reach(
    sheet: Keepsheet, survey: Survey, old: Release | None, new: Release
) -> list[tuple[str, str, str]]:
    """(keyed folder, id, new id) of saves that the new build will look for under another id, as far as the
    program's own lists tell.
    """
    if old is None or not sheet.keyed:
        return []
    pages = [page for page in survey.findings.pages if not page.root]
    paths = [page.path(at) for page in pages for at in range(len(page.names))]
    lost = []
    for folder, _, _ in sheet.keyed:
        start = folder.rstrip("/") + "/"
        inside = (path[len(start) :] for path in paths if path.startswith(start))
        keys = sorted({name.partition("/")[0] for name in inside if "/" in name})
        lost += [(folder.rstrip("/"), key, to) for key, to in sorted(by_lists(old, new, keys).items())]
    return lost


_ID = re.compile(r"(?i)(?=.*\d)(?:[0-9a-f]{4,}|[a-z]{1,5}[-_ ]?\d{3,}|\d+)")
"""What an id looks like: hexadecimal digits, letters and a number, a number."""
_FEW_IDS = 2


def under_ids(sheet: Keepsheet, survey: Survey) -> dict[str, int]:
    """How many saves lie under ids, by the folder that has those: as a keepsheet says, else where all folders
    of a folder with saves are called by ids. Whether another build uses the same ones nothing tells.
    """
    findings = survey.findings
    assert isinstance(findings, SortedPages)
    keyed = {folder.rstrip("/") for folder, _, _ in sheet.keyed}
    ids: dict[str, set[str]] = defaultdict(set)
    saves: Counter[str] = Counter()
    for finding in findings.of_class(FileClass.SAVES, _MOST_SAVES):
        if finding.at.root:
            continue
        parts = finding.at.path.split("/")
        for at in range(1, len(parts) - 1):
            above = "/".join(parts[:at])
            if above in keyed or _ID.fullmatch(parts[at]):
                ids[above].add(parts[at])
                saves[above] += 1
                break
    inside: dict[str, set[str]] = defaultdict(set)
    for page in findings.pages:
        if not page.root:
            above, _, name = page.folder.rpartition("/")
            inside[above].add(name)
    return {
        folder: saves[folder]
        for folder, names in ids.items()
        if folder in keyed or (len(names) >= _FEW_IDS and all(_ID.fullmatch(one) for one in inside[folder]))
    }


def _belongs(said: Mapping[tuple[str, ...], str]) -> dict[str, str]:
    """What each word of a list belongs to: `title = id` and `id = title` both."""
    found: dict[str, str] = {}
    for way, value in said.items():
        name, value = (way[-1] if way else ""), value.strip("\"' ")
        if name and value:
            found.setdefault(value, name)
            found.setdefault(name, value)
    return found
