"""Texts of strangers: expressions that take for ever, patterns without end, deep tables, commands."""

from __future__ import annotations

import sqlite3
from pathlib import Path

import pytest

from left_intact.core.files.versions import read_versions
from left_intact.core.keepsheet.sheet import parse_sheet
from left_intact.core.model.classes import FileClass
from left_intact.core.model.errors import LeftIntactError, Misuse
from left_intact.core.model.pattern import why_no_pattern
from left_intact.core.proving.ask_program import ask_program
from left_intact.core.survey.patterns import matches
from tests.builders import LATER, LINKS, SCRIPTS, Mock, plant


def test_an_expression_that_takes_for_ever_finds_nothing() -> None:
    """Rather than holding up every survey of the install."""
    rules = [("VERSION", "^(a+)+$"), ("VERSION", r"(\d+\.\d+)")]
    read = {"VERSION": b"a" * 40 + b"! 1.7"}.get
    found = read_versions("", {}, read, rules=rules)
    assert [reading.text for reading in found] == ["1.7"]
    with pytest.raises(LeftIntactError) as error:
        parse_sheet('format = 1\n[[version]]\nfile = "a"\npattern = "(a"\n', "it")
    assert error.value.code == "bad-sheet"


@pytest.mark.parametrize(
    "pattern", ["*a*a*a*a*a*b", "/".join(["**"] * 9) + "/x", "*" * 40, "x*" + "y" * 2_000, "a\0*"]
)
def test_a_pattern_that_could_take_for_ever_is_none(mock: Mock, pattern: str) -> None:
    assert why_no_pattern(pattern)
    with pytest.raises(Misuse):
        mock.bench.surveys.rule(mock.install, pattern, FileClass.SAVES)
    text = pattern.replace("\0", "\\u0000")
    for sheet in (f'[classes]\n"{text}" = "saves"\n', f'[[things]]\ncounts = "titles"\nfiles = "{text}"\n'):
        with pytest.raises(LeftIntactError) as error:
            parse_sheet(f"format = 1\n{sheet}", "it")
        assert error.value.code == "bad-sheet"
    # One that got into a record all the same meets nothing, at once.
    assert not matches(pattern, "a" * 250)


@pytest.mark.parametrize("pattern", ["*.sav", "saves/", "**/x/*.s?v", "a*b*c/**", "Cart [!].w16"])
def test_patterns_that_people_write_are_patterns(pattern: str) -> None:
    assert why_no_pattern(pattern) == ""


@pytest.mark.parametrize(
    "text",
    [
        "x = " + "[" * 5_000,
        "x = " + "{a = " * 5_000,
        "[" + "a." * 20_000 + "b]",
        "\n".join(f"a{n} = 1" for n in range(200_000)),
        'format = 1\nprogram = "' + "a" * (2 << 20) + '"',
    ],
)
def test_a_sheet_that_is_nested_or_long_without_end_is_refused(text: str) -> None:
    with pytest.raises(LeftIntactError) as error:
        parse_sheet(text, "it")
    assert error.value.code == "bad-sheet" and "\n" not in error.value.line()


@SCRIPTS
@LINKS
def test_a_command_in_a_library_runs_only_a_program_of_the_install(mock: Mock, tmp_path: Path) -> None:
    ran = tmp_path / "ran"
    script = f"#!/bin/sh\necho 1.0\ntouch '{ran}'\n"
    plant(mock.root, {"says": script, "bin/says": script}, mtime=LATER)
    plant(tmp_path, {"outside": script})
    for path in ("says", "bin/says"):
        (mock.root / path).chmod(0o755)
    (tmp_path / "outside").chmod(0o755)
    (mock.root / "leads").symlink_to(tmp_path / "outside")
    root = str(mock.root)
    for command in (
        [str(tmp_path / "outside")],
        ["../outside"],
        ["leads"],
        ["says", "; touch x"],
        ["says", "--version", "more"],
        ["says", "-c", "x"],
        ["/bin/sh"],
    ):
        assert ask_program(root, command) is None and not ran.exists(), command
    reading = ask_program(root, ["bin/says", "--version"])
    assert reading is not None and reading.text == "1.0" and ran.exists()
    ran.unlink()
    assert mock.install.name
    library = sqlite3.connect(mock.folder / "home" / "library.sqlite")
    library.execute("UPDATE installs SET version_command = ?", (f'["{tmp_path}/outside"]',))
    library.commit()
    library.close()
    mock.bench.surveys.survey(mock.install)
    assert not ran.exists()


@SCRIPTS
def test_a_program_that_says_without_end_is_ended(mock: Mock) -> None:
    plant(mock.root, {"says": "#!/bin/sh\necho 1.5\nexec yes 1.5\n"}, mtime=LATER)
    (mock.root / "says").chmod(0o755)
    reading = ask_program(str(mock.root), ["says"])
    assert reading is not None and reading.text == "1.5"
