"""A plan, from now to after: a lane for what goes the same way, as wide as it has bytes."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

from left_intact.charts.frame import BOTTOM, MARGIN, TOP, pages_of_rows, room_for_rows, sheet, swatch
from left_intact.charts.paper import COLOUR, HAIRLINE, INK, QUIET, fitted, text_width
from left_intact.charts.shapes import Label, Page, Rule, Shape
from left_intact.core.model.survey import Total
from left_intact.core.model.telling import Stroke
from left_intact.presentation.views import LaneView, PlanView
from left_intact.words import count, size, versions

_ROW, _LOW_ROW = 28.0, 20.0
"""How high a lane is where there is room, and where one page takes all of them only so."""
_HEAD = 22.0
_LEFT, _RIGHT = 292.0, 556.0
"""Between these the lanes run."""
_THICK = 7.0
"""Of the lane with the most bytes."""
_STOPS = (Stroke.ASIDE, Stroke.LEFT_OUT, Stroke.BEHIND)
_DASHES: Mapping[Stroke, tuple[float, float]] = {Stroke.OPEN: (2.0, 2.0), Stroke.SAME: (6.0, 2.0)}


def draw_crossing(plan: PlanView, *, name: str, date: str, when: str = "") -> list[Page]:
    """Draw a plan: what lies here now, what becomes of it, what lies here then. `when` is empty for one that
    was not carried out.
    """
    most = max((max(lane.now.bytes, lane.after.bytes) for lane in plan.lanes), default=0) or 1
    title = f"{name} {versions(plan.from_version, plan.to_version)}: {plan.route.value.replace('-', ' ')}"
    left = plan.left_intact
    under = f"{plan.telling.safe}: {count(left.files, 'file')} of yours, {size(left.bytes)}"
    if plan.folders:
        old, new = plan.folders
        under += f"; from {old.name} to {new.name}"
    under += f"; {when}" if when else ""
    now, after = ("before", "after") if when else ("now", "after")
    row = min(_ROW, room_for_rows(_HEAD) / max(1, len(plan.lanes)))
    row = row if row >= _LOW_ROW else _ROW
    every = pages_of_rows(plan.lanes, row, besides=_HEAD)
    pages = []
    for number, rows in enumerate(every, 1):
        page = sheet(title, under, date, number=number, of=len(every))
        page.put(
            Label(x=MARGIN, y=TOP + 8, text=now, points=8, colour=QUIET),
            Label(
                x=(_LEFT + _RIGHT) / 2,
                y=TOP + 8,
                text="what happened" if when else "what happens",
                points=8,
                colour=QUIET,
                anchor="center",
            ),
            Label(x=_RIGHT + 14, y=TOP + 8, text=after, points=8, colour=QUIET),
        )
        for at, lane in enumerate(rows):
            _lane(page, lane, TOP + 18 + at * row, most, f"lane-{number}-{at}")
        foot = page.height - BOTTOM + 30
        strokes = "two firm lines: left intact · arrow: changes · bar: stops here · dotted: you are asked"
        scale = f"as thick as it has bytes, up to {size(most)}"
        page.put(
            Label(x=MARGIN, y=foot, text=strokes, points=8, colour=QUIET),
            Label(x=page.width - MARGIN, y=foot, text=scale, points=8, colour=QUIET, anchor="right"),
        )
        pages.append(page)
    return [*pages, *_steps(plan, title, under, date)]


def _lane(page: Page, lane: LaneView, y: float, most: int, id: str) -> None:
    middle = y + 18
    page.extend(swatch(lane.file_class, MARGIN, middle - 7))
    _side(page, lane.label, lane.now, MARGIN + 18, _LEFT - 10, middle)
    _side(page, lane.after_label, lane.after, _RIGHT + 14, page.width - MARGIN, middle)
    says = fitted(lane.says, _RIGHT - _LEFT - 8, 8.5)
    page.put(Label(x=(_LEFT + _RIGHT) / 2, y=y + 9, text=says, colour=INK, anchor="center"))
    thick = max(_THICK * max(lane.now.bytes, lane.after.bytes) / most, 0.5)
    colour, end = COLOUR[lane.file_class], _RIGHT
    if lane.stroke in _STOPS:
        end = (_LEFT + _RIGHT) / 2
        page.put(Rule(x=end, y=middle - 4, to_x=end, to_y=middle + 4, colour=INK, line=1.6))
    elif lane.stroke is not Stroke.INTACT:
        page.put(Shape(points=((end - 1, middle - 5), (end - 1, middle + 5), (end + 7, middle)), fill=INK))
    dash = _DASHES.get(lane.stroke)
    page.put(Rule(x=_LEFT, y=middle, to_x=end, to_y=middle, colour=colour, line=thick, dash=dash, id=id))
    if lane.stroke is Stroke.INTACT:  # what is left intact runs between two firm lines
        for by in (-thick / 2 - 1.2, thick / 2 + 1.2):
            page.put(Rule(x=_LEFT, y=middle + by, to_x=end, to_y=middle + by, colour=INK, line=0.8))


def _side(page: Page, label: str, total: Total, left: float, right: float, y: float) -> None:
    amount = f"{total.files:,}  {size(total.bytes)}" if total.files else ""
    room = right - left - (text_width(amount, 8) + 8 if amount else 0)
    page.put(Label(x=left, y=y + 3, text=fitted(label, room, 9), points=9, colour=INK))
    if amount:
        page.put(Label(x=right, y=y + 3, text=amount, points=8, colour=QUIET, anchor="right"))


def _steps(plan: PlanView, title: str, under: str, date: str) -> Iterator[Page]:
    """The rungs of a ladder, and the stages where some are done by hand, in their order."""
    rungs = (
        [(rung.version, f"{rung.state.value}: {rung.says}") for rung in plan.climb.rungs]
        if plan.climb
        else []
    )
    who = {"hand": "you", "carry": "it does", "later": "drawn then"}
    stages = [(f"{n}  {who.get(one.kind, one.kind)}", one.says) for n, one in enumerate(plan.stages, 1)]
    for rows in pages_of_rows([*rungs, *stages], 18.0) if rungs or stages else ():
        page = sheet(title, under, date)
        for at, (first, says) in enumerate(rows):
            y = TOP + 14 + at * 18
            page.put(
                Label(x=MARGIN, y=y, text=fitted(first, 150, 9, bold=True), points=9, colour=INK, bold=True),
                Label(
                    x=MARGIN + 160,
                    y=y,
                    text=fitted(says, page.width - 2 * MARGIN - 160, 9),
                    points=9,
                    colour=INK,
                ),
                Rule(x=MARGIN, y=y + 5, to_x=page.width - MARGIN, to_y=y + 5, colour=HAIRLINE, line=0.4),
            )
        yield page
