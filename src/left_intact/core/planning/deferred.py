"""What a stage is drawn from that can be drawn only when its turn comes. Its planner belongs to a route."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from types import MappingProxyType

from left_intact.core.keepsheet.sheet import NO_SHEET, Keepsheet
from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Entry
from left_intact.core.model.place import At, Root
from left_intact.core.model.plan import DrawnStage
from left_intact.core.model.release import Arrival, Release
from left_intact.core.planning.merging import NO_WISHES, Wishes


@dataclass(frozen=True, slots=True, kw_only=True)
class Situation:
    """All that a later stage is drawn from: the tree as it lies now, and what the update was begun with."""

    install: str
    roots: tuple[Root, ...]
    tree: Mapping[At, tuple[Entry, FileClass]]
    context: Mapping[str, str]
    """What the stage was told when it was put into the plan."""
    arrival: Callable[[int], Arrival]
    """Opens one of the arrivals, by its number."""
    baseline: Release | None = None
    sheet: Keepsheet = NO_SHEET
    wishes: Wishes = field(default_factory=lambda: NO_WISHES)
    """What settings are to say whatever comes."""
    answers: Mapping[str, str] = field(default_factory=lambda: MappingProxyType({}))
    saved: Mapping[At, tuple[Entry, FileClass]] = field(default_factory=lambda: MappingProxyType({}))
    """What was made safe at the beginning of this run."""
    made: Mapping[At, Entry] = field(default_factory=lambda: MappingProxyType({}))
    """What lay there right after steps by hand that changed it, as a first start does."""
    read: Callable[[At], bytes | None] = lambda at: None
    """The bytes that lie at a place now."""
    read_saved: Callable[[str], bytes | None] = lambda digest: None
    """The bytes of a copy in the strongbox."""
    coming: Release | None = None
    """What the update lays, where it could be looked into."""


DeferredPlanner = Callable[[Situation], DrawnStage]
