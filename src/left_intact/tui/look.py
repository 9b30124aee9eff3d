"""The palette, defined once, for the dark ground and the light one."""

from __future__ import annotations

from dataclasses import dataclass

from rich.style import Style
from textual.theme import Theme

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
CLASS_KEYS = {LETTER[c].lower(): c for c in SORTABLE}
"""The key that rules something to be of a class."""
NAME = {c: "not sorted" if c is FileClass.UNSORTED else c.value for c in FileClass}


@dataclass(frozen=True, slots=True, kw_only=True)
class Look:
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
    classes: dict[FileClass, str]

    def style(self, colour: str, *, bold: bool = False) -> Style:
        return Style(color=getattr(self, colour), bold=bold)

    def on_class(self, kind: FileClass) -> Style:
        return Style(color=self.ink, bgcolor=self.classes[kind], bold=True)

    def of_class(self, kind: FileClass, *, bold: bool = False) -> Style:
        return Style(color=self.classes[kind], bold=bold)

    def theme(self) -> Theme:
        return Theme(
            name=self.name,
            primary=self.focus,
            secondary=self.quiet,
            warning=self.classes[FileClass.SETTINGS],
            error=self.bad,
            success=self.good,
            accent=self.focus,
            foreground=self.text,
            background=self.ground,
            surface=self.ground,
            panel=self.panel,
            boost=self.raised,
            dark=self.dark,
            variables={
                "raised": self.raised,
                "quiet": self.quiet,
                "hairline": self.hairline,
                "ink": self.ink,
                "block-cursor-background": self.raised,
                "block-cursor-foreground": self.text,
                "scrollbar": self.hairline,
                "scrollbar-background": self.ground,
                "scrollbar-background-hover": self.ground,
                "scrollbar-background-active": self.ground,
                "scrollbar-hover": self.quiet,
                "scrollbar-active": self.focus,
                "scrollbar-corner-color": self.ground,
                "input-selection-background": self.raised,
                "border": self.hairline,
            },
        )


_C = FileClass
DARK = Look(
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
LIGHT = Look(
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
LOOKS = {look.name: look for look in (DARK, LIGHT)}
