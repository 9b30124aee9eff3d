"""What is laid from an arrival: how it will lie, and which member has its bytes."""

from __future__ import annotations

from dataclasses import replace

from left_intact.core.model.entry import Entry, Kind
from left_intact.core.model.release import Arrival
from left_intact.core.model.stages import FromArrival


def laid(coming: Entry, before: Entry | None) -> Entry:
    """The arriving entry as it will lie; where the archive knows no mode, the old one stays.

    A right to run that the person gave stays; what is laid can always be read and written by its owner.
    """
    kept = before.mode if before is not None and before.kind is Kind.FILE else None
    mode = coming.mode
    if mode is None:
        mode = kept if kept is not None else 0o644
    elif kept is not None:
        mode |= kept & 0o111
    return replace(coming, mode=mode | 0o600 if coming.kind is Kind.FILE else mode)


def member_of(arrival: Arrival, path: str, number: int = 0) -> FromArrival:
    """Where the bytes of a path of a release lie in what came; `number` is its place among the arrivals."""
    return FromArrival(number, f"{arrival.root}/{path}" if arrival.root else path)
