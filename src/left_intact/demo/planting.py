"""Planting files: trees as plain values, laid down with their dates, and packed as releases."""

from __future__ import annotations

import os
import random
import zipfile
from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import datetime

DAY = 86400


def moment(text: str) -> int:
    """Seconds since 1970 of `2026-11-21 14:02`, in local time, as a person at the pier would read it."""
    return int(datetime.strptime(text, "%Y-%m-%d %H:%M").timestamp())


@dataclass(frozen=True, slots=True)
class Plant:
    """One file to be."""

    content: bytes
    mtime: int
    """Seconds since 1970."""
    mode: int = 0o644


@dataclass(slots=True)
class Bed:
    """A folder to be."""

    plants: dict[str, Plant] = field(default_factory=dict)
    folders: list[str] = field(default_factory=list)
    """Empty ones."""

    def put(self, path: str, content: bytes | str, mtime: int, mode: int = 0o644) -> None:
        data = content.encode() if isinstance(content, str) else content
        self.plants[path] = Plant(data, mtime, mode)

    def lay(self, root: str) -> None:
        """Write everything; a folder is dated like the newest thing in it."""
        newest: dict[str, int] = {}
        for path, plant in self.plants.items():
            target = os.path.join(root, path)
            os.makedirs(os.path.dirname(target), exist_ok=True)
            with open(target, "wb") as file:
                file.write(plant.content)
            os.chmod(target, plant.mode)
            os.utime(target, (plant.mtime, plant.mtime))
            folder = os.path.dirname(path)
            while True:
                newest[folder] = max(newest.get(folder, 0), plant.mtime)
                if not folder:
                    break
                folder = os.path.dirname(folder)
        for path in self.folders:
            os.makedirs(os.path.join(root, path), exist_ok=True)
            newest[path] = max(plant.mtime for plant in self.plants.values())
        for folder in sorted(newest, key=lambda f: -f.count("/") - bool(f)):
            os.utime(os.path.join(root, folder), (newest[folder], newest[folder]))

    def pack(self, path: str, wrapper: str = "") -> None:
        """A zip with everything below a wrapper folder, or none, the same bytes every time."""
        os.makedirs(os.path.dirname(path), exist_ok=True)
        with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive:
            for name, plant in sorted(self.plants.items()):
                info = zipfile.ZipInfo(
                    f"{wrapper}/{name}" if wrapper else name,
                    datetime.fromtimestamp(plant.mtime).timetuple()[:6],
                )
                info.external_attr = (0o100000 | plant.mode) << 16
                info.create_system = 3
                info.compress_type = zipfile.ZIP_DEFLATED
                archive.writestr(info, plant.content)
        newest = max(plant.mtime for plant in self.plants.values())
        os.utime(path, (newest + 3600, newest + 3600))


def date_folders(root: str) -> None:
    """Date every folder below one, and itself, like the newest thing in it."""
    for folder, folders, names in os.walk(root, topdown=False):
        inside = [os.lstat(os.path.join(folder, name)).st_mtime for name in (*folders, *names)]
        if inside:
            os.utime(folder, (max(inside), max(inside)))


def over_time(rng: random.Random, first: str, last: str) -> int:
    """A moment between two dates, in the evening as a rule."""
    start, stop = moment(f"{first} 00:00"), moment(f"{last} 00:00")
    day = rng.randrange((stop - start) // DAY + 1)
    return start + day * DAY + rng.choice((15, 18, 19, 20, 21, 22)) * 3600 + rng.randrange(3600)


def noise(rng: random.Random, size: int, lead: bytes = b"") -> bytes:
    """Bytes of a made-up format, with a lead of its own."""
    return (lead + rng.randbytes(max(0, size - len(lead))))[:size]


def same_but(bed: Bed, changes: Mapping[str, bytes | str]) -> Bed:
    """A copy of a bed with some contents exchanged; times and modes stay."""
    copy = Bed(dict(bed.plants), list(bed.folders))
    for path, content in changes.items():
        old = copy.plants[path]
        copy.put(path, content, old.mtime, old.mode)
    return copy
