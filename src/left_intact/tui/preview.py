"""What a file looks like inside: a picture as blocks, the first lines of a text, the first bytes of
anything else.
"""

from __future__ import annotations

import io
from typing import TYPE_CHECKING

from rich.console import Group, RenderableType
from rich.text import Text

from left_intact.tui.look import Look
from left_intact.tui.writing import bearable, clip

if TYPE_CHECKING:
    from PIL.Image import Image

PICTURES = ("png", "jpeg", "webp", "bmp", "gif", "qoi")
PICTURE_LIMIT, TEXT_LIMIT = 16 << 20, 64 << 10
_WIDTH, _HEIGHT, _LINES, _ROWS = 46, 44, 26, 20


def limit_for(file_format: str) -> int:
    """How many bytes of a file of some format are needed to show it."""
    return PICTURE_LIMIT if file_format in PICTURES else TEXT_LIMIT


def picture_of(data: bytes) -> Image | None:
    """A small picture, or None where the bytes are none that can be shown."""
    from PIL import Image, UnidentifiedImageError

    bombs = (Image.DecompressionBombError, Image.DecompressionBombWarning)
    try:
        picture = Image.open(io.BytesIO(data))
        picture.thumbnail((_WIDTH, _HEIGHT))
        return picture.convert("RGB")
    except (OSError, ValueError, SyntaxError, UnidentifiedImageError, *bombs):
        return None


def two_pictures(before: bytes, after: bytes, look: Look) -> RenderableType:
    """A scene before and after, one above the other."""
    from rich_pixels import Pixels

    parts: list[RenderableType] = []
    for words, data in (("before", before), ("after", after)):
        parts.append(Text(f"{words}\n", look.style("text", bold=True)))
        picture = picture_of(data) if data else None
        if picture is None:
            parts.append(
                Text(
                    "none yet: take one, then v\n" if not data else "it cannot be shown\n",
                    look.style("quiet"),
                )
            )
        else:
            picture.thumbnail((_WIDTH, _HEIGHT - 8))
            parts.append(Pixels.from_image(picture))
    return Group(*parts)


def preview_of(data: bytes | None, file_format: str, look: Look) -> RenderableType:
    """The preview of a file's first bytes. Decodes; call it beside the screen's own thread."""
    if data is None:
        return Text("it cannot be read", look.style("bad"))
    if not data:
        return Text("it is empty", look.style("quiet"))
    if file_format in PICTURES and (picture := picture_of(data)) is not None:
        from rich_pixels import Pixels

        return Group(
            Pixels.from_image(picture),
            Text(f"{file_format}, shown {picture.width} blocks wide", look.style("quiet")),
        )
    if file_format.startswith(("text ", "script ")):
        return _text(data, look)
    return _bytes(data, look)


def _text(data: bytes, look: Look) -> Text:
    lines = data.decode(
        "utf-16" if data[:2] in (b"\xff\xfe", b"\xfe\xff") else "utf-8", "replace"
    ).splitlines()
    text = Text(no_wrap=True)
    for line in lines[:_LINES]:
        text.append(clip(bearable(line.expandtabs(4)), _WIDTH) + "\n", look.style("text"))
    if len(lines) > _LINES:
        text.append(
            f"… {len(lines) - _LINES:,} lines more" + (" at least" if len(data) >= TEXT_LIMIT else ""),
            look.style("quiet"),
        )
    return text


def _bytes(data: bytes, look: Look) -> Text:
    text = Text(no_wrap=True)
    for start in range(0, min(len(data), _ROWS * 8), 8):
        row = data[start : start + 8]
        text.append(f"{start:04x}  ", look.style("quiet"))
        text.append(" ".join(f"{byte:02x}" for byte in row).ljust(25), look.style("text"))
        text.append(
            "".join(chr(byte) if 32 <= byte < 127 else "·" for byte in row) + "\n", look.style("focus")
        )
    return text
