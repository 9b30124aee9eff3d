"""What was the person's is accounted for, whatever the plan says.

Plans with a fault planted into them are carried out, and the proof tells each, from the disk and the witness.
What is true is read here by code of its own.
"""

from __future__ import annotations

import hashlib
import os
from collections.abc import Callable, Iterable
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest

from left_intact.core.model.errors import LeftIntactError
from tests.builders import LATER, THEIRS, Mock, Tree, plant, release
from tests.routes.beside import MINE, Pier

TITLES = ("ashdown", "bellwire", "cordray", "dunmere")
SAVES: Tree = {f"memory/{title}/board.mem": title.encode() * 100 for title in TITLES}
THE_PERSONS = {**{p: c for p, c in MINE.items() if not p.startswith("cache/")}, **SAVES}
Moves = list[Any]
Plant = Callable[[Moves], Moves]


def paths(moves: Iterable[Any], start: str) -> list[int]:
    """The numbers of moves below a path that have a file to lay."""
    return [n for n, m in enumerate(moves) if m.at.path.startswith(start) and m.source is not None]


def without(start: str, number: int | None = None) -> Plant:
    def planted(moves: Moves) -> Moves:
        gone = set(paths(moves, start)[:number])
        return [m for n, m in enumerate(moves) if n not in gone]

    return planted


def swapped(start: str) -> Plant:
    """Two get each other's content."""

    def planted(moves: Moves) -> Moves:
        a, b = paths(moves, start)[:2]
        one, other = moves[a], moves[b]
        moves[a] = replace(one, source=other.source, after=replace(other.after, path=one.at.path))
        moves[b] = replace(other, source=one.source, after=replace(one.after, path=other.at.path))
        return moves

    return planted


def misnamed(start: str, name: str) -> Plant:
    """One goes under a name that is another's, or nobody's."""

    def planted(moves: Moves) -> Moves:
        at = paths(moves, start)[0]
        one = moves[at]
        place = one.at._replace(path=name)
        moves = [m for m in moves if m.at.path != name]
        at = next(n for n, m in enumerate(moves) if m.at == one.at)
        moves[at] = replace(one, at=place, after=replace(one.after, path=name), before=None)
        return sorted(moves, key=lambda m: m.at)

    return planted


def doubled(start: str) -> Plant:
    """All get the content of the first."""

    def planted(moves: Moves) -> Moves:
        first, *rest = paths(moves, start)
        for n in rest:
            after = replace(moves[first].after, path=moves[n].at.path)
            moves[n] = replace(moves[n], source=moves[first].source, after=after)
        return moves

    return planted


BESIDE: dict[str, Plant] = {
    "one save is dropped": without("memory/", 1),
    "all saves are dropped": without("memory/"),
    "a state is dropped": without("states/"),
    "a settings file of a title is dropped": without("settings/", 1),
    "content is dropped": without("games/", 1),
    "pictures are dropped": without("art/"),
    "a note is dropped": without("notes"),
    "two saves are swapped": swapped("memory/"),
    "two games are swapped": swapped("games/"),
    "a save goes under another title's name": misnamed("memory/", f"memory/{TITLES[2]}/board.mem"),
    "a save goes under a new name": misnamed("memory/", "memory/nobody/board.mem"),
    "one save is laid as all": doubled("memory/"),
}


def told_falsely(root: Path, mine: Tree) -> list[str]:
    """What of theirs does not lie there as it was, by a look of our own."""
    wrong = []
    for path, content in mine.items():
        data = content.encode() if isinstance(content, str) else content
        assert isinstance(data, bytes)
        place = root / path
        lies = place.read_bytes() if place.is_file() else b""
        if hashlib.sha256(lies).digest() != hashlib.sha256(data).digest():
            wrong.append(path)
    return wrong


