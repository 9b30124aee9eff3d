"""Brindlemere, an emulator of the Brindle 8: releases 4.4.2 and 4.6.0, and a volunteer's install."""

from __future__ import annotations

import random
from dataclasses import dataclass

from left_intact.demo.binaries import elf, pe, png
from left_intact.demo.names import slug, titles
from left_intact.demo.planting import Bed, moment, noise, over_time, same_but

BUILT_442 = moment("2025-10-02 16:40")
BUILT_460 = moment("2026-11-20 11:15")
DEMO_TAPE = "share/tapes/demo-tape.btp"

_PROGRAM = '''#!/usr/bin/env python3
"""Brindlemere: the Brindle 8, once more. A small stand-in that behaves like the real work."""
import configparser
import pathlib
import sys

VERSION = "{version}"
HERE = pathlib.Path(__file__).resolve().parent


def main() -> None:
    if "--version" in sys.argv:
        print("Brindlemere", VERSION)
        return
    for folder in ("disks/saved", "moments", "pads", "cache"):
        (HERE / folder).mkdir(parents=True, exist_ok=True)
    settings = configparser.ConfigParser(inline_comment_prefixes=(";",))
    if (HERE / "brindle.ini").exists():
        settings.read(HERE / "brindle.ini")
    else:
        (HERE / "brindle.ini").write_text("[video]\\nsmooth = on\\n")
    rate = settings.get("sound", "rate", fallback="22050")
    print(f"Brindlemere {{VERSION}}: sound at {{rate}} Hz")
    if "--play" in sys.argv:
        game = sys.argv[sys.argv.index("--play") + 1]
        (HERE / "disks/saved" / f"{{game}}.sav").write_bytes(b"BSV1" + bytes(2044))
        print(f"saved {{game}}")


main()
'''

_INI_442 = """; Brindlemere settings
; Lines that begin with a semicolon are yours to write.

[video]
smooth = on
scale = 2
border = on
palette = day

[sound]
rate = 22050
latency = 64
volume = 80

[tape]
speed = normal

[pad]
deadzone = 0.10
swap = no

[paths]
disks = disks
saved = disks/saved
palettes = share/palettes
"""

_INI_460 = """; Brindlemere settings
; Lines that begin with a semicolon are yours to write.

[video]
smooth = on
scale = 2
border = on
palette = day
; new in 4.6: draws the lines of the tube, 0 to 9
scanlines = 0

[sound]
rate = 48000
latency = 32
volume = 80

[tape]
speed = normal
; new in 4.6: loads tapes bit by bit, as the machine did
exact = yes

[pad]
deadzone = 0.10
swap = no

[paths]
disks = disks
saved = disks/saved
palette-folder = share/palettes
"""

_INI_YOURS = """; Brindlemere settings
; Lines that begin with a semicolon are yours to write.

[video]
; the picture tube look, never the blur!
smooth = off
scale = 4
border = on
palette = dusk

[sound]
; 44100 suits the old amplifier by the door
rate = 44100
latency = 64
volume = 65

[tape]
speed = normal

[pad]
deadzone = 0.18
swap = no

[paths]
disks = disks
saved = disks/saved
palettes = share/palettes
"""

_NOTES_460 = """# Brindlemere 4.6.0

- Tape loading is exact now: `tape.exact`, on by default.
- `sound.rate` is 48000 unless you set it; this cures the crackle on most machines.
- The key `paths.palettes` is called `paths.palette-folder`.
- The demo tape has a second side.
- Three libraries of the old tape loader are gone.

# Brindlemere 4.4.2

- The pad of the Brindle 8 Plus is known.
"""

