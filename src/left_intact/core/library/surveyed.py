"""What a survey leaves in the library, so that the next one need not look at what has not changed."""

from __future__ import annotations

import json
import sqlite3
import struct
import zlib
from array import array
from collections.abc import Callable
from dataclasses import asdict
from functools import partial

from left_intact.core.files.tree import Tree
from left_intact.core.library.verdict_rows import (
    table_from_row,
    table_to_row,
    verdicts_from_row,
    verdicts_to_row,
)
from left_intact.core.model.bulk import collector_at_rest
from left_intact.core.model.classes import FileClass
from left_intact.core.model.findings import SortedPages
from left_intact.core.model.page_packing import pages_from_bytes, pages_to_bytes
from left_intact.core.model.pages import Page
from left_intact.core.model.release import Reading
from left_intact.core.model.survey import Survey, Total
from left_intact.core.survey.read import PreviousSurvey

PART_FOLDERS = 256
"""Folders in one row: a survey that finds a change writes only the rows it is in."""


def load(db: sqlite3.Connection, install: int) -> PreviousSurvey:
    """What the last survey left; nothing where there was none or the rows cannot be read."""
    with collector_at_rest():
        try:
            return _load(db, install)
        except (ValueError, KeyError, TypeError, struct.error, zlib.error):
            return PreviousSurvey()


def _load(db: sqlite3.Connection, install: int) -> PreviousSurvey:
    pages, verdicts = {}, {}
    query = "SELECT pages, verdicts FROM surveyed WHERE install_id = ? ORDER BY part"
    for packed, numbers in db.execute(query, (install,)):
        all_of_part = verdicts_from_row(numbers)
        at = 0
        for page in pages_from_bytes(packed):
            pages[page.folder] = page
            verdicts[page.folder] = all_of_part[at : at + len(page.names)]
            at += len(page.names)
    row = db.execute(
        "SELECT context, verdicts, said FROM sortings WHERE install_id = ?", (install,)
    ).fetchone()
    if row is None:
        return PreviousSurvey(pages=pages)
    said = json.loads(row[2])
    return PreviousSurvey(
        pages=pages,
        verdicts=verdicts,
        table=table_from_row(row[1]),
        folders=said["folders"],
        context=row[0],
        readings=tuple(Reading(**r) for r in said["readings"]),
        platform=said["platform"],
        notes=tuple(said["notes"]),
        totals={
            c: Total(files=said["totals"][c.value][0], bytes=said["totals"][c.value][1]) for c in FileClass
        },
    )


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
    tree: Tree,
    context: str,
    before: PreviousSurvey,
    own_readings: Callable[[Reading], bool] = lambda reading: True,
) -> bool:
    """Write what changed since `before`; tells whether anything did. Runs inside the caller's transaction."""
    findings = survey.findings
    assert isinstance(findings, SortedPages)
    same_sorting = context == before.context and findings.table is before.table
    if same_sorting and len(tree.pages) == len(before.pages):
        return False
    same_folders = len(before.pages) == len(tree.pages) and all(p.folder in before.pages for p in tree.pages)
    if not same_folders:
        db.execute("DELETE FROM surveyed WHERE install_id = ?", (install,))
    for part, start in enumerate(range(0, len(tree.pages), PART_FOLDERS)):
        pages = tree.pages[start : start + PART_FOLDERS]
        verdicts = findings.verdicts[start : start + PART_FOLDERS]
        if not (same_folders and all(map(partial(_is_known, before), pages, verdicts))):
            row = (install, part, pages_to_bytes(pages), b"".join(map(verdicts_to_row, verdicts)))
            db.execute("REPLACE INTO surveyed VALUES (?,?,?,?)", row)
    said = {
        "folders": dict(findings.folders),
        "platform": survey.platform,
        "notes": list(survey.notes),
        "totals": {c.value: [t.files, t.bytes] for c, t in findings.totals().items()},
        "readings": [asdict(r) for r in survey.readings if own_readings(r)],
    }
    db.execute(
        "REPLACE INTO sortings VALUES (?,?,?,?)",
        (install, context, table_to_row(findings.table), json.dumps(said)),
    )
    return True


def _is_known(before: PreviousSurvey, page: Page, verdicts: array[int]) -> bool:
    return before.pages.get(page.folder) is page and before.verdicts.get(page.folder) == verdicts
