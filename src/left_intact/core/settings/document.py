"""What every settings adapter offers: keys with values, and edits that touch nothing else.

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


def open_document(data: bytes, file_format: str) -> Document:
    """The adapter for a format in the words of `files.headers`. Raises `NotReadable`."""
    if file_format == "text json":
        from left_intact.core.settings.json_document import JsonDocument

        return JsonDocument(data)
    if file_format in ("text ini", "text keyvalue"):
        from left_intact.core.settings.line_document import LineDocument

        return LineDocument(data)
    raise NotReadable(f"there is no adapter for {file_format or 'this format'}")


def shown(key: Key) -> str:
    """A key as people write it: `sound.rate`."""
    return ".".join(key)
