"""The survey: every entry with its class and why; rulings by one key."""

from __future__ import annotations

import os
from collections.abc import Sequence
from typing import ClassVar

from rich.console import Group
from rich.text import Text
from textual.app import ComposeResult
from textual.binding import Binding, BindingType
from textual.widgets import Input, Static

from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Finding
from left_intact.core.model.pattern import exactly_at
from left_intact.core.model.place import TOP, At
from left_intact.core.model.survey import IN_DOUBT, Helps, Lesson, Survey
from left_intact.presentation.outline import Alike, FolderNode, Outline, pattern_for
from left_intact.presentation.palette import CLASS_KEYS, NAME
from left_intact.presentation.views import SurveyView
from left_intact.tui.explain import inside_head, speaking_words, why_finding, why_folder
from left_intact.tui.jobs import Job
from left_intact.tui.look import Look
from left_intact.tui.preview import limit_for, preview_of
from left_intact.tui.screens.stage import StageScreen
from left_intact.tui.widgets.lines import Gap, Lines, Paragraph, Row, Words
from left_intact.tui.widgets.strip import badge, strip_of
from left_intact.tui.widgets.why import shown_path
from left_intact.tui.writing import Line, bearable, clip
from left_intact.words import count, date, size
from left_intact.workbench import Preview
from left_intact.worker.call import Call, call

_SHOWN = 40
LENSES = ("folder", "class", "certainty", "size", "time")
_MOST = 2000
"""Rows of a lens without folders; the filter finds the others."""


_CLASS_CELLS = 14
_LESSONS = {
    Helps.ARCHIVE: ("a", "put {name} on record"),
    Helps.ARRIVAL: ("o", "sort by {name} too, which came for it"),
    Helps.RUN: ("r", "watch a run: what it makes and changes is no longer in doubt"),
}
"""The key and the words of what a survey in doubt could learn from."""


def _columns(width: int, *, flat: bool = False) -> tuple[int, int, int, int, int]:
    """(name, made of, files, size, certainty) in cells; in a list without folders names are whole paths."""
    name = max(20, min(44, width - 62))
    made = max(12, min(32, width - name - 31))
    if flat and made > _CLASS_CELLS:
        name, made = name + made - _CLASS_CELLS, _CLASS_CELLS
    return name, made, 8, 10, 10


def _certainty(value: float, cells: int, look: Look) -> Text:
    line = Text(no_wrap=True, end="")
    lit = round(value * cells)
    colour = "bad" if value < 0.55 else "focus" if value < 0.8 else "quiet"
    line.append("━" * lit, look.style(colour)).append("╌" * (cells - lit), look.style("hairline"))
    return line


def _key(at: At) -> str:
    """What a row is known by; no path has two slashes."""
    return f"{at.root}//{at.path}" if at.root else at.path


def _above(row: Row) -> At:
    """The folder that what a row shows lies in."""
    if isinstance(row, MoreRow):
        return row.folder
    at = row.node.at if isinstance(row, FolderRow) else row.finding.at if isinstance(row, EntryRow) else TOP
    return at.folder if at.path else TOP


class FolderRow(Row):
    """A folder: open or closed, with its strip."""

    def __init__(self, node: FolderNode, name: str, depth: int, is_open: bool, unit: str) -> None:
        super().__init__(f"{_key(node.at)}/")
        self.node, self.name, self.depth, self.is_open, self.unit = node, name, depth, is_open, unit

    def draw(self, width: int, look: Look, lit: bool) -> list[Text]:
        name, made, files, amount, certain = _columns(width)
        line = Line().put("  " * self.depth + ("▾ " if self.is_open else "▸ "), look.style("quiet"))
        line.put(bearable(self.name) + "/", look.style("text", bold=lit), name - line.cell_len).gap()
        only = self.node.only_class
        if only is not None:
            line.append_text(badge(only, look))
            line.put(f" {NAME[only]}", look.of_class(only), made - 3)
        else:
            line.append_text(
                strip_of(self.node.files if self.unit == "files" else self.node.bytes, made, look)
            )
        line.put(f"{self.node.count:,}", look.style("text"), files, "right")
        line.put(size(self.node.size), look.style("quiet"), amount, "right").gap(2)
        return [Line().append_text(line).append_text(_certainty(self.node.least, certain, look))]


