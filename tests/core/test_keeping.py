"""The strongbox over time: references, freeing, looking through it, a budget."""

from __future__ import annotations

import errno
import json
from pathlib import Path
from typing import Any

import pytest

from left_intact.core.carrying.journal import Journal
from left_intact.core.carrying.keeping import references
from left_intact.core.model.errors import LeftIntactError
from left_intact.core.model.update import State
from tests import disks
from tests.builders import Mock, release
from tests.cli.test_commands import Line, line  # noqa: F401 (a fixture)

INI = "[video]\nsmooth = off\nscale = 2\n\n[sound]\nrate = 22050\n"


def _next(version: str) -> dict[str, Any]:
    ini = f"[video]\nsmooth = on\nscale = {version[-1]}\n\n[sound]\nrate = 22050\n"
    return release(version) | {"mocklet.ini": ini}


@pytest.fixture
def updated(mock: Mock) -> Mock:
    mock.edit({"mocklet.ini": INI})
    mock.arrive(_next("1.1"))
    mock.update()
    return mock


def _objects(mock: Mock) -> set[str]:
    return mock.bench.records.strongbox(mock.install).objects()


def test_every_object_says_who_needs_it(updated: Mock) -> None:
    held = updated.bench.keeping.look(updated.install).held
    assert {h.digest for h in held} == _objects(updated)
    assert all(h.needed == 1 and h.runs == (1,) for h in held)
    assert [h.places for h in held if h.yours] == [("mocklet.ini",)]
    assert list(held) == sorted(held, key=lambda h: (-h.bytes, h.digest))
    frees = updated.bench.keeping.look(updated.install).frees
    assert [f.by for f in frees] == ["settle"]
    settled = updated.bench.updates.settle(updated.install)
    assert settled.freed == frees[0].bytes and settled.held == 1
    left = updated.bench.keeping.look(updated.install).held
    assert [(h.yours, h.needed) for h in left] == [(True, 0)]
    assert [f.by for f in updated.bench.keeping.look(updated.install).frees] == ["free"]


def test_two_updates_that_need_one_object_both_count(updated: Mock) -> None:
    """An older update settled would not do: both are on trial, and a copy is freed when neither needs it."""
    same = _next("1.2")
    updated.arrive(same, "mocklet-1.2")
    updated.update(baseline=False)
    with Journal(updated.bench.records.strongbox(updated.install).journal_path) as journal:
        known = references(journal)
        assert {run.state for run in journal.runs()} == {State.ON_TRIAL}
    assert set(known.needed) == _objects(updated)
    updated.bench.updates.back.go(updated.install)
    with Journal(updated.bench.records.strongbox(updated.install).journal_path) as journal:
        after = references(journal)
    assert _objects(updated) == {d for d in _objects(updated) if after.keeps(d)}
    before = updated.state()
    updated.bench.updates.back.go(updated.install)
    assert updated.state() != before and updated.read("mocklet.ini") == INI


def test_what_a_going_back_no_longer_needs_is_let_go_of(updated: Mock) -> None:
    number = len(_objects(updated))
    updated.bench.updates.back.go(updated.install)
    left = updated.bench.keeping.look(updated.install).held
    assert len(left) < number and all(h.yours for h in left)


def test_an_orphan_is_let_go_of_and_nothing_is_while_a_run_is_open(updated: Mock) -> None:
    box = updated.bench.records.strongbox(updated.install)
    orphan = "ab" + "0" * 62
    Path(box.folder, "objects", "ab").mkdir(exist_ok=True)
    Path(box.object_path(orphan)).write_bytes(b"left by a crash")
    part = Path(box.object_path("ab" + "1" * 62) + ".part")
    part.write_bytes(b"half")
    assert [h.needed for h in updated.bench.keeping.look(updated.install).held if h.digest == orphan] == [0]
    assert "tidy" in [f.by for f in updated.bench.keeping.look(updated.install).frees]
    from left_intact.core.carrying.keeping import tidy

    with Journal(box.journal_path) as journal:
        journal.set_state(1, State.CARRYING)
        assert tidy(journal, box) == 0 and orphan in box.objects()
        journal.set_state(1, State.ON_TRIAL)
        assert tidy(journal, box) == len(b"left by a crash") and orphan not in box.objects()
        assert not part.exists()
    updated.bench.updates.back.go(updated.install)
    assert updated.read("mocklet.ini") == INI


def test_looking_through_it_finds_what_is_damaged_and_what_is_gone(updated: Mock) -> None:
    found = updated.bench.keeping.verify(updated.install)
    assert found.sound and found.objects == len(_objects(updated)) and found.bytes > 0
    box = updated.bench.records.strongbox(updated.install)
    by_place = {h.places[0]: h.digest for h in updated.bench.keeping.look(updated.install).held}
    Path(box.object_path(by_place["VERSION"])).write_bytes(b"1.1\n")
    Path(box.object_path(by_place["mocklet"])).unlink()
    found = updated.bench.keeping.verify(updated.install)
    assert (found.damaged, found.missing, found.sound) == (("VERSION",), ("mocklet",), False)


