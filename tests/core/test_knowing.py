"""Keepsheets that are learnt, runs that are watched, baselines that are inferred, roots and installs that
are found.
"""

from __future__ import annotations

import json
import os
import threading
from pathlib import Path

import pytest

from left_intact.core.keepsheet.format import json_schema
from left_intact.core.keepsheet.learn import Learnt, merged, with_learnt
from left_intact.core.keepsheet.sheet import parse_sheet
from left_intact.core.model.classes import FileClass
from left_intact.core.model.errors import LeftIntactError
from left_intact.core.model.place import At
from left_intact.core.model.plan import Verb
from left_intact.core.model.progress import CancelToken
from left_intact.core.survey.watch import compare, look
from tests.builders import LATER, SCRIPTS, STAMPS, Mock, plant, program, release, zipped
from tests.lived_in import bundle, emulator, front_end, launcher, modding_tool

C = FileClass
WHOLE = """
format = 1
program = "Mocklet"

[classes]  # mine
"saves/" = "saves"

[[version]]
file = "VERSION"
pattern = '(\\S+)'

[[renamed]]
file = "a.ini"
from = "x.y"
to = "x.z"
since = "2.0"

[[moved]]
from = "sav"
to = "saves"
since = "1.4"

[[keyed]]
folder = "vault"
holds = "saves"
key = "ids of titles"

[[wish]]
file = "a.ini"
key = "video.smooth"
value = "off"
reason = "it blurs"

[[tie]]
to = "Gullwing"
versions = ">=1.2"
made = "gull.map"

[first-start]
files = ["mocklet.cfg"]
folders = ["logs"]
"""


def test_every_part_of_a_keepsheet_is_read() -> None:
    sheet = parse_sheet(WHOLE, "here")
    assert sheet.moved == (("sav", "saves", "1.4"),) and sheet.keyed == (("vault", "saves", "ids of titles"),)
    assert sheet.wishes == (("a.ini", "video.smooth", "off", "it blurs"),)
    assert sheet.ties == (("Gullwing", ">=1.2", "gull.map", ""),) and sheet.first_start == (
        "mocklet.cfg",
        "logs/",
    )
    over = parse_sheet('format = 1\n[classes]\n"saves/" = "extras"\n', "b").over(sheet)
    assert over.program == "Mocklet" and dict(over.classes)["saves/"] is C.EXTRAS


@pytest.mark.parametrize(
    ("bad", "line"),
    [
        ('format = 1\n[[version]]\nfile = "/etc/x"\npattern = "x"\n', "line 3"),
        ('format = 1\n[[version]]\nfile = "x"\npattern = "("\n', "line 4"),
        ('format = 1\n[[moved]]\nfrom = "a"\nto = "b"\n[[moved]]\nfrom = "c"\nto = "../d"\n', "line 7"),
        ('format = 1\n[first-start]\nfolder = ["x"]\n', "line 3"),
        ('format = 1\n\n[[keyed]]\nfolder = "x"\nholds = "pets"\n', "line 5"),
        ("program = 'x'\n", "format"),
    ],
)
def test_a_bad_sheet_is_refused_with_line_and_reason(bad: str, line: str) -> None:
    with pytest.raises(LeftIntactError) as error:
        parse_sheet(bad, "here")
    assert error.value.code == "bad-sheet" and line in error.value.line() and "\n" not in error.value.line()


def test_the_schema_that_is_published_is_the_one_that_is_used() -> None:
    published = Path(__file__).parents[2] / "docs" / "keepsheet.schema.json"
    assert json.loads(published.read_text()) == json_schema()


def test_learning_keeps_what_a_person_wrote() -> None:
    text = with_learnt(
        WHOLE,
        Learnt(
            program="Other", classes={"mods/": C.EXTRAS}, first_start=["b", "a"], version_places=[("V", "x")]
        ),
    )
    assert "# mine" in text and 'program = "Mocklet"' in text
    sheet = parse_sheet(text, "here")
    assert dict(sheet.classes) == {"saves/": C.SAVES, "mods/": C.EXTRAS} and len(sheet.version_places) == 2
    assert sheet.first_start[:3] == ("a", "b", "mocklet.cfg")
    assert parse_sheet(with_learnt("", Learnt(program="New")), "x").program == "New"


