"""The journal of one strongbox: every run as a chain of stages, each whole in it before its first change.

Afterwards only states change. How far a stage came is told by the disk, since each step knows
what lay there before and what is to lie there after. Everything but states is kept as records
(dictionaries with a version), so that fields may come and go. The schema is described in docs/formats.md.
"""

from __future__ import annotations

import sqlite3
import time
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, fields, replace
from types import MappingProxyType
from typing import Any

from left_intact.core.carrying.heads import Heads
from left_intact.core.carrying.witness_rows import witness_from_row, witness_to_row
from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Attributes, Entry
from left_intact.core.model.facts import RunFacts
from left_intact.core.model.place import At
from left_intact.core.model.proof import Witness
from left_intact.core.model.records import from_text, packed, to_text, unpacked
from left_intact.core.model.stages import ChangeSet, DeferredStage, ManualStep, Shipped, Source, Stage, Verb
from left_intact.core.model.update import TORN, RunKind, RunRecord, StageState, State, Update, WaitsFor


@dataclass(frozen=True, slots=True, kw_only=True)
class Step:
    """One place that goes from one state to another; None is an empty place."""

    seq: int
    at: At
    verb: Verb
    file_class: FileClass
    before: Entry | None
    after: Entry | None
    source: Source | None = None
    attributes: Attributes | None = None
    """What the system kept of `before` beside its content, mode and time."""
    partner: At | None = None
    """Another name of the same file, where it was hard-linked."""
    gives: Attributes | None = None
    """Owner and attributes of `after`; None takes those of `before`."""
    joins: At | None = None
    """Another name that `after` is to share its bytes with."""
    by_name: bool = False
    """Whether what is displaced is kept under its own name too."""
    unproven: bool = False
    """Whether nobody can prove that what is displaced is as a release shipped it."""


@dataclass(frozen=True, slots=True, kw_only=True)
class FolderTime:
    """A folder whose time the steps change, as it was; or as it is to be at the end."""

    at: At
    mode: int
    mtime_ns: int
    wanted: bool = False
    """Whether this is what the stage is to leave, and not what was before it."""


@dataclass(frozen=True, slots=True, kw_only=True)
class StageRecord:
    """What is kept of a stage beside its kind and its state."""

    hand: ManualStep | None = None
    later: DeferredStage | None = None
    shipped: Shipped | None = None
    reaches: str = ""
    """The version that lies here once it is done, where later stages lead to another one."""
    intends: str = ""
    """In words, where what changes does not say enough."""
    copies: bool = False
    """Whether it only copies what the step by hand after it takes away."""
    waits: WaitsFor | None = None
    answers: Mapping[str, str] = field(default_factory=lambda: MappingProxyType({}))

    @staticmethod
    def of(stage: Stage) -> StageRecord:
        match stage:
            case ManualStep():
                return StageRecord(hand=stage)
            case DeferredStage():
                return StageRecord(later=stage)
        return StageRecord().with_change(stage)

    def with_change(self, change_set: ChangeSet) -> StageRecord:
        """The same once what changes is known."""
        return replace(
            self,
            shipped=change_set.shipped,
            reaches=change_set.reaches,
            intends=change_set.intends or self.intends,
            copies=change_set.copies,
            waits=None,
        )


@dataclass(frozen=True, slots=True, kw_only=True)
class StageRow(StageRecord):
    """One stage as journalled."""

    seq: int
    kind: str
    """`carry`, `hand` or `later`."""
    state: StageState


@dataclass(frozen=True, slots=True, kw_only=True)
class Observed:
    """What changed while the person was at it, or was waited for: neither lost nor altered."""

    at: At
    before: Entry | None
    after: Entry | None
    file_class: FileClass = FileClass.UNSORTED


@dataclass(frozen=True, slots=True, kw_only=True)
class _Seen:
    """What was observed of one stage."""

    rows: tuple[Observed, ...] = ()
    watched: tuple[Observed, ...] = ()
    """What lay there as it began to wait, where it is no step by hand."""


@dataclass(frozen=True, slots=True, kw_only=True)
class _OnTrial:
    """Something that was made on trial, and where it is kept."""

    path: str
    kept_at: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Whole:
    """All of a stage that is to be carried out."""

    change_set: ChangeSet
    steps: list[Step]
    folders: list[FolderTime]
    witness: Witness


