"""A small install on which updates, goings back, settlings and recoveries are tortured; how it is judged."""

from __future__ import annotations

import os
import pickle
import shutil
import traceback
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import pytest
from blake3 import blake3

from left_intact.core.files.names import STRONGBOX_FOLDER
from left_intact.core.model.errors import LeftIntactError
from left_intact.core.model.plan import Plan
from left_intact.core.model.update import State
from left_intact.workbench import Workbench
from tests.builders import Mock, Tree, release

WORKS = ("update", "go back", "settle", "recover forward", "recover back")
"""What is tortured. A recovery ends an update that was cut off half way."""


def coming() -> Tree:
    """The next release: some replaced, one added, one no longer shipped, one to be merged."""
    tree = release("1.1", lib__libnew_so="new " * 30)
    del tree["lib/libpad.so"]
    tree["mocklet.ini"] = "[video]\nsmooth = on\nscale = 4\n\n[sound]\nrate = 22050\n"
    return tree


@dataclass(frozen=True, slots=True)
class Judged:
    """How a try ended, all told."""

    outcome: str
    """`done`, `stopped` by what error, or `killed`."""
    lost: tuple[str, ...] = ()
    """Files of the person's, or of the program's while they are needed, that nobody has any more."""
    altered: tuple[str, ...] = ()
    """Files that are neither as before nor as agreed."""
    stuck: str = ""
    """Why it could not be ended; empty where it could."""
    fault: str = ""
    """What else than a line came of it."""

    @property
    def is_bad(self) -> bool:
        return bool(self.lost or self.altered or self.stuck or self.fault)


class Ground:
    """One install with all that belongs to it, put back before each try."""

    def __init__(self, folder: Path, *, elsewhere: Path | None = None) -> None:
        """`elsewhere` is a folder of another file system for home and strongbox, which else lie beside."""
        self.folder = folder
        self.mock = Mock(folder)
        self.home = str(elsewhere / "home" if elsewhere is not None else folder / "home")
        if elsewhere is not None:
            (folder / ".left-intact").write_text("no room for a strongbox here\n")
        self.mock.bench = self.bench
        self.mock.edit({"mocklet.ini": "[video]\nsmooth = off\nscale = 2\n\n[sound]\nrate = 22050\n"})
        self.mock.arrive(coming())
        self.install = self.mock.install
        self._parts = [self.mock.root, Path(self.home)]
        if elsewhere is None:
            self._parts.append(folder / ".left-intact")
        self.plan = self._plan()
        self.before = self.files()
        self.keep("start")
        self.bench.updates.update(self.plan, self.install)
        self.after = self.files()
        self.keep("on trial")
        self.put_back("start")
        self._cut_off()
        self.keep("cut off")

    @property
    def bench(self) -> Workbench:
        """A workbench as a new process would open it."""
        return Workbench(self.home)

    @property
    def strongbox(self) -> Path:
        return Path(self.bench.records.strongbox(self.install).folder)

    @property
    def journal(self) -> Path:
        return self.strongbox / "journal.sqlite"

    def _plan(self) -> Plan:
        draft = self.mock.draft()
        return draft.plan({q.id: q.default for q in draft.plan().questions})

    def _cut_off(self) -> None:
        def stop(progress: Any) -> None:
            if progress.stage == "laying" and progress.done == len(self.plan.changes) // 2:
                os._exit(9)

        in_fork(lambda: self.bench.updates.update(self.plan, self.install, report=stop))

    # ------------------------------------------------------------ images

    def keep(self, name: str) -> None:
        """Keep all of it as it is."""
        image = self.folder / "images" / name
        for number, part in enumerate(self._parts):
            if part.exists():
                shutil.copytree(part, image / str(number), symlinks=True)

    def put_back(self, name: str) -> None:
        """All of it as it was kept. The very folders stay, since a root is known by its inode."""
        image = self.folder / "images" / name
        for number, part in enumerate(self._parts):
            fill(part, image / str(number))

    # ------------------------------------------------------------ trying

    def image_for(self, work: str) -> str:
        return {"update": "start", "go back": "on trial", "settle": "on trial"}.get(work, "cut off")

    def run(self, work: str) -> Callable[[], object]:
        """The work itself, in a process of its own."""
        if work == "update":
            return lambda: self.bench.updates.update(self.plan, self.install)
        if work == "go back":
            return lambda: self.bench.updates.back.go(self.install)
        if work == "settle":
            return lambda: self.bench.updates.settle(self.install)
        return lambda: self.bench.updates.recover(self.install, work == "recover forward")

    def judge(self, work: str, outcome: str, *, forward: bool) -> Judged:
        """End whatever was cut off, then look at everything."""
        fault = outcome if outcome.startswith("fault") else ""
        try:
            bench = self.bench
            if bench.shelf.interrupted():
                bench.updates.recover(self.install, forward)
            if bench.shelf.interrupted():
                return Judged(outcome, stuck="still cut off after a recovery", fault=fault)
            stuck = self._may_go_on(bench, work)
        except LeftIntactError as error:
            return Judged(outcome, stuck=f"{error.code}: {error.line()}", fault=fault)
        now = self.files()
        right = (self.before, self.after) if work != "settle" else (self.after,)
        altered = () if now in right else self._differing(now)
        lost = tuple(sorted(self._contents(self.before, work) - self._everywhere()))
        return Judged(outcome, lost=lost, altered=altered, stuck=stuck, fault=fault)

    def _may_go_on(self, bench: Workbench, work: str) -> str:
        """Whether what must be possible now is: an update on trial proves intact, another can be drawn."""
        states = [update.state for update in bench.records.history(self.install)]
        if State.ON_TRIAL in states or State.SETTLED in states:
            proof = bench.updates.prove(self.install).proof
            if proof.verdict.value != "intact":
                return f"the proof says {proof.verdict.value}: {[c.says for c in proof.checks][:3]}"
        elif self.files() != self.before:
            return "nothing is on trial, and it is not as before"
        self.mock.bench = bench
        self.mock.draft().plan()
        return ""

    def files(self) -> dict[str, Any]:
        """All files and links of the install; folders have times of their own, and work folders of ours that
        a fault kept from being removed are nobody's.
        """
        return {
            path: said
            for path, said in self.mock.state().items()
            if not path.endswith("/") and not path.startswith(STRONGBOX_FOLDER)
        }

    def _differing(self, now: dict[str, Any]) -> tuple[str, ...]:
        """What is neither as before nor as agreed; where each file is one of both, what is mixed."""
        paths = {*now, *self.before, *self.after}
        odd = [p for p in paths if now.get(p) not in (self.before.get(p), self.after.get(p))]
        return tuple(sorted(odd or [f"mixed: {p}" for p in paths if now.get(p) != self.before.get(p)]))

    def _contents(self, files: dict[str, Any], work: str) -> set[str]:
        """The digests that somebody must still have: after a settling only those of the person's."""
        theirs = ("saves/", "states/", "games/", "notes", "mocklet.ini")
        return {
            said[4]
            for path, said in files.items()
            if said[0] == "file" and (work != "settle" or path.startswith(theirs))
        }

    def _everywhere(self) -> set[str]:
        """The digests of all that lies in the install and the strongbox."""
        found = set()
        for part in self._parts:
            for at, _, names in os.walk(part):
                for name in names:
                    with open(os.path.join(at, name), "rb") as file:
                        found.add(blake3(file.read()).hexdigest())
        return found


