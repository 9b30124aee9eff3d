"""Each source of evidence by itself, and the laws that hold for all of them together."""

from __future__ import annotations

import hashlib
import os
import random
import re
import tomllib
from dataclasses import replace
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from left_intact.core.files.headers import recognise
from left_intact.core.files.roots import roots_reader
from left_intact.core.files.tree import read_tree, text_reader
from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Entry, Evidence, Kind
from left_intact.core.model.pages import pages_of
from left_intact.core.model.place import At
from left_intact.core.model.release import Release
from left_intact.core.survey import classify
from left_intact.core.survey import weights as weights_module
from left_intact.core.survey.classify import scores, sort_out, verdict_of
from left_intact.core.survey.inputs import SurveyInputs
from left_intact.core.survey.lists import file_hasher, find_list, parse_list
from left_intact.core.survey.names import folder_evidence, looks_hashed, name_evidence, split_name
from left_intact.core.survey.patterns import Pattern, PatternTable, matches
from left_intact.core.survey.read import survey_install
from left_intact.core.survey.references import about_key, pairs_in, read_references
from left_intact.core.survey.siblings import Titles, title_of
from left_intact.core.survey.spelling import normalised_name, words_of
from left_intact.core.survey.standing import FolderContents
from left_intact.core.survey.times import Times, read_times
from left_intact.core.survey.weights import weights
from left_intact.demo.binaries import elf
from tests.builders import BUILT, LATER, LINKS, file_at, plant, release

C = FileClass
P = C.PROGRAM
DAY = 86400
CODE = elf("x", b"y" * 900)


def leaning(evidence: tuple[Evidence, ...]) -> FileClass:
    return max(scores(evidence).items(), key=lambda item: item[1])[0]


# ---------------------------------------------------------------- names


@pytest.mark.parametrize(
    ("folder", "kind"),
    [
        ("saves", C.SAVES),
        ("Save States", C.STATES),
        ("SAVE_DATA", C.SAVES),
        ("TapeSettings", C.SETTINGS),
        ("Spielstände", C.SAVES),
        ("Einstellungen/Tasten", C.SETTINGS),
        ("sauvegardes", C.SAVES),
        ("Configuración", C.SETTINGS),
        ("セーブデータ", C.SAVES),
        ("настройки", C.SETTINGS),
        ("存档", C.SAVES),
        ("zrzuty", C.EXTRAS),
        ("my old saves", C.SAVES),
        ("shader-cache", C.CACHE),
        ("user/config", C.SETTINGS),
        ("data/saves", C.SAVES),
        ("saves/backup", C.SAVES),
        ("memcards/data", C.SAVES),
        ("mods/Night/bin", C.EXTRAS),
        ("cache/lib", C.CACHE),
        ("mods/Night/saves", C.SAVES),
        ("bin", P),
        ("resources/icons", P),
        ("resources/themes/plain", P),
        ("profile/Cached/Pages", C.CACHE),
        ("Tapes/Osprey/Icons", C.CONTENT),
    ],
)
def test_folders_speak_in_many_tongues(folder: str, kind: FileClass) -> None:
    assert leaning(folder_evidence(folder)) is kind


@pytest.mark.parametrize("folder", ["", "qx7", "2024", "a/b/c"])
def test_folders_that_say_nothing(folder: str) -> None:
    assert folder_evidence(folder) == ()


@pytest.mark.parametrize(
    ("name", "kind"),
    [
        ("harbour.sav", C.SAVES),
        ("harbour.SAV", C.SAVES),
        ("harbour.sav.bak", C.SAVES),
        ("harbour.sav~", C.SAVES),
        ("harbour (2).sav", C.SAVES),
        ("harbour.sav.1", C.SAVES),
        ("x.state12", C.STATES),
        ("x.snapshot3", C.STATES),
        ("config.ini.old", C.SETTINGS),
        ("libx.so.4.2", P),
        ("README", P),
        ("LiesMich.txt", P),
        ("hiscores.bin", C.SAVES),
        ("old_settings", C.SETTINGS),
        ("run.log", C.CACHE),
        ("notes on settings", C.EXTRAS),
        ("disk3.iso", C.CONTENT),
        (".gitignore.tmp", C.CACHE),
    ],
)
def test_names_of_files(name: str, kind: FileClass) -> None:
    assert leaning(name_evidence(name)) is kind


