"""Small mocks: trees as dictionaries, releases, installs, and what a whole tree looks like."""

from __future__ import annotations

import contextlib
import io
import os
import shutil
import sys
import tarfile
import tempfile
import zipfile
from pathlib import Path
from typing import Any

import pytest

from left_intact.core.files.place import able
from left_intact.core.model.entry import Entry
from left_intact.core.model.plan import Plan
from left_intact.demo.binaries import elf
from left_intact.demo.unattended import snapshot
from left_intact.workbench import Draft, Outcome, Workbench

Content = bytes | str | None | tuple[str, str]
"""Bytes or text of a file, None for an empty folder, ("link", target) for a link."""
Tree = dict[str, Content]


def examples(number: int) -> int:
    """How many examples a law gets: all of them in `make torture`, a tenth in `make test`."""
    return max(3, number if os.environ.get("LEFT_INTACT_LAWS") == "many" else number // 10)


MODES = pytest.mark.skipif(not able().modes, reason="this system keeps no modes of files")
FORKS = pytest.mark.skipif(
    not hasattr(os, "fork"), reason="this system has no fork, so no process is killed in the midst of a test"
)
SCRIPTS = pytest.mark.skipif(
    sys.platform == "win32", reason="this system starts no scripts by their first line"
)
STAMPS = pytest.mark.skipif(
    not able().change_times, reason="this system has no time that every write changes, so all is read again"
)
BYTES = pytest.mark.skipif(sys.platform == "win32", reason="names are text on this system, never mere bytes")
PIPES = pytest.mark.skipif(not hasattr(os, "mkfifo"), reason="this system has no pipes in folders")
OWNERS = pytest.mark.skipif(not able().owners, reason="this system keeps no owners and second names of files")
LONG_NAMES = pytest.mark.skipif(sys.platform == "win32", reason="this system has no paths of so many letters")
SIGNALS = pytest.mark.skipif(
    sys.platform == "win32", reason="this system sends no Ctrl-C to one program alone"
)
HANDLES = pytest.mark.skipif(not able().handles, reason="this system has no handles of folders")
LINKS = pytest.mark.skipif(not able().links, reason="this system lets nobody make links here")

BUILT = 1_700_000_000
"""When the mocks' releases were built, in seconds since 1970."""
LATER = BUILT + 90 * 86400


def plant(root: Path, tree: Tree, *, mtime: int = BUILT) -> Path:
    """Write a tree; programs are executable, everything has one time."""
    root.mkdir(parents=True, exist_ok=True)
    for path, content in tree.items():
        target = root / path
        target.parent.mkdir(parents=True, exist_ok=True)
        if content is None:
            target.mkdir(exist_ok=True)
            continue
        if isinstance(content, tuple):
            if not able().links:
                pytest.skip("this system lets nobody make links here")
            target.symlink_to(content[1])
            os.utime(target, (mtime, mtime), follow_symlinks=False)
            continue
        data = content.encode() if isinstance(content, str) else content
        target.write_bytes(data)
        if data[:4] == b"\x7fELF" or data[:2] == b"#!":
            target.chmod(0o755)
        os.utime(target, (mtime, mtime))
    return root


def program(version: str, extra: str = "") -> bytes:
    return f'#!/bin/sh\nVERSION="{version}"\n# {extra}\necho Mocklet {version}\n'.encode()


def release(version: str, **more: Content) -> Tree:
    """A small release of the made-up Mocklet: a program, libraries, documents, default settings."""
    tree: Tree = {
        "mocklet": program(version),
        "VERSION": f"{version}\n",
        "docs/guide.html": f"<!doctype html>\n<p>guide {version}</p>\n",
        "docs/licence.txt": "be kind\n",
        "mocklet.ini": "[video]\nsmooth = on\nscale = 2\n\n[sound]\nrate = 22050\n",
    }
    for name in ("core", "sound", "video", "pad"):
        tree[f"lib/lib{name}.so"] = elf(f"mocklet {version} {name}", name.encode() * 40)
    tree |= {name.replace("__", "/"): content for name, content in more.items()}
    return tree


THEIRS: Tree = {
    "saves/harbour.sav": b"\x01" * 512,
    "saves/mill.sav": b"\x02" * 512,
    "states/harbour.state": b"MST1" + b"\x03" * 900,
    "games/harbour.cart": b"\x04" * 4096,
    "notes on harbour.txt": "the key is under the boat\n",
}


def zipped(tree: Tree, path: Path, wrapper: str = "") -> Path:
    """A zip of a tree, with unix modes, under a wrapper folder if one is named."""
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, content in tree.items():
            full = f"{wrapper}/{name}" if wrapper else name
            info = zipfile.ZipInfo(full + ("/" if content is None else ""), (2023, 11, 14, 22, 13, 20))
            info.create_system = 3
            data = b"" if content is None else content[1] if isinstance(content, tuple) else content
            data = data.encode() if isinstance(data, str) else data
            kind = 0o120777 if isinstance(content, tuple) else 0o40755 if content is None else 0o100644
            runs = data[:4] == b"\x7fELF" or data[:2] == b"#!"
            info.external_attr = (kind | (0o111 if runs else 0)) << 16
            archive.writestr(info, data)
    return path


def tarred(tree: Tree, path: Path, mode: str = "w") -> Path:
    """A tar of the plain files of a tree, packed as `mode` says."""
    with tarfile.open(path, mode) as archive:  # type: ignore[call-overload]
        for name, content in tree.items():
            data = content.encode() if isinstance(content, str) else content
            assert isinstance(data, bytes)
            info = tarfile.TarInfo(name)
            info.size, info.mtime, info.mode = len(data), BUILT, 0o755 if data[:2] == b"#!" else 0o644
            archive.addfile(info, io.BytesIO(data))
    return path


def in_memory() -> tempfile.TemporaryDirectory[str]:
    """A folder in memory where there is such a place: thousands of flushes to a real disk prove nothing
    here.
    """
    return tempfile.TemporaryDirectory(
        ignore_cleanup_errors=sys.platform == "win32",
        dir="/dev/shm" if os.access("/dev/shm", os.W_OK) else None,
    )


class Mock:
    """An install of Mocklet 1.0 that somebody played on, its release, and the next one."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.root = folder / "mocklet"
        self.bench = Workbench(str(folder / "home"))
        self.base = plant(folder / "base" / "mocklet-1.0", release("1.0"))
        plant(self.root, release("1.0"))
        plant(self.root, THEIRS, mtime=LATER)
        self.next = folder / "mocklet-1.1.zip"

    def edit(self, tree: Tree) -> None:
        plant(self.root, tree, mtime=LATER)

    def arrive(self, tree: Tree, name: str = "mocklet-1.1") -> Path:
        self.next = zipped(tree, self.folder / f"{name}.zip", name)
        return self.next

    def draft(self, *, baseline: bool = True) -> Draft:
        install = self.bench.shelf.find(str(self.root))
        return self.bench.updates.draft(
            install, str(self.next), baseline=str(self.base) if baseline else None
        )

    def plan(self, answers: dict[str, str] | None = None, *, baseline: bool = True) -> Plan:
        return self.draft(baseline=baseline).plan(answers)

    def update(self, *, baseline: bool = True, **more: Any) -> Outcome:
        draft = self.draft(baseline=baseline)
        plan = draft.plan()
        plan = draft.plan({q.id: q.default for q in plan.questions})
        return self.bench.updates.update(plan, draft.install, **more)

    def state(self) -> dict[str, Any]:
        return snapshot(str(self.root))

    @property
    def install(self) -> Any:
        return self.bench.shelf.find(str(self.root))

    def read(self, path: str) -> str:
        return (self.root / path).read_text()


def verbs(plan: Plan) -> dict[str, str]:
    return {move.at.shown: move.verb.value for move in plan.moves}


def copy_of(source: Path, target: Path) -> Path:
    shutil.copytree(source, target, symlinks=True)
    return target


def open_below(folder: Path) -> list[str]:
    """What this process holds open in the folder: what else runs in it may open and close what it likes."""
    if not sys.platform.startswith("linux"):
        pytest.skip("this system does not tell which files are open by their paths")
    held = []
    for name in os.listdir("/proc/self/fd"):
        with contextlib.suppress(OSError):
            held.append(os.readlink(f"/proc/self/fd/{name}"))
    return sorted(path for path in held if path.startswith(f"{folder}/"))


def file_at(path: str, digest: str = "aa", **more: Any) -> Entry:
    """A file as something read it; its digest is made of two digits."""
    return Entry(path=path, bytes=3, mode=0o644, mtime_ns=5, digest=digest * 32, **more)
