"""Without a baseline, as most people are: what may be theirs is never displaced by a default."""

from __future__ import annotations

import sqlite3
from pathlib import Path

import pytest

from tests.evenings.stage import SEEDS, Evening, Names, Tree, seen, sums


def database(folder: Path, rows: int) -> bytes:
    place = folder / f"made-{rows}.db"
    with sqlite3.connect(place) as db:
        db.execute("CREATE TABLE shelf (title TEXT, played INTEGER)")
        db.executemany("INSERT INTO shelf VALUES (?, ?)", [(f"title {n}", n) for n in range(rows)])
    db.close()
    return place.read_bytes()


def commands(names: Names, number: int) -> bytes:
    verbs = [names.words.invent() for _ in range(3)]
    rows = [
        f'{names.rng.choice(verbs)} {names.words.invent(1)} "{names.rng.randrange(90)}"'
        for _ in range(number)
    ]
    return ("// what each key does\n" + "\n".join(rows) + "\n").encode()


@pytest.mark.sampled(3)
@pytest.mark.parametrize("seed", SEEDS)
@pytest.mark.parametrize("times", ["silent", "as packed"])
@pytest.mark.parametrize("place", ["at the root", "in data", "in a folder of its own"])
def test_settings_of_any_form_and_databases_stay(tmp_path: Path, seed: str, times: str, place: str) -> None:
    evening, names = Evening(tmp_path), Names(f"alone {seed}")
    folder = {"at the root": "", "in data": "data/"}.get(place, f"{names.words.invent()}/")
    keys, shelf = f"{folder}{names.words.invent()}.txt", f"{folder}{names.words.invent()}.db"
    old, new = names.release("1.8"), names.release("1.9")
    pictures = [f"data/{names.words.invent()}{n}.png" for n in range(30)]
    for tree, rows in ((old, 3), (new, 5)):
        tree[keys], tree[shelf] = commands(names, 20), database(tmp_path, rows)
        tree |= {path: names.make.picture() for path in pictures}
    mine: Tree = {keys: commands(names, 24), shelf: database(tmp_path, 163)}
    later = 0 if times == "silent" else 90
    root = evening.lay(f"apps/{names.program}", old)
    evening.lay(f"apps/{names.program}", {**mine, f"{names.saves}/a.sav": b"\0" * 512}, days=later)
    came = evening.pack(f"in/{names.program}-1.9.zip", new, f"{names.program}-1.9")
    before = seen(root)

    plan = evening.ask("plan", root, came, code=None)
    assert len(plan["questions"]) <= 2
    for question in plan["questions"]:
        default = question["leads_to"][question["options"].index(question["default"])]
        if {keys, shelf} & set(question["paths"]):
            assert "stay" in default, question
    said = evening.ask("update", root, came, "--yes", code=None)
    after = seen(root)
    for path, digest in sums(mine).items():
        assert after[path] == digest, f"{path} was displaced by a default"
    assert said["verdict"] in ("intact", "attention")
    evening.run("go-back", root)
    assert seen(root) == before
