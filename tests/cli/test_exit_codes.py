"""Every exit code of every command, in every situation that it can meet: a table, and its laws.

What is refused (2, 3 and 4) is one line on standard error that says what, where and what now, and changes
nothing of the install.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from pathlib import Path

import click
import pytest

import left_intact
from left_intact.cli.commands import app
from left_intact.core.carrying.journal import Journal
from left_intact.core.model.errors import PASSABLE
from left_intact.core.model.update import State
from tests.builders import Mock, plant, release, zipped
from tests.chains import MadeUp
from tests.cli.test_commands import Line

Row = tuple[str, int, str]
"""(the words, the code, what standard error says)."""


def ready(folder: Path) -> Mock:
    mock = Mock(folder)
    mock.arrive(release("1.1"))
    plant(folder / "old", release("0.9"))
    (folder / "downloads").mkdir()
    zipped(release("1.1"), folder / "downloads" / "mocklet-1.1.zip", "mocklet-1.1")
    (folder / "a.txt").write_text("no release")
    (folder / "hollow").mkdir()
    (folder / "broken.zip").write_bytes(b"PK\x03\x04 and then nothing")
    zipped({f"d{n}/x": f"{n}" for n in range(3)}, folder / "puck-3.zip")
    (folder / "none.toml").write_text('[answers]\nnone-such = "x"\n')
    (folder / "half.toml").write_text("[answ")
    mock.bench.shelf.find(str(mock.root))
    return mock


def asking(folder: Path) -> Mock:
    mock = ready(folder)
    mock.edit({"mocklet.ini": "[video]\nsmooth = off\nscale = 2\n\n[sound]\nrate = 44100\n"})
    theirs = "[video]\nsmooth = on\nscale = 2\n\n[sound]\nrate = 48000\n"
    mock.arrive(release("1.1", **{"mocklet.ini": theirs}))
    mock.bench.surveys.set_baseline(mock.install, str(mock.base))
    return mock


def laid(folder: Path) -> Mock:
    mock = ready(folder)
    mock.update()
    return mock


def touched(folder: Path) -> Mock:
    mock = laid(folder)
    (mock.root / "saves/mill.sav").unlink()
    mock.bench.updates.prove(mock.install)
    return mock


def cut_off(folder: Path) -> Mock:
    mock = laid(folder)
    with Journal(mock.bench.records.strongbox(mock.install).journal_path) as journal:
        journal.set_state(1, State.CARRYING)
    return mock


def waiting(folder: Path) -> Mock:
    made = MadeUp(folder)
    made.bench.updates.update(made.plan(), made.install)
    made.next = made.one  # type: ignore[attr-defined]
    return made  # type: ignore[return-value]


def started(folder: Path) -> Mock:
    mock = waiting(folder)
    mock.start_once()  # type: ignore[attr-defined]
    return mock


def rotten(folder: Path) -> Mock:
    """Of one copy in the strongbox the bytes are others."""
    mock = laid(folder)
    box = mock.bench.records.strongbox(mock.install)
    with Journal(box.journal_path) as journal:
        step = next(s for s in journal.steps(1) if s.before is not None and s.before.path == "VERSION")
    assert step.before is not None
    Path(box.object_path(step.before.digest)).write_bytes(b"rot")
    return mock


def no_journal(folder: Path) -> Mock:
    mock = laid(folder)
    Path(mock.bench.records.strongbox(mock.install).journal_path).write_bytes(b"no journal" * 900)
    return mock


def no_library(folder: Path) -> Mock:
    mock = ready(folder)
    (folder / "home" / "library.sqlite").write_bytes(b"no library" * 900)
    return mock


BEGINS = (
    "plan ROOT NEXT",
    "update ROOT NEXT --yes",
    "prove ROOT",
    "settle ROOT",
    "go-back ROOT",
    "go-back ROOT --plan",
)
NO_JOURNAL, NO_LIBRARY = "journal cannot be read", "library cannot be read"
WAITS, CUT = "waits for you: start Mocklet once", "was cut off"
TABLE: dict[Callable[[Path], Mock], list[Row]] = {
    ready: [
        ("shelf", 0, ""),
        ("survey ROOT", 0, ""),
        ("survey ROOT --figure FOLDER/nowhere/x.svg", 3, "could not be written"),
        ("survey ROOT --figure FOLDER/x.txt", 3, "SVG or PDF"),
        ("survey ROOT --sheet FOLDER/half.toml", 3, "keepsheet is refused"),
        ("survey ROOT --baseline FOLDER/hollow", 3, "not the release"),
        ("survey ROOT --baseline NEXT", 3, "this is 1.1, and what lies here is 1.0"),
        ("plan ROOT NEXT", 0, ""),
        ("plan ROOT NEXT -v", 0, ""),
        ("plan ROOT NEXT --route side-by-side", 0, ""),
        ("plan ROOT NEXT --into FOLDER/beside", 0, ""),
        ("plan ROOT NEXT --into FOLDER/nowhere/at-all", 3, "the folder that it is to lie in is not there"),
        ("plan ROOT NEXT --into ROOT/inside", 3, "lie in each other"),
        ("plan ROOT NEXT --route in-place --into FOLDER/beside", 2, "--into goes with the route"),
        ("plan ROOT FOLDER/a.txt --route single-part", 3, "goes by the name of"),
        ("parts ROOT", 0, ""),
        ("parts ROOT --from FOLDER/nowhere", 3, "there is no folder here"),
        ("parts ROOT --swap libcore.so", 3, "nothing waits for it"),
        ("parts ROOT --all", 3, "nothing waits for any part"),
        ("parts ROOT --tried none.so", 3, "there is no such part"),
        ("parts ROOT --drop libcore.so", 3, "was not swapped"),
        ("parts ROOT --drop libcore.so --tried libcore.so", 2, "exclude each other"),
        ("settle ROOT --free-old", 3, "has left no folder behind"),
        ("plan ROOT FOLDER/old", 3, "0.9 is older than 1.0"),
        ("plan ROOT FOLDER/nowhere", 3, "no file or folder here"),
        ("plan ROOT FOLDER/broken.zip", 3, "cannot be read"),
        ("plan ROOT FOLDER/a.txt", 3, "a single file"),
        ("plan ROOT FOLDER/hollow", 3, "no program"),
        ("plan ROOT FOLDER/puck-3.zip", 3, "has a counterpart in Mocklet"),
        ("plan ROOT NEXT --baseline NEXT", 3, "this is 1.1, and what lies here is 1.0"),
        ("plan ROOT NEXT --route balloon", 2, "no route"),
        ("plan ROOT FOLDER/hollow --route ladder", 3, "no updates to be laid in order"),
        ("plan ROOT NEXT --route content-pack", 2, "a content pack is taken by"),
        ("plan ROOT NEXT --route graft", 3, "nothing in this tree is somebody's"),
        ("plan ROOT NEXT --answers FOLDER/none.toml", 2, "no question is called none-such"),
        ("plan ROOT NEXT --answers FOLDER/half.toml", 2, "the answers cannot be read"),
        ("plan ROOT NEXT --answers FOLDER/nowhere", 2, "(no such file or directory): "),
        ("update ROOT FOLDER/old --yes", 3, "0.9 is older than 1.0"),
        ("update ROOT FOLDER/puck-3.zip --yes", 3, "has a counterpart in Mocklet"),
        ("update ROOT NEXT --allow anything", 2, "is not one of"),
        ("update ROOT NEXT --picture FOLDER/nowhere.png", 2, "no such picture"),
        ("update ROOT", 3, "nothing waits for Mocklet"),
        ("update", 2, "Missing argument"),
        ("update --all", 0, ""),
        ("update --all --yes", 2, "takes no install"),
        ("prove ROOT", 3, "no update to prove"),
        ("settle ROOT", 3, "no update on trial"),
        ("go-back ROOT", 3, "Mocklet has no update on trial"),
        ("go-back ROOT --plan", 3, "Mocklet has no update on trial"),
        ("go-on ROOT", 3, "Mocklet: no update waits"),
        ("go-on ROOT --done a --skip b", 2, "exclude"),
        ("give-up ROOT", 3, "Mocklet: no update waits"),
        ("recover", 0, ""),
        ("recover --forward --back", 2, "exclude"),
        ("history ROOT", 0, ""),
        ("draw ROOT history FOLDER/h.svg", 0, ""),
        ("draw ROOT portrait FOLDER/h.svg", 2, "there is no figure portrait"),
        ("draw ROOT history FOLDER/h.txt", 3, "SVG or PDF"),
        ("report ROOT FOLDER/r.json", 3, "has no update on record"),
        ("remains ROOT", 0, ""),
        ("remains nobody", 3, "no install"),
        ("strongbox ROOT", 3, "no strongbox yet"),
        ("strongbox ROOT fly", 2, "does not fly"),
        ("strongbox ROOT take", 2, "a path to take is missing"),
        ("strongbox ROOT --budget much", 2, "is no size"),
        ("rename ROOT a/b", 2, "is no name"),
        ("rename ROOT Puck", 0, ""),
        ("move Puck FOLDER/nowhere", 3, "no folder here"),
        ("move Puck FOLDER/a.txt", 3, "this is a file"),
        ("move Puck ROOT", 0, ""),
        ("rename ROOT Mocklet", 0, ""),
        ("rule ROOT saves/ saves", 0, ""),
        ("rule ROOT saves/ pets", 2, "is no class"),
        ("rule ROOT x --undo", 3, "no ruling on this"),
        ("rulings ROOT", 0, ""),
        ("version ROOT", 0, ""),
        ("version ROOT soon", 2, "is no version"),
        ("look-at ROOT --add dunes", 0, ""),
        ("look-at ROOT --drop hills", 3, "no line says"),
        ("sheet ROOT", 0, ""),
        ("sheet", 2, "an install is missing"),
        ("sheet ROOT --import FOLDER/half.toml", 3, "keepsheet is refused"),
        ("sheet ROOT --export FOLDER/nowhere/x", 3, "the disk refused"),
        ("baseline ROOT", 2, "a release is missing"),
        ("baseline ROOT FOLDER/hollow", 3, "not the release"),
        ("baseline ROOT NEXT", 3, "this is 1.1, and what lies here is 1.0"),
        ("baseline ROOT BASE", 0, ""),
        ("baseline ROOT --infer --in FOLDER/nowhere", 1, "nothing was found"),
        ("roots ROOT", 0, ""),
        ("roots ROOT --add FOLDER/nowhere", 3, "no folder here"),
        ("roots ROOT --drop more", 3, "no root called more"),
        ("find FOLDER", 0, ""),
        ("find FOLDER/nowhere", 3, "no folder here"),
        ("follow ROOT FOLDER/nowhere", 3, "neither a feed's address nor a folder"),
        ("follow ROOT http://127.0.0.1:9/feed.xml", 0, ""),
        ("news", 0, ""),
        ("news --check", 1, "could not be asked"),
        ("follow ROOT http://127.0.0.1:9/feed.xml --stop", 0, ""),
        ("fetch ROOT", 3, "offers anything newer"),
        ("follow ROOT FOLDER/downloads", 0, ""),
        ("news ROOT --check", 0, ""),
        ("fetch ROOT", 0, ""),
        ("fetch ROOT 7", 3, "offers 7"),
        ("hold ROOT rubbish", 2, "'rubbish' is no version"),
        ("hold ROOT 1.0 --until rubbish", 2, "'rubbish' is no version"),
        ("hold ROOT 1.0 --reason pads", 0, ""),
        ("plan ROOT NEXT", 3, "held at 1.0"),
        ("hold ROOT --off", 0, ""),
        ("pack ROOT NEXT", 0, ""),
        ("pack ROOT FOLDER/nowhere", 3, "no file or folder here"),
        ("watch ROOT -- FOLDER/nowhere", 3, "could not be started"),
        ("standin outlet FOLDER --fault lightning", 2, "lightning"),
        ("demo --dir ROOT", 3, "no demo"),
        ("forget ROOT", 0, ""),
        ("frobnicate", 2, "No such command"),
        ("update ROOT NEXT --baseline BASE", 0, ""),
    ],
    asking: [
        ("plan ROOT NEXT", 1, "1 question is open"),
        ("update ROOT NEXT", 1, "questions are open"),
        ("update ROOT NEXT --yes", 0, ""),
    ],
    laid: [
        ("prove ROOT", 0, ""),
        ("update ROOT NEXT", 0, ""),
        ("strongbox ROOT", 0, ""),
        ("strongbox ROOT verify", 0, ""),
        ("strongbox ROOT take VERSION", 2, "no place to take it to"),
        ("strongbox ROOT take VERSION --to FOLDER/out", 0, ""),
        ("strongbox ROOT take VERSION --to FOLDER/out", 3, "lies there already"),
        ("strongbox ROOT take none --to FOLDER/out", 3, "nothing is kept of none"),
        ("strongbox ROOT free VERSION", 3, "would be put back from it"),
        ("go-back ROOT --update 7", 3, "Mocklet has no update on trial"),
        ("go-back ROOT --plan", 0, ""),
        ("settle ROOT", 0, ""),
        ("go-back ROOT", 3, "Mocklet has no update on trial"),
    ],
    touched: [
        ("prove ROOT", 1, ""),
        ("settle ROOT", 1, ""),
        ("settle ROOT --yes", 0, ""),
    ],
    rotten: [
        ("strongbox ROOT verify", 1, ""),
        ("strongbox ROOT take VERSION --to FOLDER/out", 3, "missing or damaged"),
        ("go-back ROOT --plan", 0, ""),
        ("go-back ROOT", 3, "no sound copy in the strongbox any more: VERSION"),
        ("go-back ROOT --yes", 1, ""),
    ],
    cut_off: [
        ("shelf", 0, ""),
        ("survey ROOT", 0, ""),
        ("report ROOT FOLDER/r.json", 0, ""),
        ("report ROOT FOLDER/r.txt", 3, "PDF or JSON"),
        ("history ROOT", 0, ""),
        ("strongbox ROOT", 0, ""),
        *((words, 4, CUT) for words in (*BEGINS, "forget ROOT", "go-on ROOT", "give-up ROOT")),
        ("recover --back", 0, ""),
        ("plan ROOT NEXT", 0, ""),
    ],
    waiting: [
        ("shelf", 0, ""),
        *((words, 3, WAITS) for words in (*BEGINS, "forget ROOT")),
        ("recover", 0, ""),
        ("go-on ROOT", 1, ""),
        ("give-up ROOT", 0, ""),
        ("go-back ROOT", 0, ""),
    ],
    started: [("go-on ROOT", 0, ""), ("prove ROOT", 0, ""), ("go-on ROOT", 3, "no update waits")],
    no_journal: [
        ("shelf", 0, ""),
        *((words, 3, NO_JOURNAL) for words in (*BEGINS, "history ROOT", "strongbox ROOT", "recover")),
        ("forget ROOT", 0, ""),
    ],
    no_library: [
        *((words, 3, NO_LIBRARY) for words in (*BEGINS, "shelf", "survey ROOT", "recover", "news")),
        ("forget ROOT", 3, NO_LIBRARY),
    ],
}


@pytest.mark.parametrize("situation", TABLE, ids=lambda situation: situation.__name__)
def test_each_command_ends_as_it_should(
    situation: Callable[[Path], Mock], tmp_path: Path, capfd: pytest.CaptureFixture[str]
) -> None:
    mock = situation(tmp_path / "all")
    line = Line(mock, capfd)
    places = {
        "ROOT": str(mock.root),
        "NEXT": str(mock.next),
        "FOLDER": str(mock.folder),
        "BASE": str(getattr(mock, "base", "")),
    }
    for words, code, says in TABLE[situation]:
        before = mock.state()
        filled = [re.sub("ROOT|NEXT|FOLDER|BASE", lambda m: places[m[0]], word) for word in words.split()]
        _, err = line(*filled, code=code)
        assert says in err, (words, err)
        if code >= 2:
            assert mock.state() == before, words
            assert re.fullmatch(r"left-intact: \S[^\n]*[.]\n", err) and "Errno" not in err, (words, err)
        if says and code:
            assert err.count("\n") == 1, (words, err)


def test_every_command_and_every_code_is_in_the_table() -> None:
    seen: dict[str, set[int]] = {}
    for words, code, _ in (row for rows in TABLE.values() for row in rows):
        seen.setdefault(words.split()[0], set()).add(code)
    assert {code for codes in seen.values() for code in codes} == {0, 1, 2, 3, 4}
    for name in app.commands:
        if name not in ("demo", "standin", "watch"):  # which open a terminal, a server or a program
            assert 0 in seen[name], name
        assert len(seen[name]) > 1 or name in ("demo", "standin", "watch", "rulings"), name


@pytest.mark.parametrize("name", sorted(app.commands))
def test_words_that_no_command_knows(name: str, tmp_path: Path, capfd: pytest.CaptureFixture[str]) -> None:
    line = Line(Mock(tmp_path / "all"), capfd)
    command = app.commands[name]
    _, err = line(name, "--no-such-word", code=2)
    assert "No such option" in err
    wanted = [p for p in command.params if isinstance(p, click.Argument)]
    if any(p.required for p in wanted):
        _, err = line(name, code=2)
        assert "Missing argument" in err
    if wanted and wanted[0].name == "install":
        given = ["nowhere", *("saves" for p in wanted[1:] if p.required)]
        _, err = line(name, *given, code=3)
        assert "no install of this name or path: nowhere" in err


@pytest.mark.parametrize("name", ["x\x1b[31m", "x\x9b31m", "x\u202ey", "x\ny", "x\x07"])
@pytest.mark.parametrize(
    ("words", "code"),
    [("survey NAME", 3), ("plan ROOT NAME", 3), ("update ROOT NEXT --allow NAME", 2), ("NAME", 2)],
)
def test_no_message_speaks_to_the_terminal(
    words: str, code: int, name: str, tmp_path: Path, capfd: pytest.CaptureFixture[str]
) -> None:
    mock = Mock(tmp_path / "all")
    places = {"NAME": name, "ROOT": str(mock.root), "NEXT": str(mock.next)}
    _, err = Line(mock, capfd)(*(places.get(word, word) for word in words.split()), code=code)
    assert err.endswith("\n") and not set(err[:-1]) & {"\x1b", "\x9b", "\u202e", "\n", "\x07"}


def test_all_that_may_be_passed_is_listed() -> None:
    """`--allow` takes the codes of blockers that may be passed, as the planning says them, and no others."""
    planning = Path(left_intact.__file__).parent / "core" / "planning"
    said = {
        code
        for file in planning.rglob("*.py")
        for code in re.findall(
            r'(?:code=|block\()"([a-z-]+)"[^()]*(?:\([^()]*\)[^()]*)*passable=True', file.read_text()
        )
    }
    assert said == set(PASSABLE)
