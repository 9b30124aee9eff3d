"""Building the Pier Room: the same tree every time, in a folder of its own, touching nothing else."""

from __future__ import annotations

import json
import os
import shutil
from typing import TYPE_CHECKING

from left_intact.core.model.errors import LeftIntactError
from left_intact.demo.loomlight import PREFIX
from left_intact.demo.outlet import plant_outlet
from left_intact.demo.planting import date_folders
from left_intact.demo.room import Room

if TYPE_CHECKING:
    from left_intact.standins.outlet import OutletServer

_MARKER = "pier-room.json"
_FORMAT = 6
_THINGS = {
    "Brindlemere": '[[things]]\ncounts = "titles"\nfiles = "disks/*.bdk"\n',
    "Patchwright": """[[things]]
counts = "mods"
file = "lineups/pier-cup.json"
at = "mods"
name = "mod"
on = "on"

[[things]]
counts = "profiles"
files = "lineups/*.json"
""",
    "Tarnlight": '[[things]]\ncounts = "titles"\nfiles = "games/*.board"\n',
    "Lanternfish": """[[things]]
counts = "titles"
file = "lists/pier.json"
at = "titles"
name = "title"

[[things]]
counts = "pictures"
files = "pictures/*.png"
""",
}
"""How their things are counted, as their keepsheets say."""


def default_folder() -> str:
    """Where the demo is built when nobody names a folder."""
    from left_intact.home import default_home

    return os.path.join(default_home(), "pier-room")


def build_demo(folder: str, *, fresh: bool = False) -> Room:
    """The demo in a folder: as it was left, or built anew. Raises `not-the-demo` for a foreign folder."""
    room = Room(folder=os.path.abspath(folder))
    marker = os.path.join(room.folder, _MARKER)
    if os.path.isdir(room.folder) and os.listdir(room.folder):
        if not os.path.isfile(marker):
            raise LeftIntactError(
                "not-the-demo",
                "this folder is not empty and no demo",
                path=room.folder,
                way_out="Name an empty folder with --dir.",
            )
        with open(marker, encoding="utf-8") as file:
            whole = json.load(file).get("format") == _FORMAT
        if whole and not fresh:
            return room
        # The marker says that this folder is ours alone, so it may be built over.
        shutil.rmtree(room.folder)
    os.makedirs(room.folder, exist_ok=True)
    _mark(marker, 0)
    _plant(room)
    _register(room)
    _mark(marker, _FORMAT)
    return room


def _mark(path: str, number: int) -> None:
    with open(path, "w", encoding="utf-8") as file:
        json.dump(
            {"what": "the demo of Left Intact; all in here is made up and built by code", "format": number},
            file,
        )


def _plant(room: Room) -> None:
    from left_intact.demo import brindlemere, lanternfish, loomlight, patchwright, quillonade, tarnlight
    from left_intact.standins.handheld import Handheld

    mere, wright, light = brindlemere.invent(), patchwright.invent(), tarnlight.invent()
    fish, loom = lanternfish.invent(), loomlight.invent()
    mere.install.lay(room.install("brindlemere"))
    wright.install.lay(room.install("patchwright"))
    wright.game.lay(room.install("gullwing-rally"))
    mere.shipped.pack(room.download("kept/brindlemere-4.4.2-linux.zip"), "brindlemere-4.4.2")
    mere.arriving.pack(room.download("brindlemere-4.6.0-linux.zip"), "brindlemere-4.6.0")
    mere.elsewhere.pack(room.download("brindlemere-4.6.0-windows.zip"), "brindlemere-4.6.0")
    wright.shipped.pack(room.download("kept/patchwright-3.8.8.zip"), "patchwright")
    wright.arriving.pack(room.download("patchwright-3.8.11.zip"), "patchwright")
    light.install.lay(room.install("tarnlight-26.10"))
    light.arriving.lay(room.install("tarnlight-26.11"))
    tarnlight.start_once(room.install("tarnlight-26.11"))
    fish.install.lay(room.install("lanternfish"))
    fish.downloads.lay(room.download("cores"))
    fish.leaf.pack(room.download("cores/leaf-machine-2.4.1-linux-x86_64.zip"), "leaf-machine-2.4.1")
    fish.shipped.pack(room.download("kept/lanternfish-1.12-linux.zip"), "lanternfish-1.12")
    loomlight.lay_prefixes(room.install("prefixes"), loom.install)
    loom.donor.lay(room.download("from the attic/loomlight"))
    light.shipped.pack(room.download("kept/tarnlight-26.10-linux.zip"), "tarnlight-26.10")
    light.arriving.pack(room.download("kept/tarnlight-26.11-linux.zip"), "tarnlight-26.11")
    packed = {
        name: room.download(name)
        for name in ("brindlemere-4.6.0-linux.zip", "brindlemere-4.6.0-windows.zip", "patchwright-3.8.11.zip")
    }
    packed |= {
        name: room.download(f"kept/{name}")
        for name in ("tarnlight-26.10-linux.zip", "tarnlight-26.11-linux.zip")
    }
    quill, old = quillonade.invent(), room.download("kept/quillonade-5.1.zip")
    quill.old.pack(old)
    quill.new.pack(room.download("quillonade-5.4.zip"))
    quillonade.lay(Handheld(room.handheld), quill, old)
    for name, bed in quill.updates.items():
        bed.pack(room.download(f"title updates/{name}"))
    for folder in (room.install("prefixes"), room.install(""), room.download(""), room.handheld):
        date_folders(folder)
    plant_outlet(room, packed, light.pack, light.full_bytes)


