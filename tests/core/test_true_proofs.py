"""`intact` is said only where it is so: each kind of proof, by something that once was passed over."""

from __future__ import annotations

import json
import os
from pathlib import Path

import pytest

from left_intact.core.files.starts import find_starts
from left_intact.core.model.classes import FileClass
from left_intact.core.model.errors import LeftIntactError
from left_intact.core.model.plan import Verb
from left_intact.core.model.proof import Check, CheckState, Proof, Verdict
from left_intact.core.model.things import Thing, ThingLine, ThingRule
from left_intact.core.model.update import State
from left_intact.core.proving.things import count_things
from tests.builders import LATER, LINKS, MODES, PIPES, Mock, Tree, plant, release


def check(proof: Proof, name: str) -> Check:
    return next(c for c in proof.checks if c.name == name)


def proven(mock: Mock) -> Proof:
    return mock.bench.updates.prove(mock.install).proof


@pytest.fixture
def laid(mock: Mock) -> Mock:
    mock.arrive(release("1.1"))
    mock.update()
    return mock


@pytest.fixture
def shut(monkeypatch: pytest.MonkeyPatch) -> list[str]:
    """Names that cannot be opened, whoever runs the tests."""
    names: list[str] = []
    real = os.open

    def refuse(path, flags, *more, **how):  # type: ignore[no-untyped-def]
        if os.path.basename(os.fsdecode(path)) in names:
            raise PermissionError(13, "Permission denied", path)
        return real(path, flags, *more, **how)

    listing = os.scandir

    def refuse_listing(path):  # type: ignore[no-untyped-def]
        if not isinstance(path, int) and os.path.basename(os.fsdecode(path)) in names:
            raise PermissionError(13, "Permission denied", path)
        return listing(path)

    monkeypatch.setattr(os, "open", refuse)
    monkeypatch.setattr(os, "scandir", refuse_listing)
    return names


# ---------------------------------------------------------------- what could not be read


def test_what_cannot_be_read_is_said_and_never_intact(laid: Mock, shut: list[str]) -> None:
    os.utime(laid.root / "saves/mill.sav", (LATER + 5, LATER + 5))
    shut.append("mill.sav")
    proof = proven(laid)
    assert proof.verdict is Verdict.ATTENTION and proof.unread == ("saves/mill.sav",)
    assert "cannot be read" in check(proof, "unreadable").says and not proof.lost and not proof.altered
    assert proof.kept.files == 4 and sum(line.unread for line in proof.ledger) == 1


def test_what_could_not_be_read_before_is_not_as_it_was_either(mock: Mock, shut: list[str]) -> None:
    shut.append("mill.sav")
    mock.arrive(release("1.1"))
    outcome = mock.update()
    assert outcome.proof.verdict is Verdict.ATTENTION and outcome.proof.unread == ("saves/mill.sav",)
    shut.clear()
    assert proven(mock).verdict is Verdict.ATTENTION


def test_a_folder_that_cannot_be_listed_hides_what_is_in_it(laid: Mock, shut: list[str]) -> None:
    os.utime(laid.root / "saves", (LATER + 5, LATER + 5))
    shut.append("saves")
    proof = proven(laid)
    assert not proof.lost and set(proof.unread) >= {"saves/mill.sav", "saves/harbour.sav"}
    assert proof.verdict is Verdict.ATTENTION


@PIPES
def test_a_pipe_that_became_a_file_is_no_pipe(mock: Mock) -> None:
    os.mkfifo(mock.root / "saves/pipe")
    mock.arrive(release("1.1"))
    assert mock.update().proof.verdict is Verdict.INTACT
    (mock.root / "saves/pipe").unlink()
    plant(mock.root, {"saves/pipe": "no pipe"}, mtime=LATER)
    proof = proven(mock)
    assert proof.verdict is Verdict.BROKEN and proof.altered == ("saves/pipe",)


# ---------------------------------------------------------------- rights and links


@MODES
@pytest.mark.parametrize(
    ("path", "mode"), [("mocklet", 0o644), ("saves/mill.sav", 0o444), ("lib/libpad.so", 0o644)]
)
def test_a_right_that_was_lost_is_seen(laid: Mock, path: str, mode: int) -> None:
    (laid.root / path).chmod(mode)
    proof = proven(laid)
    assert proof.verdict is Verdict.ATTENTION and path in check(proof, "rights").says
    assert not proof.lost and not proof.altered


