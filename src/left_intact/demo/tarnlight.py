"""Tarnlight, an arcade emulator with numbered monthly releases: 26.10 with 163 games, and a pack of changed
content.
"""

from __future__ import annotations

import os
import random
import subprocess
import sys
from dataclasses import dataclass

from left_intact.demo.binaries import elf, png
from left_intact.demo.names import slug, titles
from left_intact.demo.planting import Bed, moment, noise, over_time, same_but

BUILT_2610 = moment("2026-10-03 12:00")
BUILT_2611 = moment("2026-11-07 12:00")
STARTED = moment("2026-11-07 20:14")
"""When the new one was started once, before anybody thought of the settings."""

_PROGRAM = '''#!/usr/bin/env python3
"""Tarnlight: arcade boards with vector screens. A small stand-in."""
import pathlib
import sys

VERSION = "{version}"
HERE = pathlib.Path(__file__).resolve().parent


def main() -> None:
    if "--version" in sys.argv:
        print("Tarnlight", VERSION)
        return
    for folder in ("games", "settings", "scores", "moments"):
        (HERE / folder).mkdir(exist_ok=True)
    if not (HERE / "tarnlight.conf").exists():
        (HERE / "tarnlight.conf").write_text("loudness = 60\\nlamps = on\\n")
    for title in (HERE / "boards" / "settings.list").read_text().split():
        settings = HERE / "settings" / f"{{title}}.conf"
        if not settings.exists():
            settings.write_text("loudness = 60\\n")
    print(f"Tarnlight {{VERSION}}: {{len(list((HERE / 'games').glob('*.board')))}} boards")


main()
'''


@dataclass(frozen=True, slots=True, kw_only=True)
class Tarnlight:
    """All beds of the scenario."""

    shipped: Bed
    arriving: Bed
    install: Bed
    pack: Bed
    full_bytes: int
    """What the whole set of content would weigh, as the outlet says."""


def invent() -> Tarnlight:
    shipped = _release("26.10", BUILT_2610)
    install = _install(shipped)
    return Tarnlight(
        shipped=shipped,
        arriving=_next(shipped),
        install=install,
        pack=_pack(install),
        full_bytes=41_300_000_000,
    )


def start_once(root: str) -> None:
    """Start the program in its new folder for the first time; what it wrote is dated to that evening."""
    before = {os.path.join(folder, name) for folder, _, names in os.walk(root) for name in names}
    subprocess.run(
        [sys.executable, os.path.join(root, "tarnlight")], check=True, capture_output=True, cwd=root
    )
    number = 0
    for folder, folders, names in os.walk(root):
        for name in sorted(names):
            path = os.path.join(folder, name)
            if path not in before:
                number += 1
                os.utime(path, (STARTED + number // 20, STARTED + number // 20))
        for name in folders:
            if not os.listdir(path := os.path.join(folder, name)) or name == "settings":
                os.utime(path, (STARTED, STARTED))
    os.utime(root, (STARTED, STARTED))


def _release(version: str, built: int) -> Bed:
    rng = random.Random(f"tarnlight {version}")
    bed = Bed()
    bed.put("tarnlight", _PROGRAM.format(version=version), built, 0o755)
    bed.put("VERSION", f"{version}\n", built)
    bed.put("tarnlight.conf", "loudness = 60\nlamps = on\nrest-after = 20\n", built)
    listed = [slug(game) for game in titles(163, "tarnlight")[:88]]
    bed.put("boards/settings.list", "\n".join(listed) + "\n", built)
    for name in ("drawing", "lamps", "sound", "coins", "board", "scores", "menu", "clock"):
        bed.put(
            f"lib/lib{name}.so",
            elf(f"tarnlight {version} {name}", noise(rng, rng.randrange(20_000, 60_000))),
            built,
            0o755,
        )
    for number in range(40):
        bed.put(
            f"boards/family-{number:02}.xml", f"<boards family='{number}' release='{version}'/>\n", built + 1
        )
    for page in ("start", "boards", "lamps"):
        bed.put(f"docs/{page}.html", f"<!doctype html>\n<p>{page} {version}</p>\n", built + 1)
    return bed


def _next(shipped: Bed) -> Bed:
    rng = random.Random("tarnlight 26.11")
    changes: dict[str, bytes | str] = {
        "tarnlight": _PROGRAM.format(version="26.11"),
        "VERSION": "26.11\n",
        "tarnlight.conf": "loudness = 60\nlamps = on\nrest-after = 25\nclosing-time = none\n",
    }
    for name in ("drawing", "lamps", "board"):
        changes[f"lib/lib{name}.so"] = elf(f"tarnlight 26.11 {name}", noise(rng, 40_000))
    changes |= {
        f"boards/family-{n:02}.xml": f"<boards family='{n}' release='26.11'/>\n" for n in range(0, 40, 3)
    }
    changed = same_but(shipped, changes)
    bed = Bed()
    for path, plant in changed.plants.items():
        bed.put(path, plant.content, BUILT_2611 + plant.mtime - BUILT_2610, plant.mode)
    return bed


def _install(shipped: Bed) -> Bed:
    rng = random.Random("tarnlight at the pier")
    bed = Bed(dict(shipped.plants))
    bed.put("tarnlight.conf", "loudness = 50\nlamps = off\nrest-after = 20\n", moment("2026-10-21 20:10"))
    games = titles(163, "tarnlight")
    for game in games:
        content = noise(rng, rng.randrange(12_000, 40_000), b"TVB1")
        bed.put(f"games/{slug(game)}.board", content, over_time(rng, "2025-01-01", "2026-10-01"))
    for game in games[:88]:
        bed.put(
            f"settings/{slug(game)}.conf",
            f"loudness = {rng.randrange(40, 80)}\n",
            over_time(rng, "2025-02-01", "2026-11-10"),
        )
    for game in games[:144]:
        bed.put(
            f"scores/{slug(game)}.best",
            noise(rng, 1_200, b"TVH1"),
            over_time(rng, "2025-02-01", "2026-11-20"),
        )
    for game in games[:31]:
        bed.put(
            f"moments/{slug(game)}.moment",
            noise(rng, 20_011, b"TVS26.10"),
            over_time(rng, "2025-12-01", "2026-11-18"),
        )
    for number in range(60):
        bed.put(
            f"side art/panel-{number:02}.png", png(80, 60, rng), over_time(rng, "2025-03-01", "2026-08-01")
        )
    return bed


def _pack(install: Bed) -> Bed:
    """90 changed boards, nested as packs are; 4 of them this person owns in an older dump."""
    rng = random.Random("tarnlight pack 26.11")
    bed, root = Bed(), "changed since 26.10/boards"
    bed.put(
        "changed since 26.10/read me.txt", "The boards that 26.11 names or wants otherwise.\n", BUILT_2611
    )
    owned = sorted(p for p in install.plants if p.startswith("games/"))
    for path in (owned[7], owned[41], owned[88], owned[131]):
        bed.put(
            f"{root}/{path[6:]}", noise(rng, len(install.plants[path].content) + 512, b"TVB2"), BUILT_2611
        )
    for number in range(86):
        bed.put(
            f"{root}/never-had-{number:02}.board",
            noise(rng, rng.randrange(60_000, 160_000), b"TVB2"),
            BUILT_2611,
        )
    return bed
