"""Faults at single system calls, injected by strace: no room, no rights, read-only, I/O errors, kills."""

from __future__ import annotations

import os
import re
import shutil
import subprocess
import tempfile
from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

from tests.torture.ground import Ground, Judged, in_fork

WRITES = (
    "write",
    "pwrite64",
    "fsync",
    "fdatasync",
    "syncfs",
    "ftruncate",
    "copy_file_range",
    "openat",
    "mkdirat",
    "mkdir",
    "renameat2",
    "renameat",
    "rename",
    "linkat",
    "symlinkat",
    "unlinkat",
    "unlink",
    "rmdir",
    "fchmod",
    "chmod",
    "fchmodat",
    "utimensat",
    "fchown",
    "chown",
)
READS = ("read", "pread64", "newfstatat", "fstat", "lstat", "stat", "readlink", "readlinkat", "getdents64")
NEVER = {"exit_group"}
ERRORS = {"no room": "ENOSPC", "no rights": "EACCES", "read-only": "EROFS", "I/O error": "EIO"}
_OF_WRITES = ("no room", "no rights", "read-only", "I/O error")
_OF_READS = ("no rights", "I/O error")
KILL = "kill"


@dataclass(frozen=True, slots=True)
class Try:
    """One fault: which work, which call of it, and what the system says there."""

    work: str
    call: str
    number: int
    """The how manieth of these calls, from 1."""
    fault: str

    def __str__(self) -> str:
        return f"{self.work}: {self.fault} at {self.call} {self.number}"


def can_inject() -> str:
    """Why faults cannot be injected here; empty where they can."""
    if shutil.which("strace") is None:
        return "strace is not installed (apt-get install strace)"
    with tempfile.TemporaryDirectory() as folder:
        log = os.path.join(folder, "log")
        done = subprocess.run(["strace", "-o", log, "true"], capture_output=True, check=False)
        return "" if done.returncode == 0 else "strace may not trace here"


class Tracer:
    """Lays strace on a process that waits, until it ends."""

    def __init__(self, folder: Path, *words: str) -> None:
        self.log, self._words = folder / "trace", words
        self._process: subprocess.Popen[bytes] | None = None

    def __call__(self, child: int) -> None:
        command = ["strace", "-f", "-qq", "-o", str(self.log), *self._words, "-p", str(child)]
        self._process = subprocess.Popen(command, stderr=subprocess.PIPE)
        status = f"/proc/{child}/status"
        while True:
            with open(status, encoding="ascii") as file:
                traced = next(line for line in file if line.startswith("TracerPid:")).split()[1]
            if traced != "0":
                return
            if self._process.poll() is not None:
                raise RuntimeError(self._process.stderr.read().decode() if self._process.stderr else "strace")

    def end(self) -> None:
        if self._process is not None:
            self._process.wait()
            if self._process.stderr:
                self._process.stderr.close()


def calls_of(ground: Ground, work: str) -> Counter[str]:
    """How often a work makes each call that may be refused."""
    ground.put_back(ground.image_for(work))
    tracer = Tracer(ground.folder, "-e", f"trace={','.join((*WRITES, *READS))}")
    in_fork(ground.run(work), tracer)
    tracer.end()
    found: Counter[str] = Counter()
    for line in tracer.log.read_text(errors="replace").splitlines():
        if (match := re.match(r"\d+ +(\w+)\(", line)) is not None:
            found[match[1]] += 1
    return found


def tries(work: str, calls: Counter[str]) -> Iterator[Try]:
    """Every call with every fault that it may meet."""
    for call, number in sorted(calls.items()):
        faults = _OF_WRITES if call in WRITES else _OF_READS
        for at in range(1, number + 1):
            for fault in (*faults, *((KILL,) if call in WRITES else ())):
                yield Try(work, call, at, fault)


def carry_out(ground: Ground, one: Try, *, forward: bool, again: bool = False) -> Judged:
    """Do the work with the fault in it, then end it without one, and look.

    With `again` the recovery that follows meets the same fault at the same call.
    """
    ground.put_back(ground.image_for(one.work))
    what = "signal=KILL" if one.fault == KILL else f"error={ERRORS[one.fault]}"
    words = ("-e", f"trace={one.call}", "-e", f"inject={one.call}:{what}:when={one.number}")
    tracer = Tracer(ground.folder, *words)
    outcome = in_fork(ground.run(one.work), tracer)
    tracer.end()
    if again and ground.bench.shelf.interrupted():
        tracer = Tracer(ground.folder, *words)
        in_fork(ground.run("recover forward" if forward else "recover back"), tracer)
        tracer.end()
    return ground.judge(one.work, outcome, forward=forward)
