"""The shelf: every install, what waits for it, what it is made of and what is at stake."""

from __future__ import annotations

import gc
import time
from collections import Counter
from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING, Any, ClassVar

from rich.text import Text
from textual.app import ComposeResult
from textual.binding import Binding, BindingType

from left_intact.core.model.classes import FileClass
from left_intact.core.model.install import Install
from left_intact.core.model.update import UNFINISHED, State, Update
from left_intact.presentation.palette import LETTER, NAME
from left_intact.tui.jobs import Job
from left_intact.tui.look import Look
from left_intact.tui.protocol import Open
from left_intact.tui.screens.framed import FramedScreen
from left_intact.tui.widgets.bars import KeyBar, TitleBar
from left_intact.tui.widgets.lines import Gap, Hairline, Lines, Row, Words
from left_intact.tui.widgets.strip import badge, strip_of
from left_intact.tui.widgets.why import Why, shown_path
from left_intact.tui.writing import Line, bearable, clip, fit
from left_intact.words import NO_VERSION, ago, count, date, size
from left_intact.workbench import ShelfRow, Standing
from left_intact.worker.call import Call, call

if TYPE_CHECKING:
    from left_intact.core.model.found import Candidate


def amounts(row: ShelfRow, unit: str) -> dict[FileClass, int]:
    """Files or bytes by class, from the last survey."""
    totals: Mapping[str, Any] = row.summary.get("totals", {})
    return {FileClass(name): said[unit] for name, said in totals.items()}


def standing(row: ShelfRow) -> tuple[str, str]:
    """(words, colour) for how an install stands."""
    stands = row.standing
    match stands:
        case Standing.CUT_OFF:
            return "cut off: needs you", "bad"
        case Standing.UNREAD:
            return f"{count(row.summary['unread'], 'place')} unreadable", "bad"
        case Standing.HELD:
            return f"held at {(row.held or ('',))[0] or 'its version'}", "focus"
        case Standing.ON_TRIAL:
            return f"on trial, {ago(row.updates[0].changed, time.time())}", "good"
        case Standing.NEWER_OUT:
            return f"{row.newest} is out: n", "focus"
    return stands.value, _COLOURS.get(stands, "quiet")


_COLOURS = {
    Standing.MISSING: "bad",
    Standing.TROUBLED: "bad",
    Standing.WAITS_FOR_YOU: "focus",
    Standing.READY: "focus",
}


def at_stake(row: ShelfRow, width: int) -> str:
    """What is the person's, as much of it as a line holds."""
    files = amounts(row, "files")
    words = {
        FileClass.SAVES: "save",
        FileClass.STATES: "state",
        FileClass.SETTINGS: "settings file",
        FileClass.CONTENT: "content file",
        FileClass.EXTRAS: "extra",
    }
    parts = [count(files[c], word) for c, word in words.items() if files.get(c)]
    while len(" · ".join(parts)) > width and len(parts) > 1:
        parts.pop()
    return " · ".join(parts) or ("nothing of yours in it" if files else "not read yet")


_AROUND = 5
"""Lines of the screen that are no rows of installs: title, heading, keys."""
_OF_AN_INSTALL = ("open", "update", "proof", "unit", "history", "more", "parts", "export")
"""Actions that are about the install that is marked."""


class InstallRow(Row):
    """Two lines with space around, as far as there is room: name, versions, strip; role, standing, what is at
    stake.
    """

    def __init__(self, row: ShelfRow, unit: str, height: int) -> None:
        super().__init__(row.install.name)
        self.row, self.unit, self.height = row, unit, height

    def draw(self, width: int, look: Look, lit: bool) -> list[Text]:
        row = self.row
        name, versions = (20, 22) if width > 90 else (16, 20)
        word, colour = standing(row)
        bar = width - name - versions - 2
        top = Line().put(bearable(row.install.name), look.style("text", bold=True), name - 1).gap()
        top.append_text(_versions(row, look, versions))
        top.append_text(strip_of(amounts(row, self.unit), bar, look))
        low = Line().put(row.install.role, look.style("quiet"), name - 1).gap()
        low.put(word, look.style(colour), versions - 1).gap()
        low.put(at_stake(row, bar), look.style("quiet"))
        return [Text(), top, low] if self.height > 2 else [top, low]


