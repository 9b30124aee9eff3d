"""The examples of docs/extending.md are run as they stand: one file each, and a line in the registry."""

from __future__ import annotations

import os
import re
import shutil
import subprocess
import sys
from pathlib import Path
from typing import Any

import pytest

import left_intact
from left_intact.core.files.headers import recognise
from left_intact.core.settings.formats import registry as formats
from left_intact.core.settings.merge import merge_settings

REPOSITORY = Path(__file__).parents[2]
PAGE = (REPOSITORY / "docs/extending.md").read_text()


def code(kind: str) -> str:
    """The text of an example."""
    (found,) = re.findall(rf"```python {kind}\n(.*?)```", PAGE, re.S)
    assert isinstance(found, str)
    return found


def example(kind: str) -> dict[str, Any]:
    """What the code of an example defines."""
    defined: dict[str, Any] = {"__name__": f"example_of_a_{kind}"}
    exec(compile(code(kind), f"docs/extending.md ({kind})", "exec"), defined)
    return defined


def test_a_new_format_is_one_file_and_a_line(monkeypatch: pytest.MonkeyPatch) -> None:
    new = example("format")["Colons"]()
    text = b"# pads\nfire: 3\njump: 4\n"
    assert recognise(text, len(text)) == "text plain"
    monkeypatch.setattr(formats, "FORMATS", (*formats.FORMATS, new))
    assert recognise(text, len(text)) == new.name and formats.may_merge(new.name, new.name)
    assert not formats.may_merge(new.name, "text ini")
    merge = merge_settings(text, text.replace(b"3", b"7"), text + b"turbo: on\n", file_format=new.name)
    assert merge.content == b"# pads\nfire: 7\njump: 4\nturbo: on\n" and not merge.trouble


def test_a_new_route_is_one_file_a_line_and_a_name(tmp_path: Path) -> None:
    """The program as it would be with the route in it, taken through `tests/core/new_route.py`: nothing else
    of it is touched.
    """
    package = tmp_path / "src/left_intact"
    shutil.copytree(Path(left_intact.__file__).parent, package, ignore=shutil.ignore_patterns("__pycache__"))
    (package / "core/planning/routes/one_file.py").write_text(code("route"))
    insert(package / "core/model/plan.py", '    GRAFT = "graft"\n', code("name"))
    registry = package / "core/planning/routes/registry.py"
    insert(registry, "    ContentPack(),\n", code("line"))
    imports = "from left_intact.core.planning.routes.ladder import Ladder\n"
    insert(registry, imports, "from left_intact.core.planning.routes.one_file import OneFile\n")
    begin = "import sys, pytest; sys.path[:0] = sys.argv[1:3]; sys.exit(pytest.main(sys.argv[3:]))"
    words = (str(tmp_path / "src"), str(REPOSITORY), "-p", "no:cacheprovider", "-n", "0")
    ran = subprocess.run(
        (sys.executable, "-c", begin, *words, f"--basetemp={tmp_path / 'runs'}", "tests/core/new_route.py"),
        cwd=REPOSITORY,
        env={**os.environ, "PYTHONPATH": str(tmp_path / "src"), "PYTHONDONTWRITEBYTECODE": "1"},
        capture_output=True,
        text=True,
        check=False,
    )
    assert ran.returncode == 0, ran.stdout + ran.stderr
    killed = "4 passed" if hasattr(os, "fork") else "2 passed, 2 skipped"  # no process is killed there
    assert killed in ran.stdout, ran.stdout


def insert(file: Path, after: str, line: str) -> None:
    """Put a line into a file behind one that it has once."""
    text = file.read_text()
    assert text.count(after) == 1, (file, after)
    file.write_text(text.replace(after, after + line))
