"""History: each update of an install with its verdict, and below it what the strongbox keeps of them."""

from __future__ import annotations

from typing import ClassVar

from rich.text import Text
from textual.app import ComposeResult
from textual.binding import Binding, BindingType
from textual.containers import Vertical
from textual.widgets import Static

from left_intact.core.model.errors import LeftIntactError
from left_intact.core.model.install import Install
from left_intact.core.model.keeping import Held, Holdings, Scrubbed
from left_intact.tui.jobs import Job
from left_intact.tui.look import Look
from left_intact.tui.protocol import application
from left_intact.tui.screens.dialogs import ConfirmDialog, Dialog, TextDialog
from left_intact.tui.widgets.lines import Gap, Lines, Row, Words
from left_intact.tui.writing import Line, bearable, clip
from left_intact.words import count, date, moment, size, versions
from left_intact.workbench import HistoryLine
from left_intact.worker.call import call

Kept = tuple[tuple[HistoryLine, ...], Holdings | None]
_COLOURS = {"intact": "good", "attention": "focus", "broken": "bad"}


class RunRow(Row):
    """One update or going back."""

    def __init__(self, line: HistoryLine) -> None:
        super().__init__(f"run:{line.id}")
        self.line = line

    def draw(self, width: int, look: Look, lit: bool) -> list[Text]:
        one = self.line
        row = Line().put(moment(one.began), look.style("quiet"), 18)
        row.put("back" if one.kind == "back" else "update", look.style("quiet"), 8)
        row.put(
            clip(bearable(versions(one.from_version, one.to_version)), 17), look.style("text", bold=lit), 18
        )
        row.put(one.verdict or "not proven", look.style(_COLOURS.get(one.verdict, "quiet")), 11)
        says = [one.state.replace("-", " ")]
        if width >= 90:
            says.append(f"{one.set_aside:,} aside")
            says += [f"{one.kept_files:,} kept"] * bool(one.kept_files)
        return [row.put(clip(" · ".join(says), width - row.cell_len - 1), look.style("quiet"))]


class HeldRow(Row):
    """One copy in the strongbox."""

    def __init__(self, held: Held) -> None:
        super().__init__(f"held:{held.digest}")
        self.held = held

    def draw(self, width: int, look: Look, lit: bool) -> list[Text]:
        held = self.held
        row = Line().put(size(held.bytes), look.style("quiet"), 9, "right").gap(2)
        why = (
            "an update needs it" if held.needed else "yours, until freed" if held.yours else "needed no more"
        )
        row.put(why, look.style("good" if held.yours else "quiet"), 20)
        if held.update and width >= 80:
            row.put(f"update {held.update}, {date(held.since)}", look.style("quiet"), 25)
        places = ", ".join(map(bearable, held.places)) or "nobody knows where it lay"
        return [row.put(clip(places, width - row.cell_len - 1), look.style("text", bold=lit))]


class HistoryScreen(Dialog[None]):
    """What was done to an install, and what is kept of it."""

    BINDINGS: ClassVar[list[BindingType]] = [
        Binding("t", "take", "take out"),
        Binding("f", "free", "free"),
        Binding("v", "verify", "verify"),
        Binding("e", "export", "export"),
    ]

    def __init__(self, install: Install) -> None:
        super().__init__()
        self.install = install

    def compose(self) -> ComposeResult:
        keys = [
            ("t", "takes a copy out"),
            ("f", "frees it"),
            ("v", "reads them all"),
            ("e", "exports"),
            ("Esc", "shelf"),
        ]
        says = "Each update with its last proof; below it every copy in the strongbox, the largest first."
        with Vertical(classes="box wide"):
            yield Static(self.words(f"{bearable(self.install.name)}: history", says, keys))
            yield Lines(id="history")

    def on_mount(self) -> None:
        lines = self.query_one(Lines)
        lines.styles.height = max(6, min(30, self.app.size.height - 12))
        lines.set_rows([Words("reading…")])
        lines.focus()
        self._read()

    def _read(self) -> None:
        wanted = call("desk.history", self.install)
        app = application(self.app)
        app.work_on(Job("reading", wanted, self._show, self._failed, beside=True))

    def _failed(self, error: LeftIntactError) -> None:
        if self.is_attached:
            self.query_one(Lines).set_rows([Words(bearable(error.line()), "bad")])

    def _show(self, both: Kept) -> None:
        if not self.is_attached:
            return
        runs, kept = both
        rows: list[Row] = [RunRow(line) for line in runs] or [Words("never updated by this program")]
        if kept is not None:
            over = f", {size(kept.over)} over its budget" if kept.over else ""
            head = f"the strongbox keeps {count(len(kept.held), 'copy', 'copies')}, {size(kept.bytes)}{over}"
            rows += [Gap(), Words(head)]
            rows += [Words(f"  {size(one.bytes):>9}  {one.by}: {one.says}") for one in kept.frees]
            rows += [HeldRow(held) for held in kept.held]
        self.query_one(Lines).set_rows(rows)

    @property
    def _held(self) -> Held | None:
        row = self.query_one(Lines).row
        if isinstance(row, HeldRow) and row.held.places:
            return row.held
        self.notify("go to a copy in the strongbox first", timeout=4)
        return None

    def action_take(self) -> None:
        if (held := self._held) is None:
            return
        path = held.places[0]

        def to(folder: str | None) -> None:
            if folder:
                wanted = call("keeping.take", self.install, path, folder)
                application(self.app).work_on(Job("taking out", wanted, taken_out, self._complain))

        def taken_out(taken: list[str]) -> None:
            self.notify(f"taken out: {', '.join(taken)}", timeout=8)

        says = (
            f"A copy of {path} goes into a folder; nothing is written over, and the strongbox keeps its own."
        )
        self.app.push_screen(TextDialog("take out", says), to)

    def action_free(self) -> None:
        if (held := self._held) is None:
            return
        path = held.places[0]
        if held.needed:
            self.notify(f"an update would be put back from it: {path}", severity="warning", timeout=5)
            return

        def sure(yes: bool | None) -> None:
            if yes:
                wanted = call("keeping.free", self.install, path)
                application(self.app).work_on(
                    Job("freeing", wanted, freed, self._complain, changes_disk=True)
                )

        def freed(size_of: int) -> None:
            self.notify(f"{size(size_of)} freed", timeout=5)
            self._read()

        says = f"What is kept of {path} is gone for good then: {size(held.bytes)}."
        self.app.push_screen(ConfirmDialog("free", says, "frees it", plainly=held.yours), sure)

    def action_verify(self) -> None:
        def done(found: Scrubbed) -> None:
            bad = f"; {len(found.damaged)} damaged" if found.damaged else ", all sound"
            self.notify(f"{count(found.objects, 'copy', 'copies')} read{bad}", timeout=8)

        wanted = call("keeping.verify", self.install)
        application(self.app).work_on(Job("reading every copy", wanted, done, self._complain))

    def action_export(self) -> None:
        """The update at the cursor is what a report is of."""
        from left_intact.tui.screens.exporting import open_export

        lines = self.query_one(Lines)
        runs = [row for row in lines.rows if isinstance(row, RunRow)]
        if not runs:
            self.notify("never updated by this program: there is nothing to export", timeout=4)
            return
        row = lines.row if isinstance(lines.row, RunRow) else runs[0]
        open_export(self, self.install, "history", number=row.line.id)

    def _complain(self, error: LeftIntactError) -> None:
        application(self.app).complain(error)
