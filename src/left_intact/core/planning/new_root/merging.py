"""Settings of the person's, with what the new build's have more."""

from __future__ import annotations

from dataclasses import replace

from left_intact.core.model.classes import FileClass
from left_intact.core.model.place import At
from left_intact.core.model.plan import Verb
from left_intact.core.model.stages import Made
from left_intact.core.planning.merging import made, one_on_the_other
from left_intact.core.planning.new_root.sketch import NewRootSketch, Wanted
from left_intact.core.settings.formats.registry import may_be_settings, may_merge


def merge_into(sketch: NewRootSketch, old: str, mine: Wanted, path: str, coming: bytes | None) -> bool:
    """Add to the person's settings what the new ones have more; whether there was such. Theirs stay whole
    where that is not sure.
    """
    there = sketch.new_root.entry(path) or sketch.came.get(path)
    yours = mine.source.content if isinstance(mine.source, Made) else sketch.inputs.read(old)
    if there is None or coming is None or yours is None:
        return False
    formats = (mine.entry.format, there.format)
    is_known = mine.file_class is FileClass.SETTINGS and may_be_settings(*formats)
    if not (may_merge(*formats) or is_known):
        return False
    if mine.file_class not in (FileClass.SETTINGS, FileClass.UNSORTED, FileClass.PROGRAM):
        return False
    base = sketch.in_place.baseline
    shipped = base.texts.get(old) if base and not isinstance(mine.source, Made) and old != path else None
    merged = sketch.inputs.merge(At("", old), mine.entry, mine=yours, base=shipped, arriving=coming)
    if not merged.is_of_use(yours):
        return False
    before = sketch.merges.get(path)
    sketch.merges[path] = merged if before is None else one_on_the_other(before, merged)
    mine.source = made(sketch.merges[path])
    mine.entry = replace(mine.entry, bytes=len(merged.content), digest=mine.source.digest)
    mine.verb = Verb.MERGE
    return True