class EntryRow(Row):
    """A file or link."""

    def __init__(
        self, finding: Finding, name: str, depth: int, *, dated: bool = False, flat: bool = False
    ) -> None:
        super().__init__(_key(finding.at))
        self.finding, self.name, self.depth = finding, name, depth
        self.dated, self.flat = dated, flat

    def draw(self, width: int, look: Look, lit: bool) -> list[Text]:
        name, made, files, amount, certain = _columns(width, flat=self.flat and not self.dated)
        kind = self.finding.file_class
        line = Line().gap(2 * self.depth + 2)
        line.put(bearable(self.name), look.style("text", bold=lit), name - line.cell_len).gap()
        line.append_text(badge(kind, look))
        when = date(self.finding.entry.mtime_ns / 1e9) if self.dated else ""
        line.put(f" {NAME[kind]}", look.of_class(kind), made - 3 - len(when)).put(
            when, look.style("quiet")
        ).gap(files)
        line.put(size(self.finding.entry.bytes), look.style("quiet"), amount, "right").gap(2)
        return [Line().append_text(line).append_text(_certainty(self.finding.certainty, certain, look))]


class MoreRow(Row):
    """What a long folder does not show yet."""

    def __init__(self, folder: At, entries: list[Finding], depth: int) -> None:
        super().__init__(f"{_key(folder)}///more")
        self.folder, self.entries, self.depth = folder, entries, depth

    def draw(self, width: int, look: Look, lit: bool) -> list[Text]:
        kinds = {f.file_class for f in self.entries}
        all_one = f", all {NAME[kinds.pop()]}" if len(kinds) == 1 else ""
        return [
            Line().gap(2 * self.depth + 2).put(f"… {len(self.entries):,} more{all_one}", look.style("quiet"))
        ]


class ClassRow(Row):
    """A class as a heading in the lens by class."""

    def __init__(self, kind: FileClass, files: int, amount: int, is_open: bool) -> None:
        super().__init__(f"class:{kind}")
        self.kind, self.files, self.amount, self.is_open = kind, files, amount, is_open

    def draw(self, width: int, look: Look, lit: bool) -> list[Text]:
        name, made, files, amount, _ = _columns(width)
        line = (
            Line()
            .put("▾ " if self.is_open else "▸ ", look.style("quiet"))
            .put(NAME[self.kind], look.style("text", bold=True), name - 2)
        )
        line.gap().append_text(badge(self.kind, look))
        line.gap(made - 3).put(f"{self.files:,}", look.style("text"), files, "right")
        return [line.put(size(self.amount), look.style("quiet"), amount, "right")]


