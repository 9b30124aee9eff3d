"""What a class is called and coloured, on the dark ground, on the light one and on paper: one palette for
screen and figures.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from left_intact.core.model.classes import SORTABLE, FileClass

LETTER = {
    FileClass.PROGRAM: "P",
    FileClass.SETTINGS: "S",
    FileClass.SAVES: "V",
    FileClass.STATES: "T",
    FileClass.CONTENT: "C",
    FileClass.EXTRAS: "X",
    FileClass.CACHE: "H",
    FileClass.UNSORTED: "U",
}
HATCH = {
    FileClass.PROGRAM: "",
    FileClass.SETTINGS: "..",
    FileClass.SAVES: "////",
    FileClass.STATES: "\\\\\\\\",
    FileClass.CONTENT: "||",
    FileClass.EXTRAS: "++",
    FileClass.CACHE: "----",
    FileClass.UNSORTED: "xxx",
}
"""Strokes on paper beside letter and colour: for black and white, and for eyes that see colours otherwise."""
CLASS_KEYS = {LETTER[c].lower(): c for c in SORTABLE}
"""The key that rules something to be of a class."""
NAME = {c: "not sorted" if c is FileClass.UNSORTED else c.value for c in FileClass}


@dataclass(frozen=True, slots=True, kw_only=True)
class Palette:
    """Colours as hex, by what they mean."""

    name: str
    dark: bool
    ground: str
    panel: str
    raised: str
    """Under the highlighted line."""
    text: str
    quiet: str
    hairline: str
    focus: str
    good: str
    bad: str
    ink: str
    """Text on a class colour."""
    classes: Mapping[FileClass, str]


_C = FileClass
NIGHT = Palette(
    name="left-intact-night",
    dark=True,
    ground="#14161a",
    panel="#1a1d22",
    raised="#2a303a",
    text="#dcd7cb",
    quiet="#98968e",
    hairline="#343a44",
    focus="#f08a63",
    good="#57b98a",
    bad="#ec6a62",
    ink="#101215",
    classes={
        _C.PROGRAM: "#71869c",
        _C.SETTINGS: "#e2b857",
        _C.SAVES: "#57b98a",
        _C.STATES: "#4fb7c5",
        _C.CONTENT: "#8795e8",
        _C.EXTRAS: "#c98bc4",
        _C.CACHE: "#8d8676",
        _C.UNSORTED: "#f0ece0",
    },
)
DAY = Palette(
    name="left-intact-day",
    dark=False,
    ground="#fbf8f1",
    panel="#f1ede2",
    raised="#e2dccc",
    text="#24272c",
    quiet="#66655d",
    hairline="#d3ccbb",
    focus="#b4441a",
    good="#1f7a4d",
    bad="#b3261e",
    ink="#fffdf7",
    classes={
        _C.PROGRAM: "#566b82",
        _C.SETTINGS: "#96690a",
        _C.SAVES: "#1f7a4d",
        _C.STATES: "#17717f",
        _C.CONTENT: "#4d5bc0",
        _C.EXTRAS: "#94498f",
        _C.CACHE: "#7d7668",
        _C.UNSORTED: "#2f2f2b",
    },
)
PAPER = Palette(
    name="paper",
    dark=False,
    ground="#ffffff",
    panel="#ffffff",
    raised="#f1ede2",
    text="#22262c",
    quiet="#6a6b68",
    hairline="#d6d2c8",
    focus="#c9582c",
    good=DAY.good,
    bad=DAY.bad,
    ink="#22262c",
    # Bright enough for dark letters on them, as at night; what is not sorted is bare paper.
    classes={**NIGHT.classes, _C.CACHE: "#9a9ca0", _C.UNSORTED: "#ffffff"},
)
