"""The proof: what was there before, what is there now, equal or not; ticks, settling, going back."""

from __future__ import annotations

import time
from typing import ClassVar

from rich.text import Text
from textual.app import ComposeResult
from textual.binding import Binding, BindingType
from textual.widgets import Static

from left_intact.core.model.proof import SAME_SCENE, Check, CheckState, LedgerLine, Verdict
from left_intact.core.model.things import ThingLine
from left_intact.core.model.update import Settled
from left_intact.presentation.palette import NAME
from left_intact.presentation.views import PlanView
from left_intact.tui.desk import Desk
from left_intact.tui.jobs import Job
from left_intact.tui.look import Look
from left_intact.tui.preview import two_pictures
from left_intact.tui.proof_words import (
    footline,
    headline,
    ledger_words,
    where_it_went,
    why_check,
    why_thing,
)
from left_intact.tui.protocol import GoToStop
from left_intact.tui.screens.stage import StageScreen
from left_intact.tui.widgets.lines import Gap, Hairline, Lines, Paragraph, Row, Words
from left_intact.tui.widgets.strip import badge
from left_intact.tui.widgets.why import shown_path
from left_intact.tui.writing import Line, bearable, clip
from left_intact.words import ago, count, listed, size
from left_intact.workbench import Outcome, WentBack
from left_intact.worker.call import call

_CHECK_MARK = {
    CheckState.PASSED: ("✓", "good"),
    CheckState.FAILED: ("✗", "bad"),
    CheckState.YOURS: ("☐", "focus"),
}


class LedgerRow(Row):
    """One class: before, after, equal."""

    def __init__(self, line: LedgerLine) -> None:
        super().__init__(f"ledger:{line.file_class}")
        self.line = line

    def draw(self, width: int, look: Look, lit: bool) -> list[Text]:
        entry, roomy = self.line, width >= 90
        row = Line()
        row.append_text(badge(entry.file_class, look))
        row.gap().put(NAME[entry.file_class], look.style("text", bold=lit), 12)
        row.put(f"{entry.before.files:,}", look.style("text"), 8, "right")
        row.put(
            size(entry.before.bytes) if roomy else "", look.style("quiet"), 10 if roomy else 0, "right"
        ).gap(2)
        row.put("═══" if entry.is_well else "═╪═", look.of_class(entry.file_class)).gap()
        row.put(f"{entry.after.files:,}", look.style("text"), 7, "right")
        row.put(
            size(entry.after.bytes) if roomy else "", look.style("quiet"), 10 if roomy else 0, "right"
        ).gap(2)
        good = entry.is_well
        row.put("✓" if good else "✗", look.style("good" if good else "bad")).gap(2)
        return [
            row.put(
                clip(ledger_words(entry), width - row.cell_len - 1), look.style("text" if good else "bad")
            )
        ]


class ThingRow(Row):
    """One kind of things: how many before and after, and by what rule they were counted."""

    def __init__(self, line: ThingLine) -> None:
        super().__init__(f"thing:{line.thing}")
        self.line = line

    def draw(self, width: int, look: Look, lit: bool) -> list[Text]:
        line, good = self.line, not self.line.missing and not self.line.trouble
        row = Line().put("", look.style("text"), 4).put(line.thing.value, look.style("text", bold=lit), 21)
        row.put(f"{line.before:,}", look.style("text"), 6, "right").put(" →", look.style("quiet"))
        row.put(f"{line.after:,}", look.style("text"), 6, "right").gap(2)
        row.put("✓" if good else "✗", look.style("good" if good else "bad")).gap(2)
        says = line.trouble or (f"without {listed(line.missing)}" if line.missing else line.rule)
        return [
            row.put(clip(bearable(says), width - row.cell_len - 1), look.style("quiet" if good else "bad"))
        ]


