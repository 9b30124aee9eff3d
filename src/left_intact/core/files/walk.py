"""Walking a tree and reading it: what the two worker processes do, folder by folder.

`os.scandir`, no path objects, one reused buffer; nothing is opened that has the stamps it
had when it was read before. Links are never followed.
"""

from __future__ import annotations

import os
import re
import stat
import time
from collections.abc import Callable, Iterator, Mapping
from contextlib import closing
from operator import attrgetter

from blake3 import blake3

from left_intact.core.files.headers import HEAD_BYTES as HEADER
from left_intact.core.files.headers import recognise
from left_intact.core.files.identity import (
    CHANGE_TIMES,
    COARSE_GRAIN,
    TELLS_ONLINE,
    is_held_online,
    is_settled,
)
from left_intact.core.files.names import STRONGBOX_FOLDER
from left_intact.core.files.workers import share_out
from left_intact.core.model.bulk import collector_at_rest
from left_intact.core.model.errors import reason_of
from left_intact.core.model.pages import (
    COLUMNS,
    DIGEST_BYTES,
    HEAD_BYTES,
    MENTIONS_PERSON,
    NO_DIGEST,
    SPARSE,
    UNKNOWN,
    Page,
    Plain,
    from_plain,
    pack_stats,
    signed,
    to_plain,
)
from left_intact.core.model.progress import CancelToken, Progress, Report, silent

CHUNK = 1 << 20
PIECE = 1 << 16
"""What one read asks for where room is made for it: a megabyte of it takes Windows a millisecond."""
ALONE_FOLDERS = 48
ALONE_FILES = 1500
_ALONE_BYTES = 24 << 20
_BATCH_FILES = 400
_SPARSE_BYTES = 256
_NAME = attrgetter("name")
_PERSONS_PLACE = re.compile(rb"(?i)(?:/home/|/users/|/media/|/mnt/|[\\/]documents[\\/]|~/|\b[a-z]:[\\/])")
READ_ONLY = (
    os.O_RDONLY | getattr(os, "O_NOFOLLOW", 0) | getattr(os, "O_BINARY", 0) | getattr(os, "O_NONBLOCK", 0)
)
"""How a file of somebody's is opened to be read: its very bytes, through no link, and never waited for."""
_NOTHING = (0, 0, 0, 0, 0)
HELD_ONLINE = "held online only; reading it would fetch it"
now_ns = time.time_ns
_NO_HEAD = bytes(HEAD_BYTES)


def read_pages(
    root: str,
    known: Mapping[str, Page] | Callable[[], Mapping[str, Page]] | None = None,
    *,
    report: Report = silent,
    cancel: CancelToken | None = None,
    content: bool = True,
) -> list[Page]:
    """A page for every folder below `root`, ordered by path, with the digests of all files.

    `known` are pages of an earlier reading: what has its stamps is not opened again, and a
    folder without any change is given back as the very page it was. A function that gives them is
    called while the walk is under way. Without `content` no file is opened. Raises OSError where
    the root itself cannot be listed.
    """
    cancel = cancel or CancelToken()
    before: Mapping[str, Page] = {}

    def meanwhile() -> None:
        nonlocal before
        before = (known() if callable(known) else known or {}) if CHANGE_TIMES else {}

    at_once = content and known is None
    with collector_at_rest():
        pages = sorted(_walk(root, meanwhile, report, cancel, at_once=at_once), key=lambda page: page.folder)
        if content:
            pages = _with_content(root, pages, before, report, cancel)
    return pages


def _walk(
    root: str, meanwhile: Callable[[], None], report: Report, cancel: CancelToken, *, at_once: bool
) -> list[Page]:
    """The pages of every folder. `meanwhile` is called once others are at work; `at_once` reads content on
    the way.
    """
    pages: list[Page] = []
    todo = [""]
    seen = 0
    while todo and len(pages) < ALONE_FOLDERS and seen < ALONE_FILES:
        cancel.check()
        folder = todo.pop(0)
        page, inside = list_folder(root, folder)
        if page.fault and not folder:
            os.scandir(root).close()
        pages.append(page)
        seen += len(page.names)
        todo += inside
        report(Progress(stage="reading", done=seen, path=folder))
    told = 0
    outcomes = share_out(read_subtree if at_once else walk_subtree, root, todo, cancel)
    with closing(outcomes):
        meanwhile()
        for _, found in outcomes:
            for plain in found:
                page = from_plain(plain)
                pages.append(page)
                seen += len(page.names)
            if seen - told >= 500:
                told = seen
                report(Progress(stage="reading", done=seen, path=pages[-1].folder))
    return pages


