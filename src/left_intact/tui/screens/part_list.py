"""Parts: what is in, what waits, what to fall back on. One row a part, several swapped in one go."""

from __future__ import annotations

from typing import ClassVar

from rich.text import Text
from textual.app import ComposeResult
from textual.binding import Binding, BindingType
from textual.widgets import Static

from left_intact.core.model.errors import LeftIntactError
from left_intact.core.model.install import Install
from left_intact.core.model.parts import PartRow, Parts, PartSwapped
from left_intact.core.model.update import Settled
from left_intact.tui.jobs import Job
from left_intact.tui.look import Look
from left_intact.tui.screens.framed import FramedScreen
from left_intact.tui.widgets.bars import TitleBar
from left_intact.tui.widgets.lines import Gap, Lines, Row, Words
from left_intact.tui.widgets.why import Why, shown_path
from left_intact.tui.writing import Line, bearable, clip
from left_intact.words import NO_VERSION, count, listed, size
from left_intact.workbench import WentBack
from left_intact.worker.call import call


def _columns(width: int) -> tuple[int, int, int, int]:
    """(name, here, waiting, fallback) in cells; the last column takes the rest."""
    return (24, 10, 10, 14) if width < 90 else (34, 12, 16, 16)


_AGAINST = {
    "other-platform": "another machine",
    "older-version": "older than here",
    "other-line": "another line",
    "no-such-part": "another name",
}
"""What stands against something that waits, in a few words; the panel has the whole of it."""


class PartLine(Row):
    """One part."""

    def __init__(self, part: PartRow, taken: bool) -> None:
        super().__init__(f"part:{part.path}")
        self.part, self.taken = part, taken

    def draw(self, width: int, look: Look, lit: bool) -> list[Text]:
        part, (name, here, waits, back) = self.part, _columns(width)
        line = Line()
        mark = "☑" if self.taken else "☐" if part.best else " "
        line.put(mark, look.style("focus" if self.taken else "quiet"), 2)
        folder, _, base = part.path.rpartition("/")
        shown = clip(bearable(part.path if folder else base), name - 1)
        line.put(shown, look.style("text", bold=lit or bool(part.best or part.update)), name)
        line.put(part.version or NO_VERSION, look.style("text" if part.version else "quiet"), here)
        best, refused = part.best, part.refused
        if best is not None:
            line.put(f"→ {best.version or 'a build'}", look.style("focus", bold=True), waits)
        else:
            shows = f"✗ {refused.version or 'a build'}" if refused and not part.update else ""
            line.put(shows, look.style("bad"), waits)
        line.put(part.fallback, look.style("text"), back)
        says, colour = _stands(part, width)
        return [line.put(clip(says, width - line.cell_len - 1), look.style(colour))]


def _stands(part: PartRow, width: int) -> tuple[str, str]:
    if part.update:
        words = "on trial" if width < 90 else "on trial: start it, then t or b"
        return ("tried well", "good") if part.tried else (words, "focus")
    if part.best is None and (refused := part.refused) is not None:
        return _AGAINST.get(refused.code, "cannot be laid"), "bad"
    return ("" if width < 90 else part.platform, "quiet")


class _Heading(Row):
    selectable = False

    def __init__(self) -> None:
        super().__init__("")

    def draw(self, width: int, look: Look, lit: bool) -> list[Text]:
        name, here, waits, back = _columns(width)
        quiet = look.style("quiet")
        line = (
            Line()
            .gap(2)
            .put("part" if width < 90 else "as the program expects it", quiet, name)
            .put("here", quiet, here)
        )
        return [line.put("waiting", quiet, waits).put("fall back on", quiet, back).put("stands", quiet)]


