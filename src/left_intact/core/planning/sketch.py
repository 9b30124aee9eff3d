"""What a route puts together while it draws. All of them build their drawing with it."""

from __future__ import annotations

from dataclasses import dataclass, field
from types import MappingProxyType
from typing import Any

from left_intact.core.model.errors import Fault
from left_intact.core.model.place import in_install
from left_intact.core.model.plan import Merge, Question
from left_intact.core.model.stages import Stage
from left_intact.core.model.unchanged import Unchanged
from left_intact.core.planning.inputs import Drawing, PlanInputs


@dataclass(slots=True, kw_only=True)
class Sketch:
    """A drawing under way."""

    inputs: PlanInputs
    merges: dict[str, Merge] = field(default_factory=dict)
    """By path in the install."""
    questions: list[Question] = field(default_factory=list)
    blockers: list[Fault] = field(default_factory=list)
    warnings: list[Fault] = field(default_factory=list)

    def warn(self, code: str, says: str, way_out: str = "") -> None:
        self.warnings.append(Fault(code=code, says=says, way_out=way_out))

    def block(self, code: str, says: str, way_out: str, *, passable: bool = False) -> None:
        self.blockers.append(Fault(code=code, says=says, way_out=way_out, passable=passable))

    def drawing(self, *stages: Stage, kept: Unchanged, **more: Any) -> Drawing:
        """What it comes to, with what else a `Drawing` says."""
        return Drawing(
            stages=stages,
            kept=kept,
            merges=MappingProxyType(in_install(self.merges)),
            questions=tuple(self.questions),
            blockers=tuple(self.blockers),
            warnings=tuple(self.warnings),
            **more,
        )
