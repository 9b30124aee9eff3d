"""The arrival: is this the right thing? Version, platform, root, counts, notes, and the routes."""

from __future__ import annotations

from typing import ClassVar

from rich.text import Text
from textual.app import ComposeResult
from textual.binding import Binding, BindingType
from textual.widgets import Static

from left_intact.core.model.errors import Fault
from left_intact.core.model.outlet import NoteLine
from left_intact.core.model.plan import Route
from left_intact.core.model.survey import Survey
from left_intact.presentation.views import ArrivalView, PlanView
from left_intact.tui.look import Look
from left_intact.tui.screens.stage import StageScreen
from left_intact.tui.widgets.lines import Gap, Hairline, Lines, Paragraph, Row, Words
from left_intact.tui.widgets.why import shown_path
from left_intact.tui.writing import Line, bearable, clip
from left_intact.words import NO_VERSION, count, size


class FactRow(Row):
    """One comparison: what it is, here, arriving, and whether it fits."""

    def __init__(self, name: str, here: str, there: str, says: str, state: str) -> None:
        super().__init__(f"fact:{name}")
        self.name, self.here, self.there, self.says, self.state = name, here, there, says, state

    def draw(self, width: int, look: Look, lit: bool) -> list[Text]:
        mark, colour = {"good": ("✓", "good"), "bad": ("✗", "bad"), "open": ("·", "quiet")}[self.state]
        side = 17 if width < 90 else 22
        line = Line().put(mark, look.style(colour), 2).put(self.name, look.style("quiet"), 11)
        line.put(bearable(self.here), look.style("text"), side).gap().put(
            bearable(self.there), look.style("text", bold=True), side
        )
        says_style = look.style("bad" if self.state == "bad" else "quiet")
        return [line.gap().put(clip(bearable(self.says), width - line.cell_len - 1), says_style)]


class RouteRow(Row):
    """A route and whether it fits."""

    def __init__(self, name: str, fits: bool, because: str, *, chosen: bool) -> None:
        super().__init__(f"route:{name}")
        self.name, self.fits, self.because, self.chosen = name, fits, because, chosen

    def draw(self, width: int, look: Look, lit: bool) -> list[Text]:
        mark = "◉" if self.chosen else "○" if self.fits else "·"
        line = Line().put(mark, look.style("focus" if self.chosen else "text" if self.fits else "quiet"), 2)
        name = self.name.replace("-", " ")
        line.put(name, look.style("text" if self.fits else "quiet", bold=self.chosen), 19)
        return [line.put(clip(bearable(self.because), width - line.cell_len - 1), look.style("quiet"))]


