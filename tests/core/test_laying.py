"""What a stage does on the way: what is flushed when, what is kept under its own name, what is told."""

from __future__ import annotations

import errno
import os
import shutil
import signal
from collections.abc import Callable, Iterator
from dataclasses import replace
from itertools import pairwise
from pathlib import Path
from typing import Any

import pytest
from blake3 import blake3

from left_intact.core.carrying import laying
from left_intact.core.carrying.journal import Journal
from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Entry, Kind
from left_intact.core.model.errors import HalfDone, LeftIntactError
from left_intact.core.model.place import At
from left_intact.core.model.plan import Plan, Verb
from left_intact.core.model.progress import CancelToken, Progress
from left_intact.core.model.proof import Verdict
from left_intact.core.model.stages import ChangeSet, Made, Move
from left_intact.core.model.update import State
from tests import disks
from tests.builders import FORKS, LATER, LINKS, MODES, OWNERS, Mock, in_memory, plant, release, zipped
from tests.chains import (
    FIRST,
    MERGED,
    MINE,
    KillAt,
    KillWhenLaid,
    MadeUp,
    apart,
    at_the_third,
    in_child,
    with_another_time,
)
from tests.torture import power
from tests.torture.ground import Ground

# ---------------------------------------------------------------- flushing


@pytest.fixture(scope="module", params=["beside", "elsewhere"])
def ground(request: pytest.FixtureRequest, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Ground]:
    if not hasattr(os, "fork"):
        pytest.skip("this system has no fork, so no process can be killed in the midst of a test")
    folder = tmp_path_factory.mktemp("ground")
    with in_memory() as memory:
        if request.param == "elsewhere" and os.stat(memory).st_dev == os.stat(folder).st_dev:
            pytest.skip("there is only one file system here")
        yield Ground(folder / "g", elsewhere=Path(memory) if request.param == "elsewhere" else None)


@pytest.mark.parametrize("work", ["update", "go back"])
def test_all_that_it_takes_is_on_the_device_before_the_first_change(ground: Ground, work: str) -> None:
    """The copies, the plain list, and what was made ready: also where strongbox and install lie apart."""
    tape = power.tape_of(ground, work)
    first = tape.first_change(ground.mock.root)
    assert first > 5
    assert [tape.ops[number].says for number in range(first) if not tape.survives(number, first)] == []


@FORKS
def test_what_a_recovery_makes_ready_anew_is_flushed_before_it_lays(tmp_path: Path) -> None:
    with in_memory() as memory:
        if os.stat(memory).st_dev == os.stat(tmp_path).st_dev:
            pytest.skip("there is only one file system here")
        ground = Ground(tmp_path / "g", elsewhere=Path(memory))
        for ready in (tmp_path / "g" / "images" / "cut off").rglob("ready-*"):
            ready.unlink()
        tape = power.tape_of(ground, "recover forward")
        first = tape.first_change(ground.mock.root)
        made = [n for n, op in enumerate(tape.ops[:first]) if "ready-" in op.says]
        assert made and all(tape.survives(number, first) for number in made)


# ---------------------------------------------------------------- what was made on trial


def _on_trial(mock: Mock) -> None:
    """An update, and what somebody made of what it laid."""
    arriving = release("1.1")
    del arriving["lib/libpad.so"]
    mock.arrive(arriving)
    mock.update()
    plant(mock.root, {"lib/libcore.so": b"my own build"}, mtime=LATER + 99)
    (mock.root / "lib/libcore.so").chmod(0o640)


def _trial(mock: Mock) -> dict[str, str]:
    with Journal(mock.bench.records.strongbox(mock.install).journal_path) as journal:
        return dict(journal.trial(1))


@pytest.mark.parametrize("laid", [3, 6, 9, 12])
def test_what_is_ready_is_laid_without_what_came(made: MadeUp, laid: int) -> None:
    """Cut off while it laid, and both archives are gone since: nothing is taken from them a second time."""
    plan = made.plan(hand=False)
    assert in_child(lambda: made.begin(plan, report=KillWhenLaid(laid))) == signal.SIGKILL
    made.one.unlink()
    made.two.unlink()
    assert made.bench.updates.recover(made.install, True).state is State.ON_TRIAL
    assert (made.root / "fresh/deep/new.so").read_bytes() == FIRST["fresh/deep/new.so"]
    assert (made.root / "lib/core.so").read_bytes() == FIRST["lib/core.so"]


