"""Saves under ids: which new id is which old one's, and what will be out of reach."""

from __future__ import annotations

from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from left_intact.core.model.entry import Entry
from left_intact.core.model.plan import Route
from left_intact.core.planning.keys import by_key, keys_by_lists, match_keys
from tests.builders import LATER, Mock, examples, plant, release


def inside(**files: str) -> dict[str, Entry]:
    return {name: Entry(path=name, bytes=len(said), digest=said) for name, said in files.items()}


def test_an_equal_file_tells_whose_an_id_is() -> None:
    old = {"7f3a": inside(title="salt", card="1"), "9c21": inside(title="moth", card="2")}
    new = {"b044": inside(title="salt", card="0"), "c155": inside(title="moth", card="0")}
    assert match_keys(old, new).pairs == {"7f3a": "b044", "9c21": "c155"}


def test_one_left_on_each_side_is_a_pair_and_two_alike_are_none() -> None:
    assert match_keys({"7f3a": inside(card="1")}, {"b044": inside(card="0")}).pairs == {"7f3a": "b044"}
    two = match_keys(
        {"7f3a": inside(card="1"), "9c21": inside(card="2")}, {"b": inside(card="0"), "c": inside(card="0")}
    )
    assert not two.pairs
    assert two.unsure == {"7f3a": ("b", "c"), "9c21": ("b", "c")}


def test_an_id_that_stays_is_itself_and_one_without_a_new_one_is_left() -> None:
    found = match_keys({"7f3a": inside(card="1"), "9c21": inside(other="2")}, {"7f3a": inside(card="0")})
    assert found.pairs == {"7f3a": "7f3a"}
    assert found.left == ("9c21",)


@given(st.sets(st.text("0123456789abcdef", min_size=4, max_size=4), min_size=1, max_size=8), st.randoms())
@settings(max_examples=examples(80))
def test_no_two_old_ids_ever_go_to_one_new_one(keys: set[str], rng) -> None:  # type: ignore[no-untyped-def]
    """Whatever is inside: two saves under one id would be one save less."""
    old = {key: inside(**{rng.choice("abc"): rng.choice("xy")}) for key in sorted(keys)}
    new = {f"n{key}": inside(**{rng.choice("abc"): rng.choice("xy")}) for key in sorted(keys)}
    found = match_keys(old, new)
    assert len(set(found.pairs.values())) == len(found.pairs)
    assert set(found.pairs) | set(found.unsure) | set(found.left) == set(old)


def test_the_programs_own_list_speaks_first() -> None:
    old, new = (
        {("Salt Road",): "7f3a", ("Moth Hour",): "9c21"},
        {("Salt Road",): "b044", ("Moth Hour",): "9c21"},
    )
    assert keys_by_lists(old, new, ["7f3a", "9c21", "ffff"]) == {"7f3a": "b044"}
    said = {"7f3a": "c155"}
    both = {"b044": inside(card="1"), "c155": inside(other="0")}
    assert match_keys({"7f3a": inside(card="1")}, both, said).pairs == {"7f3a": "c155"}


def test_what_lies_right_in_the_folder_is_no_id() -> None:
    entries = [
        ("cards/7f3a/card", Entry(path="")),
        ("cards/index", Entry(path="")),
        ("cardsx/a/b", Entry(path="")),
    ]
    assert by_key(entries, "cards") == {"7f3a": {"card": Entry(path="")}}


IDS = "[titles]\nsalt road = {}\nmoth hour = 9c21\n"


@pytest.mark.parametrize(("new", "blocked"), [("b044", True), ("7f3a", False)])
def test_saves_that_will_be_out_of_reach_are_told_so_that_nobody_misses_it(
    tmp_path: Path, new: str, blocked: bool
) -> None:
    mock = Mock(tmp_path)
    for place in (mock.root, mock.base):
        plant(place, {"ids.ini": IDS.format("7f3a")})
    plant(mock.root, {"cards/7f3a/card.bin": b"\x01" * 90, "cards/9c21/card.bin": b"\x02" * 90}, mtime=LATER)
    mock.arrive(release("1.1", **{"ids.ini": IDS.format(new)}))
    mock.bench.surveys.take_sheet(mock.install, 'format = 1\n[[keyed]]\nfolder = "cards"\n')
    plan = mock.plan()
    assert plan.route is Route.IN_PLACE
    told = [fault for fault in plan.blockers if fault.code == "out-of-reach"]
    assert bool(told) is blocked
    assert not told or ("cards/7f3a is b044 there" in told[0].says and told[0].passable)


def test_two_that_a_list_gives_one_id_never_share_it() -> None:
    found = match_keys(
        {"7f3a": inside(card="1"), "9c21": inside(card="2")},
        {"b044": inside(other="0")},
        {"7f3a": "b044", "9c21": "b044"},
    )
    assert found.pairs == {"7f3a": "b044"}
