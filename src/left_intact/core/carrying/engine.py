"""Carrying a plan out, and taking it back: the same steps, run in one direction or the other.

The order that makes it safe: the whole plan into the journal; a verified copy of all
that will be displaced into the strongbox, and everything that will be laid prepared
there; one flush; the state `carrying` committed; then each place is changed in one
rename, after it was looked at again. A crash leaves every path either as before or as
after, and the journal says which is which.
"""

from __future__ import annotations

import os
import stat
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import IO

from blake3 import blake3

from left_intact.core.carrying import disk
from left_intact.core.carrying.journal import Journal, Step
from left_intact.core.carrying.steps import steps_of, touched_folders, witness_of
from left_intact.core.carrying.strongbox import Strongbox
from left_intact.core.files.archives import Member, open_source
from left_intact.core.files.tree import look_again
from left_intact.core.model.entry import Entry, Kind
from left_intact.core.model.errors import Interrupted, LeftIntactError, Refusal, reason_of
from left_intact.core.model.plan import Plan
from left_intact.core.model.progress import CancelToken, Progress, Report, silent
from left_intact.core.model.survey import Folder
from left_intact.core.model.update import State, Update


@dataclass(slots=True)
class Run:
    """One run over the steps of an update."""

    box: Strongbox
    journal: Journal
    update: Update
    steps: list[Step]
    report: Report = silent
    cancel: CancelToken = field(default_factory=CancelToken)
    laid: int = 0
    """Steps that this run has carried out, from the first."""
    kept: list[tuple[str, str]] = field(default_factory=list)
    """(path, where) of what was changed while on trial and set aside."""

    @property
    def root(self) -> str:
        return self.update.root

    def ready(self, step: Step) -> str:
        return os.path.join(self.box.work_folder(self.update.id), f"ready-{step.seq}")

    def aside(self, step: Step) -> str:
        return os.path.join(self.box.work_folder(self.update.id), f"aside-{step.seq}")

    def tell(self, stage: str, done: int, path: str = "", bytes_done: int = 0) -> None:
        self.report(Progress(stage=stage, done=done, total=len(self.steps), path=path, bytes_done=bytes_done))


# ---------------------------------------------------------------- forward


def carry_out(
    plan: Plan, box: Strongbox, *, allowed: frozenset[str] = frozenset(), report: Report = silent,
    cancel: CancelToken | None = None,
) -> Update:  # fmt: skip
    """Carry a plan out whole or not at all.

    Raises `Refusal` before the first write where something is in the way, `Interrupted`
    where an earlier update was cut off, `Stopped` and other `LeftIntactError` after
    everything was put back.
    """
    refuse_if_blocked(plan, allowed)
    with box.locked(), Journal(box.journal_path) as journal:
        if (open_one := journal.unfinished()) is not None:
            raise interrupted(open_one)
        steps = steps_of(plan)
        info = os.lstat(plan.root)
        top = Folder(path="", mode=stat.S_IMODE(info.st_mode), mtime_ns=info.st_mtime_ns)
        update = journal.begin(
            install=plan.install, root=plan.root, arrival=plan.arrival.source, arrival_root=plan.arrival.root,
            steps=steps, folders=touched_folders(plan, steps, top), witness=witness_of(plan),
        )  # fmt: skip
        run = Run(box, journal, update, steps, report, cancel or CancelToken())
        _stage_or_abandon(run)
        _forward_or_back(run)
        return journal.update(update.id)


def refuse_if_blocked(plan: Plan, allowed: frozenset[str]) -> None:
    """Raise `Refusal` with all blockers that were not passed, `questions-open` with open questions."""
    left = [fault for fault in plan.blockers if not (fault.passable and fault.code in allowed)]
    if left:
        raise Refusal(left)
    if plan.open_questions:
        raise LeftIntactError("questions-open", f"{len(plan.open_questions)} questions are open", way_out="Answer them.")


def interrupted(update: Update) -> Interrupted:
    what = "going back" if update.state is State.GOING_BACK else f"the update to {update.to_version or 'a new build'}"
    return Interrupted(
        "interrupted", f"{what} of {update.install} was cut off", path=update.root,
        way_out="End it with: left-intact recover --forward, or --back.",
    )  # fmt: skip


def _stage_or_abandon(run: Run) -> None:
    try:
        stage(run)
    except Exception as error:
        run.box.clear_work(run.update.id)
        run.journal.set_state(run.update.id, State.ABANDONED)
        raise _as_stop(error) from error


def stage(run: Run) -> None:
    """Fill the strongbox with what will go and with what will come, and flush it."""
    run.box.open_work(run.update.id)
    bytes_done = 0
    for number, step in enumerate(run.steps, 1):
        run.cancel.check()
        if step.before is not None and step.before.kind is Kind.FILE:
            run.box.keep(os.path.join(run.root, step.path), step.before.digest)
            bytes_done += step.before.bytes
        run.tell("safe", number, step.path, bytes_done)
    prepare(run)
    run.box.flush()
    run.journal.set_state(run.update.id, State.CARRYING)