@pytest.mark.parametrize("since", [False, True])
def test_a_place_that_gets_another_time_only_gets_it_from_a_recovery_too(made: MadeUp, since: bool) -> None:
    """Where somebody wrote into it since, that is said, and nothing is made ready a second time for it."""
    at, then = At("", "art/harbour.png"), LATER + 7
    plan = with_another_time(made, at, then)
    assert in_child(lambda: made.begin(plan, report=at_the_third)) == signal.SIGKILL
    made.one.unlink()
    made.two.unlink()
    if since:
        (made.root / at.path).write_bytes(b"mine since")
        with pytest.raises(LeftIntactError) as error:
            made.bench.updates.recover(made.install, True)
        assert "it changed since the update was cut off" in str(error.value)
        return
    assert made.bench.updates.recover(made.install, True).state is State.ON_TRIAL
    assert (made.root / at.path).stat().st_mtime == then


@pytest.mark.parametrize("where", ["mocklet.ini", "turns", "memory/harbour.sav"])
def test_what_somebody_changed_since_it_was_cut_off_is_not_laid_over(made: MadeUp, where: str) -> None:
    plan = made.plan(hand=False)
    assert in_child(lambda: made.begin(plan, report=KillWhenLaid(1))) == signal.SIGKILL
    (made.root / where).write_text("mine since\n")
    with pytest.raises(LeftIntactError) as error:
        made.bench.updates.recover(made.install, True)
    assert "it changed since the update was cut off" in str(error.value)
    assert "mine since" in (made.root / where).read_text()
    made.bench.updates.recover(made.install, False)
    assert "mine since" in (made.root / where).read_text()


@pytest.mark.parametrize("where", ["lib/core.so", "was", "mocklet.ini"])
@pytest.mark.parametrize("forward", [True, False])
def test_where_two_things_cannot_change_places_at_once_it_may_be_cut_off_between(
    made: MadeUp, where: str, forward: bool
) -> None:
    before = made.state()
    cut_between(made, where)
    made.bench.updates.recover(made.install, forward)
    if forward:
        assert (made.root / where).read_bytes() == (MERGED if where.endswith("ini") else _bytes(FIRST[where]))
    else:
        assert made.state() == before


def cut_between(made: MadeUp, where: str) -> None:
    """Killed where nothing can be exchanged: what lay at a place is out, and what comes is not in."""
    plan = made.plan(hand=False)

    def take(place: Any, real: Any, other: Any, path: str, to: str, *, over: bool) -> None:
        if to == where:
            os.kill(os.getpid(), signal.SIGKILL)
        real(place, other, path, to, over=over)

    def begin() -> None:
        disks.no_exchange(None)
        disks.instead(None, "take", take)
        made.begin(plan)

    assert in_child(begin) == signal.SIGKILL and not (made.root / where).exists()


def _bytes(content: Any) -> bytes:
    return content if isinstance(content, bytes) else content.encode()


@pytest.mark.parametrize("forward", [True, False])
def test_what_appears_where_two_kinds_were_changing_places_is_the_persons(
    made: MadeUp, forward: bool
) -> None:
    before = made.state()
    cut_between(made, "was")
    (made.root / "was").write_text("mine since\n")
    if forward:
        with pytest.raises(LeftIntactError) as error:
            made.bench.updates.recover(made.install, True)
        assert "it changed since the update was cut off" in str(error.value)
        assert (made.root / "was").read_text() == "mine since\n"
    else:
        made.bench.updates.recover(made.install, False)
        assert made.state() == before
        with Journal(made.box.journal_path) as journal:
            ((path, kept),) = journal.trial(1)
        assert path == "was" and Path(kept).read_text() == "mine since\n"


@pytest.mark.sampled(3)
@pytest.mark.parametrize("forward", [True, False])
@pytest.mark.parametrize("quick", [True, False])
@pytest.mark.parametrize("laid", [3, 24])
def test_what_is_left_over_in_the_work_folder_stops_nothing(
    made: MadeUp, monkeypatch: pytest.MonkeyPatch, forward: bool, quick: bool, laid: int
) -> None:
    """From earlier cuts, in every place where something may be put."""
    before, plan = made.state(), made.plan(hand=False)
    assert in_child(lambda: made.begin(plan, report=KillWhenLaid(laid))) == signal.SIGKILL
    work = Path(made.box.folder) / "work-1"
    assert work.is_dir()
    names = [f"{what}-1-{number}" for what in ("aside", "back") for number in range(1, 41)]
    for path in (work / name for name in names):
        if not (path.exists() or path.is_symlink()) or not forward:
            path.unlink(missing_ok=True)
            path.write_text("left over\n")
    if not quick:
        disks.no_exchange(monkeypatch)
    made.bench.updates.recover(made.install, forward)
    if forward:
        assert made.bench.updates.prove(made.install).proof.verdict is Verdict.INTACT
    else:
        assert made.state() == before


