"""Patchwright, a modding tool for the racing game Gullwing Rally: 3.8.8, 3.8.11, an install, the game."""

from __future__ import annotations

import json
import random
from dataclasses import dataclass

from left_intact.demo.binaries import elf, png
from left_intact.demo.planting import Bed, moment, noise, over_time, same_but

BUILT_388 = moment("2026-04-11 09:05")
BUILT_3811 = moment("2026-11-17 17:30")

_PROGRAM = '''#!/usr/bin/env python3
"""Patchwright: lays mods over Gullwing Rally and takes them off again. A small stand-in."""
import json
import pathlib
import sys

VERSION = "{version}"
HERE = pathlib.Path(__file__).resolve().parent


def main() -> None:
    if "--version" in sys.argv:
        print("Patchwright", VERSION)
        return
    for folder in ("mods", "lineups", "fetched mods", "logs"):
        (HERE / folder).mkdir(exist_ok=True)
    settings = HERE / "patchwright.json"
    if not settings.exists():
        settings.write_text(json.dumps({{"game": "", "active": "club-night"}}, indent=2))
    active = json.loads(settings.read_text()).get("active", "club-night")
    line_up = HERE / "lineups" / f"{{active}}.json"
    mods = json.loads(line_up.read_text())["mods"] if line_up.exists() else []
    print(f"Patchwright {{VERSION}}: {{sum(m['on'] for m in mods)}} of {{len(mods)}} mods on")


main()
'''

_MODS = (
    "Wet Cobbles",
    "Night Ferry Stage",
    "Ticket Booth Livery",
    "Softer Gravel",
    "Lighthouse Hairpin",
    "Co-driver Nan",
    "Winter Tyres",
    "Tin Bonnet",
    "Longer Pier",
    "Fairground Lamps",
    "Marble Quarry",
    "Radio Drama",
    "Clear Windscreen",
    "Old Harbour Map",
    "Mud That Sticks",
    "Brass Band",
    "Fog Bank",
    "Ghost of Lap One",
)
_LIBRARIES = (
    "archive",
    "diff",
    "paint",
    "mesh",
    "sound",
    "index",
    "sign",
    "log",
    "menu",
    "fetch",
    "sort",
    "hash",
    "undo",
    "preview",
    "locale",
    "theme",
    "rules",
    "watch",
)
_GONE = ("lib/libdiff-classic.so", "lib/libpaint-classic.so", "lib/plugins/libmesh-import-v1.so")


@dataclass(frozen=True, slots=True, kw_only=True)
class Patchwright:
    """All beds of the scenario."""

    shipped: Bed
    arriving: Bed
    install: Bed
    game: Bed


def invent() -> Patchwright:
    shipped = _release("3.8.8", BUILT_388)
    return Patchwright(
        shipped=shipped, arriving=_next_release(shipped), install=_install(shipped), game=_game()
    )


def _defaults(version: str) -> str:
    said = {
        "game": "",
        "active": "club-night",
        "ask-before-laying": True,
        "look": {"theme": "plain", "text-size": 11},
        "backups": {"keep": 3, "folder": "backups"},
    }
    if version == "3.8.11":
        said["look"] = {"theme": "plain", "text-size": 12, "round-corners": False}
        said["backups"] = {"keep": 3, "folder": "backups", "compress": True}
    return json.dumps(said, indent=2) + "\n"


def _release(version: str, built: int) -> Bed:
    rng = random.Random(f"patchwright {version}")
    bed = Bed()
    bed.put("patchwright", _PROGRAM.format(version=version), built, 0o755)
    bed.put("about.json", json.dumps({"name": "Patchwright", "version": version}, indent=1) + "\n", built)
    bed.put(
        "README.md", "# Patchwright\n\n- Lays mods over Gullwing Rally.\n- Takes them off again.\n", built
    )
    bed.put("LICENSE", "Free for all who race fairly.\n", built)
    bed.put("patchwright.json", _defaults(version), built)
    for name in _LIBRARIES:
        body = noise(rng, rng.randrange(10_000, 70_000))
        bed.put(
            f"lib/lib{name}.so", elf(f"patchwright {version} {name}", body), built + rng.randrange(3), 0o755
        )
    for path in _GONE:
        bed.put(path, elf(f"patchwright {version} classic", noise(rng, 21_000)), built, 0o755)
    for name in ("mesh-import-v2", "paint-import"):
        bed.put(
            f"lib/plugins/lib{name}.so",
            elf(f"patchwright {version} {name}", noise(rng, 18_000)),
            built,
            0o755,
        )
    for number in range(60):
        bed.put(f"share/icons/part-{number:02}.png", png(24, 24, rng), built + 1)
    for language in ("cy", "de", "es", "fr", "ga", "it", "nl", "pl", "pt", "sv"):
        for part in ("menu", "rules", "messages"):
            bed.put(
                f"share/locale/{language}/{part}.mo", noise(rng, rng.randrange(600, 2400), b"PMO1"), built + 1
            )
    for page in ("start", "mods", "line-ups", "undo", "rules", "helper-files"):
        bed.put(
            f"docs/{page}.html",
            f"<!doctype html>\n<title>{page}</title>\n<p>{page} {version}</p>\n",
            built + 2,
        )
    return bed


