"""What a survey leaves in the library, so that the next one need not look at what has not changed."""

from __future__ import annotations

import json
import sqlite3
import struct
import zlib
from collections.abc import Sequence
from dataclasses import asdict

from left_intact.core.library.verdict_rows import (
    table_from_row,
    table_to_row,
    verdicts_from_row,
    verdicts_to_row,
)
from left_intact.core.model.bulk import collector_at_rest
from left_intact.core.model.classes import FileClass
from left_intact.core.model.findings import SortedPages
from left_intact.core.model.page_packing import is_of_old, pages_from_bytes, pages_to_bytes
from left_intact.core.model.pages import Page
from left_intact.core.model.place import At
from left_intact.core.model.release import Reading
from left_intact.core.model.survey import Survey, Total
from left_intact.core.survey.read import PreviousSurvey, Sorting

_WORST = (ValueError, KeyError, TypeError, IndexError, struct.error, zlib.error)
PART_FOLDERS = 256
"""Folders in one row: a survey that finds a change writes only the rows it is in."""


def load(db: sqlite3.Connection, install: int) -> PreviousSurvey:
    """What the last survey left; nothing where there was none or the rows cannot be read."""
    with collector_at_rest():
        try:
            return _load(db, install)
        except _WORST:
            return PreviousSurvey()


def _load(db: sqlite3.Connection, install: int) -> PreviousSurvey:
    rows = db.execute("SELECT pages FROM surveyed WHERE install_id = ? ORDER BY part", (install,))
    found = [(row[0], pages_from_bytes(row[0])) for row in rows]
    pages = {page.at: page for _, some in found for page in some}
    if any(page.root for data, some in found if is_of_old(data) for page in some):
        return PreviousSurvey(pages=pages)  # what lies in other roots stands elsewhere in the columns now
    rows = db.execute(
        "SELECT context, verdicts, evidence, said FROM sortings WHERE install_id = ? ORDER BY planned",
        (install,),
    )
    kept = {row[0]: tuple(row[1:]) for row in rows}
    return PreviousSurvey(pages=pages, contexts=tuple(kept), sorting=lambda context: _sorting(*kept[context]))


def _sorting(verdicts: bytes, evidence: bytes, told: str) -> Sorting | None:
    try:
        said = json.loads(told)
        return Sorting(
            verdicts=verdicts_from_row(verdicts),
            table=table_from_row(evidence),
            folders=_folders(said["folders"]),
            readings=tuple(Reading(**r) for r in said["readings"]),
            platform=said["platform"],
            notes=tuple(said["notes"]),
            totals={
                c: Total(files=said["totals"][c.value][0], bytes=said["totals"][c.value][1])
                for c in FileClass
            },
        )
    except _WORST:
        return None


def _folders(said: dict[str, int] | list[tuple[str, str, int]]) -> dict[At, int]:
    """By folder that is an entry itself; up to version 0.2 only the install's own were kept so, by path."""
    if isinstance(said, dict):
        return {At("", path): verdict for path, verdict in said.items()}
    return {At(root, path): verdict for root, path, verdict in said}


def pages_of(db: sqlite3.Connection, install: int) -> list[Page]:
    """The pages of the last survey, ordered by folder."""
    rows = db.execute("SELECT pages FROM surveyed WHERE install_id = ? ORDER BY part", (install,))
    try:
        return [page for row in rows for page in pages_from_bytes(row[0])]
    except ValueError:
        return []


def save(
    db: sqlite3.Connection,
    install: int,
    survey: Survey,
    context: str,
    before: PreviousSurvey,
    *,
    planned: bool,
) -> None:
    """Write what changed since `before`. Runs inside the caller's transaction."""
    findings = survey.findings
    assert isinstance(findings, SortedPages)
    same_pages = before.holds(findings.pages)
    if same_pages and context in before.contexts:
        return
    if not same_pages:
        _save_pages(db, install, findings.pages, before)
        db.execute("DELETE FROM sortings WHERE install_id = ?", (install,))
    said = {
        "folders": [[*at, verdict] for at, verdict in findings.folders.items()],
        "platform": survey.platform,
        "notes": list(survey.notes),
        "totals": {c.value: [t.files, t.bytes] for c, t in findings.totals().items()},
        "readings": [asdict(r) for r in survey.readings],
    }
    verdicts = b"".join(map(verdicts_to_row, findings.verdicts))
    row = (install, planned, context, verdicts, table_to_row(findings.table), json.dumps(said))
    db.execute("REPLACE INTO sortings VALUES (?,?,?,?,?,?)", row)


def _save_pages(db: sqlite3.Connection, install: int, pages: Sequence[Page], before: PreviousSurvey) -> None:
    same_folders = len(before.pages) == len(pages) and all(p.at in before.pages for p in pages)
    if not same_folders:
        db.execute("DELETE FROM surveyed WHERE install_id = ?", (install,))
    for part, start in enumerate(range(0, len(pages), PART_FOLDERS)):
        some = pages[start : start + PART_FOLDERS]
        if not (same_folders and all(before.pages.get(page.at) is page for page in some)):
            db.execute("REPLACE INTO surveyed VALUES (?,?,?)", (install, part, pages_to_bytes(some)))
