"""Going back as a plan: drawn on today's tree, with the strongbox as source.

A pure function of what the updates did to each place, what lies there today, and which copies are sound. What
the person used since follows them: it is kept under its own name beside, or stays where it is, as shown
before.
"""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import dataclass, field
from types import MappingProxyType

from left_intact.core.files.names import parents
from left_intact.core.model.classes import FileClass
from left_intact.core.model.effects import ShelfEffect, reversed_effects
from left_intact.core.model.entry import Entry, Kind
from left_intact.core.model.errors import Fault
from left_intact.core.model.facts import PutBack, RunFacts
from left_intact.core.model.place import At, Root, old_root_in
from left_intact.core.model.plan import Move, Plan, Question, Route, Verb
from left_intact.core.model.stages import (
    SAVED_FIRST,
    ChangeSet,
    Consent,
    DeferredStage,
    FromStrongbox,
    ManualStep,
    Stage,
)
from left_intact.core.model.touch import Touch
from left_intact.core.planning import blockers
from left_intact.core.planning.circumstances import Circumstances
from left_intact.core.planning.restoring import NEWER
from left_intact.core.planning.space import room_for
from left_intact.core.planning.today import Today

PLANNER = "go-back"
"""What a stage of going back is drawn by that can be drawn only after a step by hand."""
_USED = (FileClass.SAVES, FileClass.STATES, FileClass.SETTINGS)
QUESTION = "used-since"
_ANY = 1 << 62
"""Bytes of what is the person's own, and may grow while a step is waited for."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Segment:
    """Stages that are taken back together, and the step by hand that comes after it."""

    behind: int
    """The stages behind this number."""
    touched: Mapping[At, Touch]
    hand: ManualStep | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class BackInputs:
    """Everything a going back is drawn from."""

    install: str
    roots: tuple[Root, ...]
    update: int
    from_version: str
    """Today's."""
    to_version: str
    """The one before."""
    segments: tuple[Segment, ...]
    """Newest first; only the first is drawn now."""
    today: Today
    """All that lies in the roots."""
    times: Mapping[At, int]
    """What the times of folders were."""
    sound: frozenset[str]
    """Digests of which the strongbox has a sound copy."""
    answers: Mapping[str, str] = field(default_factory=lambda: MappingProxyType({}))
    circumstances: Circumstances = field(default_factory=Circumstances)
    later: tuple[str, ...] = ()
    """Versions of later updates that touch the same places, so that they must go back first."""
    effects: tuple[ShelfEffect, ...] = ()
    """What the update did to the shelf."""


@dataclass(slots=True)
class _Sketch:
    inputs: BackInputs
    moves: list[Move] = field(default_factory=list)
    used: list[At] = field(default_factory=list)
    lost: list[At] = field(default_factory=list)
    barred: list[At] = field(default_factory=list)


def draw_back(inputs: BackInputs) -> Plan:
    """The plan for taking an update back. Its one question has a default, so going back is one key."""
    sketch = _Sketch(inputs)
    question = _draw(sketch, inputs.segments[0].touched)
    _make_safe(sketch)
    space = room_for(sketch.moves, inputs.circumstances)
    faults = blockers.machine_faults(inputs.install, sketch.moves, space, inputs.circumstances)
    faults += _unreadable(inputs)
    if inputs.later:
        says = f"a later update ({', '.join(inputs.later)}) changed the same places"
        faults.append(Fault(code="later-update", says=says, way_out="Go back from that one first."))
    return Plan(
        install=inputs.install,
        roots=inputs.roots,
        from_version=inputs.from_version,
        to_version=inputs.to_version,
        route=Route.IN_PLACE,
        stages=_stages(inputs, sketch),
        kept=inputs.today.kept("not touched by the update", (m.at for m in sketch.moves)),
        questions=(question,) if question else (),
        blockers=tuple(f for f in faults if f.code != "held"),
        warnings=tuple(_warnings(sketch)),
        space=space,
        survey=inputs.today.survey,
        undoes=(inputs.update,),
        effects=reversed_effects(inputs.effects),
        facts=RunFacts(way=PutBack(to_old_root=bool(old_root_in(inputs.roots)))),
    )


def _stays(sketch: _Sketch) -> list[At]:
    """What was used since and is to stay, where the way back takes it away on its way."""
    question = _question(sketch)
    return list(sketch.used) if question is not None and question.choice == "stay" else []


