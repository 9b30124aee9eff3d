"""Where an update stands, as the journal knows it."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from left_intact.core.model.effects import ShelfEffect
from left_intact.core.model.place import Root


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


@dataclass(frozen=True, slots=True, kw_only=True)
class Update:
    """The head of an update as journalled."""

    id: int
    state: State
    install: str
    root: str
    from_version: str
    to_version: str
    arrival: str
    arrival_root: str
    began: float
    """Seconds since 1970."""
    changed: float
    kind: RunKind = RunKind.UPDATE
    undoes: tuple[int, ...] = ()
    """Of a going back: the updates it takes back."""
    roots: tuple[Root, ...] = ()
    arrivals: tuple[tuple[str, str, str], ...] = ()
    """(source, root in it, digest of the archive) of all that came."""
    route: str = ""
    waits: WaitsFor | None = None
    missing: tuple[str, ...] = ()
    """What could not be put back, since its copy is lost or damaged."""
    notes: tuple[str, ...] = ()
    """What could not be kept as it was, such as owners that only the system may give."""
    stages: int = 1
    effects: tuple[ShelfEffect, ...] = ()
    """What it does to the shelf once it has ended."""
    aimed: str = ""
    """The version that it was to lead to, where it ended before; empty where it did not."""


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
