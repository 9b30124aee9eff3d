"""Carrying out: whole or not at all, and back again byte for byte."""

from __future__ import annotations

import errno
import os
from pathlib import Path
from typing import Any

import pytest

from left_intact.core.carrying.boxes import strongbox_for
from left_intact.core.carrying.heads import make_journal
from left_intact.core.carrying.journal import Journal
from left_intact.core.carrying.roots import Roots
from left_intact.core.carrying.steps import steps_of
from left_intact.core.carrying.strongbox import Strongbox
from left_intact.core.files.place import LocalPlace, able
from left_intact.core.model.errors import LeftIntactError, Refusal
from left_intact.core.model.place import Root
from left_intact.core.model.plan import Verb
from left_intact.core.model.progress import CancelToken, Progress
from left_intact.core.model.proof import Verdict
from left_intact.core.model.stages import ChangeSet
from left_intact.core.model.update import State
from left_intact.demo.binaries import elf
from tests import disks
from tests.builders import BYTES, LATER, LINKS, SCRIPTS, Mock, open_below, plant, release


def _next(mock: Mock) -> None:
    arriving = release(
        "1.1",
        **{
            "new__deep__libnew.so": elf("mocklet 1.1", b"n"),
            "lib__latest": ("link", "libcore.so") if able().links else elf("mocklet 1.1 latest", b"l"),
            "blank": None,
        },
    )
    del arriving["lib/libpad.so"]
    arriving["mocklet.ini"] = "[video]\nsmooth = on\nscale = 3\n\n[sound]\nrate = 48000\n"
    mock.edit({"mocklet.ini": "; mine\n[video]\nsmooth = off\nscale = 2\n\n[sound]\nrate = 44100\n"})
    mock.arrive(arriving)


def test_update_then_back_restores_all(mock: Mock) -> None:
    _next(mock)
    before = mock.state()
    outcome = mock.update()
    assert outcome.proof.verdict is Verdict.INTACT and outcome.update.state is State.ON_TRIAL
    assert mock.read("mocklet.ini") == "; mine\n[video]\nsmooth = off\nscale = 3\n\n[sound]\nrate = 44100\n"
    assert (mock.root / "blank").is_dir()
    assert not able().links or (mock.root / "lib/latest").readlink() == Path("libcore.so")
    assert not (mock.root / "lib/libpad.so").exists() and os.access(mock.root / "mocklet", os.X_OK)
    assert outcome.proof.counts[Verb.RETIRE] == 1 and outcome.proof.kept.files == 5
    back = mock.bench.updates.back.go(mock.install)
    assert mock.state() == before and not back.kept
    assert mock.update().proof.verdict is Verdict.INTACT


def test_a_second_plan_has_nothing_to_do(mock: Mock) -> None:
    _next(mock)
    mock.update()
    plan = mock.bench.updates.draft(mock.install, str(mock.next)).plan()
    assert not plan.changes and not plan.questions and {w.code for w in plan.warnings} == {"same-version"}


def test_updates_stack_and_go_back_one_by_one(mock: Mock) -> None:
    states = [mock.state()]
    for version in ("1.1", "1.2"):
        mock.arrive(release(version), f"mocklet-{version}")
        mock.update(baseline=version == "1.1")
        states.append(mock.state())
    for expected in (states[1], states[0]):
        mock.bench.updates.back.go(mock.install)
        assert mock.state() == expected
    with pytest.raises(LeftIntactError) as error:
        mock.bench.updates.back.go(mock.install)
    assert error.value.code == "nothing-to-go-back-to" and error.value.exit_code == 3


def test_settling_frees_the_programs_and_keeps_theirs(mock: Mock) -> None:
    _next(mock)
    mock.update()
    box = mock.bench.records.strongbox(mock.install)
    before = box.size()
    done = mock.bench.updates.settle(mock.install)
    assert done.freed > 0 and box.size() == before - done.freed and done.held == 1
    for refused in (mock.bench.updates.back.go, mock.bench.updates.settle):
        with pytest.raises(LeftIntactError):
            refused(mock.install)
    assert mock.bench.updates.prove(mock.install).proof.verdict is Verdict.INTACT


def test_what_was_made_on_trial_is_kept(mock: Mock) -> None:
    _next(mock)
    mock.update()
    mock.edit(
        {"saves/new.sav": b"fresh", "mocklet.ini": "[video]\nsmooth = maybe\n", "new/deep/mine.txt": "mine"}
    )
    (mock.root / "saves/mill.sav").write_bytes(b"played on")
    back = mock.bench.updates.back.go(mock.install)
    assert mock.read("mocklet.ini").startswith("; mine")
    assert (mock.root / "saves/new.sav").read_bytes() == b"fresh" and mock.read("new/deep/mine.txt") == "mine"
    assert (mock.root / "saves/mill.sav").read_bytes() == b"played on"
    assert [(path, Path(where).read_text()) for path, where in back.kept] == [
        ("mocklet.ini", "[video]\nsmooth = maybe\n")
    ]


