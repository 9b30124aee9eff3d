"""Plots with axes: what they share. matplotlib is imported
on use.
"""

from __future__ import annotations

import os
from typing import TYPE_CHECKING, Any

from left_intact.core.model.errors import LeftIntactError, reason_of
from left_intact.presentation.palette import PAPER

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

INK, QUIET, HAIRLINE, ACCENT = PAPER.text, PAPER.quiet, PAPER.hairline, PAPER.focus
_KINDS = (".svg", ".pdf")


def sheet(width: float, height: float, title: str, under: str) -> tuple[Figure, Axes]:
    """An empty figure of some inches, with a title and a line under it."""
    from matplotlib.figure import Figure

    figure = Figure(figsize=(width, height), facecolor="white", layout="constrained")
    axes = figure.subplots()
    axes.set_title(under, loc="left", color=QUIET, fontsize=9, pad=10)
    figure.suptitle(title, x=0.01, ha="left", color=INK, fontsize=13, fontweight="bold")
    for side in ("top", "right", "left", "bottom"):
        axes.spines[side].set_visible(False)
    axes.tick_params(length=0, colors=INK, labelsize=9)
    return figure, axes


def save(figure: Figure, path: str) -> str:
    """Write a figure as what its name ends in. Raises `bad-figure`."""
    ending = os.path.splitext(path)[1].lower()
    if ending not in _KINDS:
        raise LeftIntactError(
            "bad-figure", "figures are written as SVG or PDF", path=path, way_out="Let the name end so."
        )
    # Text stays text, and the same figure gives the same file.
    import matplotlib

    facts: dict[str, Any] = {"Date": None} if ending == ".svg" else {"CreationDate": None}
    with matplotlib.rc_context({"svg.fonttype": "none", "svg.hashsalt": "left-intact", "pdf.fonttype": 42}):
        try:
            figure.savefig(path, metadata=facts)
        except OSError as error:
            reason = reason_of(error)
            raise LeftIntactError(
                "disk",
                f"the figure could not be written ({reason})",
                path=path,
                way_out="Name another place.",
            ) from error
    return path
