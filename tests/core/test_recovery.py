"""Recovery never jams, and says what is so: full disks, long names, damaged files, a stop in the middle."""

from __future__ import annotations

import errno
import os
import signal
import sqlite3
import stat
import subprocess
import sys
from collections.abc import Callable, Iterator
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest

from left_intact.core.carrying.heads import make_journal
from left_intact.core.carrying.journal import Journal
from left_intact.core.carrying.recovery import recover
from left_intact.core.carrying.strongbox import Strongbox
from left_intact.core.files.place import LocalPlace
from left_intact.core.model.errors import HalfDone, LeftIntactError
from left_intact.core.model.proof import Verdict
from left_intact.core.model.stages import ChangeSet
from left_intact.core.model.update import State
from left_intact.workbench import Workbench
from tests import disks
from tests.builders import (
    FORKS,
    LATER,
    LONG_NAMES,
    PIPES,
    SIGNALS,
    Mock,
    plant,
    release,
)
from tests.chains import KillAt, MadeUp, in_child


def _next(mock: Mock, **more: Any) -> None:
    arriving = release("1.1", **more)
    del arriving["lib/libpad.so"]
    mock.arrive(arriving)


@pytest.fixture
def apart(mock: Mock, tmp_path: Path) -> Iterator[Mock]:
    """With the strongbox on another file system."""
    memory = Path("/dev/shm")
    if not os.access(memory, os.W_OK) or memory.stat().st_dev == tmp_path.stat().st_dev:
        pytest.skip("there is only one file system here")
    import tempfile

    with tempfile.TemporaryDirectory(dir=memory) as folder:
        _box_at(mock, Path(folder))
        yield mock


def _box_at(mock: Mock, folder: Path) -> None:

    box = Strongbox(str(folder / "box"))
    box.make()
    make_journal(box.journal_path)
    card = box.claim(str(mock.root), str(mock.install.id))
    mock.bench.surveys.library.set_box(mock.install, card.id, box.folder, needed=False)
    box.close()
    assert mock.bench.records.strongbox(mock.install).folder == box.folder


def _refusing(
    monkeypatch: pytest.MonkeyPatch, name: str, when: Callable[[LocalPlace, tuple[Any, ...]], bool], code: int
) -> None:
    """Let one call of places fail, as a disk does."""

    def may_fail(place: LocalPlace, real: Any, *words: Any, **named: Any) -> Any:
        if when(place, words):
            raise OSError(code, os.strerror(code), place.root)
        return real(place, *words, **named)

    disks.instead(monkeypatch, name, may_fail)


class Once:
    """True at the n-th change below a root, and never again."""

    def __init__(self, root: Path, number: int) -> None:
        self.root, self.left = str(root), number

    def __call__(self, place: LocalPlace, words: tuple[Any, ...]) -> bool:
        self.left -= place.root == self.root
        return place.root == self.root and self.left == 0


# ---------------------------------------------------------------- another file system


@pytest.mark.parametrize("number", [1, 2, 4])
def test_a_full_disk_while_laying_with_the_box_elsewhere(
    apart: Mock, monkeypatch: pytest.MonkeyPatch, number: int
) -> None:
    _next(apart)
    before = apart.state()
    with monkeypatch.context() as patch:
        _refusing(patch, "exchange", Once(apart.root, number), errno.ENOSPC)
        with pytest.raises(LeftIntactError) as error:
            apart.update()
    assert (
        error.value.code == "disk" and "nothing was changed" in error.value.line() and apart.state() == before
    )
    assert not apart.bench.shelf.interrupted() and not list(apart.root.parent.glob(".left-intact/*/work-*"))
    assert apart.update().proof.verdict is Verdict.INTACT
    apart.bench.updates.back.go(apart.install)
    assert apart.state() == before


@LONG_NAMES
def test_a_name_of_240_bytes_is_retired_and_comes_back(apart: Mock) -> None:
    long = "n" * 240
    for root in (apart.root, apart.base):
        plant(root, {f"lib/{long}": b"\x7fELFlong" * 30})
    before = apart.state()
    _next(apart)
    apart.update()
    assert not (apart.root / "lib" / long).exists()
    apart.bench.updates.back.go(apart.install)
    assert apart.state() == before


