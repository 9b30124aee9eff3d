"""Changed content, fetched into a folder inside the content folder, to be sorted from there: a pocket makes
nobody the owner of what lies in it.
"""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.evenings.stage import SEEDS, Evening, Names, Tree, seen, sums


def scene(evening: Evening, names: Names) -> tuple[Path, str, Tree, Tree]:
    """(the install, its content folder, what I own, the pack): the pack has another of two that I own, the
    very same of one, and forty that I have not.
    """
    home, own = names.content, names.titles(8)
    ends = names.ending
    mine = {f"{home}/{title}{ends}": names.make.noise(900) for title in own}
    pack = {f"{title}{ends}": names.make.noise(950) for title in own[:2]}
    pack |= {f"{own[2]}{ends}": mine[f"{home}/{own[2]}{ends}"]}
    pack |= {f"other {n} {names.words.invent()}{ends}": names.make.noise(700) for n in range(40)}
    place = f"apps/{names.program}"
    root = evening.lay(place, names.release("3.2"))
    evening.lay(place, mine, days=40)
    evening.lay(place, {f"{names.saves}/one": names.make.noise(200)}, days=50)
    evening.run("rule", root, f"{home}/**", "content")
    return root, home, mine, pack


@pytest.mark.sampled(2)
@pytest.mark.parametrize("seed", SEEDS)
@pytest.mark.parametrize("given", ["the pocket", "the archive"])
@pytest.mark.parametrize("nested", ["", "all of it/"])
def test_only_what_replaces_mine_is_mine(tmp_path: Path, seed: str, given: str, nested: str) -> None:
    evening, names = Evening(tmp_path), Names(f"pocket {seed}")
    root, home, mine, pack = scene(evening, names)
    inside = {f"{home}/new this month/{nested}{path}": content for path, content in pack.items()}
    evening.lay(f"apps/{names.program}", inside, days=60)
    archive = evening.pack("in/pack.zip", {f"{nested}{path}": content for path, content in pack.items()})
    place = root / home / "new this month" if given == "the pocket" else archive
    before = seen(root)
    view = evening.ask("pack", root, place)
    kinds = [line["kind"] for line in view["lines"]] if "lines" in view else []
    if kinds:
        assert kinds.count("mine") == 2 and kinds.count("same") == 1 and kinds.count("lacking") == 40
    said = evening.ask("pack", root, place, "--lay")
    after = seen(root)
    assert said["verdict"] == "intact", said["checks"]
    fresh = {f"{home}/{path}" for path in list(pack)[:2]}
    for path, digest in sums(mine).items():
        wanted = sums({path: pack[path.rpartition("/")[2]]})[path] if path in fresh else digest
        assert after[path] == wanted
    if given == "the pocket":
        assert not [path for path in after if "new this month" in path], "the rest is set aside"
        assert len(after) == len(before) - len(inside)
    else:
        assert all(after[path] == digest for path, digest in sums(inside).items())
    evening.run("go-back", root)
    assert seen(root) == before


@pytest.mark.parametrize("seed", SEEDS)
def test_the_content_folder_itself_is_no_pack(tmp_path: Path, seed: str) -> None:
    evening, names = Evening(tmp_path), Names(f"own {seed}")
    root, home, _, _ = scene(evening, names)
    before = seen(root)
    _, wrong = evening.run("pack", root, root / home, "--lay", code=None)
    assert "it is what you own" in wrong and seen(root) == before
