"""Each route in a real terminal: from the shelf to the proof and back, at both sizes, by the keys shown."""

from __future__ import annotations

from pathlib import Path

import libtmux
import pytest

from left_intact.demo.person import Person
from left_intact.demo.room import Room
from left_intact.demo.unattended import snapshot
from left_intact.workbench import Workbench
from tests.tui.test_tmux import start, terminal  # noqa: F401 (a fixture)

SIZES = [(160, 50), (80, 24)]


def down_to(screen, name: str) -> None:  # type: ignore[no-untyped-def]
    """Mark an install of the shelf: the panel, or the keys, speak of the one that is marked."""
    order = ["Brindlemere", "Patchwright", "Tarnlight", "Lanternfish", "Loomlight", "Quillonade"]
    screen.keys(*["Down"] * order.index(name))


def go_back(screen) -> None:  # type: ignore[no-untyped-def]
    """From the proof, by the keys that it shows."""
    screen.keys("g")
    screen.until("Enter go back")
    screen.keys("Enter")


@pytest.mark.sampled(1)
@pytest.mark.parametrize("size", SIZES)
def test_side_by_side(pier: Room, terminal: libtmux.Server, size: tuple[int, int]) -> None:  # noqa: F811
    folders = [pier.install("tarnlight-26.10"), pier.install("tarnlight-26.11")]
    before = [snapshot(folder) for folder in folders]
    screen = start(terminal, pier.home, size=size)
    screen.until("Loomlight")
    down_to(screen, "Tarnlight")
    screen.keys("u")
    screen.until("◉ side by side", "the old one stays whole", "i another folder", "Esc shelf", "? help")
    screen.keys("3")
    screen.until("what happens", "tarnlight-26.10/", "tarnlight-26.11/", "over 86 stubs")
    screen.press_until("c", "what happens")
    screen.until("I N T A C T", "0 lost", "486 of")
    assert snapshot(folders[0]) == before[0] and snapshot(folders[1]) != before[1]
    assert Workbench(pier.home).shelf.find("Tarnlight").root == folders[1]
    go_back(screen)
    screen.until("is 26.10 again", "I N T A C T")
    assert [snapshot(folder) for folder in folders] == before
    assert Workbench(pier.home).shelf.find("Tarnlight").root == folders[0]
    screen.keys("Escape")
    screen.until("Loomlight")
    screen.keys("q")


@pytest.mark.sampled(1)
@pytest.mark.parametrize("size", SIZES)
def test_single_parts(pier: Room, terminal: libtmux.Server, size: tuple[int, int]) -> None:  # noqa: F811
    root = pier.install("lanternfish")
    before = snapshot(root)
    screen = start(terminal, pier.home, size=size)
    screen.until("Loomlight")
    down_to(screen, "Lanternfish")
    screen.keys("t")
    screen.until("2 waiting", "→ 2.4.1", "→ 0.9.8", "✗ 1.7", "another machine")
    screen.keys("Space")
    screen.until("☐ cores/leaf-machine.so")
    screen.keys("Space")
    screen.until("☑ cores/leaf-machine.so")
    screen.keys("c")
    screen.until("2 on trial", "2.4.0", "0.9.7")
    assert snapshot(root) != before
    screen.keys("t")
    screen.until("tried well")
    screen.keys("b")
    screen.until("1 on trial", "→ 2.4.1")
    screen.keys("Down", "b")
    screen.until("0 on trial", "→ 0.9.8")
    assert {p: s for p, s in snapshot(root).items() if s[0] == "file"} == {
        p: s for p, s in before.items() if s[0] == "file"
    }
    screen.keys("Escape")
    screen.until("Loomlight")
    screen.keys("q")


@pytest.mark.sampled(1)
@pytest.mark.parametrize("size", SIZES)
def test_graft(pier: Room, terminal: libtmux.Server, size: tuple[int, int]) -> None:  # noqa: F811
    install = Workbench(pier.home).shelf.find("Loomlight")
    before = snapshot(install.root)
    screen = start(terminal, pier.home, size=size)
    screen.until("Loomlight")
    down_to(screen, "Loomlight")
    screen.keys("u")
    screen.until("◉ graft", "it is somebody's")
    screen.keys("3")
    screen.until("what happens", "5 of another's stay out", "the donor's own stays out")
    screen.press_until("c", "what happens")
    screen.until("I N T A C T", "0 lost")
    laid = snapshot(install.root)
    assert laid != before and not any("ottoline" in path for path in laid)
    go_back(screen)
    screen.until("is r114 again", "I N T A C T")
    assert snapshot(install.root) == before
    screen.keys("Escape")
    screen.until("Loomlight")
    screen.keys("q")


