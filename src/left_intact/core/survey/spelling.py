"""How names are spelt for the tables of words, whatever way a person or a program wrote them."""

from __future__ import annotations

import re
import unicodedata
from functools import lru_cache

_NOISE = re.compile(r"[\W_]+")
_WORDS = re.compile(r"[^\W\d_]+")
_HUMP = re.compile(r"(?<=[a-z0-9])(?=[A-Z])|(?<=[A-Z])(?=[A-Z][a-z])")


@lru_cache(maxsize=65536)
def normalised_name(name: str) -> str:
    """A name as the tables spell it: lower case, no accents, nothing but letters and digits."""
    if not name.isascii():
        name = "".join(c for c in unicodedata.normalize("NFKD", name) if not unicodedata.combining(c))
    return _NOISE.sub("", name).casefold()


def words_of(name: str) -> list[str]:
    """The words of a name in lower case: `TapeSettings_old` is tape, settings, old."""
    if not name.isascii():
        name = "".join(c for c in unicodedata.normalize("NFKD", name) if not unicodedata.combining(c))
    return [w.casefold() for w in _WORDS.findall(_HUMP.sub(" ", name))]