class Journal(Heads):
    """The whole of a strongbox's journal."""

    # ------------------------------------------------------------ beginning

    def begin(
        self,
        record: RunRecord,
        facts: RunFacts,
        stages: Sequence[Stage],
        first: Whole | None = None,
    ) -> Update:
        """Write the head and the outline of a run down. Updates that it takes back become `going-back` with
        it. `first` is all of its first stage: a run that has begun lacks nothing that its end needs.
        """
        now = time.time()
        state = State.GOING_BACK if record.kind is RunKind.BACK else State.STAGING
        with self._base.transaction() as db:
            cursor = db.execute(
                "INSERT INTO updates (state, changed, record) VALUES (?,?,?)",
                (state.value, now, to_text(replace(record, began=now))),
            )
            update = int(cursor.lastrowid or 0)
            db.execute("INSERT INTO facts VALUES (?,?)", (update, packed(facts)))
            for seq, stage in enumerate(stages, 1):
                self._put_stage(db, update, seq, stage)
                if isinstance(stage, ChangeSet) and len(stages) > 1:
                    db.execute("INSERT INTO moves VALUES (?,?,?)", (update, seq, packed(stage)))
            for undone in record.undoes:
                db.execute(
                    "UPDATE updates SET state = ?, changed = ? WHERE id = ?",
                    (State.GOING_BACK.value, now, undone),
                )
            if first is not None:
                self._put_carry(db, update, 1, first)
        return self.update(update)

    @staticmethod
    def _put_stage(
        db: sqlite3.Connection, update: int, seq: int, stage: ChangeSet | ManualStep | DeferredStage
    ) -> None:
        kind = (
            "hand"
            if isinstance(stage, ManualStep)
            else "later"
            if isinstance(stage, DeferredStage)
            else "carry"
        )
        row = (update, seq, kind, StageState.PLANNED.value, to_text(StageRecord.of(stage)))
        db.execute("INSERT INTO stages VALUES (?,?,?,?,?)", row)

    def put_carry(self, update: int, stage: int, whole: Whole) -> None:
        """The whole of a stage, in one transaction; its state becomes `staging`, also of one that was to be
        drawn later.
        """
        with self._base.transaction() as db:
            self._put_carry(db, update, stage, whole)

    @staticmethod
    def _put_carry(db: sqlite3.Connection, update: int, stage: int, whole: Whole) -> None:
        said = to_text(_stage_record(db, update, stage).with_change(whole.change_set))
        db.execute(
            "UPDATE stages SET kind = 'carry', state = ?, record = ? WHERE update_id = ? AND seq = ?",
            (StageState.STAGING.value, said, update, stage),
        )
        for table in ("steps", "folders", "witness"):
            db.execute(f"DELETE FROM {table} WHERE update_id = ? AND stage = ?", (update, stage))
        db.executemany(
            "INSERT INTO steps VALUES (?,?,?,?)",
            ((update, stage, step.seq, to_text(step)) for step in whole.steps),
        )
        db.executemany(
            "INSERT INTO folders VALUES (?,?,?)",
            ((update, stage, to_text(folder)) for folder in whole.folders),
        )
        db.execute("INSERT INTO witness VALUES (?,?,?)", (update, stage, witness_to_row(whole.witness)))

    def add_copies(self, update: int, stage: int, steps: Sequence[Step]) -> None:
        """More copies of a stage that only copies; of a place that it knows, the newer one counts."""
        places, known = {step.at for step in steps}, self.steps(update, stage)
        last = max((step.seq for step in known), default=0)
        with self._base.transaction() as db:
            gone = [(update, stage, step.seq) for step in known if step.at in places]
            db.executemany("DELETE FROM steps WHERE update_id = ? AND stage = ? AND seq = ?", gone)
            rows = [
                (update, stage, last + n, to_text(replace(step, seq=last + n)))
                for n, step in enumerate(steps, 1)
            ]
            db.executemany("INSERT INTO steps VALUES (?,?,?,?)", rows)

    def put_witness(self, update: int, stage: int, witness: Witness) -> None:
        """What is known before the first change of a run, where days may pass before its first stage."""
        with self._base.transaction() as db:
            db.execute("DELETE FROM witness WHERE update_id = ? AND stage = ?", (update, stage))
            db.execute("INSERT INTO witness VALUES (?,?,?)", (update, stage, witness_to_row(witness)))

    def drawn(self, update: int, stage: int) -> ChangeSet | None:
        """A stage as it was drawn with the plan, where that is kept; None where it is drawn when its turn
        comes.
        """
        with self._rows("SELECT record FROM moves WHERE update_id = ? AND stage = ?", update, stage) as rows:
            return unpacked(ChangeSet, rows[0][0]) if rows else None

    def begin_again(self, update: int, stage: int) -> None:
        """A stage that was put back waits for its turn anew; one that was drawn late is drawn again then."""
        with self._base.transaction() as db:
            kind = "later" if _stage_record(db, update, stage).later is not None else "carry"
            db.execute(
                "UPDATE stages SET kind = ?, state = ? WHERE update_id = ? AND seq = ?",
                (kind, StageState.PLANNED.value, update, stage),
            )

    # ------------------------------------------------------------ states

    def set_state(
        self,
        update: int,
        state: State,
        *,
        stage: tuple[int, StageState] | None = None,
        ended: Mapping[int, State] | None = None,
        **more: Any,
    ) -> None:
        """Where a run (and one of its stages, and other runs that end with it) stands now, in one
        transaction; `more` are fields of its record that change with it.
        """
        with self._base.transaction() as db:
            now = time.time()
            db.execute("UPDATE updates SET state = ?, changed = ? WHERE id = ?", (state.value, now, update))
            if stage is not None:
                query = "UPDATE stages SET state = ? WHERE update_id = ? AND seq = ?"
                db.execute(query, (stage[1].value, update, stage[0]))
            for other, its in (ended or {}).items():
                db.execute("UPDATE updates SET state = ?, changed = ? WHERE id = ?", (its.value, now, other))
            if more:
                _amend(db, update, more)

    def set_stage(self, update: int, stage: int, state: StageState, **more: Any) -> None:
        """Where a stage stands now; `more` are fields of its record that change with it."""
        with self._base.transaction() as db:
            said = to_text(replace(_stage_record(db, update, stage), **more))
            db.execute(
                "UPDATE stages SET state = ?, record = ? WHERE update_id = ? AND seq = ?",
                (state.value, said, update, stage),
            )

    def wait(self, update: int, stage: int, waits: WaitsFor) -> None:
        """A stage waits for the person, and the run with it."""
        self.set_stage(update, stage, StageState.WAITING, waits=waits)
        self.set_state(update, State.WAITING)

    def amend(self, update: int, **more: Any) -> None:
        """Change fields of the record of a run."""
        with self._base.transaction() as db:
            _amend(db, update, more)

    # ------------------------------------------------------------ stages

    def stages(self, update: int) -> list[StageRow]:
        with self._rows("SELECT * FROM stages WHERE update_id = ? ORDER BY seq", update) as rows:
            return [_stage_of(row) for row in rows]

    def steps(self, update: int, stage: int | None = None) -> list[Step]:
        """The steps of a stage, in their order; of all stages without one."""
        query = "SELECT * FROM steps WHERE update_id = ?" + ("" if stage is None else " AND stage = ?")
        values = (update,) if stage is None else (update, stage)
        with self._rows(query + " ORDER BY stage, seq", *values) as rows:
            return [from_text(Step, row["record"]) for row in rows]

    def folders(self, update: int, stage: int) -> list[FolderTime]:
        with self._rows(
            "SELECT record FROM folders WHERE update_id = ? AND stage = ?", update, stage
        ) as rows:
            return [from_text(FolderTime, row[0]) for row in rows]

    def witness_of(self, update: int, stage: int) -> Witness:
        """What was known before the first change of one stage."""
        with self._rows(
            "SELECT record FROM witness WHERE update_id = ? AND stage = ?", update, stage
        ) as rows:
            return (
                witness_from_row(rows[0][0])
                if rows
                else Witness(rows={}, version="", to_version="", merged={})
            )

    def set_observed(
        self,
        update: int,
        stage: int,
        observed: Iterable[Observed],
        ended: tuple[StageState, State] | None = None,
    ) -> None:
        """What lies there before a step by hand; with `ended` what it changed, and in the same transaction
        where it stands. What was watched is so no more.
        """
        seen = packed(_Seen(rows=tuple(observed)))
        with self._base.transaction() as db:
            db.execute("REPLACE INTO observed VALUES (?,?,?)", (update, stage, seen))
            if ended is None:
                return
            record = to_text(replace(_stage_record(db, update, stage), waits=None))
            query = "UPDATE stages SET state = ?, record = ? WHERE update_id = ? AND seq = ?"
            db.execute(query, (ended[0].value, record, update, stage))
            db.execute(
                "UPDATE updates SET state = ?, changed = ? WHERE id = ?",
                (ended[1].value, time.time(), update),
            )

    def observed(self, update: int, stage: int) -> list[Observed]:
        return list(self._observed(update, stage).rows)

    def watch(self, update: int, stage: int, lies: Iterable[Observed]) -> None:
        """What lies there as a stage that is no step by hand begins to wait, beside what was observed."""
        seen = packed(replace(self._observed(update, stage), watched=tuple(lies)))
        with self._base.transaction() as db:
            db.execute("REPLACE INTO observed VALUES (?,?,?)", (update, stage, seen))

    def watched(self, update: int, stage: int) -> list[Observed]:
        return list(self._observed(update, stage).watched)

    def _observed(self, update: int, stage: int) -> _Seen:
        query = "SELECT record FROM observed WHERE update_id = ? AND stage = ?"
        with self._rows(query, update, stage) as rows:
            return unpacked(_Seen, rows[0][0]) if rows else _Seen()

    # ------------------------------------------------------------ what nobody needs any more

    def prune(self, runs: Iterable[int], *, steps_of: Callable[[Step], bool] | None = None) -> None:
        """Let go of what ended runs were carried out and proven by; their heads and stages stay.

        `steps_of` says which of their steps stay; without it all do.
        """
        chosen = list(runs)
        gone = []
        if steps_of is not None:
            for run in chosen:
                stages = {stage.seq for stage in self.stages(run)}
                for stage in stages:
                    gone += [(run, stage, s.seq) for s in self.steps(run, stage) if not steps_of(s)]
        with self._base.transaction() as db:
            for table in ("witness", "folders", "moves", "observed"):
                db.executemany(f"DELETE FROM {table} WHERE update_id = ?", [(run,) for run in chosen])
            db.executemany("DELETE FROM steps WHERE update_id = ? AND stage = ? AND seq = ?", gone)

    def shrink(self) -> None:
        """Give the room of what was pruned back to the disk."""
        with self._base.worded():
            self._base.db.execute("VACUUM")

    # ------------------------------------------------------------ what was made on trial

    def note_trial(self, update: int, path: str, kept_at: str) -> None:
        with self._base.transaction() as db:
            db.execute(
                "INSERT INTO kept VALUES (?,?)", (update, to_text(_OnTrial(path=path, kept_at=kept_at)))
            )

    def trial(self, update: int) -> list[tuple[str, str]]:
        """(path, where it is kept) of what was changed while on trial and set aside on going back."""
        with self._rows("SELECT record FROM kept WHERE update_id = ?", update) as rows:
            made = [from_text(_OnTrial, row[0]) for row in rows]
            return [(one.path, one.kept_at) for one in made]


def _amend(db: sqlite3.Connection, update: int, more: Mapping[str, Any]) -> None:
    row = db.execute("SELECT record FROM updates WHERE id = ?", (update,)).fetchone()
    said = to_text(replace(from_text(RunRecord, row[0]), **more))
    db.execute("UPDATE updates SET record = ? WHERE id = ?", (said, update))


def _stage_record(db: sqlite3.Connection, update: int, stage: int) -> StageRecord:
    query = "SELECT record FROM stages WHERE update_id = ? AND seq = ?"
    return from_text(StageRecord, db.execute(query, (update, stage)).fetchone()[0])


def _stage_of(row: sqlite3.Row) -> StageRow:
    record = from_text(StageRecord, row["record"])
    known = {one.name: getattr(record, one.name) for one in fields(record)}
    return StageRow(**known, seq=row["seq"], kind=row["kind"], state=StageState(row["state"]))


__all__ = ["TORN", "FolderTime", "Journal", "Observed", "StageRow", "Step", "Whole"]
