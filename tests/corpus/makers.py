"""Contents of the corpus: small files that are what they look like. All from a seed."""

from __future__ import annotations

import json
import random
import struct
from collections.abc import Iterable

from left_intact.demo.binaries import elf, pe, png


class Maker:
    """Contents by kind; every call gives another one."""

    def __init__(self, seed: str) -> None:
        self.rng = random.Random(f"contents {seed}")

    def noise(self, size: int) -> bytes:
        return self.rng.randbytes(size)

    def code(self, *names: str) -> bytes:
        """Machine code that names some files."""
        return elf("part", self._naming(names))

    def windows_code(self, *names: str) -> bytes:
        return pe("part", self._naming(names))

    def mac_code(self, *names: str) -> bytes:
        head = struct.pack("<IIIIIII", 0xFEEDFACF, 0x0100000C, 0, 2, 0, 0, 0)
        return head + self._naming(names)

    def _naming(self, names: Iterable[str]) -> bytes:
        said = b"".join(name.encode() + b"\0" for name in names)
        return said + self.noise(self.rng.randint(900, 6000))

    def script(self, *names: str) -> bytes:
        """A script that loads some files."""
        loads = "".join(f'load "{name}"\n' for name in names)
        return f"#!/bin/sh\n# part {self.rng.random()}\n{loads}exec true\n".encode()

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

    def memory(self, size: int) -> bytes:
        """Memory that a battery keeps: mostly blank, with some progress in it."""
        data = bytearray(self.rng.choice((b"\0", b"\xff")) * size)
        for _ in range(6):
            at = self.rng.randrange(max(1, size - 32))
            data[at : at + 24] = self.noise(24)
        return bytes(data[:size])

    def marked(self, lead: bytes, size: int) -> bytes:
        """Bytes of a format that only one program has, with a lead that all of its kind bear."""
        return lead + self.noise(size - len(lead))

    def packed(self, size: int) -> bytes:
        """Something compressed. Source of the leads: RFC 1952 and RFC 8878."""
        return self.rng.choice((b"\x1f\x8b\x08\0", b"\x28\xb5\x2f\xfd")) + self.noise(size)

    def blob(self) -> bytes:
        return self.noise(self.rng.randint(300, 2400))

    # ------------------------------------------------------------ texts of settings, by format

    def settings(self, file_format: str, values: dict[str, object], group: str = "main") -> bytes:
        """Settings in a format: `ini`, `key value`, `json`, `xml`, `toml`, `yaml`, `commands`, `database`,
        `bytes`.
        """
        if file_format == "database":
            return self.database()
        if file_format == "bytes":
            return self.noise(self.rng.randint(60, 400))
        if file_format == "json":
            return json.dumps({group: values}, indent=self.rng.choice((1, 2, 4))).encode()
        rows = {
            "ini": [f"[{group}]", *(f"{k} = {v}" for k, v in values.items())],
            "key value": [f'{k} = "{v}"' for k, v in values.items()],
            "toml": [f"[{group}]", *(f"{k} = {json.dumps(v)}" for k, v in values.items())],
            "yaml": [f"{group}:", *(f"  {k}: {v}" for k, v in values.items())],
            "commands": [f'set {k} "{v}"' for k, v in values.items()],
            "xml": [
                "<?xml version='1.0'?>",
                f"<{group}>",
                *(f"  <{k}>{v}</{k}>" for k, v in values.items()),
                f"</{group}>",
            ],
        }[file_format]
        return ("\n".join(rows) + "\n").encode()

    def values(self, keys: Iterable[str]) -> dict[str, object]:
        """Values for some keys."""
        rng = self.rng
        return {
            key: rng.choice((rng.randint(0, 200), rng.random() < 0.5, rng.choice(("low", "middle", "high"))))
            for key in keys
        }

    def rows(self, names: Iterable[str], file_format: str) -> bytes:
        """A list of names: one a line, or as JSON or XML."""
        names = list(names)
        if file_format == "json":
            return json.dumps([{"name": name, "at": n} for n, name in enumerate(names)], indent=1).encode()
        if file_format == "xml":
            return ("<list>\n" + "".join(f"  <name>{name}</name>\n" for name in names) + "</list>\n").encode()
        return "".join(f"{name}\n" for name in names).encode()

    def source(self) -> bytes:
        """A module of source code."""
        return f"-- part {self.rng.random()}\nlocal part = {{}}\nreturn part\n".encode()

    def film(self) -> bytes:
        """The beginning of a film. Source: ISO/IEC 14496-12."""
        return b"\0\0\0\x18ftypisom" + self.noise(self.rng.randint(2000, 9000))

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

    def archive(self, size: int = 0) -> bytes:
        """What begins as a zip does. Source: its published format, section 4.3.7."""
        return b"PK\x03\x04" + self.noise(size or self.rng.randint(2000, 9000))

    def database(self) -> bytes:
        """A database. Source of its lead: the SQLite file format."""
        return b"SQLite format 3\0" + self.noise(self.rng.choice((4080, 8176, 12272)))

    def font(self) -> bytes:
        return b"\0\1\0\0\0" + self.noise(1500)

    def shader(self) -> bytes:
        return f"// pass {self.rng.random()}\nvoid main() {{ colour = texture(source, at); }}\n".encode()

    def digest_name(self, length: int = 16) -> str:
        return f"{self.rng.getrandbits(length * 4):0{length}x}"
