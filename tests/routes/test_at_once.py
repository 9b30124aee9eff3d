"""One program changes an install while another asks about it, on every route: neither is led astray.

Each pair runs in two processes until the change has ended, and whoever asks asks again and again.
Afterwards the tree is what the route makes of it, it is proven, and going back brings every byte back: read
by code of the tests' own.
"""

from __future__ import annotations

import os
import traceback
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest

from left_intact.core.model.errors import LeftIntactError
from left_intact.core.model.proof import Verdict
from left_intact.core.model.update import State
from left_intact.workbench import Workbench
from tests.builders import FORKS, Mock, release
from tests.routes.beside import Pier
from tests.routes.handhelds import Console
from tests.routes.test_conservation_elsewhere import ROUTES

Scene = tuple[str, str, Any, list[Path]]
"""(home, name of the install, the plan, the folders that its update touches)."""


def in_place(folder: Path) -> Scene:
    mock = Mock(folder)
    mock.arrive(release("1.1"))
    plan = mock.plan({q.id: q.default for q in mock.plan().questions})
    return str(mock.folder / "home"), "Mocklet", plan, [mock.root]


def beside(folder: Path) -> Scene:
    pier = Pier(folder)
    return str(pier.folder / "home"), "Mocklet", pier.plan(), [pier.old, pier.new]


def cleared(folder: Path) -> Scene:
    console = Console(folder)
    return console.home, "Gullnade", console.plan(), [console.root]


def elsewhere(route: str) -> Callable[[Path], Scene]:
    def scene(folder: Path) -> Scene:
        it, plan, root, _ = ROUTES[route](folder)
        return it.bench.shelf.library.home, it.install.name, plan, [root]

    return scene


SCENES: dict[str, Callable[[Path], Scene]] = {
    "in place": in_place,
    "side by side": beside,
    "clear and restore": cleared,
    **{route: elsewhere(route) for route in ROUTES},
}
ASKS: dict[str, Callable[[Workbench, str], object]] = {
    "shelf": lambda bench, name: bench.shelf.rows(),
    "history": lambda bench, name: bench.updates.chronicle(bench.shelf.known(name)),
    "survey": lambda bench, name: bench.surveys.survey(bench.shelf.known(name)),
    "way back": lambda bench, name: bench.updates.back.draw(bench.shelf.known(name)),
    "strongbox": lambda bench, name: bench.keeping.look(bench.shelf.known(name)),
    "proof": lambda bench, name: bench.updates.prove(bench.shelf.known(name)),
}
HARMLESS = {
    "interrupted",
    "waiting",
    "busy",
    "nothing-to-prove",
    "nothing-to-go-back-to",
    "nothing-to-settle",
    "no-strongbox",
    "no-folder",
    "root-replaced",
    "changed-meanwhile",
    "copy-refused",
}
"""What somebody may be told who asks while it is under way. Damage, or another folder, is never among it."""


def _asked_while(home: str, name: str, ask: str, change: Callable[[], object], folder: Path) -> None:
    """Change something while another process asks about it until the end."""
    ended, told = folder / "ended", folder / "told"
    ended.unlink(missing_ok=True)
    child = os.fork()
    if child == 0:
        said: dict[str, int] = {}
        try:
            while not ended.exists():
                code = ""
                try:
                    bench = Workbench(home)
                    ASKS[ask](bench, name)
                    bench.shelf.library.close()
                except LeftIntactError as error:
                    code = error.code
                except BaseException as error:  # noqa: BLE001 (whatever it is, it is told)
                    where = traceback.extract_tb(error.__traceback__)[-3:]
                    code = f"a fault of ours: {error!r} in {[(w.name, w.lineno) for w in where]}"
                said[code] = said.get(code, 0) + 1
        finally:
            told.write_text("\n".join(f"{number} {code}" for code, number in said.items()))
            os._exit(0)
    try:
        change()
    finally:
        ended.write_text("")
        os.waitpid(child, 0)
    codes = {line.partition(" ")[2] for line in told.read_text().splitlines()}
    assert codes <= HARMLESS | {""}, codes


def _files(roots: list[Path]) -> dict[str, bytes]:
    return {
        f"{n}/{p.relative_to(root).as_posix()}": p.read_bytes()
        for n, root in enumerate(roots)
        for p in sorted(root.rglob("*"))
        if p.is_file()
    }


@FORKS
@pytest.mark.sampled(6)
@pytest.mark.parametrize("ask", ASKS)
@pytest.mark.parametrize("route", SCENES)
def test_who_asks_while_another_changes_leads_neither_astray(tmp_path: Path, route: str, ask: str) -> None:
    home, name, plan, roots = SCENES[route](tmp_path / "all")
    before = _files(roots)
    for _ in range(6 if os.environ.get("LEFT_INTACT_LAWS") == "many" else 1):
        _there_and_back(home, name, ask, plan, tmp_path)
        assert _files(roots) == before
        assert [one.root for one in Workbench(home).shelf.installs()] == [str(roots[0])]
    if route != "clear and restore":
        updates = Workbench(home).updates
        updates.update(plan, Workbench(home).shelf.known(name))
        known = Workbench(home).shelf.known(name)
        _asked_while(home, name, ask, lambda: updates.settle(known), tmp_path)
        assert updates.prove(Workbench(home).shelf.known(name)).proof.verdict is Verdict.INTACT


def _there_and_back(home: str, name: str, ask: str, plan: Any, folder: Path) -> None:
    bench = Workbench(home)
    updates, install = bench.updates, bench.shelf.known(name)
    _asked_while(home, name, ask, lambda: updates.update(plan, install), folder)
    if bench.records.history(bench.shelf.known(name))[0].state is State.WAITING:
        updates.give_up(bench.shelf.known(name))
    else:
        assert updates.prove(bench.shelf.known(name)).proof.verdict is Verdict.INTACT
    if bench.records.history(install)[0].state is State.ON_TRIAL:
        _asked_while(home, name, ask, lambda: updates.back.go(bench.shelf.known(name)), folder)
