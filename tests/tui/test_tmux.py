"""The real program in a real terminal: the whole demo update, driven by keys in tmux."""

from __future__ import annotations

import itertools
import os
import select
import shutil
import signal
import sys
import tempfile
import time
from collections.abc import Iterator
from contextlib import suppress
from pathlib import Path

import libtmux
import pytest

from left_intact.demo.room import Room
from left_intact.demo.unattended import snapshot
from tests.builders import LATER, THEIRS, Mock, plant, release, zipped
from tests.tui.strange import NAME, ODD, follow_strange_outlet

PATIENCE = 60.0
"""Seconds to wait for a text that a change brings; nothing here depends on how long it takes."""


_NUMBERS = itertools.count()


class Terminal:
    """One pane with the program in it; a pipe tells when it has written something."""

    def __init__(self, pane: libtmux.Pane, pipe: str) -> None:
        self.pane = pane
        os.mkfifo(pipe)
        self._written = os.open(pipe, os.O_RDWR | os.O_NONBLOCK)
        pane.cmd("pipe-pane", "-O", f"exec cat >{pipe}")

    def wait(self, seconds: float) -> bool:
        """Until the program writes; False where it has not, so many seconds long."""
        if not select.select([self._written], [], [], max(0.0, seconds))[0]:
            return False
        with suppress(BlockingIOError):
            while os.read(self._written, 1 << 16):
                pass
        return True

    def screen(self) -> str:
        return "\n".join(self.pane.capture_pane())

    def until(self, *texts: str, gone: bool = False) -> None:
        """Wait until all these texts show on one screen (or are gone from it).

        The terminal takes what the program writes in pieces, so a screen that shows one text may still be
        half of the one before: whatever belongs to a screen is waited for, never read off the first look.
        """
        deadline = time.monotonic() + PATIENCE
        while True:
            shown = self.screen()
            missing = [text for text in texts if (text in shown) is gone]
            if not missing:
                return
            if not self.wait(deadline - time.monotonic()):
                raise AssertionError(f"{missing!r} {'stayed' if gone else 'did not come'}:\n{shown}")
            for _ in range(4):  # a screen comes in many pieces, and each look at it is a process
                if not self.wait(0.02):
                    break

    def press_until(self, key: str, gone: str) -> None:
        """Press a key until a text is gone: the first press may come before the screen takes it."""
        deadline = time.monotonic() + PATIENCE
        while gone in self.screen() and time.monotonic() < deadline:
            self.keys(key)
            while self.wait(1.0):
                if gone not in self.screen():
                    return

    def says(self, text: str) -> None:
        """Type a text to the letter."""
        self.pane.send_keys(text, enter=False, suppress_history=False, literal=True)

    def kill(self) -> None:
        """End the program as `kill -9` does."""
        os.kill(int(self.pane.pane_pid or 0), signal.SIGKILL)

    def keys(self, *keys: str) -> None:
        for key in keys:
            self.pane.send_keys(key, enter=False, suppress_history=False)


@pytest.fixture
def terminal() -> Iterator[libtmux.Server]:
    if not shutil.which("tmux"):
        pytest.fail("tmux is needed for this test: install the package tmux")
    # A socket's path may have but a hundred bytes, so it cannot lie in the test's own deep folder.
    with tempfile.TemporaryDirectory(prefix="li-") as folder:
        server = libtmux.Server(socket_path=f"{folder}/s")
        server.new_session("stays", window_command="cat")  # a server without any session ends
        try:
            yield server
        finally:
            server.kill()


def start(server: libtmux.Server, home: str, words: str = "", size: tuple[int, int] = (160, 50)) -> Terminal:
    command = (
        f"env -u COLUMNS -u LINES TERM=xterm-256color LC_ALL=C.UTF-8 {sys.executable} -m "
        f"left_intact --home {home} {words}"
    )
    name = f"pier-{next(_NUMBERS)}"
    pane = server.new_session(name, x=size[0], y=size[1], window_command=command).active_window.active_pane
    assert pane is not None
    return Terminal(pane, f"{os.path.dirname(str(server.socket_path))}/{name}")