@pytest.mark.sampled(1)
@pytest.mark.parametrize("size", SIZES)
def test_clear_and_restore(pier: Room, terminal: libtmux.Server, size: tuple[int, int]) -> None:  # noqa: F811
    """From the shelf to the proof and back, killed and started anew at each wait."""
    bench = Workbench(pier.home)
    person, install = Person(bench, pier), bench.shelf.find("Quillonade")
    before = snapshot(install.root)
    screen = start(terminal, pier.home, size=size)
    screen.until("Quillonade")
    down_to(screen, "Quillonade")
    screen.keys("u")
    screen.until("◉ clear and restore", "nothing over another's signature")
    screen.keys("3")
    screen.until("saved first", "6 steps by hand")
    screen.press_until("c", "saved first")
    screen.until("step 2 of 8", "Quillonade, remove", "125 copies of what is yours", "l look now")
    assert snapshot(install.root) == before
    for step, waits in (("remove", "step 4 of 8"), ("lay", "step 5 of 8"), ("start", "step 6 of 8")):
        screen.kill()
        screen = start(terminal, pier.home, size=size)
        screen.until("waits for you")
        down_to(screen, "Quillonade")
        person.does(step)
        screen.keys("Enter")
        screen.until(waits)
    person.does("grant")
    screen.until("step 8 of 8", "try it: start Moth Hour", "d done")
    screen.keys("d")
    screen.until("I N T A C T", "0 lost", "76 of ")
    assert bench.shelf.find("Quillonade").root == install.root
    go_back(screen)
    screen.until("remove Quillonade 5.4", "step 3 of 7")
    screen.keys("Escape")
    screen.until("what is new", "waits for you")
    screen.keys("q")
    screen = start(terminal, pier.home, size=size)
    screen.until("waits for you")
    down_to(screen, "Quillonade")
    screen.keys("Enter")
    person.does("remove-new")
    screen.until("step 5 of 7")
    person.does("lay-again")
    screen.until("5 waiting", "28 saves")
    assert snapshot(install.root) == before
    screen.keys("q")


@pytest.mark.sampled(1)
@pytest.mark.parametrize("size", SIZES)
def test_ladder(pier: Room, terminal: libtmux.Server, size: tuple[int, int]) -> None:  # noqa: F811
    install = Workbench(pier.home).shelf.find("Quillonade")
    before = snapshot(install.root)
    screen = start(terminal, pier.home, size=size)
    screen.until("Quillonade")
    down_to(screen, "Quillonade")
    screen.keys("u")
    screen.until("◉ clear and restore")
    screen.keys("o")
    screen.until("A folder, or a zip")
    screen.says(pier.download("title updates"))
    screen.keys("Enter")
    screen.until("◉ ladder", "4 updates in order, 1.04 to 1.09")
    screen.keys("3")
    screen.until("1.07", "never was", "ready, wanted")
    screen.press_until("c", "what happens")
    screen.until("I N T A C T", "0 lost")
    laid = Path(install.root, "titles/tin-regatta/VERSION")
    assert laid.read_text() == "1.09\n"
    go_back(screen)
    screen.until("taken back: nothing is on trial any more")
    assert snapshot(install.root) == before
    screen.keys("q")


def test_another_route_and_another_folder_are_taken_at_the_arrival(
    pier: Room,
    terminal: libtmux.Server,  # noqa: F811
) -> None:
    """In place instead of beside, then beside in a folder that is named, and one that cannot be."""
    screen = start(terminal, pier.home)
    screen.until("Loomlight")
    down_to(screen, "Tarnlight")
    screen.keys("u")
    screen.until("◉ side by side")
    screen.keys("End", "Up", "Up", "Up", "Up")
    screen.keys("Enter")
    screen.until("◉ in place", "○ side by side")
    screen.keys("Down", "Enter")
    screen.until("◉ side by side", "i names another")
    screen.keys("i")
    screen.until("the new folder", "Enter takes it")
    screen.says(pier.install("by-the-door"))
    screen.keys("Enter")
    screen.until("into by-the-door/")
    screen.keys("3")
    screen.until("by-the-door/", "made by this")
    screen.keys("q")
