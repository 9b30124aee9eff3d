"""Saves under keys that mean nothing: where another build may file them under others and nothing tells, the
plan and the proof say so.
"""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.evenings.stage import SEEDS, Evening, Names, seen, sums


@pytest.mark.sampled(2)
@pytest.mark.parametrize("kind", ["hex", "numbers", "codes", "names"])
@pytest.mark.parametrize("seed", SEEDS)
def test_what_may_be_out_of_reach_is_said(tmp_path: Path, seed: str, kind: str) -> None:
    evening, names = Evening(tmp_path), Names(f"keys {seed} {kind}")
    keys = {
        "hex": [f"{names.rng.randrange(16**8):08x}" for _ in range(4)],
        "numbers": [str(names.rng.randrange(10_000, 99_999)) for _ in range(4)],
        "codes": [f"TK-{names.rng.randrange(1000, 9999)}" for _ in range(4)],
        "names": names.titles(4),
    }[kind]
    if kind == "hex":
        keys = [f"{key[:-1]}7" for key in keys]
    old, new = names.release("1.4"), names.release("1.6")
    mine = {f"saves/{key}/slot.sav": names.make.memory(512) for key in keys}
    root = evening.lay(f"apps/{names.program}", old)
    evening.lay(f"apps/{names.program}", mine, days=60)
    came = evening.pack(f"in/{names.program}-1.6.zip", new)
    kept = evening.pack("kept/old.zip", old)
    plan = evening.ask("plan", root, came, "--baseline", kept, code=None)
    warned = [w for w in plan["warnings"] if "out of reach" in str(w)]
    said = evening.ask("update", root, came, "--baseline", kept, "--yes")
    told = [c["says"] for c in said["checks"] if "out of reach" in c["says"]]
    assert said["verdict"] == "intact"
    assert bool(warned) is bool(told) is (kind != "names")
    if told:
        assert "4 saves lie under ids" in told[0]
    assert all(seen(root)[path] == digest for path, digest in sums(mine).items())
