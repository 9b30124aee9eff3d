"""Where a file stands: folders that claim too much, moments of a build, what names what, what comes."""

from __future__ import annotations

import os
import sys
from pathlib import Path

import pytest

from left_intact.core.arrival.look import look_into
from left_intact.core.files.headers import recognise
from left_intact.core.files.names import builds_name, place_of
from left_intact.core.files.tree import head_reader, read_tree
from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Finding
from left_intact.core.model.place import At
from left_intact.core.survey.inputs import SurveyInputs
from left_intact.core.survey.mentions import read_mentions
from left_intact.core.survey.names import copied_from, name_evidence
from left_intact.core.survey.read import survey_install
from left_intact.core.survey.standing import FolderContents
from left_intact.core.survey.times import Times, read_times
from left_intact.core.survey.weights import weights
from left_intact.demo.binaries import elf
from left_intact.presentation.as_json import plan_json
from tests.builders import BUILT, LATER, LINKS, Mock, Tree, plant, release

C = FileClass
P = C.PROGRAM
DAY = 86_400
CODE = "import os\n\n\ndef work():\n    return os.getcwd()\n"


def modules(folder: str, *names: str) -> Tree:
    return {f"{folder}/{name}.py": f"# {folder} {name}\n{CODE}" for name in names}


def found_in(root: Path, **known: object) -> dict[str, Finding]:
    survey, _, _ = survey_install(str(root), SurveyInputs(**known))  # type: ignore[arg-type]
    return {f.at.shown: f for f in survey.findings}


def times_of(root: Path) -> Times:
    pages = read_tree(str(root)).pages
    return read_times(pages, FolderContents(pages))


# ---------------------------------------------------------------- folders that claim too much


def test_a_folder_of_code_is_no_folder_of_pictures_whatever_its_name(tmp_path: Path) -> None:
    root = plant(tmp_path / "wheelhouse", modules("steering_wheel", *(f"part{n}" for n in range(30))))
    plant(root, {"covers/front.png": b"\x89PNG\r\n\x1a\n", "covers/back.png": b"\x89PNG\r\n\x1a\n2"})
    standing = FolderContents(read_tree(str(root)).pages)
    assert not standing.is_foreign(At("", "steering_wheel")) and standing.is_foreign(At("", "covers"))


def test_between_files_of_code_a_folder_claims_less(tmp_path: Path) -> None:
    root = plant(tmp_path / "p", modules("site/core", "a", "b", "c"))
    plant(root, {"site/core/cache/data.bin": b"\x91" * 40, "cache/data.bin": b"\x92" * 40})
    standing = FolderContents(read_tree(str(root)).pages)
    assert standing.is_foreign(At("", "cache")) and not standing.is_foreign(At("", "site/core/cache"))


def test_beside_machine_code_lies_what_people_keep(tmp_path: Path) -> None:
    root = plant(tmp_path / "p", {f"bin/{n}.so": elf("x", bytes([n])) for n in range(4)})
    plant(root, {"bin/saves/one.dat": b"\x91" * 512})
    assert FolderContents(read_tree(str(root)).pages).is_foreign(At("", "bin/saves"))


def test_images_of_disks_and_images(tmp_path: Path) -> None:
    drawn = {f"share/images/{n}.png": b"\x89PNG\r\n\x1a\n" + bytes([n]) for n in range(5)}
    root = plant(tmp_path / "p", drawn | {f"images/{n}.dsk": bytes([n]) * 900 for n in range(5)})
    standing = FolderContents(read_tree(str(root)).pages)
    assert standing.is_foreign(At("", "images")) and not standing.is_foreign(At("", "share/images"))


@pytest.mark.parametrize(
    ("name", "of"),
    [
        ("a.py.orig", "a.py"),
        ("a.ini.bak", "a.ini"),
        ("Makefile.old", "Makefile"),
        ("a (2).txt", "a.txt"),
        ("a - Copy.txt", "a.txt"),
        ("a - Copy (3).txt", "a.txt"),
        ("Kopie von a.txt", "a.txt"),
        ("copia de a.txt", "a.txt"),
        ("a のコピー.txt", "a.txt"),
        ("コピー ～ a.txt", "a.txt"),
        ("a - コピー.txt", "a.txt"),
        ("Копия a.txt", ""),
        ("a — копия.txt", "a.txt"),
        ("a.so.1", ""),
        ("a.1", ""),
        ("copy.py", ""),
        ("photocopy.py", ""),
        (".bak", ""),
    ],
)
def test_copies_are_known_by_how_people_and_systems_name_them(name: str, of: str) -> None:
    assert copied_from(name) == of
    assert any(e.speaks_for is P and e.weight < -5 for e in name_evidence(name)) is bool(of)