class ArrivalScreen(StageScreen):
    """What came, beside what is installed."""

    STOP = "arrival"
    HELP = (
        "What came, compared with what is installed: version, platform, contents. Nothing is "
        "unpacked or changed "
        "by looking. o chooses another archive or folder; n goes on to the plan."
    )
    BINDINGS: ClassVar[list[BindingType]] = [
        Binding("n,enter", "next", "on to the plan"),
        Binding("o", "other", "another arrival"),
        Binding("i", "into", "another folder"),
    ]

    def compose_left(self) -> ComposeResult:
        yield Static(id="head")
        yield Lines(id="facts")

    def on_mount(self) -> None:
        self.query_one("#facts", Lines).focus()

    def aside(self) -> str:
        return "nothing has been changed yet"

    def show_body(self) -> None:
        desk, look = self.desk, self.look
        head = Text(no_wrap=True)
        arrival = desk.arrival
        if arrival is None:
            head.append(
                desk.trouble or ("looking in…" if desk.row.waiting else "Nothing waits."),
                look.style("bad" if desk.trouble else "text"),
            )
            rows: list[Row] = [
                Words("Press o and name an archive, a folder or a file: a new build of this program.")
            ]
            self.query_one("#head", Static).update(head)
            self.query_one("#facts", Lines).set_rows(rows if not desk.row.waiting or desk.trouble else [])
            self.explain(Text(""))
            return
        head.append(f"{bearable(arrival.name)}", look.style("text", bold=True))
        head.append(
            f"   {arrival.shape}, {size(arrival.packed_bytes)} · {shown_path(arrival.source)}",
            look.style("quiet"),
        )
        self.query_one("#head", Static).update(head)
        self.query_one("#facts", Lines).set_rows(self._rows(arrival))
        self.explain(_notes(arrival.news, look))

    def _rows(self, arrival: ArrivalView) -> list[Row]:
        desk = self.desk
        rows: list[Row] = [_FactHeading()]
        rows += _facts(arrival, desk.survey, desk.plan)
        if desk.plan is None or desk.plan.climb is None:
            rows += [Gap(), Words("where its version was read"), *_readings(arrival)]
        if arrival.notes:
            rows += [
                Gap(),
                Words("worth knowing"),
                *(Paragraph(note, indent=2) for note in arrival.notes),
            ]
        if desk.plan is None and desk.trouble:
            rows += [Gap(), Paragraph(f"no plan can be drawn: {desk.trouble}", "bad")]
        if desk.plan is not None:
            for fault in desk.plan.blockers:
                rows += [Gap(), Paragraph(f"{fault.says}. {fault.way_out}".strip(), "bad")]
            rows += [Gap(), Hairline(), Words("the routes: ◉ is taken, ○ can be; Enter takes another")]
            taken = desk.plan.route
            rows += [
                RouteRow(r.name.value, r.fits, r.because, chosen=r.name is taken) for r in desk.plan.routes
            ]
            if desk.plan.folders:
                rows += [
                    Gap(),
                    Words(f"into {desk.plan.folders[1].name}/, beside the old one; i names another"),
                ]
        return rows

    def check_action(self, action: str, parameters: tuple[object, ...]) -> bool | None:
        if action == "into":
            return self.desk.plan is not None and bool(self.desk.plan.folders)
        return super().check_action(action, parameters)

    def on_lines_chosen(self, message: Lines.Chosen) -> None:
        self.action_next()

    def action_next(self) -> None:
        """On to the plan; on a route that can be taken and is not, that route first."""
        row = self.query_one("#facts", Lines).row
        if isinstance(row, RouteRow) and not row.chosen:
            self._take(row)
            return
        self.action_stop(3)

    def _take(self, row: RouteRow) -> None:
        if not row.fits:
            self.notify(f"{row.name.replace('-', ' ')}: {row.because}", timeout=6)
            return
        self.desk.route, self.desk.into, self.desk.answers, self.desk.drawn = row.name, "", {}, False
        self.plan_again()

    def action_into(self) -> None:
        from left_intact.tui.screens.dialogs import TextDialog

        def named(path: str | None) -> None:
            if path:
                self.desk.route, self.desk.into, self.desk.drawn = Route.SIDE_BY_SIDE.value, path, False
                self.plan_again()

        says = "The folder that the new build gets for itself: one not there yet, or started already."
        self.app.push_screen(TextDialog("the new folder", says), named)

    def action_other(self) -> None:
        from left_intact.tui.screens.dialogs import PathDialog

        first = self.desk.arrival.source if self.desk.arrival else ""
        dialog = PathDialog(
            "another arrival", "A folder, or a zip, tar or 7z archive of the new build.", first
        )
        self.app.push_screen(dialog, self._receive)

    def _receive(self, path: str | None) -> None:
        if path:
            self.receive(path)
            self.show_all()


