"""Ways to start a program that lie outside of it: desktop files, links and scripts of the person's."""

from __future__ import annotations

import os
import shlex
import sys
from collections.abc import Iterator, Sequence
from contextlib import suppress

from left_intact.core.files.names import lies_in
from left_intact.core.model.things import Start
from left_intact.core.model.version import version_in_name

_MOST = 64 << 10
"""A larger file is no script that somebody wrote to start a program."""
_SCRIPTS = (".sh", ".command", ".cmd", ".bat")
_MOST_FILES = 4_000


def start_folders() -> tuple[str, ...]:
    """Where a person keeps ways to start programs, as far as this system has such places."""
    home = os.path.expanduser("~")
    if sys.platform == "win32":
        menu = os.path.join(os.environ.get("APPDATA", home), "Microsoft", "Windows", "Start Menu", "Programs")
        return (os.path.join(home, "Desktop"), menu)
    data = os.environ.get("XDG_DATA_HOME") or os.path.join(home, ".local", "share")
    return (
        os.path.join(data, "applications"),
        os.path.join(home, "Desktop"),
        os.path.join(home, ".local", "bin"),
    )


def find_starts(root: str, folders: Sequence[str]) -> tuple[Start, ...]:
    """What in some folders leads to a program below `root` that is there; what leads nowhere is none."""
    real = os.path.realpath(root)
    found = []
    for path in _files(folders):
        for word in _words(path):
            place = os.path.realpath(word)
            if lies_in(place, real) and place != real and os.path.isfile(place):
                within = os.path.relpath(place, os.path.dirname(real))
                version = version_in_name(os.path.basename(path)) or version_in_name(within)
                found.append(Start(path, os.path.relpath(place, real), version.text if version else ""))
                break
    return tuple(found)


def _files(folders: Sequence[str]) -> Iterator[str]:
    for folder in folders:
        with suppress(OSError):
            for name in sorted(os.listdir(folder))[:_MOST_FILES]:
                yield os.path.join(folder, name)


def _words(path: str) -> Iterator[str]:
    """Absolute paths that a file names."""
    if os.path.islink(path):
        yield path
        return
    try:
        if not os.path.isfile(path) or os.path.getsize(path) > _MOST:
            return
        with open(path, "rb") as file:
            lead = file.read(2)
            if lead != b"#!" and not path.casefold().endswith((".desktop", *_SCRIPTS)):
                return
            text = (lead + file.read()).decode("utf-8", "replace")
    except OSError:
        return
    if "\0" in text:
        return
    for line in text.splitlines():
        if path.endswith(".desktop"):
            key, _, line = line.partition("=")
            if key.strip() not in ("Exec", "TryExec"):
                continue
        with suppress(ValueError):
            yield from (word for word in shlex.split(line, comments=True) if os.path.isabs(word))
