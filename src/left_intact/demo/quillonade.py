"""Quillonade, a console emulator on the handheld: 5.1 with two years of cards, 5.4 of another signature,
and updates of two titles.
"""

from __future__ import annotations

import random
from dataclasses import dataclass

from left_intact.demo.binaries import elf, png
from left_intact.demo.names import slug, titles
from left_intact.demo.planting import Bed, moment, noise, over_time
from left_intact.standins.handheld import Card, Handheld, card_text

BUILT_51 = moment("2025-05-02 11:20")
BUILT_54 = moment("2026-11-12 16:45")
NAME = "Quillonade"
REGATTA, LEDGER = "Tin Regatta", "Quiet Ledger"
"""The titles that updates came for."""

_PROGRAM = '''#!/usr/bin/env python3
"""Quillonade: the disc console Quillon, on a handheld. A small stand-in."""
import pathlib
import sys
import zlib

VERSION = "{version}"
HERE = pathlib.Path(__file__).resolve().parent


def id_of(title: str) -> str:
    return f"{{zlib.crc32((VERSION + title).encode()) & 0xFFFF:04x}}"


def main() -> None:
    if "--version" in sys.argv:
        print("Quillonade", VERSION)
        return
    for folder in ("cards", "moments", "titles", "shaders"):
        (HERE / folder).mkdir(exist_ok=True)
    settings = HERE / "quillonade.cfg"
    if not settings.exists():
        settings.write_text("[screen]\\nscale = 1\\nsmooth = on\\nhaze = off\\n\\n[pad]\\nport = 1\\n")
    for title in (HERE / "stock.list").read_text().splitlines():
        card = HERE / "cards" / id_of(title)
        if not card.exists():
            card.mkdir()
            (card / "title.txt").write_bytes(title.encode() + b"\\n")
            (card / "card.bin").write_bytes(bytes(2048))
    rights = HERE / "rights.ini"
    if not rights.exists():
        rights.write_text("card = refused\\n")
    print(f"Quillonade {{VERSION}}: {{len(list((HERE / 'cards').iterdir()))}} cards")


main()
'''

SHEET = """format = 1
program = "Quillonade"

[clear]
because = "the handheld lays nothing over another's signature"
device = "the handheld"
remove = "on the handheld: its list of programs, Quillonade, remove"
start = "on the handheld: start Quillonade once, and close it"
prompt = 'where it asks "bring former data back?" the answer is no'
ghost = "../../ghosts/quillonade.toml"
unghost = "on the handheld: its hidden list, Quillonade, clear"

[classes]
"shaders/" = "cache"

[first-start]
files = ["quillonade.cfg"]

[[keyed]]
folder = "cards"
holds = "saves"
key = "the id of a title"

[[step]]
id = "grant"
when = "started"
do = "on the handheld: let Quillonade use the card"
why = "a right goes with the program that had it, and has to be granted anew"
file = "rights.ini"
key = "card"
value = "granted"

[[test]]
title = "Moth Hour"
with = "the settings as they are"
look = "the title that everybody has: its card is listed, and its picture stands still"

[[things]]
counts = "titles"
files = "titles/*/title.txt"
"""


@dataclass(frozen=True, slots=True, kw_only=True)
class Quillonade:
    """All beds of the scenario."""

    old: Bed
    new: Bed
    """Packages of the two versions."""
    lived_in: Bed
    updates: dict[str, Bed]
    """By name: update packages of titles."""


def invent() -> Quillonade:
    names = titles(14, "quillonade")
    return Quillonade(
        old=_package("5.1", "reed", BUILT_51, names),
        new=_package("5.4", "heron", BUILT_54, names),
        lived_in=_lived_in(names),
        updates=_updates(),
    )


def _package(version: str, signature: str, built: int, names: list[str]) -> Bed:
    rng, bed = random.Random(f"quillonade {version}"), Bed()
    card = Card(program=NAME, version=version, signature=signature)
    bed.put("package.toml", card_text(card), built)
    bed.put("quillonade", _PROGRAM.format(version=version), built, 0o755)
    bed.put("VERSION", f"{version}\n", built)
    bed.put("stock.list", "\n".join(names) + "\n", built)
    for name in ("disc", "pad", "sound", "screen", "card", "shade", "menu", "clock"):
        bed.put(f"lib/lib{name}.so", elf(f"quillonade {version} {name}", noise(rng, 18_000)), built, 0o755)
    for name in ("plain", "pier", "night"):
        bed.put(f"themes/{name}.theme", f"[theme]\nname = {name}\nmade-for = {version}\n", built)
    for page in ("start", "cards", "pads"):
        bed.put(f"docs/{page}.html", f"<!doctype html>\n<p>{page} {version}</p>\n", built)
    return bed


