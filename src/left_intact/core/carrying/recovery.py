"""Ending what was cut off, going back, and settling."""

from __future__ import annotations

import os
from dataclasses import dataclass

from left_intact.core.carrying.engine import Run, go_forward, interrupted, is_at, prepare, stage, take_back
from left_intact.core.carrying.journal import Journal, Step
from left_intact.core.carrying.strongbox import Strongbox
from left_intact.core.model.entry import Kind
from left_intact.core.model.errors import LeftIntactError
from left_intact.core.model.plan import Verb
from left_intact.core.model.progress import CancelToken, Report, silent
from left_intact.core.model.update import State, Update


@dataclass(frozen=True, slots=True, kw_only=True)
class WentBack:
    """What going back did."""

    update: Update
    restored: int
    """Paths that were brought to their state before."""
    kept: tuple[tuple[str, str], ...]
    """(path, where it is kept now) of what was changed while on trial."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Settled:
    """What settling did."""

    update: Update
    freed: int
    """Bytes of the program's own old files."""
    held: int
    """Displaced files of the person that stay in the strongbox."""


def unfinished(box: Strongbox) -> Update | None:
    """The update that was cut off, if there is one."""
    if not box.exists:
        return None
    with Journal(box.journal_path) as journal:
        return journal.unfinished()


def recover(box: Strongbox, forward: bool | None, report: Report = silent) -> Update:
    """End an interrupted update. Without a direction: forward once laying had begun, else back.

    May itself be cut off any number of times. Raises `nothing-to-recover`.
    """
    with box.locked(), Journal(box.journal_path) as journal:
        update = journal.unfinished()
        if update is None:
            raise LeftIntactError("nothing-to-recover", "no update was cut off", way_out="All is as it should be.")
        run = Run(box, journal, update, journal.steps(update.id), report)
        if forward if forward is not None else update.state is State.CARRYING:
            _recover_forward(run)
        else:
            was_trial = update.state is State.GOING_BACK
            state = State.GOING_BACK if was_trial else State.PUTTING_BACK
            if update.state is State.STAGING:
                box.clear_work(update.id)
                journal.set_state(update.id, State.ABANDONED)
            else:
                journal.set_state(update.id, state)
                run.update = journal.update(update.id)
                take_back(run, ending=State.GONE_BACK if was_trial else State.ABANDONED)
        return journal.update(update.id)


def _recover_forward(run: Run) -> None:
    try:
        if run.update.state is State.STAGING:
            run.box.clear_work(run.update.id)
            stage(run)
        else:
            run.box.open_work(run.update.id)
            _prepare_missing(run)
    except (LeftIntactError, OSError) as error:
        raise LeftIntactError(
            "cannot-go-forward", f"the update cannot be completed: {error}", path=run.update.arrival,
            way_out="Go back instead: left-intact recover --back.",
        ) from error  # fmt: skip
    go_forward(run, exact=False)


def _prepare_missing(run: Run) -> None:
    """Prepared files are renamed into place, so a missing one is laid or must be made again."""
    for step in run.steps:
        entry = step.after
        if entry is None or entry.kind is Kind.FOLDER or os.path.lexists(run.ready(step)):
            continue
        if not is_at(run.root, step.path, entry, exact=False):
            prepare(run)
            run.box.flush()
            return


def go_back(box: Strongbox, report: Report = silent, cancel: CancelToken | None = None) -> WentBack:
    """Undo the newest update that is on trial. Raises `nothing-to-go-back-to`, `Interrupted`."""
    nothing = LeftIntactError(
        "nothing-to-go-back-to", "there is no update on trial to go back from",
        way_out="Settled updates have given their old files up.",
    )  # fmt: skip
    if not box.exists:
        raise nothing
    with box.locked(), Journal(box.journal_path) as journal:
        if (open_one := journal.unfinished()) is not None:
            raise interrupted(open_one)
        update = journal.last_in_force()
        if update is None or update.state is not State.ON_TRIAL:
            raise nothing
        steps = journal.steps(update.id)
        _refuse_damaged(box, steps)
        journal.set_state(update.id, State.GOING_BACK)
        update = journal.update(update.id)
        run = Run(box, journal, update, steps, report, cancel or CancelToken())
        take_back(run, ending=State.GONE_BACK)
        return WentBack(update=journal.update(update.id), restored=len(steps), kept=tuple(run.kept))


def _refuse_damaged(box: Strongbox, steps: list[Step]) -> None:
    for step in steps:
        if step.before is not None and step.before.kind is Kind.FILE and not box.has(step.before.digest):
            raise LeftIntactError(
                "strongbox-damaged", "the copy of this file in the strongbox is missing or damaged", path=step.path,
                way_out="Nothing was changed; put the strongbox right first.",
            )  # fmt: skip


def settle(box: Strongbox) -> Settled:
    """Confirm the update on trial and free the program's own old files.

    What was the person's (merged settings as they were, files they chose to have
    replaced) stays in the strongbox. Raises `nothing-to-settle`, `Interrupted`.
    """
    nothing = LeftIntactError("nothing-to-settle", "there is no update on trial", way_out="Nothing needs doing.")
    if not box.exists:
        raise nothing
    with box.locked(), Journal(box.journal_path) as journal:
        if (open_one := journal.unfinished()) is not None:
            raise interrupted(open_one)
        on_trial = [u for u in journal.updates() if u.state is State.ON_TRIAL]
        if not on_trial:
            raise nothing
        for update in on_trial:
            journal.set_state(update.id, State.SETTLED)
        held, freeable = _sort_objects(journal)
        freed = sum(box.free(digest) for digest in freeable - held)
        return Settled(update=journal.update(on_trial[0].id), freed=freed, held=len(held))


def _sort_objects(journal: Journal) -> tuple[set[str], set[str]]:
    """(digests of the person's, digests of the program's) over all updates."""
    held: set[str] = set()
    freeable: set[str] = set()
    for update in journal.updates():
        for step in journal.steps(update.id):
            if step.before is not None and step.before.kind is Kind.FILE:
                theirs = step.verb is Verb.MERGE or step.file_class.is_the_persons
                (held if theirs else freeable).add(step.before.digest)
    return held, freeable
