"""INI-like files: `key = value` under `[sections]`."""

from __future__ import annotations

from collections.abc import Collection
from typing import Any

from left_intact.core.settings.document import Key
from left_intact.core.settings.formats.lines import LineDocument, read_lines, shares_of

LEAST = 0.7
"""Share of the lines that must be keys or sections."""


class Ini:
    name = "text ini"
    family = "lines"
    endings = frozenset[str]()
    tells_settings = True
    is_strict = False

    def recognise(self, text: str) -> float:
        shares = shares_of(text)
        only_sections = shares.sections == shares.said and not shares.keys
        return (
            0.9 if shares.sections and (only_sections or (shares.keys and shares.of_keys >= LEAST)) else 0.0
        )

    def open(self, data: bytes) -> LineDocument:
        return LineDocument(data)

    def read(self, data: bytes, whole: Collection[Key] = ()) -> dict[Key, Any]:
        return dict(read_lines(data))
