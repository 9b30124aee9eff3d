"""Places walked from an open handle: nothing is followed out of a root, and what the system keeps of a file
is kept.
"""

from __future__ import annotations

import os
import stat
import sys
import threading
from pathlib import Path

import pytest

from left_intact.core.files import locks
from left_intact.core.files.place import LocalPlace, able
from left_intact.core.model.entry import Attributes, Entry
from left_intact.core.model.errors import LeftIntactError
from left_intact.core.model.progress import Progress
from left_intact.core.model.proof import Verdict
from left_intact.demo.unattended import snapshot
from tests import disks
from tests.builders import LINKS, OWNERS, PIPES, Mock, copy_of, plant, release

AS_ROOT = pytest.mark.skipif(
    not hasattr(os, "geteuid") or os.geteuid() != 0, reason="only root may give files away"
)
HANDLES = pytest.mark.skipif(not able().handles, reason="this system has no handles of folders")


def _next(mock: Mock, **more: str | bytes) -> None:
    arriving = release("1.1", **more)
    del arriving["lib/libpad.so"]
    mock.arrive(arriving)


def _outside(tmp_path: Path) -> tuple[Path, object]:
    away = plant(
        tmp_path / "away",
        {"libcore.so": "theirs\n", "libpad.so": "theirs too\n", "deep/x": "1"},
        mtime=1_600_000_000,
    )
    for path in away.rglob("*"):
        path.chmod(0o700 if path.is_dir() else 0o640)
    return away, snapshot(str(away))


@LINKS
def test_a_root_that_became_a_link_after_planning_is_refused(mock: Mock, tmp_path: Path) -> None:
    _next(mock)
    draft = mock.draft()
    plan = draft.plan()
    copy = copy_of(mock.root, tmp_path / "copy")
    before = snapshot(str(copy))
    mock.root.rename(tmp_path / "moved")
    mock.root.symlink_to(copy)
    with pytest.raises(LeftIntactError) as error:
        mock.bench.updates.update(plan, draft.install)
    assert error.value.code == "root-replaced" and str(mock.root) in error.value.line()
    assert snapshot(str(copy)) == before


def test_a_root_that_is_another_folder_after_planning_is_refused(mock: Mock, tmp_path: Path) -> None:
    _next(mock)
    draft = mock.draft()
    plan = draft.plan()
    mock.root.rename(tmp_path / "moved")
    copy_of(tmp_path / "moved", mock.root)
    before = mock.state()
    with pytest.raises(LeftIntactError) as error:
        mock.bench.updates.update(plan, draft.install)
    assert error.value.code == "root-replaced" and mock.state() == before


@LINKS
def test_a_root_that_becomes_a_link_while_laying_leads_nowhere(mock: Mock, tmp_path: Path) -> None:
    _next(mock)
    copy = copy_of(mock.root, tmp_path / "copy")
    before = snapshot(str(copy))

    def report(progress: Progress) -> None:
        if progress.stage == "laying" and progress.done == 1:
            mock.root.rename(tmp_path / "moved")
            mock.root.symlink_to(copy)

    with pytest.raises(LeftIntactError):
        mock.update(report=report)
    assert snapshot(str(copy)) == before


@LINKS
@HANDLES
def test_a_folder_exchanged_for_a_link_in_a_loop_leads_no_write_outside(mock: Mock, tmp_path: Path) -> None:
    away, before = _outside(tmp_path)
    lib, real, link = mock.root / "lib", mock.root / "lib-real", tmp_path / "link"
    link.symlink_to(away)
    stop = threading.Event()

    def exchange() -> None:
        while not stop.is_set():
            try:
                lib.rename(real)
                lib.symlink_to(away)
                lib.unlink()
                real.rename(lib)
            except OSError:
                if real.exists() and not lib.exists():
                    real.rename(lib)

    for number in range(4):
        _next(mock, **{"docs__guide.html": f"<!doctype html>\n{number}\n"})
        try:
            draft = mock.draft()
            plan = draft.plan({q.id: q.default for q in draft.plan().questions})
        except LeftIntactError:
            continue
        other = threading.Thread(target=exchange)
        stop.clear()
        other.start()
        try:
            mock.bench.updates.update(plan, draft.install)
            mock.bench.updates.back.go(draft.install)
        except LeftIntactError:
            pass
        finally:
            stop.set()
            other.join()
            if real.exists() and not lib.exists():
                real.rename(lib)
            if mock.bench.shelf.interrupted():
                mock.bench.updates.recover(draft.install, False)
        assert snapshot(str(away)) == before


