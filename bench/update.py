"""Whole commands beside general tools, run in turn on the same trees: survey, plan, update, going back.

    python bench/update.py [FILES] [ROUNDS] [--only WORK,...] [--memory] [--start]

100,000 files and 5 rounds as a rule. Every figure of ours is a command with its start; `sync` goes before
each. `--memory` measures the peak of all processes together, in one more run of each; `--start` says what the
start of the command line costs, by import. Speeds are ratios, medians of pairs; nothing asserts them.
"""

from __future__ import annotations

import argparse
import os
import shutil
import statistics
import subprocess
import sys
import tempfile
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field

from measure import Command, import_times, peak_memory, timed
from trees import make_tree


@dataclass(frozen=True)
class Work:
    """One piece of work, ours and the general tool's, and the ratio wanted at 100,000 files."""

    name: str
    ours: list[str]
    tool: Command
    wanted: float
    memory: float = 0.0
    """The peak wanted, in MB."""
    before: Callable[[], None] = lambda: None
    """What makes things as they must be before the tool runs."""


@dataclass
class Place:
    """The trees of one round."""

    folder: str
    home: str = field(init=False)

    def __post_init__(self) -> None:
        self.home = os.path.join(self.folder, "home")

    def __getattr__(self, name: str) -> str:
        return os.path.join(self.folder, name)

    def run(self, *words: str) -> list[str]:
        return [sys.executable, "-m", "left_intact", "--home", self.home, *words]


def works(place: Place) -> Iterator[Work]:
    """In the order in which they must run."""
    b3sum = "xargs -0 -P2 -n 1000 b3sum > /dev/null"
    read = f"find {place.install} -type f -print0 | {b3sum}"
    read_both = f"find {place.coming} {place.base} -type f -print0 | {b3sum}"
    update = [place.install, place.coming, "--baseline", place.base]
    again = ["rsync", "-an", f"{place.install}/", f"{place.twin}/"]

    def fresh_twin() -> None:
        shutil.rmtree(place.backup, ignore_errors=True)
        subprocess.run(["rsync", "-a", "--delete", f"{place.base}/", f"{place.twin}/"], check=True)

    yield Work("first survey", place.run("survey", place.install), read, 2.5, 100)
    yield Work("survey again", place.run("survey", place.install), again, 1.3)
    yield Work("plan, cold", place.run("plan", *update), read_both, 1.6, 180)
    yield Work("plan again", place.run("plan", *update), again, 4)
    yield Work(
        "whole update with proof",
        place.run("update", *update, "--yes"),
        f"rsync -a -b --backup-dir={place.backup} {place.coming}/ {place.twin}/ && sync -f {place.twin}",
        2.5,
        220,
        before=fresh_twin,
    )
    yield Work("go back", place.run("go-back", place.install), f"rsync -a {place.base}/ {place.twin}/", 0.5)


def main() -> None:
    said = argparse.ArgumentParser()
    said.add_argument("files", type=int, nargs="?", default=100_000)
    said.add_argument("rounds", type=int, nargs="?", default=5)
    said.add_argument("--only", default="")
    said.add_argument("--memory", action="store_true")
    said.add_argument("--start", action="store_true")
    asked = said.parse_args()
    refuse_without_tools()
    with made_place(asked.files) as place:
        _times(place, asked)
        if asked.memory:
            _memory(place)
    if asked.start:
        print("the start of `left-intact shelf`, the slowest imports in ms")
        for name, own in import_times(["--home", os.path.join(tempfile.gettempdir(), "no-home"), "shelf"]):
            print(f"  {own:6.1f}  {name}")


@contextmanager
def made_place(files: int) -> Iterator[Place]:
    """Trees of so many files: a release, the one after it, an install, and its twin for the general tool."""
    with tempfile.TemporaryDirectory() as folder:
        place = Place(folder)
        make_tree(place.base, files)
        make_tree(place.coming, files, version="2.0", after=True)
        for name in ("install", "twin"):
            subprocess.run(["cp", "-a", place.base, os.path.join(folder, name)], check=True)
        yield place


def refuse_without_tools() -> None:
    """End with a line where a general tool is missing."""
    missing = [name for name in ("rsync", "b3sum", "find", "xargs") if not shutil.which(name)]
    if missing:
        sys.exit(f"needed, and not installed: {', '.join(missing)}")


def _times(place: Place, asked: argparse.Namespace) -> None:
    rows: dict[str, list[tuple[float, float]]] = {}
    wanted: dict[str, float] = {}
    only = [one for one in asked.only.split(",") if one]
    for _ in range(asked.rounds):
        shutil.rmtree(place.home, ignore_errors=True)
        for work in works(place):
            if only and not any(one in work.name for one in only):
                subprocess.run(work.ours, check=True, stdout=subprocess.DEVNULL)
                continue
            work.before()
            tool = timed(work.tool)
            rows.setdefault(work.name, []).append((timed(work.ours), tool))
            wanted[work.name] = work.wanted
    print(f"{asked.files:,} files, {asked.rounds} rounds in turn; medians, whole commands")
    print(f"  {'work':26}{'ours':>8}{'tool':>8}{'ratio':>8}{'wanted':>8}")
    for name, pairs in rows.items():
        ours, tool = (statistics.median(p[n] for p in pairs) for n in (0, 1))
        ratio = statistics.median(a / b for a, b in pairs)
        print(f"  {name:26}{ours:7.2f}s{tool:7.2f}s{ratio:8.2f}{wanted[name]:8.1f}")


def _memory(place: Place) -> None:
    shutil.rmtree(place.home, ignore_errors=True)
    print("peak memory of all processes together, in MB")
    for work in works(place):
        most = peak_memory(work.ours)
        print(f"  {work.name:26}{most:8.0f}" + (f"   wanted {work.memory:.0f}" if work.memory else ""))


if __name__ == "__main__":
    main()
