"""What the command palette finds: every install, every stop, every action of the screen."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Any

from textual.app import SystemCommand
from textual.screen import Screen

from left_intact.tui.protocol import Application
from left_intact.tui.widgets.bars import STOPS
from left_intact.tui.writing import plain


def commands_of(app: Application, screen: Screen[Any]) -> Iterator[SystemCommand]:
    """Commands by name, those of the screen first."""
    for active in screen.active_bindings.values():
        binding = active.binding
        if binding.show and active.enabled and binding.description:
            yield SystemCommand(binding.description, f"key {binding.key}", _runs(screen, binding.action))
    if hasattr(screen, "action_stop"):
        for number, stop in enumerate(STOPS, 1):
            yield SystemCommand(f"go to {stop}", f"key {number}", _goes(screen, number))
    for row in getattr(screen, "shelf_rows", ()):
        name, root = plain(row.install.name), plain(row.install.root)
        yield SystemCommand(f"open {name}", root, _opens(app, row))
    yield SystemCommand("light or dark", "change the look", app.action_switch_look)
    yield SystemCommand("help", "what this view is for, and its keys", app.action_help)
    yield SystemCommand("quit", "leave Left Intact", app.action_quit)


def _runs(screen: Screen[Any], action: str) -> Callable[[], Any]:
    async def run() -> None:
        await screen.run_action(action)

    return run


def _goes(screen: Any, number: int) -> Callable[[], None]:
    return lambda: screen.action_stop(number)


def _opens(app: Application, row: Any) -> Callable[[], None]:
    return lambda: app.open_desk(row)