@pytest.mark.parametrize("kind", [*BESIDE, "nothing is planted"])
def test_beside_each_fault_that_is_planted_is_told(tmp_path: Path, kind: str) -> None:
    pier = Pier(tmp_path, {**MINE, **SAVES})
    mine = {path: c for path, c in THE_PERSONS.items() if path != "mocklet.ini"}  # that one is merged
    plan = pier.plan()
    if planted := BESIDE.get(kind):
        stages = [
            replace(stage, moves=tuple(planted(list(stage.moves)))) if getattr(stage, "moves", ()) else stage
            for stage in plan.stages
        ]
        plan = replace(plan, stages=tuple(stages))
    try:
        proof = pier.bench.updates.update(plan, pier.install).proof
    except LeftIntactError:
        assert planted, "an honest plan is carried out"
        return  # refused whole: nothing was laid
    wrong = told_falsely(pier.new, mine)
    assert bool(wrong) is (planted is not None)
    assert (proof.verdict.value == "broken") is bool(wrong), (wrong, proof.checks)
    for path in wrong:
        named = [*proof.lost, *proof.altered]
        assert any(path in one for one in named), f"{path} is not named in {named}"
    assert not told_falsely(pier.old, mine), "the old folder stays whole"


IN_PLACE = ("retire a save", "lay the arriving over a save", "retire a note", "lay over a state", "nothing")


@pytest.mark.parametrize("kind", IN_PLACE)
def test_in_place_each_fault_that_is_planted_is_told(tmp_path: Path, kind: str) -> None:
    mock = Mock(tmp_path)
    coming = release("1.1")
    mock.arrive(coming)
    plan = mock.plan()
    path = {"retire a note": "notes on harbour.txt", "lay over a state": "states/harbour.state"}.get(
        kind, "saves/mill.sav"
    )
    if kind != "nothing":
        kept = next(m for m in plan.kept if m.at.path == path)
        laid = next(m for m in plan.stages[0].moves if m.at.path == "lib/libpad.so")  # type: ignore[union-attr]
        gone = kind.startswith("retire")
        verb = next(type(laid.verb)(v) for v in (["retire"] if gone else ["replace"]))
        after = None if gone else replace(laid.after, path=path)
        move = replace(kept, verb=verb, after=after, source=None if gone else laid.source)
        stage = replace(
            plan.stages[0], moves=tuple(sorted((*plan.stages[0].moves, move), key=lambda m: m.at))
        )  # type: ignore[union-attr]
        plan = replace(plan, stages=(stage, *plan.stages[1:]), kept=plan.kept.without([move.at]))
    proof = mock.bench.updates.update(plan, mock.install).proof
    wrong = told_falsely(mock.root, THEIRS)
    assert wrong == ([] if kind == "nothing" else [path])
    assert (proof.verdict.value == "broken") is bool(wrong)
    assert all(path in (*proof.lost, *proof.altered) for path in wrong)


def test_what_was_left_behind_is_looked_for_even_if_no_line_of_the_plan_speaks_of_it(tmp_path: Path) -> None:
    """As it was seen: four saves in no line, and the proof called it whole."""
    pier = Pier(tmp_path, {**MINE, **SAVES})
    plan = pier.plan()
    stage = plan.stages[0]
    moves = tuple(m for m in stage.moves if not m.at.path.startswith("memory/"))  # type: ignore[union-attr]
    done = pier.bench.updates.update(
        replace(plan, stages=(replace(stage, moves=moves), *plan.stages[1:])), pier.install
    )
    assert done.proof.verdict.value == "broken"
    assert done.proof.kept.files == len(THE_PERSONS) - len(SAVES) - 1, "but for the merged one"
    check = next(c for c in done.proof.checks if c.name == "accounted for")
    assert "nowhere now" in check.says and "board.mem" in check.says
    assert not os.path.exists(pier.new / "memory")
    assert plant(tmp_path / "x", {"a": "b"}, mtime=LATER)


@pytest.mark.parametrize("dropped", ["what is new", "what is replaced"])
def test_a_release_that_is_laid_in_part_is_never_intact(tmp_path: Path, dropped: str) -> None:
    mock = Mock(tmp_path)
    mock.arrive(release("1.1", **{f"lib__new{n}.so": f"part {n}\n" * 9 for n in range(5)}))
    plan = mock.plan()
    stage = plan.stages[0]
    gone = [
        m for m in stage.moves  # type: ignore[union-attr]
        if ("new" in m.at.path if dropped == "what is new" else m.before is not None)
    ][:5]  # fmt: skip
    assert len(gone) == 5
    stage = replace(stage, moves=tuple(m for m in stage.moves if m not in gone))  # type: ignore[union-attr]
    proof = mock.bench.updates.update(replace(plan, stages=(stage,)), mock.install).proof
    assert proof.verdict.value == "attention"
    assert set(proof.stayed_old) == {m.at.path for m in gone}