@LINKS
def test_going_back_through_a_folder_that_became_a_link_touches_nothing_outside(
    mock: Mock, tmp_path: Path
) -> None:
    _next(mock)
    mock.update()
    away, before = _outside(tmp_path)
    (mock.root / "lib").rename(tmp_path / "lib-moved")
    (mock.root / "lib").symlink_to(away)
    plan = mock.bench.updates.back.draw(mock.install)
    assert "in-the-way" in {w.code for w in plan.warnings}
    back = mock.bench.updates.back.go(mock.install)
    assert back.missing and snapshot(str(away)) == before and (mock.root / "lib").is_symlink()
    assert mock.read("VERSION") == "1.0\n"


@PIPES
def test_a_file_that_turns_into_a_pipe_is_noticed_and_hangs_nothing(mock: Mock) -> None:
    _next(mock)

    def report(progress: Progress) -> None:
        if progress.stage == "safe" and progress.done == 1:
            (mock.root / "mocklet").unlink()
            os.mkfifo(mock.root / "mocklet")

    with pytest.raises(LeftIntactError) as error:
        mock.update(report=report)
    assert error.value.code == "changed-meanwhile" and "mocklet" in error.value.line()
    assert stat.S_ISFIFO((mock.root / "mocklet").lstat().st_mode)


@PIPES
def test_a_pipe_is_never_opened_for_reading(tmp_path: Path) -> None:
    os.mkfifo(tmp_path / "pipe")
    with LocalPlace(str(tmp_path)) as place, pytest.raises(LeftIntactError) as error:
        place.digest("pipe")
    assert error.value.code == "changed-meanwhile"


# ---------------------------------------------------------------- what the system keeps of a file


def _has_attributes(folder: Path) -> bool:
    probe = folder / "probe"
    probe.write_text("x")
    try:
        os.setxattr(probe, "user.shelf", b"left")
    except (OSError, AttributeError):
        return False
    finally:
        probe.unlink()
    return True


def test_extended_attributes_come_through_an_update_and_back(mock: Mock, tmp_path: Path) -> None:
    if not _has_attributes(tmp_path):
        pytest.skip("this file system has no extended attributes")
    for name in ("mocklet", "lib/libpad.so"):
        os.setxattr(mock.root / name, "user.shelf", b"left")
    _next(mock)
    mock.update()
    assert (
        os.getxattr(mock.root / "mocklet", "user.shelf") == b"left"
    )  # what is exchanged keeps those of the one before
    mock.bench.updates.back.go(mock.install)
    for name in ("mocklet", "lib/libpad.so"):
        assert os.getxattr(mock.root / name, "user.shelf") == b"left"


@OWNERS
def test_hard_links_are_one_file_again_after_going_back(mock: Mock) -> None:
    os.link(mock.root / "lib/libpad.so", mock.root / "lib/pad-kept.so")
    os.link(mock.root / "lib/libcore.so", mock.root / "lib/libcore-too.so")
    before = mock.state()
    _next(mock)
    mock.update()
    assert not (mock.root / "lib/libpad.so").exists() and (mock.root / "lib/pad-kept.so").exists()
    mock.bench.updates.back.go(mock.install)
    assert mock.state() == before
    for one, other in (("libpad.so", "pad-kept.so"), ("libcore.so", "libcore-too.so")):
        assert (mock.root / "lib" / one).stat().st_ino == (mock.root / "lib" / other).stat().st_ino


@OWNERS
@AS_ROOT
def test_owner_and_group_come_through_an_update_and_back(mock: Mock) -> None:
    for name in ("mocklet", "lib/libpad.so", "lib/libcore.so"):
        os.chown(mock.root / name, 4242, 4343)
    _next(mock)
    mock.update()
    for name in ("mocklet", "lib/libcore.so"):
        assert ((mock.root / name).stat().st_uid, (mock.root / name).stat().st_gid) == (4242, 4343)
    mock.bench.updates.back.go(mock.install)
    for name in ("mocklet", "lib/libpad.so", "lib/libcore.so"):
        assert ((mock.root / name).stat().st_uid, (mock.root / name).stat().st_gid) == (4242, 4343)


