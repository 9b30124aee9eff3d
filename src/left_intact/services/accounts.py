"""Accounts of what was done: gathered from the journal, the witness and the proof on record."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

from blake3 import blake3

from left_intact.core.model.errors import LeftIntactError
from left_intact.core.model.update import State
from left_intact.services.home import Home, Service
from left_intact.services.records import Records, in_session

if TYPE_CHECKING:
    from collections.abc import Iterator

    from left_intact.core.carrying.journal import Journal
    from left_intact.core.carrying.strongbox import Strongbox
    from left_intact.core.carrying.trace import Trace
    from left_intact.core.model.account import Account, KeptClass
    from left_intact.core.model.classes import FileClass
    from left_intact.core.model.entry import Entry
    from left_intact.core.model.facts import RunFacts
    from left_intact.core.model.install import Install
    from left_intact.core.model.plan import Plan
    from left_intact.core.model.proof import Witness
    from left_intact.core.model.stages import Move, Stage
    from left_intact.core.model.update import Update


_ENDED = (State.ON_TRIAL, State.SETTLED, State.GONE_BACK, State.DONE)


class Accounts(Service):
    """Accounts of what was done."""

    def __init__(self, home: Home, records: Records) -> None:
        super().__init__(home)
        self.records = records

    @in_session
    def of(self, install: Install, number: int | None = None) -> Account:
        """The account of a run, the last one as a rule. Raises `no-such-update`."""
        from left_intact.core.carrying.trace import Trace
        from left_intact.core.model.account import Account, Answered, MergedFile, SetAside
        from left_intact.core.model.entry import Kind
        from left_intact.core.model.proof import Check, CheckState

        box = self._box(install, number)
        with box.journal() as journal:
            run = _run_in(journal, install, number)
            facts, steps = journal.facts(run.id), journal.steps(run.id)
            witness = Trace(journal, run.id).witness
        there, aside = box.objects(), []
        for step in steps:
            entry = step.before
            if entry is None or entry.kind is not Kind.FILE or step.before == step.after:
                continue
            copy = box.object_name(entry.digest) if entry.digest in there else ""
            kind, digest = step.file_class, entry.digest
            aside.append(SetAside(at=step.at, file_class=kind, bytes=entry.bytes, digest=digest, copy=copy))
        proof = self.library.proof(install, run.id) or {}
        return Account(
            install=install.name,
            root=run.root,
            run=run.id,
            kind=run.kind.value,
            route=run.route,
            began=run.began,
            ended=run.changed,
            state=run.state.value,
            from_version=run.from_version,
            to_version=run.to_version,
            came=run.arrivals,
            is_whole=bool(witness.kept.pages or witness.rows),
            kept=_kept(witness),
            merged=tuple(MergedFile(at=at, lines=lines) for at, lines in sorted(witness.merged.items())),
            set_aside=tuple(aside),
            answers=tuple(Answered(question=q, answer=a) for q, a in sorted(facts.answers.items())),
            verdict=proof.get("verdict", ""),
            checks=tuple(
                Check(**(one | {"state": CheckState(one["state"])})) for one in proof.get("checks", ())
            ),
            ticked=tuple(sorted(self.library.ticked(install, run.id))),
            strongbox=box.folder,
        )

    @in_session
    def as_carried_out(self, install: Install, number: int | None = None) -> tuple[Update, Plan]:
        """A run that came to its end, the last one as a rule, and the plan that it amounts to: what lay there
        first, what lay there in the end. Raises `no-such-update`, `not-at-its-end`, `not-on-record` once a
        later update was settled.
        """
        from left_intact.core.carrying.trace import Trace

        box = self._box(install, number)
        with box.journal() as journal:
            ended = next((run.id for run in journal.runs() if run.state in _ENDED), None)
            run = _run_in(journal, install, number or ended)
            if run.state not in _ENDED:
                says = f"update {run.id} of {install.name} did not come to its end"
                raise LeftIntactError("not-at-its-end", says, way_out="Go on with it: left-intact go-on.")
            trace = Trace(journal, run.id)
            if not (trace.witness.kept.pages or trace.witness.rows):
                says = f"what update {run.id} of {install.name} did is not on record any more"
                way_out = "Draw its history instead: left-intact draw INSTALL history FILE."
                raise LeftIntactError("not-on-record", says, way_out=way_out)
            return run, _plan_of(install, run, trace, journal.facts(run.id))

    def _box(self, install: Install, number: int | None) -> Strongbox:
        box = self.records.strongbox(install)
        if not box.exists:
            raise _no_such_update(install, number)
        return box


def _run_in(journal: Journal, install: Install, number: int | None) -> Update:
    run = next((one for one in journal.runs() if number in (None, one.id)), None)
    if run is None:
        raise _no_such_update(install, number)
    return run


def _plan_of(install: Install, run: Update, trace: Trace, facts: RunFacts) -> Plan:
    from left_intact.core.model.findings import SortedPages
    from left_intact.core.model.plan import Merge, Plan, Route
    from left_intact.core.model.stages import ChangeSet, Move
    from left_intact.core.model.survey import Survey
    from left_intact.core.model.telling import USUAL
    from left_intact.core.model.unchanged import Unchanged
    from left_intact.core.planning.routes.registry import planner_named

    witness, stays, moves = trace.witness, list[Move](), list[Move]()
    for move in _moves_of(trace):
        (moves if move.changes_disk or move.safeguard else stays).append(move)
    stages: list[Stage] = []
    for row in trace.in_force:
        if row.hand is not None:
            stages.append(row.hand)
        else:  # what all change sets did together stands in the first
            stages.append(ChangeSet(moves=tuple(moves), intends=row.intends, shipped=row.shipped))
            moves = []
    route = Route(run.route)
    telling = USUAL if run.undoes else planner_named(route).telling
    # What goes on the way has come back or has not: the disk says which.
    telling = replace(telling, lanes=tuple(rule for rule in telling.lanes if not rule.goes))
    return Plan(
        install=install.name,
        roots=run.roots,
        from_version=run.from_version,
        to_version=run.to_version,
        route=route,
        stages=tuple(stages),
        kept=Unchanged(witness.kept.pages, ("",) * 256, stays),  # the journal keeps no reasons
        merges={at: Merge(lines=lines, content=b"") for at, lines in witness.merged.items()},
        survey=Survey(root=run.root, findings=SortedPages((), (), (), {})),
        facts=facts,
        undoes=run.undoes,
        telling=telling,
    )


def _moves_of(trace: Trace) -> Iterator[Move]:
    """What a run did to each place that it speaks of, as the disk was afterwards."""
    from left_intact.core.model.entry import Kind
    from left_intact.core.model.stages import Move, Verb

    touched, safe = trace.touched(), trace.made_safe
    for at, row in sorted(trace.witness.rows.items()):
        last = touched[at].last if at in touched else row.before
        if Kind.FOLDER in (getattr(row.before, "kind", None), getattr(last, "kind", None)):
            continue
        there = last or row.before
        yield Move(
            at=at,
            verb=row.verb if last != row.before or row.verb is Verb.DROP else Verb.KEEP,
            file_class=row.file_class,
            because="",
            before=row.before,
            after=last,
            bytes=there.bytes if there is not None else 0,
            safeguard=at in safe,
        )


def _kept(witness: Witness) -> tuple[KeptClass, ...]:
    """By class: what the run left as it lay."""
    from left_intact.core.model.account import KeptClass
    from left_intact.core.model.classes import FileClass

    sums: dict[FileClass, tuple[int, int, blake3]] = {}
    for kind, entry in sorted(_staying(witness), key=lambda one: one[1].at):
        files, size, digest = sums.get(kind, (0, 0, blake3()))
        line = f"{entry.digest}  {entry.at.written}\n".encode("utf-8", "surrogateescape")
        digest.update(line)
        sums[kind] = files + 1, size + entry.bytes, digest
    return tuple(
        KeptClass(file_class=kind, files=sums[kind][0], bytes=sums[kind][1], digest=sums[kind][2].hexdigest())
        for kind in FileClass
        if kind in sums
    )


def _staying(witness: Witness) -> Iterator[tuple[FileClass, Entry]]:
    from left_intact.core.model.entry import Kind
    from left_intact.core.model.stages import Verb
    from left_intact.core.model.unchanged import CLASSES

    for page in witness.kept.pages:
        for at in page.places:
            entry = page.page.entry(at)
            if entry.kind is Kind.FILE:
                yield CLASSES[page.classes[at]], entry
    for row in witness.rows.values():
        if row.verb is Verb.KEEP and row.before is not None and row.before.kind is Kind.FILE:
            yield row.file_class, row.before


def _no_such_update(install: Install, number: int | None) -> LeftIntactError:
    which = "no update" if number is None else f"no update {number}"
    says = f"{install.name} has {which} on record"
    return LeftIntactError("no-such-update", says, way_out="See which there are: left-intact history.")
