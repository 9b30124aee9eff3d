"""One stage, forward or put back: the same steps, run in one direction or the other.

The order that makes it safe: the whole stage into the journal; a verified copy of all that will be
displaced into the strongbox, and everything that will be laid prepared on the file system it goes
to; a flush of each; the state `carrying` committed; then each place is changed in one rename or
exchange, after it was looked at again. A crash leaves every place as before, as after, or (where no
exchange is to be had) empty on the way between a folder and a file; the journal says which is which.
"""

from __future__ import annotations

import errno
import os
from collections.abc import Callable, Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass, field, replace
from typing import IO

from blake3 import blake3

from left_intact.core.carrying.annex import Annexes
from left_intact.core.carrying.copies import Copied, Copy, copy_all, metadata_of
from left_intact.core.carrying.journal import FolderTime, Journal, Step
from left_intact.core.carrying.roots import Roots
from left_intact.core.carrying.strongbox import Strongbox
from left_intact.core.files.archives import open_source
from left_intact.core.files.place import LocalPlace, changed, written
from left_intact.core.files.vetting import Member
from left_intact.core.model.entry import Attributes, Entry, Kind
from left_intact.core.model.errors import HalfDone, LeftIntactError, reason_of
from left_intact.core.model.place import At
from left_intact.core.model.progress import CancelToken, Progress, Report, silent
from left_intact.core.model.stages import FromArrival, FromRoot, FromStrongbox, Made
from left_intact.core.model.update import StageState, State, Update


@dataclass(slots=True)
class Run:
    """One run over the steps of a stage."""

    box: Strongbox
    journal: Journal
    update: Update
    stage: int
    steps: list[Step]
    roots: Roots
    annexes: Annexes
    report: Report = silent
    cancel: CancelToken = field(default_factory=CancelToken)
    laid: int = 0
    """Steps that this run has carried out, from the first."""
    at_work: int = 0
    """The number of the step that is being taken, or was taken last."""
    whole: bool = False
    """Whether the stage had come to its end, so that every step was laid."""
    missing: list[str] = field(default_factory=list)
    """What could not be put back, since no sound copy is left."""
    notes: set[str] = field(default_factory=set)

    def annex(self, step: Step) -> LocalPlace:
        return self.annexes.of(step.at.root)

    def ready(self, step: Step) -> str:
        return f"{self.annexes.work}/ready-{self.stage}-{step.seq}"

    def aside(self, step: Step) -> str:
        return f"{self.annexes.work}/aside-{self.stage}-{step.seq}"

    def tell(self, stage: str, done: int, path: str = "", bytes_done: int = 0) -> None:
        self.report(Progress(stage=stage, done=done, total=len(self.steps), path=path, bytes_done=bytes_done))

    def note(self, step: Step, says: tuple[str, ...]) -> None:
        for one in says:
            what = "its owner" if one == "owner" else f"the attribute {one}"
            self.notes.add(f"{step.at.shown}: {what} could not be given")

    def flush(self) -> None:
        """The strongbox and every file system that a root lies on."""
        places = [
            self.box.place,
            *(self.roots.place(label) for label in self.roots.all if self.roots.is_there(label)),
        ]
        seen: set[int] = set()
        for place in places:
            if place.file_system not in seen:
                seen.add(place.file_system)
                place.flush()


# ---------------------------------------------------------------- making safe, making ready


def stage(run: Run) -> None:
    """Fill the strongbox with what will go, make ready what will come, and flush both."""
    _make_safe(run)
    undone = run.update.undoes[0] if run.update.undoes else run.update.id
    named = dict(run.journal.trial(undone))
    for step in run.steps:
        if step.by_name and not run.box.holds(named.get(step.at.shown, "")):
            assert step.before is not None
            run.cancel.check()
            run.journal.note_trial(undone, step.at.shown, _keep_by_name(run, step, step.before, undone))
    prepare(run)
    run.flush()


