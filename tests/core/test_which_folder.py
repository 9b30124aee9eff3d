"""Which folder is which install: three speak of it (what lies there, the card of its box, its journal), and
one alone proves nothing. Each scene is of several programs at once, or of a folder that took another's place;
what is read of the disk is read by the tests' own code.
"""

from __future__ import annotations

import multiprocessing
import os
import shutil
import signal
import sqlite3
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest

from left_intact.core.carrying.heads import Heads
from left_intact.core.model.classes import FileClass
from left_intact.core.model.errors import LeftIntactError
from left_intact.core.model.place import At
from left_intact.core.model.progress import Progress
from left_intact.core.model.proof import Verdict
from left_intact.core.model.update import State
from left_intact.workbench import Workbench
from tests.builders import FORKS, Mock, plant, release
from tests.chains import in_child
from tests.routes.beside import Pier


@pytest.fixture
def pier(tmp_path: Path) -> Pier:
    return Pier(tmp_path / "all")


def files(folder: Path) -> dict[str, bytes]:
    return {p.relative_to(folder).as_posix(): p.read_bytes() for p in folder.rglob("*") if p.is_file()}


def code_of(do: Callable[[], object]) -> str:
    try:
        do()
    except LeftIntactError as error:
        return error.code
    return ""


def roots(bench: Workbench) -> list[str]:
    with sqlite3.connect(bench.shelf.library.path) as db:
        return sorted(os.fsdecode(row[0]) for row in db.execute("SELECT root FROM installs"))


# ---------------------------------------------------------------- side by side, and the folder that stays


@FORKS
@pytest.mark.parametrize("stage", ["safe", "unpacking", "laying"])
def test_who_only_looks_while_an_update_moves_it_changes_nothing(pier: Pier, stage: str) -> None:
    """The shelf is read by another program at each step: the run is in force afterwards, and comes back."""
    old = files(pier.old)

    def report(progress: Progress) -> None:
        if progress.stage == stage:
            assert in_child(lambda: Workbench(str(pier.folder / "home")).shelf.rows()) == 0

    outcome = pier.bench.updates.update(pier.plan(), pier.install, report=report)
    assert outcome.proof.verdict is Verdict.INTACT and pier.root == str(pier.new)
    assert pier.bench.updates.prove(pier.install).proof.verdict is Verdict.INTACT
    assert files(pier.old) == old
    pier.bench.updates.back.go(pier.install)
    assert files(pier.old) == old and pier.root == str(pier.old)


@FORKS
def test_who_only_looks_writes_nothing_after_a_crash_either(pier: Pier) -> None:
    old = files(pier.old)

    def killed() -> None:
        def report(progress: Progress) -> None:
            if progress.stage == "laying" and progress.done == progress.total:
                os.kill(os.getpid(), signal.SIGKILL)

        pier.bench.updates.update(pier.plan(), pier.install, report=report)

    assert in_child(killed) == signal.SIGKILL
    bench = Workbench(str(pier.folder / "home"))
    before = Path(bench.shelf.library.path).read_bytes()
    assert [row.install.name for row in bench.shelf.rows()] == ["Mocklet"] and bench.shelf.interrupted()
    bench.shelf.installs()
    assert Path(bench.shelf.library.path).read_bytes() == before
    bench.updates.recover(bench.shelf.find("Mocklet"), False)
    assert files(pier.old) == old and bench.shelf.find("Mocklet").root == str(pier.old)
    assert roots(bench) == [str(pier.old)]


@pytest.mark.parametrize("how", ["forgotten", "another home"])
def test_the_folder_that_stays_whole_is_gone_back_in_by_nobody(pier: Pier, how: str, tmp_path: Path) -> None:
    pier.update()
    old, new = files(pier.old), files(pier.new)
    if how == "forgotten":
        pier.bench.shelf.forget(pier.bench.shelf.find("Mocklet"))
        bench = pier.bench
    else:
        bench = Workbench(str(tmp_path / "second home"))
    assert code_of(lambda: bench.shelf.find(str(pier.old))) == "left-behind"
    assert (files(pier.old), files(pier.new)) == (old, new)
    again = bench.shelf.find(str(pier.new))  # what it lies in now is known by its box
    assert bench.updates.prove(again).proof.verdict is Verdict.INTACT
    bench.updates.back.go(again)
    assert files(pier.old) == old and not files(pier.new)
    assert bench.shelf.installs()[0].root == str(pier.old)


