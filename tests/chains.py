"""A made-up plan that does everything: three roots, two arrivals, a step by hand, and a stage drawn after
it.
"""

from __future__ import annotations

import os
import shutil
import signal
from collections.abc import Callable, Mapping
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest
from blake3 import blake3

from left_intact.core.carrying.chain import carry_out
from left_intact.core.carrying.heads import make_journal
from left_intact.core.carrying.strongbox import Strongbox
from left_intact.core.files.identity import identity_of
from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Entry, Kind
from left_intact.core.model.place import At, Root
from left_intact.core.model.plan import DrawnStage, Plan, Route, Verb
from left_intact.core.model.progress import Progress
from left_intact.core.model.stages import (
    ChangeSet,
    Consent,
    DeferredStage,
    FromArrival,
    FromRoot,
    FromStrongbox,
    Made,
    ManualCheck,
    ManualStep,
    Move,
    OnFailure,
    Shipped,
    Sign,
    Source,
)
from left_intact.core.model.unchanged import Unchanged
from left_intact.core.model.update import Update
from left_intact.core.planning.deferred import DeferredPlanner, Situation
from left_intact.core.planning.routes import registry
from left_intact.core.planning.routes.in_place import InPlace
from left_intact.demo.unattended import snapshot
from left_intact.workbench import Workbench
from tests.builders import BUILT, LATER, Tree, plant, program, zipped

PLANNER = "made-up"
MINE: Tree = {
    "mocklet": program("1.0"),
    "VERSION": "1.0\n",
    "lib/old/gone.so": b"old code " * 40,
    "lib/core.so": b"core one " * 50,
    "turns": "a file that becomes a folder\n",
    "was/one.txt": "1\n",
    "was/two.txt": "2\n",
    "mocklet.ini": "[video]\nsmooth = off\n",
    "memory/harbour.sav": b"\x01" * 700,
    "memory/mill.sav": b"\x02" * 700,
    "art/harbour.png": b"\x89PNG" + b"\x05" * 300,
    "art/latest": ("link", "harbour.png"),
    "blank": None,
}
SAVES: Tree = {"index": "1 harbour\n", "7f3a/kept.blk": b"\x07" * 400}
FIRST: Tree = {
    "mocklet": program("1.1"),
    "VERSION": "1.1\n",
    "lib/core.so": b"core two " * 60,
    "turns/inside.txt": "now inside\n",
    "was": "now a file\n",
    "fresh/deep/new.so": b"new code " * 30,
    "lib/newest": ("link", "core.so"),
}
SECOND: Tree = {"part.so": b"a part " * 80}
MERGED = b"[video]\nsmooth = off\nlines = 3\n"


class MadeUpRoute(InPlace):
    """A route that has planners of stages for later."""

    def __init__(self, later: Mapping[str, DeferredPlanner]) -> None:
        self.later = later


def with_later(name: str, planner: DeferredPlanner) -> None:
    """Have a made-up route in the registry, with one more planner."""
    others = tuple(route for route in registry.ROUTES if not isinstance(route, MadeUpRoute))
    known = next((r.later for r in registry.ROUTES if isinstance(r, MadeUpRoute)), {})
    registry.ROUTES = (*others, MadeUpRoute({**known, name: planner}))


