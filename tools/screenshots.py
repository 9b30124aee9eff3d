"""Makes docs/screenshots/ anew: the real program on the demo, in a real terminal window under Xvfb, at
1280x800.
"""

from __future__ import annotations

import os
import shlex
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import mss
import mss.tools

from left_intact.demo.person import Person
from left_intact.demo.room import Room
from left_intact.workbench import Workbench

TARGET = Path(__file__).parents[1] / "docs" / "screenshots"
SHOTS: dict[str, list[str]] = {
    "shelf": ["until:the shelf by class"],
    "news": [
        "n",
        "until:never looked",
        "c",
        "until:3 of 6 installs",
        "Down",
        "Down",
        "until:you set sound.rate",
    ],
    "pack": [*["Down"] * 8, "Return", "until:your share", "until:replace something"],
    "survey": [
        "Escape",
        "until:a pack of changed",
        "Escape",
        "until:the shelf by class",
        "Enter",
        "until:2 questions",
        "until:the unsorted",
        "u",
        "until:what speaks for each class",
    ],
    "queue": ["q", "until:these 23 are alike", "until:inside pull"],
    "arrival": [
        "Escape",
        "until:quick queue",
        "2",
        "until:is it the right thing?",
        "until:the routes",
        "until:what touches you",
    ],
    "plan": ["3", "until:what happens", "Tab", "Tab", "until:what each answer leads to"],
    "proof": ["c", "until:I N T A C T", "Down", "Down"],
    "back": ["g", "until:come back in place"],
    "history": ["Escape", "Escape", "until:the shelf by class", "y", "until:the strongbox keeps", "Down"],
    "beside": [
        "Escape",
        "Down",
        "Down",
        "u",
        "until:side by side",
        "3",
        "until:stays behind",
        "until:what happens",
    ],
    "parts": ["Escape", "until:the shelf by class", "Down", "t", "until:another machine", "until:it brings"],
    "clear": [
        *("Escape", "until:the shelf by class", "Down", "Down", "u", "until:◉ clear and restore"),
        *("3", "until:in this order", "until:saved first"),
    ],
    "waiting": ["c", "until:what each answer leads to", "c", "until:step 2 of 8", "until:each read back"],
    "restored": [
        *("does:remove", "until:step 4 of 8", "does:lay", "until:step 5 of 8", "does:start"),
        *("until:step 6 of 8", "does:grant", "until:step 8 of 8", "d", "until:I N T A C T"),
    ],
    "ladder": [
        *("2", "until:the routes", "o", "until:A folder, or a zip"),
        *("type:title updates", "Enter", "until:◉ ladder", "3", "until:never was"),
    ],
    "help": ["Escape", "until:the shelf by class", "question", "until:the classes"],
}
KEYSYMS = {"Enter": "Return", "question": "question", "Esc": "Escape"}
PATIENCE = 60.0


class Window:
    """A terminal window on a display of its own, with the program in it."""

    def __init__(self, folder: str, command: list[str], display: int = 87) -> None:
        self.env = os.environ | {
            "DISPLAY": f":{display}",
            "LC_ALL": "C.UTF-8",
            "LIBGL_ALWAYS_SOFTWARE": "1",
            "GALLIUM_DRIVER": "llvmpipe",
            "XDG_RUNTIME_DIR": folder,
            "XDG_CONFIG_HOME": folder,
            "TERM": "xterm-256color",
            "COLORTERM": "truecolor",
            "HOME": folder,
        }
        for name in ("COLUMNS", "LINES"):
            self.env.pop(name, None)
        self.server = subprocess.Popen(
            ["Xvfb", f":{display}", "-screen", "0", "1280x800x24", "-dpi", "96", "-nocursor"],
            stderr=subprocess.DEVNULL,
        )
        self._wait(lambda: os.path.exists(f"/tmp/.X11-unix/X{display}"), "the display")
        self.socket = f"unix:{folder}/sock"
        options = [
            "font_family=Hack",
            "font_size=10",
            "remember_window_size=no",
            "initial_window_width=1280",
            "initial_window_height=800",
            "window_padding_width=0",
            "background=#14161a",
            "allow_remote_control=yes",
            "placement_strategy=top-left",
            "hide_window_decorations=yes",
            "cursor_blink_interval=0",
            "box_drawing_scale=0.001, 0.75, 1.5, 1.5",
            "disable_ligatures=always",
            "sync_to_monitor=no",
        ]
        words = ["kitty", "--config", "NONE", "--listen-on", self.socket]
        for option in options:
            words += ["-o", option]
        self.window = subprocess.Popen([*words, *command], env=self.env, stderr=subprocess.DEVNULL)
        self._wait(lambda: bool(self._ids()), "the window")
        for words in (["windowmove", "0", "0"], ["windowsize", "1280", "800"], ["windowfocus"]):
            subprocess.run(["xdotool", words[0], self._ids()[-1], *words[1:]], env=self.env, check=True)

    def _wait(self, ready, what: str) -> None:  # type: ignore[no-untyped-def]
        deadline = time.monotonic() + PATIENCE
        while not ready():
            if time.monotonic() > deadline:
                raise SystemExit(f"screenshots: {what} did not come; the screen said:\n{self.text()}")
            time.sleep(0.1)

    def _ids(self) -> list[str]:
        search = ["xdotool", "search", "--onlyvisible", "--class", "."]
        return subprocess.run(
            search, env=self.env, capture_output=True, text=True, check=False
        ).stdout.split()

    def text(self) -> str:
        done = subprocess.run(
            ["kitty", "@", "--to", self.socket, "get-text"],
            env=self.env,
            capture_output=True,
            text=True,
            check=False,
        )
        return done.stdout

    def act(self, word: str, room: Room) -> None:
        if word.startswith("until:"):
            self._wait(lambda: word[6:] in self.text(), repr(word[6:]))
        elif word.startswith("does:"):
            Person(Workbench(room.home), room).does(word[5:])
        elif word.startswith("type:"):
            subprocess.run(["xdotool", "type", room.download(word[5:])], env=self.env, check=True)
        else:
            subprocess.run(
                ["xdotool", "key", "--clearmodifiers", KEYSYMS.get(word, word)], env=self.env, check=True
            )

    def shoot(self, path: Path) -> None:
        time.sleep(0.4)  # the window draws a moment after the text is there
        with mss.MSS(display=self.env["DISPLAY"]) as screen:
            grabbed = screen.grab(screen.monitors[0])
            mss.tools.to_png(grabbed.rgb, grabbed.size, output=str(path))

    def close(self) -> None:
        self.window.terminate()
        self.window.wait()
        self.server.terminate()
        self.server.wait()


def main() -> int:
    """Build the demo in a folder that goes away, and take every picture in one run of the program."""
    TARGET.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory(prefix="pier-") as folder:
        from left_intact.demo.build import build_demo

        room = build_demo(os.path.join(folder, "pier-room"))
        command = [sys.executable, "-m", "left_intact", "demo", "--dir", room.folder]
        window = Window(folder, ["sh", "-c", shlex.join(command)])
        try:
            for name, acts in SHOTS.items():
                for act in acts:
                    window.act(act, room)
                window.shoot(TARGET / f"{name}.png")
                print(f"docs/screenshots/{name}.png")
        finally:
            window.close()
    return 0


if __name__ == "__main__":
    raise SystemExit(main())
