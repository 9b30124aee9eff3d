"""Reading the disk: first bytes, odd names, what cannot be read."""

from __future__ import annotations

import os
import random
from pathlib import Path

import pytest
from blake3 import blake3

from left_intact.core.files.headers import recognise
from left_intact.core.files.names import link_stays_inside, needs_other_name, safe_path
from left_intact.core.files.tree import first_bytes, read_content, read_tree, text_reader
from left_intact.core.files.versions import platform_in_name, read_binaries, read_versions
from left_intact.core.files.walk import CHUNK, PIECE
from left_intact.core.model.entry import Entry, Kind
from left_intact.core.model.errors import LeftIntactError
from left_intact.core.model.progress import CancelToken
from left_intact.demo.binaries import elf, pe, png
from tests.builders import BYTES, STAMPS, plant


@pytest.mark.parametrize(
    ("data", "file_format"),
    [
        (b"", "empty"),
        (elf("x 1", b"y"), "elf x86_64"),
        (elf("x 1", b"y", 183), "elf arm64"),
        (pe("x", b"y"), "pe x86_64"),
        (b"\xcf\xfa\xed\xfe\x0c\x00\x00\x01" + bytes(40), "macho arm64"),
        (b"#!/usr/bin/env python3\n", "script python3"),
        (png(4, 4, random.Random(1)), "png"),
        (b"[a]\nb = 1\n", "text ini"),
        (b"b = 1\nc = 2\n", "text keyvalue"),
        (b'{"a": 1}', "text json"),
        (b"// mine\n/* too */ {}", "text json"),
        (b"<?xml version='1.0'?><a/>", "text xml"),
        (b"<!doctype html><p>", "text html"),
        (b"# One\n\ntext\n\n- two\n", "text markdown"),
        (b"just some words\n", "text plain"),
        (b"caf\xe9 au lait, latin\n" * 9, "text plain"),
        (bytes(512), "zeros"),
        (b"\xff" * 64, "ones"),
        (b"\x01\x02\x03\xfe", "bytes"),
        (b"MZ but too short", "text plain"),
        (b"MZ" + bytes(70), "pe dos"),
    ],
)
def test_first_bytes(data: bytes, file_format: str) -> None:
    assert recognise(data[:4096], len(data)) == file_format


@pytest.mark.parametrize("name", ["../a", "/a", "a/../../b", "C:\\a", "..\\a", "a\0b", "", ".", "//x"])
def test_names_that_leave_the_root(name: str) -> None:
    assert safe_path(name) is None


def test_names_that_stay() -> None:
    assert safe_path("a\\b/./c") == "a/b/c"
    assert link_stays_inside("a/b", "../c") and not link_stays_inside("a", "../c")
    assert not link_stays_inside("a", "/etc") and not link_stays_inside("a", "")
    assert (
        needs_other_name("a/con.txt")
        and needs_other_name("a:b")
        and needs_other_name("x ")
        and not needs_other_name("a/b.c")
    )


@BYTES
def test_everything_is_an_entry(tmp_path: Path) -> None:
    root = plant(
        tmp_path / "install",
        {"A.txt": "1", "a.txt": "2", ".hidden/x": "3", "sp ace": "4", "ünï": "5", "empty": None},
    )
    (root / "link").symlink_to("nowhere")
    (root / "loop").symlink_to(".")
    with open(os.fsencode(root) + b"/\xff\xfe.sav", "wb") as file:
        file.write(b"odd")
    os.mkfifo(root / "pipe")
    found = read_tree(str(root)).by_path()
    assert set(found) == {
        "A.txt",
        "a.txt",
        ".hidden/x",
        "sp ace",
        "ünï",
        "empty",
        "link",
        "loop",
        "\udcff\udcfe.sav",
        "pipe",
    }
    assert found["link"].kind is Kind.LINK and found["link"].link == "nowhere"
    assert found["pipe"].kind is Kind.OTHER and found["empty"].kind is Kind.FOLDER
    assert found["\udcff\udcfe.sav"].digest