@OWNERS
@AS_ROOT
def test_a_set_user_id_file_of_somebody_elses_stays_theirs(mock: Mock) -> None:
    os.chown(mock.root / "mocklet", 4242, 4343)
    (mock.root / "mocklet").chmod(0o4755)
    before = mock.state()
    _next(mock)
    mock.update()
    info = (mock.root / "mocklet").stat()
    assert not info.st_mode & stat.S_ISUID or info.st_uid == 4242
    mock.bench.updates.back.go(mock.install)
    info = (mock.root / "mocklet").stat()
    assert info.st_uid == 4242 and info.st_mode & stat.S_ISUID and mock.state() == before


@OWNERS
def test_a_set_id_bit_is_not_given_without_its_owner(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    plant(tmp_path / "root", {"runs": "#!/bin/sh\n"})

    def refused(*words: object, **named: object) -> None:
        raise PermissionError(1, "Operation not permitted")

    monkeypatch.setattr(os, "chown", refused)
    with LocalPlace(str(tmp_path / "root")) as place:
        notes = place.apply_metadata(
            "runs", Entry(path="runs", mode=0o4755, mtime_ns=10**18), Attributes(owner=4242, group=4343)
        )
    assert notes == ("owner",) and (tmp_path / "root/runs").stat().st_mode & 0o7777 == 0o755


@OWNERS
def test_what_could_not_be_kept_is_said(mock: Mock, monkeypatch: pytest.MonkeyPatch) -> None:
    _next(mock)

    def refused(*words: object, **named: object) -> None:
        raise PermissionError(1, "Operation not permitted")

    disks.of_somebody(monkeypatch, {"mocklet": (4242, 4343)})
    monkeypatch.setattr(os, "chown", refused)
    outcome = mock.update()
    assert outcome.proof.verdict is Verdict.INTACT
    assert outcome.update.notes == ("mocklet: its owner could not be given",)


# ---------------------------------------------------------------- what another program holds open


class _Held(OSError):
    """A refusal as the system words it where somebody holds a file open."""

    def __init__(self, number: int) -> None:
        super().__init__(13, "Permission denied")
        self.winerror = number


@pytest.mark.parametrize("number", [5, 32, 33])
def test_a_file_held_open_is_tried_again_for_a_moment(number: int, monkeypatch: pytest.MonkeyPatch) -> None:
    waited: list[float] = []
    disks.held_open(monkeypatch, waited.append)
    left = [3]

    def move() -> None:
        if left[0]:
            left[0] -= 1
            raise _Held(number)

    locks.patiently(move, "/a")
    assert not left[0] and waited == [locks.PAUSE] * 3


@pytest.mark.parametrize(
    ("names", "said"), [((), "another program"), (("Mocklet", "scanner"), "Mocklet, scanner")]
)
def test_a_file_that_stays_held_is_one_line_with_the_programs_name(
    names: tuple[str, ...], said: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    waited: list[float] = []
    disks.held_open(monkeypatch, waited.append, names)

    def move() -> None:
        raise _Held(32)

    with pytest.raises(LeftIntactError) as error:
        locks.patiently(move, "/a", "/b")
    assert error.value.code == "in-use" and said in error.value.line() and len(waited) == locks.TRIES - 1


def test_any_other_refusal_is_not_tried_again(monkeypatch: pytest.MonkeyPatch) -> None:
    disks.held_open(monkeypatch, lambda seconds: pytest.fail("waited"))

    def move() -> None:
        raise PermissionError(13, "Permission denied")

    with pytest.raises(PermissionError):
        locks.patiently(move, "/a")
    assert locks.held_by("/a") == () or os.name == "nt"


def test_where_no_call_flushes_all_each_file_is_flushed(mock: Mock, monkeypatch: pytest.MonkeyPatch) -> None:
    flushed: list[str] = []
    real = os.fsync
    disks.flushes_each(monkeypatch)

    def fsync(descriptor: int) -> None:
        flushed.append(os.path.basename(os.readlink(f"/proc/self/fd/{descriptor}")))
        real(descriptor)

    if sys.platform == "linux":
        monkeypatch.setattr(os, "fsync", fsync)
    mock.arrive(release("1.1"))
    plan = mock.plan()
    mock.update()
    if sys.platform == "linux":
        # A copy of each old file in the strongbox, and each new file ready beside its place.
        assert sum(name.endswith(".part") for name in flushed) >= len(plan.changes)
        assert sum(name.startswith("ready-") for name in flushed) == len(plan.changes)
