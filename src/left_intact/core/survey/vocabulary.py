"""`vocabulary.toml`, read once: words that the survey knows beside those that speak for a class."""

from __future__ import annotations

import tomllib
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from functools import cache
from importlib.resources import files
from typing import Any


@dataclass(frozen=True, slots=True, kw_only=True)
class UsualPlace:
    """A folder below a home in which programs keep folders of their own name."""

    label: str
    """What the root is called that is found there."""
    path: str
    """Below the home, POSIX style; empty for the home itself."""
    variable: str = ""
    """The environment variable that may name another place."""
    user: bool = False
    """Whether the folders of users on a foreign drive have one too."""


@cache
def _said() -> Mapping[str, Any]:
    return tomllib.loads(files("left_intact.core.survey").joinpath("vocabulary.toml").read_text("utf-8"))


@cache
def words(table: str) -> frozenset[str]:
    """The words of a table, as they are written there."""
    return frozenset(name for group in _said()[table]["words"] for name in group["names"])


@cache
def either(table: str) -> str:
    """The words of a table as alternatives of a regular expression, the longest first."""
    import re

    return "|".join(re.escape(word) for word in sorted(words(table), key=lambda w: (-len(w), w)))


def usual_places() -> Iterator[UsualPlace]:
    """The usual places, in the order in which they are looked into."""
    for row in _said()["usual-place"]:
        yield UsualPlace(**{key: value for key, value in row.items() if key != "standard"})