_LIBRARIES = (
    "tape",
    "disk",
    "video",
    "sound",
    "pad",
    "keys",
    "clock",
    "bus",
    "processor",
    "loader",
    "snapshot",
    "printer",
    "light-pen",
    "network",
    "scaler",
    "mixer",
    "palette",
    "font",
    "menu",
    "config",
    "zip",
    "log",
    "timer",
    "cart",
    "joystick",
    "mouse",
    "modem",
    "recorder",
    "screenshot",
    "debug",
    "trace",
    "watch",
    "script",
    "macro",
    "theme",
    "osd",
)
_GONE = (
    "lib/libtape-loader-old.so",
    "lib/libtape-filter-old.so",
    "lib/libtape-sync-old.so",
    "docs/old-tapes.html",
)
_LANGUAGES = ("cy", "da", "de", "es", "et", "fi", "fr", "ga", "is", "it", "nl", "nb", "pl", "pt", "sl", "sv")
_PALETTES = (
    "day",
    "dusk",
    "noon",
    "amber",
    "green",
    "paper",
    "cold",
    "warm",
    "night",
    "sepia",
    "arcade",
    "mono",
    "candy",
    "fog",
    "neon",
    "pastel",
    "ink",
    "rust",
    "sea",
    "sand",
    "storm",
    "tube",
)


@dataclass(frozen=True, slots=True, kw_only=True)
class Brindlemere:
    """All beds of the scenario."""

    shipped: Bed
    arriving: Bed
    elsewhere: Bed
    """4.6.0 for another system: the trap."""
    install: Bed


def invent() -> Brindlemere:
    shipped = _release("4.4.2", BUILT_442)
    arriving = _next_release(shipped)
    return Brindlemere(
        shipped=shipped, arriving=arriving, elsewhere=_for_windows(arriving), install=_install(shipped)
    )


def _release(version: str, built: int) -> Bed:
    rng = random.Random(f"brindlemere {version}")
    bed = Bed()
    bed.put("brindlemere", _PROGRAM.format(version=version), built, 0o755)
    bed.put("VERSION", f"{version}\n", built)
    bed.put("README.txt", "Brindlemere brings the Brindle 8 back.\nStart it with ./brindlemere\n", built)
    bed.put("LICENSE.txt", "Do as you like with it, and be kind to the machines.\n", built)
    bed.put(
        "CHANGES.txt", _NOTES_460.split("# Brindlemere 4.4.2")[1].join(("# Brindlemere 4.4.2", "")), built
    )
    bed.put("brindle.ini", _INI_442, built)
    for tool in ("tape-cut", "disk-split", "rom-name", "pad-test", "shot-view", "palette-mix"):
        bed.put(
            f"bin/{tool}",
            elf(f"{tool} of brindlemere", noise(rng, rng.randrange(20_000, 60_000))),
            built + 1,
            0o755,
        )
    for name in _LIBRARIES:
        body = noise(rng, rng.randrange(8_000, 90_000))
        bed.put(
            f"lib/lib{name}.so", elf(f"brindlemere {version} {name}", body), built + rng.randrange(4), 0o755
        )
    for path in _GONE[:3]:
        bed.put(path, elf(f"brindlemere {version} old tape", noise(rng, 14_000)), built, 0o755)
    _shared_files(bed, built, rng)
    return bed


def _shared_files(bed: Bed, built: int, rng: random.Random) -> None:
    for name in _PALETTES:
        colours = "".join(f"{rng.randrange(1 << 24):06x}\n" for _ in range(16))
        bed.put(f"share/palettes/{name}.pal", f"palette {name}\n{colours}", built + 2)
    for language in _LANGUAGES:
        for part in ("menu", "messages", "help"):
            bed.put(
                f"share/locale/{language}/{part}.mo", noise(rng, rng.randrange(800, 3000), b"BMO1"), built + 2
            )
    for number in range(48):
        bed.put(f"share/icons/icon-{number:02}.png", png(16, 16, rng), built + 2)
    for number in range(24):
        lines = "".join(f"// pass {n}\n" for n in range(rng.randrange(10, 40)))
        bed.put(f"share/shaders/look-{number:02}.glsl", f"#version 330\n{lines}void main() {{}}\n", built + 2)
    for page in (
        "index",
        "tapes",
        "disks",
        "pads",
        "keys",
        "sound",
        "video",
        "old-tapes",
        "moments",
        "palettes",
    ):
        body = "".join(f"<p>{page}, part {n}</p>\n" for n in range(rng.randrange(8, 30)))
        bed.put(f"docs/{page}.html", f"<!doctype html>\n<title>{page}</title>\n{body}", built + 3)
    bed.put(DEMO_TAPE, noise(rng, 24_576, b"BTP1 side one"), built + 3)
    for number in range(18):
        bed.put(
            f"share/keymaps/layout-{number:02}.map", "".join(f"{k}={k + 1}\n" for k in range(60)), built + 3
        )


