"""Where nobody tries it: clocks with grains, files held online, faults at system calls, power that fails.

A sample of `make torture`; the whole of it takes half an hour.
"""

from __future__ import annotations

import os
import random
import stat
from collections.abc import Iterator
from contextlib import suppress
from pathlib import Path
from typing import Any

import pytest

from left_intact.core.carrying.strongbox import LIST
from left_intact.core.files.identity import COARSE_GRAIN, FINE_GRAIN, is_held_online, is_settled
from left_intact.core.files.tree import read_tree
from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Kind
from left_intact.core.model.errors import LeftIntactError
from left_intact.core.model.pages import UNKNOWN
from left_intact.core.model.place import At
from left_intact.core.model.proof import Verdict
from tests import disks
from tests.builders import LATER, Mock, in_memory, plant, release
from tests.torture import faults, power
from tests.torture.ground import WORKS, Ground, Judged
from tests.torture.run import Tally, show

# ---------------------------------------------------------------- stamps within the grain of a clock


@pytest.mark.parametrize(
    ("change_ns", "after_ns", "settled"),
    [
        (10**18 + 5, FINE_GRAIN + 1, True),
        (10**18 + 5, FINE_GRAIN, False),
        (10**18 + 5, -1, False),  # a clock that is ahead
        (10**18, FINE_GRAIN + 1, False),  # whole seconds: a card
        (10**18, COARSE_GRAIN, False),
        (10**18, COARSE_GRAIN + 1, True),
    ],
)
def test_a_stamp_tells_something_once_its_clock_has_moved_on(
    change_ns: int, after_ns: int, settled: bool
) -> None:
    assert is_settled(change_ns, change_ns + after_ns) is settled


