"""What every settings format offers: keys with values, and edits that touch nothing else.

A key is a tuple of names, outermost first: (`sound`, `rate`). A value is the text as
written in the file, without surrounding space or trailing comment.
"""

from __future__ import annotations

from typing import Protocol

Key = tuple[str, ...]


class NotReadable(Exception):
    """The bytes are not what their format says; the reason is the message."""


class Document(Protocol):
    """A settings file that can be changed key by key."""

    def values(self) -> dict[Key, str]:
        """All keys in the order of the file."""
        ...

    def same(self, one: str, other: str) -> bool:
        """Whether two written values mean the same."""
        ...

    def set(self, key: Key, value: str) -> None:
        """Give an existing key another value; its comment and layout stay."""
        ...

    def rename(self, key: Key, new: Key) -> None:
        """Give a key another name within its section; value, comment and place stay."""
        ...

    def remove(self, key: Key) -> None: ...

    def insert(self, key: Key, like: Document) -> None:
        """Add a key with value, comment and neighbourhood as `like` has it."""
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

    def recognise(self, text: str) -> float:
        """How sure it is that a text begins a file of this format, 0 to 1. From 0.5 on the surest has it."""
        ...

    def open(self, data: bytes) -> Document:
        """Raises `NotReadable`."""
        ...

    def check(self, data: bytes) -> None:
        """Read it by a parser that is not ours, strictly. Raises `NotReadable`."""
        ...


def shown(key: Key) -> str:
    """A key as people write it: `sound.rate`."""
    return ".".join(key)
