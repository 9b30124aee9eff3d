"""What was done to an install over time: each update and going back, its verdict, and what is kept of it."""

from __future__ import annotations

from collections.abc import Sequence

from left_intact.charts.frame import BOTTOM, MARGIN, TOP, VERDICTS, pages_of_rows, sheet, verdict_mark
from left_intact.charts.paper import HAIRLINE, INK, QUIET, fitted
from left_intact.charts.shapes import Box, Label, Page, Rule
from left_intact.presentation.palette import PAPER
from left_intact.words import count, moment, size, versions
from left_intact.workbench import HistoryLine

_ROW = 30.0
_BARS = 560.0
"""Where the bars of what is kept begin."""


def draw_history(runs: Sequence[HistoryLine], *, name: str, date: str, held: int) -> list[Page]:
    """Draw the runs of an install, newest first. `held` are the bytes that its strongbox holds."""
    pages, every = [], pages_of_rows(runs, _ROW, besides=46)
    most = max((run.kept_bytes for run in runs), default=0)
    number_of = count(len(runs), "update or going back", "updates and goings back")
    under = f"{number_of}; the strongbox holds {size(held)}"
    for number, rows in enumerate(every, 1):
        page = sheet(f"{name}: what was done to it", under, date, number=number, of=len(every))
        _over_time(page, runs, {run.began for run in rows})
        for at, run in enumerate(rows):
            _row(page, run, TOP + 46 + at * _ROW, most)
        foot = page.height - BOTTOM + 24
        page.put(Label(x=MARGIN, y=foot, text="intact ●   attention ▲   broken ✕", points=8, colour=QUIET))
        says = (
            f"bars: what the strongbox holds of each; the longest is {size(most)}"
            if most
            else "nothing is kept of any"
        )
        page.put(Label(x=page.width - MARGIN, y=foot, text=says, points=8, colour=QUIET, anchor="right"))
        pages.append(page)
    return pages


def _over_time(page: Page, runs: Sequence[HistoryLine], here: set[float]) -> None:
    """A line from the first to the last, with a stroke for each; those of this page are dark."""
    y, left, right = TOP + 12, MARGIN + 84, page.width - MARGIN - 84
    first, last = (f([run.began for run in runs]) for f in (min, max)) if runs else (0.0, 0.0)
    page.put(Rule(x=left, y=y, to_x=right, to_y=y, colour=HAIRLINE, line=1.2))
    if not runs:
        return
    page.put(Label(x=left - 8, y=y + 3, text=moment(first), points=8, colour=QUIET, anchor="right"))
    page.put(Label(x=right + 8, y=y + 3, text=moment(last), points=8, colour=QUIET))
    for number, run in enumerate(runs):
        x = left + (right - left) * ((run.began - first) / (last - first) if last > first else 0.5)
        colour = INK if run.began in here else HAIRLINE
        up = 8 if run.kind == "update" else 0
        down = 8 if run.kind == "back" else 0
        page.put(Rule(x=x, y=y - up, to_x=x, to_y=y + down, colour=colour, line=1.4, id=f"when-{number}"))


def _row(page: Page, run: HistoryLine, y: float, most: int) -> None:
    says = versions(run.from_version, run.to_version) if run.kind == "update" else f"back to {run.to_version}"
    page.put(
        Rule(x=MARGIN, y=y, to_x=page.width - MARGIN, to_y=y, colour=HAIRLINE, line=0.4),
        Label(x=MARGIN, y=y + 19, text=moment(run.began), points=9, colour=QUIET),
        Label(
            x=MARGIN + 96, y=y + 19, text=fitted(says, 190, 10, bold=True), points=10, colour=INK, bold=True
        ),
        Label(
            x=MARGIN + 296, y=y + 19, text=fitted(run.state.replace("-", " "), 90, 9), points=9, colour=INK
        ),
    )
    if run.verdict:
        page.extend(verdict_mark(run.verdict, MARGIN + 400, y + 15.5))
        page.put(
            Label(x=MARGIN + 412, y=y + 19, text=run.verdict, points=9, colour=VERDICTS.get(run.verdict, INK))
        )
    if run.kept_files:
        room = page.width - MARGIN - _BARS - 118
        wide = room * run.kept_bytes / most if most else 0
        page.put(
            Box(
                x=_BARS,
                y=y + 10,
                width=wide,
                height=10,
                fill=PAPER.raised,
                edge=INK,
                line=0.5,
                id=f"kept-{run.began:.0f}",
            )
        )
        says = f"{count(run.kept_files, 'file')}, {size(run.kept_bytes)}"
        page.put(Label(x=page.width - MARGIN, y=y + 19, text=says, points=8.5, colour=INK, anchor="right"))
