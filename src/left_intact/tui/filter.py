"""The last gate before the terminal: whatever a widget shows, no control character of it gets there."""

from __future__ import annotations

from rich.segment import Segment
from textual.color import Color
from textual.filter import LineFilter

from left_intact.words import CONTROL, bearable


class NoControls(LineFilter):
    """Texts are made bearable where they are put together; what was forgotten there is made so here."""

    def apply(self, segments: list[Segment], background: Color) -> list[Segment]:
        if not any(CONTROL.search(segment.text) for segment in segments):
            return segments
        return [
            segment if segment.control else Segment(bearable(segment.text), segment.style)
            for segment in segments
        ]
