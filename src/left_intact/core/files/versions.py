"""Reading a program's version and platform from its own files.

Every place is a `Reading` with a weight; the heaviest speaks. Nothing is executed here.
"""

from __future__ import annotations

import gc
import io
import json
import os
import re
from collections import Counter
from collections.abc import Iterable, Mapping
from typing import Any

from blake3 import blake3

from left_intact.core.files.headers import is_binary_program, platform_of
from left_intact.core.files.tree import ReadText
from left_intact.core.model.entry import Entry
from left_intact.core.model.pages import Page
from left_intact.core.model.release import Reading
from left_intact.core.model.version import Version, name_without_version, version_in_name

SAID_BY_SHEET = 90
SAID_BY_FILE = 70
SAID_BY_MANIFEST = 65
SAID_BY_BINARY = 60
SAID_BY_SCRIPT = 50
SAID_BY_NOTES = 30
SAID_BY_NAME = 20

_VERSION_FILES = (
    "version",
    "version.txt",
    "version.md",
    ".version",
    "build.txt",
    "release.txt",
    "revision.txt",
)
_MANIFESTS = ("manifest.json", "package.json", "program.json", "about.json", "info.json", "version.json")
NOTES_NAME = re.compile(
    r"(?i)(^|/)(changes|changelog|news|whatsnew|release.?notes|history)(\.(md|txt|rst))?$"
)
_SCRIPT_VERSION = re.compile(
    rb"(?im)^\s*(?:export\s+)?(?:__version__|version|app_version)\s*[:=]\s*[\"']([^\"'\n]{1,40})[\"']"
)
_HEADING = re.compile(r"(?i)\s*(#|=|\*|v?\d|\[|version|release|changes? (in|for|with))")
_DATES = re.compile(
    r"(?i)(?<!\d)(?:(?:19|20)\d\d([-./])\d{1,2}\1\d{1,2}|\d{1,2}([-./])\d{1,2}\2(?:19|20)\d\d"
    r"|(?:\d{1,2}(?:st|nd|rd|th)?[ ,]+)?[a-z]{3,9}\.?[ ,]+(?:\d{1,2}(?:st|nd|rd|th)?[ ,]+)?"
    r"(?:19|20)\d\d)(?![\d.])"
)
_LINES = 60
_CODE_ENDING = re.compile(r"(?i)\.(so(\.\d+)*|dll|dylib|exe|py|sh)$")
_MOST_BINARIES = 12
_BINARY_LIMIT = 64 << 20
_SAID_BY_ELF: dict[tuple[bytes, str], str] = {}
_SAID_MOST = 4096
_RULED, _RULE_SECONDS = 1 << 20, 0.5
"""Bytes of a file that a keepsheet's expression is held against, and how long that may take."""
_SHALLOW = 2


def shallow_entries(pages: Iterable[Page]) -> dict[str, Entry]:
    """What lies near enough to the root to speak of the version."""
    return {e.path: e for page in pages if page.folder.count("/") < _SHALLOW for e in page.entries()}


def binaries_in(pages: Iterable[Page]) -> dict[str, Entry]:
    """Every file with a header of machine code."""
    found = {}
    for page in pages:
        if any(map(is_binary_program, set(page.formats))):
            for at, file_format in enumerate(page.formats):
                if is_binary_program(file_format):
                    found[page.path(at)] = page.entry(at)
    return found


def read_versions(
    name: str, entries: Mapping[str, Entry], read: ReadText, *, rules: Iterable[tuple[str, str]] = ()
) -> tuple[Reading, ...]:
    """All readings, heaviest first. `rules` are (file, pattern) pairs of a keepsheet."""
    readings: list[Reading] = []
    for path, pattern in rules:
        if (data := read(path)) is not None and (found := _by_rule(pattern, data)):
            readings.append(_reading(found, path, SAID_BY_SHEET))
    shallow = [e for e in entries.values() if e.path.count("/") <= 2]
    for entry in sorted(shallow, key=lambda e: (e.path.count("/"), e.path)):
        readings += _from_entry(name, entry, read)
    from_name = version_in_name(name)
    if from_name:
        readings.append(_reading(from_name.text, f"the name {name}", SAID_BY_NAME))
    valid = [r for r in readings if r.text and r.version is not None]
    return tuple(sorted(valid, key=lambda r: -r.weight))


