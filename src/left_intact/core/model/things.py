"""What a person looks at after an update: titles, pictures, saves, mods, profiles, ways to start it."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum


class Thing(StrEnum):
    """The kinds of things that are counted before and after, in the order in which they are shown."""

    TITLES = "titles"
    PICTURED = "titles with pictures"
    SAVES = "saves"
    STATES = "states"
    MODS_ON = "mods on"
    MODS_OFF = "mods off"
    MODS = "mods, which are on not known"
    PROFILES = "profiles"
    STARTS = "ways to start it"

    def of(self, number: int) -> str:
        """Its word for so many: `1 title`, `2 titles`."""
        first, _, rest = self.value.partition(" ")
        return f"{first.removesuffix('s')} {rest}".rstrip() if number == 1 else self.value


@dataclass(frozen=True, slots=True, kw_only=True)
class ThingRule:
    """How a keepsheet says that things are counted: by files of a pattern, or a list of the program's."""

    counts: str
    """`titles`, `pictures`, `saves`, `states`, `mods`, `profiles` or `starts`."""
    files: str = ""
    """A pattern; each file is one, named by its stem."""
    file: str = ""
    """A file of the program's own that lists them."""
    at: str = ""
    """With `file`: the way to the list in it, or the name of its elements; empty for the top."""
    name: str = ""
    """With `file`: which part of an item names it; empty where the item itself is the name."""
    on: str = ""
    """With `file`, of mods: which part of an item says whether it is on."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Counted:
    """All things of one kind that were found, and by what rule."""

    thing: Thing
    rule: str
    """In words: `titles in list.json`."""
    names: tuple[str, ...]
    trouble: str = ""
    """Why they could not be counted."""


@dataclass(frozen=True, slots=True, kw_only=True)
class ThingLine:
    """One kind before and after."""

    thing: Thing
    rule: str
    before: int
    after: int
    missing: tuple[str, ...]
    """Names that were there before and are not now."""
    new: tuple[str, ...] = ()
    trouble: str = ""


@dataclass(frozen=True, slots=True)
class Start:
    """A way to start a program that lies outside of it: a desktop file, a link, a script."""

    path: str
    leads_to: str
    """The program that it starts."""
    version: str = ""
    """The version that it names; empty where it names none."""
