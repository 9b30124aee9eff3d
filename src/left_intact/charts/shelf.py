"""All installs: what each is made of, which version it has, how it stands and what waits for it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from left_intact.charts.frame import MARGIN, TOP, class_box, legend, pages_of_rows, sheet
from left_intact.charts.paper import HAIRLINE, INK, QUIET, fitted
from left_intact.charts.shapes import Label, Page, Rule
from left_intact.core.model.classes import FileClass
from left_intact.core.model.survey import Total
from left_intact.words import count, size
from left_intact.workbench import ShelfRow

_ROW = 40.0
_STRIP, _WIDE = 300.0, 300.0


def totals_of(row: ShelfRow) -> dict[FileClass, Total]:
    """What an install is made of, as its last survey said; empty where it was never read."""
    totals = row.summary.get("totals", {}).items()
    return {FileClass(kind): Total(**total) for kind, total in totals if total["files"]}


def draw_shelf(rows: Sequence[ShelfRow], *, date: str) -> list[Page]:
    """Draw all installs of a shelf."""
    every, totals = pages_of_rows(rows, _ROW), {row.install.id: totals_of(row) for row in rows}
    sums: dict[FileClass, Total] = {}
    for known in totals.values():
        for kind, total in known.items():
            sums[kind] = sums.get(kind, Total()) + total
    whole = sum(sums.values(), Total())
    under = f"{count(len(rows), 'install')}: {count(whole.files, 'file')}, {size(whole.bytes)}"
    most = max((sum(t.bytes for t in known.values()) for known in totals.values()), default=0)
    pages = []
    for number, shown in enumerate(every, 1):
        page = sheet("your shelf", under, date, number=number, of=len(every))
        for at, row in enumerate(shown):
            _row(page, row, totals[row.install.id], TOP + at * _ROW, most)
        legend(page, sums, f"strips are true to bytes; the longest is {size(most)}")
        pages.append(page)
    return pages


def _row(page: Page, row: ShelfRow, totals: Mapping[FileClass, Total], y: float, most: int) -> None:
    total, right = sum(totals.values(), Total()), _STRIP + _WIDE + 16
    read = f"{count(total.files, 'file')}, {size(total.bytes)}" if totals else "not read yet"
    name = fitted(row.install.name, 250, 11, bold=True)
    under = fitted(f"{row.summary.get('version') or 'version not known'}, {read}", 255)
    page.put(
        Rule(x=MARGIN, y=y + _ROW, to_x=page.width - MARGIN, to_y=y + _ROW, colour=HAIRLINE, line=0.4),
        Label(x=MARGIN, y=y + 17, text=name, points=11, colour=INK, bold=True),
        Label(x=MARGIN, y=y + 31, text=under, colour=QUIET),
        Label(x=right, y=y + 17, text=fitted(row.standing.value, 185, 9), points=9, colour=INK),
    )
    if row.waiting:
        page.put(Label(x=right, y=y + 31, text=fitted(f"{row.waiting[1]} waits", 185), colour=QUIET))
    x = _STRIP
    for kind in FileClass:
        amount = totals.get(kind, Total()).bytes
        if amount and most:
            wide = _WIDE * amount / most
            page.put(class_box(kind, x, y + 10, wide, 20, f"strip-{row.install.id}-{kind.value}"))
            x += wide
