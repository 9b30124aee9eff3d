"""The journal of one strongbox: every run as a chain of stages, each whole in it before its first change.

Afterwards only states change. How far a stage came is told by the disk, since each step knows
what lay there before and what is to lie there after. Everything but states is kept as records
(dictionaries with a version), so that fields may come and go. The schema is described in docs/formats.md.
"""

from __future__ import annotations

import json
import sqlite3
import time
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

from left_intact.core.carrying.heads import Heads, waits_from
from left_intact.core.carrying.witness_rows import witness_from_row, witness_to_row
from left_intact.core.model.classes import FileClass
from left_intact.core.model.effects import ShelfEffect, effects_to_record
from left_intact.core.model.entry import Attributes, Entry
from left_intact.core.model.packing import (
    VERSION,
    Record,
    at_from_list,
    at_to_list,
    attributes_from_record,
    attributes_to_record,
    carry_from_record,
    carry_to_record,
    entry_from_record,
    entry_to_record,
    hand_from_record,
    hand_to_record,
    later_from_record,
    later_to_record,
    packed,
    root_to_record,
    shipped_from_record,
    shipped_to_record,
    source_from_record,
    source_to_record,
    unpacked,
)
from left_intact.core.model.place import At, Root
from left_intact.core.model.proof import Witness
from left_intact.core.model.stages import Carry, HandStep, Later, Shipped, Source, Verb
from left_intact.core.model.update import TORN, RunKind, StageState, State, Update, WaitsFor


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

    @property
    def path(self) -> str:
        return self.at.shown


@dataclass(frozen=True, slots=True, kw_only=True)
class FolderTime:
    """A folder whose time the steps change, as it was; or as it is to be at the end."""

    at: At
    mode: int
    mtime_ns: int
    wanted: bool = False
    """Whether this is what the stage is to leave, and not what was before it."""


@dataclass(frozen=True, slots=True, kw_only=True)
class StageRow:
    """One stage as journalled."""

    seq: int
    kind: str
    """`carry`, `hand` or `later`."""
    state: StageState
    hand: HandStep | None = None
    later: Later | None = None
    shipped: Shipped | None = None
    reaches: str = ""
    """The version that lies here once it is done, where later stages lead to another one."""
    intends: str = ""
    """In words, where what changes does not say enough."""
    copies: bool = False
    """Whether it only copies what the step by hand after it takes away."""
    waits: WaitsFor | None = None
    answers: Mapping[str, str] = field(default_factory=dict)


@dataclass(frozen=True, slots=True, kw_only=True)
class Observed:
    """What changed while the person was at it, or was waited for: neither lost nor altered."""

    at: At
    before: Entry | None
    after: Entry | None
    file_class: FileClass = FileClass.UNSORTED


@dataclass(frozen=True, slots=True, kw_only=True)
class Whole:
    """All of a stage that is to be carried out."""

    carry: Carry
    steps: list[Step]
    folders: list[FolderTime]
    witness: Witness


