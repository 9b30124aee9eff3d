"""Under way: how far it is, how fast, and what is safe now. It can be stopped at any step."""

from __future__ import annotations

import time
from dataclasses import replace
from typing import ClassVar

from rich.text import Text
from textual.app import ComposeResult
from textual.binding import Binding, BindingType
from textual.widgets import Static

from left_intact.core.model.errors import LeftIntactError
from left_intact.core.model.progress import Progress
from left_intact.tui.desk import Desk
from left_intact.tui.jobs import Job
from left_intact.tui.protocol import GoToStop
from left_intact.tui.screens.stage import StageScreen
from left_intact.tui.writing import bearable
from left_intact.words import size, versions
from left_intact.workbench import Outcome
from left_intact.worker.call import call

_STAGES = (
    ("safe", "copies of all that will be displaced", "into the strongbox, each read back"),
    ("unpacking", "the arriving files made ready", "in the strongbox, each checked by digest"),
    ("laying", "laid, one rename at a time", "each place looked at again just before"),
    ("reading", "proof read back from the disk", "every file, byte by byte"),
)
_SAFE = {
    "": "Nothing has been changed yet.",
    "safe": "Nothing has been changed yet. Stopping costs nothing.",
    "unpacking": "Nothing has been changed yet. Stopping costs nothing.",
    "laying": (
        "Every old file is safe in the strongbox. Stopping puts all of them back; so does going "
        "back after a crash."
    ),
    "going back": "Putting everything back as it was.",
    "reading": "All is laid. Every old file is safe in the strongbox.",
}


class UnderWayScreen(StageScreen):
    """The update at work; it goes on to the proof by itself."""

    STOP = "under way"
    HELP = (
        "The update at work. s stops it at the next step and puts everything back; nothing is ever half done."
    )
    BINDINGS: ClassVar[list[BindingType]] = [Binding("s", "halt", "stop, and put everything back")]

    def __init__(self, desk: Desk, allowed: frozenset[str] = frozenset()) -> None:
        super().__init__(desk)
        self.allowed = allowed
        self.progress = Progress(stage="")
        self.reached: dict[str, Progress] = {}
        self.began = time.monotonic()
        self.job: Job | None = None

    def compose_left(self) -> ComposeResult:
        yield Static(id="head")
        yield Static(id="foot")

    def on_mount(self) -> None:
        self.show_all()
        wanted = call("desk.carry_out", self.desk.install, dict(self.desk.answers), self.allowed)
        job = Job("under way", wanted, self._done, self._not_done, changes_disk=True)
        self.job = self.left_intact.work_on(job)

    def fill_desk(self) -> None:
        """Nothing is read beside an update."""

    def check_action(self, action: str, parameters: tuple[object, ...]) -> bool | None:
        if action == "enter":
            return False
        if action == "shelf":
            return not self.desk.under_way
        if action == "halt":
            return self.desk.under_way and self.progress.stage != "reading"
        return True

    def job_progress(self, job: Job, progress: Progress) -> None:
        if job is not self.job:
            return
        moved_on = progress.stage != self.progress.stage
        self.progress = progress
        self.reached[progress.stage] = progress
        self.show_body()
        if moved_on:
            self.refresh_bindings()
            self.show_all()

    def show_body(self) -> None:
        if not self.is_attached:
            return
        look, now = self.look, self.progress
        text = Text()
        plan = self.desk.plan
        if plan is not None:
            text.append(
                f"{plan.install} {versions(plan.from_version, plan.to_version)}\n\n\n",
                look.style("text", bold=True),
            )
        counts = {
            stage: f" {seen.done:,}" + (f" of {seen.total:,}" if seen.total else "")
            for stage, seen in self.reached.items()
        }
        room = max((len(said) for said in counts.values()), default=0)
        width = max(8, self.query_one("#left").size.width - 48 - room)  # the counts are never cut
        order = [stage for stage, _, _ in _STAGES]
        for stage, says, how in _STAGES:
            seen = self.reached.get(stage)
            passed = seen is not None and now.stage in order and order.index(now.stage) > order.index(stage)
            at = stage == now.stage
            mark, colour = ("●", "good") if passed else ("◉", "focus") if at else ("○", "quiet")
            text.append(f"{mark} ", look.style(colour)).append(
                f"{says:40}", look.style("text" if seen else "quiet", bold=at)
            )
            if seen is not None:
                share = 1.0 if passed else seen.done / seen.total if seen.total else 0.0
                cells = round(width * share)
                text.append("━" * cells, look.style("good" if passed else "focus"))
                text.append("╌" * (width - cells), look.style("hairline"))
                text.append(counts[stage], look.style("text"))
            text.append(f"\n  {how}\n\n", look.style("quiet"))
        self.query_one("#head", Static).update(text)
        self.query_one("#foot", Static).update(self._pace())
        panel = Text("what is safe now\n\n", look.style("quiet"))
        panel.append(_SAFE.get(now.stage, _SAFE["laying"]), look.style("text"))
        self.explain(panel)

    def _pace(self) -> Text:
        spent = time.monotonic() - self.began
        now = self.progress
        text = Text()
        speed = f", {size(int(now.bytes_done / spent))} a second" if spent > 0.5 and now.bytes_done else ""
        left = ""
        if now.total and now.done and now.stage == "laying":
            left = f", about {spent * (now.total - now.done) / max(1, now.done):.0f} s of laying left"
        text.append(f"{spent:.1f} s so far{speed}{left}\n", self.look.style("quiet"))
        return text.append(bearable(now.path), self.look.style("quiet"))

    def action_halt(self) -> None:
        if self.job is not None:
            self.left_intact.jobs.cancel(self.job)
            self.notify("stopping at the next step", timeout=3)

    def _done(self, outcome: Outcome) -> None:
        desk = self.desk
        desk.under_way = False
        desk.seconds = time.monotonic() - self.began
        desk.outcome, desk.ticked = outcome, frozenset()
        desk.drawn = False
        self.left_intact.refresh_shelf()
        if outcome.waits:
            desk.outcome, desk.row = None, replace(desk.row, updates=(outcome.update, *desk.row.updates))
            self.post_message(GoToStop("under way", desk))
            return
        self.post_message(GoToStop("proof", desk))

    def _not_done(self, error: LeftIntactError) -> None:
        desk = self.desk
        desk.under_way = False
        desk.read, desk.plan, desk.drawn = None, None, False
        self.left_intact.complain(error)
        self.post_message(GoToStop("plan" if desk.arrival else "survey", desk))
        current = self.left_intact.desk_screen()
        if current is not None and desk.arrival is not None:
            current.receive(desk.arrival.source)
