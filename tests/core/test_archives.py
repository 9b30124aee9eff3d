"""Archives of every kind give the same release; hostile ones are refused."""

from __future__ import annotations

import io
import tarfile
import zipfile
from collections.abc import Callable
from pathlib import Path

import py7zr
import pytest
import zstandard

from left_intact.core.arrival.look import look_into
from left_intact.core.arrival.root import by_folder, find_root
from left_intact.core.model.errors import LeftIntactError
from tests.builders import MODES, plant, release, tarred, zipped


def _sevenzip(tree: dict[str, bytes], path: Path) -> Path:
    with py7zr.SevenZipFile(path, "w") as archive:
        for name, data in tree.items():
            archive.writestr(data, name)
    return path


def _zst(tree: dict[str, bytes], path: Path) -> Path:
    plain = tarred(tree, path.with_suffix(".plain"))
    path.write_bytes(zstandard.ZstdCompressor().compress(plain.read_bytes()))
    return path


PACKERS: dict[str, Callable[[dict[str, bytes], Path], Path]] = {
    "a.zip": lambda tree, path: zipped(dict(tree), path),
    "a.tar": lambda tree, path: tarred(dict(tree), path),
    "a.tar.gz": lambda tree, path: tarred(dict(tree), path, "w:gz"),
    "a.tar.bz2": lambda tree, path: tarred(dict(tree), path, "w:bz2"),
    "a.tar.xz": lambda tree, path: tarred(dict(tree), path, "w:xz"),
    "a.tar.zst": _zst,
    "a.7z": _sevenzip,
    "a": lambda tree, path: plant(path, dict(tree)),
}


def _bytes(tree: dict[str, object]) -> dict[str, bytes]:
    return {
        p: c.encode() if isinstance(c, str) else c for p, c in tree.items() if isinstance(c, (str, bytes))
    }


@MODES
@pytest.mark.parametrize("kind", PACKERS)
def test_every_kind_gives_the_same_release(kind: str, tmp_path: Path) -> None:
    inside = _bytes(release("2.0", **{"empty__file": b""}))
    wrapped = {f"mocklet-2.0/{p}": data for p, data in inside.items()}
    arrival = look_into(str(PACKERS[kind](wrapped, tmp_path / kind)), installed=inside.keys(), name="mocklet")
    assert arrival.root == "mocklet-2.0"
    assert set(arrival.release.entries) == set(inside)
    assert all(arrival.release.entries[p].bytes == len(data) for p, data in inside.items())
    assert arrival.release.version_text == "2.0" and arrival.release.platform == "linux x86_64"
    assert arrival.release.texts["mocklet.ini"] == inside["mocklet.ini"]
    assert arrival.release.entries["mocklet"].mode in (0o755, None) or kind == "a.7z"


@pytest.mark.parametrize("kind", [k for k in PACKERS if k != "a"])
def test_truncated_is_said_so(kind: str, tmp_path: Path) -> None:
    path = PACKERS[kind]({f"f{n}": bytes(range(256)) * 40 + bytes([n]) for n in range(20)}, tmp_path / kind)
    path.write_bytes(path.read_bytes()[: int(path.stat().st_size * 0.7)])
    with pytest.raises(LeftIntactError) as error:
        look_into(str(path))
    assert error.value.code in ("archive-broken", "arrival-unreadable") and str(path) in error.value.line()


def _raw_zip(path: Path, *infos: tuple[zipfile.ZipInfo, bytes]) -> Path:
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive:
        for info, data in infos:
            archive.writestr(info, data, zipfile.ZIP_DEFLATED)
    return path


def _info(name: str, kind: int = 0o100644) -> zipfile.ZipInfo:
    info = zipfile.ZipInfo(name)
    info.create_system, info.external_attr = 3, kind << 16
    return info


