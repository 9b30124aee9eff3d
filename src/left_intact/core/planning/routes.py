"""Which routes fit an arrival, and why."""

from __future__ import annotations

from left_intact.core.model.errors import Misuse
from left_intact.core.model.plan import Route, RouteChoice
from left_intact.core.model.release import Arrival

_NOT_YET = "Left Intact cannot do this yet"
OFFERED = (Route.IN_PLACE,)


def choose_routes(arrival: Arrival) -> tuple[RouteChoice, ...]:
    """Every route, the fitting ones first."""
    whole = arrival.shape != "file"
    because = "a whole release, laid over the install" if whole else "a single file is no whole release"
    rest = tuple(
        RouteChoice(name=route, fits=False, because=_NOT_YET) for route in Route if route not in OFFERED
    )
    return (RouteChoice(name=Route.IN_PLACE, fits=whole, because=because), *rest)


def route_named(name: str | None) -> Route:
    """The route that a person asked for; in place where they did not. Raises `Misuse`."""
    try:
        route = Route(name or Route.IN_PLACE)
    except ValueError:
        known = ", ".join(Route)
        raise Misuse(
            "unknown-route", f"there is no route {name}", way_out=f"The routes are: {known}."
        ) from None
    if route not in OFFERED:
        raise Misuse(
            "route-not-yet", f"the route {route} cannot be taken yet", way_out="Use --route in-place."
        )
    return route
