"""Looking into an arrival: one pass that gives a release with digests, texts and versions.

Folders are read by pages (`folder`), archives and single files member by member here.
"""

from __future__ import annotations

import os
from collections.abc import Collection, Mapping
from types import MappingProxyType

from blake3 import blake3

from left_intact.core.arrival.folder import (
    BINARY_LIMIT,
    TEXT_LIMIT,
    KeepPages,
    KnownPages,
    TextRoom,
    look_into_folder,
    notes_of_root,
)
from left_intact.core.arrival.root import Names, by_folder, find_root
from left_intact.core.files.archives import Source, open_source
from left_intact.core.files.headers import HEAD_BYTES, is_binary_program, recognise
from left_intact.core.files.manifests import manifests_of, read_manifests
from left_intact.core.files.versions import (
    NOTES_NAME,
    main_platform,
    platform_in_name,
    read_binaries,
    read_versions,
)
from left_intact.core.files.vetting import Member, refuse_links_out
from left_intact.core.model.entry import Entry, Kind
from left_intact.core.model.progress import CancelToken, Progress, Report, silent
from left_intact.core.model.release import Arrival, Release

_BINARIES_KEPT = 12
_BINARY_BYTES, _TEXT_BYTES = 64 << 20, 32 << 20
"""What is kept of an archive in all, whatever it has: a text beyond that is not merged."""


class _Budget:
    """How much may still be kept whole: binaries, to have their versions read, and texts, to be merged."""

    def __init__(self) -> None:
        self.binaries = _BINARIES_KEPT
        self.left = {"binaries": _BINARY_BYTES, "texts": _TEXT_BYTES}

    def takes(self, what: str, size: int) -> bool:
        self.left[what] -= size
        return self.left[what] >= 0


class _Look:
    """A sink that keeps digest, first bytes, and the whole of small texts and some binaries."""

    def __init__(self, member: Member, budget: _Budget) -> None:
        self.member = member
        self._hasher: blake3 | None = blake3()
        self.digest = ""
        self.kept = bytearray()
        self.format: str | None = None
        self.budget = budget
        self.wanted = False

    def write(self, data: bytes) -> None:
        assert self._hasher is not None
        self._hasher.update(data)
        if self.format is None and len(self.kept) < HEAD_BYTES:
            self.kept += data
            if len(self.kept) >= min(HEAD_BYTES, self.member.bytes):
                self._decide()
        elif self.wanted:
            self.kept += data

    def close(self) -> None:
        assert self._hasher is not None
        self.digest, self._hasher = self._hasher.hexdigest(), None  # two kilobytes that many files would keep
        if self.format is None:
            self._decide()

    def _decide(self) -> None:
        self.format = recognise(bytes(self.kept[:HEAD_BYTES]), self.member.bytes, self.member.path)
        self.wanted = self._wanted()
        if not self.wanted:
            self.kept = bytearray()

    def _wanted(self) -> bool:
        file_format = self.format or ""
        if is_binary_program(file_format):
            self.budget.binaries -= 1
            few = self.member.bytes <= BINARY_LIMIT and self.budget.binaries >= 0
            return few and self.budget.takes("binaries", self.member.bytes)
        is_text = file_format.startswith(("text ", "script ")) and self.member.bytes <= TEXT_LIMIT
        return is_text and self.budget.takes("texts", self.member.bytes)


def look_into(
    path: str,
    *,
    installed: Collection[str] | Names = (),
    name: str = "",
    rules: Collection[tuple[str, str]] = (),
    known: KnownPages = lambda place: None,
    keep: KeepPages = lambda place, pages: None,
    report: Report = silent,
    cancel: CancelToken | None = None,
) -> Arrival:
    """Read an arrival. `installed` are the paths of the install it is meant for, or its names by folder.

    `known` gives the pages of an earlier reading of a folder, `keep` takes those of this one. Raises
    `LeftIntactError`: `archive-hostile`, `archive-broken`, `no-arrival`.
    """
    names = installed if isinstance(installed, Mapping) else by_folder(installed)
    if os.path.isdir(path):
        return look_into_folder(path, names, name, rules, known, keep, report, cancel)
    source = open_source(path)
    members = source.members()
    root = find_root(by_folder(m.path for m in members if m.kind is not Kind.FOLDER), names)
    inside = [m for m in members if _below(m.path, root)]
    looks = _read(source, [m for m in inside if m.kind is Kind.FILE], report, cancel or CancelToken())
    entries = _entries(inside, root, looks)
    # Once more below its own root: what is wrapped may lead out of the wrapper.
    refuse_links_out(path, {p: entry.link for p, entry in entries.items() if entry.kind is Kind.LINK})
    texts = {_strip(p, root): bytes(look.kept) for p, look in looks.items() if look.kept}
    release = _release(path, root, entries, texts, name, rules)
    return Arrival(
        source=os.path.abspath(path),
        shape=source.shape,
        root=root,
        release=release,
        packed_bytes=os.path.getsize(path),
        digest=_digest(path),
        notes=_notes(members, root),
        news=_news(texts),
    )