def test_a_reading_right_after_a_write_knows_no_stamp(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    disks.now_is(monkeypatch)
    root = plant(tmp_path / "x", {"a": "one"})
    ahead = os.stat(root / "a").st_ctime_ns
    disks.now_is(monkeypatch, lambda: ahead + 1)
    assert read_tree(str(root)).by_path()["a"].stamp[2] == UNKNOWN
    same = read_tree(str(root), known={page.folder: page for page in read_tree(str(root)).pages})
    assert same.by_path()["a"].digest  # two unknown times are not the same time


# ---------------------------------------------------------------- held online


@pytest.mark.parametrize(
    ("told", "held"),
    [
        ({"st_file_attributes": 0x20}, False),
        ({"st_file_attributes": 0x400000 | 0x20}, True),
        ({"st_file_attributes": 0x1000}, True),
        ({"st_flags": 0x40000000}, True),
        ({"st_flags": 0}, False),
        ({}, False),
    ],
)
def test_what_is_held_online_is_told_by_its_attributes(told: dict[str, int], held: bool) -> None:
    assert is_held_online(type("Info", (), told)()) is held


def test_a_file_held_online_is_said_and_never_opened(mock: Mock, monkeypatch: pytest.MonkeyPatch) -> None:
    os.utime(mock.root / "saves" / "mill.sav", (LATER + 77, LATER + 77))
    disks.held_online(monkeypatch, lambda info: info.st_mtime == LATER + 77)
    real_open = os.open

    def no_open(path: Any, *words: Any, **named: Any) -> int:
        assert not os.fspath(path).endswith("mill.sav"), "reading it would fetch it"
        return real_open(path, *words, **named)

    monkeypatch.setattr(os, "open", no_open)
    found = mock.bench.surveys.survey(mock.install).findings.find(At("", "saves/mill.sav"))
    assert found is not None and found.entry.kind is Kind.FAULT and "held online" in found.entry.fault
    mock.arrive(release("1.1"))
    outcome = mock.update()
    assert outcome.proof.verdict is not Verdict.BROKEN
    monkeypatch.setattr(os, "open", real_open)
    assert (mock.root / "saves" / "mill.sav").read_bytes() == b"\x02" * 512


# ---------------------------------------------------------------- faults and power


@pytest.fixture(scope="module")
def ground() -> Iterator[Ground]:
    if not hasattr(os, "fork"):
        pytest.skip("this system has no fork, so no process can be killed in the midst of a test")
    with in_memory() as folder:
        yield Ground(Path(folder) / "g")


@pytest.mark.sampled(1)
@pytest.mark.parametrize("work", WORKS)
def test_power_that_fails_loses_nothing(ground: Ground, work: str) -> None:
    rng = random.Random(work)
    tape = power.tape_of(ground, work)
    cuts = list(power.cuts(tape, rng, 1))
    assert len(tape.ops) > 8 and len(cuts) > 20
    for cut in rng.sample(cuts, min(len(cuts), 40)):
        judged = power.carry_out(ground, work, tape, cut, forward=rng.random() < 0.5)
        assert not judged.is_bad, (str(cut), judged)


@pytest.mark.parametrize("work", ["update", "go back"])
def test_the_plain_list_is_on_the_device_before_the_first_change(ground: Ground, work: str) -> None:
    tape = power.tape_of(ground, work)
    first = tape.first_change(ground.mock.root)
    named = [n for n, op in enumerate(tape.ops[:first]) if op.says.endswith(LIST)]
    assert named and all(tape.survives(number, first) for number in named)


def test_without_a_flush_power_that_fails_would_be_noticed(ground: Ground) -> None:
    """The simulation finds what it is made to find."""
    rng = random.Random(5)
    tape = power.tape_of(ground, "update")
    tape.flushes.clear()
    judged = [
        power.carry_out(ground, "update", tape, cut, forward=True)
        for cut in list(power.cuts(tape, rng, 0))[-20:]
    ]
    assert any(one.lost or one.stuck or one.altered for one in judged)


@pytest.mark.sampled(1)
@pytest.mark.parametrize("work", WORKS)
def test_faults_at_system_calls_lose_nothing(ground: Ground, work: str) -> None:
    if why := faults.can_inject():
        pytest.skip(why)
    rng = random.Random(work)
    calls = faults.calls_of(ground, work)
    tries = [one for one in faults.tries(work, calls) if one.call in faults.WRITES]
    for one in rng.sample(tries, 12):
        judged = faults.carry_out(ground, one, forward=rng.random() < 0.5, again=rng.random() < 0.5)
        assert not judged.is_bad, (str(one), judged)


@pytest.mark.sampled(2)
@pytest.mark.parametrize("number", range(1, 8))
def test_what_was_made_ready_without_its_mode_gets_it(
    ground: Ground, monkeypatch: pytest.MonkeyPatch, number: int
) -> None:
    """A recovery that fails between the bytes and the mode of something: the next one gives it both."""
    ground.put_back("cut off")
    for ready in ground.strongbox.glob("work-*/ready-*"):
        ready.unlink()
    real, left = os.utime, [number]

    def refuses_once(path: Any, *more: Any, **named: Any) -> Any:
        left[0] -= 1
        if left[0] == 0:
            raise OSError(5, "Input/output error", path)
        return real(path, *more, **named)

    with monkeypatch.context() as patched, suppress(LeftIntactError):
        patched.setattr(os, "utime", refuses_once)
        ground.bench.updates.recover(ground.install, True)
    if ground.bench.shelf.interrupted():
        ground.bench.updates.recover(ground.install, True)
    assert ground.files() == ground.after


def test_the_table_of_a_torture_tells_what_is_bad(capsys: pytest.CaptureFixture[str]) -> None:
    good, bad = Tally(), Tally()
    good.add("one", Judged("done"))
    bad.add("two", Judged("stopped: disk", lost=("abc",), stuck="why"))
    assert show({("beside", "update", "power"): good}) == 0
    assert show({("beside", "update", "power"): good, ("beside", "settle", "kill"): bad}) == 1
    said = capsys.readouterr().out
    assert "2 tried; lost 1, altered 0, stuck 1, fault 0" in said and "two: " in said


# ---------------------------------------------------------------- what others do meanwhile


def test_two_installs_that_share_a_folder_elsewhere(mock: Mock, tmp_path: Path) -> None:
    """An update of one leaves what both read alone, and the proof of the other still holds."""
    shared = plant(tmp_path / "shared saves", {"harbour.sav": b"\x07" * 90})
    other = plant(tmp_path / "second", release("1.0"))
    for root in (mock.root, other):
        mock.bench.surveys.add_root(mock.bench.shelf.find(str(root)), "saves", str(shared))
    mock.arrive(release("1.1"))
    second = mock.bench.shelf.find(str(other))
    draft = mock.bench.updates.draft(second, str(mock.next), baseline=str(mock.base))
    mock.bench.updates.update(draft.plan(), second)
    assert mock.update().proof.verdict is Verdict.INTACT
    (shared / "mill.sav").write_bytes(b"\x08" * 40)  # somebody plays on the one
    for install in (mock.install, second):
        proof = mock.bench.updates.prove(install).proof
        assert proof.verdict is not Verdict.BROKEN and not proof.lost
        mock.bench.updates.back.go(install)
    assert (shared / "mill.sav").read_bytes() == b"\x08" * 40
    assert stat.S_ISREG(os.stat(shared / "harbour.sav").st_mode)


def test_a_service_that_moves_saves_while_an_update_is_on_trial(mock: Mock) -> None:
    """Moved by somebody else: said as lost where it was, and appeared; going back keeps the move."""
    mock.arrive(release("1.1"))
    mock.update()
    (mock.root / "saves" / "mill.sav").rename(mock.root / "saves" / "mill (conflict).sav")
    proof = mock.bench.updates.prove(mock.install).proof
    assert proof.verdict is Verdict.BROKEN and proof.lost == ("saves/mill.sav",)
    mock.bench.updates.back.go(mock.install)
    assert (mock.root / "saves" / "mill (conflict).sav").read_bytes() == b"\x02" * 512
    found = mock.bench.surveys.survey(mock.install).findings.find(At("", "saves/mill (conflict).sav"))
    assert found is not None and found.file_class is FileClass.SAVES