def _is_removed(inputs: BackInputs) -> bool:
    """Whether a step by hand on the way back takes the program away, and all that lies with it."""
    hand = inputs.segments[0].hand
    return hand is not None and "" in hand.rebinds


def _make_safe(sketch: _Sketch) -> None:
    """Where the way back removes the program by hand, all that is the person's now is copied first."""
    if not _is_removed(sketch.inputs):
        return
    spoken = {move.at for move in sketch.moves}
    for at, entry, kind in sketch.inputs.today.persons():
        if at not in spoken:
            sketch.moves.append(Move.copy_of(at, entry, kind, SAVED_FIRST))


def _unreadable(inputs: BackInputs) -> list[Fault]:
    """A blocker where what lies at a place that is to be put back cannot be read now: it would stay as it is,
    and the update would count as taken back.
    """
    unread = inputs.today.unread()
    touched = [at for segment in inputs.segments for at in segment.touched]
    hidden = {entry.at: entry for entry in unread if any(map(entry.at.holds, touched))}
    if not hidden:
        return []
    first = hidden[min(hidden)]
    number = "1 place" if len(hidden) == 1 else f"{len(hidden)} places"
    says = f"{number} to be put back cannot be read now: {first.at.shown or '.'} ({first.fault})"
    way = "Give yourself the right to read there, and try again."
    return [Fault(code="unreadable", says=says, way_out=way)]


def draw_segment(inputs: BackInputs) -> tuple[ChangeSet, tuple[Question, ...], tuple[Fault, ...]]:
    """A later part of a going back, drawn when its turn comes."""
    plan = draw_back(inputs)
    return plan.change_sets[0], plan.questions, plan.blockers


def _stages(inputs: BackInputs, sketch: _Sketch) -> tuple[Stage, ...]:
    times = tuple((at, when) for at, when in inputs.times.items())
    safe = [move for move in sketch.moves if move.safeguard]
    moves = sorted((move for move in sketch.moves if not move.safeguard), key=lambda m: m.at)
    stages: list[Stage] = [ChangeSet(moves=tuple(moves), tidy=False, times=times)]
    if _is_removed(inputs):
        intends = f"{len(safe):,} copies of what else is yours now, each read back"
        ordered = tuple(sorted(safe, key=lambda m: m.at))
        stages.append(ChangeSet(moves=ordered, intends=intends, tidy=False, copies=True))
    if inputs.segments[0].hand is not None:
        stages.append(inputs.segments[0].hand)
    for segment in inputs.segments[1:]:
        most = sum(was.first.bytes for was in segment.touched.values() if was.first is not None)
        consent = Consent(
            roots=tuple(root.label for root in inputs.roots),
            classes=tuple(FileClass),
            verbs=tuple(Verb),
            bytes=most,
        )
        told = {"behind": str(segment.behind), "update": str(inputs.update)}
        stages.append(
            DeferredStage(
                planner=PLANNER, intends="bring back what the update displaced", consent=consent, context=told
            )
        )
        if segment.hand is not None:
            stages.append(segment.hand)
    if _is_removed(inputs):
        stages.append(
            DeferredStage(
                planner=NEWER,
                intends="put back what was yours and newer",
                consent=Consent(
                    roots=tuple(root.label for root in inputs.roots),
                    classes=tuple(FileClass),
                    verbs=(Verb.KEEP, Verb.CARRY),
                    bytes=_ANY,
                ),
                context={"over": json.dumps(_stays(sketch))},
            )
        )
    return tuple(stages)


def _draw(sketch: _Sketch, touched: Mapping[At, Touch]) -> Question | None:
    for at in sorted(touched):
        was, now = touched[at], sketch.inputs.today.entry(at)
        if _is_used(was, now):
            sketch.used.append(at)
    question = _question(sketch)
    stays = question is not None and question.choice == "stay"
    for at in sorted(touched):
        if stays and at in sketch.used:
            continue
        move = _move(sketch, touched[at], sketch.inputs.today.entry(at))
        if move is not None:
            sketch.moves.append(move)
    going = {m.at for m in sketch.moves if m.after is None or m.after.kind is Kind.FOLDER}
    sketch.moves = [m for m in sketch.moves if not _is_barred(sketch, m, going)]
    return question


def _is_used(was: Touch, now: Entry | None) -> bool:
    """Whether something of the person's was used or written since the update."""
    if now is None or now.kind is Kind.FOLDER or was.file_class not in _USED:
        return False
    return not was.knows(now)


