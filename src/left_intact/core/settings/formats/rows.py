"""Files of rows, each with a name and a value of its own, kept row by row: what properties, commands,
registry files and lists have in common. How a row is told is the format's; every byte that no edit names
comes out as it went in.
"""

from __future__ import annotations

import re
from abc import ABC, abstractmethod
from collections.abc import Collection, Iterator
from dataclasses import dataclass, replace

from left_intact.core.settings.document import Document, Key, NotReadable, PlainDocument
from left_intact.core.settings.formats.lines import Line, decoded, lines_in


@dataclass(slots=True)
class Row:
    """One line, or several that go on with each other."""

    text: str
    end: str
    key: Key = ()
    """Empty for a comment, a blank line, and the head of a section."""
    label: tuple[int, int] = (0, 0)
    """Where the name stands in `text`."""
    span: tuple[int, int] = (0, 0)
    """Where the value stands."""
    section: str = ""
    is_head: bool = False
    is_comment: bool = False

    @property
    def value(self) -> str:
        return self.text[slice(*self.span)]


class RowDocument(PlainDocument, ABC):
    """Rows by their keys; one that stands twice nobody may edit."""

    def __init__(self, data: bytes) -> None:
        self._how = decoded(data)
        self._encoding = self._how.encoding
        lines = lines_in(self._how.text)
        self._rows = list(self._rows_of(lines))
        keys = [row.key for row in self._rows if row.key]
        if len(set(keys)) != len(keys):
            twice = next(key for key in keys if keys.count(key) > 1)
            raise NotReadable(f"{'.'.join(twice)} stands in it twice")
        self._order = tuple(keys)
        ends = [end for _, end in lines if end]
        self._newline = max(set(ends), key=ends.count) if ends else "\n"

    @abstractmethod
    def _rows_of(self, lines: list[Line]) -> Iterator[Row]:
        """The rows of a text. Raises `NotReadable` for a line that is none."""

    @abstractmethod
    def _label(self, key: Key) -> str:
        """How a name is written. Raises `NotReadable` for one that cannot be."""

    # ------------------------------------------------------------ reading

    def values(self, whole: Collection[Key] = ()) -> dict[Key, str]:
        return {row.key: row.value for row in self._rows if row.key}

    # ------------------------------------------------------------ editing

    def _at(self, key: Key) -> int:
        place = next((at for at, row in enumerate(self._rows) if row.key == key), None)
        if place is None:
            raise KeyError(key)
        return place

    def take(self, key: Key, like: Document, named: Key) -> None:
        like = self._like(like)
        place = self._at(key)
        said = self._carried(like, like._rows[like._at(named)].value)
        self._rows[place] = self._with(self._rows[place], span=said)

    def rename(self, key: Key, new: Key) -> None:
        place = self._at(key)
        self._rows[place] = replace(self._with(self._rows[place], label=self._label(new)), key=new)

    @staticmethod
    def _with(row: Row, *, span: str | None = None, label: str | None = None) -> Row:
        """A row with another value or another name."""
        (a, b), (c, d) = row.label, row.span
        if span is not None:
            between = row.text[b:c] if row.text[b:c] or not span else " "
            text = row.text[:b] + between + span + row.text[d:]
            start = b + len(between)
            return replace(row, text=text, span=(start, start + len(span)))
        assert label is not None
        text = row.text[:a] + label + row.text[b:]
        moved = len(label) - (b - a) if c >= b else 0
        return replace(row, text=text, label=(a, a + len(label)), span=(c + moved, d + moved))

    def remove(self, key: Key) -> None:
        del self._rows[self._at(key)]

    def _carried(self, like: RowDocument, text: str) -> str:
        """A text of another file, as far as it can be said in this one."""
        if like._encoding != self._encoding and not text.isascii():
            if self._encoding != "ascii":
                if "latin-1" in (like._encoding, self._encoding):
                    raise NotReadable("the two files are written in different encodings")
            else:
                self._encoding = like._encoding if like._encoding in ("utf-8", "latin-1") else "utf-8"
        return re.sub(r"\r\n|\r|\n", self._newline, text)

    def insert(self, key: Key, like: Document) -> None:
        like = self._like(like)
        source = like._at(key)
        row = like._rows[source]
        place = self._place_for(key, row.section, like)
        if place is None:
            place = self._new_section(row.section, like)
        for offset, one in enumerate([*like._comments_above(source), row]):
            self._put(place + offset, replace(one, text=self._carried(like, one.text)))

    def _place_for(self, key: Key, section: str, like: RowDocument) -> int | None:
        """Behind the nearest row that stands before it in `like`, or at the end of its section."""
        mine = {row.key: at for at, row in enumerate(self._rows) if row.key and row.section == section}
        for before in reversed(like._order[: like._order.index(key)]):
            if before in mine:
                return mine[before] + 1
        inside = [at for at, row in enumerate(self._rows) if row.section == section]
        if not inside:
            return None if section else len(self._rows)
        last = inside[-1]
        while last > inside[0] and not self._rows[last].text.strip():
            last -= 1
        return last + 1

    def _comments_above(self, place: int) -> list[Row]:
        start = place
        while start > 0 and self._rows[start - 1].is_comment:
            start -= 1
        # A block that begins the file speaks of the file, not of its first row.
        return self._rows[start:place] if start else []

    def _new_section(self, section: str, like: RowDocument) -> int:
        head = next(at for at, row in enumerate(like._rows) if row.is_head and row.section == section)
        if self._rows and self._rows[-1].text.strip():
            self._put(len(self._rows), Row("", "", section=self._rows[-1].section))
        for row in [*like._comments_above(head), like._rows[head]]:
            self._put(len(self._rows), replace(row, text=self._carried(like, row.text)))
        return len(self._rows)

    def _put(self, place: int, row: Row) -> None:
        if place == len(self._rows) and self._rows and not self._rows[-1].end:
            self._rows[-1].end = self._newline
        self._rows.insert(place, replace(row, end=self._newline))

    def to_bytes(self) -> bytes:
        text = "".join(row.text + row.end for row in self._rows)
        return self._how.bom + text.encode(self._encoding)


def joined(lines: list[Line], goes_on: re.Pattern[str]) -> Iterator[Line]:
    """Lines, those that go on with the next one as one line."""
    text, is_open = "", False
    for said, end in lines:
        text += said
        is_open = bool(goes_on.search(said)) and bool(end)
        if is_open:
            text += end
            continue
        yield text, end
        text = ""
    if is_open:
        raise NotReadable("its last line goes on in one that is not there")