class PartsScreen(FramedScreen):
    """The parts of one install."""

    HELP: ClassVar[str] = (
        "Cores, libraries, launchers and plug-ins, each by the name that the program expects. Space takes "
        "those that something newer waits for, c swaps them: each gets a way back of its own. Start the "
        "program and try one; t says that it works, b puts the one before back. The one before lies in the "
        "strongbox, where the program cannot load it; d lets go of it."
    )
    BINDINGS: ClassVar[list[BindingType]] = [
        Binding("space", "take", "take"),
        Binding("c", "swap", "swap those taken"),
        Binding("t", "tried", "it works"),
        Binding("b", "back", "fall back"),
        Binding("d", "drop", "drop the old one"),
        Binding("o", "folder", "downloads"),
        Binding("w", "why", "why"),
        Binding("escape", "app.pop_screen", "shelf"),
    ]

    def __init__(self, install: Install) -> None:
        super().__init__()
        self.install = install
        self.parts: Parts | None = None
        self.taken: set[str] = set()
        self._go_to_trial = False
        """Whether the first part on trial is to be marked when the parts are read again."""

    def compose_left(self) -> ComposeResult:
        yield Static(id="head")
        yield Lines(id="parts")

    def on_mount(self) -> None:
        self.query_one(TitleBar).say((self.left_intact.place, self.install.name, "parts"), "")
        self.query_one("#parts", Lines).set_rows([Words("reading…")])
        self.query_one(Lines).focus()
        self._look()

    # ------------------------------------------------------------ work

    def _look(self, folder: str = "") -> None:
        wanted = call("parts.look", self.install, folder)
        self.left_intact.work_on(Job("looking at parts", wanted, self._show, self._failed))

    def _failed(self, error: LeftIntactError) -> None:
        self.left_intact.complain(error)
        if self.is_attached and self.parts is None:
            self.query_one("#parts", Lines).set_rows([Words(bearable(error.line()), "bad")])

    def _show(self, parts: Parts) -> None:
        if not self.is_attached:
            return
        first, self.parts = self.parts is None, parts
        ready = {row.path for row in parts.rows if row.best}
        self.taken = set(ready) if first else self.taken & ready
        self.show_why_again()

    def show_why_again(self) -> None:
        """Draw all of it; called when the look changed, too."""
        parts, look = self.parts, self.left_intact.look
        if parts is None:
            return
        waits = sum(1 for row in parts.rows if row.best)
        trial = sum(1 for row in parts.rows if row.update)
        head = Text("\n" if self.size.height > 30 else "", no_wrap=True)
        head.append(bearable(self.install.name), look.style("text", bold=True))
        head.append(f"   {count(len(parts.rows), 'part')}", look.style("quiet"))
        head.append(f" · {waits} waiting", look.style("focus" if waits else "quiet"))
        head.append(f" · {trial} on trial", look.style("good" if trial else "quiet"))
        if parts.looked_in:
            head.append(f" · looked for in {shown_path(parts.looked_in)}", look.style("quiet"))
        self.query_one("#head", Static).update(head)
        rows: list[Row] = [_Heading(), *(PartLine(row, row.path in self.taken) for row in parts.rows)]
        if not parts.rows:
            rows = [Words("No file of code lies here, so there is no part to swap.")]
        if not parts.looked_in:
            rows += [Gap(), Words("Press o and name a folder of downloads: what fits is found by its name.")]
        if parts.unseen:
            rows += [Gap(), Words(f"{count(parts.unseen, 'older file')} there not looked into")]
        if parts.passed_over:
            number = count(len(parts.passed_over), "file there goes", "files there go")
            rows += [Gap(), Words(f"{number} by no name here: {bearable(listed(parts.passed_over))}")]
        trial_row = next((f"part:{row.path}" for row in parts.rows if row.update), None)
        at, self._go_to_trial = (trial_row if self._go_to_trial else None), False
        self.query_one("#parts", Lines).set_rows(rows, at=at)
        self.refresh_bindings()

    def on_lines_moved(self, message: Lines.Moved) -> None:
        row = message.row
        text = _panel(row.part, self.left_intact.look) if isinstance(row, PartLine) else Text("")
        self.query_one(Why).explain(text)
        self.refresh_bindings()

    # ------------------------------------------------------------ actions

    @property
    def part(self) -> PartRow | None:
        row = self.query_one("#parts", Lines).row
        return row.part if isinstance(row, PartLine) else None

    def check_action(self, action: str, parameters: tuple[object, ...]) -> bool | None:
        if not self.is_mounted or action not in ("take", "swap", "tried", "back", "drop"):
            return True
        part = self.part
        if action == "swap":
            return bool(self.taken)
        if action == "take":
            return part is not None and part.best is not None
        if action == "tried":
            return part is not None and bool(part.update) and not part.tried
        return part is not None and bool(part.update)

    def on_lines_chosen(self, message: Lines.Chosen) -> None:
        self.action_take()

    def action_take(self) -> None:
        part = self.part
        if part is not None and part.best is not None:
            self.taken ^= {part.path}
            self.show_why_again()

    def action_swap(self) -> None:
        if self.parts is None or not self.taken:
            return
        rows = [row for row in self.parts.rows if row.path in self.taken and row.best]
        chosen = {row.path: row.best.arrival for row in rows if row.best}
        wanted = call("parts.swap", self.install, chosen)
        job = Job("swapping", wanted, self._swapped, self._failed, changes_disk=True)
        self.left_intact.work_on(job)

    def _swapped(self, done: tuple[PartSwapped, ...]) -> None:
        good = [one for one in done if one.verdict == "intact"]
        self._go_to_trial = bool(good)
        if good:
            says = f"{count(len(good), 'part')} swapped, proof intact: start the program and try"
            self.left_intact.notify(says, timeout=8)
        for one in done:
            if one.verdict != "intact":
                says = f"{one.path}: {one.because or one.verdict}"
                self.left_intact.notify(says, severity="warning", timeout=10)
        self._over()

    def _over(self) -> None:
        self.taken = set()
        self.left_intact.refresh_shelf()
        if self.is_attached:
            self._look()

    def action_tried(self) -> None:
        if self.part is not None:
            wanted = call("parts.tried", self.install, self.part)
            self.left_intact.work_on(Job("noting", wanted, lambda _: self._over(), self._failed))

    def action_back(self) -> None:
        if self.part is None or not self.part.update:
            return
        name, back = self.part.path, self.part.fallback

        def done(went: WentBack) -> None:
            verdict = went.proof.verdict.value if went.proof else "not proven"
            self.left_intact.notify(f"{name} is {back} again, proof {verdict}", timeout=8)
            self._over()

        wanted = call("parts.fall_back", self.install, self.part)
        self.left_intact.work_on(Job("going back", wanted, done, self._failed, changes_disk=True))

    def action_drop(self) -> None:
        part = self.part
        if part is None or not part.update:
            return
        from left_intact.tui.screens.dialogs import ConfirmDialog

        def done(settled: Settled) -> None:
            held = "; it was not proven to be as shipped, so a copy stays" if settled.held else ""
            self.left_intact.notify(f"let go of, {size(settled.freed)} freed{held}", timeout=6)
            self._over()

        def sure(yes: bool | None) -> None:
            if yes:
                wanted = call("parts.drop", self.install, part)
                self.left_intact.work_on(Job("letting go", wanted, done, self._failed, changes_disk=True))

        says = f"{part.path} {part.fallback} is let go of: there is no way back to it then."
        self.app.push_screen(ConfirmDialog("let go of the one before", says, "lets go of it"), sure)

    def action_folder(self) -> None:
        from left_intact.tui.screens.dialogs import PathDialog

        first = self.parts.looked_in if self.parts else ""
        says = "A folder of downloads. Nothing in it is changed; what fits a part is found by its name."
        self.app.push_screen(
            PathDialog("a folder of downloads", says, first), lambda path: self._look(path) if path else None
        )