@MODES
def test_a_right_more_is_no_trouble(laid: Mock) -> None:
    (laid.root / "saves/mill.sav").chmod(0o666)
    assert proven(laid).verdict is Verdict.INTACT


@LINKS
def test_a_link_that_leads_out_is_not_proven(laid: Mock) -> None:
    away = plant(laid.folder / "away", {"secret.sav": "s"})
    (laid.root / "away").symlink_to(away)
    proof = proven(laid)
    assert proof.verdict is Verdict.ATTENTION and str(away) in check(proof, "links").says
    # A word of the person's on that very link: they know, and are told that nothing is proven there.
    laid.bench.surveys.rule(laid.install, "away", FileClass.SAVES)
    proof = proven(laid)
    assert proof.verdict is Verdict.INTACT and check(proof, "links").state is CheckState.YOURS
    # One that leads to a root of the install is read like the rest of it.
    laid.bench.surveys.unrule(laid.install, "away")
    assert proven(laid).verdict is Verdict.ATTENTION
    (laid.root / "away").unlink()
    (laid.root / "away").symlink_to("saves")
    assert proven(laid).verdict is Verdict.INTACT


# ---------------------------------------------------------------- common things that were called broken


def test_an_empty_folder_of_theirs_may_receive_a_file(mock: Mock) -> None:
    plant(mock.root, {"plugins": None}, mtime=LATER)
    mock.arrive(release("1.1", plugins__first_so="\x7fELF"))
    outcome = mock.update()
    assert outcome.proof.verdict is Verdict.INTACT, outcome.proof
    plant(mock.root, {"plugins/second.so": "mine"})
    proof = proven(mock)
    assert proof.verdict is Verdict.INTACT and not proof.lost and "plugins/second.so" in proof.appeared


def test_an_empty_folder_that_stays_may_receive_a_file(laid: Mock) -> None:
    plant(laid.root, {"captures": None}, mtime=LATER)
    laid.arrive(release("1.2"), "mocklet-1.2")
    assert laid.update(baseline=False).proof.verdict is Verdict.INTACT
    plant(laid.root, {"captures/one.png": "x"})
    assert not proven(laid).lost and proven(laid).verdict is Verdict.INTACT


def test_the_proof_knows_the_version_where_the_keepsheet_says_it_is(mock: Mock, tmp_path: Path) -> None:
    def numbered(version: str) -> Tree:
        tree = release(version)
        del tree["VERSION"]
        return tree | {"mocklet": b"#!/bin/sh\necho\n", "about.dat": f"build={version};\n"}

    plant(mock.base, numbered("1.0"))
    (mock.base / "VERSION").unlink()
    (mock.root / "VERSION").unlink()
    plant(mock.root, numbered("1.0"))
    sheet = tmp_path / "sheet.toml"
    sheet.write_text('format = 1\n[[version]]\nfile = "about.dat"\npattern = "build=([0-9.]+);"\n')
    mock.arrive(numbered("1.1"))
    draft = mock.bench.updates.draft(mock.install, str(mock.next), baseline=str(mock.base), sheet=str(sheet))
    proof = mock.bench.updates.update(draft.plan(), mock.install).proof
    assert proof.version_after == "1.1" and check(proof, "version").state is CheckState.PASSED


def test_headline_and_checks_speak_of_one_file_alike(laid: Mock) -> None:
    (laid.root / "saves/mill.sav").write_bytes(b"played on")
    proof = proven(laid)
    assert proof.since == ("saves/mill.sav",) and not proof.altered
    saves = next(line for line in proof.ledger if line.file_class == "saves")
    assert (saves.since, saves.trouble) == (1, 0)


# ---------------------------------------------------------------- settling and going back


def test_settling_what_is_not_well_says_so(laid: Mock) -> None:
    assert laid.bench.updates.not_well(laid.install) == ()
    (laid.root / "saves/mill.sav").unlink()
    proven(laid)
    wrong = laid.bench.updates.not_well(laid.install)
    assert wrong[0] == "the proof says broken" and any("mill.sav" in line for line in wrong)