def test_folders_removed_on_trial_come_back(mock: Mock) -> None:
    import shutil

    _next(mock)
    before = mock.state()
    mock.update()
    shutil.rmtree(mock.root / "lib")
    mock.bench.updates.back.go(mock.install)
    after = mock.state()
    assert {k: v for k, v in after.items() if not k.endswith("/")} == {
        k: v for k, v in before.items() if not k.endswith("/") and (k in after)
    }
    assert "lib/libpad.so" in after


@pytest.mark.parametrize("stage", ["safe", "unpacking", "laying"])
def test_stopping_at_any_stage_puts_all_back(mock: Mock, stage: str) -> None:
    _next(mock)
    before, token = mock.state(), CancelToken()

    def report(progress: Progress) -> None:
        if progress.stage == stage and progress.done == 3:
            token.cancel()

    with pytest.raises(LeftIntactError) as error:
        mock.update(report=report, cancel=token)
    assert error.value.code == "stopped" and mock.state() == before
    assert mock.bench.records.history(mock.install)[0].state is State.ABANDONED
    assert mock.update().proof.verdict is Verdict.INTACT


def test_a_path_that_changed_stops_the_update_whole(mock: Mock) -> None:
    _next(mock)
    before = mock.state()

    def report(progress: Progress) -> None:
        if progress.stage == "laying" and progress.done == 2:
            (mock.root / "lib/libvideo.so").write_bytes(b"somebody else was here")

    with pytest.raises(LeftIntactError) as error:
        mock.update(report=report)
    assert error.value.code == "changed-meanwhile" and "libvideo" in error.value.line()
    after = mock.state()
    assert (mock.root / "lib/libvideo.so").read_bytes() == b"somebody else was here"
    assert {p for p in after if after[p] != before.get(p)} <= {"lib/libvideo.so", "lib/"}


def test_something_that_appeared_in_the_way_is_not_overwritten(mock: Mock) -> None:
    _next(mock)
    before = mock.state()

    def report(progress: Progress) -> None:
        if progress.stage == "laying" and progress.done == 1:
            (mock.root / "lib/latest").write_text("mine")

    with pytest.raises(LeftIntactError) as error:
        mock.update(report=report)
    assert error.value.code == "changed-meanwhile"
    assert mock.read("lib/latest") == "mine"
    assert {k: v for k, v in mock.state().items() if k not in ("lib/", "lib/latest")} == {
        k: v for k, v in before.items() if k != "lib/"
    }


def test_a_folder_swapped_for_a_link_is_not_written_through(mock: Mock, tmp_path: Path) -> None:
    _next(mock)
    away = plant(tmp_path / "away", {"keep": "1"})

    def report(progress: Progress) -> None:
        if progress.stage == "laying" and progress.done == 1:
            (mock.root / "docs").rename(tmp_path / "docs-moved")
            (mock.root / "docs").symlink_to(away)

    with pytest.raises(LeftIntactError):
        mock.update(report=report)
    assert sorted(p.name for p in away.iterdir()) == ["keep"]


def test_refusals_change_nothing(mock: Mock) -> None:
    mock.arrive(release("0.9"))
    before = mock.state()
    with pytest.raises(Refusal) as error:
        mock.update()
    assert error.value.code == "older-version" and mock.state() == before
    assert not mock.bench.records.history(mock.install)
    assert mock.update(allowed=["older-version"]).proof.verdict is Verdict.INTACT


def test_open_questions_are_not_answered_by_the_engine(mock: Mock) -> None:
    _next(mock)
    draft = mock.draft()
    plan = draft.plan()
    assert plan.open_questions
    with pytest.raises(LeftIntactError) as error:
        mock.bench.updates.update(plan, draft.install)
    assert error.value.code == "questions-open"


def test_a_full_disk_puts_all_back(mock: Mock, monkeypatch: pytest.MonkeyPatch) -> None:
    _next(mock)
    before, count = mock.state(), 0

    def full(place: Any, real: Any, *words: object, **named: object) -> None:
        nonlocal count
        count += place.root == str(mock.root)
        if count == 2:
            count += 1
            raise OSError(errno.ENOSPC, "No space left on device", "x")
        real(place, *words, **named)

    disks.instead(monkeypatch, "take", full)
    with pytest.raises(LeftIntactError) as error:
        mock.update()
    assert error.value.code == "disk" and "no space" in error.value.line() and mock.state() == before


