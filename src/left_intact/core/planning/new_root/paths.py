"""Paths in settings: what named the old folder names the new one."""

from __future__ import annotations

import os
from dataclasses import replace

from blake3 import blake3

from left_intact.core.model.plan import Merge
from left_intact.core.model.stages import Made
from left_intact.core.planning.new_root.leading import led_text
from left_intact.core.planning.new_root.sketch import BULK, NewRootSketch
from left_intact.core.settings.formats.registry import is_settings_text
from left_intact.words import count


def lead_paths(sketch: NewRootSketch) -> None:
    """Settings that name the old folder name the new one, but where content stays there."""
    was, place = sketch.new_root.was, sketch.new_root.place
    number = 0
    for path, one in sketch.wanted.items():
        if not one.old or not is_settings_text(one.entry.format) or one.file_class in BULK:
            continue
        data = one.source.content if isinstance(one.source, Made) else sketch.inputs.read(one.old)
        led = led_text(data, was, place, sketch.left) if data is not None else None
        if led is None or led == data:
            continue
        digest = blake3(led).hexdigest()
        lines = tuple(
            replace(line, result=_led_line(line.result, sketch)) if line.result else line
            for line in (one.source.lines if isinstance(one.source, Made) else ())
        )
        one.source = Made(digest, led, lines)
        one.entry = replace(one.entry, bytes=len(led), digest=digest)
        one.because += "; paths in it lead to the new folder"
        if path in sketch.merges:
            sketch.merges[path] = Merge(lines=lines, content=led)
        number += 1
    if number:
        says = f"{count(number, 'settings file')} named the old folder, and will name the new one"
        sketch.warn("paths-led", says)


def _led_line(value: str, sketch: NewRootSketch) -> str:
    return os.fsdecode(led_text(os.fsencode(value), sketch.new_root.was, sketch.new_root.place, sketch.left))