@pytest.mark.parametrize("forward", [True, False])
def test_killed_while_what_goes_is_moved_with_the_box_elsewhere(apart: Mock, forward: bool) -> None:
    """At each step, twice: what waits aside of the first time is in nobody's way."""
    _next(apart)
    before, plan = apart.state(), apart.draft().plan()
    plan = apart.draft().plan({q.id: q.default for q in plan.questions})
    for number in (1, 2, 3):
        bench = Workbench(str(apart.folder / "home"))

        def killed(n: int = number, b: Workbench = bench) -> None:
            b.updates.update(
                plan,
                apart.install,
                report=lambda p: KillAt(1)(p) if p.stage == "laying" and p.done == n else None,
            )

        assert in_child(killed) == signal.SIGKILL
        in_child(lambda b=bench: b.updates.recover(apart.install, forward, KillAt(2)))
        if bench.shelf.interrupted():
            bench.updates.recover(apart.install, forward)
        if forward:
            assert bench.updates.prove(apart.install).proof.verdict is Verdict.INTACT
            bench.updates.back.go(apart.install)
        assert apart.state() == before


# ---------------------------------------------------------------- when putting back fails


def test_when_putting_back_fails_it_says_what_is_half_done(
    mock: Mock, monkeypatch: pytest.MonkeyPatch
) -> None:
    _next(mock)
    before = mock.state()
    with monkeypatch.context() as patch:
        _refusing(patch, "exchange", Once(mock.root, 3), errno.EIO)
        _refusing(patch, "take", lambda place, words: place.root == str(mock.root), errno.EIO)
        with pytest.raises(HalfDone) as error:
            mock.update()
    said = error.value.line()
    assert error.value.exit_code == 4 and "nothing was changed" not in said and "recover --back" in said
    assert str(mock.root) in said and "places are back" in said
    assert [u.state for _, u in mock.bench.shelf.interrupted()] == [State.PUTTING_BACK]
    mock.bench.updates.recover(mock.install, False)
    assert mock.state() == before


def test_a_half_done_going_back_can_be_ended_either_way(mock: Mock, monkeypatch: pytest.MonkeyPatch) -> None:
    _next(mock)
    before = mock.state()
    mock.update()
    with monkeypatch.context() as patch:
        _refusing(patch, "exchange", Once(mock.root, 2), errno.EIO)
        _refusing(patch, "take", lambda place, words: place.root == str(mock.root), errno.EIO)
        with pytest.raises(LeftIntactError):
            mock.bench.updates.back.go(mock.install)
    if mock.bench.shelf.interrupted():
        mock.bench.updates.recover(mock.install, False)
    else:
        mock.bench.updates.back.go(mock.install)
    assert mock.state() == before


# ---------------------------------------------------------------- what is the person's, in the middle of it


def test_a_file_of_theirs_named_like_one_of_ours_stays(mock: Mock) -> None:
    names = {
        f"{folder}.left-intact-laying-{name}": "mine\n"
        for folder, name in (("", "mocklet"), ("lib/", "libpad.so"))
    }
    mock.edit({**names, "work-1": "mine\n", "annex-x": "mine\n"})
    before = mock.state()
    _next(mock)
    mock.update()
    mock.bench.updates.back.go(mock.install)
    assert mock.state() == before


@pytest.mark.sampled(2)
@pytest.mark.parametrize("forward", [True, False])
@pytest.mark.parametrize("number", [1, 3, 6])
def test_a_cut_going_back_keeps_what_was_made_on_trial(mock: Mock, forward: bool, number: int) -> None:
    _next(mock)
    mock.edit({"mocklet.ini": "; mine\n[video]\nsmooth = off\nscale = 2\n\n[sound]\nrate = 22050\n"})
    mock.next.unlink()
    _next(mock, **{"mocklet.ini": "[video]\nsmooth = on\nscale = 3\n\n[sound]\nrate = 22050\n"})
    before = mock.state()
    mock.update()
    plant(
        mock.root,
        {"mocklet.ini": "[video]\nsmooth = maybe\n", "lib/libcore.so": b"my own build"},
        mtime=LATER + 99,
    )
    trial = mock.state()

    def killed() -> None:
        bench = Workbench(str(mock.folder / "home"))
        bench.updates.back.go(
            mock.install, lambda p: KillAt(1)(p) if p.stage == "going back" and p.done == number else None
        )

    assert in_child(killed) == signal.SIGKILL
    bench = Workbench(str(mock.folder / "home"))
    bench.updates.recover(mock.install, forward)
    files = lambda state: {p: s for p, s in state.items() if not p.endswith("/")}  # noqa: E731
    if forward:
        assert files(mock.state()) == files(trial)
        back = bench.updates.back.go(mock.install)
        assert {path for path, _ in back.kept} >= {"mocklet.ini", "lib/libcore.so"}
    assert mock.state() == before
    from left_intact.core.carrying.journal import Journal

    with Journal(bench.records.strongbox(mock.install).journal_path) as journal:
        kept = dict(journal.trial(1))
    assert Path(kept["mocklet.ini"]).read_text() == "[video]\nsmooth = maybe\n"
    assert Path(kept["lib/libcore.so"]).read_bytes() == b"my own build"