def test_a_folder_that_was_left_and_settled_is_an_install_of_its_own(pier: Pier, tmp_path: Path) -> None:
    pier.update()
    pier.bench.updates.settle(pier.install)
    old, new = files(pier.old), files(pier.new)
    bench = Workbench(str(tmp_path / "second home"))
    other = bench.shelf.find(str(pier.old))
    assert not bench.records.history(other)
    assert code_of(lambda: bench.updates.back.go(other)) == "nothing-to-go-back-to"
    assert (files(pier.old), files(pier.new)) == (old, new)
    draft = bench.updates.draft(other, str(pier.archive), route="in-place")
    plan = draft.plan({q.id: q.default for q in draft.plan().questions})
    bench.updates.update(plan, draft.install)
    mine = bench.records.strongbox(other).folder
    assert mine != pier.bench.records.strongbox(pier.bench.shelf.find("Mocklet")).folder
    bench.updates.back.go(other)
    assert (files(pier.old), files(pier.new)) == (old, new)


def test_an_update_in_place_and_then_one_beside_leave_one_line_on_the_shelf(pier: Pier) -> None:
    begun = files(pier.old)
    first = pier.plan(route="in-place")
    pier.bench.updates.update(first, pier.install)
    between = files(pier.old)
    plant(pier.folder / "more" / "mocklet-1.2", release("1.2"))
    draft = pier.bench.updates.draft(
        pier.install,
        str(pier.folder / "more" / "mocklet-1.2"),
        route="side-by-side",
        into=str(pier.folder / "pier" / "mocklet-1.2"),
    )
    plan = draft.plan({q.id: q.default for q in draft.plan().questions})
    pier.bench.updates.update(plan, draft.install)
    assert len(pier.bench.shelf.rows()) == 1
    assert code_of(lambda: pier.bench.shelf.find(str(pier.old))) == "left-behind"
    pier.bench.updates.back.go(pier.install)
    assert files(pier.old) == between and len(pier.bench.shelf.rows()) == 1
    pier.bench.updates.back.go(pier.install)
    assert files(pier.old) == begun and roots(pier.bench) == [str(pier.old)]


@pytest.mark.parametrize("after", ["taken up", "gone back"])
def test_a_folder_that_stands_on_the_shelf_twice_hides_none_of_it(pier: Pier, after: str) -> None:
    """Taken up by hand while the install lay elsewhere: it gives way, and what was ruled there holds on."""
    pier.update()
    other = pier.bench.shelf.library.register(str(pier.old), name="By hand")
    assert len(pier.bench.shelf.rows()) == 2
    if after == "gone back":
        pier.bench.updates.back.go(pier.bench.shelf.find("Mocklet"))
        assert [row.install.name for row in pier.bench.shelf.rows()] == ["Mocklet"]
    else:
        assert code_of(lambda: pier.bench.updates.back.go(other)) in ("nothing-to-go-back-to", "left-behind")
        assert files(pier.old) and pier.bench.shelf.find("Mocklet").root == str(pier.new)


@FORKS
def test_two_updates_of_one_install_at_once(pier: Pier) -> None:
    """The second is refused, or comes after: the folder that stays whole stays whole."""
    old, plan = files(pier.old), pier.plan()
    second: list[str] = []

    def report(progress: Progress) -> None:
        if progress.stage == "laying" and not second:
            other = Workbench(str(pier.folder / "home")).updates
            second.append(code_of(lambda: other.update(plan, pier.install)))

    pier.bench.updates.update(plan, pier.install, report=report)
    assert second[0] in ("busy", "interrupted")
    assert pier.bench.updates.prove(pier.install).proof.verdict is Verdict.INTACT and files(pier.old) == old
    pier.bench.updates.back.go(pier.install)
    assert files(pier.old) == old and pier.root == str(pier.old)


# ---------------------------------------------------------------- another folder in its place


