"""The table of decisions and the plans drawn from it."""

from __future__ import annotations

import itertools
import os
import unicodedata
from dataclasses import replace
from pathlib import Path

import pytest

from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Entry, Finding, Kind
from left_intact.core.model.errors import LeftIntactError, Misuse
from left_intact.core.model.place import At
from left_intact.core.model.plan import Move, Verb
from left_intact.core.model.release import Reading
from left_intact.core.model.telling import Stroke
from left_intact.core.planning.blockers import machine_faults, version_faults
from left_intact.core.planning.circumstances import Circumstances
from left_intact.core.planning.table import (
    TABLE,
    Base,
    Coming,
    Mine,
    Treatment,
    look_up,
    situate,
    treatment_of,
)
from left_intact.demo.binaries import elf, pe
from left_intact.presentation.as_json import plan_json
from left_intact.presentation.crossing import lanes_of
from tests.builders import (
    LINKS,
    Mock,
    file_at,
    plant,
    program,
    release,
    verbs,
    zipped,
)

ALL = [
    (b, m, c, n)
    for b, m, c, n in itertools.product(Base, Mine, Coming, Treatment)
    if not (m is Mine.AS_SHIPPED and b is not Base.PRESENT)
    and not (m is Mine.ABSENT and c is Coming.SAME_AS_MINE)
    and not (c is Coming.SAME_AS_BASE and b is not Base.PRESENT)
    and not (c is Coming.SAME_AS_BASE and m is Mine.AS_SHIPPED)
    and not (m is Mine.FAULT and c is Coming.SAME_AS_MINE)
]


def test_every_combination_meets_a_row_and_every_row_is_met() -> None:
    met = {look_up(*place).number for place in ALL}
    assert met == {row.number for row in TABLE}


@pytest.mark.parametrize("place", ALL)
def test_nothing_of_theirs_is_ever_displaced_unasked(place: tuple[Base, Mine, Coming, Treatment]) -> None:
    base, mine, coming, treatment = place
    row = look_up(*place)
    if row.verb in (Verb.REPLACE, Verb.RETIRE):
        assert treatment in (Treatment.PROGRAM, Treatment.PROGRAM_SURE)
        assert mine is Mine.AS_SHIPPED or base is Base.UNKNOWN
    if row.verb is Verb.RETIRE and base is Base.UNKNOWN:
        assert treatment is Treatment.PROGRAM_SURE
    if row.verb is Verb.MERGE:
        assert treatment is Treatment.SETTINGS and coming is not Coming.ABSENT
    if row.verb is Verb.ADD:
        assert mine is Mine.ABSENT and coming is not Coming.ABSENT
    if mine is Mine.FAULT:
        assert row.verb is Verb.KEEP
    if coming is Coming.SAME_AS_MINE:
        assert row.verb is Verb.KEEP
    assert (row.verb is Verb.ASK) == (row.ask is not None)


def test_the_plan_of_an_ordinary_update(mock: Mock) -> None:
    mock.edit({"mocklet.ini": "[video]\nsmooth = off\nscale = 2\n\n[sound]\nrate = 22050\n"})
    (mock.root / "docs/licence.txt").unlink()
    arriving = release("1.1", **{"lib__libnew.so": elf("mocklet 1.1 new", b"n")})
    del arriving["lib/libpad.so"]
    arriving["mocklet.ini"] = "[video]\nsmooth = on\nscale = 3\n\n[sound]\nrate = 22050\n"
    mock.arrive(arriving)
    plan = mock.plan()
    said = verbs(plan)
    assert said["mocklet"] == said["VERSION"] == said["lib/libcore.so"] == "replace"
    assert said["lib/libpad.so"] == "retire" and said["lib/libnew.so"] == "add"
    assert said["mocklet.ini"] == "merge" and said["docs/licence.txt"] == "drop"
    assert all(said[p] == "keep" for p in ("saves/harbour.sav", "states/harbour.state", "games/harbour.cart"))
    assert not plan.questions and not plan.blockers and plan.space.needed > 0
    assert b"smooth = off\nscale = 3" in plan.merges[At("", "mocklet.ini")].content
    draft = mock.draft()
    assert draft.plan() == draft.plan()


