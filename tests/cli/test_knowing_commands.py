"""Commands of knowing a program: what they answer, in words and JSON, and how they refuse."""

from __future__ import annotations

import io
import json
import subprocess
import sys
from pathlib import Path

import pytest

from left_intact.core.keepsheet.format import json_schema
from left_intact.core.keepsheet.sheet import parse_sheet
from tests.builders import LATER, SCRIPTS, Mock, plant, release, zipped
from tests.cli.test_commands import Line
from tests.lived_in import emulator


@pytest.fixture
def line(mock: Mock, capfd: pytest.CaptureFixture[str]) -> Line:
    return Line(mock, capfd)


def test_rulings(line: Line) -> None:
    root = str(line.mock.root)
    seen = line.json("rule", root, "saves/", "extras", "--preview")
    assert seen["changes"] == 2 and not seen["ruled"] and line.json("rulings", root)["rulings"] == []
    out, _ = line("rule", root, "saves/", "extras")
    assert "changes 2" in out and "saves/mill.sav" in out
    assert line.json("rulings", root)["rulings"] == [{"pattern": "saves/", "class": "extras"}]
    assert {e["class"] for e in line.json("survey", root)["entries"] if e["path"].startswith("saves/")} == {
        "extras"
    }
    assert (
        "taken back" in line("rule", root, "saves/", "--undo")[0] and "no rulings" in line("rulings", root)[0]
    )
    assert (
        "is no class" in line("rule", root, "x", "pets", code=2)[1]
        and "a class is missing" in line("rule", root, "x", code=2)[1]
    )
    assert "no ruling on this" in line("rule", root, "x", "--undo", code=3)[1]


def test_sheets(line: Line, tmp_path: Path) -> None:
    root, file = str(line.mock.root), tmp_path / "sheet.toml"
    assert json.loads(line("sheet", "--schema")[0]) == json_schema()
    line("rule", root, "notes on harbour.txt", "content")
    assert line("sheet", root, "--export", str(file))[0].strip() == str(file)
    assert "is a keepsheet: 1 pattern" in line("sheet", "--check", str(file))[0]
    file.write_text('format = 1\n[classes]\n"games/" = "extras"\n')
    line("sheet", root, "--import", str(file))
    file.write_text('format = 1\n[classes]\n"games/" = "cache"\n"more/" = "saves"\n')
    out, err = line("sheet", root, "--merge", str(file))
    assert "games/ is extras here and cache there" in err and '"more/" = "saves"' in out
    parse_sheet(line.json("sheet", root)["sheet"], "json")
    file.write_text("format = 1\n[classes]\nx = 3\n")
    assert "line 3" in line("sheet", root, "--import", str(file), code=3)[1]
    assert "line 3" in line("sheet", "--check", str(file), code=3)[1]
    assert "an install is missing" in line("sheet", code=2)[1]


def test_a_watched_run(line: Line, monkeypatch: pytest.MonkeyPatch) -> None:
    mock = line.mock
    mock.edit({"go.sh": "#!/bin/sh\necho 'a = 1' > made.cfg\n"})
    out, _ = line("watch", str(mock.root), "./go.sh")
    assert "1 file made" in out and "made.cfg   a stub so far" in out
    monkeypatch.setattr(sys, "stdin", io.StringIO("\n"))
    out, err = line("watch", str(mock.root))
    assert "press Enter" in err and "0 files made" in out
    assert "could not be started" in line("watch", str(mock.root), "./none", code=3)[1]


def test_baselines(line: Line, tmp_path: Path) -> None:
    mock, root = line.mock, str(line.mock.root)
    (tmp_path / "old").mkdir()
    zipped(release("1.0"), tmp_path / "old" / "mocklet-1.0.zip")
    zipped(release("0.8"), tmp_path / "old" / "mocklet-0.8.zip")
    found = line.json("baseline", root, "--in", str(tmp_path / "old"))
    assert [c["fits"] for c in found["candidates"]] == [True, False] and found["taken"] is None
    assert line.json("survey", root)["baseline"] is None
    assert "on record" in line("baseline", root, "--in", str(tmp_path / "old"), "--take")[0]
    assert line.json("survey", root)["baseline"] == "1.0"
    assert line.json("baseline", root, str(mock.base))["baseline"] == "1.0"
    assert (
        "no release was found"
        in line("baseline", root, "--in", str(tmp_path / "old" / "mocklet-0.8.zip"), "--take", code=3)[1]
    )
    assert "a release is missing" in line("baseline", root, code=2)[1]


def test_roots(line: Line, tmp_path: Path) -> None:
    root = str(line.mock.root)
    away = plant(tmp_path / "away", {"a.sav": b"\x01" * 512}, mtime=LATER)
    out, _ = line("roots", root, "--add", str(away), "--label", "saves")
    assert str(away) in out
    said = line.json("survey", root)
    assert any(e["path"] == "saves:/a.sav" and e["class"] == "saves" for e in said["entries"])
    assert said["roots"] == [{"label": "saves", "place": str(away)}]
    assert line.json("roots", root)["roots"] == [{"label": "saves", "place": str(away)}]
    assert "lie in each other" in line("roots", root, "--add", root + "/saves", code=3)[1]
    line("roots", root, "--drop", "saves")
    assert "no root called" in line("roots", root, "--drop", "saves", code=3)[1]
    plant(tmp_path / "nobody" / ".config" / "mocklet", {"x.ini": "a = 1\n"})
    found = line.json("roots", root, "--find")["found"]
    assert [f["label"] for f in found] == ["settings"] and "--label settings" in line(
        "roots", root, "--find"
    )[0]


