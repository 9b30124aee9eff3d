"""Files of `key = value` lines, with sections or without, kept line by line: what two formats have in common.

Our own rather than a parser of the standard shape: programs write these files with keys before the first
section, `:` for `=`, any newline and any encoding, and a merge may change none of that. Every byte that no
edit names comes out as it went in. Where the dialects of this format differ, what is read here is what loses
nothing in any of them: a value is all that follows the sign (a `#` may begin a comment or be part of a name),
with the lines below that are indented further.
"""

from __future__ import annotations

import codecs
import re
from collections.abc import Collection, Iterator
from dataclasses import dataclass
from functools import lru_cache

from left_intact.core.settings.document import Document, Key, NotReadable, PlainDocument

_SECTION = re.compile(r"^\s*\[(?P<name>[^\]]*)\]\s*(?:[;#].*)?$")
_PAIR = re.compile(r"^\s*(?P<key>[^=\s\[][^=]*?)\s*=[^\S\n]*(?P<value>.*?)\s*$")
_COLON = re.compile(r"^\s*(?P<key>[\w.\-/]+)\s*:[ \t]+(?P<value>.*?)\s*$")
_TAIL = re.compile(r"\s+[;#].*$|\s+//.*$", re.DOTALL)
_COMMENTS = ("#", ";", "//")
_MOST_LINES = 100_000
_LOOKED_AT = 200
_KEY_LINE = re.compile(r"^\s*[\w.\-/ \[\]]{1,80}?\s*[=]\s*.*$")
SECTION_LINE = re.compile(r"^\s*\[[^\]\n]{1,120}\]\s*(?:[;#].*)?$")
_UTF16 = {codecs.BOM_UTF16_LE: "utf-16-le", codecs.BOM_UTF16_BE: "utf-16-be"}


Line = tuple[str, str]
"""(text, line end)."""


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
    said = [line for line in lines if not line.lstrip().startswith(_COMMENTS)]
    return Shares(
        keys=sum(1 for line in said if _KEY_LINE.match(line)),
        sections=sum(1 for line in said if SECTION_LINE.match(line)),
        said=len(said),
    )


# ---------------------------------------------------------------- bytes and text


@dataclass(frozen=True, slots=True)
class EncodedText:
    """A text, and how its bytes say it."""

    text: str
    encoding: str
    """`ascii`, `utf-8`, `utf-16-le`, `utf-16-be`, or `latin-1` for bytes of an encoding that nobody knows."""
    bom: bytes


def decoded(data: bytes) -> EncodedText:
    for bom, encoding in ((codecs.BOM_UTF8, "utf-8"), *_UTF16.items()):
        if data.startswith(bom):
            try:
                text = data[len(bom) :].decode(encoding)
            except UnicodeDecodeError as error:
                raise NotReadable("its bytes are not the text that they begin as") from error
            return _plain(EncodedText(text, encoding, bom))
    for encoding in ("ascii", "utf-8"):
        try:
            return _plain(EncodedText(data.decode(encoding), encoding, b""))
        except UnicodeDecodeError:
            continue
    return _plain(EncodedText(data.decode("latin-1"), "latin-1", b""))


def _plain(text: EncodedText) -> EncodedText:
    if "\0" in text.text:
        raise NotReadable("it has bytes in it that are no text")
    return text


def lines_in(text: str) -> list[Line]:
    """The lines of a text. Raises `NotReadable` for too many."""
    parts = re.split(r"(\r\n|\n|\r)", text)
    if len(parts) > 2 * _MOST_LINES:
        raise NotReadable("it has too many lines")
    pairs = [(parts[at], parts[at + 1]) for at in range(0, len(parts) - 1, 2)]
    return [*pairs, (parts[-1], "")] if parts[-1] else pairs


# ---------------------------------------------------------------- the reader that is not ours


def read_lines(data: bytes, whole: Collection[Key] = ()) -> dict[Key, str]:
    """What the standard library's parser reads, strictly; nothing is a comment but whole lines.

    Keys before the first section get one made up for them. Raises `NotReadable`, also for what stands twice.
    """
    text = re.sub(r"\r\n|\r", "\n", decoded(data).text)
    try:
        return parsed_sections(text)
    except NotReadable as error:
        try:
            return parsed_sections(text, signs=("=", ":"))
        except NotReadable:
            raise error from None


def parsed_sections(text: str, signs: tuple[str, ...] = ("=",)) -> dict[Key, str]:
    """The keys of a text of sections, by the standard library's parser. Raises `NotReadable`."""
    from configparser import Error, RawConfigParser

    parser = RawConfigParser(
        strict=True,
        comment_prefixes=_COMMENTS,
        delimiters=signs,
        default_section="\0",
        interpolation=None,
    )
    parser.optionxform = str  # type: ignore[assignment,method-assign]
    try:
        parser.read_string("[\0top]\n" + text)
    except (Error, ValueError) as error:
        raise NotReadable(_said(error)) from error
    return _flat(parser)


