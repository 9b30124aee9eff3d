"""What a proof found: every class before and after, things as people count them, and the checks."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from left_intact.charts.frame import MARGIN, TOP, class_box, sheet, swatch
from left_intact.charts.paper import HAIRLINE, INK, QUIET, fitted, text_width
from left_intact.charts.shapes import Label, Page, Rule
from left_intact.core.model.classes import FileClass
from left_intact.presentation.palette import NAME, PAPER
from left_intact.words import count, size, versions

_BAR = 210.0
_LEFT = MARGIN + 92
_STATES = {"passed": ("✓", PAPER.good), "failed": ("✕", PAPER.bad), "yours-to-check": ("○", QUIET)}


def draw_proof(record: Mapping[str, Any], *, name: str, date: str) -> list[Page]:
    """Draw a proof as it is on record: the JSON of `prove`."""
    title = f"{name} {versions(record['version']['before'], record['version']['after'])}: {record['verdict']}"
    ledger = [line for line in record["ledger"] if line["before"]["files"] or line["after"]["files"]]
    before, after = (sum(line[when]["bytes"] for line in ledger) for when in ("before", "after"))
    page = sheet(title, f"every class before ({size(before)}) and after ({size(after)})", date)
    y = _ledger(page, ledger, TOP + 10)
    _things(page, record.get("things", ()), MARGIN, y + 22)
    return [page, *_checks(record["checks"], title, date)] if record["checks"] else [page]


def _ledger(page: Page, ledger: Sequence[Mapping[str, Any]], y: float) -> float:
    most = max((line[when]["bytes"] for line in ledger for when in ("before", "after")), default=0) or 1
    for line in ledger:
        kind = FileClass(line["class"])
        page.extend(swatch(kind, MARGIN, y + 4))
        page.put(Label(x=MARGIN + 17, y=y + 13, text=NAME[kind], points=9, colour=INK))
        for number, when in enumerate(("before", "after")):
            total, x = line[when], _LEFT + number * (_BAR + 118)
            page.put(class_box(kind, x, y + 2, _BAR * total["bytes"] / most, 14, f"{when}-{kind.value}"))
            for right, says in ((44, f"{total['files']:,}"), (100, size(total["bytes"]))):
                page.put(Label(x=x + _BAR + right, y=y + 13, text=says, colour=QUIET, anchor="right"))
        y += 24
    page.put(
        Label(x=_LEFT, y=TOP + 4, text="before", points=8, colour=QUIET),
        Label(x=_LEFT + _BAR + 118, y=TOP + 4, text="after", points=8, colour=QUIET),
        Label(
            x=_LEFT,
            y=y + 6,
            text=f"bars are true to bytes; the longest is {size(most)}",
            points=8,
            colour=QUIET,
        ),
    )
    return y


def _things(page: Page, things: Sequence[Mapping[str, Any]], x: float, y: float) -> None:
    if not things:
        return
    page.put(Label(x=x, y=y, text="as you count them", points=9, colour=QUIET))
    for thing in things:
        y += 14
        if y > page.height - 24:
            return
        says = f"{thing['thing']}: {thing['before']} before, {thing['after']} after"
        says += f"; missing: {', '.join(thing['missing'])}" if thing["missing"] else ""
        page.put(Label(x=x, y=y, text=fitted(says, page.width - 2 * MARGIN, 9), points=9, colour=INK))


def _checks(checks: Sequence[Mapping[str, Any]], title: str, date: str) -> list[Page]:
    """The checks, each in as many lines as it needs."""
    pages = [sheet(title, count(len(checks), "check"), date)]
    y = TOP + 12
    for check in checks:
        mark, colour = _STATES.get(check["state"], ("·", INK))
        lines = _wrapped(check["says"], pages[0].width - 2 * MARGIN - 150)
        if y + 13 * len(lines) > pages[0].height - 36:
            pages.append(sheet(title, count(len(checks), "check"), date))
            y = TOP + 12
        pages[-1].put(
            Label(x=MARGIN, y=y, text=mark, points=10, colour=colour, bold=True),
            Label(
                x=MARGIN + 18,
                y=y,
                text=fitted(check["name"], 122, 9, bold=True),
                points=9,
                colour=INK,
                bold=True,
            ),
        )
        for line in lines:
            pages[-1].put(Label(x=MARGIN + 150, y=y, text=line, points=9, colour=INK))
            y += 13
        pages[-1].put(
            Rule(x=MARGIN, y=y - 4, to_x=pages[0].width - MARGIN, to_y=y - 4, colour=HAIRLINE, line=0.4)
        )
        y += 10
    return pages


def _wrapped(text: str, room: float) -> list[str]:
    lines, line = [], ""
    for word in text.split():
        longer = f"{line} {word}".strip()
        if line and text_width(longer, 9) > room:
            lines.append(fitted(line, room, 9))
            line = word
        else:
            line = longer
    return [*lines, fitted(line, room, 9)]