def test_spelling_does_not_count() -> None:
    assert (
        normalised_name("Save States!")
        == normalised_name("save_states")
        == normalised_name("SAVE-STATES")
        == "savestates"
    )
    assert normalised_name("Spielstände") == "spielstande" and normalised_name("ＳＡＶＥ") == "save"
    assert words_of("TapeSettings_old2") == ["tape", "settings", "old"] and words_of("HTMLHelp") == [
        "html",
        "help",
    ]
    assert (
        split_name("a.tar.gz") == ("a.tar", ".gz")
        and split_name(".hidden") == ("hidden", "")
        and split_name("none") == ("none", "")
    )
    assert (
        looks_hashed("00a1b2c3d4e5f607.bin")
        and not looks_hashed("harbour1.bin")
        and not looks_hashed("deadbeef")
    )


@given(st.text(min_size=1, max_size=40))
def test_any_name_can_be_read(name: str) -> None:
    assert name_evidence(name) is name_evidence(name)
    folder_evidence(name.strip("/"))


def test_what_lies_in_a_mod_is_the_mods_whatever_it_is() -> None:
    for path in (
        "mods/Night/bin/hook.dll",
        "mods/Night/docs/readme.txt",
        "themes/mine/lib/x.so",
        "cheats/resources/a.png",
    ):
        pages = pages_of(
            [
                Entry(
                    path=path,
                    bytes=900,
                    format="elf x86_64" if path.endswith((".dll", ".so")) else "text plain",
                )
            ]
        )
        assert FolderContents(pages).is_foreign(At("", path).folder)
        found = next(iter(sort_out(pages, SurveyInputs())))
        assert found.file_class is not P, path


# ---------------------------------------------------------------- times


def times_at(times: dict[str, int], folder: Path) -> Times:
    for path, when in times.items():
        plant(folder, {path: CODE if path.endswith((".so", "run")) else "text\n"}, mtime=when)
    pages = read_tree(str(folder)).pages
    return read_times(pages, FolderContents(pages))


def test_the_builds_minutes_are_found_and_a_flat_copy_is_not(tmp_path: Path) -> None:
    kept = {f"lib{n}.so": BUILT + n for n in range(5)} | {f"saves/{n}": LATER + n * DAY for n in range(9)}
    times = times_at(kept, tmp_path / "kept")
    assert times.built is not None and abs(times.built - BUILT) < 10 and not times.mixed
    flat = times_at(dict.fromkeys(kept, LATER), tmp_path / "flat")
    assert flat.built is None and flat.newest is None
    mixed = {**kept, **{f"saves/{n}": BUILT + n for n in range(9)}, "docs/a": BUILT - 90 * DAY}
    copied = times_at(mixed, tmp_path / "mixed")
    assert copied.built is None


def test_mods_do_not_vote_for_the_build(tmp_path: Path) -> None:
    times = {f"lib{n}.so": BUILT + n for n in range(3)} | {f"mods/a/{n}.so": LATER + n for n in range(9)}
    found = times_at(times, tmp_path)
    assert found.built is not None and abs(found.built - BUILT) < 10


def test_what_each_time_says() -> None:
    times = Times(builds=((BUILT - 180, BUILT + 180),), last=BUILT + 180)
    said = {
        delta: sum(
            e.weight
            for e in times.evidence(times.bucket((BUILT + delta) * 10**9), binary=False)
            if e.speaks_for is P
        )
        for delta in (0, 170, 3000, -3000, 10 * DAY, -10 * DAY)
    }
    assert said[0] == said[170] > 3 and said[3000] == 0 and 0 < said[-3000] < said[0]
    assert said[10 * DAY] < -3 < said[-10 * DAY] < 0
    assert times.evidence(times.bucket(0), binary=False) == () and not Times().speak
    late = Times(newest=BUILT)
    assert [
        e.weight > 0
        for d in (-DAY, DAY)
        for e in late.evidence(late.bucket((BUILT + d) * 10**9), binary=False)
    ] == [True, False]
    put = Times(installed=BUILT)
    assert put.evidence(put.bucket((BUILT + DAY) * 10**9), binary=False)[0].weight < 0
    assert put.evidence(put.bucket((BUILT - DAY) * 10**9), binary=False) == ()


