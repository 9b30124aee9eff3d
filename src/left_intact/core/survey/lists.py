"""Lists of files that releases carry: the next best thing to a baseline.

Known ways are the open ones: lines of `digest  path` as the checksum tools of every
system write them (MD5, SHA-1, SHA-256, SHA-512, BLAKE2/3 by the length of the digest), the
tagged form `SHA256 (path) = digest`, the records of installed Python packages (`path,sha256=...,size`), JSON
with a list of files, and bare lists of paths.
"""

from __future__ import annotations

import base64
import hashlib
import json
import os
import re
from collections.abc import Callable, Mapping, Sequence

from left_intact.core.files.headers import is_code, is_source
from left_intact.core.model.pages import Page
from left_intact.core.model.place import At
from left_intact.core.survey.self_description import Listed

_NAMES = re.compile(
    r"(?i)^(?:(?:md5|sha1|sha256|sha512|sha|b2|b3|blake3)sums?(?:\.txt)?|checksums?(?:\.txt|\.md5|\.sha\d+)?|record|"
    r"(?:manifest|files|file[-_]?list|contents|installed[-_]?files)(?:\.(?:json|txt|lst|md5|sha\d+))?|.+\.(?:md5|sha1|sha256|sha512))$"
)
_RECORD = re.compile(r"^(.+?),(?:(sha256|sha384|sha512)=([\w-]+))?,(\d*)$")
_LINE = re.compile(r"^\\?([0-9a-fA-F]{32,128})[ \t]+\*?(.+?)\s*$")
_TAGGED = re.compile(r"^[A-Z0-9-]+ \((.+)\) = ([0-9a-fA-F]{32,128})\s*$")
_BY_LENGTH = {32: "md5", 40: "sha1", 64: "sha256", 128: "sha512"}
LIST_LIMIT = 8 << 20
_LEAST = 3
_PRESENT = 0.6
"""So much of a list must lie here, or it is not the list of this release."""
_HASH_LIMIT = 256 << 20

Hasher = Callable[[str, str], str]
"""(path below the root, algorithm) to a hex digest, empty where it cannot be had."""


def find_list(
    pages: Sequence[Page],
    read: Callable[[str], bytes | None],
    hasher: Hasher,
    is_foreign: Callable[[At], bool],
) -> Listed | None:
    """The best list near the root, or None. Only what a list names is hashed.

    A list that names no code is not the release's: mods and collections have lists too.
    """
    candidates = _candidates(pages, is_foreign)
    if not candidates:
        return None
    there = {page.path(at): file_format for page in pages for at, file_format in enumerate(page.formats)}
    best: tuple[int, str, dict[str, str]] | None = None
    for path in candidates:
        rows = parse_list(read(path) or b"")
        if len(rows) < _LEAST:
            continue
        rows = _below(rows, path, there)
        here = [row for row in rows if row in there]
        names_code = any(is_code(there[row]) or is_source(row) for row in here)
        if (
            names_code
            and len(here) >= max(_LEAST, _PRESENT * len(rows))
            and (best is None or len(here) > best[0])
        ):
            best = (len(here), path, rows)
    if best is None:
        return None
    _, source, rows = best
    return Listed(
        source=source,
        states={path: _state(path, digest, hasher) for path, digest in rows.items() if path in there},
    )


def _candidates(pages: Sequence[Page], is_foreign: Callable[[At], bool]) -> list[str]:
    shallow = (p for p in pages if p.folder.count("/") < 2 and not is_foreign(p.at))
    return [page.path(at) for page in shallow for at, name in enumerate(page.names) if _NAMES.match(name)]


def _below(rows: dict[str, str], path: str, there: Mapping[str, str]) -> dict[str, str]:
    """Paths as seen from the root: lists are written from the root, from where they lie, or from a wrapper
    folder.
    """
    beside = path.rpartition("/")[0]
    ways: list[dict[str, str]] = [rows]
    for above in (beside, beside.rpartition("/")[0]):
        if above:
            ways.append({f"{above}/{row}": digest for row, digest in rows.items()})
    if len({row.split("/")[0] for row in rows}) == 1:
        ways.append({row.partition("/")[2]: digest for row, digest in rows.items()})
    return max(ways, key=lambda way: sum(1 for row in way if row in there))


def _state(path: str, digest: str, hasher: Hasher) -> str:
    algorithm = _BY_LENGTH.get(len(digest), "")
    found = hasher(path, algorithm) if algorithm else ""
    return ("equal" if found == digest.lower() else "changed") if found else "named"


def parse_list(data: bytes) -> dict[str, str]:
    """Path to digest (empty where there is none) of a list in any of the known formats; empty for anything
    else.
    """
    if len(data) > LIST_LIMIT:
        return {}
    text = data.decode("utf-8", "replace").lstrip("\ufeff")
    if text.lstrip()[:1] in ("{", "["):
        return _from_json(text)
    lines = [line.strip() for line in text.splitlines() if line.strip() and not line.startswith(("#", ";"))]
    if lines and all(map(_RECORD.match, lines)):
        return {
            _clean(match[1].strip('"')): _hex_of(match[3]) for line in lines if (match := _RECORD.match(line))
        }
    rows: dict[str, str] = {}
    for line in lines:
        if match := _LINE.match(line):
            rows[_clean(match[2])] = match[1].lower()
        elif match := _TAGGED.match(line):
            rows[_clean(match[1])] = match[2].lower()
    if len(rows) >= 0.8 * len(lines):
        return rows
    paths = [_clean(line) for line in lines]
    plain = all(len(p) < 300 and not re.search(r"[<>|=:?*\"]|  ", p) for p in paths)
    return dict.fromkeys(paths, "") if plain else {}


def _hex_of(digest: str | None) -> str:
    """A digest as records of installed packages write it, in letters of an address, without its padding."""
    try:
        return base64.urlsafe_b64decode(digest + "=" * (-len(digest) % 4)).hex() if digest else ""
    except ValueError:
        return ""


def _from_json(text: str) -> dict[str, str]:
    try:
        said = json.loads(text)
    except ValueError:
        return {}
    rows = (
        said
        if isinstance(said, list)
        else next((said[k] for k in ("files", "contents", "entries") if k in said), said)
    )
    if isinstance(rows, dict):
        return {_clean(path): str(value).lower() for path, value in rows.items() if isinstance(value, str)}
    found: dict[str, str] = {}
    for row in rows if isinstance(rows, list) else ():
        if isinstance(row, str):
            found[_clean(row)] = ""
        elif isinstance(row, dict) and isinstance(
            path := row.get("path", row.get("name", row.get("file"))), str
        ):
            digest = next(
                (row[k] for k in ("sha256", "sha512", "sha1", "md5", "hash") if isinstance(row.get(k), str)),
                "",
            )
            found[_clean(path)] = digest.lower()
    return found


def _clean(path: str) -> str:
    return path.replace("\\", "/").removeprefix("./").strip()


def file_hasher(root: str) -> Hasher:
    """A hasher for files below a root. Links are not followed; very large files are left out."""

    def hasher(path: str, algorithm: str) -> str:
        absolute = os.path.join(root, path)
        try:
            if os.path.islink(absolute) or os.path.getsize(absolute) > _HASH_LIMIT:
                return ""
            with open(absolute, "rb") as file:
                return hashlib.file_digest(file, algorithm).hexdigest()
        except (OSError, ValueError):
            return ""

    return hasher
