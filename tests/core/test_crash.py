"""kill -9 at every step of an update, then recover, each way: of 60 files, of 200 in `make torture`."""

from __future__ import annotations

import os
import shutil
import signal
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest

from left_intact.core.carrying.chain import carry_out
from left_intact.core.carrying.recovery import recover
from left_intact.core.model.errors import Interrupted, LeftIntactError
from left_intact.core.model.progress import Progress
from left_intact.core.model.proof import Verdict
from left_intact.core.model.update import State
from left_intact.workbench import Workbench
from tests.builders import FORKS, Mock, Tree, in_memory, plant, release
from tests.chains import in_child

FILES = 200
AT_EVERY_STEP = 200 if os.environ.get("LEFT_INTACT_LAWS") == "many" else 30
pytestmark = FORKS


def _big(version: str, files: int) -> Tree:
    tree = release(version)
    for number in range(files - 20):
        keep = version == "1.0" or number % 10
        if keep:
            tree[f"share/part{number % 7}/f{number:03}.dat"] = (
                f"{version if number % 3 else 'same'} {number}\n" * 3
            )
    if version != "1.0":
        tree |= {f"fresh/n{n:02}.dat": f"new {n}" for n in range(20)}
    return tree


@pytest.fixture
def crashing() -> Iterator[Mock]:
    with in_memory() as folder:
        yield _prepared(Path(folder))


def _prepared(folder: Path, files: int = FILES) -> Mock:
    mock = Mock(folder)
    plant(mock.base, _big("1.0", files))
    plant(mock.root, _big("1.0", files))
    mock.edit({"mocklet.ini": "[video]\nsmooth = off\nscale = 2\n\n[sound]\nrate = 22050\n"})
    mock.arrive(
        _big("1.1", files) | {"mocklet.ini": "[video]\nsmooth = on\nscale = 9\n\n[sound]\nrate = 22050\n"}
    )
    return mock


def _killing_at(stage: str, number: int) -> Callable[[Progress], None]:
    def report(progress: Progress) -> None:
        if progress.stage == stage and progress.done == number:
            os.kill(os.getpid(), signal.SIGKILL)

    return report


def _crash(mock: Mock, stage: str, number: int) -> bool:
    """Kill an update at one report; whether it was killed there."""

    def work() -> None:
        mock.bench = Workbench(str(mock.folder / "home"))
        mock.update(report=_killing_at(stage, number))

    return in_child(work) == signal.SIGKILL


def _lay_out(kept: Path, folder: Path) -> None:
    """Put install and strongbox as they are in `kept`."""
    for name in ("mocklet", ".left-intact"):
        folder.joinpath(name).mkdir(
            parents=True, exist_ok=True
        )  # the very folder stays: it is known by its inode
        for item in (folder / name).iterdir():
            shutil.rmtree(item) if item.is_dir() and not item.is_symlink() else item.unlink()
        if (kept / name).exists():
            shutil.copytree(kept / name, folder / name, symlinks=True, dirs_exist_ok=True)


def _files(state: dict[str, object]) -> dict[str, object]:
    return {path: said for path, said in state.items() if not path.endswith("/")}


PARTS = 12


@pytest.mark.sampled(1)
@pytest.mark.parametrize("part", range(PARTS))
def test_killed_at_every_step_and_recovered_each_way(part: int) -> None:
    """The plan is drawn once; every crash starts from the same tree and is recovered forward and back."""
    with in_memory() as where:
        _kill_at_each(_prepared(Path(where), AT_EVERY_STEP), part)


def _kill_at_each(crashing: Mock, part: int) -> None:
    folder, before = crashing.folder, crashing.state()
    _lay_out(folder, folder / "fresh")
    box = crashing.bench.records.strongbox(crashing.install)
    plan = crashing.plan()
    reports: dict[str, int] = {}
    outside = crashing.bench.updates.back.outside(crashing.install)
    carry_out(
        plan, box, outside, report=lambda p: reports.update({p.stage: max(reports.get(p.stage, 0), p.done)})
    )
    after = _files(crashing.state())
    assert reports["laying"] >= AT_EVERY_STEP // 2
    points = [(stage, n) for stage, total in reports.items() for n in range(1, total + 1)]
    assert len(points) >= 2 * AT_EVERY_STEP
    for stage, number in points[part::PARTS]:
        _lay_out(folder / "fresh", folder)
        assert (
            in_child(lambda s=stage, n=number: carry_out(plan, box, outside, report=_killing_at(s, n)))
            == signal.SIGKILL
        )
        _lay_out(folder, folder / "crashed")
        assert recover(box, outside, str(crashing.root), True).state is State.ON_TRIAL
        assert _files(crashing.state()) == after, (stage, number)
        _lay_out(folder / "crashed", folder)
        assert recover(box, outside, str(crashing.root), False).state is State.ABANDONED
        # A copy of the crashed tree has folder times of its own where nothing was to be restored.
        assert _files(crashing.state()) == _files(before), (stage, number)