def test_going_back_is_proven_and_the_proof_is_kept(laid: Mock) -> None:
    back = laid.bench.updates.back.go(laid.install)
    assert back.proof is not None and back.proof.verdict is Verdict.INTACT
    again = laid.bench.updates.prove(laid.install)
    assert again.proof.verdict is Verdict.INTACT and again.update.undoes == (back.update.id,)
    assert laid.bench.updates.last_proof(laid.install)["verdict"] == "intact"
    (laid.root / "saves/mill.sav").unlink()
    assert proven(laid).lost == ("saves/mill.sav",)


# ---------------------------------------------------------------- whole, or not


def big(version: str, number: int = 14) -> Tree:
    return release(version) | {f"data/part{n}.dat": f"part {n} of {version}" * 9 for n in range(number)}


@pytest.fixture
def large(mock: Mock) -> Mock:
    plant(mock.base, big("1.0"))
    plant(mock.root, big("1.0"))
    return mock


def test_a_hotfix_is_laid_as_a_patch(large: Mock) -> None:
    fix = {
        path: content
        for path, content in big("1.0.1").items()
        if path in ("mocklet", "VERSION", "lib/libpad.so")
    }
    large.arrive(fix, "mocklet-1.0.1")
    plan = large.plan()
    question = next(q for q in plan.questions if q.id == "patch")
    assert question.default == "patch" and not [m for m in plan.moves if m.verb is Verb.RETIRE]
    outcome = large.update()
    assert outcome.proof.verdict is Verdict.INTACT and outcome.proof.version_after == "1.0.1"
    assert (large.root / "data/part3.dat").exists() and outcome.proof.counts[Verb.REPLACE] == 3
    # The next release is drawn against the whole program, the patch over it.
    large.arrive(big("1.1"), "mocklet-1.1")
    plan = large.plan(baseline=False)
    assert not plan.questions and len([m for m in plan.moves if m.verb is Verb.REPLACE]) > 15


def test_a_small_release_is_taken_whole_where_they_say_so(large: Mock) -> None:
    large.arrive({"mocklet": "#!/bin/sh\n# 1.0.1\n", "VERSION": "1.0.1\n"}, "mocklet-1.0.1")
    plan = large.plan({"patch": "release"})
    assert len([m for m in plan.moves if m.verb is Verb.RETIRE]) > 15


def test_what_is_neither_release_nor_patch_is_refused(large: Mock) -> None:
    large.arrive(
        {"README": "read", "new/a": "1", "new/b": "2", "mocklet": "#!/bin/sh\n#1.0.1\n"}, "mocklet-1.0.1"
    )
    assert "not-a-release" in {f.code for f in large.plan().blockers}


def test_without_a_baseline_most_of_what_comes_is_evidence(large: Mock) -> None:
    for path in large.root.rglob("*"):
        os.utime(path, (LATER, LATER))  # one time for all: times tell nothing
    large.arrive(big("1.1"))
    outcome = large.update(baseline=False)
    assert outcome.proof.verdict is Verdict.INTACT and outcome.proof.version_after == "1.1"
    for path, content in big("1.1").items():
        if path != "mocklet.ini":
            data = content.encode() if isinstance(content, str) else content
            assert (large.root / path).read_bytes() == data, path


def test_an_update_that_leaves_the_old_is_not_whole(large: Mock) -> None:
    """Too much of what comes is new here to be evidence, so questions stand; their defaults keep the old."""
    for path in large.root.rglob("*"):
        os.utime(path, (LATER, LATER))
    large.arrive(big("1.1") | {f"more/{n}.bin": f"new {n}" * 30 for n in range(40)})
    plan = large.plan(baseline=False)
    assert "not-whole" in {f.code for f in plan.warnings}
    proof = large.update(baseline=False).proof
    assert proof.verdict is Verdict.ATTENTION and "data/part3.dat" in proof.stayed_old
    assert check(proof, "not whole").state is CheckState.FAILED
    # Where the person says that the arriving ones are right, it is.
    large.bench.updates.back.go(large.install)
    draft = large.draft(baseline=False)
    answers = {q.id: "arriving" if "arriving" in q.options else q.default for q in draft.plan().questions}
    assert "not-whole" not in {f.code for f in draft.plan(answers).warnings}
    proof = large.bench.updates.update(draft.plan(answers), large.install).proof
    assert proof.verdict is Verdict.INTACT and not proof.stayed_old


