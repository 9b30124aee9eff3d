"""What the machine says about carrying a plan out, gathered before and handed in as a value."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True, kw_only=True)
class Circumstances:
    """Facts about disk, rights and processes."""

    free: int = 1 << 62
    """Bytes free where install and strongbox lie."""
    unwritable: tuple[str, ...] = ()
    """Folders of the install that may not be written, relative to the root."""
    running: tuple[str, ...] = ()
    """Programs started from the install, as `name (process 123)`."""
    narrow_names: bool = False
    """Whether the file system cannot hold every name."""
    held: str = ""
    """Why the arriving version is held back; empty where it is not."""
    folds_case: bool = False
    """Whether names that differ but for case are one."""