def _by_rule(pattern: str, data: bytes) -> str:
    """What a keepsheet's expression finds; one that takes for ever finds nothing."""
    import regex

    try:
        text = data[:_RULED].decode("utf-8", "replace")
        match = regex.search(pattern, text, timeout=_RULE_SECONDS)  # type: ignore[no-untyped-call]
    except (TimeoutError, regex.error, RecursionError, MemoryError):
        return ""
    return str(match.group(match.lastindex or 0) or "") if match else ""


def _reading(text: str, source: str, weight: int) -> Reading:
    return Reading(
        text=text.strip().lstrip("vV") if re.match(r"[vV]\d", text.strip()) else text.strip(),
        source=source,
        weight=weight,
    )


def _from_entry(name: str, entry: Entry, read: ReadText) -> list[Reading]:
    base = entry.path.rsplit("/", 1)[-1].lower()
    depth = entry.path.count("/")
    if base in _VERSION_FILES and entry.bytes <= 4096:
        return _first_line(entry, read, depth)
    if base in _MANIFESTS and depth <= 1:
        return _manifest(entry, read)
    if entry.format.startswith("script ") and depth <= 1 and entry.bytes <= 256 * 1024:
        data = read(entry.path) or b""
        match = _SCRIPT_VERSION.search(data)
        return (
            [_reading(match.group(1).decode("latin-1"), entry.path, SAID_BY_SCRIPT - depth)] if match else []
        )
    if NOTES_NAME.search(entry.path) and depth <= 1:
        return _notes(entry, read)
    return []


def _first_line(entry: Entry, read: ReadText, depth: int) -> list[Reading]:
    data = read(entry.path) or b""
    for line in data.decode("utf-8", "replace").splitlines():
        words = line.strip()
        found = Version.parse(words) or version_in_name(words)
        if found:
            return [_reading(found.text, entry.path, SAID_BY_FILE - depth)]
    return []


def _manifest(entry: Entry, read: ReadText) -> list[Reading]:
    try:
        said = json.loads(read(entry.path) or b"")
    except ValueError:
        return []
    text = said.get("version") if isinstance(said, dict) else None
    return [_reading(text, entry.path, SAID_BY_MANIFEST)] if isinstance(text, str) else []


def _notes(entry: Entry, read: ReadText) -> list[Reading]:
    """The first heading with a version in it; a date beside that is when, not which."""
    data = (read(entry.path) or b"")[:8192]
    for line in data.decode("utf-8", "replace").splitlines()[:_LINES]:
        if not _HEADING.match(line):
            continue
        found = version_in_name(_DATES.sub(" ", line)) or version_in_name(line)
        if found:
            return [_reading(found.text, entry.path, SAID_BY_NOTES)]
    return []


def read_binaries(name: str, entries: Mapping[str, Entry], open_bytes: ReadText) -> tuple[Reading, ...]:
    """Readings from the version records of PE files and the version notes of ELF files.

    Sources: VS_FIXEDFILEINFO of the PE resource format; for ELF, a note or `.comment`
    line, or a `name version` text in the read-only data, of a file named after the program.
    """
    bare = name_without_version(name).split(" ")[0]
    binaries = [
        e
        for e in entries.values()
        if is_binary_program(e.format) and e.format != "pe dos" and e.bytes <= _BINARY_LIMIT
    ]
    binaries.sort(key=lambda e: (bare not in e.path.rsplit("/", 1)[-1].lower(), e.path.count("/"), e.path))
    readings = []
    for entry in binaries[:_MOST_BINARIES]:
        data = open_bytes(entry.path)
        if data is None:
            continue
        text = _pe_version(data) if entry.format.startswith("pe ") else _elf_version(data, bare)
        if text and not (
            text.isdigit() and text in re.findall(r"\d+", name)
        ):  # then it is the name once more
            readings.append(_reading(text, entry.path, SAID_BY_BINARY))
    return tuple(r for r in readings if r.version is not None)


def _pe_version(data: bytes) -> str:
    import pefile

    gc.freeze()  # the package collects all garbage whenever it closes a file; so it has nothing to go through
    try:
        image: Any = pefile.PE(data=data, fast_load=True)  # type: ignore[no-untyped-call]
        image.parse_data_directories([pefile.DIRECTORY_ENTRY["IMAGE_DIRECTORY_ENTRY_RESOURCE"]])
    except (pefile.PEFormatError, ValueError, IndexError):
        return ""
    finally:
        gc.unfreeze()
    for info in getattr(image, "FileInfo", []) or []:
        for block in info:
            for table in getattr(block, "StringTable", []):
                for key in (b"ProductVersion", b"FileVersion"):
                    if text := table.entries.get(key):
                        return str(text.decode("utf-8", "replace")).replace(", ", ".").strip()
    return ""


