"""Values as records for JSON in journal and library: dictionaries with a version, so that they can grow.

A reader passes over what it does not know and fills in what is not there, so an older
record opens, and a newer one loses nothing but what only newer code needs. In bulk the
names of the fields are written once, over columns.
"""

from __future__ import annotations

import base64
import json
import zlib
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import asdict
from typing import Any

from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Attributes, Entry, Kind
from left_intact.core.model.place import At, Root
from left_intact.core.model.stages import (
    Carry,
    Consent,
    FromArrival,
    FromRoot,
    FromStrongbox,
    HandCheck,
    HandStep,
    KeyLine,
    Later,
    Made,
    Move,
    Shipped,
    Sign,
    Source,
    Verb,
)

VERSION = 1
Record = dict[str, Any]
_KINDS = {kind.value: kind for kind in Kind}
_FIELDS = ("path", "kind", "bytes", "mode", "mtime_ns", "digest", "format", "link", "fault", "stamp")


# ---------------------------------------------------------------- entries


def entry_to_record(entry: Entry | None) -> Record | None:
    """All fields that say something."""
    if entry is None:
        return None
    said: Record = {"path": entry.path, "kind": entry.kind.value, "mode": entry.mode}
    for name in ("bytes", "mtime_ns", "digest", "format", "link", "fault"):
        if value := getattr(entry, name):
            said[name] = value
    if any(entry.stamp):
        said["stamp"] = list(entry.stamp)
    return said


def entry_from_record(said: Mapping[str, Any] | None) -> Entry | None:
    """The reverse. Raises ValueError, KeyError or TypeError for what is no entry."""
    if said is None:
        return None
    device, inode, changed = said.get("stamp", (0, 0, 0))
    return Entry(
        path=said["path"],
        kind=_KINDS[said["kind"]],
        mode=said.get("mode"),
        bytes=said.get("bytes", 0),
        mtime_ns=said.get("mtime_ns", 0),
        digest=said.get("digest", ""),
        format=said.get("format", ""),
        link=said.get("link", ""),
        fault=said.get("fault", ""),
        stamp=(device, inode, changed),
    )


def entries_to_columns(entries: Iterable[Entry]) -> Record:
    """Many entries: the fields named once, a row each."""
    rows = [
        [e.path, e.kind.value, e.bytes, e.mode, e.mtime_ns, e.digest, e.format, e.link, e.fault, e.stamp]
        for e in entries
    ]
    return {"v": VERSION, "fields": list(_FIELDS), "rows": rows}


def entries_from_columns(said: Any) -> list[Entry]:
    """The reverse; also of the bare lists of ten fields that version 0.1 wrote."""
    fields, rows = (_FIELDS, said) if isinstance(said, list) else (tuple(said["fields"]), said["rows"])
    if tuple(fields) == _FIELDS:
        return [_entry_of_row(row) for row in rows]
    return [e for row in rows if (e := entry_from_record(dict(zip(fields, row, strict=False)))) is not None]


def _entry_of_row(row: Sequence[Any]) -> Entry:
    path, kind, size, mode, mtime_ns, digest, file_format, link, fault, stamp = row
    return Entry(
        path=path,
        kind=_KINDS[kind],
        bytes=size,
        mode=mode,
        mtime_ns=mtime_ns,
        digest=digest,
        format=file_format,
        link=link,
        fault=fault,
        stamp=(stamp[0], stamp[1], stamp[2]),
    )


def entry_from_list(row: Sequence[Any]) -> Entry:
    """An entry as version 0.1 wrote it: ten fields in a fixed order. Raises ValueError for anything else."""
    return _entry_of_row(row)


def packed(said: Any) -> bytes:
    """Any plain value as compressed JSON; odd names survive as escapes."""
    return zlib.compress(json.dumps(said, separators=(",", ":")).encode(), 1)


def unpacked(data: bytes) -> Any:
    """The reverse of `packed`. Raises ValueError or zlib.error for anything else."""
    return json.loads(zlib.decompress(data))