def prepare(run: Run) -> None:
    """Make ready every file and link that is to be laid and does not lie there yet."""
    wanted: dict[str, Step] = {}
    for step in run.steps:
        entry, ready = step.after, run.ready(step)
        if entry is None or entry.kind is Kind.FOLDER:
            continue
        if os.path.lexists(ready):
            disk.discard(ready, run.box.folder)
        if is_at(run.root, step.path, entry, exact=False):
            continue
        if entry.kind is Kind.LINK:
            os.symlink(entry.link, ready)
            disk.dress(ready, entry)
        elif step.content is not None:
            disk.write_new(ready, step.content)
            disk.dress(ready, entry)
        else:
            wanted[f"{run.update.arrival_root}/{step.path}" if run.update.arrival_root else step.path] = step
    if wanted:
        _unpack(run, wanted)


class _Unpacked:
    """A sink that writes a prepared file and checks its digest."""

    def __init__(self, run: Run, step: Step) -> None:
        assert step.after is not None
        self.entry, self.path = step.after, run.ready(step)
        self.file: IO[bytes] = open(self.path, "xb")  # noqa: SIM115 (closed by `close`)
        self.digest = blake3()

    def write(self, data: bytes) -> None:
        self.file.write(data)
        self.digest.update(data)

    def close(self) -> None:
        self.file.close()
        if self.digest.hexdigest() != self.entry.digest:
            raise LeftIntactError("arrival-changed", "the arrival is not what the plan was drawn for",
                                  path=self.entry.path, way_out="Draw the plan again.")  # fmt: skip
        disk.dress(self.path, self.entry)


def _unpack(run: Run, wanted: Mapping[str, Step]) -> None:
    source = open_source(run.update.arrival)
    members = [m for m in source.members() if m.path in wanted]
    if len(members) != len(wanted):
        raise LeftIntactError("arrival-changed", "parts of the arrival are gone", path=run.update.arrival,
                              way_out="Draw the plan again.")  # fmt: skip
    count = 0

    def open_sink(member: Member) -> _Unpacked:
        nonlocal count
        run.cancel.check()
        count += 1
        run.report(Progress(stage="unpacking", done=count, total=len(members), path=member.path))
        return _Unpacked(run, wanted[member.path])

    source.push(members, open_sink)


def _forward_or_back(run: Run) -> None:
    """Lay everything; when anything is wrong, put everything back and say what it was."""
    try:
        go_forward(run, exact=True)
    except Exception as error:
        run.cancel = CancelToken()
        run.journal.set_state(run.update.id, State.PUTTING_BACK)
        # The step that failed changed nothing, and later ones were never begun.
        if run.laid < len(run.steps):
            _clear_leftovers(run, run.steps[run.laid])
        run.steps = run.steps[: run.laid]
        take_back(run, ending=State.ABANDONED)
        raise _as_stop(error) from error


def go_forward(run: Run, *, exact: bool) -> None:
    """Bring every path to its state after. With `exact`, each must be just as it was surveyed."""
    bytes_done = 0
    for number, step in enumerate(run.steps, 1):
        run.cancel.check()
        if exact:
            if not is_at(run.root, step.path, step.before, exact=True):
                raise disk.changed(os.path.join(run.root, step.path))
            _shift(run, step, step.before, step.after)
            run.laid = number
        elif not is_at(run.root, step.path, step.after, exact=False):
            if not is_at(run.root, step.path, step.before, exact=False):
                raise disk.changed(os.path.join(run.root, step.path), "it changed since the update was cut off")
            _shift(run, step, step.before, step.after)
        bytes_done += step.after.bytes if step.after else 0
        run.tell("laying", number, step.path, bytes_done)
    disk.flush_file_system(run.root)
    run.journal.set_state(run.update.id, State.ON_TRIAL)
    run.box.clear_work(run.update.id)


def _shift(run: Run, step: Step, now: Entry | None, then: Entry | None) -> None:
    """Change one place from one state to another, in one step of the file system."""
    if then is None:
        assert now is not None
        if now.kind is Kind.FOLDER:
            disk.remove_empty(run.root, step.path)
        else:
            disk.take_away(run.root, step.path, run.aside(step))
    elif then.kind is Kind.FOLDER:
        disk.make_folder(run.root, step.path, then.mode or 0o755)
    else:
        disk.lay(run.ready(step), run.root, step.path, then, over=now is not None)


def is_at(root: str, path: str, state: Entry | None, *, exact: bool) -> bool:
    """Whether a path is in a state. `exact` also asks for mode and time; the stamp saves reading."""
    now = look_again(root, path, content=False)
    if now is None or state is None:
        return now is state
    if now.kind is not state.kind:
        return False
    if state.kind is Kind.FOLDER:
        return True
    if state.kind is Kind.LINK:
        return now.link == state.link
    if exact and (now.mode != state.mode or now.mtime_ns != state.mtime_ns):
        return False
    if now.bytes != state.bytes:
        return False
    if now.stamp == state.stamp and now.mtime_ns == state.mtime_ns:
        return True
    try:
        return disk.digest_of(os.path.join(root, path)) == state.digest
    except OSError:
        return False