def test_merging_says_where_two_sheets_differ() -> None:
    other = (
        'format = 1\n[classes]\n"saves/" = "extras"\n"x/" = "cache"\n[[moved]]\nfrom = "sav"\nto = '
        '"elsewhere"\n'
    )
    text, differ = merged(WHOLE, other)
    sheet = parse_sheet(text, "here")
    assert dict(sheet.classes) == {"saves/": C.SAVES, "x/": C.CACHE} and len(sheet.moved) == 1
    assert len(differ) == 2 and "saves/ is saves here and extras there" in differ
    assert merged("", WHOLE)[1] == [] and merged(WHOLE, WHOLE) == (WHOLE, [])


def test_sheets_of_an_install(mock: Mock, tmp_path: Path) -> None:
    bench, install = mock.bench, mock.install
    bench.surveys.rule(install, "notes on harbour.txt", C.CONTENT)
    path = bench.surveys.export_sheet(install)
    assert path.startswith(str(tmp_path)) and dict(parse_sheet(Path(path).read_text(), path).classes) == {
        "notes on harbour.txt": C.CONTENT
    }
    mine = tmp_path / "mine.toml"
    mine.write_text('format = 1\n[classes]\n"games/" = "extras"\n')
    assert bench.surveys.import_sheet(install, str(mine), merge=True) == []
    found = bench.surveys.survey(install).findings.find(At("", "games/harbour.cart"))
    assert found is not None and found.file_class is C.EXTRAS
    mine.write_text("format = 9\n")
    with pytest.raises(LeftIntactError):
        bench.surveys.import_sheet(install, str(mine))
    assert "games/" in bench.surveys.sheet_text(install)  # what was there stayed
    bench.surveys.take_sheet(install, "")
    assert "games/" not in bench.surveys.sheet_text(install)


def test_an_edited_sheet_and_rulings_stay_one_truth(mock: Mock) -> None:
    bench, install = mock.bench, mock.install
    bench.surveys.rule(install, "games/", C.EXTRAS)
    bench.surveys.rule(install, "notes on harbour.txt", C.CONTENT)
    text = bench.surveys.sheet_text(install)
    bench.surveys.take_edited(install, text)  # nothing was changed
    assert len(bench.surveys.rulings(install)) == 2 and "games/" not in bench.surveys.library.sheet(install)
    bench.surveys.unrule(install, "games/")  # and so a ruling can still be taken back
    found = bench.surveys.survey(install).findings.find(At("", "games/harbour.cart"))
    assert found is not None and found.file_class is C.CONTENT
    lines = [line for line in bench.surveys.sheet_text(install).splitlines() if "harbour.txt" not in line]
    bench.surveys.take_edited(install, "\n".join([*lines, '"more/" = "saves"']))
    assert not bench.surveys.rulings(install) and dict(bench.surveys.sheet_of(install).classes) == {
        "more/": C.SAVES
    }
    with pytest.raises(LeftIntactError):
        bench.surveys.take_edited(install, "format = 9")
    assert dict(bench.surveys.sheet_of(install).classes) == {"more/": C.SAVES}
    bench.surveys.take_edited(install, "")
    assert bench.surveys.library.sheet(install) == ""


@STAMPS
def test_a_plan_does_not_cost_the_survey_what_it_left(mock: Mock) -> None:
    mock.arrive(release("1.1"))
    mock.bench.surveys.survey(mock.install)
    (plain,) = mock.bench.surveys.library.before(mock.install).contexts
    drawn = mock.bench.updates.draft(mock.install, str(mock.next))
    contexts = mock.bench.surveys.library.before(mock.install).contexts
    assert contexts[0] == plain and len(contexts) == 2, "the sorting for the plan is kept beside"
    again = mock.bench.updates.draft(mock.install, str(mock.next))
    assert tuple(again.inputs.survey.findings) == tuple(drawn.inputs.survey.findings)
    mock.edit({"saves/new.sav": b"1" * 512})
    mock.bench.updates.draft(mock.install, str(mock.next))
    assert At("", "saves") in mock.bench.surveys.library.before(mock.install).pages
    assert mock.bench.surveys.survey(mock.install).findings.find(At("", "saves/new.sav")) is not None


