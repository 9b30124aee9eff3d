"""A list that draws only the lines that are visible, however many rows there are."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Sequence
from typing import ClassVar

from rich.style import Style
from rich.text import Text
from textual import events
from textual.binding import Binding, BindingType
from textual.geometry import Region, Size
from textual.message import Message
from textual.reactive import reactive
from textual.scroll_view import ScrollView
from textual.strip import Strip

from left_intact.tui.look import Look
from left_intact.tui.writing import wrapped


class Row:
    """One row of a list; `key` tells it from the others when the list is drawn anew."""

    height = 1
    selectable = True

    def __init__(self, key: str) -> None:
        self.key = key

    def fit(self, width: int) -> None:
        """Told how many cells there are, before it is drawn: here `height` may follow the width."""

    def draw(self, width: int, look: Look, lit: bool) -> list[Text]:
        """As many lines as `height`, each at most `width` cells."""
        raise NotImplementedError


class Gap(Row):
    """An empty line."""

    selectable = False

    def __init__(self) -> None:
        super().__init__("")

    def draw(self, width: int, look: Look, lit: bool) -> list[Text]:
        return [Text()]


class Words(Row):
    """A line of text that cannot be chosen."""

    selectable = False

    def __init__(self, text: Text | str, colour: str = "quiet") -> None:
        super().__init__("")
        self.text, self.colour = text, colour

    def draw(self, width: int, look: Look, lit: bool) -> list[Text]:
        text = self.text.copy() if isinstance(self.text, Text) else Text(self.text, look.style(self.colour))
        text.truncate(width, overflow="ellipsis")
        return [text]


class Paragraph(Row):
    """Words shown whole, on as many lines as the width makes of them; they cannot be chosen."""

    selectable = False

    def __init__(self, words: str, colour: str = "text", *, indent: int = 0) -> None:
        super().__init__("")
        self.words, self.colour, self.indent = words, colour, indent
        self._lines = [words]

    def fit(self, width: int) -> None:
        self._lines = wrapped(self.words, max(20, width - self.indent))
        self.height = len(self._lines)

    def draw(self, width: int, look: Look, lit: bool) -> list[Text]:
        return [Text(" " * self.indent + line, look.style(self.colour)) for line in self._lines]


class Hairline(Row):
    selectable = False

    def __init__(self) -> None:
        super().__init__("")

    def draw(self, width: int, look: Look, lit: bool) -> list[Text]:
        return [Text("─" * width, look.style("hairline"))]


class Lines(ScrollView, can_focus=True):
    """Rows with a cursor. Posts `Moved` when the cursor moves and `Chosen` on Enter or a second click."""

    BINDINGS: ClassVar[list[BindingType]] = [
        Binding("up,k", "move(-1)", "up", show=False),
        Binding("down,j", "move(1)", "down", show=False),
        Binding("pageup", "page(-1)", "page up", show=False),
        Binding("pagedown", "page(1)", "page down", show=False),
        Binding("home", "end(-1)", "first", show=False),
        Binding("end", "end(1)", "last", show=False),
    ]
    MARGIN = 2
    cursor = reactive(0, repaint=False)

    class Moved(Message):
        def __init__(self, lines: Lines, row: Row | None) -> None:
            super().__init__()
            self.lines, self.row = lines, row

        @property
        def control(self) -> Lines:
            return self.lines

    class Chosen(Moved):
        pass

    def __init__(self, *, id: str | None = None) -> None:
        super().__init__(id=id)
        self.rows: Sequence[Row] = ()
        self._starts: list[int] = []
        self._height = 0
        self._drawn: dict[tuple[int, int, bool], list[Strip]] = {}

    @property
    def row(self) -> Row | None:
        """The row under the cursor."""
        return self.rows[self.cursor] if 0 <= self.cursor < len(self.rows) else None

    def set_rows(self, rows: Sequence[Row], *, at: str | None = None) -> None:
        """Show other rows; the cursor stays on the row with its key, or goes to the one called `at`."""
        wanted = at if at is not None else (self.row.key if self.row else "")
        place = self.cursor
        self.rows = rows
        self._lay()
        found = next((n for n, row in enumerate(rows) if row.selectable and row.key == wanted), None)
        if found is None:
            found = self._nearest(min(place, len(rows) - 1), 1)
        self.cursor = found if found is not None else 0
        self.refresh()
        self._show_cursor()
        self.post_message(self.Moved(self, self.row))

    def _nearest(self, place: int, step: int) -> int | None:
        for direction in (step, -step):
            at = place
            while 0 <= at < len(self.rows):
                if self.rows[at].selectable:
                    return at
                at += direction
        return None

    def redraw(self) -> None:
        """Draw all rows again, as after a change of the look."""
        self._drawn.clear()
        self.refresh()

    def on_resize(self) -> None:
        self._lay()

    def _lay(self) -> None:
        """Say to each row how wide the list is, and find where it starts."""
        width = self.scrollable_content_region.width
        self._starts, top = [], 0
        for row in self.rows:
            row.fit(width - self.MARGIN)
            self._starts.append(top)
            top += row.height
        self._height = top
        self._drawn.clear()
        self.virtual_size = Size(width, top)

    # ------------------------------------------------------------ drawing

    def render_line(self, y: int) -> Strip:
        look: Look = self.app.look  # type: ignore[attr-defined]
        width = self.scrollable_content_region.width
        at = y + self.scroll_offset.y
        if at >= self._height or not self.rows:
            return Strip.blank(width, self.rich_style)
        place = bisect_right(self._starts, at) - 1
        lit = place == self.cursor and self.rows[place].selectable
        key = (place, width, lit and self.has_focus)
        if key not in self._drawn:
            if len(self._drawn) > 2000:
                self._drawn.clear()
            self._drawn[key] = self._draw(place, width, look, lit)
        return self._drawn[key][at - self._starts[place]]

    def _draw(self, place: int, width: int, look: Look, lit: bool) -> list[Strip]:
        row = self.rows[place]
        base = self.rich_style + (Style(bgcolor=look.raised) if lit else Style())
        mark = Text("▌", look.style("focus" if self.has_focus else "quiet")) if lit else Text(" ")
        strips = []
        lines = row.draw(width - self.MARGIN, look, lit)
        for number in range(row.height):
            text = Text(no_wrap=True, end="")
            text.append_text(mark).append(" " * (self.MARGIN - 1))
            if number < len(lines):
                text.append_text(lines[number])
            text.truncate(width)
            strip = Strip(text.render(self.app.console)).adjust_cell_length(width)
            strips.append(strip.apply_style(base))
        return strips

    # ------------------------------------------------------------ moving

    def action_move(self, step: int) -> None:
        at = self.cursor + step
        while 0 <= at < len(self.rows) and not self.rows[at].selectable:
            at += step
        if 0 <= at < len(self.rows):
            self._go(at)
        else:
            self.scroll_relative(y=step, animate=False)

    def action_page(self, step: int) -> None:
        if not self.rows:
            return
        page = max(1, self.scrollable_content_region.height - 1)
        line = self._starts[min(self.cursor, len(self._starts) - 1)] + step * page
        at = bisect_right(self._starts, max(0, min(line, self._height - 1))) - 1
        found = self._nearest(at, step)
        if found is not None:
            self._go(found)

    def action_end(self, step: int) -> None:
        found = self._nearest(0 if step < 0 else len(self.rows) - 1, -step)
        if found is not None:
            self._go(found)

    def go_to(self, key: str) -> bool:
        """Put the cursor on the row with a key."""
        for place, row in enumerate(self.rows):
            if row.key == key and row.selectable:
                self._go(place)
                return True
        return False

    def _go(self, place: int) -> None:
        if place != self.cursor:
            self.cursor = place
            self.refresh()
            self.post_message(self.Moved(self, self.row))
        self._show_cursor()

    def _show_cursor(self) -> None:
        if self.row is None or not self._starts:
            return
        top = self._starts[self.cursor]
        if not any(row.selectable for row in self.rows[: self.cursor]):
            top = 0  # headings above the first row come along
        region = Region(0, top, 1, self._starts[self.cursor] + self.row.height - top)
        self.scroll_to_region(region, animate=False, force=True, immediate=True)

    def action_choose(self) -> None:
        if self.row is not None and self.row.selectable:
            self.post_message(self.Chosen(self, self.row))

    def on_click(self, event: events.Click) -> None:
        at = int(event.y + self.scroll_offset.y)
        if not 0 <= at < self._height:
            return
        place = bisect_right(self._starts, at) - 1
        if not self.rows[place].selectable:
            return
        again = place == self.cursor
        self._go(place)
        if again:
            self.action_choose()

    def on_focus(self) -> None:
        self.redraw()

    def on_blur(self) -> None:
        self.redraw()