def test_used_since_stays_where_the_person_wants_it(mock: Mock) -> None:
    mock.edit({"mocklet.ini": "[video]\nsmooth = off\nscale = 2\n\n[sound]\nrate = 22050\n"})
    _next(mock, **{"mocklet.ini": "[video]\nsmooth = on\nscale = 3\n\n[sound]\nrate = 22050\n"})
    mock.update()
    plant(mock.root, {"mocklet.ini": "[video]\nsmooth = maybe\n"}, mtime=LATER + 99)
    plan = mock.bench.updates.back.draw(mock.install)
    assert [q.id for q in plan.questions] == ["used-since"] and tuple(
        at.shown for at in plan.questions[0].paths
    ) == ("mocklet.ini",)
    assert any(m.at.shown == "mocklet.ini" for m in plan.changes)
    stays = mock.bench.updates.back.draw(mock.install, answers={"used-since": "stay"})
    assert not any(m.at.shown == "mocklet.ini" for m in stays.changes)
    back = mock.bench.updates.back.go(mock.install, plan=stays)
    assert mock.read("mocklet.ini") == "[video]\nsmooth = maybe\n" and mock.read("VERSION") == "1.0\n"
    assert back.proof is not None and back.proof.verdict is Verdict.INTACT


def test_a_named_update_goes_back_where_later_ones_touch_other_places(mock: Mock) -> None:
    from left_intact.core.model.plan import Plan
    from left_intact.core.model.unchanged import Unchanged

    _next(mock, **{"docs__guide.html": "<p>1.1\n"})
    draft = mock.draft()
    whole = draft.plan({q.id: q.default for q in draft.plan().questions})

    def only(*paths: str) -> Plan:

        change_set = ChangeSet(moves=tuple(m for m in whole.change_sets[0].moves if m.at.shown in paths))
        kept = (
            *whole.kept,
            *(m for m in whole.change_sets[0].moves if m.at.shown not in paths and m.before is not None),
        )
        return replace(
            whole, stages=(change_set,), kept=Unchanged(rest=[replace(m, after=m.before) for m in kept])
        )

    before = mock.state()
    mock.bench.updates.update(only("docs/guide.html"), draft.install)
    mock.bench.updates.update(only("VERSION", "lib/libcore.so"), draft.install)
    mock.bench.updates.back.go(draft.install, number=1)
    assert [u.state for u in mock.bench.records.history(draft.install)] == [State.ON_TRIAL, State.GONE_BACK]
    assert (
        mock.read("docs/guide.html") == "<!doctype html>\n<p>guide 1.0</p>\n"
        and mock.read("VERSION") == "1.1\n"
    )
    mock.bench.updates.back.go(draft.install)
    assert mock.state() == before
    draft = mock.draft()
    plan = draft.plan({q.id: q.default for q in draft.plan().questions})
    mock.bench.updates.update(plan, draft.install)
    mock.arrive(release("1.2"), "mocklet-1.2")
    mock.update(baseline=False)
    number = mock.bench.records.history(draft.install)[1].id
    assert [b.code for b in mock.bench.updates.back.draw(draft.install, number=number).blockers] == [
        "later-update"
    ]


# ---------------------------------------------------------------- damaged files, full disks


def _damage(path: Path) -> None:
    path.write_bytes(b"SQLite format 3\0" + b"\xff" * 8000)


