"""What the first bytes of a file say it is.

`recognise` returns a short format in words, a family and sometimes a detail:
`elf x86_64`, `pe arm64`, `macho arm64`, `script python3`, `text ini`, `png`, `sqlite`,
`zip`, `zeros`, `empty`, `bytes`. Sources: the ELF gABI, the PE/COFF and Mach-O
specifications, and the published signatures of the open formats.
"""

from __future__ import annotations

import re
import struct

from left_intact.core.settings.formats.registry import is_settings_text, recognise_settings

HEAD_BYTES = 4096

_MAGIC: tuple[tuple[bytes, str], ...] = (
    (b"\x89PNG\r\n\x1a\n", "png"),
    (b"\xff\xd8\xff", "jpeg"),
    (b"GIF87a", "gif"),
    (b"GIF89a", "gif"),
    (b"SQLite format 3\0", "sqlite"),
    (b"PK\x03\x04", "zip"),
    (b"PK\x05\x06", "zip"),
    (b"7z\xbc\xaf\x27\x1c", "7z"),
    (b"\x1f\x8b\x08", "gzip"),
    (b"BZh", "bzip2"),
    (b"\xfd7zXZ\0", "xz"),
    (b"\x28\xb5\x2f\xfd", "zstd"),
    (b"%PDF-", "pdf"),
    (b"OggS", "ogg"),
    (b"fLaC", "flac"),
    (b"ID3", "mp3"),
    (b"\0\1\0\0\0", "font"),
    (b"OTTO", "font"),
    (b"wOFF", "font"),
    (b"wOF2", "font"),
    (b"\xde\x12\x04\x95", "resource"),  # message catalogues, in both byte orders
    (b"\x95\x04\x12\xde", "resource"),
    (b"\x3c\xb8\x64\x18", "resource"),  # compiled translations
    (b"BC\xc0\xde", "resource"),  # intermediate code
    (b"\0asm", "wasm"),
    (b"qoif", "qoi"),
    (b"DDS ", "dds"),
    (b"\xabKTX", "ktx"),
    (b"MThd", "midi"),
    (b"\xca\xfe\xba\xbe", "macho universal"),
)
_ELF_MACHINE = {
    3: "x86",
    8: "mips",
    20: "ppc",
    21: "ppc64",
    40: "arm",
    62: "x86_64",
    183: "arm64",
    243: "riscv64",
}
_PE_MACHINE = {0x14C: "x86", 0x8664: "x86_64", 0x1C0: "arm", 0x1C4: "arm", 0xAA64: "arm64"}
_MACHO_CPU = {7: "x86", 0x01000007: "x86_64", 12: "arm", 0x0100000C: "arm64"}
_SOURCE = frozenset(
    (
        "js",
        "mjs",
        "cjs",
        "jsx",
        "ts",
        "mts",
        "cts",
        "tsx",
        "vue",
        "css",
        "scss",
        "sass",
        "less",
        "py",
        "pyi",
        "pyx",
        "rb",
        "pl",
        "pm",
        "php",
        "sh",
        "bash",
        "zsh",
        "fish",
        "bat",
        "cmd",
        "lua",
        "tcl",
        "c",
        "h",
        "cc",
        "cpp",
        "cxx",
        "hpp",
        "hxx",
        "cs",
        "java",
        "kt",
        "go",
        "rs",
        "swift",
        "m",
        "mm",
        "sql",
        "cmake",
        "mk",
        "am",
        "m4",
        "gradle",
        "erl",
        "hrl",
        "ex",
        "exs",
        "hs",
        "ml",
        "jl",
        "el",
        "vim",
        "asm",
        "s",
        "glsl",
        "vert",
        "frag",
        "hlsl",
        "fx",
        "slang",
        "proto",
        "awk",
        "r",
        "po",
    )
)
"""Endings of source code."""
_CONTROL = re.compile(rb"[\x00-\x08\x0e-\x1a\x1c-\x1f]")
_SVG = re.compile(
    r"(?s)(?:<\?xml.{0,200}?\?>|<!--.{0,2000}?-->|<!DOCTYPE svg[^>\[]*(?:\[.{0,2000}?\])?>|\s)*"
    r"<(?:svg:)?svg[\s>]"
)
_MARKDOWN = re.compile(r"(?m)^(#{1,4} \S|[-*] \S)")


_BY_FIRST: dict[int, tuple[tuple[bytes, str], ...]] = {
    first: tuple((magic, name) for magic, name in _MAGIC if magic[0] == first)
    for first in {magic[0] for magic, _ in _MAGIC}
}
_STRUCTURED = frozenset(b"\x7fM\xcf\xceRB#")
"""First bytes of the formats that take more than a comparison to know."""


_MAP = re.compile(rb'\s*\{\s*"version"\s*:\s*3\s*,\s*"(?:file|sources|sourceRoot|names|mappings)"')
"""How the map of a source begins, which packers write. Source: ECMA-426, the source map format."""