# ---------------------------------------------------------------- moments


def lived_in(root: Path) -> Path:
    """Saves written after everything else."""
    return plant(root, {"saves/one.sav": b"\x91" * 512, "saves/two.sav": b"\x92" * 512}, mtime=LATER)


def test_a_release_of_thousands_with_little_of_the_persons_still_has_its_minutes(tmp_path: Path) -> None:
    root = plant(tmp_path / "p", modules("core", *(f"m{n}" for n in range(400))), mtime=BUILT)
    times = times_of(lived_in(root))
    assert times.built == BUILT and times.clean
    found = found_in(root)
    assert found["core/m7.py"].file_class is P and found["core/m7.py"].certainty >= weights().replace
    assert found["saves/one.sav"].file_class is C.SAVES


def test_a_release_that_was_gathered_in_several_moments(tmp_path: Path) -> None:
    root = tmp_path / "p"
    for at in range(5):
        for number in range(6):
            plant(root, modules(f"part{number}", f"m{at}", f"n{at}"), mtime=BUILT + at * 3 * DAY)
    times = times_of(lived_in(root))
    assert len(times.builds) == 5 and times.last == BUILT + 12 * DAY and not times.apart
    assert {f.file_class for path, f in found_in(root).items() if path.endswith(".py")} == {P}


def test_what_a_person_unpacked_later_into_a_folder_of_its_own_is_no_build(tmp_path: Path) -> None:
    root = plant(tmp_path / "p", modules("core", *(f"m{n}" for n in range(60))), mtime=BUILT)
    plant(root, modules("Kolibri", "one", "two", "three", "four"), mtime=LATER)
    found = found_in(lived_in(root))
    assert all(f.file_class is not P for path, f in found.items() if path.startswith("Kolibri/"))


@pytest.mark.parametrize("with_it", ["links", "pictures"])
def test_the_moment_that_most_of_the_machine_code_is_of_is_a_builds(with_it: str, tmp_path: Path) -> None:
    """Packers lay documents with the times of their sources, and links and pictures with what they built."""
    root = tmp_path / "p"
    for number in range(30):
        plant(root, modules(f"part{number}", *(f"m{n}" for n in range(4))), mtime=BUILT)
    built = BUILT + 2 * DAY
    for number in range(4):
        plant(root, {f"part{number}/tool{n}": elf("t", bytes([n])) for n in range(3)}, mtime=built)
        more: Tree = {f"part{number}/l{n}": ("link", "tool0") for n in range(12)}
        if with_it == "pictures":
            more = {f"part{number}/p{n}.png": b"\x89PNG\r\n\x1a\n" + bytes([n]) * 40 for n in range(12)}
        plant(root, more, mtime=built)
    times = times_of(lived_in(root))
    assert [start for start, _ in times.builds] == [BUILT, built] and not times.apart and times.last == built
    found = found_in(root)
    assert {f.file_class for path, f in found.items() if "/tool" in path} == {P}
    plant(root, {f"Kolibri/own{n}": elf("k", bytes([n])) for n in range(4)}, mtime=LATER - DAY)
    assert LATER - DAY not in [start for start, _ in times_of(root).builds]


def test_an_old_part_by_itself_weighs_less_than_the_build(tmp_path: Path) -> None:
    root = plant(tmp_path / "p", modules("core", *(f"m{n}" for n in range(60))), mtime=BUILT)
    plant(root, modules("borrowed", "one", "two", "three", "four", "five"), mtime=BUILT - 400 * DAY)
    times = times_of(lived_in(root))
    assert len(times.builds) == 2 and times.apart == {1}
    weight = {
        n: sum(e.weight for e in times.evidence(("cluster", n), binary=False) if e.speaks_for is P)
        for n in (0, 1)
    }
    assert weight[0] > 2 * weight[1] > 0


