"""A folder as read: every entry with its first bytes and digest."""

from __future__ import annotations

import os
import stat
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import cached_property

from blake3 import blake3

from left_intact.core.files.headers import HEAD_BYTES, recognise
from left_intact.core.files.walk import PIECE, READ_ONLY, read_pages
from left_intact.core.model.entry import Entry, Folder, Kind
from left_intact.core.model.errors import LeftIntactError, reason_of
from left_intact.core.model.pages import Page
from left_intact.core.model.progress import CancelToken, Progress, Report, silent


@dataclass(frozen=True)
class Tree:
    """A folder as read. Values of single entries are made when they are first asked for."""

    root: str
    pages: tuple[Page, ...]
    """Ordered by root and folder; the folder itself comes before other roots that were read with it."""

    @cached_property
    def entries(self) -> tuple[Entry, ...]:
        """Ordered by path; folders only where they are empty or could not be read."""
        return tuple(sorted((e for page in self.pages for e in page.entries()), key=lambda e: e.at))

    @cached_property
    def folders(self) -> tuple[Folder, ...]:
        """Every folder below the root, parents first."""
        return tuple(p.as_folder for p in self.pages if (p.folder or p.root) and not p.fault)

    @property
    def own_pages(self) -> tuple[Page, ...]:
        """Those of the folder itself, without other roots that were read with it."""
        return tuple(page for page in self.pages if not page.root)

    @property
    def count(self) -> int:
        return sum(len(page.names) for page in self.pages)

    def by_path(self) -> dict[str, Entry]:
        return {entry.path: entry for entry in self.entries}


def read_tree(
    root: str,
    *,
    known: Mapping[str, Page] | Callable[[], Mapping[str, Page]] | None = None,
    report: Report = silent,
    cancel: CancelToken | None = None,
) -> Tree:
    """Read everything below `root` without following links.

    `known` are pages of an earlier reading by folder, or a function that gives them; where the stamps are
    the same, digest and format are taken from there. Raises `LeftIntactError` (`no-folder`, `no-rights`)
    where the root cannot be read at all. What cannot be read below it becomes an entry of kind `fault`,
    never a missing one.
    """
    root = os.path.abspath(root)
    if not os.path.isdir(root):
        raise LeftIntactError("no-folder", "there is no folder here", path=root, way_out="Check the path.")
    (cancel or CancelToken()).check()
    try:
        pages = read_pages(root, known, report=report, cancel=cancel)
    except PermissionError as error:
        raise LeftIntactError(
            "no-rights", "this folder may not be read", path=root, way_out="Check its permissions."
        ) from error
    count = sum(len(page.names) for page in pages)
    report(Progress(stage="reading", done=count, total=count))
    return Tree(root=root, pages=tuple(pages))


def entry_if_there(absolute: str, path: str, *, content: bool = False) -> Entry | None:
    """Look at one path on disk; None where nothing lies there."""
    try:
        return entry_of(absolute, path, content=content)
    except FileNotFoundError:
        return None


def entry_of(absolute: str, path: str, info: os.stat_result | None = None, *, content: bool = True) -> Entry:
    """Look at one path on disk. Raises OSError where it is not there; a link is not followed."""
    info = info or os.lstat(absolute)
    mode = stat.S_IMODE(info.st_mode)
    stamp = (info.st_dev, info.st_ino, info.st_ctime_ns)
    if stat.S_ISLNK(info.st_mode):
        return Entry(
            path=path,
            kind=Kind.LINK,
            mtime_ns=info.st_mtime_ns,
            link=os.readlink(absolute),
            stamp=stamp,
            mode=mode,
        )
    if stat.S_ISDIR(info.st_mode):
        return Entry(path=path, kind=Kind.FOLDER, mode=mode, mtime_ns=info.st_mtime_ns, stamp=stamp)
    if not stat.S_ISREG(info.st_mode):
        return Entry(path=path, kind=Kind.OTHER, mode=mode, mtime_ns=info.st_mtime_ns, stamp=stamp)
    digest, file_format = "", ""
    if content:
        try:
            digest, file_format = read_content(absolute, info.st_size)
        except OSError as error:
            return Entry(
                path=path,
                kind=Kind.FAULT,
                bytes=info.st_size,
                mode=mode,
                mtime_ns=info.st_mtime_ns,
                stamp=stamp,
                fault=reason_of(error),
            )
    return Entry(
        path=path,
        bytes=info.st_size,
        mode=mode,
        mtime_ns=info.st_mtime_ns,
        digest=digest,
        format=file_format,
        stamp=stamp,
    )


def look_again(root: str, path: str, *, content: bool = True) -> Entry | None:
    """What lies at a path right now, or None where nothing does."""
    try:
        return entry_of(os.path.join(root, path), path, content=content)
    except (FileNotFoundError, NotADirectoryError):
        return None


def read_content(absolute: str, size: int) -> tuple[str, str]:
    """(digest, format) of a regular file, in one pass."""
    descriptor = os.open(absolute, READ_ONLY)
    try:
        chunk = os.read(descriptor, PIECE)
        file_format = recognise(chunk[:HEAD_BYTES], size, absolute)
        digest = blake3(chunk)
        while len(chunk) == PIECE:
            chunk = os.read(descriptor, PIECE)
            digest.update(chunk)
        return digest.hexdigest(), file_format
    finally:
        os.close(descriptor)


ReadText = Callable[[str], bytes | None]


def text_reader(root: str, limit: int = 512 * 1024) -> ReadText:
    """A function that reads a small file below `root`, or returns None where it cannot be had."""

    def read(path: str) -> bytes | None:
        try:
            absolute = os.path.join(root, path)
            info = os.lstat(absolute)
            if not stat.S_ISREG(info.st_mode) or info.st_size > limit:
                return None
            with open(absolute, "rb") as file:
                # No room for all that it may be: 64 MB take Windows 75 ms, whatever is read.
                content = file.read(info.st_size + 1)
                return content + file.read(limit - info.st_size) if len(content) > info.st_size else content
        except OSError:
            return None

    return read


def head_reader(root: str) -> Callable[[str, int], bytes | None]:
    """A function that reads the first so many bytes of a file below `root`, or returns None where it cannot
    be had.
    """
    return lambda path, limit: first_bytes(os.path.join(root, path), limit)


def first_bytes(absolute: str, limit: int) -> bytes | None:
    """The first bytes of a regular file, or None where it cannot be had. No link is followed."""
    try:
        descriptor = os.open(absolute, READ_ONLY)
    except OSError:
        return None
    try:
        info = os.fstat(descriptor)
        if not stat.S_ISREG(info.st_mode):
            return None
        return os.read(descriptor, min(limit, info.st_size + 1))
    except OSError:
        return None
    finally:
        os.close(descriptor)