def test_an_arrival_exchanged_after_the_plan_is_noticed(mock: Mock) -> None:
    _next(mock)
    draft = mock.draft()
    plan = draft.plan({q.id: q.default for q in draft.plan().questions})
    before = mock.state()
    mock.arrive(release("1.1", VERSION="1.1 but other\n"))
    with pytest.raises(LeftIntactError) as error:
        mock.bench.updates.update(plan, draft.install)
    assert error.value.code == "arrival-changed" and mock.state() == before


@pytest.mark.parametrize("path", ["VERSION", "lib/libcore.so", "new/only.txt"])
def test_bytes_that_arrive_other_than_planned_are_never_laid(mock: Mock, path: str) -> None:
    """A folder has no digest of its own: each file is checked while it is made ready."""
    folder = plant(mock.folder / "mocklet-1.1", {**release("1.1"), "new/only.txt": "new\n"})
    draft = mock.bench.updates.draft(mock.install, str(folder), baseline=str(mock.base))
    plan, before = draft.plan(), mock.state()
    target = folder / path
    when, data = target.stat().st_mtime_ns, target.read_bytes()
    target.write_bytes(bytes([data[0] ^ 1]) + data[1:])
    os.utime(target, ns=(when, when))
    with pytest.raises(LeftIntactError) as error:
        mock.bench.updates.update(plan, draft.install)
    assert error.value.code == "arrival-changed" and path in error.value.line()
    assert mock.state() == before


def test_one_damaged_copy_stops_nothing_else(mock: Mock) -> None:
    """All the rest comes back, and what is missing is named."""
    _next(mock)
    before = mock.state()
    mock.update()
    box = mock.bench.records.strongbox(mock.install)
    victim = next(p for p in Path(box.folder, "objects").rglob("*") if p.is_file())
    victim.write_bytes(b"rot")
    proof = mock.bench.updates.prove(mock.install).proof
    assert proof.verdict is Verdict.ATTENTION
    plan = mock.bench.updates.back.draw(mock.install)
    assert [w.code for w in plan.warnings] == ["strongbox-damaged"]
    back = mock.bench.updates.back.go(mock.install)
    assert len(back.missing) == 1 and "no sound copy" in back.missing[0]
    after = mock.state()
    assert len([path for path in before if path in after and before[path] != after[path]]) <= 1
    assert (
        sum(path not in after for path in before)
        + sum(before[p] != after.get(p) for p in before if p in after)
        == 1
    )


def test_one_at_a_time(mock: Mock) -> None:
    _next(mock)
    with mock.bench.records.strongbox(mock.install).locked(), pytest.raises(LeftIntactError) as error:
        mock.update()
    assert error.value.code == "busy"


