"""The monthly build, into a folder of its own that was started once already."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.evenings.stage import SEEDS, Evening, Names, Tree, seen, sums


@pytest.fixture
def evening(tmp_path: Path) -> Evening:
    return Evening(tmp_path)


def saves_by_title(names: Names, number: int = 9, alone: int = 4) -> Tree:
    """A save for each title, in a folder of the title's name; `alone` of those folders hold nothing else."""
    found: Tree = {}
    for at, title in enumerate(names.titles(number)):
        found[f"{names.saves}/{title}/{names.file}"] = names.make.memory(2048)
        if at >= alone:
            found[f"{names.saves}/{title}/{names.words.invent()}.txt"] = names.make.text(title)
    return found


@pytest.mark.parametrize("seed", SEEDS)
@pytest.mark.parametrize("baseline", [True, False], ids=["baseline", "no baseline"])
def test_each_save_stays_under_its_own_titles_name(evening: Evening, seed: str, *, baseline: bool) -> None:
    names = Names(seed)
    mine, old, new = saves_by_title(names), names.release("3.1"), names.release("3.2")
    games = {f"{names.content}/{path.split('/')[1]}{names.ending}": names.make.noise(9000) for path in mine}
    was = evening.lay(f"pier/{names.program}-3.1", old)
    evening.lay(f"pier/{names.program}-3.1", {**mine, **games}, days=90)
    now = evening.lay(f"pier/{names.program}-3.2", new, days=200)
    one = next(iter(mine))
    evening.lay(f"pier/{names.program}-3.2", {one: b"\0" * 2048}, days=203)
    kept = evening.pack("kept/old.zip", old, f"{names.program}-3.1")
    came = evening.pack(f"kept/{names.program}-3.2.zip", new, f"{names.program}-3.2")
    before, there = seen(was), seen(now)
    given = ("--baseline", kept) if baseline else ()

    said = evening.ask("update", was, came, "--route", "side-by-side", "--into", now, *given, "--yes")

    after = seen(now)
    for path, digest in sums({**mine, **games}).items():
        assert after.get(path) == digest, f"{path} is not what it was"
    assert seen(was) == before
    assert said["verdict"] == "intact" and said["lost"] == [] and said["altered"] == []
    _, wrong = evening.run("survey", was, code=3)
    assert "old folder of" in wrong and "go back" in wrong.lower()
    assert len(evening.ask("shelf")["installs"]) == 1
    assert evening.ask("go-back", now)["version"] == "3.1"
    assert [Path(one["root"]) for one in evening.ask("shelf")["installs"]] == [was]
    assert seen(was) == before and seen(now) == there
