"""The installs that a person keeps, and what waits."""

from __future__ import annotations

import os
import shlex
from collections.abc import Collection, Mapping, Sequence
from dataclasses import replace
from typing import TYPE_CHECKING, Any

from left_intact.core.model.errors import LeftIntactError, Misuse
from left_intact.core.model.progress import CancelToken, Report, silent
from left_intact.core.model.update import UNFINISHED, State, Update
from left_intact.services.home import Home, Service

if TYPE_CHECKING:
    from left_intact.core.model.found import Candidate
    from left_intact.core.model.install import Install
    from left_intact.core.model.release import Arrival

from left_intact.services.places import Places
from left_intact.services.values import ShelfRow


class Shelf(Service):
    """The installs that a person keeps, and what waits."""

    def __init__(self, home: Home, places: Places) -> None:
        super().__init__(home)
        self.records, self.places = places.records, places

    def installs(self) -> list[Install]:
        """All of them, in the order in which they came."""
        return [self.places.lies_at(install) for install in self.library.installs()]

    def register(
        self, root: str, *, name: str = "", role: str = "emulator", version_command: Sequence[str] = ()
    ) -> Install:
        """Take an install up. A name that is taken gets a number."""
        return self.library.register(root, name=name, role=role, version_command=version_command)

    def choice(self, name: str) -> str:
        """What the person chose for the application as a whole; empty before."""
        return self.library.choice(name)

    def set_choice(self, name: str, value: str) -> None:
        self.library.set_choice(name, value)

    def find(self, word: str) -> Install:
        """An install by name or path; a folder that is new to the shelf is put there, as what it seems to be.

        Raises `no-install` and what a folder is refused for.
        """
        known = {install.id for install in self.library.installs()}
        self._refuse_left_behind(word)
        install = self.library.find(word)
        if install.id in known:
            return self.places.lies_at(install)
        from left_intact.core.survey.candidates import guess_role

        role = guess_role(install.root)
        self.library.set_role(install, role)
        return replace(install, role=role)

    def _refuse_left_behind(self, word: str) -> None:
        """Raise `left-behind` for the folder that an update on trial left: it belongs to that install."""
        root = os.path.realpath(os.path.expanduser(word))
        installs = self.library.installs()
        if not os.path.isdir(root) or any(os.path.realpath(one.root) == root for one in installs):
            return
        from left_intact.core.carrying.boxes import left_by

        if (owner := left_by(root, self.home)) is not None:
            name, lies = owner
            raise LeftIntactError(
                "left-behind",
                f"this is the old folder of {name}, which is on trial in {lies}",
                path=root,
                way_out=f"Go back, or settle it first: left-intact settle {shlex.quote(lies)}.",
            )

    def known(self, word: str) -> Install:
        """An install that is on the shelf, by name or path; a path puts none there. Raises `no-install`."""
        return self.places.lies_at(self.library.known(word))

    def forget(self, install: Install) -> str:
        """Take it off the shelf; where its strongbox stays, if it has one. Nothing on disk is touched.

        Raises `waiting` or `Interrupted` while an update of it is not at its end.
        """
        try:
            self.records.refuse_if_open(install)
        except LeftIntactError as error:
            if error.code in ("waiting", "interrupted"):
                raise  # any other trouble with its records is no reason to keep it on the shelf
        box = self.library.box(install)
        self.library.forget(install)
        return box.folder if box is not None else ""

    def rename(self, install: Install, name: str) -> Install:
        """Call it something else. Raises `no-name`, `name-taken`."""
        name = " ".join(name.split())
        if not name or os.sep in name:
            way = "Give a name that is no path."
            raise Misuse("no-name", f"{name!r} is no name for an install", way_out=way)
        taken = {other.name.lower() for other in self.library.installs() if other.id != install.id}
        if name.lower() in taken:
            raise LeftIntactError(
                "name-taken", f"another install is called {name}", way_out="Choose another."
            )
        self.library.set_name(install, name)
        return replace(install, name=name)

    def move(self, install: Install, folder: str) -> Install:
        """Say where it lies now; moves nothing. Raises `no-folder`, `another-folder` where something of it
        is on trial that does not lie there, and what `find` refuses a folder for.
        """
        from left_intact.core.carrying.whose import refuse_move

        root = os.path.realpath(os.path.expanduser(folder))
        self.library.vet(root, besides=install)
        self.places.do_effects(install)
        box = self.records.strongbox(install)
        if box.exists:
            refuse_move(box, root, install.name)
            box.claim(root, str(install.id))
            box.close()
        self.library.set_place(install, root)
        return replace(install, root=root)

    def rows(self) -> list[ShelfRow]:
        """All installs with what is known about them; reads no install."""
        return [self._row(install) for install in self.library.installs()]

    def _row(self, install: Install) -> ShelfRow:
        summary, hold = self.library.summary(install), self.library.hold(install)
        install, updates, trouble = self._known_updates(install)
        return ShelfRow(
            install=install,
            summary=summary,
            arrivals=tuple(self.library.arrivals(install)),
            updates=updates,
            trouble=trouble,
            missing=not os.path.isdir(install.root) and not any(u.state in UNFINISHED for u in updates),
            held=(hold.beyond, hold.reason, hold.until) if hold else None,
            newest=self._newest_known(install, summary),
        )

    def _known_updates(self, install: Install) -> tuple[Install, tuple[Update, ...], str]:
        """The install where it lies, all its updates, and why they cannot be told; one damaged journal
        stops no other install.
        """
        try:
            install, updates, run = self.places.standing(install)
        except LeftIntactError as error:
            return install, (), error.line()
        if run is not None and run.state is State.WAITING:
            about = run.undoes[0] if run.undoes else run.id
            updates = [
                replace(u, state=State.WAITING, waits=run.waits) if u.id == about else u for u in updates
            ]
        return install, tuple(updates), ""

    def _newest_known(self, install: Install, summary: Mapping[str, Any]) -> str:
        offers = self.library.offers(install)
        if not offers:
            return ""
        from left_intact.core.outlets.choose import rank

        ranked = rank(
            offers,
            installed=summary.get("version", ""),
            platform=summary.get("platform", ""),
            hold=self.library.hold(install),
            dismissed=self.library.dismissed(install),
        )
        return next((r.offer.version for r in ranked if r.waits), "")

    def waiting(self, install: Install) -> str | None:
        """The path of the arrival that is to be laid first; None where nothing waits."""
        return next((one.path for one in self.library.arrivals(install)), None)

    def set_waiting(self, install: Install, arrival: Arrival) -> None:
        """Remember an arrival as the one to lay in next."""
        self.library.set_waiting(install, arrival.source, arrival.release.version_text)

    def find_installs(
        self,
        place: str,
        *,
        like: Collection[str] = (),
        report: Report = silent,
        cancel: CancelToken | None = None,
    ) -> list[Candidate]:
        """What looks like an install at or below a folder; with `like`, paths of what came, those that hold
        most of it first. Raises `no-folder`.
        """
        from left_intact.core.survey.finding import find_installs

        place = os.path.abspath(os.path.expanduser(place))
        if not os.path.isdir(place):
            raise LeftIntactError(
                "no-folder", "there is no folder here", path=place, way_out="Check the path."
            )
        known = frozenset(os.path.realpath(root) for one in self.installs() for root in self._folders(one))
        return find_installs(place, known, like=like, report=report, cancel=cancel)

    def _folders(self, install: Install) -> list[str]:
        """Where an install lies, and what its last update left behind."""
        try:
            old, _ = self.places.folder_left(install)
        except LeftIntactError:
            old = ""  # where its journal cannot be read, its folder alone is known
        return [install.root, *([old] if old else [])]

    def take_up(self, candidate: Candidate) -> Install:
        """Put a candidate on the shelf. Raises what `find` refuses a folder for."""
        self.library.vet(os.path.realpath(candidate.path))
        return self.library.register(candidate.path, name=candidate.name, role=candidate.role)

    def interrupted(self) -> list[tuple[Install, Update]]:
        """Every install whose last run was cut off. One whose journal cannot be read stops no other."""
        found = []
        for install in self.library.installs():
            try:
                run = self.records.open_run(install)
            except LeftIntactError:
                continue
            if run is not None and run.state is not State.WAITING:
                found.append((install, run))
        return found

    def troubled(self) -> list[tuple[Install, LeftIntactError]]:
        """Every install whose strongbox or journal cannot be opened, with why."""
        found = []
        for install in self.library.installs():
            try:
                self.records.open_run(install)
            except LeftIntactError as error:
                found.append((install, error))
        return found
