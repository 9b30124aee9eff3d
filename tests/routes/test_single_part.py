"""Single part: found by name, the old one out of reach, the wrong machine and the older one refused."""

from __future__ import annotations

from pathlib import Path

import pytest

from left_intact.core.model.errors import Refusal
from left_intact.core.model.place import At
from left_intact.core.model.plan import Route, Verb
from left_intact.core.model.proof import Verdict
from left_intact.core.planning.counterparts import key_of_old, part_key
from tests.builders import zipped
from tests.routes.house import ARM, MINE, OPTIONS, House, core, core_for_windows


@pytest.fixture
def house(tmp_path: Path) -> House:
    return House(tmp_path)


@pytest.mark.parametrize(
    "name",
    [
        "otter-machine.so",
        "otter-machine-1.3.2.so",
        "otter-machine-v1.3.2-linux-x86_64.so",
        "otter-machine_linux_x64_1.3.2.so",
        "Otter_Machine-nightly-2026-11-20.so",
        "otter-machine (2).so",
        "otter-machine-1.3.2 (1).so",
        "otter-machine.so.1.3",
        "otter-machine-win64.dll",
    ],
)
def test_a_part_is_known_by_its_name_whatever_it_carries_on_top(name: str) -> None:
    assert part_key(name) == "otter-machine"


@pytest.mark.parametrize(
    "name",
    ["otter-machine_old.so", "otter-machine.so.bak", "otter-machine-1.2.backup.so", "old_otter-machine.so"],
)
def test_an_old_one_is_known_by_what_people_call_it(name: str) -> None:
    assert key_of_old(name) == "otter-machine"
    assert key_of_old("otter-machine.so") == ""


def test_one_file_goes_where_the_program_expects_it(house: House) -> None:
    before = house.state()
    comes = house.comes("otter-machine-1.3.2-linux-x86_64.so", core("otter", "1.3.2"))
    plan = house.plan(comes)
    assert plan.route is Route.SINGLE_PART and not plan.questions and not plan.blockers
    assert [(m.at.shown, m.verb) for m in plan.changes] == [("cores/otter-machine.so", Verb.REPLACE)]
    assert [(p.before, p.after) for p in plan.parts] == [("1.3.1", "1.3.2")]
    outcome = house.update(comes)
    assert outcome.proof.verdict is Verdict.INTACT
    assert (house.root / "cores/otter-machine.so").read_bytes() == core("otter", "1.3.2")
    house.bench.updates.back.go(house.install)
    assert house.state() == before


def test_the_fallback_is_nowhere_in_the_install(house: House) -> None:
    names = set(house.root.rglob("*"))
    house.update(house.comes("otter-machine-1.3.2.so", core("otter", "1.3.2")))
    assert set(house.root.rglob("*")) == names
    old = core("otter", "1.3.1")
    assert not any(p.is_file() and p.read_bytes() == old for p in house.root.rglob("*"))
    assert house.bench.records.strongbox(house.install).objects()


def test_an_older_one_that_the_program_may_load_is_said(house: House) -> None:
    house.edit({"cores/otter-machine_old.so": core("otter", "1.2")})
    plan = house.plan(house.comes("otter-machine-1.3.2.so", core("otter", "1.3.2")))
    said = next(w for w in plan.warnings if w.code == "fallback-loadable")
    assert "cores/otter-machine_old.so" in said.says


@pytest.mark.parametrize("windows", [True, False])
def test_a_part_for_another_machine_is_refused(house: House, windows: bool) -> None:
    before = house.state()
    comes = (
        house.comes("otter-machine-1.3.2-win64.dll", core_for_windows("otter", "1.3.2"))
        if windows
        else house.comes("otter-machine-1.3.2-arm64.so", core("otter", "1.3.2", ARM))
    )
    plan = house.plan(comes)
    (fault,) = plan.blockers
    assert fault.code == "other-platform" and fault.passable
    with pytest.raises(Refusal):
        house.update(comes)
    assert house.state() == before


