"""YAML files, block and flow. A sequence is one value. What has anchors, tags, directives or several
documents is kept whole. Read back by ruamel.yaml.
"""

from __future__ import annotations

import io
import json
import re
from collections.abc import Collection, Mapping
from typing import TYPE_CHECKING, Any

from left_intact.core.settings.document import Document, Key, NotReadable, exactly, flat
from left_intact.core.settings.formats.tree import Pair, TreeDocument, must_stand_once

if TYPE_CHECKING:
    from tree_sitter import Node

_REFUSED = {
    "anchor": "an anchor",
    "alias": "an alias",
    "tag": "a tag",
    "yaml_directive": "a directive",
    "tag_directive": "a directive",
    "reserved_directive": "a directive",
}
_MAPPINGS = frozenset({"block_mapping", "flow_mapping"})
_BLOCKS = frozenset({"block_mapping", "block_sequence"})
_PLAIN = re.compile(r"[A-Za-z_][\w./ \-]*(?<! )\Z")
_LIKE_VALUES = frozenset({"true", "false", "null", "yes", "no", "on", "off", "y", "n"})
_MOST_LINES = 8_000
"""The parser that reads it back is a careful one, and slow."""
_PAIR = re.compile(r"""^\s*(?:[\w./\-]+|"[^"\n]+"|'[^'\n]+')\s*:(?:\s|$)""")
_LINE = re.compile(r"^\s*(?:#|-(?:\s|$)|---|\.\.\.|[\]}])")
_LEAST = 0.9


