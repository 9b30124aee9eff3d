"""Side by side: what is the person's is in the new folder, whole, and the old one is as it was."""

from __future__ import annotations

import os
import sqlite3
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest

from left_intact.core.files.place import able
from left_intact.core.model.errors import LeftIntactError
from left_intact.core.model.place import At
from left_intact.core.model.plan import Route, Verb
from left_intact.core.model.proof import Verdict
from left_intact.core.model.update import State
from tests import disks
from tests.builders import LATER, LINKS, MODES, plant, verbs
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
    assert not outcome.proof.appeared
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
    assert outcome.proof.verdict is Verdict.INTACT and not outcome.proof.appeared
    assert (pier.new / "settings/harbour.conf").read_text() == "loudness = 55\n"
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
    assert (pier.new / "settings/mill.conf").read_text() == "loudness = 61\n"
    record = pier.bench.records.on_record(pier.bench.shelf.find("Mocklet"))
    assert record is not None and "settings/mill.conf" not in record.entries
    pier.bench.updates.back.go(pier.install)
    assert pier.state() == before


def test_settings_of_both_sides_are_one(pier: Pier) -> None:
    pier.started({**STUBS, "settings/harbour.conf": "loudness = 40\necho = wide\n"})
    pier.update()
    text = (pier.new / "settings/harbour.conf").read_text()
    assert "loudness = 55" in text and "echo = wide" in text


def test_what_was_used_in_both_folders_is_asked_and_nothing_is_lost(pier: Pier) -> None:
    pier.started()
    pier.played({"saves/mill.sav": b"\x77" * 512, "settings/mill.conf": "loudness = 99\n"})
    (question,) = pier.draft().plan().questions
    assert tuple(at.shown for at in question.paths) == ("saves/mill.sav", "settings/mill.conf")
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
    with pytest.raises(LeftIntactError) as stop:
        pier.plan(route="side-by-side", into=str(pier.folder / into))
    assert stop.value.code == "bad-into" and "\n" not in stop.value.line()


def test_a_started_folder_that_came_onto_the_shelf_says_how_it_leaves_it(pier: Pier) -> None:
    pier.started()
    other = pier.bench.shelf.register(str(pier.new), name="Mocklet")
    plan = pier.plan()
    (fault,) = plan.blockers
    assert fault.code == "into-taken" and "Mocklet 2" in fault.says and "forget 'Mocklet 2'" in fault.way_out
    assert not pier.plan(into=str(pier.folder / "pier" / "else")).blockers
    assert not pier.plan(route="in-place").blockers
    pier.bench.shelf.forget(other)
    assert pier.update().proof.verdict is Verdict.INTACT and pier.root == str(pier.new)


def test_what_was_left_behind_is_found_as_no_other_install(pier: Pier) -> None:
    pier.update()
    found = {one.path: one.known for one in pier.bench.shelf.find_installs(str(pier.folder / "pier"))}
    assert found == {str(pier.old): True, str(pier.new): True}


def test_what_the_new_layout_keeps_elsewhere_goes_there(tmp_path: Path) -> None:
    pier = Pier(tmp_path)
    pier.started(
        {"profile/settings/harbour.conf": "loudness = 40\n", "profile/settings/mill.conf": "loudness = 40\n"}
    )
    plan = pier.plan()
    assert verbs(plan)["profile/settings/harbour.conf"] == Verb.REHOME
    before = pier.state()
    assert pier.bench.updates.update(plan, pier.install).proof.verdict is Verdict.INTACT
    assert (pier.new / "profile/settings/harbour.conf").read_text() == "loudness = 55\n"
    assert not (pier.new / "settings").exists()
    pier.bench.updates.back.go(pier.install)
    assert pier.state() == before


def test_settings_that_name_the_old_folder_name_the_new_one(tmp_path: Path) -> None:
    pier = Pier(tmp_path)
    (pier.old / "paths.ini").write_text(f"[paths]\ngames = {pier.old}/games\nelse = {pier.old}-b/games\n")
    pier.update()
    text = (pier.new / "paths.ini").read_text()
    assert f"games = {pier.new}/games" in text and f"else = {pier.old}-b/games" in text


@pytest.fixture
def dear(pier: Pier, monkeypatch: pytest.MonkeyPatch) -> Pier:
    """Where a few kilobytes are dear to copy."""
    disks.dear_from(monkeypatch, 1_000)
    return pier


