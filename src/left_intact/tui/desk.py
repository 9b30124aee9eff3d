"""What is on the table for one install: everything read and answered so far, and how the stops stand."""

from __future__ import annotations

from dataclasses import dataclass, field

from left_intact.core.model.classes import FileClass
from left_intact.core.model.install import Install
from left_intact.core.model.place import old_root_in
from left_intact.core.model.proof import CheckState
from left_intact.core.model.survey import Survey
from left_intact.core.model.update import State
from left_intact.presentation.views import ArrivalView, PlanView, SurveyView
from left_intact.tui.widgets.bars import STOPS, Stop, StopState
from left_intact.words import count
from left_intact.workbench import Outcome, ShelfRow


@dataclass(slots=True)
class Desk:
    """The state of one install's update, filled in as the work goes on."""

    row: ShelfRow
    read: SurveyView | None = None
    arrival: ArrivalView | None = None
    plan: PlanView | None = None
    drawn: bool = False
    """Whether the plan can be carried out: it is drawn, and was not carried out yet."""
    route: str = ""
    """The one that the person chose; empty for the recommended one."""
    into: str = ""
    """The new folder that they named, on the route that has one."""
    answers: dict[str, str] = field(default_factory=dict)
    outcome: Outcome | None = None
    ticked: frozenset[str] = frozenset()
    trouble: str = ""
    """Why the arrival or the plan could not be had."""
    under_way: bool = False
    seconds: float = 0.0
    """How long the last carrying out took."""

    @property
    def install(self) -> Install:
        return self.row.install

    @property
    def survey(self) -> Survey | None:
        return self.read.survey if self.read is not None else None

    @property
    def waits(self) -> bool:
        """Whether an update of it waits for the person."""
        return self.row.state is State.WAITING

    @property
    def on_trial(self) -> bool:
        return self.outcome is not None and self.outcome.update.state is State.ON_TRIAL

    @property
    def old_folder(self) -> str:
        """The folder that the update on trial left behind; empty where it left none."""
        roots = self.outcome.update.roots if self.outcome is not None and self.on_trial else ()
        return old_root_in(roots)

    def clear_update(self) -> None:
        """Forget all that a changed disk has made old."""
        self.read = self.arrival = self.plan = self.outcome = None
        self.answers, self.trouble, self.seconds, self.drawn = {}, "", 0.0, False
        self.route = self.into = ""

    def stops(self, here: str) -> tuple[Stop, ...]:
        """The stage line as seen from one stop."""
        said = {
            "survey": self._survey(),
            "arrival": self._arrival(),
            "plan": self._plan(),
            "under way": self._under_way(),
            "proof": self._proof(),
            "settle": self._settle(),
        }
        stops = []
        for name in STOPS:
            says, done, urgent = said[name]
            standing = StopState.HERE if name == here else StopState.DONE if done else StopState.OPEN
            stops.append(Stop(name=name, standing=standing, says=says, urgent=urgent))
        return tuple(stops)

    def _survey(self) -> tuple[str, bool, bool]:
        if self.survey is None and self.waits:
            return "", True, False
        if self.survey is None:
            return "reading…", False, False
        unsorted = self.survey.totals()[FileClass.UNSORTED].files
        if unsorted:
            return f"{unsorted} unsorted", True, False
        return count(sum(t.files for t in self.survey.totals().values()), "file"), True, False

    def _arrival(self) -> tuple[str, bool, bool]:
        if self.waits and self.arrival is None:
            return self.row.updates[0].to_version or "a build", True, False
        if self.arrival is not None:
            return f"{self.arrival.version_text or 'a build'}, looked at", True, False
        if self.outcome is not None and self.on_trial:
            return self.outcome.update.to_version or "a build", True, False
        if self.trouble:
            return "refused", False, True
        if self.row.waiting:
            return f"{self.row.waiting[1] or 'a build'} waits", False, False
        return "nothing waits", False, False

    def _plan(self) -> tuple[str, bool, bool]:
        if self.waits:
            return "agreed", True, False
        if self.on_trial and not self.drawn:
            return "carried out", True, False
        if self.plan is None:
            return "", False, False
        if self.plan.blockers:
            return f"{count(len(self.plan.blockers), 'blocker')}", False, True
        if self.plan.open_questions:
            return count(len(self.plan.open_questions), "question"), False, True
        if not self.plan.changes:
            return "nothing to do", True, False
        return "answered" if self.plan.questions else "ready", True, False

    def _under_way(self) -> tuple[str, bool, bool]:
        if self.under_way:
            return "at work", False, True
        if self.waits:
            return "waits for you", False, True
        if self.on_trial:
            return f"{self.seconds:.1f} s" if self.seconds else "done", True, False
        return "", False, False

    def _proof(self) -> tuple[str, bool, bool]:
        if self.outcome is None or not self.on_trial:
            return "", False, False
        left = self.left_to_tick()
        verdict = self.outcome.proof.verdict.value
        return (f"{verdict}, {left} to tick" if left else verdict), True, verdict != "intact"

    def left_to_tick(self) -> int:
        """Checks for eyes that nobody ticked yet."""
        if self.outcome is None:
            return 0
        yours = [c.says for c in self.outcome.proof.checks if c.state is CheckState.YOURS]
        return sum(1 for says in yours if says not in self.ticked)

    def _settle(self) -> tuple[str, bool, bool]:
        return ("on trial" if self.on_trial else "", False, False)
