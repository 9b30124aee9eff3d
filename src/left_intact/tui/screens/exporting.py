"""Taking along what a view shows: which of it, and to which path."""

from __future__ import annotations

import os
from collections.abc import Sequence
from typing import Any, ClassVar

from rich.text import Text
from textual.app import ComposeResult
from textual.binding import Binding, BindingType
from textual.containers import Vertical
from textual.screen import Screen
from textual.widgets import Input, Static

from left_intact.charts.exports import EXPORTS, Export, file_name
from left_intact.core.model.errors import LeftIntactError
from left_intact.core.model.install import Install
from left_intact.tui.jobs import Job
from left_intact.tui.protocol import application
from left_intact.tui.screens.dialogs import Dialog
from left_intact.tui.writing import bearable
from left_intact.words import size
from left_intact.worker.call import call


class ExportDialog(Dialog[tuple[str, int]]):
    """One of the exports of a view, and a path. Gives where it was written and how many bytes it has."""

    BINDINGS: ClassVar[list[BindingType]] = [
        Binding("up", "turn(-1)", "the one before", priority=True),
        Binding("down", "turn(1)", "the next one", priority=True),
    ]
    folder: ClassVar[str] = "~"
    """Where the last one went: the next is likely to go there too."""

    def __init__(self, install: Install, view: str, **more: Any) -> None:
        super().__init__()
        self.install, self.view, self.more = install, view, more
        """`more` is what `DeskWork.export` is told beside that."""
        self.at = 0

    @property
    def exports(self) -> Sequence[Export]:
        return EXPORTS[self.view]

    @property
    def chosen(self) -> Export:
        return self.exports[self.at]

    def compose(self) -> ComposeResult:
        with Vertical(classes="box"):
            yield Static(self._rows(), id="exports")
            yield Input(self._path(self.folder), placeholder="path")
            yield Static(id="said")

    def on_mount(self) -> None:
        line = self.query_one(Input)
        line.focus()
        line.cursor_position = len(line.value)
        self._say_keys()

    def _say_keys(self) -> None:
        self.say("↑ ↓ chooses what, Enter writes it, Esc leaves it")

    def _path(self, folder: str) -> str:
        return os.path.join(folder, file_name(self.install.name, self.view, self.chosen))

    def _rows(self) -> Text:
        text = Text("export\n\n", self.look.style("focus", bold=True))
        wide = max(len(export.says) for export in self.exports)
        for number, export in enumerate(self.exports):
            lit = number == self.at
            text.append("▌ " if lit else "  ", self.look.style("focus"))
            text.append(f"{export.says:{wide + 2}}", self.look.style("text", bold=lit))
            text.append(f"{export.ending[1:].upper()}\n", self.look.style("focus" if lit else "quiet"))
        return text

    def action_turn(self, by: int) -> None:
        """Choose another; a name that the person wrote keeps all but its ending."""
        line = self.query_one(Input)
        folder, name = os.path.split(line.value)
        is_ours = name == file_name(self.install.name, self.view, self.chosen)
        self.at = (self.at + by) % len(self.exports)
        stem = os.path.splitext(name)[0]
        line.value = self._path(folder) if is_ours else os.path.join(folder, stem + self.chosen.ending)
        line.cursor_position = len(line.value)
        self.query_one("#exports", Static).update(self._rows())
        self._say_keys()

    def on_input_submitted(self, message: Input.Submitted) -> None:
        path = message.value.strip()
        if not path:
            return
        wanted = call("desk.export", self.install, self.view, self.chosen.name, path, **self.more)
        self.say("writing…")
        application(self.app).work_on(Job("exporting", wanted, self._written, self._failed))

    def _written(self, written: tuple[str, int]) -> None:
        type(self).folder = _shortened(os.path.dirname(written[0]))
        if self.is_attached:
            self.dismiss(written)

    def _failed(self, error: LeftIntactError) -> None:
        if self.is_attached:
            self.say(error.line(), "bad")


def _shortened(folder: str) -> str:
    """With `~` for the person's own."""
    own = os.path.expanduser("~")
    return f"~{folder[len(own) :]}" if folder == own or folder.startswith(own + os.sep) else folder


def open_export(screen: Screen[Any], install: Install, view: str, **more: Any) -> None:
    """Ask what to take along of a view, and say what was written."""

    def said(written: tuple[str, int] | None) -> None:
        if written is not None:
            path, length = written
            screen.notify(f"written: {bearable(path)}, {size(length)}", timeout=8)

    screen.app.push_screen(ExportDialog(install, view, **more), said)