def test_questions_one_a_conflict_and_few(mock: Mock) -> None:
    mock.edit({f"docs/d{n}.txt": "mine" for n in range(30)} | {"docs/guide.html": "<!doctype html>mine"})
    (mock.root / "docs/licence.txt").unlink()
    mock.arrive(
        release(
            "1.1", **{f"docs__d{n}.txt": "theirs" for n in range(30)}, **{"docs__licence.txt": "be kinder\n"}
        )
    )
    plan = mock.plan()
    assert len(plan.questions) == 3
    assert {q.default for q in plan.questions} == {"yours", "leave"}
    asked = [m for m in plan_json(plan)["moves"] if "question" in m]
    assert len(asked) == 32 and {m["verb"] for m in asked} == {"ask"}
    assert {m.verb for m in plan.moves if m.question} == {Verb.KEEP, Verb.DROP}  # as the defaults say
    taken = mock.plan({q.id: q.options[1] for q in plan.questions})
    said = verbs(taken)
    assert (
        said["docs/guide.html"] == "replace"
        and said["docs/licence.txt"] == "add"
        and said["docs/d3.txt"] == "replace"
    )
    kept = verbs(mock.plan({q.id: q.default for q in plan.questions}))
    assert kept["docs/guide.html"] == "keep" and kept["docs/licence.txt"] == "drop"
    with pytest.raises(Misuse):
        mock.plan({"nobody-asked": "yours"})
    with pytest.raises(Misuse):
        mock.plan({plan.questions[0].id: "perhaps"})


def test_the_same_conflict_in_many_files_is_one_question(mock: Mock) -> None:
    tuned = {f"settings/g{n}.ini": "[video]\nrate = 1\n" for n in range(12)}
    for root in (mock.base, mock.root):
        from tests.builders import plant

        plant(root, dict(tuned))
    mock.edit({f"settings/g{n}.ini": f"[video]\nrate = {n + 5}\n" for n in range(12)})
    mock.arrive(release("1.1", **{f"settings__g{n}.ini": "[video]\nrate = 2\n" for n in range(12)}))
    plan = mock.plan()
    assert len(plan.questions) == 1 and len(plan.questions[0].paths) == 12


def _codes(mock: Mock, **more: bool) -> set[str]:
    return {fault.code for fault in mock.plan(**more).blockers}


def test_blockers(mock: Mock) -> None:
    mock.arrive(release("0.9"))
    assert _codes(mock) == {"older-version"}
    mock.arrive(release("2026-11-01"), "mocklet-2026-11-01")
    assert _codes(mock) == {"other-line"}
    other = {
        p.replace(".so", ".dll"): pe("x", b"y") if p.endswith(".so") else c for p, c in release("1.1").items()
    }
    mock.arrive(other)
    assert _codes(mock) == {"other-platform"}
    mock.arrive({f"quite/{n}.bin": b"x" + bytes([n]) for n in range(9)} | {"VERSION": "1.1"}, "another-1.1")
    assert "other-program" in _codes(mock)
    mock.arrive({f"quite/{n}.bin": b"x" + bytes([n]) for n in range(12)} | {"VERSION": "1.1"}, "mocklet-1.1")
    assert "stranger" in _codes(mock)
    mock.next = mock.folder / "heron.so"
    mock.next.write_bytes(elf("mocklet 1.1", b"z"))
    assert "not-a-release" in _codes(mock)
    mock.next = mock.folder / "libcore.so"  # that one is a part of it
    mock.next.write_bytes(elf("mocklet 1.1", b"z"))
    assert not _codes(mock)


