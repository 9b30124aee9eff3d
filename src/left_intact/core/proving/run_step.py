"""Running the command of a step around the swap: only words that the person allowed for that install."""

from __future__ import annotations

import os
import shutil
import subprocess
from collections.abc import Sequence

from left_intact.core.files.names import lies_in, safe_path

_SECONDS = 900
"""How long a command may take, as one that builds caches."""


def run_step(root: str, command: Sequence[str]) -> bool:
    """Run a command in the folder of an install; whether it ended well, within a quarter of an hour.

    A path is one below the install; a bare name is one of the install's own programs, else one of the
    system's. No shell reads the words.
    """
    program = _program(root, command[0]) if command else ""
    if not program:
        return False
    try:
        ended = subprocess.run(
            [program, *command[1:]],
            cwd=root,
            stdin=subprocess.DEVNULL,
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
            timeout=_SECONDS,
            check=False,
        )
    except (OSError, ValueError, subprocess.TimeoutExpired):
        return False
    return ended.returncode == 0


def _program(root: str, word: str) -> str:
    """The program that a word means; empty where it means none, or one that lies outside."""
    clean = safe_path(word.removeprefix("./"))
    if clean is None:
        return ""
    top = os.path.realpath(root)
    own = os.path.realpath(os.path.join(top, clean))
    if os.path.isfile(own) and lies_in(own, top):
        return own
    return "" if "/" in clean or word.startswith("./") else shutil.which(clean) or ""
