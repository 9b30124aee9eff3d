"""The one place that knows every screen: which one a stop of the stage line is, and which one a view."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from left_intact.core.model.update import State

if TYPE_CHECKING:
    from textual.screen import Screen

    from left_intact.tui.desk import Desk
    from left_intact.tui.screens.stage import StageScreen


def screen_for(stop: str, desk: Desk, **more: Any) -> StageScreen:
    """The screen of a stop. A screen is imported when it is first gone to."""
    if stop == "arrival":
        from left_intact.tui.screens.arrival import ArrivalScreen

        return ArrivalScreen(desk)
    if stop == "plan":
        from left_intact.tui.screens.plan import PlanScreen

        return PlanScreen(desk)
    if stop == "under way" and desk.row.state is State.WAITING:
        from left_intact.tui.screens.waiting import WaitingScreen

        return WaitingScreen(desk)
    if stop == "under way":
        from left_intact.tui.screens.under_way import UnderWayScreen

        return UnderWayScreen(desk, **more)
    if stop == "proof":
        from left_intact.tui.screens.proof import ProofScreen

        return ProofScreen(desk)
    from left_intact.tui.screens.survey import SurveyScreen

    return SurveyScreen(desk)


def view_named(name: str, *what: Any) -> Screen[Any]:
    """A view beside the stage line."""
    match name:
        case "news":
            from left_intact.tui.screens.news import NewsScreen

            return NewsScreen(*what)
        case "parts":
            from left_intact.tui.screens.part_list import PartsScreen

            return PartsScreen(*what)
        case "pack":
            from left_intact.tui.screens.pack import PackScreen

            return PackScreen(*what)
        case "help":
            from left_intact.tui.screens.help import HelpScreen

            return HelpScreen.of(*what)
        case "shelf":
            from left_intact.tui.screens.shelf import ShelfScreen

            return ShelfScreen(*what)
        case _:
            raise ValueError(f"no view is called {name!r}")
