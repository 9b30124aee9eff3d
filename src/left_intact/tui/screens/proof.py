"""The proof: what was there before, what is there now, equal or not; ticks, settling, going back."""

from __future__ import annotations

import time
from typing import ClassVar

from rich.text import Text
from textual.app import ComposeResult
from textual.binding import Binding, BindingType
from textual.widgets import Static

from left_intact.core.model.classes import FileClass
from left_intact.core.model.plan import Verb
from left_intact.core.model.proof import SAME_SCENE, Check, CheckState, LedgerLine, Proof, Verdict
from left_intact.core.model.things import ThingLine
from left_intact.core.model.update import Settled
from left_intact.core.model.views import PlanView
from left_intact.tui.desk import Desk
from left_intact.tui.explain import heading, keys
from left_intact.tui.jobs import Job
from left_intact.tui.look import NAME, Look
from left_intact.tui.preview import two_pictures
from left_intact.tui.screens.stage import StageScreen
from left_intact.tui.widgets.lines import Gap, Hairline, Lines, Row, Words
from left_intact.tui.widgets.strip import badge
from left_intact.tui.writing import Line, bearable, clip
from left_intact.words import ago, count, listed, size
from left_intact.workbench import Outcome, WentBack
from left_intact.worker.call import call

_VERDICT = {
    Verdict.INTACT: ("I N T A C T", "good"),
    Verdict.ATTENTION: ("A T T E N T I O N", "focus"),
    Verdict.BROKEN: ("B R O K E N", "bad"),
}
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


def ledger_words(line: LedgerLine) -> str:
    """`212 equal by digest, 1 as agreed`."""
    if not line.is_well:
        said = (
            (line.trouble, "lost or changed by nobody's leave"),
            (line.since, "changed since, as by a run"),
            (line.unread, "cannot be read"),
        )
        return ", ".join(f"{number:,} {words}" for number, words in said if number)
    if not line.agreed:
        return "all equal, by digest"
    equal = f"{line.equal:,} equal by digest, " if line.equal else ""
    return f"{equal}{line.agreed:,} as agreed"


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
        head.update(_head(proof, self.desk.install.name, look, roomy=self.size.width >= 120))
        ticked = self.desk.ticked
        rows: list[Row] = [_LedgerHeading()]
        rows += [LedgerRow(x) for x in proof.ledger if x.before.files or x.after.files]
        if proof.things:
            rows += [Gap(), Words("things, by name"), *(ThingRow(x) for x in proof.things)]
        rows += [Gap(), Hairline(), Words("checks"), Gap()]
        rows += [CheckRow(c, c.says in ticked) for c in proof.checks]
        self.query_one("#ledger", Lines).set_rows(rows)
        foot = Text("taken back: nothing is on trial any more", look.style("quiet"))
        self.query_one("#foot", Static).update(
            foot if self.went_back else _foot(proof, look, roomy=self.size.width >= 120)
        )

    def on_lines_moved(self, message: Lines.Moved) -> None:
        outcome, look = self.desk.outcome, self.look
        if outcome is None:
            self.explain(Text(""))
        elif isinstance(message.row, CheckRow):
            self.explain(_why_check(message.row.check, outcome.proof, look))
            if message.row.check.says.startswith(SAME_SCENE):
                self._show_pictures(message.row)
        elif isinstance(message.row, ThingRow):
            self.explain(_why_thing(message.row.line, look))
        else:
            self.explain(_where_it_went(outcome.proof, look))

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
        wanted = call("updates.export_proof", self.desk.install)

        def done(path: str) -> None:
            self.notify(f"the proof is in {path}", timeout=6)

        self.left_intact.work_on(Job("exporting", wanted, done, self._failed, beside=True))

    def to_settling(self) -> None:
        self.action_settle()

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
        self.app.push_screen(dialog, lambda yes: self._settle() if yes else None)

    def _not_well(self) -> str:
        """What the proof says against settling."""
        outcome = self.desk.outcome
        if outcome is None or outcome.proof.verdict is Verdict.INTACT:
            return ""
        failed = [c for c in outcome.proof.checks if c.state is CheckState.FAILED]
        failed += [c for c in outcome.proof.checks if c.name == "yours" and c.state is CheckState.YOURS]
        return "\n".join(f"✗ {c.name}: {clip(c.says, 150)}" for c in failed[:4])

    def _settle(self) -> None:
        app, install = self.left_intact, self.desk.install

        def done(settled: Settled) -> None:
            held = f"; {count(settled.held, 'file')} of yours stay in the strongbox" if settled.held else ""
            app.notify(
                f"{install.name} {settled.update.to_version} is settled, {size(settled.freed)} freed{held}",
                timeout=6,
            )
            self._leave()

        wanted = call("updates.settle", install)
        app.work_on(Job("settling", wanted, done, self._failed, changes_disk=True))

    def action_go_back(self) -> None:
        """Draw the way back on the disk as it is now, and show it; nothing changes before the person says
        so.
        """
        if self.desk.outcome is not None:
            wanted = call("desk.way_back", self.desk.install)
            self.left_intact.work_on(Job("drawing the way back", wanted, self._show_back, self._failed))

    def _show_back(self, plan: PlanView) -> None:
        from left_intact.tui.screens.back import BackDialog

        if self.is_attached:
            self.app.push_screen(BackDialog(plan), self._back_chosen)

    def _back_chosen(self, answers: dict[str, str] | None) -> None:
        if answers is not None:
            self._go_back(answers)

    def _go_back(self, answers: dict[str, str]) -> None:
        app, install = self.left_intact, self.desk.install

        def done(back: WentBack) -> None:
            if back.waits is not None:
                app.notify("going back waits for a step by hand", timeout=8)
                self.app.pop_screen()
                app.refresh_shelf()
                return
            kept = (
                f"; {count(len(back.kept), 'file')} of the trial kept in the strongbox" if back.kept else ""
            )
            says = (
                f"{install.name} is {back.update.from_version} again, "
                f"{count(back.restored, 'path')} put back{kept}"
            )
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


