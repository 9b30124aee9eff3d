"""Small questions on top of a screen. Each gives a typed answer."""

from __future__ import annotations

import os
from typing import ClassVar, Generic, TypeVar

from rich.text import Text
from textual.app import ComposeResult
from textual.binding import Binding, BindingType
from textual.containers import Vertical
from textual.screen import ModalScreen
from textual.widgets import Input, Static

from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Finding
from left_intact.core.model.errors import LeftIntactError
from left_intact.core.model.install import Install
from left_intact.tui.jobs import Job
from left_intact.tui.look import Look
from left_intact.tui.protocol import application
from left_intact.tui.widgets.strip import badge
from left_intact.tui.writing import bearable, clip
from left_intact.workbench import ShelfRow
from left_intact.worker.call import call

Answer = TypeVar("Answer")


class Dialog(ModalScreen[Answer], Generic[Answer]):  # noqa: UP046 (3.11 has no other way)
    """A box with a heading, words and a line of keys."""

    BINDINGS: ClassVar[list[BindingType]] = [Binding("escape", "leave", "leave it")]
    heading_text = ""

    @property
    def look(self) -> Look:
        look: Look = self.app.look  # type: ignore[attr-defined]
        return look

    def words(self, heading: str, says: str, keys: list[tuple[str, str]]) -> Text:
        text = Text()
        text.append(f"{heading}\n\n", self.look.style("focus", bold=True))
        text.append("\n".join(map(bearable, says.split("\n"))) + "\n\n", self.look.style("text"))
        for key, does in keys:
            text.append(key, self.look.style("focus", bold=True)).append(
                f" {does}    ", self.look.style("quiet")
            )
        return text

    def say(self, words: str, colour: str = "quiet") -> None:
        """Write into the line below, where the dialog has one."""
        self.query_one("#said", Static).update(Text(bearable(words), self.look.style(colour)))

    def takes(self, path: str) -> bool:
        """Whether something lies at a path; says so where nothing does."""
        there = os.path.exists(path)
        if not there:
            self.say(f"there is nothing at {clip(path, 60)}", "bad")
        return there

    def action_leave(self) -> None:
        self.dismiss(None)


class ConfirmDialog(Dialog[bool]):
    """Yes by Enter, no by Esc. Where something speaks against it, yes is a plain y."""

    BINDINGS: ClassVar[list[BindingType]] = [
        Binding("enter", "enter", "yes"),
        Binding("y", "yes", "yes"),
        Binding("n", "leave", "no"),
    ]

    def __init__(self, heading: str, says: str, does: str, *, plainly: bool = False) -> None:
        super().__init__()
        self.parts, self.plainly = (heading, says, does), plainly

    def compose(self) -> ComposeResult:
        heading, says, does = self.parts
        yes = "y" if self.plainly else "Enter"
        with Vertical(classes="box"):
            yield Static(self.words(heading, says, [(yes, does), ("Esc", "leave it")]))

    def action_enter(self) -> None:
        if not self.plainly:
            self.dismiss(True)

    def action_yes(self) -> None:
        self.dismiss(True)


class PathDialog(Dialog[str]):
    """A path, checked before it is taken."""

    def __init__(self, heading: str, says: str, first: str) -> None:
        super().__init__()
        self.parts, self.first = (heading, says), first

    def compose(self) -> ComposeResult:
        with Vertical(classes="box"):
            yield Static(self.words(*self.parts, []))
            yield Input(self.first, placeholder="path")
            yield Static(id="said")

    def on_mount(self) -> None:
        self.query_one(Input).focus()
        self.say("Enter takes it, Esc leaves it")

    def on_input_submitted(self, message: Input.Submitted) -> None:
        path = os.path.expanduser(message.value.strip())
        if not path:
            self.dismiss(None)
        elif self.takes(path):
            self.dismiss(path)


class FindDialog(Dialog[tuple[str, str]]):
    """Where to look for installs, and for what; the second may stay empty."""

    def compose(self) -> ComposeResult:
        says = (
            "A disk, a home folder, anything. Hidden folders and numbered prefixes are looked into "
            "too; nothing is changed."
        )
        which = (
            "For something that came, an archive or a folder from another machine: those that hold most "
            "of it come first. Empty finds all."
        )
        with Vertical(classes="box"):
            yield Static(self.words("find installs", says, []))
            yield Input("~", placeholder="where to look", id="place")
            yield Static(Text(f"\n{which}\n", self.look.style("text")))
            yield Input(placeholder="what came", id="arrival")
            yield Static(id="said")

    def on_mount(self) -> None:
        self.query_one("#place", Input).focus()
        self.say("Enter looks, Tab goes to the other line, Esc leaves it")

    def on_input_submitted(self) -> None:
        place, arrival = (
            os.path.expanduser(self.query_one(name, Input).value.strip()) for name in ("#place", "#arrival")
        )
        if not place:
            self.dismiss(None)
        elif self.takes(place) and (not arrival or self.takes(arrival)):
            self.dismiss((place, arrival))