class MadeUp:
    """An install with its roots and arrivals, and the plan for it."""

    def __init__(self, folder: Path, box_at: Path | None = None) -> None:
        self.folder, self.root = folder, folder / "pier" / "mocklet"
        self.saves, self.new = folder / "pier" / "kept" / "saves", folder / "pier" / "mocklet-1.1"
        plant(self.root, MINE)
        plant(self.saves, SAVES, mtime=LATER)
        (self.root / "memory").chmod(0o750)
        self.one = zipped(FIRST, folder / "mocklet-1.1.zip", "mocklet-1.1")
        self.two = zipped(SECOND, folder / "part.zip")
        self.box_at = box_at
        self.home = str(folder / "home")
        bench = self.bench
        self.install = bench.surveys.library.register(str(self.root), name="Mocklet")
        bench.surveys.survey(self.install)
        if box_at is not None:
            self.box.make()
            make_journal(self.box.journal_path)
            card = self.box.claim(str(self.root), str(self.install.id))
            bench.surveys.library.set_box(self.install, card.id, str(box_at / "box"), needed=False)
            self.box.close()
        with_later(PLANNER, _later)

    @property
    def bench(self) -> Workbench:
        return Workbench(self.home)

    @property
    def box(self) -> Strongbox:
        return (
            self.bench.records.strongbox(self.install)
            if self.box_at is None
            else Strongbox(str(self.box_at / "box"))
        )

    @property
    def places(self) -> dict[str, Path]:
        return {"": self.root, "saves": self.saves, "new": self.new}

    def begin(self, plan: Plan, **more: Any) -> Update:
        """Carry a plan out by the engine itself."""
        return carry_out(plan, self.box, self.bench.updates.back.outside(self.install), **more)

    def state(self) -> dict[str, Any]:
        """All roots whole; a root that is not there is none."""
        return {label: snapshot(str(place)) for label, place in self.places.items() if place.is_dir()}

    def plan(self, *, hand: bool = True, on_failure: OnFailure = OnFailure.UNDO, **more: Any) -> Plan:
        """Drawn by hand, as a route would."""
        bench = self.bench
        arrivals = tuple(bench.surveys.arrival(self.install, str(path)) for path in (self.one, self.two))
        roots = tuple(
            Root(label=label, place=str(place), identity=identity_of(str(place)), existed=place.exists())
            for label, place in self.places.items()
        )
        moves = self._moves(arrivals)
        steps: tuple[Any, ...] = (
            ChangeSet(moves=tuple(sorted(moves, key=lambda m: m.at)), shipped=Shipped(arrival=0)),
        )
        if hand:
            steps += (HAND, _LATER)
        changed = {m.at for m in moves}
        kept = tuple(
            Move(at=at, verb=Verb.KEEP, file_class=FileClass.SAVES, because="stays", before=e, after=e)
            for at, e in self.entries().items()
            if at not in changed
        )
        return Plan(
            install="Mocklet",
            roots=roots,
            from_version="1.0",
            to_version="1.1",
            route=Route.IN_PLACE,
            stages=steps,
            kept=Unchanged(rest=kept),
            survey=bench.surveys.survey(self.install),
            arrivals=arrivals,
            on_failure=on_failure,
            **more,
        )

    def entries(self) -> dict[At, Entry]:
        from left_intact.core.files.tree import read_tree

        return {
            At(label, e.path): e
            for label, place in self.places.items()
            if place.is_dir()
            for e in read_tree(str(place)).entries
        }

    def _moves(self, arrivals: tuple[Any, ...]) -> list[Move]:
        now = self.entries()
        first, second = arrivals[0].release.entries, arrivals[1].release.entries

        def move(
            verb: Verb,
            at: At,
            after: Entry | None,
            source: Source | None,
            kind: FileClass = FileClass.PROGRAM,
        ) -> Move:
            before = now.get(at)
            if before is None and (place := self.places[at.root] / at.path).is_dir():
                info = place.stat()
                before = Entry(
                    path=at.path, kind=Kind.FOLDER, mode=info.st_mode & 0o777, mtime_ns=info.st_mtime_ns
                )
            return Move(
                at=at,
                verb=verb,
                file_class=kind,
                because="made up",
                before=before,
                after=after,
                source=source,
            )

        def came(path: str, verb: Verb) -> Move:
            source = FromArrival(0, f"{arrivals[0].root}/{path}" if arrivals[0].root else path)
            return move(verb, At("", path), first[path], source)

        harbour, mill = now[At("", "memory/harbour.sav")], now[At("", "memory/mill.sav")]
        ini = now[At("", "mocklet.ini")]
        digest = blake3(MERGED).hexdigest()
        new_home, ini_after = (
            At("saves", "9c21/kept.blk"),
            replace(ini, bytes=len(MERGED), digest=digest, stamp=(0, 0, 0)),
        )
        return [
            came("mocklet", Verb.REPLACE),
            came("VERSION", Verb.REPLACE),
            came("lib/core.so", Verb.REPLACE),
            came("turns/inside.txt", Verb.ADD),
            came("was", Verb.ADD),
            came("fresh/deep/new.so", Verb.ADD),
            came("lib/newest", Verb.ADD),
            move(Verb.RETIRE, At("", "turns"), None, None),
            move(Verb.RETIRE, At("", "was/one.txt"), None, None),
            move(Verb.RETIRE, At("", "was/two.txt"), None, None),
            move(Verb.RETIRE, At("", "lib/old/gone.so"), None, None),
            move(Verb.MERGE, At("", "mocklet.ini"), ini_after, Made(digest, MERGED), FileClass.SETTINGS),
            move(Verb.ADD, At("", "parts/part.so"), second["part.so"], FromArrival(1, "part.so")),
            move(
                Verb.CARRY,
                At("new", "memory/mill.sav"),
                mill,
                FromRoot(At("", "memory/mill.sav")),
                FileClass.SAVES,
            ),
            move(Verb.REHOME, new_home, harbour, FromRoot(At("", "memory/harbour.sav")), FileClass.SAVES),
            move(Verb.REHOME, At("", "memory/harbour.sav"), None, None, FileClass.SAVES),
            Move(
                at=At("saves", "index"),
                verb=Verb.KEEP,
                file_class=FileClass.SAVES,
                because="a first start may write it",
                before=now[At("saves", "index")],
                after=now[At("saves", "index")],
                safeguard=True,
            ),
        ]

    def start_once(self) -> None:
        """What the person does by hand: the program makes its folder, writes its list and a stub."""
        plant(self.saves, {"b044/kept.blk": b"stub", "index": "1 harbour\n2 new\n"}, mtime=LATER + 500)
        plant(self.root, {"started": "yes\n", "logs/run.log": "one\n"}, mtime=LATER + 500)

    def copy_to(self, other: Path) -> None:
        """Everything that an update can touch, as it lies."""
        shutil.rmtree(other, ignore_errors=True)
        for name in ("pier", "home"):
            shutil.copytree(self.folder / name, other / name, symlinks=True)
        if self.box_at is not None:
            shutil.copytree(self.box_at, other / "box-at", symlinks=True)

    def back_from(self, other: Path) -> None:
        """Put it all as it was copied; the folders of the roots stay the very ones, as they are known by
        their inodes.
        """
        stays = {p for p in self.places.values() if (other / p.relative_to(self.folder)).exists()}
        _clear(self.folder / "pier", stays)
        _clear(self.folder / "home", set())
        for name in ("pier", "home"):
            shutil.copytree(other / name, self.folder / name, symlinks=True, dirs_exist_ok=True)
        if self.box_at is not None:
            _clear(self.box_at, set())
            shutil.copytree(other / "box-at", self.box_at, symlinks=True, dirs_exist_ok=True)