def _head(proof: Proof, name: str, look: Look, *, roomy: bool) -> Text:
    word, colour = _VERDICT[proof.verdict]
    theirs = sum(x.before.files for x in proof.ledger if x.file_class.is_the_persons)
    text = Text(no_wrap=True)
    text.append(f"{word}    ", look.style(colour, bold=True))
    wrong = [
        f"{len(paths):,} {words}"
        for paths, words in (
            (proof.altered, "changed by nobody's leave"),
            (proof.since, "changed since"),
            (proof.unread, "unreadable"),
        )
        if paths
    ]
    lost, merged = f"{len(proof.lost):,} lost", f"{proof.counts.get(Verb.MERGE, 0)} merged"
    if roomy:
        says = f"{proof.kept.files:,} of your {theirs:,} files are what they were"
        says += f"{'' if wrong else ', byte for byte'}; {merged} as agreed; {lost}"
        text.append("; ".join((says, *wrong)) + "\n", look.style("text"))
    else:
        same = f"{proof.kept.files:,} of {theirs:,} as they were"
        text.append(
            " · ".join((lost, *wrong, same, *(() if wrong else (merged,)))) + "\n", look.style("text")
        )
    text.append(
        f"{bearable(name)} {proof.version_before} → {proof.version_after or '?'} · read back"
        f"{' from the disk, digest by digest,' if roomy else ''} in {proof.seconds:.1f} s",
        look.style("quiet"),
    )
    return text


def _foot(proof: Proof, look: Look, *, roomy: bool) -> Text:
    text = Text()
    text.append("s ", look.style("focus", bold=True)).append(
        "settles, once you are content.  ", look.style("quiet")
    )
    text.append("g ", look.style("focus", bold=True))
    old = proof.version_before or "the old one"
    text.append(
        f"brings {old} back{', and keeps what you make meanwhile' if roomy else ''}.", look.style("quiet")
    )
    return text


def _why_check(check: Check, proof: Proof, look: Look) -> Text:
    text = Text()
    state = {
        CheckState.PASSED: ("passed", "good"),
        CheckState.FAILED: ("failed", "bad"),
        CheckState.YOURS: ("yours to check", "focus"),
    }[check.state]
    text.append(f"{check.name}\n", look.style("text", bold=True)).append(
        f"{state[0]}\n\n", look.style(state[1])
    )
    text.append(bearable(check.says) + "\n", look.style("text"))
    if check.name == "merged":
        path = check.says.split(":", 1)[0]
        if path in proof.merged:
            keys(text, proof.merged[path], look)
    for of, word, paths in (
        ("yours", "lost", proof.lost),
        ("yours", "changed by nobody's leave", proof.altered),
        ("yours", "changed since, as by a run", proof.since),
        ("unreadable", "cannot be read", proof.unread),
        ("not whole", "as they were", proof.stayed_old),
        ("nothing else", "appeared", proof.appeared),
    ):
        if paths and check.name == of:
            heading(text, word, look)
            text.append("\n".join(clip(bearable(p), 48) for p in paths[:20]) + "\n", look.style("text"))
    return text


def _why_thing(line: ThingLine, look: Look) -> Text:
    """What is missing and what is new of a kind of things, and how it was counted."""
    text = Text()
    text.append(f"{line.thing.value}\n", look.style("text", bold=True))
    text.append(f"{line.before:,} before, {line.after:,} now\n\n", look.style("quiet"))
    text.append(f"counted by: {bearable(line.rule)}\n", look.style("text"))
    if line.trouble:
        text.append(bearable(line.trouble) + "\n", look.style("bad"))
    for word, names in (("no longer there", line.missing), ("new", line.new)):
        if names:
            heading(text, word, look)
            text.append("\n".join(clip(bearable(n), 48) for n in names[:20]) + "\n", look.style("text"))
    return text


def _where_it_went(proof: Proof, look: Look) -> Text:
    """Every class as a band from before to after: heavy where bytes are the very same, thin where laid
    anew.
    """
    text = Text("where every file went\n\n", look.style("text", bold=True))
    text.append("before" + " " * 18 + "after\n\n", look.style("quiet"))
    for line in proof.ledger:
        if not line.before.files and not line.after.files:
            continue
        kind = line.file_class
        thick = line.equal > 0 or kind.is_the_persons
        body = ("━" if thick and not line.trouble else "─") * 18
        text.append_text(badge(kind, look))
        text.append(f" {body} ", look.of_class(kind)).append_text(badge(kind, look))
        text.append(f"{line.after.files:>9,}\n", look.style("text"))
        anew = proof.counts.get(Verb.REPLACE, 0) + proof.counts.get(Verb.ADD, 0)
        if kind is FileClass.PROGRAM and anew:
            text.append("    " + "─" * 18, look.of_class(kind)).append(
                f"     {anew:>8,} laid anew\n", look.style("quiet")
            )
            gone = proof.counts.get(Verb.RETIRE, 0)
            if gone:
                text.append("    " + "╌" * 18, look.style("quiet")).append(
                    f"     {gone:>8,} set aside\n", look.style("quiet")
                )
        text.append("\n")
    text.append(
        "heavy: the very same bytes\nthin: what the release ships\nbroken: in the strongbox\n",
        look.style("quiet"),
    )
    return text


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
