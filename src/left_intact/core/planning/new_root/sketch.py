"""What is to lie in the new folder: what an update in place would leave in the old one."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass, field, replace

from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Entry, Kind
from left_intact.core.model.place import OLD, At
from left_intact.core.model.plan import Move, Verb
from left_intact.core.model.stages import ChangeSet, FromRoot, Made, Source
from left_intact.core.model.unchanged import CLASSES
from left_intact.core.planning.inputs import Drawing
from left_intact.core.planning.laid import laid, member_of
from left_intact.core.planning.new_root.leading import carried_link
from left_intact.core.planning.new_root.lying import NewRoot
from left_intact.core.planning.sketch import Sketch
from left_intact.core.planning.three_way import SAME_ROW

BULK = (FileClass.CONTENT, FileClass.EXTRAS)
_UNPROVEN = 20
"""The row of what is not proven to be the program's."""


@dataclass(slots=True)
class Wanted:
    """What is to lie at a path of the new folder."""

    entry: Entry
    verb: Verb
    file_class: FileClass
    because: str
    source: Source | None
    old: str = ""
    """Where it lies in the old folder; empty for what comes from the arrival."""
    question: str = ""
    before: Entry | None = None
    joins: At | None = None
    by_name: bool = False


@dataclass(slots=True, kw_only=True)
class NewRootSketch(Sketch):
    new_root: NewRoot
    in_place: Drawing
    """What an update in place would be."""
    wanted: dict[str, Wanted] = field(default_factory=dict)
    behind: Counter[FileClass] = field(default_factory=Counter)
    """What stays in the old folder alone."""
    moved: dict[str, str] = field(default_factory=dict)
    """Old paths and new ones, where those differ."""
    replaced: set[str] = field(default_factory=set)
    """Paths of the new folder where something else lies now."""
    left: list[str] = field(default_factory=list)
    """Folders of content that stay where they are, with a link to them."""

    @property
    def came(self) -> Mapping[str, Entry]:
        return self.inputs.arrival.release.entries

    @property
    def is_the_arrival(self) -> bool:
        """Whether what came is the new folder itself, unpacked by hand."""
        return self.inputs.arrival.source == self.new_root.place


def gather(sketch: NewRootSketch) -> None:
    """What an update in place would leave, by the path that it has there."""
    for move in (m for stage in sketch.in_place.stages if isinstance(stage, ChangeSet) for m in stage.moves):
        if move.at.root or move.after is None:
            sketch.behind[move.file_class] += move.after is None
            continue
        merged = isinstance(move.source, Made)
        if merged:
            sketch.merges[move.at.path] = sketch.in_place.merges[move.at]
        sketch.wanted[move.at.path] = Wanted(
            replace(move.after, stamp=(0, 0, 0)),
            move.verb if merged else Verb.ADD,
            move.file_class,
            move.because,
            move.source,
            old=move.at.path if merged else "",
            question=move.question,
        )
    for page in sketch.in_place.kept.pages:
        if not page.page.root:
            for at in page.places:
                entry = page.page.entry(at)
                _stays(sketch, entry.path, entry, CLASSES[page.classes[at]], page.reasons[at])
    for move in sketch.in_place.kept.rest:
        if not move.at.root and move.before is not None:
            _stays(sketch, move.at.path, move.before, move.file_class, 0, move)


def _stays(
    sketch: NewRootSketch, path: str, entry: Entry, kind: FileClass, reason: int, move: Move | None = None
) -> None:
    """One thing that an update in place would leave as it is."""
    coming = sketch.came.get(path)
    if coming is not None and reason == SAME_ROW.number:
        after = laid(coming, entry if entry.kind is Kind.FILE else None)
        source = member_of(sketch.inputs.arrival, path) if entry.kind is Kind.FILE else None
        sketch.wanted[path] = Wanted(after, Verb.ADD, kind, "as {new} ships it", source)
        return
    if entry.kind is Kind.FAULT or entry.kind is Kind.OTHER:
        says = f"{path} cannot be carried over: {entry.fault or 'it is no file, folder or link'}"
        sketch.warn("not-carried", says, "It stays in the old folder.")
        return
    if kind is FileClass.CACHE or (kind is FileClass.PROGRAM and reason == _UNPROVEN and coming is None):
        sketch.behind[kind] += 1
        return
    after = replace(entry, stamp=(0, 0, 0))
    if entry.kind is Kind.LINK:
        folder = path.rpartition("/")[0]
        after = replace(
            after, link=carried_link(entry.link, folder, sketch.new_root.was, sketch.new_root.place)
        )
    here = FromRoot(At(OLD, path)) if entry.kind is Kind.FILE else None
    because = move.because if move is not None and move.question else "yours: carried over"
    question = move.question if move is not None else ""
    sketch.wanted[path] = Wanted(after, Verb.CARRY, kind, because, here, old=path, question=question)