class YamlDocument(TreeDocument):
    """A mapping; keys are the names on the way to every value that is no mapping."""

    wants = "it is no valid YAML"

    @staticmethod
    def _grammar() -> object:
        import tree_sitter_yaml

        return tree_sitter_yaml.language()

    def _top_of(self, root: Node) -> Node:
        if self._data.count(b"\n") > _MOST_LINES:
            raise NotReadable("it has too many lines")
        documents = [one for one in root.named_children if one.type == "document"]
        if len(documents) > 1:
            raise NotReadable("it holds several documents")
        todo = list(root.named_children)
        while todo:
            node = todo.pop()
            if node.type in _REFUSED:
                raise NotReadable(f"it has {_REFUSED[node.type]} ({self._text(node)[:40]})")
            todo += node.named_children
        top = (
            next((one for one in documents[0].named_children if one.type != "comment"), None)
            if documents
            else None
        )
        if top is not None and self._mapping(top) is None:
            raise NotReadable("it is YAML, but no mapping")
        return top if top is not None else root

    # ------------------------------------------------------------ the tree

    @staticmethod
    def _inside(value: Node) -> Node | None:
        """What a node around a value holds."""
        return next((one for one in value.named_children if one.type != "comment"), None)

    def _mapping(self, value: Node) -> Node | None:
        if value.type not in ("block_node", "flow_node"):
            return None
        inside = self._inside(value)
        return inside if inside is not None and inside.type in _MAPPINGS else None

    def _holds(self, value: Node) -> bool:
        return self._mapping(value) is not None

    def _pairs_in(self, node: Node) -> list[Pair]:
        mapping, found = self._mapping(node), list[Pair]()
        for pair in mapping.named_children if mapping is not None else ():
            if pair.type == "comment":
                continue
            key, value = pair.child_by_field_name("key"), pair.child_by_field_name("value")
            if (
                pair.type not in ("block_mapping_pair", "flow_pair")
                or key is None
                or pair.children[0].type == "?"
            ):
                raise NotReadable(f"{self._text(pair)[:40]} is no plain pair")
            found.append((self._name(key), pair, value if value is not None else pair))
        must_stand_once(name for name, _, _ in found)
        return found

    def _name(self, key: Node) -> str:
        text, inside = self._text(key), self._inside(key)
        kind = inside.type if inside is not None else ""
        if kind == "plain_scalar" and text != "<<" and "\n" not in text:
            return text
        if kind == "single_quote_scalar":
            return text[1:-1].replace("''", "'")
        if kind == "double_quote_scalar":
            try:
                return str(json.loads(text))
            except ValueError as error:
                raise NotReadable(f"{text[:40]} is no name for a key") from error
        raise NotReadable(f"{text[:40]} is no name for a key")

    def _written(self, pair: Node, value: Node) -> str:
        return "" if value.id == pair.id else self._lines(value)

    def _stop(self, node: Node) -> int:
        """Where a node ends; the comments that follow a block are none of it."""
        if node.type in ("block_node", "block_sequence_item", "block_mapping_pair", *_BLOCKS):
            last = next((one for one in reversed(node.children) if one.type != "comment"), None)
            return self._stop(last) if last is not None else node.end_byte
        return node.end_byte

    def _lines(self, value: Node) -> str:
        """A value with its lines as if it began at the left."""
        text = self._between(value.start_byte, self._stop(value))
        first, *rest = text.replace("\r\n", "\n").split("\n")
        inside = self._inside(value)
        if inside is not None and inside.type in _BLOCKS:
            column = value.start_point.column
            return "\n".join(
                [first, *(line[column:] if not line[:column].strip() else line.lstrip() for line in rest)]
            )
        depth = min((len(line) - len(line.lstrip()) for line in rest if line.strip()), default=0)
        return "\n".join([first, *(f"  {line[depth:]}" if line.strip() else "" for line in rest)])

    def same(self, one: str, other: str) -> bool:
        return one == other or _meaning(one) == _meaning(other)

    # ------------------------------------------------------------ editing

    def _column(self, pair: Node) -> int:
        return pair.start_point.column

    def _colon(self, pair: Node) -> int:
        """Where the sign behind the name of a pair ends."""
        return next(one.end_byte for one in pair.children if one.type == ":")

    def _behind_the_sign(self, pair: Node, value: Node) -> tuple[bool, str, int]:
        """(whether it stands on the lines below, its lines from the left, how much further in those are)."""
        if value.id == pair.id:
            return False, "", 0
        inside = self._inside(value)
        is_block = inside is not None and inside.type in _BLOCKS
        return is_block, self._lines(value), value.start_point.column - self._column(pair) if is_block else 2

    def _said_at(self, column: int, value: tuple[bool, str, int]) -> str:
        """What stands behind the sign of a pair at a column."""
        is_block, text, further = value
        inner = " " * (column + further)
        lines = (
            [inner + line if line else "" for line in text.split("\n")]
            if is_block
            else _indented(text, column)
        )
        said = self._newline.join(lines)
        return f"{self._newline}{said}" if is_block else f" {said}" if said else ""

    def take(self, key: Key, like: Document, named: Key) -> None:
        like = self._like(like)
        (pair, value), (other, theirs) = self._must_find(key), like._must_find(named)
        what = like._behind_the_sign(other, theirs)
        if pair.type == "flow_pair" and (what[0] or "\n" in what[1]):
            raise NotReadable(f"{key[-1]} stands in a line, where a block cannot")
        start = self._colon(pair)
        stop = start if value.id == pair.id else self._stop(value)
        self._splice(start, stop, self._said_at(self._column(pair), what))

    def rename(self, key: Key, new: Key) -> None:
        pair, _ = self._must_find(key)
        node = pair.child_by_field_name("key")
        assert node is not None
        self._splice(node.start_byte, node.end_byte, _as_name(new[-1]))

    def remove(self, key: Key) -> None:
        pair, _ = self._must_find(key)
        above = self._find(key[:-1]) if len(key) > 1 else None
        if above is not None and len(self._pairs(above[1])) == 1:
            self._splice(self._colon(above[0]), self._stop(above[1]), " {}")
        elif pair.type == "flow_pair":
            self._remove_flow(pair)
        else:
            start = self._data.rfind(b"\n", 0, pair.start_byte) + 1
            self._splice(start, self._end_of_line(pair, with_break=True), "")

    def _remove_flow(self, pair: Node) -> None:
        after, before = pair.next_sibling, pair.prev_sibling
        if after is not None and after.type == ",":
            stop = after.end_byte
            while self._data[stop : stop + 1] == b" ":
                stop += 1
            self._splice(pair.start_byte, stop, "")
        elif before is not None and before.type == ",":
            self._splice(before.start_byte, pair.end_byte, "")
        else:
            self._splice(pair.start_byte, pair.end_byte, "")

    def _end_of_line(self, pair: Node, *, with_break: bool = False) -> int:
        """Where the last line of a pair ends, with the comment on it."""
        end = self._stop(pair)
        while end > pair.start_byte and self._data[end - 1 : end] in (b"\n", b"\r", b" "):
            end -= 1
        stop = self._data.find(b"\n", end)
        if stop < 0:
            return len(self._data)
        if with_break:
            return stop + 1
        return stop - 1 if self._data[stop - 1 : stop] == b"\r" else stop

    def insert(self, key: Key, like: Document) -> None:
        like = self._like(like)
        depth = next(d for d in range(len(key) - 1, -1, -1) if d == 0 or self._find(key[:d]) is not None)
        pair, value = like._must_find(key)
        there = self._must_find(key[:depth]) if depth else None
        holder = there[1] if there is not None else self._top
        mapping = self._mapping(holder)
        if mapping is not None and mapping.type == "flow_mapping" and self._pairs(holder):
            self._insert_flow(key, depth, mapping, like._behind_the_sign(pair, value))
            return
        mine = self._pairs(holder) if mapping is not None else []
        if there is not None and not mine and (there[1].id != there[0].id and mapping is None):
            raise NotReadable(f"{key[depth - 1]} holds no keys")
        column = self._column(mine[0][1]) if mine else self._column(there[0]) + self._step() if there else 0
        lines = like._comments_above(like._must_find(key[: depth + 1])[0])
        for at in range(depth, len(key) - 1):
            lines.append(" " * (self._step() * (at - depth)) + f"{_as_name(key[at])}:")
        inner = self._step() * (len(key) - 1 - depth)
        lines = [" " * column + line for line in lines]
        behind = self._said_at(column + inner, like._behind_the_sign(pair, value))
        lines.append(
            " " * (column + inner) + f"{_as_name(key[-1])}:{behind}{like._comment_behind(pair, value)}"
        )
        text = self._newline.join(lines)
        if mine:
            after = self._neighbour(key[: depth + 1], like, mine) or mine[-1][1]
            at = self._end_of_line(after)
            self._splice(at, at, self._newline + text)
        elif there is not None:
            stop = there[1].end_byte if there[1].id != there[0].id else self._colon(there[0])
            self._splice(self._colon(there[0]), stop, self._newline + text)
        else:
            gap = self._newline if self._data and not self._data.endswith(b"\n") else ""
            self._splice(len(self._data), len(self._data), f"{gap}{text}{self._newline}")

    def _insert_flow(self, key: Key, depth: int, mapping: Node, value: tuple[bool, str, int]) -> None:
        if value[0] or "\n" in value[1]:
            raise NotReadable(f"{key[-1]} cannot be said in a line")
        text = f"{_as_name(key[-1])}: {value[1]}".rstrip()
        for name in reversed(key[depth:-1]):
            text = f"{_as_name(name)}: {{{text}}}"
        last = next(one for one in reversed(mapping.named_children) if one.type == "flow_pair")
        self._splice(last.end_byte, last.end_byte, f", {text}")

    def _comments_above(self, pair: Node) -> list[str]:
        """The comment lines right above a pair, from the left; what begins the file speaks of all of it."""
        lines = self._between(0, pair.start_byte).replace("\r\n", "\n").split("\n")[:-1]
        found: list[str] = []
        while lines and lines[-1].lstrip().startswith("#"):
            found.insert(0, lines.pop().strip())
        return found if lines else []

    def _comment_behind(self, pair: Node, value: Node) -> str:
        """What stands behind a value on its line."""
        end = value.end_byte if value.id != pair.id else self._colon(pair)
        stop = self._data.find(b"\n", end)
        words = self._between(end, stop if stop >= 0 else len(self._data)).rstrip()
        inside = self._inside(value)
        is_block = inside is not None and inside.type in (*_BLOCKS, "block_scalar")
        return words if words.lstrip().startswith("#") and not is_block and pair.type != "flow_pair" else ""

    def _step(self) -> int:
        """How much further a mapping stands than the name that it belongs to."""
        for _, pair, value in self._pairs(self._top):
            mapping = self._mapping(value) if value.id != pair.id else None
            if mapping is not None and mapping.type == "block_mapping":
                return max(1, mapping.start_point.column - self._column(pair))
        return 2


