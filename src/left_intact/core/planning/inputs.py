"""Everything that a plan is drawn from, and what a route makes of it."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Mapping
from dataclasses import dataclass, field
from types import MappingProxyType

from left_intact.core.files.tree import ReadText
from left_intact.core.keepsheet.sheet import NO_SHEET, Keepsheet
from left_intact.core.model.effects import ShelfEffect
from left_intact.core.model.entry import Entry
from left_intact.core.model.errors import Fault
from left_intact.core.model.facts import IN_PLACE, Way
from left_intact.core.model.ladder import Climb
from left_intact.core.model.place import At
from left_intact.core.model.plan import Merge, Question, Route, RouteChoice
from left_intact.core.model.release import Arrival, Release
from left_intact.core.model.stages import OnFailure, Stage
from left_intact.core.model.survey import Survey
from left_intact.core.model.telling import USUAL, Telling
from left_intact.core.model.unchanged import Unchanged
from left_intact.core.planning.circumstances import Circumstances
from left_intact.core.planning.climbing import Updates
from left_intact.core.planning.counterparts import Part
from left_intact.core.planning.deferred import DeferredPlanner
from left_intact.core.planning.merging import NO_WISHES, Wishes, merge
from left_intact.core.planning.nature import BUILD, Nature
from left_intact.core.planning.new_root.lying import NewRoot
from left_intact.core.settings.document import Key
from left_intact.core.survey.donor import Donor


@dataclass(frozen=True, slots=True, kw_only=True)
class PlanInputs:
    """Everything a plan is drawn from."""

    install: str
    survey: Survey
    arrival: Arrival
    baseline: Release | None = None
    ground: Release | None = None
    """What lies here by record, the person's layers too: for what is laid over it."""
    sheet: Keepsheet = NO_SHEET
    wishes: Wishes = field(default_factory=lambda: NO_WISHES)
    """What settings are to say whatever comes."""
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
    new_root: NewRoot | None = None
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

    def merge(
        self,
        at: At,
        lies: Entry,
        *,
        base: bytes | None,
        arriving: bytes | None,
        mine: bytes | None = None,
        answers: Mapping[Key, str] | None = None,
    ) -> Merge:
        """A settings file of the install with what comes; `mine` is what lies there, where that is known."""
        return merge(
            at,
            lies,
            mine=self.read(at.path) if mine is None else mine,
            base=base,
            arriving=arriving,
            sheet=self.sheet,
            wishes=self.wishes,
            answers=answers,
        )

    def is_on_record(self, path: str, entry: Entry | None) -> bool:
        """Whether the release on record ships just this at a path."""
        base = self.baseline.entries.get(path) if self.baseline else None
        return entry is not None and base is not None and base.same_content(entry)


@dataclass(frozen=True, slots=True, kw_only=True)
class Drawing:
    """A route's part of a plan; what is the same for all routes is added to it once."""

    stages: tuple[Stage, ...]
    kept: Unchanged
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
    comes: Mapping[str, str] = field(default_factory=lambda: MappingProxyType({}))
    """By path: the digest of what is laid over a release, and has to be laid whole too."""
    let_go: tuple[At, ...] = ()
    """Places of the person's of which the route lets go by itself, beside what answers let go of."""
    effects: tuple[ShelfEffect, ...] = ()
    """What the shelf says of the install once this has ended."""
    arrival: Arrival | None = None
    """What is laid of what came, where that is less."""
    arrivals: tuple[Arrival, ...] = ()
    """All of them, where several came."""
    source: str = ""
    """What those came in."""
    climb: Climb | None = None
    """On the route for it: the way up."""


class RoutePlanner(ABC):
    """One way of doing an update, with all that is its own. Where a route is as most are, it says nothing."""

    name: Route
    later: Mapping[str, DeferredPlanner] = MappingProxyType({})
    """Planners of the stages that can be drawn only when their turn comes, by name."""
    telling: Telling = USUAL
    """Its lanes and words."""

    command = ""
    """The command that takes it, where `update` does not."""
    lays_a_build = False
    """It lays a whole build, and leaves saves under the names they have."""
    keeps_ids = False
    """It leaves saves under the ids they have, so that another build may not find them."""
    may_leave_program = False
    """The program itself may stay as it is: then nothing is due that goes with each update of it."""
    is_drawn_again = True
    """What a step by hand left is seen by drawing the whole plan anew."""
    takes_a_folder = False
    """Somebody may name the folder that the new build gets."""
    reads_updates = False
    """What came is looked through for updates that say what they come after."""
    reads_donor = False
    """What came is told apart by whose it is, even where nothing says that it is somebody's."""

    @abstractmethod
    def fits(self, inputs: PlanInputs) -> RouteChoice:
        """Whether it can be taken, and why or why not. It alone says so."""

    def blockers(self, inputs: PlanInputs, known: Release | None) -> tuple[Fault, ...]:
        """What speaks against this arrival on this route, beside what stops every route.

        `known` is the release on record, where it was of use.
        """
        return ()

    @abstractmethod
    def draw(self, inputs: PlanInputs) -> Drawing:
        """The stages, and what stays. Questions without an answer leave their moves at `ask`."""

    def waits_to_be_asked(self, inputs: PlanInputs) -> bool:
        """Whether it is not taken, though it fits, unless somebody asks for it."""
        return bool(self.command)

    def wants_new_root(self, survey: Survey, coming: str, *, asked: bool) -> bool:
        """Whether the new build, whose version is `coming` where that is known, gets a folder of its own;
        `asked` says whether somebody asked for the route.
        """
        return False
