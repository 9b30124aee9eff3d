"""Versions from what packages of every kind write about themselves: metadata, change logs, headers.

A tree holds the metadata of much that the program is made of. So a place speaks for the program where it says
the program's name, or lies in a folder of that name; nameless it speaks at the top alone. Sources: the core
metadata of Python packages, package.json of npm, Debian's changelog, AppStream's metainfo, pkg-config.
"""

from __future__ import annotations

import json
import re
import zlib
from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass
from functools import lru_cache

from left_intact.core.files.tree import ReadText
from left_intact.core.model.entry import Entry
from left_intact.core.model.pages import Page
from left_intact.core.model.release import Reading
from left_intact.core.model.version import Version, name_without_version

SAID_BY_METADATA, SAID_BY_HEADER, SAID_BY_ABOUT, SAID_BY_LOG = 66, 55, 28, 32
_DEEPEST, _NEAR, _MOST = 8, 3, 200
_BYTES = 64 << 10
_NUMBER = r"(\d+(?:\.\d+)*(?:[-.]?(?:a|b|rc|alpha|beta|preview|pre|dev|post)[-.]?\d*)?[a-z]?)"
_FIELD = re.compile(r"(?mi)^(name|package|version)\s*[:=]\s*[\"']?([^\"'\n]+?)[\"']?\s*$")
_RELEASE = re.compile(r"(?i)<release\b[^>]*?\bversion\s*=\s*[\"']([^\"']+)[\"']")
_PLIST = re.compile(r"<key>CFBundleShortVersionString</key>\s*<string>([^<]+)</string>")
_PLIST_NAME = re.compile(r"<key>CFBundleName</key>\s*<string>([^<]+)</string>")
_APPSTREAM_NAME = re.compile(r"<name>([^<]+)</name>")
_DEBIAN = re.compile(r"^([a-z0-9][a-z0-9+.\-]+) \((?:\d+:)?([^)\s]+)\)")
_SAYS = re.compile(
    r"(?mi)^[ \t]*(?:#[ \t]*define[ \t]+\w*?version(?:_str(?:ing)?|_text)?|(?:export[ \t]+)?(?:const[ \t]+)?"
    r"(?:\w+\.)?_{0,2}(?:[a-z]+_)?version_{0,2}(?:[ \t]*:[ \t]*\w+)?)"
    r"[ \t]*[:=]?=?[ \t]*[\"']v?([^\"'\n]{1,40})[\"']"
)
_PARTS = re.compile(
    r"(?mi)^[ \t]*_{0,2}version(?:_info)?_{0,2}(?:[ \t]*:[ \t]*[\w.\[\], ]+)?[ \t]*=[ \t]*"
    r"\w*\(?(\d+)[ \t]*,[ \t]*(\d+)[ \t]*,[ \t]*(\d+)"
)
_CMAKE = re.compile(r"(?i)set\s*\(\s*PACKAGE_VERSION\s+\"([^\"]+)\"")
_PLAIN_LINE = re.compile(r"(?mi)^[A-Z_]*VERSION\s*=\s*[\"']?([\w.+\-]+)[\"']?\s*$")

Said = tuple[str, str]
"""(the name that a place says, the version); either may be empty."""


@dataclass(frozen=True, slots=True, kw_only=True)
class _Kind:
    """A kind of file that says a version."""

    weight: int
    read: Callable[[str], Said]
    deep: bool = True
    """Whether it speaks wherever it lies, if the name is right; else only near the top."""


def manifests_in(pages: Iterable[Page]) -> dict[str, Entry]:
    """What in a tree may say the version of the program or of what it is made of."""
    found: dict[str, Entry] = {}
    for page in pages:
        if page.folder.count("/") >= _DEEPEST or len(found) >= _MOST:
            continue
        for at, name in enumerate(page.names):
            if kind_of(page.folder, name) is not None:
                found[page.path(at)] = page.entry(at)
    return found


def manifests_of(entries: Mapping[str, Entry]) -> dict[str, Entry]:
    """The same of entries by path."""
    return {path: e for path, e in entries.items() if kind_of(*_split(path)) is not None}


def read_manifests(names: Iterable[str], entries: Mapping[str, Entry], read: ReadText) -> tuple[Reading, ...]:
    """The readings of those that speak for a program with one of some names, the heaviest first. Where places
    of one kind disagree, none of them speaks.
    """
    known = frozenset(bare for name in names if name and (bare := bare_name(name)))
    found: list[tuple[int, Reading]] = []
    for path in sorted(entries, key=lambda p: (p.count("/"), p)):
        folder, name = _split(path)
        kind = kind_of(folder, name)
        data = read(path) if kind is not None else None
        if kind is None or not data:
            continue
        who, version = kind.read(_text_of(data))
        text = _upstream(version.strip())
        if not text or (parsed := Version.parse(text)) is None or not any(c.isdigit() for c in text):
            continue
        if not _speaks(known, folder, who, deep=kind.deep):
            continue
        depth = path.count("/")
        found.append((depth, Reading(text=parsed.text, source=path, weight=kind.weight)))
    return tuple(sorted(_agreeing(found), key=lambda r: -r.weight))


def _agreeing(found: list[tuple[int, Reading]]) -> Iterator[Reading]:
    """Of each weight those that lie nearest to the top, where they say the same."""
    for weight in {reading.weight for _, reading in found}:
        of_weight = [(depth, r) for depth, r in found if r.weight == weight]
        nearest = min(depth for depth, _ in of_weight)
        near = [r for depth, r in of_weight if depth == nearest]
        if all(r.version == near[0].version for r in near):
            yield from near[:1]


