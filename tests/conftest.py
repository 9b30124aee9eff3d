"""Fixtures: a mock install in a folder of its own, and hypothesis without deadlines."""

from __future__ import annotations

import gc
import os
import shutil
import subprocess
import sys
import time
from pathlib import Path

import pytest
from hypothesis import HealthCheck, Phase, settings

from left_intact.core.files import walk
from left_intact.demo.build import build_demo
from left_intact.demo.room import Room
from tests.builders import Mock
from tests.chains import MadeUp

# As in the program: what is made here by the hundred thousand is no garbage.
gc.set_threshold(100_000, 20, 100)
# The commands that tests start are compiled once, whatever the shell says.
os.environ.pop("PYTHONDONTWRITEBYTECODE", None)

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
# As many examples as ever, and no search for the smallest that fails: for changes that are tried one by one.
settings.register_profile(
    "bare", parent=settings.get_profile("ours"), phases=[Phase.explicit, Phase.generate]
)
# The long run over bytes of strangers (`make fuzz`), other ones each time.
settings.register_profile("many", parent=settings.get_profile("ours"), max_examples=20_000, derandomize=False)
settings.load_profile(os.environ.get("LEFT_INTACT_LAWS", "ours"))


_LONG = (
    "test_routes_tmux",
    "test_tmux",
    "test_names",
    "test_news",
    "test_commands",
    "test_laws",
    "test_chain",
)


def pytest_collection_modifyitems(config: pytest.Config, items: list[pytest.Item]) -> None:
    """Of what is `sampled` so many cases, all of them in `make torture`. The long ones first, dealt out to
    all processes: else the last runs when all others are idle.
    """
    if os.environ.get("LEFT_INTACT_LAWS") != "many":
        _sample(config, items)
    lanes = int(os.environ.get("PYTEST_XDIST_WORKER_COUNT", "1"))
    demo = [item for item in items if "pier_as_built" in getattr(item, "fixturenames", ())]
    long = [item for item in items if item.path.stem in _LONG and item not in demo]
    rest = [item for item in items if item.path.stem not in _LONG and item not in demo]
    # Each process that needs the demo builds one: two of them do.
    first = [[*demo[lane::2], *long[lane::lanes]] if lane < 2 else long[lane::lanes] for lane in range(lanes)]
    share = -(-len(items) // lanes)
    dealt: list[pytest.Item] = []
    for own in first:
        take = max(0, share - len(own))
        dealt += [*own, *rest[:take]]
        rest = rest[take:]
    items[:] = [*dealt, *rest]


def _sample(config: pytest.Config, items: list[pytest.Item]) -> None:
    cases: dict[tuple[str, int], list[pytest.Item]] = {}
    for item in items:
        if (mark := item.get_closest_marker("sampled")) is not None:
            cases.setdefault((item.nodeid.partition("[")[0], mark.args[0]), []).append(item)
    left_out: set[pytest.Item] = set()
    for (name, number), group in cases.items():
        # Beginning elsewhere for each test, so that each size and each variant is met by some.
        order = sorted(range(len(group)), key=lambda n: ((n + len(name)) * 7 % len(group), n))
        left_out |= {group[n] for n in order[number:]}
    config.hook.pytest_deselected(items=list(left_out))
    items[:] = [item for item in items if item not in left_out]


@pytest.fixture(autouse=True)
def no_home(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Nothing of the person who runs the tests is read or written."""
    _live_in(tmp_path, monkeypatch)


def _live_in(folder: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("HOME", str(folder / "nobody"))
    monkeypatch.setenv("LEFT_INTACT_HOME", str(folder / "home"))
    monkeypatch.setenv("XDG_DATA_HOME", str(folder / "nobody" / "data"))
    # The mocks' programs are started by the Python of the tests: another one on the way to it may take long.
    monkeypatch.setenv("PATH", os.pathsep.join([os.path.dirname(sys.executable), os.environ.get("PATH", "")]))
    os.environ.setdefault("LC_ALL", "C.UTF-8")


@pytest.fixture(autouse=True)
def made_long_ago(monkeypatch: pytest.MonkeyPatch) -> None:
    """What a test makes was written a minute before it is read, so that its stamps can be known."""
    _in_a_minute(monkeypatch)


def _in_a_minute(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(walk, "now_ns", lambda: time.time_ns() + 60_000_000_000)


@pytest.fixture(scope="session")
def pier_as_built(tmp_path_factory: pytest.TempPathFactory) -> Room:
    """The demo, built once for all tests of a process: where it is built it lies for all of them, since its
    settings and its shelf name their folders.
    """
    folder = tmp_path_factory.mktemp("demo")
    with pytest.MonkeyPatch.context() as monkeypatch:
        _live_in(folder, monkeypatch)
        _in_a_minute(monkeypatch)
        room = build_demo(str(folder / "pier"))
    os.rename(room.folder, f"{room.folder} as built")
    return room


@pytest.fixture
def pier(pier_as_built: Room) -> Room:
    """The demo as it was built, whatever a test before did with it."""
    shutil.rmtree(pier_as_built.folder, ignore_errors=True)
    subprocess.run(["cp", "-a", f"{pier_as_built.folder} as built", pier_as_built.folder], check=True)
    return pier_as_built


@pytest.fixture
def mock(tmp_path: Path) -> Mock:
    return Mock(tmp_path)


@pytest.fixture
def made(tmp_path: Path) -> MadeUp:
    return MadeUp(tmp_path / "all")
