"""What is known beside the tree itself, when it is sorted."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from types import MappingProxyType

from left_intact.core.model.classes import FileClass
from left_intact.core.model.place import At
from left_intact.core.model.release import Release
from left_intact.core.survey.mentions import Mentions
from left_intact.core.survey.patterns import Pattern, PatternTable
from left_intact.core.survey.self_description import Listed, References
from left_intact.core.survey.standing import FolderContents
from left_intact.core.survey.times import Times


@dataclass(frozen=True)
class SurveyInputs:
    """What is known beside the tree itself."""

    baseline: Release | None = None
    arrival: Release | None = None
    rulings: Sequence[tuple[Pattern, FileClass]] = ()
    sheet: Sequence[tuple[Pattern, FileClass]] = ()
    listed: Listed | None = None
    references: References = field(default_factory=References)
    standing: FolderContents | None = None
    """Where the folders of the tree stand, if that was counted already."""
    times: Times | None = None
    """What the times of the tree say, if they were read already."""
    mentions: Callable[[], Mentions] | None = None
    """Gives what the program's own files name; asked only where times tell nothing apart."""
    runs: Mapping[At, tuple[str, str]] = field(default_factory=lambda: MappingProxyType({}))
    """By place: (`made` or `changed` while a run was watched, digest right after it or empty)."""
    names: bool = True
    """Whether names may speak; without them one sees what the other evidence is worth."""

    @property
    def is_in_doubt(self) -> bool:
        """Whether neither times nor a release on record nor a list tell what came with the program."""
        silent = self.times is not None and not self.times.builds
        return silent and self.baseline is None and self.listed is None

    @cached_property
    def ruling_table(self) -> PatternTable:
        return PatternTable([pattern for pattern, _ in self.rulings])

    @cached_property
    def sheet_table(self) -> PatternTable:
        return PatternTable([pattern for pattern, _ in self.sheet])