def test_packers_that_keep_the_times_of_sources(tmp_path: Path) -> None:
    root = plant(tmp_path / "p", modules("core", *(f"m{n}" for n in range(30))), mtime=BUILT)
    for number in range(20):
        plant(root, modules("core", f"old{number}"), mtime=BUILT - number * 37 * DAY - 9 * DAY)
    times = times_of(lived_in(root))
    assert times.keeps_sources
    assert all(e.weight > 0 for e in times.evidence(times.bucket((BUILT - 99 * DAY) * 10**9), binary=False))
    assert all(e.weight < 0 for e in times.evidence(times.bucket((BUILT + 99 * DAY) * 10**9), binary=False))


def test_a_shipped_folder_called_cache_does_not_silence_times(tmp_path: Path) -> None:
    root = plant(tmp_path / "p", modules("core", *(f"m{n}" for n in range(30))), mtime=BUILT)
    plant(root, modules("core/cache", "base", "disk"), mtime=BUILT)
    assert times_of(lived_in(root)).clean


def test_a_copy_that_lost_its_times_is_silent_also_when_it_was_used_since(tmp_path: Path) -> None:
    root = plant(tmp_path / "p", modules("core", *(f"m{n}" for n in range(30))))
    for number in range(4):
        plant(root, {f"saves/{number}.sav": bytes([number]) * 512, f"states/{number}.state": b"x" * 99})
    for path in root.rglob("*"):
        os.utime(path, (BUILT, BUILT))
    plant(root, {"saves/9.sav": b"\x99" * 512}, mtime=LATER)
    assert not times_of(root).builds


def test_only_times_and_digests_vouch_for_what_is_in_a_file(tmp_path: Path) -> None:
    """Whatever names say, a file of a silent tree is never certain enough to be replaced unasked."""
    root = silent(tmp_path / "p", release("1.0") | shipped_plugins())
    sure = [f.certainty for f in found_in(root).values() if f.file_class is P]
    assert len(sure) > 9 and max(sure) < weights().replace


@pytest.mark.parametrize("when", [BUILT - 700 * DAY, BUILT - 3, BUILT + 50 * DAY])
def test_what_somebody_else_packed_is_not_the_releases_for_having_one_time(when: int, tmp_path: Path) -> None:
    """A title and a plug-in come with the times that their makers gave them, before the release or after."""
    root = plant(tmp_path / "p", modules("core", *(f"m{n}" for n in range(60))), mtime=BUILT)
    plant(root, {f"core/plug{n}.py": CODE for n in range(9)}, mtime=BUILT)
    title = {f"titles/harbour/disc-{n}.dat": bytes([n]) * 900 for n in range(12)}
    title |= {"titles/harbour/VERSION": "7.7\n", "titles/harbour/title.txt": "Harbour\n"}
    plugged = modules("core/kolibri", *(f"part{n}" for n in range(8))) | {"core/kolibri/README": "mine\n"}
    plant(root, title | plugged, mtime=when if when != BUILT - 3 else BUILT - 9 * DAY)
    found = found_in(lived_in(root))
    assert [path for path in (*title, *plugged) if found[path].file_class is P] == []
    assert found["core/m7.py"].file_class is P
    assert survey_install(str(root), SurveyInputs())[0].version_text == ""


# ---------------------------------------------------------------- who names whom


def silent(root: Path, tree: Tree) -> Path:
    plant(root, tree)
    for path in root.rglob("*"):
        os.utime(path, (BUILT, BUILT))
    return root


def shipped_plugins() -> Tree:
    names = [f"plug{n}" for n in range(8)]
    imports = "".join(f"from app.plugins import {name}\n" for name in names)
    return {
        "app/__main__.py": f"from app import start, views\n{CODE}",
        "app/start.py": f"{imports}{CODE}",
        "app/views.py": f"PAGE = 'pages/home.html'\n{CODE}",
        "app/pages/home.html": '<img src="../pictures/head.svg"><link href="look.css">',
        "app/pages/look.css": "body { margin: 0 }\n",
        "app/pictures/head.svg": "<svg xmlns='x'></svg>",
        **modules("app/plugins", *names),
    }


