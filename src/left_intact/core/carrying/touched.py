"""What an update did to each place, all its stages together: what lay there first, and what it left there
last.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace

from left_intact.core.carrying.journal import Journal, Observed, StageRow
from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Attributes, Entry, Kind
from left_intact.core.model.place import At
from left_intact.core.model.proof import Beginning, Witness, Witnessed
from left_intact.core.model.stages import FromRoot, Verb
from left_intact.core.model.update import StageState


@dataclass(frozen=True, slots=True, kw_only=True)
class Touch:
    """One place over all stages."""

    at: At
    first: Entry | None
    """What lay there before the first stage that came to it."""
    last: Entry | None
    """What the last stage, or a step by hand, left there."""
    file_class: FileClass
    verb: Verb
    attributes: Attributes | None = None
    """Of `first`."""
    partner: At | None = None
    seen: tuple[Entry, ...] = ()
    """Every state that a stage found or left there."""


def in_force(journal: Journal, update: int, after: int = 0) -> list[StageRow]:
    """The stages of an update that are done, behind a number, in their order."""
    return [s for s in journal.stages(update) if s.seq > after and _counts(journal, update, s)]


def _counts(journal: Journal, update: int, stage: StageRow) -> bool:
    # What was seen to change while a step by hand waited is so, whatever became of the step.
    if stage.state is StageState.DONE:
        return True
    left = stage.kind == "hand" and stage.state in (StageState.SKIPPED, StageState.GIVEN_UP)
    return left and bool(journal.observed(update, stage.seq))


def touched(journal: Journal, update: int, after: int = 0) -> dict[At, Touch]:
    """Every place that the stages of an update changed. With `after` only those behind that number."""
    found: dict[At, Touch] = {}
    for stage in in_force(journal, update, after):
        if stage.kind == "hand":
            for seen in journal.observed(update, stage.seq):
                known = found.get(seen.at)
                first = known.first if known else seen.before
                states = _seen(known, seen.before, seen.after)
                touch = Touch(
                    at=seen.at,
                    first=first,
                    last=seen.after,
                    file_class=seen.file_class,
                    verb=Verb.KEEP,
                    seen=states,
                )
                found[seen.at] = replace(known, last=seen.after, seen=states) if known else touch
            continue
        for step in journal.steps(update, stage.seq):
            if step.before == step.after:
                continue
            known = found.get(step.at)
            states = _seen(known, step.before, step.after)
            if known is not None:
                found[step.at] = replace(known, last=step.after, verb=step.verb, seen=states)
                continue
            found[step.at] = Touch(
                at=step.at,
                first=step.before,
                last=step.after,
                file_class=step.file_class,
                verb=step.verb,
                attributes=step.attributes,
                partner=step.partner,
                seen=states,
            )
    return found


def made_safe(journal: Journal, update: int) -> dict[At, tuple[Entry, FileClass]]:
    """What stages of a run copied without changing it, since a step by hand would take it away."""
    return {
        step.at: (step.before, step.file_class)
        for stage in in_force(journal, update)
        for step in (journal.steps(update, stage.seq) if stage.kind == "carry" else ())
        if step.before is not None and step.before == step.after
    }


def made_by_hand(journal: Journal, update: int) -> dict[At, Entry]:
    """What lay there right after steps by hand that changed it."""
    found: dict[At, Entry] = {}
    for stage in in_force(journal, update):
        for seen in journal.observed(update, stage.seq) if stage.kind == "hand" else ():
            if seen.after is None:
                found.pop(seen.at, None)
            else:
                found[seen.at] = seen.after
    return found


def _seen(known: Touch | None, *more: Entry | None) -> tuple[Entry, ...]:
    return (*(known.seen if known else ()), *(entry for entry in more if entry is not None))


def first_times(journal: Journal, update: int, after: int = 0) -> dict[At, int]:
    """The times of all folders that the stages touched, as they were before."""
    found: dict[At, int] = {}
    for stage in in_force(journal, update, after):
        for folder in journal.folders(update, stage.seq):
            if not folder.wanted:
                found.setdefault(folder.at, folder.mtime_ns)
        for seen in journal.observed(update, stage.seq) if stage.kind == "hand" else ():
            if seen.before is not None and seen.before.kind is Kind.FOLDER:
                found.setdefault(seen.at, seen.before.mtime_ns)
    return found


def witness_of_all(journal: Journal, update: int) -> Witness:
    """What an update is proven against: the witness of its first stage, and over it what each later one
    agreed to.
    """
    every = journal.stages(update)
    stages = in_force(journal, update) or every
    carries = [s for s in stages if s.kind == "carry"]
    if not carries:
        return Witness(rows={}, version="", to_version="", merged={})
    whole = journal.witness_of(update, carries[0].seq)
    rows, merged, moved = dict(whole.rows), dict(whole.merged), set[At]()
    own = {step.at for step in journal.steps(update, carries[0].seq) if step.before != step.after}
    counting = {stage.seq for stage in stages}
    for stage in every:
        if stage.seq not in counting and stage.state not in (StageState.SKIPPED, StageState.GIVEN_UP):
            continue
        for seen in journal.observed(update, stage.seq):
            if stage.seq <= carries[0].seq and seen.at in own:
                continue  # what the stage agreed to came after it
            _observe(rows, seen, None if seen.at in moved else whole.kept.class_at(seen.at))
            if seen.after is None or seen.after.kind is not Kind.FOLDER:
                moved.add(seen.at)
        if stage.kind != "hand" and stage.seq in counting and stage.seq != carries[0].seq:
            more = journal.witness_of(update, stage.seq)
            for at, row in more.rows.items():
                known = rows.get(at)
                first = known.before if known is not None and known.verb is not Verb.KEEP else row.before
                rows[at] = replace(row, before=first)
            moved |= more.rows.keys()
            merged |= more.merged
    beginning = _beginning(journal, update, every, whole)
    _with_made_safe(rows, beginning)
    by_hand = any(
        seen.after is not None and seen.before is None and seen.file_class is FileClass.PROGRAM
        for stage in stages
        for seen in (journal.observed(update, stage.seq) if stage.kind == "hand" else ())
    )
    run = journal.update(update)
    roots = tuple((root.label, root.place) for root in run.roots if root.label)
    return Witness(
        rows=rows,
        version=run.from_version,
        to_version=run.to_version,
        merged=merged,
        roots=roots,
        kept=whole.kept.without(moved),
        by_hand=by_hand,
        beginning=beginning,
    )


def _beginning(journal: Journal, update: int, stages: Iterable[StageRow], first: Witness) -> Beginning:
    """What lay there before the first stage. What a step by hand fetched before anything was made safe is
    what was to be made safe.
    """
    rows = {at: (row.before, row.file_class) for at, row in first.rows.items() if row.before is not None}
    safe, left, seen = made_safe(journal, update), _left_newer(journal, update), dict[At, Entry | None]()
    copied = min((s.seq for s in stages if s.copies), default=0)
    laying = [s.seq for s in in_force(journal, update) if s.kind == "carry" and s.seq > copied]
    last = max(laying, default=0)
    fetched, since = set[At](), set[At]()
    for stage in stages:
        for one in journal.observed(update, stage.seq):  # during a step by hand, or while an answer was due
            if stage.seq >= copied:
                seen[one.at] = one.after
                if last and stage.seq > last:
                    since.add(one.at)
                continue
            fetched.add(one.at)
            rows.pop(one.at, None)
            if one.after is not None:
                rows[one.at] = (one.after, one.file_class)
    put_there = {
        step.after.digest: step.at
        for step in (journal.steps(update, last) if last else ())
        if step.at in since and step.after is not None and step.after.digest
    }
    return Beginning(
        kept=first.kept.without(fetched),
        rows=rows,
        safe=safe,
        by_hand=seen,
        since=frozenset(since),
        put_there=put_there,
        left=left,
    )


def _left_newer(journal: Journal, update: int) -> frozenset[At]:
    """Places of what was made safe and stays in the strongbox, since the person chose what is newer there."""
    return frozenset(
        step.source.at
        for stage in in_force(journal, update)
        for step in (journal.steps(update, stage.seq) if stage.kind == "carry" else ())
        if step.before == step.after and isinstance(step.source, FromRoot)
    )


def _with_made_safe(rows: dict[At, Witnessed], beginning: Beginning) -> None:
    """What was made safe before a step by hand took it away is what was before. Where it lies again, under
    its name or another, that is held against it; where it lies nowhere, it is missed.
    """
    safe = beginning.safe
    gone: dict[str, list[At]] = {}
    for at, (entry, _) in safe.items():
        if at in beginning.left or at in beginning.since or entry.digest in beginning.put_there:
            continue  # the person chose that what is newer counts, or made it anew once it was back
        if at not in rows:
            gone.setdefault(entry.digest, []).append(at)
        elif rows[at].verb is not Verb.KEEP:
            rows[at] = replace(rows[at], before=entry)
    for at, row in rows.items():
        digest = row.agreed.digest if row.agreed is not None and row.verb is Verb.REHOME else ""
        if digest and gone.get(digest):
            rows[at] = replace(row, before=safe[gone[digest].pop(0)][0])
    for at in (one for places in gone.values() for one in places):
        entry, kind = safe[at]
        if kind.is_the_persons:
            rows[at] = Witnessed(file_class=kind, verb=Verb.KEEP, before=entry, agreed=entry)


def _observe(rows: dict[At, Witnessed], seen: Observed, file_class: FileClass | None) -> None:
    """What somebody left there is what lies there from now on. `file_class` is that of a kept place."""
    at, after = seen.at, seen.after
    if after is not None and after.kind is Kind.FOLDER:
        return
    if after is None:
        rows.pop(at, None)
        return
    known = rows.get(at)
    kind = known.file_class if known else file_class or seen.file_class
    rows[at] = Witnessed(file_class=kind, verb=Verb.KEEP, before=after, agreed=after)
