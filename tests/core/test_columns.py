"""What stays costs little: columns in plan, witness and journal; and what ended runs leave is pruned."""

from __future__ import annotations

import os
import sqlite3
from functools import partial
from pathlib import Path

import pytest

from left_intact.core.carrying.journal import Journal
from left_intact.core.carrying.trace import Trace
from left_intact.core.model.classes import FileClass
from left_intact.core.model.errors import LeftIntactError
from left_intact.core.model.page_packing import pages_from_bytes, pages_to_bytes
from left_intact.core.model.pages import PagedEntries, pages_in, pages_of
from left_intact.core.model.place import At
from left_intact.core.model.proof import Verdict, Witness
from left_intact.core.model.stages import Verb
from left_intact.core.model.unchanged import Unchanged
from left_intact.core.proving.prove import prove
from tests.builders import MODES, STAMPS, Mock, plant, release


def many(mock: Mock, number: int = 1500) -> None:
    """So many more files of the person's."""
    mock.edit({f"games/box{n // 50}/g{n}.cart": b"GAME" + bytes([n % 251]) * 40 for n in range(number)})
    mock.arrive(release("1.1"))


def witness_after(mock: Mock) -> Witness:
    box = mock.bench.records.strongbox(mock.install)
    with Journal(box.journal_path) as journal:
        return Trace(journal, journal.updates()[0].id).witness


def test_a_plan_makes_no_value_of_what_stays(mock: Mock) -> None:
    many(mock)
    plan = mock.plan()
    assert plan.kept.in_pages > 1500 and len(plan.kept.rest) < 10
    moves = plan.moves
    assert len(moves) == len(plan.kept) + sum(len(c.moves) for c in plan.change_sets)
    assert plan.count(Verb.KEEP) == sum(1 for m in moves if m.verb is Verb.KEEP)
    yours = [m for m in moves if m.file_class.is_the_persons and m.before is not None and not m.changes_disk]
    assert plan.left_intact().files == len([m for m in yours if m.before and m.before.kind.value != "folder"])
    assert len({m.at for m in moves}) == len(moves), "no place is spoken of twice"


def test_kept_leaves_out_and_knows_classes(mock: Mock) -> None:
    mock.arrive(release("1.1"))
    kept = mock.plan().kept
    at = At("", "saves/mill.sav")
    assert kept.class_at(at) is FileClass.SAVES and at in {m.at for m in kept}
    less = kept.without([at])
    assert less.class_at(at) is None and len(less) == len(kept) - 1 and at not in {m.at for m in less}
    assert (
        kept.without([]) is kept and kept != less and kept == Unchanged(kept.pages, kept.because, kept.rest)
    )
    entry = next(m.before for m in kept if m.at == at)
    assert entry is not None
    if entry.stamp[1]:  # one system tells no inodes of what it lists
        assert kept.named(*entry.stamp[:2]) == [at]


def test_a_journal_of_many_files_that_stay_is_small(mock: Mock) -> None:
    many(mock)
    assert mock.update().proof.verdict is Verdict.INTACT
    box = mock.bench.records.strongbox(mock.install)
    assert os.path.getsize(box.journal_path) < 1500 * 120
    witness = witness_after(mock)
    assert witness.kept.in_pages > 1500 and len(witness.rows) < 40


def test_ended_runs_are_pruned_and_the_last_is_still_proven(mock: Mock) -> None:
    many(mock, 300)
    mock.update()
    mock.bench.updates.back.go(mock.install)
    rows = lambda query: _rows(mock, query)  # noqa: E731
    assert rows("SELECT count(*) FROM witness") == [(1,)]  # of the going back, which can be proven again
    assert (
        mock.bench.updates.prove(mock.install).proof.verdict is Verdict.INTACT
        and rows("SELECT count(*) FROM steps")[0][0] > 0
    )
    before = mock.state()
    mock.update()
    mock.bench.updates.settle(mock.install)
    assert mock.bench.updates.prove(mock.install).proof.verdict is Verdict.INTACT
    (ended,) = rows("SELECT count(*) FROM steps WHERE update_id < (SELECT max(id) FROM updates)")
    assert ended[0] <= 1, "of ended runs only what is kept for the person"
    assert rows("SELECT count(*) FROM witness") == [(1,)] and mock.state() != before


def test_what_a_going_back_brings_back_can_be_proven_again(mock: Mock) -> None:
    """Settled, then two on trial: when both have gone back, the settled one lies there and has its witness
    still.
    """
    many(mock, 60)
    updates = mock.bench.updates
    mock.update()
    updates.settle(mock.install)
    for version in ("1.2", "1.3"):
        mock.arrive(release(version))
        mock.update()
    for _ in range(2):
        updates.back.go(mock.install)
    proof = updates.prove(mock.install).proof
    assert proof.verdict is Verdict.INTACT and not proof.appeared and proof.version_after == "1.1"


