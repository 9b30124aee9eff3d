"""Files of `key = value` lines, with sections or without, kept line by line: what two formats have in common.

Our own rather than a parser of the standard shape: programs write these files with keys
before the first section, keys twice, `:` for `=`, any newline and any encoding, and a
merge may change none of that. Every byte that no edit names comes out as it went in.
"""

from __future__ import annotations

import codecs
import re
from collections.abc import Iterator
from dataclasses import dataclass
from functools import lru_cache

from left_intact.core.settings.document import Document, Key, NotReadable

_SECTION = re.compile(r"^\s*\[(?P<name>[^\]]*)\]\s*(?:[;#].*)?$")
_PAIR = re.compile(
    r"^(?P<indent>\s*)(?P<key>[^=:\s;#\[][^=]*?|[^=:\s;#\[])(?P<sign>\s*=[ \t]*)"
    r"(?P<value>.*?)(?P<tail>\s+[;#].*|\s*)$"
)
_COLON = re.compile(
    r"^(?P<indent>\s*)(?P<key>[\w.\-/]+)(?P<sign>\s*:[ \t]+)(?P<value>.*?)(?P<tail>\s+[;#].*|\s*)$"
)
_MOST_LINES = 100_000
_LOOKED_AT = 200
_KEY_LINE = re.compile(r"^\s*[\w.\-/ \[\]]{1,80}?\s*[=]\s*.*$")
SECTION_LINE = re.compile(r"^\s*\[[^\]\n]{1,120}\]\s*(?:[;#].*)?$")


@dataclass(frozen=True, slots=True)
class Shares:
    """What the first lines of a text are."""

    keys: int
    sections: int
    said: int
    """Lines that are neither empty nor comments."""

    @property
    def of_keys(self) -> float:
        """The share of lines that are keys or sections."""
        return (self.keys + self.sections) / self.said if self.said else 0.0


@lru_cache(maxsize=4)  # every format of lines asks of the same text
def shares_of(text: str) -> Shares:
    lines = [line for line in text.splitlines()[:_LOOKED_AT] if line.strip()]
    said = [line for line in lines if not line.lstrip().startswith(("#", ";", "//"))]
    return Shares(
        keys=sum(1 for line in said if _KEY_LINE.match(line)),
        sections=sum(1 for line in said if SECTION_LINE.match(line)),
        said=len(said),
    )


def check_lines(data: bytes, top: str = "[top]\n") -> None:
    """Read it with the standard library's parser; keys before the first section get one made up for them."""
    from configparser import Error, RawConfigParser

    parser = RawConfigParser(strict=False, comment_prefixes=("#", ";", "//"))
    try:
        parser.read_string(top + data.decode("utf-8-sig", "surrogateescape"))
    except Error as error:
        raise NotReadable(str(error).splitlines()[0]) from error


@dataclass(slots=True)
class _Line:
    text: str
    end: str
    section: str
    key: str = ""
    span: tuple[int, int] = (0, 0)
    """Where the value stands in `text`."""

    @property
    def value(self) -> str:
        return self.text[self.span[0] : self.span[1]]