def test_what_nobody_can_prove_is_kept_by_settling(mock: Mock) -> None:
    """A library that the person patched, in an install without baseline and with one time for all."""
    plant(mock.root, {"lib/libpad.so": b"\x7fELF" + b"patched by me" * 20})
    for path in mock.root.rglob("*"):
        os.utime(path, (LATER, LATER))
    mine = (mock.root / "lib/libpad.so").read_bytes()
    mock.arrive(release("1.1"))
    plan = mock.plan(baseline=False)
    asked = {at.shown: q for q in plan.questions for at in q.paths}
    assert not [w for w in plan.warnings if w.code == "not-whole"]  # unless chosen otherwise, others are laid
    assert "lib/libpad.so" in asked and "lib/libcore.so" in asked  # nothing shows who wrote what is in them
    mock.bench.updates.update(
        mock.plan({q.id: "arriving" for q in plan.questions}, baseline=False), mock.install
    )
    assert (mock.root / "lib/libpad.so").read_bytes() != mine
    mock.bench.updates.settle(mock.install)
    held = [h for h in mock.bench.keeping.look(mock.install).held if "lib/libpad.so" in h.places]
    assert held and held[0].yours
    target = mock.folder / "out"
    target.mkdir()
    mock.bench.keeping.take(mock.install, "lib/libpad.so", str(target))
    assert [p.read_bytes() for p in target.rglob("libpad*")] == [mine]


def test_with_a_baseline_the_old_program_is_freed(laid: Mock) -> None:
    assert laid.bench.updates.settle(laid.install).freed > 0
    assert laid.bench.records.history(laid.install)[0].state is State.SETTLED
    assert not [h for h in laid.bench.keeping.look(laid.install).held if "lib/libpad.so" in h.places]


# ---------------------------------------------------------------- things


def line_of(proof: Proof, thing: Thing) -> ThingLine:
    return next(line for line in proof.things if line.thing is thing)


def test_things_are_counted_before_and_after(mock: Mock) -> None:
    plant(mock.root, {"art/harbour.png": b"\x89PNG\r\n\x1a\n", "games/mill.cart": b"\x05" * 99}, mtime=LATER)
    mock.arrive(release("1.1"))
    proof = mock.update().proof
    assert line_of(proof, Thing.TITLES).after == 2 and line_of(proof, Thing.SAVES).before == 2
    assert check(proof, "things").state is CheckState.PASSED
    (mock.root / "games/mill.cart").unlink()
    proof = proven(mock)
    assert line_of(proof, Thing.TITLES).missing == ("games/mill",)
    assert check(proof, "things").state is CheckState.FAILED


SHEET = """format = 1
[[things]]
counts = "titles"
file = "{file}"
at = "{at}"
name = "{name}"

[[things]]
counts = "mods"
file = "mods.json"
at = "mods"
name = "mod"
on = "on"
"""
LISTS = {
    "library.json": ("shelf.games", "title", '{{"shelf": {{"games": [{0}]}}}}', '{{"title": "g{0}"}}', ","),
    "library.toml": ("games", "title", "{0}", '[[games]]\ntitle = "g{0}"', "\n"),
    "library.xml": ("game", "name", "<all>{0}</all>", "<game><name>g{0}</name></game>", ""),
    "library.txt": ("", "", "{0}\n", "g{0}", "\n"),
    "library.ini": ("games", "", "[games]\n{0}\n", "g{0} = here", "\n"),
}


