"""The proof sees what happened to the disk, whoever did it."""

from __future__ import annotations

import os
from collections.abc import Callable

import pytest

from left_intact.core.library.store import Library
from left_intact.core.model.errors import LeftIntactError
from left_intact.core.model.proof import CheckState, Proof, Verdict
from tests.builders import LATER, Mock, release


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


def test_ticks_and_export_are_remembered(updated: Mock) -> None:
    import json

    outcome = updated.bench.updates.prove(updated.install)
    updated.bench.updates.tick(updated.install, outcome.update, ["start the program and look around"])
    assert updated.bench.updates.ticked(updated.install, outcome.update) == {
        "start the program and look around"
    }
    with open(updated.bench.updates.export_proof(updated.install), encoding="utf-8") as file:
        assert json.load(file)["verdict"] == "intact"


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
    assert library.baseline(first, 0) == release_of


def test_a_broken_library_is_said_so(mock: Mock) -> None:
    (mock.folder / "ruin").mkdir()
    (mock.folder / "ruin/library.sqlite").write_bytes(b"this is no database at all" * 50)
    with pytest.raises(LeftIntactError) as error:
        Library(str(mock.folder / "ruin"))
    assert error.value.code == "library-broken"
