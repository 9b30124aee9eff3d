"""Timing whole commands in turn, and the memory of a command with all its processes."""

from __future__ import annotations

import os
import subprocess
import sys
import time
from collections.abc import Sequence

Command = Sequence[str] | str
# As after `make setup`: nothing is compiled again at every start, whatever the shell of the bench says.
os.environ.pop("PYTHONDONTWRITEBYTECODE", None)


def timed(command: Command) -> float:
    """Seconds of a whole command, its start included. Raises where it fails."""
    os.sync()
    began = time.perf_counter()
    subprocess.run(command, shell=isinstance(command, str), check=True, stdout=subprocess.DEVNULL)
    return time.perf_counter() - began


def processor(command: Command) -> float:
    """Seconds of processor of a whole command with all the processes it waited for. Raises where it fails."""
    process = subprocess.Popen(command, shell=isinstance(command, str), stdout=subprocess.DEVNULL)
    _, status, used = os.wait4(process.pid, 0)
    process.returncode = os.waitstatus_to_exitcode(status)
    if process.returncode:
        raise subprocess.CalledProcessError(process.returncode, command)
    return used.ru_utime + used.ru_stime


def peak_memory(command: Command) -> float:
    """The most memory that a command and all its processes had at one time, in MB.

    The proportional set size (what is shared counts once, in shares), as the kernel tells it in
    `smaps_rollup`; looked at every 10 ms, which slows the command, so times are taken in runs of their own.
    """
    process = subprocess.Popen(command, shell=isinstance(command, str), stdout=subprocess.DEVNULL)
    most = 0.0
    while process.poll() is None:
        most = max(most, family_memory(process.pid))
        time.sleep(0.01)
    if process.returncode:
        raise subprocess.CalledProcessError(process.returncode, command)
    return most


def family_memory(pid: int) -> float:
    """What a process and all its children have now, in MB of proportional set size."""
    return sum(map(_proportional, _family(pid))) / 1024


def _family(pid: int) -> list[int]:
    found, todo = [], [pid]
    while todo:
        one = todo.pop()
        found.append(one)
        try:
            tasks = os.listdir(f"/proc/{one}/task")
            for task in tasks:
                with open(f"/proc/{one}/task/{task}/children", encoding="ascii") as file:
                    todo += map(int, file.read().split())
        except OSError:
            continue
    return found


def _proportional(pid: int) -> int:
    """In KiB; 0 for a process that is gone."""
    try:
        with open(f"/proc/{pid}/smaps_rollup", encoding="ascii") as file:
            return next((int(line.split()[1]) for line in file if line.startswith("Pss:")), 0)
    except OSError:
        return 0


def import_times(words: Sequence[str], most: int = 12) -> list[tuple[str, float]]:
    """The modules that take longest at the start of a command, with their own milliseconds."""
    done = subprocess.run(
        [sys.executable, "-X", "importtime", "-m", "left_intact", *words],
        capture_output=True,
        text=True,
        check=True,
    )
    rows = [line.split("|") for line in done.stderr.splitlines() if line.startswith("import time:")]
    found = [(name.strip(), int(own.split(":")[1]) / 1000) for own, _, name in rows if "self" not in own]
    return sorted(found, key=lambda row: -row[1])[:most]
