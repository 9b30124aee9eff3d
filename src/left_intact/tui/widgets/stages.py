"""What a plan comes to in its order: rungs of a ladder, steps by hand, and what is chosen beside."""

from __future__ import annotations

from rich.text import Text

from left_intact.core.model.classes import FileClass
from left_intact.core.model.ladder import Climb, Rung, RungState
from left_intact.core.model.plan import Question
from left_intact.presentation.views import StageView
from left_intact.tui.look import Look
from left_intact.tui.widgets.lines import Row
from left_intact.tui.widgets.strip import badge
from left_intact.tui.writing import Line, bearable, clip
from left_intact.words import size

_RUNGS = {
    RungState.HERE: ("║ ║", "text"),
    RungState.READY: ("╟─╢", "good"),
    RungState.NEVER: ("╟┈╢", "quiet"),
    RungState.UNNEEDED: ("║·║", "quiet"),
    RungState.BEYOND: ("║·║", "quiet"),
    RungState.MISSING: ("╟──╴ ╶──╢", "bad"),
    RungState.DAMAGED: ("╟──╳ ╳──╢", "bad"),
}
"""How a rung is drawn between its rails: the sign in the middle is drawn as often as there is room for."""
_NARROW = 90


class RungRow(Row):
    """One rung: the version, how much it brings, how it stands, and what it comes after."""

    def __init__(self, rung: Rung) -> None:
        super().__init__(f"rung:{rung.version}:{rung.name}:{rung.state}")
        self.rung = rung

    def draw(self, width: int, look: Look, lit: bool) -> list[Text]:
        rung, (rail, colour) = self.rung, _RUNGS[self.rung.state]
        if rung.wanted and rung.state is RungState.READY:
            rail, colour = rail.replace("─", "═"), "focus"
        half = len(rail) // 2
        cells = 9 if width < _NARROW else 15
        rail = rail[:half] + rail[half] * (cells - 2 * half) + rail[half + 1 :]
        line = Line().gap(1 if width < _NARROW else 2).put(rail, look.style(colour)).gap(2)
        quiet = rung.state in (RungState.NEVER, RungState.UNNEEDED, RungState.BEYOND)
        line.put(bearable(rung.version), look.style("quiet" if quiet else "text", bold=lit), 8)
        line.put(size(rung.bytes) if rung.bytes else "", look.style("quiet"), 8, "right").gap(2)
        says = rung.state.value + (", wanted" if rung.wanted else "")
        line.put(says, look.style(colour, bold=rung.wanted), 20).gap()
        return [line.put(clip(bearable(rung.says), width - line.cell_len - 1), look.style("quiet"))]


class LadderHead(Row):
    """What is climbed, how many rungs that is, and what they weigh."""

    selectable = False

    def __init__(self, climb: Climb) -> None:
        super().__init__("")
        self.climb = climb

    def draw(self, width: int, look: Look, lit: bool) -> list[Text]:
        climb, number = self.climb, len(self.climb.steps)
        line = Line().put(bearable(climb.of), look.style("text", bold=True)).gap(2)
        if not number:
            return [line.put(clip(bearable(climb.trouble), width - line.cell_len - 1), look.style("bad"))]
        rungs = "1 rung" if number == 1 else f"{number} rungs"
        words = f"{bearable(climb.here)} → {bearable(climb.wanted)}, {rungs}, {size(climb.bytes)}"
        line.put(words, look.style("text")).gap(2)
        more = "one that fails leaves those below it in force"
        return [line.put(more if width >= _NARROW else "", look.style("quiet"))]


class StageRow(Row):
    """One stage of a plan that has steps by hand: whose it is, and what it comes to."""

    def __init__(self, number: int, stage: StageView) -> None:
        super().__init__(f"stage:{number}")
        self.number, self.stage = number, stage

    def draw(self, width: int, look: Look, lit: bool) -> list[Text]:
        stage = self.stage
        line = Line().put(f"{self.number}", look.style("quiet"), 3)
        who, colour = ("you", "focus") if stage.kind == "hand" else ("it does", "good")
        line.put(who, look.style(colour), 9)
        room = width - line.cell_len - 1
        return [line.put(clip(bearable(stage.says), room), look.style("text", bold=lit))]


class ChoiceRow(Row):
    """Something that may be chosen otherwise, on one line."""

    def __init__(self, question: Question) -> None:
        super().__init__(f"question:{question.id}")
        self.question = question

    def draw(self, width: int, look: Look, lit: bool) -> list[Text]:
        question = self.question
        kind = _CLASSES.get(question.id.removeprefix("save-"))
        line = Line()
        if kind is not None:
            line.append_text(badge(kind, look))
            line.gap()
        line.put(bearable(question.asks), look.style("text", bold=lit), 30 if kind is None else 22).gap()
        line.put(bearable(question.note), look.style("quiet"), 20).gap()
        for option in question.options:
            chosen = option == question.choice
            left = width - line.cell_len - len(option) - 4
            if left < 0 and not chosen:
                continue
            line.put("◉ " if chosen else "○ ", look.style("focus" if chosen else "quiet"))
            line.put(bearable(option), look.style("text" if chosen else "quiet", bold=chosen)).gap(2)
        return [line]


_CLASSES = {kind.value: kind for kind in FileClass}