@pytest.mark.sampled(2)
@pytest.mark.parametrize("number", [1, 2, 50, 90, 130])
def test_back_from_a_crash_restores_the_times_of_folders_too(crashing: Mock, number: int) -> None:
    before = crashing.state()
    assert _crash(crashing, "laying", number)
    crashing.bench = Workbench(str(crashing.folder / "home"))
    with pytest.raises(Interrupted):
        crashing.bench.updates.prove(crashing.install)
    crashing.bench.updates.recover(crashing.install, False)
    assert crashing.state() == before and crashing.bench.shelf.interrupted() == []
    assert _crash(crashing, "laying", number)
    crashing.bench = Workbench(str(crashing.folder / "home"))
    crashing.bench.updates.recover(crashing.install, True)
    assert crashing.bench.updates.prove(crashing.install).proof.verdict is Verdict.INTACT
    crashing.bench.updates.back.go(crashing.install)
    assert crashing.state() == before


@pytest.mark.sampled(2)
@pytest.mark.parametrize("number", [1, 7, 60, 150])
def test_recovery_may_crash_too(crashing: Mock, number: int) -> None:
    before = crashing.state()
    assert _crash(crashing, "laying", 120)
    for step in (number, number + 3):

        def work(at: int = step) -> None:
            Workbench(str(crashing.folder / "home")).updates.recover(
                crashing.install, False, _killing_at("going back", at)
            )

        assert in_child(work) == signal.SIGKILL
    crashing.bench = Workbench(str(crashing.folder / "home"))
    crashing.bench.updates.recover(crashing.install, None)
    assert crashing.state() == before


@pytest.mark.sampled(2)
@pytest.mark.parametrize("number", [1, 40, 150])
def test_going_back_may_be_cut_off_and_ended_either_way(crashing: Mock, number: int) -> None:
    before = crashing.state()
    crashing.update()
    after = crashing.state()

    def work() -> None:
        bench = Workbench(str(crashing.folder / "home"))
        bench.updates.back.go(bench.shelf.find(str(crashing.root)), _killing_at("going back", number))

    assert in_child(work) == signal.SIGKILL
    crashing.bench = Workbench(str(crashing.folder / "home"))
    assert len(crashing.bench.shelf.interrupted()) == 1
    if number == 40:
        crashing.bench.updates.recover(crashing.install, True)
        files = {k: v for k, v in crashing.state().items() if not k.endswith("/")}
        assert files == {k: v for k, v in after.items() if not k.endswith("/")}
        crashing.bench.updates.back.go(crashing.install)
    else:
        assert crashing.bench.updates.recover(crashing.install, False).state is State.GONE_BACK
    assert crashing.state() == before


def test_forward_without_the_arrival_says_so_and_back_still_works(crashing: Mock) -> None:
    before = crashing.state()
    assert _crash(crashing, "safe", 30)
    crashing.next.unlink()
    crashing.bench = Workbench(str(crashing.folder / "home"))
    with pytest.raises(LeftIntactError) as error:
        crashing.bench.updates.recover(crashing.install, True)
    assert error.value.code == "cannot-go-forward" and "--back" in error.value.line()
    crashing.bench.updates.recover(crashing.install, False)
    assert crashing.state() == before


def test_nothing_to_recover(crashing: Mock) -> None:
    with pytest.raises(LeftIntactError) as error:
        crashing.bench.updates.recover(crashing.install, None)
    assert error.value.code == "nothing-to-recover"


def test_the_journal_is_on_the_disk_before_the_first_change(
    crashing: Mock, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The order of flushes: plan committed, copies flushed, `carrying` committed, then the first rename."""
    from left_intact.core.carrying import journal
    from left_intact.core.files.place import LocalPlace

    order: list[str] = []
    root = str(crashing.root)

    def watch(owner: type, name: str, says: Callable[..., str]) -> None:
        real = getattr(owner, name)

        def told(self: object, *words: object, **named: object) -> object:
            if said := says(self, *words, **named):
                order.append(said)
            return real(self, *words, **named)

        monkeypatch.setattr(owner, name, told)

    watch(LocalPlace, "flush", lambda s: "flush")
    watch(journal.Journal, "begin", lambda s, *a, **n: "journalled")
    watch(journal.Journal, "set_state", lambda s, u, state, **n: state.value)
    for name in ("take", "exchange", "make_folder", "remove_empty"):
        watch(LocalPlace, name, lambda s, *a, **n: "change" if s.root == root else "")
    crashing.update()
    short = [word for at, word in enumerate(order) if at == 0 or word != order[at - 1]]
    assert short == ["journalled", "flush", "carrying", "change", "flush", "on-trial"]
