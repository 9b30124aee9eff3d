"""Whether the speed still stands: whole commands beside general tools, by processor time, at 20,000 files.

    python bench/check.py [--only WORK,...]

Best of three of each; ends with 1 where a ratio is twice the figure in docs/measurements.md, in its table
(held by `make bench-check`), or where more values of entries are made than stand there. Processor
time is that of a command with all its processes: other work on the machine moves it little, where the clock
would say anything. The values are counted since a walk over all entries may cost less than a ratio shows.
"""

from __future__ import annotations

import argparse
import os
import re
import shutil
import subprocess
import sys
from pathlib import Path

from measure import processor
from update import made_place, refuse_without_tools, works

FILES, ROUNDS = 20_000, 3
MOST, MOST_VALUES, FEW = 2.0, 1.1, 1_000
PAGE = Path(__file__).parents[1] / "docs" / "measurements.md"
HEAD = "(held by `make bench-check`)"


def figures() -> dict[str, tuple[float, int]]:
    """By work: the ratio on record, and how many values."""
    table = PAGE.read_text().partition(HEAD)[2].partition("\n\n")[2].partition("\n\n")[0]
    rows = re.findall(r"^\| ([^|]+?) \| ([\d.]+) \| ([\d,]+) \|", table, re.M)
    return {name: (float(ratio), int(values.replace(",", ""))) for name, ratio, values in rows}


def main() -> int:
    said = argparse.ArgumentParser()
    said.add_argument("--only", default="")
    only = [one for one in said.parse_args().only.split(",") if one]
    refuse_without_tools()
    best: dict[str, tuple[float, float]] = {}
    values: dict[str, int] = {}
    with made_place(FILES) as place:
        for turn in range(ROUNDS):
            shutil.rmtree(place.home, ignore_errors=True)
            for work in works(place):
                if only and not any(one in work.name for one in only):
                    subprocess.run(work.ours, check=True, stdout=subprocess.DEVNULL)
                    continue
                work.before()
                ours, told = work.ours, os.path.join(place.folder, "values")
                if not turn:
                    python, _, _, *words = ours
                    ours = [python, os.path.join(os.path.dirname(__file__), "counting.py"), told, *words]
                now = processor(ours), processor(work.tool)
                if not turn:
                    values[work.name] = int(Path(told).read_text())
                was = best.get(work.name, now)
                best[work.name] = min(was[0], now[0]), min(was[1], now[1])
    return judge(best, values)


def judge(best: dict[str, tuple[float, float]], values: dict[str, int]) -> int:
    known, slow = figures(), []
    print(f"{FILES:,} files, best of {ROUNDS}, seconds of processor")
    print(f"  {'work':26}{'ours':>8}{'tool':>8}{'ratio':>8}{'on record':>11}{'values':>10}{'on record':>11}")
    for name, (ours, tool) in best.items():
        ratio, (of_time, of_values) = ours / tool, known.get(name, (0.0, 0))
        print(
            f"  {name:26}{ours:8.2f}{tool:8.2f}{ratio:8.2f}{of_time:11.2f}{values[name]:10,}{of_values:11,}"
        )
        if name not in known:
            slow.append(f"{name} is not in the table of {PAGE.name}")
            continue
        if ratio > MOST * of_time:
            slow.append(f"{name} takes {ratio / of_time:.1f} times what is on record")
        if values[name] > MOST_VALUES * of_values + FEW:
            slow.append(f"{name} makes {values[name]:,} values of entries; {of_values:,} are on record")
    for line in slow:
        print(line, file=sys.stderr)
    return 1 if slow else 0


if __name__ == "__main__":
    sys.exit(main())