def _make_safe(run: Run) -> None:
    """A verified copy of every file that will be displaced."""
    going: dict[str, dict[str, Copy]] = {}
    for step in run.steps:
        before = step.before
        if before is not None and before.kind is Kind.FILE:
            copy = Copy(step.at.path, run.box.object_name(before.digest), before.digest, before.bytes)
            going.setdefault(step.at.root, {})[before.digest] = copy
    done = bytes_done = 0

    def copied(one: Copied) -> None:
        nonlocal done, bytes_done
        done, bytes_done = done + 1, bytes_done + one.copy.size
        run.tell("safe", done, one.copy.source, bytes_done)

    for label, copies in going.items():
        run.box.make_object_folders(copies)
        copy_all(
            list(copies.values()),
            run.roots.place(label),
            run.box.place,
            on_copied=copied,
            on_fault=lambda copy, error: error,
            cancel=run.cancel,
        )


def _keep_by_name(run: Run, step: Step, before: Entry, undone: int) -> str:
    """What was made on trial, under its own name; where it is."""
    kept_at = run.box.trial_path(undone, step.at.path)
    if before.kind is Kind.LINK:
        run.box.place.new_link(kept_at, before.link)
    else:
        run.box.give(before.digest, run.box.place, kept_at)
    run.box.place.apply_metadata(kept_at, before)
    return run.box.place.full(kept_at)


def prepare(run: Run) -> None:
    """Make ready every file, link and exchanged folder that is to be laid and does not lie there yet."""
    wanted: dict[int, dict[str, list[Step]]] = {}
    boxed: list[Step] = []
    for step in run.steps:
        entry = step.after
        if (
            entry is None
            or (entry.kind is Kind.FOLDER and step.before is None)
            or is_at(run, step, entry, exact=False)
        ):
            continue  # nothing is needed, or it lies there already
        annex, ready = run.annex(step), run.ready(step)
        _clear(annex, ready)
        if entry.kind is Kind.FOLDER:
            annex.make_folder(ready, entry.mode or 0o755)
        elif entry.kind is Kind.LINK:
            annex.new_link(ready, entry.link)
            annex.apply_metadata(ready, entry, step.gives)
        elif _second_name(run, step.joins, entry, annex, ready):
            annex.apply_metadata(ready, entry, step.gives)
        elif isinstance(step.source, FromArrival):
            wanted.setdefault(step.source.arrival, {}).setdefault(step.source.member, []).append(step)
        elif isinstance(step.source, FromStrongbox):
            boxed.append(step)
        else:
            _from_here(run, step)
    _copies_for(run, boxed, run.box.place, _boxed_name, lambda copy, error: run.box.damaged(copy.digest))
    for arrival, members in wanted.items():
        _unpack(run, arrival, members)


def _copies_for(
    run: Run,
    steps: Sequence[Step],
    source: LocalPlace,
    path_of: Callable[[Step], str],
    on_fault: Callable[[Copy, LeftIntactError | OSError], Exception],
) -> None:
    """Make files ready from a place that has them one by one."""
    by_annex: dict[str, list[Step]] = {}
    for step in steps:
        by_annex.setdefault(step.at.root, []).append(step)
    done = 0

    for label, mine in by_annex.items():
        ready = {run.ready(step): step for step in mine}

        def copied(one: Copied, ready: Mapping[str, Step] = ready) -> None:
            nonlocal done
            done += 1
            step = ready[one.copy.target]
            run.note(step, one.notes)
            run.report(Progress(stage="unpacking", done=done, total=len(steps), path=step.at.shown))

        copies = [_copy_for(run, step, path_of(step)) for step in mine]
        target = run.annexes.of(label)
        copy_all(copies, source, target, on_copied=copied, on_fault=on_fault, cancel=run.cancel)


def _boxed_name(step: Step) -> str:
    assert step.after is not None
    return Strongbox.object_name(step.after.digest)