def _versions(row: ShelfRow, look: Look, width: int) -> Text:
    line = Line()
    line.put(row.summary.get("version") or NO_VERSION, look.style("text"))
    if row.waiting:
        line.put(" → ", look.style("quiet")).put(row.waiting[1] or "a build", look.style("focus", bold=True))
    line.truncate(width - 1)
    return line.gap(width - line.cell_len)


class ShelfScreen(FramedScreen):
    """The home view."""

    HELP: ClassVar[str] = (
        "Every install that is looked after. The strip shows what it is made of, by class; the panel on the "
        "right what is at stake. Enter opens an install; u goes straight to the plan for what waits."
    )
    BINDINGS: ClassVar[list[BindingType]] = [
        Binding("enter", "open", "open"),
        Binding("u", "update", "update"),
        Binding("n", "news", "what is new"),
        Binding("p", "proof", "proof"),
        Binding("t", "parts", "parts"),
        Binding("a", "add", "add an install"),
        Binding("f", "find", "find installs"),
        Binding("y", "history", "history"),
        Binding("e", "export", "export"),
        Binding("m", "more", "more"),
        Binding("b", "unit", "count or bytes"),
        Binding("w", "why", "at stake", show=False),
        Binding("q", "app.quit", "quit"),
    ]

    def __init__(self, rows: list[ShelfRow]) -> None:
        super().__init__()
        self.shelf_rows = rows
        self.unit = "files"

    def compose_left(self) -> ComposeResult:
        yield Lines(id="installs")

    def on_mount(self) -> None:
        self.set_rows(self.shelf_rows)
        self.query_one(Lines).focus()
        if any(not row.summary and not row.missing for row in self.shelf_rows):
            self._read_unread()
        app = self.left_intact
        self.call_after_refresh(gc.enable)
        if app.looks_at_start:
            wanted = call("outlets.look_for_news")
            app.work_on(Job("looking for news", wanted, lambda _: app.refresh_shelf(), app.complain))

    def _read_unread(self) -> None:
        for row in self.shelf_rows:
            if not row.summary and not row.missing:
                self._read(row.install)

    def _read(self, install: Install) -> None:
        app, wanted = self.left_intact, call("desk.take_stock", install)
        app.work_on(Job(f"reading {install.name}", wanted, lambda _: app.refresh_shelf(), app.complain))

    # ------------------------------------------------------------ drawing

    def set_rows(self, rows: list[ShelfRow]) -> None:
        self.shelf_rows = rows
        stands = Counter(row.standing for row in rows)
        trial = sum(1 for row in rows if row.state is State.ON_TRIAL)
        aside = f"{count(len(rows), 'install')} · {stands[Standing.READY]} waiting · {trial} on trial"
        for word in (Standing.HELD, Standing.NEWER_OUT):
            aside += f" · {stands[word]} {word.value}" if stands[word] else ""
        self.query_one(TitleBar).say((self.left_intact.place,), aside)
        self.query_one(Lines).set_rows(self._drawn())
        self.query_one(KeyBar).refresh()

    def _drawn(self) -> list[Row]:
        look = self.left_intact.look
        if not self.shelf_rows:
            return [
                Gap(),
                Words("Nothing on the shelf yet.", "text"),
                Gap(),
                Words("Press a and give the folder of an emulator, front end, core set or modding tool."),
                Words("It is read, never changed, and you see at once what is yours."),
            ]
        made_of = "what it is made of, by " + ("number of files" if self.unit == "files" else "bytes")
        rows: list[Row] = [Gap(), _Heading(made_of)]
        room = (self.size.height - _AROUND) // max(1, len(self.shelf_rows))
        height = min(4, max(2, room))
        rows += [InstallRow(row, self.unit, height) for row in self.shelf_rows]
        rows += [Hairline(), Words("the shelf by class"), Gap()]
        rows += self._by_class(look)
        return rows

    def _by_class(self, look: Look) -> list[Row]:
        files = {c: sum(amounts(r, "files").get(c, 0) for r in self.shelf_rows) for c in FileClass}
        sizes = {c: sum(amounts(r, "bytes").get(c, 0) for r in self.shelf_rows) for c in FileClass}
        shown = files if self.unit == "files" else sizes
        most = max(*shown.values(), 1)
        rows: list[Row] = [_ClassBar(c, files[c], sizes[c], shown[c] / most) for c in FileClass]
        theirs = sum(n for c, n in files.items() if c.is_the_persons)
        own = files[FileClass.PROGRAM]
        said = (
            f"{theirs:,} of these files are yours, and no update may touch them unseen; {own:,} are "
            "the programs' own."
        )
        return [*rows, Gap(), Words(said, "text")]

    def on_lines_moved(self, message: Lines.Moved) -> None:
        if isinstance(message.row, InstallRow):
            self.query_one(Why).explain(at_stake_panel(message.row.row, self.left_intact.look))
        elif not self.shelf_rows:
            self.query_one(Why).explain(Text(""))
        self.refresh_bindings()
        self.query_one(KeyBar).refresh()

    def show_why_again(self) -> None:
        self.set_rows(self.shelf_rows)

    # ------------------------------------------------------------ actions

    @property
    def chosen(self) -> ShelfRow | None:
        row = self.query_one(Lines).row
        return row.row if isinstance(row, InstallRow) else None

    def check_action(self, action: str, parameters: tuple[object, ...]) -> bool | None:
        if not self.is_mounted or action not in _OF_AN_INSTALL:
            return True
        row = self.chosen
        if action == "update":
            return (
                row is not None
                and row.waiting is not None
                and row.state is not State.WAITING
                and not row.trouble
            )
        if action == "proof":
            return row is not None and row.state is State.ON_TRIAL
        return row is not None

    def on_lines_chosen(self, message: Lines.Chosen) -> None:
        self.action_open()  # a second click

    def action_open(self) -> None:
        if self.chosen is not None:
            self.left_intact.open_desk(self.chosen)

    def action_update(self) -> None:
        if self.chosen is not None:
            self.left_intact.open_desk(self.chosen, "arrival")

    def action_news(self) -> None:
        self.post_message(Open("news"))

    def action_proof(self) -> None:
        if self.chosen is not None:
            self.left_intact.open_desk(self.chosen, "proof")

    def action_parts(self) -> None:
        if self.chosen is not None:
            self.post_message(Open("parts", self.chosen.install))

    def action_history(self) -> None:
        from left_intact.tui.screens.history import HistoryScreen

        if self.chosen is not None:
            self.app.push_screen(HistoryScreen(self.chosen.install))

    def action_export(self) -> None:
        from left_intact.tui.screens.exporting import open_export

        if self.chosen is not None:
            open_export(self, self.chosen.install, "shelf")

    def action_more(self) -> None:
        """What keeps the shelf in order; nothing of an install is touched by it."""
        from left_intact.tui.screens.choosing import MenuDialog

        row = self.chosen
        if row is None:
            return
        choices = (
            ("r", "rename", "call it something else; its folder keeps its name"),
            ("l", "lies elsewhere", "say where it lies now; nothing is moved"),
            ("x", "forget", "take it off the shelf; nothing of it, nor its strongbox, is touched"),
        )
        dialog = MenuDialog(bearable(row.install.name), choices)
        self.app.push_screen(dialog, lambda key: self._in_order(row.install, key or ""))

    def _in_order(self, install: Install, key: str) -> None:
        from left_intact.tui.screens.dialogs import ConfirmDialog, PathDialog, TextDialog

        name = install.name

        def do(wanted: Call) -> None:
            app = self.left_intact
            app.work_on(Job("the shelf", wanted, lambda _: app.refresh_shelf(), app.complain))

        if key == "r":
            dialog = TextDialog("rename", f"What {name} is called from now on.")
            self.app.push_screen(
                dialog, lambda said: do(call("shelf.rename", install, said)) if said else None
            )
        elif key == "l":
            where = PathDialog("lies elsewhere", f"The folder that {name} lies in now.", install.root)
            self.app.push_screen(where, lambda said: do(call("shelf.move", install, said)) if said else None)
        elif key == "x":
            says = f"{name} goes off the shelf. {install.root} and its strongbox are not touched."
            sure = ConfirmDialog("forget", says, "forgets it")
            self.app.push_screen(sure, lambda yes: do(call("shelf.forget", install)) if yes else None)

    def action_add(self) -> None:
        from left_intact.tui.screens.dialogs import PathDialog

        dialog = PathDialog(
            "add an install", "The folder of the program. It is read and never changed by this.", ""
        )
        self.app.push_screen(dialog, self._add)

    def _add(self, path: str | None) -> None:
        if not path:
            return
        app = self.left_intact
        app.work_on(Job("reading", call("desk.add", path), lambda _: app.refresh_shelf(), app.complain))

    def action_find(self) -> None:
        from left_intact.tui.screens.dialogs import FindDialog

        self.app.push_screen(FindDialog(), self._find)

    def _find(self, said: tuple[str, str] | None) -> None:
        if said is not None:
            app, (place, arrival) = self.left_intact, said
            wanted = call("desk.find", place, arrival)
            app.work_on(
                Job("finding", wanted, lambda found: self._found(found, arrival), app.complain),
            )

    def _found(self, found: list[Candidate], arrival: str) -> None:
        from left_intact.tui.screens.choosing import Choice, ChooseDialog

        fresh = [one for one in found if not one.known]
        if not fresh:
            looks = "holds anything of what came" if arrival else "looks like an install"
            known = f" but {_names(found)}, on the shelf already" if found else ""
            self.notify(f"nothing there {looks}{known}", timeout=6)
            return
        by_path = {one.path: one for one in fresh}
        choices = [
            Choice(
                key=one.path,
                label=f"{one.name} {one.version}".strip() + f", probably {one.role}: {shown_path(one.path)}",
                detail="; ".join(one.why),
            )
            for one in fresh
        ]

        def take(keys: list[str] | None) -> None:
            app, chosen = self.left_intact, [by_path[key] for key in keys or []]
            if chosen:
                wanted = call("desk.take_up", chosen)
                app.work_on(Job("reading", wanted, lambda _: app.refresh_shelf(), app.complain))

        says = (
            "What looks like an install, the likest first. Those you tick come onto the shelf and are read."
        )
        if arrival:
            best = f"{found[0].name}, on the shelf already, holds most of it. " if found[0].known else ""
            says = f"{best}Here those that hold more of it come first; the ones you tick come onto the shelf."
        heading = f"{count(len(fresh), 'install')} found"
        self.ask(ChooseDialog(heading, says, choices, many=True, does="take those ticked"), take)

    def action_unit(self) -> None:
        self.unit = "bytes" if self.unit == "files" else "files"
        self.set_rows(self.shelf_rows)


