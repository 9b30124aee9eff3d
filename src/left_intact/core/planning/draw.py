"""Drawing up a plan: the route's own part, and what is the same for all routes.

A pure function: the same survey, arrival, baseline, sheet, answers and circumstances give the same plan. No
tree is read here; texts to be merged are handed in.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping

from left_intact.core.model.errors import Fault
from left_intact.core.model.facts import RunFacts
from left_intact.core.model.place import At, Root
from left_intact.core.model.plan import Move, Plan
from left_intact.core.model.release import Arrival
from left_intact.core.model.stages import ChangeSet
from left_intact.core.model.survey import Survey
from left_intact.core.planning import blockers
from left_intact.core.planning.around import around
from left_intact.core.planning.circumstances import Circumstances
from left_intact.core.planning.inputs import Drawing, PlanInputs, RoutePlanner
from left_intact.core.planning.keys import out_of_reach, under_ids
from left_intact.core.planning.routes.registry import choose
from left_intact.core.planning.space import room_for
from left_intact.words import count


def draw_up(inputs: PlanInputs) -> Plan:
    """The plan for its inputs, by the route that was asked for or that for which most speaks.

    Raises `Misuse` for a route that does not fit.
    """
    chosen = choose(inputs)
    planner = chosen.planner
    drawing = planner.draw(inputs)
    moves = [move for stage in drawing.stages if isinstance(stage, ChangeSet) for move in stage.moves]
    circumstances = drawing.circumstances or inputs.circumstances
    space = room_for(moves, circumstances)
    arrival = drawing.arrival or inputs.arrival
    to_version = arrival.release.version_text if drawing.to_version is None else drawing.to_version
    keyed = _keyed(inputs, planner, to_version)
    changing = [move.at.shown for move in moves if move.changes_disk]
    here = inputs.survey.version_text
    before, after = around(
        inputs.sheet,
        changing,
        here=here,
        to=to_version,
        parts_only=planner.may_leave_program and here == to_version,
    )
    return Plan(
        install=inputs.install,
        roots=roots_of(inputs.survey, circumstances),
        from_version=inputs.survey.version_text,
        to_version=to_version,
        route=planner.name,
        routes=chosen.choices,
        stages=(*before, *drawing.stages, *after) if _does_something(drawing) else drawing.stages,
        kept=drawing.kept,
        merges=drawing.merges,
        questions=(*((chosen.question,) if chosen.question else ()), *drawing.questions),
        blockers=(
            *planner.blockers(inputs, drawing.baseline),
            *drawing.blockers,
            *(_out_of_reach(inputs) if planner.lays_a_build else ()),
            *blockers.machine_faults(inputs.install, moves, space, circumstances),
        ),
        warnings=(
            *inputs.noted,
            *drawing.warnings,
            *_may_be_out_of_reach(keyed, to_version),
            *blockers.reading_warnings(inputs.survey),
        ),
        space=space,
        survey=drawing.survey or inputs.survey,
        arrivals=drawing.arrivals or (arrival,),
        baseline=drawing.baseline,
        on_failure=drawing.on_failure,
        climb=drawing.climb,
        source=drawing.source,
        facts=_facts(inputs, drawing, arrival, moves, keyed),
        effects=drawing.effects,
        telling=planner.telling,
    )


def _facts(
    inputs: PlanInputs, drawing: Drawing, arrival: Arrival, moves: list[Move], keyed: Mapping[str, int]
) -> RunFacts:
    """What is to be known of the run beside its stages."""
    return RunFacts(
        way=drawing.way,
        came=arrival.called,
        comes=drawing.comes,
        version_places=tuple(inputs.sheet.version_places),
        rules=tuple(inputs.sheet.things),
        given_sheet=inputs.sheet.given,
        under_ids=keyed,
        let_go=tuple(_let_go(drawing, moves)),
    )


def _out_of_reach(inputs: PlanInputs) -> list[Fault]:
    """A blocker, which may be passed knowingly, where saves will lie under ids that the new build does not
    use: nothing would be lost, and nothing would be found.
    """
    lost = out_of_reach(inputs.sheet, inputs.survey, inputs.baseline, inputs.arrival.release)
    if not lost:
        return []
    folder, key, to = lost[0]
    new = inputs.arrival.release.version_text or "the new build"
    which = "a save lies" if len(lost) == 1 else f"{len(lost)} saves lie"
    says = f"{which} under ids that {new} does not use: {folder}/{key} is {to} there, as its own list says"
    way = f"Rename {folder}/{key} to {to} after the update, or pass it with --allow out-of-reach."
    return [Fault(code="out-of-reach", says=says, way_out=way, passable=True)]


def _keyed(inputs: PlanInputs, planner: RoutePlanner, to: str) -> dict[str, int]:
    """Saves under ids that another build may not use, by folder; on routes that leave them where they are."""
    if not planner.keeps_ids or inputs.survey.version_text == to:
        return {}
    return under_ids(inputs.sheet, inputs.survey)


def _may_be_out_of_reach(keyed: Mapping[str, int], to: str) -> list[Fault]:
    if not keyed:
        return []
    folder = max(keyed, key=lambda one: keyed[one])
    says = f"{count(sum(keyed.values()), 'save lies', 'saves lie')} under ids, in {folder}/: "
    says += f"if {to or 'the new build'} files them under others, these may be out of reach"
    return [
        Fault(
            code="may-be-out-of-reach", says=says, way_out="Look whether it lists them once it was started."
        )
    ]


def _let_go(drawing: Drawing, moves: Iterable[Move]) -> list[At]:
    """Places of which the answers, as they stand, let go, and the route itself."""
    asked = {question.id for question in drawing.questions if question.is_let_go}
    found = {at for question in drawing.questions if question.id in asked for at in question.paths}
    found |= {move.at for move in moves if move.question in asked}
    return sorted(found | {*drawing.let_go})


def _does_something(drawing: Drawing) -> bool:
    """Whether there is anything to have steps around."""
    return any(not isinstance(stage, ChangeSet) or stage.moves for stage in drawing.stages)


def roots_of(survey: Survey, circumstances: Circumstances) -> tuple[Root, ...]:
    """The folders of an install, with their identities where those were looked at."""
    if circumstances.roots:
        return circumstances.roots
    others = (Root(label=label, place=place) for label, place in survey.roots)
    return (Root(label="", place=survey.root), *others)