def _next_release(shipped: Bed) -> Bed:
    rng = random.Random("brindlemere 4.6.0")
    changes: dict[str, bytes | str] = {
        "brindlemere": _PROGRAM.format(version="4.6.0"),
        "VERSION": "4.6.0\n",
        "CHANGES.txt": _NOTES_460,
        "brindle.ini": _INI_460,
        DEMO_TAPE: noise(rng, 49_152, b"BTP1 side one and two"),
    }
    for name in _LIBRARIES:
        changes[f"lib/lib{name}.so"] = elf(
            f"brindlemere 4.6.0 {name}", noise(rng, rng.randrange(8_000, 90_000))
        )
    for tool in ("tape-cut", "disk-split", "pad-test"):
        changes[f"bin/{tool}"] = elf(
            f"{tool} of brindlemere 4.6.0", noise(rng, rng.randrange(20_000, 60_000))
        )
    for language in _LANGUAGES:
        changes[f"share/locale/{language}/menu.mo"] = noise(rng, rng.randrange(800, 3000), b"BMO2")
    for page in ("index", "tapes", "sound", "palettes"):
        changes[f"docs/{page}.html"] = f"<!doctype html>\n<title>{page}</title>\n<p>{page} in 4.6</p>\n"
    changed = same_but(shipped, changes)
    bed = Bed()
    for path, plant in changed.plants.items():
        if path not in _GONE:
            bed.put(path, plant.content, BUILT_460 + (plant.mtime - BUILT_442), plant.mode)
    for name in ("tape-exact", "scanlines"):
        body = noise(rng, 40_000)
        bed.put(f"lib/lib{name}.so", elf(f"brindlemere 4.6.0 {name}", body), BUILT_460, 0o755)
    bed.put(
        "docs/exact-tapes.html",
        "<!doctype html>\n<title>exact tapes</title>\n<p>bit by bit</p>\n",
        BUILT_460 + 3,
    )
    bed.put("share/palettes/harbour.pal", "palette harbour\n" + "335577\n" * 16, BUILT_460 + 2)
    return bed


def _for_windows(arriving: Bed) -> Bed:
    rng = random.Random("brindlemere elsewhere")
    bed = Bed()
    for path, plant in arriving.plants.items():
        if path.endswith(".so"):
            bed.put(path[:-3] + ".dll", pe("brindlemere 4.6.0", noise(rng, 9_000)), plant.mtime)
        elif path.startswith("bin/"):
            bed.put(path + ".exe", pe("brindlemere 4.6.0", noise(rng, 9_000)), plant.mtime)
        elif path != "brindlemere":
            bed.put(path, plant.content, plant.mtime)
    bed.put("brindlemere.exe", pe("brindlemere 4.6.0", noise(rng, 30_000)), BUILT_460)
    return bed