@pytest.mark.parametrize("copied", ["the release", "all of it"])
def test_another_copy_in_the_place_of_one_on_trial_is_not_gone_back(mock: Mock, copied: str) -> None:
    mock.arrive(release("1.1"))
    begun = files(mock.root)
    mock.update()
    aside = mock.root.with_name("moved aside")
    if copied == "all of it":
        shutil.copytree(mock.root, aside, symlinks=True)
        kept = mock.root.rename(mock.root.with_name("the very one"))
        aside.rename(mock.root)
    else:
        kept = mock.root.rename(aside)
        plant(mock.root, release("1.0"))
    here, there = files(mock.root), files(kept)
    for ask in (
        lambda: mock.bench.updates.back.go(mock.install),
        lambda: mock.bench.updates.prove(mock.install),
        lambda: mock.plan(),
    ):
        assert code_of(ask) == "another-folder"
    assert (files(mock.root), files(kept)) == (here, there)
    # Said where it lies, it goes back there.
    moved = mock.bench.shelf.move(mock.bench.shelf.known("Mocklet"), str(kept))
    mock.bench.updates.back.go(moved)
    assert files(kept) == begun and files(mock.root) == here


def test_a_copy_that_was_put_back_from_elsewhere_is_taken_at_the_persons_word(mock: Mock) -> None:
    """The same tree under other inodes, as a backup leaves it: nobody guesses that it is the same."""
    mock.arrive(release("1.1"))
    begun = files(mock.root)
    mock.update()
    shutil.copytree(mock.root, mock.folder / "copy", symlinks=True)
    mock.root.rename(mock.folder / "broken")  # its inode is not free yet
    shutil.copytree(mock.folder / "copy", mock.root, symlinks=True)
    assert code_of(lambda: mock.bench.updates.back.go(mock.install)) == "another-folder"
    moved = mock.bench.shelf.move(mock.bench.shelf.known("Mocklet"), str(mock.root))
    mock.bench.updates.back.go(moved)
    assert files(mock.root) == begun


def test_a_word_that_it_lies_where_something_else_does_is_refused(mock: Mock) -> None:
    mock.arrive(release("1.1"))
    mock.update()
    other = plant(mock.folder / "other", release("1.1"))
    mock.root.rename(mock.folder / "lost")
    with pytest.raises(LeftIntactError) as error:
        mock.bench.shelf.move(mock.bench.shelf.known("Mocklet"), str(other))
    assert error.value.code == "another-folder" and error.value.path == str(other)


def test_a_renamed_folder_is_known_wherever_it_lies(mock: Mock) -> None:
    mock.arrive(release("1.1"))
    begun = files(mock.root)
    mock.update()
    there = mock.root.rename(mock.root.with_name("renamed"))
    mock.bench.updates.back.go(mock.bench.shelf.find(str(there)))
    assert files(there) == begun


# ---------------------------------------------------------------- journals, libraries


@pytest.mark.parametrize("home", ["home", "another home"])
@pytest.mark.parametrize("damage", ["empty", "gone"])
def test_a_journal_that_is_none_is_damage_and_never_no_update(mock: Mock, damage: str, home: str) -> None:
    mock.arrive(release("1.1"))
    mock.update()
    box = mock.bench.records.strongbox(mock.install)
    held = box.objects()
    box.close()
    journal = Path(box.journal_path)
    journal.write_bytes(b"") if damage == "empty" else journal.unlink()
    before = files(mock.root)
    mock.arrive(release("1.2"), "mocklet-1.2")
    bench = Workbench(str(mock.folder / home))
    install = bench.shelf.find(str(mock.root))
    assert bench.shelf.rows()[0].trouble
    for ask in (
        lambda: bench.updates.draft(install, str(mock.next)),
        lambda: bench.updates.settle(install),
        lambda: bench.updates.back.go(install),
        lambda: bench.records.history(install),
    ):
        assert code_of(ask) == "journal-broken"
    assert files(mock.root) == before and box.objects() == held
    box.close()


def _at_once(number: int, do: Callable[..., str], *words: Any) -> list[str]:
    """What so many processes say that begin at the same moment."""
    context = multiprocessing.get_context("fork")
    gate, said = context.Barrier(number), context.SimpleQueue()

    def run() -> None:
        gate.wait()
        said.put(do(*words))

    children = [context.Process(target=run) for _ in range(number)]
    for child in children:
        child.start()
    for child in children:
        child.join()
    return [said.get() for _ in children]


def _rows(home: str) -> str:
    return code_of(lambda: Workbench(home).shelf.rows())


def _take_up(home: str, root: str) -> str:
    return code_of(lambda: Workbench(home).shelf.find(root))