def test_taking_out_and_freeing_by_path(updated: Mock, tmp_path: Path) -> None:
    keeping, install = updated.bench.keeping, updated.install
    taken = keeping.take(install, "mocklet.ini", str(tmp_path / "out"))
    assert [Path(one).read_text() for one in taken] == [INI]
    with pytest.raises(LeftIntactError) as again:
        keeping.take(install, "mocklet.ini", str(tmp_path / "out"))
    assert again.value.code == "in-the-way"
    with pytest.raises(LeftIntactError) as needed:
        keeping.free(install, "mocklet.ini")
    assert needed.value.code == "still-needed"
    updated.bench.updates.settle(install)
    assert keeping.free(install, "mocklet.ini") == len(INI) and not keeping.look(install).held
    for wrong in (
        lambda: keeping.free(install, "mocklet.ini"),
        lambda: keeping.take(install, "x", str(tmp_path)),
    ):
        with pytest.raises(LeftIntactError) as gone:
            wrong()
        assert gone.value.code == "not-kept"


def test_a_budget_is_said_and_nothing_is_freed_for_it(updated: Mock) -> None:
    keeping, install = updated.bench.keeping, updated.install
    assert keeping.look(install).over == 0
    size = sum(h.bytes for h in keeping.look(install).held)
    keeping.set_budget(install, size - 10)
    assert keeping.look(install).over == 10 and sum(h.bytes for h in keeping.look(install).held) == size
    keeping.set_budget(install, 0)
    assert keeping.look(install).over == 0


def test_an_install_without_a_strongbox_says_so(mock: Mock) -> None:
    with pytest.raises(LeftIntactError) as error:
        mock.bench.keeping.look(mock.install)
    assert error.value.code == "no-strongbox"


def test_the_command_lists_takes_verifies_and_frees(line: Line, tmp_path: Path) -> None:  # noqa: F811
    mock = line.mock
    mock.edit({"mocklet.ini": INI})
    mock.arrive(_next("1.1"))
    mock.update()
    root = str(mock.root)
    said = json.loads(line("strongbox", root, "--json", "--budget", "1K")[0])
    assert said["budget"] == 1000 and said["over"] > 0 and {"settle"} == {f["by"] for f in said["frees"]}
    shown = line("strongbox", root)[0]
    assert {one["update"] for one in said["objects"]} == {1} and "update 1, " in shown
    assert {one["since"] for one in said["objects"]} == {mock.bench.records.history(mock.install)[0].began}
    assert "what frees room" in shown and "over its budget" in shown and "needed for 1 place" in shown
    assert "all sound" in line("strongbox", root, "verify")[0]
    out = tmp_path / "taken"
    line("strongbox", root, "take", "mocklet.ini", "--to", str(out))
    assert (out / "mocklet.ini").read_text() == INI
    assert "on trial" in line("strongbox", root, "free", "mocklet.ini", code=3)[1]
    line("settle", root)
    assert "freed" in line("strongbox", root, "free", "mocklet.ini")[0]
    for words in (("take", "x"), ("take",), ("polish",), ("list", "--budget", "much")):
        assert line("strongbox", root, *words, code=2)[1].startswith("left-intact: ")
    box = mock.bench.records.strongbox(mock.install)
    mock.arrive(_next("1.2"), "mocklet-1.2")
    mock.update(baseline=False)
    victim = next(iter(box.objects()))
    Path(box.object_path(victim)).write_bytes(b"rot")
    assert "damaged" in line("strongbox", root, "verify", code=1)[0]


def test_a_copy_that_the_system_refuses_is_not_taken_for_a_damaged_one(
    updated: Mock, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Going back would leave its place as it is, and let go of the only copy."""
    box, before = updated.bench.records.strongbox(updated.install), updated.state()
    victim = next(h.digest for h in updated.bench.keeping.look(updated.install).held if not h.yours)

    def refused(self: object, real: Any, path: str) -> str:
        if path.endswith(victim):
            raise PermissionError(13, "Permission denied", path)
        return real(self, path)

    with monkeypatch.context() as patched:
        disks.instead(patched, "digest", refused)
        with pytest.raises(LeftIntactError) as error:
            updated.bench.updates.back.go(updated.install)
        assert error.value.code == "copy-refused" and box.object_path(victim) in error.value.line()
        assert not updated.bench.keeping.verify(updated.install).sound
    assert updated.state() == before and victim in box.objects()
    updated.bench.updates.back.go(updated.install)
    assert updated.read("mocklet.ini") == INI and updated.read("VERSION") == "1.0\n"


def test_what_could_not_be_put_back_keeps_every_copy(updated: Mock) -> None:
    box = updated.bench.records.strongbox(updated.install)
    damaged = next(h.digest for h in updated.bench.keeping.look(updated.install).held if not h.yours)
    Path(box.object_path(damaged)).write_bytes(b"rot")
    kept = box.objects()
    assert updated.bench.updates.back.go(updated.install).missing
    assert kept <= box.objects()


@pytest.mark.parametrize(("times", "sound"), [(1, True), (2, False)])
def test_what_a_disk_fails_to_read_is_read_once_more(
    mock: Mock, monkeypatch: pytest.MonkeyPatch, times: int, sound: bool
) -> None:
    mock.arrive(release("1.1"))
    mock.update()
    box = mock.bench.records.strongbox(mock.install)
    digest, left = next(iter(box.objects())), [times]

    def failing(self: object, real: Any, path: str) -> str:
        if left[0]:
            left[0] -= 1
            raise OSError(errno.EIO, "Input/output error")
        return real(self, path)

    disks.instead(monkeypatch, "digest", failing)
    assert box.has(digest) is sound
