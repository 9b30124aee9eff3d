"""A folder's worth of entries, packed: what a survey of 100,000 files costs is decided here.

A page holds the columns of one folder: names, what the disk says of each, digests, formats.
Values as other stages know them (`Entry`) are made from it only when somebody asks.
"""

from __future__ import annotations

import stat
import struct
from array import array
from bisect import bisect_left
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from itertools import chain, islice
from typing import Any

from left_intact.core.model.entry import Entry, Folder, Kind
from left_intact.core.model.place import At

DIGEST_BYTES = 32
HEAD_BYTES = 4
NO_DIGEST = bytes(DIGEST_BYTES)
COLUMNS = 5
"""Numbers a name has in `Page.stats`: mode with type, bytes, mtime_ns, ctime_ns, inode."""
UNKNOWN = 0
"""The change time of a file that was written so shortly before it was read that its time tells nothing."""
MENTIONS_PERSON, SPARSE = 1, 2
"""Marks of a file: its text names a place of the person's; its first bytes are mostly zeros or ones."""
_WRAP = 1 << 64
_ROW = struct.Struct(f"={COLUMNS}q")


@dataclass(slots=True)
class Page:
    """One folder. Every column has one item a name, in the order of the names."""

    folder: str
    """Path below the root; empty for the root itself."""
    facts: tuple[int, int, int] = (0, 0, 0)
    """Mode, mtime_ns and device of the folder."""
    names: Sequence[str] = ()
    """Sorted; subfolders are pages of their own."""
    stats: bytes = b""
    """`COLUMNS` signed 64-bit numbers a name; what could not be looked at has mode 0."""
    inner: int = 0
    """How many subfolders it has."""
    fault: str = ""
    """Why the folder could not be listed."""
    said: dict[int, str] = field(default_factory=dict)
    """By position: where a link points, or why something could not be read."""
    digests: bytes = b""
    """`DIGEST_BYTES` a name, zeros where the content was not read."""
    formats: Sequence[str] = ()
    """What the first bytes say, in the words of `files.headers`."""
    heads: bytes = b""
    """The first `HEAD_BYTES` bytes a name."""
    marks: bytes = b""
    root: str = ""
    """The label of the root that it lies below; empty for the install itself."""

    @property
    def at(self) -> At:
        return At(self.root, self.folder)

    @property
    def numbers(self) -> array[int]:
        found = array("q")
        found.frombytes(self.stats)
        return found

    @property
    def content(self) -> int:
        """Bytes of all its files; links and what could not be read have none."""
        sizes = self.numbers[1::COLUMNS]
        return sum(sizes) - sum(sizes[at] for at in self.said)

    @property
    def is_entry(self) -> bool:
        """Whether it counts as an entry itself: an empty one below the root, or one not to be listed."""
        return bool(self.fault or ((self.folder or self.root) and not self.names and not self.inner))

    @property
    def own_entry(self) -> Entry:
        """The folder itself."""
        mode, mtime_ns, _ = self.facts
        return Entry(
            path=self.folder, kind=Kind.FOLDER, mode=stat.S_IMODE(mode), mtime_ns=mtime_ns, root=self.root
        )

    @property
    def as_folder(self) -> Folder:
        mode, mtime_ns, _ = self.facts
        return Folder(path=self.folder, mode=stat.S_IMODE(mode), mtime_ns=mtime_ns, root=self.root)

    def same_stamps(self, other: Page) -> bool:
        """Whether nothing in it was written, added, renamed or taken away since."""
        return (
            self.stats == other.stats
            and self.names == other.names
            and self.facts[2] == other.facts[2]
            and not self.has_faults
            and not other.has_faults
            and UNKNOWN not in self.numbers[3::COLUMNS]
        )

    @property
    def has_faults(self) -> bool:
        """Whether something in it could not be read: that may be otherwise by now, whatever stamps say."""
        return any(True for _ in self.unread())

    def unread(self) -> Iterator[Entry]:
        """What could not be read, or the folder itself where it could not be listed."""
        if self.fault:
            yield next(self.entries())
        for at in self.said:
            if (entry := self.entry(at)).kind is Kind.FAULT:
                yield entry

    def unequal(self, other: Page) -> Iterator[str]:
        """The paths below their root of names that both have, with other digests."""
        if self.names == other.names and self.digests == other.digests:
            return
        for at, name in enumerate(self.names):
            place = other.find(name)
            if place >= 0 and self.digest(at) != other.digest(place):
                yield self.path(at)

    def path(self, at: int) -> str:
        """The path of a name, below the root."""
        return f"{self.folder}/{self.names[at]}" if self.folder else self.names[at]

    def place(self, at: int) -> At:
        return At(self.root, self.path(at))

    def digest(self, at: int) -> bytes:
        return self.digests[at * DIGEST_BYTES : (at + 1) * DIGEST_BYTES]

    def find(self, name: str) -> int:
        """The position of a name; -1 where it is not here."""
        at = bisect_left(self.names, name)
        return at if at < len(self.names) and self.names[at] == name else -1

    def kind(self, at: int, mode: int) -> Kind:
        if not mode or (at in self.said and stat.S_ISREG(mode)):
            return Kind.FAULT
        if stat.S_ISREG(mode):
            return Kind.FILE
        return Kind.LINK if stat.S_ISLNK(mode) else Kind.FOLDER if stat.S_ISDIR(mode) else Kind.OTHER

    def entry(self, at: int) -> Entry:
        """One name as a value."""
        return self._entry(at, _ROW.unpack_from(self.stats, at * _ROW.size))

    def _entry(self, at: int, numbers: Sequence[int]) -> Entry:
        mode, size, mtime, ctime, inode = numbers
        path = self.path(at)
        kind = self.kind(at, mode)
        if kind is Kind.FAULT and not mode:
            return Entry(path=path, kind=kind, fault=self.said.get(at, ""), root=self.root)
        digest = self.digest(at)
        return Entry(
            path=path,
            kind=kind,
            bytes=size if stat.S_ISREG(mode) else 0,
            mode=stat.S_IMODE(mode),
            mtime_ns=mtime,
            digest="" if digest == NO_DIGEST else digest.hex(),
            format=self.formats[at] if self.formats else "",
            link=self.said.get(at, "") if kind is Kind.LINK else "",
            fault=self.said.get(at, "") if kind is Kind.FAULT else "",
            stamp=(self.facts[2], inode % _WRAP, ctime),
            root=self.root,
        )

    def entries(self) -> Iterator[Entry]:
        """Every name as a value; the folder itself where it is empty or could not be listed."""
        if self.fault:
            yield Entry(path=self.folder, kind=Kind.FAULT, fault=self.fault, root=self.root)
        elif self.is_entry:
            yield self.own_entry
        numbers = iter(self.numbers)
        for at in range(len(self.names)):
            yield self._entry(at, tuple(islice(numbers, COLUMNS)))


