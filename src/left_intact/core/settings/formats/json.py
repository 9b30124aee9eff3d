"""JSON files, also with comments, edited in place by the byte ranges of their syntax tree.

The tree comes from tree-sitter's JSON grammar, which reads comments and gives positions;
everything that no edit names keeps its bytes.
"""

from __future__ import annotations

import codecs
import json
import re
from collections.abc import Collection
from decimal import Decimal
from functools import cache
from typing import TYPE_CHECKING, Any, NoReturn

from left_intact.core.settings.document import Document, Key, NotReadable, flat
from left_intact.core.settings.formats.lines import SECTION_LINE

if TYPE_CHECKING:
    from tree_sitter import Node, Parser

_COMMENTS = re.compile(r"\A(?:\s*(?://[^\n]*|/\*.*?\*/))*\s*", re.DOTALL)
_OPENS = re.compile(r'\{\s*("|//|/\*|\})|\[\s*[\[{"\d\-\]]')


@cache
def _parser() -> Parser:
    import tree_sitter_json
    from tree_sitter import Language, Parser

    return Parser(Language(tree_sitter_json.language()))


class JsonDocument:
    """An object; keys are the names on the way to every value that is no object."""

    def __init__(self, data: bytes) -> None:
        self._bom = data.startswith(codecs.BOM_UTF8)
        self._data = data[3:] if self._bom else data
        self._pairs_of: dict[int, list[tuple[str, Node, Node]]] = {}
        self._top = self._parse()

    def _parse(self) -> Node:
        tree = _parser().parse(self._data)
        if tree.root_node.has_error:
            raise NotReadable("it is no valid JSON")
        tops = [n for n in tree.root_node.named_children if n.type != "comment"]
        if len(tops) != 1 or tops[0].type != "object":
            raise NotReadable("it is JSON, but no object")
        self._tree = tree
        self._pairs_of.clear()
        return tops[0]

    def _text(self, node: Node) -> str:
        return self._data[node.start_byte : node.end_byte].decode("utf-8", "surrogateescape")

    def _pairs(self, node: Node) -> list[tuple[str, Node, Node]]:
        if node.id in self._pairs_of:
            return self._pairs_of[node.id]
        found = self._pairs_of[node.id] = []
        for pair in node.named_children:
            key, value = pair.child_by_field_name("key"), pair.child_by_field_name("value")
            if pair.type == "pair" and key is not None and value is not None:
                found.append((_name(self._text(key)), pair, value))
        return found

    def values(self, whole: Collection[Key] = ()) -> dict[Key, str]:
        found: dict[Key, str] = {}

        def walk(node: Node, above: Key) -> None:
            for name, _, value in self._pairs(node):
                key = (*above, name)
                if value.type == "object" and key not in whole and self._pairs(value):
                    walk(value, key)
                else:
                    found[key] = self._text(value)

        walk(self._top, ())
        return found

    def groups(self) -> frozenset[Key]:
        found: set[Key] = set()

        def walk(node: Node, above: Key) -> None:
            for name, _, value in self._pairs(node):
                if value.type == "object" and self._pairs(value):
                    found.add((*above, name))
                    walk(value, (*above, name))

        walk(self._top, ())
        return frozenset(found)

    def doubtful(self) -> frozenset[str]:
        return frozenset()

    def head(self, value: str) -> str:
        return value

    def must_say_once(self) -> None:
        """Raises `NotReadable` where an object, however deep, has a name twice."""
        nodes = [self._top]
        while nodes:
            node = nodes.pop()
            nodes += node.named_children
            names = [name for name, _, _ in self._pairs(node)] if node.type == "object" else []
            if len(set(names)) != len(names):
                raise NotReadable(f"{next(n for n in names if names.count(n) > 1)} stands in it twice")

    def same(self, one: str, other: str) -> bool:
        return one == other or _meaning(one) == _meaning(other)

    def _find(self, key: Key) -> tuple[Node, Node] | None:
        node, pair = self._top, None
        for name in key:
            if node.type != "object":
                return None
            inside = [(p, v) for n, p, v in self._pairs(node) if n == name]
            if not inside:
                return None
            pair, node = inside[-1]
        return (pair, node) if pair is not None else None

    def _splice(self, start: int, stop: int, text: str) -> None:
        self._data = self._data[:start] + text.encode("utf-8", "surrogateescape") + self._data[stop:]
        self._top = self._parse()

    def _must_find(self, key: Key) -> tuple[Node, Node]:
        found = self._find(key)
        if found is None:
            raise KeyError(key)
        return found

    def set(self, key: Key, value: str) -> None:
        _, node = self._must_find(key)
        self._splice(node.start_byte, node.end_byte, value)

    def take(self, key: Key, like: Document, named: Key) -> None:
        assert isinstance(like, JsonDocument)
        self.set(key, like._text(like._must_find(named)[1]))

    def rename(self, key: Key, new: Key) -> None:
        pair, _ = self._must_find(key)
        node = pair.child_by_field_name("key")
        assert node is not None
        self._splice(node.start_byte, node.end_byte, json.dumps(new[-1], ensure_ascii=False))

    def remove(self, key: Key) -> None:
        pair, _ = self._must_find(key)
        start, stop = pair.start_byte, pair.end_byte
        after = pair.next_sibling
        while after is not None and after.type == "comment":
            after = after.next_sibling
        if after is not None and after.type == ",":
            stop = after.end_byte
            start = self._line_start(start)
        else:
            before = pair.prev_sibling
            while before is not None and before.type == "comment":
                before = before.prev_sibling
            if before is not None and before.type == ",":
                # Both at once: with the comma alone left over it would be no JSON.
                between = self._data[before.end_byte : self._line_start(start)].decode(
                    "utf-8", "surrogateescape"
                )
                self._splice(before.start_byte, stop, between)
                return
        self._splice(start, stop, "")

    def _line_start(self, at: int) -> int:
        start = at
        while start > 0 and self._data[start - 1 : start] in (b" ", b"\t", b"\n", b"\r"):
            start -= 1
        return start

    def insert(self, key: Key, like: Document) -> None:
        assert isinstance(like, JsonDocument)
        for depth in range(1, len(key)):
            found = self._find(key[:depth])
            if found is None:
                self._insert_pair(key[:depth], "{}", like)
            elif found[1].type != "object":
                raise NotReadable(f"{'.'.join(key[:depth])} is no object")
        _, value = like._must_find(key)
        self._insert_pair(key, like._text(value), like)

    def _insert_pair(self, key: Key, value: str, like: JsonDocument) -> None:
        parent = self._top if len(key) == 1 else self._must_find(key[:-1])[1]
        text = f"{json.dumps(key[-1], ensure_ascii=False)}: {value}"
        mine = self._pairs(parent)
        if not mine:
            outer = self._indent(parent) if b"\n" in self._data else None
            start, stop = parent.start_byte + 1, parent.end_byte - 1
            inside = self._data[start:stop].decode("utf-8", "surrogateescape").rstrip()
            body = text if outer is None else f"{inside}\n{outer}{self._step()}{text}\n{outer}"
            self._splice(start, stop, body if outer is not None or not inside else f"{inside}\n{text}")
            return
        after = self._neighbour(key, like, mine) or mine[-1][1]
        gap = self._data[self._line_start(mine[0][1].start_byte) : mine[0][1].start_byte].decode()
        comma, behind = self._behind(after)
        if "\n" not in gap and b"//" in self._data[after.end_byte : behind]:
            gap = "\n"
        if comma is None and behind > after.end_byte:
            # Behind the last pair and the comment on its line: the comma belongs before that.
            words = self._data[after.end_byte : behind].decode("utf-8", "surrogateescape")
            self._splice(after.end_byte, behind, f",{words}{gap or ' '}{text}")
        elif comma is None:
            self._splice(after.end_byte, after.end_byte, f",{gap or ' '}{text}")
        else:
            self._splice(behind, behind, f"{gap or ' '}{text},")

    def _behind(self, pair: Node) -> tuple[Node | None, int]:
        """(the comma after a pair, where the comments on its line end)."""
        comma, end, node = None, pair.end_byte, pair.next_sibling
        while node is not None and node.start_point.row == pair.end_point.row:
            if node.type == "," and comma is None:
                comma, end = node, node.end_byte
            elif node.type == "comment":
                end = node.end_byte
            else:
                break
            node = node.next_sibling
        while comma is None and node is not None and node.type in ("comment", ","):
            if node.type == ",":  # on a line below: then nothing may be put between
                return node, node.end_byte
            node = node.next_sibling
        return comma, end

    def _neighbour(self, key: Key, like: JsonDocument, mine: list[tuple[str, Node, Node]]) -> Node | None:
        above = like._find(key[:-1]) if len(key) > 1 else None
        order = [n for n, _, _ in like._pairs(above[1] if above else like._top)]
        own = {name: pair for name, pair, _ in mine}
        before = order[: order.index(key[-1])] if key[-1] in order else []
        return next((own[name] for name in reversed(before) if name in own), None)

    def _indent(self, node: Node) -> str:
        start = self._data.rfind(b"\n", 0, node.start_byte) + 1
        line = self._data[start : node.start_byte].decode("utf-8", "replace")
        return line[: len(line) - len(line.lstrip())]

    def _step(self) -> str:
        first = self._pairs(self._top)
        return (self._indent(first[0][1]) or "  ") if first else "  "

    def to_bytes(self) -> bytes:
        return (codecs.BOM_UTF8 if self._bom else b"") + self._data


