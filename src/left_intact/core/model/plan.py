"""The plan: what would happen to every path, and why. Preview, dry run and engine read the same."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import StrEnum
from types import MappingProxyType

from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Entry
from left_intact.core.model.errors import Fault
from left_intact.core.model.release import Arrival, Release
from left_intact.core.model.survey import Survey


class Verb(StrEnum):
    """The closed set of what can happen to a path."""

    KEEP = "keep"
    REPLACE = "replace"
    ADD = "add"
    RETIRE = "retire"
    MERGE = "merge"
    CARRY = "carry"
    REHOME = "rehome"
    DROP = "drop"
    """The arriving one is not laid; what is there stays as it is."""
    ASK = "ask"
    """Waits for an answer; nothing happens to it before that."""


class Route(StrEnum):
    """How an update is done."""

    IN_PLACE = "in-place"
    SIDE_BY_SIDE = "side-by-side"
    CLEAR_AND_RESTORE = "clear-and-restore"
    SINGLE_PART = "single-part"
    LADDER = "ladder"
    GRAFT = "graft"


@dataclass(frozen=True, slots=True, kw_only=True)
class RouteChoice:
    """Whether a route fits this install and arrival, and why."""

    name: Route
    fits: bool
    because: str


@dataclass(frozen=True, slots=True, kw_only=True)
class KeyLine:
    """One key of a settings file, as each side says it. None where a side lacks the key."""

    key: str
    shipped: str | None
    yours: str | None
    arriving: str | None
    result: str | None
    decided: str
    """`same`, `yours`, `arriving`, `new`, `renamed`, `dropped`, `left out` or `conflict`."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Merge:
    """A settings file merged key by key."""

    lines: tuple[KeyLine, ...]
    content: bytes
    """What the file will say, with the person's comments, order and layout."""
    trouble: str = ""
    """Why it could not be merged; the person's file then stays as it is."""


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
    paths: tuple[str, ...] = ()
    note: str = ""

    @property
    def choice(self) -> str:
        return self.answer if self.answer is not None else self.default


@dataclass(frozen=True, slots=True, kw_only=True)
class Move:
    """One line of a plan."""

    path: str
    verb: Verb
    file_class: FileClass
    because: str
    bytes: int = 0
    """Size after the move (before it, for what is retired)."""
    before: Entry | None = None
    """What lies there now."""
    after: Entry | None = None
    """What will lie there; None where the path will be empty, equal to `before` where it stays."""
    came_from: str = ""
    question: str = ""

    @property
    def changes_disk(self) -> bool:
        return self.verb in (Verb.REPLACE, Verb.ADD, Verb.RETIRE, Verb.MERGE, Verb.CARRY, Verb.REHOME)


@dataclass(frozen=True, slots=True, kw_only=True)
class Space:
    """Room on the file system of the install, in bytes."""

    needed: int
    free: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Plan:
    """A pure function of survey, arrival, baseline, keepsheet and answers."""

    install: str
    root: str
    from_version: str
    to_version: str
    route: Route
    routes: tuple[RouteChoice, ...]
    moves: tuple[Move, ...]
    """Ordered by path."""
    merges: Mapping[str, Merge] = field(default_factory=lambda: MappingProxyType({}))
    questions: tuple[Question, ...] = ()
    blockers: tuple[Fault, ...] = ()
    warnings: tuple[Fault, ...] = ()
    space: Space = Space(needed=0, free=0)
    survey: Survey
    arrival: Arrival
    baseline: Release | None = None
    partial: bool = False
    """Whether it lays parts only (a pack's share), so that the release on record stays."""

    @property
    def open_questions(self) -> tuple[Question, ...]:
        return tuple(q for q in self.questions if q.answer is None)

    @property
    def changes(self) -> tuple[Move, ...]:
        return tuple(m for m in self.moves if m.changes_disk)

    def count(self, verb: Verb) -> int:
        return sum(1 for m in self.moves if m.verb is verb)