def _panel(part: PartRow, look: Look) -> Text:
    text, quiet, plain = Text(), look.style("quiet"), look.style("text")
    text.append(bearable(part.path) + "\n", look.style("text", bold=True))
    facts = [part.version or f"version {NO_VERSION}", part.platform or "a script", size(part.bytes)]
    text.append(" · ".join(facts) + "\n", quiet)
    for one in part.waiting:
        name, same = bearable(one.arrival.rpartition("/")[2]), one.code == "same"
        text.append(f"\n{'came' if same else 'cannot be laid' if one.because else 'waits'}\n", quiet)
        colour = "quiet" if one.because else "focus"
        text.append(f"{one.version or 'a build'}  ", look.style(colour, bold=True)).append(f"{name}\n", plain)
        if one.because:
            text.append(f"{bearable(one.because)}\n", look.style("quiet" if same else "bad"))
        if one.options:
            text.append("options that it brings\n", quiet)
            for option in one.options[:8]:
                text.append(f"  {bearable(option)}\n", plain)
    if part.update:
        text.append("\nto fall back on\n", quiet)
        text.append(f"{part.fallback}\n", plain)
        text.append("In the strongbox, where the program cannot load it.\n", quiet)
    if part.named_in:
        text.append("\nwhere it is named\n", quiet)
        for path, lines in part.named_in:
            text.append(f"{lines:>5,} ", plain).append(f"{bearable(path)}\n", quiet)
    return text
