"""Three sizes on one scale: the full set, a pack, and a person's share of it."""

from __future__ import annotations

import math

from rich.text import Text

from left_intact.core.model.outlet import PackView
from left_intact.tui.look import Look
from left_intact.words import size


def pack_sizes(view: PackView, look: Look) -> Text:
    """Three columns of size: the full set, the pack, my share; each with a bar on one scale of magnitude."""
    columns = (
        ("the full set", view.full_bytes),
        ("the pack", view.pack_bytes),
        ("your share", view.share_bytes),
    )
    most = max(math.log10(max(amount, 10)) for _, amount in columns)
    text = Text(no_wrap=True)
    for name, amount in columns:
        cells = round(40 * math.log10(max(amount, 10)) / most) if amount else 0
        last = name == "your share"
        text.append(f"{name:14}", look.style("text", bold=last))
        text.append(
            f"{size(amount) if amount else 'not said':>10}  ",
            look.style("focus" if last else "text", bold=last),
        )
        text.append("━" * cells + "\n", look.style("focus" if last else "quiet"))
    return text