def _copy_for(run: Run, step: Step, source: str) -> Copy:
    assert step.after is not None
    metadata = metadata_of(step.after, _attributes_for(step))
    return Copy(source, run.ready(step), step.after.digest, step.after.bytes, metadata)


def _clear(annex: LocalPlace, path: str) -> None:
    info = annex.look(path)
    if info is not None and info.kind is Kind.FOLDER:
        annex.discard_all(path)
    else:
        annex.discard(path)


def _from_here(run: Run, step: Step) -> None:
    """Make a file ready from bytes that were made for it, or that lie elsewhere in the install."""
    entry, source, annex, ready = step.after, step.source, run.annex(step), run.ready(step)
    assert entry is not None
    if isinstance(source, Made):
        if blake3(source.content).hexdigest() != entry.digest:
            raise LeftIntactError(
                "plan-damaged",
                "what was made for this file is not what was planned",
                path=step.at.shown,
                way_out="Draw the plan again.",
            )
        with annex.new_file(ready) as file:
            file.write(source.content)
            written(file)
    else:
        _copy_known(run, step, source.at if isinstance(source, FromRoot) else None)
    _apply_new_metadata(run, step)


def _copy_known(run: Run, step: Step, at: At | None) -> None:
    """From where it lies, else from the strongbox: a recovery may find it moved already."""
    assert step.after is not None
    annex, ready = run.annex(step), run.ready(step)
    now = run.roots.look(at) if at is not None else None
    if at is not None and now is not None and now.kind is Kind.FILE:
        try:
            annex.copy_in(run.roots.place(at.root), at.path, ready, step.after.digest)
            return
        except LeftIntactError:
            _clear(annex, ready)
            if not run.box.has(step.after.digest):
                raise
    run.box.give(step.after.digest, annex, ready)


def _apply_new_metadata(run: Run, step: Step) -> None:
    """Mode and time of what is laid; what is exchanged keeps owner and attributes of the one before."""
    assert step.after is not None
    run.note(step, run.annex(step).apply_metadata(run.ready(step), step.after, _attributes_for(step)))


def _attributes_for(step: Step) -> Attributes | None:
    if step.gives is not None:
        return step.gives
    return step.attributes if step.before is not None and step.before.kind is Kind.FILE else None


def prepare_missing(run: Run) -> None:
    """Prepared things are renamed into place, so a missing one is laid or must be made again."""
    for step in run.steps:
        entry = step.after
        if entry is None or (entry.kind is Kind.FOLDER and step.before is None) or _only_metadata(step):
            continue
        if is_at(run, step, entry, exact=False):
            continue
        if not _is_old_one(run.annex(step), run.ready(step), entry):
            prepare(run)
            run.flush()
            return
        _apply_new_metadata(run, step)  # it may have been cut off between its bytes and its mode


class _Unpacked:
    """A sink that writes a prepared file and checks its digest; then the same bytes for every other place."""

    def __init__(self, run: Run, steps: list[Step]) -> None:
        self.run, self.steps = run, steps
        self.file: IO[bytes] = run.annex(steps[0]).new_file(run.ready(steps[0]))
        self.digest = blake3()

    def write(self, data: bytes) -> None:
        self.file.write(data)
        self.digest.update(data)

    def close(self) -> None:
        written(self.file)
        self.file.close()
        first, run = self.steps[0], self.run
        for step in self.steps:
            assert step.after is not None
            if self.digest.hexdigest() != step.after.digest:
                raise LeftIntactError(
                    "arrival-changed",
                    "the arrival is not what the plan was drawn for",
                    path=step.at.shown,
                    way_out="Draw the plan again.",
                )
            if step is not first:
                run.annex(step).copy_in(
                    run.annex(first), run.ready(first), run.ready(step), step.after.digest
                )
        for step in self.steps:
            _apply_new_metadata(run, step)


