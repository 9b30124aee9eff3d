"""What no honest archive has: refused before anything of it is unpacked.

Paths that escape or are no names, links that lead out (also by way of other links), devices, bombs, names
that a file system may take for one, our own folder, and more of anything than a release has.
"""

from __future__ import annotations

import unicodedata
from collections.abc import Iterator, Mapping
from dataclasses import dataclass

from left_intact.core.files.names import STRONGBOX_FOLDER, has_controls, safe_path, way_inside
from left_intact.core.model.entry import Kind
from left_intact.core.model.errors import LeftIntactError

BOMB_RATIO = 200
"""Unpacked bytes for each packed one beyond which an archive is taken for a bomb."""
BOMB_FLOOR = 32 << 20
"""Below this many unpacked bytes no archive is a bomb."""
MEMBERS_MOST = 250_000
CROWD, CROWDED = 20_000, 16
"""From so many members on, each takes at least so many packed bytes: what has content takes more."""
PATH_MOST, DEPTH_MOST = 8_192, 64
"""Letters of a path, and folders in it; what a file system allows is less, and said when a plan is drawn."""
NAMES_MOST = 64 << 20
"""Letters of all paths and links together."""
LINK_MOST = 4_096
"""Bytes of where a link points."""
STEPS_MOST = 400_000
"""Names that all links together may pass on their ways: each may lead by way of many others."""
HEADER_MOST = 1 << 16
"""Bytes of what a header may carry beside its fixed fields: long names, attributes."""
MODE_MASK = 0o755
"""What a release may say of the rights of a file: no set-id bits, and none for others to write."""
_LATEST_NS = (1 << 63) - 1


@dataclass(frozen=True, slots=True, kw_only=True)
class Member:
    """One thing in a source, its path made safe."""

    path: str
    kind: Kind
    bytes: int
    mode: int | None
    mtime_ns: int
    link: str = ""
    handle: object = None
    """What the source itself needs to find it again."""


def broken(path: str, why: str) -> LeftIntactError:
    return LeftIntactError(
        "archive-broken", f"this archive cannot be read ({why})", path=path, way_out="Fetch it again."
    )


def hostile(path: str, why: str) -> LeftIntactError:
    return LeftIntactError(
        "archive-hostile",
        f"this archive is refused: {why}",
        path=path,
        way_out="Do not use it; get it elsewhere.",
    )


def unreadable(path: str, error: OSError) -> LeftIntactError:
    return LeftIntactError(
        "arrival-unreadable",
        f"this may not be read ({error.strerror})",
        path=path,
        way_out="Check its permissions.",
    )


def safe_member(archive: str, name: str) -> str:
    """The path of a member, or `archive-hostile`."""
    if len(name) > PATH_MOST or name.count("/") + name.count("\\") > DEPTH_MOST:
        raise hostile(archive, f"the path {name[:40]!r}… is longer or deeper than any release needs")
    clean = safe_path(name)
    if clean is None:
        raise hostile(archive, f"the path {name!r} leaves its root")
    if has_controls(clean):
        raise hostile(archive, f"the name {clean!r} has control characters")
    if any(part.casefold() == STRONGBOX_FOLDER for part in clean.split("/")):
        raise hostile(archive, f"{clean} would be taken for a strongbox of ours")
    return clean


def moment_of(seconds: float) -> int:
    """Nanoseconds since 1970 of what a header says; what is no time is 0."""
    try:
        found = int(seconds * 10**9)
    except (OverflowError, ValueError):
        return 0
    return found if 0 <= found <= _LATEST_NS else 0


def vetted(path: str, members: Iterator[Member], packed: int) -> tuple[Member, ...]:
    """All members, or `archive-hostile` for the first that no honest archive has."""
    seen: dict[str, Member] = {}
    total = letters = 0
    result = []
    for member in members:
        twin = seen.setdefault(unicodedata.normalize("NFC", member.path).casefold(), member)
        if twin is not member:
            if member.kind is Kind.FOLDER and twin.path == member.path and twin.kind is Kind.FOLDER:
                continue
            says = f"{member.path} is in it twice, or twice but for case or the form of its letters"
            raise hostile(path, says)
        total, letters = total + member.bytes, letters + len(member.path) + len(member.link)
        if letters > NAMES_MOST:
            raise hostile(path, "its names alone are more than any release has")
        if total > BOMB_FLOOR and total > packed * BOMB_RATIO:
            raise hostile(path, f"it unpacks to over {BOMB_RATIO} times its size")
        if len(seen) > MEMBERS_MOST:
            raise hostile(path, f"it has over {MEMBERS_MOST:,} members")
        if len(seen) > CROWD and len(seen) * CROWDED > packed:
            raise hostile(path, "it has more members than its few bytes can hold")
        result.append(member)
    _refuse_paths_through_files(path, result)
    refuse_links_out(path, {m.path: m.link for m in result if m.kind is Kind.LINK})
    return tuple(sorted(result, key=lambda m: m.path))


def refuse_links_out(path: str, links: Mapping[str, str]) -> None:
    """`archive-hostile` for the first link that leads out of its root, by itself or by way of others."""
    steps = 0
    for link, target in links.items():
        way = way_inside(link, target, links) if len(target) <= LINK_MOST else None
        if way is None:
            raise hostile(path, f"the link {link} points out of it, to {target[:200]}")
        steps += way
        if steps > STEPS_MOST:
            raise hostile(path, "its links lead through one another further than any release's")


def _refuse_paths_through_files(path: str, members: list[Member]) -> None:
    solid = {m.path for m in members if m.kind is not Kind.FOLDER}
    for member in members:
        at = member.path.rfind("/")
        while at > 0:
            if member.path[:at] in solid:
                raise hostile(path, f"{member.path} lies below {member.path[:at]}, which is no folder")
            at = member.path.rfind("/", 0, at)