def walk_subtree(root: str, folder: str) -> list[Plain]:
    """Plain pages of a folder and all below it, without content."""
    found, todo = [], [folder]
    while todo:
        page, inside = list_folder(root, todo.pop())
        todo += inside
        found.append(to_plain(page))
    return found


def read_subtree(root: str, folder: str) -> list[Plain]:
    """Plain pages of a folder and all below it, with content but for folders so large that all should share
    them.
    """
    found, todo = [], [folder]
    while todo:
        page, inside = list_folder(root, todo.pop())
        todo += inside
        numbers = page.numbers
        if len(page.names) <= _BATCH_FILES and sum(numbers[1::COLUMNS]) <= _ALONE_BYTES:
            _, names, _sizes = wants = _take_over(page, None)
            if names:
                _put(page, names, read_batch(root, [wants])[0])
        found.append(to_plain(page))
    return found


def list_folder(root: str, folder: str) -> tuple[Page, list[str]]:
    """(page without content, paths of its subfolders)."""
    absolute = os.path.join(root, folder) if folder else root
    above = f"{folder}/" if folder else ""
    names: list[str] = []
    rows: list[tuple[int, int, int, int, int]] = []
    subfolders: list[str] = []
    said: dict[int, str] = {}
    read_at = now_ns()
    surely = read_at - COARSE_GRAIN - 1
    try:
        info = os.lstat(absolute)
        with os.scandir(absolute) as found:
            inside = sorted(found, key=_NAME)
    except OSError as error:
        return Page(folder=folder, fault=reason_of(error)), []
    for item in inside:
        name = item.name
        try:
            if item.is_dir(follow_symlinks=False):
                if name != STRONGBOX_FOLDER:
                    subfolders.append(above + name)
                continue
            i = item.stat(follow_symlinks=False)
            changed = i.st_ctime_ns
            if changed > surely and not is_settled(changed, read_at):
                changed = UNKNOWN
            rows.append((i.st_mode, i.st_size, i.st_mtime_ns, changed, i.st_ino))
            if stat.S_ISLNK(i.st_mode):
                said[len(names)] = os.readlink(item.path)
            elif TELLS_ONLINE and is_held_online(i):
                said[len(names)] = HELD_ONLINE
        except OSError as error:
            said[len(names)] = reason_of(error)
            del rows[len(names) :]
            rows.append(_NOTHING)
        names.append(name)
    try:
        stats = pack_stats(rows)
    except OverflowError:
        stats = pack_stats((*row[:4], signed(row[4])) for row in rows)
    facts = (info.st_mode, info.st_mtime_ns, info.st_dev)
    return Page(
        folder=folder, facts=facts, names=tuple(names), stats=stats, inner=len(subfolders), said=said
    ), subfolders


Wanted = tuple[str, tuple[str, ...], tuple[int, ...]]
"""A folder, the names in it that are to be read, and their sizes."""
Looks = tuple[bytes, tuple[str, ...], bytes, bytes, dict[int, str]]
"""Columns as pages have them: digests, formats, first bytes, marks; and why something could not be read."""


def _with_content(
    root: str, pages: list[Page], known: Mapping[str, Page], report: Report, cancel: CancelToken
) -> list[Page]:
    done: list[Page] = []
    wanted: list[tuple[int, Wanted]] = []
    for at, page in enumerate(pages):
        if page.names and len(page.marks) == len(page.names):
            done.append(page)
            continue
        before = known.get(page.folder)
        if before is not None and len(before.marks) == len(page.names) and page.same_stamps(before):
            if before.facts != page.facts or before.inner != page.inner:
                page.said, page.digests, page.formats = before.said, before.digests, before.formats
                page.heads, page.marks = before.heads, before.marks
                before = page
            done.append(before)
            continue
        done.append(page)
        wants = _take_over(page, before)
        if wants[1]:
            wanted.append((at, wants))
    _read_wanted(root, done, wanted, report, cancel)
    return done


