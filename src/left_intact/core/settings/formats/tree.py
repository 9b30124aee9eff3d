"""Files that are a tree, edited in place by the byte ranges of their syntax tree: what JSON, XML and YAML
have in common. The tree comes from a tree-sitter grammar, which reads comments and gives positions; what no
edit names keeps its bytes: comments, order, spacing, line ends and byte order mark.
"""

from __future__ import annotations

import codecs
from abc import ABC, abstractmethod
from collections import Counter
from collections.abc import Callable, Collection, Iterable
from functools import cache
from typing import TYPE_CHECKING

from left_intact.core.settings.document import Key, NotReadable, PlainDocument

if TYPE_CHECKING:
    from tree_sitter import Node, Parser


@cache
def _parser(grammar: Callable[[], object]) -> Parser:
    from tree_sitter import Language, Parser

    return Parser(Language(grammar()))


def must_stand_once(names: Iterable[str]) -> None:
    """Raises `NotReadable` for a name that stands in its place twice."""
    for name, number in Counter(names).items():
        if number > 1:
            raise NotReadable(f"{name} stands in it twice")


Pair = tuple[str, "Node", "Node"]
"""(name, all of the pair, its value)."""


class TreeDocument(PlainDocument, ABC):
    """Pairs of names and values; keys are the names on the way to every value that holds no pairs."""

    wants = ""
    """What is said of a file that the grammar does not read."""

    def __init__(self, data: bytes) -> None:
        self._bom = data.startswith(codecs.BOM_UTF8)
        self._data = data[3:] if self._bom else data
        self._pairs_of: dict[int, list[Pair]] = {}
        self._top = self._parse()

    @staticmethod
    @abstractmethod
    def _grammar() -> object:
        """The language of its tree-sitter grammar."""

    @abstractmethod
    def _top_of(self, root: Node) -> Node:
        """What holds the outermost pairs. Raises `NotReadable`."""

    @abstractmethod
    def _pairs_in(self, node: Node) -> list[Pair]:
        """The pairs right in a node. Raises `NotReadable`."""

    @abstractmethod
    def _holds(self, value: Node) -> bool:
        """Whether a value may hold pairs of its own."""

    def _parse(self) -> Node:
        tree = _parser(self._grammar).parse(self._data)
        if tree.root_node.has_error:
            raise NotReadable(self.wants)
        self._tree = tree  # nodes live as long as their tree
        self._pairs_of.clear()
        return self._top_of(tree.root_node)

    def _text(self, node: Node) -> str:
        return self._between(node.start_byte, node.end_byte)

    def _between(self, start: int, stop: int) -> str:
        return self._data[start:stop].decode("utf-8", "surrogateescape")

    def _pairs(self, node: Node) -> list[Pair]:
        if node.id not in self._pairs_of:
            self._pairs_of[node.id] = self._pairs_in(node)
        return self._pairs_of[node.id]

    def _written(self, pair: Node, value: Node) -> str:
        """A value as it is written."""
        return self._text(value)

    # ------------------------------------------------------------ reading

    def values(self, whole: Collection[Key] = ()) -> dict[Key, str]:
        found: dict[Key, str] = {}

        def walk(node: Node, above: Key) -> None:
            for name, pair, value in self._pairs(node):
                key = (*above, name)
                if self._holds(value) and key not in whole and self._pairs(value):
                    walk(value, key)
                else:
                    found[key] = self._written(pair, value)

        try:
            walk(self._top, ())
        except RecursionError as error:
            raise NotReadable("it is nested too deep") from error
        return found

    def groups(self) -> frozenset[Key]:
        found: set[Key] = set()

        def walk(node: Node, above: Key) -> None:
            for name, _, value in self._pairs(node):
                if self._holds(value) and self._pairs(value):
                    found.add((*above, name))
                    walk(value, (*above, name))

        walk(self._top, ())
        return frozenset(found)

    def _find(self, key: Key) -> tuple[Node, Node] | None:
        """(the pair, its value)."""
        node, pair = self._top, None
        for name in key:
            if not self._holds(node):
                return None
            inside = [(p, v) for n, p, v in self._pairs(node) if n == name]
            if not inside:
                return None
            pair, node = inside[-1]
        return (pair, node) if pair is not None else None

    def _must_find(self, key: Key) -> tuple[Node, Node]:
        found = self._find(key)
        if found is None:
            raise KeyError(key)
        return found

    def _order_in(self, above: Key) -> list[str]:
        """The names right below a key, in the order of the file."""
        found = self._find(above) if above else None
        return [name for name, _, _ in self._pairs(found[1] if found else self._top)]

    def _neighbour(self, key: Key, like: TreeDocument, mine: list[Pair]) -> Node | None:
        """The pair of `mine` behind which a key is to stand, as it does in `like`."""
        order = like._order_in(key[:-1])
        own = {name: pair for name, pair, _ in mine}
        before = order[: order.index(key[-1])] if key[-1] in order else []
        return next((own[name] for name in reversed(before) if name in own), None)

    # ------------------------------------------------------------ editing

    def _splice(self, start: int, stop: int, text: str) -> None:
        self._data = self._data[:start] + text.encode("utf-8", "surrogateescape") + self._data[stop:]
        self._top = self._parse()

    def _line_start(self, at: int) -> int:
        """Where the space before a place begins, line ends among it."""
        start = at
        while start > 0 and self._data[start - 1 : start] in (b" ", b"\t", b"\n", b"\r"):
            start -= 1
        return start

    def _indent(self, at: int) -> str:
        """The space that the line of a place begins with."""
        start = self._data.rfind(b"\n", 0, at) + 1
        line = self._data[start:at].decode("utf-8", "replace")
        return line[: len(line) - len(line.lstrip())]

    @property
    def _newline(self) -> str:
        return "\r\n" if b"\r\n" in self._data else "\n"

    def to_bytes(self) -> bytes:
        return (codecs.BOM_UTF8 if self._bom else b"") + self._data
