"""A title's update over the title: folders over folders of the same names, laid whole or not at all."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.evenings.stage import SEEDS, Evening, Names, Tree, seen, sums


def title(names: Names, *, code: bool) -> tuple[Tree, Tree, str]:
    """(a title in several folders, an update of it, where its version stands)."""
    folders = [names.words.invent() for _ in range(3)]
    tree: Tree = {f"{names.program}.exe": names.make.windows_code("title")}
    for folder in folders:
        for n in range(8):
            tree[f"{folder}/{names.words.invent(1)}{n}.pak"] = names.make.noise(4000)
    place = f"{folders[1]}/{names.rng.choice(('version.txt', 'VERSION', 'release.txt'))}"
    tree[place] = b"1.04\n"
    changed = names.rng.sample([p for p in tree if p.endswith(".pak")], 7)
    for folder in folders[:2]:
        tree[f"{folder}/{names.words.invent()}.dll"] = names.make.windows_code("part")
    update = {path: names.make.noise(4000) for path in changed} | {place: b"1.05\n"}
    if code:
        update |= {path: names.make.windows_code("1.05") for path in tree if path.endswith((".dll", ".exe"))}
    update[f"{folders[2]}/added.pak"] = names.make.noise(900)
    return tree, update, place


@pytest.mark.sampled(2)
@pytest.mark.parametrize("seed", SEEDS)
@pytest.mark.parametrize("wrapper", ["", "update 1.05"])
@pytest.mark.parametrize("code", [True, False], ids=["code", "data"])
def test_it_is_laid_whole_and_its_own_file_says_the_version(
    tmp_path: Path, seed: str, wrapper: str, *, code: bool
) -> None:
    evening, names = Evening(tmp_path), Names(f"title {seed}")
    tree, update, place = title(names, code=code)
    mine: Tree = {f"{names.saves}/{key}/data": names.make.noise(700) for key in ("a81f", "b220")}
    root = evening.lay(f"titles/{names.program}", tree)
    evening.lay(f"titles/{names.program}", mine, days=30)
    came = evening.pack("in/update.zip", update, wrapper)
    before = seen(root)
    said = evening.ask("update", root, came, "--yes", code=None)
    after = seen(root)
    laid = [path for path, digest in sums(update).items() if after.get(path) == digest]
    assert len(laid) in (0, len(update)), f"laid in part: {len(laid)} of {len(update)}"
    assert laid, said
    assert said["verdict"] == "intact", [c for c in said["checks"] if c["state"] == "failed"]
    assert all(after.get(path) == digest for path, digest in sums(mine).items())
    assert set(before) <= set(after), "nothing is taken away for an update that brings a part"
    if place.endswith(("version.txt", "VERSION")):
        assert evening.ask("shelf")["installs"][0]["version"] == "1.05"
    evening.run("go-back", root)
    assert seen(root) == before


@pytest.mark.sampled(4)
@pytest.mark.parametrize("seed", SEEDS)
@pytest.mark.parametrize("shape", ["few files", "beside a readme", "in two folders", "a folder deeper here"])
@pytest.mark.parametrize("code", [True, False], ids=["code", "data"])
def test_it_is_laid_whole_or_not_called_intact(tmp_path: Path, seed: str, shape: str, *, code: bool) -> None:
    """Whatever it is packed like: never a part of it that is called whole."""
    evening, names = Evening(tmp_path), Names(f"shape {seed}")
    tree, update, place = title(names, code=code)
    if shape == "few files":
        few = [p for p in update if p.endswith(".dll")][:2] or [p for p in update if p.endswith(".pak")][:2]
        update = {path: update[path] for path in (*few, place)}
    packed = {f"payload/{path}": content for path, content in update.items()} if "readme" in shape else update
    packed = {f"a/b/{path}": content for path, content in update.items()} if "two" in shape else packed
    if "readme" in shape:
        packed["readme.txt"] = b"Copy what is in payload over the title.\n"
    if "deeper" in shape:
        tree = {f"title/{path}": content for path, content in tree.items()}
    root = evening.lay(f"titles/{names.program}", tree)
    evening.lay(f"titles/{names.program}", {f"{names.saves}/slot1/data": b"mine" * 90}, days=30)
    came = evening.pack("in/update.zip", packed)
    if "deeper" in shape:
        update = {f"title/{path}": content for path, content in update.items()}
    before = seen(root)
    out, wrong = evening.run("update", root, came, "--yes", "--json", code=None)
    after = seen(root)
    laid = [path for path, digest in sums(update).items() if after.get(path) == digest]
    if len(laid) != len(update):
        refused = seen(root) == before and bool(wrong)
        assert refused or '"intact"' not in out, f"{len(laid)} of {len(update)} laid, and called intact"
    assert before.get(f"{names.saves}/slot1/data") == after.get(f"{names.saves}/slot1/data")
    if after != before:
        evening.run("go-back", root)
    assert seen(root) == before
