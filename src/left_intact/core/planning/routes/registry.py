"""The routes that can be taken, the one to be recommended first. A new one is one file beside this and a
line here.
"""

from __future__ import annotations

from left_intact.core.model.errors import LeftIntactError, Misuse
from left_intact.core.model.plan import Route, RouteChoice
from left_intact.core.planning.inputs import PlanInputs, RoutePlanner
from left_intact.core.planning.later import LaterPlanner
from left_intact.core.planning.parts import are_loose
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


def choices(inputs: PlanInputs) -> tuple[RouteChoice, ...]:
    """Every route, the fitting ones first; a content pack only where one was chosen."""
    known = {planner.name: planner for planner in ROUTES}
    said = [
        known[route].fits(inputs)
        for route in Route
        if route is not Route.CONTENT_PACK or inputs.route is route
    ]
    return tuple(sorted(said, key=lambda choice: not choice.fits))


def choose(inputs: PlanInputs) -> RoutePlanner:
    """The route that was asked for, else the recommended one: clear and restore where the keepsheet says so
    and a whole release came, side by side where the install's folder bears its version, else the first that
    fits, else the first. Raises `Misuse`.
    """
    if inputs.route is not None:
        return planner_named(inputs.route)
    cleared, part = planner_named(Route.CLEAR_AND_RESTORE), planner_named(Route.SINGLE_PART)
    alone = inputs.arrival.shape == "file" or are_loose(inputs.parts)
    if inputs.sheet.clear is not None and cleared.fits(inputs).fits:
        return part if alone and part.fits(inputs).fits else cleared
    if inputs.side is not None and (beside := planner_named(Route.SIDE_BY_SIDE)).fits(inputs).fits:
        return beside
    asked_for = (Route.CLEAR_AND_RESTORE, Route.CONTENT_PACK)
    found = (planner for planner in ROUTES if planner.name not in asked_for and planner.fits(inputs).fits)
    return next(found, ROUTES[0])


def planner_named(route: Route) -> RoutePlanner:
    """The planner of a route: there is one for each."""
    return next(planner for planner in ROUTES if planner.name is route)


def route_named(name: str | None) -> Route | None:
    """The route that a person asked for by name; None where they did not. Raises `Misuse`."""
    if name is None:
        return None
    try:
        route = Route(name)
    except ValueError:
        known = ", ".join(route for route in Route if route is not Route.CONTENT_PACK)
        raise Misuse(
            "unknown-route", f"there is no route {name}", way_out=f"The routes are: {known}."
        ) from None
    if route is Route.CONTENT_PACK:
        raise Misuse(
            "route-not-yet", "a content pack is taken by `left-intact pack`", way_out="Use that command."
        )
    return planner_named(route).name


def later_planner(name: str) -> LaterPlanner:
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
