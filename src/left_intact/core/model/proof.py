"""The witness taken before an update and the proof read from the disk after it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import StrEnum
from types import MappingProxyType

from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Entry
from left_intact.core.model.place import At
from left_intact.core.model.stages import KeyLine, Verb
from left_intact.core.model.survey import Total
from left_intact.core.model.things import ThingLine
from left_intact.core.model.unchanged import Unchanged

SAME_SCENE = "the same scene"
"""How the check begins that holds two pictures against each other."""
_MAY_STAY_OLD, _OF_FIVE = 3, 5


def may_stay_old(files: int) -> int:
    """How many of so many files that came may stay as they were, and the update still counts as whole: one in
    five, and three at most.
    """
    return min(_MAY_STAY_OLD, files // _OF_FIVE)


class Verdict(StrEnum):
    INTACT = "intact"
    ATTENTION = "attention"
    BROKEN = "broken"


class CheckState(StrEnum):
    PASSED = "passed"
    FAILED = "failed"
    YOURS = "yours-to-check"


@dataclass(frozen=True, slots=True, kw_only=True)
class Check:
    """One comparison of before and after, or one thing that only eyes can check."""

    name: str
    state: CheckState
    says: str
    before: str = ""
    after: str = ""

    @property
    def is_against_settling(self) -> bool:
        """Whether it failed, or says that something of the person's is otherwise than it was."""
        return self.state is CheckState.FAILED or (self.name == "yours" and self.state is CheckState.YOURS)


@dataclass(frozen=True, slots=True, kw_only=True)
class Witnessed:
    """One path as it was before the update, and what the update meant to do with it."""

    file_class: FileClass
    verb: Verb
    before: Entry | None
    agreed: Entry | None
    """What the plan said would lie there; None where nothing."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Beginning:
    """What lay in all roots before the first stage, and what became of it by other hands than ours."""

    kept: Unchanged
    rows: Mapping[At, tuple[Entry, FileClass]]
    """What lies not in `kept`."""
    safe: Mapping[At, tuple[Entry, FileClass]] = field(default_factory=lambda: MappingProxyType({}))
    """What was copied since a step by hand would take it away: it has to come back."""
    by_hand: Mapping[At, Entry | None] = field(default_factory=lambda: MappingProxyType({}))
    """What was seen at places that changed while somebody was waited for."""
    since: frozenset[At] = frozenset()
    """Of those, places that changed after our last stage: what lies there is as somebody wanted it."""
    put_there: Mapping[str, At] = field(default_factory=lambda: MappingProxyType({}))
    """By digest: the place of those to which our last stage had brought what was made safe."""
    left: frozenset[At] = frozenset()
    """Places at which the person chose that something newer counts."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Witness:
    """Taken and stored before the first change."""

    rows: dict[At, Witnessed]
    """What changes, and what has values of its own."""
    version: str
    to_version: str
    merged: dict[At, tuple[KeyLine, ...]]
    roots: tuple[tuple[str, str], ...] = ()
    """(label, absolute path) of the roots beside the first."""
    kept: Unchanged = field(default_factory=Unchanged)
    """What is to stay as it is, in the columns of the survey."""
    by_hand: bool = False
    """Whether the program that lies there now was laid by a step by hand."""
    beginning: Beginning | None = None
    """All that lay there before the first stage, whatever the plan meant to do with it."""


@dataclass(frozen=True, slots=True, kw_only=True)
class LedgerLine:
    """One class, before and after."""

    file_class: FileClass
    before: Total
    after: Total
    equal: int
    """Files whose kind and digest are what they were."""
    agreed: int
    """Files that changed as the plan said."""
    trouble: int
    """Files that are lost or changed in a way nobody agreed to."""
    since: int = 0
    """Files that changed after the update was carried out, as by a run."""
    unread: int = 0
    """Files that could not be read, then or now."""

    @property
    def is_well(self) -> bool:
        return not (self.trouble or self.since or self.unread)


@dataclass(frozen=True, slots=True, kw_only=True)
class Proof:
    """The comparison afterwards, read from the disk and the witness alone."""

    verdict: Verdict
    ledger: tuple[LedgerLine, ...]
    checks: tuple[Check, ...]
    kept: Total
    counts: dict[Verb, int]
    """Paths that lie as agreed, by verb."""
    lost: tuple[str, ...]
    altered: tuple[str, ...]
    """Changed by nobody's leave."""
    appeared: tuple[str, ...]
    """Paths that nobody planned."""
    since: tuple[str, ...] = ()
    """What changed after the update was carried out, as by a run of the program."""
    unread: tuple[str, ...] = ()
    """What could not be read, then or now: nobody can say whether it is as it was."""
    stayed_old: tuple[str, ...] = ()
    """Files of the program that the release ships and that lie here as they were."""
    things: tuple[ThingLine, ...] = ()
    look_at: tuple[str, ...] = ()
    """What the person wants to tick after every update, in their words."""
    pictures: tuple[str, str] = ("", "")
    """Paths of a picture of a scene before the update, and of the newest one after; empty for none."""
    undoes: bool = False
    """Whether it is of a going back."""
    merged: dict[str, tuple[KeyLine, ...]]
    version_before: str
    version_after: str
    seconds: float = 0.0
    told_by_stamps: int = 0
    """Files that were not read, since their stamps are what they were."""