@pytest.mark.parametrize("quick", [True, False])
@pytest.mark.parametrize("where", ["parts/part.so", "was", "mocklet.ini"])
def test_what_appears_at_the_last_moment_stays(
    made: MadeUp, monkeypatch: pytest.MonkeyPatch, where: str, quick: bool
) -> None:
    """After the place was looked at, and before anything is laid there: all is put back, and it is there."""
    plan, appears = made.plan(hand=False), made.root / where
    if where == "was":
        appears /= "mine.txt"
    if not quick:
        disks.no_exchange(monkeypatch)
    disks.at_the_change(
        monkeypatch, made.root, where, lambda: plant(appears.parent, {appears.name: "mine\n"})
    )
    with pytest.raises(LeftIntactError):
        made.begin(plan)
    assert appears.read_text() == "mine\n"
    for path in {"mocklet", "lib/old/gone.so", "was/one.txt"} - {where}:
        assert (made.root / path).read_bytes() == _bytes(MINE[path])


@pytest.mark.parametrize("quick", [True, False])
def test_a_folder_that_somebody_put_something_into_does_not_give_way(
    made: MadeUp, monkeypatch: pytest.MonkeyPatch, quick: bool
) -> None:
    plan = made.plan(hand=False)
    plant(made.root, {"was/mine.txt": "mine\n"})
    before = made.state()
    if not quick:
        disks.no_exchange(monkeypatch)
    with pytest.raises(LeftIntactError) as error:
        made.begin(plan)
    assert "something has appeared in this folder" in str(error.value)
    assert made.state() == before


@pytest.mark.parametrize("what", [pytest.param("mode", marks=MODES), "time"])
def test_another_mode_or_time_on_the_way_is_a_change(made: MadeUp, what: str) -> None:
    before, core = made.state(), made.root / "lib/core.so"
    mode, time = core.stat().st_mode & 0o777, core.stat().st_mtime_ns

    def report(progress: Progress) -> None:
        if progress.stage == "unpacking":
            if what == "mode":
                core.chmod(mode ^ 0o020)
            else:
                os.utime(core, ns=(time, time + 10**9))

    with pytest.raises(LeftIntactError) as error:
        made.begin(made.plan(hand=False), report=report)
    assert error.value.path == str(core) and core.read_bytes() == MINE["lib/core.so"]
    core.chmod(mode)
    os.utime(core, ns=(time, time))
    assert made.state() == before


STAYS, KEPT, BESIDE = "it stays", "it is kept under its name", "it gets another name"


def taken_back(made: MadeUp, way: str, since: Callable[[], None]) -> None:
    """An update, and what somebody does since it laid all (but the last stage), before it is taken back.

    `whole`: the first stage had come to its end, and the next one fails; `torn`: killed when all was laid.
    """
    plan, stop = made.plan(hand=False), CancelToken()

    def report(progress: Progress) -> None:
        if progress.stage == "laying" and progress.path == "mocklet.ini":
            since()
            stop.cancel()

    if way == "whole":
        in_two = replace(plan, stages=apart(plan, "mocklet.ini", "parts/part.so"))
        with pytest.raises(LeftIntactError) as error:
            made.begin(in_two, report=report, cancel=stop)
        if isinstance(error.value, HalfDone):
            raise error.value
        return
    assert in_child(lambda: made.begin(plan, report=when_all_is_laid)) == signal.SIGKILL
    since()
    made.bench.updates.recover(made.install, False)


def when_all_is_laid(progress: Progress) -> None:
    if progress.stage == "laying" and progress.done == progress.total:
        os.kill(os.getpid(), signal.SIGKILL)


