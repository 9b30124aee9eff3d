"""The waist: all services, and the values that they answer. Faces use it alone; none reaches past it."""

from __future__ import annotations

from functools import cached_property
from typing import TYPE_CHECKING

from left_intact.services.exports import MADE_BY, write_out
from left_intact.services.home import Home
from left_intact.services.places import Places
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
from left_intact.services.values import (
    Draft,
    HistoryLine,
    News,
    Outcome,
    OutlineLine,
    Preview,
    ShelfRow,
    Standing,
    WentBack,
)

# The shelf must be on the screen at once: a service is imported when it is first asked for.
if TYPE_CHECKING:
    from left_intact.services.accounts import Accounts
    from left_intact.services.keeping import Keeping
    from left_intact.services.outlets import Outlets
    from left_intact.services.surveys import Surveys
    from left_intact.services.swapping import PartsService
    from left_intact.services.updates import Updates

__all__ = [
    "MADE_BY",
    "Draft",
    "HistoryLine",
    "News",
    "Outcome",
    "OutlineLine",
    "Preview",
    "ShelfRow",
    "Standing",
    "WentBack",
    "Workbench",
    "may_be_replaced",
    "meets",
    "odds",
    "patterns_in",
    "refuse_blocked",
    "sheet_schema",
    "write_out",
]


class Workbench:
    """One home folder, and all that can be done with it. Safe to call from several threads."""

    def __init__(self, home: str, *, shelf_at: str = "") -> None:
        """With `shelf_at` the shelf is the one in another folder; all else is that of the home."""
        self._at = Home(home, shelf_at)
        self.home = self._at.folder
        self.records = Records(self._at)
        """What strongboxes and journals say of an install."""
        self.places = Places(self._at, self.records)
        """Where an install lies, also while its library does not know it yet."""
        self.shelf = Shelf(self._at, self.places)
        """The installs, and what waits."""

    @cached_property
    def surveys(self) -> Surveys:
        """Reading, and what is known: rulings, keepsheets, runs, roots, releases on record."""
        from left_intact.services.surveys import Surveys

        return Surveys(self._at, self.records)

    @cached_property
    def updates(self) -> Updates:
        """Drawn, carried out, waited for, proven, gone back, settled, recovered."""
        from left_intact.services.runs import Runs
        from left_intact.services.updates import Updates

        return Updates(self._at, Runs(self._at, self.places, self.surveys))

    @cached_property
    def parts(self) -> PartsService:
        """Cores, libraries and launchers one by one: listed, swapped, tried, fallen back from."""
        from left_intact.services.swapping import PartsService

        return PartsService(self._at, self.surveys, self.updates)

    @cached_property
    def accounts(self) -> Accounts:
        """What each run did, to be kept for years."""
        from left_intact.services.accounts import Accounts

        return Accounts(self._at, self.records)

    @cached_property
    def keeping(self) -> Keeping:
        """What strongboxes hold over time: looked through, taken out of, freed, kept within a budget."""
        from left_intact.services.keeping import Keeping

        return Keeping(self._at, self.records)

    @cached_property
    def outlets(self) -> Outlets:
        """Followed, looked at, fetched from; holds, and packs of content."""
        from left_intact.services.outlets import Outlets

        return Outlets(self._at, self.surveys)