# ---------------------------------------------------------------- lists of files

SUM = hashlib.sha256(b"x").hexdigest()


@pytest.mark.parametrize(
    ("text", "rows"),
    [
        (f"{SUM}  a/b.txt\n{SUM} *c.bin\n", {"a/b.txt": SUM, "c.bin": SUM}),
        (f"SHA256 (a b.txt) = {SUM}\n", {"a b.txt": SUM}),
        ("# files\n./a\nb\\c\n", {"a": "", "b/c": ""}),
        ('{"files": [{"path": "a", "sha256": "AB"}, "b"]}', {"a": "ab", "b": ""}),
        ('{"files": {"a": "AB"}}', {"a": "ab"}),
        ("[1, 2", {}),
        ("key = value\nother = 2\n", {}),
        ("<xml>", {}),
    ],
)
def test_lists_of_many_forms(text: str, rows: dict[str, str]) -> None:
    assert parse_list(text.encode()) == rows


@given(
    st.dictionaries(
        st.from_regex(r"[a-z]{1,8}(/[a-z]{1,8}){0,2}", fullmatch=True),
        st.binary(max_size=20),
        min_size=1,
        max_size=12,
    )
)
def test_what_a_checksum_tool_writes_is_read_back(files: dict[str, bytes]) -> None:
    rows = {path: hashlib.sha256(data).hexdigest() for path, data in files.items()}
    text = "".join(f"{digest}  {path}\n" for path, digest in rows.items())
    assert parse_list(text.encode()) == rows


def listed(root: Path) -> object:
    tree = read_tree(str(root))
    return find_list(
        tree.pages, text_reader(str(root)), file_hasher(str(root)), FolderContents(tree.pages).is_foreign
    )


def test_a_list_speaks_for_what_it_names_and_against_the_rest(tmp_path: Path) -> None:
    files = {"run": b"#!/bin/sh\n", "lib/a.so": CODE, "doc.txt": b"words\n", "x.ini": b"[a]\nb = 1\n"}
    sums = "".join(f"{hashlib.sha256(data).hexdigest()}  prog-1.0/{path}\n" for path, data in files.items())
    root = plant(
        tmp_path / "prog", {**files, "SHA256SUMS": sums, "mine.dat": b"\x93" * 9, "x.ini": "[a]\nb = 2\n"}
    )
    found = listed(root)
    assert found is not None
    states = {
        path: found.state(At("", path)) for path in ("run", "lib/a.so", "x.ini", "mine.dat", "SHA256SUMS")
    }  # type: ignore[attr-defined]
    assert states == {
        "run": "equal",
        "lib/a.so": "equal",
        "x.ini": "changed",
        "mine.dat": "absent",
        "SHA256SUMS": "named",
    }
    survey, _, _ = survey_install(str(root), SurveyInputs())
    kinds = {f.at.shown: f.file_class for f in survey.findings}
    assert (
        kinds["run"] is P
        and kinds["doc.txt"] is P
        and kinds["x.ini"] is C.SETTINGS
        and kinds["mine.dat"] is not P
    )
    assert any("SHA256SUMS lists" in note for note in survey.notes)


def test_lists_of_mods_and_games_are_not_the_releases(tmp_path: Path) -> None:
    games = {f"games/{n}.cart": bytes([n]) * 99 for n in range(5)}
    names = "".join(f"{path}\n" for path in games)
    root = plant(tmp_path / "a", {**games, "files.txt": names, "run": "#!/bin/sh\n"})
    assert listed(root) is None  # it names no code
    root = plant(
        tmp_path / "b",
        {
            "mods/x/files.txt": "hook.so\na.png\nb.png\n",
            "mods/x/hook.so": CODE,
            "mods/x/a.png": "1",
            "mods/x/b.png": "2",
        },
    )
    assert listed(root) is None  # it lies inside a mod
    root = plant(tmp_path / "c", {"files.txt": "run\nb\nc\nd\ne\nf\n", "run": "#!/bin/sh\n", "b": "1"})
    assert listed(root) is None  # hardly any of it is here


# ---------------------------------------------------------------- references