def test_blockers_of_the_machine(mock: Mock) -> None:
    mock.arrive(release("1.1"))
    plan = mock.plan()
    facts = Circumstances(free=10, unwritable=("lib",), running=("mocklet (process 7)",), narrow_names=True)
    codes = [f.code for f in machine_faults("Mocklet", plan.moves, plan.space, facts)]
    assert codes == ["running", "no-rights"]
    poor = type(plan.space)(needed=plan.space.needed, free=10)
    assert "no-room" in [f.code for f in machine_faults("Mocklet", plan.moves, poor, facts)]


def test_the_label_of_a_root_is_no_part_of_a_name(mock: Mock) -> None:
    """Where `:` may stand in no name, what lies in another root may still be written to."""
    mock.arrive(release("1.1"))
    plan = mock.plan()
    facts = Circumstances(free=plan.space.free, narrow_names=True)
    elsewhere = tuple(replace(m, before=None, at=At(root="states", path=m.at.path)) for m in plan.moves)
    assert elsewhere[0].at.shown.startswith("states:/")
    assert not machine_faults("Mocklet", elsewhere, plan.space, facts)
    new = next(m for m in plan.moves if m.verb is Verb.REPLACE)
    laid = (*elsewhere, replace(new, before=None, at=At(root="states", path="a:b")))
    assert [f.code for f in machine_faults("Mocklet", laid, plan.space, facts)] == ["names"]


@LINKS
def test_nothing_is_laid_behind_a_link_or_over_a_folder(mock: Mock, tmp_path: Path) -> None:
    away = tmp_path / "elsewhere"
    away.mkdir()
    (mock.root / "packs").symlink_to(away)
    mock.arrive(release("1.1", **{"packs__read.txt": "hi", "saves": "a file now"}))
    plan = mock.plan()
    assert verbs(plan)["packs/read.txt"] == "drop"
    assert {b.code for b in plan.blockers} == {"in-the-way"}


def test_a_wrong_baseline_is_left_out(mock: Mock) -> None:
    other = plant(mock.folder / "other-base", {f"x/{n}": str(n) for n in range(20)} | {"VERSION": "1.0"})
    mock.arrive(release("1.1"))
    surveys = mock.bench.surveys
    with pytest.raises(LeftIntactError) as error:  # one that is named is refused
        surveys.set_baseline(mock.install, str(other))
    assert error.value.code == "baseline-mismatch"
    # One on record may not be what lies here any more.
    surveys.library.set_baseline(mock.install, surveys.arrival(mock.install, str(other)).release)
    plan = mock.plan(baseline=False)
    assert plan.baseline is None and "baseline-mismatch" in {w.code for w in plan.warnings}


def test_a_baseline_of_another_version_gives_way_to_what_is_on_record(mock: Mock) -> None:
    """All that changed between the two would count as the person's, and stay old."""
    mock.arrive(release("1.1"))
    mock.base = plant(mock.folder / "later" / "mocklet-1.1", release("1.1"))
    with pytest.raises(LeftIntactError) as error:  # nothing is on record yet
        mock.plan()
    assert error.value.code == "baseline-mismatch" and "what lies here is 1.0" in error.value.says
    mock.base = mock.folder / "base" / "mocklet-1.0"
    mock.update()
    before = mock.state()
    plan = mock.plan()  # the very baseline that was right before
    assert plan.baseline is not None and plan.baseline.version_text == "1.1"
    assert "what is on record counts" in next(w.says for w in plan.warnings if w.code == "baseline-mismatch")
    outcome = mock.update()
    # Nothing was to be done, so no second run stands between the person and the release before.
    assert [u.id for u in mock.bench.records.history(mock.install)] == [outcome.update.id] == [1]
    assert outcome.proof.verdict == "intact" and mock.state() == before


