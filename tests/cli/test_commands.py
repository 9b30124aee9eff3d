"""The command line: names, exit codes, JSON shapes, and one line for every error."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from pathlib import Path
from typing import Any

import pytest

from left_intact.cli.commands import run
from left_intact.core.model import errors
from left_intact.core.model.classes import FileClass
from left_intact.demo.room import Room
from tests.builders import Mock, plant, release


class Line:
    """Runs a command line in this process."""

    def __init__(self, mock: Mock, capfd: pytest.CaptureFixture[str]) -> None:
        self.mock, self.capfd = mock, capfd

    def __call__(self, *words: str, code: int = 0) -> tuple[str, str]:
        got = run(["--home", str(self.mock.folder / "home"), *words])
        out, err = self.capfd.readouterr()
        assert got == code, (got, out, err)
        assert "Traceback" not in err and err.count("\n") <= 1
        return out, err

    def json(self, *words: str, code: int = 0) -> dict[str, Any]:
        said: dict[str, Any] = json.loads(self(*words, "--json", code=code)[0])
        return said


@pytest.fixture
def line(mock: Mock, capfd: pytest.CaptureFixture[str]) -> Line:
    arriving = release("1.1")
    del arriving["lib/libpad.so"]
    arriving["mocklet.ini"] = "[video]\nsmooth = on\nscale = 2\n\n[sound]\nrate = 48000\n"
    mock.edit({"mocklet.ini": "[video]\nsmooth = off\nscale = 2\n\n[sound]\nrate = 44100\n"})
    mock.arrive(arriving)
    return Line(mock, capfd)


def test_the_whole_way(line: Line, tmp_path: Path) -> None:
    mock, root = line.mock, str(line.mock.root)
    before = mock.state()
    survey = line.json("survey", root, "--baseline", str(mock.base))
    assert set(survey["totals"]) == {c.value for c in FileClass} and survey["version"]["text"] == "1.0"
    assert {"path", "bytes", "class", "certainty", "why"} <= set(survey["entries"][0])
    assert {"source", "says", "weight"} <= set(survey["entries"][0]["why"][0])
    plan = line.json("plan", root, str(mock.next), "--baseline", str(mock.base), code=1)  # a question is open
    assert plan["route"] == "in-place" and plan["from_version"] == "1.0" and plan["to_version"] == "1.1"
    assert [q["id"] for q in plan["questions"]] == ["mocklet-ini-sound-rate"] and plan["space"]["free"] > 0
    assert {r["name"] for r in plan["routes"]} >= {"in-place", "graft"} and plan["blockers"] == []
    assert mock.state() == before
    out, err = line("update", root, str(mock.next), "--baseline", str(mock.base), code=1)
    assert "mocklet-ini-sound-rate" in out and "--yes" in err and mock.state() == before
    answers = tmp_path / "answers.toml"
    answers.write_text('[answers]\nmocklet-ini-sound-rate = "arriving"\n')
    proof = line.json("update", root, str(mock.next), "--baseline", str(mock.base), "--answers", str(answers))
    assert (
        proof["verdict"] == "intact"
        and proof["retired"] == 1
        and proof["merged"] == 1
        and proof["lost"] == []
    )
    assert set(proof) >= {"kept", "replaced", "added", "carried", "rehomed", "checks", "altered"}
    assert "rate = 48000" in mock.read("mocklet.ini") and "smooth = off" in mock.read("mocklet.ini")
    assert line.json("prove", "Mocklet")["verdict"] == "intact"
    assert line.json("shelf")["installs"][0]["state"] == "on-trial"
    assert line.json("go-back", "mocklet")["version"] == "1.0" and mock.state() == before
    line("update", root, str(mock.next), "--yes")
    assert line.json("settle", root)["freed"] > 0
    _, err = line("go-back", root, code=3)
    assert "no update on trial" in err
    _, err = line("recover", code=0)


def test_words_for_people(line: Line) -> None:
    root = str(line.mock.root)
    assert "Nothing on the shelf" in line("shelf")[0]
    assert "saves" in line("survey", root)[0]
    assert "Mocklet" in line("shelf")[0]
    assert "question" not in line("plan", root, str(line.mock.next))[1]
    assert "INTACT" in line("update", root, str(line.mock.next), "--yes")[0]
    assert "as it was before" in line("go-back", root)[0]
    assert "nothing to recover" in line("recover")[0]
    assert "left-intact" in line("--version")[0] and "survey" in line("--help")[0]


def test_a_tampered_save_is_told_with_exit_one(line: Line) -> None:
    line("update", str(line.mock.root), str(line.mock.next), "--yes")
    (line.mock.root / "saves/mill.sav").unlink()
    assert line.json("prove", "mocklet", code=1)["lost"] == ["saves/mill.sav"]


@pytest.mark.parametrize(
    ("words", "code", "says"),
    [
        (["survey", "nowhere"], 3, "no install"),
        (["plan", "ROOT", "nowhere.zip"], 3, "no file or folder"),
        (["plan", "ROOT", "BROKEN"], 3, "cannot be read"),
        (["plan", "ROOT", "NEXT", "--route", "by balloon"], 2, "no route"),
        (["plan", "ROOT", "NEXT", "--route", "content-pack"], 2, "a content pack is taken by"),
        (["plan", "ROOT", "NEXT", "--answers", "nowhere.toml"], 2, "answers"),
        (["plan", "ROOT", "NEXT", "--sheet", "BROKEN"], 3, "keepsheet"),
        (["plan", "ROOT", "OLD"], 3, "older"),
        (["update", "ROOT", "OLD", "--yes"], 3, "older"),
        (["prove", "ROOT"], 3, "no update to prove"),
        (["go-back", "ROOT"], 3, "no update on trial"),
        (["settle", "ROOT"], 3, "no update on trial"),
        (["recover", "--forward", "--back"], 2, "exclude"),
        (["frobnicate"], 2, "No such command"),
        (["survey"], 2, "Missing argument"),
        (["demo", "--dir", "ROOT"], 3, "no demo"),
    ],
)
def test_every_refusal_is_one_line(line: Line, words: list[str], code: int, says: str) -> None:
    mock = line.mock
    broken = mock.folder / "broken.zip"
    broken.write_bytes(b"PK\x03\x04 and then nothing")
    old = plant(mock.folder / "mocklet-0.9", release("0.9"))
    names = {"ROOT": str(mock.root), "NEXT": str(mock.next), "BROKEN": str(broken), "OLD": str(old)}
    before = mock.state()
    _, err = line(*(names.get(word, word) for word in words), code=code)
    assert says in err and mock.state() == before


def test_passing_a_blocker_knowingly(line: Line) -> None:
    old = plant(line.mock.folder / "mocklet-0.9", release("0.9"))
    assert "INTACT" in line("update", str(line.mock.root), str(old), "--yes", "--allow", "older-version")[0]


def test_an_interrupted_update_comes_first(line: Line, monkeypatch: pytest.MonkeyPatch) -> None:
    from left_intact.core.carrying.journal import Journal
    from left_intact.core.model.update import State

    root = str(line.mock.root)
    before = line.mock.state()
    line("update", root, str(line.mock.next), "--yes")
    with Journal(line.mock.bench.records.strongbox(line.mock.install).journal_path) as journal:
        journal.set_state(1, State.CARRYING)
    for words in (
        ["plan", root, str(line.mock.next)],
        ["prove", root],
        ["go-back", root],
        ["update", root, str(line.mock.next)],
    ):
        _, err = line(*words, code=4)
        assert "recover" in err
    assert line.json("recover", "--back")["recovered"][0]["install"] == "Mocklet"
    assert line.mock.state() == before


def test_odd_names_in_json(line: Line) -> None:
    with open(os.fsencode(line.mock.root) + b"/saves/\xff.sav", "wb") as file:
        file.write(b"odd")
    assert "saves/\udcff.sav" in [e["path"] for e in line.json("survey", str(line.mock.root))["entries"]]


def test_every_error_is_worded() -> None:
    fault = errors.Fault(code="a", says="x is wrong", way_out="Do y.")
    assert errors.Refusal([fault, fault]).line() == "x is wrong (and 1 more). Do y."
    made = errors.LeftIntactError("c", "it broke.", path="/p", way_out="Mend it.")
    assert made.line() == "it broke: /p. Mend it."
    assert errors.Stopped().line().startswith("stopped") and errors.Misuse("a", "b").exit_code == 2


def test_the_program_itself_starts_as_a_module(tmp_path: Path) -> None:
    done = subprocess.run(
        [sys.executable, "-m", "left_intact", "--home", str(tmp_path), "shelf", "--json"],
        capture_output=True,
        text=True,
        check=True,
    )
    assert json.loads(done.stdout) == {"installs": []}


@pytest.mark.sampled(0)
def test_the_demo_runs_unattended(tmp_path: Path, capfd: pytest.CaptureFixture[str]) -> None:
    assert (
        run(
            ["--home", str(tmp_path / "h"), "demo", "--dir", str(tmp_path / "pier"), "--unattended", "--json"]
        )
        == 0
    )
    said = json.loads(capfd.readouterr().out)
    assert said["good"] and [e["first"] for e in said["examples"]] == ["intact"] * 8
    routes = ["in-place", "in-place", "side-by-side", "single-part", "graft"]
    routes += ["clear-and-restore", "ladder", "content-pack"]
    assert [e["route"] for e in said["examples"]] == routes
    assert all(e["questions"] <= 2 for e in said["examples"])
    assert sum(len(files) for _, _, files in os.walk(tmp_path / "pier/pier")) >= 3000


@pytest.mark.sampled(0)
def test_the_demo_is_the_same_every_time(tmp_path: Path) -> None:
    from left_intact.demo.build import build_demo
    from left_intact.demo.unattended import snapshot

    one, other = build_demo(str(tmp_path / "one")), build_demo(str(tmp_path / "two"))
    for part in ("pier", "downloads"):
        assert snapshot(os.path.join(one.folder, part)) | {"/": ()} == snapshot(
            os.path.join(other.folder, part)
        ) | {"/": ()}


def test_news_hold_fetch_and_pack_on_the_command_line(
    tmp_path: Path, pier: Room, capfd: pytest.CaptureFixture[str]
) -> None:
    from left_intact.demo.build import open_outlet

    room, server = pier, open_outlet(pier)

    def line(*words: str, code: int = 0) -> Any:
        assert run(["--home", room.home, *words]) == code, capfd.readouterr()
        out, err = capfd.readouterr()
        return json.loads(out) if "--json" in words and out else out + err

    try:
        said = line("news", "--check", "--json")["installs"]
        assert [one["newest"] for one in said] == ["4.6.0", "3.8.11", "26.11", None, None, None]
        assert any(x["why"] == "you set sound.rate to 44100" for x in said[0]["notes"])
        assert "4.6.0 is out" in line("news", "brindlemere")
        assert (
            line("hold", "tarnlight", "26.10", "--reason", "the cabinet", "--json")["hold"]["reason"]
            == "the cabinet"
        )
        assert line("news", "tarnlight", "--json")["installs"][0]["newest"] is None
        assert "is no version" in line("hold", "tarnlight", "soon", code=2)
        got = line("fetch", "tarnlight", "26.11", "--json")
        assert "held" in line("update", "tarnlight", got["path"], "--yes", code=3)
        assert "not held" in line("hold", "tarnlight", "--off")
        address = f"{server.url}/files/tarnlight-changed-content-26.11.zip"
        assert line("pack", "tarnlight", address, "--json")["sizes"]["share"] < 200_000
        assert "4 replace something you own" in line("pack", "tarnlight", address)
        assert line("pack", "tarnlight", address, "--lay", "--json")["replaced"] == 4
        assert "INTACT" in line("update", "tarnlight", got["path"], "--yes")
        assert "offers 9.9" in line("fetch", "tarnlight", "9.9", code=3)
        assert "follows" in line("follow", "tarnlight", str(tmp_path))
        assert "does not follow" in line("follow", "tarnlight", "/nowhere", "--stop", code=3)
        assert "Faults" in line("standin", "outlet", room.outlet, "--fault", "tantrum", code=2)
    finally:
        server.shutdown()
        server.server_close()


def test_settling_what_is_not_intact_wants_a_plain_yes(line: Line) -> None:
    root = str(line.mock.root)
    line("update", root, str(line.mock.next), "--baseline", str(line.mock.base), "--yes")
    (line.mock.root / "saves/mill.sav").unlink()
    out, _ = line("prove", root, code=1)
    assert "BROKEN" in out and "saves/mill.sav" in out and "titles" in out
    out, _ = line("settle", root, code=1)
    assert "NOT SETTLED" in out and "saves/mill.sav" in out and "--yes" in out
    said = line.json("settle", root, code=1)
    assert said["settled"] is False and "broken" in said["not_well"][0]
    assert line.json("shelf")["installs"][0]["state"] == "on-trial"
    line("settle", root, "--yes")
    assert line.json("shelf")["installs"][0]["state"] == "settled"


def test_a_going_back_can_be_proven_again(line: Line) -> None:
    root = str(line.mock.root)
    line("update", root, str(line.mock.next), "--baseline", str(line.mock.base), "--yes")
    line("go-back", root)
    assert line.json("prove", root)["verdict"] == "intact"


def test_lines_of_their_own_are_kept_and_shown(line: Line) -> None:
    root = str(line.mock.root)
    assert line.json("look-at", root, "--add", "the harbour at dusk", "--add", "both pads")["look_at"] == [
        "the harbour at dusk",
        "both pads",
    ]
    out, _ = line("update", root, str(line.mock.next), "--baseline", str(line.mock.base), "--yes")
    assert "the harbour at dusk" in out
    out, _ = line("look-at", root, "--drop", "both pads")
    assert out.strip() == "the harbour at dusk"
    _, err = line("look-at", root, "--drop", "nothing like it", code=3)
    assert "nothing like it" in err


def test_a_picture_that_is_none_is_said(line: Line, tmp_path: Path) -> None:
    words = ("update", str(line.mock.root), str(line.mock.next), "--yes")
    _, err = line(*words, "--picture", str(tmp_path / "none.png"), code=2)
    assert "none.png" in err
    (tmp_path / "scene.png").write_bytes(b"x")
    out, _ = line(*words, "--picture", str(tmp_path / "scene.png"))
    assert "scene.png before" in out
