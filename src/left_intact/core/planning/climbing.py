"""Which updates are laid, and in which order: from the version that lies here to the wanted one.

A pure function of the packages and the two versions. A number that no package leads to and none comes after
never was; one that a package on the way comes after, and that nothing here leads to, is missing.
"""

from __future__ import annotations

import heapq
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from functools import cmp_to_key, lru_cache

from left_intact.core.model.ladder import Climb, Package, Rung, RungState
from left_intact.core.model.version import Version


@dataclass(frozen=True, slots=True, kw_only=True)
class Title:
    """One program or title with updates that came for it."""

    of: str
    here: str
    """The version that lies here; empty where none could be read."""
    packages: tuple[Package, ...]

    def climb(self, wanted: str = "") -> Climb:
        return climb(self.packages, self.here, wanted)


@dataclass(frozen=True, slots=True, kw_only=True)
class Updates:
    """What came to be laid in order."""

    titles: tuple[Title, ...]
    """Those that lie here, the ones with something to lay first."""
    strangers: tuple[str, ...] = ()
    """Names of packages for something else."""
    why_not: str = ""
    """Why nothing of it can be laid in order; empty where something can."""

    def chosen(self, name: str = "") -> Title | None:
        """The title of that name, else the first."""
        named = next((title for title in self.titles if title.of == name), None)
        return named or next(iter(self.titles), None)


_GAP_MOST = 20
"""Numbers between two rungs that are told one by one; a wider gap is a jump, not a row of numbers."""


def climb(packages: Sequence[Package], here: str, wanted: str = "") -> Climb:
    """The way from `here` up to `wanted`, or to the newest that any package leads to.

    All packages are of one program or title. Versions that cannot be compared count as unequal.
    """
    way = _Ways(packages, here)
    goal = wanted or way.newest
    steps, trouble = way.to(goal) if goal else ((), "there is no update in it")
    return Climb(
        of=next((p.of for p in packages if p.of), ""),
        here=here,
        wanted=goal,
        steps=steps,
        rungs=tuple(_rungs(way, goal, steps)),
        reachable=tuple(way.reachable),
        newest=way.newest,
        trouble=trouble,
        guessed=tuple(step.name for step in steps if step.by_name),
    )


_parsed = lru_cache(maxsize=4096)(Version.parse)


@lru_cache(maxsize=1 << 14)
def _order(one: str, other: str) -> int:
    mine, theirs = _parsed(one), _parsed(other)
    order = mine.compare(theirs) if mine is not None and theirs is not None else None
    return order if order is not None else (one > other) - (one < other)


def same_version(one: str, other: str) -> bool:
    return one == other or _order(one, other) == 0


def _sorted(texts: Iterable[str]) -> list[str]:
    found: list[str] = []
    for text in sorted({t for t in texts if t}, key=cmp_to_key(_order)):
        if not found or not same_version(found[-1], text):
            found.append(text)
    return found


