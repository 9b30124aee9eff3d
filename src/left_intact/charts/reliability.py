"""How much certainties can be trusted: what was said against what was so."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from left_intact.charts.plots import ACCENT, HAIRLINE, INK, QUIET, save, sheet

Bins = Sequence[tuple[float, float, float, int]]
"""(from, mean certainty, share right, entries)."""
_LOOKS = (("-", "o", INK), ("--", "s", ACCENT), (":", "^", QUIET))


def draw_reliability(ways: Mapping[str, Bins], path: str) -> str:
    """Draw a line for each way of sorting. On the diagonal, certainty is what it says. Returns the path."""
    under = "each mark is a bin of certainties; its size is how many entries"
    figure, axes = sheet(6.4, 5.6, "Certainty, and how often it was right", under)
    axes.plot([0.2, 1], [0.2, 1], color=HAIRLINE, linewidth=1.2)
    axes.text(0.415, 0.385, "as certain as right", color=QUIET, fontsize=8, rotation=42)
    for (name, bins), (stroke, mark, colour) in zip(ways.items(), _LOOKS, strict=False):
        xs, ys = [b[1] for b in bins], [b[2] for b in bins]
        axes.plot(xs, ys, stroke, color=colour, linewidth=1.2, label=name)
        axes.scatter(xs, ys, s=[18 + b[3] ** 0.5 * 5 for b in bins], marker=mark, color=colour)
    axes.set_xlim(0.2, 1.02)
    axes.set_ylim(0.0, 1.04)
    axes.set_xlabel("certainty", color=INK)
    axes.set_ylabel("share right", color=INK)
    axes.grid(color=HAIRLINE, linewidth=0.5)
    axes.set_axisbelow(True)
    axes.legend(frameon=False, loc="lower right", fontsize=9)
    return save(figure, path)
