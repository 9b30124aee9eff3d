"""What every settings format offers: keys with values, edits that touch nothing else, and a second reader.

A key is a tuple of names, outermost first: (`sound`, `rate`). A value is the text as written in the file,
without the space around it. What a value means is said by a parser that is not ours: decisions are made on
that, and a merged file is read back by it.
"""

from __future__ import annotations

import json
from collections.abc import Collection, Mapping
from typing import Any, Protocol, Self

Key = tuple[str, ...]


class NotReadable(Exception):
    """The bytes are not what their format says; the reason is the message."""


class Document(Protocol):
    """A settings file that can be changed key by key."""

    def values(self, whole: Collection[Key] = ()) -> dict[Key, str]:
        """All keys in the order of the file.

        `whole` are keys to be taken as one value each, also where they hold keys of their own.
        """
        ...

    def groups(self) -> frozenset[Key]:
        """Keys that hold keys of their own, where a key could hold a value instead."""
        ...

    def doubtful(self) -> frozenset[str]:
        """Names that are no keys here, and that another reader of this format might take for keys."""
        ...

    def same(self, one: str, other: str) -> bool:
        """Whether two written values mean the same."""
        ...

    def head(self, value: str) -> str:
        """A written value without what may be a comment behind it, or be part of it."""
        ...

    def must_agree(self, others: Collection[Document]) -> None:
        """Raises `NotReadable` where it is not sure what of one file is what of another."""
        ...

    def take(self, key: Key, like: Document, named: Key) -> None:
        """Give an existing key the value that `named` has in `like`; the layout around it stays."""
        ...

    def rename(self, key: Key, new: Key) -> None:
        """Give a key another name within its section; its value stays."""
        ...

    def remove(self, key: Key) -> None: ...

    def insert(self, key: Key, like: Document) -> None:
        """Add a key with value and neighbourhood as `like` has it."""
        ...

    def to_bytes(self) -> bytes: ...


class Format(Protocol):
    """One settings format: how it is known, opened, and read by somebody else."""

    @property
    def name(self) -> str:
        """In the words of `files.headers`: `text ini`."""
        ...

    @property
    def family(self) -> str:
        """Formats of one family can be merged with each other."""
        ...

    @property
    def endings(self) -> frozenset[str]:
        """What the names of its files end in and of no other's: then it is this format or none."""
        ...

    @property
    def tells_settings(self) -> bool:
        """Whether a text that begins as one is taken for settings wherever it lies."""
        ...

    @property
    def is_strict(self) -> bool:
        """Whether a program that reads it refuses all of a file for one thing that is wrong in it."""
        ...

    def recognise(self, text: str) -> float:
        """How sure it is that a text begins a file of this format, 0 to 1. From 0.5 on the surest has it;
        what is less sure is so only where all of it can be read.
        """
        ...

    def open(self, data: bytes) -> Document:
        """Raises `NotReadable`."""
        ...

    def read(self, data: bytes, whole: Collection[Key] = ()) -> dict[Key, Any]:
        """What every key means, by a parser that is not ours, strictly. Raises `NotReadable`."""
        ...


class PlainDocument:
    """What is so where a format says nothing else: no name is doubtful, and a value means what it says."""

    def groups(self) -> frozenset[Key]:
        return frozenset()  # a section and a key may bear one name

    def doubtful(self) -> frozenset[str]:
        return frozenset()

    def same(self, one: str, other: str) -> bool:
        return one == other

    def head(self, value: str) -> str:
        return value

    def must_agree(self, others: Collection[Document]) -> None:
        pass

    def _like(self, like: Document) -> Self:
        """Another document of the same format."""
        assert isinstance(like, type(self))
        return like


def exactly(value: Any) -> Any:
    """A value such that two are equal only where a program reads the same: true is not 1, and 1.0 not 1."""
    match value:
        case list():
            return [exactly(one) for one in value]
        case dict():
            return {name: exactly(one) for name, one in value.items()}
    return type(value).__name__, repr(value)


def shown(key: Key) -> str:
    """A key as people write it: `sound.rate`; a name that has a dot of its own in quotes."""
    return ".".join(json.dumps(name, ensure_ascii=False) if _is_odd(name) else name for name in key)


def _is_odd(name: str) -> bool:
    return not name or "." in name or '"' in name or "→" in name


def flat(tree: Mapping[str, Any], whole: Collection[Key] = ()) -> dict[Key, Any]:
    """A tree of objects by the ways to its values; an object without keys is a value."""
    found: dict[Key, Any] = {}

    def walk(node: Mapping[str, Any], above: Key) -> None:
        for name, value in node.items():
            key = (*above, name)
            if isinstance(value, dict) and value and key not in whole:
                walk(value, key)
            else:
                found[key] = value

    walk(tree, ())
    return found