@pytest.mark.parametrize("mine", ["NFC", "NFD"])
def test_one_name_in_two_forms_of_unicode_is_one_name(mock: Mock, mine: str) -> None:
    """As archives from another system have them: laid beside, a program would read either."""
    name = "lib/gr\u00f6\u00dfe.dat"
    other = "NFD" if mine == "NFC" else "NFC"
    for root in (mock.root, mock.base):
        plant(root, {unicodedata.normalize(mine, name): "shipped", "lib/\u00e9.dat": "the same form"})  # type: ignore[arg-type]
    arriving = release("1.1") | {"lib/\u00e9.dat": "new", "lib/\u00e8.dat": "another letter"}
    mock.arrive(arriving | {unicodedata.normalize(other, name): "new"})  # type: ignore[arg-type]
    blockers = mock.plan().blockers
    assert [b.code for b in blockers] == ["names"] and "two forms of Unicode" in blockers[0].says
    mock.arrive(arriving | {unicodedata.normalize(mine, name): "new"})  # type: ignore[arg-type]
    assert not mock.plan().blockers


@pytest.mark.skipif(os.name == "nt", reason="such names cannot be had on this system")
def test_controls_in_the_names_of_a_folder_that_arrives_block_the_plan(mock: Mock) -> None:
    """An archive with such a name is refused; a folder was made by somebody, and may hold names of theirs."""
    odd = {"lib/a\x1b[31m.so": "new", "lib/b\u00e9": "fine"}
    mock.next = plant(mock.folder / "mocklet-1.1", release("1.1") | odd)
    blockers = mock.plan().blockers
    assert [b.code for b in blockers] == ["names"] and "1 name with control characters" in blockers[0].says


def test_few_files_that_have_nothing_to_do_with_it_are_a_stranger(mock: Mock) -> None:
    mock.next = zipped({f"d{n}/x": f"{n}" for n in range(3)}, mock.folder / "puck-3.zip")
    assert "stranger" in [b.code for b in mock.plan(baseline=False).blockers]
    mock.next = zipped({"lib/libpad.so": b"\x7fELF new"}, mock.folder / "fix-1.zip")
    assert "stranger" not in [b.code for b in mock.plan(baseline=False).blockers]


def test_without_a_baseline_evidence_decides(mock: Mock) -> None:
    mock.edit({"mocklet.ini": "[video]\nsmooth = off\nscale = 2\n", "lib/own.dat": b"\x07" * 70})
    arriving = release("1.1")
    del arriving["lib/libpad.so"]
    mock.arrive(arriving)
    said = verbs(mock.plan(baseline=False))
    assert said["mocklet"] == said["lib/libcore.so"] == "replace" and said["lib/libpad.so"] == "retire"
    assert (
        said["mocklet.ini"] == "merge" and said["lib/own.dat"] == "keep" and said["saves/mill.sav"] == "keep"
    )


def test_times_that_tell_nothing_apart_retire_nothing(mock: Mock) -> None:
    import os

    for path in mock.root.rglob("*"):
        os.utime(path, (5_000_000, 5_000_000))
    arriving = release("1.1")
    del arriving["lib/libpad.so"]
    mock.arrive(arriving)
    said = verbs(mock.plan(baseline=False))
    assert all(said[p] == "keep" for p in ("saves/mill.sav", "games/harbour.cart", "notes on harbour.txt"))


def test_rulings_outweigh_the_baseline(mock: Mock) -> None:
    from left_intact.core.model.classes import FileClass

    mock.arrive(release("1.1"))
    mock.bench.surveys.rule(mock.install, "lib/", FileClass.EXTRAS)
    assert verbs(mock.plan())["lib/libcore.so"] == "keep"
    mock.bench.surveys.unrule(mock.install, "lib/")
    assert verbs(mock.plan())["lib/libcore.so"] == "replace"