def test_the_demo_update_from_shelf_to_proof_and_back(pier: Room, terminal: libtmux.Server) -> None:
    root = pier.install("brindlemere")
    before = snapshot(root)
    screen = start(terminal, pier.home)
    screen.until("the shelf by class")
    screen.keys("Enter")
    screen.until("2 questions")
    screen.until("the unsorted: 24")
    screen.keys("n")
    screen.until("is it the right thing?")
    screen.keys("n")
    screen.until("what happens")
    screen.keys("Tab", "Tab")
    screen.until("what each answer leads to")
    screen.keys("Space")
    screen.until("1 question")
    screen.keys("Space", "c")
    screen.until("I N T A C T", "0 lost", "4.4.2 before, 4.6.0 now, read from the program itself")
    assert snapshot(root) != before
    screen.keys("g")
    screen.until("come back in place of what lies there now")
    screen.keys("Enter")
    screen.until("is 4.4.2 again", "I N T A C T", "taken back: nothing is on trial any more")
    screen.keys("Escape")
    screen.until("the shelf by class")
    assert snapshot(root) == before
    screen.keys("q")


def test_killed_in_the_middle_and_ended_from_the_shelf(pier: Room, terminal: libtmux.Server) -> None:
    """kill -9 while files are laid; the next start says so, and back ends it."""
    import signal
    import subprocess

    from left_intact.workbench import Workbench

    root = pier.install("patchwright")
    before = snapshot(root)
    code = (
        "import os, signal, sys\nfrom left_intact.workbench import Workbench\n"
        f"b = Workbench({pier.home!r}); i = b.shelf.find('Patchwright')\n"
        f"d = b.updates.draft(i, {pier.download('patchwright-3.8.11.zip')!r})\n"
        "def kill(p):\n    if p.stage == 'laying' and p.done == 12: os.kill(os.getpid(), signal.SIGKILL)\n"
        "b.updates.update(d.plan(), i, report=kill)\n"
    )
    done = subprocess.run([sys.executable, "-c", code], check=False)
    assert done.returncode == -signal.SIGKILL and snapshot(root) != before
    screen = start(terminal, pier.home)
    screen.until("cut off: needs you")
    screen.keys("Down", "Enter")
    screen.until("Forward completes it")
    screen.keys("b")
    screen.until("nothing is cut off any more")
    assert snapshot(root) == before and not Workbench(pier.home).shelf.interrupted()
    screen.keys("q")


def test_news_notes_hold_and_a_fetch_that_is_dropped_twice(pier: Room, terminal: libtmux.Server) -> None:
    """Look for news, read notes, hold one, fetch another while the outlet drops twice, arrive in the plan;
    then the pack.
    """
    root = pier.install("tarnlight-26.10")
    before = snapshot(root)
    screen = start(terminal, pier.home, f"demo --dir {pier.folder} --fault drop=2")
    screen.until("the shelf by class")
    screen.keys("n")
    screen.until("never looked at")
    screen.keys("c")
    screen.until("3 of 6 installs have something newer")
    screen.keys("Down", "Down")
    screen.until("you set sound.rate to 44100")
    screen.keys("h")
    screen.until("Nothing beyond 4.4.2 goes in")
    screen.keys("the pads first", "Enter")
    screen.until("held at 4.4.2")
    for _ in range(5):
        screen.keys("Down")
    screen.until("Gullwing Rally 2.10")
    screen.keys("Down", "Down")
    screen.until("Moth Hour keeps its scores.")
    screen.keys("f")
    screen.until("tarnlight-26.11-linux.zip is here", "gone on from after")
    screen.keys("Down", "Enter")
    screen.until("4 files replace something you own")
    screen.until("your share")
    screen.keys("l")
    screen.until("I N T A C T")
    assert snapshot(root) != before
    screen.keys("g")
    screen.until("Enter go back")
    screen.keys("Enter")
    screen.until("4 paths put back", "taken back: nothing is on trial any more")
    screen.keys("Escape")
    screen.until("the shelf by class")
    assert snapshot(root) == before
    screen.keys("Home", "Down", "Down", "u")
    screen.until("the routes")
    screen.keys("3")
    screen.until("what happens", "Tarnlight 26.10 → 26.11")


