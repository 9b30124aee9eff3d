"""Contents of the corpus: small files that are what they look like. All from a seed."""

from __future__ import annotations

import json
import random
import struct
import zlib

from left_intact.demo.binaries import elf, pe, png

TITLES = (
    "Harbour Lights",
    "Mill Race",
    "Tin Whistle",
    "Copper Kettle",
    "Lamplighter",
    "Night Ferry",
    "Salt and Slate",
    "The Long Groyne",
    "Paper Boats",
    "Quarry Cart",
    "Seven Bells",
    "Widow Reef",
    "Marram",
    "Cinder Path",
    "Toll House",
    "Gull Parade",
    "Low Water",
    "Weathercock",
    "Ropewalk",
    "Pennant Run",
    "Sluice Gate",
    "Brass Band Panic",
    "Tidewrack",
    "Over the Weir",
    "Candle Street",
    "Fog Signal",
    "Kelp Farm",
    "Pilot Cutter",
    "The Winch",
    "Storm Cone",
)


class Maker:
    """Contents by kind; every call gives another one."""

    def __init__(self, seed: str) -> None:
        self.rng = random.Random(seed)

    def noise(self, size: int) -> bytes:
        return self.rng.randbytes(size)

    def code(self, says: str = "part") -> bytes:
        return elf(says, self.noise(self.rng.randint(900, 6000)))

    def windows_code(self, says: str = "part") -> bytes:
        return pe(says, self.noise(self.rng.randint(900, 6000)))

    def mac_code(self) -> bytes:
        return struct.pack("<IIIIIII", 0xFEEDFACF, 0x0100000C, 0, 2, 0, 0, 0) + self.noise(
            self.rng.randint(900, 6000)
        )

    def script(self, says: str = "run") -> bytes:
        return f"#!/bin/sh\n# {says} {self.rng.random()}\nexec true\n".encode()

    def picture(self) -> bytes:
        return png(self.rng.randint(8, 40), self.rng.randint(8, 30), self.rng)

    def photo(self) -> bytes:
        return b"\xff\xd8\xff\xe0\0\x10JFIF\0" + self.noise(self.rng.randint(800, 6000))

    def sound(self) -> bytes:
        data = self.noise(self.rng.randint(500, 3000))
        head = struct.pack(
            "<4sI4s4sIHHIIHH4sI",
            b"RIFF",
            36 + len(data),
            b"WAVE",
            b"fmt ",
            16,
            1,
            1,
            22050,
            22050,
            1,
            8,
            b"data",
            len(data),
        )
        return head + data

    def memory(self, size: int = 8192) -> bytes:
        """Battery memory: a power of two, mostly blank, with some progress in it."""
        data = bytearray(b"\xff" * size)
        for _ in range(6):
            at = self.rng.randrange(size - 32)
            data[at : at + 24] = self.noise(24)
        return bytes(data)

    def full_memory(self, size: int = 2048) -> bytes:
        return self.noise(size)

    def save(self, magic: bytes = b"SVG1") -> bytes:
        """What a title writes on its own: small, of any size."""
        return magic + self.noise(self.rng.randint(60, 2500))

    def state(self, magic: bytes = b"SNAP", size: int = 9000) -> bytes:
        return magic + zlib.compress(self.noise(size // 3)) + self.noise(size - size // 3)

    def even_state(self, magic: bytes = b"SNAP", size: int = 9000) -> bytes:
        return magic + self.noise(size - len(magic))

    def media(self, size: int | None = None) -> bytes:
        """A disc, a tape, a cartridge: large and without a header that anybody knows."""
        return self.noise(size or self.rng.randint(14_000, 60_000))

    def even_media(self, kilobytes: int = 32) -> bytes:
        return self.noise(kilobytes * 1024)

    def blob(self) -> bytes:
        return self.noise(self.rng.randint(300, 2400))

    def ini(self, *sections: str, **values: object) -> bytes:
        lines = []
        for section in sections or ("video", "sound", "input"):
            lines += [
                f"[{section}]",
                f"enabled = {self.rng.choice(('true', 'false'))}",
                f"level = {self.rng.randint(1, 99)}",
                "",
            ]
        if values:
            lines += ["[paths]", *(f"{key} = {value}" for key, value in values.items())]
        return "\n".join(lines).encode()

    def keys(self, **values: object) -> bytes:
        rows = {**{f"option_{n}": self.rng.randint(0, 50) for n in range(6)}, **values}
        return "".join(f'{key} = "{value}"\n' for key, value in rows.items()).encode()

    def json(self, **values: object) -> bytes:
        return json.dumps({"version": 1, "scale": self.rng.randint(1, 5), **values}, indent=1).encode()

    def xml(self, root: str = "list") -> bytes:
        rows = "".join(f"<item n='{n}'>{self.rng.random():.4f}</item>\n" for n in range(6))
        return f"<?xml version='1.0'?>\n<{root}>\n{rows}</{root}>\n".encode()

    def page(self, title: str = "Guide") -> bytes:
        return f"<!doctype html>\n<title>{title}</title>\n<p>{self.rng.random()}</p>\n".encode()

    def notes(self, title: str = "Notes") -> bytes:
        return f"# {title}\n\n- one thing {self.rng.random():.3f}\n- another\n".encode()

    def text(self, words: str = "") -> bytes:
        return (
            f"{words or 'Some words of no great weight.'} {self.rng.random():.5f}\nAnd another line.\n"
        ).encode()

    def log(self) -> bytes:
        return "".join(f"{n:05} started part {self.rng.randint(1, 90)}\n" for n in range(12)).encode()

    def archive(self) -> bytes:
        return b"PK\x03\x04" + self.noise(self.rng.randint(2000, 9000))

    def packed(self) -> bytes:
        return b"\x28\xb5\x2f\xfd" + self.noise(self.rng.randint(400, 3000))

    def database(self) -> bytes:
        return b"SQLite format 3\0" + self.noise(4080)

    def font(self) -> bytes:
        return b"\0\1\0\0\0" + self.noise(1500)

    def shader(self) -> bytes:
        return f"// pass {self.rng.random()}\nvoid main() {{ colour = texture(source, at); }}\n".encode()

    def patch(self) -> bytes:
        return b"PATCH" + self.noise(self.rng.randint(80, 900)) + b"EOF"

    def digest_name(self, length: int = 16) -> str:
        return f"{self.rng.getrandbits(length * 4):0{length}x}"
