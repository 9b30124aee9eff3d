"""The report of one update, two to four pages of paper to be kept for years. reportlab is imported on use."""

from __future__ import annotations

import io
import os
import re
from collections.abc import Iterable, Iterator, Sequence
from functools import cache
from typing import Any
from xml.sax.saxutils import escape

from left_intact.charts.letters import Face, as_seen, own, runs
from left_intact.charts.paper import ACCENT, HAIRLINE, INK, QUIET
from left_intact.core.model.account import Account
from left_intact.core.model.errors import LeftIntactError
from left_intact.core.model.proof import CheckState
from left_intact.presentation.palette import LETTER, NAME
from left_intact.words import bearable, count, moment, size, versions
from left_intact.workbench import MADE_BY, write_out

_MOST = 30
"""Files that are named on paper; all stand in the JSON."""
_MOST_KEYS = 60
_DIGEST = re.compile(r"[0-9a-f]{64}")
_WIDTH = 523.0
"""Between the margins of A4 upright."""
_STATES = {CheckState.PASSED: "passed", CheckState.FAILED: "failed", CheckState.YOURS: "not seen by us"}


def write_report(account: Account, path: str) -> str:
    """Write an account as PDF or, where its name ends so, as JSON. Raises `bad-report`,
    `in-the-way`, `disk`."""
    ending = os.path.splitext(path)[1].lower()
    if ending not in (".pdf", ".json"):
        raise LeftIntactError(
            "bad-report", "a report is written as PDF or JSON", path=path, way_out="Let the name end so."
        )
    if ending == ".json":
        from left_intact.presentation.as_json import account_json, as_text

        data = (as_text({"made_by": MADE_BY, **account_json(account)}) + "\n").encode()
    else:
        data = _Report(account).as_pdf()
    return write_out(path, data, "report")