def _below(path: str, root: str) -> bool:
    return not root or path.startswith(root + "/")


def _strip(path: str, root: str) -> str:
    return path[len(root) + 1 :] if root else path


def _read(source: Source, files: list[Member], report: Report, cancel: CancelToken) -> dict[str, _Look]:
    looks: dict[str, _Look] = {}
    budget, bytes_done = _Budget(), 0

    def open_look(member: Member) -> _Look:
        nonlocal bytes_done
        cancel.check()
        report(
            Progress(
                stage="arrival", done=len(looks), total=len(files), bytes_done=bytes_done, path=member.path
            )
        )
        bytes_done += member.bytes
        looks[member.path] = _Look(member, budget)
        return looks[member.path]

    source.push(files, open_look)
    return looks


def _entries(inside: list[Member], root: str, looks: dict[str, _Look]) -> dict[str, Entry]:
    filled = {m.path.rsplit("/", 1)[0] for m in inside if "/" in m.path}
    entries = {}
    for member in inside:
        path = _strip(member.path, root)
        if member.kind is Kind.FOLDER and member.path in filled:
            continue
        look = looks.get(member.path)
        file_format = (look.format if look else "") or ""
        mode = member.mode
        if (
            mode is None
            and member.kind is Kind.FILE
            and file_format.startswith(("elf ", "script ", "macho "))
        ):
            mode = 0o755
        entries[path] = Entry(
            path=path,
            kind=member.kind,
            bytes=member.bytes,
            mode=mode,
            mtime_ns=member.mtime_ns,
            digest=look.digest if look else "",
            format=file_format,
            link=member.link,
        )
    return dict(sorted(entries.items()))


def _release(
    path: str,
    root: str,
    entries: dict[str, Entry],
    texts: dict[str, bytes],
    name: str,
    rules: Collection[tuple[str, str]],
) -> Release:
    base = os.path.basename(os.path.normpath(path))
    wrapper = root.rsplit("/", 1)[-1]
    readings = list(read_versions(base, entries, texts.get, rules=rules))
    readings += read_manifests((name, wrapper, base), manifests_of(entries), texts.get)
    readings += read_binaries(name or wrapper or base, entries, texts.get)
    if wrapper:
        readings += read_versions(wrapper, {}, texts.get)
    readings.sort(key=lambda r: -r.weight)
    room = TextRoom()
    settings = {p: data for p, data in texts.items() if room.takes(entries[p].format, len(data))}
    return Release(
        name=wrapper or base,
        entries=MappingProxyType(entries),
        texts=MappingProxyType(settings),
        readings=tuple(dict.fromkeys(readings)),
        platform=main_platform(entries.values(), name) or platform_in_name(base),
    )


def _notes(members: tuple[Member, ...], root: str) -> tuple[str, ...]:
    outside = [m.path for m in members if m.kind is not Kind.FOLDER and not _below(m.path, root)]
    return notes_of_root(root, outside)


def _news(texts: dict[str, bytes]) -> str:
    """The text of the file of notes nearest the root."""
    found = sorted((p.count("/"), p) for p in texts if NOTES_NAME.search(p))
    return texts[found[0][1]].decode("utf-8", "replace")[:20_000] if found else ""


def _digest(path: str) -> str:
    digest = blake3()
    with open(path, "rb") as file:
        while chunk := file.read(1 << 20):
            digest.update(chunk)
    return digest.hexdigest()
