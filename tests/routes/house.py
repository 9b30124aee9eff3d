"""A made-up front end with cores, and cores that come one by one."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from left_intact.core.model.plan import Plan
from left_intact.demo.binaries import elf, pe
from left_intact.demo.unattended import snapshot
from left_intact.workbench import Draft, Outcome, Workbench
from tests.builders import BUILT, LATER, Content, Tree, plant, program

ARM = 183
OPTIONS = "# how it sounds\nloudness = 40\nlamps = on\n"


def core(name: str, version: str, machine: int = 62) -> bytes:
    return elf(f"{name} {version} core", f"{name} {version}".encode() * 40, machine)


def core_for_windows(name: str, version: str) -> bytes:
    return pe(f"{name} {version} core", f"{name} {version}".encode() * 40)


HOUSE: Tree = {
    "lamphouse": program("2.4"),
    "VERSION": "2.4\n",
    "cores/otter-machine.so": core("otter", "1.3.1"),
    "cores/plover-machine.so": core("plover", "0.9"),
    "cores/reed-8-machine.so": core("reed-8", "3.0"),
    "cores/reed-9-machine.so": core("reed-9", "3.0"),
    "lib/liblamp.so": core("lamp", "2.4"),
    "docs/guide.html": "<!doctype html>\n<p>guide</p>\n",
}
MINE: Tree = {
    "options/otter-machine.cfg": "loudness = 55\nlamps = off\n",
    "saves/harbour.sav": b"\x01" * 700,
    "lists/pier.list": "harbour\nmill\n",
    "lamphouse.cfg": "core = otter\n",
}


class House:
    """The front end, on a shelf of its own."""

    def __init__(self, folder: Path) -> None:
        self.folder, self.root = folder, folder / "pier" / "lamphouse"
        self.downloads = folder / "downloads"
        self.downloads.mkdir(parents=True)
        plant(self.root, HOUSE)
        plant(self.root, MINE, mtime=LATER)
        self.bench = Workbench(str(folder / "home"))
        self.install = self.bench.shelf.register(str(self.root), name="Lamphouse", role="front end")
        self.bench.surveys.survey(self.install)

    def comes(self, name: str, content: bytes) -> Path:
        path = self.downloads / name
        plant(self.downloads, {name: content}, mtime=BUILT + 5_000)
        return path

    def draft(self, path: Path, route: str | None = None) -> Draft:
        return self.bench.updates.draft(self.install, str(path), route=route)

    def plan(self, path: Path, answers: dict[str, str] | None = None, route: str | None = None) -> Plan:
        return self.draft(path, route).plan(answers)

    def update(self, path: Path, **more: Any) -> Outcome:
        draft = self.draft(path)
        plan = draft.plan({q.id: q.default for q in draft.plan().questions})
        return self.bench.updates.update(plan, self.install, **more)

    def state(self) -> dict[str, Any]:
        return snapshot(str(self.root))

    def edit(self, tree: dict[str, Content]) -> None:
        plant(self.root, tree, mtime=LATER + 900)
