"""Survey, plan, update and going back on a made-up tree, beside general tools run in turn.

    python bench/update.py [FILES]      (default 20,000)

Speeds here are ratios of runs in turn on this machine; nothing asserts them.
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

from left_intact.workbench import Workbench

ROUNDS = 5


def make_tree(root: str, files: int, *, changed: float = 0.0) -> None:
    """A tree of small files in folders of 25, a share of them other than in the unchanged one."""
    rng = random.Random(7)
    for number in range(files):
        folder = os.path.join(root, f"part{number // 25 % 40:02}", f"bay{number // 1000:03}")
        if number % 25 == 0:
            os.makedirs(folder, exist_ok=True)
        data = rng.randbytes(rng.randrange(500, 12_000))
        if rng.random() < changed:
            data = data[::-1]
        with open(os.path.join(folder, f"f{number:06}.dat"), "wb") as file:
            file.write(data)
    for path, text in (("VERSION", "2.0" if changed else "1.0"), ("benchling", '#!/bin/sh\nVERSION="1"\n')):
        with open(os.path.join(root, path), "w", encoding="utf-8") as file:
            file.write(text + "\n")


def timed(work: Callable[[], object]) -> float:
    began = time.perf_counter()
    work()
    return time.perf_counter() - began


def main() -> None:
    files = int(sys.argv[1]) if len(sys.argv) > 1 else 20_000
    with tempfile.TemporaryDirectory() as folder:
        install, base, arriving, twin = (
            os.path.join(folder, n) for n in ("benchling", "base", "next", "twin")
        )
        make_tree(base, files)
        shutil.copytree(base, install)
        shutil.copytree(base, twin)
        make_tree(arriving, files, changed=0.08)
        rows: dict[str, list[float]] = {}

        def note(name: str, work: Callable[[], object]) -> None:
            rows.setdefault(name, []).append(timed(work))

        for number in range(ROUNDS):
            bench = Workbench(os.path.join(folder, f"home{number}"))
            target = bench.find(install)
            command = f"find {install} -type f -print0 | xargs -0 -P2 -n 500 sha256sum > /dev/null"
            note("find | xargs -P2 sha256sum", lambda c=command: subprocess.run(c, shell=True, check=True))
            note("first survey", lambda b=bench, t=target: b.survey(t))
            if shutil.which("rsync"):
                mirror = ["rsync", "-an", f"{install}/", f"{twin}/"]
                note("rsync -an onto an equal tree", lambda m=mirror: subprocess.run(m, check=True))
            note("survey again", lambda b=bench, t=target: b.survey(t))
            drafts: list[object] = []

            def draw(b: Workbench = bench, t: object = target, d: list[object] = drafts) -> None:
                d.append(b.draft(t, arriving, baseline=base))  # type: ignore[arg-type]

            note("plan, from a folder, with a baseline", draw)
            plan = drafts[0].plan()  # type: ignore[attr-defined]
            note("carry out and prove", lambda b=bench, t=target, p=plan: b.update(p, t))
            note("go back", lambda b=bench, t=target: b.go_back(t))
        print(f"{files:,} files, {len(plan.changes):,} changed; medians of {ROUNDS}, run in turn")
        for name, values in rows.items():
            print(f"{name:46} {statistics.median(values):7.2f} s")
        print(f"peak memory {resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024:.0f} MB")


if __name__ == "__main__":
    main()
