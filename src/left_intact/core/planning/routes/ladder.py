"""Ladder: updates laid one after the other, a stage each, from the version that lies here to the wanted one.

Each rung is decided by the same table as an update in place, and laid over what lies there: nothing is set
aside for it but what it says that it takes away. What a lower rung laid is the ground of the next. Where one
fails, those before it stay in force.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from types import MappingProxyType

from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Entry, Kind
from left_intact.core.model.errors import Fault
from left_intact.core.model.facts import Climbed
from left_intact.core.model.ladder import Climb, Package
from left_intact.core.model.place import At
from left_intact.core.model.plan import Move, Question, Route, RouteChoice, Verb
from left_intact.core.model.release import Release
from left_intact.core.model.stages import ChangeSet, FromArrival, LayerKind, Made, OnFailure, Shipped
from left_intact.core.model.unchanged import Unchanged, unchanged_of
from left_intact.core.planning import blockers
from left_intact.core.planning.inputs import Drawing, PlanInputs, RoutePlanner
from left_intact.core.planning.laid import laid
from left_intact.core.planning.merging import merge_move, one_on_the_other
from left_intact.core.planning.nature import BUILD
from left_intact.core.planning.routes.in_place import InPlace
from left_intact.core.planning.sketch import Sketch
from left_intact.words import count, listed, size

TITLE = "title"
"""The question which of several titles is updated; answered by the first that has something to lay."""
HOW_FAR = "how-far"
"""The question up to which version the ladder is climbed; answered by the newest one."""


class Ladder(RoutePlanner):
    """The route."""

    name = Route.LADDER
    keeps_ids = may_leave_program = reads_updates = True

    def fits(self, inputs: PlanInputs) -> RouteChoice:
        came, climb = inputs.updates, _climb(inputs)
        if came is None:
            because = "no updates came that say which version they come after"
            return RouteChoice(name=self.name, fits=False, because=because)
        if climb is None:
            return RouteChoice(name=self.name, fits=False, because=came.why_not)
        number = count(len(climb.steps), "update")
        because = f"{number} in order, {climb.here} to {climb.wanted}" if climb.steps else climb.trouble
        return RouteChoice(name=self.name, fits=True, because=because, weight=0.9)

    def blockers(self, inputs: PlanInputs, known: Release | None) -> tuple[Fault, ...]:
        climb = _climb(inputs)
        if climb is None:
            why = inputs.updates.why_not if inputs.updates else "what came are no updates to be laid in order"
            return (Fault(code="no-ladder", says=why, way_out="Check what came, or take another route."),)
        faults = blockers.platform_faults(inputs.survey, inputs.arrival)
        if not climb.trouble:
            return tuple(faults)
        return (*faults, _no_way(climb))

    def draw(self, inputs: PlanInputs) -> Drawing:
        inputs = replace(inputs, baseline=inputs.ground or inputs.baseline)  # updates of titles too
        came, climb = inputs.updates, _climb(inputs)
        if came is None or climb is None:
            return Drawing(stages=(ChangeSet(moves=()),), kept=_all_stays(inputs))
        sketch = _Sketch(inputs=inputs)
        stages = tuple(_rung(sketch, number, step) for number, step in enumerate(climb.steps))
        whole = not any(step.into for step in climb.steps)
        changed = {move.at for stage in stages for move in stage.moves}
        rest = [move for at, move in sketch.rest.items() if at not in changed]
        kept = _all_stays(inputs).without((*changed, *(move.at for move in rest)))
        sketch.questions += [*_which(inputs, climb), *_how_far(climb), *sketch.asked.values()]
        sketch.warnings[:0] = _warnings(came.strangers, climb)
        return sketch.drawing(
            *(stages or (ChangeSet(moves=()),)),
            kept=Unchanged(kept.pages, kept.because, (*kept.rest, *rest)),
            to_version=climb.wanted if whole and climb.steps else inputs.survey.version_text,
            baseline=inputs.baseline,
            on_failure=OnFailure.KEEP,
            climb=climb,
            arrivals=tuple(step.arrival for step in climb.steps if step.arrival is not None),
            source=inputs.arrival.source,
            way=Climbed(
                chosen=tuple(sorted({path for step in climb.steps for path in step.placed.release.entries}))
            ),
        )


def _climb(inputs: PlanInputs) -> Climb | None:
    """The way up for the title and as far as was answered; None where nothing of what came is for it."""
    title = inputs.updates.chosen(inputs.answers.get(TITLE, "")) if inputs.updates else None
    return title.climb(inputs.answers.get(HOW_FAR, "")) if title is not None and title.here else None


def _all_stays(inputs: PlanInputs) -> Unchanged:
    return unchanged_of(inputs.survey.findings, "no update on the way has it")


def _no_way(climb: Climb) -> Fault:
    code = "rung-missing" if "missing" in climb.trouble else "no-way-up"
    way = "Get it, and put it beside the others"
    if climb.reachable:
        way += f"; or go as far as {climb.reachable[-1]}: answer {HOW_FAR} with it"
    if "lies here" in climb.trouble:
        way = "Nothing needs doing"
    return Fault(code=code, says=f"{climb.of or 'it'}: {climb.trouble}", way_out=way + ".")


def _which(inputs: PlanInputs, climb: Climb) -> list[Question]:
    """Where updates of several titles came: one at a time, since each is taken back alone."""
    titles = inputs.updates.titles if inputs.updates else ()
    if len(titles) < 2:
        return []
    names = tuple(title.of for title in titles)
    return [
        Question(
            id=TITLE,
            asks=f"updates of {count(len(names), 'title')} came",
            options=names,
            leads_to=names,
            default=names[0],
            note="one at a time",
            answer=climb.of,
            is_choice=True,
        )
    ]


def _how_far(climb: Climb) -> list[Question]:
    """Answered from the beginning, so that nobody has to; another answer climbs less far."""
    options = list(dict.fromkeys((*climb.reachable, climb.newest)))
    if len(options) < 2:
        return []
    return [
        Question(
            id=HOW_FAR,
            asks=f"{climb.of or 'the ladder'}, up to",
            options=tuple(options),
            leads_to=tuple(options),
            default=climb.newest,
            answer=climb.wanted if climb.wanted in options else climb.newest,
            note=f"{len(climb.steps)} to lay, {size(climb.bytes)}" if climb.steps else "out of reach now",
            is_choice=True,
        )
    ]


def _warnings(strangers: tuple[str, ...], climb: Climb) -> list[Fault]:
    found = []
    if climb.guessed:
        says = (
            f"only the name says what {listed(climb.guessed, 2)} "
            f"{'comes' if len(climb.guessed) == 1 else 'come'} after: nothing in it does"
        )
        found.append(Fault(code="by-name", says=says, way_out="Check the order before you carry it out."))
    if strangers:
        says = f"{count(len(strangers), 'package')} beside them for something else: {listed(strangers, 2)}"
        found.append(Fault(code="others-beside", says=says))
    return found


# ---------------------------------------------------------------- one rung


@dataclass(slots=True, kw_only=True)
class _Sketch(Sketch):
    """What the rungs so far come to."""

    laid: dict[str, Move] = field(default_factory=dict)
    """By path in words: the last change of it."""
    texts: dict[str, bytes] = field(default_factory=dict)
    """By path: what the last rung shipped of a text that was merged."""
    rest: dict[At, Move] = field(default_factory=dict)
    """What stays though a rung has it."""
    asked: dict[str, Question] = field(default_factory=dict)
    """By id, with the places of all rungs that ask it."""


def _rung(sketch: _Sketch, number: int, package: Package) -> ChangeSet:
    """The stage that lays one package on what those before it leave."""
    arrival = package.placed
    entries = arrival.release.entries
    ground = {path for path in entries if path in sketch.laid or At("", path) in sketch.rest}
    chosen = [p for p in entries if p not in ground and _is_the_titles(sketch.inputs, package, p)]
    fresh = {p: entry for p, entry in entries.items() if p not in ground and p not in chosen}
    moves = _fresh(sketch, number, package, fresh)
    moves += [m for p in chosen if (m := _over_content(sketch, number, package, p, entries[p]))]
    moves += [m for path in sorted(ground) if (m := _on_ground(sketch, number, package, path, entries[path]))]
    moves += _taken_away(sketch, package, entries)
    for move in moves:
        sketch.laid[move.at.path] = move
    lies = tuple(path for path in entries if At("", path) not in sketch.rest)
    members = tuple(path.removeprefix(package.into + "/") if package.into else path for path in lies)
    return ChangeSet(
        moves=tuple(sorted(moves, key=lambda m: m.at)),
        shipped=Shipped(
            arrival=number,
            over=True,
            paths=lies,
            members=members,
            kind=LayerKind.TITLE_UPDATE if package.into else LayerKind.PATCH,
            raises=not package.into,
        ),
        intends=f"{package.of or sketch.inputs.install} {package.to}",
        reaches="" if package.into else package.to,
    )


def _is_the_titles(inputs: PlanInputs, package: Package, path: str) -> bool:
    """Whether a file of the person's content is what a package is for: they chose it. One that they changed
    after it was shipped is asked about like any other.
    """
    finding = inputs.survey.findings.find(At("", path))
    if finding is None or finding.entry.kind is not Kind.FILE or package.by_name:
        return False
    base = inputs.baseline.entries.get(path) if inputs.baseline else None
    if base is not None and not base.same_content(finding.entry):
        return False
    its = _OF_A_TITLE if package.into else (FileClass.CONTENT,)
    return finding.file_class in its


_OF_A_TITLE = (FileClass.CONTENT, FileClass.EXTRAS, FileClass.UNSORTED)
"""What may be of a title whose own folder a package is laid over."""


def _over_content(sketch: _Sketch, number: int, package: Package, path: str, coming: Entry) -> Move | None:
    finding = sketch.inputs.survey.findings.find(At("", path))
    assert finding is not None
    if finding.entry.same_content(coming):
        return None
    return Move(
        at=At("", path),
        verb=Verb.REPLACE,
        file_class=finding.file_class,
        because=f"{package.to}: the title's own; the old one is kept as yours",
        bytes=coming.bytes,
        before=finding.entry,
        after=laid(coming, finding.entry),
        source=FromArrival(number, _member(package, path)),
        unproven=True,
    )


def _member(package: Package, path: str) -> str:
    """What a path of the install is called in what came."""
    inside = path.removeprefix(package.into + "/") if package.into else path
    assert package.arrival is not None
    return f"{package.arrival.root}/{inside}" if package.arrival.root else inside


def _fresh(sketch: _Sketch, number: int, package: Package, entries: Mapping[str, Entry]) -> list[Move]:
    """What no rung before has touched: decided by the table, as in place."""
    if not entries:
        return []
    arrival = package.placed
    release = replace(
        arrival.release,
        entries=MappingProxyType(dict(entries)),
        texts=MappingProxyType({p: t for p, t in arrival.release.texts.items() if p in entries}),
    )
    inputs = replace(
        sketch.inputs, arrival=replace(arrival, release=release), over=True, updates=None, nature=BUILD
    )
    drawing = InPlace().draw(inputs)
    sketch.merges |= {at.path: merge for at, merge in drawing.merges.items()}
    for question in drawing.questions:
        known = sketch.asked.get(question.id)
        paths = (*known.paths, *question.paths) if known else question.paths
        sketch.asked[question.id] = replace(known or question, paths=tuple(dict.fromkeys(paths)))
    sketch.blockers += drawing.blockers
    told = {(fault.code, fault.says) for fault in sketch.warnings}
    sketch.warnings += [
        fault
        for fault in drawing.warnings
        if fault.code not in _OF_WHOLE_RELEASES and (fault.code, fault.says) not in told
    ]
    for move in drawing.kept.rest:
        if move.at.path in entries:
            sketch.rest[move.at] = move
    moves = []
    for stage in drawing.stages:
        for move in stage.moves if isinstance(stage, ChangeSet) else ():
            source = move.source
            if isinstance(source, FromArrival):
                source = FromArrival(number, _member(package, move.at.path))
            moves.append(replace(move, source=source, because=f"{package.to}: {move.because}"))
            if isinstance(source, Made):
                sketch.texts[move.at.path] = release.texts[move.at.path]
    return moves


_OF_WHOLE_RELEASES = ("version-unknown", "same-version", "baseline-mismatch", "not-whole")


def _on_ground(sketch: _Sketch, number: int, package: Package, path: str, coming: Entry) -> Move | None:
    """What a rung before has laid, merged or left alone."""
    at = At("", path)
    last = sketch.laid.get(path)
    if last is None:
        return None  # it stays as it is: so it was decided when the first rung had it
    before = last.after
    if last.verb is Verb.MERGE and before is not None:
        return _merged_again(sketch, package, path, last)
    if before is not None and before.same_content(coming):
        return None
    return Move(
        at=at,
        verb=Verb.ADD if before is None else Verb.REPLACE,
        file_class=last.file_class,
        because=f"{package.to}: over what the rung below laid",
        bytes=coming.bytes,
        before=before,
        after=laid(coming, before if before is not None and before.kind is Kind.FILE else None),
        source=FromArrival(number, _member(package, path)),
    )


def _merged_again(sketch: _Sketch, package: Package, path: str, last: Move) -> Move | None:
    """Settings that a rung before merged: its own text is the ground, what was merged is the person's."""
    coming = package.placed.release.texts.get(path)
    assert isinstance(last.source, Made) and last.after is not None
    if coming is None:
        return None
    merged = sketch.inputs.merge(
        last.at, last.after, mine=last.source.content, base=sketch.texts.get(path), arriving=coming
    )
    if merged.trouble or merged.content == last.source.content:
        return None
    sketch.texts[path] = coming
    sketch.merges[path] = one_on_the_other(sketch.merges[path], merged)
    because = f"{package.to}: your values stay, what is new is added"
    return merge_move(last.at, last.after, merged, because)