@pytest.mark.parametrize("file", LISTS)
def test_a_list_of_the_programs_own_that_shrank_is_attention(mock: Mock, tmp_path: Path, file: str) -> None:
    """Every file is there; the new program no longer lists its titles."""
    at, name, whole, one, between = LISTS[file]

    def listing(number: int) -> str:
        return whole.format(between.join(one.format(n) for n in range(number)))

    mods = {"mods": [{"mod": "rain", "on": True}, {"mod": "fog", "on": True}, {"mod": "dusk", "on": False}]}
    plant(mock.root, {file: listing(163), "mods.json": json.dumps(mods)}, mtime=LATER)
    sheet = tmp_path / "sheet.toml"
    sheet.write_text(SHEET.format(file=file, at=at, name=name))
    mock.arrive(release("1.1"))
    draft = mock.bench.updates.draft(mock.install, str(mock.next), baseline=str(mock.base), sheet=str(sheet))
    proof = mock.bench.updates.update(draft.plan(), mock.install).proof
    assert proof.verdict is Verdict.INTACT, proof.checks
    assert line_of(proof, Thing.TITLES).after == 163 and line_of(proof, Thing.MODS_ON).after == 2
    mods["mods"][1]["on"] = False
    plant(mock.root, {file: listing(0) or "[games]\n", "mods.json": json.dumps(mods)}, mtime=LATER)
    proof = proven(mock)
    assert proof.verdict is not Verdict.INTACT and check(proof, "things").state is CheckState.FAILED
    assert line_of(proof, Thing.TITLES).after == 0 and len(line_of(proof, Thing.TITLES).missing) == 163
    assert line_of(proof, Thing.MODS_ON).missing == ("fog",) and "fog" in line_of(proof, Thing.MODS_OFF).new


def test_a_list_that_is_gone_or_no_list_is_said(mock: Mock, tmp_path: Path) -> None:
    plant(mock.root, {"library.json": "[{", "mods.json": "{}"}, mtime=LATER)
    sheet = tmp_path / "sheet.toml"
    sheet.write_text(SHEET.format(file="library.json", at="games", name="title"))
    mock.arrive(release("1.1"))
    draft = mock.bench.updates.draft(mock.install, str(mock.next), baseline=str(mock.base), sheet=str(sheet))
    proof = mock.bench.updates.update(draft.plan(), mock.install).proof
    assert proof.verdict is Verdict.ATTENTION and "library.json" in check(proof, "things").says


@LINKS
def test_ways_to_start_are_things(mock: Mock, monkeypatch: pytest.MonkeyPatch) -> None:
    apps = mock.folder / "nobody" / "data" / "applications"
    apps.mkdir(parents=True)
    desktop = apps / "mocklet.desktop"
    desktop.write_text(f"[Desktop Entry]\nName=Mocklet\nExec={mock.root}/mocklet %f\n")
    home = mock.folder / "nobody" / ".local" / "bin"
    home.mkdir(parents=True)
    (home / "mocklet-1.0").symlink_to(mock.root / "mocklet")
    mock.arrive(release("1.1"))
    proof = mock.update().proof
    starts = line_of(proof, Thing.STARTS)
    assert (starts.before, starts.after) == (2, 2) and proof.verdict is Verdict.INTACT
    assert "mocklet-1.0" in check(proof, "ways to start").says
    desktop.write_text("[Desktop Entry]\nExec=/nowhere/mocklet\n")
    proof = proven(mock)
    assert proof.verdict is Verdict.ATTENTION and line_of(proof, Thing.STARTS).missing == (str(desktop),)
    for name, text, is_one in (
        ("play.sh", f"{mock.root}/mocklet\n", True),
        ("play", f"#! /bin/sh\n{mock.root}/mocklet\n", True),
        ("notes.txt", f"{mock.root}/mocklet\n", False),
        ("long.sh", f"{mock.root}/mocklet\n" + "#" * (1 << 16), False),
    ):
        (home / name).write_text(text)
        assert any(s.path == str(home / name) for s in find_starts(str(mock.root), [str(home)])) is is_one


def test_what_they_want_to_tick_comes_again_in_their_words(laid: Mock) -> None:
    updates = laid.bench.updates
    updates.set_look_at(laid.install, ["the  harbour at\n dusk", "", "the harbour at dusk", "both pads"])
    assert updates.look_at(laid.install) == ("the harbour at dusk", "both pads")
    says = [c.says for c in proven(laid).checks if c.name == "yours to tick"]
    assert says[:2] == ["the harbour at dusk", "both pads"]
    laid.arrive(release("1.2"), "mocklet-1.2")
    assert laid.update(baseline=False).proof.look_at == ("the harbour at dusk", "both pads")