class SurveyScreen(StageScreen):
    """What is every file?"""

    STOP = "survey"
    HELP = (
        "Every file with its class and how certain that is. The panel says why, with the weight "
        "of each reason; f shows "
        "what is inside instead. q goes through the unsorted, group by group; m knows more of "
        "the install: it watches a run, "
        "finds its baseline and its folders elsewhere, shows its keepsheet. "
        "Where times tell nothing apart and no release is on record, a, o and r let it learn from an old "
        "archive, from what came, from a watched run. "
        "A letter rules the highlighted file or folder: p program, s settings, v saves, t states, c content, "
        "x extras, h cache. A ruling outweighs all other evidence, is remembered, and z takes it back."
    )
    BINDINGS: ClassVar[list[BindingType]] = [
        Binding("n", "next", "arrival"),
        *(Binding(key, f"rule('{kind.value}')", "rule") for key, kind in CLASS_KEYS.items()),
        Binding("q", "queue", "quick queue"),
        Binding("m", "more", "know more"),
        Binding("f", "inside", "inside"),
        Binding("asterisk", "pattern", "pattern", key_display="*"),
        Binding("z", "unrule", "take back"),
        Binding("a", "learn('archive')", "an old archive", show=False),
        Binding("o", "learn('arrival')", "what came", show=False),
        Binding("r", "learn('run')", "watch a run", show=False),
        Binding("u", "unsorted", "next unsorted", show=False),
        Binding("l", "lens", "lens"),
        Binding("slash", "filter", "filter", key_display="/"),
        Binding("e", "export", "export"),
        Binding("b", "unit", "count or bytes", show=False),
        Binding("right", "open(True)", "open", show=False),
        Binding("left", "open(False)", "close", show=False),
    ]

    def __init__(self, desk) -> None:  # type: ignore[no-untyped-def]
        super().__init__(desk)
        self._shown: SurveyView | None = None
        self._asked = ""
        """The lens or filter that was asked for last."""
        self.found: list[Row] | None = None
        """Rows of a lens or filter, once they came."""
        self._of_class: dict[FileClass, list[Row]] = {}
        self.lessons: tuple[Lesson, ...] = ()
        """What a survey in doubt could learn from, once that is known."""
        self.open_folders: set[At | FileClass] = {TOP}
        """Classes too, in the lens by class."""
        self.shown_whole: set[At] = set()
        self.lens, self.unit, self.wanted = "folder", "files", ""
        self.shows_inside = False

    def compose_left(self) -> ComposeResult:
        yield Static(id="head")
        yield Input(placeholder="part of a path; Enter keeps the filter, Esc drops it", id="filter")
        yield Lines(id="tree")

    def on_mount(self) -> None:
        self.query_one("#tree", Lines).focus()

    def aside(self) -> str:
        survey = self.desk.survey
        if survey is None:
            return ""
        files = sum(total.files for total in survey.totals().values())
        if self.size.width < 120:
            return count(files, "file")
        return f"{count(files, 'file')} read in {survey.seconds:.1f} s"

    # ------------------------------------------------------------ drawing

    def show_body(self) -> None:
        survey = self.desk.survey
        if survey is None:
            self.query_one("#head", Static).update(Text("reading the install…", self.look.style("quiet")))
            return
        self._show_head(survey)
        if self.desk.read is not self._shown:
            self._shown, self._of_class, self.lessons = self.desk.read, {}, ()
            if survey.is_in_doubt:
                self._ask_for_lessons()
            for kind in [one for one in self.open_folders if isinstance(one, FileClass)]:
                self._open_class(kind)
            if self._lens_call() is not None:
                self._ask(stay=True)
                return
        self.query_one("#tree", Lines).set_rows(self._rows())

    @property
    def outline(self) -> Outline | None:
        return self.desk.read.outline if self.desk.read is not None else None

    @property
    def groups(self) -> list[Alike]:
        """The unsorted, by what is alike."""
        return self.desk.read.groups if self.desk.read is not None else []

    # ------------------------------------------------------------ lenses and the filter

    def _lens_call(self) -> Call | None:
        """What the worker is asked for what is to be shown; None for the tree."""
        install = self.desk.install
        if self.wanted:
            return call("desk.containing", install, self.wanted, _MOST)
        if self.lens in ("certainty", "size", "time"):
            return call("desk.ranked", install, self.lens, _MOST)
        return None

    def _ask(self, *, stay: bool = False) -> None:
        """Show what the lens and the filter are about; what is not at hand is asked for.

        With `stay` the cursor stays on its row, as where the same was read anew.
        """
        wanted, self.found, self._asked = self._lens_call(), None, ""
        if wanted is None:
            self.lines.set_rows(self._rows())
            return
        asked = self._asked = f"{self.lens} {self.wanted}"

        def came(found: object) -> None:
            if self.is_attached and asked == self._asked:
                self.found = self._found_rows(found)
                first = next((row.key for row in self.found if isinstance(row, EntryRow)), None)
                self.lines.set_rows(self._rows(), at=None if stay else first)

        self.left_intact.work_on(Job("looking", wanted, came, self._failed, beside=True))

    def _found_rows(self, found) -> list[Row]:  # type: ignore[no-untyped-def]
        if self.wanted:
            entries, number = found
            says = f"{count(number, 'entry', 'entries')} with “{self.wanted}”"
            rows: list[Row] = [Words(says), *(EntryRow(f, f.at.shown, 0, flat=True) for f in entries)]
            return rows + _rest(number - len(entries))
        dated = self.lens == "time"
        assert self.desk.survey is not None
        rows = [EntryRow(f, f.at.shown, 0, dated=dated, flat=True) for f in found]
        return rows + _rest(len(self.desk.survey.findings) - len(rows))

    def _open_class(self, kind: FileClass) -> None:
        def came(both: tuple[list[Finding], int]) -> None:
            found, number = both
            rows: list[Row] = [EntryRow(f, f.at.shown, 0) for f in found]
            self._of_class[kind] = rows + _rest(number - len(found))
            if self.is_attached and self.lens == "class":
                self.lines.set_rows(self._rows())

        wanted = call("desk.of_class", self.desk.install, kind, _MOST)
        self.left_intact.work_on(Job("looking", wanted, came, self._failed, beside=True))

    def _ask_for_lessons(self) -> None:
        def came(lessons: tuple[Lesson, ...]) -> None:
            self.lessons = lessons
            if self.is_attached and self.desk.read is not None and self._lens_call() is None:
                self.lines.set_rows(self._rows())

        wanted = call("desk.lessons", self.desk.install)
        self.left_intact.work_on(Job("looking about", wanted, came, self._failed, beside=True))

    def action_learn(self, kind: str) -> None:
        """Let the survey learn from one of those things that it could."""
        lesson = next((one for one in self.lessons if one.kind == kind), None)
        if kind == Helps.RUN and self.desk.read is not None:
            from left_intact.tui.screens.know_more import KnowMore

            KnowMore(self).watch()
        elif lesson is not None:
            verb = "desk.learn_from" if lesson.kind is Helps.ARCHIVE else "desk.sort_with"
            says = f"sorted by {os.path.basename(lesson.path)} too"
            self._sort_again(call(verb, self.desk.install, lesson.path), says)

    def _show_head(self, survey: Survey) -> None:
        look, text = self.look, Text(no_wrap=True)
        text.append(
            f"{bearable(self.desk.install.name)} {survey.version_text}", look.style("text", bold=True)
        )
        source = survey.reading.read_from if survey.reading else "no version could be read"
        others = [
            r
            for r in survey.readings[1:]
            if r.version is not None and r.version != survey.readings[0].version
        ]
        if others:
            source += f", but {others[0].source} says {others[0].text}"
        base = (
            f"baseline {survey.baseline} on record"
            if survey.baseline
            else "no baseline on record; m looks for one"
        )
        elsewhere = next((note for note in survey.notes if note.endswith("not read with it")), "")
        listed = next((note for note in survey.notes if " lists " in note), "")
        if elsewhere:
            where = elsewhere.removeprefix("its settings name ").removesuffix(", not read with it")
            base = f"{base.partition(';')[0]} · {where}: m"
        elif listed and not survey.baseline:
            base = listed
        width = self.query_one("#left").size.width - 5
        # What is cut where there is little room comes last.
        says = (source, base) if width > 90 else (base, source)
        text.append(f"   {' · '.join(says)} · {shown_path(survey.root)}\n", look.style("quiet"))
        totals = {c: (t.files if self.unit == "files" else t.bytes) for c, t in survey.totals().items()}
        text.append_text(strip_of(totals, max(20, width), look))
        self.query_one("#head", Static).update(text)

    def _rows(self) -> list[Row]:
        assert self.outline is not None and self.desk.survey is not None
        flat = bool(self.wanted) or self.lens in ("certainty", "size")
        rows: list[Row] = []
        if self.desk.survey.is_in_doubt and not flat:
            at_hand = self.desk.arrival is not None
            rows += doubt_rows(
                self.desk.survey,
                [one for one in self.lessons if one.kind is not Helps.ARRIVAL or not at_hand],
            )
        rows.append(_TreeHeading(self.lens, self.unit, flat=flat))
        if unread := self.desk.read.unread if self.desk.read is not None else ():
            says = f"{count(len(unread), 'place')} cannot be read, so nothing in them is counted: {unread[0]}"
            rows.append(Words(bearable(says), "bad"))
        if self._lens_call() is not None:
            return rows + (self.found if self.found is not None else [Words("looking…")])
        if self.lens == "class":
            return rows + self._by_class()
        self._add_folder(rows, self.outline.root, os.path.basename(self.desk.survey.root), 0)
        return rows + self._unsorted_rows()

    def _add_folder(self, rows: list[Row], node: FolderNode, name: str, depth: int) -> None:
        assert self.outline is not None
        is_open = node.at in self.open_folders
        rows.append(FolderRow(node, name, depth, is_open, self.unit))
        if not is_open:
            return
        for at in sorted(node.folders):
            below = self.outline.folders[at]
            self._add_folder(rows, below, below.name, depth + 1)
        entries = node.entries
        shown = entries if node.at in self.shown_whole else entries[:_SHOWN]
        rows += [EntryRow(f, f.at.name, depth + 1) for f in shown]
        if len(shown) < len(entries):
            rows.append(MoreRow(node.at, entries[len(shown) :], depth + 1))

    def _unsorted_rows(self) -> list[Row]:
        groups = self.groups
        if not groups:
            return []
        look = self.look
        left = sum(group.count for group in groups)
        head = Line().put(f"the unsorted: {left}", look.style("focus", bold=True))
        head.put(
            "   each is treated as yours until you say otherwise; q goes through them", look.style("quiet")
        )
        return [Gap(), Words(head), *(_AlikeRow(group) for group in groups)]

    def _by_class(self) -> list[Row]:
        assert self.desk.survey is not None
        totals = self.desk.survey.totals()
        rows: list[Row] = []
        for kind in FileClass:
            is_open = kind in self.open_folders
            rows.append(ClassRow(kind, totals[kind].files, totals[kind].bytes, is_open))
            if is_open:
                rows += self._of_class.get(kind, [])
        return rows

    def on_lines_moved(self, message: Lines.Moved) -> None:
        self._explain_row(message.row)

    def _explain_row(self, row: Row | None) -> None:
        look = self.look
        finding = (
            row.finding
            if isinstance(row, EntryRow)
            else row.group.first[0]
            if isinstance(row, _AlikeRow)
            else None
        )
        if self.shows_inside and finding is not None:
            self._show_inside(finding)
        elif isinstance(row, EntryRow):
            self.explain(why_finding(row.finding, look))
        elif isinstance(row, FolderRow) and self.desk.survey is not None:
            self.explain(why_folder(row.node, shown_path(self.desk.survey.root), look))
        elif isinstance(row, _AlikeRow):
            self.explain(why_finding(row.group.first[0], look))

    # ------------------------------------------------------------ actions

    @property
    def lines(self) -> Lines:
        return self.query_one("#tree", Lines)

    def on_lines_chosen(self, message: Lines.Chosen) -> None:
        row = message.row
        if isinstance(row, MoreRow):
            self.shown_whole.add(row.folder)
            self.lines.set_rows(self._rows(), at=_key(row.entries[0].at))
        elif isinstance(row, (FolderRow, ClassRow)):
            self.action_open(not row.is_open)
        elif isinstance(row, _AlikeRow):
            self._reveal(row.group.first[0].at)
        elif isinstance(row, LessonRow):
            self.action_learn(row.lesson.kind)

    def action_open(self, wide: bool) -> None:
        row = self.lines.row
        if isinstance(row, (FolderRow, ClassRow)):
            what = row.node.at if isinstance(row, FolderRow) else row.kind
            if row.is_open != wide:
                (self.open_folders.add if wide else self.open_folders.discard)(what)
                if wide and isinstance(row, ClassRow):
                    self._open_class(row.kind)
                self.lines.set_rows(self._rows())
                return
        if not wide and isinstance(row, (FolderRow, EntryRow, MoreRow)) and self.lens == "folder":
            self.lines.go_to(f"{_key(_above(row))}/")

    def _reveal(self, at: At) -> None:
        self.lens, self.wanted, self.found, self._asked = "folder", "", None, ""
        self.open_folders |= {TOP, *at.folder.upwards()}
        self.shown_whole.add(at.folder)
        self.lines.set_rows(self._rows(), at=_key(at))

    def action_unsorted(self) -> None:
        if self.desk.read is None:
            return
        if not self.groups:
            self.notify("everything is sorted", timeout=3)
            return
        row = self.lines.row
        here = (
            row.finding.at
            if isinstance(row, EntryRow)
            else row.node.at
            if isinstance(row, FolderRow)
            else TOP
        )
        wanted = call("desk.next_unsorted", self.desk.install, here)
        self.left_intact.work_on(Job("looking", wanted, self._reveal, self._failed, beside=True))

    def action_inside(self) -> None:
        """Show what is inside the highlighted file in place of why it is what it is, or the other way."""
        self.shows_inside = not self.shows_inside
        self._explain_row(self.lines.row)

    def _show_inside(self, finding: Finding) -> None:
        look = self.look

        def shown(data: bytes | None) -> None:
            here = self.lines.row.key if self.is_attached and self.lines.row is not None else ""
            if self.shows_inside and here in (_key(finding.at), f"alike:{_key(finding.at)}"):
                self.explain(Group(inside_head(finding, look), preview_of(data, finding.entry.format, look)))

        wanted = call("desk.peek", self.desk.install, finding.at, limit_for(finding.entry.format))
        self.left_intact.work_on(Job("looking inside", wanted, shown, self._failed, beside=True))

    def action_export(self) -> None:
        from left_intact.tui.screens.exporting import open_export

        if self.desk.read is not None:
            open_export(self, self.desk.install, "survey", unit=self.unit)

    def action_more(self) -> None:
        from left_intact.tui.screens.know_more import KnowMore

        KnowMore(self).open()

    def read_again(self) -> None:
        """Read the install anew, as after a watched run; what waits is planned anew with it."""
        job = Job("reading", call("desk.read", self.desk.install), self._read_again, self._failed)
        self.left_intact.work_on(job)

    def _read_again(self, read: SurveyView) -> None:
        self._surveyed(read)
        if self.desk.arrival is not None:
            self.plan_again()

    def action_queue(self) -> None:
        if self.desk.read is None:
            return
        groups = self.groups
        if not groups:
            self.notify("everything is sorted", timeout=3)
            return
        from left_intact.tui.screens.queue import QueueScreen

        self.app.push_screen(QueueScreen(self.desk.install, groups), self._queue_done)

    def _queue_done(self, ruled: dict[str, FileClass] | None) -> None:
        if ruled:
            self._rule(ruled, f"{count(len(ruled), 'ruling')} made")

    def action_lens(self) -> None:
        self.lens = LENSES[(LENSES.index(self.lens) + 1) % len(LENSES)]
        if self.desk.read is not None:
            self._ask()

    def action_unit(self) -> None:
        self.unit = "bytes" if self.unit == "files" else "files"
        self.show_body()

    def action_filter(self) -> None:
        box = self.query_one("#filter", Input)
        box.add_class("-open")
        box.focus()

    def on_input_changed(self, message: Input.Changed) -> None:
        self.wanted = message.value
        if self.desk.read is not None:
            self._ask()

    def on_input_submitted(self, message: Input.Submitted) -> None:
        self.query_one("#filter").remove_class("-open")
        self.lines.focus()

    def action_shelf(self) -> None:
        box = self.query_one("#filter", Input)
        if self.wanted or box.has_class("-open"):
            box.value = ""
            box.remove_class("-open")
            self.lines.focus()
            return
        super().action_shelf()

    def action_next(self) -> None:
        self.action_stop(2)

    # ------------------------------------------------------------ rulings

    def _target(self) -> str:
        """The pattern that a ruling on the highlighted row is about."""
        row = self.lines.row
        if isinstance(row, FolderRow):
            return "**" if row.node.at == TOP else f"{exactly_at(row.node.at)}/"
        if isinstance(row, EntryRow):
            return exactly_at(row.finding.at)
        return row.group.pattern if isinstance(row, _AlikeRow) else ""

    def action_rule(self, name: str) -> None:
        pattern, kind = self._target(), FileClass(name)
        if not pattern or self.desk.read is None:
            return

        def previewed(seen: Preview) -> None:
            if seen.meets <= 1:
                self._rule_one(pattern, kind)
                return
            from left_intact.tui.screens.dialogs import ConfirmDialog

            says = (
                f"{pattern} is {kind}: this speaks of {count(seen.meets, 'file')} and changes "
                f"{seen.changes:,} of them.\n{what_is_in(seen)}"
            )
            dialog = ConfirmDialog("rule a folder", says, "rule it")
            self.ask(dialog, lambda yes: self._rule_one(pattern, kind) if yes else None)

        wanted = call("desk.preview", self.desk.install, pattern, kind)
        self.left_intact.work_on(Job("looking", wanted, previewed, self._failed, beside=True))

    def action_pattern(self) -> None:
        if self.desk.read is None:
            return
        from left_intact.tui.screens.dialogs import PatternDialog

        row = self.lines.row
        first = pattern_for([row.finding, row.finding]) if isinstance(row, EntryRow) else self._target()
        dialog = PatternDialog(first, self.desk.install)
        self.app.push_screen(dialog, lambda said: self._rule_one(*said) if said else None)

    def _rule_one(self, pattern: str, kind: FileClass) -> None:
        self._rule({pattern: kind}, f"ruled: {clip(bearable(pattern), 50)} is {kind}")

    def _rule(self, ruled: dict[str, FileClass], says: str) -> None:
        self._sort_again(call("desk.rule", self.desk.install, ruled), says)

    def action_unrule(self) -> None:
        """Take back what was ruled last, wherever the highlight is."""
        if self.desk.read is None:
            return

        def done(both: tuple[SurveyView, tuple[str, ...]]) -> None:
            view, patterns = both
            self._read_again(view)
            if not patterns:
                self.notify("there is no ruling of yours to take back", timeout=3)
            elif len(patterns) == 1:
                self.notify(f"taken back: {clip(patterns[0], 60)}", timeout=4)
            else:
                self.notify(f"taken back: {count(len(patterns), 'ruling')} that were made as one", timeout=4)

        wanted = call("desk.take_back", self.desk.install)
        self.left_intact.work_on(Job("sorting", wanted, done, self._failed))

    def _sort_again(self, wanted: Call, says: str) -> None:
        def done(again: SurveyView) -> None:
            self.notify(says, timeout=3)
            self._read_again(again)

        self.left_intact.work_on(Job("sorting", wanted, done, self._failed))


