"""Lanternfish, a front end with five cores: 1.12 on hold, and a folder of downloads with new cores in it."""

from __future__ import annotations

import json
import random
from dataclasses import dataclass

from left_intact.demo.binaries import elf, png
from left_intact.demo.names import slug, titles
from left_intact.demo.planting import Bed, moment, noise, over_time

BUILT_112 = moment("2026-06-14 10:30")
_ARM64 = 183
_CORES = {"brindle": "3.2", "vector": "1.6", "quillon": "0.9.7", "leaf": "2.4.0", "ferry": "1.1"}
"""Which machine a core is, and the version that lies here."""
_MACHINES = {
    "brindle": "Brindle 8",
    "vector": "Tarn Vector",
    "quillon": "Quillon",
    "leaf": "Osprey Leaf",
    "ferry": "the ferry's slot machine",
}
LOST_THEIRS = 6
"""So many titles have no picture any more."""

_PROGRAM = '''#!/usr/bin/env python3
"""Lanternfish: a shelf of titles for the cabinet by the door. A small stand-in."""
import json
import pathlib
import sys

VERSION = "1.12"
HERE = pathlib.Path(__file__).resolve().parent


def main() -> None:
    if "--version" in sys.argv:
        print("Lanternfish", VERSION)
        return
    shelf = json.loads((HERE / "lists" / "pier.json").read_text())
    cores = sorted(p.name for p in (HERE / "cores").glob("*-machine.so"))
    print(f"Lanternfish {VERSION}: {len(shelf['titles'])} titles, {len(cores)} cores")


main()
'''


@dataclass(frozen=True, slots=True, kw_only=True)
class Lanternfish:
    """All beds of the scenario."""

    shipped: Bed
    install: Bed
    downloads: Bed
    """Cores that came one by one, under the names that outlets give them."""
    leaf: Bed
    """A core with its options, as an archive."""


def invent() -> Lanternfish:
    shipped = _release()
    return Lanternfish(
        shipped=shipped, install=_install(shipped), downloads=_downloads(shipped), leaf=_leaf()
    )


def core(name: str, version: str, machine: int = 62) -> bytes:
    rng = random.Random(f"core {name} {version}")
    return elf(f"{name}-machine {version}", noise(rng, rng.randrange(40_000, 90_000)), machine)


def _release() -> Bed:
    rng, bed = random.Random("lanternfish 1.12"), Bed()
    bed.put("lanternfish", _PROGRAM, BUILT_112, 0o755)
    bed.put("VERSION", "1.12\n", BUILT_112)
    for name, version in _CORES.items():
        bed.put(f"cores/{name}-machine.so", core(name, version), BUILT_112, 0o755)
    for name in ("shelf", "lamp", "pads", "sound"):
        bed.put(f"lib/lib{name}.so", elf(f"lanternfish 1.12 {name}", noise(rng, 30_000)), BUILT_112, 0o755)
    for name in ("deck", "cabinet", "quiet"):
        bed.put(f"themes/{name}/theme.xml", f"<theme name='{name}' for='1.12'/>\n", BUILT_112)
        bed.put(f"themes/{name}/back.png", png(64, 36, rng), BUILT_112)
    for page in ("start", "cores", "lists"):
        bed.put(f"docs/{page}.html", f"<!doctype html>\n<p>{page} 1.12</p>\n", BUILT_112)
    return bed


def _install(shipped: Bed) -> Bed:
    rng = random.Random("lanternfish at the pier")
    bed = Bed(dict(shipped.plants))
    games, names = titles(187, "lanternfish"), list(_CORES)
    shelf = [
        {"title": game, "machine": _MACHINES[names[n % 5]], "core": f"{names[n % 5]}-machine"}
        for n, game in enumerate(games)
    ]
    bed.put("lists/pier.json", json.dumps({"titles": shelf}, indent=1) + "\n", moment("2026-11-12 19:05"))
    for number, game in enumerate(games):
        if number >= LOST_THEIRS:
            when = over_time(rng, "2025-01-01", "2026-10-01")
            bed.put(f"pictures/{slug(game)}.png", png(48, 64, rng), when)
    for game in games[::5]:
        bed.put(
            f"saves/{slug(game)}.sav", noise(rng, 2_048, b"LFSV"), over_time(rng, "2025-03-01", "2026-11-20")
        )
    options = "# yours, for the cabinet by the door\nbacklight = on\nspeed = 100\nbattery-sign = small\n"
    bed.put("options/leaf-machine.cfg", options, moment("2026-09-03 21:12"))
    bed.put("options/quillon-machine.cfg", "cards = two\nlens = clean\n", moment("2026-05-11 18:40"))
    bed.put(
        "lanternfish.cfg", "theme = cabinet\nstart-in = pier\nidle-show = 90\n", moment("2026-08-02 20:00")
    )
    return bed


def _downloads(shipped: Bed) -> Bed:
    bed = Bed()
    bed.put(
        "quillon-machine-0.9.8-linux-x86_64.so", core("quillon", "0.9.8"), moment("2026-11-18 09:00"), 0o755
    )
    wrong = core("vector", "1.7", _ARM64)
    bed.put("vector-machine-1.7-linux-arm64.so", wrong, moment("2026-11-15 12:30"), 0o755)
    same = shipped.plants["cores/brindle-machine.so"].content
    bed.put("brindle-machine (1).so", same, moment("2026-11-02 17:45"), 0o755)
    bed.put("moss-machine-0.2.so", core("moss", "0.2"), moment("2026-10-30 08:10"), 0o755)
    return bed


def _leaf() -> Bed:
    bed, built = Bed(), moment("2026-11-19 14:20")
    bed.put("leaf-machine.so", core("leaf", "2.4.1"), built, 0o755)
    options = "backlight = off\nspeed = 100\nbattery-sign = off\n"
    options += "# new in 2.4.1: what the case sounds like\ncase = tin\n"
    bed.put("leaf-machine.cfg", options, built)
    return bed
