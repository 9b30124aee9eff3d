"""The strip: a bar that shows what something is made of, letter and colour together."""

from __future__ import annotations

from collections.abc import Mapping

from rich.text import Text

from left_intact.core.model.classes import FileClass
from left_intact.presentation.palette import LETTER
from left_intact.tui.look import Look


def widths_of(amounts: Mapping[FileClass, int], width: int, least: int = 2) -> dict[FileClass, int]:
    """Cells for each class present, in the order of the classes; together `width` if there is room.

    Every class that is there at all gets `least` cells, the rest is shared by amount.
    """
    there = {c: amounts.get(c, 0) for c in FileClass if amounts.get(c, 0) > 0}
    if not there or width <= 0:
        return {}
    least = min(least, max(1, width // len(there)))
    spare = width - least * len(there)
    whole = sum(there.values())
    shares = {c: spare * amount / whole for c, amount in there.items()}
    cells = {c: least + int(share) for c, share in shares.items()}
    rest = width - sum(cells.values())
    for kind in sorted(shares, key=lambda c: shares[c] % 1, reverse=True)[: max(0, rest)]:
        cells[kind] += 1
    return cells


def strip_of(amounts: Mapping[FileClass, int], width: int, look: Look) -> Text:
    """The bar as one line of text."""
    line = Text(no_wrap=True, end="")
    for kind, cells in widths_of(amounts, width).items():
        letter = LETTER[kind] if cells < 3 else " " + LETTER[kind]
        line.append(letter.ljust(cells)[:cells], look.on_class(kind))
    return line


def badge(kind: FileClass, look: Look) -> Text:
    """A class as a letter on its colour."""
    return Text(f" {LETTER[kind]} ", look.on_class(kind), end="")
