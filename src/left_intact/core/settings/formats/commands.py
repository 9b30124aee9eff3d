"""Files of commands, one a line: `bind key action`, `set name value`. A command that stands several times, or
that is known to name something, is told by its first word and what that names. Read back by the standard
library's splitter of words.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable, Collection, Iterable, Iterator
from typing import Any

from left_intact.core.settings.document import Key, NotReadable
from left_intact.core.settings.formats.lines import Line, decoded
from left_intact.core.settings.formats.rows import Row, RowDocument

COMMENTS = ("#", ";", "//")
_WORD = re.compile(r'"[^"\n]*"|\'[^\'\n]*\'|\S+')
_NAMING = re.compile(r"(?i)(?:un)?(?:set\w?|bind\w*|alias|map)\Z")
_VERB = re.compile(r"[A-Za-z_+\-][\w+\-.]*\Z")
_MOST_WORDS = 8
_BRACE = re.compile(r"""^[^"']*[{}]\s*$""")


def words_of(line: str) -> list[tuple[int, int]]:
    """Where the words of a line stand; what is in quotes is one."""
    return [match.span() for match in _WORD.finditer(line)]


def said_in(text: str) -> list[str]:
    """The lines of a text that say something."""
    lines = (line.strip() for line in text.splitlines())
    return [line for line in lines if line and not line.startswith(COMMENTS)]


def split(line: str) -> list[str]:
    """The words of a line, by a splitter that is not ours. Raises `NotReadable`."""
    from shlex import shlex

    words = shlex(line, posix=True, punctuation_chars=False)
    words.whitespace_split, words.escape, words.commenters = True, "", ""
    try:
        return list(words)
    except ValueError as error:
        raise NotReadable(f"a quote in it does not end ({line[:40]})") from error


Named = Callable[[Counter[str], str], int]
"""(how often each first word stands, a first word) to how many of the first words make the name."""


class WordsDocument(RowDocument):
    """Rows of words, the first of which make the name."""

    def __init__(self, data: bytes, named: Named) -> None:
        self._named = named
        super().__init__(data)

    def _rows_of(self, lines: list[Line]) -> Iterator[Row]:
        verbs = verbs_in(text for text, _ in lines)
        for text, end in lines:
            said = text.strip()
            if not said or said.startswith(COMMENTS):
                yield Row(text, end, is_comment=bool(said))
                continue
            words = words_of(text)
            number = min(self._named(verbs, text[slice(*words[0])]), len(words))
            key = tuple(_bare(text[slice(*word)]) for word in words[:number])
            stop = len(text.rstrip())
            start = words[number][0] if len(words) > number else words[number - 1][1]
            yield Row(text, end, key, (words[0][0], words[number - 1][1]), (start, max(start, stop)))

    def _label(self, key: Key) -> str:
        if any('"' in name for name in key):
            raise NotReadable(f"{' '.join(key)} cannot be written as words")
        return " ".join(f'"{name}"' if re.search(r"\s", name) or not name else name for name in key)

    def same(self, one: str, other: str) -> bool:
        return one == other or split(one) == split(other)


def verbs_in(lines: Iterable[str]) -> Counter[str]:
    """How often each first word stands in some lines."""
    said = (line.strip() for line in lines)
    return Counter(line.split()[0] for line in said if line and not line.startswith(COMMENTS))


def _bare(word: str) -> str:
    return word[1:-1] if len(word) > 1 and word[0] == word[-1] and word[0] in "\"'" else word


def is_flat(text: str) -> bool:
    """Whether no line of a text belongs to another one, as by braces or by standing further in: where a line
    is added to such a text matters.
    """
    said = [line for line in text.splitlines() if line.strip() and not line.strip().startswith(COMMENTS)]
    depths = {len(line) - len(line.lstrip()) for line in said}
    return len(depths) < 2 and not any(_BRACE.search(line) for line in said)


class Words:
    """What two formats of words have in common."""

    tells_settings = False
    is_strict = False
    endings = frozenset[str]()

    def named(self, verbs: Counter[str], verb: str) -> int:
        """How many words tell a line from the others."""
        return 1

    def open(self, data: bytes) -> WordsDocument:
        return WordsDocument(data, self.named)

    def read(self, data: bytes, whole: Collection[Key] = ()) -> dict[Key, Any]:
        text = decoded(data).text
        verbs, found = verbs_in(text.splitlines()), dict[Key, Any]()
        for line in said_in(text):
            words = split(line)
            number = min(self.named(verbs, line.split()[0]), len(words))
            key = tuple(words[:number])
            if key in found:
                raise NotReadable(f"{' '.join(key)} stands in it twice")
            found[key] = tuple(words[number:])
        return found


class Commands(Words):
    name = "text commands"
    family = "commands"

    def named(self, verbs: Counter[str], verb: str) -> int:
        return 2 if verbs[verb] > 1 or _NAMING.match(verb) else 1

    def recognise(self, text: str) -> float:
        said = said_in(text)
        verbs = verbs_in(said)
        naming = sum(number for verb, number in verbs.items() if self.named(verbs, verb) == 2)
        is_one = len(said) > 1 and naming * 2 >= len(said) and all(map(_is_command, said)) and is_flat(text)
        return 0.6 if is_one else 0.0


def _is_command(line: str) -> bool:
    is_short = len(words_of(line)) <= _MOST_WORDS and "=" not in line.split('"', maxsplit=1)[0]
    return is_short and bool(_VERB.match(line.split(maxsplit=1)[0]))
