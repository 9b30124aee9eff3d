"""The project's own archive over a store's build: fuller, newer, and without what only the store ships."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from tests.evenings.stage import SEEDS, Evening, Names, Tree, seen, sums


def builds(names: Names) -> tuple[Tree, Tree, Tree]:
    """(the store's build, the project's own one, what only the store's ships)."""
    store, own = names.release("6.2"), names.release("6.3")
    for n in range(9):
        own[f"parts/{names.words.invent()}{n}.so"] = names.make.code(f"more {n}")
    link = names.words.invent(2)
    only: Tree = {
        f"{link}_link.so": names.make.code("the store"),
        f"{link}.id": f"{names.rng.randrange(10**6)}\n".encode(),
        f"parts/{link}_sign.so": names.make.code("signs in"),
    }
    return {**store, **only}, own, only


@pytest.mark.parametrize("seed", SEEDS)
@pytest.mark.parametrize("baseline", [True, False], ids=["baseline", "no baseline"])
def test_what_only_the_stores_build_ships_stays(tmp_path: Path, seed: str, *, baseline: bool) -> None:
    evening, names = Evening(tmp_path), Names(f"store {seed}")
    store, own, only = builds(names)
    mine: Tree = {f"{names.saves}/{t}.sav": names.make.memory(2048) for t in names.titles(4)}
    root = evening.lay(f"apps/{names.program}", store)
    evening.lay(f"apps/{names.program}", mine, days=40)
    came = evening.pack(f"in/{names.program}-6.3.zip", own, f"{names.program}-6.3")
    given = ("--baseline", evening.pack("kept/old.zip", store)) if baseline else ()
    before = seen(root)

    plan = evening.ask("plan", root, came, *given, code=None)
    gone = [m["path"] for m in plan["moves"] if m["verb"] == "retire"]
    assert not set(gone) & set(only), f"{gone} would go without a question"
    asked = [q for q in plan["questions"] if set(q["paths"]) & set(only)]
    if baseline:
        assert asked, "the files that only this flavour has are asked about"
    assert len(plan["questions"]) <= 2
    for question in asked:
        assert "flavour" in json.dumps(question) and question["default"] == "keep"

    said = evening.ask("update", root, came, *given, "--yes")
    after = seen(root)
    for path, digest in sums({**only, **mine}).items():
        assert after.get(path) == digest
    assert {p: d for p, d in sums(own).items() if after.get(p) != d} == {}
    assert said["verdict"] == "intact", [c for c in said["checks"] if c["state"] == "failed"]
    evening.run("go-back", root)
    assert seen(root) == before


@pytest.mark.parametrize("seed", SEEDS)
def test_what_a_release_of_the_same_flavour_drops_goes_unasked(tmp_path: Path, seed: str) -> None:
    """An old library that stays could be loaded by accident."""
    evening, names = Evening(tmp_path), Names(f"same {seed}")
    old, new = names.release("6.2"), names.release("6.3")
    old["parts/old_loader.so"] = names.make.code("old")
    new["parts/loader.so"] = names.make.code("new")
    root = evening.lay(f"apps/{names.program}", old)
    evening.lay(f"apps/{names.program}", {f"{names.saves}/a.sav": b"\0" * 512}, days=40)
    came = evening.pack(f"in/{names.program}-6.3.zip", new, f"{names.program}-6.3")
    kept = evening.pack("kept/old.zip", old)
    plan = evening.ask("plan", root, came, "--baseline", kept)
    assert [m["path"] for m in plan["moves"] if m["verb"] == "retire"] == ["parts/old_loader.so"]
    assert plan["questions"] == []