def test_an_update_that_is_refused_teaches_nothing(mock: Mock) -> None:
    mock.edit({"saves/a.sav": b"1" * 512})
    mock.arrive(release("1.1"))
    plan = mock.plan()
    (mock.root / "VERSION").write_text("meanwhile\n")
    with pytest.raises(LeftIntactError):
        mock.bench.updates.update(plan, mock.install)
    assert mock.bench.surveys.library.sheet(mock.install) == ""


def test_an_update_teaches_which_folders_are_the_persons(mock: Mock) -> None:
    mock.edit({"saves/a.sav": b"1" * 512, "saves/b.sav": b"2" * 512, "states/b.state": b"3" * 900})
    mock.arrive(release("1.1"))
    mock.update()
    learnt = dict(mock.bench.surveys.sheet_of(mock.install).classes)
    assert learnt.get("saves/") is C.SAVES and "lib/" not in learnt
    mock.edit({"saves/an odd one": b"\x81\x82"})
    found = mock.bench.surveys.survey(mock.install).findings.find(At("", "saves/an odd one"))
    assert (
        found is not None and found.file_class is C.SAVES and any(e.source == "keepsheet" for e in found.why)
    )


# ---------------------------------------------------------------- watching a run

RUNS = """#!/bin/sh
mkdir -p fresh saves
echo "a = 1" > fresh/made.cfg
echo again >> saves/mill.sav
rm -f "notes on harbour.txt"
"""


@SCRIPTS
def test_a_run_is_watched_and_becomes_evidence(mock: Mock) -> None:
    mock.edit({"go.sh": RUNS})
    run = mock.bench.surveys.watch(mock.install, command=["./go.sh"])
    assert (
        run.made == (At("", "fresh/made.cfg"),)
        and run.changed == (At("", "saves/mill.sav"),)
        and run.gone == (At("", "notes on harbour.txt"),)
    )
    assert run.new_folders == (At("", "fresh"),) and run.status == 0
    survey = mock.bench.surveys.survey(mock.install)
    made, changed = (
        survey.findings.find(At("", "fresh/made.cfg")),
        survey.findings.find(At("", "saves/mill.sav")),
    )
    assert made is not None and made.file_class is C.SETTINGS
    assert any(e.source == "run" and "a stub" in e.says for e in made.why)
    assert changed is not None and changed.file_class is C.SAVES
    assert [f.at.shown for f in mock.bench.surveys.stubs(mock.install, survey)] == ["fresh/made.cfg"]
    mock.edit({"fresh/made.cfg": "a = 2\n"})
    assert mock.bench.surveys.stubs(mock.install, mock.bench.surveys.survey(mock.install)) == []
    assert "fresh/made.cfg" in mock.bench.surveys.sheet_text(mock.install)


def test_a_run_that_the_person_starts_is_waited_for(mock: Mock) -> None:
    begun, over = threading.Event(), threading.Event()
    found = []

    def wait() -> None:
        begun.set()
        assert over.wait(20)

    work = threading.Thread(target=lambda: found.append(mock.bench.surveys.watch(mock.install, wait=wait)))
    work.start()
    assert begun.wait(20)
    with open(mock.root / "open.dat", "wb") as held:  # the program holds it open while it is looked at
        held.write(b"x" * 10)
        held.flush()
        over.set()
        work.join(20)
    assert found[0].made == (At("", "open.dat"),)


def test_a_command_that_cannot_be_started_changes_nothing(mock: Mock) -> None:
    with pytest.raises(LeftIntactError) as error:
        mock.bench.surveys.watch(mock.install, command=["./no such thing"])
    assert error.value.code == "no-start" and not mock.bench.surveys.library.runs(mock.install)
    token = CancelToken()
    with pytest.raises(LeftIntactError) as error:
        mock.bench.surveys.watch(mock.install, wait=token.cancel, cancel=token)
    assert error.value.code == "stopped" and not mock.bench.surveys.library.runs(mock.install)


