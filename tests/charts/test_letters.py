"""Letters that the font of our figures lacks: another has them where one is installed; no text changes."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path

from fontTools.fontBuilder import FontBuilder
from fontTools.pens.ttGlyphPen import TTGlyphPen
from pypdf import PdfReader

from left_intact.charts.letters import as_seen, faces_for, own, runs
from tests.charts.test_figures import ODD

DRAW = """
import sys
from matplotlib.font_manager import fontManager
fontManager.ttflist = [font for font in fontManager.ttflist if font.name == "DejaVu Sans"]
fontManager.addfont(sys.argv[1])
from left_intact.charts.paper import write
from left_intact.charts.shapes import Label, Page
page = Page()
page.put(Label(x=40, y=40, text="a \\u6e2f b"))
write([page], sys.argv[2])
"""


def a_font(path: Path, char: str) -> Path:
    """A font with a square for one letter."""
    pen = TTGlyphPen(None)
    pen.moveTo((0, 0))
    for corner in ((0, 700), (700, 700), (700, 0)):
        pen.lineTo(corner)
    pen.closePath()
    font = FontBuilder(1000, isTTF=True)
    font.setupGlyphOrder([".notdef", "square"])
    font.setupCharacterMap({ord(char): "square"})
    font.setupGlyf({".notdef": TTGlyphPen(None).glyph(), "square": pen.glyph()})
    font.setupHorizontalMetrics({".notdef": (500, 0), "square": (800, 0)})
    font.setupHorizontalHeader(ascent=800, descent=-200)
    font.setupNameTable({"familyName": "Quaylight", "styleName": "Regular", "psName": "Quaylight"})
    font.setupOS2(usWeightClass=400)
    font.setupPost()
    font.save(path)
    return path


def test_a_letter_that_ours_lacks_is_drawn_with_another_font(tmp_path: Path) -> None:
    font, target = a_font(tmp_path / "quaylight.ttf", "港"), tmp_path / "it.pdf"
    subprocess.run([sys.executable, "-c", DRAW, font, target], check=True)
    (page,) = PdfReader(target).pages
    names = {str(f.get_object()["/BaseFont"]) for f in page["/Resources"]["/Font"].values()}  # type: ignore[index]
    assert any("Quaylight" in name for name in names), names
    assert page.extract_text().split() == ["a", "港", "b"]


def test_a_text_in_runs_is_the_same_text() -> None:
    for text in (*ODD, "", "harbour"):
        assert "".join(part for part, _ in runs(text)) == text
    assert faces_for("harbour") == (own(),)


def test_what_is_read_from_the_right_is_put_in_the_order_it_is_seen_in() -> None:
    assert as_seen("saves/מעגן") == "saves/ןגעמ"
    assert as_seen("harbour 12") == "harbour 12"
    assert sorted(as_seen("מעגן ים 12")) == sorted("מעגן ים 12")
