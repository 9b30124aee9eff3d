"""Prints docs/decisions.md from the table itself: `python tools/decision_table.py > docs/decisions.md`."""

from __future__ import annotations

from left_intact.core.planning.table import TABLE

HEAD = """# The decision table

For each path: shipped before (B), yours (M), arriving (T), and how the entry is treated. The first row that
fits speaks. This page is made from `core/planning/table.py` by `tools/decision_table.py`; a test holds them
together.

*Surely the program's* and *the program's* are the class program at a certainty of 0.99 and 0.97; *settings
that can be merged* are settings text of one family on both sides (JSON, TOML, or lines with `=`), and any
texts that are known to be settings: which format those are is told as they are merged, by name and by all of
them; *theirs,
whatever comes* are saves, states, content and caches; *the program's, if most of what comes lies here* is
what is of the class program below 0.97 or not sorted, where there is no baseline and of what comes at least
60 % lies here under the same paths; all else is *theirs, as far as known*.

| # | B | M | T | treated as | verb | because |
|---|---|---|---|---|---|---|"""


def page() -> str:
    """The whole page."""
    rows = [HEAD]
    for row in TABLE:
        places = [", ".join(part) or "any" for part in (row.base, row.mine, row.coming, row.treatment)]
        verb = f"{row.verb or 'none'}{' (question)' if row.ask else ''}"
        rows.append("| " + " | ".join([str(row.number), *places, verb, row.because]) + " |")
    return "\n".join(rows)


if __name__ == "__main__":
    print(page())
