"""A graft: the program out of somebody's tree, into one numbered folder of many. Their account stays out."""

from __future__ import annotations

import os
from pathlib import Path

import pytest

from tests.evenings.stage import BUILT, DAY, SEEDS, Evening, Names, Tree, seen, sums


def theirs(names: Names, who: str, days: int) -> Tree:
    """What a year of somebody's use leaves: an account, saves, settings."""
    settings = f"[login]\nname = {who}\ntoken = {names.rng.randrange(16**12):012x}\nscale = {days}\n"
    return {
        f"{names.settings}/account.ini": settings.encode(),
        **{f"{names.saves}/{title}{names.make.rng.choice(('', '.1'))}": names.make.noise(640 + days)
           for title in names.titles(3)},
    }  # fmt: skip


def used(evening: Evening, place: str, tree: Tree, names: Names, days: int) -> None:
    """Each file at a time of its own, as by use."""
    root = evening.lay(place, tree, days=days)
    for path in sorted(tree):
        when = BUILT + (days + names.rng.randrange(80)) * DAY
        os.utime(root / path, (when, when))


@pytest.mark.parametrize("seed", SEEDS)
@pytest.mark.parametrize("known", [True, False], ids=["baseline", "no baseline"])
def test_only_the_program_comes_out_of_somebodys_tree(tmp_path: Path, seed: str, known: bool) -> None:
    evening, names = Evening(tmp_path), Names(f"graft {seed}")
    old, new = names.release("1.4"), names.release("1.6")
    numbers = names.rng.sample(range(1000, 9000), 5)
    place = f"prefixes/{numbers[2]}/inside/{names.program}"
    mine, others = theirs(names, "Wilma", 60), theirs(names, "Ottoline", 90)
    root = evening.lay(place, old)
    used(evening, place, mine, names, 60)
    for number in numbers[:2] + numbers[3:]:  # as many prefixes of other things
        evening.lay(f"prefixes/{number}/inside/{names.words.invent()}", {"run.txt": b"other\n"}, days=3)
    donor = evening.lay(f"from the attic/{names.program}", new, days=150)
    used(evening, f"from the attic/{names.program}", others, names, 220)
    around, lent = seen(tmp_path / "prefixes"), seen(donor)
    given = ("--baseline", evening.pack("kept/old.zip", old)) if known else ()

    said = evening.ask("update", root, donor, *given, "--yes")

    after = seen(root)
    assert said["verdict"] == "intact", said["checks"]
    assert all(after[path] == digest for path, digest in sums(mine).items())
    assert all(after[path] == digest for path, digest in sums(new).items())
    assert set(after) == {*new, *mine, *(set(old) - set(new))}
    everything = b"".join(path.read_bytes() for path in root.rglob("*") if path.is_file())
    assert b"Ottoline" not in everything
    rest = {p: d for p, d in seen(tmp_path / "prefixes").items() if not p.startswith(str(numbers[2]))}
    assert rest == {p: d for p, d in around.items() if not p.startswith(str(numbers[2]))}
    assert seen(donor) == lent
    evening.run("go-back", root)
    assert seen(tmp_path / "prefixes") == around
