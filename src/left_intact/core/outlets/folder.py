"""A folder of downloads, local or on a share, as an outlet."""

from __future__ import annotations

import os
import re

from left_intact.core.files.versions import platform_in_name
from left_intact.core.model.errors import LeftIntactError, reason_of
from left_intact.core.model.outlet import Offer
from left_intact.core.model.version import name_without_version, version_in_name
from left_intact.core.model.waits import channel_of

_ARCHIVE = re.compile(r"(?i)\.(zip|7z|tar|tgz|tbz2|txz|tar\.(gz|bz2|xz|zst))$")
_SUM = re.compile(r"^([0-9a-fA-F]{64})[ *]+(.+)$")


def read_folder(place: str, program: str) -> tuple[Offer, ...]:
    """Archives in a folder that bear a program's name. Raises `LeftIntactError` (`no-outlet`)."""
    try:
        with os.scandir(place) as found:
            files = sorted((f for f in found if f.is_file()), key=lambda f: f.name)
    except OSError as error:
        reason = reason_of(error)
        raise LeftIntactError(
            "no-outlet",
            f"this folder of downloads cannot be read ({reason})",
            path=place,
            way_out="What was known before is kept.",
        ) from error
    sums = checksums(place)
    bare = name_without_version(program).split(" ")[0]
    offers = []
    for file in files:
        version = version_in_name(file.name)
        if not _ARCHIVE.search(file.name) or not name_without_version(file.name).startswith(bare):
            continue
        info = file.stat()
        offers.append(
            Offer(
                place=file.path,
                name=file.name,
                version=version.text if version else "",
                bytes=info.st_size,
                channel=channel_of(file.name),
                platform=platform_in_name(file.name),
                digest=sums.get(file.name, ""),
                published=info.st_mtime,
                pack="pack" in file.name.lower(),
            )
        )
    return tuple(offers)


def checksums(folder: str) -> dict[str, str]:
    """SHA-256 sums by name, from a SHA256SUMS file of the usual form beside the files."""
    try:
        with open(os.path.join(folder, "SHA256SUMS"), encoding="utf-8", errors="replace") as file:
            return read_sums(file.read())
    except OSError:
        return {}


def read_sums(text: str) -> dict[str, str]:
    """Digests by name, from lines of digest and name."""
    found = (_SUM.match(line.strip()) for line in text.splitlines())
    return {m.group(2).strip(): m.group(1).lower() for m in found if m}
