"""Side by side: what is the person's is in the new folder, whole, and the old one is as it was."""

from __future__ import annotations

from pathlib import Path

import pytest

from left_intact.core.model.plan import Route, Verb
from left_intact.core.model.proof import Verdict
from tests.builders import verbs
from tests.routes.beside import MINE, STUBS, Pier


@pytest.fixture
def pier(tmp_path: Path) -> Pier:
    return Pier(tmp_path)


def test_a_folder_that_bears_its_version_gets_a_new_one_beside_it(pier: Pier) -> None:
    plan = pier.plan()
    assert plan.route is Route.SIDE_BY_SIDE and plan.root == str(pier.new)
    assert not plan.blockers and len(plan.questions) <= 2


def test_what_is_yours_lies_in_the_new_folder_and_the_old_one_is_as_it_was(pier: Pier) -> None:
    before = pier.state()
    outcome = pier.update()
    assert outcome.proof.verdict is Verdict.INTACT, [c for c in outcome.proof.checks if c.state == "failed"]
    assert pier.state()["mocklet-1.0"] == before["mocklet-1.0"]
    assert pier.root == str(pier.new)
    for path, content in MINE.items():
        if path not in ("mocklet.ini", "cache/shapes.cache"):
            data = content.encode() if isinstance(content, str) else content
            assert (pier.new / path).read_bytes() == data, path
    text = (pier.new / "mocklet.ini").read_text()
    assert "smooth = off" in text and "scale = 4" in text and "lines = 3" in text and "rate = 48000" in text
    assert (pier.new / "VERSION").read_text() == "1.1\n" and not (pier.new / "cache").exists()
    assert outcome.proof.version_before == "1.0" and outcome.proof.version_after == "1.1"


def test_going_back_makes_the_old_folder_the_install_again(pier: Pier) -> None:
    before = pier.state()
    pier.update()
    back = pier.bench.updates.back.go(pier.install)
    assert pier.state() == before and pier.root == str(pier.old)
    assert back.proof is not None
    assert back.proof.verdict is Verdict.INTACT, [c for c in back.proof.checks if c.state == "failed"]
    assert pier.bench.updates.prove(pier.install).proof.verdict is Verdict.INTACT


def test_a_stub_never_wins_over_what_is_yours(pier: Pier) -> None:
    pier.started()
    before = pier.state()
    plan = pier.plan()
    assert not plan.questions
    outcome = pier.bench.updates.update(plan, pier.install)
    assert outcome.proof.verdict is Verdict.INTACT
    assert (pier.new / "tuned/harbour.conf").read_text() == "beam = 55\n"
    assert (pier.new / "saves/harbour.sav").read_bytes() == MINE["saves/harbour.sav"]
    assert "smooth = off" in (pier.new / "mocklet.ini").read_text()
    pier.bench.updates.back.go(pier.install)
    assert pier.state() == before and pier.root == str(pier.old)


def test_the_folder_itself_may_be_what_came(pier: Pier) -> None:
    pier.started()
    before = pier.state()
    plan = pier.plan(arrival=pier.new)
    assert plan.route is Route.SIDE_BY_SIDE and plan.root == str(pier.new) and not plan.blockers
    assert pier.bench.updates.update(plan, pier.install).proof.verdict is Verdict.INTACT
    assert (pier.new / "tuned/mill.conf").read_text() == "beam = 61\n"
    record = pier.bench.updates.on_record(pier.bench.shelf.find("Mocklet"))
    assert record is not None and "tuned/mill.conf" not in record.entries
    pier.bench.updates.back.go(pier.install)
    assert pier.state() == before


def test_settings_of_both_sides_are_one(pier: Pier) -> None:
    pier.started({**STUBS, "tuned/harbour.conf": "beam = 40\nhalo = wide\n"})
    pier.update()
    text = (pier.new / "tuned/harbour.conf").read_text()
    assert "beam = 55" in text and "halo = wide" in text


def test_what_was_used_in_both_folders_is_asked_and_nothing_is_lost(pier: Pier) -> None:
    pier.started()
    pier.played({"saves/mill.sav": b"\x77" * 512, "tuned/mill.conf": "beam = 99\n"})
    (question,) = pier.draft().plan().questions
    assert question.paths == ("saves/mill.sav", "tuned/mill.conf")
    before = pier.state()
    pier.update({question.id: "new"})
    assert (pier.new / "saves/mill.sav").read_bytes() == b"\x77" * 512
    pier.bench.updates.back.go(pier.install)
    assert pier.state() == before
    pier.update({question.id: "old"})
    assert (pier.new / "saves/mill.sav").read_bytes() == MINE["saves/mill.sav"]
    kept = [path for path in (pier.folder / "pier" / ".left-intact").rglob("*") if path.is_file()]
    assert any(path.read_bytes() == b"\x77" * 512 for path in kept)


def test_after_days_of_play_going_back_keeps_the_newer_and_says_where(pier: Pier) -> None:
    old = pier.state()["mocklet-1.0"]
    pier.update()
    pier.used()
    back = pier.bench.updates.back.go(pier.install)
    assert pier.state()["mocklet-1.0"] == old and pier.root == str(pier.old)
    where = dict(back.kept)
    assert Path(where["saves/mill.sav"]).read_bytes() == b"\x22" * 512
    assert (pier.new / "saves/quay.sav").read_bytes() == b"\x33" * 512  # made there since: it stays


def test_a_folder_that_holds_something_else_is_refused(pier: Pier) -> None:
    (pier.new / "other").mkdir(parents=True)
    for number in range(9):
        (pier.new / "other" / f"{number}.txt").write_text("not ours")
    assert "into-taken" in [b.code for b in pier.plan().blockers]


@pytest.mark.parametrize("into", ["pier/mocklet-1.0/inside", "pier", "home/here", "nowhere/at all"])
def test_a_place_that_cannot_be_is_one_line(pier: Pier, into: str) -> None:
    from left_intact.core.model.errors import LeftIntactError

    with pytest.raises(LeftIntactError) as stop:
        pier.plan(route="side-by-side", into=str(pier.folder / into))
    assert stop.value.code == "bad-into" and "\n" not in stop.value.line()


def test_what_the_new_layout_keeps_elsewhere_goes_there(tmp_path: Path) -> None:
    pier = Pier(tmp_path)
    pier.started({"profile/tuned/harbour.conf": "beam = 40\n", "profile/tuned/mill.conf": "beam = 40\n"})
    plan = pier.plan()
    assert verbs(plan)["profile/tuned/harbour.conf"] == Verb.REHOME
    before = pier.state()
    assert pier.bench.updates.update(plan, pier.install).proof.verdict is Verdict.INTACT
    assert (pier.new / "profile/tuned/harbour.conf").read_text() == "beam = 55\n"
    assert not (pier.new / "tuned").exists()
    pier.bench.updates.back.go(pier.install)
    assert pier.state() == before


def test_settings_that_name_the_old_folder_name_the_new_one(tmp_path: Path) -> None:
    pier = Pier(tmp_path)
    (pier.old / "paths.ini").write_text(f"[paths]\ngames = {pier.old}/games\nelse = {pier.old}-b/games\n")
    pier.update()
    text = (pier.new / "paths.ini").read_text()
    assert f"games = {pier.new}/games" in text and f"else = {pier.old}-b/games" in text
