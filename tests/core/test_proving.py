"""The proof sees what happened to the disk, whoever did it."""

from __future__ import annotations

import os
from collections.abc import Callable
from pathlib import Path

import pytest

from left_intact.core.library.store import Library
from left_intact.core.model.classes import FileClass
from left_intact.core.model.errors import LeftIntactError
from left_intact.core.model.plan import Verb
from left_intact.core.model.proof import CheckState, Proof, Verdict
from left_intact.core.model.things import Counted, Thing, ThingRule
from tests.builders import FORKS, LATER, Mock, plant, release


@pytest.fixture
def updated(mock: Mock) -> Mock:
    arriving = release("1.1")
    del arriving["lib/libpad.so"]
    arriving["mocklet.ini"] = "[video]\nsmooth = on\nscale = 3\n\n[sound]\nrate = 22050\n"
    mock.edit({"mocklet.ini": "[video]\nsmooth = off\nscale = 2\n\n[sound]\nrate = 22050\n"})
    mock.arrive(arriving)
    mock.update()
    return mock


def _check(proof: Proof, name: str) -> CheckState:
    return next(c.state for c in proof.checks if c.name == name)


def _old(mock: Mock, path: str, data: bytes) -> None:
    (mock.root / path).write_bytes(data)
    os.utime(mock.root / path, (LATER, LATER))


ON = (Verdict.ATTENTION, "yours", CheckState.YOURS)
CASES: dict[str, tuple[Callable[[Mock], object], Verdict, str, CheckState]] = {
    "a save is gone": (
        lambda m: (m.root / "saves/mill.sav").unlink(),
        Verdict.BROKEN,
        "yours",
        CheckState.FAILED,
    ),
    "a save was changed": (
        lambda m: _old(m, "saves/mill.sav", b"?"),
        Verdict.BROKEN,
        "yours",
        CheckState.FAILED,
    ),
    "a save was played on": (lambda m: (m.root / "saves/mill.sav").write_bytes(b"on"), *ON),
    "a library is not as shipped": (
        lambda m: _old(m, "lib/libcore.so", b"?"),
        Verdict.BROKEN,
        "program",
        CheckState.FAILED,
    ),
    "a retired one is back": (
        lambda m: _old(m, "lib/libpad.so", b"?"),
        Verdict.ATTENTION,
        "set aside",
        CheckState.FAILED,
    ),
    "a merged key": (
        lambda m: _old(m, "mocklet.ini", b"[video]\nx = 1\n"),
        Verdict.BROKEN,
        "merged",
        CheckState.FAILED,
    ),
    "a merged file is no settings": (
        lambda m: _old(m, "mocklet.ini", b"\0\1"),
        Verdict.BROKEN,
        "merged",
        CheckState.FAILED,
    ),
    "something appeared": (
        lambda m: (m.root / "what").write_text("?"),
        Verdict.INTACT,
        "nothing else",
        CheckState.YOURS,
    ),
    "nothing happened": (lambda m: None, Verdict.INTACT, "version", CheckState.PASSED),
}


@pytest.mark.parametrize("case", CASES)
def test_what_the_proof_sees(updated: Mock, case: str) -> None:
    act, verdict, name, state = CASES[case]
    act(updated)
    proof = updated.bench.updates.prove(updated.install).proof
    assert proof.verdict is verdict and _check(proof, name) is state
    if verdict is Verdict.BROKEN and name == "yours":
        assert proof.lost + proof.altered == ("saves/mill.sav",)
    assert (proof.altered == ("mocklet.ini",)) is (name == "merged")


def test_a_version_that_is_not_the_arriving_one_is_noticed(updated: Mock) -> None:
    """Whatever else is right: what the program says of itself must be what arrived."""
    proof = updated.bench.updates.prove(updated.install).proof
    assert proof.version_after == "1.1" and _check(proof, "version") is CheckState.PASSED
    for path in ("VERSION", "mocklet"):
        data = (updated.root / path).read_bytes()
        (updated.root / path).write_bytes(data.replace(b"1.1", b"1.0"))
    proof = updated.bench.updates.prove(updated.install).proof
    assert proof.version_after == "1.0" and _check(proof, "version") is CheckState.FAILED
    assert proof.verdict is Verdict.BROKEN