def test_a_picture_before_is_held_against_the_one_after(mock: Mock) -> None:
    shot = b"\x89PNG\r\n\x1a\n" + b"before" * 20
    plant(mock.root, {"captures/one.png": shot}, mtime=LATER)
    mock.arrive(release("1.1"))
    proof = mock.update().proof
    before, after = proof.pictures
    assert before.endswith("one.png") and after == "" and "none yet" in str([c.says for c in proof.checks])
    plant(mock.root, {"captures/two.png": shot + b"after"}, mtime=LATER + 60)
    assert proven(mock).pictures[1].endswith("two.png")
    assert mock.bench.updates.pictures(mock.install) == (shot, shot + b"after")


# ---------------------------------------------------------------- counting, by itself


def counted(
    items: list[tuple[str, str]], rules: list[ThingRule] | None = None, **files: str
) -> dict[str, list[str]]:
    found = count_things(
        [(path, FileClass(kind), "") for path, kind in items],
        lambda path: files[path.partition(".")[0]].encode() if path.partition(".")[0] in files else None,
        rules or [],
    )
    return {one.thing.value: list(one.names) or [one.trouble] * bool(one.trouble) for one in found}


def test_mods_profiles_and_scripts_are_counted_where_they_lie() -> None:
    items = [
        ("mods/rain/a.tex", "extras"),
        ("mods/rain/b.tex", "extras"),
        ("mods/fog.off/a.tex", "extras"),
        ("mods/dusk.zip", "extras"),
        ("profiles/mo/pads.ini", "settings"),
        ("start at the door.sh", "unsorted"),
        ("bin/start.cmd", "unsorted"),
        ("deep/er/start.sh", "unsorted"),
        ("mods/shipped.dat", "program"),
    ]
    assert counted(items) == {
        "mods on": ["mods/dusk.zip", "mods/rain"],
        "mods off": ["mods/fog"],
        "profiles": ["profiles/mo"],
        "ways to start it": ["bin/start.cmd", "start at the door.sh"],
    }


@pytest.mark.parametrize(
    ("rule", "text", "names"),
    [
        (ThingRule(counts="titles", file="l.json", name="t"), '[{"t": "a"}, {"u": "b"}, "c"]', ["a", "c"]),
        (ThingRule(counts="titles", file="l.json", at="g"), '{"g": {"a": 1, "b": {}}}', ["a", "b"]),
        (
            ThingRule(counts="titles", file="l.json", at="g.h"),
            '{"g": [1]}',
            ["l.json: there is no g.h in it"],
        ),
        (
            ThingRule(counts="titles", file="l.json", at="g.h"),
            '{"g": "gh"}',
            ["l.json: there is no g.h in it"],
        ),
        (
            ThingRule(counts="titles", file="l.json", at="g", name="t"),
            '{"g": {"a": {"t": "x"}, "b": {}}}',
            ["b", "x"],
        ),
        (ThingRule(counts="titles", file="l.json", at="g"), '{"g": 5}', ["l.json: g is no list"]),
        (ThingRule(counts="titles", file="l.json"), "{", ["l.json: it cannot be read as what it looks like"]),
        (ThingRule(counts="titles", file="l.xml", at="g"), "<a><b", ["l.xml: it is no valid XML"]),
        (ThingRule(counts="titles", file="l.xml", name="t"), '<a><b t="x"/><c><t>y</t></c></a>', ["x", "y"]),
        (ThingRule(counts="titles", file="l.txt"), "# none\na\n\n b \n", ["a", "b"]),
        (ThingRule(counts="titles", file="gone.txt"), "", ["gone.txt cannot be read"]),
    ],
)
def test_lists_of_every_kind_and_what_is_none(rule: ThingRule, text: str, names: list[str]) -> None:
    assert counted([], [rule], l=text)["titles"] == names


def test_mods_of_a_list_are_on_as_it_says() -> None:
    listed = ThingRule(counts="mods", file="l.json", at="m", on="use")
    text = '{"m": {"rain": {"use": true}, "fog": {"use": false}, "dusk": 1, "haze": 0}}'
    assert counted([], [listed], l=text) == {"mods on": ["dusk", "rain"], "mods off": ["fog", "haze"]}
    rule = ThingRule(counts="mods", file="l.ini", at="mods")
    assert counted([], [rule], l="[mods]\nrain = on\nfog = off\ndusk = 1\n[other]\nx = on\n") == {
        "mods on": ["dusk", "rain"],
        "mods off": ["fog"],
    }