def _from_folder(run: Run, folder: str, wanted: Mapping[str, list[Step]]) -> None:
    """Make files ready from a release in a folder; no link in it is followed."""
    members = {id(step): member for member, steps in wanted.items() for step in steps}
    steps = [step for steps in wanted.values() for step in steps]

    def fault(copy: Copy, error: LeftIntactError | OSError) -> Exception:
        if isinstance(error, OSError) and error.errno not in (errno.ENOENT, errno.ENOTDIR):
            return error
        if isinstance(error, LeftIntactError) and error.code != "changed-meanwhile":
            return error
        path = os.path.join(folder, copy.source)
        says = "the arrival is not what the plan was drawn for"
        return LeftIntactError("arrival-changed", says, path=path, way_out="Draw the plan again.")

    with LocalPlace(os.path.realpath(folder)) as source:
        _copies_for(run, steps, source, lambda step: members[id(step)], fault)


def _unpack(run: Run, arrival: int, wanted: Mapping[str, list[Step]]) -> None:
    path = run.update.arrivals[arrival].source
    if os.path.isdir(path):
        _from_folder(run, path, wanted)
        return
    source = open_source(path)
    members = source.some(wanted.keys())
    if len(members) != len(wanted):
        raise LeftIntactError(
            "arrival-changed", "parts of the arrival are gone", path=path, way_out="Draw the plan again."
        )
    count = 0

    def open_sink(member: Member) -> _Unpacked:
        nonlocal count
        run.cancel.check()
        count += 1
        run.report(Progress(stage="unpacking", done=count, total=len(members), path=member.path))
        return _Unpacked(run, wanted[member.path])

    source.push(members, open_sink)


# ---------------------------------------------------------------- forward


def lay(run: Run, *, exact: bool) -> None:
    """Bring every place to its state after. With `exact`, each must be just as it was looked at."""
    bytes_done = 0
    for number, step in enumerate(run.steps, 1):
        run.cancel.check()
        seen = run.roots.look(step.at)
        if exact:
            if not _is(run, step, seen, step.before, exact=True):
                raise changed(run.roots.full(step.at))
            run.at_work = number
            _shift(run, step, seen)
            run.laid = number
        elif _is(run, step, seen, step.after, exact=False):
            if _only_metadata(step):
                _shift(run, step, seen)
        else:
            if not _is(run, step, seen, step.before, exact=False) and not _is_between(run, step):
                raise changed(run.roots.full(step.at), "it changed since the update was cut off")
            _shift(run, step, seen)
        bytes_done += step.after.bytes if step.after else 0
        run.tell("going back" if run.update.undoes else "laying", number, step.at.shown, bytes_done)
    run.roots.refuse_exchanged()


def refuse_changed(run: Run) -> None:
    """Look at every place before the first is changed. Raises `changed-meanwhile` with the first that is not
    as the plan saw it: another update may have come to its end meanwhile, by the very same plan.
    """
    for step in run.steps:
        if not _is(run, step, run.roots.look(step.at), step.before, exact=True):
            raise changed(run.roots.full(step.at))


def _only_metadata(step: Step) -> bool:
    """Whether only mode, time or owner change."""
    return step.before is not None and step.after is not None and step.before.same_content(step.after)


def _is_between(run: Run, step: Step) -> bool:
    """Whether two things were changing places when it was cut off: the old one is out, the new one not in."""
    if run.roots.look(step.at) is not None:
        return False
    return _changes_kind(step) or run.annex(step).look(run.aside(step)) is not None


def _changes_kind(step: Step) -> bool:
    if step.before is None or step.after is None:
        return False
    return (step.before.kind is Kind.FOLDER) is not (step.after.kind is Kind.FOLDER)


def _shift(run: Run, step: Step, seen: Entry | None) -> None:
    """Change one place from its state before to the one after, in one step of the file system where that
    can be. `seen` is what lay there when it was found to be in its state before.
    """
    then, now = step.after, step.before
    place, path = run.roots.spot(step.at)
    if then is None:
        assert now is not None
        if now.kind is Kind.FOLDER:
            _remove_folder(run, step, place, path)
        else:
            _clear(run.annex(step), run.aside(step))
            run.annex(step).take(place, path, run.aside(step), over=False)
    elif _only_metadata(step):
        if then != now:
            run.note(step, place.apply_metadata(path, then, step.gives or step.attributes))
    elif then.kind is Kind.FOLDER and now is None:
        place.make_folder(path, then.mode or 0o755)
    else:
        _swap(run, step, place, path, seen)


