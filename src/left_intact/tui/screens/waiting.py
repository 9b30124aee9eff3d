"""An update that waits: what to do by hand, why, what is done and what comes then. It goes on when it sees
that it was done.
"""

from __future__ import annotations

import textwrap
import time
from dataclasses import replace
from typing import ClassVar

from rich.text import Text
from textual.app import ComposeResult
from textual.binding import Binding, BindingType

from left_intact.core.model.errors import LeftIntactError
from left_intact.core.model.update import RunKind, State, Update, WaitsFor
from left_intact.tui.jobs import Job
from left_intact.tui.look import Look
from left_intact.tui.protocol import GoToStop
from left_intact.tui.screens.stage import StageScreen
from left_intact.tui.widgets.lines import Gap, Hairline, Lines, Row, Words
from left_intact.tui.writing import Line, bearable, clip
from left_intact.words import count, versions
from left_intact.workbench import Outcome, OutlineLine
from left_intact.worker.call import call

_LOOK_EVERY = 2.0
_REST = 4.0
"""So many times as long as a look took nothing is looked at: a large install is not read without pause."""
_WRAP = 62
_MARK = {"done": ("●", "good"), "waiting": ("◉", "focus"), "planned": ("○", "quiet")}


class OptionRow(Row):
    """One answer to what is asked."""

    def __init__(self, option: str) -> None:
        super().__init__(f"option:{option}")
        self.option = option

    def draw(self, width: int, look: Look, lit: bool) -> list[Text]:
        return [
            Line()
            .put("  ▸ " if lit else "    ", look.style("focus"))
            .put(self.option, look.style("text", bold=lit))
        ]


class _OutlineRow(Row):
    selectable = False

    def __init__(self, number: int, line: OutlineLine) -> None:
        super().__init__("")
        self.number, self.line = number, line

    def draw(self, width: int, look: Look, lit: bool) -> list[Text]:
        mark, colour = _MARK.get(self.line.state, ("·", "quiet"))
        here = self.line.state == "waiting"
        row = Line().put(mark, look.style(colour), 3).put(f"{self.number}", look.style("quiet"), 3)
        row.put(self.line.state.replace("-", " "), look.style(colour), 10)
        says = clip(bearable(self.line.says), width - row.cell_len - 1)
        return [row.put(says, look.style("text" if here else "quiet", bold=here))]


class _Said(Row):
    """A word in the margin, and a line of what it says."""

    selectable = False

    def __init__(self, word: str, says: str, strong: bool) -> None:
        super().__init__("")
        self.word, self.says, self.strong = word, says, strong

    def draw(self, width: int, look: Look, lit: bool) -> list[Text]:
        line = Line().put(self.word, look.style("quiet"), 10)
        return [line.put(clip(self.says, width - 11), look.style("text", bold=self.strong))]


def said(word: str, says: str, *, strong: bool = False) -> list[Row]:
    """A text as lines that fit the narrowest screen."""
    lines = textwrap.wrap(bearable(says), _WRAP) or [""]
    return [_Said(word if not number else "", line, strong) for number, line in enumerate(lines)]


def _sees(waits: WaitsFor) -> str:
    if waits.can_be_seen:
        return waits.sees or "it goes on by itself once it sees that this was done"
    return "choose an answer" if waits.options else "this cannot be seen: d says that it was done"


