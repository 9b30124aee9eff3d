"""Knowing more of an install, from the survey: watching a run, its baseline, folders elsewhere, its
keepsheet, a figure.
"""

from __future__ import annotations

import os
import shlex
from collections.abc import Callable
from typing import TYPE_CHECKING, Any, Protocol

from left_intact.tui.jobs import Job
from left_intact.tui.screens.choosing import Choice, ChooseDialog, MenuDialog, SheetDialog, WatchDialog
from left_intact.words import count

if TYPE_CHECKING:
    from textual.app import App

    from left_intact.core.model.found import Likeness, OtherRoot, Run
    from left_intact.tui.desk import Desk
    from left_intact.tui.protocol import Application

MENU = (
    ("r", "watch a run", "what it makes and changes while you use it becomes evidence"),
    ("b", "look for its baseline", "an old archive of its release, beside it or in your downloads"),
    ("o", "folders of it elsewhere", "settings and saves that lie outside, to be read as one install"),
    ("k", "its keepsheet", "what is known about it: read, edit, export"),
    ("f", "a figure of what it is made of", "as SVG and PDF, for print"),
)


class SurveyView(Protocol):
    """What it needs of the screen that it is opened from."""

    desk: Desk
    unit: str

    @property
    def app(self) -> App[Any]: ...

    @property
    def left_intact(self) -> Application: ...

    def read_again(self) -> None: ...

    def notify(self, message: str, *, severity: Any = ..., timeout: float | None = ...) -> None: ...


class KnowMore:
    """The work behind the menu. A helper of the survey screen; it draws nothing itself."""

    def __init__(self, screen: SurveyView) -> None:
        self.screen = screen

    def open(self) -> None:
        dialog = MenuDialog(f"know more of {self.screen.desk.install.name}", MENU)
        self.screen.app.push_screen(dialog, self._chosen)

    def _chosen(self, key: str | None) -> None:
        does: dict[str, Callable[[], None]] = {
            "r": self.watch,
            "b": self.baseline,
            "o": self.elsewhere,
            "k": self.sheet,
            "f": self.figure,
        }
        if key in does:
            does[key]()

    @property
    def _bench(self) -> Any:
        return self.screen.left_intact.bench

    def _work(self, title: str, work: Callable[[Any, Any], Any], done: Callable[[Any], None]) -> Job:
        return self.screen.left_intact.work_on(Job(title, work, done, self.screen.left_intact.complain))

    # ------------------------------------------------------------ watching a run

    def watch(self) -> None:
        install, app = self.screen.desk.install, self.screen.left_intact

        def begin(command: str, dialog: WatchDialog) -> None:
            try:
                words = shlex.split(command)
            except ValueError:
                words = [command]

            def work(report: Any, cancel: Any) -> Run:
                run: Run = self._bench.surveys.watch(
                    install, command=words, wait=dialog.quit.wait, report=report, cancel=cancel
                )
                return run

            def done(run: Run) -> None:
                if dialog.is_attached:
                    dialog.dismiss(None)
                made = f"{count(len(run.made), 'file')} made, {len(run.changed):,} changed"
                app.notify(f"the run is written down: {made}", timeout=6)
                self.screen.read_again()

            def failed(error: Any) -> None:
                if dialog.is_attached:
                    dialog.dismiss(None)
                app.complain(error)

            app.work_on(Job("watching", work, done, failed))

        self.screen.app.push_screen(WatchDialog(install.name, begin, app.jobs.stop))

    # ------------------------------------------------------------ its baseline

    def baseline(self) -> None:
        install = self.screen.desk.install
        self._work(
            "looking for a baseline",
            lambda r, c: self._bench.surveys.infer_baseline(install, report=r, cancel=c),
            self._found,
        )

    def _found(self, found: list[Likeness]) -> None:
        app, install = self.screen.left_intact, self.screen.desk.install
        fitting = [one for one in found if one.fits]
        if not fitting:
            says = (
                f"{count(len(found), 'archive')} looked into, none of them what lies here"
                if found
                else "no archive of it was found"
            )
            app.notify(
                f"{says}; point at one with: left-intact baseline {install.name!r} --in PLACE", timeout=8
            )
            return
        choices = [Choice(key=one.path, label=os.path.basename(one.path), detail=one.says) for one in fitting]
        by_path = {one.path: one for one in fitting}
        says = (
            "With its baseline on record, what the release shipped is known byte by byte, and all "
            "else is yours."
        )

        def take(keys: list[str] | None) -> None:
            if keys:
                self._bench.surveys.adopt_baseline(install, by_path[keys[0]].release)
                app.notify(f"on record: {os.path.basename(keys[0])}", timeout=5)
                self.screen.read_again()

        self.screen.app.push_screen(
            ChooseDialog("the release it came from", says, choices, many=False, does="put it on record"), take
        )

    # ------------------------------------------------------------ folders elsewhere

    def elsewhere(self) -> None:
        install = self.screen.desk.install
        self._work(
            "looking elsewhere",
            lambda r, c: self._bench.surveys.find_roots(install, report=r),
            self._roots_found,
        )

    def _roots_found(self, found: list[OtherRoot]) -> None:
        app, install = self.screen.left_intact, self.screen.desk.install
        known = self._bench.surveys.roots(install)
        if not found and not known:
            app.notify("nothing elsewhere looks like its own", timeout=5)
            return
        detail = "read with it already; untick to let go of it"
        choices = [
            Choice(key=place, label=f"{label}: {place}", detail=detail, ticked=True) for label, place in known
        ]
        choices += [
            Choice(
                key=one.place,
                label=f"{one.label}: {one.place}",
                detail=f"{one.why}; {count(one.files, 'file')}",
            )
            for one in found
        ]
        labels = {place: label for label, place in known} | {one.place: one.label for one in found}
        says = "What you tick is read and proven with the install, as one. No update is ever laid there."

        def take(keys: list[str] | None) -> None:
            if keys is None:
                return
            for label, place in known:
                if place not in keys:
                    self._bench.surveys.drop_root(install, label)
            for place in keys:
                if place not in {p for _, p in known}:
                    self._bench.surveys.add_root(install, labels[place], place)
            self.screen.read_again()

        self.screen.app.push_screen(
            ChooseDialog("folders elsewhere", says, choices, many=True, does="read those ticked"), take
        )

    # ------------------------------------------------------------ its keepsheet, a figure

    def sheet(self) -> None:
        bench, install, app = self._bench, self.screen.desk.install, self.screen.left_intact

        def taken(text: str | None) -> None:
            if text is not None:
                app.notify("the keepsheet is taken", timeout=4)
                self.screen.read_again()

        dialog = SheetDialog(
            install.name,
            bench.surveys.sheet_text(install),
            lambda text: bench.surveys.take_edited(install, text),
            lambda: bench.surveys.export_sheet(install),
        )
        self.screen.app.push_screen(dialog, taken)

    def figure(self) -> None:
        survey, install = self.screen.desk.survey, self.screen.desk.install
        if survey is None:
            return
        unit = self.screen.unit

        def work(report: Any, cancel: Any) -> str:
            from left_intact.charts.composition import draw_composition

            path: str = self._bench.surveys.export_path(install, "composition", ".svg")
            for ending in (".svg", ".pdf"):
                draw_composition(survey, path[:-4] + ending, name=install.name, unit=unit)
            return path

        self._work("drawing", work, lambda path: self.screen.notify(f"written: {path} and .pdf", timeout=8))