def doubt_rows(survey: Survey, lessons: Sequence[Lesson]) -> list[Row]:
    """That a survey is in doubt, and what it could learn from, a key each."""
    totals = survey.totals()
    left, whole = totals[FileClass.UNSORTED].files, sum(total.files for total in totals.values())
    what = f"{IN_DOUBT[0].upper()}{IN_DOUBT[1:]}"
    rows: list[Row] = [
        Paragraph(f"{what}: {left:,} of {whole:,} files stay unsorted, and count as yours.", "text")
    ]
    rows += [LessonRow(lesson) for lesson in lessons]
    if lessons and not any(lesson.kind is Helps.ARCHIVE for lesson in lessons):
        says = "an old archive of its release would help most: none lies beside it or in your downloads"
        rows.append(Paragraph(says, "quiet", indent=5))
    return [*rows, Gap()]


class LessonRow(Row):
    """Something that a survey in doubt could learn from."""

    def __init__(self, lesson: Lesson) -> None:
        super().__init__(f"lesson:{lesson.kind}")
        self.lesson = lesson

    def draw(self, width: int, look: Look, lit: bool) -> list[Text]:
        key, words = _LESSONS[self.lesson.kind]
        line = Line().gap(2).put(key, look.style("focus", bold=True)).gap(2)
        sorts = (
            f", would sort {self.lesson.settles:,} of {self.lesson.unsorted:,}" if self.lesson.settles else ""
        )
        name = bearable(os.path.basename(self.lesson.path))
        room = width - line.cell_len - len(words.format(name="")) - len(sorts) - 1
        line.put(words.format(name=clip(name, max(12, room))) + sorts, look.style("text", bold=lit))
        return [line]


