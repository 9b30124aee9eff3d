"""Files of properties: `name=value`, `name: value` or `name value`, with escapes and lines that go on. Read
back by javaproperties.
"""

from __future__ import annotations

import re
from collections.abc import Collection, Iterator
from typing import Any

from left_intact.core.settings.document import Key, NotReadable
from left_intact.core.settings.formats.lines import Line, decoded
from left_intact.core.settings.formats.rows import Row, RowDocument, joined

_GOES_ON = re.compile(r"(?<!\\)(?:\\\\)*\\$")
_ROW = re.compile(r"(?s)^[ \t\f]*(?P<name>(?:\\.|[^\\=: \t\f])*)(?:[ \t\f]*[=:])?[ \t\f]*(?P<value>.*)$")
_ESCAPE = re.compile(r"(?s)\\(?:u([0-9a-fA-F]{4})|(\r\n|\r|\n)[ \t\f]*|(.))")
_LETTERS = {"t": "\t", "n": "\n", "r": "\r", "f": "\f"}


def _plain(text: str) -> str:
    """What a written name or value means."""

    def said(match: re.Match[str]) -> str:
        code, line, letter = match.groups()
        return chr(int(code, 16)) if code else "" if line else _LETTERS.get(letter, letter)

    return _ESCAPE.sub(said, text)


class PropertiesDocument(RowDocument):
    def _rows_of(self, lines: list[Line]) -> Iterator[Row]:
        plain: list[Line] = []
        for text, end in lines:
            # A comment goes on nowhere, whatever it ends with.
            if text.lstrip(" \t\f").startswith(("#", "!")) and not (plain and _GOES_ON.search(plain[-1][0])):
                yield from self._told(plain)
                plain = []
                yield Row(text, end, is_comment=True)
            else:
                plain.append((text, end))
        yield from self._told(plain)

    @staticmethod
    def _told(lines: list[Line]) -> Iterator[Row]:
        for text, end in joined(lines, _GOES_ON):
            if not text.strip(" \t\f"):
                yield Row(text, end)
                continue
            match = _ROW.match(text)
            assert match is not None
            yield Row(text, end, (_plain(match["name"]),), match.span("name"), match.span("value"))

    def _label(self, key: Key) -> str:
        return re.sub(r"([\\=: #!])", r"\\\1", key[-1])

    def same(self, one: str, other: str) -> bool:
        return _plain(one) == _plain(other)


class Properties:
    name = "text properties"
    family = "properties"
    tells_settings = False
    is_strict = False
    endings = frozenset({"properties"})

    def recognise(self, text: str) -> float:
        return 0.0  # the name alone says so: nearly every text can be read as properties

    def open(self, data: bytes) -> PropertiesDocument:
        return PropertiesDocument(data)

    def read(self, data: bytes, whole: Collection[Key] = ()) -> dict[Key, Any]:
        import javaproperties

        found: dict[Key, Any] = {}
        try:
            for one in javaproperties.parse(decoded(data).text):
                if isinstance(one, javaproperties.KeyValue):
                    if (one.key,) in found:
                        raise NotReadable(f"{one.key} stands in it twice")
                    found[(one.key,)] = one.value
        except ValueError as error:
            raise NotReadable("it has an escape that means nothing") from error
        return found