class PagedEntries(Mapping[str, Entry]):
    """The entries of the pages of one folder, such as a release, by path. A value is made only of what
    somebody asks for.
    """

    def __init__(self, pages: Iterable[Page]) -> None:
        self.pages = tuple(pages)
        self.by_folder = {page.folder: page for page in self.pages}

    def __getitem__(self, path: str) -> Entry:
        folder, _, name = path.rpartition("/")
        page = self.by_folder.get(folder)
        if page is not None and (at := page.find(name)) >= 0:
            return page.entry(at)
        own = self.by_folder.get(path)
        if own is None or not own.is_entry:
            raise KeyError(path)
        return next(own.entries())

    def look(self, path: str) -> Entry | None:
        """What lies at a path; a folder too, also one that is not empty."""
        return _look(self.by_folder.get(path.rpartition("/")[0]), path, self.by_folder.get(path))

    def __contains__(self, path: object) -> bool:
        if not isinstance(path, str):
            return False
        folder, _, name = path.rpartition("/")
        page = self.by_folder.get(folder)
        if page is not None and page.find(name) >= 0:
            return True
        own = self.by_folder.get(path)
        return own is not None and own.is_entry

    def __iter__(self) -> Iterator[str]:
        for page in self.pages:
            if page.is_entry:
                yield page.folder
            above = f"{page.folder}/" if page.folder else ""
            for name in page.names:
                yield above + name

    def __len__(self) -> int:
        return sum(len(page.names) + page.is_entry for page in self.pages)