def _taken_away(sketch: _Sketch, package: Package, entries: Mapping[str, Entry]) -> list[Move]:
    """What a package says that it takes away, where it is the program's."""
    moves = []
    for name in package.removes:
        path = f"{package.into}/{name}" if package.into else name
        last, finding = sketch.laid.get(path), sketch.inputs.survey.findings.find(At("", path))
        if path in entries:
            continue
        before = last.after if last is not None else finding.entry if finding is not None else None
        if before is None or before.kind is Kind.FOLDER:
            continue
        if last is None and finding is not None and not _is_the_programs(sketch.inputs, path, before):
            says = f"{path} stays: {package.to} takes it away, and it may be yours"
            sketch.warn("stays", says)
            continue
        if last is not None and last.verb is Verb.MERGE:
            continue
        moves.append(
            Move(
                at=At("", path),
                verb=Verb.RETIRE,
                file_class=last.file_class if last is not None else FileClass.PROGRAM,
                because=f"{package.to} takes it away",
                bytes=before.bytes,
                before=before,
                unproven=last is None and not sketch.inputs.is_on_record(path, before),
            )
        )
    return moves


def _is_the_programs(inputs: PlanInputs, path: str, entry: Entry) -> bool:
    finding = inputs.survey.findings.find(At("", path))
    if finding is None or inputs.is_on_record(path, entry):
        return finding is not None
    return finding.certainty >= inputs.retire_at and finding.file_class is FileClass.PROGRAM
