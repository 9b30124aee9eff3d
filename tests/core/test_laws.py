"""Laws over random trees, releases and edits."""

from __future__ import annotations

import os
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from left_intact.core.files import place
from left_intact.core.model.place import At
from left_intact.core.model.plan import Verb
from left_intact.core.model.proof import Verdict
from left_intact.demo.binaries import elf
from tests import disks
from tests.builders import BUILT, HANDLES, Content, Mock, Tree, examples, in_memory, plant, release, zipped

names = st.sampled_from(["a", "b.dat", "c.so", "d.ini", "e.json", "f.sav", "ü g", "H.txt", "i.state", "j"])
folders = st.sampled_from(["", "lib", "data", "saves", "config", "deep/er", "data/x"])
contents: st.SearchStrategy[Content] = st.one_of(
    st.sampled_from(
        [
            "",
            "one\n",
            "two\n",
            "[v]\na = 1\nb = 2\n",
            "[v]\na = 2\nc = 3\n",
            "x = 1\n",
            '{"a": 1}',
            '{"a": 2, "b": {"c": 1}}',
        ]
    ),
    st.binary(min_size=1, max_size=40),
    st.sampled_from([elf("mocklet 1", b"1"), elf("mocklet 2", b"2")]),
)


def _path(folder: str, name: str) -> str:
    return f"{folder}/{name}" if folder else name


trees = st.dictionaries(st.builds(_path, folders, names), contents, max_size=14)


def _clean(tree: Tree) -> Tree:
    """Without paths that are a folder in the same tree."""
    return {p: c for p, c in tree.items() if not any(other.startswith(p + "/") for other in tree)}


class World:
    """A random install in a folder of its own."""

    def __init__(self, folder: Path, shipped: Tree, edits: Tree, gone: list[str], arriving: Tree) -> None:
        shipped = _clean(release("1.0") | shipped)
        self.arriving = _clean(release("1.1") | arriving)
        self.mock = Mock.__new__(Mock)
        self.mock.folder, self.mock.root = folder, folder / "mocklet"
        from left_intact.workbench import Workbench

        self.mock.bench = Workbench(str(folder / "home"))
        self.mock.base = plant(folder / "base" / "mocklet-1.0", shipped)
        plant(self.mock.root, shipped)
        for path in set(gone):
            if path in shipped:
                (self.mock.root / path).unlink()
        edits = {p: c for p, c in _clean(edits).items() if self.fits(p)}
        plant(self.mock.root, edits, mtime=BUILT + 40 * 86400)
        self.shipped = shipped
        self.mock.next = zipped(self.arriving, folder / "mocklet-1.1.zip", "mocklet-1.1")

    def fits(self, path: str) -> bool:
        target = self.mock.root / path
        return not target.is_dir() and all(not p.is_file() for p in target.parents if p != self.mock.root)

    def theirs(self) -> dict[str, bytes]:
        """Every file that is not byte for byte what was shipped."""
        found = {}
        for path in self.mock.root.rglob("*"):
            if path.is_file():
                name, data = path.relative_to(self.mock.root).as_posix(), path.read_bytes()
                shipped = self.shipped.get(name)
                if (shipped.encode() if isinstance(shipped, str) else shipped) != data:
                    found[name] = data
        return found


worlds = {
    "shipped": trees,
    "edits": trees,
    "gone": st.lists(st.builds(_path, folders, names), max_size=4),
    "arriving": trees,
}


LESS = {
    "handles": place.Able(handles=False),
    "exchange": place.Able(exchange=False),
    "renames without replacing": place.Able(exchange=False, no_replace=False),
    "links": place.Able(links=False),
    "modes": place.Able(modes=False, owners=False),
    "anything": place.Able(
        handles=False,
        exchange=False,
        no_replace=False,
        links=False,
        modes=False,
        owners=False,
        change_times=False,
    ),
}


@pytest.mark.sampled(2)
@HANDLES
@pytest.mark.parametrize("lacking", LESS)
@settings(max_examples=examples(12))
@given(**worlds)  # type: ignore[arg-type]
def test_the_law_holds_where_a_system_can_do_less(
    monkeypatch, lacking, shipped, edits, gone, arriving
) -> None:  # type: ignore[no-untyped-def]
    disks.lacking(monkeypatch, LESS[lacking])
    _update_then_back(shipped, edits, gone, arriving, modes=LESS[lacking].modes)


@settings(max_examples=examples(60))
@given(**worlds)  # type: ignore[arg-type]
def test_update_then_back_restores_everything_and_theirs_is_never_displaced(
    shipped, edits, gone, arriving
) -> None:  # type: ignore[no-untyped-def]
    _update_then_back(shipped, edits, gone, arriving)


def _without_modes(state: dict[str, tuple[object, ...]]) -> dict[str, tuple[object, ...]]:
    return {p: said[1:] if len(said) == 2 else said[:2] + said[3:] for p, said in state.items()}


