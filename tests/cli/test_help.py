"""Help: an example each, the page of the manual, completion in a real shell, progress on a terminal only."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import time
from pathlib import Path

import pytest

from left_intact import __version__
from left_intact.cli import setting
from left_intact.cli.commands import app
from left_intact.cli.helping import EXAMPLES, man_page
from left_intact.core.model.progress import Progress
from tests.builders import Mock
from tests.cli.test_commands import Line, line  # noqa: F401 (a fixture)

PAGE = Path(__file__).resolve().parents[2] / "docs" / "left-intact.1"


def test_every_command_has_an_example_that_it_would_take(line: Line) -> None:  # noqa: F811
    assert set(app.commands) == set(EXAMPLES)
    for name in app.commands:
        said, _ = line(name, "--help")
        assert EXAMPLES[name].split()[:2] == ["left-intact", name] and "Example:" in said


def test_the_page_of_the_manual_is_that_of_the_commands() -> None:
    assert PAGE.read_text("utf-8") == man_page(app, __version__)
    for name in app.commands:
        assert f".SS {name}".replace("-", "\\-") in PAGE.read_text("utf-8")


@pytest.mark.skipif(shutil.which("bash") is None, reason="there is no such shell here")
@pytest.mark.skipif(sys.platform == "win32", reason="this system has another shell")
def test_bash_completes_commands_options_and_names(line: Line, mock: Mock, tmp_path: Path) -> None:  # noqa: F811
    line("survey", str(mock.root))
    out, _ = line("--install-completion", "bash")
    script = out.splitlines()[0]
    assert script.startswith(str(tmp_path)) and os.path.isfile(script)
    program = Path(sys.executable).with_name("left-intact")
    tried = f"""
        set -e
        PATH={program.parent}:$PATH
        source {script}
        complete -p left-intact >/dev/null
        ask() {{
            COMP_WORDS=("$@"); COMP_CWORD=$(($# - 1)); COMPREPLY=()
            _left_intact_completion left-intact; echo "${{COMPREPLY[@]}}"
        }}
        ask left-intact gi
        ask left-intact prove --de
        ask left-intact prove moc
    """
    home = str(mock.folder / "home")
    env = os.environ | {"LEFT_INTACT_HOME": home}
    done = subprocess.run(["bash", "-c", tried], capture_output=True, text=True, env=env, check=False)
    assert done.stdout.split("\n")[:3] == ["give-up", "--deep", "Mocklet"], (done.stdout, done.stderr)


def test_a_shell_that_nobody_knows_is_said(line: Line) -> None:  # noqa: F811
    _, err = line("--install-completion", "seashell", code=2)
    assert "seashell" in err


def test_progress_is_told_on_a_terminal_and_only_after_a_while(
    monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    moments = iter([0.0, 0.4, 1.5, 1.6, 9.0])
    monkeypatch.setattr(time, "monotonic", lambda: next(moments))
    with setting.telling() as report:
        report(Progress(stage="reading", done=1))
    assert capsys.readouterr().err == ""
    monkeypatch.setattr(sys.stderr, "isatty", lambda: True)
    with setting.telling() as report:
        for done in (10, 20, 30, 40):
            report(Progress(stage="reading\x1b", done=done, total=50))
    said = capsys.readouterr().err
    assert "20 of 50" in said and "40 of 50" in said and "10 of" not in said and "30 of" not in said
    assert "reading\xb7" in said and said.endswith("\r\x1b[K")
