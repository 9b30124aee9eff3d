"""What a person can take along from each view: figures, the report, plain text."""

from __future__ import annotations

import os
from collections.abc import Callable, Mapping
from typing import TYPE_CHECKING, NamedTuple

from left_intact.core.model.errors import LeftIntactError
from left_intact.workbench import MADE_BY, write_out

if TYPE_CHECKING:
    from left_intact.charts.subject import Subject

TEXT, REPORT = "text", "report"
"""The exports that are no figure."""


class Export(NamedTuple):
    """Something that can be written from a view. `name` is a figure's, `report` or `text`."""

    name: str
    says: str
    ending: str


def _figure(name: str, says: str) -> tuple[Export, ...]:
    return Export(name, says, ".svg"), Export(name, says, ".pdf")


_REPORT = Export(REPORT, "the report of this update, to be kept for years", ".pdf")
_REPORT_AS_JSON = Export(REPORT, "the report, for programs to read", ".json")
_TEXT = Export(TEXT, "this view as plain text", ".txt")

EXPORTS: Mapping[str, tuple[Export, ...]] = {
    "shelf": (*_figure("shelf", "a figure of the whole shelf"), _TEXT),
    "survey": (*_figure("composition", "a figure of what it is made of"), _TEXT),
    "plan": (*_figure("crossing", "a figure from now to after"), _TEXT),
    "proof": (
        _REPORT,
        _REPORT_AS_JSON,
        *_figure("proof", "a figure of the proof"),
        *_figure("crossing", "a figure from before to after"),
        _TEXT,
    ),
    "history": (*_figure("history", "a figure of all updates"), _REPORT, _REPORT_AS_JSON, _TEXT),
}
"""By view, what is offered first before the rest."""


def file_name(install: str, view: str, export: Export) -> str:
    """What an export is called where nobody says otherwise."""
    name = "".join(c if c.isalnum() else "-" for c in install.lower())[:60].strip("-")
    what = view if export.name == TEXT else export.name
    stem = what if what == "shelf" else "-".join(filter(None, (name, what)))
    return f"{stem}{export.ending}"


def write_export(of: Subject, view: str, name: str, path: str) -> tuple[str, int]:
    """Write an export of a view; its absolute path and how many bytes it has. A figure and a report are
    written as what `path` ends in. Raises `bad-figure`, `bad-report`, `in-the-way`, `nothing-to-draw`,
    `disk`.
    """
    path = os.path.abspath(os.path.expanduser(path))
    if name == TEXT:
        said = f"{of.date}\n\n{_TEXTS[view](of)}\n\n{MADE_BY}\n"
        write_out(path, said.encode(errors="replace"), "text")
    elif name == REPORT:
        from left_intact.charts.report import write_report

        write_report(of.bench.accounts.of(of.install, of.number), path)
    else:
        from left_intact.charts.registry import draw

        draw(of, name, path)
    return path, os.path.getsize(path)


def _shelf(of: Subject) -> str:
    from left_intact.plain_text import shelf_text

    return shelf_text(of.bench.shelf.rows())


def _survey(of: Subject) -> str:
    from left_intact.plain_text import survey_text

    return survey_text(of.survey or of.bench.surveys.survey(of.install))


def _plan(of: Subject) -> str:
    from left_intact.plain_text import plan_text

    if of.plan is None:
        raise LeftIntactError("no-plan", "the plan is not at hand any more", way_out="Open it again.")
    return plan_text(of.plan, every=True)


def _proof(of: Subject) -> str:
    from left_intact.plain_text import proof_text

    return proof_text(of.install, of.outcome or of.bench.updates.prove(of.install))


def _history(of: Subject) -> str:
    from left_intact.plain_text import history_text

    return history_text(of.install.name, of.bench.updates.chronicle(of.install))


_TEXTS: Mapping[str, Callable[[Subject], str]] = {
    "shelf": _shelf,
    "survey": _survey,
    "plan": _plan,
    "proof": _proof,
    "history": _history,
}