@dataclass(slots=True)
class _Ways:
    """All ways up from one version."""

    packages: Sequence[Package]
    here: str

    @property
    def sound(self) -> list[Package]:
        return [self._placed(p) for p in self.packages if p.to and not p.fault]

    def _placed(self, package: Package) -> Package:
        """A package of which nothing says what it comes after is taken to come after the next lower one."""
        if package.after is not None:
            return package
        lower = [v for v in self.versions if _order(v, package.to) < 0]
        return replace(package, after=lower[-1] if lower else "")

    @property
    def versions(self) -> list[str]:
        """The one that lies here and all that some package leads to, oldest first."""
        return _sorted([self.here, *(p.to for p in self.packages)])

    @property
    def newest(self) -> str:
        return next(iter(reversed(_sorted(p.to for p in self.packages))), "")

    def _from(self, version: str, packages: Sequence[Package]) -> list[Package]:
        """What can be laid on a version: what comes after it, or after any older one than it leads to."""
        return [
            p
            for p in packages
            if _order(p.to, version) > 0 and (not p.after or same_version(p.after, version))
        ]

    def to(self, goal: str) -> tuple[tuple[Package, ...], str]:
        """(the fewest packages, of as many the smallest, why there is no way)."""
        if same_version(goal, self.here):
            return (), f"{self.here} lies here already"
        if _order(goal, self.here) < 0:
            return (), f"{goal} is older than {self.here}, which lies here: a ladder goes up"
        best: dict[str, tuple[int, int]] = {self.here: (0, 0)}
        sound, number = self.sound, 0
        heap: list[tuple[int, int, int, str, tuple[Package, ...]]] = [(0, 0, 0, self.here, ())]
        while heap:
            rungs, size, _, at, way = heapq.heappop(heap)
            if same_version(at, goal):
                return way, ""
            for package in self._from(at, sound):
                if _order(package.to, goal) > 0:
                    continue
                cost = (rungs + 1, size + package.bytes)
                known = next((v for v in best if same_version(v, package.to)), package.to)
                if cost < best.get(known, (1 << 60, 0)):
                    best[known] = cost
                    number += 1
                    heapq.heappush(heap, (*cost, number, known, (*way, package)))
        return (), self._why_not(goal)

    @property
    def reachable(self) -> list[str]:
        found, left, sound = [self.here], [self.here], self.sound
        while left:
            at = left.pop()
            for package in self._from(at, sound):
                if not any(same_version(package.to, v) for v in found):
                    found.append(package.to)
                    left.append(package.to)
        return _sorted(found[1:])

    def missing(self) -> list[str]:
        """Versions that a package comes after, and that nothing here leads to: the lowest first."""
        can = [self.here, *self.reachable]
        whole = [p for p in self.sound if p.after]
        led = [p.to for p in self.packages if not p.fault]
        return _sorted(
            p.after
            for p in whole
            if p.after
            and _order(p.after, self.here) > 0
            and not any(same_version(p.after, v) for v in (*can, *led))
        )

    def _why_not(self, goal: str) -> str:
        if not any(same_version(p.to, goal) for p in self.packages):
            return f"no update here leads to {goal}"
        top = self.reachable[-1] if self.reachable else self.here
        for package in self.packages:
            if package.fault and package.to and _order(package.to, top) > 0 and _order(package.to, goal) <= 0:
                return f"the update to {package.to} cannot be read: {package.fault}"
        if gone := [v for v in self.missing() if _order(v, goal) < 0]:
            after = next(p for p in self.sound if p.after and same_version(p.after, gone[0]))
            return f"the update to {gone[0]} is missing: {after.to} comes after it"
        lowest = _sorted(p.after or "" for p in self.sound if _order(p.to, self.here) > 0)
        if not self.reachable and lowest:
            return f"nothing here comes after {self.here}: the lowest comes after {lowest[0]}"
        return f"no update here leads from {top} on to {goal}"


def _rungs(way: _Ways, goal: str, steps: Sequence[Package]) -> Iterable[Rung]:
    """The whole ladder, from the ground up."""
    yield Rung(version=way.here, state=RungState.HERE)
    laid = {step.to: step for step in steps}
    reach, missing = way.reachable, way.missing()
    below = way.here
    by_source = {step.source for step in steps}
    for version in _sorted([*(v for v in way.versions if _order(v, way.here) > 0), *missing]):
        step = next((s for v, s in laid.items() if same_version(v, version)), None)
        others = [p for p in way.packages if same_version(p.to, version) and p.source not in by_source]
        wanted = same_version(version, goal)
        if step is not None:
            if step.after and same_version(step.after, below):
                yield from _never(below, version)
            says = f"comes after {step.after}" if step.after else "comes after any older one"
            if step.by_name:
                says += ", by its name alone"
            yield Rung(
                version=version,
                state=RungState.READY,
                says=says,
                bytes=step.bytes,
                name=step.name,
                wanted=wanted,
            )
            below = version
            others = [p for p in others if p.source != step.source]
        elif not others and any(same_version(version, v) for v in missing):
            needs = [p.to for p in way.sound if p.after and same_version(p.after, version)]
            says = f"{', '.join(needs)} comes after it, and nothing here leads to it"
            yield Rung(version=version, state=RungState.MISSING, says=says, wanted=wanted)
        for other in others:
            yield _aside(other, version, wanted and step is None, reach, below)


def _aside(package: Package, version: str, wanted: bool, reach: Sequence[str], below: str) -> Rung:
    """A package that is not laid: damaged, out of reach, or not needed on this way."""
    if package.fault:
        state, says = RungState.DAMAGED, f"it cannot be read: {package.fault}"
    elif any(same_version(version, v) for v in reach):
        state = RungState.UNNEEDED
        says = f"comes after {package.after}" if package.after else "comes after any older one"
        says += ", and another way is taken"
        if _order(version, below) > 0:
            says = "beyond the wanted one"
    else:
        state, says = RungState.BEYOND, f"comes after {package.after}" if package.after else ""
    return Rung(
        version=version, state=state, says=says, bytes=package.bytes, name=package.name, wanted=wanted
    )


def _never(below: str, above: str) -> Iterable[Rung]:
    """The numbers between two rungs of which the upper comes right after the lower: they never were."""
    low, high = below.split("."), above.split(".")
    if len(low) != len(high) or low[:-1] != high[:-1] or not (low[-1].isdigit() and high[-1].isdigit()):
        return
    first, last = int(low[-1]) + 1, int(high[-1])
    if not 0 < last - first <= _GAP_MOST:
        return
    for number in range(first, last):
        text = ".".join([*low[:-1], str(number).zfill(len(low[-1]))])
        yield Rung(version=text, state=RungState.NEVER, says=f"{above} comes after {below}")