@pytest.mark.sampled(5)
@pytest.mark.parametrize("way", ["whole", "torn"])
@pytest.mark.parametrize(
    ("where", "mine", "end"),
    [
        ("fresh/deep/new.so", "fresh/deep/new.so", STAYS),  # where nothing lay
        ("fresh/deep/new.so", "fresh/deep/new.so/mine.txt", STAYS),
        ("lib/core.so", "lib/core.so", KEPT),  # where a file lay
        ("lib/core.so", "lib/core.so/mine.txt", BESIDE),
        ("turns", "turns", KEPT),
        ("lib/old/gone.so", "lib/old/gone.so", KEPT),
        ("lib/old/gone.so", "lib/old/gone.so/mine.txt", BESIDE),
        ("was", "was", KEPT),  # where a folder lay
        ("lib/old", "lib/old", KEPT),
        ("index", "index", STAYS),  # what was only made safe
    ],
)
def test_what_somebody_made_since_outlasts_a_taking_back(
    made: MadeUp, where: str, mine: str, end: str, way: str
) -> None:
    root = made.saves if where == "index" else made.root
    plant(made.root, {"lib/core.so (yours)": "in the way of a name\n"})
    before = _files(made)

    def since() -> None:
        path = root / where
        if path.is_dir():
            shutil.rmtree(path)
        path.unlink(missing_ok=True)
        plant(root, {mine: "mine\n"}, mtime=LATER + 99)

    taken_back(made, way, since)
    with Journal(made.box.journal_path) as journal:
        ((_, kept),) = journal.trial(1) or ((where, str(root / mine)),)
    if end == BESIDE:
        assert Path(kept) == root / f"{where} (yours{' 2' if where == 'lib/core.so' else ''})"
        kept = f"{kept}/mine.txt"
    elif end == KEPT:
        assert not Path(kept).is_relative_to(made.root)
    else:
        assert Path(kept) == root / mine
    assert Path(kept).read_text() == "mine\n" and Path(kept).stat().st_mtime == LATER + 99
    lies = {Path(kept).relative_to(root).as_posix()} if Path(kept).is_relative_to(root) else set()
    assert {path: what for path, what in _files(made).items() if path[1] not in lies} == {
        path: what for path, what in before.items() if path[1] not in lies
    }


@pytest.mark.parametrize(
    ("error", "code", "path"),
    [
        (OSError(errno.EIO, "no", "lib/core.so"), "disk", "lib/core.so"),
        (OSError(errno.EIO, "no", 7), "disk", ""),
        (KeyboardInterrupt(), "stopped", ""),
        (ValueError("no"), "unexpected", ""),
        (LeftIntactError("mine", "no", path="here"), "mine", "here"),
    ],
)
def test_whatever_stops_a_stage_is_one_line(error: BaseException, code: str, path: str) -> None:
    line = laying.as_stop(error, "all is back")
    assert (line.code, line.path) == (code, path) and ("all is back" in line.says or line is error)


@pytest.mark.parametrize("way", ["whole", "torn"])
def test_folders_that_somebody_removed_since_are_there_again(made: MadeUp, way: str) -> None:
    (made.root / "was").chmod(0o750)
    before = made.state()
    taken_back(made, way, lambda: shutil.rmtree(made.root / "lib"))
    assert _files(made) == _files(made, before)
    assert made.state()[""]["was/"][0] == before[""]["was/"][0]


@pytest.mark.parametrize("way", ["whole", "torn"])
def test_what_is_in_a_folder_where_a_file_is_to_come_back_waits_for_its_owner(made: MadeUp, way: str) -> None:
    before = made.state()
    with pytest.raises(HalfDone) as error:
        taken_back(made, way, lambda: plant(made.root, {"turns/mine.txt": "mine\n"}))
    assert "something of yours is in this folder" in error.value.says
    assert error.value.path == str(made.root / "turns")
    (made.root / "turns/mine.txt").unlink()
    made.bench.updates.recover(made.install, False)
    assert made.state() == before


@FORKS
@OWNERS
@pytest.mark.parametrize("since", [False, True])
def test_a_file_of_two_names_has_them_again_when_what_waited_is_lost(mock: Mock, since: bool) -> None:
    """Unless its other name has other bytes since."""
    core, second = mock.root / "lib/libcore.so", mock.root / "lib/libalso.so"
    os.link(core, second)
    was = core.read_bytes()
    mock.arrive(release("1.1"))
    assert in_child(lambda: mock.update(report=when_all_is_laid)) == signal.SIGKILL
    for lies in Path(mock.bench.records.strongbox(mock.install).folder).glob("work-*/*"):
        lies.rmdir() if lies.is_dir() and not lies.is_symlink() else lies.unlink()
    if since:
        second.write_bytes(b"mine")
    mock.bench.updates.recover(mock.install, False)
    assert core.read_bytes() == was and core.samefile(second) is not since


