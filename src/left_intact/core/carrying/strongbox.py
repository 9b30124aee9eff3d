"""The store of verified copies of everything an update displaced.

It lies beside the install, in `.left-intact/`, so that it shares the file system and
outlives an uninstall. Objects are named by their digest and verified whenever read.
"""

from __future__ import annotations

import os
import re
import sqlite3
from collections.abc import Iterator
from contextlib import contextmanager
from hashlib import sha256

from left_intact.core.files.names import STRONGBOX_FOLDER
from left_intact.core.model.errors import LeftIntactError


class Strongbox:
    """The strongbox of one install."""

    def __init__(self, folder: str) -> None:
        self.folder = folder

    @property
    def journal_path(self) -> str:
        return os.path.join(self.folder, "journal.sqlite")

    def make(self) -> None:
        os.makedirs(os.path.join(self.folder, "objects"), mode=0o700, exist_ok=True)

    @property
    def exists(self) -> bool:
        return os.path.exists(self.journal_path)

    # ------------------------------------------------------------ objects

    def object_path(self, digest: str) -> str:
        return os.path.join(self.folder, "objects", digest[:2], digest)

    def has(self, digest: str) -> bool:
        """Whether a verified copy is there; a damaged one counts as none."""
        from left_intact.core.carrying import disk

        try:
            return disk.digest_of(self.object_path(digest)) == digest
        except OSError:
            return False

    def keep(self, source: str, digest: str) -> None:
        """Take a verified copy of a file. Not flushed; see `flush`."""
        from left_intact.core.carrying import disk

        if self.has(digest):
            return
        path = self.object_path(digest)
        os.makedirs(os.path.dirname(path), mode=0o700, exist_ok=True)
        waiting = path + ".part"
        disk.discard(waiting, self.folder)
        disk.copy_verified(source, waiting, digest)
        os.replace(waiting, path)

    def give(self, digest: str, target: str) -> None:
        """Copy an object out to a new path. Raises `strongbox-damaged` where it fails its digest."""
        from left_intact.core.carrying import disk

        path = self.object_path(digest)
        try:
            disk.copy_verified(path, target, digest)
        except (LeftIntactError, FileNotFoundError) as error:
            raise LeftIntactError(
                "strongbox-damaged", "a copy in the strongbox is missing or damaged", path=path,
                way_out="Nothing else was touched; see what is in the strongbox before going on.",
            ) from error  # fmt: skip

    def free(self, digest: str) -> int:
        """Let go of an object; returns the bytes it freed."""
        from left_intact.core.carrying import disk

        path = self.object_path(digest)
        try:
            size = os.path.getsize(path)
        except OSError:
            return 0
        disk.discard(path, self.folder)
        return size

    def size(self) -> int:
        """Bytes in all objects."""
        total = 0
        for folder, _, names in os.walk(os.path.join(self.folder, "objects")):
            total += sum(os.path.getsize(os.path.join(folder, name)) for name in names)
        return total

    def flush(self) -> None:
        from left_intact.core.carrying import disk

        disk.flush_file_system(self.folder)

    # ------------------------------------------------------------ work folders

    def work_folder(self, update: int) -> str:
        return os.path.join(self.folder, f"work-{update}")

    def open_work(self, update: int) -> str:
        folder = self.work_folder(update)
        os.makedirs(folder, mode=0o700, exist_ok=True)
        return folder

    def clear_work(self, update: int) -> None:
        from left_intact.core.carrying import disk

        disk.discard_all(self.work_folder(update), self.folder)

    def trial_path(self, update: int, path: str) -> str:
        """Where a file that was changed while on trial is kept, under its own name."""
        return os.path.join(self.folder, f"from-trial-{update}", path)

    # ------------------------------------------------------------ one at a time

    @contextmanager
    def locked(self) -> Iterator[None]:
        """Hold the strongbox for one process; a crash lets go of it by itself."""
        self.make()
        lock = sqlite3.connect(os.path.join(self.folder, "lock.sqlite"), timeout=0.2, isolation_level=None)
        try:
            lock.execute("BEGIN EXCLUSIVE")
        except sqlite3.OperationalError as error:
            lock.close()
            raise LeftIntactError(
                "busy", "another Left Intact is at work on this install", path=self.folder, way_out="Wait for it."
            ) from error
        try:
            yield
        finally:
            lock.close()


def strongbox_for(root: str, name: str, home: str) -> Strongbox:
    """The strongbox of an install: beside it, or below `home` where that cannot be written."""
    root = os.path.abspath(root)
    slug = re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-")[:40] or "install"
    label = f"{slug}-{sha256(os.fsencode(root)).hexdigest()[:8]}"
    at_home = os.path.join(home, "strongbox", label)
    beside = os.path.join(os.path.dirname(root), STRONGBOX_FOLDER, label)
    if os.path.exists(os.path.join(at_home, "journal.sqlite")) or not _can_write_beside(root):
        return Strongbox(at_home)
    return Strongbox(beside)


def _can_write_beside(root: str) -> bool:
    parent = os.path.dirname(root)
    folder = os.path.join(parent, STRONGBOX_FOLDER)
    return os.access(folder if os.path.isdir(folder) else parent, os.W_OK) and parent != root
