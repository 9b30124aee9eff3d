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
