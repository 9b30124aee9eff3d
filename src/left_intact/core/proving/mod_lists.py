"""Which mods are on: read from whatever list the program keeps, or not claimed.

A list is told by naming most of what lies in a folder for mods. It says what is on by a mark on the line, by
a field of each item, by a value under each name, or by naming, in their order, only those that are on.
"""

from __future__ import annotations

import json
import re
import tomllib
from collections.abc import Callable, Collection, Iterator, Mapping
from pathlib import PurePosixPath
from typing import Any

from left_intact.core.model.classes import FileClass
from left_intact.core.model.findings import SortedPages
from left_intact.core.model.pages import COLUMNS
from left_intact.core.model.place import OLD
from left_intact.core.model.survey import Findings
from left_intact.core.model.things import ThingRule
from left_intact.core.survey.spelling import normalised_name
from left_intact.core.survey.weights import ADDED, weights

MARKS = "marks"
"""What a rule says in `on` of a list whose lines are marked; its `name` has the names then, one a line."""
ORDER = "order"
"""What a rule says in `on` of a list that names only those that are on; its `name` has all names."""
_ON = frozenset(("1", "true", "yes", "on", "enabled", "active", "+", "*", "[x]", "x"))
_OFF = frozenset(
    ("0", "false", "no", "off", "disabled", "inactive", "-", "#", ";", "!", "//", "[ ]", "[]", "_")
)
_MOST = 0.6
"""Of the mods a list must name."""
_DEEP = 4
_NUMBERED = re.compile(r"^\d+\s*[.):=]\s*")
_TEXT, _TEXTS = 256 << 10, 300
"""Bytes of a text, and texts, that are looked into."""
_NO_LISTS = (FileClass.PROGRAM, FileClass.CONTENT)


def mods_and_texts(
    findings: Findings, read: Callable[[str], bytes | None]
) -> tuple[frozenset[str], dict[str, bytes]]:
    """(names of what lies in folders for mods, the person's texts that may say which are on). Paths lie below
    the folder of the install.
    """
    assert isinstance(findings, SortedPages)
    names, texts = set[str](), dict[str, bytes]()
    for page in findings.pages:
        parts = page.folder.split("/")
        at = next((n for n, part in enumerate(parts) if is_for_mods(part)), -1)
        if at >= 0:
            names.update(parts[at + 1 : at + 2] or (name.partition(".")[0] for name in page.names))
    if not names:
        return frozenset(), {}
    for number, page in enumerate(findings.pages):
        if any(map(is_for_mods, page.folder.split("/"))):
            continue
        for at, file_format in enumerate(page.formats):
            size = page.numbers[at * COLUMNS + 1]
            kind = findings.class_at(number, at)
            if (
                not file_format.startswith("text ")
                or size > _TEXT
                or kind in _NO_LISTS
                or len(texts) >= _TEXTS
            ):
                continue
            path = page.path(at) if page.root in ("", OLD) else page.place(at).shown
            if (data := read(path)) is not None:
                texts[path] = data
    return frozenset(names), texts


def is_for_mods(folder: str) -> bool:
    """Return True for a folder that is named for mods, in any language that the survey knows."""
    bare = normalised_name(folder)
    row = weights().folder.get(bare) if bare.startswith("mod") else None
    return row is not None and row[2].endswith(ADDED)


def find_mod_list(names: Collection[str], texts: Mapping[str, bytes]) -> ThingRule | None:
    """The rule by which one of some texts says which of the mods of some names are on; None where none does,
    or where several say different things and none of them is named elsewhere.
    """
    if not names:
        return None
    found: dict[str, tuple[ThingRule, dict[str, bool]]] = {}
    for ask in (_rule_of, _order_of):  # what says yes and no is heard before what leaves some out
        read = {path: ask(path, data, names) for path, data in texts.items()}
        found = found or {path: context for path, context in read.items() if context is not None}
    if not found:
        return None
    kinds = {tuple(sorted(states.items())) for _, states in found.values()}
    if len(kinds) == 1:
        return next(iter(found.values()))[0]
    named = [path for path in found if _is_named(path, found, texts)]
    return found[named[0]][0] if len(named) == 1 else None


def _is_named(path: str, found: Collection[str], texts: Mapping[str, bytes]) -> bool:
    stem = PurePosixPath(path).stem.encode()
    word = re.compile(rb"(?<![\w-])" + re.escape(stem) + rb"(?![\w-])")
    return any(word.search(data) for other, data in texts.items() if other not in found)


def _rule_of(path: str, data: bytes, names: Collection[str]) -> tuple[ThingRule, dict[str, bool]] | None:
    """(rule, what it says by name)."""
    tree = _tree(path, data)
    if tree is not None:
        for at, node in _containers(tree):
            if (context := _of_container(path, at, node, names)) is not None:
                return context
    states = marked_lines(data, names)
    rule = ThingRule(counts="mods", file=path, on=MARKS, name="\n".join(sorted(names)))
    return (rule, states) if states is not None else None


def _order_of(path: str, data: bytes, names: Collection[str]) -> tuple[ThingRule, dict[str, bool]] | None:
    states = ordered(data, names)
    rule = ThingRule(counts="mods", file=path, on=ORDER, name="\n".join(sorted(names)))
    return (rule, states) if states is not None and not all(states.values()) else None


