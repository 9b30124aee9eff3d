"""TOML files, edited by the package that keeps their layout, and read back by the standard library's parser.

A table is a group of keys; an inline table, a list and a list of tables are one value each.
"""

from __future__ import annotations

import copy
import re
import tomllib
from collections.abc import Collection, Mapping
from typing import TYPE_CHECKING, Any

from left_intact.core.settings.document import Document, Key, NotReadable, PlainDocument, exactly, flat

if TYPE_CHECKING:
    from tomlkit.container import Container
    from tomlkit.items import Item, Table

_SIGNS = re.compile(
    r"""(?m)^[ \t]*(?:
        \[\[[^\[\]\n]+\]\]  # a list of tables
      | (?:[\w-]+|"[^"\n]*")(?:\.(?:[\w-]+|"[^"\n]*"))*[ \t]*=[ \t]*  # a key
        (?:"|'|\{|\[[ \t]*(?:$|["'\d\[\]{-])|\d{4}-\d\d-\d\d)
    )""",
    re.VERBOSE,
)
_CUTS = 40
"""A text that is the beginning of a file may end within a value; so many lines are left out to find out."""


class TomlDocument(PlainDocument):
    """A file of tables."""

    def __init__(self, data: bytes) -> None:
        import tomlkit
        from tomlkit.exceptions import TOMLKitError

        try:
            self._doc = tomlkit.parse(data.decode("utf-8"))
        except UnicodeDecodeError as error:
            raise NotReadable("its bytes are no UTF-8") from error
        except (TOMLKitError, ValueError, RecursionError) as error:
            raise NotReadable(f"it is no valid TOML ({error})") from error
        if "\r" in data.decode("utf-8").replace("\r\n", ""):
            raise NotReadable("its lines end in a way that TOML does not know")

    def values(self, whole: Collection[Key] = ()) -> dict[Key, str]:
        found: dict[Key, str] = {}

        def walk(node: Mapping[str, Any], above: Key) -> None:
            for name, item in node.items():
                key = (*above, name)
                if _is_table(item) and key not in whole and item:
                    walk(item, key)
                else:
                    found[key] = _written(item)

        walk(self._doc, ())
        return found

    def groups(self) -> frozenset[Key]:
        found: set[Key] = set()

        def walk(node: Mapping[str, Any], above: Key) -> None:
            for name, item in node.items():
                if _is_table(item) and item:
                    found.add((*above, name))
                    walk(item, (*above, name))

        walk(self._doc, ())
        return frozenset(found)

    def same(self, one: str, other: str) -> bool:
        return one == other or _meaning(one) == _meaning(other)

    def _holder(self, key: Key) -> Container | Table:
        node: Any = self._doc
        for name in key[:-1]:
            node = node[name]
            if not _is_table(node):
                raise NotReadable(f"{name} is no table")
        holder: Container | Table = node
        return holder

    def _item(self, key: Key) -> Item:
        item: Item = self._holder(key)[key[-1]]
        return item

    def take(self, key: Key, like: Document, named: Key) -> None:
        like = self._like(like)
        holder, item = self._holder(key), copy.deepcopy(like._item(named))
        old = holder[key[-1]]
        if not _is_table(old) and not _is_table(item) and hasattr(item, "trivia") and hasattr(old, "trivia"):
            item.trivia.comment_ws, item.trivia.comment = old.trivia.comment_ws, old.trivia.comment
        holder[key[-1]] = item

    def rename(self, key: Key, new: Key) -> None:
        holder = self._holder(key)
        item = holder[key[-1]]
        del holder[key[-1]]
        holder[new[-1]] = item

    def remove(self, key: Key) -> None:
        del self._holder(key)[key[-1]]

    def insert(self, key: Key, like: Document) -> None:
        import tomlkit

        like = self._like(like)
        node: Any = self._doc
        for name in key[:-1]:
            if name not in node:
                node[name] = tomlkit.table()
            node = node[name]
            if not _is_table(node):
                raise NotReadable(f"{name} is no table")
        node[key[-1]] = copy.deepcopy(like._item(key))

    def to_bytes(self) -> bytes:
        return self._doc.as_string().encode()


def _is_table(item: object) -> bool:
    """Whether something holds keys of its own. An inline table does not: it is written as one value."""
    from tomlkit.container import OutOfOrderTableProxy
    from tomlkit.items import Table

    return isinstance(item, Table | OutOfOrderTableProxy)


def _written(item: Any) -> str:
    text = item.as_string() if hasattr(item, "as_string") else str(item)
    return str(text).strip()


def _meaning(text: str) -> Any:
    try:
        return exactly(tomllib.loads(f"x = {text}")["x"])
    except (tomllib.TOMLDecodeError, RecursionError):
        return text


class Toml:
    name = "text toml"
    family = "toml"
    endings = frozenset({"toml"})
    tells_settings = True
    is_strict = True

    def recognise(self, text: str) -> float:
        """What says its kinds, and reads as TOML as far as the text goes. Without a kind it may be one."""
        if not _SIGNS.search(text):
            return 0.1 if "=" in text or "[" in text else 0.0
        for _ in range(_CUTS):
            try:
                return 0.95 if tomllib.loads(text) else 0.0
            except (tomllib.TOMLDecodeError, RecursionError):
                text = text.rstrip("\r\n").rpartition("\n")[0]
        return 0.0

    def open(self, data: bytes) -> TomlDocument:
        return TomlDocument(data)

    def read(self, data: bytes, whole: Collection[Key] = ()) -> dict[Key, Any]:
        try:
            tree = tomllib.loads(data.decode("utf-8"))
        except (UnicodeDecodeError, RecursionError) as error:
            raise NotReadable("its bytes are no TOML") from error
        except tomllib.TOMLDecodeError as error:
            raise NotReadable(f"it is no valid TOML ({error})") from error
        inline = self.open(data).values(whole).keys()
        return {key: exactly(value) for key, value in flat(tree, {*whole, *inline}).items()}
