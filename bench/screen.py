"""The full screen over a big install, in a pseudo terminal: what is drawn when, keys while it works, memory.

    python bench/screen.py [FILES] [ROUNDS]

100,000 files and 3 rounds as a rule. The install is known and unchanged, an arrival waits. Aims at 100,000
files: survey drawn 3 s after Enter, plan 6 s; keys while it works median 30 ms, worst 150; memory 300 MB with
its worker (measured in a last round of its own, since looking slows it).
"""

from __future__ import annotations

import argparse
import fcntl
import os
import pty
import select
import shutil
import signal
import statistics
import struct
import sys
import tempfile
import termios
import threading
import time

from measure import family_memory
from trees import make_tree

ROWS, COLUMNS = 50, 160
LIMIT = 120.0


class Terminal:
    """The program in a pseudo terminal; what it writes is looked through for texts."""

    def __init__(self, command: list[str]) -> None:
        self.child, self.master = pty.fork()
        if self.child == 0:
            os.environ |= {"TERM": "xterm-256color", "COLORTERM": "truecolor"}
            os.execv(command[0], command)
        fcntl.ioctl(self.master, termios.TIOCSWINSZ, struct.pack("HHHH", ROWS, COLUMNS, 0, 0))
        self.seen = b""

    def press(self, keys: bytes) -> float:
        """Press keys; when that was."""
        self.seen = b""
        os.write(self.master, keys)
        return time.perf_counter()

    def until(self, *texts: bytes) -> float:
        """Wait until one of some texts was written since the last key; when that was."""
        ends = time.perf_counter() + LIMIT
        while not any(text in self.seen for text in texts):
            ready, _, _ = select.select([self.master], [], [], max(0.0, ends - time.perf_counter()))
            if not ready:
                raise SystemExit(f"{texts!r} did not come; the last was {self.seen[-400:]!r}")
            self.seen += os.read(self.master, 1 << 16)
        return time.perf_counter()

    def take(self) -> bytes:
        """What was written meanwhile, without waiting."""
        said = b""
        while select.select([self.master], [], [], 0)[0]:
            said += os.read(self.master, 1 << 16)
        self.seen += said
        return said

    def close(self) -> None:
        os.kill(self.child, signal.SIGKILL)
        os.waitpid(self.child, 0)
        os.close(self.master)


class Walker:
    """Presses Down and Up in the tree of the survey, and times how long each takes to show."""

    def __init__(self, terminal: Terminal) -> None:
        self.terminal, self.at, self.way = terminal, 0, 1
        self.times: list[float] = []

    def step(self) -> bytes:
        """One key; gives all that was written until it showed."""
        self.at += self.way
        pressed = self.terminal.press(b"\x1b[B" if self.way > 0 else b"\x1b[A")
        shown = self.terminal.until(b"d%02d/" % (self.at - 1))
        self.times.append(shown - pressed)
        if self.at in (1, 20):
            self.way = 1 if self.at == 1 else -1
        return self.terminal.seen


def one_round(home: str, *, watched: bool = False) -> tuple[dict[str, float], dict[str, list[float]], float]:
    """Enter, the survey, the plan, the update with its proof: (seconds, keys while it works, peak MB)."""
    terminal = Terminal([sys.executable, "-m", "left_intact", "--home", home])
    most, over = [0.0], threading.Event()

    def watch() -> None:
        while not over.wait(0.02):
            most[0] = max(most[0], family_memory(terminal.child))

    watcher = threading.Thread(target=watch)
    try:
        terminal.until(b"benchling")
        if watched:
            watcher.start()
        seconds, keys = {}, {}
        entered = terminal.press(b"\r")
        seconds["survey drawn after Enter"] = terminal.until(b"entries read in") - entered
        walker = Walker(terminal)
        while b"ready" not in walker.step():
            pass
        seconds["plan drawn after Enter"] = time.perf_counter() - entered
        keys["while the plan is drawn"], walker.times = walker.times, []
        for _ in range(40):
            walker.step()
        keys["at rest"] = walker.times
        terminal.press(b"3")
        terminal.until(b"left intact")
        began = terminal.press(b"c")
        terminal.until(b"I N T A C T")
        seconds["update with proof after its key"] = time.perf_counter() - began
        return seconds, keys, most[0]
    finally:
        over.set()
        if watched:
            watcher.join()
        terminal.close()


def prepare(folder: str, files: int) -> str:
    """The trees, and a home where the install is known and an arrival waits."""
    from left_intact.workbench import Workbench

    base, coming, install = (os.path.join(folder, name) for name in ("base", "coming", "benchling"))
    make_tree(base, files)
    make_tree(coming, files, version="2.0", after=True)
    home = os.path.join(folder, "home")
    lay(folder)
    bench = Workbench(home)
    found = bench.shelf.find(install)
    bench.surveys.survey(found)
    bench.surveys.set_baseline(found, base)
    bench.shelf.set_waiting(found, bench.surveys.arrival(found, coming))
    return home


def lay(folder: str) -> None:
    """The install as the release left it."""
    install = os.path.join(folder, "benchling")
    shutil.rmtree(install, ignore_errors=True)
    shutil.copytree(os.path.join(folder, "base"), install)
    os.sync()


def main() -> None:
    said = argparse.ArgumentParser()
    said.add_argument("files", type=int, nargs="?", default=100_000)
    said.add_argument("rounds", type=int, nargs="?", default=3)
    asked = said.parse_args()
    seconds: dict[str, list[float]] = {}
    keys: dict[str, list[float]] = {}
    most = 0.0
    for number in range(asked.rounds + 1):
        with tempfile.TemporaryDirectory() as folder:
            last = number == asked.rounds
            took, pressed, peak = one_round(prepare(folder, asked.files), watched=last)
            if last:
                most = peak
                break
            for name, value in took.items():
                seconds.setdefault(name, []).append(value)
            for name, times in pressed.items():
                keys.setdefault(name, []).extend(times)
    print(f"{asked.files:,} files, {asked.rounds} rounds; the full screen at {COLUMNS}x{ROWS}")
    for name, values in seconds.items():
        print(f"  {name:34}{statistics.median(values):7.2f} s  (worst {max(values):.2f})")
    for name, times in keys.items():
        of_all = f"{len(times)} keys {name}"
        print(f"  {of_all:34}{1000 * statistics.median(times):7.0f} ms (worst {1000 * max(times):.0f})")
    print(f"  {'peak memory with its worker':34}{most:7.0f} MB")


if __name__ == "__main__":
    main()