def _rest(number: int) -> list[Row]:
    """What a lens does not show."""
    return [Words(f"… {number:,} more; / finds them by a part of their path")] if number > 0 else []


class _AlikeRow(Row):
    """Unsorted entries that are alike, as one line."""

    def __init__(self, group: Alike) -> None:
        super().__init__(f"alike:{_key(group.first[0].at)}")
        self.group = group

    def draw(self, width: int, look: Look, lit: bool) -> list[Text]:
        first, name = self.group.first[0], _columns(width)[0]
        line = Line().gap(2).put(bearable(self.group.pattern), look.style("text", bold=lit), name - 2)
        line.put(size(self.group.bytes), look.style("quiet"), 9, "right").gap(3)
        alike_words = f"these {self.group.count} are alike; " if self.group.count > 1 else ""
        said = speaking_words(first)
        return [line.put(clip(alike_words + bearable(said), width - line.cell_len - 1), look.style("quiet"))]


class _TreeHeading(Row):
    selectable = False

    def __init__(self, lens: str, unit: str, *, flat: bool) -> None:
        super().__init__("")
        self.lens, self.unit, self.flat = lens, unit, flat

    def draw(self, width: int, look: Look, lit: bool) -> list[Text]:
        name, made, files, amount, _ = _columns(width, flat=self.flat)
        quiet, line = look.style("quiet"), Line()
        what = "is" if self.flat else f"made of, by {self.unit}"
        line.put(f"by {self.lens}", quiet, name).gap().put(what, quiet, made)
        line.put("files", quiet, files, "right").put("size", quiet, amount, "right").gap(2)
        return [line.put("certainty", quiet)]


def what_is_in(seen: Preview) -> str:
    """`Now 211 of these are saves, 97 content.`"""
    said = [
        f"{number:,} {'not sorted' if k is FileClass.UNSORTED else k.value}" for k, number in seen.by_class
    ]
    return f"Now they are: {', '.join(said)}." if said else ""