def _names(found: Sequence[Candidate]) -> str:
    return ", ".join(one.name for one in found[:3]) + (" …" if len(found) > 3 else "")


class _Heading(Row):
    selectable = False

    def __init__(self, made_of: str) -> None:
        super().__init__("")
        self.made_of = made_of

    def draw(self, width: int, look: Look, lit: bool) -> list[Text]:
        name, versions = (20, 22) if width > 90 else (16, 20)
        quiet = look.style("quiet")
        return [Line().put("install", quiet, name).put("version", quiet, versions).put(self.made_of, quiet)]


class _ClassBar(Row):
    selectable = False

    def __init__(self, kind: FileClass, files: int, amount: int, share: float) -> None:
        super().__init__("")
        self.kind, self.files, self.amount, self.share = kind, files, amount, share

    def draw(self, width: int, look: Look, lit: bool) -> list[Text]:
        line = Line().append_text(badge(self.kind, look))
        assert isinstance(line, Line)
        line.gap().put(NAME[self.kind], look.style("text" if self.files else "quiet"), 11)
        line.put(f"{self.files:,}", look.style("text" if self.files else "quiet"), 8, "right")
        line.put(size(self.amount), look.style("quiet"), 11, "right").gap(3)
        room = width - line.cell_len - 2
        cells = max(1, round(room * self.share)) if self.files else 0
        return [line.put("━" * cells, look.of_class(self.kind))]