def _take_over(page: Page, before: Page | None) -> Wanted:
    """Fill a page with what is known of it already, and tell what is to be read."""
    count, numbers = len(page.names), page.numbers
    if before is None and not page.said and all(map(stat.S_ISREG, numbers[::COLUMNS])):
        return page.folder, tuple(page.names), tuple(numbers[1::COLUMNS])
    page.digests, page.heads, page.marks = NO_DIGEST * count, bytes(HEAD_BYTES * count), bytes(count)
    formats = [""] * count
    old: dict[str, int] = {}
    if before is not None and before.digests and before.facts[2] == page.facts[2]:
        old = {name: at for at, name in enumerate(before.names)}
        then = before.numbers
    names, sizes, known = [], [], []
    for at, name in enumerate(page.names):
        mode = numbers[at * COLUMNS]
        if not stat.S_ISREG(mode) or at in page.said:
            continue
        was = old.get(name)
        if (
            was is not None
            and was not in before.said  # type: ignore[union-attr]
            and numbers[at * COLUMNS + 3] != UNKNOWN
            and then[was * COLUMNS : (was + 1) * COLUMNS] == numbers[at * COLUMNS : (at + 1) * COLUMNS]
        ):
            known.append((at, was))
            continue
        names.append(name)
        sizes.append(numbers[at * COLUMNS + 1])
    page.formats = formats
    if known and before is not None:
        was_at = [was for _, was in known]
        looks: Looks = (
            b"".join(map(before.digest, was_at)),
            tuple(before.formats[was] for was in was_at),
            b"".join(before.heads[was * HEAD_BYTES : (was + 1) * HEAD_BYTES] for was in was_at),
            bytes(before.marks[was] for was in was_at),
            {},
        )
        _fill(page, [at for at, _ in known], looks)
    return page.folder, tuple(names), tuple(sizes)


def _read_wanted(
    root: str, pages: list[Page], wanted: list[tuple[int, Wanted]], report: Report, cancel: CancelToken
) -> None:
    files, size = sum(len(w[1]) for _, w in wanted), sum(sum(w[2]) for _, w in wanted)
    tasks = _batches(wanted)
    if files < ALONE_FILES and size < _ALONE_BYTES:
        outcomes: Iterator[tuple[int, list[Looks]]] = (
            (number, read_batch(root, [w for _, w in task])) for number, task in enumerate(tasks)
        )
    else:
        outcomes = share_out(read_batch, root, [[w for _, w in task] for task in tasks], cancel)
    done = bytes_done = 0
    for number, results in outcomes:
        cancel.check()
        for (at, (_, names, sizes)), looks in zip(tasks[number], results, strict=True):
            _put(pages[at], names, looks)
            done += len(names)
            bytes_done += sum(sizes)
        report(
            Progress(
                stage="reading",
                done=done,
                total=files,
                bytes_done=bytes_done,
                path=pages[tasks[number][0][0]].folder,
            )
        )


def _batches(wanted: list[tuple[int, Wanted]]) -> list[list[tuple[int, Wanted]]]:
    """Tasks of like size: what a process takes at a time."""
    tasks: list[list[tuple[int, Wanted]]] = []
    room = 0
    for at, (folder, names, sizes) in wanted:
        for start in range(0, len(names), _BATCH_FILES):
            part = (folder, names[start : start + _BATCH_FILES], sizes[start : start + _BATCH_FILES])
            cost = len(part[1]) + sum(part[2]) // (1 << 18)
            if not tasks or room < cost:
                tasks.append([])
                room = _BATCH_FILES
            tasks[-1].append((at, part))
            room -= cost
    return tasks


def _put(page: Page, names: tuple[str, ...], looks: Looks) -> None:
    """Write looks at some names into a page."""
    if len(names) == len(page.names):
        page.digests, page.formats, page.heads, page.marks, faults = looks
        page.said.update(faults)
    else:
        places = {name: place for place, name in enumerate(page.names)}
        _fill(page, [places[name] for name in names], looks)