class WaitingScreen(StageScreen):
    """One step at a time; it looks by itself."""

    STOP = "under way"
    HELP = (
        "An update waits for you. Nothing is torn: it can wait for days. It looks by itself every two "
        "seconds and goes on when it sees that the step was done; l looks now. d says that it was done where "
        "that cannot be seen, k leaves a step out that may be left out, r runs the command of a step once "
        "you allow it. x gives the update up where it stands: what is in force stays on trial."
    )
    BINDINGS: ClassVar[list[BindingType]] = [
        Binding("l", "look_now", "look now"),
        Binding("d", "said_done", "done"),
        Binding("r", "run_it", "have it done"),
        Binding("k", "leave_out", "leave it out"),
        Binding("x", "give_up", "give up"),
    ]

    def compose_left(self) -> ComposeResult:
        yield Lines(id="step")

    def on_mount(self) -> None:
        self.outline: tuple[OutlineLine, ...] = ()
        self.at_work = self.looking = False
        self.looked_at = self.next_look = 0.0
        self.show_all()
        self.query_one("#step", Lines).focus()
        app, install = self.left_intact, self.desk.install
        app.work_on(Job("the outline", call("updates.outline", install), self._outlined, self._failed))
        self.set_interval(_LOOK_EVERY, self._look_in_time)

    def fill_desk(self) -> None:
        """Nothing is read while an update waits."""

    @property
    def waits(self) -> WaitsFor | None:
        return self.desk.row.waits

    def aside(self) -> str:
        return "waits for you"

    # ------------------------------------------------------------ drawing

    def _outlined(self, outline: tuple[OutlineLine, ...]) -> None:
        self.outline = outline
        self.show_all()

    def show_body(self) -> None:
        if not self.query("#step"):
            return
        waits = self.waits
        rows: list[Row] = [Gap(), _Said("", self._head(), True), Gap()]
        if waits is None:
            rows += [*said("now", "nothing more to wait for: l goes on", strong=True)]
        else:
            word = "answer" if waits.options else "do"
            rows += [*said(word, waits.asks, strong=True), Gap(), *said("why", waits.why), Gap()]
            if waits.on:
                rows += [*said("on", waits.on), Gap()]
            for one in waits.prompts:
                rows += [*said("asks", f"{one.asks}: {one.answer}"), Gap()]
            rows += [*said("safe", self._copied()), Gap()]
            rows += [*said("sees", _sees(waits)), Gap()]
            if waits.command:
                words = " ".join(waits.command)
                rows += [*said("or", f"r has it done: {words}"), Gap()]
            rows += [OptionRow(option) for option in waits.options]
        rows += [Hairline(), Words("the whole of it"), Gap()]
        rows += [_OutlineRow(number, line) for number, line in enumerate(self.outline, 1)]
        self.query_one("#step", Lines).set_rows(rows)
        self.explain(self._safe())
        self.refresh_bindings()

    def _copied(self) -> str:
        """What is safe, as the stages that are done say."""
        done = (line.says for line in self.outline if line.state == "done" and "each read back" in line.says)
        copies = next(done, "all that was displaced so far is in the strongbox")
        return f"{copies}; nothing is torn, and this can wait for days"

    def _head(self) -> str:
        update = self.desk.row.updates[0]
        here = next((n for n, line in enumerate(self.outline, 1) if line.state == "waiting"), 0)
        step = f" · step {here} of {len(self.outline)}" if here else ""
        said = versions(update.from_version, update.to_version)
        return f"{bearable(self.desk.install.name)} {said}{step}"

    def _safe(self) -> Text:
        look, text = self.look, Text()
        text.append("what is safe now\n\n", look.style("quiet"))
        text.append(
            "All that was displaced so far is in the strongbox, each copy read back. Nothing is "
            "torn: this can wait "
            "for days, and for a restart.\n\n",
            look.style("text"),
        )
        text.append(
            "While it waits no other update of this install begins, and none is settled.\n",
            look.style("quiet"),
        )
        return text

    # ------------------------------------------------------------ actions

    def check_action(self, action: str, parameters: tuple[object, ...]) -> bool | None:
        waits = self.waits
        if action == "enter":
            return waits is not None and bool(waits.options)
        if action == "said_done":
            return waits is not None and not waits.can_be_seen and not waits.options
        if action == "run_it":
            return waits is not None and bool(waits.command)
        if action == "leave_out":
            return waits is not None and waits.may_skip
        if action == "look_now":
            return waits is None or not waits.options
        return True

    def on_lines_chosen(self, message: Lines.Chosen) -> None:
        if isinstance(message.row, OptionRow) and self.waits is not None:
            self._go_on(answers={self.waits.step: message.row.option})

    def action_look_now(self) -> None:
        self._go_on()

    def action_said_done(self) -> None:
        if self.waits is not None:
            self._go_on(done=self.waits.step)

    def action_run_it(self) -> None:
        """The command of a step runs once the person allowed it; from then on it runs by itself."""
        from left_intact.tui.screens.dialogs import ConfirmDialog

        waits = self.waits
        if waits is None:
            return
        words = bearable(" ".join(waits.command))
        says = (
            f"This is run in the folder of {bearable(self.desk.install.name)}, now and in later updates when "
            f"its turn comes, without asking again: {words}"
        )
        self.app.push_screen(
            ConfirmDialog("have it done", says, "run it"),
            lambda yes: self._go_on(run=waits.step) if yes else None,
        )

    def action_leave_out(self) -> None:
        if self.waits is not None:
            self._go_on(skip=self.waits.step)

    def action_give_up(self) -> None:
        from left_intact.tui.screens.dialogs import ConfirmDialog

        says = (
            "What is in force stays, on trial: it can be proven, settled, or gone back. The stages "
            "that are left are not done."
        )
        self.app.push_screen(
            ConfirmDialog("give up", says, "give up"), lambda yes: self._give_up() if yes else None
        )

    def _give_up(self) -> None:
        app, install = self.left_intact, self.desk.install
        wanted = call("updates.give_up", install)
        app.work_on(Job("giving up", wanted, self._given_up, self._failed, changes_disk=True))

    def _given_up(self, update: Update) -> None:
        what = (
            "what is in force is on trial" if update.state is State.ON_TRIAL else "nothing of it is in force"
        )
        self.notify(f"given up: {what}", timeout=6)
        self._leave()

    # ------------------------------------------------------------ looking and going on

    def _look_in_time(self) -> None:
        if time.monotonic() >= self.next_look:
            self.look_by_itself()

    def look_by_itself(self) -> None:
        waits = self.waits
        if self.at_work or self.looking or waits is None or self.left_intact.jobs.running is not None:
            return
        app, install = self.left_intact, self.desk.install
        self.looking, self.looked_at = True, time.monotonic()
        app.work_on(Job("looking", call("updates.look", install), self._looked, self._quietly))

    def _looked(self, seen: tuple[bool, Update | None]) -> None:
        self.looking, now = False, time.monotonic()
        self.next_look = now + _REST * (now - self.looked_at)
        done, run = seen
        if self.at_work or not self.is_attached:
            return  # the person was quicker
        if run is None:
            self.notify("it was gone on with elsewhere", timeout=6)
            self._leave()
        elif run.waits != self.waits:
            self._waits_for(run)
        elif done:
            self._go_on()

    def _waits_for(self, run: Update) -> None:
        """Show what a run waits for now."""
        self.desk.row = self.desk.row.waiting_for(run)
        app, install = self.left_intact, self.desk.install
        app.work_on(Job("the outline", call("updates.outline", install), self._outlined, self._failed))

    def _quietly(self, error: LeftIntactError) -> None:
        self.looking = False

    def _go_on(
        self, *, done: str = "", skip: str = "", run: str = "", answers: dict[str, str] | None = None
    ) -> None:
        if self.at_work:
            return
        self.at_work = True
        app, install = self.left_intact, self.desk.install

        wanted = call("updates.go_on", install, done=done, skip=skip, run=run, answers=answers)
        app.work_on(Job("going on", wanted, self._went_on, self._did_not, changes_disk=True))

    def _did_not(self, error: LeftIntactError) -> None:
        self.at_work = False
        self.left_intact.complain(error)
        self.left_intact.refresh_shelf()

    def _went_on(self, outcome: Outcome) -> None:
        self.at_work = False
        if outcome.waits:
            before = self.waits
            self._waits_for(outcome.update)
            if self.waits == before:
                self.notify("not done yet, as far as can be seen", timeout=4)
            return
        verdict = outcome.proof.verdict.value
        self.notify(f"done: {verdict}; {count(len(self.outline), 'stage')}", timeout=6)
        if outcome.update.kind is RunKind.BACK:
            self._leave()
            return
        desk = self.desk
        others = tuple(one for one in desk.row.updates if one.id != outcome.update.id)
        desk.row = replace(desk.row, updates=(outcome.update, *others), arrivals=(), missing=False)
        desk.under_way, desk.outcome, desk.ticked, desk.drawn = False, outcome, frozenset(), False
        self.left_intact.refresh_shelf()
        self.post_message(GoToStop("proof", desk))

    def _leave(self) -> None:
        self.app.pop_screen()
        self.left_intact.refresh_shelf()