def _clear(folder: Path, stays: set[Path]) -> None:
    for item in folder.iterdir():
        if item.is_dir() and not item.is_symlink():
            if item in stays or any(item in one.parents for one in stays):
                _clear(item, stays)
                continue
            shutil.rmtree(item)
        else:
            item.unlink()


HAND = ManualStep(
    id="start-once",
    asks="start Mocklet once, then close it",
    why="it makes the folder for its saves",
    check=ManualCheck(sign=Sign.APPEARS, at=At("", "started")),
)
_LATER = DeferredStage(
    planner=PLANNER,
    intends="put the saves under the new key",
    consent=Consent(
        roots=("saves", "new"),
        classes=(FileClass.SAVES,),
        verbs=(Verb.REPLACE, Verb.REHOME, Verb.ADD, Verb.CARRY),
        bytes=5_000,
    ),
)


def _later(situation: Situation) -> DrawnStage:
    """The stub under the newest key is replaced by the old save; a copy goes to the new root."""
    tree = situation.tree
    stub = tree[At("saves", "b044/kept.blk")][0]
    old = tree[At("saves", "9c21/kept.blk")][0]
    gone = tree[At("saves", "7f3a/kept.blk")][0]
    moves = (
        Move(
            at=At("new", "memory/old.blk"),
            verb=Verb.CARRY,
            file_class=FileClass.SAVES,
            because="kept there too",
            after=gone,
            source=FromRoot(At("saves", "7f3a/kept.blk")),
        ),
        Move(
            at=At("saves", "9c21/kept.blk"),
            verb=Verb.REHOME,
            file_class=FileClass.SAVES,
            because="goes to the new key",
            before=old,
        ),
        Move(
            at=At("saves", "b044/kept.blk"),
            verb=Verb.REHOME,
            file_class=FileClass.SAVES,
            because="the stub gives way",
            before=stub,
            after=old,
            source=FromStrongbox(old.digest),
        ),
    )
    return DrawnStage(change_set=ChangeSet(moves=moves))


