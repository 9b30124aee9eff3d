"""Guards that only rare cases come to, one by one: races, half steps, odd answers, names and numbers."""

from __future__ import annotations

import errno
import os
import signal
import stat
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest

from left_intact.core.carrying.chain import refuse_if_blocked, refuse_roots
from left_intact.core.files.place import LocalPlace
from left_intact.core.model.errors import Fault, LeftIntactError, Refusal
from left_intact.core.model.place import Root
from left_intact.core.model.plan import Verb
from left_intact.core.model.proof import CheckState, Verdict
from left_intact.core.model.release import Reading
from left_intact.core.model.update import State
from left_intact.core.planning.blockers import version_faults
from left_intact.core.planning.table import TABLE
from tests.builders import LATER, LINKS, PIPES, Mock, plant, release
from tests.chains import MadeUp, in_child


def read_as(text: str) -> Reading:
    return Reading(text=text, source="VERSION", weight=50)


# ---------------------------------------------------------------- before anything begins


@LINKS
@pytest.mark.parametrize(
    ("place", "existed"),
    [("mocklet", True), ("{}/a/../mocklet", False), ("{}/.left-intact/mocklet", False), ("{}/leads", True)],
)
def test_roots_are_vetted_as_if_a_stranger_had_written_them(
    mock: Mock, place: str, existed: bool, tmp_path: Path
) -> None:
    (tmp_path / "leads").symlink_to(mock.root)
    box = mock.bench.updates.strongbox(mock.install)
    refuse_roots((Root(label="", place=os.path.realpath(mock.root)),), box)
    with pytest.raises(LeftIntactError) as error:
        refuse_roots((Root(label="", place=place.format(os.path.realpath(tmp_path)), existed=existed),), box)
    assert error.value.code == "root-replaced"


def test_a_blocker_is_passed_only_where_it_may_be_and_was(mock: Mock) -> None:
    from dataclasses import replace

    mock.arrive(release("1.1"))
    plan = mock.plan()
    may, may_not = Fault(code="held", says="a", passable=True), Fault(code="held", says="b")
    refuse_if_blocked(replace(plan, blockers=(may,)), frozenset(["held"]))
    for faults, allowed in (
        ((may,), ()),
        ((may,), ("stranger",)),
        ((may_not,), ("held",)),
        ((may, may_not), ("held",)),
    ):
        with pytest.raises(Refusal):
            refuse_if_blocked(replace(plan, blockers=faults), frozenset(allowed))


@pytest.mark.parametrize(
    ("mine", "coming", "says"),
    [
        (None, None, "no version could be read from either side"),
        (None, "1.1", "no version could be read from the install"),
        ("1.0", None, "no version could be read from the arrival"),
        ("1.0", "1.0", "1.0 is installed already"),
    ],
)
def test_which_version_is_unknown(mine: str | None, coming: str | None, says: str) -> None:
    blocked, warned = version_faults(read_as(mine) if mine else None, read_as(coming) if coming else None)
    assert not blocked and [fault.says for fault in warned] == [says]


def test_newer_older_and_other_lines() -> None:
    assert version_faults(read_as("1.0"), read_as("1.1")) == ([], [])
    assert [b.code for b in version_faults(read_as("1.1"), read_as("1.0"))[0]] == ["older-version"]
    assert [b.code for b in version_faults(read_as("1.1"), read_as("r121"))[0]] == ["other-line"]


def test_the_rows_of_the_table_are_numbered() -> None:
    assert [row.number for row in TABLE] == list(range(1, len(TABLE) + 1))


# ---------------------------------------------------------------- races and half steps


