"""Refused for nothing: a folder that bears a version both builds say, and a release that is one file."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.evenings.stage import SEEDS, Evening, Names, seen, sums


@pytest.mark.parametrize("seed", SEEDS)
def test_a_folder_named_for_what_both_builds_say_is_updated_where_it_lies(tmp_path: Path, seed: str) -> None:
    evening, names = Evening(tmp_path), Names(f"fifteen {seed}")
    old, new = names.release("15"), names.release("15")
    new[f"parts/{names.program}0.so"] = names.make.code("15 later")
    root = evening.lay(f"apps/{names.program}-15", old)
    mine = {f"{names.saves}/{title}": names.make.noise(300) for title in names.titles(3)}
    evening.lay(f"apps/{names.program}-15", mine, days=40)
    came = evening.pack(f"in/{names.program}-15-new.zip", new, f"{names.program}-15")
    kept = evening.pack("kept/old.zip", old)
    before = seen(root)
    said = evening.ask("update", root, came, "--baseline", kept, "--yes")
    assert said["verdict"] == "intact"
    assert seen(root) == {**sums(new), **sums(mine)}
    evening.run("go-back", root)
    assert seen(root) == before


@pytest.mark.parametrize("seed", SEEDS)
@pytest.mark.parametrize("ends", ["", ".bin"])
def test_a_program_of_one_file_has_one_file_on_record(tmp_path: Path, seed: str, ends: str) -> None:
    """Its downloads bear version and platform, and what lies here goes by one name."""
    evening, names = Evening(tmp_path), Names(f"one file {seed}")

    def built(version: str) -> bytes:
        return f'#!/bin/sh\nVERSION="{version}"\necho {names.program} {version}\n'.encode()

    tool = f"{names.program}{ends}"
    root = evening.lay(f"apps/{names.program}", {tool: built("2.7.0")})
    mine = {f"{names.settings}/how.ini": b"[tool]\nask = no\n", f"{names.saves}/one": names.make.noise(200)}
    evening.lay(f"apps/{names.program}", mine, days=40)
    kept = evening.lay("kept", {f"{names.program}-2.7.0-linux-x86_64{ends}": built("2.7.0")})
    comes = evening.lay("in", {f"{names.program}-2.8.0-linux-x86_64{ends}": built("2.8.0")})
    before = seen(root)
    record = evening.ask("baseline", root, next(kept.iterdir()))
    assert "mismatch" not in str(record)
    said = evening.ask("update", root, next(comes.iterdir()), "--yes")
    assert said["verdict"] == "intact", said["checks"]
    assert said["version"] == {"before": "2.7.0", "after": "2.8.0"}
    assert seen(root) == {**before, **sums({tool: built("2.8.0")})}
    evening.run("go-back", root)
    assert seen(root) == before