def in_child(work: Callable[[], object]) -> int:
    """Run something in a forked process; the number of the signal that ended it, or 0."""
    if not hasattr(os, "fork"):
        pytest.skip("this system has no fork, so no process can be killed in the midst of a test")
    child = os.fork()
    if child == 0:
        try:
            work()
        finally:
            os._exit(0)
    _, status = os.waitpid(child, 0)
    return os.WTERMSIG(status) if os.WIFSIGNALED(status) else 0


class KillAt:
    """A report that ends the process, as `kill -9` does, at the n-th time it is called."""

    def __init__(self, number: int) -> None:
        self.left = number

    def __call__(self, progress: Progress) -> None:
        self.left -= 1
        if self.left == 0:
            os.kill(os.getpid(), signal.SIGKILL)


def while_unpacking(progress: Progress) -> None:
    """A report that ends the process before a stage has laid anything."""
    if progress.stage == "unpacking":
        os.kill(os.getpid(), signal.SIGKILL)


class KillWhenLaid:
    """A report that ends the process when so many places are laid."""

    def __init__(self, number: int) -> None:
        self.number = number

    def __call__(self, progress: Progress) -> None:
        if progress.stage == "laying" and progress.done == self.number:
            os.kill(os.getpid(), signal.SIGKILL)


at_the_third = KillWhenLaid(3)


def apart(plan: Plan, *paths: str) -> tuple[ChangeSet, ChangeSet]:
    """The first stage of a plan as two, the second with some of its places."""
    change_set = plan.stages[0]
    assert isinstance(change_set, ChangeSet)
    later = tuple(move for move in change_set.moves if move.at.path in paths)
    first = replace(change_set, moves=tuple(move for move in change_set.moves if move not in later))
    return first, replace(change_set, moves=later)


def with_another_time(made: MadeUp, at: At, seconds: int) -> Plan:
    """A plan of one stage, in which a file that lies there already gets another time, and nothing else."""
    plan, was = made.plan(hand=False), made.entries()[at]
    then = replace(was, mtime_ns=seconds * 10**9)
    timed = Move(at=at, verb=Verb.REPLACE, file_class=FileClass.EXTRAS, because="", before=was, after=then)
    (change_set,) = plan.change_sets
    return replace(plan, stages=(replace(change_set, moves=(*change_set.moves, timed)),))


def asking(made: MadeUp) -> Plan:
    """A plan whose late stage does more than was agreed to: it asks."""
    plan = made.plan()
    late = plan.stages[-1]
    assert isinstance(late, DeferredStage)
    late = replace(late, consent=replace(late.consent, bytes=1))
    return replace(plan, stages=(*plan.stages[:-1], late))


class Count:
    """How often something reports."""

    def __init__(self) -> None:
        self.number = 0

    def __call__(self, progress: Progress) -> None:
        self.number += progress.stage not in ("reading",)


__all__ = ["BUILT", "Count", "KillAt", "MadeUp", "in_child"]
