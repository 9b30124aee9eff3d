"""Laws of the routes: back is byte for byte in all folders, also after a kill at a step and days of play."""

from __future__ import annotations

import signal
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from left_intact.core.model.classes import FileClass
from left_intact.core.model.plan import Verb
from left_intact.core.model.proof import Verdict
from left_intact.core.model.update import State
from left_intact.demo.unattended import snapshot
from left_intact.workbench import Workbench
from tests.builders import FORKS, LATER, Tree, examples, in_memory, plant, zipped
from tests.chains import Count, KillAt, in_child
from tests.core.test_laws import _clean, trees
from tests.routes.beside import Pier, coming
from tests.routes.donors import scattered, trainer
from tests.routes.handhelds import MINE, STARTED, Console, program
from tests.routes.house import HOUSE, House, core
from tests.routes.house import MINE as PARTS_MINE
from tests.routes.test_graft import Loom

SHIPPED = trainer(114) | trainer(121)
Evening = tuple[Any, Callable[[], dict[str, Any]], Callable[..., Any]]
"""(what has bench and install, all its folders whole, the update)."""


def beside(folder: Path) -> Evening:
    pier = Pier(folder)
    pier.started()

    def update(**more: Any) -> Any:
        return pier.bench.updates.update(pier.plan(), pier.install, **more)

    return pier, pier.state, update


def part(folder: Path) -> Evening:
    house = House(folder)
    house.comes("otter-machine-1.3.2.so", core("otter", "1.3.2"))
    house.comes("plover-machine-1.0.so", core("plover", "1.0"))
    return house, lambda: {"it": house.state()}, lambda **more: house.update(house.downloads, **more)


def graft(folder: Path) -> Evening:
    loom = Loom(folder)
    whole = loom.folder

    def state() -> dict[str, Any]:
        return {"it": snapshot(str(loom.root)), "donor": snapshot(str(whole / "from the attic"))}

    return loom, state, lambda **more: loom.bench.updates.update(loom.plan(), loom.install, **more)


ROUTES = {"side by side": beside, "single part": part, "graft": graft}


