"""Numbers, sizes and dates as both faces write them."""

from __future__ import annotations

import re
from collections.abc import Sequence
from datetime import datetime

CONTROL = re.compile(r"[\x00-\x1f\x7f-\x9f\u202a-\u202e\u2066-\u2069]")


NO_VERSION = "not known"
"""What every view says of a version that could not be read."""


def size(amount: int) -> str:
    """Bytes as people read them: 3.4 MB. Decimal steps, as file managers and disks use them."""
    if amount < 1000:
        return f"{amount} B"
    value = float(amount)
    for unit in ("KB", "MB", "GB", "TB"):
        value /= 1000
        if value < 999.5 or unit == "TB":
            return f"{value:.1f} {unit}" if value < 9.95 else f"{value:.0f} {unit}"
    raise AssertionError


def count(number: int, one: str, many: str = "") -> str:
    """`1 file`, `4,187 files`."""
    return f"{number:,} {one if number == 1 else many or one + 's'}"


def ago(then: float, now: float) -> str:
    """How long ago a moment was; both in seconds since 1970."""
    passed = max(0, int(now - then))
    for seconds, one in (
        (365 * 86400, "year"),
        (30 * 86400, "month"),
        (86400, "day"),
        (3600, "h"),
        (60, "min"),
    ):
        if passed >= seconds:
            number = passed // seconds
            return f"{number} {one} ago" if seconds <= 3600 else f"{count(number, one)} ago"
    return "just now"


def date(then: float) -> str:
    """A date as `21 Nov 2026`, in local time."""
    day = datetime.fromtimestamp(then)
    return f"{day.day} {day:%b %Y}"


def moment(then: float) -> str:
    """A time as `2026-11-21 19:05`, in local time."""
    return f"{datetime.fromtimestamp(then):%Y-%m-%d %H:%M}"


def bearable(name: str) -> str:
    """A text of anybody's without what would move the cursor, turn the line round or break the terminal."""
    return CONTROL.sub("\u00b7", name.encode("utf-8", "replace").decode("utf-8"))


def listed(names: Sequence[str], most: int = 3) -> str:
    """The first of some names, and how many more there are."""
    more = f" and {len(names) - most:,} more" if len(names) > most else ""
    return ", ".join(names[:most]) + more


def versions(before: str, after: str) -> str:
    """`4.4.2 → 4.6.0`; one of them where it stays what it is."""
    one, other = before or NO_VERSION, after or NO_VERSION
    return one if one == other else f"{one} → {other}"
