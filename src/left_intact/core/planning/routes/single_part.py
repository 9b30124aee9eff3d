"""Single part: one core, library, launcher or plug-in is replaced under the name that the program expects.

The old one is kept in the strongbox alone, outside of the install, where the program cannot load it.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from functools import partial

from left_intact.core.files.headers import platform_of
from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Entry, Finding
from left_intact.core.model.errors import Fault
from left_intact.core.model.facts import PartChange, Swapped
from left_intact.core.model.place import At
from left_intact.core.model.plan import Merge, Move, Question, Route, RouteChoice, Verb
from left_intact.core.model.release import Reading, Release
from left_intact.core.model.stages import ChangeSet, FromArrival, LayerKind, Shipped
from left_intact.core.model.unchanged import unchanged_of
from left_intact.core.planning import blockers
from left_intact.core.planning.counterparts import (
    Part,
    are_loose,
    brings_more,
    key_of_old,
    part_key,
    parts_here,
    version_of,
    version_there,
)
from left_intact.core.planning.inputs import Drawing, PlanInputs, RoutePlanner
from left_intact.core.planning.laid import laid, member_of
from left_intact.core.planning.merging import merge_move, settle_keys
from left_intact.core.planning.sketch import Sketch
from left_intact.core.settings.document import Key
from left_intact.core.settings.formats.registry import may_merge
from left_intact.words import listed

_FEW = 3
"""So many parts may come where they lie, and still be parts rather than a release."""


class SinglePart(RoutePlanner):
    """The route."""

    name = Route.SINGLE_PART

    def fits(self, inputs: PlanInputs) -> RouteChoice:
        found = [part for part in inputs.parts if not part.settings]
        known = [p for p in found if p.places]
        one = inputs.arrival.shape == "file"
        more = not one and brings_more(inputs.parts, inputs.arrival.release.entries)
        asked = inputs.route is self.name
        fits = bool(known) and (one or are_loose(inputs.parts) or len(found) <= _FEW) and (asked or not more)
        if not found:
            because = "no core, library, launcher or plug-in came alone"
        elif not known:
            because = "nothing here goes by the name of what came"
        elif more and not asked:
            because = "more than parts came: all of it is laid, or nothing"
        elif not fits:
            because = "more than a few parts came, so it is a release"
        elif len(known) == 1:
            because = f"it is {known[0].places[0]}, all else stays"
        else:
            because = f"it is {len(known)} parts of what lies here, all else stays"
        weight = 1.1 if one or are_loose(inputs.parts) else 0.6
        return RouteChoice(name=self.name, fits=fits, because=because, weight=weight)

    def blockers(self, inputs: PlanInputs, known: Release | None) -> tuple[Fault, ...]:
        found = [part for part in inputs.parts if not part.settings]
        if not any(part.places for part in found):
            says = f"nothing in {inputs.install} goes by the name of {inputs.arrival.release.name}"
            way = "Check the name, or lay it by another route."
            return (Fault(code="no-such-part", says=says, way_out=way),)
        faults: list[Fault] = []
        for part, place in _placed(inputs, found):
            mine, coming = _mine(inputs, place), inputs.arrival.release.entries[part.came]
            faults += _machine_faults(place, mine, coming)
            if mine is None or not mine.entry.same_content(coming):
                faults += _version_faults(place, *_versions(inputs, part, place))[0]
        return tuple(faults)

    def draw(self, inputs: PlanInputs) -> Drawing:
        sketch = _Sketch(inputs=inputs)
        found = inputs.parts
        questions = _which(inputs, found)
        for part, place in _placed(inputs, found):
            if part.settings:
                _lay_settings(sketch, part, place)
            else:
                _lay(sketch, part, place)
        for part in found:
            if not part.places:
                says = f"{part.came} stays out: nothing here goes by its name"
                sketch.warn("no-such-part", says)
        keys = settle_keys(sketch.merges, inputs.answers, questions, partial(_merge, sketch))
        _move_merged(sketch)
        moves = tuple(sorted(sketch.moves.values(), key=lambda m: m.at))
        kept = unchanged_of(inputs.survey.findings, "no part of what came").without(m.at for m in moves)
        members = {m.at.path: m.source.member for m in moves if isinstance(m.source, FromArrival)}
        shipped = Shipped(
            arrival=0,
            over=True,
            paths=tuple(members),
            members=tuple(members.values()),
            kind=LayerKind.PART,
            raises=any(part.path == _version_source(inputs) for part in sketch.parts),
        )
        sketch.questions += [*questions, *keys]
        return sketch.drawing(
            ChangeSet(moves=tuple(m for m in moves if m.changes_disk), shipped=shipped),
            kept=kept,
            to_version=_version_then(inputs, sketch.parts),
            circumstances=replace(
                inputs.circumstances, held=""
            ),  # what is held is the program, not its parts
            way=Swapped(parts=tuple(sketch.parts)),
            let_go=tuple(At("", part.path) for part in sketch.parts),
        )


def _version_then(inputs: PlanInputs, changes: list[PartChange]) -> str:
    """The install's version afterwards: another one only where the file that it is read from is swapped."""
    source = _version_source(inputs)
    return next(
        (one.after for one in changes if one.path == source and one.after), inputs.survey.version_text
    )


