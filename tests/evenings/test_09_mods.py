"""A mod over its host: it is no release of it, whatever version it bears."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.evenings.stage import SEEDS, Evening, Names, Tree, seen, sums


def game(names: Names) -> tuple[Tree, list[str]]:
    folders = [names.words.invent() for _ in range(3)]
    tree: Tree = {names.program: b'#!/bin/sh\nVERSION="2.14"\n', "version.txt": b"2.14\n"}
    for folder in folders:
        tree[f"{folder}/{names.words.invent()}.dll"] = names.make.windows_code("part")
        for n in range(9):
            tree[f"{folder}/{names.words.invent(1)}{n}.pak"] = names.make.noise(3000)
    return tree, folders


@pytest.mark.sampled(2)
@pytest.mark.parametrize("seed", SEEDS)
@pytest.mark.parametrize("says", ["readme", "version file"])
@pytest.mark.parametrize("code", [True, False], ids=["code", "data"])
def test_its_version_never_becomes_the_hosts(tmp_path: Path, seed: str, says: str, *, code: bool) -> None:
    evening, names = Evening(tmp_path), Names(f"mod {seed}")
    tree, folders = game(names)
    mod: Tree = {f"{f}/{names.words.invent()}.pak": names.make.noise(2000) for f in folders for _ in range(3)}
    replaced = next(p for p in tree if p.endswith(".pak"))
    mod[replaced] = names.make.noise(2100)
    if code:
        hook = next(p for p in tree if p.endswith(".dll"))
        mod |= {
            hook: names.make.windows_code("hook"),
            f"{folders[1]}/{names.words.invent()}.dll": b"MZ" + b"x" * 900,
        }
    mod["remove old version.sh"] = b"#!/bin/sh\nrm -f old\n"
    if says == "readme":
        mod["readme.txt"] = b"Better fog 7.3\nUnpack over the game.\n"
    else:
        mod[f"{folders[0]}/version.txt"] = b"7.3\n"
    root = evening.lay(f"games/{names.program}", tree)
    mine: Tree = {f"{names.settings}/wheel.ini": b"[wheel]\nturn = 900\n"}
    evening.lay(f"games/{names.program}", mine, days=30)
    came = evening.pack("in/better fog 7.3.zip", mod)
    before = seen(root)
    assert evening.ask("survey", root)["version"]["text"] == "2.14"
    said = evening.run("update", root, came, "--yes", code=None)
    after = seen(root)
    laid = [path for path, digest in sums(mod).items() if after.get(path) == digest]
    assert len(laid) in (0, len(mod)), f"laid in part: {len(laid)} of {len(mod)}: {said}"
    assert all(after.get(path) == digest for path, digest in sums(mine).items())
    assert set(before) <= set(after)
    assert evening.ask("survey", root)["version"]["text"] == "2.14"
    assert evening.ask("shelf")["installs"][0]["version"] == "2.14"
    if laid:
        evening.run("go-back", root)
    assert seen(root) == before