def _files(made: MadeUp, state: dict[str, Any] | None = None) -> dict[tuple[str, str], Any]:
    """All but folders with something in them."""
    state = state or made.state()
    return {(label, path): what for label in state for path, what in state[label].items() if path[-1] != "/"}


@pytest.mark.parametrize("where", ["lib/old/gone.so", "parts/part.so", "was", "mocklet.ini"])
def test_a_step_that_fails_once_it_has_changed_its_place_is_put_back(
    made: MadeUp, monkeypatch: pytest.MonkeyPatch, where: str
) -> None:
    before, plan = made.state(), made.plan(hand=False)
    disks.at_the_change(monkeypatch, made.root, where, disks.fails(), after=True)
    with pytest.raises(LeftIntactError) as error:
        made.begin(plan)
    assert not isinstance(error.value, HalfDone)
    assert made.state() == before


def test_what_was_made_on_trial_keeps_mode_and_time(mock: Mock) -> None:
    _on_trial(mock)
    mock.bench.updates.back.go(mock.install)
    kept = Path(_trial(mock)["lib/libcore.so"])
    assert kept.read_bytes() == b"my own build" and kept.stat().st_mtime == LATER + 99
    if os.name != "nt":
        assert kept.stat().st_mode & 0o777 == 0o640


@LINKS
def test_a_link_that_was_made_on_trial_is_kept_as_one(mock: Mock) -> None:
    _on_trial(mock)
    (mock.root / "lib/libcore.so").unlink()
    plant(mock.root, {"lib/libcore.so": ("link", "libown.so")}, mtime=LATER + 99)
    mock.bench.updates.back.go(mock.install)
    kept = Path(_trial(mock)["lib/libcore.so"])
    assert kept.is_symlink() and os.readlink(kept) == "libown.so"
    assert os.lstat(kept).st_mtime == LATER + 99


@FORKS
def test_what_is_kept_already_is_not_kept_twice(mock: Mock) -> None:
    _on_trial(mock)

    def killed() -> None:
        stop = KillAt(1)
        mock.bench.updates.back.go(mock.install, lambda p: stop(p) if p.stage == "unpacking" else None)

    assert in_child(killed) == signal.SIGKILL
    known = _trial(mock)
    mock.bench.updates.recover(mock.install, False)
    assert _trial(mock) == known
    assert [path.name for path in Path(known["lib/libcore.so"]).parent.iterdir()] == ["libcore.so"]


# ---------------------------------------------------------------- what is made ready


@OWNERS
def test_a_name_that_joins_another_has_the_time_it_stands_for(mock: Mock) -> None:
    """Going back makes two names one file again: also where the other one was touched since."""
    (mock.root / "lib/libalso.so").unlink(missing_ok=True)
    os.link(mock.root / "lib/libcore.so", mock.root / "lib/libalso.so")
    was = (mock.root / "lib/libcore.so").stat().st_mtime_ns
    mock.arrive(release("1.1"))
    mock.update()
    os.utime(mock.root / "lib/libalso.so", (LATER, LATER))
    mock.bench.updates.back.go(mock.install)
    assert (mock.root / "lib/libcore.so").samefile(mock.root / "lib/libalso.so")
    assert (mock.root / "lib/libcore.so").stat().st_mtime_ns == was


@LINKS
def test_a_link_that_is_laid_has_the_time_it_came_with(made: MadeUp) -> None:
    plan = made.plan(hand=False)
    want = next(m.after for m in plan.changes if m.at.path == "lib/newest")
    assert want is not None and want.kind is Kind.LINK
    made.begin(plan)
    assert os.lstat(made.root / "lib/newest").st_mtime_ns == want.mtime_ns


def test_what_was_not_made_for_a_file_is_not_laid(made: MadeUp) -> None:
    before, plan = made.state(), made.plan(hand=False)
    stage = plan.stages[0]
    assert isinstance(stage, ChangeSet)

    def other(move: Move) -> Move:
        if move.verb is not Verb.MERGE or not isinstance(move.source, Made):
            return move
        return replace(move, source=Made(move.source.digest, b"something else"))

    stages = (replace(stage, moves=tuple(other(move) for move in stage.moves)),)
    with pytest.raises(LeftIntactError) as error:
        made.begin(replace(plan, stages=stages))
    assert error.value.code == "plan-damaged" and made.state() == before