def test_finding(line: Line, tmp_path: Path) -> None:
    plant(tmp_path / "disk" / ".deep" / "kelvane-0.9", emulator("kelvane"))
    out, _ = line("find", str(tmp_path / "disk"))
    assert "Kelvane 0.9: probably an emulator" in out and "saves/ is named for saves" in out
    assert line.json("find", str(tmp_path / "disk"), "--take")["taken"] == ["Kelvane"]
    assert "on the shelf" in line("find", str(tmp_path / "disk"))[0]
    assert "nothing in" in line("find", str(tmp_path / "disk" / ".deep" / "kelvane-0.9" / "saves"))[0]
    assert "there is no folder" in line("find", str(tmp_path / "none"), code=3)[1]


@pytest.mark.parametrize("ending", ["svg", "pdf"])
def test_a_figure(line: Line, tmp_path: Path, ending: str) -> None:
    target = tmp_path / f"made-of.{ending}"
    line("survey", str(line.mock.root), "--figure", str(target))
    data = target.read_bytes()
    assert data.startswith(b"%PDF-") if ending == "pdf" else b"<svg" in data and b">saves/<" in data
    again = tmp_path / f"again.{ending}"
    line("survey", str(line.mock.root), "--figure", str(again))
    assert again.read_bytes() == data
    assert "SVG or PDF" in line("survey", str(line.mock.root), "--figure", str(tmp_path / "x.gif"), code=3)[1]


@pytest.mark.sampled(0)
def test_the_bench_tells_of_destructive_errors_by_its_exit_code() -> None:
    """The corpus as `make bench-classify` runs it."""
    bench = Path(__file__).parents[2] / "bench" / "classify.py"
    done = subprocess.run([sys.executable, str(bench)], capture_output=True, text=True, check=False)
    assert done.returncode == 0 and "HELD OUT" in done.stdout and "reliability" in done.stdout, done.stderr


@SCRIPTS
def test_a_watched_run_on_trial_is_proven_by_things(mock: Mock, capfd: pytest.CaptureFixture[str]) -> None:
    """The new program writes its list anew, empty: every file is there, its titles are not."""
    line = Line(mock, capfd)
    root = str(mock.root)
    listing = {"games": [{"title": f"g{n}"} for n in range(163)]}
    plant(mock.root, {"library.json": json.dumps(listing)}, mtime=LATER)
    sheet = mock.folder / "sheet.toml"
    sheet.write_text(
        'format = 1\n[[things]]\ncounts = "titles"\nfile = "library.json"\nat = "games"\nname = "title"\n'
    )
    line("survey", root)
    line("sheet", root, "--import", str(sheet))
    arriving = release("1.1")
    arriving["mocklet"] = "#!/bin/sh\n# VERSION 1.1\nprintf '{\"games\": []}' > library.json\n"
    mock.arrive(arriving)
    out, _ = line("update", root, str(mock.next), "--baseline", str(mock.base), "--yes")
    assert "163 titles" in out
    said = json.loads(line("watch", root, "--json", "--", "./mocklet")[0])
    assert said["verdict"] == "attention" and "titles 163 before, 0 now" in said["things"][0]


def test_the_version_is_noted_as_the_person_reads_it_until_another_build_lies_here(line: Line) -> None:
    root, mock = str(line.mock.root), line.mock
    assert line.json("version", root) == {"text": "1.0", "source": "VERSION", "read": None}
    assert "is no version" in line("version", root, "soon", code=2)[1]
    said = line.json("version", root, "1.0.3")
    assert (said["text"], said["source"], said["read"]["text"]) == ("1.0.3", "as you read it", "1.0.3")
    assert line.json("survey", root)["version"]["text"] == "1.0.3"
    assert line.json("shelf")["installs"][0]["version"] == "1.0.3"
    mock.arrive(release("1.0.2"))
    plan = line.json("plan", root, str(mock.next), "--baseline", str(mock.base), code=3)
    assert plan["from_version"] == "1.0.3" and [b["code"] for b in plan["blockers"]] == ["older-version"]
    mock.arrive(release("1.1"))
    proof = line.json("update", root, str(mock.next), "--baseline", str(mock.base), "--yes")
    assert proof["verdict"] == "intact" and proof["version"] == {"before": "1.0.3", "after": "1.1"}
    assert line.json("version", root)["read"] is None  # that was of the build before
    line("version", root, "1.1.7")
    assert "1.1.7, as you read it" in line("version", root)[0]
    assert line.json("prove", root, code=1)["version"]["after"] == "1.1.7"  # 1.1 was to be
    line("version", root, "--forget")
    assert line.json("version", root)["text"] == "1.1"
