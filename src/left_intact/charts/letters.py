"""Letters that the font of our figures lacks: drawn with another one that is installed here, if there is one.
What none has stays a box, with the letter itself still in the text of the file.
"""

from __future__ import annotations

import unicodedata
from collections.abc import Iterator
from functools import cache, lru_cache
from typing import NamedTuple

FONT = "DejaVu Sans"
"""It comes with matplotlib, so that a figure looks alike everywhere."""


class Face(NamedTuple):
    """A font that lies here."""

    family: str
    path: str


@cache
def own(weight: str = "normal") -> Face:
    """The font of our figures, `normal` or `bold`."""
    from matplotlib.font_manager import FontProperties, findfont

    return Face(FONT, findfont(FontProperties(family=FONT, weight=weight)))


@cache
def _letters(path: str) -> frozenset[int]:
    from matplotlib.ft2font import FT2Font

    try:
        return frozenset(FT2Font(path).get_charmap())
    except (OSError, RuntimeError, ValueError):
        return frozenset()  # a font that nobody can read has none


def lacking(text: str) -> frozenset[str]:
    """What the font of our figures has no shape for."""
    known = _letters(own().path)
    return frozenset(char for char in text if ord(char) not in known and _is_drawn(char))


def _is_drawn(char: str) -> bool:
    return unicodedata.category(char) not in ("Cc", "Cf", "Mn", "Zs")


@lru_cache(maxsize=1024)
def faces_for(text: str) -> tuple[Face, ...]:
    """The font of our figures, and as many others as its letters need."""
    left, found = lacking(text), [own()]
    for face in _others() if left else ():
        if has := left.intersection(map(chr, _letters(face.path))):
            found.append(face)
            left -= has
        if not left:
            break
    return tuple(found)


@cache
def _others() -> tuple[Face, ...]:
    """Upright fonts of a usual weight, the most usual first, so that the same machine takes the same ones."""
    from matplotlib.font_manager import fontManager, weight_dict

    found: dict[Face, int] = {}
    for font in fontManager.ttflist:
        weight = weight_dict.get(font.weight, 0) if isinstance(font.weight, str) else font.weight
        off = abs(weight - 400)
        # The last resort draws boxes.
        if font.style == "normal" and off <= 100 and font.name != FONT and "Last Resort" not in font.name:
            face = Face(font.name, str(font.fname))
            found[face] = min(off, found.get(face, off))
    return tuple(sorted(found, key=lambda face: (found[face], face)))


def runs(text: str) -> Iterator[tuple[str, Face]]:
    """A text in parts, each with the font that has its letters."""
    faces = faces_for(text)
    begun, face = 0, faces[0]
    for at, char in enumerate(text):
        has = next((one for one in faces if ord(char) in _letters(one.path)), face)
        if has != face and _is_drawn(char):
            if at > begun:
                yield text[begun:at], face
            begun, face = at, has
    if text[begun:]:
        yield text[begun:], face


def as_seen(text: str) -> str:
    """A text with its letters in the order that they are seen in, and those of Arabic joined; for what draws
    letter after letter.
    """
    if not any(unicodedata.bidirectional(char) in ("R", "AL") for char in text):
        return text
    from arabic_reshaper import reshape
    from bidi import get_display

    seen = get_display(reshape(text), base_dir="L")
    return seen if isinstance(seen, str) else seen.decode()
