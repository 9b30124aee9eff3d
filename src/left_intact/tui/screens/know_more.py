"""Knowing more of an install, from the survey: watching a run, its baseline, folders elsewhere, its
keepsheet.
"""

from __future__ import annotations

import os
import shlex
from collections.abc import Callable
from typing import TYPE_CHECKING, Any, Protocol

from left_intact.tui.jobs import Job
from left_intact.tui.screens.choosing import Choice, ChooseDialog, MenuDialog, SheetDialog, WatchDialog
from left_intact.words import count
from left_intact.worker.call import Call, call

if TYPE_CHECKING:
    from textual.app import App

    from left_intact.core.model.found import OtherRoot, Run
    from left_intact.tui.desk import Desk
    from left_intact.tui.protocol import Application

MENU = (
    ("r", "watch a run", "what it makes and changes while you use it becomes evidence"),
    ("b", "look for its baseline", "an old archive of its release, beside it or in your downloads"),
    ("o", "folders of it elsewhere", "settings and saves that lie outside, to be read as one install"),
    ("k", "its keepsheet", "what is known about it: read, edit, export"),
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

    def ask(self, dialog: Any, then: Callable[[Any], None]) -> None: ...

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
        }
        if key in does:
            does[key]()

    def _work(self, title: str, wanted: Call, done: Callable[[Any], None], *, beside: bool = False) -> Job:
        app = self.screen.left_intact
        return app.work_on(Job(title, wanted, done, app.complain, beside=beside))

    # ------------------------------------------------------------ watching a run

    def watch(self) -> None:
        install, app = self.screen.desk.install, self.screen.left_intact

        def begin(command: str, dialog: WatchDialog) -> Job:
            try:
                words = shlex.split(command)
            except ValueError:
                words = [command]

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

            return app.work_on(Job("watching", call("surveys.watch", install, command=words), done, failed))

        self.screen.app.push_screen(WatchDialog(install.name, begin, app.jobs))

    # ------------------------------------------------------------ its baseline

    def baseline(self) -> None:
        wanted = call("desk.likely_baselines", self.screen.desk.install)
        self._work("looking for a baseline", wanted, self._found)

    def _found(self, both: tuple[int, list[tuple[str, str]]]) -> None:
        app, install = self.screen.left_intact, self.screen.desk.install
        number, fitting = both
        if not fitting:
            says = (
                f"{count(number, 'archive')} looked into, none of them what lies here"
                if number
                else "no archive of it was found"
            )
            app.notify(
                f"{says}; point at one with: left-intact baseline {install.name!r} --in PLACE", timeout=8
            )
            return
        choices = [Choice(key=path, label=os.path.basename(path), detail=why) for path, why in fitting]
        says = (
            "With its baseline on record, what the release shipped is known byte by byte, and all "
            "else is yours."
        )

        def take(keys: list[str] | None) -> None:
            if keys:
                self._work("noting", call("desk.adopt_baseline", install, keys[0]), taken)

        def taken(_: object) -> None:
            app.notify("its baseline is on record", timeout=5)
            self.screen.read_again()

        self.screen.ask(
            ChooseDialog("the release it came from", says, choices, many=False, does="put it on record"), take
        )

    # ------------------------------------------------------------ folders elsewhere

    def elsewhere(self) -> None:
        wanted = call("desk.find_elsewhere", self.screen.desk.install)
        self._work("looking elsewhere", wanted, self._roots_found)

    def _roots_found(self, both: tuple[list[tuple[str, str]], list[OtherRoot]]) -> None:
        app, install = self.screen.left_intact, self.screen.desk.install
        known, found = both
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
            if keys is not None:
                wanted = call("desk.read_elsewhere", install, {place: labels[place] for place in keys})
                self._work("noting", wanted, lambda _: self.screen.read_again())

        self.screen.ask(
            ChooseDialog("folders elsewhere", says, choices, many=True, does="read those ticked"), take
        )

    # ------------------------------------------------------------ its keepsheet, a figure

    def sheet(self) -> None:
        install, app = self.screen.desk.install, self.screen.left_intact

        def taken(text: str | None) -> None:
            if text is not None:
                app.notify("the keepsheet is taken", timeout=4)
                self.screen.read_again()

        def shown(text: str) -> None:
            self.screen.ask(SheetDialog(install, text), taken)

        self._work("the keepsheet", call("surveys.sheet_text", install), shown, beside=True)