def _flat(parser: object) -> dict[Key, str]:
    from configparser import RawConfigParser

    assert isinstance(parser, RawConfigParser)
    found: dict[Key, str] = {}
    for section in parser.sections():
        for name, value in parser.items(section):
            key = (name,) if section == "\0top" else (section.strip(), name)
            if key in found:
                raise NotReadable(f"{'.'.join(key)} stands in it twice")
            found[key] = value
    return found


def _said(error: Exception) -> str:
    from configparser import DuplicateOptionError, DuplicateSectionError

    match error:
        case DuplicateOptionError():
            return f"{error.option} stands in it twice"
        case DuplicateSectionError():
            return f"[{error.section}] stands in it twice"
    return "it has lines that are no keys"


# ---------------------------------------------------------------- the document


@dataclass(slots=True)
class _Line:
    text: str
    end: str
    section: str
    key: str = ""
    span: tuple[int, int] = (0, 0)
    """Where the value stands in `text`."""
    more: bool = False
    """Whether it goes on with the value of the key above."""

    @property
    def value(self) -> str:
        return self.text[self.span[0] : self.span[1]]

    @property
    def indent(self) -> str:
        return self.text[: len(self.text) - len(self.text.lstrip())]

    @property
    def is_comment(self) -> bool:
        return self.text.lstrip().startswith(_COMMENTS)


