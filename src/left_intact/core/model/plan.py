"""The plan: what would happen to every path, and why. Preview, dry run and engine read the same."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from enum import StrEnum
from functools import cached_property
from types import MappingProxyType

from left_intact.core.model.effects import ShelfEffect
from left_intact.core.model.entry import Kind
from left_intact.core.model.errors import Fault
from left_intact.core.model.facts import NOTHING_KNOWN, Cleared, PartChange, RunFacts
from left_intact.core.model.ladder import Climb
from left_intact.core.model.place import At, Root
from left_intact.core.model.release import Arrival, Release
from left_intact.core.model.stages import ChangeSet, KeyLine, Move, OnFailure, Stage, Verb
from left_intact.core.model.survey import Survey, Total
from left_intact.core.model.telling import USUAL, Telling
from left_intact.core.model.unchanged import Unchanged

__all__ = [
    "ChangeSet",
    "KeyLine",
    "Merge",
    "Move",
    "PartChange",
    "Plan",
    "Question",
    "Room",
    "Route",
    "RouteChoice",
    "Space",
    "Verb",
]


class Route(StrEnum):
    """How an update is done."""

    IN_PLACE = "in-place"
    SIDE_BY_SIDE = "side-by-side"
    CLEAR_AND_RESTORE = "clear-and-restore"
    SINGLE_PART = "single-part"
    LADDER = "ladder"
    GRAFT = "graft"
    CONTENT_PACK = "content-pack"
    """No release: a share of changed content, chosen by the person."""


@dataclass(frozen=True, slots=True, kw_only=True)
class RouteChoice:
    """Whether a route fits this install and arrival, and why."""

    name: Route
    fits: bool
    because: str
    weight: float = 0.5
    """How much speaks for it, among those that fit."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Merge:
    """A settings file merged key by key."""

    lines: tuple[KeyLine, ...]
    content: bytes
    """What the file will say, with the person's comments, order and layout."""
    trouble: str = ""
    """Why it could not be merged; the person's file then stays as it is."""

    @property
    def has_conflict(self) -> bool:
        """Whether there is a key that both sides changed."""
        return any(line.decided == "conflict" for line in self.lines)

    def is_of_use(self, mine: bytes) -> bool:
        """Whether it makes of the person's file anything but what that is, without a doubt left."""
        return not self.trouble and not self.has_conflict and self.content != mine


@dataclass(frozen=True, slots=True, kw_only=True)
class Question:
    """One true conflict. Its default is what happens when nobody answers."""

    id: str
    asks: str
    options: tuple[str, ...]
    leads_to: tuple[str, ...]
    """What each option leads to, in the order of `options`."""
    default: str
    answer: str | None = None
    paths: tuple[At, ...] = ()
    """What it is about."""
    note: str = ""
    is_choice: bool = False
    """Whether it is no question but something that may be chosen otherwise: nobody is asked."""
    lets_go: tuple[str, ...] = ()
    """Options by which the person lets go of what lies at `paths`."""

    @property
    def is_open(self) -> bool:
        """Whether it waits for an answer."""
        return self.answer is None and not self.is_choice

    @property
    def choice(self) -> str:
        return self.answer if self.answer is not None else self.default

    @property
    def is_let_go(self) -> bool:
        """Whether, as it stands, what it asks about need not be there afterwards."""
        return self.choice in self.lets_go


