"""Plots with axes: what they share. matplotlib is imported on use."""

from __future__ import annotations

import io
from typing import TYPE_CHECKING, Any

from left_intact.charts.paper import ACCENT, HAIRLINE, INK, QUIET, figure_ending
from left_intact.workbench import MADE_BY, write_out

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure


__all__ = ["ACCENT", "HAIRLINE", "INK", "QUIET", "save", "sheet"]


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
    """Write a plot as what its name ends in; the same one gives the same file. Raises as `paper.write`."""
    import matplotlib

    ending, out = figure_ending(path), io.BytesIO()
    facts: dict[str, Any] = {"Date": None} if ending == ".svg" else {"CreationDate": None}
    with matplotlib.rc_context({"svg.fonttype": "none", "svg.hashsalt": "left-intact", "pdf.fonttype": 42}):
        figure.savefig(out, format=ending[1:], metadata={**facts, "Creator": MADE_BY})
    return write_out(path, out.getvalue(), "figure")