def test_an_older_part_is_refused_and_the_very_same_changes_nothing(house: House) -> None:
    older = house.plan(house.comes("otter-machine-1.3.0.so", core("otter", "1.3.0")))
    assert [b.code for b in older.blockers] == ["older-version"]
    same = house.plan(house.comes("otter-machine.so", core("otter", "1.3.1")))
    assert not same.changes and [w.code for w in same.warnings if w.code == "same-version"]


def test_what_goes_by_no_name_here_is_refused(house: House) -> None:
    comes = house.comes("heron-machine-1.0.so", core("heron", "1.0"))
    plan = house.plan(comes, route="single-part")
    assert [b.code for b in plan.blockers] == ["no-such-part"] and not plan.changes


def test_of_two_with_a_number_in_their_name_the_right_one_is_meant(house: House) -> None:
    plan = house.plan(house.comes("reed-9-machine-3.1-linux.so", core("reed-9", "3.1")))
    assert [m.at.shown for m in plan.changes] == ["cores/reed-9-machine.so"] and not plan.questions


def test_where_it_may_be_one_of_several_it_is_asked(house: House) -> None:
    house.edit({"more/otter-machine.so": core("otter", "1.3.1")})
    comes = house.comes("otter-machine-1.3.2.so", core("otter", "1.3.2"))
    (question,) = house.plan(comes).questions
    assert question.options == ("cores/otter-machine.so", "more/otter-machine.so")
    plan = house.plan(comes, {question.id: "more/otter-machine.so"})
    assert [m.at.shown for m in plan.changes] == ["more/otter-machine.so"]


def test_several_from_a_folder_of_downloads_go_in_one(house: House) -> None:
    before = house.state()
    house.comes("otter-machine-1.3.2.so", core("otter", "1.3.2"))
    house.comes("otter-machine-1.3.3.so", core("otter", "1.3.3"))
    house.comes("plover-machine_1.0.so", core("plover", "1.0"))
    house.comes("heron-machine-1.0.so", core("heron", "1.0"))
    plan = house.plan(house.downloads)
    assert plan.route is Route.SINGLE_PART
    assert {m.at.shown for m in plan.changes} == {"cores/otter-machine.so", "cores/plover-machine.so"}
    assert any("heron" in w.says for w in plan.warnings)
    assert house.update(house.downloads).proof.verdict is Verdict.INTACT
    assert (house.root / "cores/otter-machine.so").read_bytes() == core("otter", "1.3.3")
    house.bench.updates.back.go(house.install)
    assert house.state() == before


def test_options_that_a_part_brings_are_listed_and_yours_stay(house: House) -> None:
    tree = {
        "otter-machine-1.3.2.so": core("otter", "1.3.2"),
        "otter-machine.cfg": OPTIONS + "# new\necho = wide\n",
    }
    plan = house.plan(zipped(tree, house.downloads / "otter-machine-1.3.2.zip"))
    lines = plan.merges[At("", "options/otter-machine.cfg")].lines
    assert [line.key for line in lines if line.decided == "new"] == ["echo"]
    house.update(house.downloads / "otter-machine-1.3.2.zip")
    text = (house.root / "options/otter-machine.cfg").read_text()
    assert "loudness = 55" in text and "echo = wide" in text


def test_what_was_swapped_is_on_record_so_that_the_next_whole_release_takes_it(house: House) -> None:
    from tests.builders import copy_of

    base = copy_of(house.root, house.folder / "lamphouse-2.4")
    for path in MINE:
        (base / path).unlink()
    house.bench.surveys.set_baseline(house.install, str(base))
    house.update(house.comes("otter-machine-1.3.2.so", core("otter", "1.3.2")))
    record = house.bench.records.on_record(house.install)
    assert record is not None
    assert record.entries["cores/otter-machine.so"].bytes == len(core("otter", "1.3.2"))
    finding = house.bench.surveys.survey(house.install).findings.find(At("", "cores/otter-machine.so"))
    assert finding is not None and finding.file_class == "program" and finding.certainty > 0.99