def _fill(page: Page, places: list[int], looks: Looks) -> None:
    """Write looks into the columns of a page."""
    count = len(page.names)
    if len(page.digests) != count * DIGEST_BYTES:
        page.digests, page.heads, page.marks, page.formats = (
            NO_DIGEST * count,
            bytes(HEAD_BYTES * count),
            bytes(count),
            [""] * count,
        )
    digests, heads, marks, formats = (
        bytearray(page.digests),
        bytearray(page.heads),
        bytearray(page.marks),
        list(page.formats),
    )
    d, h = DIGEST_BYTES, HEAD_BYTES
    for number, at in enumerate(places):
        digests[at * d : at * d + d] = looks[0][number * d : number * d + d]
        heads[at * h : at * h + h] = looks[2][number * h : number * h + h]
        formats[at], marks[at] = looks[1][number], looks[3][number]
        if number in looks[4]:
            page.said[at] = looks[4][number]
    page.digests, page.heads, page.marks, page.formats = bytes(digests), bytes(heads), bytes(marks), formats


def read_batch(root: str, batch: list[Wanted]) -> list[Looks]:
    """Read some files of some folders: digest, format, first bytes and marks of each."""
    window = memoryview(bytearray(CHUNK))
    found = []
    for folder, names, sizes in batch:
        above = os.path.join(root, folder, "") if folder else os.path.join(root, "")
        digests, formats, heads, marks, faults = [], [], [], bytearray(), {}
        for at, name in enumerate(names):
            try:
                digest, file_format, head, mark = _look(above + name, sizes[at], window)
            except OSError as error:
                digest, file_format, head, mark = NO_DIGEST, "", _NO_HEAD, 0
                faults[at] = reason_of(error)
            digests.append(digest)
            formats.append(file_format)
            heads.append(head)
            marks.append(mark)
        found.append((b"".join(digests), tuple(formats), b"".join(heads), bytes(marks), faults))
    return found


def _look(path: str, size: int, window: memoryview) -> tuple[bytes, str, bytes, int]:
    """(digest, format, first bytes, marks) of a file; most are read in one go, and closed at once."""
    descriptor = os.open(path, READ_ONLY)
    try:
        count = _read_into(descriptor, window)
        body = window[:count]
        if count < size or count == CHUNK:
            said = _said_by(path, bytes(body[:HEADER]), body, size)  # before the window is read over
            return _digest_on(descriptor, body, window, size), *said
    finally:
        os.close(descriptor)
    return blake3(body).digest(), *_said_by(path, bytes(body[:HEADER]), body, size)


def _digest_on(descriptor: int, body: memoryview, window: memoryview, size: int) -> bytes:
    """The digest of a file whose beginning was read. A short read is no end where more is due."""
    hasher, count = blake3(body), len(body)
    while count and (count == CHUNK or count < size):
        size -= count
        count = _read_into(descriptor, window)
        hasher.update(window[:count])
    return hasher.digest()


def _said_by(name: str, head: bytes, body: memoryview, size: int) -> tuple[str, bytes, int]:
    """(format, first bytes, marks) from the beginning of a file."""
    file_format, mark = recognise(head, size, name), 0
    if file_format == "bytes":
        start = head[:_SPARSE_BYTES]
        mark = SPARSE if start.count(0) + start.count(255) > len(start) // 2 else 0
    elif file_format.startswith(("text ", "script")):
        mark = MENTIONS_PERSON if _PERSONS_PLACE.search(body[: 1 << 16]) else 0
    return file_format, head[:HEAD_BYTES] if len(head) >= HEAD_BYTES else head.ljust(HEAD_BYTES, b"\0"), mark


if hasattr(os, "readv"):

    def _read_into(descriptor: int, window: memoryview) -> int:
        return os.readv(descriptor, (window,))

else:

    def _read_into(descriptor: int, window: memoryview) -> int:
        count = 0
        while data := os.read(descriptor, min(PIECE, len(window) - count)):
            window[count : count + len(data)] = data
            count += len(data)
            if len(data) < PIECE:
                break
        return count
