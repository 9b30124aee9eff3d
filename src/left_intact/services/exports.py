"""Files that a person wants to have elsewhere: whole or not at all, and over nothing but what we wrote and
nobody has changed since.
"""

from __future__ import annotations

import os
import re
import tempfile

from blake3 import blake3

from left_intact.core.model.errors import LeftIntactError, reason_of

_UNSEALED = "0" * 64
MADE_BY = f"Left Intact {_UNSEALED}"
"""Stands in every file of ours that a person keeps. `write_out` puts the BLAKE3 of the file, as it is with
the zeros, in their place: so it is known again, and made anew as long as it is just what we wrote.
"""
_SEAL = re.compile(rb"Left Intact ([0-9a-f]{64})")
_MOST = 64 << 20
"""Bytes of a file of ours; what is larger is none."""


def write_out(path: str, data: bytes, what: str) -> str:
    """Write `data`, which has `MADE_BY` in it, to a file; returns its path. Raises `in-the-way` where
    something lies there that is not just as we wrote it, `disk`.
    """
    from left_intact.core.files.private import take_name

    target = os.path.abspath(os.path.expanduser(path))
    try:
        if os.path.lexists(target) and not _is_ours(target):
            raise LeftIntactError(
                "in-the-way",
                f"something else than a {what} as we wrote it lies there, and nothing is written over",
                path=path,
                way_out="Name another file.",
            )
        with tempfile.TemporaryDirectory(prefix=".left-intact-", dir=os.path.dirname(target)) as folder:
            part = os.path.join(folder, "part")
            with open(part, "wb") as file:
                file.write(data.replace(_UNSEALED.encode(), blake3(data).hexdigest().encode()))
            take_name(part, target)
    except OSError as error:
        says = f"the {what} could not be written ({reason_of(error)})"
        raise LeftIntactError("disk", says, path=path, way_out="Name another place.") from error
    return path


def _is_ours(path: str) -> bool:
    """Whether a file is just as we wrote it."""
    if os.path.islink(path) or not os.path.isfile(path) or os.path.getsize(path) > _MOST:
        return False
    with open(path, "rb") as file:
        data = file.read()
    found = _SEAL.search(data)
    if found is None:
        return False
    seal = found.group(1)
    return blake3(data.replace(seal, _UNSEALED.encode())).hexdigest().encode() == seal
