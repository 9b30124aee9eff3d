"""The list of parts: what waits for each, several swapped in one go, each with its own way back."""

from __future__ import annotations

import os
from pathlib import Path

import pytest

from left_intact.core.model.errors import LeftIntactError
from left_intact.core.model.parts import PartRow
from tests.builders import LATER
from tests.routes.house import ARM, House, core


@pytest.fixture
def house(tmp_path: Path) -> House:
    house = House(tmp_path)
    house.comes("otter-machine-1.3.2-linux.so", core("otter", "1.3.2"))
    house.comes("otter-machine-1.3.0.so", core("otter", "1.3.0"))
    house.comes("plover-machine-1.0.so", core("plover", "1.0"))
    house.comes("reed-9-machine-3.1-arm64.so", core("reed-9", "3.1", ARM))
    house.comes("heron-machine.so", core("heron", "1.0"))
    return house


def rows(house: House) -> dict[str, PartRow]:
    known = house.bench.parts.look(house.install, str(house.downloads))
    return {row.path: row for row in known.rows}


def test_each_part_is_listed_with_what_waits_for_it(house: House) -> None:
    found = rows(house)
    assert {p for p in found if p.startswith("cores/")} == {
        "cores/otter-machine.so",
        "cores/plover-machine.so",
        "cores/reed-8-machine.so",
        "cores/reed-9-machine.so",
    }
    otter = found["cores/otter-machine.so"]
    assert (otter.version, otter.platform) == ("1.3.1", "linux x86_64")
    assert otter.best is not None and otter.best.version == "1.3.2"
    assert [w.version for w in otter.waiting] == ["1.3.2", "1.3.0"] and "older" in otter.waiting[1].because
    reed = found["cores/reed-9-machine.so"]
    assert reed.best is None and "arm64" in reed.waiting[0].because
    known = house.bench.parts.look(house.install)
    assert known.looked_in == str(house.downloads) and known.passed_over == ("heron-machine.so",)


def test_lists_of_the_persons_that_name_a_part_are_told(house: House) -> None:
    house.edit({"lists/pier.list": "harbour = otter-machine\nmill = otter-machine\nquay = plover-machine\n"})
    assert ("lists/pier.list", 2) in rows(house)["cores/otter-machine.so"].named_in


def test_texts_are_read_once_however_many_parts_there_are(
    house: House, monkeypatch: pytest.MonkeyPatch
) -> None:
    seen: list[str] = []
    real = os.open
    monkeypatch.setattr(os, "open", lambda p, *m, **n: (seen.append(str(p)), real(p, *m, **n))[1])
    house.bench.surveys.survey(house.install)
    seen.clear()
    rows(house)
    for text in ("lists/pier.list", "lamphouse.cfg"):
        assert sum(path.endswith(text) for path in seen) <= 1, text


def test_what_waits_is_ordered_by_version_and_not_by_its_digits(house: House) -> None:
    house.comes("plover-machine-1.0 preview 7.so", core("plover", "1.0 preview 7"))
    waiting = rows(house)["cores/plover-machine.so"].waiting
    assert waiting[0].arrival.endswith("plover-machine-1.0.so")


def test_of_a_great_folder_the_newest_are_looked_into_and_the_rest_is_said(
    house: House, monkeypatch: pytest.MonkeyPatch
) -> None:
    for number in range(200):
        house.comes(f"older{number:03}.txt", "nothing\n")
    late = house.comes("zz-otter-machine-1.4.0.so", core("otter", "1.4.0"))
    os.utime(late, (LATER, LATER))
    known = house.bench.parts.look(house.install, str(house.downloads))
    assert known.unseen == 6 and late.name in known.passed_over


def test_several_in_one_go_and_one_alone_falls_back(house: House) -> None:
    before, found = house.state(), rows(house)
    chosen = {p: r.best.arrival for p, r in found.items() if r.best}
    done = house.bench.parts.swap(house.install, chosen)
    assert [(one.path, one.verdict) for one in done] == [
        ("cores/otter-machine.so", "intact"),
        ("cores/plover-machine.so", "intact"),
    ]
    after = rows(house)
    assert after["cores/otter-machine.so"].fallback == "1.3.1"
    assert after["cores/plover-machine.so"].fallback == "0.9"
    house.bench.parts.tried(house.install, after["cores/plover-machine.so"])
    assert rows(house)["cores/plover-machine.so"].tried
    house.bench.parts.fall_back(house.install, after["cores/otter-machine.so"])
    now = rows(house)
    assert now["cores/otter-machine.so"].version == "1.3.1" and not now["cores/otter-machine.so"].update
    assert (
        now["cores/plover-machine.so"].version == "1.0" and now["cores/plover-machine.so"].fallback == "0.9"
    )
    house.bench.parts.fall_back(house.install, now["cores/plover-machine.so"])
    files = {p: said for p, said in house.state().items() if said[0] == "file"}
    assert files == {p: said for p, said in before.items() if said[0] == "file"}


def test_dropping_the_fallback_of_one_leaves_the_others(house: House) -> None:
    found = rows(house)
    house.bench.parts.swap(house.install, {p: r.best.arrival for p, r in found.items() if r.best})
    after = rows(house)
    house.bench.parts.drop(house.install, after["cores/otter-machine.so"])
    now = rows(house)
    assert not now["cores/otter-machine.so"].update and now["cores/plover-machine.so"].fallback == "0.9"
    with pytest.raises(LeftIntactError) as stop:
        house.bench.parts.fall_back(house.install, after["cores/otter-machine.so"])
    assert stop.value.code == "no-fallback"


def test_one_that_cannot_be_swapped_stops_no_other(house: House) -> None:
    wrong = str(house.downloads / "reed-9-machine-3.1-arm64.so")
    good = str(house.downloads / "plover-machine-1.0.so")
    done = house.bench.parts.swap(
        house.install, {"cores/reed-9-machine.so": wrong, "cores/plover-machine.so": good}
    )
    assert [one.verdict for one in done] == ["", "intact"] and "arm64" in done[0].because
