"""What a survey leaves in the library, so that the next one need not look at what has not changed."""

from __future__ import annotations

import json
import os
import sqlite3
import struct
import zlib
from collections.abc import Callable
from dataclasses import asdict

from left_intact.core.files.pages import Page
from left_intact.core.files.tree import Tree
from left_intact.core.files.walk import collector_at_rest
from left_intact.core.library.page_rows import (
    page_from_row,
    page_to_row,
    table_from_row,
    table_to_row,
    verdicts_from_row,
    verdicts_to_row,
)
from left_intact.core.model.classes import FileClass
from left_intact.core.model.release import Reading
from left_intact.core.model.survey import Survey, Total
from left_intact.core.survey.findings import SortedPages
from left_intact.core.survey.read import PreviousSurvey


def load(db: sqlite3.Connection, install: int) -> PreviousSurvey:
    """What the last survey left; nothing where there was none or the rows cannot be read."""
    with collector_at_rest():
        try:
            return _load(db, install)
        except (ValueError, KeyError, TypeError, struct.error, zlib.error):
            return PreviousSurvey()


def _load(db: sqlite3.Connection, install: int) -> PreviousSurvey:
    pages, verdicts = {}, {}
    for raw, page, own in db.execute(
        "SELECT folder, page, verdicts FROM pages WHERE install_id = ?", (install,)
    ):
        folder = os.fsdecode(raw)
        pages[folder] = page_from_row(folder, page)
        verdicts[folder] = verdicts_from_row(own)
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
    rows = db.execute("SELECT folder, page FROM pages WHERE install_id = ?", (install,))
    try:
        found = [page_from_row(os.fsdecode(folder), page) for folder, page in rows]
    except (ValueError, TypeError, struct.error):
        return []
    return sorted(found, key=lambda page: page.folder)


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
    rows = []
    for page, verdicts in zip(tree.pages, findings.verdicts, strict=True):
        if before.pages.get(page.folder) is page and before.verdicts.get(page.folder) == verdicts:
            continue
        rows.append((install, os.fsencode(page.folder), page_to_row(page), verdicts_to_row(verdicts)))
    gone = set(before.pages) - {page.folder for page in tree.pages}
    db.executemany(
        "DELETE FROM pages WHERE install_id = ? AND folder = ?", [(install, os.fsencode(f)) for f in gone]
    )
    db.executemany("REPLACE INTO pages VALUES (?,?,?,?)", rows)
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
