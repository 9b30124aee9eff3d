"""JSON files, also with comments."""

from __future__ import annotations

import json
import re
from collections.abc import Collection
from decimal import Decimal
from typing import TYPE_CHECKING, Any, NoReturn

from left_intact.core.settings.document import Document, Key, NotReadable, flat
from left_intact.core.settings.formats.lines import SECTION_LINE
from left_intact.core.settings.formats.tree import Pair, TreeDocument

if TYPE_CHECKING:
    from tree_sitter import Node

_COMMENTS = re.compile(r"\A(?:\s*(?://[^\n]*|/\*.*?\*/))*\s*", re.DOTALL)
_OPENS = re.compile(r'\{\s*("|//|/\*|\})|\[\s*[\[{"\d\-\]]')


class JsonDocument(TreeDocument):
    """An object; keys are the names on the way to every value that is no object."""

    wants = "it is no valid JSON"

    @staticmethod
    def _grammar() -> object:
        import tree_sitter_json

        return tree_sitter_json.language()

    def _top_of(self, root: Node) -> Node:
        tops = [n for n in root.named_children if n.type != "comment"]
        if len(tops) != 1 or tops[0].type != "object":
            raise NotReadable("it is JSON, but no object")
        return tops[0]

    def _pairs_in(self, node: Node) -> list[Pair]:
        found = []
        for pair in node.named_children:
            key, value = pair.child_by_field_name("key"), pair.child_by_field_name("value")
            if pair.type == "pair" and key is not None and value is not None:
                found.append((_name(self._text(key)), pair, value))
        return found

    def _holds(self, value: Node) -> bool:
        return value.type == "object"

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

    def set(self, key: Key, value: str) -> None:
        _, node = self._must_find(key)
        self._splice(node.start_byte, node.end_byte, value)

    def take(self, key: Key, like: Document, named: Key) -> None:
        like = self._like(like)
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

    def insert(self, key: Key, like: Document) -> None:
        like = self._like(like)
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
            outer = self._indent(parent.start_byte) if b"\n" in self._data else None
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

    def _step(self) -> str:
        first = self._pairs(self._top)
        return (self._indent(first[0][1].start_byte) or "  ") if first else "  "


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
    endings = frozenset({"json", "jsonc", "json5"})
    tells_settings = True
    is_strict = True

    def recognise(self, text: str) -> float:
        lead = text.lstrip()
        if not lead:
            return 0.0
        if SECTION_LINE.match(lead.splitlines()[0]):  # or a list on one line
            return 1.0 if isinstance(_meaning(lead), list) else 0.0
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
