"""Lists of one entry a line, in an order that counts, with a mark before it or without: what is on, what is
loaded first. An entry is a key, its mark the value.
"""

from __future__ import annotations

import re
from collections.abc import Collection, Iterator
from typing import Any

from left_intact.core.settings.document import Key, NotReadable
from left_intact.core.settings.formats.lines import Line, decoded
from left_intact.core.settings.formats.rows import Row, RowDocument

_ROW = re.compile(r"^\s*(?P<mark>[+\-*!#]?)\s*(?P<entry>\S.*?)\s*$")
_ENTRY = re.compile(r"(?:[\w.\-+/\\@~()\[\]&']+|[^=:;,{}<>\"]+\.\w{1,6}|[^=:;,{}<>\"]*/)\Z")
_LONGEST = 200


class ListDocument(RowDocument):
    def _rows_of(self, lines: list[Line]) -> Iterator[Row]:
        for text, end in lines:
            match = _ROW.match(text)
            if match is None or (match["mark"] == "#" and not _ENTRY.match(match["entry"])):
                yield Row(text, end, is_comment=bool(text.strip()))
                continue
            entry = match["entry"]
            yield Row(text, end, (entry,), match.span("entry"), match.span("mark"))

    def _label(self, key: Key) -> str:
        return key[-1]

    def take(self, key: Key, like: Any, named: Key) -> None:
        like = self._like(like)
        place, mark = self._at(key), like._rows[like._at(named)].value
        row = self._rows[place]
        (a, b), (c, d) = row.span, row.label
        text = row.text[:a] + mark + row.text[b:]
        moved = len(mark) - (b - a)
        self._rows[place] = Row(text, row.end, row.key, (c + moved, d + moved), (a, a + len(mark)))


class Listed:
    name = "text list"
    family = "list"
    tells_settings = False
    is_strict = False
    endings = frozenset[str]()

    def recognise(self, text: str) -> float:
        rows = [line for line in text.splitlines() if line.strip()]
        entries = [match for line in rows if (match := _ROW.match(line)) and match["mark"] != "#"]
        told = all(len(match["entry"]) <= _LONGEST and _ENTRY.match(match["entry"]) for match in entries)
        return 0.5 if len(entries) > 1 and told else 0.0

    def open(self, data: bytes) -> ListDocument:
        return ListDocument(data)

    def read(self, data: bytes, whole: Collection[Key] = ()) -> dict[Key, Any]:
        found: dict[Key, Any] = {}
        for line in decoded(data).text.splitlines():
            said = line.strip()
            mark = said[:1] if said[:1] in "+-*!#" else ""
            entry = said[len(mark) :].strip()
            if not entry or (mark == "#" and not _ENTRY.match(entry)):
                continue
            if (entry,) in found:
                raise NotReadable(f"{entry} stands in it twice")
            found[(entry,)] = mark
        return found
