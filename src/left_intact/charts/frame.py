"""What all figures have around them: a title, what it is about, when it was drawn, the classes with their
letters, strokes and exact counts.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from math import cos, pi, sin
from typing import TypeVar

from left_intact.charts.paper import ACCENT, COLOUR, INK, QUIET, fitted, text_width
from left_intact.charts.shapes import Box, Label, Page, Rule, Shape
from left_intact.core.model.classes import FileClass
from left_intact.core.model.survey import Total
from left_intact.presentation.palette import HATCH, LETTER, NAME, PAPER
from left_intact.words import count, size

MARGIN = 36.0
VERDICTS = {"intact": PAPER.good, "attention": ACCENT, "broken": PAPER.bad}
TOP = 92.0
"""Where a figure begins, below its title."""
BOTTOM = 64.0
"""How much of the foot belongs to the legend."""


def sheet(title: str, under: str, date: str, *, number: int = 1, of: int = 1) -> Page:
    """A page of A4 across with a title, a line under it and a date."""
    page = Page()
    right = f"{date} · page {number} of {of}" if of > 1 else date
    room = page.width - 2 * MARGIN - text_width(right, 9) - 20
    page.put(
        Label(x=MARGIN, y=52, text=fitted(title, room, 16, bold=True), points=16, colour=INK, bold=True),
        Label(x=MARGIN, y=70, text=fitted(under, page.width - 2 * MARGIN, 9), points=9, colour=QUIET),
        Label(x=page.width - MARGIN, y=52, text=right, points=9, colour=QUIET, anchor="right"),
        Rule(x=MARGIN, y=78, to_x=page.width - MARGIN, to_y=78, colour=PAPER.hairline),
    )
    return page


def swatch(kind: FileClass, x: float, y: float, side: float = 11.0) -> list[Box | Label]:
    """The letter of a class, framed in its colour."""
    letter = Label(
        x=x + side / 2,
        y=y + side * 0.78,
        text=LETTER[kind],
        points=side * 0.72,
        colour=INK,
        anchor="center",
        bold=True,
    )
    return [Box(x=x, y=y, width=side, height=side, fill="white", edge=COLOUR[kind], line=1.8), letter]


def class_box(kind: FileClass, x: float, y: float, width: float, height: float, id: str) -> Box:
    """A box of a class, with its strokes."""
    return Box(
        x=x,
        y=y,
        width=width,
        height=height,
        fill=COLOUR[kind],
        hatch=HATCH[kind],
        edge=INK if kind is FileClass.UNSORTED else "white",
        line=0.5,
        id=id,
    )


def verdict_mark(verdict: str, x: float, y: float) -> list[Shape | Rule]:
    """A shape for each verdict, so that nobody needs its colour."""
    colour = VERDICTS.get(verdict, INK)
    if verdict == "attention":
        return [Shape(points=((x - 4, y + 4), (x + 4, y + 4), (x, y - 4)), fill=colour)]
    if verdict == "broken":
        ends = ((-3.5, -3.5, 3.5, 3.5), (-3.5, 3.5, 3.5, -3.5))
        return [
            Rule(x=x + a, y=y + b, to_x=x + c, to_y=y + d, colour=colour, line=2.0) for a, b, c, d in ends
        ]
    ring = tuple((x + 4 * cos(pi * n / 12), y + 4 * sin(pi * n / 12)) for n in range(24))
    return [Shape(points=ring, fill=colour)]


def legend(page: Page, totals: Mapping[FileClass, Total], scale: str) -> None:
    """The classes that there are, each with its letter, strokes and exact sums; and the scale."""
    y, x = page.height - BOTTOM + 14, MARGIN
    page.put(Rule(x=MARGIN, y=y - 8, to_x=page.width - MARGIN, to_y=y - 8, colour=PAPER.hairline))
    for kind in FileClass:
        if not (total := totals.get(kind)) or not total.files:
            continue
        says = f"{NAME[kind]}: {count(total.files, 'file')}, {size(total.bytes)}"
        wide = 28 + text_width(says, 8) + 16
        if x + wide > page.width - MARGIN and x > MARGIN:
            x, y = MARGIN, y + 16
        page.extend(swatch(kind, x, y))
        page.put(class_box(kind, x + 12, y, 11, 11, ""))
        page.put(Label(x=x + 28, y=y + 9, text=says, points=8, colour=INK))
        x += wide
    page.put(Label(x=MARGIN, y=page.height - 12, text=scale, points=8, colour=QUIET))


T = TypeVar("T")


def room_for_rows(besides: float = 0.0) -> float:
    """How high all rows of a page may be together; `besides` is what else it has above them."""
    return 595.0 - TOP - BOTTOM - besides


def pages_of_rows(rows: Sequence[T], height: float, *, besides: float = 0.0) -> list[Sequence[T]]:
    """Rows of one height by page, at least one page."""
    fit = max(1, int(room_for_rows(besides) / height + 1e-6))
    return [rows[at : at + fit] for at in range(0, len(rows), fit)] or [()]
