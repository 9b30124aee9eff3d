"""Parts of an install: cores, libraries, launchers and plug-ins, by the names that the program expects."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True, kw_only=True)
class PartWaiting:
    """A file that may take the place of a part."""

    arrival: str
    """Path of what came."""
    version: str
    """Empty where none could be read."""
    because: str = ""
    """Why it cannot be laid, in one line; empty where it can."""
    code: str = ""
    """What stands against it, as a stable name; `same` where it is the very one that lies here."""
    options: tuple[str, ...] = ()
    """`key = value` of the options that it brings, as far as settings came with it."""


@dataclass(frozen=True, slots=True, kw_only=True)
class PartRow:
    """One part of an install."""

    path: str
    version: str
    """Empty where it carries none."""
    platform: str
    """System and machine that it is for; empty for a script."""
    bytes: int
    waiting: tuple[PartWaiting, ...] = ()
    """What may take its place, the newest first."""
    update: int = 0
    """The update on trial that swapped it; 0 where none did."""
    fallback: str = ""
    """The version to fall back on, or `the one before`; empty where there is none."""
    tried: bool = False
    """Whether the person said that it works."""
    named_in: tuple[tuple[str, int], ...] = ()
    """(file of the person's, how often it names the part): lists of titles, settings."""

    @property
    def best(self) -> PartWaiting | None:
        """The newest that can be laid."""
        return next((one for one in self.waiting if not one.because), None)

    @property
    def refused(self) -> PartWaiting | None:
        """The newest that cannot be laid, and is another than what lies here."""
        return next((one for one in self.waiting if one.because and one.code != "same"), None)


@dataclass(frozen=True, slots=True, kw_only=True)
class Parts:
    """All parts of an install, and where new ones were looked for."""

    rows: tuple[PartRow, ...]
    looked_in: str = ""
    """A folder of downloads; empty where none is known."""
    passed_over: tuple[str, ...] = ()
    """Files there that are code and go by no name here."""
    unseen: int = 0
    """How many older files there were not looked into."""


@dataclass(frozen=True, slots=True, kw_only=True)
class PartSwapped:
    """What became of one part that was to be swapped."""

    path: str
    verdict: str
    """Of its proof; empty where it was not swapped."""
    because: str = ""
    """Why it was not."""
