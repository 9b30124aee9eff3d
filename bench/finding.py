"""How many installs are found below a home, and how long that takes.

    python bench/finding.py [FILES]

A made-up home with fourteen installs where people have them: real trees with a person's traces, half of which
nothing starts, and programs of the corpus; hidden, nested, in numbered prefixes, beside scripts of their own,
projects, pictures and caches. 200,000 files in all, as a rule.
"""

from __future__ import annotations

import os
import sys
import tempfile
import time
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[1]))

from tests.corpus import programs  # noqa: E402

from bench.real_packages import pairs, tree_of  # noqa: E402
from bench.real_traces import lay_traces  # noqa: E402
from left_intact.core.survey.finding import find_installs  # noqa: E402

REAL = {
    "thonny": "Apps/thonny",
    "tinymce": "Apps/portable/tinymce-8.6",
    "npm": ".hidden/npm",
    "kitty": "opt/kitty",
    "hplip-data": ".prefixes/1044/drive_c/Program Files/hplip",
    "node-red/editor-client": "Programme/editor",
    "glances": "pfx/20087/pfx/drive_c/tools/glances",
}
MADE = {
    "mudlark": "Apps/mudlark-0.9",
    "kittiwake": "Apps/kittiwake",
    "wrack": ".prefixes/1045/drive_c/tools/Wrack 2.1",
    "hawser": "Apps/kittiwake/emulators/hawser",
    "fender": "Programme/fender",
    "pilotage": "bin/pil",
    "oystercatch": ".local/share/deep/down/here/oyster",
}
"""Names of the programs and where they lie below the home."""


def main() -> int:
    files = int(sys.argv[1]) if len(sys.argv) > 1 else 200_000
    with tempfile.TemporaryDirectory() as folder:
        home = Path(folder) / "home" / "ada"
        wanted = lay_home(home, files)
        for _ in range(2):  # the second time, what the system had to read from the disk is at hand
            began = time.monotonic()
            found = find_installs(str(home))
            seconds = time.monotonic() - began
        paths = {Path(one.path).relative_to(home).as_posix(): one for one in found}
        for place in wanted:
            one = paths.get(place)
            said = f"{one.name} {one.score}" if one else ""
            print(f"{'found' if one else 'MISSED':7} {place:48} {said}")
        for place in sorted(set(paths) - set(wanted)):
            print(f"FALSE   {place:48} {paths[place].score} {'; '.join(paths[place].why)}")
        hits = len(set(paths) & set(wanted))
        count = sum(len(names) for _, _, names in os.walk(home))
        print(f"{hits} of {len(wanted)} found, {len(paths) - hits} false, {count:,} files in {seconds:.2f} s")
    return 0


def lay_home(home: Path, files: int) -> list[str]:
    """Lay the installs, and files that are none until there are so many; give where the installs lie."""
    wanted = []
    for pair in pairs():
        place = REAL.get(pair.name.removeprefix("@"))
        if place is not None and (tree := tree_of(pair, pair.old)) is not None:
            (home / place).parent.mkdir(parents=True, exist_ok=True)
            lay_traces(tree, home / place, pair.name)
            wanted.append(place)
    for name, place in MADE.items():
        getattr(programs, name)().bed.lay(str(home / place))
        wanted.append(place)
    _put(home / "bin/backup.sh", b"#!/bin/sh\ncp -r ~/Documents /mnt\n")
    _put(home / "bin/rename-all", b"#!/usr/bin/env python3\nprint(1)\n")
    _put(home / ".bashrc", b"alias ll='ls -l'\n")
    _put(home / "notes.ini", b"[a]\nb = 1\n")
    for at in range(3):
        project = home / "work" / f"site{at}"
        _put(project / "build.sh", b"#!/bin/sh\nmake\n")
        _put(project / "README.md", b"# Site\n")
        _put(project / "config/site.ini", b"[site]\nname = a\n")
        for number in range(300):
            _put(project / f"node_modules/dep{number}/index.js", b"module.exports = 1\n")
            _put(project / f"node_modules/dep{number}/package.json", b'{"name": "dep"}\n')
    _put(home / "work/site0/.git/HEAD", b"ref: refs/heads/main\n")
    for number in range(60):
        _put(home / f"Documents/Briefe/{number % 6}/Brief {number}.odt", b"PK\x03\x04")
    left = files - sum(len(names) for _, _, names in os.walk(home))
    for number in range(max(0, left // 200)):
        kind = ("Pictures/2019", "Music/Album", ".cache/thumbs", "Videos/clips")[number % 4]
        for at in range(200):
            _put(home / kind / f"{number}" / f"{at:03}.{('jpg', 'mp3', 'png', 'mp4')[number % 4]}", b"x")
    return wanted


def _put(path: Path, data: bytes) -> None:
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_bytes(data)


if __name__ == "__main__":
    sys.exit(main())
