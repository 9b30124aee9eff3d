"""A command, and how many values it made of entries, told in a file.

    python bench/counting.py FILE WORDS...

A survey keeps folders as columns, and a value is made only of what somebody looks at. So that number stays
far below that of the files, whatever the machine; a walk over all entries shows in it at once.
"""

from __future__ import annotations

import sys
from typing import Any


def main() -> None:
    told, *words = sys.argv[1:]
    from left_intact.__main__ import start
    from left_intact.core.model import entry

    made, real = 0, entry.Entry.__init__

    def count(self: Any, *args: Any, **named: Any) -> None:
        nonlocal made
        made += 1
        real(self, *args, **named)

    entry.Entry.__init__ = count  # type: ignore[method-assign]
    sys.argv = ["left-intact", *words]
    try:
        start()
    finally:
        with open(told, "w", encoding="ascii") as file:
            file.write(str(made))


if __name__ == "__main__":
    main()