def at_stake_panel(row: ShelfRow, look: Look) -> Text:
    """The right side: what waits, what is at stake, what was done before."""
    text, quiet, plain = Text(), look.style("quiet"), look.style("text")
    text.append(
        f"{bearable(row.install.name)} {row.summary.get('version', '')}\n", look.style("text", bold=True)
    )
    text.append(f"{shown_path(row.install.root)}\n", quiet)
    text.append(f"on the shelf since {date(row.install.added)}\n\n", quiet)
    _held(text, row, look)
    _what_waits(text, row, look)
    files, sizes = amounts(row, "files"), amounts(row, "bytes")
    if files:
        text.append("at stake\n", quiet)
        for kind in FileClass:
            if kind.is_the_persons and files.get(kind):
                text.append(f" {LETTER[kind]} ", look.on_class(kind))
                text.append(f" {files[kind]:>6,} {NAME[kind]:11}", plain).append(
                    f"{size(sizes[kind]):>9}\n", quiet
                )
        _newest(text, row, look)
    _past(text, row.updates, look)
    return text


def _what_waits(text: Text, row: ShelfRow, look: Look) -> None:
    quiet = look.style("quiet")
    if row.missing:
        text.append("its folder is not there\n", look.style("bad", bold=True))
        text.append("A stick that is not plugged in, or a moved folder.\n\n", quiet)
    elif row.trouble:
        text.append("its strongbox cannot be opened\n", look.style("bad", bold=True))
        text.append(f"{bearable(row.trouble)}\n\n", quiet)
    elif row.state is State.WAITING:
        text.append("an update waits for you\n", look.style("focus", bold=True))
        if row.waits is not None:
            text.append(f"{bearable(row.waits.asks)}\n", look.style("text"))
            text.append(f"{bearable(row.waits.why)}\n", quiet)
        text.append("Enter shows it, and goes on when it was done.\n\n", quiet)
    elif row.state in UNFINISHED:
        text.append("an update was cut off\n", look.style("bad", bold=True))
        text.append("Nothing is lost. Enter ends it: forward, or back.\n\n", quiet)
    elif row.waiting:
        text.append(f"{row.waiting[1] or 'a build'} is here\n", look.style("focus", bold=True))
        text.append(f"{bearable(row.waiting[0].rsplit('/', 1)[-1])}\n", quiet)
        text.append("u draws up the plan; nothing changes before you say so\n\n", quiet)
    if row.state is State.ON_TRIAL:
        text.append(f"{row.updates[0].to_version or 'a build'} is on trial\n", look.style("good", bold=True))
        text.append("Going back stays one key away until you settle.\n\n", quiet)


