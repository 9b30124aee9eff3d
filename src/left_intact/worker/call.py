"""What a face asks a worker to do, as plain data that crosses from one process to another."""

from __future__ import annotations

import copyreg
import inspect
import pickle
from dataclasses import dataclass, field
from functools import reduce
from threading import Event
from types import MappingProxyType
from typing import Any

from left_intact.core.model.errors import LeftIntactError, reason_of
from left_intact.core.model.progress import CancelToken, Report

Message = tuple[Any, ...]
"""Down: ("do", number, call, beside), ("cancel", number), ("nudge", number).
Up: ("progress", number, progress), ("done", number, result), ("failed", number, error)."""

copyreg.pickle(MappingProxyType, lambda m: (MappingProxyType, (dict(m),)))  # type: ignore[arg-type]


@dataclass(frozen=True, slots=True)
class Call:
    """A method of the workbench or of the desk work by its dotted name, with its arguments."""

    name: str
    args: tuple[Any, ...] = ()
    named: dict[str, Any] = field(default_factory=dict)


def call(name: str, *args: Any, **named: Any) -> Call:
    """`call("updates.prove", install)`."""
    return Call(name, args, named)


@dataclass(frozen=True, slots=True)
class Signals:
    """How a call tells how far it is, and what it is told meanwhile."""

    report: Report
    cancel: CancelToken
    nudged: Event = field(default_factory=Event)
    """The person says that something outside is over, such as a run that is watched."""


def carry_out(wanted: Call, hands: object, signals: Signals) -> Any:
    """Make a call. A method gets of the signals what it names: `report`, `cancel`, `wait`."""
    method = reduce(getattr, wanted.name.split("."), hands)
    takes = inspect.signature(method).parameters  # type: ignore[arg-type]
    known = {"report": signals.report, "cancel": signals.cancel, "wait": signals.nudged.wait}
    own = {name: value for name, value in known.items() if name in takes}
    return method(*wanted.args, **wanted.named, **own)  # type: ignore[operator]


def worded(error: BaseException) -> LeftIntactError:
    """Any error as one that has a line for the person."""
    if isinstance(error, LeftIntactError):
        return error
    if isinstance(error, OSError):
        reason = reason_of(error)
        return LeftIntactError("disk", f"the disk refused ({reason})", path=str(error.filename or ""))
    return LeftIntactError("unexpected", f"this should not happen: {error!r}", way_out="Please report it.")


def as_sent(message: Message) -> Message:
    """A message as it would arrive in another process."""
    sent: Message = pickle.loads(pickle.dumps(message, pickle.HIGHEST_PROTOCOL))
    return sent