@pytest.mark.sampled(1)
@pytest.mark.parametrize("route", ROUTES)
@FORKS
def test_killed_at_a_step_it_ends_either_way_and_back_is_byte_for_byte(route: str) -> None:
    number = _reports_of(route)
    for forward in (True, False):
        for at in range(1 if forward else 2, number + 1, max(2, number // examples(50))):
            with in_memory() as folder:
                _killed_at(route, Path(folder), at, forward)


def _reports_of(route: str) -> int:
    count = Count()
    with in_memory() as folder:
        _, _, update = ROUTES[route](Path(folder))
        update(report=count)
    return count.number


def _killed_at(route: str, folder: Path, at: int, forward: bool) -> None:
    evening, state, update = ROUTES[route](folder)
    before = state()
    assert in_child(lambda: update(report=KillAt(at))) == signal.SIGKILL
    bench = Workbench(str(folder / "home"))
    install = bench.shelf.find(evening.install.name)
    cut = bench.records.open_run(install)
    if cut is not None:
        ended = bench.updates.recover(install, forward)
        assert ended.state is (State.ON_TRIAL if forward else State.ABANDONED), (at, forward)
    if cut is not None and forward:
        proof = bench.updates.prove(install).proof
        assert proof.verdict is Verdict.INTACT, (at, [c for c in proof.checks if c.state == "failed"])
        bench.updates.back.go(install)
    elif any(u.state is State.ON_TRIAL for u in bench.records.history(install)):
        bench.updates.back.go(install)  # it was over, and the kill came after
    assert state() == before, (at, forward)
    install = bench.shelf.find(evening.install.name)
    assert install.root == evening.install.root
    assert update().proof.verdict is Verdict.INTACT


@pytest.mark.sampled(1)
@FORKS
@pytest.mark.parametrize("route", ROUTES)
def test_a_going_back_that_is_killed_ends_either_way(route: str) -> None:
    for at in (1, 3, 8, 15, 22, 31):
        for forward in (True, False):
            with in_memory() as folder:
                evening, state, update = ROUTES[route](Path(folder))
                before = state()
                update()
                on_trial = state()
                bench = Workbench(str(Path(folder) / "home"))
                if not in_child(lambda b=bench, i=evening.install, n=at: b.updates.back.go(i, KillAt(n))):
                    assert state() == before
                    continue
                install = bench.shelf.find(evening.install.name)
                was_open = bench.records.open_run(install) is not None
                if was_open:
                    bench.updates.recover(install, forward)
                    install = bench.shelf.find(evening.install.name)
                if bench.records.on_trial(install):
                    assert state() == on_trial and (forward or not was_open)
                    assert bench.updates.prove(install).proof.verdict is Verdict.INTACT
                    bench.updates.back.go(install)
                assert state() == before, (at, forward)
                assert bench.shelf.find(evening.install.name).root == evening.install.root


@given(theirs=trees, stubs=trees, arriving=trees, baseline=st.booleans(), started=st.booleans())
@settings(max_examples=examples(40))
def test_beside_nothing_of_yours_is_missing_and_back_is_byte_for_byte(
    theirs: Tree, stubs: Tree, arriving: Tree, baseline: bool, started: bool
) -> None:
    with in_memory() as folder:
        pier = Pier(Path(folder), _clean(theirs))
        pier.archive = zipped(_clean(coming() | arriving), pier.archive, "mocklet-1.1")
        if started:
            pier.started(_clean({p: c for p, c in stubs.items() if not _meets(p, coming())}))
        before = pier.state()
        draft = pier.draft(baseline=baseline)
        plan = draft.plan({q.id: q.default for q in draft.plan().questions})
        if plan.blockers:
            return
        outcome = pier.bench.updates.update(plan, pier.install)
        assert outcome.proof.verdict is not Verdict.BROKEN
        after = pier.state()
        assert after["mocklet-1.0"] == before["mocklet-1.0"]
        _all_there(plan, after["mocklet-1.1"])
        pier.bench.updates.back.go(pier.install)
        assert pier.state() == before


@given(theirs=trees, stubs=trees)
@settings(max_examples=examples(25))
def test_cleared_and_restored_nothing_of_yours_is_missing_and_back_is_byte_for_byte(
    theirs: Tree, stubs: Tree
) -> None:
    """Whatever somebody has, and whatever a first start writes: in the end it lies there, or is in the
    strongbox and told; and the way back is whole.
    """
    with in_memory() as folder:
        console = Console(Path(folder))
        ours = program("5.4") | program("5.1")
        mine = _clean({p: c for p, c in theirs.items() if not _meets(p, ours | MINE)})
        plant(console.root, mine, mtime=LATER + 60)
        console.bench.surveys.survey(console.install)
        before = console.state()
        plan = console.plan()
        saved = {m.at.path: m for m in plan.change_sets[0].moves}
        console.begin()
        console.swap()
        console.start(STARTED | _clean({p: c for p, c in stubs.items() if not _meets(p, ours | STARTED)}))
        outcome = console.go_on()
        while outcome.waits:
            waits = outcome.update.waits
            assert waits is not None and waits.options, waits
            outcome = console.go_on(answers={waits.step: waits.options[0]})
        if outcome.proof.verdict is Verdict.BROKEN:
            assert set(outcome.proof.lost) <= {p for p in saved if _is_barred(p, stubs)}, outcome.proof.lost
        digests = {said[4] for said in console.state().values() if said[0] == "file"}
        box = console.bench.records.strongbox(console.install)
        for move in saved.values():
            if move.before is not None and move.before.kind == "file":
                assert move.before.digest in digests or box.has(move.before.digest), move.at.shown
        box.close()
        console.go_back()
        assert console.state() == before


def _is_barred(path: str, stubs: Tree) -> bool:
    """Whether a first start made a folder where a file was, or a file where a folder was."""
    return any(p.startswith(path + "/") or path.startswith(p + "/") for p in stubs)


def _meets(path: str, tree: Tree) -> bool:
    return any(p == path or p.startswith(path + "/") or path.startswith(p + "/") for p in tree)


def _all_there(plan: Any, new: dict[str, Any]) -> None:
    """Whatever is the person's lies in the new folder, as it was or merged, or the plan says why not."""
    spoken = {m.at.path: m for m in plan.moves if not m.at.root}
    digests = {said[4] for said in new.values() if said[0] == "file"}
    asked = {path for question in plan.questions for path in question.paths}
    for page, verdicts in zip(plan.survey.findings.pages, plan.survey.findings.verdicts, strict=True):
        for at, verdict in enumerate(verdicts):
            entry, kind = page.entry(at), plan.survey.findings.table[verdict].file_class
            if kind in (FileClass.CACHE, FileClass.PROGRAM) or entry.kind != "file":
                continue
            path = page.path(at)
            move = spoken.get(path)
            merged = move is not None and move.verb is Verb.MERGE
            assert entry.digest in digests or merged or path in asked, path


def test_played_for_days_in_the_new_folder_nothing_newer_is_lost(tmp_path: Path) -> None:
    pier = Pier(tmp_path)
    pier.update()
    pier.used()
    newer = {p.read_bytes() for p in pier.new.rglob("*.sav")}
    back = pier.bench.updates.back.go(pier.install)
    kept = {Path(where).read_bytes() for _, where in back.kept}
    there = {p.read_bytes() for p in pier.folder.joinpath("pier").rglob("*.sav")}
    assert newer <= kept | there


@given(mine=trees, theirs=trees, answer=st.sampled_from(["take", "leave"]))
@settings(max_examples=examples(30))
def test_of_a_donor_nothing_of_theirs_comes_along_and_back_is_byte_for_byte(
    mine: Tree, theirs: Tree, answer: str
) -> None:
    with in_memory() as folder:
        loom = Loom(Path(folder))
        scattered(loom.root, _clean({p: c for p, c in mine.items() if not _meets(p, SHIPPED)}))
        scattered(loom.donor, _clean({p: c for p, c in theirs.items() if not _meets(p, SHIPPED)}))
        before, donor = snapshot(str(loom.root)), snapshot(str(loom.donor))
        draft = loom.bench.updates.draft(loom.install, str(loom.donor), route="graft")
        known = draft.inputs.donor
        assert known is not None
        plan = draft.plan({q.id: q.default for q in draft.plan().questions})
        if any(q.id == "donor-unsorted" for q in plan.questions):
            plan = draft.plan({q.id: q.default for q in plan.questions} | {"donor-unsorted": answer})
        if plan.blockers:
            return
        assert loom.bench.updates.update(plan, loom.install).proof.verdict is not Verdict.BROKEN
        after = snapshot(str(loom.root))
        for finding in known.own:
            assert after.get(finding.at.shown) == before.get(finding.at.shown), finding.at.shown
        loom.bench.updates.back.go(loom.install)
        assert snapshot(str(loom.root)) == before and snapshot(str(loom.donor)) == donor


names = st.sampled_from(
    [
        "{}.so",
        "{}-1.9.so",
        "{}_1.9-linux-x86_64.so",
        "{} (2).so",
        "{}-nightly.so",
        "{}.so.1",
        "{}-v1.9-x64.so",
    ]
)
parts = st.dictionaries(
    st.sampled_from(["otter-machine", "plover-machine", "heron-machine", "liblamp"]), names
)


@given(came=parts, mine=trees)
@settings(max_examples=examples(30))
def test_of_parts_only_those_named_change_and_back_is_byte_for_byte(came: dict[str, str], mine: Tree) -> None:
    with in_memory() as folder:
        house = House(Path(folder))
        house.edit(_clean({p: c for p, c in mine.items() if not _meets(p, HOUSE | PARTS_MINE)}))
        for part, name in came.items():
            house.comes(name.format(part), core(part.partition("_")[0].removeprefix("lib"), "9.0"))
        before = house.state()
        draft = house.bench.updates.draft(house.install, str(house.downloads), route="single-part")
        plan = draft.plan({q.id: q.default for q in draft.plan().questions})
        if plan.blockers:
            assert not set(came) - {"heron-machine"}
            return
        assert house.bench.updates.update(plan, house.install).proof.verdict is Verdict.INTACT
        after = house.state()
        assert {p for p, said in after.items() if said[0] == "file" and before.get(p) != said} <= {
            "cores/otter-machine.so",
            "cores/plover-machine.so",
            "lib/liblamp.so",
        }
        assert set(after) == set(before)
        house.bench.updates.back.go(house.install)
        assert house.state() == before


@pytest.mark.parametrize("route", ROUTES)
def test_after_days_of_play_going_back_keeps_what_is_newer(route: str, tmp_path: Path) -> None:
    evening, _, update = ROUTES[route](tmp_path)
    update()
    install = evening.bench.shelf.find(evening.install.name)
    played = Path(install.root) / "saves"
    for name in ("harbour.sav", "fresh.sav"):
        (played / name).write_bytes(b"played for days: " + name.encode())
    newer = {p.read_bytes() for p in played.iterdir()}
    back = evening.bench.updates.back.go(install)
    assert back.proof is not None
    kept = {Path(where).read_bytes() for _, where in back.kept}
    lying = {p.read_bytes() for p in tmp_path.rglob("*.sav") if ".left-intact" not in str(p)}
    assert newer <= kept | lying
    again = evening.bench.shelf.find(evening.install.name)
    assert again.root == evening.install.root
