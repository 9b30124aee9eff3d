"""Everything that a plan is drawn from, and what a route makes of it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from types import MappingProxyType
from typing import Protocol

from left_intact.core.files.tree import ReadText
from left_intact.core.keepsheet.sheet import NO_SHEET, Keepsheet
from left_intact.core.model.entry import Entry
from left_intact.core.model.errors import Fault
from left_intact.core.model.facts import IN_PLACE, Way
from left_intact.core.model.kept import Kept
from left_intact.core.model.ladder import Climb
from left_intact.core.model.place import At
from left_intact.core.model.plan import Merge, Question, Route, RouteChoice
from left_intact.core.model.release import Arrival, Release
from left_intact.core.model.stages import OnFailure, Stage
from left_intact.core.model.survey import Survey
from left_intact.core.planning.circumstances import Circumstances
from left_intact.core.planning.climbing import Updates
from left_intact.core.planning.later import LaterPlanner
from left_intact.core.planning.nature import BUILD, Nature
from left_intact.core.planning.parts import Part
from left_intact.core.planning.side import Side
from left_intact.core.survey.donor import Donor


@dataclass(frozen=True, slots=True, kw_only=True)
class PlanInputs:
    """Everything a plan is drawn from."""

    install: str
    survey: Survey
    arrival: Arrival
    baseline: Release | None = None
    sheet: Keepsheet = NO_SHEET
    answers: Mapping[str, str] = field(default_factory=lambda: MappingProxyType({}))
    circumstances: Circumstances = field(default_factory=Circumstances)
    read: ReadText = lambda path: None
    """Gives the bytes of a file of the install, for merging."""
    replace_at: float = 0.97
    retire_at: float = 0.99
    noted: tuple[Fault, ...] = ()
    """Warnings of what was read: they are shown with those of the plan."""
    donor: Donor | None = None
    """What is whose in what came, where it may be a tree of somebody's."""
    nature: Nature = BUILD
    """What came is to the install."""
    parts: tuple[Part, ...] = ()
    """What of what came goes by the name of a part of the install, or is the settings of such a one."""
    side: Side | None = None
    """The new folder, on the route that has one."""
    updates: Updates | None = None
    """What came to be laid in order; None where it is no such thing."""
    over: bool = False
    """Whether what comes is laid over what lies here without question: nothing is set aside for it."""
    pocket: str = ""
    """The folder inside the install that a pack was unpacked to, where it was."""
    offered: str = ""
    """The newest version that outlets offer, as far as is known."""
    route: Route | None = None
    """The one that the person asked for; None leaves the choice to what fits."""

    def is_on_record(self, path: str, entry: Entry | None) -> bool:
        """Whether the release on record ships just this at a path."""
        base = self.baseline.entries.get(path) if self.baseline else None
        return entry is not None and base is not None and base.same_content(entry)


@dataclass(frozen=True, slots=True, kw_only=True)
class Drawing:
    """A route's part of a plan; what is the same for all routes is added to it once."""

    stages: tuple[Stage, ...]
    kept: Kept
    merges: Mapping[At, Merge] = field(default_factory=lambda: MappingProxyType({}))
    questions: tuple[Question, ...] = ()
    blockers: tuple[Fault, ...] = ()
    warnings: tuple[Fault, ...] = ()
    baseline: Release | None = None
    """The release on record, where it was of use."""
    to_version: str | None = None
    """Where it is not the one of the arrival."""
    on_failure: OnFailure = OnFailure.UNDO
    circumstances: Circumstances | None = None
    """What the machine says of the folders of the plan, where those are others than the install's."""
    survey: Survey | None = None
    """What lies in all folders of the plan, where that is more than the install."""
    way: Way = IN_PLACE
    """How the route does it, with what only it knows."""
    hold_at: str = ""
    """The version that is to be held from then on; empty for none."""
    arrival: Arrival | None = None
    """What is laid of what came, where that is less."""
    arrivals: tuple[Arrival, ...] = ()
    """All of them, where several came."""
    source: str = ""
    """What those came in."""
    climb: Climb | None = None
    """On the route for it: the way up."""


class RoutePlanner(Protocol):
    """One way of doing an update."""

    @property
    def name(self) -> Route: ...

    @property
    def later(self) -> Mapping[str, LaterPlanner]:
        """Planners of the stages that can be drawn only when their turn comes, by name."""
        ...

    def fits(self, inputs: PlanInputs) -> RouteChoice:
        """Whether it can be taken, and why or why not."""
        ...

    def blockers(self, inputs: PlanInputs, known: Release | None) -> tuple[Fault, ...]:
        """What speaks against this arrival on this route, beside what stops every route.

        `known` is the release on record, where it was of use.
        """
        ...

    def draw(self, inputs: PlanInputs) -> Drawing:
        """The stages, and what stays. Questions without an answer leave their moves at `ask`."""
        ...
