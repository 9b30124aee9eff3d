"""Text in cells: clipping, padding, and names that a terminal can bear."""

from __future__ import annotations

from rich.cells import cell_len, set_cell_size
from rich.style import Style
from rich.text import Text
from textual.markup import escape

from left_intact.words import bearable

__all__ = ["Line", "bearable", "clip", "fit", "plain"]


def plain(name: str) -> str:
    """A name for the few places that take what they show for markup: it is none."""
    return escape(bearable(name))


def fit(text: str, width: int, align: str = "left") -> str:
    """Exactly `width` cells; what is too long loses its middle, as the ends of a path say most."""
    if width <= 0:
        return ""
    length = cell_len(text)
    if length > width:
        return _shorten(text, width)
    gap = " " * (width - length)
    return gap + text if align == "right" else text + gap


def clip(text: str, width: int) -> str:
    """At most `width` cells."""
    return text if cell_len(text) <= width else _shorten(text, max(0, width))


def _shorten(text: str, width: int) -> str:
    if width <= 3:
        return set_cell_size(text, width)
    tail = (width - 1) // 2
    head = set_cell_size(text, width - 1 - tail)
    end = text
    while cell_len(end) > tail:
        end = end[1:]
    return set_cell_size(head + "…" + end, width)


class Line(Text):
    """A line put together from styled parts of given widths."""

    def __init__(self) -> None:
        super().__init__(no_wrap=True, end="")

    def put(self, text: str, style: Style | str = "", width: int | None = None, align: str = "left") -> Line:
        self.append(fit(text, width, align) if width is not None else text, style)
        return self

    def gap(self, cells: int = 1) -> Line:
        self.append(" " * max(0, cells))
        return self


def wrapped(words: str, width: int) -> list[str]:
    """Words on lines of at most `width` cells; one empty line where there are none."""
    import textwrap

    return textwrap.wrap(bearable(words), width) or [""]
