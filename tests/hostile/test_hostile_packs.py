"""Packs of content at an outlet that are none, damaged, or made to fill the disk."""

from __future__ import annotations

import struct
import zipfile
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest

from left_intact.core.model.errors import LeftIntactError
from left_intact.core.outlets.asking import asker, whole_length
from left_intact.core.outlets.ranged import RangedFile, directory, lift
from left_intact.standins.outlet import OutletServer

SOUND = {"in/a.cart": bytes(range(256)) * 9, "in/b.cart": b"b" * 99}


@pytest.fixture
def outlet(tmp_path: Path) -> Iterator[OutletServer]:
    folder = tmp_path / "outlet"
    folder.mkdir()
    server = OutletServer(str(folder)).start()
    yield server
    server.shutdown()
    server.server_close()


def packed(files: dict[str, bytes], path: Path) -> bytes:
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, data in files.items():
            archive.writestr(name, data)
    return path.read_bytes()


def lifted(outlet: OutletServer, into: Path) -> dict[str, bytes]:
    """What comes of the first members of the pack, all of its names being wanted."""
    with asker() as ask:
        file = RangedFile(f"{outlet.url}/files/pack.zip", ask)
        wanted = {info.filename: f"{number}" for number, info in enumerate(directory(file))}
        lift(file, wanted, str(into))
        return {name: (into / path).read_bytes() for name, path in wanted.items()}


def test_a_sound_one_comes_whole(outlet: OutletServer, tmp_path: Path) -> None:
    packed(SOUND, Path(outlet.folder) / "pack.zip")
    assert lifted(outlet, tmp_path / "into") == SOUND


def _flip(data: bytes, mark: bytes, offset: int) -> bytes:
    at = data.index(mark) + offset
    return data[:at] + bytes([data[at] ^ 0xFF]) + data[at + 1 :]


def _says_size(data: bytes, size: int) -> bytes:
    """The same with another size of the first member in its directory."""
    at = data.index(b"PK\x01\x02") + 24
    return data[:at] + struct.pack("<I", size) + data[at + 4 :]


BAD: dict[str, tuple[dict[str, bytes], Callable[[bytes], bytes], str]] = {
    "damaged content": (SOUND, lambda d: _flip(d, b"in/a.cart", 20), "archive-broken"),
    "a damaged directory": (SOUND, lambda d: _flip(d, b"PK\x01\x02", 1), "archive-broken"),
    "another way of packing": (SOUND, lambda d: _flip(d, b"PK\x01\x02", 10), "archive-broken"),
    "cut off": (SOUND, lambda d: d[: len(d) // 2], "archive-broken"),
    "a bomb": ({"in/a.cart": bytes(64 << 20)}, lambda d: d, "archive-hostile"),
    "a bomb that says it is small": ({"in/a.cart": bytes(64 << 20)}, lambda d: _says_size(d, 99), "archive-"),
    "a path out": ({"../../x": b"1"}, lambda d: d, "archive-hostile"),
    "an escape": ({"in/\x1b[31m": b"1"}, lambda d: d, "archive-hostile"),
    "our own folder": ({".left-intact/x": b"1"}, lambda d: d, "archive-hostile"),
}


@pytest.mark.parametrize("what", BAD)
def test_what_is_none_is_refused_in_one_line(outlet: OutletServer, tmp_path: Path, what: str) -> None:
    files, spoil, code = BAD[what]
    path = Path(outlet.folder) / "pack.zip"
    path.write_bytes(spoil(packed(files, path)))
    into = tmp_path / "into"
    into.mkdir()
    with pytest.raises(LeftIntactError) as error:
        lifted(outlet, into)
    assert error.value.code.startswith(code) and "\n" not in error.value.line()
    assert sum(found.stat().st_size for found in into.rglob("*")) < 2 << 20
    assert sorted(p.name for p in tmp_path.iterdir()) == ["into", "outlet"]


@pytest.mark.parametrize("fault", ["shifted", "unsaid", "packed", "long"])
def test_an_outlet_that_sends_something_else_gives_no_pack(
    outlet: OutletServer, tmp_path: Path, fault: str
) -> None:
    packed(SOUND, Path(outlet.folder) / "pack.zip")
    outlet.faults.add(fault)
    try:
        got = lifted(outlet, tmp_path / "into")
    except LeftIntactError as error:
        assert error.code in ("archive-broken", "fetch-failed", "outlet-refused", "no-ranges")
    else:
        assert got == SOUND


@pytest.mark.parametrize(("name", "fault", "says"), [("pack", "whole", "no-ranges"), ("none", "", "404")])
def test_an_outlet_that_gives_no_parts_says_so(
    outlet: OutletServer, tmp_path: Path, name: str, fault: str, says: str
) -> None:
    (Path(outlet.folder) / "pack.zip").write_bytes(bytes(4 << 20))
    outlet.faults |= {fault}
    with asker() as ask, pytest.raises(LeftIntactError) as error:
        RangedFile(f"{outlet.url}/files/{name}.zip", ask)
    assert says in error.value.code + error.value.line()


@pytest.mark.parametrize("said", ["bytes 0-1/\u00b2", "bytes 0-1/*", "", "bytes 0-1/" + "9" * 5_000])
def test_a_length_that_is_none_is_not_believed(said: str) -> None:
    assert whole_length({"content-range": said}) == -1