def _register(room: Room) -> None:
    """Put the installs on the shelf, with what waits for each, and let them be run for their version."""
    from left_intact.demo import quillonade
    from left_intact.workbench import Workbench

    bench = Workbench(room.home)
    mere, donor = room.download("brindlemere-4.6.0-linux.zip"), room.download("from the attic/loomlight")
    loom = os.path.join("prefixes", PREFIX, "inside", "loomlight")
    for name, folder, role, waiting, kept in (
        ("Brindlemere", "brindlemere", "emulator", mere, "kept/brindlemere-4.4.2-linux.zip"),
        ("Patchwright", "patchwright", "modding tool", room.download("patchwright-3.8.11.zip"), ""),
        (
            "Tarnlight",
            "tarnlight-26.10",
            "arcade emulator",
            room.install("tarnlight-26.11"),
            "kept/tarnlight-26.10-linux.zip",
        ),
        ("Lanternfish", "lanternfish", "front end", "", "kept/lanternfish-1.12-linux.zip"),
        ("Loomlight", loom, "trainer", donor, ""),
        (
            "Quillonade",
            os.path.join(room.handheld, "programs", "quillonade"),
            "console emulator",
            room.download("quillonade-5.4.zip"),
            "kept/quillonade-5.1.zip",
        ),
    ):
        program = name.lower()
        install = bench.shelf.register(
            room.install(folder), name=name, role=role, version_command=(program, "--version")
        )
        if things := _THINGS.get(name):
            bench.surveys.take_sheet(install, f'format = 1\nprogram = "{name}"\n\n{things}')
        if name == quillonade.NAME:
            bench.surveys.take_sheet(install, quillonade.SHEET)
        if kept:
            bench.surveys.set_baseline(install, room.download(kept))
        bench.surveys.survey(install)
        if waiting:
            bench.shelf.set_waiting(install, bench.surveys.arrival(install, waiting))
    fish_install = bench.shelf.find("Lanternfish")
    bench.outlets.hold(fish_install, "1.12", "the cabinet's buttons are set up for it", "")
    bench.parts.look(fish_install, room.download("cores"))


def open_outlet(room: Room, faults: str = "") -> OutletServer:
    """Start the stand-in on the demo's outlet, and let every install that it has releases of follow it."""
    from left_intact.standins.outlet import OutletServer
    from left_intact.workbench import Workbench

    server = OutletServer(room.outlet, 0, faults).start()
    bench = Workbench(room.home)
    with open(os.path.join(room.outlet, "outlet.json"), encoding="utf-8") as file:
        programs = {release["program"] for release in json.load(file)["releases"]}
    for install in bench.shelf.installs():
        if install.name not in programs:
            continue
        for outlet in bench.outlets.followed(install):
            if outlet.place.startswith("http://127.0.0.1:"):
                bench.outlets.unfollow(install, outlet.place)  # another port each time
        bench.outlets.follow(install, f"{server.url}/feed/{install.name}.xml")
    return server
