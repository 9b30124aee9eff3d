"""Prints docs/left-intact.1 from the commands: `python tools/man_page.py > docs/left-intact.1`."""

from __future__ import annotations

from left_intact import __version__
from left_intact.cli.commands import app
from left_intact.cli.helping import man_page

if __name__ == "__main__":
    print(man_page(app, __version__), end="")