def test_the_ledger_adds_up(updated: Mock) -> None:
    proof = updated.bench.updates.prove(updated.install).proof
    for line in proof.ledger:
        assert (
            line.equal + line.agreed + line.trouble >= line.before.files or line.file_class.value == "program"
        )
        assert not line.trouble
    assert sum(line.after.files for line in proof.ledger) == sum(
        1 for p in updated.root.rglob("*") if p.is_file()
    )


def test_ticks_and_the_proof_are_remembered(updated: Mock) -> None:
    outcome = updated.bench.updates.prove(updated.install)
    updated.bench.updates.tick(updated.install, outcome.update, ["start the program and look around"])
    assert updated.bench.updates.ticked(updated.install, outcome.update) == {
        "start the program and look around"
    }
    assert updated.bench.updates.last_proof(updated.install)["verdict"] == "intact"


def test_nothing_to_prove(mock: Mock) -> None:
    with pytest.raises(LeftIntactError) as error:
        mock.bench.updates.prove(mock.install)
    assert error.value.code == "nothing-to-prove"


def test_the_library_keeps_its_own(mock: Mock) -> None:
    library = mock.bench.surveys.library
    first = mock.install
    assert library.find("MOCKLET").id == first.id == library.find(str(mock.root)).id
    other = library.register(str(mock.base), name=first.name)
    assert other.name == "Mocklet 2" and len(mock.bench.shelf.rows()) == 2
    library.forget(other)
    assert [i.name for i in library.installs()] == ["Mocklet"]
    with pytest.raises(LeftIntactError) as error:
        library.find("no such thing")
    assert error.value.code == "no-install"
    release_of = mock.bench.surveys.set_baseline(first, str(mock.base))
    assert library.baseline(first) == release_of


def test_a_broken_library_is_said_so(mock: Mock) -> None:
    (mock.folder / "ruin").mkdir()
    (mock.folder / "ruin/library.sqlite").write_bytes(b"this is no database at all" * 50)
    with pytest.raises(LeftIntactError) as error:
        Library(str(mock.folder / "ruin"))
    assert error.value.code == "library-broken"


def test_what_appeared_is_told_in_the_order_of_its_paths(mock: Mock) -> None:
    mock.arrive(release("1.1"))
    mock.update()
    plant(mock.root, {"zebra.txt": "1", "lib/ant.txt": "2", "docs/bee.txt": "3"}, mtime=LATER)
    proof = mock.bench.updates.prove(mock.install).proof
    assert list(proof.appeared) == ["docs/bee.txt", "lib/ant.txt", "zebra.txt"]


def test_things_that_there_were_none_of_before_are_lines_too() -> None:
    from left_intact.core.proving.things import compared

    fresh = Counted(thing=Thing.SAVES, rule="each file of class saves", names=("a.sav",))
    (line,) = compared((), (fresh,))
    assert (line.before, line.after, line.new) == (0, 1, ("a.sav",))


def test_only_the_elements_that_a_rule_names_are_counted() -> None:
    from left_intact.core.proving.things import count_things

    data = b"<shelf><game name='a'/><box><game name='b'/><cover name='c'/></box></shelf>"
    rule = ThingRule(counts="titles", files="", file="list.xml", at="game", name="name", on="")
    (counted,) = count_things((), lambda path: data, [rule])
    assert counted.names == ("a", "b")


def test_a_program_is_asked_by_one_word_or_not_at_all(tmp_path: Path) -> None:
    from left_intact.core.proving.ask_program import ask_program

    plant(tmp_path, {"tool": "#!/bin/sh\necho tool 1.5\n"})
    (tmp_path / "tool").chmod(0o755)
    assert ask_program(str(tmp_path), ["tool", "--version", "--all"]) is None


@FORKS
def test_a_program_that_says_nothing_is_ended(tmp_path: Path) -> None:
    from left_intact.core.proving.ask_program import ask_program

    plant(tmp_path, {"tool": "#!/bin/sh\nexec sleep 900\n"})
    (tmp_path / "tool").chmod(0o755)
    assert ask_program(str(tmp_path), ["tool"], seconds=0.05) is None


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


def test_a_picture_that_is_too_large_is_not_read(tmp_path: Path) -> None:
    from left_intact.core.proving.pictures import picture_bytes

    small, large = tmp_path / "a.png", tmp_path / "b.png"
    small.write_bytes(b"1234")
    with open(large, "wb") as file:
        file.truncate((16 << 20) + 1)
    assert picture_bytes(str(small)) == b"1234"
    assert picture_bytes(str(large)) == picture_bytes("") == picture_bytes(str(tmp_path / "none")) == b""
