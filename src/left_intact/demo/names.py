"""Names of things that never were: the games and people's words of the Pier Room."""

from __future__ import annotations

import random

_FIRST = (
    "Salt",
    "Moth",
    "Tin",
    "Harbour",
    "Lantern",
    "Marble",
    "Copper",
    "Winter",
    "Paper",
    "Velvet",
    "Signal",
    "Hollow",
    "Amber",
    "Drift",
    "Orchard",
    "Clay",
    "Thunder",
    "Quiet",
    "Cinder",
    "Ferry",
    "Glass",
    "Moss",
    "Rook",
    "Tidal",
)
_SECOND = (
    "Road",
    "Hour",
    "Regatta",
    "Keeper",
    "Parade",
    "Engine",
    "Garden",
    "Circuit",
    "Weather",
    "Ballad",
    "Corridor",
    "Pilot",
    "Mill",
    "Chorus",
    "Warden",
    "Express",
    "Ledger",
    "Voyage",
    "Ramble",
    "Carnival",
)


def titles(count: int, seed: str) -> list[str]:
    """Different made-up titles, the same every time."""
    rng = random.Random(f"titles {seed}")
    pairs = [f"{a} {b}" for a in _FIRST for b in _SECOND]
    rng.shuffle(pairs)
    fixed = ["Salt Road", "Moth Hour"]
    return (fixed + [p for p in pairs if p not in fixed])[:count]


def slug(title: str) -> str:
    return title.lower().replace(" ", "-")
