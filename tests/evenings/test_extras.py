"""A pack of extras for a program, with nothing on record: it is no release of it, whatever version it bears,
and what is there of the same name stays mine.
"""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.evenings.stage import SEEDS, Evening, Names, Tree, seen, sums


def scene(evening: Evening, names: Names, *, mine: int, count: int) -> tuple[Path, Tree, Tree]:
    """(the install, texts of mine, the pack): of the texts of mine half are as the pack has them."""
    folder, titles = names.words.folder("patches"), names.titles(count)
    texts = {f"{folder}/{t}.txt": f"mine for {t}\n".encode() * 3 for t in titles[:mine]}
    place = f"apps/{names.program}"
    root = evening.lay(place, names.release("3.2"))
    evening.lay(place, texts, days=30)
    evening.lay(
        place, {f"{names.saves}/{t}{names.ending}": names.make.noise(300) for t in titles[:3]}, days=40
    )
    pack = {f"{folder}/{t}.txt": f"shared for {t}\n".encode() * 4 for t in titles}
    pack |= dict(list(texts.items())[::2])
    return root, texts, pack


@pytest.mark.sampled(2)
@pytest.mark.parametrize("seed", SEEDS)
@pytest.mark.parametrize("says", ["nothing", "version.txt", "VERSION"])
@pytest.mark.parametrize(("mine", "count"), [(6, 40), (6, 9), (7, 7)], ids=["many", "some", "all are here"])
def test_nothing_of_mine_gives_way_and_no_version_is_raised(
    tmp_path: Path, seed: str, says: str, mine: int, count: int
) -> None:
    evening, names = Evening(tmp_path), Names(f"extras {seed}")
    root, texts, pack = scene(evening, names, mine=mine, count=count)
    if says != "nothing":
        pack[says] = b"2026.1\n"
    came = evening.pack("in/shared pack 2026.1.zip", pack)
    before = seen(root)
    assert evening.ask("survey", root)["version"]["text"] == "3.2"
    plan = evening.ask("plan", root, came, code=None)
    assert plan["from"] == plan["to"] == "3.2" if "from" in plan else True
    said = evening.ask("update", root, came, "--yes", code=None)
    after = seen(root)
    assert all(after[path] == digest for path, digest in sums(texts).items()), "mine stays, by default"
    assert set(before) <= set(after), "nothing is taken away"
    changed = [path for path in before if after[path] != before[path]]
    assert not changed
    if said.get("verdict"):
        assert said["verdict"] == "intact", said["checks"]
        new = {path: digest for path, digest in sums(pack).items() if path not in before}
        assert all(after[path] == digest for path, digest in new.items()), "the rest of it is laid"
    assert evening.ask("survey", root)["version"]["text"] == "3.2"
    assert evening.ask("shelf")["installs"][0]["version"] == "3.2"
    if after != before:
        evening.run("go-back", root)
    assert seen(root) == before


@pytest.mark.parametrize("seed", SEEDS)
def test_a_build_of_the_program_is_still_one(tmp_path: Path, seed: str) -> None:
    evening, names = Evening(tmp_path), Names(f"extras {seed}")
    root, texts, pack = scene(evening, names, mine=6, count=9)
    came = evening.pack(f"in/{names.program}-3.3.zip", {**names.release("3.3"), **pack})
    said = evening.ask("update", root, came, "--yes")
    after = seen(root)
    assert said["verdict"] == "intact" and said["version"]["after"] == "3.3"
    assert all(after[path] == digest for path, digest in sums(texts).items())


@pytest.mark.parametrize("seed", SEEDS)
@pytest.mark.parametrize("kind", ["a build that calls its code otherwise", "a mod over most of it"])
def test_what_covers_most_and_brings_other_code_is_asked(tmp_path: Path, seed: str, kind: str) -> None:
    evening, names = Evening(tmp_path), Names(f"otherwise {seed}")
    data = {f"data/{names.words.invent()}{n}.pak": names.make.noise(900) for n in range(30)}
    old = {f"bin/{names.words.invent()}.so": names.make.code("1.0") for _ in range(3)}
    mine = {f"{names.saves}/one": names.make.noise(300)}
    place = f"apps/{names.program}"
    root = evening.lay(place, {**old, **data, "VERSION": b"1.0\n"})
    evening.lay(place, mine, days=20)
    other = {path: names.make.noise(901) for path in list(data)[:24]}
    if kind.startswith("a build"):
        other = {path: names.make.noise(901) for path in data} | {"VERSION": b"2.0\n"}
    other |= {f"bin/{names.words.invent()}.so": names.make.code("2.0")}
    came = evening.pack("in/bigger sky 2.0.zip", other)
    before = seen(root)
    plan = evening.ask("plan", root, came, code=None)
    assert [question["id"] for question in plan["questions"]] == ["patch"]
    said = evening.ask("update", root, came, "--yes")
    after = seen(root)
    assert set(before) <= set(after), "nothing goes by default"
    assert all(after[path] == digest for path, digest in sums({**mine, **other}).items())
    assert said["verdict"] == "intact", said["checks"]
    raised = "2.0" if "VERSION" in other else "1.0"
    assert said["version"]["after"] == raised == evening.ask("shelf")["installs"][0]["version"]
    evening.run("go-back", root)
    assert seen(root) == before