HOSTILE: dict[str, list[tuple[zipfile.ZipInfo, bytes]]] = {
    "leaves its root": [(_info("../x"), b"1")],
    "absolute": [(_info("/etc/x"), b"1")],
    "drive": [(_info("C:/x"), b"1")],
    "twice": [(_info("a"), b"1"), (_info("a"), b"2")],
    "twice but for the form of its letters": [(_info("\u00e9"), b"1"), (_info("e\u0301"), b"2")],
    "case twins": [(_info("Ab"), b"1"), (_info("aB"), b"2")],
    "link out": [(_info("l", 0o120777), b"../../x")],
    "absolute link": [(_info("l", 0o120777), b"/etc/passwd")],
    "device": [(_info("d", 0o020644), b"")],
    "through a link": [(_info("l", 0o120777), b"m"), (_info("l/x"), b"1")],
    "bomb": [(_info("b"), bytes(64 << 20))],
}


@pytest.mark.filterwarnings("ignore:Duplicate name")
@pytest.mark.parametrize("what", HOSTILE)
def test_hostile_zips_are_refused(what: str, tmp_path: Path) -> None:
    path = _raw_zip(tmp_path / "bad.zip", *HOSTILE[what])
    with pytest.raises(LeftIntactError) as error:
        look_into(str(path))
    assert error.value.code == "archive-hostile" and not any(tmp_path.glob("*x"))


def _tar_with(path: Path, *infos: tarfile.TarInfo) -> Path:
    with tarfile.open(path, "w") as archive:
        for info in infos:
            archive.addfile(info, io.BytesIO(bytes(info.size)))
    return path


def _tar_info(name: str, kind: bytes = tarfile.REGTYPE, link: str = "") -> tarfile.TarInfo:
    info = tarfile.TarInfo(name)
    info.type, info.linkname, info.size = kind, link, 3 if kind == tarfile.REGTYPE else 0
    return info


@pytest.mark.parametrize(
    "infos",
    [
        [_tar_info("../x")],
        [_tar_info("a"), _tar_info("b", tarfile.LNKTYPE, "a")],
        [_tar_info("a", tarfile.SYMTYPE, "../../etc")],
        [_tar_info("d", tarfile.CHRTYPE)],
        [_tar_info("f", tarfile.FIFOTYPE)],
    ],
)
def test_hostile_tars_are_refused(infos: list[tarfile.TarInfo], tmp_path: Path) -> None:
    with pytest.raises(LeftIntactError) as error:
        look_into(str(_tar_with(tmp_path / "bad.tar", *infos)))
    assert error.value.code == "archive-hostile"


def test_encrypted_is_refused(tmp_path: Path) -> None:
    with py7zr.SevenZipFile(tmp_path / "shut.7z", "w", password="pier") as archive:
        archive.writestr(b"x", "x")
    with pytest.raises(LeftIntactError) as error:
        look_into(str(tmp_path / "shut.7z"))
    assert error.value.code in ("archive-hostile", "archive-broken")
    path = zipped({"a": "1"}, tmp_path / "shut.zip")
    data = bytearray(path.read_bytes())
    for mark, at in ((b"PK\x01\x02", 8), (b"PK\x03\x04", 6)):
        data[data.index(mark) + at] |= 1
    path.write_bytes(data)
    with pytest.raises(LeftIntactError) as error:
        look_into(str(path))
    assert error.value.code == "archive-hostile"


def test_links_inside_and_back_slashes_are_welcome(tmp_path: Path) -> None:
    arrival = look_into(
        str(
            zipped(
                {"read me": "1", "lib\\b.so": "y", "lib/a.so.4": "x", "lib/a.so": ("link", "a.so.4")},
                tmp_path / "l.zip",
            )
        )
    )
    assert arrival.release.entries["lib/a.so"].link == "a.so.4"
    assert "lib/b.so" in arrival.release.entries


@pytest.mark.parametrize(
    ("paths", "installed", "root"),
    [
        (["w/bin/x", "w/a"], ["bin/x", "a"], "w"),
        (["w/v/bin/x", "readme"], ["bin/x"], "w/v"),
        (["bin/x"], ["bin/x"], ""),
        (["only/one"], [], "only"),
        (["a", "b/c"], [], ""),
        (["w/new"], [], "w"),
    ],
)
def test_the_real_root(paths: list[str], installed: list[str], root: str) -> None:
    assert find_root(by_folder(paths), by_folder(installed)) == root
