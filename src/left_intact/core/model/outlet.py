"""Outlets, and what they offer."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from left_intact.core.model.version import Version


class OutletKind(StrEnum):
    FEED = "feed"
    FOLDER = "folder"


@dataclass(frozen=True, slots=True, kw_only=True)
class Outlet:
    """A place where releases of one install appear."""

    id: int
    install: int
    kind: OutletKind
    place: str
    """URL of an Atom feed, or path of a folder of downloads (local, or on a share)."""
    etag: str = ""
    modified: str = ""
    checked: float = 0.0
    """When it was last looked at with success, in seconds since 1970; 0 for never."""
    trouble: str = ""
    """Why the last look failed; what was known before is still shown."""
    leads: str = ""
    """Where it led on to at the last look, in words; empty where it answered itself."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Offer:
    """One release in one place."""

    place: str
    """URL or path of the file."""
    name: str
    version: str
    channel: str = "stable"
    platform: str = ""
    bytes: int = 0
    digest: str = ""
    """SHA-256 in hex, as outlets publish it; empty where they publish none."""
    published: float = 0.0
    notes: str = ""
    """As plain text or Markdown."""
    needs: str = ""
    pack: bool = False
    """Whether it is a pack of content and not a release of the program."""
    full_bytes: int = 0
    """Of a pack: the size of the whole set that it is a part of, as the outlet says."""
    outlet: int = 0

    @property
    def parsed(self) -> Version | None:
        return Version.parse(self.version)


@dataclass(frozen=True, slots=True, kw_only=True)
class Hold:
    """Not beyond a version, with the reason and an end."""

    beyond: str
    """The last version that may go in; empty where no newer one may."""
    reason: str = ""
    until: str = ""
    """A version from which on the hold ends by itself."""

    def forbids(self, version: Version | None) -> bool:
        """Whether an update to a version is held back."""
        if version is None:
            return True
        end = Version.parse(self.until) if self.until else None
        if end is not None and (version.compare(end) or 0) >= 0 and version.compare(end) is not None:
            return False
        limit = Version.parse(self.beyond) if self.beyond else None
        return limit is None or (version.compare(limit) != -1 and version.compare(limit) != 0)


@dataclass(frozen=True, slots=True, kw_only=True)
class NoteLine:
    """One line of the notes; `why` is what of the person's it touches, empty where nothing."""

    version: str
    text: str
    why: str = ""
    heading: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class Ranked:
    """An offer with what is to be said of it for one install."""

    offer: Offer
    newer: bool
    fits: bool
    """Whether it is for this install's system and machine, as far as its name and feed say."""
    held: bool = False
    dismissed: bool = False
    says: tuple[str, ...] = ()
    """`the same bytes in 2 places`, `this place lags behind`, and the like."""

    @property
    def waits(self) -> bool:
        """Worth telling: newer, fitting, not held, not waved off, and a release of the program."""
        return self.newer and self.fits and not self.held and not self.dismissed and not self.offer.pack


@dataclass(frozen=True, slots=True, kw_only=True)
class Fetched:
    """A file that is whole, with what there is to say about how it came."""

    path: str
    digest: str
    says: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class PackLine:
    """One member of a pack and what it is to this person."""

    member: str
    bytes: int
    packed: int
    """Bytes over the wire."""
    path: str = ""
    """Where it goes in the install; empty for what is none of their business."""
    old_bytes: int = 0
    kind: str = "other"
    """`mine` (replaces something owned), `same` (owned as it is), `lacking`, or `other`."""


@dataclass(frozen=True, slots=True, kw_only=True)
class PackView:
    """A pack sorted for one install, with its three sizes."""

    name: str
    place: str
    lines: tuple[PackLine, ...]
    full_bytes: int
    """The whole set, as the outlet says; 0 where it does not."""
    pack_bytes: int
    known: tuple[int, int, bytes] | None = None
    """The directory of a pack at an outlet, as `RangedFile` takes it again."""

    def of(self, kind: str) -> tuple[PackLine, ...]:
        return tuple(line for line in self.lines if line.kind == kind)

    @property
    def share_bytes(self) -> int:
        """What must come over the wire for what they own."""
        return sum(line.packed for line in self.of("mine"))