def test_one_file_of_an_arrival_is_laid_in_every_place_that_wants_it(made: MadeUp) -> None:
    plan = made.plan(hand=False)
    stage = plan.stages[0]
    assert isinstance(stage, ChangeSet)
    core = next(move for move in stage.moves if move.at.path == "lib/core.so")
    assert core.after is not None
    more = tuple(
        replace(core, at=At(root, path), verb=Verb.ADD, before=None, after=replace(core.after, path=path))
        for root, path in (("", "lib/also.so"), ("new", "core.so"))
    )
    moves = tuple(sorted((*stage.moves, *more), key=lambda move: move.at))
    made.begin(replace(plan, stages=(replace(stage, moves=moves),)))
    for path in (made.root / "lib/core.so", made.root / "lib/also.so", made.new / "core.so"):
        assert blake3(path.read_bytes()).hexdigest() == core.after.digest
        assert path.stat().st_mtime_ns == core.after.mtime_ns


def test_an_archive_that_lacks_something_since_is_not_laid(made: MadeUp) -> None:
    before, plan = made.state(), made.plan(hand=False)
    lacking = dict(FIRST)
    del lacking["lib/core.so"]
    made.one.unlink()
    zipped(lacking, made.one, "mocklet-1.1")
    with pytest.raises(LeftIntactError) as error:
        made.begin(plan)
    assert error.value.code == "arrival-changed" and made.state() == before


@pytest.mark.parametrize(
    ("happens", "code"),
    [
        ("gone", "arrival-changed"),
        ("a file in its way", "arrival-changed"),
        ("changed", "arrival-changed"),
        ("no copy", "copy-differs"),
        ("no disk", "disk"),
    ],
)
def test_what_goes_wrong_with_a_folder_that_came_is_said_for_what_it_is(
    mock: Mock, monkeypatch: pytest.MonkeyPatch, happens: str, code: str
) -> None:
    came = plant(mock.folder / "mocklet-1.1", release("1.1"))
    draft = mock.bench.updates.draft(mock.install, str(came))
    plan, before = draft.plan({q.id: q.default for q in draft.plan().questions}), mock.state()

    def fails(self: Any, real: Any, source: Any, path: str, *more: Any) -> None:
        if source.root == str(came) and happens == "no disk":
            raise OSError(errno.EIO, os.strerror(errno.EIO))
        if source.root == str(came) and happens == "no copy":
            raise LeftIntactError("copy-differs", "it does not read back")
        real(self, source, path, *more)

    if happens == "gone":
        (came / "lib/libcore.so").unlink()
    elif happens == "changed":
        (came / "lib/libcore.so").write_bytes(b"another build")
    elif happens == "a file in its way":
        for path in (came / "lib").iterdir():
            path.unlink()
        (came / "lib").rmdir()
        (came / "lib").write_text("a file")
    disks.instead(monkeypatch, "copy_in", fails)
    with pytest.raises(LeftIntactError) as error:
        mock.bench.updates.update(plan, draft.install)
    assert error.value.code == code and mock.state() == before


def test_everything_that_is_done_is_told(mock: Mock) -> None:
    """Each stage counts its steps up to the last, there and back."""
    arriving = release("1.1")
    del arriving["lib/libpad.so"]
    mock.arrive(arriving)
    told: list[Progress] = []
    mock.update(report=told.append)
    mock.bench.updates.back.go(mock.install, told.append)
    by_stage: dict[str, list[Progress]] = {}
    for one in told:
        by_stage.setdefault(one.stage, []).append(one)
    assert {"safe", "unpacking", "laying", "going back"} <= set(by_stage)
    for stage in ("unpacking", "laying", "going back"):
        rows = by_stage[stage]
        turns = [one.done for one in rows]
        starts = [number for number, done in enumerate(turns) if done == 1] + [len(rows)]
        for first, last in pairwise(starts):
            assert turns[first:last] == list(range(1, last - first + 1)), stage
        if stage != "unpacking":
            assert rows[-1].done == rows[-1].total
    assert by_stage["laying"][-1].bytes_done > 0
    unpacked = [one.path for one in by_stage["unpacking"]]
    assert "lib/libpad.so" in unpacked  # out of the strongbox, on the way back