def test_where_the_strongbox_lies(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    root = plant(tmp_path / "pier" / "mock", {"a": "1"})
    home = str(tmp_path / "home")
    assert strongbox_for(str(root), "Mock", home).folder.startswith(str(tmp_path / "pier/.left-intact/mock-"))
    monkeypatch.setattr(os, "access", lambda path, mode: False)
    assert strongbox_for(str(root), "Mock", home).folder.startswith(home)


@LINKS
def test_only_a_place_of_our_own_can_lose_a_file(tmp_path: Path) -> None:
    box = Strongbox(str(tmp_path / "box"))
    box.make()
    outside = tmp_path / "outside.txt"
    outside.write_text("mine")
    with LocalPlace(str(tmp_path)) as theirs, pytest.raises(AssertionError):
        theirs.discard("outside.txt")
    (tmp_path / "box" / "way").symlink_to(tmp_path)
    with pytest.raises(LeftIntactError):
        box.place.discard("way/outside.txt")
    assert outside.exists()


@BYTES
def test_names_that_are_no_utf8_survive(mock: Mock) -> None:
    with open(os.fsencode(mock.root) + b"/saves/\xff\xfe.sav", "wb") as file:
        file.write(b"odd")
    _next(mock)
    before = mock.state()
    assert mock.update().proof.verdict is Verdict.INTACT
    mock.bench.updates.back.go(mock.install)
    assert mock.state() == before


def test_files_become_folders_and_folders_files(mock: Mock) -> None:
    plant(mock.base, {"turns": "a file\n", "was/one.txt": "1\n", "was/two.txt": "2\n"})
    plant(mock.root, {"turns": "a file\n", "was/one.txt": "1\n", "was/two.txt": "2\n"})
    mock.arrive(release("1.1", **{"turns__inside.txt": "now a folder", "was": "now a file"}))
    before = mock.state()
    outcome = mock.update()
    assert outcome.proof.verdict is Verdict.INTACT
    assert mock.read("turns/inside.txt") == "now a folder" and mock.read("was") == "now a file"
    mock.bench.updates.back.go(mock.install)
    assert mock.state() == before


@SCRIPTS
def test_a_running_program_is_left_alone(mock: Mock) -> None:
    import subprocess

    (mock.root / "runs").write_text("#!/bin/sh\nread line\n")
    (mock.root / "runs").chmod(0o755)
    _next(mock)
    before = mock.state()
    with subprocess.Popen([str(mock.root / "runs")], stdin=subprocess.PIPE) as running:
        with pytest.raises(Refusal) as error:
            mock.update()
        assert (
            error.value.code == "running"
            and str(running.pid) in error.value.line()
            and mock.state() == before
        )
        running.communicate(b"\n")
    assert mock.update().proof.verdict is Verdict.INTACT


def test_the_shelf_knows_the_version_that_lies_there_now(mock: Mock) -> None:
    """After an update, after going back, after a recovery; without a survey in between."""
    _next(mock)
    mock.bench.surveys.survey(mock.install)
    mock.update()
    assert mock.bench.shelf.rows()[0].summary["version"] == "1.1"
    mock.bench.updates.back.go(mock.install)
    row = mock.bench.shelf.rows()[0]
    assert row.summary["version"] == "1.0" and row.waiting is not None and row.waiting[1] == "1.1"

    mock.update()
    number = mock.bench.records.history(mock.install)[0].id
    for forward, version in ((False, "1.0"), (True, "1.1")):
        if forward:
            mock.update()
            number = mock.bench.records.history(mock.install)[0].id
        with Journal(mock.bench.records.strongbox(mock.install).journal_path) as journal:
            journal.set_state(number, State.CARRYING)
        mock.bench.updates.recover(mock.install, forward)
        assert mock.bench.shelf.rows()[0].summary["version"] == version


def test_what_an_earlier_run_left_half_made_is_in_nobodys_way(mock: Mock) -> None:
    mock.arrive(release("1.1"))
    box = mock.bench.records.strongbox(mock.install)
    box.make()
    for number in range(1, 14):
        plant(Path(box.folder) / "work-1", {f"ready-1-{number}/half": "made"})
    make_journal(box.journal_path)
    box.close()
    assert mock.update().proof.verdict == "intact"


def test_a_folder_on_another_file_system_is_refused(mock: Mock, monkeypatch: pytest.MonkeyPatch) -> None:
    mock.arrive(release("1.1"))
    (change_set,) = mock.plan().change_sets
    disks.another_file_system(monkeypatch, "lib")
    with Roots((Root(label="", place=str(mock.root)),)) as roots, pytest.raises(LeftIntactError) as stop:
        steps_of(ChangeSet(moves=change_set.moves), roots)
    assert stop.value.code == "other-file-system" and "lib" in str(stop.value.path)


def test_what_was_made_ready_goes_when_making_ready_fails(mock: Mock) -> None:
    mock.arrive(release("1.1"))
    plan = mock.plan()
    plan = mock.plan({q.id: q.default for q in plan.questions})
    mock.arrive(release("1.1", more__of="it\n") | {"VERSION": "another\n"})
    with pytest.raises(LeftIntactError):
        mock.bench.updates.update(plan, mock.install)
    left = [p for p in (mock.folder / ".left-intact").rglob("*") if p.name.startswith(("ready-", "aside-"))]
    assert not left


def test_an_update_leaves_no_file_open(mock: Mock, tmp_path: Path) -> None:
    mock.arrive(release("1.1"))
    plan = mock.plan()
    plan = mock.plan({q.id: q.default for q in plan.questions})
    mock.bench.updates.update(plan, mock.install)
    mock.bench.updates.back.go(mock.install)
    plan = mock.plan({q.id: q.default for q in mock.plan().questions})
    before = open_below(tmp_path)
    mock.bench.updates.update(plan, mock.install)
    assert open_below(tmp_path) == before


def test_an_old_file_that_was_put_back_by_hand_gets_its_time_again(mock: Mock) -> None:
    mock.arrive(release("1.1"))
    before = mock.state()
    old = (mock.root / "lib/libpad.so").read_bytes()
    mock.update()
    plant(mock.root, {"lib/libpad.so": old}, mtime=LATER + 77)
    (mock.root / "lib/libpad.so").chmod(0o600)
    mock.bench.updates.back.go(mock.install)
    assert mock.state() == before


@pytest.mark.parametrize("what", ["mode", "time", "both"])
def test_what_has_another_mode_or_time_than_the_plan_saw_stops_the_update(mock: Mock, what: str) -> None:
    """The bytes are the same; somebody was there all the same."""
    if what != "time" and os.name == "nt":
        pytest.skip("this system keeps no modes of files")
    mock.arrive(release("1.1"))
    plan, path = mock.plan(), mock.root / "lib/libcore.so"
    if what in ("mode", "both"):
        path.chmod(0o700)
    if what in ("time", "both"):
        os.utime(path, ns=(LATER * 10**9, LATER * 10**9))
    before = mock.state()
    with pytest.raises(LeftIntactError) as error:
        mock.bench.updates.update(plan, mock.install)
    assert error.value.code == "changed-meanwhile" and mock.state() == before