# ---------------------------------------------------------------- back


def take_back(run: Run, *, ending: State) -> None:
    """Bring every path to its state before, newest step first, then the times of the folders.

    What is neither as before nor as the update left it was made by the person meanwhile:
    it is copied to the strongbox under its own name first.
    """
    run.box.open_work(run.update.id)
    for number, step in enumerate(reversed(run.steps), 1):
        _clear_leftovers(run, step)
        if not is_at(run.root, step.path, step.before, exact=False):
            _put_back(run, step)
        elif step.before is not None and step.before.kind is Kind.FILE:
            disk.dress(os.path.join(run.root, step.path), step.before)
        run.tell("going back", number, step.path)
    for folder in sorted(run.journal.folders(run.update.id), key=lambda f: -f.path.count("/") - bool(f.path)):
        place = os.path.join(run.root, folder.path) if folder.path else run.root
        if os.path.isdir(place) and not os.path.islink(place):
            os.utime(place, ns=(folder.mtime_ns, folder.mtime_ns))
    disk.flush_file_system(run.root)
    run.journal.set_state(run.update.id, ending)
    run.box.clear_work(run.update.id)


def _clear_leftovers(run: Run, step: Step) -> None:
    leftover = disk.temporary_for(os.path.join(run.root, step.path))
    if os.path.lexists(leftover):
        os.rename(leftover, run.aside(step) + "-left")


def _put_back(run: Run, step: Step) -> None:
    now = look_again(run.root, step.path)
    if now is not None and not is_at(run.root, step.path, step.after, exact=False):
        if now.kind is Kind.FOLDER:
            _restore_beside(run, step)
            return
        if step.before is None and run.update.state is not State.GOING_BACK:
            return  # nothing lay there and nothing of ours does: somebody else's, and not in the way
        _keep_from_trial(run, step, now)
    if now is not None and now.kind is Kind.FOLDER and step.before is None:
        disk.remove_empty(run.root, step.path)
        return
    if step.before is None:
        disk.take_away(run.root, step.path, _free_name(run.aside(step)))
        return
    _make_parents(run, step.path)
    if step.before.kind is Kind.FOLDER:
        if now is None:
            disk.make_folder(run.root, step.path, step.before.mode or 0o755)
        return
    ready = _free_name(run.ready(step) + "-back")
    if step.before.kind is Kind.LINK:
        os.symlink(step.before.link, ready)
    else:
        run.box.give(step.before.digest, ready)
    disk.dress(ready, step.before)
    disk.lay(ready, run.root, step.path, step.before, over=now is not None)


def _restore_beside(run: Run, step: Step) -> None:
    raise LeftIntactError(
        "in-the-way", "a folder has appeared where a file is to be put back",
        path=os.path.join(run.root, step.path), way_out="Move it elsewhere, then: left-intact recover --back.",
    )  # fmt: skip


def _make_parents(run: Run, path: str) -> None:
    """Folders that a run on trial removed are made again on the way."""
    parts = path.split("/")[:-1]
    for depth in range(1, len(parts) + 1):
        folder = "/".join(parts[:depth])
        if look_again(run.root, folder, content=False) is None:
            disk.make_folder(run.root, folder, 0o755)


def _keep_from_trial(run: Run, step: Step, now: Entry) -> None:
    kept_at = _free_name(run.box.trial_path(run.update.id, step.path))
    os.makedirs(os.path.dirname(kept_at), mode=0o700, exist_ok=True)
    if now.kind is Kind.LINK:
        os.symlink(now.link, kept_at)
    elif now.kind is Kind.FILE:
        disk.copy_verified(os.path.join(run.root, step.path), kept_at, now.digest)
        disk.dress(kept_at, now)
    else:
        raise LeftIntactError("in-the-way", "this cannot be read, so it cannot be put back safely",
                              path=os.path.join(run.root, step.path), way_out="Check its permissions.")  # fmt: skip
    run.box.flush()
    run.journal.note_trial(run.update.id, step.path, kept_at)
    run.kept.append((step.path, kept_at))


def _free_name(path: str) -> str:
    number, name = 2, path
    while os.path.lexists(name):
        name, number = f"{path}.{number}", number + 1
    return name


def _as_stop(error: Exception) -> LeftIntactError:
    if isinstance(error, LeftIntactError):
        return error
    if isinstance(error, OSError):
        reason = reason_of(error)
        path = os.fsdecode(error.filename) if isinstance(error.filename, (str, bytes)) else ""
        return LeftIntactError("disk", f"the disk refused ({reason}); nothing was changed", path=path,
                               way_out="Mend that and start again.")  # fmt: skip
    return LeftIntactError("unexpected", f"this should not happen ({error!r}); nothing was changed",
                           way_out="Please report it.")  # fmt: skip
