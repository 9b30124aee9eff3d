"""The eight classes that every entry of an install falls into."""

from __future__ import annotations

from enum import StrEnum


class FileClass(StrEnum):
    """What an entry is. The meaning of each is in docs/words.md."""

    PROGRAM = "program"
    SETTINGS = "settings"
    SAVES = "saves"
    STATES = "states"
    CONTENT = "content"
    EXTRAS = "extras"
    CACHE = "cache"
    UNSORTED = "unsorted"

    @property
    def is_the_persons(self) -> bool:
        """Everything but the program and what can be rebuilt; the unsorted counts as theirs."""
        return self not in (FileClass.PROGRAM, FileClass.CACHE)


MAY_BE_THE_PROGRAMS = (FileClass.PROGRAM, FileClass.UNSORTED)
"""What a release that ships another one would have replaced."""
OF_A_PACK = (FileClass.CONTENT, FileClass.EXTRAS, FileClass.UNSORTED)
"""What a pack of content may replace: never a save, a state, a setting or the program."""
SORTABLE = tuple(c for c in FileClass if c is not FileClass.UNSORTED)
"""The classes that evidence can speak for."""
