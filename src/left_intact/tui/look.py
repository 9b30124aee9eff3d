"""The palette as the screen's styles."""

from __future__ import annotations

from dataclasses import fields

from rich.style import Style
from textual.theme import Theme

from left_intact.core.model.classes import FileClass
from left_intact.presentation.palette import DAY, NIGHT, Palette


class Look(Palette):
    """A palette of the screen, with the styles that are made of it."""

    __slots__ = ()

    @classmethod
    def of(cls, palette: Palette) -> Look:
        return cls(**{one.name: getattr(palette, one.name) for one in fields(palette)})

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


DARK, LIGHT = Look.of(NIGHT), Look.of(DAY)
LOOKS = {look.name: look for look in (DARK, LIGHT)}
