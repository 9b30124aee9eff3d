"""Names of things that never were: the games and people's words of the Pier Room."""

from __future__ import annotations

import random

_FIRST = (
    *("Skerrin", "Tamsley", "Wrendle", "Orrindle", "Pelloway", "Marrowby", "Quennet", "Hobbinry"),
    *("Tarrish", "Dulverne", "Fennimoor", "Gallowick", "Harrowen", "Issaly", "Jennick", "Kittlow"),
    *("Lammerby", "Nettlow", "Ossaway", "Pimmerel", "Rallow", "Sollerby", "Thessel", "Ulliver"),
)
"""Places that are on no map: no title of a word of these is anybody's."""
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