def test_what_comes_out_other_than_it_was_seen_goes_in_again(
    mock: Mock, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Somebody writes a file between the last look and the exchange: theirs stays, all else is as it was."""
    mock.arrive(release("1.1"))
    before, real, theirs = mock.state(), LocalPlace.exchange, b"written in between"
    raced: list[str] = []

    def exchange(self: LocalPlace, other: LocalPlace, path: str, mine: str) -> bool:
        if self.root == str(mock.root) and mine == "mocklet" and not raced:
            raced.append(mine)
            (mock.root / "new").write_bytes(theirs)
            os.replace(mock.root / "new", mock.root / "mocklet")
        return real(self, other, path, mine)

    monkeypatch.setattr(LocalPlace, "exchange", exchange)
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
    before, real = made.state(), LocalPlace.take
    failed: list[str] = []

    def take(self: LocalPlace, source: LocalPlace, source_path: str, to: str, *, over: bool) -> None:
        if self.root == str(made.root) and to == path and not failed:
            failed.append(to)
            raise OSError(errno.EIO, "Input/output error", to)
        real(self, source, source_path, to, over=over)

    monkeypatch.setattr(LocalPlace, "exchange", lambda *words: False)
    monkeypatch.setattr(LocalPlace, "take", take)
    with pytest.raises(LeftIntactError):
        made.bench.updates.update(made.plan(), made.install)
    assert failed and made.state() == before and not made.bench.shelf.interrupted()
    assert made.bench.updates.update(made.plan(), made.install).waits


def test_an_old_file_that_was_put_back_by_hand_gets_its_time_again(mock: Mock) -> None:
    mock.arrive(release("1.1"))
    before = mock.state()
    old = (mock.root / "lib/libpad.so").read_bytes()
    mock.update()
    plant(mock.root, {"lib/libpad.so": old}, mtime=LATER + 77)
    (mock.root / "lib/libpad.so").chmod(0o600)
    mock.bench.updates.back.go(mock.install)
    assert mock.state() == before


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
    assert updates.history(made.install)[0].state is State.ON_TRIAL
    assert updates.back.go(made.install).update.state is State.GONE_BACK and made.state() == before


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


@LINKS
def test_a_link_that_was_replaced_is_put_back_where_laying_fails(
    mock: Mock, monkeypatch: pytest.MonkeyPatch
) -> None:
    for root in (mock.root, mock.base):
        plant(root, {"lib/now": ("link", "libcore.so"), "lib/aside": ("link", "now")})
    mock.arrive(release("1.1", lib__now="a file by now", zz="the last one"))
    before, real = mock.state(), LocalPlace.take

    def take(self: LocalPlace, source: LocalPlace, source_path: str, to: str, *, over: bool) -> None:
        if self.root == str(mock.root) and to == "zz":
            raise OSError(errno.EIO, "Input/output error", to)
        real(self, source, source_path, to, over=over)

    with monkeypatch.context() as patch:
        patch.setattr(LocalPlace, "take", take)
        with pytest.raises(LeftIntactError):
            mock.update()
    assert mock.state() == before
    mock.update()
    assert not (mock.root / "lib/now").is_symlink() and not (mock.root / "lib/aside").is_symlink()
    mock.bench.updates.back.go(mock.install)
    assert mock.state() == before


def test_the_room_of_a_plan_to_the_byte() -> None:
    from left_intact.core.model.classes import FileClass
    from left_intact.core.model.entry import Entry, Kind
    from left_intact.core.model.place import At
    from left_intact.core.model.plan import Move
    from left_intact.core.planning.circumstances import BOX, Circumstances
    from left_intact.core.planning.space import room_for

    old = Entry(path="a", kind=Kind.FILE, bytes=100, digest="1")
    new = Entry(path="a", kind=Kind.FILE, bytes=300, digest="2")
    more = {"file_class": FileClass.PROGRAM, "because": ""}
    moves = [Move(at=At("", "a"), verb=Verb.REPLACE, before=old, after=new, **more)]  # type: ignore[arg-type]
    moves += [Move(at=At("", "b"), verb=Verb.KEEP, before=old, after=old, **more)]  # type: ignore[arg-type]
    one = room_for(moves, Circumstances(free=10, rooms={"": (1, 10), BOX: (1, 10)}))
    assert (one.needed, one.rooms) == (400 + (4 << 20), ())
    two = room_for(moves, Circumstances(free=10, rooms={"": (1, 10), BOX: (2, 20)}))
    assert [(r.place, r.needed, r.free) for r in two.rooms] == [
        ("the strongbox", 100 + (4 << 20), 20),
        ("the install", 300 + (4 << 20), 10),
    ]
    moves += [replace(moves[0], at=At("saves", "a"))]
    three = room_for(moves, Circumstances(free=10, rooms={"": (1, 10), BOX: (2, 20)}))
    assert [(r.place, r.needed) for r in three.rooms][1] == ("the install and saves", 600 + (4 << 20))
    assert room_for(moves[1:2], Circumstances(free=10)).needed == 0


# ---------------------------------------------------------------- places


@LINKS
@PIPES
def test_only_a_regular_file_is_read(tmp_path: Path) -> None:
    plant(tmp_path, {"a": "x", "deep/b": "y"})
    (tmp_path / "link").symlink_to("a")
    os.mkfifo(tmp_path / "pipe")
    with LocalPlace(str(tmp_path)) as place:
        with place.reading("a") as descriptor:
            assert os.read(descriptor, 9) == b"x"
        for name in ("link", "pipe", "deep"):
            with pytest.raises(LeftIntactError) as error, place.reading(name):
                pass
            assert error.value.code == "changed-meanwhile" and "no file any more" in error.value.says


def test_a_file_is_what_its_first_bytes_say(tmp_path: Path) -> None:
    large = b"\x7fELF\x02\x01\x01" + b"\0" * (3 << 20) + b"PNG"
    plant(tmp_path, {"code": large, "none": b"", "image": b"\x89PNG\r\n\x1a\n" + b"\x00" * 40})
    with LocalPlace(str(tmp_path)) as place:
        found = {name: place.look(name) for name in ("code", "none", "image")}
        formats = {name: place._content(name, os.path.getsize(tmp_path / name))[1] for name in found}
    assert formats["image"] == "png" and formats["code"].startswith("elf") and formats["none"] == "empty"


# ---------------------------------------------------------------- proving


def test_a_proof_by_stamps_counts_what_it_did_not_read(mock: Mock, monkeypatch: pytest.MonkeyPatch) -> None:
    from left_intact.core.proving import prove

    plant(mock.root, {f"games/{n}/disc.cart": bytes([n]) * 4096 for n in range(5)}, mtime=LATER)
    plant(mock.root, {"games/many/a.cart": b"a" * 99, "games/many/b.cart": b"b" * 99}, mtime=LATER)
    mock.arrive(release("1.1"))
    mock.update()
    monkeypatch.setattr(prove.prove, "__kwdefaults__", {**prove.prove.__kwdefaults__, "most": 1})
    proof = mock.bench.updates.prove(mock.install).proof
    said = next(c for c in proof.checks if c.name == "read back")
    # Neither saves nor settings, nor what the update touched: the games, the state, and the note.
    assert proof.told_by_stamps >= 9 and f"{proof.told_by_stamps} files told by unchanged stamps" in said.says
    (mock.root / "games/many/a.cart").write_bytes(b"A" * 99)
    again = mock.bench.updates.prove(mock.install).proof
    assert again.told_by_stamps == proof.told_by_stamps - 1 and again.verdict is not Verdict.INTACT


def test_what_merged_values_are_counted_as(mock: Mock) -> None:
    mock.edit({"mocklet.ini": "[video]\nsmooth = off\nscale = 2\n\n[sound]\nrate = 44100\n"})
    theirs = "[video]\nsmooth = on\nscale = 3\nlines = 1\n\n[sound]\nrate = 48000\n"
    mock.arrive(release("1.1", **{"mocklet.ini": theirs}))
    outcome = mock.bench.updates.update(mock.plan({"mocklet-ini-sound-rate": "arriving"}), mock.install)
    merged = next(c for c in outcome.proof.checks if c.name == "merged")
    assert merged.state is CheckState.PASSED and outcome.proof.counts[Verb.MERGE] == 1
    # The value that both changed is the arriving one, as was answered: none of theirs that was kept.
    assert merged.says == "mocklet.ini: 1 value of yours kept, 2 keys from the release"


def test_a_capture_of_after_is_a_file_that_was_taken_later(tmp_path: Path) -> None:
    from left_intact.core.proving.pictures import captures

    plant(tmp_path, {"before.png": b"1"}, mtime=LATER)
    plant(tmp_path, {"older.png": b"2"}, mtime=LATER - 9)
    plant(tmp_path, {"note.txt": b"3", "newer.png": b"4"}, mtime=LATER + 9)
    (tmp_path / "folder.png").mkdir()
    before = str(tmp_path / "before.png")
    assert captures(before) == (before, str(tmp_path / "newer.png"))
    (tmp_path / "newer.png").unlink()
    assert captures(before) == (before, "") and captures(str(tmp_path / "gone.png")) == ("", "")


def test_scripts_near_the_top_are_ways_to_start() -> None:
    from left_intact.core.model.classes import FileClass
    from left_intact.core.proving.things import count_things

    paths = ("start.sh", "bin/go.CMD", "deep/er/run.sh", "read.txt")
    (one,) = count_things([(path, FileClass.PROGRAM, "") for path in paths], lambda path: None)
    assert one.names == ("bin/go.CMD", "start.sh")


def test_three_are_named_and_the_rest_counted() -> None:
    from left_intact.core.model.proof import may_stay_old
    from left_intact.core.proving.checks import appeared_check, whole_check

    assert appeared_check(list("abc")).says == "3 files appeared that nobody planned: a, b, c"
    assert appeared_check(list("abcde")).says.endswith(": a, b, c and 2 more")
    assert [may_stay_old(files) for files in (0, 4, 5, 14, 15, 900)] == [0, 0, 1, 2, 3, 3]
    assert whole_check(tuple("abc"), allowed=3) is None
    assert whole_check(tuple("abcd"), allowed=3) is not None


@pytest.mark.parametrize(("number", "whole"), [(3, True), (4, False)])
def test_more_than_a_few_that_stay_old_are_said(mock: Mock, number: int, whole: bool) -> None:
    """Ruled to stay, as a person may."""
    from left_intact.core.model.classes import FileClass

    tree = {f"data/d{n}.bin": f"old {n}" * 9 for n in range(9)}
    for root in (mock.root, mock.base):
        plant(root, tree)
    coming = release("1.1", **{path.replace("/", "__"): f"new {path}" for path in tree})
    for n in range(number):
        mock.bench.surveys.rule(mock.install, f"data/d{n}.bin", FileClass.UNSORTED)
    mock.arrive(coming)
    proof = mock.update().proof
    said = [c for c in proof.checks if c.name == "not whole"]
    assert (not said and proof.stayed_old == ()) if whole else (said and len(proof.stayed_old) == number)


def test_before_and_after_are_named_where_there_is_a_picture(mock: Mock) -> None:
    plant(mock.root, {"screenshots/one.png": b"\x89PNG" + b"1" * 99}, mtime=LATER)
    mock.arrive(release("1.1"))
    proof = mock.update().proof
    assert any("one.png before, none yet: take one" in c.says for c in proof.checks)
    plant(mock.root, {"screenshots/two.png": b"\x89PNG" + b"2" * 99}, mtime=LATER + 60)
    proof = mock.bench.updates.prove(mock.install).proof
    assert any(c.says.endswith("one.png before, two.png") for c in proof.checks)


# ---------------------------------------------------------------- evidence


def test_which_settings_are_read_for_where_they_lead(tmp_path: Path) -> None:
    from left_intact.core.files.tree import read_tree, text_reader
    from left_intact.core.survey.references import about_key, read_references
    from left_intact.core.survey.standing import Standing

    deep = "a/b/c/d/e/f/g/h"
    plant(
        tmp_path,
        {
            "prog.ini": "[paths]\nsave_dir = memory\nstate_dir = moments\n",
            f"{deep}/far.ini": "[paths]\nsave_dir = ../../../../../../../../far\n",
            "empty.ini": "",
            "large.ini": "[paths]\nsave_dir = huge\n" + "; more\n" * 30_000,
            **{f"{folder}/x": "1" for folder in ("memory", "moments", "far", "huge")},
        },
    )
    pages = read_tree(str(tmp_path)).pages
    found = read_references(str(tmp_path), pages, text_reader(str(tmp_path)), Standing(pages).is_foreign)
    assert {"memory", "moments"} <= set(found.inside) and not {"far", "huge"} & set(found.inside)
    assert about_key("save_dir") is not None and about_key("dir") is None and about_key("") is None


def test_what_speaks_against_the_program_where_a_release_denies_it() -> None:
    from left_intact.core.model.classes import FileClass
    from left_intact.core.model.entry import Evidence
    from left_intact.core.survey.classify import _is_own_of_its_kind, scores

    def says(source: str, kind: FileClass, weight: float) -> Evidence:
        return Evidence(source=source, says="", weight=weight, speaks_for=kind)

    p, settings = FileClass.PROGRAM, FileClass.SETTINGS
    denied, looks = says("baseline", p, -3.0), (says("name", p, 2.0),)
    assert _is_own_of_its_kind((denied,), looks)
    assert not _is_own_of_its_kind((says("baseline", p, -1.0),), looks)  # too little said
    assert not _is_own_of_its_kind((says("name", p, -3.0),), looks)  # nobody who could know
    assert not _is_own_of_its_kind((denied,), (says("name", p, 0.5),))  # it does not look like one
    assert not _is_own_of_its_kind((denied, says("baseline", settings, 2.0)), looks)  # changed settings
    for source in ("run", "ruling", "keepsheet"):
        assert not _is_own_of_its_kind((denied, says(source, FileClass.SAVES, 2.0)), looks)
    # What nothing speaks for counts less among theirs; a weight of nothing speaks for nothing.
    quiet = scores([says("name", FileClass.SAVES, 2.0), says("name", FileClass.STATES, 0.0)])
    assert quiet[FileClass.STATES] == quiet[FileClass.CACHE] < quiet[FileClass.SAVES]


# ---------------------------------------------------------------- what a system cannot do


@LINKS
@pytest.mark.parametrize(
    ("code", "ends"),
    [(errno.ENOSYS, False), (errno.EINVAL, False), (errno.EEXIST, "changed-meanwhile"), (errno.EIO, OSError)],
)
def test_a_rename_that_the_system_refuses(code: int, ends: object, monkeypatch: pytest.MonkeyPatch) -> None:
    """A call that is not there is no error: it is done another way."""
    import ctypes

    from left_intact.core.files import place

    class Refusing:
        def renameat2(self, *words: object) -> int:
            ctypes.set_errno(code)
            return -1

    monkeypatch.setattr(place, "_libc", Refusing)
    spot = place.Spot(None, "a")
    if ends is False:
        assert place._renamed(spot, spot, 0, "a") is False
    elif ends is OSError:
        with pytest.raises(OSError) as refused:
            place._renamed(spot, spot, 0, "a")
        assert refused.value.errno == code
    else:
        with pytest.raises(LeftIntactError) as error:
            place._renamed(spot, spot, 0, "a")
        assert error.value.code == ends


def test_a_picture_that_is_too_large_is_not_read(tmp_path: Path) -> None:
    from left_intact.core.proving.pictures import picture_bytes

    small, large = tmp_path / "a.png", tmp_path / "b.png"
    small.write_bytes(b"1234")
    with open(large, "wb") as file:
        file.truncate((16 << 20) + 1)
    assert picture_bytes(str(small)) == b"1234"
    assert picture_bytes(str(large)) == picture_bytes("") == picture_bytes(str(tmp_path / "none")) == b""


def test_a_route_that_is_not_for_what_came_does_not_fit(mock: Mock) -> None:
    mock.arrive(release("1.1"))
    fits = {choice.name.value: choice.fits for choice in mock.plan().routes}
    assert fits["in-place"] and not fits["ladder"] and not fits["graft"]
    assert fits["clear-and-restore"] and mock.plan().route.value == "in-place"
    assert len(fits) == 6


# ---------------------------------------------------------------- single comparisons


@pytest.mark.parametrize(
    ("agreed", "there", "kind", "modes", "runs", "weaker"),
    [
        (0o755, 0o655, "file", True, True, True),
        (0o755, 0o655, "file", True, False, False),  # nothing here can be run at all
        (0o644, 0o444, "file", True, False, True),
        (0o644, 0o244, "file", True, False, True),
        (0o644, 0o640, "file", True, True, False),  # what others may is not the owner's
        (0o755, 0o055, "file", False, True, False),
        (0o755, 0o055, "folder", True, True, False),
        (None, 0o000, "file", True, True, False),
        (0o755, None, "file", True, True, False),
    ],
)
def test_which_rights_are_missed(
    agreed: int | None, there: int | None, kind: str, modes: bool, runs: bool, weaker: bool
) -> None:
    from left_intact.core.model.entry import Entry, Kind
    from left_intact.core.proving.compare import Now, Tally, _compare_rights

    now, tally = Now((), (), modes=modes), Tally()
    now.holds_rights = runs
    entries = [Entry(path="a", kind=Kind(kind), mode=mode) for mode in (agreed, there)]
    _compare_rights(tally, "a", entries[0], entries[1], now)
    assert (tally.weaker == ["a"]) is weaker


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
