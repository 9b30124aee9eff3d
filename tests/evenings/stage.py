"""What a scene needs: names that a seed draws, the program as a person starts it, and eyes of its own."""

from __future__ import annotations

import hashlib
import io
import json
import os
import subprocess
import sys
import tempfile
import zipfile
from pathlib import Path
from typing import Any

from tests.corpus.decisions import Decisions
from tests.corpus.makers import Maker
from tests.corpus.words import Words

BUILT = 1_700_000_000
SEEDS = ("reed", "slate", "lamp") if os.environ.get("LEFT_INTACT_LAWS") == "many" else ("reed",)
"""Each scene is drawn by each: by all of them in `make torture`, by one in `make test`."""
DAY = 86_400
Tree = dict[str, bytes]


class Names:
    """What things are called in one scene."""

    def __init__(self, seed: str) -> None:
        self.words = Words(Decisions(f"evening {seed}"))
        self.make = Maker(f"evening {seed}")
        self.rng = self.make.rng
        self.program = self.words.invent()
        self.saves, self.settings = self.words.folder("saves"), self.words.folder("settings")
        self.content, self.pictures = self.words.folder("content"), self.words.folder("pictures")
        self.file = f"{self.words.invent(1)}{self.words.ending('saves')}"
        self.ending = self.words.ending("content") or ".cart"

    def titles(self, number: int) -> list[str]:
        found: dict[str, None] = {}
        while len(found) < number:
            found[self.words.title().translate(str.maketrans("", "", ",()[]"))] = None
        return list(found)

    def release(self, version: str) -> Tree:
        """A program with parts of code, documents and its version."""
        parts = {f"parts/{self.program}{n}.so": self.make.code(f"{version} {n}") for n in range(4)}
        return {
            self.program: f'#!/bin/sh\nVERSION="{version}"\necho {self.program} {version}\n'.encode(),
            "VERSION": f"{version}\n".encode(),
            "README.txt": f"{self.program} {version}\n".encode(),
            **parts,
        }


class Evening:
    """One person's disk, and the program at their hand."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.home = folder / "home of ours"

    def lay(self, place: str, tree: Tree, *, days: int = 0) -> Path:
        """Write a tree, all of one time: so many days after the build."""
        root = self.folder / place
        for path, content in tree.items():
            target = root / path
            target.parent.mkdir(parents=True, exist_ok=True)
            target.write_bytes(content)
            if content[:4] == b"\x7fELF" or content[:2] == b"#!":
                target.chmod(0o755)
            os.utime(target, (BUILT + days * DAY,) * 2)
        root.mkdir(parents=True, exist_ok=True)
        return root

    def pack(self, name: str, tree: Tree, wrapper: str = "") -> Path:
        """A zip of a tree, inside a wrapper folder if one is named."""
        place = self.folder / name
        place.parent.mkdir(parents=True, exist_ok=True)
        with zipfile.ZipFile(place, "w", zipfile.ZIP_DEFLATED) as archive:
            for path, content in tree.items():
                info = zipfile.ZipInfo(f"{wrapper}/{path}" if wrapper else path, (2024, 3, 2, 9, 30, 0))
                info.external_attr = (0o100755 if content[:2] == b"#!" else 0o100644) << 16
                info.create_system = 3
                archive.writestr(info, content)
        return place

    def run(self, *words: str | Path, code: int | None = 0) -> tuple[str, str]:
        """(what it prints, what it says is wrong) of one command; never a traceback, and the code wanted."""
        said = ["--home", str(self.home), *map(str, words)]
        own = {"HOME": str(self.folder), "XDG_CONFIG_HOME": ""}
        returned, out, err = _started(said, own) if AS_STARTED else _forked(said, own)
        assert "Traceback" not in err, err
        assert code is None or returned == code, (words, returned, out, err)
        return out, err

    def ask(self, *words: str | Path, code: int | None = 0) -> dict[str, Any]:
        """What a command answers as JSON."""
        said: dict[str, Any] = json.loads(self.run(*words, "--json", code=code)[0])
        return said


AS_STARTED = os.environ.get("LEFT_INTACT_LAWS") == "many" or not hasattr(os, "fork")
"""Whether each command is a program that starts afresh, as in `make torture`; else it is a process that has
the program's modules already.
"""


def _started(words: list[str], own: dict[str, str]) -> tuple[int, str, str]:
    command = [sys.executable, "-m", "left_intact", *words]
    done = subprocess.run(command, capture_output=True, text=True, check=False, env={**os.environ, **own})
    return done.returncode, done.stdout, done.stderr


def _forked(words: list[str], own: dict[str, str]) -> tuple[int, str, str]:
    from left_intact.cli.commands import run

    with tempfile.TemporaryFile() as out, tempfile.TemporaryFile() as err:
        child = os.fork()
        if child == 0:
            code = 70
            try:
                os.environ |= own
                for number, file in ((1, out), (2, err)):
                    os.dup2(file.fileno(), number)
                sys.stdout, sys.stderr = (io.TextIOWrapper(io.FileIO(n, "w"), "utf-8") for n in (1, 2))
                code = run(words)
                sys.stdout.flush()
                sys.stderr.flush()
            finally:
                os._exit(code)
        code = os.waitstatus_to_exitcode(os.waitpid(child, 0)[1])
        texts = [os.pread(file.fileno(), 1 << 26, 0).decode() for file in (out, err)]
    return code, texts[0], texts[1]


def seen(root: Path) -> dict[str, str]:
    """By path: the digest of every file below a folder, or where a link leads."""
    found = {}
    for folder, folders, names in os.walk(root):
        if ".left-intact" in folders:
            folders.remove(".left-intact")
        for name in names:
            path = Path(folder) / name
            leads = f"-> {os.readlink(path)}" if path.is_symlink() else ""
            digest = leads or hashlib.sha256(path.read_bytes()).hexdigest()
            found[path.relative_to(root).as_posix()] = digest
    return found


def sums(tree: Tree) -> dict[str, str]:
    """The same of a tree that was made up."""
    return {path: hashlib.sha256(content).hexdigest() for path, content in tree.items()}
