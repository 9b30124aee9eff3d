"""What screens, dialogs and the palette know of the application, and how they say where to go.

No screen knows another: it posts where it wants to go, and `ways` alone knows which screen that is.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, Protocol

from textual.message import Message

if TYPE_CHECKING:
    from textual.app import App

    from left_intact.core.model.errors import LeftIntactError
    from left_intact.tui.desk import Desk
    from left_intact.tui.jobs import Job, Jobs
    from left_intact.tui.look import Look
    from left_intact.workbench import ShelfRow, Workbench


class Application(Protocol):
    """The application, as everything on it may use it."""

    bench: Workbench
    place: str
    """What the trail in the title line begins with."""
    jobs: Jobs
    looks_at_start: bool

    @property
    def look(self) -> Look: ...

    def work_on(self, job: Job) -> Job:
        """Queue some long work; its progress shows in the title line."""
        ...

    def complain(self, error: LeftIntactError) -> None:
        """Say an error to the person, in one line with what to do now."""
        ...

    def open_desk(self, row: ShelfRow, stop: str = "") -> None:
        """Sit down at an install."""
        ...

    def refresh_shelf(self) -> None:
        """Read the shelf anew."""
        ...

    def desk_screen(self) -> Any:
        """The screen of the stage line that is shown or lies below; None where there is none."""
        ...

    def notify(self, message: str, *, severity: Any = "information", timeout: float | None = None) -> None:
        """Say something in passing."""
        ...

    def action_help(self) -> None: ...

    def action_switch_look(self) -> None: ...

    async def action_quit(self) -> None: ...

    def exit(self, result: Any = None) -> None: ...


def application(app: App[Any]) -> Application:
    """The application that a screen runs in."""
    assert hasattr(app, "bench"), "no application of ours"
    return app  # type: ignore[return-value]


class GoToStop(Message):
    """A screen of the stage line wants another stop of its install in its place."""

    def __init__(self, stop: str, desk: Desk, **more: Any) -> None:
        super().__init__()
        self.wanted, self.desk, self.more = stop, desk, more


class Open(Message):
    """A screen wants a view laid over it."""

    def __init__(self, view: str, *what: Any) -> None:
        super().__init__()
        self.view, self.what = view, what
