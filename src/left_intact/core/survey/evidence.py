"""The sources of evidence. Each looks at one thing and says what it saw, in words.

Equal evidence is one shared value: 100,000 entries have few hundred different reasons.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Sequence
from datetime import UTC, datetime
from functools import lru_cache

from left_intact.core.files.headers import is_binary_program, is_settings_text
from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Entry, Evidence, Finding, Kind
from left_intact.core.model.release import Release
from left_intact.core.survey.patterns import matches
from left_intact.core.survey.weights import Shape, bare, weights

P, S = FileClass.PROGRAM, FileClass.SETTINGS
_MADE_BY_RUNS = (FileClass.SAVES, FileClass.STATES, FileClass.CACHE)
_SURE = 0.9
_SAME_SECONDS = 5
_COMPANY_LEAST = 3
_COMPANY_SHARE = 0.6


@lru_cache(maxsize=65536)
def _said(source: str, says: str, speaks_for: FileClass, weight: float) -> Evidence:
    return Evidence(source=source, says=says, speaks_for=speaks_for, weight=round(weight, 2))


def from_patterns(source: str, table: Sequence[tuple[str, FileClass]], path: str) -> list[Evidence]:
    """The last pattern that a path meets speaks; later ones are the newer or finer ones."""
    weight = weights().spoken[source]
    for pattern, file_class in reversed(table):
        if matches(pattern, path):
            word = "you said" if source == "ruling" else "the keepsheet says"
            says = f"{word} {pattern} is {file_class}" if pattern != path else f"{word} this is {file_class}"
            return [_said(source, says, file_class, weight)]
    return []


def from_baseline(entry: Entry, baseline: Release | None) -> list[Evidence]:
    """What the release that the install came from had under this path."""
    if baseline is None:
        return []
    spoken, name = weights().spoken, baseline.version_text or "the baseline"
    shipped = baseline.entries.get(entry.path)
    if shipped is None:
        return [_said("baseline", f"{name} did not ship it", P, spoken["baseline-absent"])]
    if shipped.same_content(entry):
        return [_said("baseline", f"{name} shipped exactly this", P, spoken["baseline-equal"])]
    if is_settings_text(entry.format) or is_settings_text(shipped.format):
        says = f"{name} shipped it, you changed it"
        return [
            _said("baseline", says, S, spoken["baseline-changed-settings"]),
            _said("baseline", says, P, spoken["baseline-changed"]),
        ]
    return [_said("baseline", f"{name} shipped it, it was changed since", P, spoken["baseline-changed"])]


def from_arrival(entry: Entry, arrival: Release | None, built: int | None = None) -> list[Evidence]:
    """What the arriving release has under this path.

    Settings text says little, since a default lies under the name of the person's own; but
    one that was written in the very seconds of the release was never touched since.
    """
    if arrival is None:
        return []
    spoken, name = weights().spoken, arrival.version_text or "the arrival"
    coming = arrival.entries.get(entry.path)
    if coming is None:
        proven = built is not None and abs(entry.mtime_ns // 10**9 - built) <= weights().cluster_seconds
        key = "arrival-absent" if proven else "arrival-absent-unproven"
        return [_said("arrival", f"{name} has nothing here", P, spoken[key])]
    if coming.same_content(entry):
        return [_said("arrival", f"{name} ships exactly this", P, spoken["arrival-equal"])]
    if coming.kind is not entry.kind or coming.format.split(" ")[0] != entry.format.split(" ")[0]:
        return [_said("arrival", f"{name} ships something else here", P, 0.0)]
    if is_settings_text(entry.format):
        untouched = built is not None and abs(entry.mtime_ns // 10**9 - built) <= _SAME_SECONDS
        key = "arrival-path-untouched" if untouched else "arrival-path-settings"
    else:
        key = "arrival-path"
    return [_said("arrival", f"{name} ships one of this kind here", P, spoken[key])]


def from_header(entry: Entry) -> list[Evidence]:
    """What the first bytes, or the size of bytes without a header, say."""
    w = weights()
    found = w.header.get(entry.format) or w.header.get(entry.format.split(" ")[0])
    if found:
        says, by_class = found
        detail = entry.format if entry.format.split(" ")[0] in ("elf", "pe", "macho", "script") else ""
        text = f"{says} ({detail})" if detail else says
        return [_said("header", text, c, weight) for c, weight in by_class]
    if entry.format in ("bytes", "zeros", "ones"):
        return [e for shape in w.shapes for e in _shape(entry, shape)]
    return []


def _shape(entry: Entry, shape: Shape) -> list[Evidence]:
    size = entry.bytes
    if shape.least <= size <= shape.most and size & (size - 1) == 0:
        return [_said("size", f"{size:,} bytes: {shape.says}", c, weight) for c, weight in shape.weights]
    return []


@lru_cache(maxsize=16384)
def _folders(folder: str) -> tuple[Evidence, ...]:
    w = weights()
    found: list[Evidence] = []
    factor = 1.0
    for part in reversed(folder.split("/")):
        known = w.folder.get(bare(part))
        if known:
            file_class, weight, reason = known
            says = f"in {part}/, {reason}" if factor == 1.0 else f"further up {part}/, {reason}"
            found.append(_said("name", says, file_class, weight * factor))
            factor *= w.spoken["outer-folder"]
        if len(found) == 2:
            break
    return tuple(found)


@lru_cache(maxsize=16384)
def _name(name: str) -> tuple[Evidence, ...]:
    w = weights()
    found = []
    stem, dot, ending = name.rpartition(".")
    if dot and not stem:
        stem, ending = ending, ""
    suffix = f".{ending.lower()}" if dot and ending else ""
    # Numbered libraries: libvector.so.4
    if suffix[1:].isdigit() and ".so." in name:
        suffix = ".so"
    if known := w.suffix.get(suffix):
        found.append(_said("name", f"ends in {suffix}", known[0], known[1]))
    words = bare(stem if dot else name)
    if known := w.stem.get(words) or w.stem.get(words.rstrip("0123456789")):
        found.append(_said("name", f"is called {stem or name}", known[0], known[1]))
    return tuple(found)


def from_name(path: str) -> list[Evidence]:
    """What the folder names, the ending and the name itself say."""
    folder, _, name = path.rpartition("/")
    return [*(_folders(folder) if folder else ()), *_name(name)]


def program_names(entries: Iterable[Entry]) -> frozenset[str]:
    """Bare names of the programs that lie at or near the root."""
    return frozenset(
        bare(e.path.rpartition("/")[2].rsplit(".", 1)[0])
        for e in entries
        if e.path.count("/") <= 1 and (is_binary_program(e.format) or e.format.startswith("script "))
    )


def from_namesake(entry: Entry, names: frozenset[str]) -> list[Evidence]:
    """Settings text that bears the program's own name is its settings."""
    if not is_settings_text(entry.format) or entry.path.count("/") > 1:
        return []
    stem = entry.path.rpartition("/")[2].rsplit(".", 1)[0]
    if bare(stem) not in names:
        return []
    return [_said("name", "settings text that bears the program's name", S, weights().spoken["namesake"])]