def test_a_file_of_a_title_is_counted_once_and_with_its_picture() -> None:
    items = [("disc/moth.cue", "content"), ("disc/moth.bin", "content"), ("disc/lamp.bin", "content")]
    found = counted([*items, ("art/Moth.png", "extras")])
    assert found["titles"] == ["disc/lamp", "disc/moth"] and found["titles with pictures"] == ["disc/moth"]


def test_all_rules_of_one_kind_count(mock: Mock) -> None:
    """Two rules for one kind are one line of the ledger: none takes the other's place."""
    rules = [ThingRule(counts="titles", files="games/*.cart"), ThingRule(counts="titles", file="l", at="")]
    one, *more = count_things([("games/moth.cart", FileClass.CONTENT, "")], lambda _: b"lamp\n", rules)
    assert not more and one.names == ("games/moth.cart", "lamp")
    assert one.rule == "all in l and files that meet games/*.cart"
    sheet = "".join(
        f'[[things]]\ncounts = "titles"\n{how}\n' for how in ('file = "l.txt"', 'files = "**/*.cart"')
    )
    plant(mock.root, {"l.txt": "lamp\n", "games/mill.cart": b"\x05" * 99}, mtime=LATER)
    mock.bench.surveys.take_sheet(mock.install, f"format = 1\n{sheet}")
    mock.arrive(release("1.1"))
    titles = line_of(mock.update().proof, Thing.TITLES)
    assert titles.before == titles.after and titles.before > 2 and not (titles.missing or titles.new)
    plant(mock.root, {"l.txt": "moth\n"}, mtime=LATER)
    (mock.root / "games/mill.cart").unlink()
    assert line_of(proven(mock), Thing.TITLES).missing == ("games/mill.cart", "lamp")


def test_what_can_be_rebuilt_may_change_by_itself(mock: Mock) -> None:
    plant(mock.root, {"cache/a.tmp": "x" * 40, "cache/b.tmp": "y" * 40}, mtime=LATER)
    mock.bench.surveys.rule(mock.install, "cache/", FileClass.CACHE)
    mock.arrive(release("1.1"))
    mock.update()
    plant(mock.root, {"cache/a.tmp": "z"}, mtime=LATER)
    (mock.root / "cache/b.tmp").unlink()
    proof = proven(mock)
    cache = next(line for line in proof.ledger if line.file_class is FileClass.CACHE)
    assert proof.verdict is Verdict.INTACT and cache.agreed == 2 and not proof.lost and not proof.altered


def test_merged_values_of_theirs_are_counted_as_theirs(mock: Mock) -> None:
    mock.edit({"mocklet.ini": "[video]\nsmooth = off\nscale = 2\n\n[sound]\nrate = 22050\n"})
    arriving = release("1.1")
    arriving["mocklet.ini"] = "[video]\nsmooth = on\nscale = 3\nlines = 0\n\n[sound]\nrate = 22050\n"
    mock.arrive(arriving)
    says = check(mock.update().proof, "merged").says
    assert says == "mocklet.ini: 1 value of yours kept, 2 keys from the release"


@pytest.mark.parametrize("name", ["libpad.so", "lib"])
def test_going_back_over_what_cannot_be_read_is_refused_whole(laid: Mock, shut: list[str], name: str) -> None:
    """Else that place would stay as the update left it, and the update count as taken back."""
    before = laid.state()
    place = next(p for p in laid.root.rglob(name))
    os.utime(place, (LATER + 7, LATER + 7))
    before = laid.state()
    shut.append(name)
    with pytest.raises(LeftIntactError) as error:
        laid.bench.updates.back.go(laid.install)
    assert "cannot be read" in error.value.line() and name in error.value.line()
    shut.clear()
    assert laid.state() == before and laid.bench.records.history(laid.install)[0].state is State.ON_TRIAL
    laid.bench.updates.back.go(laid.install)
    assert laid.read("VERSION") == "1.0\n"
