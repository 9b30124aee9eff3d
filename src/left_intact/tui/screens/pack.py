"""A pack of content: the full set, the pack, and my share of it; only the last is fetched and laid."""

from __future__ import annotations

from typing import ClassVar

from rich.text import Text
from textual.app import ComposeResult
from textual.binding import Binding, BindingType
from textual.widgets import Static

from left_intact.core.model.errors import LeftIntactError
from left_intact.core.model.install import Install
from left_intact.core.model.outlet import Offer, PackLine, PackView
from left_intact.tui.jobs import Job
from left_intact.tui.look import Look
from left_intact.tui.pack_sizes import pack_sizes
from left_intact.tui.screens.framed import FramedScreen
from left_intact.tui.widgets.bars import TitleBar
from left_intact.tui.widgets.lines import Gap, Lines, Row, Words
from left_intact.tui.widgets.why import Why
from left_intact.tui.writing import Line, bearable
from left_intact.words import count, size
from left_intact.workbench import Outcome, ShelfRow
from left_intact.worker.call import call

_HEADS = {
    "mine": "replace something you own",
    "same": "you own already, as they are",
    "lacking": "you lack; Space takes one along",
    "other": "are none of your business",
}


class PackRow(Row):
    """One member of the pack."""

    def __init__(self, line: PackLine, taken: bool) -> None:
        super().__init__(line.member)
        self.line, self.taken = line, taken

    def draw(self, width: int, look: Look, lit: bool) -> list[Text]:
        line = self.line
        row = Line().gap(2).put("◉" if self.taken else "○", look.style("focus" if self.taken else "quiet"), 2)
        row.put(bearable(line.path or line.member), look.style("text", bold=lit), max(24, width - 46))
        row.put(size(line.old_bytes) if line.old_bytes else "", look.style("quiet"), 10, "right")
        row.put(" → " if line.old_bytes else "   ", look.style("quiet"))
        return [
            row.put(size(line.bytes), look.style("text"), 8, "right").put(
                size(line.packed), look.style("quiet"), 12, "right"
            )
        ]


class _PackHeading(Row):
    selectable = False

    def __init__(self) -> None:
        super().__init__("")

    def draw(self, width: int, look: Look, lit: bool) -> list[Text]:
        quiet = look.style("quiet")
        line = Line().gap(4).put("where it goes", quiet, max(24, width - 46)).put("yours", quiet, 10, "right")
        return [line.gap(3).put("arriving", quiet, 8, "right").put("to fetch", quiet, 12, "right")]


class PackScreen(FramedScreen):
    """What of this pack is mine?"""

    HELP: ClassVar[str] = (
        "A pack of changed content beside your own, told apart by name, size and checksum from "
        "the directory of the pack "
        "alone. l fetches only your share, lifts it out of its folders, sets your old ones "
        "aside, and proves it; going back "
        "is one key, like for any update."
    )
    BINDINGS: ClassVar[list[BindingType]] = [
        Binding("l", "lay", "fetch my share and lay it"),
        Binding("space,enter", "take", "take along"),
        Binding("w", "why", "sizes", show=False),
        Binding("escape", "leave", "news"),
    ]

    def __init__(self, install: Install, offer: Offer) -> None:
        super().__init__()
        self.install, self.offer = install, offer
        self.pack: PackView | None = None
        self.taken: set[str] = set()

    def compose_left(self) -> ComposeResult:
        yield Static(id="head")
        yield Lines(id="members")

    def on_mount(self) -> None:
        self.query_one(TitleBar).say(
            (self.left_intact.place, self.install.name, "pack"), "nothing has been changed yet"
        )
        wanted = call("desk.open_pack", self.install, self.offer)
        self.left_intact.work_on(Job("reading the pack", wanted, self._read, self._failed))

    def _failed(self, error: LeftIntactError) -> None:
        self.left_intact.complain(error)
        if self.pack is None and self.is_attached:
            words = Text(error.line(), self.left_intact.look.style("bad"))
            self.query_one("#head", Static).update(words)

    def _read(self, pack: PackView) -> None:
        self.pack = pack
        self._show()

    def _show(self) -> None:
        pack, look = self.pack, self.left_intact.look
        if pack is None or not self.is_attached:
            return
        head = Text(f"\n{bearable(pack.name)}\n\n", look.style("text", bold=True)).append_text(
            pack_sizes(pack, look)
        )
        self.query_one("#head", Static).update(head)
        rows: list[Row] = []
        for kind, says in _HEADS.items():
            lines = pack.of(kind)
            rows.append(Words(f"{count(len(lines), 'file')} {says}", "text" if lines else "quiet"))
            if lines and kind != "other":
                rows.append(_PackHeading())
            rows += [PackRow(x, kind == "mine" or x.member in self.taken) for x in lines if kind != "other"]
            rows.append(Gap())
        self.query_one(Lines).set_rows(rows)

    show_why_again = _show

    def on_lines_moved(self, message: Lines.Moved) -> None:
        pack, look = self.pack, self.left_intact.look
        if pack is None:
            return
        text = Text("what happens\n\n", look.style("quiet"))
        text.append(
            f"{count(len(pack.of('mine')) + len(self.taken), 'file')} come over the wire, about "
            f"{size(pack.share_bytes + sum(x.packed for x in pack.lines if x.member in self.taken))}.\n\n",
            look.style("text", bold=True),
        )
        text.append(
            "Your old ones go into the strongbox, verified, before the new ones lie there. "
            "Everything else of "
            "yours is left intact, and the proof reads it back.\n",
            look.style("text"),
        )
        if isinstance(message.row, PackRow):
            text.append("\nin the pack\n", look.style("quiet")).append(
                bearable(message.row.line.member), look.style("text")
            )
        self.query_one(Why).explain(text)

    def on_lines_chosen(self, message: Lines.Chosen) -> None:
        self.action_take()

    def action_take(self) -> None:
        row = self.query_one(Lines).row
        if isinstance(row, PackRow) and row.line.kind == "lacking":
            self.taken ^= {row.line.member}
            self._show()

    def action_lay(self) -> None:
        install = self.install
        if self.pack is None:
            return

        def done(outcome: Outcome) -> None:
            self.notify(f"laid and proven: {outcome.proof.verdict}", timeout=4)
            self.left_intact.work_on(Job("the shelf", call("shelf.rows"), laid, self._failed))

        def laid(rows: list[ShelfRow]) -> None:
            self.app.pop_screen()
            self.app.pop_screen()
            self.left_intact.open_desk(next(r for r in rows if r.install.id == install.id), "proof")

        wanted = call("desk.lay_pack", install, frozenset(self.taken))
        self.left_intact.work_on(Job("laying the pack", wanted, done, self._failed, changes_disk=True))

    def action_leave(self) -> None:
        self.left_intact.jobs.stop()
        self.app.pop_screen()
