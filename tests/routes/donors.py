"""A made-up trainer, and a tree of it from somebody else's machine."""

from __future__ import annotations

import os
import random
from pathlib import Path

from left_intact.demo.binaries import elf
from tests.builders import BUILT, LATER, Tree, plant


def trainer(build: int) -> Tree:
    """What a release of it ships."""
    tree: Tree = {
        "loomer": f'#!/bin/sh\nVERSION="r{build}"\necho Loomer r{build}\n',
        "VERSION": f"r{build}\n",
        "docs/guide.html": f"<!doctype html>\n<p>guide r{build}</p>\n",
        "docs/licence.txt": "be kind\n",
        "lang/de.xml": f"<lang build='{build}'/>\n",
        "lang/fr.xml": f"<lang build='{build}' of='fr'/>\n",
    }
    for name in ("warp", "weft", "heddle", "shuttle", "reed"):
        tree[f"lib/lib{name}.so"] = elf(f"loomer r{build} {name}", name.encode() * 50)
    return tree


SOMEBODYS: Tree = {
    "saves/quay.sav": b"\x11" * 640,
    "saves/tower.sav": b"\x12" * 640,
    "states/quay.state": b"LST1" + b"\x13" * 900,
    "config/loomer.cfg": "[account]\nname = Ottoline\nlanguage = fr\n",
    "config/account.ini": "[login]\nname = Ottoline\ntoken = 8f3a91c2\n",
    "cache/pattern-01.cache": b"\x14" * 300,
    "logs/run.log": "10:01 started\n",
}
MINE: Tree = {
    "saves/harbour.sav": b"\x01" * 640,
    "saves/quay.sav": b"\x02" * 640,
    "config/loomer.cfg": "[account]\nname = Wilma\nlanguage = de\n",
    "config/account.ini": "[login]\nname = Wilma\ntoken = 11aa22bb\n",
}


def donor(folder: Path, build: int = 121) -> Path:
    """The program as somebody has it, used for months."""
    root = plant(folder / "from the attic" / "loomer", trainer(build), mtime=BUILT + 900)
    scattered(root, SOMEBODYS)
    return root


def scattered(root: Path, tree: Tree) -> None:
    """Files of a person's, each written at a time of its own."""
    plant(root, tree)
    rng = random.Random("the attic")
    for path in sorted(tree):
        when = LATER + rng.randrange(80 * 86400)
        os.utime(root / path, (when, when))