def _next_release(shipped: Bed) -> Bed:
    rng = random.Random("patchwright 3.8.11")
    changes: dict[str, bytes | str] = {
        "patchwright": _PROGRAM.format(version="3.8.11"),
        "about.json": json.dumps({"name": "Patchwright", "version": "3.8.11"}, indent=1) + "\n",
        "patchwright.json": _defaults("3.8.11"),
    }
    for name in _LIBRARIES[:12]:
        changes[f"lib/lib{name}.so"] = elf(
            f"patchwright 3.8.11 {name}", noise(rng, rng.randrange(10_000, 70_000))
        )
    for page in ("mods", "helper-files", "rules"):
        changes[f"docs/{page}.html"] = f"<!doctype html>\n<title>{page}</title>\n<p>{page} 3.8.11</p>\n"
    changed = same_but(shipped, changes)
    bed = Bed()
    for path, plant in changed.plants.items():
        if path not in _GONE:
            bed.put(path, plant.content, BUILT_3811 + (plant.mtime - BUILT_388), plant.mode)
    for name in ("undo-journal", "mesh-import-v3"):
        bed.put(f"lib/lib{name}.so", elf(f"patchwright 3.8.11 {name}", noise(rng, 26_000)), BUILT_3811, 0o755)
    return bed


def _install(shipped: Bed) -> Bed:
    rng = random.Random("patchwright at the pier")
    bed = Bed(dict(shipped.plants), [])
    mine = {
        "game": "../gullwing-rally",
        "active": "pier-cup",
        "ask-before-laying": False,
        "look": {"theme": "dusk", "text-size": 14},
        "backups": {"keep": 9, "folder": "backups"},
        "window": {"width": 1280, "height": 760},
    }
    bed.put("patchwright.json", json.dumps(mine, indent=2) + "\n", moment("2026-11-14 20:17"))
    for number, mod in enumerate(_MODS):
        _mod(bed, rng, mod, parts=70 + number * 5)
    for name, left_off in (
        ("pier-cup", (4, 9, 16)),
        ("club-night", (0, 1, 2)),
        ("wet", (5,)),
        ("everything", ()),
    ):
        said = {"name": name, "mods": [{"mod": m, "on": n not in left_off} for n, m in enumerate(_MODS)]}
        text = json.dumps(said, indent=1) + "\n"
        bed.put(f"lineups/{name}.json", text, over_time(rng, "2026-05-01", "2026-11-10"))
    for number in range(9):
        bed.put(
            f"fetched mods/fetched-{number}.zip",
            noise(rng, 30_000, b"PK\x03\x04"),
            over_time(rng, "2026-09-01", "2026-11-12"),
        )
    for number in range(40):
        when = over_time(rng, "2026-07-01", "2026-11-14")
        bed.put(f"logs/run-{number:03}.log", f"run {number}\n" * 30, when)
    bed.put(
        "helper/gullwing.map", noise(rng, 8_192, b"PWH1 made from rally 2.14"), moment("2026-06-20 18:44")
    )
    bed.put("backups/stage-04.orig", noise(rng, 12_000, b"GRS1"), moment("2026-06-20 18:45"))
    return bed


def _mod(bed: Bed, rng: random.Random, mod: str, parts: int) -> None:
    folder = f"mods/{mod}"
    when = over_time(rng, "2025-01-01", "2026-10-01")
    bed.put(f"{folder}/mod.txt", f"{mod}\nfor Gullwing Rally 2.10 to 2.14\n", when)
    for number in range(parts):
        kind = rng.choice(("tex", "tex", "mesh", "snd", "png"))
        size = rng.randrange(600, 9_000)
        content = png(32, 32, rng) if kind == "png" else noise(rng, size, b"GR" + kind.encode())
        bed.put(f"{folder}/{kind}/{kind}-{number:03}.{kind}", content, when + number)


def _game() -> Bed:
    rng = random.Random("gullwing rally")
    bed = Bed()
    built = moment("2026-05-30 10:00")
    bed.put("gullwing-rally", elf("gullwing-rally 2.14", noise(rng, 220_000)), built, 0o755)
    bed.put("version.txt", "2.14\n", built)
    for number in range(24):
        bed.put(f"stages/stage-{number:02}.grs", noise(rng, 30_000, b"GRS1"), built)
    for slot in range(3):
        bed.put(
            f"profiles/slot-{slot}.sav",
            noise(rng, 4_096, b"GRP1"),
            over_time(rng, "2026-06-01", "2026-11-16"),
        )
    return bed