class CheckRow(Row):
    """One check; those for eyes can be ticked."""

    def __init__(self, check: Check, ticked: bool) -> None:
        super().__init__(f"check:{check.name}:{check.says}")
        self.check, self.ticked = check, ticked

    def draw(self, width: int, look: Look, lit: bool) -> list[Text]:
        mark, colour = ("☑", "good") if self.ticked else _CHECK_MARK[self.check.state]
        line = Line().put(mark, look.style(colour), 4).put(self.check.name, look.style("text", bold=lit), 15)
        return [
            line.put(
                clip(bearable(self.check.says), width - 20), look.style("bad" if colour == "bad" else "quiet")
            )
        ]


class ProofScreen(StageScreen):
    """Was anything lost?"""

    STOP = "proof"
    HELP = (
        "Read back from the disk, digest by digest, and compared with what was witnessed "
        "before. Space ticks what only "
        "eyes can check; a adds a line of your own, which comes again after every update of it; on a line "
        "of yours a takes it away. s settles: the program's old files are freed, yours never. g goes "
        "back, byte for byte; what "
        "you made meanwhile is kept. v reads the disk once more."
    )
    BINDINGS: ClassVar[list[BindingType]] = [
        Binding("space,enter", "tick", "tick"),
        Binding("s", "settle", "settle"),
        Binding("g", "go_back", "go back"),
        Binding("v", "prove", "prove again"),
        Binding("a", "add", "add to tick"),
        Binding("e", "export", "export"),
    ]

    def __init__(self, desk: Desk, went_back: Outcome | None = None) -> None:
        """`went_back` is a going back that was just done: proven like an update, with nothing to settle."""
        super().__init__(desk)
        self.went_back = went_back is not None
        if went_back is not None:
            desk.outcome, desk.ticked = went_back, frozenset()

    def on_unmount(self) -> None:
        if self.went_back:
            self.desk.clear_update()

    def compose_left(self) -> ComposeResult:
        yield Static(id="head")
        yield Lines(id="ledger")
        yield Static(id="foot")

    def on_mount(self) -> None:
        self.query_one("#ledger", Lines).focus()

    def aside(self) -> str:
        outcome = self.desk.outcome
        if outcome is None:
            return ""
        when = ago(outcome.update.began, time.time())
        if self.went_back:
            return f"gone back {when}"
        return f"on trial, carried out {when}" if self.size.width >= 120 else "on trial"

    # ------------------------------------------------------------ drawing

    def show_body(self) -> None:
        outcome, look = self.desk.outcome, self.look
        head = self.query_one("#head", Static)
        if outcome is None:
            head.update(Text("reading the disk…", look.style("quiet")))
            self.query_one("#ledger", Lines).set_rows([])
            return
        proof = outcome.proof
        head.update(headline(proof, self.desk.install.name, look, roomy=self.size.width >= 120))
        ticked = self.desk.ticked
        rows: list[Row] = [_LedgerHeading()]
        rows += [LedgerRow(x) for x in proof.ledger if x.before.files or x.after.files]
        if proof.things:
            rows += [Gap(), Words("things, by name"), *(ThingRow(x) for x in proof.things)]
        rows += [Gap(), Hairline(), Words("checks"), Gap()]
        rows += [CheckRow(c, c.says in ticked) for c in proof.checks]
        if outcome.update.notes:
            rows += [Gap(), Words("worth knowing")]
            rows += [Paragraph(note, indent=4) for note in outcome.update.notes]
        self.query_one("#ledger", Lines).set_rows(rows)
        foot = Text("taken back: nothing is on trial any more", look.style("quiet"))
        self.query_one("#foot", Static).update(
            foot if self.went_back else footline(proof, look, roomy=self.size.width >= 120)
        )

    def on_lines_moved(self, message: Lines.Moved) -> None:
        outcome, look = self.desk.outcome, self.look
        if outcome is None:
            self.explain(Text(""))
        elif isinstance(message.row, CheckRow):
            self.explain(why_check(message.row.check, outcome.proof, look))
            if message.row.check.says.startswith(SAME_SCENE):
                self._show_pictures(message.row)
        elif isinstance(message.row, ThingRow):
            self.explain(why_thing(message.row.line, look))
        else:
            self.explain(where_it_went(outcome.proof, look))

    # ------------------------------------------------------------ actions

    def check_action(self, action: str, parameters: tuple[object, ...]) -> bool | None:
        if self.went_back and action in ("settle", "go_back"):
            return None
        if action in ("tick", "settle", "go_back", "prove", "export", "add"):
            return self.desk.outcome is not None
        return True

    def _show_pictures(self, row: CheckRow) -> None:
        """The scene before and after, one above the other, once they are read."""

        def done(pictures: tuple[bytes, bytes]) -> None:
            if self.is_attached and self.query_one("#ledger", Lines).row is row:
                self.explain(two_pictures(*pictures, self.look))

        wanted = call("updates.pictures", self.desk.install)
        self.left_intact.work_on(Job("looking", wanted, done, self._failed, beside=True))

    def action_add(self) -> None:
        """Add a line to what is ticked after every update of this program, or take the one at hand away."""
        from left_intact.tui.screens.dialogs import TextDialog

        row = self.query_one("#ledger", Lines).row
        if isinstance(row, CheckRow) and row.check.says in self._look_at:
            self._note([line for line in self._look_at if line != row.check.says])
            return
        says = "A line of your own, to be ticked after every update of it: the scene you start, the pad."
        self.app.push_screen(
            TextDialog("to tick", says), lambda line: self._note([*self._look_at, line]) if line else None
        )

    @property
    def _look_at(self) -> list[str]:
        outcome = self.desk.outcome
        return list(outcome.proof.look_at) if outcome is not None else []

    def _note(self, lines: list[str]) -> None:
        wanted = call("updates.set_look_at", self.desk.install, lines)
        self.left_intact.work_on(Job("noting", wanted, lambda _: self.action_prove(), self._failed))

    def on_lines_chosen(self, message: Lines.Chosen) -> None:
        self.action_tick()

    def action_tick(self) -> None:
        row, outcome = self.query_one("#ledger", Lines).row, self.desk.outcome
        if not isinstance(row, CheckRow) or row.check.state is not CheckState.YOURS or outcome is None:
            return
        self.desk.ticked = self.desk.ticked ^ {row.check.says}
        wanted = call("updates.tick", self.desk.install, outcome.update, self.desk.ticked)
        self.left_intact.work_on(Job("noting", wanted, lambda _: None, self._failed, beside=True))
        self.show_all()

    def action_prove(self) -> None:
        wanted = call("updates.prove", self.desk.install)
        self.left_intact.work_on(Job("proving", wanted, self._proved, self._failed))

    def action_export(self) -> None:
        from left_intact.tui.screens.exporting import open_export

        if self.desk.outcome is not None:
            run = self.desk.outcome.update.id
            open_export(self, self.desk.install, "proof", number=run, outcome=self.desk.outcome)

    def to_settling(self) -> None:
        """The way to the last stop is no key for it."""
        self.notify("s settles it, once you are content", timeout=5)

    def action_settle(self) -> None:
        from left_intact.tui.screens.dialogs import ConfirmDialog

        left = self.desk.left_to_tick()
        says = (
            "The program's old files are freed; whatever of yours the update displaced or merged "
            "stays in the strongbox. "
        )
        says += "After that there is no going back."
        if wrong := self._not_well():
            says = f"The proof is not intact:\n{wrong}\n\n{says}"
        if left:
            says += f" {count(left, 'check')} for your eyes {'is' if left == 1 else 'are'} not ticked yet."
        does = "settles all the same" if wrong else "settles"
        dialog = ConfirmDialog("settle", says, does, plainly=bool(wrong))
        self.app.push_screen(dialog, self._ask_for_old)

    def _not_well(self) -> str:
        """What the proof says against settling."""
        outcome = self.desk.outcome
        if outcome is None or outcome.proof.verdict is Verdict.INTACT:
            return ""
        against = [check for check in outcome.proof.checks if check.is_against_settling]
        return "\n".join(f"✗ {check.name}: {clip(check.says, 150)}" for check in against[:4])

    def _ask_for_old(self, yes: bool | None) -> None:
        """Where an old folder was left behind, whether it goes too."""
        old = self.desk.old_folder
        if not yes:
            return
        if not old:
            self._settle()
            return
        from left_intact.tui.screens.choosing import Choice, ChooseDialog

        choices = [
            Choice(key="stays", label=f"{shown_path(old)} stays", detail="Let go of it whenever you like."),
            Choice(
                key="goes",
                label="it goes too",
                detail="All of it into the strongbox first; what is yours stays there until you free it.",
            ),
        ]
        dialog = ChooseDialog(
            "the old folder", "It was left behind whole.", choices, many=False, does="settles"
        )

        def chosen(keys: list[str] | None) -> None:
            if keys:
                self._settle(free_old=keys == ["goes"])

        self.app.push_screen(dialog, chosen)

    def _settle(self, *, free_old: bool = False) -> None:
        app, install = self.left_intact, self.desk.install

        def done(settled: Settled) -> None:
            held = f"; {count(settled.held, 'file')} of yours stay in the strongbox" if settled.held else ""
            version = settled.update.to_version or "as it is"
            app.notify(f"{install.name} {version} is settled, {size(settled.freed)} freed{held}", timeout=6)
            self._leave()

        title = "letting go of the old folder" if free_old else "settling"
        wanted = call("updates.settle", install, free_old=free_old)
        app.work_on(Job(title, wanted, done, self._failed, changes_disk=True))

    def action_go_back(self) -> None:
        """Draw the way back on the disk as it is now, and show it; nothing changes before the person says
        so.
        """
        if self.desk.outcome is not None:
            wanted = call("desk.way_back", self.desk.install)
            self.left_intact.work_on(Job("drawing the way back", wanted, self._show_back, self._failed))

    def _show_back(self, plan: PlanView) -> None:
        from left_intact.tui.screens.back import BackDialog

        self.ask(BackDialog(plan), self._back_chosen)

    def _back_chosen(self, answers: dict[str, str] | None) -> None:
        if answers is not None:
            self._go_back(answers)

    def _go_back(self, answers: dict[str, str]) -> None:
        app, install = self.left_intact, self.desk.install

        def done(back: WentBack) -> None:
            if back.waits is not None:
                app.notify("going back waits for a step by hand", timeout=8)
                self.desk.row = self.desk.row.waiting_for(back.waits)
                self.desk.outcome = None
                app.refresh_shelf()
                self.post_message(GoToStop("under way", self.desk))
                return
            kept = (
                f"; {count(len(back.kept), 'file')} of the trial kept in the strongbox" if back.kept else ""
            )
            was = back.update.from_version or "as it was"
            says = (
                f"{install.name} is {was} again" if not back.missing else f"{install.name} is not all {was}"
            )
            says += f", {count(back.restored, 'path')} put back{kept}"
            says += f"; proof: {back.proof.verdict.value}" if back.proof is not None else ""
            app.notify(says, timeout=8)
            for missing in back.missing:
                app.notify(missing, severity="error", timeout=12)
            self._leave()
            if back.proof is not None and back.run is not None:
                self.app.push_screen(ProofScreen(self.desk, Outcome(update=back.run, proven=back.proof)))

        wanted = call("desk.go_back", install, answers)
        app.work_on(Job("going back", wanted, done, self._failed, changes_disk=True))

    def _leave(self) -> None:
        """Back to the shelf, as the disk is another now."""
        self.desk.clear_update()
        self.app.pop_screen()
        app, wanted = self.left_intact, call("desk.take_stock", self.desk.install)
        app.work_on(Job("reading", wanted, lambda _: app.refresh_shelf(), app.complain))


class _LedgerHeading(Row):
    selectable = False

    def __init__(self) -> None:
        super().__init__("")

    def draw(self, width: int, look: Look, lit: bool) -> list[Text]:
        quiet, more = look.style("quiet"), 10 if width >= 90 else 0
        line = (
            Line()
            .gap(16)
            .put("before", quiet, 8 + more, "right")
            .gap(6)
            .put("after", quiet, 7 + more, "right")
        )
        return [line.gap(5).put("read back", quiet)]
