"""How the programs of the corpus call things: words drawn from the lexicon, or made up by the draw."""

from __future__ import annotations

import tomllib
from collections.abc import Sequence
from functools import cache
from pathlib import Path
from typing import Any

from tests.corpus.decisions import Decisions

LANGUAGES = ("de", "fr", "es", "it", "nl", "pl", "sv")
"""Languages of the lexicon beside English. Source of the codes: ISO 639-1."""
KINDS = {"trade": 5.0, "plain": 1.6, "foreign": 3.0, "made-up": 1.0, "short": 1.4}
ENDINGS = {"of the trade": 5.0, "general": 1.6, "none": 1.2, "made-up": 1.6}
CASES = ("lower", "title", "upper", "joined")
GAPS = (" ", "-", "_")
_ONSETS = (
    "b",
    "br",
    "d",
    "dr",
    "f",
    "g",
    "gl",
    "h",
    "j",
    "k",
    "l",
    "m",
    "n",
    "p",
    "r",
    "s",
    "sk",
    "t",
    "v",
    "w",
)
_VOWELS = ("a", "e", "i", "o", "u", "ae", "oa", "ei")
_CODAS = ("", "", "l", "m", "n", "nd", "r", "rk", "sk", "st", "x")
_OF_TITLES = (
    *("Crossing", "Harvest", "Signal", "Errand", "Ladder", "Orchard", "Ferryman", "Tournament", "Winter"),
    *(
        "Lighthouse",
        "Rehearsal",
        "Caravan",
        "Observatory",
        "Allotment",
        "Timetable",
        "Clockmaker",
        "Causeway",
    ),
)
_HINTS = ("", "", " 2", " III", " (side B)", " [alt]", ", The")


@cache
def lexicon() -> dict[str, Any]:
    """The words by thing, and the general ones."""
    return tomllib.loads((Path(__file__).parent / "lexicon.toml").read_text("utf-8"))


@cache
def common_words() -> frozenset[str]:
    """All words of the lexicon that several programs may share, in lower case."""
    found: set[str] = set()
    for thing in lexicon().values():
        if isinstance(thing, dict):
            phrases = [phrase for words in thing.values() for phrase in words]
            found.update(word.lower() for phrase in phrases for word in phrase.replace("-", " ").split())
    for key in ("prefixes", "suffixes"):
        found.update(word for phrase in lexicon()[key] for word in phrase.split())
    return frozenset(found)


@cache
def common_short_forms() -> frozenset[str]:
    """What the words of the trade in the lexicon become when they are shortened."""
    things = (thing for thing in lexicon().values() if isinstance(thing, dict))
    letters = ["".join(c for c in word if c.isalnum()).lower() for thing in things for word in thing["trade"]]
    return frozenset(short for word in letters for short in (word[:3], word[:4], without_vowels(word)))


def without_vowels(word: str) -> str:
    """The first letter and the consonants after it, four in all."""
    return (word[0] + "".join(c for c in word[1:] if c not in "aeiou"))[:4]


class Words:
    """The words of one program: its language, its habits of spelling, and what it makes up."""

    def __init__(self, draw: Decisions) -> None:
        self.draw, self.rng = draw, draw.rng
        self.language = draw.pick("language", LANGUAGES)
        self.case = draw.pick("how folders are spelt", CASES)
        self.gap = draw.pick("between words", GAPS)
        self.title_style = draw.pick(
            "how titles are written", ("as they are", "joined", "underlined", "eight capitals")
        )
        self.id_style = draw.pick("ids", ("hex", "decimal", "letters and digits", "words"))
        self._taken: set[str] = set()

    def invent(self, syllables: int = 0) -> str:
        """A word that never was."""
        count = syllables or self.rng.choice((2, 2, 3))
        parts = (
            self.rng.choice(_ONSETS) + self.rng.choice(_VOWELS) + self.rng.choice(_CODAS)
            for _ in range(count)
        )
        return "".join(parts)

    def folder(self, thing: str) -> str:
        """A name for the folder of a thing that no other folder of this program has."""
        while True:
            name = self._folder(thing)
            if name.lower() not in self._taken:
                self._taken.add(name.lower())
                return name

    def _folder(self, thing: str) -> str:
        kind, row = self.draw.pick("how folders are called", KINDS), lexicon()[thing]
        if kind == "made-up":
            return self._spelt(self.invent())
        if kind == "plain":
            return self._spelt(self._phrase(row["plain"]))
        if kind == "foreign":
            return self._spelt(self.rng.choice(row[self.language]))
        word = self.rng.choice(row["trade"])
        if kind == "short":
            word = self._shortened(word)
        return self._spelt(word)

    def _phrase(self, plain: Sequence[str]) -> str:
        noun, words = self.rng.choice(plain), lexicon()
        shape = self.rng.randrange(3)
        if shape == 0:
            return f"{self.rng.choice(words['prefixes'])} {noun}"
        return f"{noun} {self.rng.choice(words['suffixes'])}" if shape == 1 else noun

    def _shortened(self, word: str) -> str:
        letters = "".join(c for c in word if c.isalnum())
        if self.rng.random() < 0.5:
            return letters[: self.rng.choice((3, 4))]
        return without_vowels(letters)

    def _spelt(self, text: str) -> str:
        words = text.split()
        if self.case == "joined":
            return words[0].lower() + "".join(word.title() for word in words[1:])
        spelt = {"lower": str.lower, "title": str.capitalize, "upper": str.upper}[self.case]
        return self.gap.join(map(spelt, words))

    def ending(self, thing: str) -> str:
        """An ending for the files of a thing, with its dot; empty for none."""
        row = lexicon()[thing]["endings"]
        kind = self.draw.pick("endings", ENDINGS)
        if kind == "of the trade" and row:
            return str(self.rng.choice(row))
        if kind == "general":
            return str(self.rng.choice(lexicon()["general-endings"]))
        return "" if kind == "none" else f".{self.invent(1)[:4]}"

    def title(self) -> str:
        """A title that never was."""
        name, noun = self.invent().title(), self.rng.choice(_OF_TITLES)
        return self.rng.choice((f"{name} {noun}", f"{noun} of {name}", name)) + self.rng.choice(_HINTS)

    def written(self, title: str) -> str:
        """A title as the names of files have it."""
        plain = title.replace(",", "")
        letters = "".join(c for c in plain if c.isalnum())
        return {
            "as they are": title,
            "joined": letters.lower(),
            "underlined": plain.lower().replace(" ", "_"),
            "eight capitals": letters[:5].upper() + f"{self.rng.randrange(1000):03}",
        }[self.title_style]

    def new_id(self) -> str:
        """An id as the program gives them."""
        rng = self.rng
        return {
            "hex": f"{rng.getrandbits(32):08x}",
            "decimal": f"{rng.randrange(10**4, 10**6)}",
            "letters and digits": f"{self.invent(1)[:2].upper()}{rng.randrange(1000, 10000)}",
            "words": f"{self.invent(2)}-{rng.randrange(90)}",
        }[self.id_style]
