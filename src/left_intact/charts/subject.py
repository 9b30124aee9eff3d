"""What a figure is drawn of."""

from __future__ import annotations

import time
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from left_intact.core.model.install import Install
    from left_intact.core.model.plan import Plan
    from left_intact.core.model.survey import Survey
    from left_intact.workbench import Outcome, Workbench


def today() -> str:
    return time.strftime("%Y-%m-%d")


@dataclass(frozen=True, slots=True, kw_only=True)
class Subject:
    """An install, and what is at hand of it: that is drawn as it is seen, and not read again."""

    bench: Workbench
    install: Install
    date: str = field(default_factory=today)
    """Stands on the figure."""
    unit: str = "bytes"
    """What areas are true to: `bytes` or `files`."""
    number: int | None = None
    """The run that is spoken of; the last one, or what waits, where none is named."""
    survey: Survey | None = None
    plan: Plan | None = None
    outcome: Outcome | None = None
