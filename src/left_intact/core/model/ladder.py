"""A ladder: updates that are laid one after the other, each needing the one before."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from enum import StrEnum
from types import MappingProxyType

from left_intact.core.model.entry import Entry
from left_intact.core.model.release import Arrival, Release


@dataclass(frozen=True, slots=True, kw_only=True)
class Package:
    """One update that came: what it is for, which version it comes after, which it leads to."""

    source: str
    """Path of the archive or folder."""
    of: str = ""
    """What it updates: a program or a title; empty where nothing says so."""
    after: str | None = None
    """The version that must lie there; empty where any older one will do, None where nothing says so."""
    to: str = ""
    into: str = ""
    """The folder of the install that it is laid over; empty for the install itself."""
    removes: tuple[str, ...] = ()
    """Paths below `into` that it takes away."""
    bytes: int = 0
    """As it came."""
    by_name: bool = False
    """Whether its name alone speaks of it."""
    arrival: Arrival | None = None
    """What is in it; None where it cannot be read."""
    fault: str = ""
    """Why it cannot be read."""

    @property
    def name(self) -> str:
        return self.source.replace("\\", "/").rpartition("/")[2]

    @property
    def placed(self) -> Arrival:
        """What is in it, with the paths at which it is laid in the install."""
        assert self.arrival is not None, "nobody lays what cannot be read"
        if not self.into:
            return self.arrival
        release, into = self.arrival.release, self.into
        entries = {f"{into}/{p}": replace(e, path=f"{into}/{p}") for p, e in release.entries.items()}
        texts = {f"{into}/{p}": text for p, text in release.texts.items()}
        return replace(self.arrival, release=_with(release, entries, texts))


def _with(release: Release, entries: Mapping[str, Entry], texts: Mapping[str, bytes]) -> Release:
    return replace(
        release, entries=MappingProxyType(dict(sorted(entries.items()))), texts=MappingProxyType(texts)
    )


def together(packages: Iterable[Package], came: Arrival) -> Arrival:
    """All that some packages bring, later ones over earlier ones, as the one arrival that `came`."""
    placed = [one.placed for one in packages if one.arrival is not None]
    entries = {p: e for one in placed for p, e in one.release.entries.items()}
    texts = {p: t for one in placed for p, t in one.release.texts.items()}
    platform = next((one.release.platform for one in placed if one.release.platform), "")
    return replace(
        came,
        root="",
        release=replace(_with(came.release, entries, texts), platform=platform, readings=()),
        packed_bytes=sum(one.packed_bytes for one in placed),
        notes=tuple(dict.fromkeys(note for one in placed for note in one.notes)),
        news=next((one.news for one in reversed(placed) if one.news), ""),
    )


class RungState(StrEnum):
    """How one rung of a ladder stands."""

    HERE = "here now"
    READY = "ready"
    MISSING = "missing"
    DAMAGED = "damaged"
    NEVER = "never was"
    UNNEEDED = "not needed"
    BEYOND = "out of reach"


@dataclass(frozen=True, slots=True, kw_only=True)
class Rung:
    """One line of a ladder, for people."""

    version: str
    state: RungState
    says: str = ""
    bytes: int = 0
    name: str = ""
    """What the package is called."""
    wanted: bool = False
    """Whether the ladder is climbed up to here."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Climb:
    """The way from one version to another."""

    of: str
    """The program or title."""
    here: str
    wanted: str
    steps: tuple[Package, ...]
    """The packages to be laid, in order; empty where there is no way."""
    rungs: tuple[Rung, ...]
    """From the ground up: all that is known."""
    reachable: tuple[str, ...]
    """Versions that can be reached, oldest first."""
    newest: str = ""
    """The newest that any package leads to, reachable or not."""
    trouble: str = ""
    """Why the wanted version cannot be reached; empty where it can."""
    guessed: tuple[str, ...] = ()
    """Packages of the way of which nothing but the name tells what they come after."""

    def without_content(self) -> Climb:
        """The same without what is in the packages: small enough to be handed on."""
        return replace(self, steps=tuple(replace(step, arrival=None) for step in self.steps))

    @property
    def bytes(self) -> int:
        return sum(step.bytes for step in self.steps)
