"""The text that a registry is exported as: `"name"=value` under the ways of its keys. Read back by the
standard library's parser of sections, once lines that go on are one.
"""

from __future__ import annotations

import re
from collections.abc import Collection, Iterator
from typing import Any

from left_intact.core.settings.document import Key, NotReadable
from left_intact.core.settings.formats.lines import Line, decoded, parsed_sections
from left_intact.core.settings.formats.rows import Row, RowDocument, joined

_HEAD = re.compile(r"\A\s*(?:Windows Registry Editor Version \d[\d.]*|REGEDIT\d)\s*$", re.MULTILINE)
_SECTION = re.compile(r"^\s*\[(?P<name>[^\n]*)\]\s*$")
_ROW = re.compile(r'(?s)^\s*(?P<name>"(?:\\.|[^"\\])*"|@)\s*=\s*(?P<value>.*?)\s*$')
_GOES_ON = re.compile(r"\\\s*$")


class RegistryDocument(RowDocument):
    def _rows_of(self, lines: list[Line]) -> Iterator[Row]:
        section, begun = "", False
        for text, end in joined(lines, _GOES_ON):
            said = text.strip()
            if match := _SECTION.match(text):
                section = match["name"]
                yield Row(text, end, section=section, is_head=True)
            elif match := _ROW.match(text):
                name = match["name"]
                key = (section, name[1:-1] if name != "@" else "@")
                yield Row(text, end, key, match.span("name"), match.span("value"), section)
            elif not said or said.startswith(";") or not begun:
                begun = begun or bool(said)
                yield Row(text, end, section=section, is_comment=said.startswith(";"))
            else:
                raise NotReadable("it has lines that are no values")

    def _label(self, key: Key) -> str:
        return "@" if key[-1] == "@" else f'"{key[-1]}"'

    def same(self, one: str, other: str) -> bool:
        return _joined(one) == _joined(other)


def _joined(value: str) -> str:
    return re.sub(r"\\\s*[\r\n]+\s*", "", value)


class RegistryText:
    name = "text registry"
    family = "registry"
    tells_settings = False
    is_strict = False
    endings = frozenset({"reg"})

    def recognise(self, text: str) -> float:
        return 1.0 if _HEAD.match(text) else 0.0

    def open(self, data: bytes) -> RegistryDocument:
        return RegistryDocument(data)

    def read(self, data: bytes, whole: Collection[Key] = ()) -> dict[Key, Any]:
        text = _joined(re.sub(r"\r\n|\r", "\n", decoded(data).text))
        head, _, body = text.lstrip().partition("\n")
        if not _HEAD.match(head):
            raise NotReadable("it does not begin as a registry's text")
        found: dict[Key, Any] = {}
        for (section, name), value in parsed_sections(body).items():
            if name != "@" and not (len(name) > 1 and name[0] == name[-1] == '"'):
                raise NotReadable(f"{name} is no name in quotes")
            found[(section, name if name == "@" else name[1:-1])] = value
        return found
