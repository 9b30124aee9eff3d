"""What a release ships, whether it is on record (baseline) or has just come (arrival)."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass, field
from types import MappingProxyType

from left_intact.core.model.entry import Entry
from left_intact.core.model.version import Version

_PACKED = re.compile(r"(?i)\.(zip|7z|t[gxb]z|tar(\.[a-z0-9]{1,4})?)$")


@dataclass(frozen=True, slots=True, kw_only=True)
class Reading:
    """A version as read in one place."""

    text: str
    source: str
    """Where it was read, in words: `lib/core.so`, `the name`, `the program itself`."""
    weight: int = 0
    """How much the place is trusted; the heaviest reading speaks for all."""

    @property
    def version(self) -> Version | None:
        return Version.parse(self.text)

    @property
    def read_from(self) -> str:
        """Where it was read, as half a sentence: `read from lib/core.so`, `as you read it`."""
        return self.source if self.source.startswith("as ") else f"read from {self.source}"


@dataclass(frozen=True, slots=True, kw_only=True)
class Release:
    """A list of shipped entries, with the bytes of those that may have to be merged."""

    name: str
    entries: Mapping[str, Entry]
    texts: Mapping[str, bytes] = field(default_factory=lambda: MappingProxyType({}))
    """Contents of small settings-like files, by path."""
    readings: tuple[Reading, ...] = ()
    platform: str = ""
    """System and machine its binaries are for, e.g. `linux x86_64`; empty where there are none."""

    @property
    def reading(self) -> Reading | None:
        return self.readings[0] if self.readings else None

    @property
    def version(self) -> Version | None:
        return self.reading.version if self.reading else None

    @property
    def version_text(self) -> str:
        return self.reading.text if self.reading else ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Arrival:
    """Something that came, looked at and found harmless."""

    source: str
    """Path of the archive, folder or file."""
    shape: str
    """`folder`, `zip`, `tar`, `7z` or `file`."""
    root: str
    """Wrapper folders above the real root, POSIX style; empty where there are none."""
    release: Release
    packed_bytes: int
    digest: str
    """BLAKE3 of the archive itself; empty for a folder."""
    notes: tuple[str, ...] = ()
    """What was passed over, and other things worth knowing."""
    news: str = ""
    """The release notes that it carries, as text."""

    @property
    def called(self) -> str:
        """What people call it: its name without what only says how it is packed."""
        return _PACKED.sub("", self.source.replace("\\", "/").rstrip("/").rpartition("/")[2])
