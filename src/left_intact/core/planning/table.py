"""The three-way table: shipped before (B), yours (M), arriving (T), and what the entry is.

Every combination meets exactly one row, the first that fits; tests/core/test_planning.py
walks them all. docs/decisions.md is this table in prose. The rule behind every row:
what is not proven to be the program's is the person's.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Entry, Finding, Kind
from left_intact.core.model.plan import Verb


class Base(StrEnum):
    """B, as far as it is known."""

    UNKNOWN = "no baseline"
    ABSENT = "not shipped"
    PRESENT = "shipped"


class Mine(StrEnum):
    """M, seen from B: `AS_SHIPPED` only where there is a B to be equal to."""

    ABSENT = "absent"
    AS_SHIPPED = "as shipped"
    OTHER = "other than shipped"
    FAULT = "unreadable"


class Coming(StrEnum):
    """T, seen from M first, then from B."""

    ABSENT = "absent"
    SAME_AS_MINE = "same as yours"
    SAME_AS_BASE = "same as shipped"
    OTHER = "other"


class Treatment(StrEnum):
    """What the entry is, as far as deciding goes."""

    PROGRAM_SURE = "surely the program's"
    PROGRAM = "the program's"
    SETTINGS = "settings that can be merged"
    THEIRS = "theirs, whatever comes"
    LIKELY = "the program's, if most of what comes lies here"
    OPEN = "theirs, as far as known"


class Ask(StrEnum):
    """The kinds of true conflict between whole files."""

    BOTH_CHANGED = "both-changed"
    DELETED_CHANGED = "deleted-changed"
    IN_THE_WAY = "in-the-way"
    NOT_MERGED = "not-merged"
    UNPROVEN = "unproven"


@dataclass(frozen=True, slots=True, kw_only=True)
class Row:
    """One line of the table. An empty tuple fits anything."""

    number: int
    base: tuple[Base, ...] = ()
    mine: tuple[Mine, ...] = ()
    coming: tuple[Coming, ...] = ()
    treatment: tuple[Treatment, ...] = ()
    verb: Verb | None
    """None where there is nothing on either side to speak of."""
    because: str
    """With `{old}` and `{new}` for the two versions."""
    ask: Ask | None = None

    def fits(self, base: Base, mine: Mine, coming: Coming, treatment: Treatment) -> bool:
        return (
            (not self.base or base in self.base)
            and (not self.mine or mine in self.mine)
            and (not self.coming or coming in self.coming)
            and (not self.treatment or treatment in self.treatment)
        )


_B, _M, _T, _N = Base, Mine, Coming, Treatment
_PROGRAMS = (_N.PROGRAM_SURE, _N.PROGRAM)

TABLE: tuple[Row, ...] = (
    # -------------------------------------------------- nothing of yours lies there
    Row(number=1, mine=(_M.ABSENT,), coming=(_T.ABSENT,), verb=None, because="gone on both sides"),
    Row(number=2, mine=(_M.ABSENT,), base=(_B.UNKNOWN, _B.ABSENT), verb=Verb.ADD, because="new in {new}"),
    Row(
        number=3,
        mine=(_M.ABSENT,),
        base=(_B.PRESENT,),
        coming=(_T.SAME_AS_BASE,),
        verb=Verb.DROP,
        because="you deleted it, and {new} does not change it: it stays deleted",
    ),
    Row(
        number=4,
        mine=(_M.ABSENT,),
        verb=Verb.ASK,
        ask=Ask.DELETED_CHANGED,
        because="you deleted it, {new} ships another one",
    ),
    # -------------------------------------------------- it cannot be read
    Row(number=5, mine=(_M.FAULT,), verb=Verb.KEEP, because="it cannot be read, so it is left alone"),
    # -------------------------------------------------- the very same comes
    Row(number=6, coming=(_T.SAME_AS_MINE,), verb=Verb.KEEP, because="already as {new} ships it"),
    # -------------------------------------------------- as shipped, so the program's
    Row(
        number=7,
        mine=(_M.AS_SHIPPED,),
        treatment=_PROGRAMS,
        coming=(_T.ABSENT,),
        verb=Verb.RETIRE,
        because="as {old} shipped it; {new} no longer ships it",
    ),
    Row(
        number=8,
        mine=(_M.AS_SHIPPED,),
        treatment=_PROGRAMS,
        verb=Verb.REPLACE,
        because="as {old} shipped it; {new} ships another one",
    ),
    Row(number=9, mine=(_M.AS_SHIPPED,), verb=Verb.KEEP, because="as shipped, but ruled to be yours"),
    # -------------------------------------------------- shipped once, changed since
    Row(
        number=10,
        base=(_B.PRESENT,),
        coming=(_T.ABSENT,),
        verb=Verb.KEEP,
        because="you changed it, so it stays, though {new} no longer ships it",
    ),
    Row(
        number=11,
        base=(_B.PRESENT,),
        coming=(_T.SAME_AS_BASE,),
        verb=Verb.KEEP,
        because="you changed it and {new} did not",
    ),
    Row(
        number=12,
        base=(_B.PRESENT,),
        treatment=(_N.SETTINGS,),
        verb=Verb.MERGE,
        because="you and {new} both changed it: merged key by key",
    ),
    Row(
        number=13,
        base=(_B.PRESENT,),
        treatment=(_N.THEIRS,),
        verb=Verb.KEEP,
        because="yours; the one that {new} ships is not laid",
    ),
    Row(
        number=14,
        base=(_B.PRESENT,),
        verb=Verb.ASK,
        ask=Ask.BOTH_CHANGED,
        because="you changed it, and {new} changed it too",
    ),
    # -------------------------------------------------- never shipped, so theirs
    Row(
        number=15,
        base=(_B.ABSENT,),
        coming=(_T.ABSENT,),
        verb=Verb.KEEP,
        because="yours: {old} never shipped it",
    ),
    Row(
        number=16,
        base=(_B.ABSENT,),
        treatment=(_N.SETTINGS,),
        verb=Verb.MERGE,
        because="yours; {new} brings one of the same name: new keys are added",
    ),
    Row(
        number=17,
        base=(_B.ABSENT,),
        treatment=(_N.THEIRS,),
        verb=Verb.KEEP,
        because="yours; the one that {new} ships is not laid",
    ),
    Row(
        number=18,
        base=(_B.ABSENT,),
        verb=Verb.ASK,
        ask=Ask.IN_THE_WAY,
        because="yours, and {new} brings one of the same name",
    ),
    # -------------------------------------------------- no baseline: evidence speaks
    Row(
        number=19,
        coming=(_T.ABSENT,),
        treatment=(_N.PROGRAM_SURE,),
        verb=Verb.RETIRE,
        because="surely the program's, and {new} no longer ships it",
    ),
    Row(
        number=20,
        coming=(_T.ABSENT,),
        verb=Verb.KEEP,
        because="not proven to be the program's, so it is yours",
    ),
    Row(
        number=21,
        treatment=_PROGRAMS,
        verb=Verb.REPLACE,
        because="the program's by all evidence; {new} ships another",
    ),
    Row(
        number=22,
        treatment=(_N.SETTINGS,),
        verb=Verb.MERGE,
        because="your values stay, new keys of {new} are added",
    ),
    Row(
        number=23,
        treatment=(_N.THEIRS,),
        verb=Verb.KEEP,
        because="yours; the one that {new} ships is not laid",
    ),
    Row(
        number=24,
        treatment=(_N.LIKELY,),
        verb=Verb.ASK,
        ask=Ask.UNPROVEN,
        because="most likely the program's, but nothing shows that nobody changed it; {new} ships another",
    ),
    Row(
        number=25,
        verb=Verb.ASK,
        ask=Ask.IN_THE_WAY,
        because="not proven to be the program's, and {new} ships another",
    ),
)


def look_up(base: Base, mine: Mine, coming: Coming, treatment: Treatment) -> Row:
    """The row that a situation meets."""
    return next(row for row in TABLE if row.fits(base, mine, coming, treatment))


def situate(
    base: Entry | None, mine: Entry | None, coming: Entry | None, *, known: bool
) -> tuple[Base, Mine, Coming]:
    """Where a path stands. `known` says whether there is a baseline at all."""
    b = Base.UNKNOWN if not known else Base.ABSENT if base is None else Base.PRESENT
    if mine is None:
        m = Mine.ABSENT
    elif mine.kind is Kind.FAULT:
        m = Mine.FAULT
    else:
        m = Mine.AS_SHIPPED if base is not None and base.same_content(mine) else Mine.OTHER
    if coming is None:
        return b, m, Coming.ABSENT
    if mine is not None and mine.same_content(coming):
        return b, m, Coming.SAME_AS_MINE
    if base is not None and base.same_content(coming):
        return b, m, Coming.SAME_AS_BASE
    return b, m, Coming.OTHER


def treatment_of(
    finding: Finding | None, *, mergeable: bool, replace: float, retire: float, likely: bool = False
) -> Treatment:
    """What an entry counts as. `replace` and `retire` are the certainties those need; `likely` says whether
    most of what comes lies here under the same paths, and this one in the same format.
    """
    if finding is None:
        return Treatment.OPEN
    if finding.file_class is FileClass.PROGRAM and finding.certainty >= replace:
        return Treatment.PROGRAM_SURE if finding.certainty >= retire else Treatment.PROGRAM
    if mergeable and finding.file_class in (FileClass.SETTINGS, FileClass.PROGRAM, FileClass.UNSORTED):
        return Treatment.SETTINGS
    if finding.file_class in (FileClass.SAVES, FileClass.STATES, FileClass.CONTENT, FileClass.CACHE):
        return Treatment.THEIRS
    leans = finding.file_class is FileClass.PROGRAM or (
        finding.file_class is FileClass.UNSORTED and finding.leaning is FileClass.PROGRAM
    )
    if likely and leans and finding.certainty < 1:
        return Treatment.LIKELY
    return Treatment.OPEN
