"""What a keepsheet knows of steps around the swap: what the person does, tests, workarounds, and how a
program is cleared.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from left_intact.core.model.stages import IN_USE, Bounds, Prompt, Sign


class When(StrEnum):
    """Where in an update a step has its turn."""

    BEFORE = "before"
    REMOVED = "removed"
    """On clear and restore: once the old one is gone."""
    LAID = "laid"
    """On clear and restore: once the new one is there."""
    STARTED = "started"
    """On clear and restore: once it was started, before yours comes back."""
    AFTER = "after"


@dataclass(frozen=True, slots=True, kw_only=True)
class StepRule:
    """One step around the swap."""

    id: str
    when: When
    do: str
    why: str = ""
    sign: Sign = Sign.SAID
    path: str = ""
    """With a sign: the place below the install that it is seen at."""
    key: str = ""
    value: str = ""
    may_skip: bool = False
    parts: tuple[str, ...] = ()
    """Patterns: it has its turn only where something that meets one changes; empty for always."""
    command: tuple[str, ...] = ()
    """Words of a command that does it, once the person has allowed it."""
    undo: str = ""
    """What the person does to undo it; empty where nothing needs doing."""
    on: str = ""
    """The device that it is done on, in words."""
    prompts: tuple[Prompt, ...] = ()
    bounds: Bounds = IN_USE


@dataclass(frozen=True, slots=True, kw_only=True)
class TestRule:
    """How a part, or the whole, is tried after an update."""

    __test__ = False  # no test of ours, whatever its name says to those who look for some

    title: str
    """What is started: a stock title that everybody has."""
    with_: str = ""
    """The configuration to start it with."""
    look: str = ""
    """What to look at."""
    parts: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class Workaround:
    """Something done against a fault of some versions, to be dropped once it is mended."""

    what: str
    since: str = ""
    """The first version that it was needed for; empty for any."""
    until: str = ""
    """The first version that does not need it any more."""
    reason: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class ClearRule:
    """How a program is cleared that cannot be laid over the old one."""

    because: str
    """Why it must be removed first."""
    wipes: bool = True
    """Whether removing it takes its data along."""
    by_hand: bool = False
    """Whether the device is reached only by a bridge or a file browser of its own: then the install is a copy
    of what lies there.
    """
    device: str = ""
    """What it is called, in words."""
    remove: str = ""
    lay: str = ""
    start: str = ""
    """How each is done, in words."""
    prompt: str = ""
    """What it asks on the way, and the right answer."""
    ghost: str = ""
    """A path, from the install, of what a former one may leave behind and that is still in the way."""
    unghost: str = ""
    """How that is cleared, in words."""


__all__ = ["ClearRule", "StepRule", "TestRule", "When", "Workaround"]
