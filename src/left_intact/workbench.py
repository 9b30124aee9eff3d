"""The waist: four services, and the values that they answer. All faces use it alone; none reaches past it."""

from __future__ import annotations

from left_intact.services.home import Home
from left_intact.services.outlets import Outlets
from left_intact.services.questions import (
    may_be_replaced,
    meets,
    odds,
    patterns_in,
    refuse_blocked,
    sheet_schema,
)
from left_intact.services.records import Records
from left_intact.services.shelf import Shelf
from left_intact.services.surveys import Surveys
from left_intact.services.updates import Updates
from left_intact.services.values import Draft, News, Outcome, OutlineLine, Preview, ShelfRow, WentBack

__all__ = [
    "Draft",
    "News",
    "Outcome",
    "OutlineLine",
    "Preview",
    "ShelfRow",
    "WentBack",
    "Workbench",
    "may_be_replaced",
    "meets",
    "odds",
    "patterns_in",
    "refuse_blocked",
    "sheet_schema",
]


class Workbench:
    """One home folder, and all that can be done with it. Safe to call from several threads."""

    def __init__(self, home: str) -> None:
        at = Home(home)
        self.home = at.folder
        self.surveys = Surveys(at, Records(at))
        """Reading, and what is known: rulings, keepsheets, runs, roots, releases on record."""
        self.updates = Updates(at, self.surveys)
        """Drawn, carried out, waited for, proven, gone back, settled, recovered."""
        self.outlets = Outlets(at, self.surveys)
        """Followed, looked at, fetched from; holds, and packs of content."""
        self.shelf = Shelf(at, self.updates)
        """The installs, and what waits."""
