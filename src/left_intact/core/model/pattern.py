"""The text of a pattern: what may speak of many paths, and what speaks of one to the letter."""

from __future__ import annotations

import re

from left_intact.core.model.place import At

SIGNS = re.compile(r"(?<!\\)(?:\\\\)*[*?]")
_ESCAPED = re.compile(r"\\([*?\\])")


def is_pattern(text: str) -> bool:
    """Whether a text may speak of more than one path."""
    return text.endswith("/") or SIGNS.search(text) is not None


_LONGEST, _SIGNS_MOST = 1_000, 4
"""Letters of a pattern, and stars in one name of it or folders that it may cross: what a file is held against
by the hundred thousand must be told quickly.
"""


def why_no_pattern(text: str) -> str:
    """Why a text can be no pattern; empty where it can."""
    if not text:
        return "it is empty"
    if "\0" in text:
        return "it has a character that no path can have"
    if len(text) > _LONGEST:
        return f"it is longer than {_LONGEST:,} letters"
    names = text.split("/")
    if sum(name == "**" for name in names) > _SIGNS_MOST or any(n.count("*") > _SIGNS_MOST for n in names):
        return f"it has more than {_SIGNS_MOST} stars in one name, or crosses folders more often"
    return ""


def exactly(path: str) -> str:
    """The text that speaks of one path alone, or as the name of a folder of that folder alone."""
    return re.sub(r"([*?\\])", r"\\\1", path)


def exactly_at(at: At) -> str:
    """The same of a place."""
    return exactly(at.written)


def literal(text: str) -> str:
    """The path that a text speaks of which is no pattern."""
    return _ESCAPED.sub(r"\1", text)