def _update_then_back(shipped, edits, gone, arriving, *, modes: bool = True) -> None:  # type: ignore[no-untyped-def]
    with in_memory() as folder:
        world = World(Path(folder), shipped, edits, gone, arriving)
        mock, theirs = world.mock, world.theirs()
        before = mock.state()
        draft = mock.draft()
        plan = draft.plan()
        if plan.blockers:
            return
        plan = draft.plan({q.id: q.default for q in plan.questions})
        for move in plan.moves:
            if move.verb in (Verb.REPLACE, Verb.RETIRE):
                assert move.at.shown not in theirs
            if move.verb is Verb.DROP:
                assert not os.path.lexists(mock.root / move.at.shown)
        outcome = mock.bench.updates.update(plan, draft.install)
        assert (
            outcome.proof.verdict is Verdict.INTACT and not outcome.proof.lost and not outcome.proof.altered
        )
        for path, data in theirs.items():
            if At("", path) not in plan.merges:
                assert (mock.root / path).read_bytes() == data
        again = mock.bench.updates.draft(draft.install, str(mock.next)).plan()
        assert not again.changes and not again.questions
        back = mock.bench.updates.back.go(draft.install)
        assert back.proof is not None and back.proof.verdict is Verdict.INTACT and not back.missing
        after = mock.state()
        assert after == before if modes else _without_modes(after) == _without_modes(before)


@settings(max_examples=examples(60))
@given(**worlds, trial=trees, deleted=st.lists(st.integers(0, 40), max_size=4))  # type: ignore[arg-type]
def test_going_back_loses_nothing_that_was_made_on_trial(
    shipped, edits, gone, arriving, trial, deleted
) -> None:  # type: ignore[no-untyped-def]
    """Every place the update touched is as before it; every other one as the person left it; all they made
    is kept.
    """
    with in_memory() as folder:
        world = World(Path(folder), shipped, edits, gone, arriving)
        mock, before = world.mock, _contents(world.mock.root)
        draft = mock.draft()
        plan = draft.plan()
        if plan.blockers:
            return
        plan = draft.plan({q.id: q.default for q in plan.questions})
        mock.bench.updates.update(plan, draft.install)
        after = _contents(mock.root)
        there = sorted(after)
        for number in set(deleted):
            if number < len(there):
                (mock.root / there[number]).unlink()
        made = {p: c for p, c in _clean(trial).items() if world.fits(p)}
        plant(mock.root, made, mtime=BUILT + 80 * 86400)
        left = _contents(mock.root)
        back = mock.bench.updates.back.go(draft.install)
        now = _contents(mock.root)
        barred = {p for w in back.missing for p in (*before, *after) if p in w}
        touched = {m.at.shown for m in plan.changes}
        for path in touched - barred:
            if path in before:
                assert now.get(path) == before[path] or not _may_hold(mock.root, path), path
        for path in set(left) - touched:
            assert now[path] == left[path], path
        kept = {Path(where).read_bytes() for _, where in back.kept if Path(where).is_file()}
        for path, content in made.items():
            data = content.encode() if isinstance(content, str) else content
            assert data in kept or data in now.values() or data in after.values(), path
        assert not mock.bench.shelf.interrupted() and not list(Path(folder).rglob("work-*"))


def _contents(root: Path) -> dict[str, bytes]:
    return {p.relative_to(root).as_posix(): p.read_bytes() for p in root.rglob("*") if p.is_file()}


def _may_hold(root: Path, path: str) -> bool:
    """Whether nothing of the person's lies where a folder or a file must be."""
    target = root / path
    return not target.is_dir() and all(
        not p.is_file() for p in target.parents if p != root and root in p.parents
    )


@settings(max_examples=examples(40))
@given(**worlds)  # type: ignore[arg-type]
def test_without_a_baseline_theirs_is_never_displaced_either(shipped, edits, gone, arriving) -> None:  # type: ignore[no-untyped-def]
    with in_memory() as folder:
        world = World(Path(folder), shipped, edits, gone, arriving)
        mock, theirs = world.mock, world.theirs()
        before = mock.state()
        draft = mock.draft(baseline=False)
        plan = draft.plan({q.id: q.default for q in draft.plan().questions})
        displaced = {m.at.shown: m for m in plan.moves if m.verb in (Verb.REPLACE, Verb.RETIRE)}
        # What lies under a name of the release's is, with neither a baseline nor a time to tell, what the
        # release might have shipped: nobody can know, so it stays in the strongbox until they let go of it.
        patched = {p for p, data in theirs.items() if data.startswith(b"\x7fELF") and p in world.shipped}
        assert not displaced.keys() & (set(theirs) - patched - set(world.arriving))
        assert all(displaced[path].unproven for path in displaced.keys() & set(theirs))
        if not plan.blockers:
            mock.bench.updates.update(plan, draft.install)
            mock.bench.updates.back.go(draft.install)
            assert mock.state() == before


@settings(max_examples=examples(25))
@given(shipped=trees)  # type: ignore[arg-type]
def test_equal_trees_give_an_empty_plan(shipped: Tree) -> None:
    with in_memory() as folder:
        world = World(Path(folder), shipped, {}, [], {})
        world.mock.next = world.mock.base
        plan = world.mock.plan()
        assert not plan.changes and not plan.questions
