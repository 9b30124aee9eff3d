"""An update as a chain of stages, each whole or not at all; it may wait for the person for days in between.

What needs other stages of the program (looking whether a step by hand was done, drawing what could not be
drawn before, reading a tree) is handed in as `Outside`, so that this module knows neither planning nor
proving.
"""

from __future__ import annotations

import os
from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager, suppress
from dataclasses import dataclass, field, replace
from functools import cache
from typing import NoReturn, Protocol

from left_intact.core.carrying import laying
from left_intact.core.carrying.annex import Annexes
from left_intact.core.carrying.contents import list_rows
from left_intact.core.carrying.fresh import copying_stage, lacking_copies
from left_intact.core.carrying.heads import make_journal
from left_intact.core.carrying.journal import FolderTime, Journal, Observed, StageRow, Step, Whole
from left_intact.core.carrying.laying import Run
from left_intact.core.carrying.roots import Roots
from left_intact.core.carrying.steps import (
    OtherNames,
    refuse_bad_path,
    steps_of,
    touched_folders,
    unspoken,
    witness_of,
)
from left_intact.core.carrying.strongbox import Strongbox
from left_intact.core.files.identity import identity_of
from left_intact.core.files.names import STRONGBOX_FOLDER, lies_in, parents
from left_intact.core.files.place import root_replaced
from left_intact.core.model.classes import FileClass
from left_intact.core.model.effects import moved_by
from left_intact.core.model.entry import Entry, Kind
from left_intact.core.model.errors import Fault, HalfDone, Interrupted, LeftIntactError, Refusal
from left_intact.core.model.place import At, Root
from left_intact.core.model.plan import DrawnStage, Plan
from left_intact.core.model.progress import CancelToken, Report, silent
from left_intact.core.model.proof import Witness
from left_intact.core.model.stages import (
    ChangeSet,
    Consent,
    DeferredStage,
    ManualStep,
    Move,
    OnFailure,
    Sign,
    Verb,
)
from left_intact.core.model.unchanged import Unchanged
from left_intact.core.model.update import Arrived, RunKind, RunRecord, StageState, State, Update, WaitsFor

Lying = Mapping[At, tuple[Entry, FileClass]]
"""What lies in the roots, with the class of each."""


class Outside(Protocol):
    """What a chain needs of the stages before and after it."""

    def was_done(self, step: ManualStep, update: Update) -> bool:
        """Whether it can be seen that a step by hand was done."""

    def tree(self, roots: tuple[Root, ...]) -> Lying:
        """All that lies in the roots now."""

    def draw(self, later: DeferredStage, update: Update, answers: Mapping[str, str]) -> DrawnStage:
        """Draw a stage on the tree as it lies now."""

    def draw_again(self, update: Update, answers: Mapping[str, str]) -> Plan:
        """Draw the plan of an update anew, on the tree as it lies now."""

    def run_command(self, step: ManualStep, update: Update) -> bool:
        """Run the command of a step, where the person has allowed it; whether it was run and ended well."""


@dataclass(slots=True)
class Chain:
    """One run of stages under way."""

    box: Strongbox
    journal: Journal
    update: Update
    outside: Outside
    roots: Roots
    report: Report = silent
    cancel: CancelToken = field(default_factory=CancelToken)
    names: OtherNames = lambda device, inode: []
    """Where files of a device and inode lie, where a plan has just told it."""
    fresh: dict[int, list[Step]] = field(default_factory=dict)
    """The steps of stages that were journalled by this very run, by stage."""

    def roots_now(self) -> tuple[Root, ...]:
        return tuple(self.roots.all.values())

    def stages(self) -> list[StageRow]:
        return self.journal.stages(self.update.id)

    def again(self) -> Update:
        self.update = self.journal.update(self.update.id)
        return self.update

    @property
    def on_failure(self) -> OnFailure:
        return self.update.on_failure

    @contextmanager
    def run(self, stage: int) -> Iterator[Run]:
        """The steps of a stage, ready to be run over."""
        annexes = Annexes(self.box, self.roots, self.update.id)
        steps = self.fresh.get(stage) or self.journal.steps(self.update.id, stage)
        for step in steps:
            refuse_bad_path(step.at, self.roots)
        run = Run(
            self.box, self.journal, self.update, stage, steps, self.roots, annexes, self.report, self.cancel
        )
        try:
            yield run
        finally:
            annexes.close()
            if run.notes:
                self.journal.amend(self.update.id, notes=tuple(sorted({*self.update.notes, *run.notes})))
            if run.missing:
                self.journal.amend(
                    self.update.id, missing=tuple(sorted({*self.update.missing, *run.missing}))
                )


