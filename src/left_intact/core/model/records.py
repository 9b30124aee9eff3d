"""Values as records for journal and library: plain values for JSON, made and read by one codec.

A reader passes over what it does not know and fills in what is not there, so an older record opens, and a
newer one loses nothing but what only newer code needs. Names that are no UTF-8 survive, since the JSON is the
standard library's, which writes them as escapes.
"""

from __future__ import annotations

import json
import zlib
from types import MappingProxyType
from typing import Any, TypeVar

T = TypeVar("T")
Record = dict[str, Any]


def to_record(value: object) -> Any:
    """A value as plain ones."""
    import msgspec

    return msgspec.to_builtins(value, enc_hook=_plain)


def from_record(kind: type[T], said: object) -> T:
    """The reverse. Raises ValueError for what is no such value."""
    import msgspec

    return msgspec.convert(said, kind)


def to_text(value: object) -> str:
    """A value as JSON."""
    return json.dumps(to_record(value))


def from_text(kind: type[T], text: str) -> T:
    """The reverse. Raises ValueError."""
    return from_record(kind, json.loads(text))


def packed(value: object) -> bytes:
    """A value as compressed JSON."""
    return zlib.compress(json.dumps(to_record(value), separators=(",", ":")).encode(), 1)


def unpacked(kind: type[T], data: bytes) -> T:
    """The reverse. Raises ValueError."""
    try:
        return from_record(kind, json.loads(zlib.decompress(data)))
    except zlib.error as error:
        raise ValueError(str(error)) from error


def _plain(value: object) -> object:
    if isinstance(value, MappingProxyType):
        return dict(value)
    raise TypeError(f"{type(value).__name__} has no record")