class LineDocument(PlainDocument):
    """A file of lines; keys are (section, name), or (name,) before the first section."""

    def __init__(self, data: bytes) -> None:
        self._how = decoded(data)
        self._encoding = self._how.encoding
        self._lines = _read(lines_in(self._how.text))
        # As it was opened; another file that asks where a key stands asks one that no edit has touched.
        self._order = tuple(dict.fromkeys(self._key(line) for line in self._lines if line.key))
        ends = [line.end for line in self._lines if line.end]
        self._newline = max(set(ends), key=ends.count) if ends else "\n"

    def _key(self, line: _Line) -> Key:
        return (line.section, line.key) if line.section else (line.key,)

    def _block(self, place: int) -> range:
        """The lines of the key that begins at a place."""
        stop = place + 1
        for at in range(place + 1, len(self._lines)):
            line = self._lines[at]
            if line.more:
                stop = at + 1
            elif line.text.strip() and not line.is_comment:
                break
        return range(place, stop)

    def _value(self, place: int) -> str:
        said = [self._lines[place].value]
        for at in self._block(place)[1:]:
            line = self._lines[at]
            if not line.is_comment:
                said.append(line.text.strip())
        return "\n".join(said)

    def values(self, whole: Collection[Key] = ()) -> dict[Key, str]:
        found: dict[Key, str] = {}
        for at, line in enumerate(self._lines):
            if line.key:
                key, value = self._key(line), self._value(at)
                # A key that stands several times is one value of several lines.
                found[key] = f"{found[key]}\n{value}" if key in found else value
        return found

    def doubtful(self) -> frozenset[str]:
        pairs = (_pair(line.text) for line in self._lines if line.more and not line.is_comment)
        return frozenset(pair.group("key").strip() for pair in pairs if pair)

    def head(self, value: str) -> str:
        return _TAIL.sub("", value)

    def _at(self, key: Key) -> list[int]:
        return [i for i, line in enumerate(self._lines) if line.key and self._key(line) == key]

    def _only(self, key: Key) -> int:
        places = self._at(key)
        if len(places) != 1:
            raise NotReadable(f"{'.'.join(key)} does not stand in it once")
        return places[0]

    def take(self, key: Key, like: Document, named: Key) -> None:
        like = self._like(like)
        self.set(key, like._carried(self, like._value(like._only(named))))

    def set(self, key: Key, value: str) -> None:
        """Give a key another value; lines behind the first are indented as those that were there."""
        place = self._only(key)
        block, line = self._block(place), self._lines[place]
        if line.value.endswith("\\"):
            raise NotReadable(f"the value of {'.'.join(key)} may go on in the line below it")
        first, *rest = value.split("\n")
        start, stop = line.span
        gap = " " if first and line.text.endswith(" =") else ""
        line.text = line.text[:start] + gap + first + line.text[stop:]
        line.span = (start + len(gap), start + len(gap) + len(first))
        more = [self._lines[at] for at in block[1:] if not self._lines[at].is_comment]
        indent = next((one.indent for one in more if one.text.strip()), line.indent + "    ")
        del self._lines[place + 1 : block.stop]
        for offset, said in enumerate(rest, 1):
            text = indent + said if said else ""
            self._insert(place + offset, _Line(text, "", line.section, more=True))

    def rename(self, key: Key, new: Key) -> None:
        line = self._lines[self._only(key)]
        match = _pair(line.text)
        assert match is not None
        start, stop = match.span("key")
        line.text = line.text[:start] + new[-1] + line.text[stop:]
        moved = len(new[-1]) - (stop - start)
        line.key, line.span = new[-1], (line.span[0] + moved, line.span[1] + moved)

    def remove(self, key: Key) -> None:
        block = self._block(self._only(key))
        if self._lines[block.start].value.endswith("\\"):
            raise NotReadable(f"the value of {'.'.join(key)} may go on in the line below it")
        del self._lines[block.start : block.stop]

    def _carried(self, into: LineDocument, text: str) -> str:
        """A text of this file, as far as it can be said in another."""
        if self._encoding != into._encoding and not text.isascii():
            if into._encoding != "ascii":
                if "latin-1" in (self._encoding, into._encoding):
                    raise NotReadable("the two files are written in different encodings")
                return text
            into._encoding = self._encoding if self._encoding in ("utf-8", "latin-1") else "utf-8"
        return text

    def insert(self, key: Key, like: Document) -> None:
        like = self._like(like)
        source = like._only(key)
        section = key[0] if len(key) > 1 else ""
        head = like._lines[source]
        block = [*like._comments_above(source), *(like._lines[i] for i in like._block(source))]
        place = self._place_for(key, like)
        if place is None:
            place = self._new_section(section, like)
        beside = [line for line in self._lines if line.key and line.section == section]
        indent = beside[0].indent if beside else head.indent
        for offset, line in enumerate(block):
            text = line.text.removeprefix(head.indent) if line.more else line.text.lstrip()
            text = like._carried(self, indent + text if text else "")
            new = _Line(text, "", section, more=line.more)
            if line is head:
                match = _pair(text)
                assert match is not None
                new = _Line(text, "", section, match.group("key").strip(), match.span("value"))
            self._insert(place + offset, new)

    def _comments_above(self, place: int) -> Iterator[_Line]:
        start = place
        while start > 0 and self._lines[start - 1].is_comment and not self._lines[start - 1].more:
            start -= 1
        # A block that begins the file speaks of the file, not of its first key.
        if start == 0:
            return iter(())
        return iter(self._lines[start:place])

    def _place_for(self, key: Key, like: LineDocument) -> int | None:
        """Behind the nearest key that stands before it in `like`, or at the section's end."""
        section = key[0] if len(key) > 1 else ""
        mine = {self._key(line): at for at, line in enumerate(self._lines) if line.key}
        for before in reversed(like._order[: like._order.index(key)]):
            if before[:-1] == key[:-1] and before in mine:
                return self._clear_of(self._block(mine[before]).stop)
        inside = [i for i, line in enumerate(self._lines) if line.section == section]
        if not inside:
            return None if section else 0
        last = inside[-1]
        while last > inside[0] and not self._lines[last].text.strip():
            last -= 1
        return self._clear_of(last + 1)

    def _clear_of(self, place: int) -> int:
        """The first place from here on that no line above may go on into. Raises `NotReadable` for none."""
        while self._goes_on(place):
            if place == len(self._lines):
                raise NotReadable("its last value may go on in the line below it")
            place += 1
        return place

    def _goes_on(self, place: int) -> bool:
        above = next((line.text for line in reversed(self._lines[:place]) if line.text.strip()), "")
        return above.rstrip().endswith("\\")

    def _new_section(self, section: str, like: LineDocument) -> int:
        head = next(i for i, line in enumerate(like._lines) if _is_section(line.text, section))
        self._clear_of(len(self._lines))
        if self._lines and self._lines[-1].text.strip():
            self._insert(len(self._lines), _Line("", "", self._lines[-1].section))
        for line in [*like._comments_above(head), like._lines[head]]:
            self._insert(len(self._lines), _Line(like._carried(self, line.text.lstrip()), "", section))
        return len(self._lines)

    def _insert(self, place: int, line: _Line) -> None:
        if place == len(self._lines) and self._lines and not self._lines[-1].end:
            self._lines[-1].end = self._newline
        line.end = self._newline
        self._lines.insert(place, line)

    def to_bytes(self) -> bytes:
        text = "".join(line.text + line.end for line in self._lines)
        return self._how.bom + text.encode(self._encoding)


def _pair(text: str) -> re.Match[str] | None:
    if text.lstrip().startswith(_COMMENTS):
        return None
    return _PAIR.match(text) or _COLON.match(text)


def _is_section(text: str, name: str) -> bool:
    match = _SECTION.match(text)
    return match is not None and match.group("name").strip() == name


def _read(parts: list[Line]) -> list[_Line]:
    """Lines with what they are. What is indented further than the key above it goes on with its value."""
    lines: list[_Line] = []
    section, is_open, indent = "", False, 0
    for text, end in parts:
        line = _Line(text, end, section)
        lines.append(line)
        if not text.strip() or line.is_comment:
            continue
        depth = len(line.indent)
        if is_open and depth > indent:
            line.more = True
            continue
        indent = depth
        if match := _SECTION.match(text):
            section = line.section = match.group("name").strip()
            is_open = False
        elif match := _pair(text):
            line.key, line.span = match.group("key").strip(), match.span("value")
            is_open = True
    return lines
