"""What a route says of its plans: lanes of its own, and words in place of the usual ones. Mere values:
whoever shows a plan draws by them and knows no route.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from left_intact.core.model.classes import FileClass
from left_intact.core.model.stages import Move, Verb


class Stroke(StrEnum):
    """What the line of a lane says."""

    INTACT = "intact"
    REPLACED = "replaced"
    SAME = "same"
    MERGED = "merged"
    ASIDE = "aside"
    OPEN = "open"
    LEFT_OUT = "left out"
    CARRIED = "carried"
    """Into another folder; both keep it."""
    BEHIND = "behind"
    """It stays in the old folder alone."""
    NEW = "new"
    """It comes from the release alone."""


@dataclass(frozen=True, slots=True, kw_only=True)
class LaneRule:
    """A lane of a route's own: which moves go into it, how its line is drawn and what it says."""

    name: str
    stroke: Stroke
    says: str
    """`{count}` stands for how many there are."""
    means: str = ""
    """What is told of it where somebody asks why; empty for what the stroke means everywhere."""
    verbs: frozenset[Verb] = frozenset()
    """Empty for any."""
    classes: frozenset[FileClass] = frozenset()
    """Empty for any."""
    saved: bool | None = None
    """Whether they are made safe first; None for either."""
    together: bool = False
    """One lane for all of them, wherever they lie."""
    goes: bool = False
    """Nothing of it lies there afterwards."""

    def takes(self, move: Move) -> bool:
        return self.takes_those(move.verb, move.file_class, saved=move.safeguard)

    def takes_those(self, verb: Verb, kind: FileClass, *, saved: bool = False) -> bool:
        """Whether moves with a verb, of a class, go into this lane."""
        fits = (not self.verbs or verb in self.verbs) and (not self.classes or kind in self.classes)
        return fits and self.saved in (None, saved)


@dataclass(frozen=True, slots=True, kw_only=True)
class Telling:
    """What a route says of its plans."""

    lanes: tuple[LaneRule, ...] = ()
    """The first that takes a move has it; what none takes goes into the usual lanes."""
    safe: str = "left intact"
    """What becomes of what is the person's."""
    then: str = ""
    """What comes after that, `{steps}` being the steps by hand; empty for counts of what changes."""
    back: str = "Going back stays one key away"


USUAL = Telling()