# ---------------------------------------------------------------- beginning


def carry_out(
    plan: Plan,
    box: Strongbox,
    outside: Outside,
    *,
    allowed: frozenset[str] = frozenset(),
    install_id: str = "",
    report: Report = silent,
    cancel: CancelToken | None = None,
) -> Update:
    """Carry a plan out, up to its end or to where it waits for the person.

    Raises `Refusal` before the first write where something is in the way, `Interrupted` where an earlier
    run was cut off, `Stopped` and other `LeftIntactError` after everything was put back, `HalfDone` where
    that could not be done.
    """
    refuse_if_blocked(plan, allowed)
    with in_one_line(), box.locked():
        if not box.exists:
            make_journal(box.journal_path)
        with box.journal() as journal, _told(journal):
            return _begin(plan, box, journal, outside, allowed, install_id, report, cancel or CancelToken())


def _begin(
    plan: Plan,
    box: Strongbox,
    journal: Journal,
    outside: Outside,
    allowed: frozenset[str],
    install_id: str,
    report: Report,
    cancel: CancelToken,
) -> Update:
    with Roots(plan.roots, strict=True) as roots:
        refuse_if_open(journal)
        refuse_roots(plan.roots, box)
        box.claim(_lies_before(plan), install_id)
        answers = {q.id: q.choice for q in plan.questions}
        facts = replace(plan.facts, answers=answers, allowed=tuple(sorted(allowed)))
        record = RunRecord(
            install=plan.install,
            from_version=plan.from_version,
            to_version=plan.to_version,
            kind=RunKind.BACK if plan.undoes else RunKind.UPDATE,
            route=plan.route.value,
            roots=plan.roots,
            arrivals=tuple(
                Arrived(source=a.source, root=a.root, digest=a.digest, version=a.release.version_text)
                for a in plan.arrivals
            ),
            source=plan.source,
            on_failure=plan.on_failure,
            undoes=plan.undoes,
            effects=plan.effects,
        )
        names = _names_in(plan)
        first = None
        if isinstance(stage := plan.stages[0], ChangeSet) and len(plan.stages) == 1:
            first = _whole(stage, roots, names, record, plan)
        update = journal.begin(record, facts, plan.stages, first)
        if (seq := _first_carry(plan)) > 1:  # days may pass before its turn comes
            journal.put_witness(update.id, seq, _witness(plan.change_sets[0], record, plan))
        chain = Chain(box, journal, update, outside, roots, report, cancel, names)
        if first is not None:
            chain.fresh[1] = first.steps
        return advance(chain, plan)


def _lies_before(plan: Plan) -> str:
    """The folder that an install lies in until a plan has ended: whose its strongbox is says that one."""
    moved = moved_by(plan.effects)
    return moved.old if moved is not None else plan.roots[0].place


@contextmanager
def in_one_line(holds: str = "nothing was changed", way_out: str = "") -> Iterator[None]:
    """Let nothing out but errors that have a line. `holds` says how things stand where the disk refuses."""
    try:
        yield
    except OSError as error:
        stop = laying.as_stop(error, holds)
        stop.way_out = way_out or stop.way_out
        raise stop from error


_CUT_OFF = "it is cut off, and nothing is lost"


@contextmanager
def _told(journal: Journal) -> Iterator[None]:
    """Where a run that has begun could be neither ended nor put back, say that it is cut off."""
    try:
        yield
    except (LeftIntactError, OSError) as error:
        if isinstance(error, (HalfDone, Interrupted)) or not _is_cut_off(journal):
            raise
        stop, holds = laying.as_stop(error, _CUT_OFF), f"; {_CUT_OFF}"
        raise HalfDone(
            stop.code,
            stop.says.removesuffix(holds) + holds,
            path=stop.path,
            way_out="Mend that, then end it with: left-intact recover.",
        ) from error


