"""How long a survey takes, beside what general tools take for the same tree, run in turn.

    python bench/survey.py [FILES] [ROUNDS]      100,000 files of 0.5 to 30 KB, 25 a folder; 5 rounds

First survey: walk, first bytes, digests, every class, saved. Beside `find | xargs -P2 b3sum`.
Survey again, nothing changed. Beside `rsync -an` of the tree onto an equal one. Each of ours is
a process of its own; `call` is the survey alone, `whole` the process with its start and imports.
"""

from __future__ import annotations

import os
import random
import resource
import shutil
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable

PER_FOLDER = 25
POOL = 1 << 20


def make_tree(root: str, files: int) -> None:
    """A tree of unlike files in folders three deep, from a seed."""
    rng = random.Random(11)
    pool = rng.randbytes(POOL)
    for number in range(files // PER_FOLDER):
        folder = os.path.join(root, f"d{number % 40:02}", f"e{number // 40 % 10}", f"f{number}")
        os.makedirs(folder)
        for at in range(PER_FOLDER):
            size = rng.randint(512, 30_000)
            start = rng.randrange(POOL - size)
            with open(os.path.join(folder, f"file{at:03}.dat"), "wb") as file:
                file.write(rng.randbytes(8) + pool[start : start + size - 8])


def one(home: str, root: str) -> None:
    """One survey in this process: seconds of the call, and the peak memory of it and its helpers in MB."""
    from left_intact.workbench import Workbench

    bench = Workbench(home)
    install = bench.find(root)
    began = time.perf_counter()
    survey = bench.survey(install)
    seconds = time.perf_counter() - began
    assert sum(t.files for t in survey.totals().values()) > 0
    own = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    helper = resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss / 1024
    print(f"{seconds} {own} {helper}")


def ours(home: str, root: str) -> tuple[float, float, float, float]:
    """(call, whole, peak of the process, peak of the larger helper)."""
    began = time.perf_counter()
    done = subprocess.run(
        [sys.executable, __file__, "--one", home, root], capture_output=True, text=True, check=True
    )
    whole = time.perf_counter() - began
    call, own, helper = map(float, done.stdout.split())
    return call, whole, own, helper


def timed(work: Callable[[], object]) -> float:
    began = time.perf_counter()
    work()
    return time.perf_counter() - began


def main() -> None:
    files = int(sys.argv[1]) if len(sys.argv) > 1 else 100_000
    rounds = int(sys.argv[2]) if len(sys.argv) > 2 else 5
    with tempfile.TemporaryDirectory() as folder:
        root, twin = os.path.join(folder, "tree"), os.path.join(folder, "twin")
        make_tree(root, files)
        subprocess.run(["cp", "-a", root, twin], check=True)
        digests = f"find {root} -type f -print0 | xargs -0 -P2 -n 1000 b3sum > /dev/null"
        tools = {
            "b3sum": lambda: subprocess.run(digests, shell=True, check=True),
            "rsync": lambda: subprocess.run(
                ["rsync", "-an", f"{root}/", f"{twin}/"], check=True, stdout=subprocess.DEVNULL
            ),
        }
        missing = [name for name in tools if not shutil.which(name)]
        rows: dict[str, list[float]] = {}
        peaks = [0.0, 0.0]
        for number in range(rounds):
            home = os.path.join(folder, f"home{number}")
            for tool, word in (("b3sum", "first"), ("rsync", "again")):
                if tool not in missing:
                    rows.setdefault(tool, []).append(timed(tools[tool]))
                call, whole, own, helper = ours(home, root)
                rows.setdefault(f"{word}, call", []).append(call)
                rows.setdefault(f"{word}, whole", []).append(whole)
                peaks = [max(peaks[0], own), max(peaks[1], helper)]
    print(f"{files:,} files in {files // PER_FOLDER:,} folders, {rounds} rounds in turn; medians in seconds")
    for name, values in rows.items():
        print(f"  {name:14} {statistics.median(values):7.2f}")
    for tool, word, aim in (("b3sum", "first", 2.5), ("rsync", "again", 1.0)):
        for part in ("call", "whole"):
            if tool in rows:
                ratios = [a / b for a, b in zip(rows[f"{word}, {part}"], rows[tool], strict=True)]
                print(
                    f"  {word} survey ({part}) is {statistics.median(ratios):.2f} times {tool}; "
                    f"the aim is {aim}"
                )
    print(
        f"  peak memory {peaks[0]:.0f} MB, and {peaks[1]:.0f} MB in the larger of two helpers "
        "(shared pages counted in both)"
    )
    if missing:
        print(f"  not compared, not installed: {', '.join(missing)}")


if __name__ == "__main__":
    if sys.argv[1:2] == ["--one"]:
        one(sys.argv[2], sys.argv[3])
    else:
        main()
