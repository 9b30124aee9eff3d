"""What figures are made of: shapes in points on pages, y downwards. They know nothing of what draws them."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field


@dataclass(frozen=True, slots=True, kw_only=True)
class Box:
    """A rectangle."""

    x: float
    y: float
    width: float
    height: float
    fill: str = "none"
    edge: str = "none"
    hatch: str = ""
    line: float = 0.6
    id: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Rule:
    """A straight line."""

    x: float
    y: float
    to_x: float
    to_y: float
    colour: str
    line: float = 0.6
    dash: tuple[float, float] | None = None
    id: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Shape:
    """A polygon."""

    points: tuple[tuple[float, float], ...]
    fill: str
    edge: str = "none"
    id: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Label:
    """A line of text; `x` is its left end, its middle or its right end, `y` its ground line."""

    x: float
    y: float
    text: str
    points: float = 8.5
    """The size of the font."""
    colour: str = "#000000"
    anchor: str = "left"
    """`left`, `center` or `right`."""
    bold: bool = False


Item = Box | Rule | Shape | Label


@dataclass(slots=True)
class Page:
    """One sheet of paper."""

    width: float = 842.0
    height: float = 595.0
    items: list[Item] = field(default_factory=list)

    def put(self, *items: Item) -> None:
        self.items += items

    def extend(self, items: Iterable[Item]) -> None:
        self.items += items