def _is_cut_off(journal: Journal) -> bool:
    try:
        return journal.unfinished() is not None
    except LeftIntactError:
        return True  # what cannot be looked at is said to be worse than it may be


def _names_in(plan: Plan) -> OtherNames:
    """Where files of a device and inode lie, by a plan; what moves is gone through when it is first asked."""

    @cache
    def moving() -> dict[tuple[int, int], list[At]]:
        found: dict[tuple[int, int], list[At]] = {}
        for move in (m for change_set in plan.change_sets for m in change_set.moves):
            if move.before is not None:
                found.setdefault(move.before.stamp[:2], []).append(move.at)
        return found

    return lambda device, inode: moving().get((device, inode), []) + plan.kept.named(device, inode)


def refuse_if_blocked(plan: Plan, allowed: frozenset[str]) -> None:
    """Raise `Refusal` with all blockers that were not passed, `questions-open` with open questions."""
    if left := _standing(plan, allowed):
        raise Refusal(left)
    if plan.open_questions:
        raise LeftIntactError(
            "questions-open", f"{len(plan.open_questions)} questions are open", way_out="Answer them."
        )


def _standing(plan: Plan, allowed: frozenset[str]) -> list[Fault]:
    """The blockers of a plan that were not passed."""
    return [fault for fault in plan.blockers if not (fault.passable and fault.code in allowed)]


def refuse_if_open(journal: Journal) -> None:
    """Raise `Interrupted` where a run was cut off, `waiting` where one waits for the person."""
    if (cut := journal.unfinished()) is not None:
        raise interrupted(cut)
    if (one := journal.waiting()) is not None:
        raise waiting(one)


def interrupted(update: Update) -> Interrupted:
    back = update.state is State.GOING_BACK or update.kind is RunKind.BACK
    what = "going back" if back else f"the update to {update.to_version or 'a new build'}"
    return Interrupted(
        "interrupted",
        f"{what} of {update.install} was cut off",
        path=update.root,
        way_out="End it with: left-intact recover --forward, or --back.",
    )


def waiting(update: Update) -> LeftIntactError:
    """An update waits for the person, so nothing else may begin."""
    asks = update.waits.asks if update.waits else "a step by hand"
    return LeftIntactError(
        "waiting",
        f"an update of {update.install} waits for you: {asks}",
        path=update.root,
        way_out=f'Go on with: left-intact go-on "{update.install}", or end it with give-up.',
    )


def refuse_roots(roots: tuple[Root, ...], box: Strongbox) -> None:
    """Vetted as if a stranger had written them."""
    for root in roots:
        place = root.place
        parts = place.split(os.sep)
        real = os.path.realpath(place) == place or not root.existed
        if not os.path.isabs(place) or ".." in parts or STRONGBOX_FOLDER in parts or not real:
            raise root_replaced(place)
        if not root.label and lies_in(box.folder, place):
            raise LeftIntactError(
                "strongbox-inside",
                "the strongbox may not lie inside the install",
                path=box.folder,
                way_out="Move it out.",
            )


# ---------------------------------------------------------------- going on


def advance(chain: Chain, plan: Plan | None = None) -> Update:
    """Take up the stages one after the other, until the end or until one waits.

    `plan` is at hand where it was just approved; after a wait or a crash the journal has what is needed of
    it.
    """
    for stage in chain.stages():
        if stage.state in _OVER:
            continue
        if stage.kind == "hand":
            if not _hand_step(chain, stage):
                return chain.again()
            continue
        whole: Plan | None = None
        is_new = stage.kind == "later" or _ground_moved(chain, stage)
        if stage.kind == "later":
            change_set = _draw_later(chain, stage)
        elif is_new:
            change_set, whole = _draw_again(chain, stage)
        else:
            change_set = _drawn_before(chain, stage, plan)
            whole = plan if plan is not None and stage.seq == _first_carry(plan) else None
        if chain.again().state is State.WAITING and chain.update.waits is not None:
            return chain.update
        if change_set is None and is_new:
            continue  # the person left it out
        if change_set is not None:
            _begin_stage(chain, stage.seq, change_set, whole)
        _run_stage(chain, stage.seq)
    return _finish(chain)


_OVER = (StageState.DONE, StageState.SKIPPED, StageState.GIVEN_UP, StageState.UNDONE)