def test_lanes_hold_every_move_once(mock: Mock) -> None:
    mock.edit({"docs/guide.html": "<!doctype html>mine"})
    mock.arrive(release("1.1"))
    plan = mock.plan()
    lanes = lanes_of(plan)
    assert sorted(m.at.shown for lane in lanes for m in lane.each()) == sorted(m.at.shown for m in plan.moves)
    assert sum(lane.now.files for lane in lanes) == sum(t.files for t in plan.survey.totals().values())
    assert {Stroke.INTACT, Stroke.REPLACED, Stroke.OPEN} <= {lane.stroke for lane in lanes}


def test_what_cannot_be_an_arrival(mock: Mock) -> None:
    mock.next = mock.root
    with pytest.raises(LeftIntactError) as error:
        mock.plan()
    assert error.value.code == "arrival-is-install"
    install = mock.bench.shelf.find(str(mock.root))
    mock.arrive(release("1.1"))
    with pytest.raises(Misuse):
        mock.bench.updates.draft(install, str(mock.next), route="content-pack")
    with pytest.raises(Misuse):
        mock.bench.updates.draft(install, str(mock.next), route="by balloon")
    with pytest.raises(Misuse):
        mock.bench.updates.draft(install, str(mock.next), route="in-place", into="x")


def test_a_script_program_keeps_its_right_to_run(mock: Mock) -> None:
    mock.arrive({**release("1.1"), "mocklet": program("1.1")})
    move = next(m for m in mock.plan().moves if m.at.shown == "mocklet")
    assert move.after is not None and move.after.mode is not None and move.after.mode & 0o111


def test_the_page_of_decisions_is_the_table() -> None:
    import runpy

    root = Path(__file__).parents[2]
    page = runpy.run_path(str(root / "tools/decision_table.py"))["page"]()
    assert (root / "docs/decisions.md").read_text().strip() == page.strip()


def test_room_is_counted_for_each_file_system() -> None:
    from left_intact.core.model.place import At
    from left_intact.core.planning.blockers import machine_faults
    from left_intact.core.planning.circumstances import BOX, Circumstances
    from left_intact.core.planning.space import room_for

    def move(root: str, before: int, after: int) -> Move:
        old = Entry(path="x", bytes=before, digest="a", mode=0o644) if before else None
        new = Entry(path="x", bytes=after, digest="b", mode=0o644) if after else None
        return Move(
            at=At(root, "x"),
            verb=Verb.REPLACE,
            file_class=FileClass.PROGRAM,
            because="",
            before=old,
            after=new,
        )

    moves = [move("", 100, 200), move("saves", 0, 1000)]
    over = 4 << 20
    together = room_for(moves, Circumstances(free=5 << 20))
    assert together.needed == 100 + 200 + 1000 + over and not together.rooms and together.short is None
    apart = Circumstances(rooms={BOX: (1, 9 << 20), "": (1, 9 << 20), "saves": (2, 500)})
    space = room_for(moves, apart)
    assert {r.place: r.needed for r in space.rooms} == {
        "the strongbox and the install": 300 + over,
        "saves": 1000 + over,
    }
    assert space.short is not None and space.short.place == "saves" and space.free == 500
    faults = machine_faults("Mocklet", moves, space, apart)
    assert [f.code for f in faults] == ["no-room"] and "at saves" in faults[0].says


SHIPPED, EDITED, NEXT = (Entry(path="x", digest=letter * 64) for letter in "abc")
FAULTY = Entry(path="x", kind=Kind.FAULT, fault="no rights")