def _question(sketch: _Sketch) -> Question | None:
    if not sketch.used:
        return None
    paths = tuple(sketch.used)
    shown = paths[0].shown if len(paths) == 1 else f"{len(paths)} saves, states and settings"
    answer = sketch.inputs.answers.get(QUESTION)
    options = ("beside", "stay")
    return Question(
        id=QUESTION,
        asks=f"{shown}: changed since the update",
        options=options,
        leads_to=(
            "what was before comes back; the newer one is kept beside, under its own name",
            "the newer one stays in its place; what was before stays in the strongbox",
        ),
        default="beside",
        answer=answer if answer in options else "beside",
        paths=paths,
    )


def _to_bring_back(was: Touch, sound: frozenset[str]) -> Entry | None:
    """What lay there first; where the person changed it themselves before anything was displaced, nobody has
    a copy of that, and it is what they had made of it.
    """
    if was.first is None or was.first.kind is not Kind.FILE or was.first.digest in sound:
        return was.first
    known = (state for state in was.seen if state.kind is not Kind.FILE or state.digest in sound)
    return next((state for state in known if was.last is None or not state.same_content(was.last)), was.first)


def _move(sketch: _Sketch, was: Touch, now: Entry | None) -> Move | None:
    """What has to be done at one place; None where nothing has, or nothing can."""
    first, before = _to_bring_back(was, sketch.inputs.sound), sketch.inputs.to_version or "the update"
    because = (
        f"as it was before {sketch.inputs.from_version or 'the update'}"
        if first
        else f"{before} had nothing here"
    )
    if first is None:
        if now is None or (now.kind is Kind.FOLDER and not was.knows(now)):
            return None
        newer = not was.knows(now)
        return Move(
            at=was.at,
            verb=Verb.RETIRE,
            file_class=was.file_class,
            because=because,
            before=now,
            bytes=now.bytes,
            by_name=newer,
        )
    if first.kind in (Kind.OTHER, Kind.FAULT):
        return None
    if now is not None and now.same_content(first):
        if first.kind is Kind.FOLDER or (now.mode, now.mtime_ns) == (first.mode, first.mtime_ns):
            return None
        return Move(
            at=was.at,
            verb=Verb.REPLACE,
            file_class=was.file_class,
            because="its time and mode come back",
            before=now,
            after=first,
            bytes=first.bytes,
            gives=was.attributes,
        )
    if first.kind is Kind.FILE and first.digest not in sketch.inputs.sound:
        sketch.lost.append(was.at)
        return None
    source = FromStrongbox(first.digest) if first.kind is Kind.FILE else None
    newer = now is not None and now.kind is not Kind.FOLDER and not was.knows(now)
    return Move(
        at=was.at,
        verb=Verb.ADD if now is None else Verb.REPLACE,
        file_class=was.file_class,
        because=because,
        before=now,
        after=first,
        source=source,
        bytes=first.bytes,
        by_name=newer,
        gives=was.attributes,
        joins=was.partner,
    )


def _is_barred(sketch: _Sketch, move: Move, going: set[At]) -> bool:
    """Note a move that cannot be made, since something of the person's lies where a folder or a file must
    be: it stays, and so does the copy.
    """
    for folder in parents(move.at.path):
        at = At(move.at.root, folder)
        there = sketch.inputs.today.entry(at)
        if there is not None and there.kind is not Kind.FOLDER and at not in going:
            sketch.barred.append(move.at)
            return True
    now, after = move.before, move.after
    is_folder = now is not None and now.kind is Kind.FOLDER
    if not is_folder or after is None or after.kind is Kind.FOLDER:
        return False
    if any(at not in going for at in sketch.inputs.today.below(move.at)):
        sketch.barred.append(move.at)
        return True
    return False


def _warnings(sketch: _Sketch) -> list[Fault]:
    found = []
    if sketch.lost:
        says = (
            f"{len(sketch.lost)} files have no sound copy in the strongbox any more: {_listed(sketch.lost)}"
        )
        found.append(Fault(code="strongbox-damaged", says=says, way_out="All else comes back."))
    if sketch.barred:
        says = (
            f"something of yours lies where {len(sketch.barred)} old files belong: {_listed(sketch.barred)}"
        )
        found.append(Fault(code="in-the-way", says=says, way_out="They stay in the strongbox."))
    return found


def _listed(places: list[At]) -> str:
    return ", ".join(at.shown for at in places[:3]) + (" …" if len(places) > 3 else "")
