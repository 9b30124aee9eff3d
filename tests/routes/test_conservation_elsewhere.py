"""What was the person's is accounted for on the routes that lay parts, updates, packs, somebody's tree, or
put all back after a removal: a fault that is planted into the plan is told by name.

The planters and their checker know no planning and no proving: only moves, and the disk.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest

from left_intact.core.model.errors import LeftIntactError
from left_intact.core.model.plan import Route
from left_intact.core.planning.routes import registry
from left_intact.core.planning.routes.clear_and_restore import RESTORE
from left_intact.core.planning.routes.registry import planner_named
from tests.builders import LATER, Tree, plant, zipped
from tests.routes.handhelds import MINE as CONSOLES
from tests.routes.handhelds import SHEET, STARTED, Console
from tests.routes.house import MINE as HOUSES
from tests.routes.house import House, core
from tests.routes.ladders import MINE as RALLYS
from tests.routes.ladders import Rally
from tests.routes.test_conservation import told_falsely
from tests.routes.test_graft import MINE as LOOMS
from tests.routes.test_graft import Loom

Scene = tuple[Any, Any, Path, Tree, Callable[[], Path]]
"""(bench and install, the plan, the folder, the person's files that the plan leaves alone, where it lies)."""
SAVED: dict[str, str] = {"a save": "saves/", "a second save": "saves/", "a note": "", "a picture": ""}


def part(folder: Path) -> tuple[Any, Any, Path, Tree]:
    house = House(folder)
    came = house.comes("otter-machine-1.3.2.so", core("otter", "1.3.2"))
    draft = house.draft(came)
    return house, draft.plan({q.id: q.default for q in draft.plan().questions}), house.root, HOUSES


def ladder(folder: Path) -> tuple[Any, Any, Path, Tree]:
    rally = Rally(folder)
    return rally, rally.plan(), rally.root, {p: c for p, c in RALLYS.items() if p != "rally.ini"}


def graft(folder: Path) -> tuple[Any, Any, Path, Tree]:
    loom = Loom(folder)
    return loom, loom.plan(), loom.root, LOOMS


def pack(folder: Path) -> tuple[Any, Any, Path, Tree]:
    rally = Rally(folder)
    mine: Tree = {f"games/title {n}.cart": f"cart {n} ".encode() * 90 for n in range(6)}
    plant(rally.root, mine, mtime=LATER)
    rally.bench.surveys.rule(rally.install, "games/", "content")
    survey = rally.bench.surveys.survey(rally.install)
    path = zipped({"games/title 1.cart": b"cart 1, mended " * 90}, folder / "pack.zip")
    view = rally.bench.outlets.pack(rally.install, str(path), survey)
    plan = rally.bench.outlets.pack_plan(rally.install, view, survey)
    rest = {p: c for p, c in RALLYS.items() if p != "rally.ini"}
    return rally, plan, rally.root, rest | {p: c for p, c in mine.items() if p != "games/title 1.cart"}


ROUTES = {"single part": part, "ladder": ladder, "graft": graft, "content pack": pack}


def _kept_of(plan: Any, path: str) -> Any:
    return next(m for m in plan.kept if m.at.path == path)


def _source(plan: Any) -> Any:
    """Something that the plan lays, whose bytes can be laid elsewhere too, and the number of its stage."""
    for n, stage in enumerate(plan.stages):
        for move in getattr(stage, "moves", ()):
            if move.source is not None and move.verb.value in ("replace", "add"):
                return n, move
    raise AssertionError("the plan lays nothing")


def retired(plan: Any, path: str) -> tuple[int, list[Any]]:
    number, laid = _source(plan)
    return number, [replace(_kept_of(plan, path), verb=type(laid.verb)("retire"), after=None, source=None)]


def laid_over(plan: Any, path: str) -> tuple[int, list[Any]]:
    number, laid = _source(plan)
    after = replace(laid.after, path=path)
    verb = type(laid.verb)("replace")
    return number, [replace(_kept_of(plan, path), verb=verb, after=after, source=laid.source)]


def renamed_away(plan: Any, path: str) -> tuple[int, list[Any]]:
    """It goes, and something else lies beside it under a name like it."""
    number, moves = retired(plan, path)
    _, laid = _source(plan)
    beside = replace(
        laid, at=moves[0].at._replace(path=f"{path}.1"), after=replace(laid.after, path=f"{path}.1"),
        before=None, verb=type(laid.verb)("add"),
    )  # fmt: skip
    return number, [*moves, beside]


PLANTS = {"is retired": retired, "is laid over": laid_over, "goes beside": renamed_away}


@pytest.mark.sampled(8)
@pytest.mark.parametrize("which", [0, -1], ids=["the first of theirs", "the last of theirs"])
@pytest.mark.parametrize("kind", PLANTS)
@pytest.mark.parametrize("route", ROUTES)
def test_each_fault_that_is_planted_is_told(tmp_path: Path, route: str, kind: str, which: int) -> None:
    it, plan, root, mine = ROUTES[route](tmp_path)
    known = {m.at.path for m in plan.kept}
    path = sorted(p for p in mine if p in known)[which]
    number, moves = PLANTS[kind](plan, path)
    stage = plan.stages[number]
    stage = replace(stage, moves=tuple(sorted((*stage.moves, *moves), key=lambda m: m.at)))
    stages = (*plan.stages[:number], stage, *plan.stages[number + 1 :])
    plan = replace(plan, stages=stages, kept=plan.kept.without([m.at for m in moves]))
    proof = it.bench.updates.update(plan, it.install).proof
    assert told_falsely(root, mine) == [path]
    assert proof.verdict.value == "broken", proof.checks
    assert path in (*proof.lost, *proof.altered)


@pytest.mark.parametrize("route", ROUTES)
def test_an_honest_plan_is_intact(tmp_path: Path, route: str) -> None:
    it, plan, root, mine = ROUTES[route](tmp_path)
    proof = it.bench.updates.update(plan, it.install).proof
    assert proof.verdict.value == "intact" and not told_falsely(root, mine)


# ---------------------------------------------------------------- after a removal

LIES = {
    "cards/b044/card.bin": CONSOLES["cards/7f3a/card.bin"],
    "cards/c155/card.bin": CONSOLES["cards/9c21/card.bin"],
    "states/salt-road.state": CONSOLES["states/salt-road.state"],
    "pads/left.pad": CONSOLES["pads/left.pad"],
}
"""Where theirs has to lie once the new build has made its ids."""
Moves = list[Any]


def _number(moves: Moves, path: str) -> int:
    return next(n for n, m in enumerate(moves) if m.at.path == path)


def dropped(path: str) -> Callable[[Moves], Moves]:
    return lambda moves: [m for m in moves if m.at.path != path]


def all_dropped(moves: Moves) -> Moves:
    return []


def swapped(one: str, other: str) -> Callable[[Moves], Moves]:
    """Each gets the content of the other, under its own name."""

    def planted(moves: Moves) -> Moves:
        a, b = _number(moves, one), _number(moves, other)
        x, y = moves[a], moves[b]
        moves[a] = replace(x, source=y.source, after=replace(y.after, path=one))
        moves[b] = replace(y, source=x.source, after=replace(x.after, path=other))
        return moves

    return planted


def keys_swapped(moves: Moves) -> Moves:
    """All of one title goes to the other's id, as if that were its own."""
    for name in ("card.bin", "title.txt"):
        one, other = f"cards/b044/{name}", f"cards/c155/{name}"
        there = {m.at.path: m for m in moves}
        if one not in there or other not in there:  # the titles' names lie there already, and may be left
            continue
        moves = swapped(one, other)(moves)
    return moves


def misnamed(path: str, name: str) -> Callable[[Moves], Moves]:
    def planted(moves: Moves) -> Moves:
        at = _number(moves, path)
        one = moves[at]
        moves[at] = replace(
            one, at=one.at._replace(path=name), after=replace(one.after, path=name), before=None,
            verb=type(one.verb)("carry"),
        )  # fmt: skip
        return sorted(moves, key=lambda m: m.at)

    return planted


RESTORING: dict[str, Callable[[Moves], Moves]] = {
    "a save does not come back": dropped("cards/b044/card.bin"),
    "a state does not come back": dropped("states/salt-road.state"),
    "a set-up does not come back": dropped("pads/left.pad"),
    "nothing comes back": all_dropped,
    "two saves are swapped": swapped("cards/b044/card.bin", "cards/c155/card.bin"),
    "two titles go to each other's ids": keys_swapped,
    "a save and a state are swapped": swapped("cards/b044/card.bin", "states/salt-road.state"),
    "a save goes under a name of nobody's": misnamed("cards/b044/card.bin", "cards/ffff/card.bin"),
    "a state goes under another name": misnamed("states/salt-road.state", "states/moth-hour.state"),
}


@pytest.mark.parametrize("kind", [*RESTORING, "nothing is planted"])
def test_what_is_put_back_falsely_is_told(tmp_path: Path, monkeypatch: pytest.MonkeyPatch, kind: str) -> None:
    console = Console(tmp_path)
    planted = RESTORING.get(kind)
    if planted is not None:
        honest = registry.deferred_planner(RESTORE)
        route = planner_named(Route.CLEAR_AND_RESTORE)

        def draw(situation: Any) -> Any:
            drawn = honest(situation)
            moves = tuple(planted(list(drawn.change_set.moves)))
            return replace(drawn, change_set=replace(drawn.change_set, moves=moves))

        class Lying(type(route)):  # type: ignore[misc]
            later = {**route.later, RESTORE: draw}

        others = (one for one in registry.ROUTES if one is not route)
        monkeypatch.setattr(registry, "ROUTES", (Lying(), *others))
    assert set(STARTED) > {"cards/b044/card.bin"}
    try:
        proof = console.whole().proof
    except LeftIntactError:
        assert planted, "an honest plan is carried out"
        return
    wrong = told_falsely(console.root, LIES)
    assert bool(wrong) is (planted is not None)
    assert (proof.verdict.value == "broken") is bool(wrong), proof.checks
    trouble = sum(line.trouble for line in proof.ledger)
    assert bool(trouble) is bool(wrong), "the ledger says the same as the verdict"
    names = " ".join((*proof.lost, *proof.altered))
    for path in wrong:
        told = [p for p, c in CONSOLES.items() if c == LIES[path]]
        assert path in names or any(p in names for p in told), f"{path} is not named in {names}"


def test_what_the_plan_forgot_to_make_safe_is_made_safe_all_the_same(tmp_path: Path) -> None:
    """A save that no line of the plan speaks of is copied before the removal, and comes back."""
    console = Console(tmp_path)
    plan = console.plan()
    first = plan.stages[0]
    moves = tuple(m for m in first.moves if m.at.path != "cards/7f3a/card.bin")  # type: ignore[union-attr]
    plan = replace(plan, stages=(replace(first, moves=moves), *plan.stages[1:]))
    console.bench.updates.update(plan, console.install)
    console.swap()
    console.start()
    proof = console.go_on().proof
    assert not told_falsely(console.root, LIES) and proof.verdict.value == "intact"


def test_what_the_person_left_to_go_is_named_and_no_loss(tmp_path: Path) -> None:
    console = Console(tmp_path)
    console.begin({"save-states": "leave"})
    console.swap()
    console.start()
    proof = console.go_on().proof
    assert proof.verdict.value != "broken"
    check = next(c for c in proof.checks if c.name == "accounted for")
    assert "states/salt-road.state" in check.says and "as you answered" in check.says


def test_what_is_played_during_a_step_after_the_restore_is_no_loss(tmp_path: Path) -> None:
    sheet = SHEET + '\n[[step]]\nid = "test"\ndo = "test it with a title"\nappears = "tested"\n'
    console = Console(tmp_path, sheet)
    console.whole()
    assert console.step() == "test"
    played, gone = "cards/b044/card.bin", "states/salt-road.state"
    plant(console.root, {played: b"\x55" * 700, "tested": "1\n"}, mtime=LATER + 900)
    (console.root / gone).unlink()
    outcome = console.go_on()
    assert outcome.proof.verdict.value != "broken", outcome.proof.checks
    check = next(c for c in outcome.proof.checks if c.name == "accounted for")
    assert gone in check.says and "during a step of yours" in check.says
