"""Release notes as text, and the lines of them that touch this person."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Any

from left_intact.core.model.outlet import NoteLine

_TOO_COMMON = frozenset(
    ("the", "and", "disk", "game", "settings", "save", "data", "file", "video", "sound", "input")
)
_WARNING = re.compile(r"(?i)\b(known (fault|issue|bug)|broken|regress|does not load|lost|corrupt|crash)")
_MOVED = re.compile(r"(?i)\b(renamed?|is called|moved to|no longer|removed|dropped|gone)\b")


def as_text(text: str, kind: str) -> str:
    """Notes of type `text`, `html`, `xhtml` or Markdown as plain text with `-` before items."""
    if kind not in ("html", "xhtml", "text/html"):
        return text.strip()
    from lxml import html

    if not text.strip():
        return ""
    tree: Any = html.fromstring(f"<div>{text}</div>")
    for gone in tree.xpath("//script|//style"):
        gone.drop_tree()
    for item in tree.iter("li"):
        item.text = f"\n- {item.text or ''}"
    for part in tree.iter("h1", "h2", "h3"):
        part.text = f"\n# {part.text or ''}"
        part.tail = f"\n{part.tail or ''}"
    for part in tree.iter("p", "br", "li", "ul", "ol"):
        part.tail = f"\n{part.tail or ''}"
    lines = [re.sub(r"[ \t]+", " ", line).strip() for line in tree.text_content().splitlines()]
    return re.sub(r"\n{3,}", "\n\n", "\n".join(lines)).strip()


@dataclass(frozen=True, slots=True, kw_only=True)
class Touch:
    """What the person has that notes may speak of."""

    names: Mapping[str, str]
    """Words in lower case, and how they are to be named: `salt road` -> `your game Salt Road`."""
    settings: Mapping[str, str]
    """Keys that they changed: `sound.rate` -> `44100`."""


def read_notes(notes: Iterable[tuple[str, str]], touch: Touch) -> tuple[NoteLine, ...]:
    """All lines of (version, notes) pairs in their order, each with the reason it was picked for."""
    lines = []
    for version, text in notes:
        for raw in text.splitlines():
            said = raw.strip()
            if not said:
                continue
            heading = bool(re.match(r"#{1,4}\s|[A-Z][^.:]{0,40}:$", said))
            clean = re.sub(r"^(#{1,4}|[-*+])\s+", "", said)
            lines.append(
                NoteLine(
                    version=version, text=clean, why="" if heading else _why(clean, touch), heading=heading
                )
            )
    return tuple(lines)


def _why(line: str, touch: Touch) -> str:
    lower = line.lower()
    for key, value in touch.settings.items():
        if re.search(rf"(?<![\w.\-]){re.escape(key.lower())}(?![\w\-])", lower):
            return f"you set {key} to {value}"
    for word, says in touch.names.items():
        if word not in _TOO_COMMON and re.search(rf"(?<![\w\-]){re.escape(word)}(?![\w\-])", lower):
            return says
    if _WARNING.search(line):
        return "a fault that they noted"
    return (
        "it may be something of yours"
        if _MOVED.search(line) and re.search(r"(?i)setting|save|state|folder", line)
        else ""
    )
