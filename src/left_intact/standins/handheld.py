"""A stand-in for a handheld: a folder that behaves like a device with programs.

It lays packages, refuses one that carries another signature than what is there, refuses an older one, wipes
a program's data when that is removed, and can leave a ghost: a former install that is not to be seen and
still in the way. A package is a zip with a `package.toml` at its root; docs/stand-ins.md describes both.
"""

from __future__ import annotations

import os
import re
import shutil
import subprocess
import sys
import tomllib
import zipfile
from dataclasses import dataclass

from left_intact.core.model.errors import LeftIntactError
from left_intact.core.model.version import Version

_CARD = "package.toml"


@dataclass(frozen=True, slots=True, kw_only=True)
class Card:
    """What a package, or an install on the device, says of itself."""

    program: str
    version: str
    signature: str


@dataclass(frozen=True, slots=True)
class Handheld:
    """The device that lies in a folder."""

    folder: str

    @property
    def programs(self) -> str:
        return os.path.join(self.folder, "programs")

    def place(self, program: str) -> str:
        """Where a program and its data lie."""
        return os.path.join(self.programs, _slug(program))

    def ghost_of(self, program: str) -> str:
        return os.path.join(self.folder, "ghosts", f"{_slug(program)}.toml")

    def _record(self, program: str) -> str:
        return os.path.join(self.folder, "registry", f"{_slug(program)}.toml")

    def installed(self, program: str) -> Card | None:
        return _read_card(self._record(program))

    def lay(self, package: str) -> Card:
        """Lay a package. Raises `refused` where the device would."""
        try:
            with zipfile.ZipFile(package) as archive:
                card = _card(archive.read(_CARD).decode("utf-8"))
                self._refuse(card, package)
                place = self.place(card.program)
                for info in archive.infolist():
                    if info.filename != _CARD and not info.is_dir():
                        _unpack(archive, info, place)
        except (OSError, KeyError, ValueError, zipfile.BadZipFile) as error:
            raise _refused(f"this is no package ({error})", package) from error
        _write(self._record(card.program), card)
        return card

    def _refuse(self, card: Card, package: str) -> None:
        here, ghost = self.installed(card.program), _read_card(self.ghost_of(card.program))
        if here is not None and here.signature != card.signature:
            raise _refused(f"{card.version} carries another signature than {here.version}", package)
        mine, coming = Version.parse(here.version) if here else None, Version.parse(card.version)
        if mine is not None and coming is not None and coming.compare(mine) == -1:
            raise _refused(f"{card.version} is older than {card.program} here", package)
        if ghost is not None and ghost.signature != card.signature:
            raise _refused("a former install that is not to be seen is in the way", package)

    def remove(self, program: str, *, leaves_ghost: bool = False) -> None:
        """Remove a program, and all its data with it."""
        card = self.installed(program)
        if card is None:
            raise _refused(f"{program} is not on the device", self.folder)
        shutil.rmtree(self.place(program), ignore_errors=True)
        os.unlink(self._record(program))
        if leaves_ghost:
            _write(self.ghost_of(program), card)

    def clear_ghost(self, program: str) -> None:
        """Clear what a former install left."""
        if os.path.exists(self.ghost_of(program)):
            os.unlink(self.ghost_of(program))

    def grant(self, program: str) -> None:
        """Give a program the right to use the card; it goes with the program."""
        with open(os.path.join(self.place(program), "rights.ini"), "w", encoding="utf-8") as file:
            file.write("card = granted\n")

    def start(self, program: str) -> str:
        """Start a program, wait for its end; what it printed."""
        place = self.place(program)
        words = [sys.executable, os.path.join(place, _slug(program))]
        ended = subprocess.run(words, cwd=place, capture_output=True, text=True, timeout=60, check=False)
        if ended.returncode:
            raise _refused(f"{program} did not start: {ended.stderr.strip()[-200:]}", place)
        return ended.stdout


def _unpack(archive: zipfile.ZipFile, info: zipfile.ZipInfo, place: str) -> None:
    """One member, with its mode and its time."""
    from datetime import datetime

    target = os.path.join(place, info.filename)
    if not os.path.realpath(target).startswith(os.path.realpath(place) + os.sep):
        raise _refused("a member of it would lie outside", info.filename)
    os.makedirs(os.path.dirname(target), exist_ok=True)
    with open(target, "wb") as file:
        file.write(archive.read(info))
    os.chmod(target, (info.external_attr >> 16) & 0o777 or 0o644)
    when = datetime(*info.date_time).timestamp()
    os.utime(target, (when, when))


def _slug(program: str) -> str:
    return re.sub(r"[^a-z0-9]+", "-", program.lower()).strip("-")


def _card(text: str) -> Card:
    said = tomllib.loads(text)
    return Card(program=str(said["program"]), version=str(said["version"]), signature=str(said["signature"]))


def card_text(card: Card) -> str:
    """What a package says of itself, as its file."""
    return f'program = "{card.program}"\nversion = "{card.version}"\nsignature = "{card.signature}"\n'


def _read_card(path: str) -> Card | None:
    try:
        with open(path, encoding="utf-8") as file:
            return _card(file.read())
    except OSError:
        return None


def _write(path: str, card: Card) -> None:
    os.makedirs(os.path.dirname(path), exist_ok=True)
    with open(path, "w", encoding="utf-8") as file:
        file.write(card_text(card))


def _refused(why: str, path: str) -> LeftIntactError:
    return LeftIntactError(
        "refused", f"the handheld refuses: {why}", path=path, way_out="Do what it asks for first."
    )
