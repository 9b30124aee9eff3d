"""Where nobody tries it: clocks with grains, files held online, faults at system calls, power that fails.

A sample of `make torture`; the whole of it takes half an hour.
"""

from __future__ import annotations

import os
import random
import stat
import time
from collections.abc import Iterator
from contextlib import suppress
from pathlib import Path
from types import SimpleNamespace
from typing import Any

import pytest

from left_intact.core.carrying.strongbox import LIST
from left_intact.core.files import walk
from left_intact.core.files.identity import COARSE_GRAIN, FINE_GRAIN, is_held_online, is_settled
from left_intact.core.files.place import LocalPlace
from left_intact.core.files.tree import read_tree
from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Kind
from left_intact.core.model.errors import HalfDone, LeftIntactError
from left_intact.core.model.pages import UNKNOWN
from left_intact.core.model.proof import Verdict
from left_intact.core.model.update import State
from tests.builders import LATER, STAMPS, Mock, in_memory, plant, release
from tests.torture import faults, power
from tests.torture.ground import WORKS, Ground, Judged, in_fork
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


@STAMPS
@pytest.mark.parametrize("grain", [FINE_GRAIN, COARSE_GRAIN])
def test_a_write_within_the_grain_is_seen(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, grain: int
) -> None:
    """Two writes with one time, size and inode: nothing but reading tells them apart."""
    root = plant(tmp_path / "x", {"a": "one", "b": "old"})
    coarse, real = grain == COARSE_GRAIN, os.stat(root / "a").st_ctime_ns
    said = real // 10**9 * 10**9 if coarse else real | 1
    monkeypatch.setattr(walk, "pack_stats", _with_change_time(walk.pack_stats, said))
    monkeypatch.setattr(walk, "is_settled", lambda change, read: is_settled(said, read))
    monkeypatch.setattr(walk, "now_ns", lambda: said + grain)
    first = read_tree(str(root))
    (root / "a").write_text("two")
    os.utime(root / "a", ns=(1_700_000_000_000_000_000,) * 2)
    monkeypatch.setattr(walk, "now_ns", lambda: said + grain + 10**9)
    again = read_tree(str(root), known={page.folder: page for page in first.pages})
    assert again.by_path()["a"].digest != first.by_path()["a"].digest
    once_more = read_tree(str(root), known={page.folder: page for page in again.pages})
    assert all(new is old for new, old in zip(once_more.pages, again.pages, strict=True))  # now it is settled


def _with_change_time(pack: Any, said: int) -> Any:
    return lambda rows: pack([(r[0], r[1], r[2], said if r[3] != UNKNOWN else UNKNOWN, r[4]) for r in rows])


def test_a_reading_right_after_a_write_knows_no_stamp(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(walk, "now_ns", time.time_ns)
    root = plant(tmp_path / "x", {"a": "one"})
    ahead = os.stat(root / "a").st_ctime_ns
    monkeypatch.setattr(walk, "now_ns", lambda: ahead + 1)
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
    assert is_held_online(SimpleNamespace(**told)) is held  # type: ignore[arg-type]


def test_a_file_held_online_is_said_and_never_opened(mock: Mock, monkeypatch: pytest.MonkeyPatch) -> None:
    os.utime(mock.root / "saves" / "mill.sav", (LATER + 77, LATER + 77))
    monkeypatch.setattr(walk, "TELLS_ONLINE", True)
    monkeypatch.setattr(walk, "is_held_online", lambda info: info.st_mtime == LATER + 77)
    real_open = os.open

    def no_open(path: Any, *words: Any, **named: Any) -> int:
        assert not os.fspath(path).endswith("mill.sav"), "reading it would fetch it"
        return real_open(path, *words, **named)

    monkeypatch.setattr(os, "open", no_open)
    found = mock.bench.surveys.survey(mock.install).findings.find("saves/mill.sav")
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


@pytest.mark.parametrize("forward", [True, False])
def test_a_going_back_killed_before_it_was_drawn_up_is_ended_rightly(ground: Ground, forward: bool) -> None:
    """Killed right after the journal knows of it: all of its first stage is there, or nothing of it is."""
    from left_intact.core.carrying.journal import Journal

    real = Journal.begin

    def killed(self: Journal, **named: Any) -> Any:
        real(self, **named)
        os._exit(9)

    def work() -> None:
        Journal.begin = killed  # type: ignore[method-assign]
        ground.run("go back")()

    ground.put_back("on trial")
    assert in_fork(work) == "killed"
    assert ground.bench.shelf.interrupted()
    judged = ground.judge("go back", "killed", forward=forward)
    assert not judged.is_bad, judged
    assert ground.files() == (ground.after if forward else ground.before)


@pytest.mark.parametrize("number", range(1, 8))
def test_what_was_made_ready_without_its_mode_gets_it(
    ground: Ground, monkeypatch: pytest.MonkeyPatch, number: int
) -> None:
    """A recovery that fails between the bytes and the mode of something: the next one gives it both."""
    ground.put_back("cut off")
    for ready in ground.strongbox.glob("work-*/ready-*"):
        ready.unlink()
    real, left = LocalPlace._apply, [number]

    def refuses_once(self: LocalPlace, path: str, *more: Any) -> Any:
        if "ready-" in path:
            left[0] -= 1
            if left[0] == 0:
                raise OSError(5, "Input/output error", path)
        return real(self, path, *more)

    monkeypatch.setattr(LocalPlace, "_apply", refuses_once)
    with suppress(LeftIntactError):
        ground.bench.updates.recover(ground.install, True)
    monkeypatch.setattr(LocalPlace, "_apply", real)
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
    found = mock.bench.surveys.survey(mock.install).findings.find("saves/mill (conflict).sav")
    assert found is not None and found.file_class is FileClass.SAVES


def test_a_run_that_can_be_neither_ended_nor_put_back_says_that_it_is_cut_off(
    mock: Mock, monkeypatch: pytest.MonkeyPatch
) -> None:
    from left_intact.core.carrying.journal import Journal

    mock.arrive(release("1.1"))
    real = Journal.set_state

    def full(self: Journal, update: int, state: State, **more: Any) -> None:
        if state is State.ON_TRIAL:
            raise OSError(28, "No space left on device", "journal.sqlite")
        real(self, update, state, **more)

    monkeypatch.setattr(Journal, "set_state", full)
    with pytest.raises(HalfDone) as error:
        mock.update()
    said = error.value.line()
    assert "no space left" in said and said.count("cut off") == 1 and "left-intact recover" in said
    monkeypatch.setattr(Journal, "set_state", real)
    assert mock.bench.shelf.interrupted()
    mock.bench.updates.recover(mock.install, True)
    assert mock.bench.updates.prove(mock.install).proof.verdict is Verdict.INTACT
