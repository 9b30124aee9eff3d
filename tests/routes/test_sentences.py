"""What a proof says is so: on every route, and on the way back from it, each sentence is held against what
lies on the disk, by a look that shares nothing with the program.
"""

from __future__ import annotations

import hashlib
import re
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import pytest

from tests.builders import THEIRS, Mock, Tree, release
from tests.routes.beside import MINE as BESIDES
from tests.routes.beside import Pier
from tests.routes.handhelds import MINE as CONSOLES
from tests.routes.handhelds import Console
from tests.routes.ladders import MINE as RALLYS
from tests.routes.test_conservation_elsewhere import LIES, ROUTES

Sums = dict[str, str]
SAVES = ("saves/", "cards/")


def lying(root: Path) -> Sums:
    """Digests of all files below a folder, by path."""
    return {
        path.relative_to(root).as_posix(): hashlib.sha256(path.read_bytes()).hexdigest()
        for path in sorted(root.rglob("*"))
        if path.is_file() and ".left-intact" not in path.parts
    }


@dataclass
class Scene:
    """An update that is done: what lay there before and after, and what its proof says."""

    mine: Tree
    before: Sums
    after: Sums
    proof: Any
    back: Callable[[], tuple[Sums, Any]]
    """Goes back: what lies there then, and that proof."""
    laid_by_hand: bool = False

    def says(self, name: str) -> str:
        return next((c.says for c in self.proof.checks if c.name == name), "")


def _simple(it: Any, plan: Any, root: Path, mine: Tree) -> Scene:
    before = lying(root)
    proof = it.bench.updates.update(plan, it.install).proof

    def back() -> tuple[Sums, Any]:
        it.bench.updates.back.go(it.install)
        return lying(root), it.bench.updates.prove(it.install).proof

    return Scene(mine, before, lying(root), proof, back)


def in_place(folder: Path) -> Scene:
    mock = Mock(folder)
    mock.arrive(release("1.1"))
    return _simple(mock, mock.plan(), mock.root, THEIRS)


def on_a_route(name: str) -> Callable[[Path], Scene]:
    def scene(folder: Path) -> Scene:
        it, plan, root, mine = ROUTES[name](folder)
        if name in ("ladder", "content pack"):
            mine = {**mine, "rally.ini": RALLYS["rally.ini"]}
        return _simple(it, plan, root, mine)

    return scene


def side_by_side(folder: Path) -> Scene:
    pier = Pier(folder)
    pier.started()
    before = lying(pier.old)
    proof = pier.update().proof

    def back() -> tuple[Sums, Any]:
        pier.bench.updates.back.go(pier.bench.shelf.find("Mocklet"))
        return lying(pier.old), pier.bench.updates.prove(pier.bench.shelf.find("Mocklet")).proof

    mine = {p: c for p, c in BESIDES.items() if not p.startswith("cache/")}
    return Scene(mine, before, lying(pier.new), proof, back)


def clear_and_restore(folder: Path) -> Scene:
    console = Console(folder)
    before = lying(console.root)
    proof = console.whole().proof

    def back() -> tuple[Sums, Any]:
        console.go_back()
        return lying(console.root), console.bench.updates.prove(console.install).proof

    mine = {p: c for p, c in CONSOLES.items() if not p.startswith(("cache/", "cards/"))} | {
        p: c for p, c in LIES.items() if p.startswith("cards/")
    }
    return Scene(mine, before, lying(console.root), proof, back, laid_by_hand=True)


SCENES: dict[str, Callable[[Path], Scene]] = {
    "in place": in_place,
    "side by side": side_by_side,
    "clear and restore": clear_and_restore,
    **{name: on_a_route(name) for name in ROUTES},
}


def digest_of(content: Any) -> str:
    return hashlib.sha256(content.encode() if isinstance(content, str) else content).hexdigest()


def equal_to(mine: Tree, lies: Sums) -> int:
    """How many of their files lie there with the very bytes."""
    sums = {path: digest_of(content) for path, content in mine.items()}
    return sum(1 for path, digest in sums.items() if lies.get(path) == digest)


def first_number(says: str) -> int:
    found = re.search(r"\d[\d,]*", says)
    assert found is not None, says
    return int(found[0].replace(",", ""))


@pytest.mark.parametrize("name", SCENES)
def test_each_sentence_of_the_proof_is_so(tmp_path: Path, name: str) -> None:
    scene = SCENES[name](tmp_path)
    assert scene.proof.verdict.value == "intact"
    titles = 2 if name == "clear and restore" else 0  # their names lie with the saves, under the new ids
    assert first_number(scene.says("yours")) == equal_to(scene.mine, scene.after) + titles
    changed = [p for p, d in scene.after.items() if scene.before.get(p) != d]
    merged = [c for c in scene.proof.checks if c.name == "merged"]
    says = scene.says("program")
    if scene.laid_by_hand:
        assert first_number(says) == sum(1 for p in changed if p not in scene.mine and "card" not in p)
        assert "by hand" in says
    elif name != "side by side":  # what came lay there already
        assert first_number(says) == len(changed) - len(merged), (says, changed)
    newest = next((c.says.split(": ", 1)[1] for c in scene.proof.checks if "newest save" in c.says), "")
    if newest:
        assert newest in scene.after and not newest.endswith(("title.txt", ".png"))
        assert newest.startswith(SAVES)
    saves = [p for p in scene.after if p.startswith(SAVES)]
    assert f"{len(saves)} save" in scene.says("things")


@pytest.mark.parametrize("name", SCENES)
def test_each_sentence_about_the_way_back_is_so(tmp_path: Path, name: str) -> None:
    scene = SCENES[name](tmp_path)
    lies, proof = scene.back()
    assert lies == scene.before and proof.verdict.value == "intact"
    says = {c.name: c.says for c in proof.checks}
    if name == "clear and restore":
        theirs = {p: c for p, c in CONSOLES.items() if not p.startswith("cache/")}
    elif name == "content pack":
        theirs = {**scene.mine, "games/title 1.cart": b"cart 1 " * 90}
    else:
        theirs = scene.mine
    assert first_number(says["yours"]) == equal_to(theirs, lies)
    assert "before the update" in says["yours"] and "ships" not in says["program"]
    assert "no longer shipped" not in says.get("set aside", "")
    newest = next((c.says.split(": ", 1)[1] for c in proof.checks if "newest save" in c.says), "")
    assert not newest or (newest in lies and not newest.endswith("title.txt"))


def test_after_going_back_no_stock_file_is_called_yours(tmp_path: Path) -> None:
    """The new build's files are set aside by going back, and are nobody's."""
    mock = Mock(tmp_path)
    coming = release("1.1")
    mock.arrive(coming)
    draft = mock.bench.updates.draft(mock.install, str(mock.next))
    plan = draft.plan({q.id: q.default for q in draft.plan().questions})
    mock.bench.updates.update(plan, mock.install)
    mock.bench.updates.back.go(mock.install)
    held = mock.bench.keeping.look(mock.install).held
    yours = [one.places for one in held if one.yours]
    assert all(
        coming.get(place) is None or lying(mock.root).get(place) for places in yours for place in places
    )
    assert not [one for one in held if one.yours and set(one.places) & {"lib/libcore.so", "docs/guide.html"}]
