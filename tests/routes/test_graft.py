"""Graft: the program out of somebody's tree, and nothing of theirs with it."""

from __future__ import annotations

from pathlib import Path

import pytest

from left_intact.core.model.errors import Refusal
from left_intact.core.model.plan import Route, Verb
from left_intact.core.model.proof import Verdict
from left_intact.demo.unattended import snapshot
from left_intact.workbench import Workbench
from tests.builders import Tree, plant
from tests.routes.donors import MINE, SOMEBODYS, donor, scattered, trainer


class Loom:
    """An install in a numbered prefix, and a donor."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.root = folder / "prefixes" / "2207" / "inside" / "loomer"
        plant(self.root, trainer(114))
        scattered(self.root, MINE)
        self.donor = donor(folder)
        self.bench = Workbench(str(folder / "home"))
        self.install = self.bench.shelf.register(str(self.root), name="Loomer", role="modding tool")

    def plan(self, route: str | None = None, **answers: str):  # type: ignore[no-untyped-def]
        draft = self.bench.updates.draft(self.install, str(self.donor), route=route)
        return draft.plan({**{q.id: q.default for q in draft.plan().questions}, **answers})


@pytest.fixture
def loom(tmp_path: Path) -> Loom:
    return Loom(tmp_path)


def test_a_tree_of_somebodys_is_known_and_the_graft_is_recommended(loom: Loom) -> None:
    plan = loom.plan()
    assert plan.route is Route.GRAFT and not plan.blockers
    said = next(w for w in plan.warnings if w.code == "donor")
    assert "2 saves" in said.says and "settings" in said.says


def test_only_the_programs_files_are_laid(loom: Loom) -> None:
    before = snapshot(str(loom.root))
    plan = loom.plan()
    laid = {m.at.shown for m in plan.changes}
    assert not laid & set(SOMEBODYS) and "loomer" in laid
    outcome = loom.bench.updates.update(plan, loom.install)
    assert outcome.proof.verdict is Verdict.INTACT
    assert {p: (loom.root / p).read_bytes() for p in MINE} == {
        p: t.encode() if isinstance(t, str) else t for p, t in MINE.items()
    }
    assert (loom.root / "VERSION").read_text() == "r121\n"
    everything = b"".join(p.read_bytes() for p in loom.root.rglob("*") if p.is_file())
    assert b"Ottoline" not in everything and b"8f3a91c2" not in everything
    loom.bench.updates.back.go(loom.install)
    assert snapshot(str(loom.root)) == before


def test_the_donors_own_is_listed(loom: Loom) -> None:
    drops = {m.at.shown: m.file_class for m in loom.plan().moves if m.verb is Verb.DROP}
    assert {"saves/tower.sav", "states/quay.state"} <= set(drops)
    assert "saves/quay.sav" not in drops  # there is one of yours, which stays


def test_what_both_have_stays_as_it_is_here_and_says_so(loom: Loom) -> None:
    said = {m.at.shown: (m.verb, m.because) for m in loom.plan().moves}
    for path in ("saves/quay.sav", "config/loomer.cfg", "config/account.ini"):
        assert said[path][0] is Verb.KEEP and "the donor's own of this name stays out" in said[path][1]
    assert "stays out" not in said["saves/harbour.sav"][1]


@pytest.mark.parametrize("baseline", [True, False])
def test_the_program_is_not_robbed_of_what_the_donor_made_their_own(loom: Loom, baseline: bool) -> None:
    """A shipped file that the donor changed does not come; that says nothing about the new version."""
    shipped: Tree = {
        "config/defaults.cfg": "[a]\nb = 1\n",
        "skins/dark.css": "a {}\n",
        "skins/day.css": "b {}\n",
    }
    base = plant(loom.folder / "base" / "loomer-r114", {**trainer(114), **shipped})
    plant(loom.root, shipped)
    theirs: Tree = {path: f"{text} /* of Ottoline */" for path, text in shipped.items()}
    scattered(loom.donor, {**theirs, "lang/fr.xml": "<lang of='Ottoline'/>\n"})
    before = snapshot(str(loom.root))
    draft = loom.bench.updates.draft(loom.install, str(loom.donor), baseline=str(base) if baseline else None)
    plan = draft.plan({q.id: "leave" for q in draft.plan().questions if q.id == "donor-unsorted"})
    here = {*shipped, "lang/fr.xml"}
    assert not here & {m.at.shown for m in plan.changes} and here <= {m.at.shown for m in plan.moves}
    outcome = loom.bench.updates.update(plan, loom.install)
    assert outcome.proof.verdict is Verdict.INTACT
    after = snapshot(str(loom.root))
    assert {path: after[path] for path in here} == {path: before[path] for path in here}
    record = loom.bench.records.on_record(loom.install)
    assert record is not None and not here & set(record.entries)
    loom.bench.updates.back.go(loom.install)
    assert snapshot(str(loom.root)) == before


def test_laid_in_place_a_tree_of_somebodys_is_refused(loom: Loom) -> None:
    plan = loom.plan("in-place")
    assert "donor" in [b.code for b in plan.blockers]
    with pytest.raises(Refusal):
        loom.bench.updates.update(plan, loom.install)


def test_what_nobody_can_tell_is_one_question(loom: Loom) -> None:
    odd: Tree = {"weft.dat": b"\x7a" * 333, "odd/one.bin": b"\x7b" * 44}
    scattered(loom.donor, odd)
    draft = loom.bench.updates.draft(loom.install, str(loom.donor))
    asked = [q for q in draft.plan().questions if q.id == "donor-unsorted"]
    assert len(asked) <= 1 and len(draft.plan().questions) <= 2
    if asked:
        taken = loom.plan(**{"donor-unsorted": "take"})
        assert {at.shown for at in asked[0].paths} <= {m.at.shown for m in taken.changes}
        left = loom.plan(**{"donor-unsorted": "leave"})
        assert not {at.shown for at in asked[0].paths} & {m.at.shown for m in left.changes}


def test_a_plain_release_in_a_folder_is_no_donor(loom: Loom, tmp_path: Path) -> None:
    plain = plant(tmp_path / "plain" / "loomer-r121", trainer(121))
    plan = loom.bench.updates.draft(loom.install, str(plain)).plan()
    assert plan.route is Route.IN_PLACE
    choice = next(r for r in plan.routes if r.name is Route.GRAFT)
    assert not choice.fits and "nobody" not in choice.because


def test_what_is_on_record_afterwards_is_the_program_alone(loom: Loom) -> None:
    loom.bench.updates.update(loom.plan(), loom.install)
    record = loom.bench.records.on_record(loom.install)
    assert record is not None and not set(SOMEBODYS) & set(record.entries)


def test_of_many_numbered_folders_the_right_one_comes_first(loom: Loom) -> None:
    prefixes = loom.folder / "prefixes"
    for number in range(2100, 2140):
        plant(
            prefixes / str(number) / "inside" / "something", {"readme.txt": f"{number}\n", "lib/a.so": b"1"}
        )
    stale = prefixes / "2150" / "inside" / "loomer"
    plant(stale, trainer(90))  # the same program, which nobody used since it was laid
    hidden = prefixes / ".2160" / "inside" / "loomer"
    plant(hidden, {p: t for p, t in trainer(80).items() if not p.startswith("lib/")})
    like = loom.bench.surveys.programs_paths(str(loom.donor))
    assert "loomer" in like and not set(like) & set(SOMEBODYS)
    found = loom.bench.shelf.find_installs(str(prefixes), like=like)
    assert [c.path for c in found] == [str(loom.root), str(stale), str(hidden)]
    assert found[0].share == 1.0 and "11 of 11 files of what came lie here" in found[0].why
    assert found[0].used > found[1].used
