"""Where an update stands, as the journal knows it."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum


class State(StrEnum):
    """Where an update stands. Those of `UNFINISHED` are interrupted when found at rest."""

    STAGING = "staging"
    CARRYING = "carrying"
    PUTTING_BACK = "putting-back"
    """An update that did not come to its end is being taken out again."""
    GOING_BACK = "going-back"
    """An update that was on trial is being taken out again."""
    ON_TRIAL = "on-trial"
    SETTLED = "settled"
    GONE_BACK = "gone-back"
    ABANDONED = "abandoned"


UNFINISHED = (State.STAGING, State.CARRYING, State.PUTTING_BACK, State.GOING_BACK)


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
