"""What the services answer beside the values of the core."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from enum import StrEnum
from types import MappingProxyType
from typing import TYPE_CHECKING, Any

from left_intact.core.model.classes import FileClass
from left_intact.core.model.errors import Misuse
from left_intact.core.model.release import Reading
from left_intact.core.model.update import UNFINISHED, State, Update, WaitsFor

if TYPE_CHECKING:
    from left_intact.core.model.install import Install
    from left_intact.core.model.outlet import Hold, NoteLine, Outlet, Ranked
    from left_intact.core.model.plan import Plan
    from left_intact.core.model.proof import Proof
    from left_intact.core.model.waits import Waits
    from left_intact.core.planning.inputs import PlanInputs


_AS_READ = 110
"""The weight of a version that the person reads in the program: more than any other place has."""


class Standing(StrEnum):
    """How an install stands, as every view and the command line say it; the first that fits."""

    MISSING = "not there"
    TROUBLED = "cannot be opened"
    CUT_OFF = "cut off"
    WAITS_FOR_YOU = "waits for you"
    UNREAD = "unreadable"
    HELD = "held"
    READY = "ready"
    ON_TRIAL = "on trial"
    NEWER_OUT = "newer out"
    SETTLED = "up to date"
    IDLE = "nothing waits"


@dataclass(frozen=True, slots=True, kw_only=True)
class VersionRead:
    """The version that the person reads in the program itself."""

    text: str
    when: float
    """Seconds since 1970."""
    files_say: str
    """What the files said then: where they say something else, another build lies here."""

    @property
    def reading(self) -> Reading:
        """It outweighs whatever is read in files."""
        return Reading(text=self.text, source="as you read it", weight=_AS_READ)


@dataclass(frozen=True, slots=True, kw_only=True)
class ShelfRow:
    """What the shelf knows about an install without reading it."""

    install: Install
    summary: Mapping[str, Any]
    """What the last survey found; empty before the first."""
    arrivals: tuple[Waits, ...] = ()
    """All that wait, what is offered first before the rest."""
    updates: tuple[Update, ...] = ()
    """Newest first."""
    missing: bool = False
    held: tuple[str, str, str] | None = None
    """(version, reason, until) of a hold."""
    newest: str = ""
    """The newest version that outlets offered when they were last looked at, if it is worth telling."""
    trouble: str = ""
    """Why its strongbox or journal cannot be opened; empty where they can."""

    def waiting_for(self, run: Update) -> ShelfRow:
        """The row after a run went on, as far as to its next step by hand."""
        about = run.undoes[0] if run.undoes else run.id
        updates = [
            replace(u, state=State.WAITING, waits=run.waits) if u.id == about else u for u in self.updates
        ]
        return replace(self, updates=tuple(updates))

    @property
    def waiting(self) -> tuple[str, str] | None:
        """(path, version) of the arrival that waits and is offered first."""
        return (self.arrivals[0].path, self.arrivals[0].version) if self.arrivals else None

    @property
    def standing(self) -> Standing:
        """The first of all standings that fits."""
        fits = (
            (self.state is State.WAITING, Standing.WAITS_FOR_YOU),  # a step by hand may have removed it
            (self.missing, Standing.MISSING),
            (bool(self.trouble), Standing.TROUBLED),
            (self.state in UNFINISHED, Standing.CUT_OFF),
            (bool(self.summary.get("unread")), Standing.UNREAD),
            (self.held is not None, Standing.HELD),
            (self.waiting is not None, Standing.READY),
            (self.state is State.ON_TRIAL, Standing.ON_TRIAL),
            (bool(self.newest), Standing.NEWER_OUT),
            (self.state is State.SETTLED, Standing.SETTLED),
        )
        return next((standing for it_does, standing in fits if it_does), Standing.IDLE)

    @property
    def waits(self) -> WaitsFor | None:
        """What an update of it waits for."""
        return next((u.waits for u in self.updates if u.state is State.WAITING and u.waits), None)

    @property
    def state(self) -> State | None:
        """The state of the newest update that is in force, was cut off or waits."""
        known = [u.state for u in self.updates if u.state is not State.ABANDONED]
        return known[0] if known else None


@dataclass(frozen=True, slots=True, kw_only=True)
class Draft:
    """All that a plan is drawn from but the answers, so that an answer redraws it at once."""

    install: Install
    inputs: PlanInputs

    def plan(self, answers: Mapping[str, str] | None = None) -> Plan:
        """The plan for some answers. Raises `Misuse` for an answer to no question."""
        from left_intact.core.planning.draw import draw_up

        plan = draw_up(replace(self.inputs, answers=MappingProxyType(dict(answers or {}))))
        _refuse_idle_answers(plan, answers or {})
        return plan


@dataclass(frozen=True, slots=True, kw_only=True)
class Outcome:
    """An update that was carried out, and the proof of it; or one that waits for the person, without a
    proof.
    """

    update: Update
    proven: Proof | None

    @property
    def proof(self) -> Proof:
        """The proof of an update that came to its end; one that waits has none."""
        assert self.proven is not None
        return self.proven

    @property
    def waits(self) -> bool:
        return self.proven is None


@dataclass(frozen=True, slots=True, kw_only=True)
class HistoryLine:
    """One update or going back, as history tells it."""

    id: int
    kind: str
    """`update` or `back`."""
    began: float
    from_version: str
    to_version: str
    state: str
    verdict: str
    """Of its last proof; empty where it was never proven."""
    set_aside: int
    """Files that it displaced, as far as the journal still tells."""
    kept_files: int
    kept_bytes: int
    """Of those: what the strongbox still holds."""


@dataclass(frozen=True, slots=True, kw_only=True)
class OutlineLine:
    """One stage of an update that is under way or waits, in words."""

    state: str
    says: str


@dataclass(frozen=True, slots=True, kw_only=True)
class WentBack:
    """What going back did."""

    update: Update
    """The update that was taken back."""
    restored: int
    """Paths that were brought to their state before."""
    kept: tuple[tuple[str, str], ...]
    """(path, where it is kept now) of what was changed while on trial."""
    missing: tuple[str, ...] = ()
    """What has no sound copy any more, or could not be put back."""
    proof: Proof | None = None
    run: Update | None = None
    """The going back itself, which the proof is of."""
    waits: Update | None = None
    """The going back itself, where it waits for a step by hand."""


@dataclass(frozen=True, slots=True, kw_only=True)
class News:
    """What is new for one install, from what was last known of its outlets."""

    install: Install
    installed: str
    ranked: tuple[Ranked, ...]
    """All offers, newest first."""
    lines: tuple[NoteLine, ...]
    """The notes of all versions between the installed and the newest, those that touch the person first."""
    outlets: tuple[Outlet, ...]
    hold: Hold | None

    @property
    def best(self) -> Ranked | None:
        """The newest offer that is worth telling."""
        return next((r for r in self.ranked if r.waits), None)

    @property
    def touching(self) -> int:
        return sum(1 for line in self.lines if line.why)


@dataclass(frozen=True, slots=True, kw_only=True)
class Preview:
    """What a ruling would do."""

    pattern: str
    file_class: FileClass
    meets: int
    changes: int
    """How many of them have another class now."""
    examples: tuple[str, ...]
    by_class: tuple[tuple[FileClass, int], ...] = ()
    """What they are now, the most first."""


def _refuse_idle_answers(plan: Plan, answers: Mapping[str, str]) -> None:
    questions = {q.id: q for q in plan.questions}
    for name, answer in answers.items():
        question = questions.get(name)
        if question is None:
            known = ", ".join(questions) or "none"
            raise Misuse(
                "unknown-question", f"no question is called {name}", way_out=f"Open questions: {known}."
            )
        if answer not in question.options:
            options = ", ".join(question.options)
            raise Misuse(
                "unknown-answer", f"{answer!r} answers nothing in {name}", way_out=f"Options: {options}."
            )