def test_looking_twice_at_what_did_not_change(mock: Mock) -> None:
    seen = look(str(mock.root))
    assert compare(seen, look(str(mock.root))) == ([], [], [], [])
    os.chmod(mock.root / "VERSION", 0o600)
    assert compare(seen, look(str(mock.root)))[1] == []  # a mode is not a change of content


# ---------------------------------------------------------------- inferring a baseline


def test_the_release_it_came_from_is_found_among_others(mock: Mock, tmp_path: Path) -> None:
    downloads = tmp_path / "downloads"
    downloads.mkdir()
    zipped(release("1.0"), downloads / "mocklet-1.0.zip", "mocklet-1.0")
    zipped(release("0.9"), downloads / "mocklet-0.9.zip", "mocklet-0.9")
    zipped({"other": "x"}, downloads / "another-1.0.zip")
    (downloads / "mocklet-broken.zip").write_bytes(b"PK\x03\x04 nothing")
    found = mock.bench.surveys.infer_baseline(mock.install, [str(downloads)])
    assert [os.path.basename(f.path) for f in found] == ["mocklet-1.0.zip", "mocklet-0.9.zip"]
    assert found[0].fits and not found[1].fits and found[0].release.version_text == "1.0"
    mock.bench.surveys.adopt_baseline(mock.install, found[0].release)
    assert mock.bench.surveys.survey(mock.install).baseline == "1.0"
    pointed = mock.bench.surveys.infer_baseline(mock.install, [str(downloads / "mocklet-0.9.zip")])
    assert len(pointed) == 1 and "lie here as shipped" in pointed[0].says


# ---------------------------------------------------------------- several roots


def test_folders_elsewhere_are_found_confirmed_and_proven(mock: Mock, tmp_path: Path) -> None:
    home = tmp_path / "person"
    plant(home / ".config/mocklet", {"pads.ini": "[a]\nb = 1\n"}, mtime=LATER)
    plant(home / ".mocklet", {"scores": "9\n"}, mtime=LATER)
    plant(home / "mocklet-photos", {"x.png": "1"})
    away = plant(
        tmp_path / "my memory" / "deep", {"mill.mem": b"\x01" * 512, "race.mem": b"\x02" * 512}, mtime=LATER
    )
    mock.edit({"mocklet.ini": f"[folders]\nmemory_card_folder = {away}\n"})
    found = mock.bench.surveys.find_roots(mock.install, home=str(home))
    assert {(f.label, f.place) for f in found} == {
        ("saves", str(away)),
        ("settings", str(home / ".config/mocklet")),
        ("own", str(home / ".mocklet")),
    }
    assert all(f.why and f.files for f in found)
    for one in found:
        mock.bench.surveys.add_root(mock.install, one.label, one.place)
    assert mock.bench.surveys.find_roots(mock.install, home=str(home)) == []
    survey = mock.bench.surveys.survey(mock.install)
    memory = survey.findings.find(At("saves", "mill.mem"))
    assert (
        memory is not None
        and memory.file_class is C.SAVES
        and survey.findings.find(At("settings", "pads.ini")) is not None
    )
    before = {p: p.read_bytes() for p in sorted(home.rglob("*")) if p.is_file()}
    mock.arrive(release("1.1"))
    plan = mock.plan()
    assert {m.verb for m in plan.moves if ":/" in m.at.shown} == {Verb.KEEP}
    outcome = mock.update()
    assert outcome.proof.verdict.value == "intact" and {p: p.read_bytes() for p in before} == before
    (away / "mill.mem").write_bytes(b"\x03" * 512)
    os.remove(away / "race.mem")
    proof = mock.bench.updates.prove(mock.install).proof
    assert proof.lost == (At("saves", "race.mem").shown,) and proof.verdict.value == "broken"
    mock.bench.surveys.drop_root(mock.install, "saves")
    assert (
        "saves" not in dict(mock.bench.surveys.library.roots(mock.install)) and (away / "mill.mem").exists()
    )


