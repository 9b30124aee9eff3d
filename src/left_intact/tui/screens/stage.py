"""What the screens of the stage line have in common, and the reading that fills the desk."""

from __future__ import annotations

from typing import ClassVar

from rich.console import RenderableType
from textual.app import ComposeResult
from textual.binding import Binding, BindingType

from left_intact.core.model.errors import LeftIntactError
from left_intact.core.model.update import State
from left_intact.presentation.views import ArrivalView, PlanView, SurveyView
from left_intact.tui.desk import Desk
from left_intact.tui.jobs import Job, was_stopped
from left_intact.tui.look import Look
from left_intact.tui.protocol import GoToStop
from left_intact.tui.screens.framed import FramedScreen
from left_intact.tui.widgets.bars import STOPS, StageLine, TitleBar
from left_intact.tui.widgets.lines import Lines
from left_intact.tui.widgets.why import Why
from left_intact.workbench import Outcome
from left_intact.worker.call import call


class StageScreen(FramedScreen):
    """A screen with title, stage line, body, why panel and keys."""

    STOP: ClassVar[str] = ""
    HELP: ClassVar[str] = ""
    BINDINGS: ClassVar[list[BindingType]] = [
        *(Binding(str(n), f"stop({n})", STOPS[n - 1], show=False) for n in range(1, 7)),
        Binding("enter", "enter", "open"),
        Binding("w", "why", "why"),
        Binding("escape", "shelf", "shelf"),
    ]

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk

    @property
    def look(self) -> Look:
        return self.left_intact.look

    def compose_top(self) -> ComposeResult:
        yield StageLine()

    def compose_left(self) -> ComposeResult:
        raise NotImplementedError

    def on_mount(self) -> None:
        self.fill_desk()
        self.show_all()

    # ------------------------------------------------------------ drawing

    def show_all(self) -> None:
        """Draw everything from the desk; a screen that is gone or not composed yet has nothing to draw on."""
        if not self.is_attached or not self.query(TitleBar):
            return
        install = self.desk.install
        trail = (self.left_intact.place, install.name, self.STOP)
        self.query_one(TitleBar).say(trail, self.aside())
        self.query_one(StageLine).show(self.desk.stops(self.STOP))
        self.show_body()
        self.refresh_bindings()  # and with them the line of keys, which may take a second line

    def aside(self) -> str:
        return ""

    def show_body(self) -> None:
        raise NotImplementedError

    def explain(self, text: RenderableType) -> None:
        self.query_one(Why).explain(text)

    def show_why_again(self) -> None:
        """Called when the look changed."""
        self.show_all()

    # ------------------------------------------------------------ work that fills the desk

    def fill_desk(self) -> None:
        """Read whatever the desk lacks: survey, arrival, plan; or the proof of an update on trial."""
        desk, app, install = self.desk, self.left_intact, self.desk.install
        if desk.under_way:
            return
        if desk.row.state is State.ON_TRIAL and desk.outcome is None:
            app.work_on(Job("proving", call("updates.prove", install), self._proved, self._failed))
        if desk.read is None:
            app.work_on(Job("reading", call("desk.read", install), self._surveyed, self._failed))
        if desk.row.waiting and desk.arrival is None and desk.row.state is not State.WAITING:
            self.receive(desk.row.waiting[0])

    def receive(self, path: str) -> None:
        """Look into an arrival and draw the plan for it."""
        desk = self.desk
        desk.arrival = desk.plan = None
        desk.answers, desk.trouble, desk.drawn, desk.route, desk.into = {}, "", False, "", ""

        def arrived(arrival: ArrivalView) -> None:
            desk.arrival = arrival
            self._redraw()
            self.plan_again()

        job = Job("looking in", call("desk.look_into", desk.install, path), arrived, self._no_plan)
        self.left_intact.work_on(job)

    def plan_again(self) -> None:
        """Draw the plan for what came."""
        desk = self.desk
        wanted = call(
            "desk.draw_up", desk.install, dict(desk.answers), route=desk.route or None, into=desk.into or None
        )
        self.left_intact.work_on(Job("planning", wanted, self._drafted, self._no_plan))

    def draw_plan(self) -> None:
        """Draw the plan again for the answers on the desk; one that was carried out stays as it is."""
        if not self.desk.drawn:
            return

        def drawn(plan: PlanView) -> None:
            self.desk.plan = plan
            self._redraw()

        wanted = call("desk.draw_again", self.desk.install, dict(self.desk.answers))
        self.left_intact.work_on(Job("drawing", wanted, drawn, self._no_plan))

    def _current(self) -> StageScreen:
        """The screen that shows this desk now; the one that began the work may be gone."""
        current = self.left_intact.desk_screen()
        return current if current is not None and current.desk is self.desk else self

    def _surveyed(self, read: SurveyView) -> None:
        self.desk.read = read
        self._redraw()

    def _drafted(self, both: tuple[SurveyView, PlanView]) -> None:
        self.desk.read, self.desk.plan = both
        self.desk.drawn = True
        self._redraw()

    def _proved(self, outcome: Outcome) -> None:
        self.desk.outcome = outcome
        self._redraw()

        def ticked(said: frozenset[str]) -> None:
            self.desk.ticked = said
            self._redraw()

        wanted = call("updates.ticked", self.desk.install, outcome.update)
        self.left_intact.work_on(Job("the ticks", wanted, ticked, self._failed, beside=True))

    def _no_plan(self, error: LeftIntactError) -> None:
        if not was_stopped(error):
            self.desk.trouble = error.line()
        self._failed(error)
        self._redraw()

    def _failed(self, error: LeftIntactError) -> None:
        if self._current().is_attached:
            self.left_intact.complain(error)

    def _redraw(self) -> None:
        current = self._current()
        if current.is_attached:
            current.show_all()

    # ------------------------------------------------------------ actions

    def on_stage_line_wanted(self, message: StageLine.Wanted) -> None:
        self.action_stop(message.number)

    def action_stop(self, number: int) -> None:
        stop = STOPS[number - 1]
        if stop == self.STOP:
            return
        reason = why_not(stop, self.desk)
        if reason:
            self.notify(reason, timeout=4)
        elif stop == "settle":
            self.to_settling()
        else:
            self.post_message(GoToStop(stop, self.desk))

    def to_settling(self) -> None:
        """Settling is asked on the proof."""
        self.post_message(GoToStop("proof", self.desk))

    def action_enter(self) -> None:
        """Enter on the highlighted row."""
        if isinstance(self.focused, Lines):
            self.focused.action_choose()

    def action_shelf(self) -> None:
        if self.has_class("-why"):
            self.remove_class("-why")
            return
        self.left_intact.jobs.stop()
        self.app.pop_screen()
        self.left_intact.refresh_shelf()


def why_not(stop: str, desk: Desk) -> str:
    """Why a stop cannot be gone to yet; empty where it can."""
    if desk.under_way and stop != "under way":
        return "the update is under way; s stops it"
    if desk.row.state is State.WAITING and stop != "survey":
        return (
            ""
            if stop == "under way"
            else "an update waits for you (4): nothing else can begin before it is at its end"
        )
    if stop == "plan" and desk.plan is None:
        return "there is no plan yet: choose an arrival first (2)"
    if stop == "under way" and not desk.under_way:
        return "nothing is under way: carry the plan out (3)"
    if stop in ("proof", "settle") and not desk.on_trial:
        return "no update is on trial yet"
    return ""
