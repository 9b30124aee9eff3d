"""The plan: the crossing from now to after, the questions, the dangers, and why."""

from __future__ import annotations

from typing import ClassVar

from rich.text import Text
from textual.app import ComposeResult
from textual.binding import Binding, BindingType
from textual.widgets import Static

from left_intact.core.model.errors import Fault
from left_intact.core.model.ladder import Rung, RungState
from left_intact.core.model.plan import Move, Question, Verb
from left_intact.core.model.survey import Survey
from left_intact.core.model.telling import Stroke
from left_intact.presentation.palette import LETTER, NAME
from left_intact.presentation.views import FolderView, LaneView, PlanView, StageView
from left_intact.tui.explain import heading, why_move, why_question
from left_intact.tui.jobs import Job
from left_intact.tui.look import Look
from left_intact.tui.protocol import GoToStop
from left_intact.tui.screens.stage import StageScreen
from left_intact.tui.widgets.lines import Gap, Hairline, Lines, Row, Words
from left_intact.tui.widgets.stages import ChoiceRow, LadderHead, RungRow, StageRow
from left_intact.tui.widgets.strip import badge, strip_of
from left_intact.tui.writing import Line, bearable, clip, fit
from left_intact.words import count, size, versions
from left_intact.worker.call import call

_MORE = 2000
"""How many moves of a lane come at a time when somebody asks for more."""
_STROKES = {
    Stroke.INTACT: ("━", "━"),
    Stroke.SAME: ("─", "─"),
    Stroke.REPLACED: ("─", "▶"),
    Stroke.MERGED: ("═", "▶"),
    Stroke.ASIDE: ("╌", "╌"),
    Stroke.OPEN: ("┈", "?"),
    Stroke.LEFT_OUT: (" ", " "),
    Stroke.CARRIED: ("━", "▶"),
    Stroke.BEHIND: ("·", " "),
    Stroke.NEW: ("─", "▶"),
}


_FAINT = (Stroke.LEFT_OUT, Stroke.BEHIND)


def _columns(width: int) -> tuple[int, int, int, int]:
    """(name, files, size, name after) in cells; the crossing line takes the rest."""
    if width < 90:
        return 17, 5, 0, 10
    return 23, 6, 8, 15


class LaneRow(Row):
    """One lane: as it lies now, what happens, as it will lie."""

    def __init__(self, lane: LaneView, is_open: bool, roomy: bool) -> None:
        super().__init__(f"lane:{lane.key}")
        self.lane, self.is_open = lane, is_open
        self.height = 2 if roomy and not is_open else 1

    def draw(self, width: int, look: Look, lit: bool) -> list[Text]:
        lane, (name, files, amount, after) = self.lane, _columns(width)
        line = Line()
        line.append_text(badge(lane.file_class, look))
        line.put(" ▾ " if self.is_open else " ▸ ", look.style("quiet"))
        line.put(bearable(lane.label), look.style("text", bold=lit), name)
        line.put(f"{lane.now.files:,}" if lane.now.files else "", look.style("text"), files, "right")
        if amount:
            line.put(size(lane.now.bytes) if lane.now.files else "", look.style("quiet"), amount, "right")
        line.gap(2)
        room = width - line.cell_len - after - files - 3
        line.append_text(_stroke(lane, room, look))
        line.gap(2)
        style = look.style("quiet" if lane.stroke is Stroke.ASIDE else "text")
        line.put(bearable(lane.after_label), style, after)
        return [
            line.put(f"{lane.after.files:,}" if lane.after.files else "", look.style("text"), files, "right")
        ]


