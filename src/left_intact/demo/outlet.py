"""The outlet of the Pier Room: releases with notes, served by the stand-in while the demo is open."""

from __future__ import annotations

import json
import os
import shutil
from typing import TYPE_CHECKING

from left_intact.demo.planting import Bed

if TYPE_CHECKING:
    from left_intact.demo.room import Room

_BRINDLE_NOTES = {
    "4.5.1": "<h3>Fixed</h3><ul><li>The pad of the Brindle 8 Plus no longer drifts.</li>"
    "<li>Moth Hour starts with disk two in the drive.</li></ul>",
    "4.6.0": "<h3>New</h3><ul><li>Tape loading is exact now: tape.exact, on by default.</li>"
    "<li>sound.rate is 48000 unless you set it; this cures the crackle.</li>"
    "<li>The key paths.palettes is called paths.palette-folder.</li>"
    "<li>Printers of the Brindle 8 Office are known.</li></ul><h3>Known</h3><ul>"
    "<li>A known fault: the light pen loses its place in Salt Road.</li></ul>",
    "4.7.0-beta1": "<p>Try the new disk engine. Keep copies: it is a beta.</p>",
}
_PATCH_NOTES = {
    "3.8.11": (
        "# Patchwright 3.8.11\n\n- look.theme has rounder corners.\n"
        "- Wet Cobbles and its kin are laid twice as fast.\n"
        "- The classic importers are gone.\n- A rally game of 1.x is no longer known.\n"
    ),
    "3.8.6": "# Patchwright 3.8.6\n\n- Undo is kept over a restart.\n",
}
_TARN_NOTES = {
    "26.11": (
        "# Tarnlight 26.11\n\n- 90 boards are dumped anew; see the pack of changes.\n"
        "- rest-after is 25 minutes unless you set it.\n"
        "- Boards of the late kind, with two screens, start.\n- Moth Hour keeps its scores.\n"
    ),
    "26.10": "# Tarnlight 26.10\n\n- Lines are drawn in order.\n",
    "26.09": "# Tarnlight 26.09\n\n- Table cabinets turn for the second player.\n",
}


_FISH_NOTES = (
    "# Lanternfish 1.13\n\n- Buttons are mapped anew; set yours up again after this.\n"
    "- The quiet theme has bigger letters.\n"
)


def plant_outlet(room: Room, packed: dict[str, str], pack: Bed, full_bytes: int) -> None:
    """Fill the outlet's folder. `packed` are files that the demo has packed already, by name."""
    folder = room.outlet
    os.makedirs(folder, exist_ok=True)
    for name, path in packed.items():
        shutil.copy2(path, os.path.join(folder, name))
    pack.pack(os.path.join(folder, "tarnlight-changed-content-26.11.zip"), "pack")
    said = []

    def release(program: str, version: str, file: str, published: str, notes: str, **more: str) -> None:
        if not os.path.exists(os.path.join(folder, file)):
            _small(version, program).pack(os.path.join(folder, file), f"{program.lower()}-{version}")
        said.append(
            {
                "program": program,
                "version": version,
                "file": file,
                "published": f"{published}T12:00:00Z",
                "notes": notes,
                "channel": "stable",
                "platform": "linux x86_64",
                **more,
            }
        )

    for version, day, more in (
        ("4.7.0-beta1", "2026-11-21", {"channel": "preview"}),
        ("4.6.0", "2026-11-20", {}),
        ("4.5.1", "2026-02-12", {}),
    ):
        release(
            "Brindlemere",
            version,
            f"brindlemere-{version}-linux.zip",
            day,
            _BRINDLE_NOTES[version],
            notes_type="html",
            **more,
        )
    release(
        "Brindlemere",
        "4.6.0",
        "brindlemere-4.6.0-windows.zip",
        "2026-11-20",
        _BRINDLE_NOTES["4.6.0"],
        notes_type="html",
        platform="windows x86_64",
    )
    release(
        "Patchwright",
        "3.8.11",
        "patchwright-3.8.11.zip",
        "2026-11-17",
        _PATCH_NOTES["3.8.11"],
        needs="Gullwing Rally 2.10 or newer",
    )
    release("Patchwright", "3.8.6", "patchwright-3.8.6.zip", "2026-03-01", _PATCH_NOTES["3.8.6"])
    release("Tarnlight", "26.11", "tarnlight-26.11-linux.zip", "2026-11-07", _TARN_NOTES["26.11"])
    release(
        "Tarnlight",
        "26.11",
        "tarnlight-changed-content-26.11.zip",
        "2026-11-07",
        "",
        kind="pack",
        full=str(full_bytes),
        platform="",
    )
    release("Tarnlight", "26.10", "tarnlight-26.10-linux.zip", "2026-10-03", _TARN_NOTES["26.10"])
    release("Tarnlight", "26.09", "tarnlight-26.09-linux.zip", "2026-09-05", _TARN_NOTES["26.09"])
    release("Lanternfish", "1.13", "lanternfish-1.13-linux.zip", "2026-11-02", _FISH_NOTES)
    with open(os.path.join(folder, "outlet.json"), "w", encoding="utf-8") as file:
        json.dump({"title": "the outlet by the pier", "releases": said}, file, indent=1)


def _small(version: str, program: str) -> Bed:
    """A release that is only there to be listed: a program file and its version."""
    from left_intact.demo.planting import moment

    bed = Bed()
    bed.put("VERSION", f"{version}\n", moment("2026-01-01 12:00"))
    bed.put(
        program.lower(),
        f'#!/bin/sh\nVERSION="{version}"\necho {program} {version}\n',
        moment("2026-01-01 12:00"),
        0o755,
    )
    return bed
