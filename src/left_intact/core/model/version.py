"""Versions of every shape, and the order among them. The rules are in docs/versions.md.

Three lines of versions exist: *dotted* (4.4.2, 3.14c, 1.7 preview 12), *date*
(2026-11-01) and *build* (r121). Within a line any two can be ordered; across lines
they cannot, and `compare` says so with None instead of guessing.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from functools import total_ordering

_DATE = re.compile(r"(19[89]\d|20\d\d)([-._]?)(0?[1-9]|1[0-2])\2(0[1-9]|[12]\d|3[01]|[1-9])(?:[-._](\d+))?$")
_COMPACT_DATE = re.compile(r"(19[89]\d|20\d\d)(0[1-9]|1[0-2])(0[1-9]|[12]\d|3[01])(?:[-._](\d+))?$")
_BUILD = re.compile(r"(?:r|rev|revision|build|snapshot|#)[-. ]?(\d+)$")
_DOTTED = re.compile(r"(\d+(?:\.\d+)*)(.*)$")
_COMMITS = re.compile(r"-(\d+)-g[0-9a-f]{5,40}$")
_SUFFIX = re.compile(r"([a-z]+)[-._ ]*(\d*)|(\d+)")
_PHASES = {
    "dev": -5,
    "nightly": -5,
    "a": -4,
    "alpha": -4,
    "b": -3,
    "beta": -3,
    "pre": -2,
    "preview": -2,
    "rc": -1,
    "c": -1,
    "candidate": -1,
    "final": 0,
    "release": 0,
    "stable": 0,
    "p": 1,
    "post": 1,
    "patch": 1,
    "hotfix": 1,
    "fix": 1,
    "update": 1,
    "u": 1,
    "sp": 1,
    "rev": 1,
    "build": 1,
    "r": 1,
}
Key = tuple[int | tuple[int, ...], ...]


@total_ordering
@dataclass(frozen=True, slots=True, eq=False)
class Version:
    """A version as written, with the key it is ordered by.

    Source of the rules: docs/versions.md. Ordering versions of different lines with
    `<` raises TypeError; use `compare` where that may happen.
    """

    text: str
    line: str
    """`dotted`, `date` or `build`."""
    key: Key

    @staticmethod
    def parse(text: str) -> Version | None:
        """Read a version, or None where the text is none."""
        clean = re.sub(r"^(?:version|ver\.?|v)[ .]*(?=\d)", "", text.strip().lower())
        clean = clean.split("+", 1)[0].strip()
        if match := _COMPACT_DATE.match(clean):
            year, month, day, extra = match.groups()
            return Version(text.strip(), "date", (int(year), int(month), int(day), int(extra or 0)))
        if (match := _DATE.match(clean)) and match.group(2):
            year, _, month, day, extra = match.groups()
            return Version(text.strip(), "date", (int(year), int(month), int(day), int(extra or 0)))
        if match := _BUILD.match(clean):
            return Version(text.strip(), "build", (int(match.group(1)),))
        return _parse_dotted(text.strip(), clean)

    def compare(self, other: Version) -> int | None:
        """-1, 0 or 1 as this is older, equal or newer; None across lines."""
        mine, others = self._on_line_of(other), other._on_line_of(self)
        if mine is None or others is None:
            return None
        return (mine > others) - (mine < others)

    def _on_line_of(self, other: Version) -> Key | None:
        if self.line == other.line:
            return self.key
        # A bare whole number is a build number beside another build number.
        lines = {self.line, other.line}
        if lines == {"dotted", "build"}:
            dotted = self if self.line == "dotted" else other
            if isinstance(dotted.key[0], tuple) and len(dotted.key[0]) <= 1 and not any(dotted.key[1:]):
                return (dotted.key[0][0] if dotted.key[0] else 0,) if self is dotted else self.key
        return None

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Version) and self.compare(other) == 0

    def __lt__(self, other: Version) -> bool:
        order = self.compare(other)
        if order is None:
            raise TypeError(f"{self.text} and {other.text} are of different version lines")
        return order < 0

    def __hash__(self) -> int:
        # A lone number equals a build number, so both hash alike.
        first = self.key[0]
        if self.line == "build":
            return hash((self.key[0],))
        if isinstance(first, tuple) and len(first) <= 1 and not any(self.key[1:]):
            return hash((first[0] if first else 0,))
        return hash((self.line, self.key))

    def __str__(self) -> str:
        return self.text


def _parse_dotted(text: str, clean: str) -> Version | None:
    commits = 0
    if match := _COMMITS.search(clean):
        commits, clean = int(match.group(1)), clean[: match.start()]
    dotted = _DOTTED.match(clean)
    if not dotted:
        return None
    numbers = [int(part) for part in dotted.group(1).split(".")]
    while numbers and numbers[-1] == 0:
        numbers.pop()
    suffix = _parse_suffix(dotted.group(2))
    if suffix is None:
        return None
    letter, phase, count = suffix
    return Version(text, "dotted", (tuple(numbers), letter, phase, count, commits))


def _parse_suffix(tail: str) -> tuple[int, int, int] | None:
    """(letter, phase, count) of what follows the numbers, or None where it is no version.

    A single letter glued to the number and followed by nothing is a patch letter:
    3.14 < 3.14b < 3.14c. With a number behind it, a and b are alpha and beta.
    """
    if not tail:
        return 0, 0, 0
    if re.fullmatch(r"[a-z]", tail):
        return ord(tail) - 96, 0, 0
    letter = 0
    if match := re.match(r"([a-z])(?=[-_ .][a-z])", tail):
        letter, tail = ord(match.group(1)) - 96, tail[1:]
    rest = tail.strip(" -._()")
    match = _SUFFIX.fullmatch(rest)
    if not match:
        return None
    word, count, bare = match.groups()
    if bare:
        return letter, 1, int(bare)
    if word not in _PHASES:
        return None
    return letter, _PHASES[word], int(count or 0)


_EXTENSIONS = re.compile(r"\.(zip|7z|tar|tgz|tbz2?|txz|tzst|gz|bz2|xz|zst|exe|so|dll|bin|pkg)$", re.I)
_PLATFORM_WORDS = re.compile(
    r"(?i)(?<![a-z0-9])(x86[_-]64|x86|x64|amd64|i[3-6]86|arm64|aarch64|armv\d\w*|win(dows)?[-_]?(32|64)?|"
    r"linux[-_]?(32|64)?|mac(os)?|darwin|(32|64)[-_]?bit|portable|setup|universal)(?![a-z0-9])"
)
_IN_NAME = (
    re.compile(r"(?<![\d.])(?:19[89]\d|20\d\d)([-._])(?:0[1-9]|1[0-2])\1(?:0[1-9]|[12]\d|3[01])(?!\d)"),
    re.compile(r"(?<!\d)(?:19[89]\d|20\d\d)(?:0[1-9]|1[0-2])(?:0[1-9]|[12]\d|3[01])(?!\d)"),
    re.compile(
        r"(?i)(?<![\d.a-z])v?\d+(?:\.\d+)+(?:[a-z](?![a-z0-9]))?"
        r"(?:[-_ .]?(?:preview|beta|alpha|rc|pre|hotfix|patch|post|dev)(?![a-z])[-_ .]?\d*"
        r"|[ab]\d+(?![a-z0-9]))?"
        r"(?:-\d+-g[0-9a-f]{5,40})?"
    ),
    re.compile(r"(?i)(?<![a-z0-9])(?:r|rev|build)[-_. ]?\d+(?![a-z0-9.])"),
    re.compile(r"(?i)(?<![a-z0-9])v\d+(?![a-z0-9.])"),
    re.compile(r"(?<=[-_ ])\d+(?:[a-z])?(?![\w.])"),
)


def version_in_name(name: str) -> Version | None:
    """The version that a file or folder name carries, e.g. `brindlemere-4.6.0-linux.zip` -> 4.6.0."""
    while _EXTENSIONS.search(name):
        name = _EXTENSIONS.sub("", name)
    name = _PLATFORM_WORDS.sub(" ", name)
    for pattern in _IN_NAME:
        if match := pattern.search(name):
            found = Version.parse(match.group(0).replace("_", " "))
            if found:
                return found
    return None


def name_without_version(name: str) -> str:
    """The program's bare name in lower case: `Brindlemere-4.6.0-linux.zip` -> `brindlemere`."""
    while _EXTENSIONS.search(name):
        name = _EXTENSIONS.sub("", name)
    name = _PLATFORM_WORDS.sub(" ", name)
    for pattern in _IN_NAME:
        name = pattern.sub(" ", name, count=1)
    return re.sub(r"[\s\-_.]+", " ", name).strip(" -_.()[]").lower()
