"""A release that came as a folder, or lies in one: read like an install, by pages, and vetted like an
archive.
"""

from __future__ import annotations

import os
import stat
from array import array
from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import replace
from types import MappingProxyType

from blake3 import blake3

from left_intact.core.arrival.root import Names, find_root
from left_intact.core.files.manifests import manifests_in, read_manifests
from left_intact.core.files.tree import ReadText, read_tree, text_reader
from left_intact.core.files.versions import (
    NOTES_NAME,
    binaries_in,
    main_platform,
    platform_in_name,
    read_binaries,
    read_versions,
    shallow_entries,
)
from left_intact.core.files.vetting import MODE_MASK, hostile, refuse_links_out, unreadable
from left_intact.core.model.entry import Entry
from left_intact.core.model.errors import LeftIntactError
from left_intact.core.model.pages import COLUMNS, Page, PagedEntries
from left_intact.core.model.progress import CancelToken, Report
from left_intact.core.model.release import Arrival, Release
from left_intact.core.settings.formats.registry import is_settings_text, may_be_settings

TEXT_LIMIT = 512 * 1024
_PLAIN_LIMIT, _PLAIN_BYTES = 64 << 10, 4 << 20
"""Bytes of a text that only may be settings, and of all of them together."""
BINARY_LIMIT = 8 << 20

KnownPages = Callable[[str], Sequence[Page] | None]
"""Gives the pages of an earlier reading of a folder."""
KeepPages = Callable[[str, Sequence[Page]], None]


def look_into_folder(
    path: str,
    installed: Names,
    name: str,
    rules: Collection[tuple[str, str]],
    known: KnownPages,
    keep: KeepPages,
    report: Report,
    cancel: CancelToken | None,
) -> Arrival:
    """Read a folder as an arrival; what has the stamps of an earlier reading is not opened again.

    Raises `archive-hostile`, `arrival-unreadable`.
    """
    place = os.path.abspath(path)
    before = {page.folder: page for page in known(place) or ()}
    try:
        tree = read_tree(place, known=before or None, report=report, cancel=cancel)
    except LeftIntactError as error:
        if error.code != "no-rights":
            raise
        raise unreadable(place, PermissionError(13, "Permission denied")) from error
    if len(before) != len(tree.pages) or any(before.get(page.folder) is not page for page in tree.pages):
        keep(place, tree.pages)
    pages = [_vetted(place, page) for page in tree.pages]
    root = find_root({page.folder: page.names for page in pages if page.names}, installed)
    inside = [_below(page, root) for page in pages if _is_below(page.folder, root)]
    refuse_links_out(place, {page.path(at): link for page in inside for at, link in page.said.items()})
    base, wrapper = os.path.basename(os.path.normpath(path)), root.rsplit("/", 1)[-1]
    above = os.path.join(place, root) if root else place
    return Arrival(
        source=place,
        shape="folder",
        root=root,
        release=_release(above, inside, base, wrapper, name, rules),
        packed_bytes=sum(sum(page.numbers[1::COLUMNS]) for page in inside),
        digest="",
        notes=_notes(pages, root),
        news=_news(inside, text_reader(above, TEXT_LIMIT)),
    )


def _vetted(place: str, page: Page) -> Page:
    """A page without bits that no release may set. Raises `archive-hostile`, `arrival-unreadable`."""
    if page.fault:
        raise unreadable(os.path.join(place, page.folder), PermissionError(13, page.fault))
    numbers = page.numbers
    modes = numbers[::COLUMNS]
    for at, said in page.said.items():
        if not stat.S_ISLNK(modes[at]):
            raise unreadable(os.path.join(place, page.path(at)), PermissionError(13, said))
    for at, mode in enumerate(modes):
        if not (stat.S_ISREG(mode) or stat.S_ISLNK(mode)):
            raise hostile(place, f"{page.path(at)} is a device, pipe or socket")
    if all(stat.S_IMODE(mode) == mode & MODE_MASK for mode in modes):
        return page
    numbers[::COLUMNS] = array("q", [stat.S_IFMT(mode) | mode & MODE_MASK for mode in modes])
    return replace(page, stats=numbers.tobytes())


def _is_below(folder: str, root: str) -> bool:
    return not root or folder == root or folder.startswith(root + "/")


def _below(page: Page, root: str) -> Page:
    return replace(page, folder=page.folder[len(root) + 1 :]) if root else page


def _release(
    above: str, pages: Sequence[Page], base: str, wrapper: str, name: str, rules: Collection[tuple[str, str]]
) -> Release:
    read = text_reader(above, TEXT_LIMIT)
    shallow, binaries = shallow_entries(pages), binaries_in(pages)
    readings = list(read_versions(base, shallow, read, rules=rules))
    readings += read_manifests((name, wrapper, base), manifests_in(pages), read)
    readings += read_binaries(name or wrapper or base, binaries, text_reader(above, BINARY_LIMIT))
    if wrapper:
        readings += read_versions(wrapper, {}, read)
    readings.sort(key=lambda r: -r.weight)
    return Release(
        name=wrapper or base,
        entries=PagedEntries(pages),
        texts=MappingProxyType(_texts(pages, read)),
        readings=tuple(dict.fromkeys(readings)),
        platform=main_platform(binaries.values(), name) or platform_in_name(base),
    )


class TextRoom:
    """Which texts of a release are kept, to be merged: settings, and small ones that may turn out so."""

    def __init__(self) -> None:
        self.left = _PLAIN_BYTES

    def takes(self, file_format: str, size: int) -> bool:
        if is_settings_text(file_format):
            return True
        if not may_be_settings(file_format) or not 0 < size <= _PLAIN_LIMIT or size > self.left:
            return False
        self.left -= size
        return True


def _texts(pages: Sequence[Page], read: ReadText) -> Mapping[str, bytes]:
    """The texts that may have to be merged, each with the digest that was read before."""
    found, room = {}, TextRoom()
    for page in pages:
        if not any(one.startswith("text ") for one in set(page.formats)):
            continue
        sizes = page.numbers[1::COLUMNS]
        for at, file_format in enumerate(page.formats):
            if room.takes(file_format, sizes[at]):
                data = read(page.path(at))
                if data is not None and blake3(data).digest() == page.digest(at):
                    found[page.path(at)] = data
    return found


def _notes(pages: Sequence[Page], root: str) -> tuple[str, ...]:
    if not root:
        return ()
    outside = [p.path(at) for p in pages if not _is_below(p.folder, root) for at in range(len(p.names))]
    return notes_of_root(root, outside)


def notes_of_root(root: str, outside: Sequence[str]) -> tuple[str, ...]:
    """What is worth knowing of where an arrival begins."""
    notes = [f"wrapped in {root}/"] if root else []
    if outside:
        shown = ", ".join(outside[:3]) + (" …" if len(outside) > 3 else "")
        notes.append(f"{len(outside)} files beside its root are left out: {shown}")
    return tuple(notes)


def _news(pages: Sequence[Page], read: ReadText) -> str:
    """The text of the file of notes nearest the root."""
    found: list[Entry] = [
        page.entry(at)
        for page in pages
        for at, name in enumerate(page.names)
        if NOTES_NAME.search(name) and page.formats and page.formats[at].startswith("text ")
    ]
    first = min(found, key=lambda e: (e.path.count("/"), e.path), default=None)
    return (read(first.path) or b"").decode("utf-8", "replace")[:20_000] if first else ""