def _remove_folder(run: Run, step: Step, place: LocalPlace, path: str) -> None:
    """Remove a folder if it is empty; a root is forgotten with it."""
    if not step.at.path:
        run.roots.forget(step.at.root)
    place.remove_empty(path)


def _swap(run: Run, step: Step, place: LocalPlace, path: str, seen: Entry | None) -> None:
    """Two things change places, or one comes where nothing is. What comes out must be what was looked at,
    else it goes in again.
    """
    annex, ready, aside = run.annex(step), run.ready(step), run.aside(step)
    if seen is not None and place.exchange(annex, ready, path):
        out = annex.look(ready)
        if not _is_the_very(out, seen):
            place.exchange(annex, ready, path)
            raise changed(run.roots.full(step.at))
        if seen.kind is Kind.FOLDER and not annex.remove_empty(ready):
            place.exchange(annex, ready, path)
            raise changed(run.roots.full(step.at), "something has appeared in this folder")
        return
    if seen is not None and seen.kind is Kind.FOLDER:
        if not place.remove_empty(path):
            raise changed(run.roots.full(step.at), "something has appeared in this folder")
    elif seen is not None:
        _clear(annex, aside)
        annex.take(place, path, aside, over=False)
        if not _is_the_very(annex.look(aside), seen):
            place.take(annex, aside, path, over=False)
            raise changed(run.roots.full(step.at))
    place.take(annex, ready, path, over=False)


def _is_the_very(out: Entry | None, seen: Entry) -> bool:
    """Whether what came out of a place is what was seen there, as far as its stamps tell."""
    if out is None:
        return False
    return (out.stamp[:2], out.bytes, out.mtime_ns) == (seen.stamp[:2], seen.bytes, seen.mtime_ns)


def is_at(run: Run, step: Step, state: Entry | None, *, exact: bool) -> bool:
    """Whether a place is in a state. `exact` also asks for mode and time; the stamp saves reading."""
    return _is(run, step, run.roots.look(step.at), state, exact=exact)


def _is(run: Run, step: Step, now: Entry | None, state: Entry | None, *, exact: bool) -> bool:
    if now is None or state is None:
        return now is state
    if now.kind is not state.kind:
        return False
    if state.kind is Kind.FOLDER:
        return True
    if state.kind is Kind.LINK:
        return now.link == state.link
    place = run.roots.place(step.at.root)
    if exact and ((place.able.modes and now.mode != state.mode) or now.mtime_ns != state.mtime_ns):
        return False
    if now.bytes != state.bytes:
        return False
    if place.able.change_times and now.stamp == state.stamp and now.mtime_ns == state.mtime_ns:
        return True
    try:
        return place.digest(step.at.path) == state.digest
    except (OSError, LeftIntactError):
        return False


# ---------------------------------------------------------------- back


def was_begun(run: Run, step: Step) -> bool:
    """Whether a step that failed had changed its place all the same. One that failed as its place was looked
    at had not, whatever lies there: somebody else may have brought the very same.
    """
    if run.at_work <= run.laid:
        return False
    return _is_between(run, step) or is_at(run, step, step.after, exact=False)


