"""How the core tells how far it is, and how it is told to stop. It knows no thread and no screen."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from threading import Event

from left_intact.core.model.errors import Stopped


@dataclass(frozen=True, slots=True, kw_only=True)
class Progress:
    """A moment of some long work."""

    stage: str
    done: int = 0
    """Things done so far."""
    total: int = 0
    """Things in all, or 0 where that is not known yet."""
    bytes_done: int = 0
    path: str = ""


Report = Callable[[Progress], None]


def silent(_: Progress) -> None:
    """For callers who do not want to know."""


@dataclass(slots=True)
class CancelToken:
    """Set from anywhere; looked at between two steps."""

    _event: Event = field(default_factory=Event)

    def cancel(self) -> None:
        self._event.set()

    @property
    def cancelled(self) -> bool:
        return self._event.is_set()

    def check(self) -> None:
        """Raise `Stopped` if the person wants out."""
        if self._event.is_set():
            raise Stopped