def _stroke(lane: LaneView, room: int, look: Look) -> Text:
    """The line between now and after, with its words in the middle."""
    body, end = _STROKES[lane.stroke]
    line = Text(no_wrap=True, end="")
    style = look.of_class(lane.file_class)
    if lane.stroke in (Stroke.ASIDE, Stroke.LEFT_OUT, Stroke.BEHIND):
        style = look.style("quiet")
    if lane.stroke is Stroke.OPEN:
        style = look.style("focus")
    says = f" {clip(lane.says, max(0, room - 5))} "
    left = max(1, (room - len(says)) // 2)
    right = max(1, room - left - len(says) - 1)
    words = look.style(
        "focus" if lane.stroke is Stroke.OPEN else "quiet" if lane.stroke in _FAINT else "text"
    )
    before = " " if lane.stroke is Stroke.NEW else body  # it begins in the midst, and ends there
    behind = " " if lane.stroke is Stroke.BEHIND else body
    line.append(before * left, style).append(says, words).append(behind * right + end, style)
    return line


class MoveRow(Row):
    """A path under an open lane."""

    def __init__(self, move: Move, lane: str) -> None:
        super().__init__(f"move:{move.at.root}//{move.at.path}" if move.at.root else f"move:{move.at.path}")
        self.move, self.lane = move, lane

    def draw(self, width: int, look: Look, lit: bool) -> list[Text]:
        name = _columns(width)[0] + 14
        line = Line().gap(8).put(bearable(self.move.at.shown), look.style("text", bold=lit), name).gap(2)
        colour = "quiet" if self.move.verb in (Verb.KEEP, Verb.DROP) else "text"
        line.put(self.move.verb.value, look.style(colour, bold=self.move.changes_disk), 9)
        line.put(size(self.move.bytes), look.style("quiet"), 8, "right").gap(2)
        return [line.put(clip(bearable(self.move.because), width - line.cell_len - 1), look.style("quiet"))]


class MoreMoves(Row):
    """What an open lane does not show yet."""

    def __init__(self, lane: LaneView, left: int) -> None:
        super().__init__(f"more:{lane.key}")
        self.lane, self.left = lane, left

    def draw(self, width: int, look: Look, lit: bool) -> list[Text]:
        return [Line().gap(8).put(f"… {self.left:,} more; Enter shows them", look.style("quiet"))]


class QuestionRow(Row):
    """A question with its options; the marked one counts."""

    height = 3

    def __init__(self, number: int, question: Question) -> None:
        super().__init__(f"question:{question.id}")
        self.number, self.question = number, question

    def draw(self, width: int, look: Look, lit: bool) -> list[Text]:
        question = self.question
        top = Line().put(f"{self.number}  ", look.style("focus", bold=True))
        note = f"  ({question.note})" if question.note else ""
        top.put(clip(bearable(question.asks + note), width - 4), look.style("text", bold=lit))
        state = "answered" if question.answer is not None else "the default"
        taken = look.style("good" if question.answer is not None else "focus")
        wide = 3 + sum(len(leads) + 6 for leads in question.leads_to) + len(state) > width
        lines = [Line().gap(3)]
        for option, leads in zip(question.options, question.leads_to, strict=True):
            chosen = option == question.choice
            if wide and lines[-1].cell_len > 3:
                lines.append(Line().gap(3))  # each answer on a line of its own, where one line cuts them
            lines[-1].put("◉ " if chosen else "○ ", look.style("focus" if chosen else "quiet"))
            room = width - lines[-1].cell_len - (len(state) + 4 if wide and chosen else 0)
            says = clip(bearable(leads), room) if wide else bearable(leads)
            lines[-1].put(says, look.style("text" if chosen else "quiet", bold=chosen)).gap(4)
            if wide and chosen:
                lines[-1].put(state, taken)
        if not wide:
            lines[-1].put(state, taken)
        return [top, *lines]


class FaultRow(Row):
    """A blocker or a warning."""

    def __init__(self, fault: Fault, blocks: bool) -> None:
        super().__init__(f"fault:{fault.code}:{fault.says}")
        self.fault, self.blocks = fault, blocks

    def draw(self, width: int, look: Look, lit: bool) -> list[Text]:
        word, colour = ("blocked", "bad") if self.blocks else ("mind", "focus")
        line = Line().put(word, look.style(colour, bold=True), 9)
        says = bearable(f"{self.fault.says}. {self.fault.way_out}".strip())
        if len(says) > width - 10:  # what is wrong comes first; the panel has the way out too
            says = clip(bearable(self.fault.says), width - 10)
        return [line.put(says, look.style("text"))]


class PlanScreen(StageScreen):
    """What would happen to every path."""

    STOP = "plan"
    HELP = (
        "Left as things lie now, right as they will lie; the line between says what happens: "
        "heavy is left intact, "
        "an arrow is replaced, a double line is merged, a broken one goes into the strongbox. "
        "Enter opens a lane or takes the marked answer, Space marks another; "
        "the plan is drawn again at once. c carries it out. Until then "
        "nothing is changed, and "
        "afterwards going back is one key."
    )
    BINDINGS: ClassVar[list[BindingType]] = [
        Binding("c", "carry_out", "carry out"),
        Binding("enter", "take", "open or take"),
        Binding("space", "choose", "other answer"),
        Binding("tab", "questions", "questions"),
        Binding("right", "turn(1)", "open or choose", key_display="→", show=False),
        Binding("left", "turn(-1)", "close", show=False),
        Binding("x", "pass_blockers", "go past it knowingly"),
        Binding("e", "export", "export"),
    ]

    def __init__(self, desk) -> None:  # type: ignore[no-untyped-def]
        super().__init__(desk)
        self.open_lanes: set[str] = set()
        self.more: dict[str, list[Move]] = {}
        """By lane: what was asked for beyond the first moves."""
        self._shown: PlanView | None = None
        self._painted: PlanView | None = None
        """What the person can have seen."""
        self._led = False
        """Whether they were led to the open questions."""
        self.passed: frozenset[str] = frozenset()

    def compose_left(self) -> ComposeResult:
        yield Static(id="head")
        yield Lines(id="crossing")
        yield Static(id="foot")

    def on_mount(self) -> None:
        self.query_one("#crossing", Lines).focus()

    def aside(self) -> str:
        return "nothing has been changed yet"

    # ------------------------------------------------------------ drawing

    def show_body(self) -> None:
        plan, look = self.desk.plan, self.look
        if plan is not self._shown:
            self._shown, self.more = plan, {}
        if plan is None:
            self.query_one("#head", Static).update(Text("drawing the plan…", look.style("quiet")))
            return
        self.query_one("#head", Static).update(_head(plan, look))
        self.query_one("#foot", Static).update(_foot(plan, look))
        self.query_one("#crossing", Lines).set_rows(self._rows(plan))
        self.call_after_refresh(self._was_painted, plan)

    def _was_painted(self, plan: PlanView) -> None:
        self._painted = plan

    def _rows(self, plan: PlanView) -> list[Row]:
        rows: list[Row] = [FoldersRow(plan.folders)] if plan.folders else []
        if plan.climb is not None:
            rows += [LadderHead(plan.climb), *map(RungRow, plan.climb.rungs), Gap()]
        rows.append(_CrossingHeading(plan.folders))
        lanes = plan.lanes
        more = len(plan.stages) + (len(plan.climb.rungs) + 2 if plan.climb else 0)
        roomy = (
            len(lanes) * 2 + len(plan.questions) * 3 + more + 12 < self.size.height and not self.open_lanes
        )
        for lane in lanes:
            is_open = lane.key in self.open_lanes
            rows.append(LaneRow(lane, is_open, roomy))
            if is_open:
                rows += self._under(lane)
        faults = [
            *(FaultRow(f, True) for f in plan.blockers if f.code not in self.passed),
            *(FaultRow(f, False) for f in plan.warnings),
        ]
        if faults:
            rows += [Gap(), *faults]
        if plan.stages:
            rows += [Hairline(), Words("in this order; it can wait for days at each of yours")]
            rows += [StageRow(number, stage) for number, stage in enumerate(plan.stages, 1)]
        if choices := [ChoiceRow(q) for q in plan.questions if q.is_choice]:
            rows += [Hairline(), Words("chosen already; Enter chooses otherwise"), *choices]
        if plan.asked:
            rows += [Hairline(), Words(_question_words(plan, self.look)), Gap()]
            rows += [QuestionRow(n, q) for n, q in enumerate(plan.asked, 1)]
        return rows

    def _under(self, lane: LaneView) -> list[Row]:
        shown = self.more.get(lane.key) or lane.shown
        rows: list[Row] = [MoveRow(move, lane.key) for move in shown]
        if len(shown) < lane.count:
            rows.append(MoreMoves(lane, lane.count - len(shown)))
        return rows

    def on_lines_moved(self, message: Lines.Moved) -> None:
        plan, row = self.desk.plan, message.row
        if plan is None or row is None:
            return
        if isinstance(row, LaneRow):
            self.explain(_why_lane(row.lane, plan, self.desk.survey, self.look))
        elif isinstance(row, MoveRow):
            self.explain(why_move(row.move, plan, self.desk.survey, self.look))
        elif isinstance(row, (QuestionRow, ChoiceRow)):
            self.explain(why_question(row.question, plan, self.look))
        elif isinstance(row, StageRow):
            self.explain(_why_stage(row.number, row.stage, self.look))
        elif isinstance(row, RungRow):
            self.explain(_why_rung(row.rung, self.look))
        elif isinstance(row, FaultRow):
            text = Text(f"{bearable(row.fault.says)}\n\n", self.look.style("text", bold=True))
            self.explain(text.append(bearable(row.fault.way_out), self.look.style("quiet")))

    # ------------------------------------------------------------ actions

    def check_action(self, action: str, parameters: tuple[object, ...]) -> bool | None:
        plan = self.desk.plan
        if action == "carry_out":
            if plan is None or not self.desk.drawn or self.desk.under_way:
                return False
            return plan.does_something and not self._blocked(plan)
        if action == "pass_blockers":
            return (
                plan is not None
                and bool(self._blocked(plan))
                and all(b.passable for b in self._blocked(plan))
            )
        if action == "questions":
            return plan is not None and bool(plan.asked)
        if action == "export":
            return plan is not None and self.desk.drawn and not self.desk.under_way
        return True

    def action_export(self) -> None:
        from left_intact.tui.screens.exporting import open_export

        open_export(self, self.desk.install, "plan")

    def _blocked(self, plan: PlanView) -> list[Fault]:
        return [b for b in plan.blockers if b.code not in self.passed]

    @property
    def lines(self) -> Lines:
        return self.query_one("#crossing", Lines)

    def on_lines_chosen(self, message: Lines.Chosen) -> None:
        self.action_take()

    def action_take(self) -> None:
        """Open a lane, or take the answer that is marked and go on to the next question."""
        row = self.lines.row
        if not isinstance(row, QuestionRow):
            self.action_turn(0)
            return
        if row.question.answer is None:
            self.desk.answers[row.question.id] = row.question.choice
            self.draw_plan()
        self.action_questions()

    def action_choose(self) -> None:
        self.action_turn(0)

    def action_turn(self, way: int) -> None:
        """Open or close a lane, or change an answer; 0 does whichever is due."""
        row, plan = self.lines.row, self.desk.plan
        if plan is None:
            return
        if isinstance(row, LaneRow):
            is_open = row.lane.key in self.open_lanes
            if (way >= 0) != is_open or way == 0:
                self.open_lanes ^= {row.lane.key}
                self.lines.set_rows(self._rows(plan))
        elif isinstance(row, MoveRow) and way < 0:
            self.open_lanes.discard(row.lane)
            self.lines.set_rows(self._rows(plan), at=f"lane:{row.lane}")
        elif isinstance(row, MoreMoves):
            self._ask_for_more(row.lane)
        elif isinstance(row, (QuestionRow, ChoiceRow)):
            self._answer(row.question, way or 1)

    def _ask_for_more(self, lane: LaneView) -> None:
        known = len(self.more.get(lane.key) or lane.shown)
        plan = self.desk.plan

        def came(moves: list[Move]) -> None:
            if self.is_attached and plan is self.desk.plan and plan is not None and len(moves) > known:
                self.more[lane.key] = moves
                self.lines.set_rows(self._rows(plan), at=MoveRow(moves[known], lane.key).key)

        wanted = call("desk.moves", self.desk.install, lane.key, known + _MORE)
        self.left_intact.work_on(Job("more of the lane", wanted, came, self._failed, beside=True))

    def _answer(self, question: Question, way: int) -> None:
        """Mark another option, the next or the one before; what is marked is the answer."""
        options = question.options
        at = (options.index(question.choice) + way) % len(options)
        self.desk.answers[question.id] = options[at]
        self.draw_plan()

    def action_questions(self) -> None:
        """To the next question, and from the last one back to the lanes."""
        here = self.lines.row
        keys = [row.key for row in self.lines.rows if isinstance(row, QuestionRow)]
        if here is not None and here.key in keys:
            at = keys.index(here.key) + 1
            if at == len(keys):
                self.lines.action_end(-1)
                return
            self.lines.go_to(keys[at])
        elif keys:
            self.lines.go_to(keys[0])

    def action_pass_blockers(self) -> None:
        plan = self.desk.plan
        if plan is None:
            return
        from left_intact.tui.screens.dialogs import ConfirmDialog

        says = " ".join(f"{b.says}." for b in self._blocked(plan))
        codes = frozenset(b.code for b in self._blocked(plan))

        def answered(yes: bool | None) -> None:
            if yes:
                self.passed |= codes
                self.show_all()

        self.app.push_screen(ConfirmDialog("go past it knowingly", says, "go past it"), answered)

    def action_carry_out(self) -> None:
        plan = self.desk.plan
        if plan is None or not self.check_action("carry_out", ()):
            return
        if self._painted is not plan:
            self.notify("this is the plan: read it, then c carries it out", timeout=4)
            return  # a key that was pressed before anybody saw it
        if plan.open_questions and not self._led and not isinstance(self.lines.row, QuestionRow):
            self._led = True
            number, first = len(plan.open_questions), plan.open_questions[0]
            rows = [row for row in self.lines.rows if isinstance(row, QuestionRow)]
            self.lines.go_to(next(row.key for row in rows if row.question.id == first.id))
            are = "is 1 question" if number == 1 else f"are {number} questions"
            self.notify(f"there {are} open: c again takes the marked answers", timeout=6)
            return
        # The marked defaults are on the screen, so carrying out accepts them.
        self.desk.answers |= {q.id: q.choice for q in plan.questions}
        self.desk.under_way = True
        self.post_message(GoToStop("under way", self.desk, allowed=self.passed))


def _head(plan: PlanView, look: Look) -> Text:
    text, here, to = Text(no_wrap=True), plan.from_version, plan.to_version
    text.append(f"{bearable(plan.install)} ", look.style("text", bold=True))
    if plan.climb is not None and here == to:
        text.append(f"{bearable(here)}, {bearable(plan.climb.of)} ", look.style("text"))
        here, to = plan.climb.here, plan.climb.wanted
    before, arrow, after = versions(bearable(here), bearable(to)).rpartition(" → ")
    text.append(f"{before}{arrow}", look.style("text"))
    text.append(after, look.style("focus", bold=True))
    base = "" if plan.with_baseline else " · no baseline"
    text.append(
        f"   {plan.route.value.replace('-', ' ')} · {size(plan.packed_bytes)} in · room needed "
        f"{size(plan.space.needed)}, free {size(plan.space.free)}{base}",
        look.style("quiet"),
    )
    return text


def _foot(plan: PlanView, look: Look) -> Text:
    yours = plan.left_intact
    text = Text(no_wrap=True)
    telling = plan.telling
    text.append(f"{telling.safe}  ", look.style("quiet"))
    text.append(
        f"{count(yours.files, 'file')} of yours, {size(yours.bytes)}",
        look.style("good", bold=True),
    )
    counts = [
        f"{plan.count(v):,} {w}"
        for v, w in (
            (Verb.MERGE, "merged"),
            (Verb.REPLACE, "replaced"),
            (Verb.ADD, "added"),
            (Verb.RETIRE, "retired"),
            (Verb.CARRY, "carried"),
            (Verb.REHOME, "kept elsewhere"),
        )
        if plan.count(v)
    ]
    changed = ", ".join(counts) or "nothing"
    if telling.then:
        changed = telling.then.format(steps=count(len(plan.manual_steps), "step"))
    text.append("    then  " if telling.then else "    changed  ", look.style("quiet")).append(
        changed, look.style("text")
    )
    text.append(f"\n{telling.back}, until you settle.", look.style("quiet"))
    return text


def _question_words(plan: PlanView, look: Look) -> Text:
    line = Line().put(count(len(plan.asked), "question"), look.style("focus", bold=True))
    left = len(plan.open_questions)
    says = (
        "all answered"
        if not left
        else "the marked defaults count unless you choose; the lanes follow your answers"
    )
    return line.put(f"   {says}", look.style("quiet"))


def _why_stage(number: int, stage: StageView, look: Look) -> Text:
    text = Text(f"step {number}\n\n", look.style("quiet"))
    text.append(f"{bearable(stage.says)}\n\n", look.style("text", bold=True))
    asks = [("asks", f"{one.asks}: {one.answer}") for one in stage.prompts]
    parts = (("why", stage.why), ("on", stage.on), *asks, ("sees", stage.sees), ("back", stage.back))
    for word, says in parts:
        if says:
            text.append(f"{word}\n", look.style("quiet")).append(f"{bearable(says)}\n\n", look.style("text"))
    return text


def _why_rung(rung: Rung, look: Look) -> Text:
    text = Text(f"{bearable(rung.version)}  ", look.style("text", bold=True))
    text.append(f"{rung.state.value}\n\n", look.style("quiet"))
    if rung.name:
        text.append(f"{bearable(rung.name)}, {size(rung.bytes)}\n", look.style("text"))
    text.append(f"{bearable(rung.says)}\n\n", look.style("text"))
    return text.append(_RUNG_WORDS[rung.state], look.style("quiet"))


_RUNG_WORDS = {
    RungState.HERE: "What lies here now: the ground that the ladder stands on.",
    RungState.READY: "It is laid on what the rung below leaves, whole or not at all.",
    RungState.NEVER: "A number that was left out when the updates were made. Nothing is missing.",
    RungState.UNNEEDED: "It came along, and is not laid on this way.",
    RungState.BEYOND: "It cannot be laid: what it comes after cannot be reached.",
    RungState.MISSING: "An update comes after it, and nothing here leads to it. Get it, or go less far.",
    RungState.DAMAGED: "It is here, and cannot be read. Get it anew.",
}
_STROKE_WORDS = {
    Stroke.INTACT: "These are yours. Nothing happens to them: not a byte, not a date.",
    Stroke.SAME: "The program's, and the arriving release has the very same.",
    Stroke.REPLACED: (
        "The program's own files. The old ones go into the strongbox, verified, before the new ones "
        "lie there."
    ),
    Stroke.MERGED: (
        "Your settings, merged key by key. Your comments and order of lines stay; the old file is kept."
    ),
    Stroke.ASIDE: "No longer shipped. They go into the strongbox, so that nothing loads them by accident.",
    Stroke.OPEN: "A true conflict: only you can say. Until then the marked default counts.",
    Stroke.LEFT_OUT: "You deleted these, and the release has not changed them: they stay deleted.",
    Stroke.CARRIED: (
        "Yours. They are copied into the new folder and read back; the old folder keeps them too. What a "
        "first start wrote under their names is set aside."
    ),
    Stroke.BEHIND: "These stay in the old folder alone, which stays whole until you let go of it.",
    Stroke.NEW: "The program's own files, as the new release ships them.",
}


def _why_lane(lane: LaneView, plan: PlanView, survey: Survey | None, look: Look) -> Text:
    if lane.count == 1:
        return why_move(lane.shown[0], plan, survey, look)
    text = Text()
    text.append(bearable(lane.label) + "\n", look.style("text", bold=True))
    text.append(f" {LETTER[lane.file_class]} ", look.on_class(lane.file_class))
    number = max(lane.now.files, lane.after.files) if plan.folders else lane.count
    text.append(f" {NAME[lane.file_class]}, {count(number, 'path')}\n\n", look.style("quiet"))
    text.append((lane.means or _STROKE_WORDS[lane.stroke]) + "\n", look.style("text"))
    heading(text, "the reasons", look)
    for reason, number in lane.reasons.most_common(6):
        text.append(f"{number:>6,}  ", look.style("text")).append(
            bearable(reason) + "\n", look.style("quiet")
        )
    heading(text, "among them", look)
    for move in lane.shown[:12]:
        text.append(fit(bearable(move.at.shown), 34), look.style("text")).append(
            f"{size(move.bytes):>10}\n", look.style("quiet")
        )
    return text


class _CrossingHeading(Row):
    selectable = False

    def __init__(self, folders: tuple[FolderView, ...]) -> None:
        super().__init__("")
        self.now, self.after = ("old folder", "new folder") if folders else ("now", "after")

    def draw(self, width: int, look: Look, lit: bool) -> list[Text]:
        name, files, amount, after = _columns(width)
        quiet = look.style("quiet")
        now, then = self.now, self.after
        if width < 90:
            now, then = now.partition(" ")[0], then.partition(" ")[0]
        line = (
            Line()
            .put(now, quiet, 6 + name)
            .put("files", quiet, files, "right")
            .put("size" if amount else "", quiet, amount, "right")
        )
        room = width - line.cell_len - 2 - after - files - 3
        line.gap(2).put(fit("what happens", room // 2 + 6, "right"), quiet, room).gap(2)
        return [line.put(then, quiet, after).put("files", quiet, files, "right")]


class FoldersRow(Row):
    """The two folders of a crossing: names, versions, sizes, and what each is made of."""

    selectable = False
    height = 3

    def __init__(self, folders: tuple[FolderView, ...]) -> None:
        super().__init__("")
        self.folders = folders

    def draw(self, width: int, look: Look, lit: bool) -> list[Text]:
        half = (width - 5) // 2
        top, low = Line(), Line()
        for number, folder in enumerate(self.folders):
            for line in (top, low):
                line.gap(3 * number)
            name, says = bearable(folder.name) + "/", f"{size(folder.bytes)}, {folder.says}"
            if len(name) + len(says) >= half:
                says = size(folder.bytes)
            name = clip(name, half - len(says) - 1)
            top.put(name, look.style("text", bold=True)).gap(half - len(name) - len(says))
            top.put(says, look.style("quiet"))
            low.append_text(strip_of(folder.files, half, look))
        return [top, low, Text()]