def put_back(run: Run, folders: list[FolderTime], *, ending: Callable[[], None]) -> None:
    """Bring every place of a stage to its state before, newest step first, then the times of the folders.

    What is neither as before nor as the stage left it was made by the person meanwhile: it is copied to the
    strongbox under its own name first. A place that fails stops no other. Raises `HalfDone` where some are
    not back; the state stays, so that the same can be tried again.
    """
    failed: list[tuple[Step, Exception]] = []
    for number, step in enumerate(reversed(run.steps), 1):
        try:
            _put_one_back(run, step)
        except (OSError, LeftIntactError) as trouble:
            failed.append((step, trouble))
        run.tell("putting back" if run.update.undoes else "going back", number, step.at.shown)
    for folder in sorted(folders, key=lambda f: -f.at.path.count("/") - bool(f.at.path)):
        with suppress(OSError, LeftIntactError):
            if not folder.wanted:
                place, path = run.roots.spot(folder.at)
                place.set_time(path, folder.mtime_ns)
    if failed:
        step, error = failed[0]
        why = reason_of(error) if isinstance(error, OSError) else str(error)
        more = f" and {len(failed) - 1} more" if len(failed) > 1 else ""
        raise HalfDone(
            "half-done",
            f"{len(run.steps) - len(failed)} of {len(run.steps)} places are back, this one{more} not ({why})",
            path=run.roots.full(step.at),
            way_out="Every copy is in the strongbox. Mend that, then: left-intact recover --back.",
        ) from error
    run.flush()
    ending()


def _put_one_back(run: Run, step: Step) -> None:
    if step.before == step.after:
        return  # only a copy of it was taken
    now = run.roots.look(step.at)
    if _is(run, step, now, step.before, exact=False):
        if _only_metadata(step):
            assert step.before is not None
            place, path = run.roots.spot(step.at)
            run.note(step, place.apply_metadata(path, step.before, step.attributes))
        return
    if now is not None and not _is(run, step, now, step.after, exact=False):
        if step.before is None:
            return  # nothing lay there and nothing of ours does: somebody else's, and not in the way
        if not run.whole and not _was_laid(run, step):
            return  # the stage never came to it, so what changed here since is the person's
        now = _out_of_the_way(run, step, now)
    place, path = run.roots.spot(step.at)
    if step.before is None:
        assert now is not None  # else it lay as before
        if now.kind is Kind.FOLDER:
            _remove_folder(run, step, place, path)
        else:
            _clear(run.annex(step), run.aside(step))
            run.annex(step).take(place, path, run.aside(step), over=False)
        return
    _make_parents(run, step.at)
    if step.before.kind is Kind.FOLDER:
        _folder_back(run, step, now)
        return
    ready = _old_one(run, step)
    if ready is None:
        run.missing.append(step.at.shown)
        return
    annex = run.annex(step)
    if now is not None and now.kind is Kind.FOLDER:
        if not place.remove_empty(path):
            raise changed(
                run.roots.full(step.at),
                "something of yours is in this folder, and a file belongs in its place",
            )
        now = None
    place.take(annex, ready, path, over=now is not None)


def _was_laid(run: Run, step: Step) -> bool:
    """Whether a stage that was cut off had come to a step, told by what still waits in the annex; for a
    folder nothing waits, and what belongs into it needs it back.
    """
    assert step.before is not None  # where nothing lay, what is there now stays
    annex, after = run.annex(step), step.after
    if step.before.kind is Kind.FOLDER:
        return True
    if after is None:
        return annex.look(run.aside(step)) is not None
    return not _is_old_one(annex, run.ready(step), after)


def _folder_back(run: Run, step: Step, now: Entry | None) -> None:
    assert step.before is not None
    place, path = run.roots.spot(step.at)
    if now is not None:
        _clear(run.annex(step), run.aside(step))
        run.annex(step).take(place, path, run.aside(step), over=False)
    place.make_folder(path, step.before.mode or 0o755)


def _old_one(run: Run, step: Step) -> str | None:
    """What lay there, ready to be put back: the very one if it still waits, else a copy; None where no
    sound copy is left.
    """
    annex, before = run.annex(step), step.before
    assert before is not None
    for path in (run.aside(step), run.ready(step)):
        if _is_old_one(annex, path, before):
            run.note(step, annex.apply_metadata(path, before, step.attributes))
            return path
    ready = f"{run.annexes.work}/back-{run.stage}-{step.seq}"
    _clear(annex, ready)
    if before.kind is Kind.LINK:
        annex.new_link(ready, before.link)
    elif not _second_name(run, step.partner, before, annex, ready):
        try:
            run.box.give(before.digest, annex, ready)
        except LeftIntactError:
            return None
    run.note(step, annex.apply_metadata(ready, before, step.attributes))
    return ready


