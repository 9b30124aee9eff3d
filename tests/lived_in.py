"""Small installs as people have them, each made from what a program of its role must keep."""

from __future__ import annotations

from tests.builders import program

_PLAYED = {f"games/Vellor {n}.cart": bytes([n]) * 9000 for n in range(4)}
_START = {"README.txt": "Start it.\n", "help/start.html": "<p>start"}
Tree = dict[str, str | bytes]


def emulator(name: str) -> Tree:
    """Has something to play, saves and states of it, and settings."""
    kept = {f"saves/Vellor {n}.sav": b"\xff" * 2048 for n in range(3)}
    kept |= {f"states/Vellor {n}.state": b"now" * 800 for n in range(2)}
    return {name: program("0.9"), f"{name}.ini": "[video]\nscale = 2\n", **_START, **_PLAYED, **kept}


def front_end(name: str) -> Tree:
    """Has a library for each machine, and a list of what is played with which of them."""
    libraries = {f"cores/{part}.so": program("1.0") for part in ("ossel", "tavrin", "quole")}
    titles = "\n".join(f"Vellor {n}: {part}" for n, part in enumerate(("ossel", "tavrin", "quole")))
    return {
        name: program("2.0"),
        **_START,
        **libraries,
        "settings/main.cfg": "a = 1\n",
        "lists/all.txt": titles,
    }


def modding_tool(name: str) -> Tree:
    """Has what somebody adds to a game, one folder for each."""
    mods = {f"mods/{mod}/part{n}.dat": bytes([n, 7]) * 90 for mod in ("fog", "rain") for n in range(3)}
    return {name: program("2.1"), **_START, **mods, "settings/order.json": '{"fog": true, "rain": false}'}


def launcher(name: str) -> Tree:
    """Has accounts and logs, and nothing to play of its own."""
    return {
        name: program("4"),
        **_START,
        "config/accounts.json": '{"who": "ada"}',
        "logs/last.log": "started\n",
    }


def bundle(name: str) -> Tree:
    """One folder that is started as a whole, its settings beside it. Source: the layout of bundles."""
    inside = f"{name}.app/Contents"
    return {
        f"{inside}/MacOS/{name}": program("1.4"),
        f"{inside}/Info.plist": "<plist/>",
        "settings/main.json": '{"scale": 2}',
        "README.txt": "Start it.\n",
    }