def fill(folder: Path, image: Path) -> None:
    """Make a folder what an image of it is, the folder itself left in place."""
    if not image.exists():
        if folder.exists():
            shutil.rmtree(folder)
        return
    folder.mkdir(parents=True, exist_ok=True)
    for item in folder.iterdir():
        if item.is_dir() and not item.is_symlink():
            shutil.rmtree(item)
        else:
            item.unlink()
    shutil.copytree(image, folder, symlinks=True, dirs_exist_ok=True)


def in_fork(work: Callable[[], object], ready: Callable[[int], None] | None = None) -> str:
    """Run something in a forked process; how it ended, in a word.

    With `ready` the process waits until that returns, which gets its number: time to lay hands on it.
    """
    if not hasattr(os, "fork"):
        pytest.skip("this system has no fork, so no process can be killed in the midst of a test")
    told, tell = os.pipe()
    go, begin = os.pipe()
    child = os.fork()
    if child == 0:
        os.close(begin)
        with suppress(OSError):  # the fault may lie in wait for just this call
            os.read(go, 1)
        said = "done"
        try:
            work()
        except LeftIntactError as error:
            said = f"stopped: {error.code}"
        except BaseException as error:  # noqa: BLE001 (whatever comes is what is looked for)
            where = traceback.extract_tb(error.__traceback__)[-1]
            said = f"fault: {error!r} at {os.path.basename(where.filename)}:{where.lineno}"
        finally:
            for _ in range(3):  # the fault may lie in wait for just this call
                with suppress(OSError):
                    os.write(tell, pickle.dumps(said))
                    break
            os._exit(0)
    os.close(tell)
    os.close(go)
    try:
        if ready is not None:
            ready(child)
    finally:
        os.close(begin)
    with os.fdopen(told, "rb") as pipe:
        said = pipe.read()
    os.waitpid(child, 0)
    return pickle.loads(said) if said else "killed"


@contextmanager
def cleared(folder: Path) -> Iterator[Path]:
    """A folder that is removed in the end."""
    folder.mkdir(parents=True, exist_ok=True)
    try:
        yield folder
    finally:
        shutil.rmtree(folder, ignore_errors=True)