def build_time(entries: Sequence[Entry]) -> int | None:
    """The moment, in seconds, around which the release's files were written, if they share one.

    Looked for among the binaries and scripts, whose times a packer keeps. A moment that
    nearly everything shares, or that things named for saves share, tells nothing apart:
    then somebody copied the whole folder without its times.
    """
    w = weights()
    times = [e.mtime_ns // 10**9 for e in entries if is_binary_program(e.format) or e.format.startswith("script ")]
    if len(times) < 2:
        return None
    votes: Counter[int] = Counter(t // w.cluster_seconds for t in times)
    best = max(votes, key=lambda b: (votes[b] + votes[b + 1], b))
    if votes[best] + votes[best + 1] < max(2, w.cluster_share * len(times)):
        return None
    inside = sorted(t for t in times if t // w.cluster_seconds in (best, best + 1))
    built = inside[len(inside) // 2]
    return None if _tells_nothing(entries, built) else built


def _tells_nothing(entries: Sequence[Entry], built: int) -> bool:
    w = weights()
    files = [e for e in entries if e.kind is Kind.FILE]
    near = [e for e in files if abs(e.mtime_ns // 10**9 - built) <= w.cluster_seconds]
    if len(near) >= w.cluster_most * len(files):
        return True
    made = [e for e in files if any(v.speaks_for in _MADE_BY_RUNS and v.weight >= 2 for v in from_name(e.path))]
    mixed = sum(1 for e in made if abs(e.mtime_ns // 10**9 - built) <= w.cluster_seconds)
    return mixed > w.cluster_mixed * len(made)


def from_time(entry: Entry, built: int | None) -> list[Evidence]:
    """Whether an entry was written with the release or at another time."""
    if built is None or not entry.mtime_ns:
        return []
    w = weights()
    apart = entry.mtime_ns // 10**9 - built
    if abs(apart) <= w.cluster_seconds:
        day = datetime.fromtimestamp(built, UTC).date()
        return [_said("time", f"written with the release, on {day}", P, w.spoken["cluster"])]
    if abs(apart) < w.apart_seconds:
        return []
    key = ("late" if apart > 0 else "early") + ("-binary" if is_binary_program(entry.format) else "")
    weight = w.spoken[key]
    return [_said("time", f"{_span(abs(apart))} {'after' if apart > 0 else 'before'} the others", P, weight)]


def _span(seconds: int) -> str:
    days = seconds // 86400
    if days >= 60:
        return f"{days // 30} months"
    if days >= 2:
        return f"{days} days"
    return f"{max(1, seconds // 3600)} hours"


class Company:
    """What an entry's siblings are: the surely sorted ones of its folder, itself left out."""

    def __init__(self, findings: Iterable[Finding]) -> None:
        self._counts: dict[str, Counter[FileClass]] = {}
        self._own: dict[str, FileClass] = {}
        self._size: Counter[str] = Counter()
        for finding in findings:
            if finding.entry.kind is Kind.FOLDER:
                continue
            folder = finding.path.rpartition("/")[0]
            self._size[folder] += 1
            if finding.certainty >= _SURE and finding.file_class is not FileClass.UNSORTED:
                self._counts.setdefault(folder, Counter())[finding.file_class] += 1
                self._own[finding.path] = finding.file_class

    def evidence(self, path: str) -> list[Evidence]:
        folder = path.rpartition("/")[0]
        counts = self._counts.get(folder)
        if not folder or not counts:
            return []
        own = self._own.get(path)
        others = self._size[folder] - 1
        best, count = max(counts.items(), key=lambda item: item[1] - (item[0] is own))
        count -= best is own
        share = count / others if others else 0.0
        if count < _COMPANY_LEAST or share < _COMPANY_SHARE:
            return []
        says = f"{count} of {others} others in {folder}/ are {best}"
        return [_said("company", says, best, weights().spoken["company"] * share)]
