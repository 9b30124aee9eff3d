"""Path patterns of rulings and keepsheets.

`saves/` is a folder with all below it; `*` and `?` stay within one name; `**` crosses folders; a pattern
without a slash and with a star is met in any folder. Case counts. Any other text is one path, to the letter:
brackets and braces are part of names (`Cart [!].w16`), and a backslash takes its meaning from a star or a
question mark that is part of one.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Collection, Sequence
from functools import lru_cache
from typing import NamedTuple

from left_intact.core.model.pattern import SIGNS, exactly, is_pattern, literal, why_no_pattern
from left_intact.core.model.place import At, from_words

_ANY_SUFFIX = re.compile(r"\*(\.[^*?\[\\/]+)")


@lru_cache(maxsize=4096)
def _compiled(pattern: str) -> re.Pattern[str]:
    from wcmatch import glob

    if why_no_pattern(pattern.replace("\0", "")):
        return re.compile(r"(?!)")  # it meets nothing, wherever it was written down
    flags = glob.GLOBSTAR | glob.DOTGLOB | glob.CASE | glob.FORCEUNIX | glob.MATCHBASE
    plain = pattern.replace("[", r"\[")
    if plain.endswith("/"):
        folder = plain.rstrip("/") or "**"
        plain = f"{folder}/**"
        either = [glob.translate(one, flags=flags)[0][0] for one in (folder, plain)]
        return re.compile("|".join(f"(?:{one})" for one in either))
    return re.compile(glob.translate(plain, flags=flags)[0][0])


class Pattern(NamedTuple):
    """What a person or a keepsheet wrote, as it is meant."""

    root: str
    """The label of the root that it speaks of alone. Where it is empty it speaks of the install, and of other
    roots if it may be met in any folder.
    """
    text: str

    @staticmethod
    def of(written: str, labels: Collection[str]) -> Pattern:
        """One that begins with the label of a root speaks of that root."""
        return Pattern(*from_words(written, labels))

    @property
    def shown(self) -> str:
        return At(*self).shown

    @property
    def _held(self) -> str:
        return f"{exactly(_in_root(self.root))}{self.text}" if self.root else self.text

    def speaks_of(self, at: At) -> bool:
        """Whether a place meets it."""
        return matches(self._held, _held(at))


def _in_root(label: str) -> str:
    """How the text begins that is held against patterns, of what lies in another root: a mark that no name
    can have tells it from a folder which is called so.
    """
    return f"{label}\0/"


def _held(at: At) -> str:
    if not at.root:
        return at.path
    return _in_root(at.root) + at.path if at.path else _in_root(at.root).rstrip("/")


def matches(pattern: str, path: str) -> bool:
    """Whether a path meets the text of a pattern."""
    if not is_pattern(pattern):
        return literal(pattern) == path
    if pattern.endswith("/") and not SIGNS.search(pattern):
        folder = literal(pattern.rstrip("/"))
        return path == folder or path.startswith(folder + "/")
    return _compiled(pattern).fullmatch(path) is not None


class PatternTable:
    """Many patterns over many paths: look-ups by path, folder and ending first, then what needs an
    expression.
    """

    def __init__(self, patterns: Sequence[Pattern]) -> None:
        self._exact: dict[str, int] = {}
        self._below: dict[str, int] = {}
        self._ending: dict[str, int] = {}
        self._others: list[tuple[int, re.Pattern[str]]] = []
        for number, pattern in enumerate(one._held for one in patterns):
            if not is_pattern(pattern):
                self._exact[literal(pattern)] = number
            elif pattern.endswith("/") and not is_pattern(pattern.rstrip("/")):
                self._below[literal(pattern.rstrip("/"))] = number
            elif found := _ANY_SUFFIX.fullmatch(pattern):
                self._ending[found[1]] = number
            else:
                self._others.append((number, _compiled(pattern)))
                if pattern in ("**", "/"):
                    continue
        self._endings = sorted(self._ending.items())

    def in_folder(self, at: At) -> Callable[[str], int] | None:
        """A function from a name in a folder to the number of the last pattern it meets, -1 for none.

        None where no pattern can speak of anything in the folder.
        """
        folder = over = _held(at)
        first = -1
        while over:
            first = max(first, self._below.get(over, -1))
            over = over.rpartition("/")[0]
        above = f"{folder}/" if folder else ""
        if (
            first < 0
            and not self._ending
            and not self._others
            and not any(
                p.startswith(above) and "/" not in p[len(above) :] for p in (*self._exact, *self._below)
            )
        ):
            return None

        def last(name: str) -> int:
            path = above + name
            best = max(first, self._exact.get(path, -1), self._below.get(path, -1))
            for ending, number in self._endings:
                if number > best and name.endswith(ending):
                    best = number
            for number, expression in self._others:
                if number > best and expression.fullmatch(path):
                    best = number
            return best

        return last