def _first_carry(plan: Plan) -> int:
    """The number of the first stage that changes something; 0 where there is none."""
    return next((n for n, stage in enumerate(plan.stages, 1) if isinstance(stage, ChangeSet)), 0)


def _ground_moved(chain: Chain, stage: StageRow) -> bool:
    """Whether a step by hand changed a place of a stage that was drawn before it, and has not begun.

    All steps by hand of which anything is on record are over by now: nothing has its turn after one that is
    waited for.
    """
    journal, update = chain.journal, chain.update.id
    moved = {seen.at for s in chain.stages() if s.hand for seen in journal.observed(update, s.seq)}
    drawn = journal.drawn(update, stage.seq) if moved else None
    return drawn is not None and any(move.at in moved for move in drawn.moves)


def _drawn_before(chain: Chain, stage: StageRow, plan: Plan | None) -> ChangeSet | None:
    """A stage that was drawn with the plan; None where its steps are in the journal: those of a single stage
    from the first, also where it was put back and is taken up again.
    """
    if stage.seq in chain.fresh:
        return None
    if plan is not None:
        change_set = plan.stages[stage.seq - 1]
        assert isinstance(change_set, ChangeSet)
        return change_set
    return chain.journal.drawn(chain.update.id, stage.seq)


def _begin_stage(chain: Chain, stage: int, change_set: ChangeSet, plan: Plan | None) -> None:
    """The whole of a stage into the journal, before its first change. Where that fails, nothing was changed.

    With the first stage comes the witness of all that its plan speaks of.
    """
    try:
        update = chain.update
        whole = _whole(change_set, chain.roots, chain.names, update, plan)
        early = chain.journal.witness_of(update.id, stage)
        if early.rows or early.kept.pages:
            whole = replace(whole, witness=_over(early, whole.witness))
        chain.journal.put_carry(update.id, stage, whole)
        chain.journal.set_state(update.id, _going(update, State.STAGING))
        chain.fresh[stage] = whole.steps
    except BaseException as error:  # noqa: BLE001 (also Ctrl-C: whatever it is, the stage has not begun)
        _failed(chain, stage, error)


def _whole(
    change_set: ChangeSet,
    roots: Roots,
    names: OtherNames,
    run: RunRecord,
    plan: Plan | None,
) -> Whole:
    """All of a stage; with `plan` its witness is of all that the plan speaks of."""
    steps = steps_of(change_set, roots, names)
    folders = touched_folders([step for step in steps if step.before != step.after], roots)
    folders += [FolderTime(at=at, mode=0, mtime_ns=when, wanted=True) for at, when in change_set.times]
    return Whole(change_set=change_set, steps=steps, folders=folders, witness=_witness(change_set, run, plan))


def _witness(change_set: ChangeSet, run: RunRecord, plan: Plan | None) -> Witness:
    return witness_of(
        (*(unspoken(plan) if plan is not None else ()), *_left_alone(change_set, plan), *change_set.moves),
        plan.kept if plan is not None else Unchanged(),
        roots=tuple((r.label, r.place) for r in run.roots if r.label),
        version=run.from_version,
        to_version=run.to_version,
    )


def _over(early: Witness, later: Witness) -> Witness:
    """What was known when the run began, with what its stage agreed to when its turn came."""
    rows = {**early.rows, **later.rows}
    return replace(early, rows=rows, merged={**early.merged, **later.merged}, kept=early.kept.without(rows))


def _left_alone(change_set: ChangeSet, plan: Plan | None) -> list[Move]:
    """What later stages of a plan come to lies as it did until their turn, or for good where that never
    comes.
    """
    if plan is None:
        return []
    own = {move.at for move in change_set.moves}
    return [
        replace(m, verb=Verb.KEEP, after=m.before, source=None)
        for m in {
            move.at: move for one in reversed(plan.change_sets) for move in reversed(one.moves)
        }.values()
        if m.at not in own
    ]


def _going(update: Update, state: State) -> State:
    """The state of a run under way: a going back has but one."""
    return State.GOING_BACK if update.kind is RunKind.BACK else state


