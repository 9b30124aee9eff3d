"""The routes that can be taken, the one to be recommended first. A new one is one file beside this and a
line here.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from left_intact.core.model.errors import LeftIntactError, Misuse
from left_intact.core.model.plan import Question, Route, RouteChoice
from left_intact.core.model.survey import Survey
from left_intact.core.planning.deferred import DeferredPlanner
from left_intact.core.planning.inputs import PlanInputs, RoutePlanner
from left_intact.core.planning.routes.clear_and_restore import ClearAndRestore
from left_intact.core.planning.routes.content_pack import ContentPack
from left_intact.core.planning.routes.graft import Graft
from left_intact.core.planning.routes.in_place import InPlace
from left_intact.core.planning.routes.ladder import Ladder
from left_intact.core.planning.routes.side_by_side import SideBySide
from left_intact.core.planning.routes.single_part import SinglePart

ROUTES: tuple[RoutePlanner, ...] = (
    InPlace(),
    Ladder(),
    Graft(),
    SinglePart(),
    SideBySide(),
    ClearAndRestore(),
    ContentPack(),
)


WAY = "way"
"""The question by which of two routes that are near each other."""
_NEAR = 0.1


def choices(inputs: PlanInputs) -> tuple[RouteChoice, ...]:
    """Every route, the fitting ones first, that for which most speaks before all; one that has a command of
    its own only where that was given.
    """
    known = {planner.name: planner for planner in ROUTES}
    said = [
        known[route].fits(inputs)
        for route in Route
        if route in known and (not known[route].command or inputs.route is route)
    ]
    return tuple(sorted(said, key=lambda choice: (not choice.fits, -choice.weight)))


@dataclass(frozen=True, slots=True)
class Chosen:
    """The route that is taken, what was weighed, and the question where two are near each other."""

    planner: RoutePlanner
    choices: tuple[RouteChoice, ...]
    question: Question | None = None


def choose(inputs: PlanInputs) -> Chosen:
    """The route that was asked for or answered with, else that for which most speaks of all that fit, else
    the first. Raises `Misuse`.
    """
    every = choices(inputs)
    if inputs.route is not None:
        return Chosen(planner_named(inputs.route), every)
    found = [one for one in every if one.fits and not planner_named(one.name).waits_to_be_asked(inputs)]
    if not found:
        return Chosen(ROUTES[0], every)
    question = _way_question(inputs, found)
    return Chosen(planner_named(Route(question.choice) if question else found[0].name), every, question)


def _way_question(inputs: PlanInputs, found: Sequence[RouteChoice]) -> Question | None:
    """What is asked where the two for which most speaks are near each other."""
    if len(found) < 2 or found[0].weight - found[1].weight >= _NEAR:
        return None
    options = tuple(one.name.value for one in found[:2])
    answer = inputs.answers.get(WAY)
    return Question(
        id=WAY,
        asks=f"what is {inputs.arrival.called}?",
        options=options,
        leads_to=tuple(one.because for one in found[:2]),
        default=options[0],
        answer=answer if answer in options else None,
        note="two ways are near each other",
    )


def planner_named(route: Route) -> RoutePlanner:
    """The planner of a route: there is one for each."""
    return {planner.name: planner for planner in ROUTES}[route]


def route_named(name: str | None) -> Route | None:
    """The route that a person asked for by name; None where they did not. Raises `Misuse`."""
    if name is None:
        return None
    known = {planner.name.value: planner for planner in ROUTES}
    if name not in known:
        routes = ", ".join(route for route in Route if route in known and not known[route].command)
        raise Misuse("unknown-route", f"there is no route {name}", way_out=f"The routes are: {routes}.")
    if command := known[name].command:
        raise Misuse(
            "route-not-yet",
            f"a {name.replace('-', ' ')} is taken by `left-intact {command}`",
            way_out="Use that command.",
        )
    return known[name].name


def routes_into_a_folder() -> tuple[Route, ...]:
    """Those for which somebody may name the folder of the new build."""
    return tuple(planner.name for planner in ROUTES if planner.takes_a_folder)


def with_new_root(wanted: Route | None, survey: Survey, coming: str) -> RoutePlanner | None:
    """The route that gives the new build a folder of its own, where the one that is wanted does, or one does
    so unasked.
    """
    asked = wanted is not None
    wants = (one for one in ROUTES if wanted in (None, one.name))
    return next((one for one in wants if one.wants_new_root(survey, coming, asked=asked)), None)


def deferred_planner(name: str) -> DeferredPlanner:
    """The planner of a stage that was left for later. Raises `no-planner` for one that this version does
    not have.
    """
    for planner in ROUTES:
        if name in planner.later:
            return planner.later[name]
    raise LeftIntactError(
        "no-planner",
        f"this version cannot draw the stage {name}",
        way_out="Go on with the version that began the update, or go back.",
    )