@pytest.mark.parametrize(("stage", "at"), [("unpacking", 1), ("unpacking", 4), ("laying", 1), ("laying", 5)])
def test_a_stop_is_heard_at_the_next_step(made: MadeUp, stage: str, at: int) -> None:
    before, token, told = made.state(), CancelToken(), []

    def report(progress: Progress) -> None:
        if progress.stage == stage:
            told.append(progress.done)
            if progress.done == at:
                token.cancel()

    with pytest.raises(LeftIntactError) as error:
        made.begin(made.plan(hand=False), report=report, cancel=token)
    assert error.value.code == "stopped" and told[-1] == at and made.state() == before


def with_link(made: MadeUp, verb: Verb, after: Entry | None) -> tuple[Plan, tuple[Move, ...]]:
    """The plan, and something that happens to a link of the install."""
    plan, link = made.plan(hand=False), made.entries()[At("", "art/latest")]
    stage = plan.stages[0]
    assert isinstance(stage, ChangeSet) and link.kind is Kind.LINK
    at, kind = At("", "art/latest"), FileClass.PROGRAM
    more = Move(at=at, verb=verb, file_class=kind, because="made up", before=link, after=after)
    moves = tuple(sorted((*stage.moves, more), key=lambda move: move.at))
    return replace(plan, stages=(replace(stage, moves=moves),)), moves


@FORKS
@LINKS
def test_a_link_that_was_not_come_to_is_the_persons_to_change(made: MadeUp) -> None:
    after = Entry(path="art/latest", kind=Kind.LINK, link="mill.png", mtime_ns=LATER * 10**9)
    plan, _ = with_link(made, Verb.REPLACE, after)

    def killed() -> None:
        stop = KillAt(1)
        made.begin(plan, report=lambda p: stop(p) if p.stage == "laying" else None)

    assert in_child(killed) == signal.SIGKILL
    (made.root / "art/latest").unlink()
    (made.root / "art/latest").symlink_to("mine.png")
    made.bench.updates.recover(made.install, False)
    assert os.readlink(made.root / "art/latest") == "mine.png"


@pytest.mark.sampled(2)
@FORKS
@LINKS
@pytest.mark.parametrize("forward", [True, False])
@pytest.mark.parametrize("last", [False, True])
@pytest.mark.parametrize("lost", ["all", "folders", "modes and times", "bytes"])
def test_what_waits_in_the_work_folder_may_be_lost(
    made: MadeUp, forward: bool, last: bool, lost: str
) -> None:
    """A recovery makes it ready anew, whatever half of it lies there."""
    before = made.state()
    whole, moves = with_link(made, Verb.RETIRE, None)

    def killed() -> None:
        stop = KillAt(1)
        made.begin(
            whole,
            report=lambda p: (
                stop(p) if p.stage == "laying" and p.done == (p.total - 1 if last else 1) else None
            ),
        )

    assert in_child(killed) == signal.SIGKILL
    (work,) = (path for path in Path(made.box.folder).glob("work-*"))
    for lies in work.iterdir():
        if lost == "modes and times":
            if not lies.is_symlink():
                lies.chmod(0o700)
                os.utime(lies, (5, 5))
        elif lies.is_dir():
            lies.rmdir()
        elif lost == "all":
            lies.unlink()
        elif lost == "bytes" and not lies.is_symlink():
            lies.write_bytes(b"?" * lies.stat().st_size)
    for number in range(1, len(moves) + 1):
        (work / f"back-1-{number}").write_bytes(b"half")
    made.bench.updates.recover(made.install, forward)
    if forward:
        assert not os.path.lexists(made.root / "art/latest")
        assert (made.root / "mocklet.ini").read_bytes() == MERGED
        for at, after in [(move.at, move.after) for move in moves if move.after is not None]:
            if after.kind is Kind.FILE:
                info = (made.places[at.root] / at.path).stat()
                assert info.st_mtime_ns == after.mtime_ns and info.st_mode & 0o777 == after.mode
        made.bench.updates.back.go(made.install)
    assert made.state() == before