def test_content_that_is_dear_to_copy_is_one_question_with_what_each_way_costs(dear: Pier) -> None:
    (question,) = dear.draft().plan().questions
    ways = ("copy", "links", "leave") if able().links else ("copy", "links")
    assert question.id == "content" and question.options == ways
    assert all("room" in leads or "copied" in leads for leads in question.leads_to)
    copied = dear.plan({"content": "copy"})
    assert copied.space.needed > dear.plan({"content": "links"}).space.needed


def test_one_copy_under_two_names(dear: Pier) -> None:
    before = dear.state()
    assert dear.update({"content": "links"}).proof.verdict is Verdict.INTACT
    assert (dear.new / "games/harbour.cart").samefile(dear.old / "games/harbour.cart")
    assert not (dear.new / "saves/harbour.sav").samefile(dear.old / "saves/harbour.sav")
    dear.bench.updates.back.go(dear.install)
    assert dear.state() == before


@LINKS
def test_content_may_stay_where_it_is_and_is_read_with_the_install(dear: Pier) -> None:
    before = dear.state()
    assert dear.update({"content": "leave"}).proof.verdict is Verdict.INTACT
    assert (dear.new / "games").is_symlink() and (dear.new / "games/harbour.cart").read_bytes()
    install = dear.bench.shelf.find("Mocklet")
    assert dict(dear.bench.surveys.roots(install))["games"] == str(dear.old / "games")
    assert dear.bench.updates.prove(install).proof.verdict is Verdict.INTACT
    survey = dear.bench.surveys.survey(install)
    assert survey.findings.find(At("games", "harbour.cart")) is not None
    dear.bench.updates.back.go(install)
    assert dear.state() == before and not dear.bench.surveys.roots(dear.bench.shelf.find("Mocklet"))


@MODES
def test_what_is_carried_takes_its_rights_along(pier: Pier) -> None:
    (pier.old / "saves").chmod(0o700)
    (pier.old / "saves/mill.sav").chmod(0o600)
    before = pier.state()
    pier.update()
    assert (pier.new / "saves").stat().st_mode & 0o777 == 0o700
    assert (pier.new / "saves/mill.sav").stat().st_mode & 0o777 == 0o600
    assert (pier.new / "saves").stat().st_mtime == (pier.old / "saves").stat().st_mtime
    pier.bench.updates.back.go(pier.install)
    assert pier.state() == before


def test_the_next_update_is_one_of_the_new_folder_and_both_can_be_gone_back(pier: Pier) -> None:
    before = pier.state()
    pier.update()
    between = pier.state()
    install = pier.bench.shelf.find("Mocklet")
    from tests.builders import release, zipped

    third = zipped(release("1.2"), pier.folder / "mocklet-1.2.zip", "mocklet-1.2")
    draft = pier.bench.updates.draft(install, str(third), route="in-place")
    plan = draft.plan({q.id: q.default for q in draft.plan().questions})
    assert pier.bench.updates.update(plan, install).proof.verdict is Verdict.INTACT
    pier.bench.updates.back.go(install)
    assert pier.state() == between and pier.root == str(pier.new)
    pier.bench.updates.back.go(install)
    assert pier.state() == before and pier.root == str(pier.old)


def test_the_place_of_the_install_follows_its_journal_after_a_crash_between(pier: Pier) -> None:
    from left_intact.core.files.identity import identity_of

    pier.update()
    library, install = pier.bench.shelf.library, pier.bench.shelf.find("Mocklet")
    with sqlite3.connect(library.path) as db:  # as if the machine had gone down before it was noted
        db.execute("UPDATE installs SET root = ?", (os.fsencode(pier.old),))
        db.execute("DELETE FROM effects")
    assert pier.root == str(pier.new) and identity_of(str(pier.new)) is not None
    assert pier.bench.updates.prove(install).proof.verdict is Verdict.INTACT


