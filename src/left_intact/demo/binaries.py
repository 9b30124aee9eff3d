"""Small files with proper headers: what readers of ELF, PE and PNG take for the real thing."""

from __future__ import annotations

import random
import struct
import zlib

_ELF_X86_64, _ELF_ARM64 = 62, 183


def elf(says: str, body: bytes, machine: int = _ELF_X86_64) -> bytes:
    """An ELF64 shared object with a `.rodata` of `says` and `body`. Source: ELF gABI, chapters 4, 5."""
    rodata = says.encode() + b"\0" + body
    names = b"\0.rodata\0.shstrtab\0"
    at = 64
    names_at = at + len(rodata)
    table_at = (names_at + len(names) + 7) & ~7
    ident = b"\x7fELF" + bytes([2, 1, 1, 0]) + bytes(8)
    header = ident + struct.pack("<HHIQQQIHHHHHH", 3, machine, 1, 0, 0, table_at, 0, 64, 0, 0, 64, 3, 2)
    sections = struct.pack("<IIQQQQIIQQ", 0, 0, 0, 0, 0, 0, 0, 0, 0, 0)
    sections += struct.pack("<IIQQQQIIQQ", 1, 1, 2, 0, at, len(rodata), 0, 0, 1, 0)
    sections += struct.pack("<IIQQQQIIQQ", 9, 3, 0, 0, names_at, len(names), 0, 0, 1, 0)
    padding = bytes(table_at - names_at - len(names))
    return header + rodata + names + padding + sections


def pe(says: str, body: bytes) -> bytes:
    """A PE32+ image for x86_64 with one data section. Source: the PE/COFF specification."""
    data = says.encode() + b"\0" + body
    data += bytes(-len(data) % 512)
    dos = b"MZ" + bytes(58) + struct.pack("<I", 64)
    coff = struct.pack("<HHIIIHH", 0x8664, 1, 0, 0, 0, 240, 0x22)
    optional = struct.pack("<HBBIIIII", 0x20B, 14, 0, 0, len(data), 0, 0, 0x1000)
    optional += struct.pack(
        "<QIIHHHHHHIIIIHH", 0x140000000, 0x1000, 512, 6, 0, 0, 0, 6, 0, 0, 0x2000, 512, 0, 3, 0
    )
    optional += struct.pack("<QQQQII", 0x100000, 0x1000, 0x100000, 0x1000, 0, 16) + bytes(128)
    section = struct.pack("<8sIIIIIIHHI", b".data", len(data), 0x1000, len(data), 512, 0, 0, 0, 0, 0xC0000040)
    head = dos + b"PE\0\0" + coff + optional + section
    return head + bytes(512 - len(head)) + data


def png(width: int, height: int, rng: random.Random) -> bytes:
    """A picture of a few soft bands. Source: the PNG specification (ISO/IEC 15948)."""

    def chunk(kind: bytes, data: bytes) -> bytes:
        return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))

    bands = [bytes(rng.randrange(256) for _ in range(3)) for _ in range(4)]
    rows = b"".join(b"\0" + bands[y * 4 // height] * width for y in range(height))
    head = struct.pack(">IIBBBBB", width, height, 8, 2, 0, 0, 0)
    return (
        b"\x89PNG\r\n\x1a\n"
        + chunk(b"IHDR", head)
        + chunk(b"IDAT", zlib.compress(rows, 9))
        + chunk(b"IEND", b"")
    )