def _facts(arrival: ArrivalView, survey: Survey | None, plan: PlanView | None) -> list[Row]:
    blockers = {b.code: b for b in (plan.blockers if plan else ())}
    warnings = {w.code: w for w in (plan.warnings if plan else ())}

    def row(name: str, here: str, there: str, fine: str, *codes: str) -> FactRow:
        bad: Fault | None = next((blockers[c] for c in codes if c in blockers), None)
        odd: Fault | None = next((warnings[c] for c in codes if c in warnings), None)
        state = "bad" if bad else "open" if plan is None or odd else "good"
        return FactRow(name, here, there, bad.says if bad else odd.says if odd else fine, state)

    here_version = survey.version_text if survey else ""
    there_version, climb = arrival.version_text, plan.climb if plan else None
    already = f"{arrival.here_already:,} of {count(arrival.content.files, 'file')} lie here already"
    newer = "newer than what is installed"
    if climb is not None:
        already, here_version, there_version = f"updates of {climb.of}", climb.here, climb.wanted
        newer = f"{count(len(climb.steps), 'update')} from one to the other"
    program = next((t for c, t in survey.totals().items() if c.value == "program"), None) if survey else None
    return [
        row(
            "program",
            plan.install if plan else "",
            arrival.name,
            already,
            "other-program",
            "stranger",
            "not-a-release",
            "empty-arrival",
        ),
        row(
            "version",
            here_version or NO_VERSION,
            there_version or NO_VERSION,
            newer,
            "rung-missing",
            "no-way-up",
            "older-version",
            "other-line",
            "version-unknown",
            "same-version",
        ),
        row(
            "platform",
            (survey.platform if survey else "") or "no binaries",
            arrival.platform or "no binaries",
            "for the same system and machine"
            if arrival.platform and survey is not None and survey.platform
            else "nothing to tell it by",
            "other-platform",
        ),
        row(
            "files",
            count(program.files, "file") if program else "",
            count(arrival.content.files, "file"),
            f"{size(arrival.content.bytes)} unpacked",
        ),
        row(
            "room",
            "",
            size(plan.space.needed) if plan else "",
            f"{size(plan.space.free)} free" if plan else "",
            "no-room",
        ),
        FactRow(
            "archive",
            "",
            f"{arrival.digest[:12]}…" if arrival.digest else "a folder",
            "sound, and read to the end" if arrival.digest else "read as it lies there",
            "good" if arrival.content.files else "open",
        ),
    ]


def _readings(arrival: ArrivalView) -> list[Row]:
    """What was read, and in which places; readings that disagree stand apart."""
    by_text: dict[str, list[str]] = {}
    for reading in arrival.readings:
        by_text.setdefault(reading.text, []).append(reading.source)
    if not by_text:
        return [Words("  nowhere", "text")]
    return [
        Words(
            f"  {text:14} "
            f"{bearable(', '.join(places[:4]))}{f' and {len(places) - 4} more' if len(places) > 4 else ''}",
            "text",
        )
        for text, places in by_text.items()
    ]


class _FactHeading(Row):
    selectable = False

    def __init__(self) -> None:
        super().__init__("")

    def draw(self, width: int, look: Look, lit: bool) -> list[Text]:
        side, quiet = (17 if width < 90 else 22), look.style("quiet")
        return [
            Line()
            .gap(13)
            .put("installed", quiet, side + 1)
            .put("arriving", quiet, side + 1)
            .put("is it the right thing?", quiet)
        ]


def _notes(lines: tuple[NoteLine, ...], look: Look) -> Text:
    text = Text()
    mine, rest = [x for x in lines if x.why], [x for x in lines if not x.why]
    if mine:
        text.append("what touches you\n", look.style("quiet"))
    for line in mine:
        text.append(f"{bearable(line.text)}\n", look.style("text", bold=True))
        text.append(f"  {bearable(line.why)}\n", look.style("good"))
    text.append("\nwhat it says of itself\n" if mine else "what it says of itself\n", look.style("quiet"))
    if not lines:
        text.append("It brings no notes.\n", look.style("text"))
    for line in rest[:60]:
        text.append(f"{bearable(line.text)}\n", look.style("text", bold=line.heading))
    return text