class Shortcuts:
    """Three ways to start the old build, and one that is none of its."""

    def __init__(self, pier: Pier) -> None:
        home = pier.folder / "nobody"
        self.menu, self.own = home / "data" / "applications", home / ".local" / "bin"
        self.menu.mkdir(parents=True)
        self.own.mkdir(parents=True)
        (self.menu / "mocklet.desktop").write_text(f"[Desktop Entry]\nExec={pier.old}/mocklet %f\n")
        (self.own / "mock.sh").write_text(f"#!/bin/sh\ncd {pier.old}\nexec {pier.old}/mocklet\n")
        (self.own / "mock").symlink_to(pier.old / "mocklet")
        (self.own / "other.sh").write_text("#!/bin/sh\necho other\n")

    def state(self) -> dict[str, object]:
        return {str(p): (p.is_symlink() and p.readlink(), p.read_bytes(), p.stat().st_mode) for p in self.all}

    @property
    def all(self) -> list[Path]:
        return sorted([*self.menu.iterdir(), *self.own.iterdir()])


@LINKS
def test_shortcuts_are_said_and_nothing_outside_is_touched_without_a_yes(pier: Pier) -> None:
    shortcuts = Shortcuts(pier)
    before = shortcuts.state()
    (question,) = pier.draft().plan().questions
    assert question.id == "shortcuts" and question.default == "leave" and len(question.paths) == 3
    outcome = pier.update()
    assert outcome.proof.verdict is Verdict.INTACT
    assert shortcuts.state() == before
    said = next(c for c in outcome.proof.checks if c.name == "ways to start")
    assert said.state == "yours-to-check" and "old folder" in said.says


@LINKS
def test_shortcuts_are_led_to_the_new_folder_on_a_yes_and_back_again(pier: Pier) -> None:
    shortcuts = Shortcuts(pier)
    before, folders = shortcuts.state(), pier.state()
    outcome = pier.update({"shortcuts": "lead"})
    assert outcome.proof.verdict is Verdict.INTACT, [c for c in outcome.proof.checks if c.state == "failed"]
    assert f"Exec={pier.new}/mocklet %f" in (shortcuts.menu / "mocklet.desktop").read_text()
    assert (shortcuts.own / "mock").readlink() == pier.new / "mocklet"
    assert str(pier.old) not in (shortcuts.own / "mock.sh").read_text()
    assert (shortcuts.own / "mock.sh").stat().st_mode & 0o777 == before[str(shortcuts.own / "mock.sh")][
        2
    ] & 0o777
    assert not any(c.name == "ways to start" for c in outcome.proof.checks)
    back = pier.bench.updates.back.go(pier.install)
    assert shortcuts.state() == before and pier.state() == folders
    assert back.proof is not None and back.proof.verdict is Verdict.INTACT


@LINKS
def test_what_only_looks_like_the_old_folder_in_a_shortcut_stays_and_what_cannot_be_led_is_said(
    pier: Pier,
) -> None:
    shortcuts = Shortcuts(pier)
    beta, far = f"{pier.old}-beta", f"/disk{pier.old}"
    (shortcuts.own / "mock.sh").write_text(f"#!/bin/sh\n{pier.old}/mocklet || {beta}/mocklet || {far}/x\n")
    (shortcuts.own / "near").symlink_to(os.path.relpath(pier.old / "mocklet", shortcuts.own))
    (pier.folder / "by-road").symlink_to(pier.old)
    (shortcuts.own / "road.sh").write_text(f"#!/bin/sh\n{pier.folder}/by-road/mocklet\n")
    plan = pier.plan({"shortcuts": "lead"})
    (said,) = [w for w in plan.warnings if w.code == "old-starts"]
    assert said.says.startswith("road.sh leads") and said.way_out
    assert pier.bench.updates.update(plan, pier.install).proof.verdict is Verdict.INTACT
    text = (shortcuts.own / "mock.sh").read_text()
    assert text == f"#!/bin/sh\n{pier.new}/mocklet || {beta}/mocklet || {far}/x\n"
    assert (shortcuts.own / "near").readlink() == pier.new / "mocklet"


@LINKS
def test_links_of_yours_lead_to_the_same_from_wherever_the_new_folder_lies(pier: Pier) -> None:
    shared = pier.folder / "pier" / "shared"
    plant(shared, {"mill.cart": "games"})
    (pier.old / "outside").symlink_to("../shared")
    (pier.old / "inside").symlink_to("saves")
    (pier.old / "whole").symlink_to(pier.old / "saves")
    (pier.folder / "away" / "from").mkdir(parents=True)
    new = pier.folder / "away" / "from" / "mocklet"
    proof = pier.update(into=str(new)).proof
    assert [c.name for c in proof.checks if c.state == "failed"] == ["links"]  # for one leads out
    assert (new / "outside").resolve() == shared and os.readlink(new / "inside") == "saves"
    assert (new / "whole").resolve() == new / "saves"


