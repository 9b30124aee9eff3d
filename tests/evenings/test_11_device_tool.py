"""The device tool beside: settings, what was read out of the device, and titles with artwork won slowly."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.evenings.stage import SEEDS, Evening, Names, Tree, seen, sums

READ_OUT = ("dumps", "dump", "read out", "backup", "device", "nand", "extracted", "temp keys")
"""What people and tools call a folder for what was read out of a device; none of these can be made again."""


def lived_in(names: Names, folder: str) -> tuple[Tree, int]:
    """What somebody has, and how many titles there are."""
    titles = names.titles(12)
    tree: Tree = {
        f"{names.settings}/main.ini": b"[main]\nport = 2\n",
        f"{folder}/boot.bin": names.make.noise(16_384),
        f"{folder}/keys.txt": names.make.text("0a 1b 2c"),
        f"{folder}/{names.words.invent()}": names.make.noise(3_000),
    }
    for title in titles:
        tree[f"{names.content}/{title}{names.ending}"] = names.make.noise(20_000)
        tree[f"{names.pictures}/{title}.png"] = names.make.picture()
    return tree, len(titles)


@pytest.mark.sampled(4)
@pytest.mark.parametrize("folder", READ_OUT)
@pytest.mark.parametrize("baseline", [True, False], ids=["baseline", "no baseline"])
def test_all_of_it_is_carried_above_all_what_was_read_out(
    tmp_path: Path, folder: str, *, baseline: bool
) -> None:
    evening, names = Evening(tmp_path), Names(f"device {folder}")
    mine, _ = lived_in(names, folder)
    old, new = names.release("1.4"), names.release("1.5")
    was = evening.lay(f"tools/{names.program}-1.4", old)
    evening.lay(f"tools/{names.program}-1.4", mine, days=60)
    came = evening.pack(f"in/{names.program}-1.5.zip", new, f"{names.program}-1.5")
    kept = evening.pack("kept/old.zip", old, f"{names.program}-1.4")
    before = seen(was)
    given = ("--baseline", kept) if baseline else ()
    said = evening.ask("update", was, came, "--route", "side-by-side", *given, "--yes")
    now = was.with_name(f"{names.program}-1.5")
    after = seen(now)
    missing = [path for path, digest in sums(mine).items() if after.get(path) != digest]
    assert not missing and seen(was) == before
    assert said["verdict"] == "intact"
    evening.run("go-back", now)
    assert seen(was) == before and not now.exists()


@pytest.mark.parametrize("seed", SEEDS)
def test_there_are_as_many_titles_as_there_are(tmp_path: Path, seed: str) -> None:
    evening, names = Evening(tmp_path), Names(f"titles {seed}")
    mine, number = lived_in(names, "read out")
    old, new = names.release("1.4"), names.release("1.5")
    was = evening.lay(f"tools/{names.program}", old)
    evening.lay(f"tools/{names.program}", mine, days=60)
    came = evening.pack(f"in/{names.program}-1.5.zip", new, f"{names.program}-1.5")
    kept = evening.pack("kept/old.zip", old, f"{names.program}-1.4")
    said = evening.ask("update", was, came, "--baseline", kept, "--yes")
    counted = {line["thing"]: (line["before"], line["after"]) for line in said["things"]}
    assert counted.get("titles", (number, number)) == (number, number), counted  # or nothing is claimed