def test_what_the_program_names_came_with_it_and_a_plug_in_of_ones_own_did_not(tmp_path: Path) -> None:
    own = {"app/plugins/kolibri.py": f"from app import start\n{CODE}", "app/pages/notes.html": "<p>milk"}
    root = silent(tmp_path / "p", shipped_plugins() | own)
    found = found_in(root)
    for path in ("app/plugins/plug3.py", "app/views.py", "app/pictures/head.svg"):
        assert found[path].file_class is P, path
        assert any(e.source == "mention" for e in found[path].why)
    for path in own:
        assert found[path].file_class is not P, path
    assert any("its like is named" in e.says for e in found["app/plugins/kolibri.py"].why)


def test_a_plug_in_of_several_files_does_not_vouch_for_itself(tmp_path: Path) -> None:
    own = {
        "app/plugins/kolibri/__init__.py": "from app.plugins.kolibri import wing\n",
        "app/plugins/kolibri/wing.py": "from app.plugins.kolibri import feather\n",
        "app/plugins/kolibri/feather.py": CODE,
    }
    root = silent(tmp_path / "p", shipped_plugins() | own)
    found = found_in(root)
    assert [path for path in own if found[path].file_class is P] == []


@LINKS
def test_a_link_to_what_the_program_names_came_with_it(tmp_path: Path) -> None:
    root = silent(tmp_path / "p", shipped_plugins())
    (root / "app" / "de").mkdir()
    (root / "app" / "de" / "mod_home.html").symlink_to("../pages/home.html")
    (root / "app" / "de" / "mod_gone.html").symlink_to("../pages/gone.html")
    (root / "mod_home.html").symlink_to("app/pages/home.html")
    tree = read_tree(str(root))
    mentions = read_mentions(tree.pages, FolderContents(tree.pages), head_reader(str(root)))
    assert mentions.of("app/de") == {"mod_home.html"} == mentions.of("")


@pytest.mark.skipif(sys.platform != "linux", reason="names are text on this system, never mere bytes")
def test_names_that_are_no_text_end_no_survey(tmp_path: Path) -> None:
    root = silent(tmp_path / "p", shipped_plugins())
    odd = os.fsencode(root) + b"/app/od\xffd"
    os.mkdir(odd)
    with open(odd + b"/pl\xfeg.py", "wb") as file:
        file.write(CODE.encode())
    os.utime(odd + b"/pl\xfeg.py", (BUILT, BUILT))
    assert len(found_in(root)) == len(shipped_plugins()) + 1


def test_settings_are_not_told_by_being_named(tmp_path: Path) -> None:
    tree = shipped_plugins() | {"app/defaults.ini": "[window]\nwidth = 3\n"}
    tree["app/start.py"] = f"DEFAULTS = 'app/defaults.ini'\n{tree['app/start.py']}"
    assert found_in(silent(tmp_path / "p", tree))["app/defaults.ini"].file_class is not P


@pytest.mark.parametrize(
    ("says", "named"),
    [
        ("require 'parts/lamp'\n", "parts/lamp.py"),
        ('#include "parts/lamp.py"\n', "parts/lamp.py"),
        ("import './parts/lamp.py'\n", "parts/lamp.py"),
        ("from parts import lamp, chair\n", "parts/lamp.py"),
        ("from .parts.lamp import x\n", "parts/lamp.py"),
        ("use Parts::lamp;\n", ""),
        ("use parts::lamp;\n", "parts/lamp.py"),
        ("x = 'a lamp'\n", ""),
    ],
)
def test_the_ways_in_which_code_names_what_it_loads(says: str, named: str, tmp_path: Path) -> None:
    root = plant(tmp_path / "p", {"run.py": f"{says}{CODE}", "parts/lamp.py": CODE, "parts/stool.py": CODE})
    tree = read_tree(str(root))
    mentions = read_mentions(tree.pages, FolderContents(tree.pages), head_reader(str(root)))
    assert ("lamp.py" in mentions.of("parts")) is bool(named) and "stool.py" not in mentions.of("parts")


def test_a_library_names_what_it_needs(tmp_path: Path) -> None:
    main = elf("x", b"\0libdeep.so.4\0libm.so.6\0")
    root = plant(tmp_path / "p", {"start": main, "lib/libdeep.so.4": elf("y", b"1"), "lib/mine.so": main})
    tree = read_tree(str(root))
    mentions = read_mentions(tree.pages, FolderContents(tree.pages), head_reader(str(root)))
    assert mentions.of("lib") == {"libdeep.so.4"}