def test_one_damaged_journal_stops_no_other_install(mock: Mock, tmp_path: Path) -> None:
    _next(mock)
    mock.update()
    other = plant(tmp_path / "other", release("1.0"))
    install = mock.bench.shelf.find(str(other))
    mock.bench.surveys.survey(install)
    _damage(Path(mock.bench.records.strongbox(mock.install).journal_path))
    bench = Workbench(str(mock.folder / "home"))
    rows = {row.install.name: row for row in bench.shelf.rows()}
    assert len(rows) == 2 and "journal" in rows["Mocklet"].trouble and not rows["Other"].trouble
    assert bench.shelf.interrupted() == [] and [i.name for i, _ in bench.shelf.troubled()] == ["Mocklet"]
    with pytest.raises(LeftIntactError) as error:
        bench.updates.back.go(mock.install)
    assert error.value.code == "journal-broken" and "restore by hand" in error.value.line()


def test_a_damaged_library_is_said_in_one_line(tmp_path: Path) -> None:
    Workbench(str(tmp_path)).surveys.library.close()
    _damage(tmp_path / "library.sqlite")
    with pytest.raises(LeftIntactError) as error:
        Workbench(str(tmp_path)).shelf.rows()
    assert error.value.code == "library-broken" and "Move it elsewhere" in error.value.line()


def test_a_library_that_is_damaged_further_in_is_said_in_one_line_too(tmp_path: Path) -> None:
    """The first page is sound, so it opens; the rows are not."""
    bench = Workbench(str(tmp_path / "home"))
    for number in range(60):
        bench.surveys.library.register(
            str(plant(tmp_path / f"install {number:03}", {"a": "1"})),
            name=f"a rather long name {number}" * 20,
        )
    bench.surveys.library.close()
    path = tmp_path / "home" / "library.sqlite"
    data = path.read_bytes()
    path.write_bytes(data[:4096] + b"\xff" * (len(data) - 4096))
    with pytest.raises(LeftIntactError) as error:
        Workbench(str(tmp_path / "home")).shelf.rows()
    assert error.value.code == "library-broken" and str(path) in error.value.line()


def test_a_full_disk_at_the_journal_is_said_to_be_one(mock: Mock, monkeypatch: pytest.MonkeyPatch) -> None:
    _next(mock)
    before = mock.state()
    disks.full_database(monkeypatch, "journal.sqlite")
    with pytest.raises(LeftIntactError) as error:
        mock.update()
    assert (
        error.value.code == "no-room"
        and "full" in error.value.line()
        and "fault of ours" not in error.value.line()
    )
    assert mock.state() == before


def test_a_lock_that_cannot_be_written_is_not_somebody_at_work(
    mock: Mock, monkeypatch: pytest.MonkeyPatch
) -> None:
    _next(mock)
    mock.update()
    box = mock.bench.records.strongbox(mock.install)
    lock = Path(box.folder, "lock")
    lock.unlink()
    lock.mkdir()
    with pytest.raises(LeftIntactError) as error:
        mock.bench.updates.back.go(mock.install)
    assert error.value.code == "lock-unreadable" and "another Left Intact" not in error.value.line()


@pytest.mark.parametrize(
    ("number", "code"),
    [
        (sqlite3.SQLITE_FULL, "no-room"),
        (sqlite3.SQLITE_BUSY, "busy"),
        (sqlite3.SQLITE_READONLY, "journal-unreadable"),
        (sqlite3.SQLITE_IOERR, "journal-unreadable"),
        (sqlite3.SQLITE_CORRUPT, "journal-broken"),
        (sqlite3.SQLITE_NOTADB, "journal-broken"),
    ],
)
def test_what_sqlite_says_is_told_apart(tmp_path: Path, number: int, code: str) -> None:
    from left_intact.core.database import Database

    base = Database(str(tmp_path / "journal.sqlite"), "journal", (), way_out="Do this.")
    error = sqlite3.OperationalError("said")
    error.sqlite_errorcode = number
    with pytest.raises(LeftIntactError) as found, base.worded():
        raise error
    assert found.value.code == code and str(tmp_path) in found.value.line()


# ---------------------------------------------------------------- told before the first write


