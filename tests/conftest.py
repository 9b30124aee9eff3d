"""Fixtures: a mock install in a folder of its own, and hypothesis without deadlines."""

from __future__ import annotations

import os
import time
from pathlib import Path

import pytest
from hypothesis import HealthCheck, Phase, settings

from left_intact.core.files import walk
from tests.builders import Mock

settings.register_profile(
    "ours",
    deadline=None,
    derandomize=True,
    suppress_health_check=[
        HealthCheck.too_slow,
        HealthCheck.function_scoped_fixture,
        HealthCheck.data_too_large,
    ],
)
# Where a process takes seconds to start: fewer examples, and no search for the smallest that fails.
settings.register_profile(
    "few", parent=settings.get_profile("ours"), max_examples=8, phases=[Phase.explicit, Phase.generate]
)
# The long run over bytes of strangers (`make fuzz`), other ones each time.
settings.register_profile("many", parent=settings.get_profile("ours"), max_examples=20_000, derandomize=False)
settings.load_profile(os.environ.get("LEFT_INTACT_LAWS", "ours"))


@pytest.fixture(autouse=True)
def no_home(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Nothing of the person who runs the tests is read or written."""
    monkeypatch.setenv("HOME", str(tmp_path / "nobody"))
    monkeypatch.setenv("LEFT_INTACT_HOME", str(tmp_path / "home"))
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "nobody" / "data"))
    os.environ.setdefault("LC_ALL", "C.UTF-8")


@pytest.fixture(autouse=True)
def made_long_ago(monkeypatch: pytest.MonkeyPatch) -> None:
    """What a test makes was written a minute before it is read, so that its stamps can be known."""
    monkeypatch.setattr(walk, "now_ns", lambda: time.time_ns() + 60_000_000_000)


@pytest.fixture
def mock(tmp_path: Path) -> Mock:
    return Mock(tmp_path)
