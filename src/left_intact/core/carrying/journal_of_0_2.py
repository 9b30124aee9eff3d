"""A journal of version 0.2 in the records of today: what was packed by hand has the shape of the codec."""

from __future__ import annotations

import base64
import json
import sqlite3
import zlib
from collections.abc import Mapping
from dataclasses import replace
from typing import Any

from left_intact.core.carrying.witness_rows import parts_of, row_of
from left_intact.core.model.place import from_words
from left_intact.core.model.unchanged import Unchanged

Said = dict[str, Any]
_WITNESS = b"LIW1"


def to_records(db: sqlite3.Connection) -> None:
    """Rewrite all rows, inside the transaction of its migration."""
    db.execute("CREATE TABLE facts (update_id INTEGER PRIMARY KEY, record BLOB NOT NULL)")
    for row in db.execute("SELECT id, record FROM updates").fetchall():
        said = json.loads(row[1])
        db.execute("UPDATE updates SET record = ? WHERE id = ?", (json.dumps(_head(said)), row[0]))
        db.execute("INSERT INTO facts VALUES (?,?)", (row[0], _packed(_facts(said))))
    for row in db.execute("SELECT update_id, seq, record FROM stages").fetchall():
        query = "UPDATE stages SET record = ? WHERE update_id = ? AND seq = ?"
        db.execute(query, (json.dumps(_stage(json.loads(row[2]))), row[0], row[1]))
    for table, change in (("moves", _carry), ("observed", _observed)):
        for row in db.execute(f"SELECT update_id, stage, record FROM {table}").fetchall():
            query = f"UPDATE {table} SET record = ? WHERE update_id = ? AND stage = ?"
            db.execute(query, (_packed(change(_unpacked(row[2]))), row[0], row[1]))
    for row in db.execute("SELECT update_id, stage, record FROM witness").fetchall():
        query = "UPDATE witness SET record = ? WHERE update_id = ? AND stage = ?"
        db.execute(query, (_witness(row[2]), row[0], row[1]))
    steps = db.execute("SELECT update_id, stage, seq, record, content FROM steps").fetchall()
    db.execute("DROP TABLE steps")
    db.execute(
        "CREATE TABLE steps (update_id INTEGER NOT NULL, stage INTEGER NOT NULL, seq INTEGER NOT NULL, "
        "record TEXT NOT NULL, PRIMARY KEY (update_id, stage, seq))"
    )
    for update, stage, seq, record, content in steps:
        said = _placed(json.loads(record) | {"seq": seq}, content)
        db.execute("INSERT INTO steps VALUES (?,?,?,?)", (update, stage, seq, json.dumps(said)))


def _head(said: Said) -> Said:
    source = said.get("inputs", {}).get("came_from")
    return {name: value for name, value in said.items() if name != "inputs"} | {"source": source or ""}


def _facts(said: Said) -> Said:
    inputs = said.get("inputs", {})
    labels = [root["label"] for root in said["roots"]]
    known = ("came", "comes", "version_places", "picture", "given_sheet", "under_ids", "answers", "allowed")
    found: Said = {name: inputs[name] for name in known if name in inputs}
    found |= {"way": _way(said, inputs), "rules": inputs.get("things_by", [])}
    if inputs.get("things"):
        counted = json.loads(zlib.decompress(base64.b85decode(inputs["things"])))
        found["counted"] = [
            dict(zip(("thing", "rule", "names", "trouble"), one, strict=True)) for one in counted
        ]
    if "answered" in inputs:
        found["let_go"] = [_old_place(one, labels) for one in inputs["answered"]]
    return found


def _way(said: Said, inputs: Said) -> Said:
    behind, route = inputs.get("behind"), said.get("route")
    if said.get("undoes"):
        return {"type": "put-back", "to_old_root": bool(behind)}
    if "lets_go_of" in inputs:
        return {"type": "old-root-freed", "place": inputs["lets_go_of"]}
    if behind is not None:
        return {"type": "new-root", "moved": behind.get("moved", []), "left": behind.get("left", [])}
    ways: dict[str | None, Said] = {
        "clear-and-restore": {"type": "cleared", "not_saved": inputs.get("not_saved", [])},
        "single-part": {"type": "swapped", "parts": inputs.get("parts", [])},
        "ladder": {"type": "climbed", "chosen": inputs.get("chosen", [])},
        "graft": {"type": "grafted"},
        "content-pack": {"type": "from-pack", "chosen": inputs.get("chosen", [])},
    }
    return ways.get(route, {"type": "in-place"})


def _old_place(said: Any, labels: list[str]) -> Any:
    """A place stood in words there, with or without a mark before the colon."""
    if not isinstance(said, str):
        return said
    root, mark, rest = said.partition("\0:")
    return [root, rest[1:]] if mark else list(from_words(said, labels))


def _stage(said: Said) -> Said:
    if later := said.get("later"):
        said["later"] = {**later, "context": later.get("with", {})}
    return said


def _carry(said: Said) -> Said:
    return said | {"moves": [_placed(move, None) for move in said["moves"]]}


def _placed(said: Said, content: bytes | None) -> Said:
    """A step or a move: its class, its source with the bytes that were made, its attributes."""
    source = said.get("source")
    if source and source["from"] == "made":
        made = base64.b64encode(content or b"").decode() if "content" not in said else said["content"]
        source = {**source, "content": made, "lines": said.get("lines", [])}
    more = {name: _attributes(said[name]) for name in ("attributes", "gives") if said.get(name)}
    return said | {"file_class": said["class"], "source": source} | more


def _attributes(said: Mapping[str, Any]) -> Said:
    extended = [
        [name, base64.b64encode(bytes.fromhex(value)).decode()] for name, value in said.get("extended", ())
    ]
    return {**said, "extended": extended}


def _observed(said: Said) -> Said:
    def seen(rows: list[Any]) -> list[Said]:
        return [dict(zip(("at", "before", "after", "file_class"), one, strict=True)) for one in rows]

    return {"rows": seen(said.get("rows", [])), "watched": seen(said.get("watched", []))}


def _witness(row: bytes) -> bytes:
    head, kept = parts_of(row, _WITNESS)
    said = _unpacked(head)
    entries = [dict(zip(said["entries"]["fields"], one, strict=True)) for one in said["entries"]["rows"]]

    def entry(number: int) -> Said | None:
        return entries[number] if number >= 0 else None

    rows = [
        [[root, path], {"file_class": kind, "verb": verb, "before": entry(before), "agreed": entry(after)}]
        for root, path, kind, verb, before, after in said["rows"]
    ]
    told = {
        **{name: said[name] for name in ("version", "to_version", "roots")},
        "rows": rows,
        "merged": [[[root, path], lines] for root, path, lines in said["merged"]],
    }
    return row_of(_packed(told), _in_roots(kept, said.get("labels", [])))


def _in_roots(kept: Unchanged, labels: list[str]) -> Unchanged:
    """The pages with the root that stood in their path."""
    pages = []
    for one in kept.pages:
        root, folder = (
            (one.page.root, one.page.folder) if one.page.root else _old_place(one.page.folder, labels)
        )
        pages.append(replace(one, page=replace(one.page, root=root, folder=folder)))
    return Unchanged(pages, kept.because, kept.rest)


def _packed(said: Said) -> bytes:
    return zlib.compress(json.dumps(said, separators=(",", ":")).encode(), 1)


def _unpacked(data: bytes) -> Any:
    return json.loads(zlib.decompress(data))
