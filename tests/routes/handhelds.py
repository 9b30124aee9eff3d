"""A made-up console emulator on the handheld that refuses another signature and wipes data on removal."""

from __future__ import annotations

import os
from pathlib import Path
from typing import Any

from left_intact.core.model.plan import Plan
from left_intact.demo.binaries import elf
from left_intact.demo.unattended import snapshot
from left_intact.standins.handheld import Card, Handheld, card_text
from left_intact.workbench import Draft, Outcome, Workbench
from tests.builders import BUILT, LATER, Tree, plant, zipped

SHEET = """format = 1
program = "Gullnade"

[clear]
because = "the handheld refuses another signature"
device = "the handheld"
prompt = 'at "bring former data back?" answer no'
ghost = "../../ghosts/gullnade.toml"

[first-start]
files = ["gullnade.cfg"]

[[keyed]]
folder = "cards"
holds = "saves"
key = "the id of a title"
"""
MINE: Tree = {
    "gullnade.cfg": "scale=4\nsmooth=off\n",
    "cards/7f3a/card.bin": b"\x01" * 700,
    "cards/7f3a/title.txt": "Salt Road\n",
    "cards/9c21/card.bin": b"\x02" * 700,
    "cards/9c21/title.txt": "Moth Hour\n",
    "states/salt-road.state": b"MST1" + b"\x03" * 400,
    "pads/left.pad": "a=1\n",
    "cache/shapes.cache": b"\x07" * 2000,
}
STARTED: Tree = {
    "gullnade.cfg": "scale=1\nsmooth=on\nhaze=2\n",
    "cards/b044/card.bin": b"\x00" * 700,
    "cards/b044/title.txt": "Salt Road\n",
    "cards/c155/card.bin": b"\x00" * 700,
    "cards/c155/title.txt": "Moth Hour\n",
}
"""What a first start of the new one writes: its settings, and stubs under ids of its own."""


def program(version: str) -> Tree:
    return {
        "gullnade": f'#!/bin/sh\nVERSION="{version}"\necho Gullnade {version}\n',
        "VERSION": f"{version}\n",
        "lib/core.so": elf(f"gullnade {version} core", version.encode() * 60),
        "docs/guide.html": f"<!doctype html>\n<p>guide {version}</p>\n",
    }


def package(path: Path, version: str, signature: str) -> Path:
    card = card_text(Card(program="Gullnade", version=version, signature=signature))
    return zipped({"package.toml": card, **program(version)}, path)


class Console:
    """The device with the emulator on it, and a shelf beside."""

    def __init__(self, folder: Path, sheet: str = SHEET) -> None:
        folder.mkdir(parents=True, exist_ok=True)
        self.folder, self.device = folder, Handheld(str(folder / "handheld"))
        self.old = package(folder / "gullnade-5.1.zip", "5.1", "reed")
        self.new = package(folder / "gullnade-5.4.zip", "5.4", "heron")
        self.device.lay(str(self.old))
        self.root = Path(self.device.place("Gullnade"))
        plant(self.root, MINE, mtime=LATER)
        self.home = str(folder / "home")
        self.install = self.bench.shelf.register(str(self.root), name="Gullnade")
        self.bench.surveys.take_sheet(self.install, sheet)
        self.bench.surveys.survey(self.install)
        self.bench.surveys.set_baseline(self.install, str(self.old))

    @property
    def bench(self) -> Workbench:
        """Anew each time, as after a restart."""
        return Workbench(self.home)

    def draft(self, **how: Any) -> Draft:
        return self.bench.updates.draft(self.install, str(self.new), **how)

    def plan(self, answers: dict[str, str] | None = None, **how: Any) -> Plan:
        draft = self.draft(**how)
        return draft.plan({q.id: q.default for q in draft.plan().questions} | (answers or {}))

    def begin(self, answers: dict[str, str] | None = None, **how: Any) -> Outcome:
        return self.bench.updates.update(self.plan(answers), self.install, **how)

    def go_on(self, **how: Any) -> Outcome:
        return self.bench.updates.go_on(self.install, **how)

    def start(self, tree: Tree | None = None) -> None:
        plant(self.root, STARTED if tree is None else tree, mtime=LATER + 500 * 86400)

    def swap(self) -> None:
        """The person removes the old one and lays the new one, and each is seen."""
        self.device.remove("Gullnade")
        self.go_on()
        self.device.lay(str(self.new))
        self.go_on()

    def whole(self, **how: Any) -> Outcome:
        """The person does each step, and each is seen."""
        self.begin(**how)
        self.swap()
        self.start()
        return self.go_on()

    def go_back(self, **how: Any) -> None:
        """The way back, with the person at its steps."""
        self.bench.updates.back.go(self.install, **how)
        self.device.remove("Gullnade")
        self.go_on()
        self.device.lay(str(self.old))
        self.go_on()

    def step(self) -> str:
        run = self.bench.records.open_run(self.install)
        return run.waits.step if run is not None and run.waits is not None else ""

    def state(self) -> dict[str, Any]:
        return snapshot(str(self.root))

    def read(self, path: str) -> bytes:
        return (self.root / path).read_bytes()

    def play(self) -> None:
        for path, content in {
            "cards/b044/card.bin": b"\x11" * 700,
            "cards/d266/card.bin": b"\x44" * 90,
        }.items():
            (self.root / path).parent.mkdir(exist_ok=True)
            (self.root / path).write_bytes(content)
            os.utime(self.root / path, (LATER + 900 * 86400, LATER + 900 * 86400))


__all__ = ["BUILT", "MINE", "SHEET", "STARTED", "Console", "package"]