@pytest.mark.parametrize(
    ("key", "kind"),
    [
        ("saves_directory", C.SAVES),
        ("StatesPath", C.STATES),
        ("folders of tapes", C.CONTENT),
        ("paths.screenshots", C.EXTRAS),
        ("MemoryCardFolder", C.SAVES),
        ("Spielstände_Ordner", C.SAVES),
        ("config path", C.SETTINGS),
        ("cacheDir", C.CACHE),
    ],
)
def test_keys_say_what_a_folder_is_for(key: str, kind: FileClass) -> None:
    about = about_key(key)
    assert about is not None and about[0] is kind


@pytest.mark.parametrize("key", ["width", "path", "last dir", "volume", "fullscreen"])
def test_keys_about_nothing(key: str) -> None:
    assert about_key(key) is None


def test_pairs_of_every_notation() -> None:
    for text in (
        '[a]\nsave_dir = "x/y"\n',
        '{\n "save_dir": "x/y",\n}',
        "save_dir: x/y\n",
        "<save_dir>x/y</save_dir>",
        '<o save_dir="x/y"/>',
    ):
        assert ("save_dir", "x/y") in [(k.rpartition(".")[2], v) for k, v in pairs_in(text)], text


def test_settings_that_name_folders_inside_and_out(tmp_path: Path) -> None:
    away = plant(tmp_path / "elsewhere" / "cards", {"x": "1"})
    text = f"[paths]\nmemory_dir = mem\nsnap_state_dir = ./S\nsave_folder = C:\\\\old\\\\prog\\\\vault\ncard_folder = {away}\nrom_dir = nowhere\n"
    root = plant(
        tmp_path / "prog",
        {"prog.ini": text, "mem/a": b"\x90" * 512, "S/b": "1", "vault/c": "2", "run": "#!/bin/sh\n"},
    )
    tree = read_tree(str(root))
    foreign = FolderContents(tree.pages).is_foreign
    found = read_references(str(root), tree.pages, roots_reader(str(root), ()), foreign)
    assert {folder: r.file_class for folder, r in found.inside.items()} == {
        "mem": C.SAVES,
        "S": C.STATES,
        "vault": C.SAVES,
    }
    assert {place: r.file_class for place, r in found.outside.items()} == {str(away): C.SAVES}
    survey, _, _ = survey_install(str(root), SurveyInputs())
    memory = survey.findings.find(At("", "mem/a"))
    assert (
        memory is not None
        and memory.file_class is C.SAVES
        and any(e.source == "reference" for e in memory.why)
    )
    assert any("elsewhere, not read with it" in note for note in survey.notes)


def test_the_root_and_the_home_are_no_references(tmp_path: Path) -> None:
    root = plant(
        tmp_path / "p",
        {
            "a.ini": f"[x]\nsave_dir = .\nrom_dir = /\nstate_dir = {tmp_path}\ncache_dir = {os.path.expanduser('~')}\n"
        },
    )
    pages = read_tree(str(root)).pages
    found = read_references(str(root), pages, roots_reader(str(root), ()), FolderContents(pages).is_foreign)
    assert not found.inside and not found.outside


# ---------------------------------------------------------------- siblings, titles, structure


def found_in(tmp_path: Path, tree: dict[str, bytes], **known: object) -> dict[str, object]:
    root = plant(tmp_path / "prog", release("1.0"))
    plant(root, tree, mtime=LATER)  # type: ignore[arg-type]
    survey, _, _ = survey_install(str(root), SurveyInputs(**known))  # type: ignore[arg-type]
    return {f.at.shown: f for f in survey.findings}


def test_many_of_a_kind_are_known_without_any_name(tmp_path: Path) -> None:
    rng = random.Random(4)
    blank = [bytearray(b"\xff" * 8192) for _ in range(9)]
    for data in blank:
        data[:40] = rng.randbytes(40)
    tree = {f"q1/{n}": bytes(data) for n, data in enumerate(blank)}
    tree |= {f"q2/{rng.getrandbits(64):016x}": rng.randbytes(300 + n) for n in range(40)}
    tree |= {f"q3/{n}": b"ZZ01" + rng.randbytes(5000) for n in range(8)}
    found = found_in(tmp_path, tree, names=False)
    for folder, kind in (("q1", C.SAVES), ("q2", C.CACHE), ("q3", C.STATES)):
        assert {f.file_class for path, f in found.items() if path.startswith(folder)} == {kind}, folder  # type: ignore[attr-defined]


