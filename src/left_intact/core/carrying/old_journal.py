"""The journal of version 0.1, brought into the tables of today; an update cut off in it is ended by today's
code.
"""

from __future__ import annotations

import json
import sqlite3
from typing import Any

from left_intact.core.model.entry import Entry
from left_intact.core.model.packing import (
    VERSION,
    entries_to_columns,
    entry_from_list,
    entry_to_record,
    packed,
)

_TODAY = (
    "CREATE TABLE updates (id INTEGER PRIMARY KEY, state TEXT NOT NULL, changed REAL NOT NULL, "
    "record TEXT NOT NULL)",
    "CREATE TABLE stages (update_id INTEGER NOT NULL, seq INTEGER NOT NULL, kind TEXT NOT NULL, "
    "state TEXT NOT NULL, "
    "record TEXT NOT NULL, PRIMARY KEY (update_id, seq))",
    "CREATE TABLE moves (update_id INTEGER NOT NULL, stage INTEGER NOT NULL, record BLOB NOT NULL, "
    "PRIMARY KEY (update_id, stage))",
    "CREATE TABLE steps (update_id INTEGER NOT NULL, stage INTEGER NOT NULL, seq INTEGER NOT "
    "NULL, record TEXT NOT NULL, "
    "content BLOB, PRIMARY KEY (update_id, stage, seq))",
    "CREATE TABLE folders (update_id INTEGER NOT NULL, stage INTEGER NOT NULL, record TEXT NOT NULL)",
    "CREATE TABLE witness (update_id INTEGER NOT NULL, stage INTEGER NOT NULL, record BLOB NOT NULL, "
    "PRIMARY KEY (update_id, stage))",
    "CREATE TABLE observed (update_id INTEGER NOT NULL, stage INTEGER NOT NULL, record BLOB NOT NULL, "
    "PRIMARY KEY (update_id, stage))",
    "CREATE TABLE kept (update_id INTEGER NOT NULL, record TEXT NOT NULL)",
)
_STAGE_STATE = {
    "staging": "staging",
    "carrying": "carrying",
    "putting-back": "putting-back",
    "going-back": "putting-back",
    "on-trial": "done",
    "settled": "done",
    "gone-back": "undone",
    "abandoned": "undone",
}


def from_old_tables(db: sqlite3.Connection) -> None:
    """Runs inside the transaction of the migration. Raises ValueError or KeyError for rows that are none."""
    db.row_factory = sqlite3.Row
    db.execute("DROP INDEX witness_of")
    for table in ("updates", "steps", "folders", "witness", "trial"):
        db.execute(f"ALTER TABLE {table} RENAME TO old_{table}")
    for statement in _TODAY:
        db.execute(statement)
    for row in db.execute("SELECT * FROM old_updates ORDER BY id").fetchall():
        _update(db, row)
    for row in db.execute("SELECT * FROM old_trial").fetchall():
        said = {"v": VERSION, "path": json.loads(row["path"]), "kept_at": json.loads(row["kept_at"])}
        db.execute("INSERT INTO kept VALUES (?,?)", (row["update_id"], json.dumps(said)))
    for table in ("updates", "steps", "folders", "witness", "trial"):
        db.execute(f"DROP TABLE old_{table}")


def _update(db: sqlite3.Connection, row: sqlite3.Row) -> None:
    number, others = row["id"], json.loads(row["roots"])
    roots: list[dict[str, Any]] = [
        {"label": label, "place": place} for label, place in [("", json.loads(row["root"])), *others]
    ]
    said = {
        "v": VERSION,
        "kind": "update",
        "began": row["began"],
        "install": row["install"],
        "route": "in-place",
        "from_version": row["from_version"],
        "to_version": row["to_version"],
        "roots": roots,
        "arrivals": [{"source": json.loads(row["arrival"]), "root": json.loads(row["arrival_root"])}],
        "on_failure": "undo",
        "inputs": {},
        "undoes": [],
    }
    db.execute(
        "INSERT INTO updates VALUES (?,?,?,?)", (number, row["state"], row["changed"], json.dumps(said))
    )
    stage = json.dumps({"v": VERSION, "shipped": {"arrival": 0}})
    db.execute("INSERT INTO stages VALUES (?,1,'carry',?,?)", (number, _STAGE_STATE[row["state"]], stage))
    _steps(db, number, json.loads(row["arrival_root"]))
    for folder in db.execute("SELECT * FROM old_folders WHERE update_id = ?", (number,)).fetchall():
        at = ["", json.loads(folder["path"])]
        record = {
            "v": VERSION,
            "at": at,
            "mode": folder["mode"],
            "mtime_ns": folder["mtime_ns"],
            "wanted": False,
        }
        db.execute("INSERT INTO folders VALUES (?,1,?)", (number, json.dumps(record)))
    _witness(db, row, others)


def _steps(db: sqlite3.Connection, number: int, wrapper: str) -> None:
    """One step a place: a file that became a folder had two."""
    rows = db.execute("SELECT * FROM old_steps WHERE update_id = ? ORDER BY seq", (number,)).fetchall()
    first: dict[str, Any] = {}
    last = {json.loads(row["path"]): row for row in rows}
    for row in rows:
        first.setdefault(json.loads(row["path"]), row)
    for row in rows:
        path = json.loads(row["path"])
        if last[path] is not row:
            continue
        before, after = _entry(first[path]["before"]), _entry(row["after"])
        source: dict[str, Any] | None = None
        if row["content"] is not None and after is not None:
            source = {"from": "made", "digest": after.digest}
        elif after is not None and after.digest:
            source = {"from": "arrival", "arrival": 0, "member": f"{wrapper}/{path}" if wrapper else path}
        record = {
            "v": VERSION,
            "at": ["", path],
            "verb": row["verb"],
            "class": row["class"],
            "before": entry_to_record(before),
            "after": entry_to_record(after),
            "source": source,
        }
        db.execute(
            "INSERT INTO steps VALUES (?,1,?,?,?)", (number, row["seq"], json.dumps(record), row["content"])
        )


def _witness(db: sqlite3.Connection, head: sqlite3.Row, others: list[list[str]]) -> None:
    labels = {label for label, _ in others}
    entries: list[Entry] = []
    rows = []
    for row in db.execute("SELECT * FROM old_witness WHERE update_id = ?", (head["id"],)):
        numbers = []
        for entry in (_entry(row["before"]), _entry(row["agreed"])):
            numbers.append(len(entries) if entry is not None else -1)
            entries += [entry] if entry is not None else []
        rows.append([*_place(json.loads(row["path"]), labels), row["class"], row["verb"], *numbers])
    said = {
        "v": VERSION,
        "version": head["from_version"],
        "to_version": head["to_version"],
        "entries": entries_to_columns(entries),
        "rows": rows,
        "roots": others,
        "merged": [[*_place(path, labels), lines] for path, lines in json.loads(head["merged"]).items()],
    }
    db.execute("INSERT INTO witness VALUES (?,1,?)", (head["id"], packed(said)))


def _place(path: str, labels: set[str]) -> tuple[str, str]:
    label, _, rest = path.partition(":/")
    return (label, rest) if rest and label in labels else ("", path)


def _entry(text: str | None) -> Entry | None:
    return None if text is None else entry_from_list(json.loads(text))