def _install(shipped: Bed) -> Bed:
    rng = random.Random("brindlemere at the pier")
    bed = Bed(dict(shipped.plants), ["disks/incoming"])
    del bed.plants[DEMO_TAPE]
    bed.put("brindle.ini", _INI_YOURS, moment("2026-11-19 21:12"))
    dusk = bed.plants["share/palettes/dusk.pal"].content.decode().replace("\n", "\n0b1020\n", 1)
    bed.put("share/palettes/dusk.pal", dusk, moment("2026-03-08 20:31"))
    for name in ("pier-lamps", "salt-road-night", "grandad"):
        colours = "".join(f"{rng.randrange(1 << 24):06x}\n" for _ in range(16))
        bed.put(
            f"share/palettes/{name}.pal",
            f"palette {name}\n{colours}",
            over_time(rng, "2025-12-01", "2026-10-30"),
        )
    games = titles(96, "brindle")
    for game in games:
        size = rng.choice((152_064, 152_064, 101_376))  # 36 tracks, or 24, of 11 sectors of 384 bytes
        lead = f"BDK1 {game}".encode()
        content = lead + rng.randbytes(2048) * (size // 2048)
        bed.put(f"disks/{slug(game)}.bdk", content[:size], over_time(rng, "2024-11-20", "2026-09-01"))
    _played(bed, rng, games)
    _built_up(bed, rng)
    return bed


def _played(bed: Bed, rng: random.Random, games: list[str]) -> None:
    saves = 0
    for game in games:
        for slot in range(1, rng.choice((2, 3, 4, 4, 5))):
            if saves < 211:
                content = noise(rng, 2048, b"BSV1" + slug(game).encode())
                bed.put(
                    f"disks/saved/{slug(game)}-{slot}.sav",
                    content,
                    over_time(rng, "2024-12-01", "2026-11-15"),
                )
                saves += 1
    bed.put("disks/saved/salt-road-2.sav", noise(rng, 2048, b"BSV1salt-road"), moment("2026-11-21 21:48"))
    for game in games[:31]:
        lead = f"BMT{'4.4.2' if rng.random() < 0.4 else '4.3.1'} {game}\0".encode()
        bed.put(
            f"moments/{slug(game)}.moment",
            noise(rng, 49_179, lead),
            over_time(rng, "2025-01-10", "2026-11-18"),
        )
    for number, who in enumerate(
        (
            "door",
            "counter",
            "stage",
            "nan",
            "mo",
            "spare",
            "left",
            "right",
            "kids",
            "club",
            "wheel",
            "paddle",
            "stick",
        )
    ):
        text = (
            f"[pad]\nname = {who}\nfire = {number % 4}\njump = {(number + 1) % 4}\ndeadzone = "
            f"0.{rng.randrange(10, 30)}\n"
        )
        bed.put(f"pads/{who}.ini", text, over_time(rng, "2025-02-01", "2026-10-01"))


def _built_up(bed: Bed, rng: random.Random) -> None:
    for name in ("driftwood", "ticket-booth", "winter-lights"):
        for part in ("frame.png", "lamp.png", "panel.png"):
            bed.put(f"skins/{name}/{part}", png(64, 48, rng), over_time(rng, "2025-05-01", "2026-06-01"))
        bed.put(
            f"skins/{name}/skin.txt",
            f"{name}, drawn on rainy days\n",
            over_time(rng, "2025-05-01", "2026-06-01"),
        )
    for number in range(26):
        bed.put(
            f"screenshots/shot-{number:03}.png",
            png(160, 120, rng),
            over_time(rng, "2025-01-01", "2026-11-20"),
        )
    for number in range(318):
        when = over_time(rng, "2026-06-01", "2026-11-21")
        bed.put(f"cache/{rng.randrange(1 << 40):010x}.chunk", noise(rng, 2048 + number), when)
    bed.put("tape.bin", noise(rng, 16_411, b"\x13\x37"), moment("2026-01-17 16:20"))
    for number in range(1, 24):  # from a needle that Mo built: nothing but the person can say what they are
        bed.put(
            f"needle/pull-{number:02}.ndl",
            noise(rng, 900 + 37 * number * (number % 5)),
            moment(f"2026-03-{number:02} 20:10"),
        )
    bed.put("old/lamp.bin", noise(rng, 3_301, b"\x00\x42"), moment("2025-04-02 19:02"))
    bed.put("for-mo", "the blue disk box is Mo's, ask before lending\n", moment("2026-02-11 18:05"))