def test_many_folders_with_one_of_the_same_name(tmp_path: Path) -> None:
    tree = {f"app/words/{code}/texts.po": f"# {code}\n" for code in ("de", "es", "fr", "it", "ja")}
    found = found_in(silent(tmp_path / "p", shipped_plugins() | tree))
    assert found["app/words/de/texts.po"].file_class is P


PARTS = ("amber", "birch", "cedar", "delta", "ember", "fjord")


def collection(root: str, *names: str) -> Tree:
    """Plug-ins that are all made alike, and that no path names."""
    tree: Tree = {}
    for name in names:
        tree[f"{root}/{name}/plugin.py"] = f"# {name}\n{CODE}"
        tree[f"{root}/{name}/lang/de.py"] = f"# {name} de\n{CODE}"
    return tree


@pytest.mark.parametrize("listed", ["['amber', 'birch', 'cedar', 'delta', 'ember', 'fjord']", '"{all}"'])
def test_a_list_of_a_folder_names_what_is_in_it(listed: str, tmp_path: Path) -> None:
    listed = listed.replace("{all}", ",".join(PARTS))
    tree = shipped_plugins() | modules("app/tricks", *PARTS) | {"app/tricks/kolibri.py": CODE}
    tree["app/lists.py"] = f"TRICKS = {listed}\n{CODE}"
    tree["app/start.py"] = f"from app import lists\n{tree['app/start.py']}"
    found = found_in(silent(tmp_path / "p", tree))
    assert {found[f"app/tricks/{name}.py"].file_class for name in PARTS} == {P}
    assert found["app/tricks/kolibri.py"].file_class is not P


def test_what_somebody_made_from_one_of_many_is_not_the_programs_for_bearing_their_names(
    tmp_path: Path,
) -> None:
    """A copy of a shipped plug-in with its files, some changed: names say nothing, and a list says all."""
    tree = shipped_plugins() | collection("app/addins", *PARTS, "kolibri")
    alone = found_in(silent(tmp_path / "one", tree))
    assert all(alone[path].file_class is not P for path in tree if "/kolibri/" in path)
    tree["app/lists.py"] = f"ADDINS = {list(PARTS)!r}\n{CODE}"
    tree["app/start.py"] = f"from app import lists\n{tree['app/start.py']}"
    called = found_in(silent(tmp_path / "two", tree))
    assert {called[f"app/addins/{name}/plugin.py"].file_class for name in PARTS} == {P}
    assert {called[f"app/addins/{name}/lang/de.py"].file_class for name in PARTS} == {P}
    assert all(called[path].file_class is not P for path in tree if "/kolibri/" in path)


def test_two_forms_of_one_thing_are_as_releases_hold_it_where_nobody_adds_any(tmp_path: Path) -> None:
    text = "var a = 1;\n" * 9
    tree = {
        f"{at}/wheel{end}": f"{text}// {end}\n" for at in ("out", "plugins") for end in (".js", ".min.js")
    }
    tree |= {"out/wheel.js.map": '{"version": 3}\n', "out/mine.js": text, "out/mine.js.txt": text}
    found = found_in(silent(tmp_path / "p", shipped_plugins() | tree))
    assert {found[f"out/wheel{end}"].file_class for end in (".js", ".min.js", ".js.map")} == {P}
    assert found["out/mine.js"].file_class is not P and found["plugins/wheel.js"].file_class is not P


def test_dialogs_of_a_format_of_its_own_are_no_settings_whatever_their_folder_is_called(
    tmp_path: Path,
) -> None:
    def dialogs(inside: str, ending: str) -> Tree:
        return {
            f"{inside}/part{n}/d{n}{k}.{ending}": f"<?xml version='1.0'?><d>{n} {k}</d>\n"
            for n in range(6)
            for k in range(9)
        }

    own, known = dialogs("share/config", "dlgx"), dialogs("config", "xml")
    found = found_in(silent(tmp_path / "p", shipped_plugins() | own | known))
    assert {found[path].file_class for path in own} == {P}
    assert all(found[path].file_class is not P for path in known)