def ordered(data: bytes, names: Collection[str]) -> dict[str, bool] | None:
    """Which of some names a list names that holds nothing else; None for what is no such list.

    One that names all of them says nothing as long as none is missing: it may be of all that there are.
    """
    lead, rows = data.lstrip()[:1], list[str]()
    if lead in (b"{", b"["):
        tree = _tree("", data)
        lists = [node for _, node in _containers(tree) if isinstance(node, list)]
        rows = next((list(map(str, one)) for one in lists if one and all(str(x) in names for x in one)), [])
    else:
        lines = [line.strip() for line in data.decode("utf-8", "replace").splitlines()]
        rows = [_NUMBERED.sub("", line).strip("\"' ") for line in lines if line and line[0] not in "#;["]
    named = set(rows)
    if len(named) < max(2, _MOST * len(names)) or not named <= set(names):
        return None
    return {name: name in named for name in names}


def _tree(path: str, data: bytes) -> Any:
    try:
        if path.endswith(".toml"):
            return tomllib.loads(data.decode())
        if data.lstrip()[:1] in (b"{", b"["):
            return json.loads(data.decode("utf-8-sig"))
        if data.lstrip()[:1] == b"<":
            return _elements(data)
    except (ValueError, RecursionError):
        return None
    return None


def _elements(data: bytes) -> dict[str, list[dict[str, str]]] | None:
    """By name of element: the attributes and children of each, as a keepsheet's rule reads them."""
    from lxml import etree

    parser = etree.XMLParser(resolve_entities=False, no_network=True, load_dtd=False, huge_tree=False)
    try:
        root = etree.fromstring(data, parser)
    except etree.XMLSyntaxError:
        return None
    found: dict[str, list[dict[str, str]]] = {}
    for element in root.iter():
        if isinstance(element.tag, str):
            parts = {str(name): str(value) for name, value in element.attrib.items()}
            parts |= {str(child.tag): (child.text or "").strip() for child in element}
            found.setdefault(element.tag, []).append(parts)
    return found


def _containers(tree: Any, at: str = "", depth: int = 0) -> Iterator[tuple[str, Any]]:
    """(way to it, list or mapping), the outermost first."""
    if depth > _DEEP:
        return
    if isinstance(tree, (list, Mapping)):
        yield at, tree
    if isinstance(tree, Mapping):
        for name, node in tree.items():
            if "." not in str(name):
                yield from _containers(node, f"{at}.{name}" if at else str(name), depth + 1)


def _of_container(
    path: str, at: str, node: Any, names: Collection[str]
) -> tuple[ThingRule, dict[str, bool]] | None:
    if isinstance(node, Mapping):
        items = {str(name): value for name, value in node.items() if str(name) in names}
        if len(items) < _MOST * len(names):
            return None
        if all(said_on(value) is not None for value in items.values()):
            states = {name: bool(said_on(value)) for name, value in items.items()}
            return ThingRule(counts="mods", file=path, at=at), states
        rows = [(name, value) for name, value in items.items() if isinstance(value, Mapping)]
        field = _flag([row for _, row in rows]) if len(rows) == len(items) else ""
        if field:
            return ThingRule(counts="mods", file=path, at=at, on=field), {
                name: bool(said_on(row[field])) for name, row in rows
            }
        return None
    rows_of = [row for row in node if isinstance(row, Mapping)]
    for name_field in {key for row in rows_of for key in row}:
        mine = [row for row in rows_of if str(row.get(name_field)) in names]
        if len(mine) >= _MOST * len(names) and (field := _flag(mine, name_field)):
            states = {str(row[name_field]): bool(said_on(row[field])) for row in mine}
            return ThingRule(counts="mods", file=path, at=at, name=name_field, on=field), states
    return None


def _flag(rows: list[Mapping[str, Any]], besides: str = "") -> str:
    """The field of all rows that says yes or no; empty where there is none, or more than one."""
    fields = set.intersection(*(set(row) for row in rows)) - {besides} if rows else set()
    found = [f for f in sorted(fields) if all(said_on(row[f]) is not None for row in rows)]
    plain = [f for f in found if not all(type(row[f]) is int for row in rows)]  # 0 and 1 may be a place
    found = plain or found
    return found[0] if len(found) == 1 else ""


def said_on(value: Any) -> bool | None:
    """What a value says of being on; None for one that says neither."""
    if isinstance(value, bool):
        return value
    if isinstance(value, int):
        return bool(value) if value in (0, 1) else None
    if isinstance(value, str):
        word = value.strip().casefold()
        return True if word in _ON else False if word in _OFF else None
    return None


def marked_lines(data: bytes, names: Collection[str]) -> dict[str, bool] | None:
    """What the lines of a text say of each name, by what stands before or behind it; None where they say
    nothing.
    """
    lines = data.decode("utf-8", "replace").splitlines()
    by_length = sorted(names, key=len, reverse=True)
    marks: dict[str, str] = {}
    for line in lines:
        name = next((n for n in by_length if n in line), None)
        if name is not None and name not in marks:
            before, _, behind = line.partition(name)
            mark = f"{before.strip()} {behind.strip(' =:,;|')}".strip()
            marks[name] = mark.strip("\"'").strip(" =:,|").casefold()
    if len(marks) < _MOST * len(names):
        return None
    states = {name: True if mark in _ON else False if mark in _OFF else None for name, mark in marks.items()}
    context = [state for state in states.values() if state is not None]
    plain = [name for name, mark in marks.items() if not mark]
    if not context or len(context) + len(plain) < len(marks):
        return None
    other = not context[0] if len(set(context)) == 1 else True
    return {name: state if state is not None else other for name, state in states.items()}
