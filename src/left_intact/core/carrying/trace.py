"""What a run did, all its stages together, as its journal tells."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from functools import cached_property

from left_intact.core.carrying.journal import Journal, Observed, StageRow, Step
from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Entry, Kind
from left_intact.core.model.place import At
from left_intact.core.model.proof import Beginning, Witness, Witnessed
from left_intact.core.model.stages import FromRoot, Verb
from left_intact.core.model.touch import Touch
from left_intact.core.model.update import StageState


class Trace:
    """What one run left in its journal, each of its stages read once."""

    def __init__(self, journal: Journal, update: int) -> None:
        self.journal, self.update = journal, update
        self._steps: dict[int, list[Step]] = {}
        self._observed: dict[int, list[Observed]] = {}

    @cached_property
    def stages(self) -> list[StageRow]:
        return self.journal.stages(self.update)

    def steps(self, stage: int) -> list[Step]:
        if stage not in self._steps:
            self._steps[stage] = self.journal.steps(self.update, stage)
        return self._steps[stage]

    def observed(self, stage: int) -> list[Observed]:
        if stage not in self._observed:
            self._observed[stage] = self.journal.observed(self.update, stage)
        return self._observed[stage]

    def _agreed(self, stage: StageRow, first: Witness) -> Iterator[Observed]:
        """What changed while somebody was waited for, within what the step was for. `first` knows what
        class a place had before.
        """
        step = stage.hand
        for seen in self.observed(stage.seq):
            if step is None or seen.before is None or _is_alike(seen.before, seen.after):
                yield seen
                continue
            row = first.rows.get(seen.at)
            kind = row.file_class if row is not None else first.kept.class_at(seen.at) or seen.file_class
            if step.may_change(seen.at, kind, gone=seen.after is None):
                yield seen

    @cached_property
    def in_force(self) -> list[StageRow]:
        """The stages that are done, in their order."""
        return [stage for stage in self.stages if self._counts(stage)]

    def _counts(self, stage: StageRow) -> bool:
        # What was seen to change while a step by hand waited is so, whatever became of the step.
        if stage.state is StageState.DONE:
            return True
        left = stage.kind == "hand" and stage.state in (StageState.SKIPPED, StageState.GIVEN_UP)
        return left and bool(self.observed(stage.seq))

    def _changes(self) -> Iterator[Step]:
        """The steps of the stages in force."""
        for stage in self.in_force:
            if stage.kind == "carry":
                yield from self.steps(stage.seq)

    def _by_hand(self, after: int = 0) -> Iterator[Observed]:
        """What changed during the steps by hand that are over."""
        for stage in self.in_force:
            if stage.kind == "hand" and stage.seq > after:
                yield from self.observed(stage.seq)

    def touched(self, after: int = 0) -> dict[At, Touch]:
        """Every place that the stages changed. With `after` only those behind that number."""
        found: dict[At, Touch] = {}
        for stage in self.in_force:
            if stage.seq <= after:
                continue
            if stage.kind == "hand":
                for seen in self.observed(stage.seq):
                    known = found.get(seen.at)
                    found[seen.at] = Touch(
                        at=seen.at,
                        first=known.first if known else seen.before,
                        last=seen.after,
                        file_class=known.file_class if known else seen.file_class,
                        attributes=known.attributes if known else None,
                        partner=known.partner if known else None,
                        seen=_seen(known, seen.before, seen.after),
                    )
                continue
            for step in self.steps(stage.seq):
                if step.before == step.after:
                    continue
                known = found.get(step.at)
                found[step.at] = Touch(
                    at=step.at,
                    first=known.first if known else step.before,
                    last=step.after,
                    file_class=known.file_class if known else step.file_class,
                    attributes=known.attributes if known else step.attributes,
                    partner=known.partner if known else step.partner,
                    seen=_seen(known, step.before, step.after),
                )
        return found

    @cached_property
    def made_safe(self) -> dict[At, tuple[Entry, FileClass]]:
        """What stages copied without changing it, since a step by hand would take it away."""
        return {
            step.at: (step.before, step.file_class)
            for step in self._changes()
            if step.before is not None and step.before == step.after
        }

    def made_by_hand(self) -> dict[At, Entry]:
        """What lay there right after steps by hand that changed it."""
        found: dict[At, Entry] = {}
        for seen in self._by_hand():
            if seen.after is None:
                found.pop(seen.at, None)
            else:
                found[seen.at] = seen.after
        return found

    def first_times(self, after: int = 0) -> dict[At, int]:
        """The times of all folders that the stages touched, as they were before."""
        found: dict[At, int] = {}
        for stage in self.in_force:
            if stage.seq <= after:
                continue
            for folder in self.journal.folders(self.update, stage.seq):
                if not folder.wanted:
                    found.setdefault(folder.at, folder.mtime_ns)
            for seen in self.observed(stage.seq) if stage.kind == "hand" else ():
                if seen.before is not None and seen.before.kind is Kind.FOLDER:
                    found.setdefault(seen.at, seen.before.mtime_ns)
        return found

    @cached_property
    def witness(self) -> Witness:
        """What a run is proven against: the witness of its first stage, and over it what each later one
        agreed to.
        """
        stages = self.in_force or self.stages
        change_sets = [s for s in stages if s.kind == "carry"]
        if not change_sets:
            return Witness(rows={}, version="", to_version="", merged={})
        whole = self.journal.witness_of(self.update, change_sets[0].seq)
        rows, merged, moved = dict(whole.rows), dict(whole.merged), set[At]()
        own = {step.at for step in self.steps(change_sets[0].seq) if step.before != step.after}
        counting = {stage.seq for stage in stages}
        for stage in self.stages:
            if stage.seq not in counting and stage.state not in (StageState.SKIPPED, StageState.GIVEN_UP):
                continue
            for seen in self._agreed(stage, whole):
                if stage.seq <= change_sets[0].seq and seen.at in own:
                    continue  # what the stage agreed to came after it
                _observe(rows, seen, None if seen.at in moved else whole.kept.class_at(seen.at))
                if seen.after is None or seen.after.kind is not Kind.FOLDER:
                    moved.add(seen.at)
            if stage.kind != "hand" and stage.seq in counting and stage.seq != change_sets[0].seq:
                more = self.journal.witness_of(self.update, stage.seq)
                for at, row in more.rows.items():
                    known = rows.get(at)
                    first = known.before if known is not None and known.verb is not Verb.KEEP else row.before
                    rows[at] = replace(row, before=first)
                moved |= more.rows.keys()
                merged |= more.merged
        beginning = self._beginning(whole)
        _with_made_safe(rows, beginning)
        by_hand = any(
            seen.after is not None and seen.before is None and seen.file_class is FileClass.PROGRAM
            for stage in stages
            for seen in (self.observed(stage.seq) if stage.kind == "hand" else ())
        )
        run = self.journal.update(self.update)
        return Witness(
            rows=rows,
            version=run.from_version,
            to_version=run.to_version,
            merged=merged,
            roots=tuple((root.label, root.place) for root in run.roots if root.label),
            kept=whole.kept.without(moved),
            by_hand=by_hand,
            beginning=beginning,
        )

    def _beginning(self, first: Witness) -> Beginning:
        """What lay there before the first stage. What a step by hand fetched before anything was made safe is
        what was to be made safe.
        """
        rows = {at: (row.before, row.file_class) for at, row in first.rows.items() if row.before is not None}
        seen = dict[At, Entry | None]()
        copied = min((s.seq for s in self.stages if s.copies), default=0)
        last = max((s.seq for s in self.in_force if s.kind == "carry" and s.seq > copied), default=0)
        fetched, since = set[At](), set[At]()
        for stage in self.stages:
            for one in self._agreed(stage, first):  # during a step by hand, or while an answer was due
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
            for step in (self.steps(last) if last else ())
            if step.at in since and step.after is not None and step.after.digest
        }
        return Beginning(
            kept=first.kept.without(fetched),
            rows=rows,
            safe=self.made_safe,
            by_hand=seen,
            since=frozenset(since),
            put_there=put_there,
            left=self._left_newer(),
        )

    def _left_newer(self) -> frozenset[At]:
        """Places of what was made safe and stays in the strongbox, since the person chose what is newer
        there.
        """
        return frozenset(
            step.source.at
            for step in self._changes()
            if step.before == step.after and isinstance(step.source, FromRoot)
        )


def _is_alike(before: Entry, after: Entry | None) -> bool:
    """Whether nothing was lost: the same bytes under another time, or a folder."""
    return before.kind is Kind.FOLDER or (after is not None and before.same_content(after))


def _seen(known: Touch | None, *more: Entry | None) -> tuple[Entry, ...]:
    return (*(known.seen if known else ()), *(entry for entry in more if entry is not None))


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