@OWNERS
def test_what_could_not_be_given_on_the_way_back_is_said(mock: Mock, monkeypatch: pytest.MonkeyPatch) -> None:
    arriving = release("1.1")
    del arriving["lib/libpad.so"]
    mock.arrive(arriving)

    def refused(*words: object, **named: object) -> None:
        raise PermissionError(1, "Operation not permitted")

    with monkeypatch.context() as patched:
        disks.of_somebody(patched, {"lib/libpad.so": (4242, 4343)})
        mock.update()
        patched.setattr(os, "chown", refused)
        mock.bench.updates.back.go(mock.install)
    runs = mock.bench.records.history(mock.install)
    with Journal(mock.bench.records.strongbox(mock.install).journal_path) as journal:
        said = {note for run in journal.runs() for note in run.notes}
    assert runs and said == {"lib/libpad.so: its owner could not be given"}


def test_what_comes_out_other_than_it_was_seen_goes_in_again(
    mock: Mock, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Somebody writes a file between the last look and the exchange: theirs stays, all else is as it was."""
    mock.arrive(release("1.1"))
    before, theirs = mock.state(), b"written in between"
    raced: list[str] = []

    def race() -> None:
        raced.append("mocklet")
        (mock.root / "new").write_bytes(theirs)
        os.replace(mock.root / "new", mock.root / "mocklet")

    disks.at_the_change(monkeypatch, mock.root, "mocklet", race)
    with pytest.raises(LeftIntactError) as error:
        mock.update()
    assert raced and error.value.code == "changed-meanwhile"
    assert (mock.root / "mocklet").read_bytes() == theirs
    now = mock.state()
    assert {path for path in before if now.get(path) != before[path]} <= {"mocklet", "./", ""}
    assert not mock.bench.shelf.interrupted()


@pytest.mark.parametrize("path", ["was", "turns"])
def test_a_step_that_fails_in_its_middle_is_put_back(
    made: MadeUp, path: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Where two things cannot change places at once: the old one is out, and the new one does not go in."""
    before = made.state()
    failed: list[str] = []

    def take(self: Any, real: Any, source: Any, source_path: str, to: str, *, over: bool) -> None:
        if self.root == str(made.root) and to == path and not failed:
            failed.append(to)
            raise OSError(errno.EIO, "Input/output error", to)
        real(self, source, source_path, to, over=over)

    disks.no_exchange(monkeypatch)
    disks.instead(monkeypatch, "take", take)
    with pytest.raises(LeftIntactError):
        made.bench.updates.update(made.plan(), made.install)
    assert failed and made.state() == before and not made.bench.shelf.interrupted()
    assert made.bench.updates.update(made.plan(), made.install).waits


@LINKS
def test_a_link_that_was_replaced_is_put_back_where_laying_fails(
    mock: Mock, monkeypatch: pytest.MonkeyPatch
) -> None:
    for root in (mock.root, mock.base):
        plant(root, {"lib/now": ("link", "libcore.so"), "lib/aside": ("link", "now")})
    mock.arrive(release("1.1", lib__now="a file by now", zz="the last one"))
    before = mock.state()

    def take(self: Any, real: Any, source: Any, source_path: str, to: str, *, over: bool) -> None:
        if self.root == str(mock.root) and to == "zz":
            raise OSError(errno.EIO, "Input/output error", to)
        real(self, source, source_path, to, over=over)

    with monkeypatch.context() as patch:
        disks.instead(patch, "take", take)
        with pytest.raises(LeftIntactError):
            mock.update()
    assert mock.state() == before
    mock.update()
    assert not (mock.root / "lib/now").is_symlink() and not (mock.root / "lib/aside").is_symlink()
    mock.bench.updates.back.go(mock.install)
    assert mock.state() == before


@LINKS
def test_a_root_that_was_exchanged_while_it_was_worked_on_is_noticed(mock: Mock) -> None:
    """What was laid went into the folder that was looked at, not into the one that lies there now."""
    mock.arrive(release("1.1"))
    before, away = mock.state(), mock.folder / "away"
    moved: list[bool] = []

    def report(progress: Any) -> None:
        if progress.stage == "laying" and progress.done == progress.total and not moved:
            moved.append(True)
            os.rename(mock.root, away)
            os.mkdir(mock.root)

    if os.name == "nt":
        pytest.skip("this system moves no folder that is open")
    with pytest.raises(LeftIntactError):
        mock.update(report=report)
    assert moved and not any(mock.root.iterdir())
    os.rmdir(mock.root)
    os.rename(away, mock.root)
    if mock.bench.shelf.interrupted():
        mock.bench.updates.recover(mock.install, False)
    now = mock.state()
    assert now.pop("/") and before.pop("/") and now == before
