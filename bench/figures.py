"""How long each figure and the report take of an install of so many files, and what memory: whole commands.

    python bench/figures.py [FILES]

100,000 files as a rule, surveyed and updated; each command is run twice, the second counts. What is drawn
from a view on the screen is at hand already and takes less.
"""

from __future__ import annotations

import os
import subprocess
import sys

from measure import peak_memory, timed
from update import made_place

FIGURES = ("composition", "crossing", "history", "proof", "shelf")


def main() -> None:
    files = int(sys.argv[1]) if len(sys.argv) > 1 else 100_000
    with made_place(files) as place:
        update = place.run("update", place.install, place.coming, "--baseline", place.base, "--yes")
        subprocess.run(place.run("survey", place.install), check=True, stdout=subprocess.DEVNULL)
        subprocess.run(update, check=True, stdout=subprocess.DEVNULL)
        print(f"{files:,} files; whole commands, the second run of each")
        print(f"  {'what':24}{'seconds':>8}{'MB':>8}")
        for figure in FIGURES:
            for ending in ("svg", "pdf"):
                path = os.path.join(place.folder, f"it.{ending}")
                show(f"{figure}.{ending}", place.run("draw", place.install, figure, path))
        for ending in ("pdf", "json"):
            path = os.path.join(place.folder, f"report.{ending}")
            show(f"report.{ending}", place.run("report", place.install, path))


def show(name: str, command: list[str]) -> None:
    timed(command)
    print(f"  {name:24}{timed(command):>8.1f}{peak_memory(command):>8.0f}", flush=True)


if __name__ == "__main__":
    main()
