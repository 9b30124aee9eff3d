"""What a default must never displace: a file that may be the person's, though most speaks for the program."""

from __future__ import annotations

import re

from left_intact.core.files.tree import ReadText
from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Finding
from left_intact.core.settings.formats.registry import is_settings_text

_WRITTEN_SINCE = -2.0
"""The weight of a time that says that somebody wrote to something since the release was built."""
_DATA = frozenset(("sqlite", "text xml", "text json"))
_FEW, _MOST_LINES, _MOST = 2, 400, 0.7
_COMMAND = re.compile(r"""[\w.+-]{2,40}(?:[ \t]+(?:"[^"]*"|'[^']*'|[^\s"']{1,80})){1,5}""")
"""A line of a command with what it is given: a word, then a few values, in quotes or not."""


def may_be_theirs(finding: Finding, read: ReadText) -> bool:
    """Return True for settings of any form, databases, what was written to since the release was built, and
    what something says is of a class of the person's. `read` gives the text of a file.
    """
    entry = finding.entry
    if finding.leaning is not FileClass.PROGRAM or entry.format in _DATA or is_settings_text(entry.format):
        return True
    if any(
        e.source == "time" and e.speaks_for is FileClass.PROGRAM and e.weight <= _WRITTEN_SINCE
        for e in finding.why
    ):
        return True
    return entry.format.startswith("text plain") and reads_as_commands(read(entry.path))


def reads_as_commands(data: bytes | None) -> bool:
    """Return True for a text of commands, one a line, as some programs keep their settings."""
    if not data:
        return False
    lines = [line.strip() for line in data.decode("utf-8", "replace").splitlines()[:_MOST_LINES]]
    lines = [line for line in lines if line and not line.startswith(("#", "//", ";", "--"))]
    commands = [line for line in lines if _COMMAND.fullmatch(line) and not line.endswith((".", ",", ":"))]
    return len(commands) >= _FEW and len(commands) >= _MOST * len(lines)
