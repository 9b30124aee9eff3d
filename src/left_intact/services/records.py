"""What strongboxes and journals say of an install, and which release is on record."""

from __future__ import annotations

import json
from collections.abc import Sequence
from hashlib import sha256
from typing import TYPE_CHECKING

from left_intact.core.model.update import IN_FORCE, RunKind, State, Update
from left_intact.services.home import Service

if TYPE_CHECKING:
    from left_intact.core.carrying.strongbox import Strongbox
    from left_intact.core.model.install import Install
    from left_intact.core.model.release import Release


def _command_key(install: Install, command: Sequence[str]) -> str:
    words = json.dumps(list(command))
    return f"command-{install.id}-{sha256(words.encode()).hexdigest()}"


class Records(Service):
    """What strongboxes and journals say of an install, and which release is on record."""

    def strongbox(self, install: Install) -> Strongbox:
        """The strongbox of an install, found by whose it is. Raises `strongbox-missing`, `other-user`."""
        from left_intact.core.carrying.boxes import strongbox_for

        return strongbox_for(install.root, install.name, self.home, self.library.box(install))

    def runs(self, install: Install) -> tuple[list[Update], Update | None]:
        """All updates, newest first, and the run that was cut off or waits. Raises what opening its journal
        raises.
        """
        from left_intact.core.carrying.heads import Heads, unfinished_of, waiting_of

        box = self.strongbox(install)
        if not box.exists:
            return [], None
        with Heads(box.journal_path) as journal:
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
        from left_intact.core.carrying.heads import Heads

        box = self.strongbox(install)
        if not box.exists:
            return None
        with Heads(box.journal_path) as journal:
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
        from left_intact.core.carrying.heads import Heads

        card = box.card()
        if card is None or not box.exists:
            return
        with Heads(box.journal_path) as journal:
            needed = any(
                run.state not in (State.SETTLED, State.GONE_BACK, State.ABANDONED, State.DONE)
                for run in journal.runs()
            )
        self.library.set_box(install, card.id, box.folder, needed=needed)

    def on_record(self, install: Install, before: int | None = None) -> Release | None:
        """The release that the install came from, as on record; `before` looks at updates below that number
        alone.

        An update that laid no whole release (a pack) leaves the record as it was.
        """
        for update in self.history(install):
            in_force = update.state in IN_FORCE
            if not in_force or (before is not None and update.id >= before):
                continue
            if (release := self.library.baseline(install, update.id)) is not None:
                return release
        return self.library.baseline(install, 0)

    def given_sheet(self, install: Install, update: Update) -> str:
        """The text of a keepsheet that was given for one update alone; empty for none."""
        from left_intact.core.carrying.heads import Heads

        with Heads(self.strongbox(install).journal_path) as journal:
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