@pytest.mark.parametrize(
    ("label", "place", "code"),
    [
        ("own", "nowhere", "no-folder"),
        ("a b", "apart", "bad-label"),
        ("own", "mocklet/saves", "roots-overlap"),
        ("own", ".", "roots-overlap"),
    ],
)
def test_what_cannot_be_a_root(mock: Mock, tmp_path: Path, label: str, place: str, code: str) -> None:
    (tmp_path / "apart").mkdir()
    with pytest.raises(LeftIntactError) as error:
        mock.bench.surveys.add_root(mock.install, label, str(tmp_path / place))
    assert error.value.code == code and not mock.bench.surveys.library.roots(mock.install)
    with pytest.raises(LeftIntactError):
        mock.bench.surveys.drop_root(mock.install, "none")


def test_nothing_apart_is_ever_retired(mock: Mock, tmp_path: Path) -> None:
    """Not even what is surely code and gone from the release."""
    away = plant(tmp_path / "apart", {"libold.so": program("1"), "tool": program("2")})
    mock.bench.surveys.add_root(mock.install, "own", str(away))
    mock.bench.surveys.rule(mock.install, "own:/", C.PROGRAM)
    mock.arrive(release("1.1"))
    for baseline in (True, False):
        assert {m.verb for m in mock.plan(baseline=baseline).moves if m.at.root == "own"} == {Verb.KEEP}


# ---------------------------------------------------------------- finding installs


def test_installs_are_found_wherever_they_hide(tmp_path: Path, mock: Mock) -> None:
    disk = tmp_path / "disk"
    places = {
        ".drives/1044/inside/tools/Dorrin 2.1": (modding_tool("dorrin"), "modding tool"),
        ".hidden/kelvane-0.9": (emulator("kelvane"), "emulator"),
        "apps/lumbrel": (front_end("lumbrel"), "front end"),
        "apps/fossiter": (launcher("fossiter"), "launcher"),
        "Programs/pil": (bundle("Pillory"), "launcher"),
    }
    for place, (tree, _) in places.items():
        plant(disk / place, tree)
    plant(disk / ".drives/1044/inside/people/ada", {"Documents/a.txt": "x", "AppData/b.ini": "a = 1\n"})
    plant(disk / "photos/2024", {f"holiday {n}.jpg": b"\xff\xd8\xff\xe0" for n in range(9)})
    plant(disk / "work/site", {"index.html": "<p>", "build.sh": "#!/bin/sh\n", "src/a.py": "x = 1\n"})
    found = mock.bench.shelf.find_installs(str(disk))
    assert {Path(c.path).relative_to(disk).as_posix(): c.role for c in found} == {
        place: role for place, (_, role) in places.items()
    }
    assert all(c.why and c.score >= 4 and not c.known for c in found)
    by_name = {c.name: c for c in found}
    assert by_name["Kelvane"].version == "0.9" and by_name["Dorrin"].version == "2.1"
    install = mock.bench.shelf.take_up(by_name["Kelvane"])
    assert install.role == "emulator" and mock.bench.surveys.survey(install).totals()[C.SAVES].files
    assert [c.name for c in mock.bench.shelf.find_installs(str(disk)) if c.known] == ["Kelvane"]
    with pytest.raises(LeftIntactError):
        mock.bench.shelf.find_installs(str(tmp_path / "none"))