def test_pictures_of_states_and_copies_of_saves(tmp_path: Path) -> None:
    rng = random.Random(5)
    picture, save = b"\x89PNG\r\n\x1a\n" + rng.randbytes(90), rng.randbytes(700)
    found = found_in(
        tmp_path,
        {
            "states/mill.state": b"ST" + rng.randbytes(900),
            "states/mill.png": picture,
            "saves/mill.sav": save,
            "odd/thing": save,
        },
    )
    assert found["states/mill.png"].file_class is C.STATES  # type: ignore[attr-defined]
    assert found["odd/thing"].leaning is C.SAVES and any(e.source == "copy" for e in found["odd/thing"].why)  # type: ignore[attr-defined]


def test_titles_are_known_by_their_names() -> None:
    titles = Titles([("Sorrel Causeway (disc 1)", ".tape"), ("Vellor Race", "")])
    assert title_of("Sorrel Causeway (state 2)") == title_of("sorrel_causeway") == "sorrelcauseway"
    assert {e.speaks_for for e in titles.evidence("Vellor Race.png", "png", 99) if e.weight > 0} == {C.EXTRAS}
    assert {e.speaks_for for e in titles.evidence("vellor-race.bin", "bytes", 8192) if e.weight > 0} == {
        C.SAVES
    }
    assert titles.evidence("unknown.png", "png", 9) == () and Titles([]).evidence("x", "png", 1) == ()


@LINKS
def test_links_rights_and_places_speak(tmp_path: Path) -> None:
    root = plant(tmp_path / "prog", release("1.0"))
    (root / "lib" / "libx.so").symlink_to("libcore.so")
    (root / "lib" / "out").symlink_to("/nowhere/else")
    survey, _, _ = survey_install(str(root), SurveyInputs())
    inside, outside = survey.findings.find(At("", "lib/libx.so")), survey.findings.find(At("", "lib/out"))
    assert inside is not None and outside is not None
    weight = {f.at.shown: sum(e.weight for e in f.why if e.source == "link") for f in (inside, outside)}
    assert weight["lib/libx.so"] > 0 > weight["lib/out"] and outside.file_class is not P
    assert any(e.source == "rights" for e in survey.findings.find(At("", "mocklet")).why)  # type: ignore[union-attr]


# ---------------------------------------------------------------- laws


def test_the_weights_file_gives_a_reason_for_each() -> None:
    path = Path(weights_module.__file__).with_name("weights.toml")
    text = path.read_text("utf-8")
    spoken = text[text.index("[spoken]") : text.index("[time]")]
    lines = [line for line in spoken.splitlines()[1:] if line.strip() and not line.startswith("#")]
    assert lines and all(re.search(r"=\s*-?[\d.]+\s+#\s*\S", line) for line in lines)
    said = tomllib.loads(text)
    assert all(row.get("reason") for row in said["folder"]) and all(
        row["says"] for row in (*said["header"], *said["shape"])
    )
    w = weights()
    assert w.sort < w.program < w.replace < w.retire < 1 and w.most > w.retire


def test_every_source_is_in_the_document() -> None:
    source = Path(classify.__file__).parent
    words = set(re.findall(r'said\(\s*"(\w+)"', "".join(p.read_text() for p in source.glob("*.py"))))
    document = (Path(__file__).parents[2] / "docs" / "classification.md").read_text()
    assert words >= {"header", "name", "time", "siblings", "structure", "copy"}
    assert not [w for w in words if f"| {w} |" not in document and w != "fault"]


evidence = st.lists(
    st.builds(
        Evidence,
        source=st.just("name"),
        says=st.just("x"),
        speaks_for=st.sampled_from([c for c in C if c is not C.UNSORTED]),
        weight=st.floats(-8, 8),
    ),
    max_size=8,
)


