"""Ladder: the order of updates, what is missing, what never was, and where one fails."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from left_intact.core.model.errors import LeftIntactError, Refusal
from left_intact.core.model.ladder import Package, RungState
from left_intact.core.model.place import At
from left_intact.core.model.plan import Route, Verb
from left_intact.core.model.progress import Progress
from left_intact.core.model.proof import Verdict
from left_intact.core.model.update import State
from left_intact.core.planning.climbing import climb
from left_intact.workbench import Workbench
from tests.builders import FORKS, LATER, examples, in_memory, plant, zipped
from tests.chains import Count, KillAt, in_child
from tests.routes.ladders import STEPS, TITLE, Rally, engine, step


@pytest.fixture
def rally(tmp_path: Path) -> Rally:
    return Rally(tmp_path)


def packages(*steps: tuple[str | None, str]) -> list[Package]:
    return [Package(source=f"/x/{to}.zip", of="Rally", after=a, to=to, bytes=10) for a, to in steps]


def states(rungs: Iterable[object]) -> dict[str, RungState]:
    return {rung.version: rung.state for rung in rungs}  # type: ignore[attr-defined]


# ---------------------------------------------------------------- the order


def test_the_rungs_are_in_order_and_a_number_that_never_was_is_told_from_a_missing_one() -> None:
    up = climb(packages(("1.08", "1.09"), ("1.04", "1.05"), ("1.06", "1.08"), ("1.05", "1.06")), "1.04")
    assert [one.to for one in up.steps] == ["1.05", "1.06", "1.08", "1.09"]
    assert states(up.rungs)["1.07"] is RungState.NEVER
    assert not up.trouble


def test_a_missing_rung_is_named_and_nothing_beyond_it_can_be_reached() -> None:
    up = climb(packages(("1.04", "1.05"), ("1.06", "1.08")), "1.04")
    assert not up.steps
    assert "1.06 is missing" in up.trouble
    assert states(up.rungs) == {
        "1.04": RungState.HERE,
        "1.05": RungState.UNNEEDED,
        "1.06": RungState.MISSING,
        "1.08": RungState.BEYOND,
    }
    assert up.reachable == ("1.05",)
    assert [one.to for one in climb(packages(("1.04", "1.05"), ("1.06", "1.08")), "1.04", "1.05").steps] == [
        "1.05"
    ]


def test_one_that_comes_after_any_older_one_is_taken_alone() -> None:
    up = climb(packages(("1.04", "1.05"), ("1.05", "1.06"), ("", "1.06")), "1.04")
    assert [(one.after, one.to) for one in up.steps] == [("", "1.06")]
    assert states(up.rungs)["1.05"] is RungState.UNNEEDED
    assert climb(packages(("", "1.02"), ("1.04", "1.05")), "1.04").reachable == ("1.05",)


def test_versions_are_ordered_as_versions_not_as_words() -> None:
    up = climb(packages(("5.9.11", "5.10"), ("5.9.8", "5.9.11")), "5.9.8")
    assert [one.to for one in up.steps] == ["5.9.11", "5.10"]


@pytest.mark.parametrize(
    ("here", "wanted", "says"),
    [
        ("1.09", "", "lies here already"),
        ("1.09", "1.05", "older than 1.09"),
        ("1.04", "3.0", "no update here"),
    ],
)
def test_what_is_no_way_up_says_why(here: str, wanted: str, says: str) -> None:
    up = climb(packages(("1.08", "1.09"), ("1.04", "1.05")), here, wanted)
    assert not up.steps
    assert says in up.trouble


@given(st.permutations(list(range(8))), st.sets(st.integers(1, 6), max_size=3), st.integers(1, 7))
@settings(max_examples=examples(150))
def test_a_way_is_a_chain_from_here_to_there_or_there_is_none(
    order: list[int], gone: set[int], wanted: int
) -> None:
    """Whatever order they lie in and whichever lack: each comes after the one before, or nothing is laid."""
    steps = [(f"1.{n}", f"1.{n + 1}") for n in order if n + 1 not in gone]
    up = climb(packages(*steps), "1.0", f"1.{wanted}")
    lacks = {n for n in gone if n <= wanted}
    assert bool(up.steps) is not bool(lacks)
    assert bool(up.trouble) is bool(lacks)
    at = "1.0"
    for one in up.steps:
        assert one.after == at
        at = one.to
    assert not up.steps or at == f"1.{wanted}"
    if lacks and wanted not in gone:
        told = min(n for n in lacks if n + 1 not in gone)
        assert f"1.{told} is missing" in up.trouble


# ---------------------------------------------------------------- the plan


def test_a_folder_of_updates_is_a_ladder_by_itself(rally: Rally) -> None:
    plan = rally.plan()
    assert plan.route is Route.LADDER
    assert not plan.blockers
    assert [stage.reaches for stage in plan.change_sets] == ["1.05", "1.06", "1.08", "1.09"]
    assert plan.climb is not None
    assert plan.climb.bytes == sum((rally.came / name).stat().st_size for name in STEPS)
    assert (plan.from_version, plan.to_version) == ("1.04", "1.09")


def test_it_climbs_as_far_as_is_answered(rally: Rally) -> None:
    outcome = rally.update({"how-far": "1.06"})
    assert outcome.proof.verdict is Verdict.INTACT
    assert rally.read("VERSION") == "1.06\n"
    assert rally.plan().climb.here == "1.06"  # type: ignore[union-attr]


def test_a_missing_rung_blocks_and_says_how_far_one_can_go(tmp_path: Path) -> None:
    rally = Rally(tmp_path, {k: v for k, v in STEPS.items() if "1.06" not in k})
    plan = rally.plan()
    assert [fault.code for fault in plan.blockers] == ["rung-missing"]
    assert "1.06 is missing" in plan.blockers[0].says
    assert "how-far" in plan.blockers[0].way_out
    with pytest.raises(Refusal):
        rally.bench.updates.update(plan, rally.install)
    assert rally.read("VERSION") == "1.04\n"
    assert rally.update({"how-far": "1.05"}).proof.verdict is Verdict.INTACT


def test_a_damaged_package_is_known_before_anything_is_laid(tmp_path: Path) -> None:
    rally = Rally(tmp_path)
    path = rally.came / "rally-1.08.zip"
    path.write_bytes(path.read_bytes()[: path.stat().st_size // 2])
    plan = rally.plan()
    assert [fault.code for fault in plan.blockers] == ["no-way-up"]
    assert "1.08 cannot be read" in plan.blockers[0].says
    assert states(plan.climb.rungs)["1.08"] is RungState.DAMAGED  # type: ignore[union-attr]


def test_packages_of_other_titles_stay_out_and_are_said(tmp_path: Path) -> None:
    rally = Rally(tmp_path, STEPS | {"lantern-2.zip": step("2.0", "1.0", {"x": b"x"}, of="Lantern")})
    plan = rally.plan()
    assert any(fault.code == "others-beside" for fault in plan.warnings)
    assert rally.update().proof.verdict is Verdict.INTACT
    assert not (rally.root / "x").exists()


def test_names_alone_make_no_ladder_unless_it_is_asked_for(tmp_path: Path) -> None:
    bare = {name: {p: c for p, c in tree.items() if p != "update.toml"} for name, tree in STEPS.items()}
    rally = Rally(tmp_path, bare)
    assert rally.plan().route is not Route.LADDER
    plan = rally.plan(route="ladder")
    assert [stage.reaches for stage in plan.change_sets] == ["1.05", "1.06", "1.08", "1.09"]
    assert any(fault.code == "by-name" for fault in plan.warnings)


def test_a_manifest_that_says_nonsense_is_a_damaged_package(tmp_path: Path) -> None:
    steps = STEPS | {"rally-1.10.zip": {"update.toml": "format = 1\nto = 3\n", "x": b"x"}}
    plan = Rally(tmp_path, steps).plan()
    assert "update.toml is refused" in plan.blockers[0].says


def test_what_the_person_patched_is_asked_about_once_for_all_rungs(tmp_path: Path) -> None:
    rally = Rally(tmp_path)
    plant(rally.folder / "kept", TITLE)
    rally.bench.surveys.set_baseline(rally.install, str(rally.folder / "kept"))
    plant(rally.root, {"lib/engine.so": b"patched by hand " * 30}, mtime=LATER)
    questions = [q for q in rally.draft().plan().questions if q.answer is None]
    assert len(questions) == 1
    assert tuple(at.shown for at in questions[0].paths) == ("lib/engine.so",)
    rally.update({questions[0].id: next(o for o in questions[0].options if o != "arriving")})
    assert rally.read("lib/engine.so").startswith("patched by hand")


def test_what_an_update_takes_away_stays_where_it_is_the_persons(tmp_path: Path) -> None:
    removes = step("1.05", "1.04", engine("1.05"), more='removes = ["liveries/blue heron.png"]\n')
    rally = Rally(tmp_path, {"rally-1.05.zip": removes})
    plan = rally.plan()
    assert any(fault.code == "stays" for fault in plan.warnings)
    rally.update()
    assert (rally.root / "liveries/blue heron.png").exists()


def test_what_two_rungs_take_away_goes_once_and_what_one_laid_goes_too(tmp_path: Path) -> None:
    gone = 'removes = ["data/old-menu.pak", "data/tracks.pak"]\n'
    steps = {
        "rally-1.05.zip": step("1.05", "1.04", engine("1.05") | {"data/brief.pak": b"5" * 90}, more=gone),
        "rally-1.06.zip": step("1.06", "1.05", engine("1.06"), more=gone.replace("tracks", "brief")),
    }
    rally = Rally(tmp_path, steps)
    before, plan = rally.state(), rally.plan()
    away = [[m.at.shown for m in c.moves if m.verb is Verb.RETIRE] for c in plan.change_sets]
    assert away == [["data/old-menu.pak", "data/tracks.pak"], ["data/brief.pak"]]
    assert rally.update().proof.verdict is Verdict.INTACT
    rally.bench.updates.back.go(rally.install)
    assert rally.state() == before


def test_settings_that_two_rungs_change_are_merged_twice_and_yours_stand(rally: Rally) -> None:
    plan = rally.plan()
    lines = {
        line.key: line.decided for line in plan.merges[At("", "rally.ini")].lines if line.decided != "same"
    }
    assert lines == {
        "video.scale": "yours",
        "video.smooth": "yours",
        "video.lines": "new",
        "video.haze": "new",
    }
    rally.update()
    assert rally.read("rally.ini") == "[video]\nscale = 4\nsmooth = off\nlines = 3\nhaze = 1\n"


def test_an_update_over_a_titles_own_folder_leaves_the_rest_alone(tmp_path: Path) -> None:
    rally = Rally(tmp_path, {})
    plant(rally.root, {"titles/moth hour/VERSION": "1.0\n", "titles/moth hour/hour.pak": b"PAK1 one " * 30})
    into = 'into = "titles/moth hour"\n'
    for number in (1, 2):
        inside = {"VERSION": f"1.{number}\n", "hour.pak": b"PAK1 " + str(number).encode() * 90}
        tree = step(f"1.{number}", f"1.{number - 1}", inside, of="Moth Hour", more=into)
        zipped(tree, rally.came / f"moth-{number}.zip")
    before = rally.state()
    plan = rally.plan()
    assert plan.climb is not None
    assert (plan.climb.of, plan.climb.here, plan.climb.wanted) == ("Moth Hour", "1.0", "1.2")
    assert plan.to_version == "1.04"
    assert {move.at.shown for move in plan.changes} == {
        "titles/moth hour/VERSION",
        "titles/moth hour/hour.pak",
    }
    assert rally.update().proof.verdict is Verdict.INTACT
    assert rally.read("titles/moth hour/VERSION") == "1.2\n"
    rally.bench.updates.back.go(rally.install)
    assert rally.state() == before


def test_updates_of_two_titles_are_laid_one_title_at_a_time(rally: Rally) -> None:
    plant(rally.root, {"titles/moth/VERSION": "1.0\n", "titles/moth/hour.pak": b"PAK1 one " * 30})
    tree = step("1.1", "1.0", {"VERSION": "1.1\n"}, of="Moth", more='into = "titles/moth"\n')
    zipped(tree, rally.came / "moth-1.1.zip")
    plan = rally.plan()
    question = next(q for q in plan.questions if q.id == "title")
    assert set(question.options) == {"Rally", "Moth"}
    assert question.answer is not None
    assert rally.plan({"title": "Moth"}).climb.wanted == "1.1"  # type: ignore[union-attr]


# ---------------------------------------------------------------- carried out


def test_the_shelf_offers_no_climbed_ladder_again_and_goes_back_whole(rally: Rally) -> None:
    before = rally.state()
    arrival = rally.bench.surveys.arrival(rally.install, str(rally.came))
    rally.bench.shelf.set_waiting(rally.install, arrival)
    rally.update()
    assert not rally.bench.shelf.rows()[0].arrivals
    assert rally.bench.surveys.survey(rally.install).version_text == "1.09"
    rally.bench.updates.back.go(rally.install)
    assert rally.state() == before
    assert [one.path for one in rally.bench.shelf.rows()[0].arrivals] == [str(rally.came)]


def _third_fails(rally: Rally) -> LeftIntactError:
    """The package of the third rung is another by the time its turn comes."""
    plan, path = rally.plan(), rally.came / "rally-1.08.zip"

    def spoilt(progress: Progress) -> None:
        if progress.stage == "laying" and rally.read("VERSION") == "1.06\n":
            path.write_bytes(path.read_bytes()[:400])

    with pytest.raises(LeftIntactError) as caught:
        rally.bench.updates.update(plan, rally.install, report=spoilt)
    return caught.value


def test_a_failing_third_rung_leaves_the_second_in_force_and_the_proof_knows(
    rally: Rally, monkeypatch: pytest.MonkeyPatch
) -> None:
    before = rally.state()
    error = _third_fails(rally)
    assert error.code == "stopped-half-way"
    assert rally.read("VERSION") == "1.06\n"
    assert rally.read("rally.ini") == "[video]\nscale = 4\nsmooth = off\nlines = 3\n"
    run = rally.bench.records.history(rally.install)[0]
    assert (run.state, run.to_version) == (State.ON_TRIAL, "1.06")
    assert rally.bench.updates.prove(rally.install).proof.verdict is Verdict.INTACT
    assert rally.bench.surveys.survey(rally.install).version_text == "1.06"
    rally.bench.updates.back.go(rally.install)
    assert rally.state() == before
    assert [one.version for one in rally.bench.shelf.rows()[0].arrivals] == ["1.09"]


@pytest.mark.parametrize("top", ["1.05", "1.06", "1.08", "1.09"])
def test_back_from_any_rung_is_byte_for_byte(rally: Rally, top: str) -> None:
    before = rally.state()
    assert rally.update({"how-far": top}).proof.verdict is Verdict.INTACT
    rally.bench.updates.back.go(rally.install)
    assert rally.state() == before


def test_what_failed_half_way_is_climbed_on_from_where_it_stands(
    rally: Rally, monkeypatch: pytest.MonkeyPatch
) -> None:
    before = rally.state()
    _third_fails(rally)
    zipped(STEPS["rally-1.08.zip"], rally.came / "rally-1.08.zip")
    assert [step.reaches for step in rally.plan().change_sets] == ["1.08", "1.09"]
    assert rally.update().proof.verdict is Verdict.INTACT
    rally.bench.updates.back.go(rally.install)
    rally.bench.updates.back.go(rally.install)
    assert rally.state() == before


def test_newer_saves_outlive_going_back(rally: Rally) -> None:
    rally.update()
    rally.play()
    went = rally.bench.updates.back.go(rally.install, answers={})
    assert rally.read("VERSION") == "1.04\n"
    assert (rally.root / "saves/cup.sav").read_bytes() == b"\x11" * 700
    assert (rally.root / "saves/quay.sav").exists()
    assert went.missing == ()


def _plain(state: dict[str, Any]) -> dict[str, Any]:
    """All but the times of folders, which are those of the moment where something was laid in them."""
    return {path: said[:1] if path.endswith("/") else said for path, said in state.items()}


@FORKS
def test_killed_in_any_rung_it_is_ended_forward_or_back_byte_for_byte() -> None:
    """At a spread of moments, in rungs and between them: forward it stands at the top, back as it was."""
    with in_memory() as folder:
        rally, count = Rally(Path(folder)), Count()
        before = rally.state()
        rally.bench.updates.update(rally.plan(), rally.install, report=count)
        after = rally.state()
        rally.bench.updates.back.go(rally.install)
        assert rally.state() == before
        wanted = max(6, examples(24))
        moments = sorted({1 + n * count.number // wanted for n in range(wanted)})
        for number, moment in enumerate(moments):
            plan = rally.plan()
            in_child(
                lambda plan=plan, moment=moment: Workbench(str(rally.folder / "home")).updates.update(  # type: ignore[misc]
                    plan, rally.install, report=KillAt(moment)
                )
            )
            bench = Workbench(str(rally.folder / "home"))
            forward = number % 2 == 0
            run = bench.records.open_run(rally.install)
            if run is not None:
                bench.updates.recover(rally.install, forward)
            laid = rally.read("VERSION")
            assert _plain(rally.state()) == _plain(before if laid == "1.04\n" else after), moment
            assert run is None or forward is (laid == "1.09\n"), moment
            if laid != "1.04\n":
                assert bench.updates.prove(rally.install).proof.verdict is Verdict.INTACT
                bench.updates.back.go(rally.install)
            assert rally.state() == before, moment


def test_an_install_with_no_known_version_is_told_so(tmp_path: Path) -> None:
    rally = Rally(tmp_path)
    (rally.root / "VERSION").unlink()
    plant(rally.root, {"rally": "#!/bin/sh\necho hello\n", "lib/engine.so": b"engine"})
    plan = rally.plan()
    if plan.route is Route.LADDER:
        assert plan.blockers
    assert not any(
        move.verb is Verb.REPLACE and move.at.shown == "data/tracks.pak" for move in plan.changes
    ) or (plan.blockers)
