"""The entry point. Without a command the full screen opens at once, with nothing else imported."""

from __future__ import annotations

import gc
import os
import sys


def main() -> None:
    """Open the application, or hand over to the command line."""
    gc.disable()  # nothing of the start is garbage; the shelf turns the collector on once it is painted
    words = sys.argv[1:]
    home = os.environ.get("LEFT_INTACT_HOME", "")
    if len(words) == 2 and words[0] == "--home":
        home, words = words[1], []
    if words or "_LEFT_INTACT_COMPLETE" in os.environ:
        gc.set_threshold(100_000, 20, 100)  # columns and rows by the hundred thousand are no cycles
        gc.enable()
        from left_intact.cli.commands import run

        sys.exit(run(words))
    from left_intact.home import default_home
    from left_intact.tui.app import open_application

    sys.exit(open_application(home or default_home()))


def start() -> None:
    """`main`, with a Ctrl-C during the start worded like any other."""
    try:
        main()
    except KeyboardInterrupt:
        print("left-intact: stopped; nothing was changed.", file=sys.stderr)
        sys.exit(1)


if __name__ == "__main__":
    start()
