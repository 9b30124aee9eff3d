"""Versions of every shape, and the order among them."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from left_intact.core.model.version import Version, name_without_version, version_in_name

ORDERED = [
    ["0.5", "0.41", "0.42"],
    ["3.14", "3.14b", "3.14c", "3.15"],
    ["5.9.8", "5.9.11"],
    ["1.7 preview 2", "1.7 preview 12", "1.7", "1.7.1"],
    ["4.6.0-alpha", "4.6.0-beta", "4.6.0-beta2", "4.6.0-rc1", "4.6.0", "4.6.0-hotfix1"],
    ["2.3a1", "2.3b2", "2.3", "2.3b", "2.3d"],
    ["4.6.0", "4.6.0-12-gabcdef1", "4.6.0-40-g1234567", "4.6.1"],
    ["2025-12-31", "2026-01-01", "20260102", "2026.11.03"],
    ["r114", "r121", "build 1200"],
]


@pytest.mark.parametrize("line", ORDERED)
def test_ordered(line: list[str]) -> None:
    versions = [Version.parse(text) for text in line]
    for at, one in enumerate(versions):
        for other in versions[at + 1 :]:
            assert one is not None and other is not None
            assert one.compare(other) == -1 and other.compare(one) == 1, (one, other)


@pytest.mark.parametrize(
    ("one", "other"), [("v1.2", "1.2.0"), ("4.6", "4.6.0"), ("r114", "114"), ("2026-01-02", "20260102")]
)
def test_equal(one: str, other: str) -> None:
    a, b = Version.parse(one), Version.parse(other)
    assert a == b and hash(a) == hash(b)


@pytest.mark.parametrize(("one", "other"), [("0.41", "2026-01-01"), ("r12", "2026-01-01"), ("1.2", "r100")])
def test_across_lines_nobody_knows(one: str, other: str) -> None:
    a, b = Version.parse(one), Version.parse(other)
    assert a is not None and b is not None and a.compare(b) is None
    with pytest.raises(TypeError):
        assert a < b


@pytest.mark.parametrize("text", ["", "hello", "one.two", "1.2.x-wing", "..", "1.2 for the harbour"])
def test_no_version(text: str) -> None:
    assert Version.parse(text) is None


@pytest.mark.parametrize(
    ("name", "version", "bare"),
    [
        ("mocklet-4.6.0-linux-x86_64.tar.gz", "4.6.0", "mocklet"),
        ("Tarnlight_0.42", "0.42", "tarnlight"),
        ("quillon station 2.3d", "2.3d", "quillon station"),
        ("loomlight-r121", "r121", "loomlight"),
        ("fish 1.7 preview 12.7z", "1.7 preview 12", "fish"),
        ("tool-win64-1.2b3.7z", "1.2b3", "tool"),
        ("nightly-2026-11-01.zip", "2026-11-01", "nightly"),
        ("mocklet", None, "mocklet"),
    ],
)
def test_in_names(name: str, version: str | None, bare: str) -> None:
    found = version_in_name(name)
    assert (found.text if found else None) == version
    assert name_without_version(name) == bare


numbers = st.lists(st.integers(0, 99), min_size=1, max_size=4).map(lambda parts: ".".join(map(str, parts)))
texts = st.builds(
    lambda n, s: n + s,
    numbers,
    st.sampled_from(["", "b", "-rc1", "-beta2", " preview 3", "-hotfix", "-3-gabcdef"]),
)


@given(st.lists(texts, min_size=3, max_size=3))
def test_the_order_is_total_within_a_line(three: list[str]) -> None:
    a, b, c = (Version.parse(text) for text in three)
    if a is None or b is None or c is None or "date" in {a.line, b.line, c.line}:
        return
    assert (a.compare(b) or 0) == -(b.compare(a) or 0)
    if (a.compare(b) or 0) <= 0 and (b.compare(c) or 0) <= 0:
        assert (a.compare(c) or 0) <= 0