def _run_stage(chain: Chain, stage: int) -> None:
    chain.journal.set_stage(chain.update.id, stage, StageState.STAGING)
    with chain.run(stage) as run:
        try:
            make_safe(chain, run)
            laying.refuse_changed(run)
        except BaseException as error:  # noqa: BLE001 (also Ctrl-C: nothing was changed yet)
            run.annexes.clear()
            _failed(chain, stage, error)
        chain.journal.set_state(
            run.update.id, _going(run.update, State.CARRYING), stage=(stage, StageState.CARRYING)
        )
        run.update = chain.again()
        try:
            laying.lay(run, exact=True)
        except BaseException as error:  # noqa: BLE001 (also Ctrl-C: what was laid is put back)
            _put_back_after(chain, run, error)
        stage_done(chain, run)


def make_safe(chain: Chain, run: Run) -> None:
    """What will go is in the strongbox and in its plain list, what will come is ready, and all is flushed."""
    laying.stage(run)
    chain.box.write_list(list_rows(chain.journal, chain.box, (chain.update.id, run.steps)))
    run.box.flush()


def stage_done(chain: Chain, run: Run) -> None:
    """Flushed, and then said to be so; with the last stage the whole run ends in the same transaction."""
    for folder in sorted(
        chain.journal.folders(run.update.id, run.stage), key=lambda f: -f.at.path.count("/") - bool(f.at.path)
    ):
        there = run.roots.look(folder.at) if folder.wanted else None
        if there is not None and there.kind is Kind.FOLDER:
            place, path = run.roots.spot(folder.at)
            place.set_time(path, folder.mtime_ns)
    run.flush()
    run.annexes.clear()
    left = [s for s in chain.stages() if s.seq > run.stage]
    state = chain.update.state if left else _ending(chain.update)
    chain.journal.set_state(
        run.update.id, state, stage=(run.stage, StageState.DONE), ended=_ended(chain) if not left else None
    )
    _note_roots(chain)


def _ending(update: Update) -> State:
    return State.DONE if update.kind is RunKind.BACK else State.ON_TRIAL


def _ended(chain: Chain) -> dict[int, State]:
    return dict.fromkeys(chain.update.undoes, State.GONE_BACK)


def _note_roots(chain: Chain) -> None:
    """Roots as they are now: one that was made has an identity from now on."""
    roots = [replace(r, identity=identity_of(r.place) or r.identity) for r in chain.update.roots]
    chain.journal.amend(chain.update.id, roots=tuple(roots))
    chain.again()
    chain.roots.all = {root.label: root for root in roots}
    _claim(chain)


def _claim(chain: Chain) -> None:
    """Write down whose the strongbox is: of the folder that the install lies in now."""
    moved, card = moved_by(chain.update.effects), chain.box.card()
    place = chain.update.roots[0].place
    if moved is not None:
        place = moved.new if chain.update.state in (State.ON_TRIAL, State.DONE) else moved.old
    if card is not None and identity_of(place) is not None:
        chain.box.claim(place, card.install)


def _finish(chain: Chain) -> Update:
    if chain.update.state not in (State.ON_TRIAL, State.DONE):
        chain.journal.set_state(chain.update.id, _ending(chain.update), ended=_ended(chain))
        chain.again()
        _claim(chain)
    return chain.again()


# ---------------------------------------------------------------- when something fails


def _failed(chain: Chain, stage: int, error: BaseException) -> NoReturn:
    """A stage that changed nothing, or was put back: what becomes of those before it. Raises always."""
    in_force = [s for s in chain.stages() if s.state is StageState.DONE]
    update, journal = chain.update, chain.journal
    if not in_force:
        ended = dict.fromkeys(update.undoes, State.ON_TRIAL)
        journal.set_state(update.id, State.ABANDONED, stage=(stage, StageState.UNDONE), ended=ended)
        raise laying.as_stop(error) from error
    if chain.on_failure is OnFailure.KEEP:
        for later in (s for s in chain.stages() if s.seq > stage):
            journal.set_stage(update.id, later.seq, StageState.GIVEN_UP)
        journal.set_state(
            update.id,
            _ending(update),
            stage=(stage, StageState.GIVEN_UP),
            ended=_ended(chain),
            aimed=update.to_version,
            to_version=reached(in_force) or update.to_version,
        )
        raise _kept_what_is_done(error, len(in_force), update) from error
    if any(s.kind == "hand" for s in in_force) or update.kind is RunKind.BACK:
        why = laying.as_stop(error, "this stage was put back").line()
        wait_to_try_again(chain, stage, why)
        raise laying.as_stop(error, "this stage was put back, and the update waits") from error
    journal.set_state(update.id, State.PUTTING_BACK, stage=(stage, StageState.UNDONE))
    undo_stages(chain)
    raise laying.as_stop(error) from error


