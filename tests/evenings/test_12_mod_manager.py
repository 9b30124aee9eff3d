"""All but mine: a mod manager, what it manages, and which of it is on, read from whatever list it keeps."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from tests.evenings.stage import SEEDS, Evening, Names, Tree, seen, sums

ON = "mods on"


def as_marks(rows: list[tuple[str, bool]], names: Names) -> bytes:
    on, off = names.rng.choice((("+", "-"), ("", "#"), ("*", ""), ("[x] ", "[ ] ")))
    return "".join(f"{on if is_on else off}{name}\n" for name, is_on in rows).encode()


def as_fields(rows: list[tuple[str, bool]], names: Names) -> bytes:
    word, field = names.words.invent(), names.words.invent()
    return json.dumps(
        {word: [{"of": name, "at": n, field: on} for n, (name, on) in enumerate(rows)]}
    ).encode()


def as_values(rows: list[tuple[str, bool]], names: Names) -> bytes:
    return ("[order]\n" + "".join(f"{name} = {'yes' if on else 'no'}\n" for name, on in rows)).encode()


def as_elements(rows: list[tuple[str, bool]], names: Names) -> bytes:
    word = names.words.invent()
    items = "".join(f'  <{word} of="{name}" use="{int(on)}" note="none"/>\n' for name, on in rows)
    return f"<all>\n{items}</all>\n".encode()


def as_order(rows: list[tuple[str, bool]], names: Names) -> bytes:
    """Only those that are on, the first to be loaded first."""
    on = [name for name, is_on in rows if is_on]
    names.rng.shuffle(on)
    how = names.rng.randrange(3)
    if how == 0:
        return json.dumps({names.words.invent(): on}).encode()
    return "".join(f"{n}. {name}\n" if how == 1 else f"{name}\n" for n, name in enumerate(on, 1)).encode()


LISTS = {
    "marks": as_marks,
    "fields": as_fields,
    "values": as_values,
    "elements": as_elements,
    "order": as_order,
}


def managed(names: Names) -> tuple[Tree, list[tuple[str, bool]]]:
    mods = [names.words.invent(3) for _ in range(10)]
    rows = [(mod, n % 5 != 2) for n, mod in enumerate(mods)]
    tree = {
        f"mods/{mod}/{names.words.invent(1)}{n}.png": names.make.picture() for mod in mods for n in range(3)
    }
    return {**tree, f"{names.settings}/how.ini": b"[tool]\nask = no\n"}, rows


@pytest.mark.sampled(3)
@pytest.mark.parametrize("seed", SEEDS)
@pytest.mark.parametrize("form", [*LISTS, "none"])
def test_what_is_on_is_read_from_its_list_or_not_claimed(tmp_path: Path, seed: str, form: str) -> None:
    evening, names = Evening(tmp_path), Names(f"manager {seed}")
    tree, rows = managed(names)
    listed = (
        f"{names.words.invent()}.{'json' if form == 'fields' else 'xml' if form == 'elements' else 'txt'}"
    )
    if form != "none":
        tree[listed] = LISTS[form](rows, names)
    old, new = names.release("3.8"), names.release("3.9")
    root = evening.lay(f"tools/{names.program}", old)
    evening.lay(f"tools/{names.program}", tree, days=50)
    came = evening.pack(f"in/{names.program}-3.9.zip", new, f"{names.program}-3.9")
    kept = evening.pack("kept/old.zip", old)
    before = seen(root)
    said = evening.ask("update", root, came, "--baseline", kept, "--yes")
    after = seen(root)
    # The same as by deleting all but mine, and unpacking.
    assert after == {**sums(new), **sums(tree)}
    assert said["verdict"] == "intact"
    counted = {line["thing"]: (line["before"], line["after"]) for line in said["things"]}
    number = sum(on for _, on in rows)
    if form == "none":
        assert ON not in counted and counted["mods, which are on not known"] == (10, 10)
    else:
        assert counted.get(ON) == (number, number), counted
        assert counted.get("mods off") == (len(rows) - number, len(rows) - number)
    evening.run("go-back", root)
    assert seen(root) == before