def _is_old_one(annex: LocalPlace, path: str, before: Entry) -> bool:
    """Whether a file or link of ours is what an entry says, byte for byte."""
    found = annex.look(path)
    if found is None or found.kind is not before.kind:
        return False
    if before.kind is Kind.FOLDER:
        return True
    if before.kind is Kind.LINK:
        return found.link == before.link
    try:
        return annex.digest(path) == before.digest
    except (OSError, LeftIntactError):
        return False


def _second_name(run: Run, partner: At | None, entry: Entry, annex: LocalPlace, ready: str) -> bool:
    """A file that had another name gets it back, where that still has the same bytes and can be reached."""
    if partner is None:
        return False
    try:
        there = run.roots.place(partner.root)
        if there.digest(partner.path) != entry.digest:
            return False
        annex.second_name(there, partner.path, ready)
    except (OSError, LeftIntactError):
        return False
    return True


def _make_parents(run: Run, at: At) -> None:
    """Folders that a run meanwhile removed are made again on the way."""
    parts = at.path.split("/")[:-1]
    for depth in range(1, len(parts) + 1):
        folder = At(at.root, "/".join(parts[:depth]))
        if run.roots.look(folder) is None:
            run.roots.place(at.root).make_folder(folder.path, 0o755)


def _out_of_the_way(run: Run, step: Step, now: Entry) -> Entry | None:
    """Keep what the person made meanwhile, under its own name; what remains at the place."""
    if now.kind in (Kind.FOLDER, Kind.OTHER):
        if step.before is None:
            return now
        _rename_beside(run, step)
        return None
    kept_at = run.box.trial_path(run.update.id, step.at.path)
    if now.kind is Kind.LINK:
        run.box.place.new_link(kept_at, now.link)
    else:
        place = run.roots.place(step.at.root)
        run.box.place.copy_in(place, step.at.path, kept_at, place.digest(step.at.path))
        run.box.place.apply_metadata(kept_at, now)
    run.box.flush()
    run.journal.note_trial(run.update.id, step.at.shown, run.box.place.full(kept_at))
    return now


def _rename_beside(run: Run, step: Step) -> None:
    """A folder or device of the person's that lies where something is to be put back gets another name;
    nothing in it is touched.
    """
    place, path = run.roots.spot(step.at)
    number, name = 2, f"{path} (yours)"
    while place.stat(name) is not None:
        name, number = f"{path} (yours {number})", number + 1
    place.take(place, path, name, over=False)
    run.journal.note_trial(run.update.id, step.at.shown, place.full(name))


def as_stop(error: BaseException, holds: str = "nothing was changed") -> LeftIntactError:
    """Any error as one line; `holds` says what is so now."""
    if isinstance(error, LeftIntactError):
        return error
    if isinstance(error, OSError):
        path = error.filename if isinstance(error.filename, str) else ""
        return LeftIntactError(
            "disk",
            f"the disk refused ({reason_of(error)}); {holds}",
            path=path,
            way_out="Mend that and start again.",
        )
    if isinstance(error, KeyboardInterrupt):
        return LeftIntactError("stopped", f"stopped; {holds}", way_out="Start again whenever you like.")
    return LeftIntactError(
        "unexpected", f"this should not happen ({error!r}); {holds}", way_out="Please report it."
    )


def with_state(run: Run, state: State) -> None:
    """Note that a run is in another state, in the journal and here."""
    run.journal.set_state(run.update.id, state, stage=(run.stage, StageState.PUTTING_BACK))
    run.update = replace(run.update, state=state)