def _name(text: str) -> str:
    """A key as it reads. Raises `NotReadable` for one that cannot be said in any encoding."""
    try:
        name = str(json.loads(text))
        name.encode()
    except ValueError as error:
        raise NotReadable(f"{text[:40]} is no name for a key") from error
    return name


def _meaning(text: str) -> Any:
    try:
        return _exactly(json.loads(text, parse_float=Decimal))
    except (ValueError, RecursionError):
        return text


def _exactly(value: Any) -> Any:
    """A value such that two are equal only where a program reads the same: true is not 1, and 1.0 not 1."""
    match value:
        case bool() | int() | Decimal():
            return type(value).__name__, value
        case float():
            return "Decimal", Decimal(repr(value))
        case list():
            return [_exactly(one) for one in value]
        case dict():
            return {name: _exactly(one) for name, one in value.items()}
    return value


class Json:
    """JSON, also with comments."""

    name = "text json"
    family = "json"

    def recognise(self, text: str) -> float:
        lead = text.lstrip()
        if not lead or SECTION_LINE.match(lead.splitlines()[0]):
            return 0.0
        return 1.0 if _OPENS.match(_COMMENTS.sub("", lead)) else 0.0

    def open(self, data: bytes) -> JsonDocument:
        return JsonDocument(data)

    def read(self, data: bytes, whole: Collection[Key] = ()) -> dict[Key, Any]:
        try:
            text = data.decode("utf-8-sig")
        except UnicodeDecodeError as error:
            raise NotReadable("its bytes are no UTF-8") from error
        try:
            tree = json.loads(text, object_pairs_hook=_once, parse_float=Decimal, parse_constant=_no_number)
        except (ValueError, RecursionError) as error:
            if "//" not in text and "/*" not in text:
                raise NotReadable(f"it is no valid JSON ({error})") from error
            JsonDocument(data).must_say_once()
            tree = _with_comments(text)
        if not isinstance(tree, dict):
            raise NotReadable("it is JSON, but no object")
        return {key: _exactly(value) for key, value in flat(tree, whole).items()}


def _once(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    found = dict(pairs)
    if len(found) != len(pairs):
        names = [name for name, _ in pairs]
        raise NotReadable(f"{next(n for n in names if names.count(n) > 1)} stands in it twice")
    return found


def _no_number(text: str) -> NoReturn:
    raise NotReadable(f"{text} is no number that JSON knows")


def _with_comments(text: str) -> Any:
    """By a reader of the larger JSON, which knows comments; it says nothing of keys that stand twice."""
    import pyjson5

    try:
        return pyjson5.decode(text)
    except pyjson5.Json5Exception as error:
        raise NotReadable(f"it is no valid JSON ({type(error).__name__})") from error