def read_part(path: str, entry: Entry, data: bytes) -> Reading | None:
    """The version that one file of code carries in itself, under its own name."""
    stem = os.path.basename(path)
    while (shorter := _CODE_ENDING.sub("", stem)) != stem:
        stem = shorter
    words = name_without_version(stem).split(" ")
    if entry.format.startswith("pe "):
        text = _pe_version(data) or _text_version([data], words)
    elif is_binary_program(entry.format):
        text = _elf_version(data, " ".join(words)) or _elf_version(data, words[0])
    else:
        match = _SCRIPT_VERSION.search(data)
        text = match.group(1).decode("latin-1") if match else ""
    reading = _reading(text, path, SAID_BY_BINARY)
    return reading if text and reading.version is not None else None


def _elf_version(data: bytes, bare: str) -> str:
    """What an ELF file says of itself. The very same bytes say the same again: an update reads each program
    five times over, and taking one apart takes longer than reading it.
    """
    known = (blake3(data).digest(), bare)
    if known not in _SAID_BY_ELF:
        if len(_SAID_BY_ELF) >= _SAID_MOST:
            _SAID_BY_ELF.clear()
        _SAID_BY_ELF[known] = _taken_apart(data, bare)
    return _SAID_BY_ELF[known]


def _taken_apart(data: bytes, bare: str) -> str:
    from elftools.elf.elffile import ELFFile

    try:
        image = ELFFile(io.BytesIO(data))
        sections = [s for s in image.iter_sections() if s.name in (".note.version", ".rodata", ".comment")]
        blobs = [s.data() for s in sections]
    except Exception:  # noqa: BLE001 (whatever is wrong with what somebody damaged, it says no version)
        return ""
    return _text_version(blobs, bare.split(" "))


def _text_version(blobs: Iterable[bytes], words: list[str]) -> str:
    """What stands behind a name in some data: `loom shuttle 1.2`."""
    name = rb"[ _-]?".join(re.escape(word.encode()) for word in words if word)
    if not name:
        return ""
    pattern = re.compile(rb"(?i)(?<![a-z0-9])" + name + rb"[ /_-]+v?(\d[\w.\-]{0,30}|r\d{1,8})(?![/\w])")
    for blob in blobs:
        if match := pattern.search(blob):
            return match.group(1).decode("latin-1").rstrip(".-")
    return ""


def main_platform(entries: Iterable[Entry], name: str = "") -> str:
    """The system and machine that most binaries are for, e.g. `linux x86_64`; empty for none.

    Modding tools and front ends carry libraries for machines other than their own, so
    files near the root and files named after the program count most.
    """
    bare = name_without_version(name).split(" ")[0] if name else ""
    votes: Counter[str] = Counter()
    for entry in entries:
        platform = platform_of(entry.format)
        if platform and not platform.endswith((" other", " dos", " universal")):
            base = os.path.basename(entry.path).lower()
            votes[platform] += (
                1 + (8 if bare and base.startswith(bare) else 0) + (2 if entry.path.count("/") < 2 else 0)
            )
    return votes.most_common(1)[0][0] if votes else ""


_WORDS = {
    "windows": ("windows", "win32", "win64", "win"),
    "linux": ("linux", "linux64", "linux32"),
    "macos": ("macos", "mac", "darwin"),
}
_MACHINES = {
    "x86_64": ("x86_64", "x86-64", "x64", "amd64", "win64", "linux64"),
    "arm64": ("arm64", "aarch64"),
    "x86": ("x86", "i386", "i686", "win32", "linux32"),
    "arm": ("armv7", "armhf"),
}


def platform_in_name(name: str) -> str:
    """What a file name says about system and machine; either part may be missing."""
    words = set(re.split(r"[\s.()+]|[-_](?!64)", name.lower())) | set(re.findall(r"x86[_-]64", name.lower()))
    system = next((s for s, known in _WORDS.items() if words & set(known)), "")
    machine = next((m for m, known in _MACHINES.items() if words & set(known)), "")
    return f"{system} {machine}".strip()
