"""An install as the library knows it, and what the person ruled about it."""

from __future__ import annotations

from dataclasses import dataclass

from left_intact.core.model.classes import FileClass


@dataclass(frozen=True, slots=True, kw_only=True)
class Install:
    """One program on disk that is looked after."""

    id: int
    name: str
    root: str
    role: str
    added: float
    version_command: tuple[str, ...] = ()
    """The command that prints the program's version; run only because the person allowed it."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Ruling:
    """A person's word on a path or pattern."""

    id: int
    pattern: str
    file_class: FileClass