@dataclass(frozen=True, slots=True, kw_only=True)
class DrawnStage:
    """A stage that could be drawn only when its turn came."""

    change_set: ChangeSet
    questions: tuple[Question, ...] = ()
    blockers: tuple[Fault, ...] = ()
    notes: tuple[str, ...] = ()
    """What is worth knowing of it afterwards."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Room:
    """What one file system must hold on the way, in bytes."""

    place: str
    needed: int
    free: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Space:
    """Room for all of it: the sum of what is needed, and what is free where it is tightest."""

    needed: int
    free: int
    rooms: tuple[Room, ...] = ()
    """One a file system, where there are several."""

    @property
    def short(self) -> Room | None:
        """The file system that has too little."""
        rooms = self.rooms or (Room(place="", needed=self.needed, free=self.free),)
        return next((room for room in rooms if room.needed > room.free), None)


@dataclass(frozen=True, kw_only=True)
class Plan:
    """A pure function of survey, arrivals, baseline, keepsheet and answers."""

    install: str
    roots: tuple[Root, ...]
    """The install's own first, with an empty label."""
    from_version: str
    to_version: str
    route: Route
    routes: tuple[RouteChoice, ...] = ()
    stages: tuple[Stage, ...]
    kept: Unchanged = field(default_factory=Unchanged)
    """What stays as it is, or waits for an answer."""
    merges: Mapping[At, Merge] = field(default_factory=lambda: MappingProxyType({}))
    questions: tuple[Question, ...] = ()
    blockers: tuple[Fault, ...] = ()
    warnings: tuple[Fault, ...] = ()
    space: Space = Space(needed=0, free=0)
    survey: Survey
    arrivals: tuple[Arrival, ...] = ()
    baseline: Release | None = None
    on_failure: OnFailure = OnFailure.UNDO
    climb: Climb | None = None
    """On the route for it: the ladder."""
    source: str = ""
    """What all arrivals came in, where that is another place than the first of them."""
    facts: RunFacts = NOTHING_KNOWN
    """What is to be known of its run beside the stages."""
    undoes: tuple[int, ...] = ()
    """The updates that it takes back; empty for an update."""
    effects: tuple[ShelfEffect, ...] = ()
    """What it does to the shelf once it has ended."""
    telling: Telling = USUAL
    """What its route says of it."""

    @property
    def root(self) -> str:
        return self.roots[0].place

    @property
    def arrival(self) -> Arrival:
        """The first of what came; a plan that takes something back has none."""
        return self.arrivals[0]

    @property
    def parts(self) -> tuple[PartChange, ...]:
        """On the route for them: the parts that are swapped."""
        return self.facts.parts

    @property
    def change_sets(self) -> tuple[ChangeSet, ...]:
        return tuple(stage for stage in self.stages if isinstance(stage, ChangeSet))

    @cached_property
    def moves(self) -> tuple[Move, ...]:
        """All that is known now, changing or not, ordered by place."""
        return tuple(sorted((*self.kept, *self.net), key=lambda m: m.at))

    @cached_property
    def net(self) -> tuple[Move, ...]:
        """What all stages together do to each place that one of them speaks of."""
        if len(self.change_sets) < 2:
            return tuple(m for change_set in self.change_sets for m in change_set.moves)
        found: dict[At, Move] = {}
        for move in (m for change_set in self.change_sets for m in change_set.moves):
            first = found.get(move.at)
            found[move.at] = move if first is None else _both(first, move)
        return tuple(found.values())

    @property
    def changes(self) -> tuple[Move, ...]:
        return tuple(m for m in self.net if m.changes_disk)

    def left_intact(self) -> Total:
        """What is the person's and stays just as it lies: no folders, nothing that is only left out. Where a
        folder is left behind, that is what lies in it and in the roots elsewhere, not in the new one.
        """
        if isinstance(self.facts.way, Cleared):
            safe = [m for m in self.net if m.safeguard and m.file_class.is_the_persons]
            files = [m for m in safe if m.before is not None and m.before.kind is not Kind.FOLDER]
            return Total(files=len(files), bytes=sum(m.bytes for m in files))
        both = self.facts.has_old_root
        pages = [page for page in self.kept.pages if not both or page.page.root]
        found = [t for page in pages for kind, t in page.totals().items() if kind.is_the_persons]
        for move in self.kept.rest:
            if both and not move.at.root:
                continue
            there = move.before is not None and move.before.kind is not Kind.FOLDER
            if there and move.file_class.is_the_persons:
                found.append(Total(files=1, bytes=move.bytes))
        return Total(files=sum(t.files for t in found), bytes=sum(t.bytes for t in found))

    @property
    def open_questions(self) -> tuple[Question, ...]:
        return tuple(q for q in self.questions if q.is_open)

    def count(self, verb: Verb) -> int:
        spoken = (*self.kept.rest, *self.net)
        return sum(1 for m in spoken if m.verb is verb) + (self.kept.in_pages if verb is Verb.KEEP else 0)


def _both(first: Move, then: Move) -> Move:
    """Two changes of one place as one."""
    verb = then.verb
    if first.before is None and then.after is not None:
        verb = Verb.ADD
    elif first.verb is Verb.MERGE and verb is Verb.REPLACE:
        verb = Verb.MERGE
    return replace(then, before=first.before, verb=verb, unproven=first.unproven or then.unproven)
