"""A made-up emulator whose folders bear its version, and the folder of the next one, started or not."""

from __future__ import annotations

import os
from pathlib import Path
from typing import Any

from left_intact.core.model.plan import Plan
from left_intact.demo.unattended import snapshot
from left_intact.workbench import Draft, Outcome, Workbench
from tests.builders import BUILT, LATER, Tree, plant, release, zipped

NEXT_BUILT = LATER + 200 * 86400
STARTED = NEXT_BUILT + 3 * 86400
"""When the new one was first started."""
MINE: Tree = {
    "mocklet.ini": "[video]\nsmooth = off\nscale = 4\n\n[sound]\nrate = 22050\n",
    "saves/harbour.sav": b"\x01" * 512,
    "saves/mill.sav": b"\x02" * 512,
    "states/harbour.state": b"MST1" + b"\x03" * 900,
    "games/harbour.cart": b"\x04" * 4096,
    "games/mill.cart": b"\x05" * 4096,
    "settings/harbour.conf": "loudness = 55\n",
    "settings/mill.conf": "loudness = 61\n",
    "art/harbour.png": b"\x89PNG\r\n\x1a\n" + b"\x06" * 300,
    "cache/shapes.cache": b"\x07" * 200,
    "notes on harbour.txt": "the key is under the boat\n",
}
STUBS: Tree = {
    "mocklet.ini": "[video]\nsmooth = on\nscale = 2\nlines = 3\n\n[sound]\nrate = 48000\n",
    "settings/harbour.conf": "loudness = 40\n",
    "settings/mill.conf": "loudness = 40\n",
    "saves/harbour.sav": b"\x00" * 512,
}
"""What a first start wrote."""


def coming(**more: Any) -> Tree:
    tree = release("1.1", **more)
    tree["mocklet.ini"] = "[video]\nsmooth = on\nscale = 2\nlines = 3\n\n[sound]\nrate = 48000\n"
    return tree


class Pier:
    """The old folder, named for its version; what came; and a folder for it if it was unpacked already."""

    def __init__(self, folder: Path, theirs: Tree | None = None) -> None:
        self.folder = folder
        self.old, self.new = folder / "pier" / "mocklet-1.0", folder / "pier" / "mocklet-1.1"
        plant(self.old, release("1.0"))
        plant(self.old, MINE if theirs is None else theirs, mtime=LATER)
        self.base = plant(folder / "kept" / "mocklet-1.0", release("1.0"))
        self.archive = zipped(coming(), folder / "mocklet-1.1.zip", "mocklet-1.1")
        self.bench = Workbench(str(folder / "home"))
        self.install = self.bench.shelf.register(str(self.old), name="Mocklet")
        self.bench.surveys.survey(self.install)

    def started(self, stubs: Tree | None = None) -> None:
        """The new one was unpacked, and started once."""
        plant(self.new, coming(), mtime=NEXT_BUILT)
        for number, (path, content) in enumerate((STUBS if stubs is None else stubs).items()):
            plant(self.new, {path: content}, mtime=STARTED + number)

    def played(self, tree: Tree, when: int = STARTED + 5 * 86400) -> None:
        """Somebody played in the new folder."""
        plant(self.new, tree, mtime=when)

    def draft(self, *, baseline: bool = True, arrival: Path | None = None, **how: Any) -> Draft:
        base = str(self.base) if baseline else None
        return self.bench.updates.draft(self.install, str(arrival or self.archive), baseline=base, **how)

    def plan(self, answers: dict[str, str] | None = None, **how: Any) -> Plan:
        draft = self.draft(**how)
        return draft.plan({**{q.id: q.default for q in draft.plan().questions}, **(answers or {})})

    def update(self, answers: dict[str, str] | None = None, **how: Any) -> Outcome:
        return self.bench.updates.update(self.plan(answers, **how), self.install)

    def state(self) -> dict[str, Any]:
        """Both folders whole; one that is not there is none."""
        return {p.name: snapshot(str(p)) for p in (self.old, self.new) if p.is_dir()}

    @property
    def root(self) -> str:
        """Where the library says that the install lies."""
        return self.bench.shelf.find("Mocklet").root

    def used(self) -> None:
        """Days of play in the new folder."""
        for path, content in {"saves/mill.sav": b"\x22" * 512, "saves/quay.sav": b"\x33" * 512}.items():
            (self.new / path).write_bytes(content)
            os.utime(self.new / path, (STARTED + 10 * 86400, STARTED + 10 * 86400))


__all__ = ["BUILT", "MINE", "STUBS", "Pier", "coming"]
