"""`make torture`: everything that can be done to an update in half an hour, and a table of what came of it.

    python -m tests.torture [--minutes 26] [--seed 1]

Ends with 1 where anything was lost, altered or stuck, or where something else than a line came of a fault.
"""

from __future__ import annotations

import argparse
import os
import random
import sys
import tempfile
import time
from collections import Counter
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, field
from multiprocessing import get_context
from pathlib import Path

from tests.torture import faults, power
from tests.torture.ground import WORKS, Ground, Judged

SHARE_OF_POWER = 0.15
"""Of the time; the rest goes to faults and kills at system calls."""
AT_ONCE = 2


@dataclass(slots=True)
class Tally:
    """One line of the table."""

    tried: int = 0
    outcomes: Counter[str] = field(default_factory=Counter)
    bad: Counter[str] = field(default_factory=Counter)
    shown: list[str] = field(default_factory=list)

    def add(self, what: object, judged: Judged) -> None:
        self.tried += 1
        self.outcomes[judged.outcome.partition(":")[0]] += 1
        for name in ("lost", "altered", "stuck", "fault"):
            if getattr(judged, name):
                self.bad[name] += 1
        if judged.is_bad and len(self.shown) < 5:
            self.shown.append(f"{what}: {judged}")

    def merge(self, other: Tally) -> None:
        self.tried += other.tried
        self.outcomes += other.outcomes
        self.bad += other.bad
        self.shown += other.shown


Table = dict[tuple[str, str, str], Tally]
"""By (where the strongbox is, what is tortured, by what)."""


def places(folder: str) -> Iterator[tuple[str, Path, Path | None]]:
    """(name, ground, other file system for the strongbox); the second only where there are two."""
    memory = Path("/dev/shm")
    here = memory if os.access(memory, os.W_OK) else Path(folder)
    yield "beside", here, None
    if here.stat().st_dev != Path(folder).stat().st_dev:
        yield "elsewhere", here, Path(folder)


def torture(where: str, ground_at: Path, elsewhere: Path | None, seconds: float, seed: int) -> Table:
    """All works on one ground, each for its share of the time, in an order of chance."""
    rng, table = random.Random(seed), Table()
    with (
        tempfile.TemporaryDirectory(dir=ground_at) as folder,
        tempfile.TemporaryDirectory(dir=elsewhere or ground_at) as other,
    ):
        ground = Ground(Path(folder) / "g", elsewhere=Path(other) if elsewhere is not None else None)
        each = seconds / len(WORKS)
        for work in WORKS:
            ends = time.monotonic() + each * SHARE_OF_POWER
            tape = power.tape_of(ground, work)
            cuts = list(power.cuts(tape, rng, 2))
            rng.shuffle(cuts)
            for cut in cuts:
                if time.monotonic() > ends:
                    break
                forward = rng.random() < 0.5
                judged = power.carry_out(ground, work, tape, cut, forward=forward)
                table.setdefault((where, work, "power"), Tally()).add(f"{work}: {cut}", judged)
            if faults.can_inject():
                continue
            ends = time.monotonic() + each * (1 - SHARE_OF_POWER)
            tries = list(faults.tries(work, faults.calls_of(ground, work)))
            rng.shuffle(tries)
            for one in tries:
                if time.monotonic() > ends:
                    break
                judged = faults.carry_out(ground, one, forward=rng.random() < 0.5, again=rng.random() < 0.5)
                table.setdefault((where, work, one.fault), Tally()).add(one, judged)
    return table


def main() -> int:
    said = argparse.ArgumentParser()
    said.add_argument("--minutes", type=float, default=26)
    said.add_argument("--seed", type=int, default=1)
    asked = said.parse_args()
    if why := faults.can_inject():
        print(f"no faults at system calls: {why}; power alone is tried", file=sys.stderr)
    whole: Table = {}
    with (
        tempfile.TemporaryDirectory() as folder,
        ProcessPoolExecutor(AT_ONCE, mp_context=get_context("spawn")) as pool,
    ):
        grounds = list(places(folder))
        jobs = [(name, at, other, n) for n, (name, at, other) in enumerate(grounds * AT_ONCE)]
        seconds = asked.minutes * 60 * AT_ONCE / len(jobs)
        running = [
            pool.submit(torture, name, at, other, seconds, asked.seed + n) for name, at, other, n in jobs
        ]
        for done in running:
            for key, tally in done.result().items():
                whole.setdefault(key, Tally()).merge(tally)
    return show(whole)


def show(table: Table) -> int:
    """Print the table; 1 where anything in it is bad."""
    print(f"{'strongbox':10}{'work':17}{'by':12}{'tried':>7}{'done':>7}{'stopped':>9}{'killed':>8}", end="")
    print(f"{'lost':>6}{'altered':>9}{'stuck':>7}{'faults':>8}")
    for (where, work, by), t in sorted(table.items(), key=lambda item: (item[0][0], WORKS.index(item[0][1]))):
        killed = t.outcomes["killed"] + t.outcomes["cut off"]
        print(
            f"{where:10}{work:17}{by:12}{t.tried:7,}{t.outcomes['done']:7,}{t.outcomes['stopped']:9,}"
            f"{killed:8,}{t.bad['lost']:6}{t.bad['altered']:9}{t.bad['stuck']:7}{t.bad['fault']:8}"
        )
    whole = Tally()
    for tally in table.values():
        whole.merge(tally)
    says = ", ".join(f"{name} {whole.bad[name]}" for name in ("lost", "altered", "stuck", "fault"))
    print(f"\n{whole.tried:,} tried; {says}")
    for line in whole.shown:
        print(f"  {line}")
    return 1 if whole.bad else 0