def test_what_cannot_be_read_is_a_fault_and_not_missing(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    root = plant(tmp_path / "install", {"a": "1", "locked": "2", "shut/x": "3"})
    real_open, real_scan = os.open, os.scandir

    def refuse(path: str, *more: object, **named: object) -> int:
        if str(path).endswith("locked"):
            raise PermissionError(13, "Permission denied", path)
        return real_open(path, *more, **named)  # type: ignore[arg-type]

    def refuse_scan(path: str) -> object:
        if str(path).endswith("shut"):
            raise PermissionError(13, "Permission denied", path)
        return real_scan(path)

    monkeypatch.setattr(os, "open", refuse)
    monkeypatch.setattr(os, "scandir", refuse_scan)
    found = read_tree(str(root)).by_path()
    assert found["locked"].kind is Kind.FAULT and found["shut"].kind is Kind.FAULT
    assert not found["locked"].same_content(found["locked"])


@STAMPS
def test_an_unchanged_stamp_spares_the_reading(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    root = plant(tmp_path / "install", {"a": "1", "b": "2"})
    tree = read_tree(str(root))
    first, known = tree.by_path(), {page.folder: page for page in tree.pages}
    opened: list[str] = []
    real = os.open
    monkeypatch.setattr(os, "open", lambda p, *m, **n: (opened.append(str(p)), real(p, *m, **n))[1])
    again = read_tree(str(root), known=known)
    assert (
        again.by_path() == first
        and not opened
        and all(a is b for a, b in zip(again.pages, tree.pages, strict=True))
    )
    (root / "b").write_text("3")
    os.utime(root / "b", ns=(first["b"].mtime_ns, first["b"].mtime_ns))
    changed = read_tree(str(root), known=known).by_path()
    assert changed["b"].digest != first["b"].digest and [o.rsplit("/", 1)[-1] for o in opened] == ["b"]


def test_no_folder_and_stopping(tmp_path: Path) -> None:
    with pytest.raises(LeftIntactError) as error:
        read_tree(str(tmp_path / "nowhere"))
    assert error.value.code == "no-folder"
    token = CancelToken()
    token.cancel()
    with pytest.raises(LeftIntactError) as error:
        read_tree(str(plant(tmp_path / "x", {"a": "1"})), cancel=token)
    assert error.value.code == "stopped"


def test_versions_from_inside(tmp_path: Path) -> None:
    tree = {
        "VERSION": b"2.3d\n",
        "mock": b'#!/bin/sh\nVERSION="2.3d"\n',
        "about.json": b'{"version": "2.3c"}',
        "CHANGES.md": b"# Mock 2.3d\n\n- x\n",
        "lib/libmock.so": elf("mock 2.3d", b"x"),
    }
    entries = {p: Entry(path=p, bytes=len(d), format=recognise(d, len(d))) for p, d in tree.items()}
    readings = read_versions("mock-2.3d", entries, tree.get)
    assert [(r.text, r.source) for r in readings] == [
        ("2.3d", "VERSION"),
        ("2.3c", "about.json"),
        ("2.3d", "mock"),
        ("2.3d", "CHANGES.md"),
        ("2.3d", "the name mock-2.3d"),
    ]
    assert [r.text for r in read_binaries("mock", entries, tree.get)] == ["2.3d"]
    ruled = read_versions("x", entries, tree.get, rules=[("CHANGES.md", r"Mock (\S+)")])
    assert ruled[0].source == "CHANGES.md"


@pytest.mark.parametrize(
    ("name", "platform"),
    [
        ("a-linux-x86_64.zip", "linux x86_64"),
        ("a_win64.7z", "windows x86_64"),
        ("a-macos-arm64.zip", "macos arm64"),
        ("a.zip", ""),
    ],
)
def test_platform_in_names(name: str, platform: str) -> None:
    assert platform_in_name(name) == platform


@pytest.mark.parametrize("size", [0, 9, 10, 11, PIECE - 1, PIECE, PIECE + 1, CHUNK, CHUNK + 1])
@pytest.mark.parametrize("grown", [0, 1, 7])
def test_what_is_read_is_whole_whatever_its_size(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, size: int, grown: int
) -> None:
    """Also where it grew since it was asked for its size."""
    file, content = tmp_path / "one", random.Random(size).randbytes(size)
    file.write_bytes(content)
    real = os.lstat

    def before(path: str) -> os.stat_result:
        found = real(path)
        return os.stat_result((*found[:6], max(0, found.st_size - grown), *found[7:]))

    monkeypatch.setattr(os, "lstat", before)
    assert text_reader(str(tmp_path), size + 3)("one") == content
    whole = text_reader(str(tmp_path), max(0, size - grown))("one")
    assert whole is not None and whole == content[: max(0, size - grown) + 1]
    monkeypatch.undo()
    assert read_content(str(file), size)[0] == blake3(content).hexdigest()
    assert [e.digest for e in read_tree(str(tmp_path)).entries] == [blake3(content).hexdigest()]


def test_the_first_bytes_are_the_very_bytes(tmp_path: Path) -> None:
    """Some systems turn line ends and stop at an old sign for the end where nobody says that it is bytes."""
    data = b"one\r\ntwo\x1athree\r\n"
    (tmp_path / "x.bat").write_bytes(data)
    assert first_bytes(str(tmp_path / "x.bat"), 99) == data
    assert first_bytes(str(tmp_path / "x.bat"), 5) == data[:5]
