"""The figures that can be drawn. The next one is a file beside this and a line here."""

from __future__ import annotations

import time
from collections.abc import Callable, Mapping
from typing import TYPE_CHECKING

from left_intact.core.model.errors import LeftIntactError, Misuse

if TYPE_CHECKING:
    from left_intact.charts.shapes import Page
    from left_intact.core.model.install import Install
    from left_intact.workbench import Workbench

Draw = Callable[["Workbench", "Install", str, str], "list[Page]"]
"""(all that can be done, the install, a date, the unit) to pages."""


def composition(bench: Workbench, install: Install, date: str, unit: str) -> list[Page]:
    from left_intact.charts.composition import draw_composition

    return draw_composition(bench.surveys.survey(install), name=install.name, date=date, unit=unit)


def crossing(bench: Workbench, install: Install, date: str, unit: str) -> list[Page]:
    from left_intact.charts.crossing import draw_crossing
    from left_intact.presentation.views import plan_view

    waits = next((row.waiting for row in bench.shelf.rows() if row.install.id == install.id), None)
    if waits is None:
        says = f"nothing waits for {install.name}, so there is no plan to draw"
        raise LeftIntactError("nothing-to-draw", says, way_out="Let something arrive for it first.")
    plan = bench.updates.draft(install, waits[0]).plan()
    return draw_crossing(plan_view(plan), name=install.name, date=date)


def history(bench: Workbench, install: Install, date: str, unit: str) -> list[Page]:
    from left_intact.charts.history import draw_history

    lines = bench.updates.chronicle(install)
    held = bench.keeping.look(install).bytes if lines else 0
    return draw_history(lines, name=install.name, date=date, held=held)


def proof(bench: Workbench, install: Install, date: str, unit: str) -> list[Page]:
    from left_intact.charts.proof import draw_proof

    return draw_proof(bench.updates.last_proof(install), name=install.name, date=date)


def shelf(bench: Workbench, install: Install, date: str, unit: str) -> list[Page]:
    from left_intact.charts.shelf import draw_shelf

    return draw_shelf(bench.shelf.rows(), date=date)


FIGURES: Mapping[str, Draw] = {
    "composition": composition,
    "crossing": crossing,
    "history": history,
    "proof": proof,
    "shelf": shelf,
}


def today() -> str:
    return time.strftime("%Y-%m-%d")


def draw(
    bench: Workbench, install: Install, figure: str, path: str, *, unit: str = "bytes", date: str = ""
) -> str:
    """Draw a figure to a file that ends in `.svg` or `.pdf`; returns its path. `date` stands on it, today's
    as a rule. Raises `Misuse` for a figure that there is none of, `nothing-to-draw`, `bad-figure`, `disk`.
    """
    from left_intact.charts.paper import write

    if figure not in FIGURES:
        says = f"there is no figure {figure}"
        raise Misuse("unknown-figure", says, way_out=f"The figures are: {', '.join(FIGURES)}.")
    return write(FIGURES[figure](bench, install, date or today(), unit), path)
