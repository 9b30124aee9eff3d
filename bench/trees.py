"""Made-up trees for the benches: an install, the release it came from, and the release after it.

Files of 0.5 to 30 KB, 25 a folder; of the next release 8.5 % are other and 1.5 % new. Equal bytes have equal
times everywhere, so that a general tool that compares times copies only what differs.
"""

from __future__ import annotations

import os
import random

PER_FOLDER = 25
OTHER, NEW = 0.085, 0.015
POOL = 1 << 20
BUILT = 1_700_000_000
NAME = "benchling"


def make_tree(root: str, files: int, *, version: str = "1.0", after: bool = False) -> None:
    """One release of so many files; `after` makes the next one, with its changed and new files."""
    rng, choice = random.Random(11), random.Random(23)
    pool = rng.randbytes(POOL)
    for number in range(files // PER_FOLDER):
        folder = os.path.join(root, f"d{number % 40:02}", f"e{number // 40 % 10}", f"f{number}")
        os.makedirs(folder)
        for at in range(PER_FOLDER):
            size, mark = rng.randint(512, 30_000), rng.randbytes(8)
            start = rng.randrange(POOL - size)
            other = choice.random() < OTHER and after
            data = mark + pool[start : start + size - 8]
            _write(os.path.join(folder, f"file{at:03}.dat"), data[::-1] if other else data, BUILT + other)
        for at in range(sum(choice.random() < NEW for _ in range(PER_FOLDER)) if after else 0):
            data = choice.randbytes(8) + pool[: choice.randint(512, 30_000)]
            _write(os.path.join(folder, f"new{at:03}.dat"), data, BUILT + 1)
    _write(os.path.join(root, "VERSION"), f"{version}\n".encode(), BUILT + after)
    script = f'#!/bin/sh\nVERSION="{version}"\necho {NAME} {version}\n'.encode()
    _write(os.path.join(root, NAME), script, BUILT + after)


def _write(path: str, data: bytes, time: int) -> None:
    with open(path, "wb") as file:
        file.write(data)
    os.utime(path, (time, time))
