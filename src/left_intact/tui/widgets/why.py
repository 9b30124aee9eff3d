"""The why panel, and the words for progress and paths that every screen shares."""

from __future__ import annotations

import os

from rich.console import RenderableType
from textual.app import ComposeResult
from textual.containers import VerticalScroll
from textual.widgets import Static

from left_intact.core.model.progress import Progress
from left_intact.tui.writing import bearable
from left_intact.words import size


class Why(VerticalScroll, can_focus=False):
    """The panel that explains the highlighted thing in plain words."""

    def compose(self) -> ComposeResult:
        yield Static(id="why-text")

    def explain(self, text: RenderableType) -> None:
        self.query_one("#why-text", Static).update(text)
        self.scroll_home(animate=False)


def progress_words(title: str, progress: Progress) -> str:
    """`reading 1,204 files, 61 MB` for the title line."""
    amount = f"{progress.done:,} of {progress.total:,}" if progress.total else f"{progress.done:,}"
    read = f", {size(progress.bytes_done)}" if progress.bytes_done else ""
    return f"{title}: {amount}{read}"


def shown_path(path: str) -> str:
    """A path as screens show it: the home folder as ~."""
    home = os.path.expanduser("~")
    return bearable("~" + path[len(home) :] if path.startswith(home + os.sep) else path)
