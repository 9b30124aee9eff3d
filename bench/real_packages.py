"""Release pairs of general-purpose packages from the registries, fetched once into build/ and laid as trees.

A package is fetched by the ordinary client of its registry (pip, npm, apt-get), unpacked with the times it
was packed with, and laid as somebody would who wants a portable folder: without the wrapper that archives of
its kind have.
"""

from __future__ import annotations

import hashlib
import os
import shutil
import subprocess
import sys
import tarfile
import time
import tomllib
import zipfile
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
STORE = ROOT / "build" / "real-trees"


@dataclass(frozen=True, slots=True, kw_only=True)
class Pair:
    """Two releases of one package."""

    registry: str
    name: str
    old: str
    new: str

    held_out: bool
    """A third of all, by a digest of the name; nobody looks at those while tuning."""

    @property
    def version(self) -> str:
        """The version that the makers of the program say: a distribution's own counts are left out."""
        if self.registry != "debian":
            return self.old
        upstream = (self.old.partition(":")[2] or self.old).partition("+")[0]
        return (upstream.rpartition("-")[0] or upstream).removesuffix("esr")


def pairs() -> Iterator[Pair]:
    for row in tomllib.loads((Path(__file__).parent / "real_packages.toml").read_text())["pair"]:
        told = {key: row[key] for key in ("registry", "name", "old", "new")}
        yield Pair(**told, held_out=_is_held_out(row["name"]) and not row.get("shown"))


def _is_held_out(name: str) -> bool:
    """Of a package whatever others there are, so that one added later moves none to the other side."""
    return 3 * int.from_bytes(hashlib.sha256(name.encode()).digest()[:4], "big") < 1 << 32


def tree_of(pair: Pair, version: str) -> Path | None:
    """The unpacked tree of a release; None, with a line that says so, where it cannot be had."""
    safe = version.replace(":", "%3a")
    place = STORE / pair.registry / pair.name.replace("/", "_").strip("@") / safe
    tree = place / "tree"
    if tree.is_dir():
        return tree
    place.mkdir(parents=True, exist_ok=True)
    packed = _packed(place) or _fetch(pair, version, place)
    if packed is None:
        print(f"{pair.name} {version} cannot be had from {pair.registry} any more: left out", file=sys.stderr)
        return None
    half = place / "half"
    shutil.rmtree(half, ignore_errors=True)
    half.mkdir()
    {".whl": _unpack_zip, ".tgz": _unpack_tar, ".deb": _unpack_deb}[packed.suffix](packed, half)
    _without_links_out(half)
    inside = list(half.iterdir())
    wrapped = len(inside) == 1 and inside[0].is_dir() and pair.registry != "pypi"
    (inside[0] if wrapped else half).rename(tree)
    return tree


def _without_links_out(tree: Path) -> None:
    """Links to elsewhere on a system have nothing behind them in a portable folder."""
    for path in tree.rglob("*"):
        if path.is_symlink() and not path.resolve().is_relative_to(tree.resolve()):
            path.unlink()


def _packed(place: Path) -> Path | None:
    return next((p for p in place.iterdir() if p.suffix in (".whl", ".tgz", ".deb")), None)


def _fetch(pair: Pair, version: str, place: Path) -> Path | None:
    ways = {
        "pypi": [
            *(sys.executable, "-m", "pip", "download", "-q", "--no-deps", "--only-binary", ":all:"),
            *("--disable-pip-version-check", "-d", ".", f"{pair.name}=={version}"),
        ],
        "npm": ["npm", "pack", "-s", f"{pair.name}@{version}"],
        "debian": ["apt-get", "download", "-qq", f"{pair.name}={version}"],
    }
    words = ways[pair.registry]
    if shutil.which(words[0]) is None:
        return None
    subprocess.run(words, cwd=place, capture_output=True, check=False)
    return _packed(place)


def _unpack_zip(packed: Path, into: Path) -> None:
    with zipfile.ZipFile(packed) as archive:
        for info in archive.infolist():
            target = Path(archive.extract(info, into))
            if info.is_dir():
                continue
            if mode := info.external_attr >> 16 & 0o777:
                target.chmod(mode | 0o600)
            seconds = time.mktime((*info.date_time, 0, 0, -1))
            os.utime(target, (seconds, seconds))


def _unpack_tar(packed: Path, into: Path) -> None:
    with tarfile.open(packed) as archive:
        archive.extractall(into, filter="data")


def _unpack_deb(packed: Path, into: Path) -> None:
    subprocess.run(["dpkg-deb", "-x", str(packed), str(into)], check=True)
