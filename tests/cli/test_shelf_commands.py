"""The shelf in order: what may be on it, names, places, history; and texts that name anybody's files."""

from __future__ import annotations

import os
from pathlib import Path

import pytest

from tests.builders import BYTES, FORKS, LATER, Mock, plant, release
from tests.chains import at_the_third, in_child
from tests.cli.test_commands import Line


@pytest.fixture
def line(mock: Mock, capfd: pytest.CaptureFixture[str]) -> Line:
    mock.arrive(release("1.1"))
    return Line(mock, capfd)


def names(line: Line) -> list[str]:
    return [row["name"] for row in line.json("shelf")["installs"]]


def test_what_is_no_install_is_refused_and_not_on_the_shelf(
    line: Line, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    home = tmp_path / "nobody"
    home.mkdir(exist_ok=True)
    (home / "letters").write_text("x")
    (tmp_path / "empty").mkdir()
    (tmp_path / "a text").write_text("no folder")
    line("survey", str(line.mock.root))
    for place, says in (
        (os.path.abspath(os.sep), "whole disk"),
        (str(home), "a home"),
        (str(tmp_path), "a home"),
        (str(tmp_path / "a text"), "this is a file"),
        (str(tmp_path / "empty"), "nothing in this folder"),
        (str(tmp_path / "home"), "its own things"),
        (str(tmp_path / "nowhere"), "no install of this name"),
    ):
        for command in ("survey", "history"):
            _, err = line(command, place, code=3)
            assert says in err and place in err, place
    monkeypatch.setenv("HOME", os.path.join(os.path.abspath(os.sep), "nobody is at home"))
    _, err = line("survey", str(tmp_path), code=3)
    assert "holds other installs: Mocklet" in err
    assert names(line) == ["Mocklet"]


def test_forget_rename_move(line: Line, tmp_path: Path) -> None:
    root = str(line.mock.root)
    before = line.mock.state()
    line("update", root, str(line.mock.next), "--baseline", str(line.mock.base), "--yes")
    assert line.json("rename", "mocklet", "The  good one")["install"] == "The good one"
    _, err = line("rename", "the good one", "a/b", code=2)
    assert "is no name" in err
    other = plant(tmp_path / "second", release("1.0"))
    line("survey", str(other))
    _, err = line("rename", str(other), "the GOOD one", code=3)
    assert "another install is called" in err
    # It was copied elsewhere, as people do: then it is looked for there.
    there = tmp_path / "elsewhere"
    Path(root).rename(there)
    assert line.json("move", "the good one", str(there))["root"] == str(there)
    assert line.json("prove", "the good one")["verdict"] == "intact"
    _, err = line("move", "the good one", str(tmp_path / "nowhere"), code=3)
    assert "nowhere" in err
    line("go-back", "the good one")
    assert line.json("forget", "the good one")["forgotten"] and names(line) == ["Second"]
    _, err = line("forget", "the good one", code=3)
    assert "no install of this name" in err
    there.rename(root)
    assert line.mock.state() == before
    line("forget", str(tmp_path / "never seen"), code=3)
    assert names(line) == ["Second"]


@FORKS
def test_what_is_not_at_its_end_is_not_forgotten(line: Line) -> None:
    line("survey", str(line.mock.root))
    assert in_child(lambda: line.mock.update(report=at_the_third))
    line("forget", "mocklet", code=4)
    assert names(line) == ["Mocklet"]


def test_history_tells_each_update(line: Line) -> None:
    root = str(line.mock.root)
    assert "never updated" in line("history", root)[0]
    line("update", root, str(line.mock.next), "--baseline", str(line.mock.base), "--yes")
    line("go-back", root)
    line("update", root, str(line.mock.next), "--yes")
    line("settle", root)
    said = line.json("history", root)["updates"]
    assert [(u["kind"], u["state"], u["verdict"]) for u in said] == [
        ("update", "settled", "intact"),
        ("back", "done", "intact"),
        ("update", "gone-back", "intact"),
    ]
    assert said[0]["from_version"] == "1.0" and said[0]["to_version"] == "1.1"
    out, _ = line("history", root)
    assert out.count("intact") == 3 and "1.0 → 1.1" in out and "back" in out


def test_a_plan_names_what_changes(line: Line) -> None:
    root = str(line.mock.root)
    words = ("plan", root, str(line.mock.next), "--baseline", str(line.mock.base))
    out, _ = line(*words)
    assert "replace" in out and "lib/libcore.so" in out and "saves/mill.sav" not in out
    out, _ = line(*words, "-v")
    assert "saves/mill.sav" in out
    line.mock.edit({"mocklet.ini": "[video]\nsmooth = off\nscale = 2\n\n[sound]\nrate = 44100\n"})
    arriving = release("1.1")
    arriving["mocklet.ini"] = "[video]\nsmooth = on\nscale = 3\n\n[sound]\nrate = 48000\n"
    line.mock.arrive(arriving)
    out, _ = line(*words, code=1)
    assert "key by key" in out and "video.scale = 3" in out and "? mocklet-ini-sound-rate" in out
    line.mock.arrive(release("0.9"), "mocklet-0.9")
    out, _ = line("plan", root, str(line.mock.next), code=3)
    assert "BLOCKED" in out and "older" in out


@BYTES
def test_no_name_speaks_to_the_terminal(line: Line) -> None:
    plant(line.mock.root, {"memory/\x1b[31mred\x07": "x", "memory/\u202egpj.exe": "y"}, mtime=LATER)
    for words in (("survey",), ("plan", str(line.mock.next), "-v"), ("rule", "memory/", "saves")):
        out, err = line(words[0], str(line.mock.root), *words[1:])
        assert not any(sign in out + err for sign in ("\x1b", "\x07", "\u202e")), words


def test_update_all_lays_what_has_no_question_and_stops_at_what_is_not_intact(
    line: Line, tmp_path: Path
) -> None:
    assert "nothing waits" in line("update", "--all")[0]
    mock, bench = line.mock, line.mock.bench
    asks = plant(tmp_path / "asks", release("1.0"))
    plant(asks, {"mocklet.ini": "[video]\nsmooth = off\nscale = 2\n\n[sound]\nrate = 44100\n"}, mtime=LATER)
    arriving = release("1.1")
    arriving["mocklet.ini"] = "[video]\nsmooth = on\nscale = 2\n\n[sound]\nrate = 48000\n"
    mock.arrive(arriving)
    for root, base in ((asks, mock.base), (mock.root, mock.base)):
        install = bench.shelf.find(str(root))
        bench.surveys.set_baseline(install, str(base))
        bench.shelf.set_waiting(install, bench.surveys.arrival(install, str(mock.next)))
    said = line.json("update", "--all", code=1)
    assert [one["install"] for one in said["left"]] == ["Asks"] and "question" in said["left"][0]["because"]
    assert said["updated"] == [{"install": "Mocklet", "version": "1.1", "verdict": "intact"}]
    assert (asks / "VERSION").read_text() == "1.0\n" and mock.read("VERSION") == "1.1\n"
    assert "Asks" in line("update", "--all", code=1)[0]
    _, err = line("update", "--all", "mocklet", code=2)
    assert "--all" in err
    # Without an arrival, what waits is laid.
    line("update", "asks", "--yes")
    assert (asks / "VERSION").read_text() == "1.1\n"
    _, err = line("update", "asks", code=3)
    assert "nothing waits for Asks" in err


def test_update_all_stops_at_the_first_that_is_not_intact(line: Line, tmp_path: Path) -> None:
    mock, bench = line.mock, line.mock.bench
    other = plant(tmp_path / "zzz", release("1.0"))
    for root in (mock.root, other):
        install = bench.shelf.find(str(root))
        bench.surveys.set_baseline(install, str(mock.base))
        bench.shelf.set_waiting(install, bench.surveys.arrival(install, str(mock.next)))
    (mock.root / "away").symlink_to(tmp_path)  # a link that leads out is never intact
    said = line.json("update", "--all", code=1)
    assert said["stopped_at"] == "Mocklet" and (other / "VERSION").read_text() == "1.0\n"


def test_the_shelf_gives_the_version_that_lies_there(line: Line) -> None:
    root = str(line.mock.root)

    def version() -> str:
        return line.json("shelf")["installs"][0]["version"]  # type: ignore[no-any-return]

    line("survey", root)
    line("update", root, str(line.mock.next), "--baseline", str(line.mock.base), "--yes")
    assert version() == "1.1"
    line("go-back", root)
    assert version() == "1.0"


def test_what_cannot_be_read_is_said_and_not_counted_as_nothing(
    line: Line, monkeypatch: pytest.MonkeyPatch
) -> None:
    real = os.scandir

    def shut(path: object) -> object:
        if not isinstance(path, int) and os.path.basename(os.fsdecode(path)) == "saves":  # type: ignore[arg-type]
            raise PermissionError(13, "Permission denied", path)
        return real(path)  # type: ignore[call-overload]

    monkeypatch.setattr(os, "scandir", shut)
    said = line.json("survey", str(line.mock.root))
    assert [one["path"] for one in said["unread"]] == ["saves"] and said["totals"]["saves"]["files"] == 0
    out, _ = line("survey", "mocklet")
    assert "1 place that cannot be read" in out and "saves  (" in out
    assert "1 place in it cannot be read" in line("shelf")[0]


def test_an_outlet_or_a_baseline_that_is_none_is_no_success(line: Line, tmp_path: Path) -> None:
    root = str(line.mock.root)
    line("survey", root)
    line("follow", "mocklet", "http://127.0.0.1:9/feed.xml")
    out, err = line("news", "mocklet", "--check", code=1)
    assert "cannot be reached" in out and "127.0.0.1:9" in err
    line("news", "mocklet")  # what is known is told all the same
    (tmp_path / "hollow").mkdir()
    other = plant(tmp_path / "other", {f"other{n}": "x" for n in range(9)})
    for none in (str(tmp_path / "hollow"), str(other)):
        for words in (
            ("baseline", root, none),
            ("survey", root, "--baseline", none),
            ("plan", root, str(line.mock.next), "--baseline", none),
            ("update", root, str(line.mock.next), "--baseline", none),
        ):
            _, err = line(*words, code=3)
            assert "not the release" in err and none in err, words
