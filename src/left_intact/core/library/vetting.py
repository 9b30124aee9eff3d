"""What is no install: a whole disk, a home, a folder of installs, a file, nothing at all."""

from __future__ import annotations

import os
from collections.abc import Sequence

from left_intact.core.files.names import STRONGBOX_FOLDER, lies_in
from left_intact.core.model.errors import LeftIntactError, reason_of
from left_intact.core.model.install import Install


def why_no_install(root: str, home: str, others: Sequence[Install]) -> LeftIntactError | None:
    """Why a folder may not be taken up; None where it may. Reads no more of it than one name."""
    if not os.path.lexists(root):
        return _refused("no-folder", "there is no folder here", root, "Check the path.")
    if not os.path.isdir(root):
        return _refused("no-folder", "this is a file, and an install is a folder", root, "Name its folder.")
    person = os.path.realpath(os.path.expanduser("~"))
    if os.path.dirname(root) == root:
        return _refused(
            "too-wide", "this is a whole disk, no install", root, "Name the folder of the program."
        )
    if root == person or lies_in(person, root):
        way = "Name the folder of the program, or look for installs: left-intact find."
        return _refused("too-wide", "this is a home with everything in it, no install", root, way)
    if lies_in(root, os.path.realpath(home)) or STRONGBOX_FOLDER in root.split(os.sep):
        return _refused(
            "ours", "here this program keeps its own things", root, "Name the folder of a program."
        )
    inside = [one for one in others if _strictly_in(one.root, root)]
    if inside:
        names = ", ".join(one.name for one in inside[:3]) + (" …" if len(inside) > 3 else "")
        way = "Name the folder of the program alone, or forget those first."
        return _refused("holds-installs", f"this folder holds other installs: {names}", root, way)
    around = next((one for one in others if _strictly_in(root, one.root)), None)
    if around is not None:
        says = f"this folder lies in {around.name}, and is updated with it"
        way = f"Work with {around.name}, or forget it first."
        return _refused("lies-in-install", says, root, way)
    try:
        with os.scandir(root) as entries:
            if next(entries, None) is None:
                way = "Name the folder that the program lies in."
                return _refused("empty-folder", "there is nothing in this folder", root, way)
    except OSError as error:
        way = "Give yourself the right to read it."
        return _refused("no-folder", f"this folder cannot be read ({reason_of(error)})", root, way)
    return None


def _strictly_in(place: str, folder: str) -> bool:
    real = os.path.realpath(place)
    return real != folder and lies_in(real, folder)


def _refused(code: str, says: str, path: str, way_out: str) -> LeftIntactError:
    return LeftIntactError(code, says, path=path, way_out=way_out)
