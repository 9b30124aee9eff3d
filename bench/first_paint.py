"""Start to first paint: the demo shelf beside an empty Textual application, run in turn in a pseudo terminal.

Reports the medians and their ratio. The aim (issue and design) is at most 1.6.
"""

from __future__ import annotations

import os
import pty
import select
import statistics
import sys
import tempfile
import time

PAIRS = 15
EMPTY = (
    "from textual.app import App\nfrom textual.widgets import Static\n"
    "class Empty(App):\n    def compose(self):\n        yield Static('PAINTED')\nEmpty().run()\n"
)


def until_painted(command: list[str], text: bytes) -> float:
    """Seconds from the start of a command to the moment its screen carries a text."""
    began = time.perf_counter()
    child, master = pty.fork()
    if child == 0:
        os.environ |= {"TERM": "xterm-256color", "COLORTERM": "truecolor", "COLUMNS": "160", "LINES": "50"}
        os.execv(command[0], command)
    seen = b""
    try:
        while text not in seen:
            ready, _, _ = select.select([master], [], [], 20)
            if not ready:
                raise SystemExit(f"{text!r} did not come")
            seen += os.read(master, 65536)
        return time.perf_counter() - began
    finally:
        os.kill(child, 9)
        os.waitpid(child, 0)
        os.close(master)


def main() -> None:
    from left_intact.demo.build import build_demo

    with tempfile.TemporaryDirectory() as folder:
        room = build_demo(os.path.join(folder, "room"))
        ours = [sys.executable, "-m", "left_intact", "--home", room.home]
        empty = [sys.executable, "-c", EMPTY]
        until_painted(ours, b"Patchwright")
        until_painted(empty, b"PAINTED")
        pairs = [
            (until_painted(empty, b"PAINTED"), until_painted(ours, b"Patchwright")) for _ in range(PAIRS)
        ]
    ratios = [mine / theirs for theirs, mine in pairs]
    print(f"empty application  {statistics.median(e for e, _ in pairs):.3f} s (median of {PAIRS}, in turn)")
    print(f"the demo shelf     {statistics.median(m for _, m in pairs):.3f} s")
    print(f"ratio              {statistics.median(ratios):.2f}   (aim: at most 1.60)")


if __name__ == "__main__":
    main()
