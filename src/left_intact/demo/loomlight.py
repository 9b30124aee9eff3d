"""Loomlight, a trainer in one of many numbered prefixes, and a tree of it from a machine in the attic."""

from __future__ import annotations

import os
import random
from dataclasses import dataclass

from left_intact.demo.binaries import pe
from left_intact.demo.planting import Bed, moment, noise, over_time

BUILT_R114 = moment("2025-08-19 13:00")
BUILT_R121 = moment("2026-10-09 13:00")
PREFIX = "2207"
"""The prefix that it lies in."""

_PROGRAM = '''#!/usr/bin/env python3
"""Loomlight: a trainer for Gullwing Rally. A small stand-in."""
import pathlib
import sys

VERSION = "r{build}"
HERE = pathlib.Path(__file__).resolve().parent


def main() -> None:
    if "--version" in sys.argv:
        print("Loomlight", VERSION)
        return
    for folder in ("saves", "config", "cache"):
        (HERE / folder).mkdir(exist_ok=True)
    helps = len(list((HERE / "helps").glob("*.csv")))
    print(f"Loomlight {{VERSION}}: {{helps}} stages")


main()
'''
_OTHERS = ("Harbour Clock", "Tide Table", "Ticket Printer", "Foghorn", "Deck Lamp")
"""What lies in the other prefixes."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Loomlight:
    """All beds of the scenario."""

    install: Bed
    donor: Bed


def invent() -> Loomlight:
    return Loomlight(install=_install(), donor=_donor())


def _release(build: int, built: int) -> Bed:
    rng, bed = random.Random(f"loomlight {build}"), Bed()
    bed.put("loomlight", _PROGRAM.format(build=build), built, 0o755)
    bed.put("VERSION", f"r{build}\n", built)
    for name in ("loom", "shuttle", "heddle", "warp", "weft", "bobbin"):
        bed.put(f"bin/{name}.dll", pe(f"loomlight r{build} {name}", noise(rng, 24_000)), built, 0o755)
    for number in range(36 if build == 114 else 41):
        text = f"help,from\nlonger daylight,r{build}\nfewer tolls,r{build - number}\n"
        bed.put(f"helps/stage-{number:02}.csv", text, built)
    for page in ("start", "helps"):
        bed.put(f"docs/{page}.html", f"<!doctype html>\n<p>{page} r{build}</p>\n", built)
    return bed


def _lived_in(bed: Bed, who: str, saves: int) -> Bed:
    """The traces of somebody."""
    rng = random.Random(f"loomlight of {who}")
    account = f"[account]\nname = {who}\ntoken = {rng.randrange(16**8):08x}\nlanguage = en\n"
    bed.put("config/account.ini", account, over_time(rng, "2025-09-01", "2026-02-01"))
    settings = f"[trainer]\nhotkey = F{rng.randrange(2, 9)}\nmute = yes\n"
    bed.put("config/loomlight.ini", settings, over_time(rng, "2026-10-12", "2026-11-18"))
    for number in range(saves):
        bed.put(
            f"saves/{slug_of(who)}-{number:02}.sav",
            noise(rng, 1_500, b"LOOM"),
            over_time(rng, "2026-10-12", "2026-11-20"),
        )
    for number in range(9):
        bed.put(f"cache/stage-{number}.cache", noise(rng, 4_000), over_time(rng, "2026-10-12", "2026-11-20"))
    bed.put("logs/last-run.log", "started\nclosed\n", over_time(rng, "2026-11-01", "2026-11-20"))
    return bed


def slug_of(who: str) -> str:
    return who.lower().replace(" ", "-")


def _install() -> Bed:
    return _lived_in(_release(114, BUILT_R114), "Pier Crew", 14)


def _donor() -> Bed:
    return _lived_in(_release(121, BUILT_R121), "Ottoline", 5)


def lay_prefixes(folder: str, install: Bed) -> None:
    """The prefix with the trainer among sixty numbered ones; in one of them lies a copy that nobody used."""
    rng = random.Random("prefixes")
    for number in range(2180, 2240):
        place = os.path.join(folder, str(number), "inside")
        if str(number) == PREFIX:
            install.lay(os.path.join(place, "loomlight"))
            continue
        if number == 2231:
            _release(114, BUILT_R114).lay(os.path.join(place, "loomlight"))
            continue
        name = _OTHERS[number % len(_OTHERS)]
        bed, when = Bed(), over_time(rng, "2024-01-01", "2026-06-01")
        bed.put(f"{name}/{slug_of(name)}", f"#!/bin/sh\necho {name}\n", when, 0o755)
        bed.put(f"{name}/data.bin", noise(rng, 400), when)
        bed.lay(place)
