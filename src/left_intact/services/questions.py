"""What faces ask of values, without an install: why a class, what a pattern meets, whether a file is a
keepsheet.
"""

from __future__ import annotations

from collections.abc import Collection, Sequence
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from left_intact.core.model.classes import FileClass
    from left_intact.core.model.entry import Evidence, Finding
    from left_intact.core.model.plan import Plan


def odds(why: Sequence[Evidence]) -> dict[FileClass, float]:
    """How likely each class is by some evidence; the sum is 1."""
    from left_intact.core.survey.classify import scores

    return scores(tuple(why))


def may_be_replaced(finding: Finding) -> bool:
    """Whether an entry is certain enough for a release to replace it."""
    from left_intact.core.survey.weights import weights

    return finding.certainty >= weights().replace


def meets(pattern: str, path: str) -> bool:
    """Whether a pattern of rulings and keepsheets speaks of a path."""
    from left_intact.core.survey.patterns import matches

    return matches(pattern, path)


def sheet_schema() -> dict[str, Any]:
    """The JSON Schema of keepsheets."""
    from left_intact.core.keepsheet.format import json_schema

    return json_schema()


def patterns_in(sheet: str) -> int:
    """How many patterns a file has that is a keepsheet. Raises `bad-sheet` for one that is none."""
    from left_intact.core.keepsheet.sheet import read_sheet

    return len(read_sheet(sheet).classes)


def refuse_blocked(plan: Plan, allowed: Collection[str]) -> None:
    """Raise `Refusal` with what stands against a plan and was not passed; open questions do not count."""
    from left_intact.core.carrying.chain import refuse_if_blocked
    from left_intact.core.model.errors import LeftIntactError

    known = {fault.code for fault in plan.blockers}
    try:
        refuse_if_blocked(plan, frozenset(code for code in allowed if code in known))
    except LeftIntactError as error:
        if error.code != "questions-open":
            raise
