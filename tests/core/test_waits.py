"""What waits: several arrivals, the newest stable one first; none that was waved off or laid already."""

from __future__ import annotations

from pathlib import Path

import pytest

from left_intact.core.model.outlet import Offer
from left_intact.core.model.waits import Waits, channel_of, first_to_lay
from tests.builders import Mock, plant, release, zipped


def arrives(mock: Mock, version: str) -> Path:
    path = zipped(release(version), mock.folder / f"mocklet-{version}.zip", f"mocklet-{version}")
    mock.bench.shelf.set_waiting(mock.install, mock.bench.surveys.arrival(mock.install, str(path)))
    return path


def offered(mock: Mock) -> str:
    row = mock.bench.shelf.rows()[0]
    return row.waiting[1] if row.waiting else ""


STABLE = ("1.2", "3.14c", "2026-11-20", "r121")
EARLY = ("1.7 preview 12", "2.0-rc1", "1.0 beta", "1.0 dev")


@pytest.mark.parametrize("version", [*STABLE, *EARLY])
def test_an_early_version_says_so(version: str) -> None:
    assert channel_of(version) == ("preview" if version in EARLY else "stable")


def test_the_newest_stable_one_comes_first() -> None:
    found = [
        Waits(v, v, channel_of(v), n) for n, v in enumerate(["1.1", "1.10", "1.11-rc2", "1.9", "2.0 beta"])
    ]
    assert [w.version for w in first_to_lay(found)] == ["1.10", "1.9", "1.1", "2.0 beta", "1.11-rc2"]


def test_a_preview_does_not_take_the_place_of_a_release_that_waits(mock: Mock) -> None:
    arrives(mock, "1.1")
    preview = zipped(release("1.2"), mock.folder / "mocklet-1.2.zip", "mocklet-1.2")
    mock.bench.surveys.library.set_waiting(mock.install, str(preview), "1.2-rc1")
    assert offered(mock) == "1.1" and len(mock.bench.shelf.rows()[0].arrivals) == 2
    mock.bench.outlets.dismiss(mock.install, "1.1")
    assert offered(mock) == "1.2-rc1"
    mock.bench.outlets.dismiss(mock.install, "1.2-rc1")
    assert offered(mock) == ""
    mock.bench.outlets.dismiss(mock.install, "1.1", again=True)
    assert offered(mock) == "1.1"


def test_what_was_laid_waits_no_more_and_what_is_newer_does(mock: Mock) -> None:
    for version in ("1.1", "1.2", "1.3"):
        path = arrives(mock, version)
        if version == "1.2":
            mock.next = path
    assert offered(mock) == "1.3"
    mock.update()
    assert offered(mock) == "1.3" and len(mock.bench.shelf.rows()[0].arrivals) == 1
    assert mock.bench.shelf.rows()[0].summary["version"] == "1.2"  # without another survey
    mock.bench.updates.back.go(mock.install)
    assert mock.bench.shelf.rows()[0].summary["version"] == "1.0"
    assert {w.version for w in mock.bench.shelf.rows()[0].arrivals} == {"1.2", "1.3"}  # it may be laid again


def test_an_offer_that_was_fetched_waits_in_its_channel(mock: Mock) -> None:
    arrives(mock, "1.1")
    early = zipped(release("1.5"), mock.folder / "early.zip", "mocklet-1.5")
    offer = Offer(place=str(early), name="early.zip", version="1.5", channel="preview")
    mock.bench.outlets.fetch(mock.install, offer)
    assert offered(mock) == "1.1"
    assert [w.channel for w in mock.bench.shelf.rows()[0].arrivals] == ["stable", "preview"]


def test_the_shelf_knows_a_front_end_when_it_sees_one(mock: Mock) -> None:
    tree = {"hall": "#!/bin/sh\n", "saves/a.sav": "x", "parts/one.so": "x", "parts/other.so": "y"}
    plain = plant(mock.folder / "bare", tree)
    assert mock.bench.shelf.find(str(plain)).role == "emulator"  # libraries that no list names
    front = plant(mock.folder / "hall", {**tree, "order/evening.txt": "Vellor: one\nOssel: other\n"})
    assert mock.bench.shelf.find(str(front)).role == "front end"
    assert mock.bench.shelf.find("hall").role == "front end" and mock.install.role == "emulator"


def test_one_word_for_how_an_install_stands(mock: Mock) -> None:
    def stands() -> str:
        return mock.bench.shelf.rows()[0].standing.value

    mock.bench.surveys.survey(mock.install)
    assert stands() == "nothing waits"
    mock.next = arrives(mock, "1.1")
    assert stands() == "ready"
    mock.bench.outlets.hold(mock.install, "1.0", "the pads first")
    assert stands() == "held"
    mock.bench.outlets.release_hold(mock.install)
    mock.update()
    assert stands() == "on trial"
    mock.bench.updates.settle(mock.install)
    assert stands() == "up to date"
    mock.root.rename(mock.folder / "elsewhere")
    assert stands() == "not there"
