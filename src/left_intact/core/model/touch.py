"""What an update did to one place, all its stages together."""

from __future__ import annotations

from dataclasses import dataclass

from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Attributes, Entry, Kind
from left_intact.core.model.place import At


@dataclass(frozen=True, slots=True, kw_only=True)
class Touch:
    """One place over all stages."""

    at: At
    first: Entry | None
    """What lay there before the first stage that came to it."""
    last: Entry | None
    """What the last stage, or a step by hand, left there."""
    file_class: FileClass
    attributes: Attributes | None = None
    """Of `first`."""
    partner: At | None = None
    """Another name of the same file, where it was hard-linked."""
    seen: tuple[Entry, ...] = ()
    """Every state that a stage found or left there; what is in none of them is the person's since."""

    def knows(self, now: Entry | None) -> bool:
        """Whether what lies there now is something that the update found or left."""
        if now is None:
            return True
        return any(
            now.same_content(state) for state in (*self.seen, self.first, self.last) if state is not None
        )

    @property
    def is_of_folders_alone(self) -> bool:
        """Whether the place was and is a folder, so that no more than its time changed."""
        return (
            self.first is not None
            and self.last is not None
            and self.first.kind is self.last.kind is Kind.FOLDER
        )