def reached(in_force: Sequence[StageRow]) -> str:
    """Of a run that ends before its last stage: the version that those in force lead to; empty for none."""
    return next((stage.reaches for stage in reversed(in_force) if stage.reaches), "")


def _kept_what_is_done(error: BaseException, done: int, update: Update) -> LeftIntactError:
    stop = laying.as_stop(error, f"{done} stages before it are in force")
    return LeftIntactError(
        "stopped-half-way",
        f"{stop.says}; {done} of {update.stages} stages are in force and on trial",
        path=stop.path,
        way_out="Keep them, or go back.",
    )


def _put_back_after(chain: Chain, run: Run, error: BaseException) -> NoReturn:
    """Put back what a stage had laid when it failed. Raises always."""
    run.cancel = CancelToken()
    laying.with_state(run, chain.update.state if chain.update.kind is RunKind.BACK else State.PUTTING_BACK)
    steps = run.steps
    run.steps = steps[: run.laid]
    if run.laid < len(steps) and laying.was_begun(run, steps[run.laid]):
        run.steps = steps[: run.laid + 1]
    try:
        laying.put_back(run, chain.journal.folders(run.update.id, run.stage), ending=run.annexes.clear)
    except HalfDone:
        raise
    except BaseException as worse:
        raise _half_done(run, worse) from worse
    _failed(chain, run.stage, error)


def _half_done(run: Run, error: BaseException) -> HalfDone:
    why = laying.as_stop(error, "some places are not back").says
    return HalfDone(
        "half-done",
        f"putting back was cut off ({why})",
        path=run.update.root,
        way_out="End it with: left-intact recover --back.",
    )


def undo_stages(chain: Chain) -> None:
    """Take back, newest first, all stages of this run that are in force; it is abandoned then."""
    for earlier in reversed(chain.stages()):
        if earlier.kind == "carry" and earlier.state in (StageState.DONE, StageState.PUTTING_BACK):
            chain.journal.set_state(
                chain.update.id, State.PUTTING_BACK, stage=(earlier.seq, StageState.PUTTING_BACK)
            )
            with chain.run(earlier.seq) as run:
                run.cancel, run.whole = CancelToken(), True
                laying.put_back(
                    run, chain.journal.folders(run.update.id, run.stage), ending=run.annexes.clear
                )
        chain.journal.set_stage(chain.update.id, earlier.seq, StageState.UNDONE)
    ended = dict.fromkeys(chain.update.undoes, State.ON_TRIAL)
    chain.journal.set_state(chain.update.id, State.ABANDONED, ended=ended)


# ---------------------------------------------------------------- steps by hand, and what is drawn later


def _hand_step(chain: Chain, stage: StageRow) -> bool:
    """Go past a step by hand that is done, and put what it changed on record; else wait for it, and say so
    with False.
    """
    step, update, journal = stage.hand, chain.update, chain.journal
    assert step is not None
    copies = copying_stage(journal, update, stage)
    known: Lying | None = None
    if stage.state is StageState.PLANNED or copies is not None:
        known = chain.outside.tree(chain.roots_now())
    newer = lacking_copies(journal, update, copies[1], known) if copies and known is not None else ()
    lacks = _copy_too(chain, copies[0].seq, newer) if copies is not None and newer else ""
    if known is not None and ((newer and not lacks) or stage.state is StageState.PLANNED):
        rows = {seen.at: seen for seen in journal.observed(update.id, stage.seq)}
        for at, (entry, kind) in known.items():
            rows[at] = Observed(at=at, before=entry, after=None, file_class=kind)
        journal.set_observed(update.id, stage.seq, rows.values())
    seen = step.check.sign is not Sign.SAID
    done = seen and chain.outside.was_done(step, update)
    if not done and step.command and chain.outside.run_command(step, update):
        done = not seen or chain.outside.was_done(step, update)
    if not done:
        waits = WaitsFor(
            step=step.id,
            asks=step.asks,
            why=step.why + lacks,
            may_skip=step.may_skip,
            can_be_seen=seen,
            command=step.command,
            sees=step.check.words,
            prompts=step.prompts,
            on=step.on,
        )
        journal.wait(update.id, stage.seq, waits)
        return False
    observe(chain, stage, StageState.DONE)
    return True


