"""Files of `name value` lines, with quotes or without. Read back by the standard library's word splitter."""

from __future__ import annotations

import re
from collections.abc import Collection
from typing import Any

from left_intact.core.settings.document import Key
from left_intact.core.settings.formats.commands import WordsDocument, read_words, said_in, verbs_in, words_of

_NAME = re.compile(r"[\w.\-/:+]{0,79}[\w.\-/+]\Z")
_WORD = re.compile(r"""(?:"[^"\n]*"|'[^'\n]*'|[-+.\w:/\\#%,@~$*]+)\Z""")
_MOST_WORDS = 5


class Spaced:
    name = "text spaced"
    family = "spaced"
    tells_settings = False
    is_strict = False
    endings = frozenset[str]()

    def recognise(self, text: str) -> float:
        """Every line a name that no other has, and a value that is no sentence."""
        said = said_in(text)
        verbs = verbs_in(iter(said))
        is_one = len(said) > 1 and max(verbs.values(), default=2) == 1 and all(map(_is_pair, said))
        return 0.6 if is_one and sum(len(words_of(line)) > 1 for line in said) * 2 > len(said) else 0.0

    def open(self, data: bytes) -> WordsDocument:
        return WordsDocument(data)

    def read(self, data: bytes, whole: Collection[Key] = ()) -> dict[Key, Any]:
        return read_words(data, lambda verbs, verb: 1)


def _is_pair(line: str) -> bool:
    name, *words = [line[slice(*word)] for word in words_of(line)]
    plain = len(words) <= _MOST_WORDS and all(map(_WORD.match, words))
    return bool(_NAME.match(name)) and plain and not (len(words) > 1 and line.endswith((".", ",", ":", "!")))
