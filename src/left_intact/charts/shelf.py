"""All installs: what each is made of, which version it has, how it stands and what waits for it."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from datetime import datetime, timedelta

from left_intact.charts.frame import MARGIN, TOP, class_box, legend, pages_of_rows, sheet, verdict_mark
from left_intact.charts.paper import HAIRLINE, INK, QUIET, fitted, text_width
from left_intact.charts.shapes import Label, Page, Rule
from left_intact.core.model.classes import FileClass
from left_intact.core.model.survey import Total
from left_intact.words import count, size
from left_intact.workbench import HistoryLine, ShelfRow

_ROW = 40.0
_STRIP, _WIDE = 300.0, 300.0
_LINE = 44.0
"""Of an install, over a year."""
_YEAR = 170.0
"""Where a year begins."""
_MONTHS = 30.0
"""Above the lines: their names."""


def totals_of(row: ShelfRow) -> dict[FileClass, Total]:
    """What an install is made of, as its last survey said; empty where it was never read."""
    totals = row.summary.get("totals", {}).items()
    return {FileClass(kind): Total(**total) for kind, total in totals if total["files"]}


def draw_shelf(
    rows: Sequence[ShelfRow], runs: Mapping[int, Sequence[HistoryLine]], *, date: str
) -> list[Page]:
    """Draw all installs of a shelf, and below them what was done to each within a year. `runs` are those of
    each install by its id; `date` is the day that the year ends with.
    """
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
    return [*pages, *_the_year(rows, runs, date)]


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


def _the_year(
    rows: Sequence[ShelfRow], runs: Mapping[int, Sequence[HistoryLine]], date: str
) -> Iterator[Page]:
    """A line for each install with a stroke for each update (up) and going back (down) of a year."""
    ends = datetime.fromisoformat(date) + timedelta(days=1)
    began = ends - timedelta(days=365)
    known = {
        row.install.id: [
            run for run in runs.get(row.install.id, ()) if began.timestamp() <= run.began < ends.timestamp()
        ]
        for row in rows
    }
    shown = [row for row in rows if known[row.install.id]]
    every = pages_of_rows(shown, _LINE, besides=_MONTHS) if shown else []
    under = f"{count(sum(map(len, known.values())), 'update or going back', 'updates and goings back')}"
    for number, part in enumerate(every, 1):
        page = sheet("your shelf, over a year", under, date, number=number, of=len(every))
        _months(page, began, ends, TOP + 10, TOP + _MONTHS + len(part) * _LINE)
        for at, row in enumerate(part):
            _line_of(page, row, known[row.install.id], TOP + _MONTHS + at * _LINE, (began, ends))
        says = "up: an update · down: gone back · the mark is its verdict: intact ●  attention ▲  broken ✕"
        page.put(Label(x=MARGIN, y=page.height - 24, text=says, points=8, colour=QUIET))
        yield page


def _x_of(moment: datetime, year: tuple[datetime, datetime], right: float) -> float:
    began, ends = year
    return _YEAR + (right - _YEAR) * ((moment - began) / (ends - began))


def _months(page: Page, began: datetime, ends: datetime, top: float, bottom: float) -> None:
    first, right = began.replace(day=1), page.width - MARGIN - 8
    while (first := (first + timedelta(days=32)).replace(day=1)) < ends:
        x = _x_of(first, (began, ends), right)
        page.put(Rule(x=x, y=top + 6, to_x=x, to_y=bottom, colour=HAIRLINE, line=0.4))
        name = f"{first:%b}" if first.month > 1 else f"{first:%b %Y}"
        if x + text_width(name, 8) < page.width - MARGIN:
            page.put(Label(x=x, y=top, text=name, points=8, colour=QUIET))


def _line_of(
    page: Page, row: ShelfRow, runs: Sequence[HistoryLine], y: float, year: tuple[datetime, datetime]
) -> None:
    right, middle = page.width - MARGIN - 8, y + _LINE / 2
    name = fitted(row.install.name, _YEAR - MARGIN - 16, 10, bold=True)
    page.put(
        Label(x=MARGIN, y=middle + 3, text=name, points=10, colour=INK, bold=True),
        Rule(x=_YEAR, y=middle, to_x=right, to_y=middle, colour=HAIRLINE, line=1.0),
    )
    free = _YEAR
    for number, run in enumerate(sorted(runs, key=lambda run: run.began)):
        x = _x_of(datetime.fromtimestamp(run.began), year, right)
        tip = middle + (-9 if run.kind == "update" else 9)
        stroke = f"year-{row.install.id}-{number}"
        page.put(Rule(x=x, y=middle, to_x=x, to_y=tip, colour=INK, line=1.4, id=stroke))
        if run.verdict:
            page.extend(verdict_mark(run.verdict, x, middle))
        wide = text_width(run.to_version, 7.5)
        left = min(max(x - wide / 2, _YEAR), right - wide)
        if run.kind == "update" and run.to_version and left >= free:  # what has no room is in the history
            page.put(Label(x=left, y=middle - 11, text=run.to_version, points=7.5, colour=QUIET))
            free = left + wide + 4
