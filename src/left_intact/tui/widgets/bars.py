"""The lines at the edges: title above, keys below, and the stage line."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from rich.text import Text
from textual import events
from textual.binding import Binding
from textual.message import Message
from textual.widget import Widget

from left_intact.tui.look import Look
from left_intact.tui.writing import Line, clip

KEY_NAMES = {
    "enter": "Enter",
    "escape": "Esc",
    "space": "Space",
    "tab": "Tab",
    "question_mark": "?",
    "slash": "/",
    "asterisk": "*",
    "left": "←",
    "right": "→",
    "up": "↑",
    "down": "↓",
    "ctrl+p": "^p",
    "ctrl+q": "^q",
    "left_square_bracket": "[",
    "right_square_bracket": "]",
}


def key_name(key: str) -> str:
    return KEY_NAMES.get(key, key)


class Bar(Widget):
    """One line (or few) that is drawn from values."""

    @property
    def look(self) -> Look:
        look: Look = self.app.look  # type: ignore[attr-defined]
        return look


class TitleBar(Bar):
    """Where we are, and on the right what goes on."""

    def __init__(self) -> None:
        super().__init__()
        self.trail: tuple[str, ...] = ()
        self.aside = ""
        self.busy = ""

    def say(self, trail: tuple[str, ...] | None = None, aside: str | None = None) -> None:
        if trail is not None:
            self.trail = trail
        if aside is not None:
            self.aside = aside
        self.refresh()

    def set_busy(self, text: str) -> None:
        self.busy = text
        self.refresh()

    def render(self) -> Text:
        look, width = self.look, self.size.width
        right = self.busy or self.aside
        line = Line().gap(2).put("LEFT INTACT", look.style("text", bold=True)).gap(3)
        line.put(clip(" › ".join(self.trail), width - 20), look.style("quiet"))
        right = clip(right, max(0, width - line.cell_len - 4))
        line.gap(width - line.cell_len - len(right) - 2)
        return line.put(right, look.style("focus" if self.busy else "quiet"))


@dataclass(frozen=True, slots=True, kw_only=True)
class Hint:
    """A key of the bottom line with what it does."""

    key: str
    says: str
    action: str


_DOUBLE_CLICK = 0.5
"""Seconds that two clicks of one double click may lie apart."""


_NARROW = 116
_ALWAYS = ("why", "shelf", "help")


class KeyBar(Bar):
    """The keys that work right now, taken from the bindings; each can be clicked."""

    def __init__(self) -> None:
        super().__init__()
        self.spans: list[tuple[int, int, int, str]] = []
        """(line, from, to, action)."""
        self.since = 0.0

    def on_mount(self, event: events.Mount) -> None:
        self.since = event.time
        self.screen.bindings_updated_signal.subscribe(self, lambda screen: self.refresh(layout=True))

    def hints(self) -> list[Hint]:
        """Shown bindings that are in force, those with one description joined."""
        found: dict[str, Hint] = {}
        for active in self.screen.active_bindings.values():
            binding: Binding = active.binding
            if not binding.show or not active.enabled or not binding.description:
                continue
            name = binding.key_display or key_name(binding.key)
            known = found.get(binding.description)
            if known is None:
                found[binding.description] = Hint(key=name, says=binding.description, action=binding.action)
            elif name not in known.key.split(" "):
                joined = f"{known.key} {name}"
                found[binding.description] = Hint(key=joined, says=known.says, action=known.action)
        own = [b.description for b in type(self.screen).BINDINGS if isinstance(b, Binding)]
        # The screen's own keys first, in the order it names them.
        return sorted(found.values(), key=lambda h: own.index(h.says) if h.says in own else len(own))

    def render(self) -> Text:
        """As many keys as there is room for; the way out and help come last, and always find some."""
        is_narrow = self.app.size.width < _NARROW
        hints = self.hints()
        wanted = sum(len(hint.key) + len(hint.says) + 1 for hint in hints) + 2
        close = is_narrow or wanted + 3 * len(hints) > self.size.width
        return self._laid_out(hints, gap=2 if close else 3, most=2 if is_narrow else 1)

    def _laid_out(self, hints: list[Hint], *, gap: int, most: int) -> Text:
        look, lines = self.look, [Line().gap(2)]
        self.spans = []
        last = [hint for hint in hints if hint.says in _ALWAYS]
        kept = sum(len(hint.key) + len(hint.says) + 1 + gap for hint in last)
        for hint in [h for h in hints if h.says not in _ALWAYS] + last:
            needed = len(hint.key) + len(hint.says) + 1 + gap
            is_last = len(lines) == most
            room = self.size.width - (kept if is_last else 0)
            if lines[-1].cell_len + needed > room:
                if not is_last:
                    lines.append(Line().gap(2))
                elif hint.says not in _ALWAYS:
                    continue
            line, start = lines[-1], lines[-1].cell_len
            line.put(hint.key, look.style("focus", bold=True)).gap().put(hint.says, look.style("quiet"))
            self.spans.append((len(lines) - 1, start, line.cell_len, hint.action))
            line.gap(gap)
        return Text("\n").join(lines)

    async def on_click(self, event: events.Click) -> None:
        if event.chain > 1 or event.time - self.since < _DOUBLE_CLICK:
            return  # the second half of a double click, which was meant for the screen before
        for row, start, stop, action in self.spans:
            if row == event.y and start <= event.x < stop:
                await self.screen.run_action(action)


class StopState(StrEnum):
    """How a stop of the stage line stands."""

    DONE = "done"
    HERE = "here"
    OPEN = "open"


@dataclass(frozen=True, slots=True, kw_only=True)
class Stop:
    """One stop: its name, how it stands, and a word on it."""

    name: str
    standing: StopState
    says: str = ""
    urgent: bool = False


STOPS = ("survey", "arrival", "plan", "under way", "proof", "settle")
_MARK = {StopState.DONE: "●", StopState.HERE: "◉", StopState.OPEN: "○"}


class StageLine(Bar):
    """The stops of an update in the order of the work. A digit goes to a stop, and so does a click."""

    class Wanted(Message):
        def __init__(self, number: int) -> None:
            super().__init__()
            self.number = number

    def __init__(self) -> None:
        super().__init__()
        self.stops: tuple[Stop, ...] = ()

    def show(self, stops: tuple[Stop, ...]) -> None:
        self.stops = stops
        self.refresh()

    def _widths(self) -> list[int]:
        """Cells for each stop: equal where there is room, by the length of its name where not."""
        if not self.stops:
            return []
        step = (self.size.width - 4) // len(self.stops)
        if step >= 17:
            return [step] * len(self.stops)
        spare = self.size.width - 3
        widths = [len(stop.name) + 6 for stop in self.stops]
        for at, stop in sorted(enumerate(self.stops), key=lambda item: not item[1].urgent):
            wish = len(stop.says.split(",")[0]) + 3 - widths[at]
            if 0 < wish <= spare - sum(widths):
                widths[at] += wish
        return widths

    def render(self) -> Text:
        look = self.look
        above, below = Line().gap(2), Line().gap(2)
        for number, (stop, width) in enumerate(zip(self.stops, self._widths(), strict=True), 1):
            here, done = stop.standing is StopState.HERE, stop.standing is StopState.DONE
            mark_style = look.style("focus" if here else "good" if done else "quiet")
            name_style = look.style("text" if here or done else "quiet", bold=here)
            above.put(_MARK[stop.standing], mark_style).gap().put(str(number), look.style("quiet")).gap()
            above.put(stop.name, name_style)
            left = width - len(stop.name) - 6
            if number < len(self.stops) and left > 0:
                above.gap().put(
                    ("━" if done else "─") * left, look.style("quiet" if done else "hairline")
                ).gap()
            else:
                above.gap(left + 2)
            indent = 4 if width >= 17 else 2 if len(stop.says) < width - 2 else 0
            word = look.style("focus" if stop.urgent else "quiet")
            room = width - indent - (not indent)  # what begins under the mark leaves a gap to the next
            below.gap(indent).put(_brief(stop.says, room), word, width - indent)
        above.append("\n")
        return above.append_text(below)

    def on_click(self, event: events.Click) -> None:
        at = 2
        for number, width in enumerate(self._widths(), 1):
            if at <= event.x < at + width:
                self.post_message(self.Wanted(number))
            at += width


def _brief(says: str, width: int) -> str:
    """A word on a stop in the room there is: whole, its first part, or its start."""
    if len(says) > width:
        says = says.split(",", maxsplit=1)[0]
    if len(says) > width:
        says = says.split(" ", maxsplit=1)[0]  # a number alone still tells
    return says if len(says) <= width else says[:width]