def test_a_home_with_scripts_of_its_own_is_looked_through(tmp_path: Path, mock: Mock) -> None:
    """What stands in a home or an install, or has nothing that starts it, is found; work of theirs is not."""
    home = tmp_path / "ada"
    plant(home, {"bin/backup.sh": "#!/bin/sh\n", ".bashrc": "ls\n", "notes.ini": "[a]\nb = 1\n"})
    plant(home / "Documents", {"letter.odt": "x"})
    plant(home / "Apps/lumbrel", front_end("lumbrel"))
    plant(home / "Apps/lumbrel/players/kelvane", emulator("kelvane"))
    pages = {f"pages/p{n}.html": "<p>x" for n in range(20)}
    plant(home / "opt/pier", {**pages, "LICENSE": "free\n", "saves/one.sav": "x", "user.cfg": "a = 1\n"})
    plant(home / "opt/kit", {f"usr/lib/kit/m{n}.py": "x = 1\n" for n in range(20)})
    start = {"run.sh": "#!/bin/sh\n", "README": "x", "config/a.ini": "[a]\nb = 1\n"}
    plant(home / "opt/kit", {"usr/bin/kit": "#!/bin/sh\n", "config/a.ini": "x", "saves/a.sav": "x"})
    plant(home / "work/site", {**start, "Makefile": "all:\n"})
    plant(home / "work/own", {**start, ".git/HEAD": "x", "saves/a.sav": "x"})
    found = mock.bench.shelf.find_installs(str(home))
    assert {Path(c.path).relative_to(home).as_posix() for c in found} == {
        "Apps/lumbrel",
        "Apps/lumbrel/players/kelvane",
        "opt/pier",
        "opt/kit",
    }


def test_an_archive_that_somebody_renamed_is_found_by_what_is_in_it(mock: Mock) -> None:
    zipped(release("1.0"), mock.folder / "the good old one.zip", "mocklet-1.0")
    zipped({f"photo{n}.jpg": "x" for n in range(9)}, mock.folder / "holiday.zip", "holiday")
    found = mock.bench.surveys.infer_baseline(mock.install, [str(mock.folder)])
    assert [os.path.basename(one.path) for one in found] == ["the good old one.zip"] and found[0].fits


def test_a_survey_in_doubt_says_what_it_could_learn_from(mock: Mock) -> None:
    plant(mock.root, {f"lib/part{n}.dat": b"\x91" * (900 + n) for n in range(9)})
    lying = {path.relative_to(mock.root).as_posix(): path.read_bytes() for path in mock.root.rglob("*.dat")}
    for path in mock.root.rglob("*"):
        os.utime(path, (LATER, LATER))
    zipped(release("1.0") | lying, mock.folder / "mocklet-1.0.zip", "mocklet-1.0")
    mock.arrive(release("1.1") | dict(list(lying.items())[:4]))
    surveys, install = mock.bench.surveys, mock.install
    surveys.usual_archive_places = lambda one: [str(mock.folder)]  # type: ignore[method-assign]
    survey = surveys.survey(install)
    left = survey.totals()[C.UNSORTED].files
    assert survey.is_in_doubt and left >= 9
    archive, arrival, run = surveys.lessons(install, survey, str(mock.next))
    assert archive.path == str(mock.folder / "mocklet-1.0.zip")
    assert 9 <= archive.settles <= archive.unsorted == left
    assert arrival.path == str(mock.next) and 4 <= arrival.settles < archive.settles and run.settles == 0
    assert len(surveys.lessons(install, survey, str(mock.folder / "gone.zip"))) == 2
    surveys.set_baseline(install, archive.path)
    again = surveys.survey(install)
    assert not again.is_in_doubt and surveys.lessons(install, again, None) == ()
    assert left - again.totals()[C.UNSORTED].files >= 9


def test_rulings_are_previewed_and_taken_back(mock: Mock) -> None:
    survey = mock.bench.surveys.survey(mock.install)
    seen = mock.bench.surveys.preview(survey, "saves/", C.EXTRAS)
    assert (seen.meets, seen.changes) == (2, 2) and mock.bench.surveys.preview(
        survey, "VERSION", C.PROGRAM
    ).changes == 0
    assert mock.bench.surveys.preview(survey, "nothing", C.SAVES).meets == 0
    with pytest.raises(LeftIntactError) as error:
        mock.bench.surveys.unrule(mock.install, "saves/")
    assert error.value.code == "no-ruling"
    mock.bench.surveys.rule(mock.install, "saves/", C.EXTRAS)
    mock.arrive(release("1.1"))
    mock.update()
    found = mock.bench.surveys.survey(mock.install).findings.find(At("", "saves/mill.sav"))
    assert found is not None and found.file_class is C.EXTRAS  # carried on to the next version