def _rows(mock: Mock, query: str) -> list[tuple[int, ...]]:
    box = mock.bench.records.strongbox(mock.install)
    base = sqlite3.connect(box.journal_path)
    try:
        return base.execute(query).fetchall()
    finally:
        base.close()


def test_beyond_a_size_stamps_count_but_for_saves_settings_and_what_was_touched(mock: Mock) -> None:
    many(mock, 200)
    mock.update()
    witness, root = witness_after(mock), str(mock.root)
    told = prove(root, witness, most=0)
    assert told.verdict is not Verdict.BROKEN and told.told_by_stamps >= 200
    assert any(c.name == "read back" and f"{told.told_by_stamps:,} files told" in c.says for c in told.checks)
    assert prove(root, witness, most=0, deep=True).told_by_stamps == prove(root, witness).told_by_stamps == 0
    saves = sum(1 for m in mock.bench.surveys.survey(mock.install).findings.of_class(FileClass.SAVES))
    assert saves and told.told_by_stamps <= witness.kept.in_pages - saves


def test_a_stamp_that_is_set_back_is_seen_all_the_same(mock: Mock) -> None:
    many(mock, 50)
    mock.update()
    witness = witness_after(mock)
    victim = mock.root / "games/box0/g7.cart"
    info = victim.stat()
    victim.write_bytes(b"X" * info.st_size)
    os.utime(victim, ns=(info.st_atime_ns, info.st_mtime_ns))
    assert prove(str(mock.root), witness, most=0).altered == ("games/box0/g7.cart",)


def test_pages_of_entries_are_a_mapping(mock: Mock) -> None:
    entries = {f.at.shown: f.entry for f in mock.bench.surveys.survey(mock.install).findings}
    paged = PagedEntries(pages_of(entries.values()))
    assert set(paged) == set(entries) and len(paged) == len(entries)
    assert all(path in paged and paged[path].digest == entry.digest for path, entry in entries.items())
    assert "no/such" not in paged and paged.get("no/such") is None and pages_in(paged) is paged.pages
    again = pages_from_bytes(pages_to_bytes(paged.pages, columns=("stats", "digests")))
    assert [p.digests for p in again] == [p.digests for p in paged.pages] and not any(p.marks for p in again)
    for bad in (b"", b"LIP1", pages_to_bytes(paged.pages)[:-1]):
        with pytest.raises(ValueError, match="no pages"):
            pages_from_bytes(bad)


@STAMPS
def test_a_release_in_a_folder_is_read_once(
    mock: Mock, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    folder = plant(tmp_path / "mocklet-1.1", release("1.1"))
    arrival = partial(mock.bench.surveys.arrival, mock.install, str(folder))
    first = arrival()
    assert dict(first.release.entries) == dict(PagedEntries(pages_in(first.release.entries)))
    read: list[str] = []
    real = os.open
    monkeypatch.setattr(os, "open", lambda p, *m, **n: (read.append(str(p)), real(p, *m, **n))[1])
    again = arrival()
    assert not [path for path in read if path.startswith(str(folder))]
    assert dict(again.release.entries) == dict(first.release.entries)
    (folder / "VERSION").write_text("1.2\n")
    assert arrival().release.version_text == "1.2"
    assert any(path.endswith("VERSION") for path in read)


@MODES
def test_a_folder_that_came_is_vetted_like_an_archive(mock: Mock, tmp_path: Path) -> None:
    folder = plant(tmp_path / "next", {**release("1.1"), "tool": "#!/bin/sh\n"})
    (folder / "tool").chmod(0o6755)
    release_of = mock.bench.surveys.arrival(mock.install, str(folder)).release
    assert release_of.entries["tool"].mode == 0o755, "no set-id bit comes with a release"
    for make in (
        lambda: os.symlink("/etc", folder / "out"),
        lambda: os.symlink("../../else", folder / "lib/out"),
        lambda: os.mkfifo(folder / "pipe"),
    ):
        make()
        with pytest.raises(LeftIntactError) as error:
            mock.bench.surveys.arrival(mock.install, str(folder))
        assert error.value.code == "archive-hostile"
        for name in ("out", "lib/out", "pipe"):
            (folder / name).unlink(missing_ok=True)


@pytest.mark.sampled(1)
@pytest.mark.parametrize("number", [0, 600])
def test_copies_made_by_other_processes_are_the_same(mock: Mock, number: int) -> None:
    before = mock.state()
    for root in (mock.root, mock.base):
        plant(root, {f"lib/part{n}.so": f"old {n}\n" for n in range(number)})
    before = mock.state()
    mock.arrive({**release("1.1"), **{f"lib/part{n}.so": f"part {n}\n" for n in range(number)}})
    assert mock.update().proof.verdict is Verdict.INTACT
    back = mock.bench.updates.back.go(mock.install)
    assert mock.state() == before and back.proof is not None and back.proof.verdict is Verdict.INTACT
