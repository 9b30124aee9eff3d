"""Makes docs/examples/ anew: every figure of the demo, as SVG and PDF, and the report of an update. Where the
demo lay while they were made, and when, stands in none of them.
"""

from __future__ import annotations

import tempfile
from dataclasses import replace
from datetime import datetime
from pathlib import Path

from left_intact.charts.exports import EXPORTS, REPORT
from left_intact.charts.history import draw_history
from left_intact.charts.paper import write
from left_intact.charts.registry import FIGURES
from left_intact.charts.report import write_report
from left_intact.charts.subject import Subject
from left_intact.core.model.account import Account
from left_intact.demo.build import build_demo
from left_intact.workbench import Workbench

TARGET = Path(__file__).parents[1] / "docs" / "examples"
DATE = "2026-12-02"
INSTALL = "Brindlemere"
ROOM = "/home/mo/pier-room"


def main() -> None:
    for old in TARGET.glob("*"):
        old.unlink()
    TARGET.mkdir(exist_ok=True)
    with tempfile.TemporaryDirectory() as folder:
        bench = Workbench(build_demo(folder, fresh=True).home)
        subject = Subject(bench=bench, install=bench.shelf.find(INSTALL), date=DATE)
        for figure in ("composition", "shelf", "crossing"):
            write_both(FIGURES[figure](subject), figure)
        update(subject)
        write_both(FIGURES["proof"](subject), "proof")
        bench.updates.back.go(subject.install)
        update(subject)
        account = bench.accounts.of(subject.install)
        for export in EXPORTS["proof"]:
            if export.name == REPORT:
                write_report(elsewhere(account, folder), str(TARGET / f"report{export.ending}"))
        lines = bench.updates.chronicle(subject.install)
        began = datetime(2026, 11, 21, 19, 5).timestamp()
        lines = tuple(replace(line, began=began + 3 * 86400 * at) for at, line in enumerate(reversed(lines)))[
            ::-1
        ]
        held = bench.keeping.look(subject.install).bytes
        write_both(draw_history(lines, name=INSTALL, date=DATE, held=held), "history")


def update(subject: Subject) -> None:
    """Lay what waits, with the defaults."""
    bench, install = subject.bench, subject.install
    waiting = next(row.waiting for row in bench.shelf.rows() if row.install.id == install.id)
    assert waiting is not None
    draft = bench.updates.draft(install, waiting[0])
    bench.updates.update(draft.plan({q.id: q.choice for q in draft.plan().questions}), install)


def elsewhere(account: Account, folder: str) -> Account:
    """The same account, of a made-up folder and evening."""
    began = datetime(2026, 11, 27, 19, 5).timestamp()
    return replace(
        account,
        root=account.root.replace(folder, ROOM),
        strongbox=account.strongbox.replace(folder, ROOM),
        came=tuple(replace(came, source=came.source.replace(folder, ROOM)) for came in account.came),
        began=began,
        ended=began + 3,
    )


def write_both(pages: list, figure: str) -> None:  # type: ignore[type-arg]
    for ending in ("svg", "pdf"):
        write(pages, str(TARGET / f"{figure}.{ending}"))
    print(figure)


if __name__ == "__main__":
    main()