# ---------------------------------------------------------------- places


def at_to_list(at: At) -> list[str]:
    return [at.root, at.path]


def at_from_list(said: Sequence[str]) -> At:
    root, path = said
    return At(root, path)


def root_to_record(root: Root) -> Record:
    identity = list(root.identity) if root.identity else None
    return {"label": root.label, "place": root.place, "identity": identity, "existed": root.existed}


# ---------------------------------------------------------------- sources


def source_to_record(source: Source | None) -> Record | None:
    """Where bytes come from; bytes that were made are kept beside, not in the record."""
    match source:
        case None:
            return None
        case FromArrival(arrival, member):
            return {"from": "arrival", "arrival": arrival, "member": member}
        case FromRoot(at):
            return {"from": "root", "at": at_to_list(at)}
        case FromStrongbox(digest):
            return {"from": "strongbox", "digest": digest}
        case Made(digest, _, _):
            return {"from": "made", "digest": digest}


def source_from_record(said: Mapping[str, Any] | None, content: bytes | None) -> Source | None:
    """The reverse. Raises ValueError for a source that this version does not know."""
    if said is None:
        return None
    match said["from"]:
        case "arrival":
            return FromArrival(said["arrival"], said["member"])
        case "root":
            return FromRoot(at_from_list(said["at"]))
        case "strongbox":
            return FromStrongbox(said["digest"])
        case "made":
            return Made(said["digest"], content or b"")
        case other:
            raise ValueError(f"no source is called {other!r}")


def lines_to_records(lines: Iterable[KeyLine]) -> list[Record]:
    return [asdict(line) for line in lines]


def lines_from_records(said: Iterable[Mapping[str, Any]]) -> tuple[KeyLine, ...]:
    known = KeyLine.__dataclass_fields__
    found = []
    for line in said:
        values: dict[str, Any] = {name: value for name, value in line.items() if name in known}
        for name in ("path", "was"):
            values[name] = tuple(values.get(name, ()))
        found.append(KeyLine(**values))
    return tuple(found)


def attributes_to_record(attributes: Attributes | None) -> Record | None:
    if attributes is None:
        return None
    extended = [[name, value.hex()] for name, value in attributes.extended]
    return {
        "owner": attributes.owner,
        "group": attributes.group,
        "names": attributes.names,
        "extended": extended,
    }


def attributes_from_record(said: Mapping[str, Any] | None) -> Attributes | None:
    if said is None:
        return None
    return Attributes(
        owner=said.get("owner", -1),
        group=said.get("group", -1),
        names=said.get("names", 1),
        extended=tuple((name, bytes.fromhex(value)) for name, value in said.get("extended", ())),
    )


# ---------------------------------------------------------------- stages


def carry_to_record(carry: Carry) -> Record:
    """A stage that was drawn but not begun."""
    return {
        "v": VERSION,
        "moves": [_move_to_record(move) for move in carry.moves],
        "shipped": shipped_to_record(carry.shipped),
        "tidy": carry.tidy,
        "times": [[at_to_list(at), when] for at, when in carry.times],
        "reaches": carry.reaches,
        "intends": carry.intends,
        "copies": carry.copies,
    }


def carry_from_record(said: Mapping[str, Any]) -> Carry:
    return Carry(
        moves=tuple(_move_from_record(move) for move in said["moves"]),
        shipped=shipped_from_record(said["shipped"]),
        tidy=said["tidy"],
        times=tuple((at_from_list(at), when) for at, when in said["times"]),
        reaches=said.get("reaches", ""),
        intends=said.get("intends", ""),
        copies=said.get("copies", False),
    )


