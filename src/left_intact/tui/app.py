"""The application: it owns the workbench, the jobs and the look, and leads from screen to screen."""

from __future__ import annotations

import gc
import os
from typing import TYPE_CHECKING, Any, ClassVar

from textual.app import App
from textual.binding import Binding, BindingType

from left_intact.tui.filter import NoControls
from left_intact.tui.jobs import Job, JobEnded, JobProgress, Jobs, was_stopped
from left_intact.tui.look import DARK, LIGHT, LOOKS, Look
from left_intact.tui.protocol import GoToStop, Open
from left_intact.tui.ways import screen_for, view_named
from left_intact.tui.writing import bearable
from left_intact.workbench import ShelfRow, Workbench
from left_intact.worker.call import call

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from textual.actions import ActionParseResult
    from textual.dom import DOMNode
    from textual.filter import LineFilter

    from left_intact.core.model.errors import LeftIntactError
    from left_intact.core.model.keeping import Remains
    from left_intact.tui.screens.stage import StageScreen
    from left_intact.worker.links import Link


class LeftIntactApp(App[int]):
    """The full screen."""

    TITLE = "Left Intact"
    CSS_PATH = "left_intact.tcss"
    ENABLE_COMMAND_PALETTE = True
    COMMAND_PALETTE_BINDING = "ctrl+p"
    HORIZONTAL_BREAKPOINTS = [(0, "-narrow"), (116, "-wide")]
    BINDINGS: ClassVar[list[BindingType]] = [
        Binding("question_mark", "help", "help", key_display="?"),
        Binding("ctrl+p", "command_palette", "find anything", key_display="^p", show=False),
        Binding("ctrl+q", "quit", "quit", show=False, priority=True),
        Binding("ctrl+l", "switch_look", "light or dark", show=False),
    ]

    def __init__(self, bench: Workbench, rows: list[ShelfRow], link: Link, *, subtitle: str = "") -> None:
        self._gate = NoControls()
        super().__init__()
        self.bench = bench
        self.first_rows = rows
        self.place = subtitle or "your shelf"
        self.looks_at_start = bool(bench.shelf.choice("look-at-start"))
        self.jobs = Jobs(self, link)
        for look in LOOKS.values():
            self.register_theme(look.theme())
        self.theme = DARK.name

    def get_line_filters(self) -> Sequence[LineFilter]:
        return [*super().get_line_filters(), self._gate]

    @property
    def look(self) -> Look:
        return LOOKS.get(self.theme, DARK)

    def get_default_screen(self) -> Any:
        return view_named("shelf", self.first_rows)

    def on_mount(self) -> None:
        self.call_after_refresh(self.jobs.open)  # the shelf is painted first

    def get_system_commands(self, screen: Any) -> Any:
        from left_intact.tui.palette_commands import commands_of

        yield from commands_of(self, screen)

    def notify(self, message: str, *, title: str = "", **how: Any) -> None:
        """Say something for a moment. What is said may name files of anybody's: it is never markup."""
        how["markup"] = False
        super().notify(bearable(message), title=bearable(title), **how)

    # ------------------------------------------------------------ work

    def work_on(self, job: Job) -> Job:
        """Queue some long work; its progress shows in the title line."""
        return self.jobs.start(job)

    def on_job_progress(self, message: JobProgress) -> None:
        if message.job is self.jobs.running:
            for screen in self.screen_stack:
                if hasattr(screen, "job_progress"):
                    screen.job_progress(message.job, message.progress)

    def on_job_ended(self, message: JobEnded) -> None:
        for screen in self.screen_stack:
            if hasattr(screen, "job_over") and not message.job.beside:
                screen.job_over()
        self.jobs.ended(message)

    def complain(self, error: LeftIntactError) -> None:
        """Say an error to the person, in one line with what to do now."""
        if was_stopped(error):
            self.notify(error.says, timeout=4)
        else:
            self.notify(error.line(), severity="error", timeout=12)

    async def run_action(
        self,
        action: str | ActionParseResult,
        default_namespace: DOMNode | None = None,
        namespaces: Mapping[str, DOMNode] | None = None,
    ) -> bool:
        """Do what a key asks for, unless it was pressed for a screen that no longer is the topmost one."""
        node = default_namespace
        if node is not None and node is not self and node.is_attached and node.screen is not self.screen:
            return False
        return await super().run_action(action, default_namespace, namespaces)

    # ------------------------------------------------------------ ways between the screens

    def open_desk(self, row: ShelfRow, stop: str = "") -> None:
        """Sit down at an install; an interrupted update must be ended first."""
        from left_intact.core.model.update import UNFINISHED, State
        from left_intact.tui.desk import Desk
        from left_intact.tui.screens.dialogs import RecoverDialog

        if row.trouble:
            self.notify(row.trouble, severity="error", timeout=12)
            return
        if row.missing and row.state is not State.WAITING:
            self._tell_what_remains(row)
            return
        if row.state in UNFINISHED:
            self.push_screen(RecoverDialog(row), self._recovered)
            return
        desk = Desk(row=row)
        if row.state is State.WAITING:
            stop = "under way"
        first = stop or ("proof" if row.state is State.ON_TRIAL and not row.waiting else "survey")
        self.push_screen(screen_for(first, desk))

    def _tell_what_remains(self, row: ShelfRow) -> None:
        """Its folder is gone: what can still be had of it."""
        from left_intact.tui.screens.dialogs import ConfirmDialog

        def told(found: Remains) -> None:
            gone = f"{row.install.root} is not there. What can still be had:"
            more = ("left-intact strongbox … take gets copies out.",) if found.held else ()
            says = "\n".join(bearable(line) for line in (gone, "", *found.lines, *more))
            dialog = ConfirmDialog("its folder is gone", says, "look again")
            self.push_screen(dialog, lambda yes: self.refresh_shelf() if yes else None)

        wanted = call("keeping.remains", row.install)
        self.work_on(Job("what remains", wanted, told, self.complain, beside=True))

    def _recovered(self, done: bool | None) -> None:
        if done:
            self.refresh_shelf()

    def on_go_to_stop(self, message: GoToStop) -> None:
        self.switch_screen(screen_for(message.wanted, message.desk, **message.more))

    def on_open(self, message: Open) -> None:
        self.push_screen(view_named(message.view, *message.what))

    def desk_screen(self) -> StageScreen | None:
        """The screen of the stage line that is shown or lies below; None where there is none."""
        return next((s for s in reversed(self.screen_stack) if hasattr(s, "desk")), None)  # type: ignore[arg-type]

    def refresh_shelf(self) -> None:
        """Read the shelf anew."""

        def done(rows: list[ShelfRow]) -> None:
            for screen in self.screen_stack:
                if hasattr(screen, "shelf_rows") and hasattr(screen, "set_rows"):
                    screen.set_rows(rows)

        self.work_on(Job("the shelf", call("shelf.rows"), done, self.complain, beside=True))

    # ------------------------------------------------------------ actions

    def action_help(self) -> None:
        if not hasattr(self.screen, "is_help"):
            self.push_screen(view_named("help", self.screen))

    def action_switch_look(self) -> None:
        self.theme = LIGHT.name if self.look.dark else DARK.name

    def watch_theme(self, name: str) -> None:
        from left_intact.tui.widgets.lines import Lines

        for screen in self.screen_stack:
            for lines in screen.query(Lines):
                lines.redraw()
            if hasattr(screen, "show_why_again"):
                screen.show_why_again()

    def _fatal_error(self) -> None:
        """A fault of ours: the whole of it goes into a log, the person gets one line."""
        import sys
        import traceback

        from left_intact.fault_log import write_fault

        path = write_fault(self.bench.home, "".join(traceback.format_exception(*sys.exc_info())))
        line = (
            "left-intact: a fault of ours ended the screen; no install was left half done. It is "
            f"written down in {path}"
        )
        self._exit_renderables.append(line)
        self._close_messages_no_wait()

    async def action_quit(self) -> None:
        running = self.jobs.running
        if running is not None and running.changes_disk:
            self.notify(f"{running.title}: it is not at its end yet", timeout=5)
            return
        self.jobs.stop()
        self.exit(0)


def open_application(home: str, *, subtitle: str = "") -> int:
    """Run the application until the person quits; the exit code."""
    from left_intact.core.model.errors import LeftIntactError
    from left_intact.worker.links import ProcessLink

    gc.set_threshold(100_000, 20, 100)  # what comes from the worker by the thousand is no cycle
    try:
        bench = Workbench(home)
        rows = bench.shelf.rows()
    except LeftIntactError as error:
        import sys

        print(bearable(f"left-intact: {error.line()}"), file=sys.stderr)
        return error.exit_code
    os.environ.setdefault("TEXTUAL_ANIMATIONS", "none")
    link = ProcessLink(bench.home)
    app = LeftIntactApp(bench, rows, link, subtitle=subtitle)
    try:
        result = app.run()
    finally:
        link.close()
    return result if isinstance(result, int) else app.return_code or 0