def _version_source(inputs: PlanInputs) -> str:
    reading = inputs.survey.reading
    return reading.source if reading is not None else ""


@dataclass(slots=True, kw_only=True)
class _Sketch(Sketch):
    moves: dict[str, Move] = field(default_factory=dict)
    settings: dict[str, Part] = field(default_factory=dict)
    parts: list[PartChange] = field(default_factory=list)


def _which(inputs: PlanInputs, found: tuple[Part, ...]) -> list[Question]:
    """One question a part that may be one of several here."""
    questions = []
    for part in found:
        if len(part.places) < 2 or part.came in part.places:
            continue
        name = f"part-{part_key(part.came.rpartition('/')[2])}" + ("-settings" if part.settings else "")
        answer = inputs.answers.get(name)
        questions.append(
            Question(
                id=name,
                asks=f"{part.came}: {len(part.places)} files here go by its name; which is it?",
                options=part.places,
                leads_to=tuple(f"{place} is replaced" for place in part.places),
                default=part.places[0],
                answer=answer if answer in part.places else None,
                paths=tuple(At("", place) for place in part.places),
            )
        )
    return questions


def _placed(inputs: PlanInputs, found: tuple[Part, ...] | list[Part]) -> list[tuple[Part, str]]:
    """Each part with the place it goes to; of two that came for one place the newer goes there."""
    asked = {q.options: q.choice for q in _which(inputs, tuple(found))}
    by_place: dict[str, Part] = {}
    for part in (p for p in found if p.places):
        place = part.came if part.came in part.places else asked.get(part.places, part.places[0])
        rival = by_place.get(place)
        if rival is None or _is_newer(inputs, part, rival):
            by_place[place] = part
    return [(part, place) for place, part in by_place.items()]


def _is_newer(inputs: PlanInputs, part: Part, rival: Part) -> bool:
    one, other = (version_there(inputs.arrival, p.came) for p in (part, rival))
    if one is None or other is None or one.version is None or other.version is None:
        return other is None and one is not None
    return one.version.compare(other.version) == 1


def _mine(inputs: PlanInputs, place: str) -> Finding | None:
    return inputs.survey.findings.find(At("", place))


def _machine_faults(place: str, mine: Finding | None, coming: Entry) -> list[Fault]:
    here, there = platform_of(mine.entry.format) if mine else "", platform_of(coming.format)
    if not here or not there or here == there:
        return []
    says = f"{coming.path} is for {there}, {place} is for {here}"
    way = "Get the one for this machine, or pass it with --allow other-platform."
    return [Fault(code="other-platform", says=says, way_out=way, passable=True)]


def _versions(inputs: PlanInputs, part: Part, place: str) -> tuple[Reading | None, Reading | None]:
    """(of the one that lies here, of the one that came); the first is read from the disk."""
    mine = _mine(inputs, place)
    here = version_of(place, mine.entry, inputs.read) if mine else None
    return here, version_there(inputs.arrival, part.came)