def _held(text: Text, row: ShelfRow, look: Look) -> None:
    if row.held:
        text.append(f"held at {row.held[0] or 'its version'}\n", look.style("focus", bold=True))
        text.append(f"{bearable(row.held[1]) or 'no reason given'}\n", look.style("quiet"))
        text.append(f"until {row.held[2]}\n" if row.held[2] else "", look.style("quiet")).append("\n")


def _newest(text: Text, row: ShelfRow, look: Look) -> None:
    newest = row.summary.get("newest_save")
    if newest:
        when = newest[1] / 1e9
        text.append(f"\nnewest save  {ago(when, time.time())}, {date(when)}\n", look.style("quiet"))
        text.append(f"  {clip(bearable(newest[0]), 46)}\n", look.style("text"))


_PAST = {
    State.ON_TRIAL: ("on trial", "good"),
    State.SETTLED: ("settled", "good"),
    State.GONE_BACK: ("went back", "quiet"),
    State.ABANDONED: ("stopped, nothing changed", "quiet"),
    State.WAITING: ("waits for you", "focus"),
}


def _past(text: Text, updates: tuple[Update, ...], look: Look) -> None:
    if not updates:
        return
    text.append("\nlast updates\n", look.style("quiet"))
    for update in updates[:6]:
        word, colour = _PAST.get(update.state, ("cut off", "bad"))
        text.append(fit(update.to_version or "a build", 9), look.style("text")).append(" ")
        text.append(fit(date(update.began), 13), look.style("quiet")).append(f"{word}\n", look.style(colour))