def _copy_too(chain: Chain, stage: int, newer: tuple[Move, ...]) -> str:
    """Copy what somebody made while a step is waited for that will take it away; why it could not be copied.

    First the copies, read back, then the word of them: what is cut off in between, or fails since somebody
    is writing there, is copied at the next look.
    """
    update, annexes = chain.update, Annexes(chain.box, chain.roots, chain.update.id)
    more = (chain.report, chain.cancel)
    try:
        steps = steps_of(ChangeSet(moves=newer, tidy=False), chain.roots, chain.names)
        laying.stage(Run(chain.box, chain.journal, update, stage, steps, chain.roots, annexes, *more))
        chain.box.flush()
    except (LeftIntactError, OSError) as error:
        if isinstance(error, LeftIntactError) and error.code == "stopped":
            raise
        return f". What changed since is not copied yet: {laying.as_stop(error, 'it is tried again').says}"
    finally:
        annexes.clear()
    chain.journal.add_copies(update.id, stage, steps)
    chain.box.write_list(list_rows(chain.journal, chain.box))
    return ""


def observe(chain: Chain, stage: StageRow, state: StageState) -> None:
    """What changed while the person was at it is neither lost nor altered: it is what lies there now."""
    assert stage.hand is not None
    for label in stage.hand.rebinds:
        chain.roots.forget(label)
    before = {o.at: o for o in chain.journal.observed(chain.update.id, stage.seq)}
    _rebind(chain, stage.hand.rebinds)
    now = chain.outside.tree(chain.roots_now())
    rows = _changed(before, now)
    left = any(s.seq > stage.seq for s in chain.stages())
    # Nothing is torn between two stages, so a crash from here on finds a run that waits or goes on.
    stands = State.WAITING if left else _going(chain.update, State.CARRYING)
    chain.journal.set_observed(chain.update.id, stage.seq, rows, ended=(state, stands))


def _changed(before: Mapping[At, Observed], now: Lying) -> list[Observed]:
    """What lies there otherwise than before; of what cannot be looked into now nothing is known."""
    shut = {at for at, (entry, _) in now.items() if entry.kind is Kind.FAULT and at in before}
    rows = []
    for at in sorted({*before, *now}):
        was, then = before.get(at), now.get(at)
        old, new = (was.before if was else None), (then[0] if then else None)
        if at in shut or (then is None and any(At(at.root, above) in shut for above in parents(at.path))):
            continue
        if (
            old is None
            or new is None
            or not old.same_content(new)
            or (old.mode, old.mtime_ns) != (new.mode, new.mtime_ns)
        ):
            kind = then[1] if then else was.file_class if was else FileClass.UNSORTED
            rows.append(Observed(at=at, before=old, after=new, file_class=kind))
    return rows


def wait_for(chain: Chain, stage: int, waits: WaitsFor) -> None:
    """A stage that is no step by hand waits. What lies there then is on record, so that what changes while
    it waits is known for what somebody did, who plays on for days.
    """
    journal, update = chain.journal, chain.update.id
    journal.wait(update, stage, waits)  # first: to read all takes a while, in which it may be cut off
    with suppress(OSError, LeftIntactError):  # the line says what is in the way: it may be this too
        lies = chain.outside.tree(chain.roots_now())
        rows = [Observed(at=at, before=e, after=None, file_class=kind) for at, (e, kind) in lies.items()]
        journal.watch(update, stage, rows)


def wait_to_try_again(chain: Chain, stage: int, why: str) -> None:
    """A stage that was put back waits for its turn anew."""
    chain.journal.begin_again(chain.update.id, stage)
    asks = "try this stage again"
    wait_for(chain, stage, WaitsFor(step=f"stage-{stage}", asks=asks, why=why, can_be_seen=False))


