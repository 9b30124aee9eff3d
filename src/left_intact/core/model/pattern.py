"""The text of a pattern: what may speak of many paths, and what speaks of one to the letter."""

from __future__ import annotations

import re

SIGNS = re.compile(r"(?<!\\)(?:\\\\)*[*?]")
_ESCAPED = re.compile(r"\\([*?\\])")


def is_pattern(text: str) -> bool:
    """Whether a text may speak of more than one path."""
    return text.endswith("/") or SIGNS.search(text) is not None


def exactly(path: str) -> str:
    """The text that speaks of one path alone, or as the name of a folder of that folder alone."""
    return re.sub(r"([*?\\])", r"\\\1", path)


def literal(text: str) -> str:
    """The path that a text speaks of which is no pattern."""
    return _ESCAPED.sub(r"\1", text)
