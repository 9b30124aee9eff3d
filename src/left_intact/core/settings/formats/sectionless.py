"""Files of `key = value` without sections."""

from __future__ import annotations

from collections.abc import Collection
from typing import Any

from left_intact.core.settings.document import Key
from left_intact.core.settings.formats.lines import LineDocument, read_lines, shares_of

LEAST = 0.7
"""Share of the lines that must be keys."""


class Sectionless:
    name = "text keyvalue"
    family = "lines"
    endings = frozenset[str]()
    tells_settings = True
    is_strict = False

    def recognise(self, text: str) -> float:
        shares = shares_of(text)
        return 0.8 if shares.keys and not shares.sections and shares.of_keys >= LEAST else 0.0

    def open(self, data: bytes) -> LineDocument:
        return LineDocument(data)

    def read(self, data: bytes, whole: Collection[Key] = ()) -> dict[Key, Any]:
        return dict(read_lines(data))