class TextDialog(Dialog[str]):
    """A line of text."""

    def __init__(self, heading: str, says: str) -> None:
        super().__init__()
        self.parts = (heading, says)

    def compose(self) -> ComposeResult:
        with Vertical(classes="box"):
            yield Static(self.words(*self.parts, [("Enter", "takes it"), ("Esc", "leaves it")]))
            yield Input()

    def on_mount(self) -> None:
        self.query_one(Input).focus()

    def on_input_submitted(self, message: Input.Submitted) -> None:
        self.dismiss(message.value.strip())


class PatternDialog(Dialog[tuple[str, FileClass]]):
    """A pattern and a class, with what it would speak of as one types."""

    def __init__(self, first: str, install: Install) -> None:
        super().__init__()
        self.first, self.install = first, install

    def compose(self) -> ComposeResult:
        says = "`*` stays within a name, `**` crosses folders, a / at the end is a folder with all below it."
        with Vertical(classes="box"):
            yield Static(self.words("rule a pattern", says, []))
            yield Input(self.first)
            yield Input(placeholder="class: p s v t c x h", id="class", max_length=1)
            yield Static(id="said")

    def on_mount(self) -> None:
        self.query_one(Input).focus()
        self._preview()

    def _preview(self) -> None:
        pattern = self.query(Input).first().value.strip()

        def met(both: tuple[list[Finding], int]) -> None:
            if self.is_attached and pattern == self.query(Input).first().value.strip():
                self._show_met(*both)

        wanted = call("desk.met_by", self.install, pattern, 6)
        app = application(self.app)
        app.work_on(Job("looking", wanted, met, app.complain, beside=True))

    def _show_met(self, met: list[Finding], number: int) -> None:
        text = Text(f"{number:,} met", self.look.style("text", bold=True))
        for finding in met:
            text.append("\n").append_text(badge(finding.file_class, self.look))
            text.append(f" {clip(bearable(finding.at.shown), 60)}", self.look.style("quiet"))
        text.append("\n\nEnter goes on, Esc leaves it", self.look.style("quiet"))
        self.query_one("#said", Static).update(text)

    def on_input_changed(self, message: Input.Changed) -> None:
        self._preview()

    def on_input_submitted(self, message: Input.Submitted) -> None:
        from left_intact.presentation.palette import CLASS_KEYS

        pattern, box = self.query(Input).first().value.strip(), self.query_one("#class", Input)
        kind = CLASS_KEYS.get(box.value.strip().lower())
        if not pattern or kind is None:
            box.focus()
            return
        self.dismiss((pattern, kind))


class RecoverDialog(Dialog[bool]):
    """An update that was cut off: forward or back."""

    BINDINGS: ClassVar[list[BindingType]] = [
        Binding("f", "recover(True)", "forward"),
        Binding("b", "recover(False)", "back"),
    ]

    def __init__(self, row: ShelfRow) -> None:
        super().__init__()
        self.row, self.at_work = row, False

    def compose(self) -> ComposeResult:
        update = self.row.updates[0]
        says = (
            f"The update of {self.row.install.name} to {update.to_version or 'a new build'} was "
            "cut off. Nothing is lost: every "
            "file it displaced is in the strongbox. Forward completes it; back puts everything "
            "as it was before."
        )
        with Vertical(classes="box"):
            yield Static(
                self.words(
                    "an update was cut off", says, [("f", "forward"), ("b", "back"), ("Esc", "not now")]
                )
            )
            yield Static(id="said")

    def action_recover(self, forward: bool) -> None:
        if self.at_work:
            return
        self.at_work = True
        self.query_one("#said", Static).update(Text("\nat work…", self.look.style("quiet")))
        wanted = call("updates.recover", self.row.install, forward)
        job = Job("recovering", wanted, self._done, self._failed, changes_disk=True)
        application(self.app).work_on(job)

    def _done(self, update: object) -> None:
        self.app.notify("done: nothing is cut off any more", timeout=5)
        self.dismiss(True)

    def _failed(self, error: LeftIntactError) -> None:
        self.at_work = False
        self.query_one("#said", Static).update(Text(f"\n{error.line()}", self.look.style("bad")))