class Journal(Heads):
    """The whole of a strongbox's journal."""

    # ------------------------------------------------------------ beginning

    def begin(
        self,
        *,
        record: Record,
        stages: Sequence[Carry | HandStep | Later],
        kind: RunKind = RunKind.UPDATE,
        first: Whole | None = None,
    ) -> Update:
        """Write the head and the outline of a run down. Updates that it takes back become `going-back` with
        it. `first` is all of its first stage: a run that has begun lacks nothing that its end needs.
        """
        now = time.time()
        state = State.GOING_BACK if kind is RunKind.BACK else State.STAGING
        with self._base.transaction() as db:
            said = {"v": VERSION, "kind": kind.value, "began": now, **record}
            cursor = db.execute(
                "INSERT INTO updates (state, changed, record) VALUES (?,?,?)",
                (state.value, now, json.dumps(said)),
            )
            update = int(cursor.lastrowid or 0)
            for seq, stage in enumerate(stages, 1):
                self._put_stage(db, update, seq, stage)
                if isinstance(stage, Carry) and len(stages) > 1:
                    db.execute(
                        "INSERT INTO moves VALUES (?,?,?)", (update, seq, packed(carry_to_record(stage)))
                    )
            for undone in record.get("undoes", ()):
                db.execute(
                    "UPDATE updates SET state = ?, changed = ? WHERE id = ?",
                    (State.GOING_BACK.value, now, undone),
                )
            if first is not None:
                self._put_carry(db, update, 1, first)
        return self.update(update)

    @staticmethod
    def _put_stage(db: sqlite3.Connection, update: int, seq: int, stage: Carry | HandStep | Later) -> None:
        match stage:
            case Carry():
                kind = "carry"
                said: Record = {"shipped": shipped_to_record(stage.shipped), "reaches": stage.reaches}
                said |= {"intends": stage.intends, "copies": stage.copies}
            case HandStep():
                kind, said = "hand", {"hand": hand_to_record(stage)}
            case Later():
                kind, said = "later", {"later": later_to_record(stage)}
        db.execute(
            "INSERT INTO stages VALUES (?,?,?,?,?)",
            (update, seq, kind, StageState.PLANNED.value, json.dumps({"v": VERSION, **said})),
        )

    def put_carry(self, update: int, stage: int, whole: Whole) -> None:
        """The whole of a stage, in one transaction; its state becomes `staging`, also of one that was to be
        drawn later.
        """
        with self._base.transaction() as db:
            self._put_carry(db, update, stage, whole)

    @staticmethod
    def _put_carry(db: sqlite3.Connection, update: int, stage: int, whole: Whole) -> None:
        row = db.execute(
            "SELECT record FROM stages WHERE update_id = ? AND seq = ?", (update, stage)
        ).fetchone()
        said = json.loads(row[0]) | {"shipped": shipped_to_record(whole.carry.shipped), "waits": None}
        said |= {"reaches": whole.carry.reaches, "intends": whole.carry.intends or said.get("intends", "")}
        said["copies"] = whole.carry.copies
        db.execute(
            "UPDATE stages SET kind = 'carry', state = ?, record = ? WHERE update_id = ? AND seq = ?",
            (StageState.STAGING.value, json.dumps(said), update, stage),
        )
        for table in ("steps", "folders", "witness"):
            db.execute(f"DELETE FROM {table} WHERE update_id = ? AND stage = ?", (update, stage))
        db.executemany(
            "INSERT INTO steps VALUES (?,?,?,?,?)", (_step_row(update, stage, step) for step in whole.steps)
        )
        db.executemany(
            "INSERT INTO folders VALUES (?,?,?)",
            ((update, stage, json.dumps(_folder_record(f))) for f in whole.folders),
        )
        db.execute("INSERT INTO witness VALUES (?,?,?)", (update, stage, witness_to_row(whole.witness)))

    def add_copies(self, update: int, stage: int, steps: Sequence[Step]) -> None:
        """More copies of a stage that only copies; of a place that it knows, the newer one counts."""
        places, known = {step.at for step in steps}, self.steps(update, stage)
        last = max((step.seq for step in known), default=0)
        with self._base.transaction() as db:
            gone = [(update, stage, step.seq) for step in known if step.at in places]
            db.executemany("DELETE FROM steps WHERE update_id = ? AND stage = ? AND seq = ?", gone)
            rows = [_step_row(update, stage, replace(s, seq=last + n)) for n, s in enumerate(steps, 1)]
            db.executemany("INSERT INTO steps VALUES (?,?,?,?,?)", rows)

    def put_witness(self, update: int, stage: int, witness: Witness) -> None:
        """What is known before the first change of a run, where days may pass before its first stage."""
        with self._base.transaction() as db:
            db.execute("DELETE FROM witness WHERE update_id = ? AND stage = ?", (update, stage))
            db.execute("INSERT INTO witness VALUES (?,?,?)", (update, stage, witness_to_row(witness)))

    def drawn(self, update: int, stage: int) -> Carry | None:
        """A stage as it was drawn with the plan, where that is kept; None where it is drawn when its turn
        comes.
        """
        with self._rows("SELECT record FROM moves WHERE update_id = ? AND stage = ?", update, stage) as rows:
            return carry_from_record(unpacked(rows[0][0])) if rows else None

    def begin_again(self, update: int, stage: int) -> None:
        """A stage that was put back waits for its turn anew; one that was drawn late is drawn again then."""
        with self._base.transaction() as db:
            row = db.execute(
                "SELECT record FROM stages WHERE update_id = ? AND seq = ?", (update, stage)
            ).fetchone()
            kind = "later" if json.loads(row[0]).get("later") else "carry"
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
        more: Mapping[str, Any] | None = None,
    ) -> None:
        """Where a run (and one of its stages, and other runs that end with it) stands now, in one
        transaction.
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
                self._add_to_record(db, update, more)

    def set_stage(
        self, update: int, stage: int, state: StageState, more: Mapping[str, Any] | None = None
    ) -> None:
        with self._base.transaction() as db:
            row = db.execute(
                "SELECT record FROM stages WHERE update_id = ? AND seq = ?", (update, stage)
            ).fetchone()
            said = json.dumps(json.loads(row[0]) | dict(more or {}))
            db.execute(
                "UPDATE stages SET state = ?, record = ? WHERE update_id = ? AND seq = ?",
                (state.value, said, update, stage),
            )

    def wait(self, update: int, stage: int, waits: WaitsFor) -> None:
        """A stage waits for the person, and the run with it."""
        said = {"waits": _waits_record(waits)}
        self.set_stage(update, stage, StageState.WAITING, said)
        self.set_state(update, State.WAITING)

    @staticmethod
    def _add_to_record(db: sqlite3.Connection, update: int, more: Mapping[str, Any]) -> None:
        row = db.execute("SELECT record FROM updates WHERE id = ?", (update,)).fetchone()
        db.execute(
            "UPDATE updates SET record = ? WHERE id = ?",
            (json.dumps(json.loads(row[0]) | dict(more)), update),
        )

    def add_to_record(self, update: int, more: Mapping[str, Any]) -> None:
        with self._base.transaction() as db:
            self._add_to_record(db, update, more)

    def record(self, update: int) -> Record:
        with self._rows("SELECT record FROM updates WHERE id = ?", update) as rows:
            said: Record = json.loads(rows[0][0])
            return said

    # ------------------------------------------------------------ stages

    def stages(self, update: int) -> list[StageRow]:
        with self._rows("SELECT * FROM stages WHERE update_id = ? ORDER BY seq", update) as rows:
            return [_stage_from(row) for row in rows]

    def steps(self, update: int, stage: int | None = None) -> list[Step]:
        """The steps of a stage, in their order; of all stages without one."""
        query = "SELECT * FROM steps WHERE update_id = ?" + ("" if stage is None else " AND stage = ?")
        values = (update,) if stage is None else (update, stage)
        with self._rows(query + " ORDER BY stage, seq", *values) as rows:
            return [_step_from(row) for row in rows]

    def folders(self, update: int, stage: int) -> list[FolderTime]:
        with self._rows(
            "SELECT record FROM folders WHERE update_id = ? AND stage = ?", update, stage
        ) as rows:
            return [_folder_from(json.loads(row[0])) for row in rows]

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
        said = {"v": VERSION, "rows": [_observed_record(one) for one in observed]}
        with self._base.transaction() as db:
            db.execute("REPLACE INTO observed VALUES (?,?,?)", (update, stage, packed(said)))
            if ended is None:
                return
            row = db.execute(
                "SELECT record FROM stages WHERE update_id = ? AND seq = ?", (update, stage)
            ).fetchone()
            record = json.dumps(json.loads(row[0]) | {"waits": None})
            query = "UPDATE stages SET state = ?, record = ? WHERE update_id = ? AND seq = ?"
            db.execute(query, (ended[0].value, record, update, stage))
            db.execute(
                "UPDATE updates SET state = ?, changed = ? WHERE id = ?",
                (ended[1].value, time.time(), update),
            )

    def observed(self, update: int, stage: int) -> list[Observed]:
        return [_observed_from(one) for one in self._observed(update, stage).get("rows", [])]

    def watch(self, update: int, stage: int, lies: Iterable[Observed]) -> None:
        """What lies there as a stage that is no step by hand begins to wait, beside what was observed."""
        said = {"v": VERSION, "rows": []} | self._observed(update, stage)
        said["watched"] = [_observed_record(one) for one in lies]
        with self._base.transaction() as db:
            db.execute("REPLACE INTO observed VALUES (?,?,?)", (update, stage, packed(said)))

    def watched(self, update: int, stage: int) -> list[Observed]:
        return [_observed_from(one) for one in self._observed(update, stage).get("watched", [])]

    def _observed(self, update: int, stage: int) -> Record:
        query = "SELECT record FROM observed WHERE update_id = ? AND stage = ?"
        with self._rows(query, update, stage) as rows:
            said: Record = unpacked(rows[0][0]) if rows else {}
            return said

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
                "INSERT INTO kept VALUES (?,?)",
                (update, json.dumps({"v": VERSION, "path": path, "kept_at": kept_at})),
            )

    def trial(self, update: int) -> list[tuple[str, str]]:
        """(path, where it is kept) of what was changed while on trial and set aside on going back."""
        with self._rows("SELECT record FROM kept WHERE update_id = ?", update) as rows:
            said = [json.loads(row[0]) for row in rows]
            return [(one["path"], one["kept_at"]) for one in said]


# ---------------------------------------------------------------- records


def _step_row(update: int, stage: int, step: Step) -> tuple[object, ...]:
    said: Record = {
        "v": VERSION,
        "at": at_to_list(step.at),
        "verb": step.verb.value,
        "class": step.file_class.value,
        "before": entry_to_record(step.before),
        "after": entry_to_record(step.after),
        "source": source_to_record(step.source),
    }
    for name, given in (("attributes", step.attributes), ("gives", step.gives)):
        if given is not None:
            said[name] = attributes_to_record(given)
    for name, at in (("partner", step.partner), ("joins", step.joins)):
        if at is not None:
            said[name] = at_to_list(at)
    if step.by_name:
        said["by_name"] = True
    if step.unproven:
        said["unproven"] = True
    return update, stage, step.seq, json.dumps(said), getattr(step.source, "content", None)


def _observed_record(one: Observed) -> list[Any]:
    return [at_to_list(one.at), entry_to_record(one.before), entry_to_record(one.after), one.file_class.value]


def _observed_from(said: list[Any]) -> Observed:
    at, before, after, kind = said
    return Observed(
        at=at_from_list(at),
        before=entry_from_record(before),
        after=entry_from_record(after),
        file_class=FileClass(kind),
    )


def _step_from(row: sqlite3.Row) -> Step:
    said = json.loads(row["record"])
    return Step(
        seq=row["seq"],
        at=at_from_list(said["at"]),
        verb=Verb(said["verb"]),
        file_class=FileClass(said["class"]),
        before=entry_from_record(said["before"]),
        after=entry_from_record(said["after"]),
        source=source_from_record(said.get("source"), row["content"]),
        attributes=attributes_from_record(said.get("attributes")),
        gives=attributes_from_record(said.get("gives")),
        partner=at_from_list(said["partner"]) if said.get("partner") else None,
        joins=at_from_list(said["joins"]) if said.get("joins") else None,
        by_name=said.get("by_name", False),
        unproven=said.get("unproven", False),
    )


def _folder_record(folder: FolderTime) -> Record:
    return {
        "v": VERSION,
        "at": at_to_list(folder.at),
        "mode": folder.mode,
        "mtime_ns": folder.mtime_ns,
        "wanted": folder.wanted,
    }


def _folder_from(said: Record) -> FolderTime:
    return FolderTime(
        at=at_from_list(said["at"]),
        mode=said["mode"],
        mtime_ns=said["mtime_ns"],
        wanted=said.get("wanted", False),
    )


def _stage_from(row: sqlite3.Row) -> StageRow:
    said = json.loads(row["record"])
    return StageRow(
        seq=row["seq"],
        kind=row["kind"],
        state=StageState(row["state"]),
        hand=hand_from_record(said["hand"]) if said.get("hand") else None,
        later=later_from_record(said["later"]) if said.get("later") else None,
        shipped=shipped_from_record(said.get("shipped")),
        reaches=said.get("reaches", ""),
        intends=said.get("intends", ""),
        copies=said.get("copies", False),
        waits=waits_from(said.get("waits")),
        answers=said.get("answers", {}),
    )


def _waits_record(waits: WaitsFor) -> Record:
    return {
        "step": waits.step,
        "asks": waits.asks,
        "why": waits.why,
        "may_skip": waits.may_skip,
        "can_be_seen": waits.can_be_seen,
        "options": list(waits.options),
        "command": list(waits.command),
        "sees": waits.sees,
    }


def run_record(
    *,
    install: str,
    from_version: str,
    to_version: str,
    route: str,
    roots: Iterable[Root],
    arrivals: Iterable[tuple[str, str, str, str]],
    on_failure: str,
    inputs: Mapping[str, Any],
    undoes: Sequence[int] = (),
    effects: Iterable[ShelfEffect] = (),
) -> Record:
    """The head of a run. `arrivals` are (source, root in it, digest, version)."""
    return {
        "install": install,
        "from_version": from_version,
        "to_version": to_version,
        "route": route,
        "roots": [root_to_record(root) for root in roots],
        "arrivals": [{"source": s, "root": r, "digest": d, "version": v} for s, r, d, v in arrivals],
        "on_failure": on_failure,
        "inputs": dict(inputs),
        "undoes": list(undoes),
        "effects": effects_to_record(effects),
    }


__all__ = ["TORN", "FolderTime", "Journal", "Observed", "StageRow", "Step", "Whole", "run_record"]