@given(evidence)
def test_laws_of_adding_up(why: list[Evidence]) -> None:
    by_class = scores(why)
    assert abs(sum(by_class.values()) - 1) < 1e-9 and all(0 <= p <= 1 for p in by_class.values())
    verdict = verdict_of(tuple(why))
    assert 0 <= verdict.certainty <= weights().most
    assert verdict.file_class in (verdict.leaning, C.UNSORTED)
    if verdict.file_class is P:
        assert verdict.certainty >= weights().program
    again = verdict_of(tuple(reversed(why)))
    assert again.leaning is verdict.leaning or abs(again.certainty - verdict.certainty) < 1e-6
    ruled = verdict_of(
        (*why, Evidence(source="ruling", says="you", speaks_for=C.STATES, weight=weights().spoken["ruling"]))
    )
    assert ruled.file_class is C.STATES and ruled.certainty > 0.99


one_path = st.from_regex(r"[ab]{1,2}(/[ab.]{1,3}){0,2}", fullmatch=True)
# No folder is called `.` or `..`.
paths = st.lists(one_path.filter(lambda path: not {".", ".."} & set(path.split("/"))), max_size=8)
patterns = st.lists(
    st.from_regex(r"([ab*?]{1,3}/){0,2}[ab*.]{1,3}/?|\*\.[ab]|\*\*", fullmatch=True), min_size=1, max_size=6
)


@given(patterns, paths)
def test_the_table_of_patterns_is_the_patterns_one_by_one(table: list[str], some: list[str]) -> None:
    fast = PatternTable([Pattern.of(one, ()) for one in table])
    for path in some:
        folder, _, name = path.rpartition("/")
        slow = max((n for n, pattern in enumerate(table) if matches(pattern, path)), default=-1)
        find = fast.in_folder(At("", folder))
        assert (find(name) if find else -1) == slow, (table, path)


@given(st.binary(max_size=300))
def test_any_bytes_have_a_format(data: bytes) -> None:
    file_format = recognise(data, len(data))
    assert file_format and (file_format == "empty") is (not data)


def test_beside_a_baseline_each_name_is_held_against_its_own() -> None:
    from left_intact.core.survey.releases import beside_baseline

    shipped = {f"lib/{name}": file_at(f"lib/{name}", digest) for name, digest in (("a", "aa"), ("c", "cc"))}
    beside = beside_baseline(Release(name="base", entries=shipped))
    mine = [file_at("lib/a", "aa"), file_at("lib/b", "bb"), file_at("lib/c", "cc")]
    (page,) = pages_of(mine)
    first, second, third = beside.evidence(page)
    (whole,) = pages_of([mine[0], mine[2]])
    assert first is third is beside.evidence(whole)[0] and first is not second
    assert {e.speaks_for for e in first} == {FileClass.PROGRAM}
    (renamed,) = pages_of([file_at("lib/x", "aa"), file_at("lib/z", "cc")])
    assert first not in beside.evidence(renamed)


def test_a_link_is_never_as_shipped_by_the_digest_of_nothing() -> None:
    from left_intact.core.survey.releases import beside_baseline

    link = Entry(path="lib/l", kind=Kind.LINK, link="here", mode=0o777, mtime_ns=5)
    beside = beside_baseline(Release(name="base", entries={"lib/l": link}))
    (page,) = pages_of([replace(link, link="elsewhere")])
    (same,) = pages_of([link])
    assert beside.evidence(page) != beside.evidence(same)


def test_which_settings_are_read_for_where_they_lead(tmp_path: Path) -> None:
    from left_intact.core.files.tree import read_tree
    from left_intact.core.survey.references import about_key, read_references
    from left_intact.core.survey.standing import FolderContents

    deep = "a/b/c/d/e/f/g/h"
    plant(
        tmp_path,
        {
            "prog.ini": "[paths]\nsave_dir = memory\nstate_dir = moments\n",
            f"{deep}/far.ini": "[paths]\nsave_dir = ../../../../../../../../far\n",
            "empty.ini": "",
            "large.ini": "[paths]\nsave_dir = huge\n" + "; more\n" * 30_000,
            **{f"{folder}/x": "1" for folder in ("memory", "moments", "far", "huge")},
        },
    )
    pages = read_tree(str(tmp_path)).pages
    found = read_references(
        str(tmp_path), pages, roots_reader(str(tmp_path), ()), FolderContents(pages).is_foreign
    )
    assert {"memory", "moments"} <= set(found.inside) and not {"far", "huge"} & set(found.inside)
    assert about_key("save_dir") is not None and about_key("dir") is None and about_key("") is None
