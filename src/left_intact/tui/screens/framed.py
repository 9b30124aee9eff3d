"""What the shelf and the views beside the stage line share: title, list, why panel, keys, and the progress
of work.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, TypeVar

from textual.app import ComposeResult
from textual.containers import Horizontal, Vertical
from textual.screen import ModalScreen, Screen

from left_intact.tui.protocol import Application, application
from left_intact.tui.widgets.bars import KeyBar, TitleBar
from left_intact.tui.widgets.why import Why, progress_words

if TYPE_CHECKING:
    from left_intact.core.model.progress import Progress
    from left_intact.tui.jobs import Job

Answer = TypeVar("Answer")


class FramedScreen(Screen[None]):
    """A screen with a list on the left and the why panel on the right."""

    AUTO_FOCUS = "Lines"

    @property
    def left_intact(self) -> Application:
        return application(self.app)

    def compose(self) -> ComposeResult:
        yield TitleBar()
        yield from self.compose_top()
        with Horizontal(id="body"):
            with Vertical(id="left"):
                yield from self.compose_left()
            yield Why()
        yield KeyBar()

    def compose_top(self) -> ComposeResult:
        """What stands between title and body; nothing as a rule."""
        yield from ()

    def compose_left(self) -> ComposeResult:
        raise NotImplementedError

    def ask(self, dialog: ModalScreen[Answer], then: Callable[[Answer | None], None]) -> None:
        """Open a dialog that a job made ready; one that comes while another lies over this screen is late."""
        if self.is_active:
            self.app.push_screen(dialog, then)

    def job_progress(self, job: Job, progress: Progress) -> None:
        self.show_busy(progress_words(job.title, progress))

    def job_over(self) -> None:
        self.show_busy("")

    def show_busy(self, words: str) -> None:
        """Say in the title line what goes on; a screen that is not composed yet has no such line."""
        for title in self.query(TitleBar):
            title.set_busy(words)

    def action_why(self) -> None:
        self.toggle_class("-why")
