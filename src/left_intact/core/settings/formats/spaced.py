"""Files of `name value` lines, with quotes or without. Read back by the standard library's word splitter."""

from __future__ import annotations

import re

from left_intact.core.settings.formats.commands import Words, is_flat, said_in, verbs_in, words_of

_NAME = re.compile(r"[\w.\-/:+]{0,79}[\w.\-/+]\Z")
_WORD = re.compile(r"""(?:"[^"\n]*"|'[^'\n]*'|[-+.\w:/\\#%,@~$*]+)\Z""")
_MOST_WORDS = 5


class Spaced(Words):
    name = "text spaced"
    family = "spaced"

    def recognise(self, text: str) -> float:
        """Every line a name that no other has, and a value that is no sentence."""
        said = said_in(text)
        is_one = len(said) > 1 and max(verbs_in(said).values()) == 1 and all(map(_is_pair, said))
        valued = sum(len(words_of(line)) > 1 for line in said)
        return 0.6 if is_one and valued * 2 > len(said) and is_flat(text) else 0.0


def _is_pair(line: str) -> bool:
    name, *words = [line[slice(*word)] for word in words_of(line)]
    plain = len(words) <= _MOST_WORDS and all(map(_WORD.match, words))
    return bool(_NAME.match(name)) and plain and not (len(words) > 1 and line.endswith((".", ",", ":", "!")))