def observe_wait(chain: Chain, stage: StageRow) -> None:
    """What changed while a stage waited lies there for good, as after a step by hand."""
    journal, update = chain.journal, chain.update
    watched = {one.at: one for one in journal.watched(update.id, stage.seq)}
    if not watched:
        return
    there = {root.label for root in update.roots if identity_of(root.place) is not None}
    rows = {one.at: one for one in journal.observed(update.id, stage.seq)}
    for one in _changed(watched, chain.outside.tree(chain.roots_now())):
        if one.at.root in there:
            first = rows[one.at].before if one.at in rows else one.before
            rows[one.at] = replace(one, before=first)
    journal.set_observed(update.id, stage.seq, rows.values())


def _rebind(chain: Chain, labels: tuple[str, ...]) -> None:
    roots = [
        replace(r, identity=identity_of(r.place)) if r.label in labels else r for r in chain.update.roots
    ]
    chain.journal.amend(chain.update.id, roots=tuple(roots))
    chain.again()
    chain.roots.all = {root.label: root for root in roots}
    if "" in labels:
        _claim(chain)


def _draw_later(chain: Chain, stage: StageRow) -> ChangeSet | None:
    """The stage on the tree as it lies now; None where the person is asked first, or chose to leave it."""
    later, answers = stage.later, dict(stage.answers)
    assert later is not None
    drawn = chain.outside.draw(later, chain.update, answers)
    return drawn.change_set if _is_agreed(chain, stage, drawn, later.intends, later.consent) else None


def _draw_again(chain: Chain, stage: StageRow) -> tuple[ChangeSet | None, Plan | None]:
    """A stage that was drawn with its plan, on ground that a step by hand has moved meanwhile: within what
    was agreed to it goes on, else the person is asked.
    """
    before = chain.journal.drawn(chain.update.id, stage.seq)
    assert before is not None
    facts = chain.journal.facts(chain.update.id)
    answers = {**facts.answers, **stage.answers}
    plan = chain.outside.draw_again(chain.update, answers)
    number = sum(1 for s in chain.stages() if s.kind == "carry" and s.seq < stage.seq)
    change_set = plan.change_sets[number] if number < len(plan.change_sets) else ChangeSet(moves=())
    faults = tuple(_standing(plan, frozenset(facts.allowed)))
    drawn = DrawnStage(change_set=change_set, questions=plan.questions, blockers=faults)
    intends = f"lay {chain.update.to_version}" if chain.update.to_version else "lay what came"
    if not _is_agreed(chain, stage, drawn, intends, _consent_of(before, plan.roots)):
        return None, None
    return change_set, plan


_SLACK = 1 << 20


def _consent_of(change_set: ChangeSet, roots: tuple[Root, ...]) -> Consent:
    """What was agreed to with a stage that was shown whole."""
    laid = sum(move.after.bytes for move in change_set.moves if move.changes_disk and move.after is not None)
    return Consent(
        roots=tuple(root.label for root in roots),
        classes=tuple({move.file_class for move in change_set.moves}),
        verbs=tuple({move.verb for move in change_set.moves}),
        bytes=laid + laid // 10 + _SLACK,
    )


def _is_agreed(chain: Chain, stage: StageRow, drawn: DrawnStage, intends: str, consent: Consent) -> bool:
    """Whether a stage may go on as it was drawn now; where it may not, the run waits, or leaves it out."""
    answers = dict(stage.answers)
    why = ""
    options: tuple[str, ...] = ()
    asks = f"{intends}: may it?"
    step = f"stage-{stage.seq}"
    open_ones = [q for q in drawn.questions if q.answer is None]
    if drawn.blockers:
        why, asks = "; ".join(fault.says for fault in drawn.blockers), f"{intends}: this stands in the way"
    elif open_ones:
        first = open_ones[0]
        step, asks, why, options = first.id, first.asks, "; ".join(first.leads_to), first.options
    elif answers.get(step) != "lay" and (beyond := consent.covers(drawn.change_set.moves)):
        why, options = beyond, ("lay", "leave")
    if answers.get(step) == "leave":
        chain.journal.set_stage(chain.update.id, stage.seq, StageState.SKIPPED)
        return False
    if not why:
        if drawn.notes:
            notes = sorted({*chain.update.notes, *drawn.notes})
            chain.journal.amend(chain.update.id, notes=tuple(notes))
        return True
    wait_for(chain, stage.seq, WaitsFor(step=step, asks=asks, why=why, can_be_seen=False, options=options))
    return False