def test_a_manifest_calls_the_packages_it_needs(tmp_path: Path) -> None:
    tree: Tree = {
        "start.js": "var a = 1;\n",
        "package.json": '{"dependencies": {"lamp": "1", "@oak/stool": "2", "rug": "1", "bed": "3"}}\n',
    }
    for name in ("lamp", "@oak/stool", "rug", "bed", "kolibri"):
        tree[f"node_modules/{name}/package.json"] = f'{{"name": "{name}", "main": "go.js"}}\n'
        tree[f"node_modules/{name}/go.js"] = f"var of = '{name}';\n"
        tree[f"node_modules/{name}/LICENSE"] = "Do as you like.\n"
    found = found_in(silent(tmp_path / "p", tree))
    for name in ("lamp", "@oak/stool"):
        assert {found[f"node_modules/{name}/{n}"].file_class for n in ("package.json", "LICENSE")} == {P}
    assert found["node_modules/kolibri/package.json"].file_class is not P


# ---------------------------------------------------------------- what comes, as a whole


def test_an_arrival_most_of_which_lies_here_is_nearly_a_baseline(tmp_path: Path) -> None:
    shipped = modules("core", *(f"m{n}" for n in range(30)))
    root = silent(tmp_path / "p", {**shipped, "core/mine.py": CODE})
    plant(tmp_path / "new", {path: f"{text}# changed\n" for path, text in shipped.items()})
    coming = look_into(str(tmp_path / "new"), installed=list(shipped)).release
    found = found_in(root, arrival=coming)
    assert {found[path].file_class for path in shipped} == {P}
    assert found["core/mine.py"].file_class is not P
    few = {path: f"{text}# changed\n" for path, text in list(shipped.items())[:6]}
    plant(tmp_path / "other", few | modules("else", *(f"q{n}" for n in range(30))))
    other = look_into(str(tmp_path / "other"), installed=list(shipped)).release
    weight = {
        name: next(e.weight for e in found_in(root, arrival=r)["core/m1.py"].why if e.source == "arrival")
        for name, r in (("whole", coming), ("part", other))
    }
    assert weight["whole"] > weight["part"]


def test_folders_that_are_named_for_a_version_are_the_same_folder(tmp_path: Path) -> None:
    assert place_of("share/tool-4.2/doc") == place_of("share/tool-4.10.1/doc") == "share/tool-#/doc"
    root = silent(tmp_path / "p", modules("share/tool-4.2", *(f"m{n}" for n in range(20))))
    plant(tmp_path / "new", modules("share/tool-4.4", *(f"m{n}" for n in range(20))))
    paths = [p.relative_to(root).as_posix() for p in root.rglob("*.py")]
    arrival = look_into(str(tmp_path / "new"), installed=paths)
    assert arrival.root == ""
    found = found_in(root, arrival=arrival.release)
    assert {f.file_class for f in found.values()} == {P}


def test_names_that_a_build_made_are_the_same_name() -> None:
    assert builds_name("app.i0agV2UI.js") == builds_name("app.DMm9YOAa.js") == "app.#.js"
    assert builds_name("texts.po") == "texts.po" and builds_name("lib-core.js") == "lib-core.js"


# ---------------------------------------------------------------- formats


def test_source_code_is_never_settings_and_drawings_are_no_settings() -> None:
    text = b"alpha = 1\nbeta = 2\ngamma = 3\n"
    assert recognise(text, len(text), "a/options.js") == "text plain"
    assert recognise(text, len(text), "a/options.ini") != "text plain"
    drawn = b"<?xml version='1.0'?>\n<!-- a -->\n<svg xmlns='x'></svg>"
    assert recognise(drawn, len(drawn)) == "text svg"
    assert recognise(b"<?xml version='1.0'?><a/>", 25) == "text xml"


def test_a_patched_file_is_never_replaced_unasked_without_a_baseline(mock: Mock) -> None:
    plant(mock.root, {"lib/libcore.so": elf("mocklet 1.0 mended", b"m" * 400)}, mtime=LATER)
    mock.arrive(release("1.1"))
    plan = mock.plan(baseline=False)
    verbs = {move["path"]: move["verb"] for move in plan_json(plan)["moves"]}
    assert verbs["lib/libcore.so"] == "ask" and verbs["lib/libsound.so"] == "replace"
