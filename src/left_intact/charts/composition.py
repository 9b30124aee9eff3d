"""What an install is made of: a bar for the whole and for each folder at the top, by class."""

from __future__ import annotations

from left_intact.charts.paper import COLOUR, HAIRLINE, INK, QUIET, save, sheet
from left_intact.core.model.classes import FileClass
from left_intact.core.model.place import TOP
from left_intact.core.model.survey import Survey
from left_intact.presentation.outline import FolderNode, Outline, outline_of
from left_intact.presentation.palette import LETTER
from left_intact.words import bearable, count, size

_MOST = 22
_LABEL_FROM = 0.035


def draw_composition(survey: Survey, path: str, *, name: str = "", unit: str = "bytes") -> str:
    """Draw the composition of a survey, by `bytes` or by `files`. Returns the path."""
    outline = outline_of(survey)
    rows = [("everything", outline.root), *_rows(outline)]
    title = f"{name or survey.root.rstrip('/').rpartition('/')[2]} {survey.version_text}".strip()
    under = (
        f"{count(outline.root.count, 'file')}, {size(outline.root.size)}; what each folder is made "
        f"of, by {unit}"
    )
    figure, axes = sheet(9.0, 1.5 + 0.34 * len(rows), title, under)
    for at, (_, node) in enumerate(rows):
        _bar(axes, -at - (0.4 if at else 0), node, unit)
    axes.set_yticks(
        [-at - (0.4 if at else 0) for at in range(len(rows))], [bearable(label) for label, _ in rows]
    )
    axes.set_xlim(0, 1.16)
    axes.set_ylim(-len(rows) + 0.1, 0.6)
    axes.set_xticks([])
    axes.axhline(-0.7, color=HAIRLINE, linewidth=0.8, xmax=0.86)
    _legend(axes, outline.root, unit)
    return save(figure, path)


def _rows(outline: Outline) -> list[tuple[str, FolderNode]]:
    below = [(f"{outline.folders[at].name}/", outline.folders[at]) for at in outline.root.folders]
    below.sort(key=lambda row: -row[1].size)
    shown = below[:_MOST]
    loose = FolderNode(TOP)
    for finding in outline.root.entries:
        kind = finding.file_class
        loose.files[kind] = loose.files.get(kind, 0) + 1
        loose.bytes[kind] = loose.bytes.get(kind, 0) + finding.entry.bytes
    rest = FolderNode(TOP)
    for _, node in below[_MOST:]:
        for kind, files in node.files.items():
            rest.files[kind] = rest.files.get(kind, 0) + files
            rest.bytes[kind] = rest.bytes.get(kind, 0) + node.bytes[kind]
    extra = [("not in a folder", loose)] if loose.files else []
    return shown + extra + ([(f"{len(below) - _MOST} smaller folders", rest)] if rest.files else [])


def _bar(axes, y: float, node: FolderNode, unit: str) -> None:  # type: ignore[no-untyped-def]
    amounts = node.bytes if unit == "bytes" else node.files
    whole, left = sum(amounts.values()) or 1, 0.0
    for kind in FileClass:
        share = amounts.get(kind, 0) / whole
        if not share:
            continue
        hatch = "////" if kind is FileClass.UNSORTED else None
        edge = INK if hatch else "white"
        axes.barh(
            y, share, left=left, height=0.66, color=COLOUR[kind], edgecolor=edge, linewidth=0.6, hatch=hatch
        )
        if share >= _LABEL_FROM:
            axes.text(left + share / 2, y, LETTER[kind], ha="center", va="center", fontsize=8, color=INK)
        left += share
    amount = size(node.size) if unit == "bytes" else f"{node.count:,}"
    axes.text(1.015, y, amount, va="center", fontsize=8.5, color=QUIET)


def _legend(axes, node: FolderNode, unit: str) -> None:  # type: ignore[no-untyped-def]
    from matplotlib.patches import Patch

    amounts = node.bytes if unit == "bytes" else node.files
    handles = [
        Patch(
            facecolor=COLOUR[k],
            edgecolor=INK,
            linewidth=0.4,
            hatch="////" if k is FileClass.UNSORTED else None,
            label=f"{LETTER[k]}  {k.value}",
        )
        for k in FileClass
        if amounts.get(k)
    ]
    axes.legend(
        handles=handles,
        loc="upper center",
        bbox_to_anchor=(0.43, 0.0),
        ncols=len(handles),
        frameon=False,
        fontsize=8,
        handlelength=1.1,
        columnspacing=1.2,
    )