def _indented(text: str, column: int) -> list[str]:
    """The lines of a value that begins behind a sign; those below stand further in than its name."""
    first, *rest = text.split("\n")
    return [first, *(f"{' ' * column}{line}" if line else "" for line in rest)]


def _as_name(name: str) -> str:
    is_plain = _PLAIN.match(name) and name.lower() not in _LIKE_VALUES
    return name if is_plain or name.isdigit() else json.dumps(name, ensure_ascii=False)


# ---------------------------------------------------------------- the reader that is not ours


def _loaded(text: str) -> Any:
    from ruamel.yaml import YAML
    from ruamel.yaml.error import YAMLError

    parser = YAML(typ="safe", pure=True)
    try:
        found = list(parser.load_all(io.StringIO(text)))
    except (YAMLError, ValueError, RecursionError, AttributeError) as error:
        raise NotReadable("it is no valid YAML") from error
    if len(found) > 1:
        raise NotReadable("it holds several documents")
    return found[0] if found else None


def _meaning(text: str) -> Any:
    try:
        return exactly(_named(_loaded(text)))
    except NotReadable:
        return text


def _said(name: Any) -> str:
    """A name that is no text, as it is written."""
    if isinstance(name, bool):
        return "true" if name else "false"
    return "null" if name is None else str(name)


def _named(tree: Any) -> Any:
    """The same with all names as texts."""
    if isinstance(tree, list):
        return [_named(one) for one in tree]
    if isinstance(tree, Mapping):
        return {_said(name): _named(value) for name, value in tree.items()}
    return tree


class Yaml:
    name = "text yaml"
    family = "yaml"
    tells_settings = False
    is_strict = True
    endings = frozenset({"yaml", "yml"})

    def recognise(self, text: str) -> float:
        lines = [line for line in text.splitlines() if line.strip()]
        pairs = sum(1 for line in lines if _PAIR.match(line))
        known = sum(
            1 for line in lines if _PAIR.match(line) or _LINE.match(line) or line.startswith((" ", "\t"))
        )
        return 0.7 if pairs and known >= _LEAST * len(lines) else 0.0

    def open(self, data: bytes) -> YamlDocument:
        return YamlDocument(data)

    def read(self, data: bytes, whole: Collection[Key] = ()) -> dict[Key, Any]:
        try:
            text = data.decode("utf-8-sig")
        except UnicodeDecodeError as error:
            raise NotReadable("its bytes are no UTF-8") from error
        tree = _loaded(text)
        if tree is None:
            return {}
        if not isinstance(tree, Mapping):
            raise NotReadable("it is YAML, but no mapping")
        found = flat(_named(tree), whole)
        return {key: {} if value == {} else exactly(value) for key, value in found.items()}