class _Report:
    """The flow of a report: headings, lines of text, tables."""

    def __init__(self, account: Account) -> None:
        from reportlab.lib.styles import ParagraphStyle

        self.account = account
        _take_fonts()
        plain = {"fontName": "Paper", "textColor": INK, "splitLongWords": True}
        self.text = ParagraphStyle("text", fontSize=9, leading=13, **plain)
        self.cell = ParagraphStyle("cell", fontSize=8, leading=10.5, **plain)
        self.code = ParagraphStyle("code", fontSize=6.4, leading=10, **plain)
        self.title = ParagraphStyle(
            "title", fontName="Paper-Bold", fontSize=17, leading=22, textColor=INK, splitLongWords=True
        )
        self.heading = ParagraphStyle(
            "heading",
            fontName="Paper-Bold",
            fontSize=10.5,
            leading=14,
            spaceBefore=10,
            spaceAfter=3,
            keepWithNext=1,
            textColor=ACCENT,
        )

    def as_pdf(self) -> bytes:
        from reportlab.lib.pagesizes import A4
        from reportlab.platypus import SimpleDocTemplate

        out = io.BytesIO()
        document = SimpleDocTemplate(
            out,
            pagesize=A4,
            leftMargin=36,
            rightMargin=36,
            topMargin=40,
            bottomMargin=44,
            invariant=1,
            title=bearable(f"{self.account.install}: update {self.account.run}"),
            author=MADE_BY,
        )
        document.build(list(self._flow()), onFirstPage=self._foot, onLaterPages=self._foot)
        return out.getvalue()

    def _foot(self, canvas: Any, document: Any) -> None:
        one = self.account
        foot = f"{_clipped(one.install, 60)}, run {one.run}, {moment(one.ended)}"
        canvas.setFont("Paper", 7.5)
        canvas.setFillColor(QUIET)
        canvas.drawString(
            36,
            26,
            as_seen(bearable(foot)),
        )
        canvas.drawRightString(36 + _WIDTH, 26, f"page {document.page}")

    def _flow(self) -> Iterator[Any]:
        one = self.account
        way = "going back to" if one.kind == "back" else "update"
        what = one.to_version if one.kind == "back" else versions(one.from_version, one.to_version)
        yield self._line(f"{_clipped(one.install, 120)}: {way} {what}", self.title)
        how = f"{one.route} · {one.state}".replace("-", " ")
        yield self._line(f"{moment(one.began)} to {moment(one.ended)} · {how}")
        yield self._line(one.root, self.code)
        yield from self._verdict()
        yield from self._came()
        if not one.is_whole:
            says = "What it left alone and set aside is not on record any more: a later update was settled."
            yield self._line(says)
        yield from self._kept()
        yield from self._merged()
        yield from self._answers()
        yield from self._set_aside()
        yield from self._way_back()

    def _verdict(self) -> Iterator[Any]:
        one = self.account
        yield self._line(f"Verdict: {one.verdict or 'never proven'}", self.heading)
        rows = [(check.name, _STATES[check.state], check.says) for check in one.checks]
        if rows:
            yield self._table(rows, (92, 70, _WIDTH - 162))
        for says in one.ticked:
            yield self._line(f"✓ ticked: {says}")

    def _came(self) -> Iterator[Any]:
        if self.account.came:
            yield self._line("What came", self.heading)
            rows = [
                (came.version, came.source, came.digest or "a folder: no sum") for came in self.account.came
            ]
            yield self._table(rows, (70, _WIDTH - 345, 275), head=("version", "from", "BLAKE3"))

    def _kept(self) -> Iterator[Any]:
        if not self.account.kept:
            return
        yield self._line("What was to stay as it lay", self.heading)
        rows = [
            (f"{LETTER[k.file_class]}  {NAME[k.file_class]}", f"{k.files:,}", size(k.bytes), k.digest)
            for k in self.account.kept
        ]
        yield self._table(rows, (86, 50, 60, _WIDTH - 196), head=("class", "files", "bytes", "BLAKE3 of all"))

    def _merged(self) -> Iterator[Any]:
        lines = [
            (merged.at.shown, line)
            for merged in self.account.merged
            for line in merged.lines
            if line.decided != "same"
        ]
        if not lines:
            return
        yield self._line("What was merged, key by key", self.heading)
        rows = [
            (path, line.key, _value(line.yours), _value(line.arriving), _value(line.result), line.decided)
            for path, line in lines[:_MOST_KEYS]
        ]
        head = ("file", "key", "yours", "came", "now", "")
        yield self._table(rows, (110, 118, 80, 80, 80, 55), head=head)
        yield from self._more(len(lines) - _MOST_KEYS, "key")

    def _answers(self) -> Iterator[Any]:
        if self.account.answers:
            yield self._line("What was asked, and what held", self.heading)
            yield self._table(
                [(one.question, one.answer) for one in self.account.answers], (_WIDTH / 2, _WIDTH / 2)
            )

    def _set_aside(self) -> Iterator[Any]:
        aside = self.account.set_aside
        if not aside:
            return
        whole = f"{count(len(aside), 'file')}, {size(sum(one.bytes for one in aside))}"
        yield self._line(f"What was set aside: {whole}", self.heading)
        mine = sorted(aside, key=lambda one: (not one.file_class.is_the_persons, one.at))
        rows = [
            (
                f"{LETTER[one.file_class]}  {one.at.shown}",
                size(one.bytes),
                one.digest if one.copy else "let go of",
            )
            for one in mine[:_MOST]
        ]
        yield self._table(rows, (_WIDTH - 325, 50, 275), head=("file", "bytes", "its copy is called"))
        yield from self._more(len(aside) - _MOST, "file")

    def _way_back(self) -> Iterator[Any]:
        one = self.account
        yield self._line("How to go back", self.heading)
        yield self._line(f'While it is on trial: left-intact go-back "{_clipped(one.install, 60)}"')
        yield self._line("How to restore by hand, without this program", self.heading)
        yield self._line(
            "Each copy is a plain file, called by the BLAKE3 of its bytes, in objects/ and a folder of the "
            "first two letters of that. Copy it to the place of the file. contents.tsv beside it has a line "
            "for each: its place, mode and time. Any BLAKE3 tool that prints the name of a copy says that it "
            "is sound."
        )
        yield self._line(one.strongbox, self.code)

    # ------------------------------------------------------------ pieces

    def _line(self, text: str, style: Any = None) -> Any:
        from reportlab.platypus import Paragraph

        return Paragraph(_marked_up(bearable(text)), style or self.text)

    def _more(self, number: int, what: str) -> Iterable[Any]:
        return (
            [self._line(f"and {count(number, what)} more: they stand in the report as JSON")]
            if number > 0
            else []
        )

    def _table(
        self, rows: Sequence[Sequence[str]], widths: Sequence[float], *, head: Sequence[str] = ()
    ) -> Any:
        from reportlab.platypus import Table, TableStyle

        cells = [
            [
                self._line(_clipped(text, 400), self.code if _DIGEST.fullmatch(text) else self.cell)
                for text in row
            ]
            for row in rows
        ]
        titles = [[self._line(text, self.code) for text in head]] if head else []
        table = Table([*titles, *cells], colWidths=list(widths), repeatRows=len(titles), hAlign="LEFT")
        table.setStyle(
            TableStyle(
                [
                    ("VALIGN", (0, 0), (-1, -1), "TOP"),
                    ("LINEBELOW", (0, 0), (-1, -1), 0.3, HAIRLINE),
                    ("LEFTPADDING", (0, 0), (-1, -1), 0),
                    ("TOPPADDING", (0, 0), (-1, -1), 1.5),
                    ("BOTTOMPADDING", (0, 0), (-1, -1), 2),
                ]
            )
        )
        return table


def _take_fonts() -> None:
    from reportlab.pdfbase import pdfmetrics
    from reportlab.pdfbase.ttfonts import TTFont

    for name, weight in (("Paper", "normal"), ("Paper-Bold", "bold")):
        pdfmetrics.registerFont(TTFont(name, own(weight).path))


@cache
def _font_of(face: Face) -> str:
    """What a font is called in the report; empty for one that cannot be embedded."""
    from reportlab.pdfbase import pdfmetrics
    from reportlab.pdfbase.ttfonts import TTFError, TTFont

    name = f"Paper-{face.family}"
    try:
        pdfmetrics.registerFont(TTFont(name, face.path))
    except TTFError:
        return ""
    return name


def _marked_up(text: str) -> str:
    """A text as it is seen, what needs another font in that font."""
    parts = []
    for part, face in runs(as_seen(text)):
        font = _font_of(face) if face != own() else ""
        parts.append(f'<font name="{font}">{escape(part)}</font>' if font else escape(part))
    return "".join(parts)


def _value(value: str | None) -> str:
    return "" if value is None else value


def _clipped(text: str, most: int) -> str:
    return text if len(text) <= most else f"{text[: most // 2]}…{text[-most // 2 :]}"
