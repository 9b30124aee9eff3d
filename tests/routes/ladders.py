"""A made-up racing title, played on for a year, and its updates one by one."""

from __future__ import annotations

import os
from pathlib import Path
from typing import Any

from left_intact.core.model.plan import Plan
from left_intact.demo.binaries import elf
from left_intact.demo.unattended import snapshot
from left_intact.workbench import Draft, Outcome, Workbench
from tests.builders import BUILT, LATER, Tree, plant, zipped

TITLE: Tree = {
    "rally": '#!/bin/sh\nVERSION="1.04"\necho Rally 1.04\n',
    "VERSION": "1.04\n",
    "lib/engine.so": elf("rally 1.04 engine", b"engine one " * 40),
    "data/tracks.pak": b"PAK1" + b"track four " * 60,
    "data/cars.pak": b"PAK1" + b"car four " * 60,
    "data/old-menu.pak": b"PAK1" + b"menu " * 60,
    "rally.ini": "[video]\nscale = 2\nsmooth = on\n",
}
MINE: Tree = {
    "rally.ini": "[video]\nscale = 4\nsmooth = off\n",
    "saves/cup.sav": b"\x01" * 700,
    "saves/time-trial.sav": b"\x02" * 700,
    "liveries/blue heron.png": b"\x89PNG\r\n\x1a\n" + b"\x06" * 300,
}


def step(to: str, after: str | None, tree: Tree, *, of: str = "Rally", more: str = "") -> Tree:
    """What an update package holds."""
    said = f'format = 1\nof = "{of}"\nto = "{to}"\n' + (f'from = "{after}"\n' if after is not None else "")
    return {"update.toml": said + more, **tree}


def engine(version: str) -> Tree:
    return {
        "rally": f'#!/bin/sh\nVERSION="{version}"\necho Rally {version}\n',
        "VERSION": f"{version}\n",
        "lib/engine.so": elf(f"rally {version} engine", f"engine {version} ".encode() * 40),
    }


STEPS: dict[str, Tree] = {
    "rally-1.05.zip": step("1.05", "1.04", engine("1.05") | {"data/tracks.pak": b"PAK1" + b"five " * 90}),
    "rally-1.06.zip": step(
        "1.06",
        "1.05",
        engine("1.06")
        | {"rally.ini": "[video]\nscale = 2\nsmooth = on\nlines = 3\n", "data/new.pak": b"six " * 9},
    ),
    # There never was a 1.07.
    "rally-1.08.zip": step(
        "1.08",
        "1.06",
        engine("1.08") | {"data/new.pak": b"eight " * 9},
        more='removes = ["data/old-menu.pak"]\n',
    ),
    "rally-1.09.zip": step(
        "1.09",
        "1.08",
        engine("1.09") | {"rally.ini": "[video]\nscale = 2\nsmooth = on\nlines = 3\nhaze = 1\n"},
    ),
}


class Rally:
    """The title on a shelf of its own, and a folder with what came."""

    def __init__(self, folder: Path, steps: dict[str, Tree] | None = None) -> None:
        self.folder, self.root = folder, folder / "pier" / "rally"
        self.came = folder / "downloads"
        self.came.mkdir(parents=True)
        plant(self.root, TITLE)
        plant(self.root, MINE, mtime=LATER)
        for name, tree in (STEPS if steps is None else steps).items():
            zipped(tree, self.came / name)
        self.bench = Workbench(str(folder / "home"))
        self.install = self.bench.shelf.register(str(self.root), name="Rally")
        self.bench.surveys.survey(self.install)

    def draft(self, **how: Any) -> Draft:
        return self.bench.updates.draft(self.install, str(self.came), **how)

    def plan(self, answers: dict[str, str] | None = None, **how: Any) -> Plan:
        draft = self.draft(**how)
        plan = draft.plan(answers)
        return draft.plan({**{q.id: q.choice for q in plan.questions}, **(answers or {})})

    def update(self, answers: dict[str, str] | None = None, **how: Any) -> Outcome:
        return self.bench.updates.update(self.plan(answers), self.install, **how)

    def state(self) -> dict[str, Any]:
        return snapshot(str(self.root))

    def read(self, path: str) -> str:
        return (self.root / path).read_text()

    def play(self) -> None:
        for path, content in {"saves/cup.sav": b"\x11" * 700, "saves/quay.sav": b"\x33" * 512}.items():
            (self.root / path).write_bytes(content)
            os.utime(self.root / path, (LATER + 9 * 86400 * 365, LATER + 9 * 86400 * 365))


__all__ = ["BUILT", "MINE", "STEPS", "TITLE", "Rally", "engine", "step"]
