"""Every awkward case: merged as decided, by all readers, or kept whole; and the page that tells each."""

from __future__ import annotations

import os
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from left_intact.core.settings.document import NotReadable
from left_intact.core.settings.formats.registry import format_named
from left_intact.core.settings.merge import merge_settings
from tests.settings.cases import Case, every_case, table
from tests.settings.readers import READERS, lost

PAGE = Path(__file__).resolve().parents[2] / "docs" / "settings-cases.md"
CASES = list(every_case())
EVERY = 1 if os.environ.get("LEFT_INTACT_LAWS") == "many" else 4
"""So many cases are looked at for each one: all of them in `make torture`."""
FEW = ("text registry", "text list")
BY_FORMAT = {name: [case for case in CASES if case.file_format == name] for name in READERS}


def must_hold(case: Case) -> None:
    merge = case.merge()
    if merge.trouble:
        assert merge.content == case.yours, case
        return
    by_hand = {line.was: line.path for line in merge.lines if line.was}
    renamed = {old[-1] for old in by_hand}
    gone = lost(case.file_format, case.base, case.yours, merge.content)
    assert not [words for words in gone if not any(name in words for name in renamed)], (case, gone)
    # What a parser that is not ours reads is what the lines say, key by key.
    whole = {line.path for line in merge.lines}
    read = format_named(case.file_format).read(merge.content, whole)
    said = {line.path: line for line in merge.lines if line.result is not None}
    assert {key for key, value in read.items() if value != {}} <= set(said), case
    for key, line in said.items():
        assert key in read, (case, key)
        if isinstance(read[key], str) and case.file_format == "text ini":
            assert read[key] == line.result, (case, key)


@pytest.mark.parametrize("file_format", READERS)
def test_no_awkward_file_loses_a_value(file_format: str) -> None:
    assert len(BY_FORMAT[file_format]) > (150 if file_format not in FEW else 90)
    for case in BY_FORMAT[file_format][::EVERY]:
        must_hold(case)


def test_what_was_taken_for_lines_is_known_by_the_whole_of_it() -> None:
    """A library of an older version remembers TOML files as lines."""
    for case in BY_FORMAT["text toml"][::EVERY]:
        try:
            READERS["text toml"]["standard"](case.yours)
        except ValueError:
            continue  # no TOML, so it may well be lines
        merge = merge_settings(case.base, case.yours, case.arriving, file_format="text ini")
        if not merge.trouble and merge.content != case.yours:
            assert not lost("text toml", case.base, case.yours, merge.content), case
            assert READERS["text toml"]["standard"](merge.content)


@pytest.mark.sampled(0)
def test_the_page_says_how_each_ended() -> None:
    assert PAGE.read_text() == table()


PIECES = "a = 1|a = 2|A = 3|b = 1|b =|b = x # y|  b = 4|  more|   more = 1|\tmore||# c|; d|[s]|[S]|[s] ; t"
MORE = '[ t ]|a: 5|c = \\|c = p \\|d = "q|d = [1,|]|e = f = g'
LINES = st.sampled_from(f"{PIECES}|{MORE}".split("|"))
FILES = st.lists(LINES, max_size=7)


@given(base=FILES, yours=FILES, arriving=FILES, end=st.sampled_from(["\n", "\r\n", "\r"]))
def test_no_file_of_lines_loses_a_value(
    base: list[str], yours: list[str], arriving: list[str], end: str
) -> None:
    files = [(end.join(lines) + end).encode() for lines in (base, yours, arriving)]
    must_hold(Case("generated", "text ini", "", *files))
    must_hold(Case("generated", "text ini", "", None, *files[1:]))


NAMES = st.sampled_from(["a", "A", "b", "a.b", "", "é"])
VALUES = st.recursive(
    st.sampled_from([0, 1, True, 1.0, "x", None]),
    lambda inner: st.one_of(st.lists(inner, max_size=2), st.dictionaries(NAMES, inner, max_size=3)),
    max_leaves=6,
)
TREES = st.dictionaries(NAMES, VALUES, max_size=4)


@given(base=TREES, yours=TREES, arriving=TREES, indent=st.sampled_from([None, 2]))
def test_no_object_loses_a_value(base: object, yours: object, arriving: object, indent: int | None) -> None:
    import json

    files = [json.dumps(one, indent=indent, ensure_ascii=False).encode() for one in (base, yours, arriving)]
    must_hold(Case("generated", "text json", "", *files))
    must_hold(Case("generated", "text json", "", None, *files[1:]))


def test_every_file_that_can_be_read_comes_out_as_it_went_in() -> None:
    read = 0
    for case in CASES[::EVERY]:
        for side in (case.yours, case.arriving):
            try:
                document = format_named(case.file_format).open(side)
            except (NotReadable, RecursionError):
                continue
            read += 1
            assert document.to_bytes() == side, case
    assert read > len(CASES[::EVERY])
