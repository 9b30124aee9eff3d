"""Writing keepsheets: from rulings, watched runs and updates, so that nobody has to write TOML.

What a person wrote into a sheet, comments and order included, stays as it is.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from typing import Any

import tomlkit
from tomlkit.items import AoT, Table

from left_intact.core.keepsheet.format import FORMAT
from left_intact.core.keepsheet.sheet import validated
from left_intact.core.model.classes import FileClass
from left_intact.core.model.findings import SortedPages
from left_intact.core.model.pages import Page
from left_intact.core.model.pattern import exactly_at
from left_intact.core.model.place import TOP, At
from left_intact.core.model.survey import Survey

_LIST_KEYS = {
    "version": ("file", "pattern"),
    "renamed": ("file", "from"),
    "moved": ("from",),
    "keyed": ("folder",),
    "wish": ("file", "key"),
    "tie": ("to",),
    "things": ("counts",),
    "step": ("do",),
    "test": ("title", "with"),
    "workaround": ("what",),
}
"""Tables of which there are many, and what tells one from the other."""
_LEARN_FILES, _LEARN_CERTAINTY = 3, 0.95


@dataclass(frozen=True, slots=True, kw_only=True)
class Learnt:
    """What is to be written down."""

    program: str = ""
    classes: Mapping[str, FileClass] = field(default_factory=dict)
    first_start: Iterable[str] = ()
    """Paths that a run made."""
    version_places: Iterable[tuple[str, str]] = ()


def with_learnt(text: str, learnt: Learnt) -> str:
    """A sheet with what was learnt added to it. Raises `bad-sheet` where the sheet was none."""
    document = _open(text)
    if learnt.program and not document.get("program"):
        document["program"] = learnt.program
    if learnt.classes:
        _classes(document).update({pattern: kind.value for pattern, kind in learnt.classes.items()})
    made = sorted(set(learnt.first_start))
    if made:
        table = document.setdefault("first-start", tomlkit.table())
        table["files"] = sorted({*table.get("files", []), *made})
    for file, pattern in learnt.version_places:
        _add_to_list(document, "version", {"file": file, "pattern": pattern}, replace=False)
    return _closed(document)


def without_classes(text: str, patterns: Iterable[str]) -> str:
    """A sheet without some lines of `[classes]`. Raises `bad-sheet`."""
    document = _open(text)
    for pattern in patterns:
        document.get("classes", {}).pop(pattern, None)
    return _closed(document)


def merged(mine: str, given: str) -> tuple[str, list[str]]:
    """(my sheet with what the given one adds, what both say differently). Where they differ, mine stays."""
    document, other = _open(mine), _open(given)
    differ: list[str] = []
    if other.get("program") and not document.get("program"):
        document["program"] = other["program"]
    for pattern, kind in other.get("classes", {}).items():
        known = document.get("classes", {}).get(pattern)
        if known is None:
            _classes(document)[pattern] = kind
        elif known != kind:
            differ.append(f"{pattern} is {known} here and {kind} there")
    for name, same in _LIST_KEYS.items():
        for row in other.get(name, []):
            if not _add_to_list(document, name, dict(row), replace=False):
                differ.append(f"[[{name}]] {' '.join(str(row.get(k, '')) for k in same)}")
    if other.get("clear") and not document.get("clear"):
        document["clear"] = other["clear"]
    elif other.get("clear") and dict(document["clear"]) != dict(other["clear"]):
        differ.append("[clear] says something else there")
    start = other.get("first-start", {})
    for key in ("files", "folders"):
        if start.get(key):
            table = document.setdefault("first-start", tomlkit.table())
            table[key] = sorted({*table.get(key, []), *start[key]})
    return _closed(document), differ


def _open(text: str) -> Any:
    if text.strip():
        validated(text, "this sheet")
        return tomlkit.parse(text)
    document = tomlkit.document()
    document["format"] = FORMAT
    return document


def _classes(document: Any) -> Any:
    if "classes" not in document:
        document["classes"] = tomlkit.table()
    return document["classes"]


def _add_to_list(document: Any, name: str, row: dict[str, Any], *, replace: bool) -> bool:
    """Add a row to an array of tables. False where another one is there already that says something else."""
    rows: AoT = document.setdefault(name, tomlkit.aot())
    same = _LIST_KEYS[name]
    for known in rows:
        if all(known.get(key) == row.get(key) for key in same):
            if dict(known) == row:
                return True
            if replace:
                known.update(row)
            return replace
    table: Table = tomlkit.table()
    table.update(row)
    rows.append(table)
    return True


def _closed(document: Any) -> str:
    text = tomlkit.dumps(document)
    validated(text, "the sheet that was to be written")
    return text


def folders_of_one_class(survey: Survey, shipped: Iterable[Page]) -> dict[str, FileClass]:
    """Folders that an update has shown to be the person's: nothing in them was shipped, and all is surely
    of one class.

    `shipped` are the pages of all releases that are known. The outermost of such folders, as patterns of a
    keepsheet.
    """
    taken = {folder for page in shipped if page.names or page.is_entry for folder in _with_parents(page.at)}
    kinds: dict[At, Counter[FileClass]] = {}
    spoilt: set[At] = set()
    findings = survey.findings
    assert isinstance(findings, SortedPages)
    unsure = {
        n
        for n, v in enumerate(findings.table)
        if v.file_class is FileClass.UNSORTED or v.certainty < _LEARN_CERTAINTY
    }
    for page, verdicts in zip(findings.pages, findings.verdicts, strict=True):
        here = Counter[FileClass]()
        for verdict, count in Counter(verdicts).items():
            here[findings.table[verdict].file_class] += count
        spoils = not unsure.isdisjoint(verdicts)
        if page.is_entry:
            _add(kinds, spoilt, page.at.folder, findings, unsure, findings.folders[page.at])
        for folder in _with_parents(page.at) if here else ():
            kinds.setdefault(folder, Counter()).update(here)
            if spoils:
                spoilt.add(folder)
    found: dict[At, FileClass] = {}
    for folder in sorted(kinds):
        counts = kinds[folder]
        kind = next(iter(counts))
        good = len(counts) == 1 and counts[kind] >= _LEARN_FILES and kind is not FileClass.PROGRAM
        if good and folder not in spoilt and folder not in taken and not _below_any(folder, found):
            found[folder] = kind
    return {f"{exactly_at(folder)}/": kind for folder, kind in found.items()}


def _add(
    kinds: dict[At, Counter[FileClass]],
    spoilt: set[At],
    above: At,
    findings: SortedPages,
    unsure: set[int],
    verdict: int,
) -> None:
    """Count a folder that is an entry itself in those above it."""
    for folder in _with_parents(above):
        kinds.setdefault(folder, Counter())[findings.table[verdict].file_class] += 1
        if verdict in unsure:
            spoilt.add(folder)


def _with_parents(folder: At) -> list[At]:
    """A folder and all above it, but for the install itself."""
    return [at for at in folder.upwards() if at != TOP]


def _below_any(folder: At, found: Iterable[At]) -> bool:
    return any(known.holds(folder) for known in found)
