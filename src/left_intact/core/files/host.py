"""What the machine says: room, rights, running programs, the kind of file system."""

from __future__ import annotations

import os
import shutil
import sys
from collections.abc import Iterable, Mapping
from contextlib import suppress
from typing import TYPE_CHECKING

from left_intact.core.model.errors import LeftIntactError, reason_of

if TYPE_CHECKING:
    import psutil

_FORGETFUL = ("vfat", "exfat", "msdos", "fat", "fat32", "cifs", "smb3", "smbfs", "9p", "fuse.")
"""File systems whose folders may have other inodes each time that they are mounted."""
_NARROW = ("vfat", "exfat", "ntfs", "ntfs3", "fuseblk", "msdos", "cifs", "smb3")


def free_bytes(folder: str) -> int:
    """Bytes free on the file system that `folder` (or its nearest real parent) lies on."""
    while not os.path.isdir(folder):
        folder = os.path.dirname(folder)
    return shutil.disk_usage(folder).free


def unwritable(root: str, folders: Iterable[str]) -> tuple[str, ...]:
    """Those of some folders (relative to root) in which nothing may be written."""
    return tuple(f or "." for f in sorted(set(folders)) if not _may_write(os.path.join(root, f)))


def _may_write(folder: str) -> bool:
    while not os.path.isdir(folder):
        parent = os.path.dirname(folder)
        if parent == folder:
            return False
        folder = parent
    return os.access(folder, os.W_OK | os.X_OK)


def longest_names(root: str) -> tuple[int, int]:
    """(bytes of one name, bytes of a whole path) that the file system and the system allow."""
    try:
        return os.pathconf(root, "PC_NAME_MAX"), os.pathconf(root, "PC_PATH_MAX") - 1
    except (AttributeError, OSError, ValueError):
        return 255, 259 if sys.platform == "win32" else 4095


def rooms(places: Mapping[str, str]) -> dict[str, tuple[int, int]]:
    """(device, bytes free) of some folders; of the nearest real one above where one is yet to be made."""
    found = {}
    for label, folder in places.items():
        while not os.path.isdir(folder):
            folder = os.path.dirname(folder)
        try:
            found[label] = (os.stat(folder).st_dev, free_bytes(folder))
        except OSError as error:
            raise LeftIntactError(
                "no-room-told",
                f"the disk does not say how much room it has ({reason_of(error)})",
                path=folder,
                way_out="Nothing was changed; try again.",
            ) from error
    return found


def running_from(root: str) -> tuple[str, ...]:
    """Programs that were started from below `root`, as `name (process 123)`.

    A system that will not tell what runs stops nothing: what is open elsewhere shows when it is touched.
    """
    import psutil

    prefix = os.path.realpath(root) + os.sep
    found = []
    with suppress(psutil.Error, OSError):
        ours = {os.getpid(), *(p.pid for p in psutil.Process().parents())}
        for process in psutil.process_iter():
            if process.pid not in ours and any(_below(path, prefix) for path in _started_as(process)):
                found.append(f"{_name_of(process)} (process {process.pid})")
    return tuple(found)


def _started_as(process: psutil.Process) -> list[str]:
    """The paths that a process was started by; none of one that the system refuses to speak of."""
    import psutil

    try:
        info = process.as_dict(["exe", "cmdline"])
    except (psutil.Error, OSError):
        return []
    return [info["exe"] or "", *(info["cmdline"] or [])[:2]]


def _name_of(process: psutil.Process) -> str:
    import psutil

    try:
        return str(process.name())
    except (psutil.Error, OSError):
        return "a program"


def _below(path: str, prefix: str) -> bool:
    return bool(path) and os.path.isabs(path) and os.path.realpath(path).startswith(prefix)


def narrow_names(root: str) -> bool:
    """Whether the file system is of those that refuse characters which others allow."""
    return sys.platform == "win32" or _file_system_of(root) in _NARROW


def keeps_identities(root: str) -> bool:
    """Whether a folder is the same device and inode each time that its file system is mounted."""
    kind = _file_system_of(root)
    return not any(kind.startswith(one) if one.endswith(".") else kind == one for one in _FORGETFUL)


def _file_system_of(root: str) -> str:
    """What a file system is called by the system; empty where it does not say."""
    import psutil

    real, best, kind = os.path.realpath(root), "", ""
    try:
        parts = psutil.disk_partitions(all=True)
    except (psutil.Error, OSError):
        return ""
    for part in parts:
        mount = part.mountpoint.rstrip(os.sep) + os.sep
        if (real + os.sep).startswith(mount) and len(mount) > len(best):
            best, kind = mount, part.fstype
    return kind.lower()


def folds_case(root: str) -> bool:
    """Whether names that differ but for case are one here; told by looking up the root's own name."""
    parent, name = os.path.split(os.path.abspath(root))
    other = name.swapcase()
    return (
        other != name
        and os.path.exists(os.path.join(parent, other))
        and os.path.samefile(root, os.path.join(parent, other))
    )