@pytest.mark.parametrize(
    ("base", "mine", "coming", "known", "stands"),
    [
        (SHIPPED, SHIPPED, NEXT, True, (Base.PRESENT, Mine.AS_SHIPPED, Coming.OTHER)),
        (SHIPPED, EDITED, NEXT, True, (Base.PRESENT, Mine.OTHER, Coming.OTHER)),
        (SHIPPED, EDITED, SHIPPED, True, (Base.PRESENT, Mine.OTHER, Coming.SAME_AS_BASE)),
        (SHIPPED, EDITED, EDITED, True, (Base.PRESENT, Mine.OTHER, Coming.SAME_AS_MINE)),
        (SHIPPED, None, SHIPPED, True, (Base.PRESENT, Mine.ABSENT, Coming.SAME_AS_BASE)),
        (SHIPPED, None, NEXT, True, (Base.PRESENT, Mine.ABSENT, Coming.OTHER)),
        (SHIPPED, FAULTY, NEXT, True, (Base.PRESENT, Mine.FAULT, Coming.OTHER)),
        (FAULTY, FAULTY, FAULTY, True, (Base.PRESENT, Mine.FAULT, Coming.OTHER)),
        (None, EDITED, None, True, (Base.ABSENT, Mine.OTHER, Coming.ABSENT)),
        (None, EDITED, NEXT, False, (Base.UNKNOWN, Mine.OTHER, Coming.OTHER)),
        (None, None, NEXT, False, (Base.UNKNOWN, Mine.ABSENT, Coming.OTHER)),
    ],
)
def test_where_a_path_stands(base, mine, coming, known, stands) -> None:  # type: ignore[no-untyped-def]
    assert situate(base, mine, coming, known=known) == stands


@pytest.mark.parametrize(
    ("kind", "certainty", "mergeable", "likely", "treatment"),
    [
        (FileClass.PROGRAM, 0.99, False, False, Treatment.PROGRAM_SURE),
        (FileClass.PROGRAM, 0.97, False, False, Treatment.PROGRAM),
        (FileClass.PROGRAM, 0.96, False, False, Treatment.OPEN),
        (FileClass.PROGRAM, 0.96, False, True, Treatment.LIKELY),
        (FileClass.PROGRAM, 0.96, True, True, Treatment.SETTINGS),
        (FileClass.SETTINGS, 0.99, True, True, Treatment.SETTINGS),
        (FileClass.SETTINGS, 0.99, False, True, Treatment.OPEN),
        (FileClass.UNSORTED, 0.2, True, False, Treatment.SETTINGS),
        (FileClass.UNSORTED, 0.2, False, True, Treatment.LIKELY),
        (FileClass.UNSORTED, 1.0, False, True, Treatment.OPEN),
        (FileClass.EXTRAS, 0.9, True, True, Treatment.OPEN),
        *((kind, 0.99, True, True, Treatment.THEIRS) for kind in (FileClass.SAVES, FileClass.STATES)),
        *((kind, 0.99, True, True, Treatment.THEIRS) for kind in (FileClass.CONTENT, FileClass.CACHE)),
    ],
)
def test_what_an_entry_counts_as(  # type: ignore[no-untyped-def]
    kind, certainty, mergeable, likely, treatment
) -> None:
    def counts(finding: Finding | None) -> Treatment:
        return treatment_of(finding, mergeable=mergeable, replace=0.97, retire=0.99, likely=likely)

    finding = Finding(entry=SHIPPED, file_class=kind, certainty=certainty, leaning=FileClass.PROGRAM)
    assert counts(finding) is treatment
    if kind is FileClass.UNSORTED and not mergeable:
        assert counts(replace(finding, leaning=FileClass.EXTRAS)) is Treatment.OPEN
    assert counts(None) is Treatment.OPEN


def test_five_files_are_enough_to_tell_another_program(mock: Mock) -> None:
    odd = {f"quite/{n}.bin": b"x" + bytes([n]) for n in range(4)}
    mock.arrive(odd | {"mocklet": "another\n"}, "another-1.1")
    assert "other-program" in {b.code for b in mock.plan().blockers}


