"""What looking into archives made to do harm costs: processor seconds and MB of each, the worst last.

    python bench/hostile.py

The aim: refused or read within 2 s and 300 MB for each 10 MB of it, and 1 s more for each 100 MB unpacked.
"""

from __future__ import annotations

import json
import subprocess
import sys
import tempfile
import warnings
from pathlib import Path

sys.path.insert(0, str(Path(__file__).resolve().parents[1]))
from tests.hostile.archives import READ, REFUSED
from tests.hostile.test_hostile_archives import MEASURE


def main() -> None:
    warnings.simplefilter("ignore")
    rows = []
    for what, make in [*((w, m) for w, (m, _) in REFUSED.items()), *READ.items()]:
        with tempfile.TemporaryDirectory() as folder:
            path = make(Path(folder))
            done = subprocess.run(
                [sys.executable, "-c", MEASURE, str(path)], capture_output=True, text=True, check=True
            )
            said, megabytes, seconds = json.loads(done.stdout)
            rows.append((seconds, megabytes, path.stat().st_size, what, said.partition(":")[0]))
    for seconds, megabytes, size, what, said in sorted(rows):
        print(f"{seconds:7.2f} s {megabytes:7.1f} MB {size:>12,} bytes  {what:34} {said}")
    print(
        f"{len(rows)} archives; at most {max(r[0] for r in rows):.2f} s and {max(r[1] for r in rows):.0f} MB"
    )


if __name__ == "__main__":
    main()