def test_a_root_that_a_person_calls_old_is_no_folder_that_was_left_behind(pier: Pier) -> None:
    plant(pier.folder / "kept-states", {"quay.state": b"LST1" + b"\x05" * 90})
    for label in ("old", "left", "start-1"):
        plant(pier.folder / label, {f"{label}.state": b"LST1" + label.encode() * 40})
        pier.bench.surveys.add_root(pier.install, label, str(pier.folder / label))
    outcome = pier.update(route="in-place")
    assert outcome.proof.verdict is Verdict.INTACT and pier.root == str(pier.old)
    assert not pier.bench.updates.old_folder(pier.install)
    with pytest.raises(LeftIntactError) as stop:
        pier.bench.surveys.add_root(pier.install, "old folder", str(pier.folder / "kept-states"))
    assert stop.value.code == "bad-label"


def test_the_old_folder_goes_into_the_strongbox_first(pier: Pier) -> None:
    pier.update()
    plant(pier.old, {"lib/libcore.so": b"patched by hand"}, mtime=LATER)
    on_trial = pier.state()
    install = pier.bench.shelf.find("Mocklet")
    assert pier.bench.updates.old_folder(install) == str(pier.old)
    outcome = pier.bench.updates.free_old(install)
    assert outcome.proof.verdict is Verdict.INTACT and not pier.old.exists()
    pier.bench.updates.back.go(install)
    assert pier.state() == on_trial
    pier.bench.updates.free_old(install)
    done = pier.bench.updates.settle(install)
    assert done.freed > 0 and not pier.old.exists() and pier.root == str(pier.new)
    held = pier.bench.keeping.look(install)
    places = {place for h in held.held if h.yours for place in h.places}
    assert {At("let go", p).shown for p in ("saves/mill.sav", "games/mill.cart", "lib/libcore.so")} <= places
    assert not pier.bench.updates.old_folder(install)


def test_settling_may_free_the_old_folder_first(pier: Pier) -> None:
    pier.update()
    install = pier.bench.shelf.find("Mocklet")
    settled = pier.bench.updates.settle(install, free_old=True)
    assert settled.update.state is State.SETTLED and not pier.old.exists() and pier.root == str(pier.new)
    assert {u.state for u in pier.bench.records.history(install)} == {State.SETTLED}
    with pytest.raises(LeftIntactError) as stop:
        pier.bench.updates.settle(install, free_old=True)
    assert stop.value.code == "nothing-to-free"


def test_what_is_not_gone_whole_settles_nothing(pier: Pier, monkeypatch: pytest.MonkeyPatch) -> None:
    pier.update()
    updates, install = pier.bench.updates, pier.bench.shelf.find("Mocklet")
    real = type(updates).free_old

    def and_comes_back(self: Any, *args: Any, **named: Any) -> Any:
        outcome = real(self, *args, **named)
        return replace(outcome, proven=replace(outcome.proof, verdict=Verdict.ATTENTION))

    monkeypatch.setattr(type(updates), "free_old", and_comes_back)
    with pytest.raises(LeftIntactError) as stop:
        updates.settle(install, free_old=True)
    assert stop.value.code == "not-freed" and {u.state for u in pier.bench.records.history(install)} == {
        State.ON_TRIAL
    }


@pytest.mark.parametrize("path", ["saves/mill.sav", "lib/libcore.so"])
def test_what_was_used_in_the_old_folder_since_is_not_let_go_of_unsaid(pier: Pier, path: str) -> None:
    import os
    import time

    pier.update()
    install = pier.bench.shelf.find("Mocklet")
    (pier.old / path).write_bytes(b"played in the old one")
    os.utime(pier.old / path, (time.time() + 900, time.time() + 900))
    with pytest.raises(LeftIntactError) as stop:
        pier.bench.updates.free_old(install)
    assert path in str(stop.value) and pier.old.exists()
    pier.bench.updates.free_old(install, all_the_same=True)
    assert not pier.old.exists()


@LINKS
def test_content_that_is_used_from_the_old_folder_keeps_it(dear: Pier) -> None:
    dear.update({"content": "leave"})
    with pytest.raises(LeftIntactError) as stop:
        dear.bench.updates.free_old(dear.bench.shelf.find("Mocklet"))
    assert "is used from the old folder" in str(stop.value) and dear.old.exists()
