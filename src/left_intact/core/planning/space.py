"""How much room a plan needs, counted for each file system on the way."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable

from left_intact.core.model.entry import Kind
from left_intact.core.model.plan import Move, Room, Space
from left_intact.core.planning.circumstances import BOX, Circumstances

_OVERHEAD = 4 << 20
"""For the journal and what file systems take beside."""


def room_for(moves: Iterable[Move], circumstances: Circumstances) -> Space:
    """Copies of what goes lie in the strongbox, what comes waits beside its root; each counts where it
    lies.
    """
    changing = [m for m in moves if m.is_step]
    needed: Counter[str] = Counter()
    for move in changing:
        if move.before is not None and move.before.kind is Kind.FILE:
            needed[BOX] += move.before.bytes
        if move.changes_disk and move.after is not None and move.joins is None:
            needed[move.at.root] += move.after.bytes
    if not changing:
        return Space(needed=0, free=circumstances.free)
    by_device: dict[int, Room] = {}
    for label in dict.fromkeys((BOX, "", *needed)):
        device, free = (
            circumstances.rooms.get(label) or circumstances.rooms.get("") or (0, circumstances.free)
        )
        known = by_device.get(device)
        place = "the strongbox" if label == BOX else label or "the install"
        if known is not None:
            by_device[device] = Room(
                place=f"{known.place} and {place}", needed=known.needed + needed[label], free=free
            )
        else:
            by_device[device] = Room(place=place, needed=needed[label] + _OVERHEAD, free=free)
    rooms = tuple(by_device.values())
    total = sum(room.needed for room in rooms)
    if len(rooms) == 1:
        return Space(needed=total, free=rooms[0].free)
    return Space(needed=total, free=min(room.free for room in rooms), rooms=rooms)
