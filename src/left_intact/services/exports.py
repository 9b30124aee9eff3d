"""Files that a person wants to have elsewhere: whole or not at all, and over nothing but what we wrote."""

from __future__ import annotations

import os
import tempfile

from left_intact.core.model.errors import LeftIntactError, reason_of

MADE_BY = "Left Intact"
"""Stands in every file of ours that a person keeps, so that it may be made anew."""
_MOST = 64 << 20
"""Bytes of a file of ours; what is larger is none."""


def write_out(path: str, data: bytes, what: str) -> str:
    """Write `data`, which has `MADE_BY` in it, to a file; returns its path. Raises `in-the-way` where
    something lies there that is none of ours, `disk`.
    """
    from left_intact.core.files.private import take_name

    target = os.path.abspath(os.path.expanduser(path))
    try:
        if os.path.lexists(target) and not _is_ours(target):
            raise LeftIntactError(
                "in-the-way",
                f"something else than a {what} of ours lies there, and nothing is written over",
                path=path,
                way_out="Name another file.",
            )
        with tempfile.TemporaryDirectory(prefix=".left-intact-", dir=os.path.dirname(target)) as folder:
            part = os.path.join(folder, "part")
            with open(part, "wb") as file:
                file.write(data)
            take_name(part, target)
    except OSError as error:
        says = f"the {what} could not be written ({reason_of(error)})"
        raise LeftIntactError("disk", says, path=path, way_out="Name another place.") from error
    return path


def _is_ours(path: str) -> bool:
    if os.path.islink(path) or not os.path.isfile(path) or os.path.getsize(path) > _MOST:
        return False
    with open(path, "rb") as file:
        return MADE_BY.encode() in file.read()
