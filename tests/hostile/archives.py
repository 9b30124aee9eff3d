"""Archives that somebody made to do harm, by what is wrong with them."""

from __future__ import annotations

import gzip
import hashlib
import io
import struct
import tarfile
import zipfile
import zlib
from collections.abc import Callable
from pathlib import Path

import zstandard

Make = Callable[[Path], Path]
LINK, FILE = 0o120777, 0o100644


def zipped(*members: tuple[str, int, bytes]) -> Make:
    """A zip of (name, unix mode with its type, content)."""

    def make(folder: Path) -> Path:
        path = folder / "bad.zip"
        with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive:
            for name, mode, data in members:
                info = zipfile.ZipInfo(name)
                info.create_system, info.external_attr = 3, mode << 16
                archive.writestr(info, data, zipfile.ZIP_DEFLATED)
        return path

    return make


def links(**targets: str) -> Make:
    """A zip of links; `__` in a name stands for a slash. What they name lies there too."""
    return zipped(*((name.replace("__", "/"), LINK, target.encode()) for name, target in targets.items()))


def tar(*infos: tarfile.TarInfo, mode: str = "w", **more: object) -> Make:
    def make(folder: Path) -> Path:
        path = folder / ("bad.tar" if mode == "w" else f"bad.tar.{mode[2:]}")
        with tarfile.open(path, mode, **more) as archive:  # type: ignore[call-overload]
            for info in infos:
                archive.addfile(info, io.BytesIO(bytes(info.size)))
        return path

    return make


def member(
    name: str, *, kind: bytes = tarfile.REGTYPE, link: str = "", size: int = 0, **pax: str
) -> tarfile.TarInfo:
    info = tarfile.TarInfo(name)
    info.type, info.linkname, info.size, info.pax_headers = kind, link, size, dict(pax)
    return info


def packed(name: str, data: Callable[[], bytes]) -> Make:
    def make(folder: Path) -> Path:
        path = folder / name
        path.write_bytes(data())
        return path

    return make


def _long_header(kind: bytes, size: int) -> bytes:
    """A tar.gz whose one header says that its name has so many bytes, and has them."""
    info = tarfile.TarInfo("././@LongLink")
    info.type, info.size = kind, size
    head, block = info.tobuf(tarfile.GNU_FORMAT), gzip.compress(b"a" * (1 << 20), 9)
    return gzip.compress(head) + block * (size >> 20) + gzip.compress(bytes(1024))


def _long(kind: bytes) -> Make:
    return packed("long.tar.gz", lambda: _long_header(kind, 1 << 30))


def _many(number: int) -> Make:
    return zipped(*((f"l{n}", LINK, b"f") for n in range(number)), ("f", FILE, b"x"))


def _linked(number: int, target: str) -> list[tarfile.TarInfo]:
    return [
        member(f"l{n}", kind=tarfile.SYMTYPE, link=target.format(before=max(0, n - 1))) for n in range(number)
    ]


def _window(log: int) -> bytes:
    """A Zstandard frame that wants a window of 2 to the power of `log` bytes."""
    return b"\x28\xb5\x2f\xfd" + bytes([0x00, (log - 10) << 3]) + struct.pack("<I", 0x000001)[:3]


def _sevenzip_of(files: int) -> bytes:
    """A 7z whose header says that it has so many files. Source: the format's description."""
    header = b"\x01\x05\xff" + struct.pack("<Q", files) + bytes(2)
    start = struct.pack("<QQI", 0, len(header), zlib.crc32(header))
    return b"7z\xbc\xaf\x27\x1c\0\4" + struct.pack("<I", zlib.crc32(start)) + start + header


def _flipped(data: bytes, at: int) -> bytes:
    return data[:at] + bytes([data[at] ^ 0xFF]) + data[at + 1 :]


def _plain_tar(names: int) -> bytes:
    into = io.BytesIO()
    with tarfile.open(fileobj=into, mode="w") as archive:
        for n in range(names):
            archive.addfile(member(f"f{n}", size=512), io.BytesIO(bytes(512)))
    return into.getvalue()


def _zstd(data: bytes) -> bytes:
    return zstandard.ZstdCompressor(write_checksum=True).compress(data)


def _empty_files(number: int) -> bytes:
    """A tar.gz of so many files; only the name and the sum of each header are written anew."""
    plain = bytearray(member("d000000").tobuf(tarfile.USTAR_FORMAT))
    plain[148:156] = b" " * 8
    rest = sum(plain) - sum(plain[1:7])

    def header(number: int) -> bytes:
        digits = b"%06d" % number
        plain[1:7], plain[148:156] = digits, b"%06o\0 " % (rest + sum(digits))
        return bytes(plain)

    return gzip.compress(b"".join(map(header, range(number))) + bytes(1024), 6)


