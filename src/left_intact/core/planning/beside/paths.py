"""Paths in settings: what named the old folder names the new one."""

from __future__ import annotations

import re
from dataclasses import replace

from blake3 import blake3

from left_intact.core.model.errors import Fault
from left_intact.core.model.plan import Merge
from left_intact.core.model.stages import Made
from left_intact.core.planning.beside.sketch import BULK, Sketch
from left_intact.core.settings.formats.registry import is_settings_text


def lead_paths(sketch: Sketch) -> None:
    """Settings that name the old folder name the new one, but where content stays there."""
    was, place = sketch.side.was, sketch.side.place
    stays = "|".join(re.escape("/" + folder) for folder in sketch.left)
    away = f"(?!(?:{stays})(?:/|\\b))" if stays else ""
    named = re.compile(re.escape(was.encode()) + away.encode() + rb"(?=[/\\\"'\s;,:)\]}]|$)")
    count = 0
    for path, one in sketch.wanted.items():
        if not one.old or not is_settings_text(one.entry.format) or one.file_class in BULK:
            continue
        data = one.source.content if isinstance(one.source, Made) else sketch.inputs.read(one.old)
        if data is None or not named.search(data):
            continue
        led = named.sub(lambda _: place.encode(), data)
        digest = blake3(led).hexdigest()
        lines = tuple(
            replace(line, result=line.result.replace(was, place)) if line.result else line
            for line in (one.source.lines if isinstance(one.source, Made) else ())
        )
        one.source = Made(digest, led, lines)
        one.entry = replace(one.entry, bytes=len(led), digest=digest)
        one.because += "; paths in it lead to the new folder"
        if path in sketch.merges:
            sketch.merges[path] = Merge(lines=lines, content=led)
        count += 1
    if count:
        number = "1 settings file" if count == 1 else f"{count} settings files"
        says = f"{number} named the old folder, and will name the new one"
        sketch.warnings.append(Fault(code="paths-led", says=says))