@pytest.mark.sampled(1)
@pytest.mark.parametrize("size", [(160, 50), (80, 24)])
def test_from_a_first_run_to_a_proven_update_by_the_keys_shown(
    tmp_path: Path, terminal: libtmux.Server, size: tuple[int, int]
) -> None:
    """A program made up here, with names that nobody would give, on a shelf that was empty."""
    root = plant(tmp_path / "mocklet", release("1.0"))
    plant(root, {**THEIRS, **ODD}, mtime=LATER)
    came = zipped(release("1.1"), tmp_path / "mocklet-1.1.zip", "mocklet-1.1")
    before = snapshot(str(root))
    screen = start(terminal, str(tmp_path / "home"), size=size)
    screen.until("Nothing on the shelf yet", "add an install")
    screen.keys("a")
    screen.until("The folder of the program")
    screen.says(str(root))
    screen.keys("Enter")
    screen.until("1 install ", "Mocklet", gone=False)
    screen.keys("Enter")
    screen.until("mocklet/", "made of")
    for _ in range(5):
        screen.keys("l", "End", "Home")
    screen.keys("n")
    screen.until("another arrival")
    screen.keys("o")
    screen.until("A folder, or a zip, tar or 7z")
    screen.says(str(came))
    screen.keys("Enter")
    screen.until("1.1", "newer than", "on to the plan", "free")
    screen.keys("n")
    screen.until("carry out")
    assert snapshot(str(root)) == before
    screen.press_until("c", "c carry out")
    screen.until("I N T A C T", "0 lost")
    assert (root / "VERSION").read_text() == "1.1\n"
    screen.keys("g")
    screen.until("come back in place")
    screen.keys("Enter")
    screen.until("I N T A C T", "taken back: nothing is on trial any more")
    assert snapshot(str(root)) == before
    screen.keys("Escape")
    screen.until("Mocklet", "history")
    screen.keys("y")
    screen.until("the strongbox keeps")
    screen.keys("Escape", "q")


@pytest.mark.sampled(1)
@pytest.mark.parametrize("size", [(160, 50), (80, 24)])
def test_news_and_a_pack_whose_names_and_texts_are_strange(
    tmp_path: Path, terminal: libtmux.Server, size: tuple[int, int]
) -> None:
    """What an outlet says reaches the terminal as letters: nothing of it is markup, an escape or a link."""
    mock = Mock(tmp_path)
    plant(mock.root, ODD, mtime=LATER)
    mock.bench.shelf.register(str(mock.root), name=NAME)
    mock.bench.surveys.set_baseline(mock.install, str(mock.base))
    before = mock.state()
    server = follow_strange_outlet(mock)
    try:
        screen = start(terminal, str(tmp_path / "home"), size=size)
        screen.until("1 install", "Mock[@c")
        screen.keys("n")
        screen.until("never looked at")
        screen.keys("c")
        screen.until("1 of 1 install", "lines of its notes touch you")
        screen.keys("Down")
        screen.press_until("w", "[@click=app.quit]quit[/] keeps its saves") if size[0] == 80 else None
        screen.keys("f")
        screen.until("mocklet-1.1 [b].zip is here")
        screen.keys("End", "Enter")
        screen.until("Cart [!].w16", "replace something you own")
        screen.keys("l")
        screen.until("I N T A C T", "0 lost")
        assert (mock.root / "games/Cart [b].w16").read_bytes() == b"\x44" * 99
        screen.keys("g")
        screen.until("Enter go back")
        screen.keys("Enter")
        screen.until("taken back: nothing is on trial any more")
        assert mock.state() == before
        screen.keys("Escape")
        screen.until("1 install", "history")
        screen.keys("q")
    finally:
        server.shutdown()
        server.server_close()