def _texts(number: int, each: int) -> Make:
    """Settings of so many bytes each, which are packed to about a sixtieth."""
    block = "".join(f"key{n} = {hashlib.sha256(bytes([n])).hexdigest()}\n" for n in range(250)).encode()
    text = (block * (each // len(block) + 1))[:each]
    return zipped(*((f"t/{n}.ini", FILE, text) for n in range(number)))


REFUSED: dict[str, tuple[Make, str]] = {
    "it leaves its root": (zipped(("../x", FILE, b"1")), "hostile"),
    "an absolute path": (zipped(("/etc/x", FILE, b"1")), "hostile"),
    "a drive": (zipped(("C:/x", FILE, b"1")), "hostile"),
    "a back slash up": (zipped(("a\\..\\..\\x", FILE, b"1")), "hostile"),
    "one name twice": (zipped(("a", FILE, b"1"), ("A", FILE, b"2")), "hostile"),
    "two forms of a name": (zipped(("\u00e9", FILE, b"1"), ("e\u0301", FILE, b"2")), "hostile"),
    "a link out": (links(l="../../x"), "hostile"),
    "an absolute link": (links(l="/etc"), "hostile"),
    "a chain of links up": (links(deep__a__b__c__S="../../../..", T="deep/a/b/c/S/../../x"), "hostile"),
    "a chain of two": (links(x__y="..", z="x/y/../../.."), "hostile"),
    "a link by way of its wrapper": (
        zipped(("w/VERSION", FILE, b"1"), ("w/bin/x", FILE, b"1"), ("w/l", LINK, b"../y")),
        "hostile",
    ),
    "below a link": (zipped(("l", LINK, b"m"), ("l/x", FILE, b"1")), "hostile"),
    "a device": (zipped(("d", 0o020644, b"")), "hostile"),
    "a hard link": (tar(member("a"), member("b", kind=tarfile.LNKTYPE, link="a")), "hostile"),
    "a pipe": (tar(member("f", kind=tarfile.FIFOTYPE)), "hostile"),
    "our own folder": (zipped((".left-intact/journal.sqlite", FILE, b"1")), "hostile"),
    "our own folder, deep, in capitals": (zipped(("a/.Left-Intact/x", FILE, b"1")), "hostile"),
    "an escape in a name": (zipped(("a\x1b[31m", FILE, b"1")), "hostile"),
    "a C1 control in a name": (zipped(("a\x9b31m", FILE, b"1")), "hostile"),
    "a line's end in a name": (tar(member("a\nb")), "hostile"),
    "a bomb": (zipped(("b", FILE, bytes(64 << 20))), "hostile"),
    "a header of a gigabyte": (
        _long(tarfile.GNUTYPE_LONGNAME),
        "hostile",
    ),
    "attributes of a gigabyte": (
        _long(tarfile.XHDTYPE),
        "hostile",
    ),
    "400,000 folders deep": (
        tar(member("a/" * 400_000 + "x"), mode="w:gz"),
        "hostile",
    ),
    "100 folders deep": (zipped(("a/" * 100 + "x", FILE, b"1")), "hostile"),
    "a link of a megabyte": (zipped(("l", LINK, b"a" * (1 << 20))), "hostile"),
    "links deeper than folders go": (
        tar(*_linked(2_000, "/".join(["a"] * 2_000)), mode="w:gz"),
        "hostile",
    ),
    "links by way of forty others": (
        tar(*_linked(20_000, "l{before}/" + "b/../" * 25), mode="w:gz"),
        "hostile",
    ),
    "240,000 empty files in a megabyte": (packed("n.tar.gz", lambda: _empty_files(240_000)), "hostile"),
    "a window of two gigabytes": (packed("w.tar.zst", lambda: _window(31)), "broken"),
    "Zstandard that is none": (packed("n.tar.zst", lambda: b"\x28\xb5\x2f\xfd" + b"\xff" * 99), "broken"),
    "xz that is none": (packed("n.tar.xz", lambda: b"\xfd7zXZ\0" + b"\xff" * 99), "broken"),
    "bzip2 that is none": (packed("n.tar.bz2", lambda: b"BZh9" + b"\xff" * 99), "broken"),
    "gzip that is none": (packed("n.tar.gz", lambda: b"\x1f\x8b\x08" + b"\xff" * 99), "broken"),
    "a zip that is none": (packed("n.zip", lambda: b"PK\x03\x04" + b"\xff" * 99), "broken"),
    "7z that is none": (packed("n.7z", lambda: b"7z\xbc\xaf\x27\x1c" + b"\xff" * 99), "broken"),
    "8,000,000 files in 45 bytes of 7z": (packed("m.7z", lambda: _sevenzip_of(8_000_000)), "broken"),
    "more files than numbers in 7z": (packed("m.7z", lambda: _sevenzip_of(1 << 62)), "broken"),
    "a tar damaged in its midst": (packed("d.tar", lambda: _flipped(_plain_tar(9), 1024 * 4 + 3)), "broken"),
    "a tar cut between two members": (packed("c.tar", lambda: _plain_tar(9)[: 1024 * 4]), "broken"),
    "bytes changed under Zstandard": (
        packed(
            "f.tar.zst",
            lambda: _flipped(zstandard.ZstdCompressor(write_checksum=True).compress(_plain_tar(99)), 60),
        ),
        "broken",
    ),
}
"""By what is wrong: what makes it, and how it ends (`archive-…`)."""
READ: dict[str, Make] = {
    "2,000 links": _many(2_000),
    "a time that is none": tar(member("a", mtime="inf"), member("b", mtime="nan"), format=tarfile.PAX_FORMAT),
    "a time of the far future": tar(member("a", mtime="9" * 30), format=tarfile.PAX_FORMAT),
    "a circle of links": links(a="b", b="a", c="c"),
    "texts of 175 MB in all": _texts(700, 250_000),
    "links by way of links, inside": zipped(
        ("lib/real/x.so", FILE, b"x"), ("lib/now", LINK, b"real"), ("top", LINK, b"lib/now/../real/x.so")
    ),
}
"""What is odd, or much, and yet can be read."""
