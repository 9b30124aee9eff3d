"""Settings of the person's, with what the new build's have more."""

from __future__ import annotations

from dataclasses import replace

from blake3 import blake3

from left_intact.core.model.classes import FileClass
from left_intact.core.model.plan import KeyLine, Merge, Verb
from left_intact.core.model.stages import Made
from left_intact.core.planning.beside.sketch import Sketch, Wanted
from left_intact.core.settings.formats.registry import may_merge
from left_intact.core.settings.merge import merge_settings


def merge_into(sketch: Sketch, old: str, mine: Wanted, path: str, coming: bytes | None) -> bool:
    """Add to the person's settings what the new ones have more; whether there was such. Theirs stay whole
    where that is not sure.
    """
    there = sketch.side.entry(path) or sketch.came.get(path)
    yours = mine.source.content if isinstance(mine.source, Made) else sketch.inputs.read(old)
    if there is None or coming is None or yours is None or not may_merge(mine.entry.format, there.format):
        return False
    if mine.file_class not in (FileClass.SETTINGS, FileClass.UNSORTED, FileClass.PROGRAM):
        return False
    base = sketch.drawing.baseline
    shipped = base.texts.get(old) if base and not isinstance(mine.source, Made) and old != path else None
    merge = merge_settings(
        shipped, yours, coming, file_format=mine.entry.format, renames=sketch.inputs.sheet.renames_in(old)
    )
    if merge.trouble or merge.content == yours or any(line.decided == "conflict" for line in merge.lines):
        return False
    before = sketch.merges.get(path)
    lines = merge.lines if before is None else _both(before, merge)
    sketch.merges[path] = Merge(lines=lines, content=merge.content)
    digest = blake3(merge.content).hexdigest()
    mine.source = Made(digest, merge.content, lines)
    mine.entry = replace(mine.entry, bytes=len(merge.content), digest=digest)
    mine.verb = Verb.MERGE
    return True


def _both(first: Merge, second: Merge) -> tuple[KeyLine, ...]:
    """The lines of two mergings, one on the other: what the second added comes after those of the first."""
    known = {line.path for line in first.lines}
    return (*first.lines, *(line for line in second.lines if line.path not in known))
