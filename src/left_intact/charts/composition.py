"""What an install is made of: areas true to bytes or to files, by folder, and in each by class."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from left_intact.charts.frame import BOTTOM, MARGIN, TOP, class_box, legend, sheet
from left_intact.charts.paper import INK, QUIET, fitted, text_width
from left_intact.charts.shapes import Box, Label, Page
from left_intact.core.model.classes import FileClass
from left_intact.core.model.survey import Survey, Total
from left_intact.presentation.outline import FolderNode, Outline, outline_of
from left_intact.presentation.palette import LETTER
from left_intact.words import count, size

_MOST = 12
"""Folders that are drawn by themselves."""
_LEAST = 0.004
"""A folder with a smaller share of the whole is drawn with the others of its kind."""
_TABLE = 226.0


@dataclass(frozen=True, slots=True)
class _Part:
    """A folder, or several small ones."""

    name: str
    totals: Mapping[FileClass, Total]

    @property
    def total(self) -> Total:
        return sum(self.totals.values(), Total())


def draw_composition(survey: Survey, *, name: str, date: str, unit: str = "bytes") -> list[Page]:
    """Draw what an install is made of, by `bytes` or by `files`."""
    outline = outline_of(survey)
    totals = {kind: total for kind, total in survey.totals().items() if total.files}
    whole = sum(totals.values(), Total())
    title = f"{name} {survey.version_text}".strip()
    under = f"what it is made of: {count(whole.files, 'file')}, {size(whole.bytes)}"
    page = sheet(title, under, date)
    parts = _parts(outline, unit)
    width, height = page.width - 2 * MARGIN - _TABLE - 14, page.height - TOP - BOTTOM
    _areas(page, parts, MARGIN, TOP, width, height, unit)
    _table(page, parts, MARGIN + width + 14)
    legend(page, totals, f"areas are true to {'bytes' if unit == 'bytes' else 'the number of files'}")
    return [page]


def _amount(total: Total, unit: str) -> int:
    return total.bytes if unit == "bytes" else total.files


def _parts(outline: Outline, unit: str) -> list[_Part]:
    """The folders at the top, the largest first, and what is too small to be seen together."""
    found = [
        _Part(f"{node.name}/", _totals(node)) for at in outline.root.folders if (node := outline.folders[at])
    ]
    loose: dict[FileClass, Total] = {}
    for finding in outline.root.entries:
        loose[finding.file_class] = loose.get(finding.file_class, Total()) + Total(
            files=1, bytes=finding.entry.bytes
        )
    if loose:
        found.append(_Part("not in a folder", loose))
    found = sorted((part for part in found if part.total.files), key=lambda part: -_amount(part.total, unit))
    whole = sum(_amount(part.total, unit) for part in found) or 1
    seen = [part for part in found[:_MOST] if _amount(part.total, unit) >= _LEAST * whole]
    small = found[len(seen) :]
    if len(small) < 2:
        return found
    rest: dict[FileClass, Total] = {}
    for part in small:
        for kind, total in part.totals.items():
            rest[kind] = rest.get(kind, Total()) + total
    return [*seen, _Part(f"{len(small)} smaller ones", rest)]


def _totals(node: FolderNode) -> dict[FileClass, Total]:
    return {kind: Total(files=files, bytes=node.bytes.get(kind, 0)) for kind, files in node.files.items()}


def _areas(
    page: Page, parts: Sequence[_Part], x: float, y: float, width: float, height: float, unit: str
) -> None:
    drawn = [part for part in parts if _amount(part.total, unit)]
    for number, (part, place) in enumerate(
        zip(drawn, _split([_amount(part.total, unit) for part in drawn], x, y, width, height), strict=True)
    ):
        kinds = sorted(
            (k for k in part.totals if _amount(part.totals[k], unit)),
            key=lambda k: -_amount(part.totals[k], unit),
        )
        inside = _split([_amount(part.totals[kind], unit) for kind in kinds], *place)
        for kind, (left, top, wide, high) in zip(kinds, inside, strict=True):
            page.put(class_box(kind, left, top, wide, high, f"area-{number}-{kind.value}"))
        left, top, wide, high = place
        page.put(Box(x=left, y=top, width=wide, height=high, edge=INK, line=0.9))
        _name(page, part, inside[0], LETTER[kinds[0]], unit)


def _name(page: Page, part: _Part, place: tuple[float, float, float, float], letter: str, unit: str) -> None:
    """The name of a folder on the largest of its classes, where there is room for it."""
    left, top, wide, high = place
    if wide < 34 or high < 16:
        return
    says = fitted(f"{letter}  {part.name}", wide - 10, 8.5, bold=True)
    amount = size(part.total.bytes) if unit == "bytes" else f"{part.total.files:,}"
    lines = [(says, True)] + ([(amount, False)] if high >= 30 and text_width(amount, 8) <= wide - 10 else [])
    room = max(text_width(line, 8.5, bold=bold) for line, bold in lines) + 6
    page.put(Box(x=left + 2, y=top + 2, width=room, height=12.0 * len(lines), fill="white"))
    for number, (line, bold) in enumerate(lines):
        page.put(
            Label(
                x=left + 5,
                y=top + 11.5 + 11 * number,
                text=line,
                points=8.5 if bold else 8,
                colour=INK,
                bold=bold,
            )
        )


def _split(
    amounts: Sequence[int], x: float, y: float, width: float, height: float
) -> list[tuple[float, float, float, float]]:
    """Rectangles that fill one, areas true to the amounts, the largest first, as square as can be."""
    from squarify import normalize_sizes, squarify

    if not amounts:
        return []
    found = squarify(normalize_sizes(list(amounts), width, height), x, y, width, height)
    return [(one["x"], one["y"], one["dx"], one["dy"]) for one in found]


def _table(page: Page, parts: Sequence[_Part], x: float) -> None:
    """Each folder with its exact sums, those too that are too small to be seen."""
    right, y = page.width - MARGIN, TOP + 8
    for part in parts:
        page.put(
            Label(x=x, y=y, text=fitted(part.name, right - x - 104), colour=INK),
            Label(x=right - 56, y=y, text=f"{part.total.files:,}", colour=QUIET, anchor="right"),
            Label(x=right, y=y, text=size(part.total.bytes), colour=QUIET, anchor="right"),
        )
        y += 14
    page.put(Label(x=right, y=y + 2, text="files, bytes", points=7.5, colour=QUIET, anchor="right"))