def test_a_folder_that_may_not_be_written_blocks_only_where_it_is_touched(mock: Mock) -> None:

    _next(mock)
    draft = mock.draft()
    for folder, blocked in (("saves", False), ("lib", True), (".", True)):
        circumstances = replace(draft.inputs.circumstances, unwritable=(folder,))
        plan = replace(draft, inputs=replace(draft.inputs, circumstances=circumstances)).plan()
        assert ("no-rights" in {b.code for b in plan.blockers}) is blocked, folder


def test_a_name_that_is_too_long_is_told_before_the_first_write(mock: Mock) -> None:
    before = mock.state()
    mock.arrive(release("1.1", **{"docs__" + "x" * 300: "too long\n"}))
    plan = mock.plan()
    assert [b.code for b in plan.blockers] == ["names"] and "too long" in plan.blockers[0].says
    deep = "/".join(["d" * 200] * 25)
    mock.arrive(release("1.1", **{deep.replace("/", "__"): "too deep\n"}))
    assert [b.code for b in mock.plan().blockers] == ["names"] and mock.state() == before


@pytest.mark.sampled(1)
@FORKS
@pytest.mark.parametrize("exchange", [True, False])
@pytest.mark.parametrize("forward", [True, False])
def test_a_folder_that_becomes_a_file_killed_after_the_last_step(
    mock: Mock, monkeypatch: pytest.MonkeyPatch, forward: bool, exchange: bool
) -> None:
    from left_intact.core.files import place

    disks.lacking(monkeypatch, place.Able(exchange=exchange))
    for root in (mock.root, mock.base):
        plant(root, {"data/a": "shipped\n"})
    before = mock.state()
    mock.arrive(release("1.1", data="a file now\n"))
    last: list[int] = []
    mock.update(report=lambda p: last.append(p.total) if p.stage == "laying" else None)
    mock.bench.updates.back.go(mock.install)
    for number in range(1, last[0] + 1):

        def killed(n: int = number) -> None:
            mock.update(report=lambda p: KillAt(1)(p) if p.stage == "laying" and p.done == n else None)

        assert in_child(killed) == signal.SIGKILL
        bench = Workbench(str(mock.folder / "home"))
        bench.updates.recover(mock.install, forward)
        if forward:
            assert mock.read("data") == "a file now\n"
            bench.updates.back.go(mock.install)
        assert mock.state() == before


# ---------------------------------------------------------------- Ctrl-C


_SLOW = """
import os, signal, sys
from left_intact.cli import commands
from left_intact.core.carrying import laying
real, count = laying._shift, 0
def shift(*seen):
    global count
    real(*seen)
    count += 1
    if count == 2:
        os.kill(os.getpid(), signal.SIGINT)
laying._shift = shift
sys.exit(commands.run(sys.argv[1:]))
"""


@SIGNALS
def test_ctrl_c_while_laying_puts_all_back_and_says_so(mock: Mock) -> None:
    _next(mock)
    before = mock.state()
    words = [
        "--home",
        str(mock.folder / "home"),
        "update",
        str(mock.root),
        str(mock.next),
        "--yes",
        "--baseline",
        str(mock.base),
    ]
    done = subprocess.run([sys.executable, "-c", _SLOW, *words], capture_output=True, text=True, check=False)
    assert (
        done.stderr.count("\n") == 1
        and "stopped; nothing was changed" in done.stderr
        and "Traceback" not in done.stderr
    )
    assert (
        done.returncode == 3
        and mock.state() == before
        and not Workbench(str(mock.folder / "home")).shelf.interrupted()
    )


def test_ctrl_c_in_the_start_is_no_traceback(tmp_path: Path) -> None:
    code = (
        "import sys; sys.argv = ['left-intact', 'shelf']\n"
        "from left_intact import __main__\n"
        "def interrupted():\n    raise KeyboardInterrupt\n"
        "__main__.main = interrupted\n__main__.start()\n"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=False)
    assert done.returncode == 1 and done.stderr == "left-intact: stopped; nothing was changed.\n"


@FORKS
def test_a_run_that_was_cut_off_between_two_stages_goes_on_unasked(mock: Mock) -> None:
    mock.arrive(release("1.1"))
    mock.update()
    box = mock.bench.records.strongbox(mock.install)
    with Journal(box.journal_path) as journal:
        journal.set_state(1, State.CARRYING)
    ended = recover(box, mock.bench.updates.back.outside(mock.install), str(mock.root), None)
    assert ended.state is State.ON_TRIAL


