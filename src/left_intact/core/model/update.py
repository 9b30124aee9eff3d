"""Where an update stands, as the journal knows it."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from left_intact.core.model.effects import ShelfEffect
from left_intact.core.model.place import Root
from left_intact.core.model.stages import OnFailure, Prompt


class State(StrEnum):
    """Where an update stands. Those of `UNFINISHED` are interrupted when found at rest."""

    STAGING = "staging"
    CARRYING = "carrying"
    PUTTING_BACK = "putting-back"
    """An update that did not come to its end is being taken out again."""
    GOING_BACK = "going-back"
    """An update that was on trial is being taken out again."""
    WAITING = "waiting"
    """For a step by hand or an answer; days may pass and nothing is torn."""
    ON_TRIAL = "on-trial"
    SETTLED = "settled"
    GONE_BACK = "gone-back"
    ABANDONED = "abandoned"
    DONE = "done"
    """Of a going back: it came to its end."""


IN_FORCE = (State.ON_TRIAL, State.SETTLED)
"""What lies in an install now, and can be proven."""
UNFINISHED = (State.STAGING, State.CARRYING, State.PUTTING_BACK, State.GOING_BACK)


class StageState(StrEnum):
    """Where one stage of an update stands."""

    PLANNED = "planned"
    STAGING = "staging"
    CARRYING = "carrying"
    PUTTING_BACK = "putting-back"
    WAITING = "waiting"
    DONE = "done"
    SKIPPED = "skipped"
    UNDONE = "undone"
    GIVEN_UP = "given-up"


TORN = (StageState.STAGING, StageState.CARRYING, StageState.PUTTING_BACK)
"""What a crash leaves and a recovery ends."""


class RunKind(StrEnum):
    UPDATE = "update"
    BACK = "back"
    """It takes updates back."""


@dataclass(frozen=True, slots=True, kw_only=True)
class WaitsFor:
    """What an update waits for."""

    step: str
    asks: str
    why: str
    may_skip: bool = False
    can_be_seen: bool = True
    """Whether it is seen by looking that it was done; else the person says so."""
    options: tuple[str, ...] = ()
    """Of a question: the answers."""
    command: tuple[str, ...] = ()
    """Words of a command that does it, where there is one."""
    sees: str = ""
    """What is looked for, in words; empty where it cannot be seen."""
    prompts: tuple[Prompt, ...] = ()
    """What it asks on its way, and the right answers."""
    on: str = ""
    """The device that it is done on."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Arrived:
    """One of what came, as it is known afterwards."""

    source: str
    root: str = ""
    """The wrapper folder in it."""
    digest: str = ""
    """Of the archive."""
    version: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class RunRecord:
    """What a journal keeps at the head of a run."""

    install: str
    from_version: str
    to_version: str
    roots: tuple[Root, ...]
    """The install's own first."""
    kind: RunKind = RunKind.UPDATE
    route: str = ""
    began: float = 0.0
    """Seconds since 1970."""
    arrivals: tuple[Arrived, ...] = ()
    source: str = ""
    """What all of them came in, where that is another place than the first of them."""
    on_failure: OnFailure = OnFailure.UNDO
    undoes: tuple[int, ...] = ()
    """Of a going back: the updates it takes back."""
    effects: tuple[ShelfEffect, ...] = ()
    """What it does to the shelf once it has ended."""
    missing: tuple[str, ...] = ()
    """What could not be put back, since its copy is lost or damaged."""
    notes: tuple[str, ...] = ()
    """What could not be kept as it was, such as owners that only the system may give."""
    aimed: str = ""
    """The version that it was to lead to, where it ended before; empty where it did not."""

    @property
    def root(self) -> str:
        return self.roots[0].place

    @property
    def arrival(self) -> str:
        """What came, as the person named it; empty for a going back."""
        return self.source or (self.arrivals[0].source if self.arrivals else "")


@dataclass(frozen=True, slots=True, kw_only=True)
class Update(RunRecord):
    """A run as it stands in its journal."""

    id: int
    state: State
    changed: float
    """When its state did, in seconds since 1970."""
    waits: WaitsFor | None = None
    stages: int = 1


@dataclass(frozen=True, slots=True, kw_only=True)
class KnownBox:
    """What a library remembers of a strongbox."""

    id: str
    folder: str
    needed: bool
    """Whether an update is on trial, waits or was cut off: without the box nothing may change."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Settled:
    """What settling did."""

    update: Update
    freed: int
    """Bytes of the program's own old files."""
    held: int
    """Displaced files of the person that stay in the strongbox."""
