"""Drawing pages of shapes as SVG or PDF. matplotlib is imported on use."""

from __future__ import annotations

import base64
import io
import logging
import os
import re
import warnings
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from functools import lru_cache
from typing import TYPE_CHECKING, Any

from left_intact.charts.letters import FONT, faces_for, own
from left_intact.charts.shapes import Box, Item, Label, Page, Rule, Shape
from left_intact.core.model.errors import LeftIntactError
from left_intact.presentation.palette import PAPER
from left_intact.words import bearable
from left_intact.workbench import MADE_BY, write_out

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

INK, QUIET, HAIRLINE, ACCENT = PAPER.text, PAPER.quiet, PAPER.hairline, PAPER.focus
COLOUR = PAPER.classes
_JOINED = (range(0x590, 0x2000), range(0xA800, 0xFE00))
"""Scripts whose letters have other shapes beside others, or stand over each other."""
_OF_LAYOUT = frozenset({"GSUB", "GPOS", "GDEF", "MATH"})
"""The tables of a font that only such scripts need; they are long to read."""
_SETTINGS: Any = {
    "svg.fonttype": "none",  # text stays text
    "svg.hashsalt": "left-intact",  # and the same figure gives the same file
    "pdf.fonttype": 42,
    "font.family": FONT,
    "hatch.linewidth": 0.5,
}


def write(pages: Sequence[Page], path: str) -> str:
    """Write a figure as what its name ends in: an SVG has its pages below each other. Raises `bad-figure`,
    `in-the-way`, `disk`.
    """
    import matplotlib

    ending = figure_ending(path)
    with matplotlib.rc_context(_SETTINGS), _quietly():
        data = _as_svg(_below_each_other(pages)) if ending == ".svg" else _as_pdf(pages)
    return write_out(path, data, "figure")


def figure_ending(path: str) -> str:
    """`.svg` or `.pdf`. Raises `bad-figure`."""
    ending = os.path.splitext(path)[1].lower()
    if ending not in (".svg", ".pdf"):
        raise LeftIntactError(
            "bad-figure", "figures are written as SVG or PDF", path=path, way_out="Let the name end so."
        )
    return ending


def _as_svg(page: Page) -> bytes:
    out = io.StringIO()
    _figure(page).savefig(out, format="svg", metadata={"Date": None, "Creator": MADE_BY})
    return _with_fonts(out.getvalue(), [item for item in page.items if isinstance(item, Label)]).encode()


def _as_pdf(pages: Sequence[Page]) -> bytes:
    from matplotlib.backends.backend_pdf import PdfPages

    out = io.BytesIO()
    with PdfPages(out, metadata={"CreationDate": None, "ModDate": None, "Creator": MADE_BY}) as document:
        for page in pages:
            document.savefig(_figure(page))
    return out.getvalue()


@contextmanager
def _quietly() -> Iterator[None]:
    """Without a word on letters that the font lacks, and on weights that another one has not."""
    log = logging.getLogger("matplotlib.font_manager")
    was = log.level
    log.setLevel(logging.ERROR)
    try:
        with warnings.catch_warnings():
            warnings.filterwarnings("ignore", message="Glyph .* missing")
            yield
    finally:
        log.setLevel(was)


def _below_each_other(pages: Sequence[Page]) -> Page:
    if len(pages) == 1:
        return pages[0]
    whole, above = Page(max(page.width for page in pages), sum(page.height for page in pages)), 0.0
    for page in pages:
        whole.extend(_moved(item, above) for item in page.items)
        above += page.height
    return whole


def _moved(item: Item, by: float) -> Item:
    from dataclasses import replace

    if isinstance(item, Shape):
        return replace(item, points=tuple((x, y + by) for x, y in item.points))
    if isinstance(item, Rule):
        return replace(item, y=item.y + by, to_y=item.to_y + by)
    return replace(item, y=item.y + by)


def _figure(page: Page) -> Figure:
    from matplotlib.figure import Figure

    figure = Figure(figsize=(page.width / 72, page.height / 72), facecolor="white")
    axes: Axes = figure.add_axes((0.0, 0.0, 1.0, 1.0))
    axes.set_axis_off()
    axes.set_xlim(0, page.width)
    axes.set_ylim(page.height, 0)
    for item in page.items:
        _draw(axes, item)
    return figure


