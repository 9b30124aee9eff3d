"""What the command palette finds: every install, every stop, every action of the screen."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import TYPE_CHECKING, Any

from textual.app import SystemCommand
from textual.screen import Screen

from left_intact.tui.widgets.bars import STOPS

if TYPE_CHECKING:
    from left_intact.tui.app import LeftIntactApp


def commands_of(app: LeftIntactApp, screen: Screen[Any]) -> Iterator[SystemCommand]:
    """Commands by name, those of the screen first."""
    from left_intact.tui.screens.shelf import ShelfScreen
    from left_intact.tui.screens.stage import StageScreen

    for active in screen.active_bindings.values():
        binding = active.binding
        if binding.show and active.enabled and binding.description:
            yield SystemCommand(binding.description, f"key {binding.key}", _runs(screen, binding.action))
    if isinstance(screen, StageScreen):
        for number, stop in enumerate(STOPS, 1):
            yield SystemCommand(f"go to {stop}", f"key {number}", _goes(screen, number))
    shelf = next((s for s in app.screen_stack if isinstance(s, ShelfScreen)), None)
    if isinstance(screen, ShelfScreen) and shelf is not None:
        for row in shelf.shelf_rows:
            yield SystemCommand(f"open {row.install.name}", row.install.root, _opens(app, row))
    yield SystemCommand("light or dark", "change the look", app.action_switch_look)
    yield SystemCommand("help", "what this view is for, and its keys", app.action_help)
    yield SystemCommand("quit", "leave Left Intact", app.exit)


def _runs(screen: Screen[Any], action: str) -> Callable[[], Any]:
    async def run() -> None:
        await screen.run_action(action)

    return run


def _goes(screen: Any, number: int) -> Callable[[], None]:
    return lambda: screen.action_stop(number)


def _opens(app: LeftIntactApp, row: Any) -> Callable[[], None]:
    return lambda: app.open_desk(row)
