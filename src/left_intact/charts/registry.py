"""The figures that can be drawn. The next one is a file beside this and a line here."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import TYPE_CHECKING

from left_intact.core.model.errors import LeftIntactError, Misuse

if TYPE_CHECKING:
    from left_intact.charts.shapes import Page
    from left_intact.charts.subject import Subject

Draw = Callable[["Subject"], "list[Page]"]


def composition(of: Subject) -> list[Page]:
    from left_intact.charts.composition import draw_composition

    survey = of.survey or of.bench.surveys.survey(of.install)
    return draw_composition(survey, name=of.install.name, date=of.date, unit=of.unit)


def crossing(of: Subject) -> list[Page]:
    """Of a plan; of what waits; of the last update where nothing does, or of the one that is named."""
    from left_intact.charts.crossing import draw_crossing
    from left_intact.presentation.views import plan_view
    from left_intact.words import moment

    plan, when = of.plan, ""
    if plan is None and of.number is None:
        waits = of.bench.shelf.waiting(of.install)
        plan = of.bench.updates.draft(of.install, waits).plan() if waits is not None else None
    if plan is None:
        try:
            run, plan = of.bench.accounts.as_carried_out(of.install, of.number)
        except LeftIntactError as error:
            if error.code != "no-such-update" or of.number is not None:
                raise
            says = f"nothing waits for {of.install.name}, and no update of it is on record"
            raise LeftIntactError(
                "nothing-to-draw", says, way_out="Let something arrive for it first."
            ) from error
        when = f"carried out {moment(run.began)}, {run.state.value.replace('-', ' ')}"
    return draw_crossing(plan_view(plan), name=of.install.name, date=of.date, when=when)


def history(of: Subject) -> list[Page]:
    from left_intact.charts.history import draw_history

    lines = of.bench.updates.chronicle(of.install)
    held = of.bench.keeping.look(of.install).bytes if lines else 0
    return draw_history(lines, name=of.install.name, date=of.date, held=held)


def proof(of: Subject) -> list[Page]:
    from left_intact.charts.proof import draw_proof

    return draw_proof(of.bench.updates.last_proof(of.install), name=of.install.name, date=of.date)


def shelf(of: Subject) -> list[Page]:
    from left_intact.charts.shelf import draw_shelf

    rows = of.bench.shelf.rows()
    runs = {row.install.id: of.bench.updates.chronicle(row.install) for row in rows if not row.trouble}
    return draw_shelf(rows, runs, date=of.date)


FIGURES: Mapping[str, Draw] = {
    "composition": composition,
    "crossing": crossing,
    "history": history,
    "proof": proof,
    "shelf": shelf,
}


def draw(of: Subject, figure: str, path: str) -> str:
    """Draw a figure to a file that ends in `.svg` or `.pdf`; returns its path. Raises `Misuse` for a figure
    that there is none of, `nothing-to-draw`, `no-such-update`, `bad-figure`, `in-the-way`, `disk`.
    """
    from left_intact.charts.paper import figure_ending, write

    if figure not in FIGURES:
        says = f"there is no figure {figure}"
        raise Misuse("unknown-figure", says, way_out=f"The figures are: {', '.join(FIGURES)}.")
    figure_ending(path)
    return write(FIGURES[figure](of), path)