def _update(home: str, root: str, came: str) -> str:
    def go() -> None:
        bench = Workbench(home)
        draft = bench.updates.draft(bench.shelf.find(root), came)
        plan = draft.plan({q.id: q.default for q in draft.plan().questions})
        bench.updates.update(plan, draft.install)

    return code_of(go)


@FORKS
def test_many_open_a_fresh_home_at_once(tmp_path: Path) -> None:
    for number in range(6):
        assert _at_once(4, _rows, str(tmp_path / f"home {number}")) == [""] * 4


@FORKS
def test_many_take_one_folder_up_at_once(tmp_path: Path) -> None:
    root = plant(tmp_path / "mocklet", release("1.0"))
    for number in range(4):
        home = str(tmp_path / f"home {number}")
        assert _at_once(4, _take_up, home, str(root)) == [""] * 4
        assert len(Workbench(home).shelf.rows()) == 1


@FORKS
def test_two_first_updates_at_once(tmp_path: Path) -> None:
    """One is laid; the other is told that somebody is at work, or that there is nothing left to do."""
    for number in range(3):
        mock = Mock(tmp_path / str(number))
        mock.arrive(release("1.1"))
        begun = files(mock.root)
        said = _at_once(2, _update, str(mock.folder / "home"), str(mock.root), str(mock.next))
        assert "" in said and set(said) <= {"", "busy", "interrupted", "changed-meanwhile"}, said
        install = mock.bench.shelf.find(str(mock.root))
        assert mock.bench.updates.prove(install).proof.verdict is not Verdict.BROKEN
        while any(u.state is State.ON_TRIAL for u in mock.bench.records.history(install)):
            mock.bench.updates.back.go(install)
        assert files(mock.root) == begun


# ---------------------------------------------------------------- what a run removes itself


@FORKS
@pytest.mark.parametrize("forward", [True, False])
def test_killed_once_the_old_folder_is_gone_it_is_ended_either_way(pier: Pier, forward: bool) -> None:
    """What a run itself removes is not waited for."""
    pier.update()
    old, new = files(pier.old), files(pier.new)

    def killed() -> None:
        def report(progress: Progress) -> None:
            if not pier.old.exists():
                os.kill(os.getpid(), signal.SIGKILL)

        pier.bench.updates.settle(pier.install, free_old=True, report=report)

    assert in_child(killed) == signal.SIGKILL and not pier.old.exists()
    bench = Workbench(str(pier.folder / "home"))
    bench.updates.recover(bench.shelf.find("Mocklet"), forward)
    assert not bench.shelf.interrupted() and files(pier.new) == new
    if forward:
        assert not pier.old.exists()
        bench.updates.back.go(bench.shelf.find("Mocklet"))
    assert files(pier.old) == old


@FORKS
@pytest.mark.parametrize("forward", [True, False])
def test_killed_at_each_step_of_letting_the_old_folder_go(tmp_path: Path, forward: bool) -> None:
    number, ended = 1, False
    while not ended:
        pier = Pier(tmp_path / f"{forward}-{number}")
        pier.update()
        old, new = files(pier.old), files(pier.new)

        def killed(pier: Pier = pier, number: int = number) -> None:
            left = [number]

            def report(progress: Progress) -> None:
                if progress.stage in ("laying", "safe", "unpacking"):
                    left[0] -= 1
                    if left[0] == 0:
                        os.kill(os.getpid(), signal.SIGKILL)

            pier.bench.updates.settle(pier.install, free_old=True, report=report)

        ended = in_child(killed) == 0
        bench = Workbench(str(pier.folder / "home"))
        if bench.shelf.interrupted():
            bench.updates.recover(bench.shelf.find("Mocklet"), forward)
            assert not bench.shelf.interrupted()
        assert files(pier.new) == new
        gone = not pier.old.exists()
        assert gone or files(pier.old) == old
        if gone and not ended:
            assert bench.updates.prove(bench.shelf.find("Mocklet")).proof.verdict is Verdict.INTACT
            bench.updates.back.go(bench.shelf.find("Mocklet"))
            assert files(pier.old) == old
        number += 1 if number < 3 else 14
    assert number > 10


def test_a_move_that_is_killed_has_said_it_or_not(mock: Mock) -> None:
    mock.arrive(release("1.1"))
    begun = files(mock.root)
    mock.update()
    there = mock.root.rename(mock.root.with_name("elsewhere"))
    box = mock.bench.records.strongbox(mock.install)

    def half() -> None:  # the box has heard of it, and the library has not
        box.claim(str(there), str(mock.install.id))

    assert in_child(half) == 0
    bench = Workbench(str(mock.folder / "home"))
    bench.updates.back.go(bench.shelf.find(str(there)))
    assert files(there) == begun


