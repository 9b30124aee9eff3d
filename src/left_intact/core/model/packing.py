"""Entries as plain lists, for JSON in the journal and the library: small, and quick in bulk."""

from __future__ import annotations

from typing import Any

from left_intact.core.model.entry import Entry, Kind

_KINDS = {kind.value: kind for kind in Kind}


def entry_to_list(e: Entry) -> list[Any]:
    """Every field, in a fixed order."""
    return [e.path, e.kind.value, e.bytes, e.mode, e.mtime_ns, e.digest, e.format, e.link, e.fault, e.stamp]


def entry_from_list(row: list[Any]) -> Entry:
    """The reverse of `entry_to_list`. Raises ValueError or KeyError for anything else."""
    path, kind, size, mode, mtime_ns, digest, form, link, fault, stamp = row
    return Entry(
        path=path, kind=_KINDS[kind], bytes=size, mode=mode, mtime_ns=mtime_ns, digest=digest, format=form, link=link,
        fault=fault, stamp=(stamp[0], stamp[1], stamp[2]),
    )  # fmt: skip
