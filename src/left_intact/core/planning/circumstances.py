"""What the machine says about carrying a plan out, gathered before and handed in as a value."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from types import MappingProxyType

from left_intact.core.model.place import Root

BOX = "strongbox:"
"""No label: those have no colon."""


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
    name_bytes: int = 255
    """How long one name may be."""
    path_bytes: int = 4095
    """How long a whole path may be, the root's included."""
    box_beside: str = ""
    """Where the strongbox lies, where that is beside the install and a step by hand may take it along."""
    ghost: Root | None = None
    """The folder in which a former install may have left something that is still in the way."""
    links: bool = True
    """Whether the file system holds links."""
    roots: tuple[Root, ...] = ()
    """The folders of the install, as they were before it was read."""
    rooms: Mapping[str, tuple[int, int]] = field(default_factory=lambda: MappingProxyType({}))
    """(device, bytes free) by the label of each root; the strongbox under `BOX`. Empty where all is on one.
    """
