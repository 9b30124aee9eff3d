"""All installs: what each is made of, which version it has, how it stands and what waits for it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from left_intact.charts.frame import MARGIN, TOP, class_box, legend, pages_of_rows, sheet
from left_intact.charts.paper import HAIRLINE, INK, QUIET, fitted
from left_intact.charts.shapes import Label, Page, Rule
from left_intact.core.model.classes import FileClass
from left_intact.core.model.survey import Total
from left_intact.words import count, size

_ROW = 40.0
_STRIP, _WIDE = 300.0, 300.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Standing:
    """One install, as it stands."""

    name: str
    version: str
    totals: Mapping[FileClass, Total]
    """Empty where it was never read."""
    stands: str
    waits: str
    """The version that waits for it."""


def draw_shelf(installs: Sequence[Standing], *, date: str) -> list[Page]:
    """Draw all installs of a shelf."""
    every = pages_of_rows(installs, _ROW)
    sums: dict[FileClass, Total] = {}
    for install in installs:
        for kind, total in install.totals.items():
            sums[kind] = sums.get(kind, Total()) + total
    whole = sum(sums.values(), Total())
    under = f"{count(len(installs), 'install')}: {count(whole.files, 'file')}, {size(whole.bytes)}"
    most = max((sum(t.bytes for t in one.totals.values()) for one in installs), default=0)
    pages = []
    for number, rows in enumerate(every, 1):
        page = sheet("your shelf", under, date, number=number, of=len(every))
        for at, install in enumerate(rows):
            _row(page, install, TOP + at * _ROW, most)
        legend(page, sums, f"strips are true to bytes; the longest is {size(most)}")
        pages.append(page)
    return pages


def _row(page: Page, install: Standing, y: float, most: int) -> None:
    total = sum(install.totals.values(), Total())
    read = f"{count(total.files, 'file')}, {size(total.bytes)}" if install.totals else "not read yet"
    page.put(
        Rule(x=MARGIN, y=y + _ROW, to_x=page.width - MARGIN, to_y=y + _ROW, colour=HAIRLINE, line=0.4),
        Label(
            x=MARGIN,
            y=y + 17,
            text=fitted(install.name, 250, 11, bold=True),
            points=11,
            colour=INK,
            bold=True,
        ),
        Label(
            x=MARGIN,
            y=y + 31,
            text=fitted(f"{install.version or 'version not known'}, {read}", 255, 8.5),
            points=8.5,
            colour=QUIET,
        ),
        Label(x=_STRIP + _WIDE + 16, y=y + 17, text=fitted(install.stands, 185, 9), points=9, colour=INK),
    )
    if install.waits:
        says = fitted(f"{install.waits} waits", 185, 8.5)
        page.put(Label(x=_STRIP + _WIDE + 16, y=y + 31, text=says, points=8.5, colour=QUIET))
    x = _STRIP
    for kind in FileClass:
        amount = install.totals.get(kind, Total()).bytes
        if amount and most:
            page.put(class_box(kind, x, y + 10, _WIDE * amount / most, 20, f"{install.name}-{kind.value}"))
            x += _WIDE * amount / most
