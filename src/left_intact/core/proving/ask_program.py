"""Asking a program for its version by running it: only where the person allowed it for that install."""

from __future__ import annotations

import os
import subprocess
from collections.abc import Sequence

from left_intact.core.model.release import Reading
from left_intact.core.model.version import Version, version_in_name

SAID_BY_PROGRAM = 100
_SECONDS = 10


def ask_program(root: str, command: Sequence[str]) -> Reading | None:
    """The version that `command` (relative to root) prints, or None where it prints none."""
    if not command:
        return None
    program = os.path.join(root, command[0])
    try:
        done = subprocess.run(
            [program, *command[1:]],
            cwd=root,
            capture_output=True,
            timeout=_SECONDS,
            check=False,
            stdin=subprocess.DEVNULL,
        )
    except (OSError, subprocess.TimeoutExpired):
        return None
    for line in (done.stdout + done.stderr).decode("utf-8", "replace").splitlines()[:20]:
        found = Version.parse(line) or version_in_name(line)
        if found:
            return Reading(text=found.text, source="the program itself", weight=SAID_BY_PROGRAM)
    return None
