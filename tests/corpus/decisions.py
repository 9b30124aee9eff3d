"""Decisions of a draw: each is taken by itself from a seed, and written down, so that they can be counted."""

from __future__ import annotations

import random
from collections import Counter, defaultdict
from collections.abc import Iterable, Mapping, Sequence


class Decisions:
    """Takes decisions from a seed. `taken` has (decision, option) of each, in order."""

    def __init__(self, seed: str) -> None:
        self.rng = random.Random(f"program {seed}")
        self.taken: list[tuple[str, str]] = []

    def pick(self, decision: str, options: Sequence[str] | Mapping[str, float]) -> str:
        """One of some options, all equally likely or by their weights."""
        if isinstance(options, Mapping):
            found = self.rng.choices(list(options), list(options.values()))[0]
        else:
            found = self.rng.choice(options)
        self.taken.append((decision, found))
        return found

    def happens(self, decision: str, chance: float = 0.5) -> bool:
        """Return True as often as `chance` says, from 0 to 1."""
        return self.pick(decision, {"yes": chance, "no": 1 - chance}) == "yes"

    def count(self, decision: str, least: int, most: int) -> int:
        """A number of things: few as a rule, sometimes many. Written down by its order of size."""
        found = round(least * (most / least) ** self.rng.random())
        third = (most / least) ** (1 / 3)
        rank = "few" if found < least * third else "some" if found < least * third**2 else "many"
        self.taken.append((f"how many {decision}", rank))
        return found


def tally(draws: Iterable[Iterable[tuple[str, str]]]) -> dict[str, Counter[str]]:
    """By decision: how often each option was taken in some draws."""
    found: dict[str, Counter[str]] = defaultdict(Counter)
    for taken in draws:
        for decision, option in taken:
            found[decision][option] += 1
    return dict(sorted(found.items()))