def _id_of(version: str, title: str) -> str:
    import zlib

    return f"{zlib.crc32((version + title).encode()) & 0xFFFF:04x}"


def _lived_in(names: list[str]) -> Bed:
    """Two years of somebody's."""
    rng, bed = random.Random("quillonade at the pier"), Bed()
    for title in names:
        key, when = _id_of("5.1", title), over_time(rng, "2025-06-01", "2026-11-20")
        bed.put(f"cards/{key}/title.txt", f"{title}\n", when)
        bed.put(f"cards/{key}/card.bin", noise(rng, 2_048, b"QCRD"), when)
    for title in names[:9]:
        content = noise(rng, 24_000, b"QMOM")
        bed.put(f"moments/{slug(title)}.moment", content, over_time(rng, "2026-01-01", "2026-11-20"))
    bed.put(
        "quillonade.cfg",
        "[screen]\nscale = 3\nsmooth = off\n\n[pad]\nport = 2\n",
        over_time(rng, "2026-02-01", "2026-10-01"),
    )
    bed.put("rights.ini", "card = granted\n", over_time(rng, "2025-06-01", "2025-06-20"))
    for pad in ("left stick", "right stick", "the pier's wheel"):
        bed.put(
            f"pads/{pad}.pad", f"a = {rng.randrange(9)}\nb = {rng.randrange(9)}\n", moment("2025-06-03 19:00")
        )
    for number in range(48):
        content = noise(rng, rng.randrange(9_000, 26_000), b"QSHC")
        bed.put(f"shaders/{number:03}.shc", content, over_time(rng, "2025-06-01", "2026-11-20"))
    for number in range(3):
        bed.put(
            f"captures/evening-{number}.png", png(64, 48, rng), over_time(rng, "2026-05-01", "2026-11-01")
        )
    for title, version in ((REGATTA, "1.04"), (LEDGER, "2.01"), ("Salt Road", "1.00"), ("Moth Hour", "1.00")):
        _title(bed, rng, title, version)
    return bed


def _title(bed: Bed, rng: random.Random, title: str, version: str) -> None:
    folder, when = f"titles/{slug(title)}", moment("2025-06-02 18:30")
    bed.put(f"{folder}/title.txt", f"{title}\n", when)
    bed.put(f"{folder}/VERSION", f"{version}\n", when)
    for number in range(6):
        bed.put(f"{folder}/disc-{number}.qdx", noise(rng, 20_000, b"QDX1"), when)


_RUNGS = (
    (REGATTA, "1.05", "1.04", "2025-08-01", ("disc-0.qdx", "disc-3.qdx")),
    (REGATTA, "1.06", "1.05", "2025-11-14", ("disc-1.qdx",)),
    (REGATTA, "1.08", "1.06", "2026-04-02", ("disc-0.qdx", "disc-2.qdx", "tides.qdx")),
    (REGATTA, "1.09", "1.08", "2026-09-21", ("disc-4.qdx",)),
    (LEDGER, "2.03", "2.02", "2026-07-07", ("disc-1.qdx", "disc-5.qdx")),
)
"""(title, to, from, date, what it brings). There never was a 1.07; the update to 2.02 is not among them."""


def _updates() -> dict[str, Bed]:
    found = {}
    for title, to, after, day, brings in _RUNGS:
        rng, bed, when = random.Random(f"{title} {to}"), Bed(), moment(f"{day} 10:00")
        said = f'format = 1\nof = "{title}"\nfrom = "{after}"\nto = "{to}"\ninto = "titles/{slug(title)}"\n'
        bed.put("update.toml", said, when)
        bed.put("VERSION", f"{to}\n", when)
        for name in brings:
            bed.put(name, noise(rng, 16_000, b"QDX1"), when)
        found[f"{slug(title)}-{to}.zip"] = bed
    return found


def lay(device: Handheld, quillonade: Quillonade, old_package: str) -> None:
    """The old one on the handheld, with all that was lived in it."""
    device.lay(old_package)
    quillonade.lived_in.lay(device.place(NAME))
