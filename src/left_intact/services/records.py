"""What strongboxes and journals say of an install, and which release is on record."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from functools import wraps
from hashlib import sha256
from typing import TYPE_CHECKING, Concatenate, ParamSpec, Protocol, TypeVar

from left_intact.core.model.layers import Layer, Record
from left_intact.core.model.stages import LayerKind
from left_intact.core.model.update import IN_FORCE, RunKind, State, Update
from left_intact.services.home import Service

if TYPE_CHECKING:
    from left_intact.core.carrying.strongbox import Strongbox
    from left_intact.core.model.install import Install
    from left_intact.core.model.release import Release


def _command_key(install: Install, command: Sequence[str]) -> str:
    words = json.dumps(list(command))
    return f"command-{install.id}-{sha256(words.encode()).hexdigest()}"


P = ParamSpec("P")
S = TypeVar("S", bound="OfRecords")
T = TypeVar("T")


class OfRecords(Protocol):
    """A service that has the records."""

    records: Records


def in_session(
    does: Callable[Concatenate[S, Install, P], T],
) -> Callable[Concatenate[S, Install, P], T]:
    """A use case on an install, in one session."""

    @wraps(does)
    def within(self: S, install: Install, /, *args: P.args, **more: P.kwargs) -> T:
        with self.records.session(install):
            return does(self, install, *args, **more)

    return within


class Records(Service):
    """What strongboxes and journals say of an install, and which release is on record."""

    def strongbox(self, install: Install) -> Strongbox:
        """The strongbox of an install, found by whose it is. Raises `strongbox-missing`, `other-user`."""
        return self.at.sessions.get(install.id) or self._box_of(install)

    def _box_of(self, install: Install, *, outside: bool = False) -> Strongbox:
        from left_intact.core.carrying.boxes import strongbox_for

        known = self.library.box(install)
        return strongbox_for(install.root, install.name, self.home, known, outside=outside)

    @contextmanager
    def session(self, install: Install, *, outside: bool = False) -> Iterator[Strongbox]:
        """One use case on an install: its strongbox is found once, and its journal opened once, also for
        those within it. A strongbox that is yet to be made lies at home if it is to be `outside`. Raises
        `strongbox-missing`, `other-user`.
        """
        sessions = self.at.sessions
        if (box := sessions.get(install.id)) is not None:
            yield box
            return
        box = sessions[install.id] = self._box_of(install, outside=outside)
        try:
            with box.held():
                yield box
        finally:
            del sessions[install.id]
            box.close()

    def runs(self, install: Install) -> tuple[list[Update], Update | None]:
        """All updates, newest first, and the run that was cut off or waits. Raises what opening its journal
        raises.
        """
        from left_intact.core.carrying.heads import unfinished_of, waiting_of

        box = self.strongbox(install)
        if not box.exists:
            return [], None
        with box.heads() as journal:
            runs = journal.runs()
        updates = [run for run in runs if run.kind is RunKind.UPDATE]
        return updates, unfinished_of(runs) or waiting_of(runs)

    def history(self, install: Install) -> list[Update]:
        """All updates of an install, newest first."""
        return self.runs(install)[0]

    def in_force(self, install: Install) -> Update | None:
        """The newest update that is on trial or settled."""
        return next((u for u in self.history(install) if u.state in IN_FORCE), None)

    def on_trial(self, install: Install) -> bool:
        """Whether an update of it is on trial, and nothing of it is under way or waits."""
        runs, unfinished = self.runs(install)
        return unfinished is None and any(run.state is State.ON_TRIAL for run in runs)

    def went_back(self, install: Install) -> Update | None:
        """The going back that was the last thing done to an install; None where it was not."""
        box = self.strongbox(install)
        if not box.exists:
            return None
        with box.heads() as journal:
            last = next(iter(journal.runs()), None)
        return last if last and last.kind is RunKind.BACK and last.state is State.DONE else None

    def open_run(self, install: Install) -> Update | None:
        """The run that was cut off, or that waits; None where there is none."""
        return self.runs(install)[1]

    def refuse_if_open(self, install: Install) -> None:
        """Raise `Interrupted` where a run was cut off, `waiting` where one waits for the person."""
        from left_intact.core.carrying.chain import interrupted, waiting

        run = self.open_run(install)
        if run is not None:
            raise waiting(run) if run.state is State.WAITING else interrupted(run)

    def note_box(self, install: Install, box: Strongbox) -> None:
        """Remember where the strongbox is, and whether it is needed."""
        card = box.card()
        if card is None or not box.exists:
            return
        with box.heads() as journal:
            needed = any(
                run.state not in (State.SETTLED, State.GONE_BACK, State.ABANDONED, State.DONE)
                for run in journal.runs()
            )
        self.library.set_box(install, card.id, box.folder, needed=needed)

    def record(self, install: Install, before: int | None = None) -> Record:
        """What is on record: what the install came with, and what each update in force has laid. `before`
        looks at updates below that number alone.
        """
        layers: tuple[Layer, ...] = ()
        for update in self.history(install):
            in_force = update.state in IN_FORCE
            if not in_force or (before is not None and update.id >= before):
                continue
            layers = (*self.library.layers(install, update.id), *layers)
            if any(layer.kind is LayerKind.RELEASE for layer in layers):
                return Record(layers)  # what was before a whole release is not here any more
        return Record((*self.library.layers(install, 0), *layers))

    def on_record(self, install: Install, before: int | None = None) -> Release | None:
        """What lies here by record as one release, without what the person chose for themselves."""
        return self.record(install, before).fold()

    def given_sheet(self, install: Install, update: Update) -> str:
        """The text of a keepsheet that was given for one update alone; empty for none."""
        with self.strongbox(install).heads() as journal:
            return journal.facts(update.id).given_sheet

    def allow_command(self, install: Install, command: Sequence[str]) -> None:
        """Remember that these very words may be run for an install, as a step around its updates."""
        self.library.set_choice(_command_key(install, command), "allowed")

    def is_allowed(self, install: Install, command: Sequence[str]) -> bool:
        """Whether the person allowed these very words."""
        return bool(command) and self.library.choice(_command_key(install, command)) == "allowed"

    def note_version(self, install: Install, version: str) -> None:
        """What the shelf says is installed, until the next survey."""
        self.library.set_summary(install, {**self.library.summary(install), "version": version})
