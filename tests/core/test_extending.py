"""The examples of docs/extending.md are run as they stand: one file each, and a line in the registry."""

from __future__ import annotations

import re
from pathlib import Path
from typing import Any

import pytest

from left_intact.core.files.headers import recognise
from left_intact.core.model.plan import Route
from left_intact.core.model.proof import Verdict
from left_intact.core.planning.routes import registry as routes
from left_intact.core.settings.formats import registry as formats
from left_intact.core.settings.merge import merge_settings
from tests.builders import Mock

PAGE = (Path(__file__).parents[2] / "docs/extending.md").read_text()


def example(kind: str) -> dict[str, Any]:
    """What the code of an example defines."""
    (code,) = re.findall(rf"```python {kind}\n(.*?)```", PAGE, re.S)
    defined: dict[str, Any] = {"__name__": f"example_of_a_{kind}"}
    exec(compile(code, f"docs/extending.md ({kind})", "exec"), defined)
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


def test_a_new_route_is_one_file_and_a_line(
    mock: Mock, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(routes, "ROUTES", (*routes.ROUTES, example("route")["OneFile"]()))
    part = tmp_path / "VERSION"
    part.write_text("1.0b\n")
    draft = mock.bench.updates.draft(mock.install, str(part))
    plan = draft.plan()
    assert plan.route is Route.SINGLE_PART and [m.at.shown for m in plan.changes] == ["VERSION"]
    assert next(choice for choice in plan.routes if choice.name is Route.SINGLE_PART).fits
    before = mock.state()
    outcome = mock.bench.updates.update(plan, mock.install)
    assert outcome.proof.verdict is not Verdict.BROKEN and mock.read("VERSION") == "1.0b\n"
    mock.bench.updates.back.go(mock.install)
    assert mock.state() == before