def recognise(head: bytes, size: int, name: str = "") -> str:
    """The format of a file of `size` bytes that begins with `head`. By its name, source code is told from
    settings: much of it has lines of `name = value` too, and must never be merged by them. Nor must its maps.
    """
    file_format = _recognise(head, size)
    return "text plain" if is_settings_text(file_format) and is_code_text(name, head) else file_format


def is_code_text(name: str, head: bytes) -> bool:
    """Whether a text is source code by its ending, or the map of some: nobody merges it as settings."""
    return bool(name) and (is_source(name) or _MAP.match(head) is not None)


def is_source(name: str) -> bool:
    """Whether a file is, by its ending, source code."""
    return name.rpartition(".")[2].lower() in _SOURCE


def _recognise(head: bytes, size: int) -> str:
    if not head:
        return "empty"
    first = head[0]
    if first in _STRUCTURED and (file_format := _structured(head, size)):
        return file_format
    for magic, name in _BY_FIRST.get(first, ()):
        if head.startswith(magic):
            return name
    if head[257:262] == b"ustar":
        return "tar"
    return _text(head, size) or _plain_bytes(head)


def _structured(head: bytes, size: int) -> str:
    if head[:4] == b"\x7fELF" and len(head) >= 20:
        order = ">" if head[5] == 2 else "<"
        return "elf " + _ELF_MACHINE.get(struct.unpack_from(order + "H", head, 18)[0], "other")
    if head[:2] == b"MZ":
        return _pe(head)
    if head[:4] in (b"\xcf\xfa\xed\xfe", b"\xce\xfa\xed\xfe") and len(head) >= 8:
        return "macho " + _MACHO_CPU.get(struct.unpack_from("<I", head, 4)[0], "other")
    if head[:4] == b"RIFF" and len(head) >= 12:
        return {b"WAVE": "wav", b"AVI ": "avi", b"WEBP": "webp"}.get(head[8:12], "riff")
    if head[:2] == b"BM" and len(head) >= 14 and struct.unpack_from("<I", head, 2)[0] == size:
        return "bmp"
    return "script " + _interpreter(head) if head[:3] in (b"#!/", b"#! ") else ""


def _pe(head: bytes) -> str:
    if len(head) >= 64:
        at = struct.unpack_from("<I", head, 60)[0]
        if at + 6 <= len(head) and head[at : at + 4] == b"PE\0\0":
            return "pe " + _PE_MACHINE.get(struct.unpack_from("<H", head, at + 4)[0], "other")
    return (
        "pe dos" if len(head) >= 64 else ""
    )  # two letters alone prove no program, with a header's length behind them they may


def _interpreter(head: bytes) -> str:
    words = head.split(b"\n", 1)[0][2:].decode("latin-1").split()
    if not words:
        return "other"
    name = words[0].rsplit("/", 1)[-1]
    if name == "env":
        rest = [w for w in words[1:] if not w.startswith("-")]
        name = rest[0].rsplit("/", 1)[-1] if rest else "other"
    return name


def _text(head: bytes, size: int) -> str:
    if head.startswith((b"\xff\xfe", b"\xfe\xff")):
        return "text utf-16"
    if _CONTROL.search(head):
        return ""
    try:
        text = head.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        if size > len(head) and error.start >= len(head) - 3:
            text = head[: error.start].decode("utf-8-sig", "replace")
        elif sum(byte > 127 for byte in head) * 8 < len(head):
            text = head.decode("latin-1")
        else:
            return ""
    return _markup(text) or recognise_settings(text) or _prose(text)


def _markup(text: str) -> str:
    lead = text.lstrip()
    if lead.startswith("<?xml") or re.match(r"<\w[\w:.-]*[\s>/]", lead):
        if _SVG.match(lead):
            return "text svg"
        return "text html" if re.match(r"(?i)<(!doctype html|html)", lead) else "text xml"
    return "text html" if re.match(r"(?i)<!doctype html", lead) else ""


def _prose(text: str) -> str:
    return "text markdown" if len(_MARKDOWN.findall(text)) >= 2 else "text plain"


def _plain_bytes(head: bytes) -> str:
    if head[0] in (0, 255) and not head.strip(head[:1]):
        return "ones" if head[0] else "zeros"
    return "bytes"


def is_picture(file_format: str) -> bool:
    """Whether a format is one of pictures that people look at."""
    return file_format in ("png", "jpeg", "gif", "qoi", "webp", "bmp")


def is_binary_program(file_format: str) -> bool:
    """Whether a format is machine code with a proper header."""
    return file_format.startswith(("elf ", "pe ", "macho "))


def is_code(file_format: str) -> bool:
    """Whether a format is one of code: machine code, or a script."""
    return is_binary_program(file_format) or file_format.startswith("script ")


def platform_of(file_format: str) -> str:
    """`linux x86_64` and the like for a binary's format, or an empty text."""
    family, _, machine = file_format.partition(" ")
    system = {"elf": "linux", "pe": "windows", "macho": "macos"}.get(family)
    return f"{system} {machine}" if system else ""