def _move_to_record(move: Move) -> Record:
    said: Record = {
        "at": at_to_list(move.at),
        "verb": move.verb.value,
        "class": move.file_class.value,
        "because": move.because,
        "before": entry_to_record(move.before),
        "after": entry_to_record(move.after),
        "source": source_to_record(move.source),
        "bytes": move.bytes,
        "safeguard": move.safeguard,
        "by_name": move.by_name,
        "unproven": move.unproven,
        "gives": attributes_to_record(move.gives),
        "joins": at_to_list(move.joins) if move.joins else None,
    }
    if isinstance(move.source, Made):
        said["content"] = base64.b64encode(move.source.content).decode()
        said["lines"] = lines_to_records(move.source.lines)
    return said


def _move_from_record(said: Mapping[str, Any]) -> Move:
    content = base64.b64decode(said["content"]) if "content" in said else None
    source = source_from_record(said["source"], content)
    if isinstance(source, Made):
        source = Made(source.digest, source.content, lines_from_records(said.get("lines", ())))
    return Move(
        at=at_from_list(said["at"]),
        verb=Verb(said["verb"]),
        file_class=FileClass(said["class"]),
        because=said["because"],
        before=entry_from_record(said["before"]),
        after=entry_from_record(said["after"]),
        source=source,
        bytes=said.get("bytes", 0),
        safeguard=said.get("safeguard", False),
        by_name=said.get("by_name", False),
        unproven=said.get("unproven", False),
        gives=attributes_from_record(said.get("gives")),
        joins=at_from_list(said["joins"]) if said.get("joins") else None,
    )


# ---------------------------------------------------------------- stages that are no moves


def shipped_to_record(shipped: Shipped | None) -> Record | None:
    return (
        None
        if shipped is None
        else {
            "arrival": shipped.arrival,
            "over": shipped.over,
            "paths": list(shipped.paths),
            "members": list(shipped.members),
            "without": list(shipped.without),
        }
    )


def shipped_from_record(said: Mapping[str, Any] | None) -> Shipped | None:
    if said is None:
        return None
    return Shipped(
        arrival=said["arrival"],
        over=said.get("over", False),
        paths=tuple(said.get("paths", ())),
        members=tuple(said.get("members", ())),
        without=tuple(said.get("without", ())),
    )


def hand_to_record(step: HandStep) -> Record:
    check = step.check
    return {
        "id": step.id,
        "asks": step.asks,
        "why": step.why,
        "check": {
            "sign": check.sign.value,
            "at": at_to_list(check.at),
            "key": check.key,
            "value": check.value,
        },
        "back": hand_to_record(step.back) if step.back else None,
        "may_skip": step.may_skip,
        "rebinds": list(step.rebinds),
        "command": list(step.command),
    }


def hand_from_record(said: Mapping[str, Any]) -> HandStep:
    check = said["check"]
    return HandStep(
        id=said["id"],
        asks=said["asks"],
        why=said["why"],
        check=HandCheck(
            sign=Sign(check["sign"]),
            at=at_from_list(check.get("at", ("", ""))),
            key=check.get("key", ""),
            value=check.get("value", ""),
        ),
        back=hand_from_record(said["back"]) if said.get("back") else None,
        may_skip=said.get("may_skip", False),
        rebinds=tuple(said.get("rebinds", ())),
        command=tuple(said.get("command", ())),
    )


def later_to_record(later: Later) -> Record:
    consent = later.consent
    return {
        "planner": later.planner,
        "intends": later.intends,
        "consent": {
            "roots": list(consent.roots),
            "classes": [c.value for c in consent.classes],
            "verbs": [v.value for v in consent.verbs],
            "bytes": consent.bytes,
        },
        "with": dict(later.with_),
    }


def later_from_record(said: Mapping[str, Any]) -> Later:
    consent = said["consent"]
    return Later(
        planner=said["planner"],
        intends=said["intends"],
        consent=Consent(
            roots=tuple(consent["roots"]),
            classes=tuple(FileClass(c) for c in consent["classes"]),
            verbs=tuple(Verb(v) for v in consent["verbs"]),
            bytes=consent["bytes"],
        ),
        with_=dict(said.get("with", {})),
    )