def test_what_the_pack_has_as_it_lies_here_is_no_move(mock: Mock) -> None:
    from left_intact.core.planning.inputs import PlanInputs
    from left_intact.core.planning.routes.content_pack import ContentPack

    survey = mock.bench.surveys.survey(mock.install)
    same, other = survey.findings.find(At("", "games/harbour.cart")), file_at("games/harbour.cart", "bb")
    assert same is not None
    mock.arrive(release("1.1"))
    arrival = mock.bench.surveys.arrival(mock.install, str(mock.next))

    def moves(entry: Entry) -> int:
        came = replace(arrival, release=replace(arrival.release, entries={entry.path: entry}))
        drawn = ContentPack().draw(PlanInputs(install="Mocklet", survey=survey, arrival=came))
        return len(drawn.stages[0].moves)  # type: ignore[union-attr]

    assert (moves(same.entry), moves(other)) == (0, 1)


def read_as(text: str) -> Reading:
    return Reading(text=text, source="VERSION", weight=50)


@pytest.mark.parametrize(
    ("mine", "coming", "says"),
    [
        (None, None, "no version could be read from either side"),
        (None, "1.1", "no version could be read from the install"),
        ("1.0", None, "no version could be read from the arrival"),
        ("1.0", "1.0", "1.0 is installed already"),
    ],
)
def test_which_version_is_unknown(mine: str | None, coming: str | None, says: str) -> None:
    blocked, warned = version_faults(read_as(mine) if mine else None, read_as(coming) if coming else None)
    assert not blocked and [fault.says for fault in warned] == [says]


def test_newer_older_and_other_lines() -> None:
    assert version_faults(read_as("1.0"), read_as("1.1")) == ([], [])
    assert [b.code for b in version_faults(read_as("1.1"), read_as("1.0"))[0]] == ["older-version"]
    assert [b.code for b in version_faults(read_as("1.1"), read_as("r121"))[0]] == ["other-line"]


def test_the_rows_of_the_table_are_numbered() -> None:
    assert [row.number for row in TABLE] == list(range(1, len(TABLE) + 1))


def test_the_room_of_a_plan_to_the_byte() -> None:
    from left_intact.core.model.classes import FileClass
    from left_intact.core.model.entry import Entry, Kind
    from left_intact.core.model.place import At
    from left_intact.core.model.plan import Move
    from left_intact.core.planning.circumstances import BOX, Circumstances
    from left_intact.core.planning.space import room_for

    old = Entry(path="a", kind=Kind.FILE, bytes=100, digest="1")
    new = Entry(path="a", kind=Kind.FILE, bytes=300, digest="2")
    more = {"file_class": FileClass.PROGRAM, "because": ""}
    moves = [Move(at=At("", "a"), verb=Verb.REPLACE, before=old, after=new, **more)]  # type: ignore[arg-type]
    moves += [Move(at=At("", "b"), verb=Verb.KEEP, before=old, after=old, **more)]  # type: ignore[arg-type]
    one = room_for(moves, Circumstances(free=10, rooms={"": (1, 10), BOX: (1, 10)}))
    assert (one.needed, one.rooms) == (400 + (4 << 20), ())
    two = room_for(moves, Circumstances(free=10, rooms={"": (1, 10), BOX: (2, 20)}))
    assert [(r.place, r.needed, r.free) for r in two.rooms] == [
        ("the strongbox", 100 + (4 << 20), 20),
        ("the install", 300 + (4 << 20), 10),
    ]
    moves += [replace(moves[0], at=At("saves", "a"))]
    three = room_for(moves, Circumstances(free=10, rooms={"": (1, 10), BOX: (2, 20)}))
    assert [(r.place, r.needed) for r in three.rooms][1] == ("the install and saves", 600 + (4 << 20))
    assert room_for(moves[1:2], Circumstances(free=10)).needed == 0


def test_a_route_that_is_not_for_what_came_does_not_fit(mock: Mock) -> None:
    mock.arrive(release("1.1"))
    fits = {choice.name.value: choice.fits for choice in mock.plan().routes}
    assert fits["in-place"] and not fits["ladder"] and not fits["graft"]
    assert fits["clear-and-restore"] and mock.plan().route.value == "in-place"
    assert len(fits) == 6