def _speaks(known: frozenset[str], folder: str, who: str, *, deep: bool) -> bool:
    """Whether what is said is said of the program."""
    if who:
        return not known or is_about(bare_name(who), known)
    if not folder:
        return True
    if not deep and folder.count("/") >= _NEAR:
        return False
    return any(is_about(bare_name(part), known) for part in folder.split("/")[-1:])


def is_about(who: str, known: frozenset[str]) -> bool:
    """Whether a name is one of some, or they have it as their beginning or end (`libtool3` of `tool`)."""
    return any(
        who == name or (min(len(who), len(name)) >= 4 and (name.endswith(who) or name.startswith(who)))
        for name in known
    )


@lru_cache(maxsize=4096)
def bare_name(name: str) -> str:
    """A name of a program in letters and digits, without a scope, a version and what a package adds."""
    last = name.strip().rpartition("/")[2]
    return re.sub(r"[^a-z0-9]+", "", (name_without_version(last) or last).lower())


def _split(path: str) -> tuple[str, str]:
    folder, _, name = path.rpartition("/")
    return folder, name


def _text_of(data: bytes) -> str:
    if data[:2] == b"\x1f\x8b":
        try:
            data = zlib.decompressobj(wbits=31).decompress(data, _BYTES)
        except zlib.error:
            return ""
    return data[:_BYTES].decode("utf-8", "replace").lstrip("\ufeff")


def _upstream(version: str) -> str:
    """A version without what a distribution adds to it: `2:9.0.1378-2+deb12u2` is 9.0.1378."""
    text = version.partition(":")[2] if re.match(r"\d+:", version) else version
    if re.search(r"-[\w.+~]*\d[\w.+~]*$", text) and re.search(r"[~+]|-\d+(?:\.\d+)*$", text):
        text = text.rpartition("-")[0]
    return re.split(r"[+~]", text, maxsplit=1)[0]


# ---------------------------------------------------------------- the kinds


def _fields(text: str) -> Said:
    said = {key.lower(): value.strip() for key, value in reversed(_FIELD.findall(text[:8192]))}
    return said.get("name", said.get("package", "")), said.get("version", "")


def _json(text: str) -> Said:
    try:
        said = json.loads(text)
    except ValueError:
        return "", ""
    if not isinstance(said, dict):
        return "", ""
    name, version = said.get("name"), said.get("version")
    return (name if isinstance(name, str) else ""), (version if isinstance(version, str) else "")


def _debian_log(text: str) -> Said:
    match = _DEBIAN.match(text)
    return ("", match[2]) if match else ("", "")


def _metainfo(text: str) -> Said:
    name, version = _APPSTREAM_NAME.search(text), _RELEASE.search(text)
    return (name[1] if name else ""), (version[1] if version else "")


def _plist(text: str) -> Said:
    name, version = _PLIST_NAME.search(text), _PLIST.search(text)
    return (name[1] if name else ""), (version[1] if version else "")


def _code(text: str) -> Said:
    if match := _SAYS.search(text):
        return "", match[1] if re.match(r"v?\d", match[1]) else ""
    match = _PARTS.search(text)
    return "", ".".join(match.groups()) if match else ""


def _cmake(text: str) -> Said:
    match = _CMAKE.search(text)
    return "", match[1] if match else ""


def _lines(text: str) -> Said:
    match = _PLAIN_LINE.search(text)
    return "", match[1] if match else ""


_METADATA = _Kind(weight=SAID_BY_METADATA, read=_fields)
_PACKAGE = _Kind(weight=SAID_BY_METADATA, read=_json)
_LOG = _Kind(weight=SAID_BY_LOG, read=_debian_log)
_HEADER = _Kind(weight=SAID_BY_HEADER, read=_code, deep=False)
_BY_NAME = {
    "pkg-info": _METADATA,
    "package.json": _PACKAGE,
    "composer.json": _PACKAGE,
    "pyproject.toml": _METADATA,
    "setup.cfg": _METADATA,
    "cargo.toml": _METADATA,
    "application.ini": _METADATA,
    "changelog.debian.gz": _LOG,
    "changelog.debian": _LOG,
    "changelog.gz": _LOG,
    "info.plist": _Kind(weight=SAID_BY_METADATA, read=_plist),
    "__init__.py": _HEADER,
    "version.py": _HEADER,
    "_version.py": _HEADER,
    "__about__.py": _HEADER,
    "constants.py": _HEADER,
    "version.rb": _HEADER,
    "version.h": _HEADER,
    "version.js": _HEADER,
    "version.php": _HEADER,
    "release": _Kind(weight=SAID_BY_HEADER, read=_lines, deep=False),
}
_BY_ENDING = {
    ".metainfo.xml": _Kind(weight=SAID_BY_METADATA, read=_metainfo),
    ".appdata.xml": _Kind(weight=SAID_BY_METADATA, read=_metainfo),
    ".pc": _METADATA,
    "configversion.cmake": _Kind(weight=SAID_BY_HEADER, read=_cmake),
    "config-version.cmake": _Kind(weight=SAID_BY_HEADER, read=_cmake),
}


def kind_of(folder: str, name: str) -> _Kind | None:
    """The kind of a file that says a version, by its name and its folder."""
    lower = name.lower()
    if lower == "metadata":
        return _METADATA if folder.lower().endswith(".dist-info") else None
    found = _BY_NAME.get(lower)
    if found is None:
        ending = next((e for e in _BY_ENDING if lower.endswith(e)), None) if lower[-1:] in "lce" else None
        return _BY_ENDING[ending] if ending is not None else None
    return None if not found.deep and folder.count("/") >= _NEAR else found