def _version_faults(
    place: str, here: Reading | None, there: Reading | None
) -> tuple[list[Fault], list[Fault]]:
    """(blockers, warnings), each naming the part."""
    faults, warnings = blockers.version_faults(here, there)
    return [replace(f, says=f"{place}: {f.says}") for f in faults], [
        replace(f, says=f"{place}: {f.says}") for f in warnings
    ]


def _lay(sketch: _Sketch, part: Part, place: str) -> None:
    inputs = sketch.inputs
    mine, coming = _mine(inputs, place), inputs.arrival.release.entries[part.came]
    before = mine.entry if mine else None
    here, there = _versions(inputs, part, place)
    sketch.parts.append(
        PartChange(
            path=place, came=part.came, before=here.text if here else "", after=there.text if there else ""
        )
    )
    if before is not None and before.same_content(coming):
        sketch.warn("same-version", f"{place} is the very one that came")
        return
    sketch.warnings += _version_faults(place, here, there)[1]
    sketch.warnings += _loadable(inputs, place)
    after = replace(laid(coming, before), path=place)
    versions = f"{here.text} → {there.text}" if here and there else there.text if there else "another build"
    named = "" if part.came == place else f"; {part.came} goes by the name that the program expects"
    sketch.moves[place] = Move(
        at=At("", place),
        verb=Verb.REPLACE,
        file_class=mine.file_class if mine else FileClass.PROGRAM,
        because=f"{versions}{named}; the old one is kept outside of the install",
        bytes=coming.bytes,
        before=before,
        after=after,
        source=member_of(inputs.arrival, part.came),
        unproven=not inputs.is_on_record(place, before),
    )


def _loadable(inputs: PlanInputs, place: str) -> list[Fault]:
    """A warning where an older one of a part lies beside it, under a name that a program may load."""
    folder, _, name = place.rpartition("/")
    key = part_key(name)
    old = [
        f.at.path
        for f in parts_here(inputs.survey)
        if f.at.path != place and f.at.folder.path == folder and key_of_old(f.at.name) == key
    ]
    if not old:
        return []
    says = f"{listed(old, 1)}: an older {name}, where the program may load it"
    return [Fault(code="fallback-loadable", says=says, way_out="Move it out of the install.")]


# ---------------------------------------------------------------- settings that came with a part


def _lay_settings(sketch: _Sketch, part: Part, place: str) -> None:
    inputs = sketch.inputs
    mine, coming = _mine(inputs, place), inputs.arrival.release.entries[part.came]
    if mine is None:
        sketch.moves[place] = Move(
            at=At("", place),
            verb=Verb.ADD,
            file_class=FileClass.SETTINGS,
            because="settings that came with the part",
            bytes=coming.bytes,
            after=replace(laid(coming, None), path=place),
            source=member_of(inputs.arrival, part.came),
        )
    elif not mine.entry.same_content(coming) and may_merge(mine.entry.format, coming.format):
        sketch.settings[place] = part
        merged = _merge(sketch, place, {})
        if merged.trouble:
            says = f"{place} stays as it is: {merged.trouble}"
            sketch.warn("not-merged", says)
        else:
            sketch.merges[place] = merged


def _merge(sketch: _Sketch, place: str, by_key: Mapping[Key, str]) -> Merge:
    inputs, mine = sketch.inputs, _mine(sketch.inputs, place)
    assert mine is not None
    return inputs.merge(
        At("", place),
        mine.entry,
        base=inputs.baseline.texts.get(place) if inputs.baseline else None,
        arriving=inputs.arrival.release.texts.get(sketch.settings[place].came),
        answers=by_key,
    )


def _move_merged(sketch: _Sketch) -> None:
    because = "your values stay, the options that the part brings are added"
    for place, merged in sketch.merges.items():
        mine = _mine(sketch.inputs, place)
        assert mine is not None
        sketch.moves[place] = merge_move(At("", place), mine.entry, merged, because)