def _draw(axes: Axes, item: Item) -> None:
    from matplotlib.lines import Line2D
    from matplotlib.patches import Polygon, Rectangle

    more: dict[str, Any] = {"gid": item.id} if not isinstance(item, Label) and item.id else {}
    match item:
        case Box():
            hatch = item.hatch or None
            edge = INK if hatch and item.edge == "none" else item.edge
            line = 0.0 if item.edge == "none" else item.line
            more |= {"facecolor": item.fill, "edgecolor": edge, "hatch": hatch, "linewidth": line}
            axes.add_patch(Rectangle((item.x, item.y), item.width, item.height, joinstyle="miter", **more))
        case Rule():
            more |= {"color": item.colour, "linewidth": item.line, "solid_capstyle": "butt"}
            if item.dash:
                more["dashes"] = item.dash
            axes.add_line(Line2D((item.x, item.to_x), (item.y, item.to_y), **more))
        case Shape():
            axes.add_patch(Polygon(item.points, facecolor=item.fill, edgecolor=item.edge, **more))
        case Label():
            axes.text(
                item.x,
                item.y,
                item.text,
                fontsize=item.points,
                color=item.colour,
                ha=item.anchor,
                va="baseline",
                fontweight="bold" if item.bold else "normal",
                fontfamily=_families(item.text),
                parse_math=False,
            )


# ---------------------------------------------------------------- text


@lru_cache(maxsize=4096)
def text_width(text: str, points: float = 8.5, *, bold: bool = False) -> float:
    """How wide a text is drawn, in points."""
    from matplotlib.font_manager import FontProperties
    from matplotlib.textpath import text_to_path

    font = FontProperties(family=_families(text), size=points, weight="bold" if bold else "normal")
    with _quietly():
        return float(text_to_path.get_text_width_height_descent(text, font, ismath=False)[0])


def _families(text: str) -> list[str]:
    return [face.family for face in faces_for(text)]


def fitted(text: str, room: float, points: float = 8.5, *, bold: bool = False) -> str:
    """A text that is no wider than `room`, its middle left out where it would be; nothing where none fits."""
    text = bearable(text)
    if text_width(text, points, bold=bold) <= room:
        return text
    low, high = 0, min(len(text), 400)
    while low < high:  # the most characters that fit
        middle = (low + high + 1) // 2
        fits = text_width(_without_middle(text, middle), points, bold=bold) <= room
        low, high = (middle, high) if fits else (low, middle - 1)
    return _without_middle(text, low) if low > 1 else ""


def _without_middle(text: str, keep: int) -> str:
    front = (keep + 1) // 2
    return f"{text[:front]}…{text[len(text) - keep // 2 :] if keep > 1 else ''}"


def _with_fonts(svg: str, labels: Sequence[Label]) -> str:
    """An SVG with the letters that it uses in it, so that it looks alike where the font is not there."""
    faces = []
    for weight, is_bold in (("normal", False), ("bold", True)):
        used = {char for label in labels if label.bold is is_bold for char in label.text}
        if used:
            data = base64.b64encode(_subset("".join(sorted(used)), weight)).decode()
            source = f"src: url(data:font/woff;base64,{data}) format('woff')"
            faces.append(f"@font-face {{ font-family: '{FONT}'; font-weight: {weight}; {source}; }}")
    style = '<style type="text/css">' + "\n".join(faces) + "</style>"
    return re.sub(r"(<defs>\s*)", lambda found: found.group(1) + style, svg, count=1)


def _subset(text: str, weight: str) -> bytes:
    from fontTools import subset
    from fontTools.ttLib import TTFont

    font = TTFont(own(weight).path, recalcTimestamp=False)
    options = subset.Options(flavor="woff", notdef_outline=True, hinting=False)
    options.drop_tables += ["FFTM"]  # times of the font's making
    if not any(ord(char) in part for char in text for part in _JOINED):
        for table in _OF_LAYOUT.intersection(font.keys()):
            del font[table]
    chooser = subset.Subsetter(options)
    chooser.populate(text=text)
    chooser.subset(font)
    font.flavor = "woff"
    out = io.BytesIO()
    font.save(out)
    return out.getvalue()