class PagedPlaces:
    """What lies in the roots of an install, by place. A value is made only of what somebody asks for."""

    def __init__(self, pages: Iterable[Page]) -> None:
        self.pages = tuple(pages)
        self.by_folder = {page.at: page for page in self.pages}

    def look(self, at: At) -> Entry | None:
        """What lies at a place; a folder too, also one that is not empty."""
        return _look(self.by_folder.get(at.folder), at.path, self.by_folder.get(at))


def _look(above: Page | None, path: str, own: Page | None) -> Entry | None:
    """What lies at a path, given the page of the folder it lies in and the one it has if it is a folder."""
    if above is not None and (at := above.find(path.rpartition("/")[2])) >= 0:
        return above.entry(at)
    if own is None:
        return None
    return next(own.entries()) if own.is_entry else own.own_entry


def signed(number: int) -> int:
    """An inode as a signed number, which is how pages keep it."""
    return number - _WRAP if number >= _WRAP >> 1 else number


def pack_stats(rows: Iterable[Sequence[int]]) -> bytes:
    """Rows of `COLUMNS` numbers as the bytes of `Page.stats`."""
    return array("q", chain.from_iterable(rows)).tobytes()


_TYPE = {
    Kind.FILE: stat.S_IFREG,
    Kind.LINK: stat.S_IFLNK,
    Kind.OTHER: stat.S_IFSOCK,
    Kind.FOLDER: stat.S_IFDIR,
}


def pages_in(entries: Mapping[str, Entry]) -> Sequence[Page]:
    """The pages behind some entries, ordered by folder."""
    return entries.pages if isinstance(entries, PagedEntries) else pages_of(entries.values())


def pages_of(entries: Iterable[Entry], folders: Mapping[str, Folder] | None = None) -> list[Page]:
    """Pages of entries that were not read from a disk just now, such as those of an archive."""
    by_folder: dict[At, list[Entry]] = {}
    whole: dict[At, Page] = {}
    for entry in entries:
        if entry.kind is Kind.FOLDER:
            facts = (stat.S_IFDIR | (entry.mode or 0o755), entry.mtime_ns, 0)
            whole[entry.at] = Page(folder=entry.path, facts=facts, root=entry.root)
        else:
            by_folder.setdefault(entry.at.folder, []).append(entry)
    for folder, inside in by_folder.items():
        inside.sort(key=lambda e: e.path)
        whole[folder] = _page_of(folder, inside, (folders or {}).get(folder.path))
    return [whole[folder] for folder in sorted(whole)]


def _type_of(e: Entry) -> int:
    return _TYPE.get(e.kind, stat.S_IFREG) | (0o644 if e.mode is None else e.mode)


def _page_of(folder: At, inside: list[Entry], known: Folder | None) -> Page:
    rows = [
        (
            0 if e.kind is Kind.FAULT and not e.bytes else _type_of(e),
            e.bytes,
            e.mtime_ns,
            e.stamp[2],
            signed(e.stamp[1]),
        )
        for e in inside
    ]
    return Page(
        folder=folder.path,
        root=folder.root,
        facts=(known.mode if known else 0o755, known.mtime_ns if known else 0, inside[0].stamp[0]),
        names=tuple(e.path.rpartition("/")[2] for e in inside),
        stats=pack_stats(rows),
        said={at: e.link or e.fault for at, e in enumerate(inside) if e.link or e.fault},
        digests=b"".join(bytes.fromhex(e.digest) if e.digest else NO_DIGEST for e in inside),
        formats=tuple(e.format for e in inside),
        heads=bytes(HEAD_BYTES * len(inside)),
        marks=bytes(len(inside)),
    )


Plain = tuple[Any, ...]
"""A page as plain values, for `marshal` between our own processes."""


def to_plain(page: Page) -> Plain:
    return (
        page.folder,
        page.facts,
        tuple(page.names),
        page.stats,
        page.inner,
        page.fault,
        page.said,
        page.digests,
        tuple(page.formats),
        page.heads,
        page.marks,
        page.root,
    )


def from_plain(plain: Plain) -> Page:
    return Page(*plain)
