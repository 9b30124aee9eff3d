"""Every promise of the README has a line that says what it does not cover, and tests that are there."""

from __future__ import annotations

import re
from pathlib import Path

ROOT = Path(__file__).resolve().parents[2]
PAGE = (ROOT / "docs" / "promises.md").read_text("utf-8")
LINES = [line for line in PAGE.splitlines() if line.startswith("| ") and not line.startswith("| promise ")]
ROWS = [[cell.strip() for cell in line.strip("|").split("|")] for line in LINES]


def _plain(text: str) -> str:
    return re.sub(r"\[([^\]]*)\]\([^)]*\)", r"\1", text)


def test_every_promise_of_the_readme_is_there() -> None:
    readme = (ROOT / "README.md").read_text("utf-8")
    said = readme.partition("## What it promises")[2].partition("## ")[0]
    promised = [_plain(line[2:]) for line in said.splitlines() if line.startswith("- ")]
    assert len(promised) > 8 and set(promised) <= {row[0] for row in ROWS}


def test_every_test_that_is_named_is_one() -> None:
    for row in ROWS:
        named = re.findall(r"`(tests/[\w/]+\.py)::(\w+)`", row[2])
        assert named, row[0]
        for file, test in named:
            assert f"def {test}(" in (ROOT / file).read_text("utf-8"), (file, test)
