"""Asking a program for its version by running it: only where the person allowed it for that install."""

from __future__ import annotations

import os
import re
import subprocess
import threading
from collections.abc import Sequence

from left_intact.core.files.names import lies_in, safe_path
from left_intact.core.model.release import Reading
from left_intact.core.model.version import Version, version_in_name

SAID_BY_PROGRAM = 100
SECONDS, _MOST = 10.0, 1 << 16
"""How long a program may take to say its version, and how many bytes of that are read."""
_WORD = re.compile(r"-{0,2}[A-Za-z][A-Za-z-]{0,20}")


def ask_program(root: str, command: Sequence[str], *, seconds: float = SECONDS) -> Reading | None:
    """The version that `command` (relative to root) prints, or None where it prints none.

    The command comes from a library that others may have written to: it is a program of the install itself,
    asked by one plain word, or nothing is run.
    """
    if not command or safe_path(command[0]) != command[0] or len(command) > 2:
        return None
    top = os.path.realpath(root)
    program = os.path.realpath(os.path.join(top, command[0]))
    if not lies_in(program, top) or not all(_WORD.fullmatch(word) for word in command[1:]):
        return None
    for line in _printed([program, *command[1:]], root, seconds).decode("utf-8", "replace").splitlines()[:20]:
        found = Version.parse(line) or version_in_name(line)
        if found:
            return Reading(text=found.text, source="the program itself", weight=SAID_BY_PROGRAM)
    return None


def _printed(words: Sequence[str], folder: str, seconds: float) -> bytes:
    """The first of what a program prints; it is ended where it prints more, or takes longer."""
    said = bytearray()
    try:
        with subprocess.Popen(
            words, cwd=folder, stdin=subprocess.DEVNULL, stdout=subprocess.PIPE, stderr=subprocess.STDOUT
        ) as program:
            ends = threading.Timer(seconds, program.kill)
            ends.start()
            try:
                assert program.stdout is not None
                while len(said) < _MOST and (more := program.stdout.read1(_MOST)):  # type: ignore[attr-defined]
                    said += more
            finally:
                ends.cancel()
                program.kill()
    except OSError:
        return b""
    return bytes(said[:_MOST])