@FORKS
def test_a_cut_off_update_takes_what_has_another_time_by_now(mock: Mock) -> None:
    """What lies there is known by its bytes: a time that a backup gave it stops no recovery."""
    mock.arrive(release("1.1"))
    killed = in_child(
        lambda: mock.update(report=lambda p: KillAt(1)(p) if (p.stage, p.done) == ("laying", 2) else None)
    )
    assert killed == signal.SIGKILL
    for path in mock.root.rglob("*"):
        if path.is_file():
            os.utime(path, (LATER + 5, LATER + 5))
    box = mock.bench.records.strongbox(mock.install)
    ended = recover(box, mock.bench.updates.back.outside(mock.install), str(mock.root), None)
    assert ended.state is State.ON_TRIAL  # once laying had begun, it goes on without being told so
    assert (mock.root / "VERSION").read_text() == "1.1\n"


@FORKS
def test_one_that_was_cut_off_before_it_laid_anything_goes_back_unasked(mock: Mock) -> None:
    mock.arrive(release("1.1"))
    before = mock.state()
    assert in_child(lambda: mock.update(report=lambda p: KillAt(1)(p) if p.stage == "safe" else None))
    box = mock.bench.records.strongbox(mock.install)
    ended = recover(box, mock.bench.updates.back.outside(mock.install), str(mock.root), None)
    assert ended.state is State.ABANDONED and mock.state() == before


@PIPES
@pytest.mark.parametrize("kind", ["folder", "pipe", "link", "file"])
def test_what_lies_where_a_cut_off_update_puts_back_is_kept(made: MadeUp, kind: str) -> None:
    """Cut off while laying; before it is taken back the person makes something where a file is to return."""
    before = made.state()

    def killed() -> None:
        def report(progress: Any) -> None:
            if progress.stage == "laying" and not (made.root / "lib/old/gone.so").exists():
                os.kill(os.getpid(), signal.SIGKILL)

        made.bench.updates.update(made.plan(), made.install, report=report)

    assert in_child(killed) == signal.SIGKILL
    place = made.root / "lib/old/gone.so"
    place.parent.mkdir(exist_ok=True)
    if kind == "folder":
        plant(place, {"mine.txt": "of theirs\n"}, mtime=LATER)
    elif kind == "pipe":
        os.mkfifo(place)
    elif kind == "link":
        place.symlink_to("somewhere")
    else:
        place.write_text("of theirs\n")
    made.bench.updates.recover(made.install, False)
    now = made.state()
    assert {at: what for at, what in now[""].items() if at in before[""] and not at.endswith("/")} == {
        at: what for at, what in before[""].items() if not at.endswith("/")
    }
    if kind in ("folder", "pipe"):
        beside = [p for p in place.parent.iterdir() if p != place]
        assert len(beside) == 1
        if kind == "folder":
            assert (beside[0] / "mine.txt").read_text() == "of theirs\n"
        else:
            assert stat.S_ISFIFO(beside[0].stat().st_mode)
    else:
        from left_intact.core.carrying.journal import Journal

        with Journal(made.box.journal_path) as journal:
            kept = Path(dict(journal.trial(1))["lib/old/gone.so"])
        assert os.readlink(kept) == "somewhere" if kind == "link" else kept.read_text() == "of theirs\n"


def test_a_going_back_that_is_given_up_leaves_the_update_on_trial(made: MadeUp) -> None:
    before, updates = made.state(), made.bench.updates
    updates.update(made.plan(), made.install)
    made.start_once()
    updates.go_on(made.install)

    def stop(progress: Any) -> None:
        if progress.stage == "going back":
            raise OSError(errno.ENOSPC, "No space left on device")

    with pytest.raises(LeftIntactError):
        updates.back.go(made.install, stop)
    row = made.bench.shelf.rows()[0]
    if row.state is State.WAITING:
        assert updates.give_up(made.install).state is State.ABANDONED
    assert made.bench.records.history(made.install)[0].state is State.ON_TRIAL
    assert updates.back.go(made.install).update.state is State.GONE_BACK and made.state() == before
