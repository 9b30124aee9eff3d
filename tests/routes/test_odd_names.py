"""What a folder or a file is called changes nothing: names that look like something else are just names.

A name may end with a colon as a root is written, have a backslash in it, be the label of a root, or bear
letters that look like a stroke. On every route what came is laid, what is the person's stays as it was, and
going back is byte for byte: read by code of the tests' own.
"""

from __future__ import annotations

import hashlib
import sys
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from left_intact.core.model.proof import Verdict
from left_intact.workbench import Workbench
from tests.builders import LATER, Mock, Tree, examples, in_memory, plant, release, zipped
from tests.routes.beside import Pier, coming
from tests.routes.handhelds import Console, program
from tests.routes.house import House, core
from tests.routes.ladders import Rally
from tests.routes.test_graft import Loom

pytestmark = pytest.mark.skipif(sys.platform == "win32", reason="this system has no such names")

LABEL = "memory"
"""What a folder elsewhere is called in these scenes; one in the install may be called the same."""
ODD = (
    "foo:",
    f"{LABEL}:",
    LABEL,
    "old folder:",
    "a\\b",
    "c:\\d",
    "\u2215",
    "e\u2044f",
    "x\uff0fy",
    ":",
    "let go:",
    "\u29f8:",
)
names = st.sampled_from(ODD)
paths = st.lists(names, min_size=1, max_size=3).map("/".join)
shipped = st.dictionaries(
    paths.filter(lambda path: "\\" not in path), st.binary(min_size=1, max_size=40), min_size=1, max_size=5
)
"""In archives a back slash is a separator: whoever packs elsewhere writes it so."""
mine = st.dictionaries(paths, st.binary(min_size=1, max_size=40), max_size=4)


def clean(tree: dict[str, bytes]) -> Tree:
    return {p: c for p, c in tree.items() if not any(other.startswith(p + "/") for other in tree)}


def beneath(tree: dict[str, bytes], folder: str) -> Tree:
    return {f"{folder}/{path}": content for path, content in clean(tree).items()}


def seen(root: Path) -> dict[str, str]:
    return {
        p.relative_to(root).as_posix(): hashlib.sha256(p.read_bytes()).hexdigest()
        for p in sorted(root.rglob("*"))
        if p.is_file() and ".left-intact" not in p.parts
    }


def sums(tree: Tree) -> dict[str, str]:
    return {
        p: hashlib.sha256(c if isinstance(c, bytes) else str(c).encode()).hexdigest() for p, c in tree.items()
    }


def elsewhere(bench: Workbench, install: Any, folder: Path) -> Path:
    """A folder elsewhere that is read with the install, under the label that names here may bear."""
    place = plant(folder / "kept elsewhere", {"far.sav": b"\x55" * 90, "foo:/far.sav": b"\x56" * 90})
    bench.surveys.add_root(install, LABEL, str(place))
    return place


@given(old=shipped, new=shipped, theirs=mine)
@settings(max_examples=examples(60))
def test_in_place_each_name_is_just_a_name(
    old: dict[str, bytes], new: dict[str, bytes], theirs: dict[str, bytes]
) -> None:
    with in_memory() as folder:
        mock = Mock(Path(folder) / "all")
        own = beneath(theirs, "saves")
        plant(mock.root, clean(old))
        plant(mock.base, clean(old))
        plant(mock.root, own, mtime=LATER)
        far = elsewhere(mock.bench, mock.install, Path(folder))
        before, apart = seen(mock.root), seen(far)
        arriving = release("1.1") | clean({p: b"new " + c for p, c in new.items()})
        if any(one.startswith(f"{p}/") or p.startswith(f"{one}/") for one in old for p in new):
            return  # a file of the one is a folder of the other: that is told apart elsewhere
        mock.arrive(arriving)
        plan = mock.plan({q.id: q.default for q in mock.plan().questions})
        assert not plan.blockers
        outcome = mock.bench.updates.update(plan, mock.install)
        after = seen(mock.root)
        assert outcome.proof.verdict is Verdict.INTACT
        came = sums(clean({p: b"new " + c for p, c in new.items()}))
        assert {p: after.get(p) for p in came} == came, "what came is laid"
        assert {p: after.get(p) for p in own} == {p: before[p] for p in own}, "what is mine stays"
        assert not [p for p in clean(old) if p not in came and p in after], "what is gone is gone"
        mock.bench.updates.back.go(mock.install)
        assert seen(mock.root) == before and seen(far) == apart


@given(old=shipped, new=shipped, theirs=mine)
@settings(max_examples=examples(40))
def test_beside_each_name_is_just_a_name(
    old: dict[str, bytes], new: dict[str, bytes], theirs: dict[str, bytes]
) -> None:
    with in_memory() as folder:
        own = beneath(theirs, "saves") | {"saves/harbour.sav": b"\x01" * 512}
        pier = Pier(Path(folder) / "all", own)
        plant(pier.old, beneath(old, "parts"))
        plant(pier.base, beneath(old, "parts"))
        came = beneath(new, "parts")
        pier.archive = zipped(clean(coming() | came), pier.archive, "mocklet-1.1")
        before = seen(pier.old)
        plan = pier.plan()
        assert not plan.blockers
        outcome = pier.bench.updates.update(plan, pier.install)
        after = seen(pier.new)
        assert outcome.proof.verdict is Verdict.INTACT and seen(pier.old) == before
        assert {p: after.get(p) for p in came} == sums(came)
        assert {p: after.get(p) for p in own} == sums(own)
        pier.bench.updates.back.go(pier.install)
        assert seen(pier.old) == before and not seen(pier.new)


@given(theirs=mine)
@settings(max_examples=examples(20))
def test_cleared_and_restored_each_name_is_just_a_name(theirs: dict[str, bytes]) -> None:
    with in_memory() as folder:
        console = Console(Path(folder) / "all")
        own = beneath(theirs, "states")
        plant(console.root, own, mtime=LATER)
        before = seen(console.root)
        console.whole()
        after = seen(console.root)
        assert {p: after.get(p) for p in own} == {p: before[p] for p in own}
        assert set(program("5.4")) <= set(after)


def part(folder: Path) -> tuple[Any, Callable[[], Any]]:
    house = House(folder)
    draft = house.draft(house.comes("otter-machine-1.3.2.so", core("otter", "1.3.2")))
    return house, lambda: draft.plan({q.id: q.default for q in draft.plan().questions})


def ladder(folder: Path) -> tuple[Any, Callable[[], Any]]:
    rally = Rally(folder)
    return rally, rally.plan


def graft(folder: Path) -> tuple[Any, Callable[[], Any]]:
    loom = Loom(folder)
    return loom, loom.plan


@pytest.mark.parametrize("scene", [part, ladder, graft])
@given(theirs=mine)
@settings(max_examples=examples(20))
def test_what_is_laid_within_leaves_each_name_as_it_is(
    scene: Callable[[Path], tuple[Any, Callable[[], Any]]], theirs: dict[str, bytes]
) -> None:
    with in_memory() as folder:
        it, plan = scene(Path(folder) / "all")
        plant(it.root, clean(theirs), mtime=LATER)
        before = seen(it.root)
        assert it.bench.updates.update(plan(), it.install).proof.verdict is not Verdict.BROKEN
        after = seen(it.root)
        assert after != before and {p: after.get(p) for p in clean(theirs)} == sums(clean(theirs))
        it.bench.updates.back.go(it.install)
        assert seen(it.root) == before
