"""Choosing among things that were found, a menu of what can be done, and an editor for a keepsheet."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any, ClassVar

from rich.text import Text
from textual import events
from textual.app import ComposeResult
from textual.binding import Binding, BindingType
from textual.containers import Vertical
from textual.widgets import Input, Static, TextArea

from left_intact.core.model.install import Install
from left_intact.tui.jobs import Job, Jobs
from left_intact.tui.look import Look
from left_intact.tui.protocol import application
from left_intact.tui.screens.dialogs import Dialog
from left_intact.tui.widgets.lines import Lines, Row
from left_intact.tui.writing import Line, bearable, clip, fit
from left_intact.worker.call import Call, call


@dataclass(frozen=True, slots=True, kw_only=True)
class Choice:
    """One thing to choose."""

    key: str
    label: str
    detail: str = ""
    ticked: bool = False


class _ChoiceRow(Row):
    height = 2

    def __init__(self, choice: Choice, ticked: bool, many: bool) -> None:
        super().__init__(choice.key)
        self.choice, self.ticked, self.many = choice, ticked, many

    def draw(self, width: int, look: Look, lit: bool) -> list[Text]:
        top = Line()
        if self.many:
            top.put("☑ " if self.ticked else "☐ ", look.style("focus" if self.ticked else "quiet"))
        top.put(clip(bearable(self.choice.label), width - top.cell_len), look.style("text", bold=lit))
        low = Line().gap(2 if self.many else 0)
        return [top, low.put(fit(bearable(self.choice.detail), width - 4), look.style("quiet"))]


class ChooseDialog(Dialog[list[str]]):
    """One or several of a list. Gives the keys of those that were chosen; None where the person left."""

    BINDINGS: ClassVar[list[BindingType]] = [
        Binding("space", "tick", "tick"),
        Binding("enter", "take", "take", priority=True),
    ]

    def __init__(self, heading: str, says: str, choices: Sequence[Choice], *, many: bool, does: str) -> None:
        super().__init__()
        self.heading, self.says, self.choices, self.many, self.does = heading, says, choices, many, does
        self.ticked = {choice.key for choice in choices if choice.ticked}

    def compose(self) -> ComposeResult:
        keys = (
            [("Space", "ticks"), ("Enter", self.does), ("Esc", "leave it")]
            if self.many
            else [("Enter", self.does), ("Esc", "leave it")]
        )
        with Vertical(classes="box wide"):
            yield Static(self.words(self.heading, self.says, keys))
            yield Lines(id="choices")

    def on_mount(self) -> None:
        lines = self.query_one(Lines)
        lines.styles.height = min(24, 2 * len(self.choices) + 1)
        self._fill()
        lines.focus()

    def _fill(self) -> None:
        self.query_one(Lines).set_rows([_ChoiceRow(c, c.key in self.ticked, self.many) for c in self.choices])

    def action_tick(self) -> None:
        row = self.query_one(Lines).row
        if self.many and row is not None:
            self.ticked ^= {row.key}
            self._fill()

    def action_take(self) -> None:
        row = self.query_one(Lines).row
        if self.many:
            self.dismiss([c.key for c in self.choices if c.key in self.ticked])
        else:
            self.dismiss([row.key] if row is not None else [])


class MenuDialog(Dialog[str]):
    """What can be done, each by its own key."""

    def __init__(self, heading: str, choices: Sequence[tuple[str, str, str]]) -> None:
        super().__init__()
        self.heading, self.choices = heading, choices
        """(key, name, what it does)."""

    def compose(self) -> ComposeResult:
        text = Text(f"{self.heading}\n\n", self.look.style("focus", bold=True))
        for key, name, does in self.choices:
            text.append(f"{key}  ", self.look.style("focus", bold=True)).append(
                f"{name}\n", self.look.style("text", bold=True)
            )
            text.append(f"   {does}\n\n", self.look.style("quiet"))
        text.append("Esc", self.look.style("focus", bold=True)).append(" leave it", self.look.style("quiet"))
        with Vertical(classes="box"):
            yield Static(text)

    def on_key(self, event: events.Key) -> None:
        key = event.character or ""
        if key in {choice[0] for choice in self.choices}:
            event.stop()  # or the screen below would take the letter for its own
            event.prevent_default()
            self.dismiss(key)


class WatchDialog(Dialog[None]):
    """Watching a run: how to start it, then the wait until it is over. The work is done by a job."""

    BINDINGS: ClassVar[list[BindingType]] = [Binding("enter", "over", "I have quit it", priority=True)]

    def __init__(self, name: str, begin: Callable[[str, WatchDialog], Job], jobs: Jobs) -> None:
        super().__init__()
        self.program, self.begin, self.jobs = name, begin, jobs
        self.watching: Job | None = None

    def compose(self) -> ComposeResult:
        says = (
            f"What {self.program} makes and changes while it runs becomes evidence: nothing a "
            "run writes is the program's. "
            "With a command it is started here and waited for; without one, start it yourself "
            "and say when you have quit."
        )
        with Vertical(classes="box"):
            yield Static(
                self.words("watch a run", says, [("Enter", "begin"), ("Esc", "leave it")]), id="what"
            )
            yield Input(placeholder="command, or nothing to start it yourself")
            yield Static(id="said")

    def on_mount(self) -> None:
        self.query_one(Input).focus()

    def action_over(self) -> None:
        if self.watching is None:
            command = self.query_one(Input).value.strip()
            self.query_one(Input).display = False
            says = (
                f"{command} is at work; this ends when it does."
                if command
                else f"Start {self.program} now, use it, and quit it."
            )
            keys = (
                [("Esc", "stop watching")]
                if command
                else [("Enter", "I have quit it"), ("Esc", "stop watching")]
            )
            self.query_one("#what", Static).update(self.words("watching", says, keys))
            self.watching = self.begin(command, self)
        else:
            self.jobs.nudge(self.watching)
            self.query_one("#said", Static).update(Text("looking at what changed…", self.look.style("quiet")))

    def action_leave(self) -> None:
        if self.watching is not None:
            self.jobs.cancel(self.watching)
            self.jobs.nudge(self.watching)
        self.dismiss(None)


class SheetDialog(Dialog[str]):
    """A keepsheet to read and edit. Ctrl+S takes it if it is one; a fault is told with its line."""

    BINDINGS: ClassVar[list[BindingType]] = [
        Binding("ctrl+s", "take", "take it", priority=True),
        Binding("ctrl+e", "export", "export", priority=True),
    ]

    def __init__(self, install: Install, text: str) -> None:
        super().__init__()
        self.install, self.text = install, text

    def compose(self) -> ComposeResult:
        says = (
            "What is known about it: learnt from rulings, runs and updates. It can be edited, "
            "exported, and given to others."
        )
        keys = [("Ctrl+S", "take it"), ("Ctrl+E", "export"), ("Esc", "leave it")]
        with Vertical(classes="box wide"):
            yield Static(self.words(f"the keepsheet of {self.install.name}", says, keys))
            yield TextArea(self.text, id="sheet", show_line_numbers=True)
            yield Static(id="said")

    def on_mount(self) -> None:
        self.query_one(TextArea).focus()

    def action_take(self) -> None:
        text = self.query_one(TextArea).text
        self._ask(call("surveys.take_edited", self.install, text), lambda _: self.dismiss(text))

    def action_export(self) -> None:
        self._ask(
            call("surveys.export_sheet", self.install), lambda path: self.say(f"written to {path}", "good")
        )

    def _ask(self, wanted: Call, done: Callable[[Any], object]) -> None:
        job = Job("the keepsheet", wanted, done, lambda error: self.say(error.line(), "bad"), beside=True)
        application(self.app).work_on(job)