# ---------------------------------------------------------------- one within another


@pytest.mark.parametrize("first", ["the outer", "the inner"])
def test_one_install_within_another_is_refused_both_ways(mock: Mock, first: str) -> None:
    inner = plant(mock.root / "tools" / "painter", {"painter": "#!/bin/sh\n", "VERSION": "3.0\n"})
    bench = Workbench(str(mock.folder / "second home"))
    one, other = (mock.root, inner) if first == "the outer" else (inner, mock.root)
    bench.shelf.find(str(one))
    code = code_of(lambda: bench.shelf.find(str(other)))
    assert code == ("lies-in-install" if first == "the outer" else "holds-installs")
    assert len(bench.shelf.rows()) == 1


# ---------------------------------------------------------------- what runs do to the shelf


def test_a_hold_that_a_run_set_goes_with_it(mock: Mock) -> None:
    from dataclasses import replace

    from left_intact.core.model.effects import HoldSet

    mock.arrive(release("1.1"))
    plan = replace(mock.plan(), effects=(HoldSet("1.1", "you wanted this one"),))
    plan = replace(plan, questions=tuple(replace(q, answer=q.default) for q in plan.questions))
    mock.bench.updates.update(plan, mock.install)
    held = mock.bench.shelf.library.hold(mock.install)
    assert held is not None and held.beyond == "1.1"
    mock.bench.updates.back.go(mock.install)
    assert mock.bench.shelf.library.hold(mock.install) is None


def test_the_journal_is_there_whole_or_not_at_all(mock: Mock, monkeypatch: pytest.MonkeyPatch) -> None:
    """Whoever looks while the first update makes it sees none."""
    seen: list[int] = []
    real = sqlite3.connect

    def connect(path: str, *words: Any, **named: Any) -> Any:
        db = real(path, *words, **named)
        if "journal.sqlite" in path:
            final = Path(path).with_name("journal.sqlite")
            seen.append(final.stat().st_size if final.exists() else -1)
        return db

    monkeypatch.setattr(sqlite3, "connect", connect)
    mock.arrive(release("1.1"))
    mock.update()
    assert seen[0] == -1 and 0 not in seen
    with Heads(mock.bench.records.strongbox(mock.install).journal_path) as journal:
        assert [run.state for run in journal.runs()] == [State.ON_TRIAL]


# ---------------------------------------------------------------- a folder that is called like a root


@pytest.mark.skipif(os.name == "nt", reason="no folder can be called so there")
def test_a_root_and_a_folder_that_is_called_like_it_are_told_apart(mock: Mock, tmp_path: Path) -> None:
    """Keepsheet, proof and JSON write a place as people do; a ruling on the folder begins with `./`."""
    from left_intact.presentation.as_json import account_json, as_text, plan_json, proof_json, survey_json

    far = plant(tmp_path / "far", {"quay.sav": b"z" * 90, "deep/mill.sav": b"q" * 80})
    plant(mock.root, {"memory:/core.so": b"x" * 300})
    mock.bench.surveys.add_root(mock.install, "memory", str(far))
    mock.bench.surveys.rule(mock.install, "memory:/deep/", FileClass.EXTRAS)
    mock.bench.surveys.rule(mock.install, "./memory:/", FileClass.CONTENT)
    survey = mock.bench.surveys.survey(mock.install)
    mock.arrive(release("1.1"))
    plan = mock.plan()
    proof = mock.update().proof
    said = [as_text(one) for one in (survey_json(survey), plan_json(plan), proof_json(proof))]
    said.append(mock.bench.surveys.sheet_text(mock.install))
    said.append(as_text(account_json(mock.bench.accounts.of(mock.install))))
    assert not [text for text in said if "\0" in text or "\\u0000" in text]
    assert '"memory:/quay.sav"' in said[0] and '"memory:/core.so"' in said[0]
    kinds = {f.at: f.file_class for f in survey.findings}
    assert kinds[At("memory", "deep/mill.sav")] is FileClass.EXTRAS
    assert kinds[At("", "memory:/core.so")] is FileClass.CONTENT
    assert kinds[At("memory", "quay.sav")] is not FileClass.CONTENT