class LineDocument:
    """A file of lines; keys are (section, name), or (name,) before the first section."""

    def __init__(self, data: bytes) -> None:
        self._bom = data.startswith(codecs.BOM_UTF8)
        body = data[3:] if self._bom else data
        try:
            self._encoding, text = "utf-8", body.decode("utf-8")
        except UnicodeDecodeError:
            self._encoding, text = "latin-1", body.decode("latin-1")
        if "\0" in text:
            raise NotReadable("it has bytes in it that are no text")
        parts = re.split(r"(\r\n|\n|\r)", text)
        if len(parts) > 2 * _MOST_LINES:
            raise NotReadable("it has too many lines")
        self._lines: list[_Line] = []
        section = ""
        for at in range(0, len(parts) - 1, 2):
            section = self._take(parts[at], parts[at + 1], section)
        if parts[-1]:
            self._take(parts[-1], "", section)
        ends = [line.end for line in self._lines if line.end]
        self._newline = max(set(ends), key=ends.count) if ends else "\n"

    def _take(self, text: str, end: str, section: str) -> str:
        line = _read_line(text, end, section)
        self._lines.append(line)
        return line.section

    def _key(self, line: _Line) -> Key:
        return (line.section, line.key) if line.section else (line.key,)

    def values(self) -> dict[Key, str]:
        found: dict[Key, str] = {}
        for line in self._lines:
            if line.key:
                key = self._key(line)
                # A key that stands several times is one value of several lines.
                found[key] = f"{found[key]}\n{line.value}" if key in found else line.value
        return found

    def same(self, one: str, other: str) -> bool:
        return one == other

    def _at(self, key: Key) -> list[int]:
        return [i for i, line in enumerate(self._lines) if line.key and self._key(line) == key]

    def set(self, key: Key, value: str) -> None:
        places, values = self._at(key), value.split("\n")
        for place, said in zip(places, values, strict=False):
            line = self._lines[place]
            start, stop = line.span
            line.text = line.text[:start] + said + line.text[stop:]
            line.span = (start, start + len(said))
        model = self._lines[places[-1]]
        for offset, said in enumerate(values[len(places) :], 1):
            text = model.text[: model.span[0]] + said
            self._insert(places[-1] + offset, _read_line(text, "", model.section))
        for place in reversed(places[len(values) :]):
            del self._lines[place]

    def rename(self, key: Key, new: Key) -> None:
        for place in self._at(key):
            line = self._lines[place]
            match = _pair(line.text)
            assert match is not None
            start, stop = match.span("key")
            text = line.text[:start] + new[-1] + line.text[stop:]
            self._lines[place] = _read_line(text, line.end, line.section)

    def remove(self, key: Key) -> None:
        for place in reversed(self._at(key)):
            del self._lines[place]

    def insert(self, key: Key, like: Document) -> None:
        assert isinstance(like, LineDocument)
        places = like._at(key)
        section = key[0] if len(key) > 1 else ""
        block = list(like._comments_above(places[0])) + [like._lines[i] for i in places]
        place = self._place_for(key, like)
        if place is None:
            place = self._new_section(section, like)
        for offset, line in enumerate(block):
            self._insert(place + offset, _read_line(line.text, "", section))

    def _comments_above(self, place: int) -> Iterator[_Line]:
        start = place
        while start > 0 and self._lines[start - 1].text.lstrip().startswith((";", "#")):
            start -= 1
        # A block that begins the file speaks of the file, not of its first key.
        if start == 0:
            return iter(())
        return iter(self._lines[start:place])

    def _place_for(self, key: Key, like: LineDocument) -> int | None:
        """Behind the nearest key that stands before it in `like`, or at the section's end."""
        section = key[0] if len(key) > 1 else ""
        order = [k for k in like.values() if (k[0] if len(k) > 1 else "") == section]
        for before in reversed(order[: order.index(key)]):
            if places := self._at(before):
                return places[-1] + 1
        inside = [i for i, line in enumerate(self._lines) if line.section == section]
        if not inside:
            return None if section else 0
        last = inside[-1]
        while last > inside[0] and not self._lines[last].text.strip():
            last -= 1
        return last + 1

    def _new_section(self, section: str, like: LineDocument) -> int:
        head = next(i for i, line in enumerate(like._lines) if _is_section(line.text, section))
        if self._lines and self._lines[-1].text.strip():
            self._insert(len(self._lines), _Line("", "", self._lines[-1].section))
        for line in [*like._comments_above(head), like._lines[head]]:
            self._insert(len(self._lines), _Line(line.text, "", section))
        return len(self._lines)

    def _insert(self, place: int, line: _Line) -> None:
        if place == len(self._lines) and self._lines and not self._lines[-1].end:
            self._lines[-1].end = self._newline
        line.end = self._newline
        self._lines.insert(place, line)

    def to_bytes(self) -> bytes:
        text = "".join(line.text + line.end for line in self._lines)
        return (codecs.BOM_UTF8 if self._bom else b"") + text.encode(self._encoding, "surrogatepass")


def _pair(text: str) -> re.Match[str] | None:
    if text.lstrip().startswith((";", "#", "//")):
        return None
    return _PAIR.match(text) or _COLON.match(text)


def _is_section(text: str, name: str) -> bool:
    match = _SECTION.match(text)
    return match is not None and match.group("name").strip() == name


def _read_line(text: str, end: str, section: str) -> _Line:
    if match := _SECTION.match(text):
        return _Line(text, end, match.group("name").strip())
    if match := _pair(text):
        return _Line(text, end, section, match.group("key").strip(), match.span("value"))
    return _Line(text, end, section)
