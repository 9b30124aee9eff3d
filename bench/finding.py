"""How many installs are found below a home, and how long that takes.

    python bench/finding.py [FILES]

A made-up home with fourteen installs where people have them: real trees with a person's traces, half of which
nothing starts, and small ones of each role; hidden, nested, on drives made for another system, beside
scripts of their own, projects, pictures and caches. 200,000 files in all, as a rule. Besides, how many of the
drawn programs that weights are tuned on are found where each lies alone.
"""

from __future__ import annotations

import os
import sys
import tempfile
import time
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[1]))


from tests.corpus.draw import tuning  # noqa: E402
from tests.corpus.specimen import Specimen  # noqa: E402
from tests.lived_in import Tree, bundle, emulator, front_end, launcher, modding_tool  # noqa: E402

from bench.real_packages import pairs, tree_of  # noqa: E402
from bench.real_traces import lay_traces  # noqa: E402
from left_intact.core.survey.finding import find_installs  # noqa: E402

REAL = {
    "thonny": "Apps/thonny",
    "tinymce": "Apps/portable/tinymce-8.6",
    "npm": ".hidden/npm",
    "kitty": "opt/kitty",
    "hplip-data": ".drives/1044/inside/Program Files/hplip",
    "node-red/editor-client": "Programme/editor",
    "glances": "drives/20087/inside/tools/glances",
}
MADE: dict[str, Tree] = {
    "Apps/kelvane-0.9": emulator("kelvane"),
    "Apps/lumbrel": front_end("lumbrel"),
    ".drives/1045/inside/tools/Dorrin 2.1": modding_tool("dorrin"),
    "Apps/lumbrel/players/tavrin": emulator("tavrin"),
    "Programme/fossiter": launcher("fossiter"),
    "bin/pil": bundle("Pillory"),
    ".local/share/deep/down/here/ossel": emulator("ossel"),
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
        alone = sum(_is_found(specimen, Path(folder)) for specimen in tuning())
        print(f"{alone} of {len(list(tuning()))} drawn programs found")
    return 0


def _is_found(specimen: Specimen, folder: Path) -> bool:
    install, _ = specimen.lay(folder / "drawn" / specimen.name)
    return any(one.path == str(install) for one in find_installs(str(install.parent)))


def lay_home(home: Path, files: int) -> list[str]:
    """Lay the installs, and files that are none until there are so many; give where the installs lie."""
    wanted = []
    for pair in pairs():
        place = REAL.get(pair.name.removeprefix("@"))
        if place is not None and (tree := tree_of(pair, pair.old)) is not None:
            (home / place).parent.mkdir(parents=True, exist_ok=True)
            lay_traces(tree, home / place, pair.name)
            wanted.append(place)
    for place, tree in MADE.items():
        for path, content in tree.items():
            _put(home / place / path, content.encode() if isinstance(content, str) else content)
        wanted.append(place)
    for drive in ("1044", "1045"):
        for path in ("Documents/a.txt", "AppData/b.ini"):
            _put(home / f".drives/{drive}/inside/people/ada" / path, b"x")
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
