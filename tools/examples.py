"""Makes docs/examples/ anew: every figure of the demo, as SVG and PDF."""

from __future__ import annotations

import tempfile
from pathlib import Path

from left_intact.charts import registry
from left_intact.demo.build import build_demo
from left_intact.workbench import Workbench

TARGET = Path(__file__).parents[1] / "docs" / "examples"
DATE = "2026-12-02"
"""On all of them, so that what did not change is not made anew."""
INSTALL = "Brindlemere"


def main() -> None:
    TARGET.mkdir(exist_ok=True)
    with tempfile.TemporaryDirectory() as folder:
        bench = Workbench(build_demo(folder, fresh=True).home)
        install = bench.shelf.find(INSTALL)
        for figure in ("composition", "crossing", "shelf"):
            draw(bench, figure)
        waiting = next(row.waiting for row in bench.shelf.rows() if row.install.id == install.id)
        assert waiting is not None
        draft = bench.updates.draft(install, waiting[0])
        plan = draft.plan({question.id: question.choice for question in draft.plan().questions})
        bench.updates.update(plan, install)
        for figure in ("history", "proof"):
            draw(bench, figure)


def draw(bench: Workbench, figure: str) -> None:
    for ending in ("svg", "pdf"):
        path = str(TARGET / f"{figure}.{ending}")
        registry.draw(bench, bench.shelf.find(INSTALL), figure, path, date=DATE)
    print(figure)


if __name__ == "__main__":
    main()
