"""Ending what was cut off, taking up what waits, giving up, and settling."""

from __future__ import annotations

import os
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from dataclasses import replace

from left_intact.core.carrying import laying
from left_intact.core.carrying.chain import (
    Chain,
    Outside,
    advance,
    in_one_line,
    interrupted,
    make_safe,
    observe,
    observe_wait,
    reached,
    refuse_if_open,
    refuse_roots,
    stage_done,
    undo_stages,
    wait_to_try_again,
)
from left_intact.core.carrying.contents import list_rows
from left_intact.core.carrying.journal import Journal, StageRow
from left_intact.core.carrying.keeping import ENDED, references, tidy
from left_intact.core.carrying.roots import Roots
from left_intact.core.carrying.strongbox import Strongbox
from left_intact.core.files.identity import identity_of
from left_intact.core.files.place import root_replaced
from left_intact.core.model.errors import LeftIntactError, Misuse
from left_intact.core.model.place import Root
from left_intact.core.model.progress import CancelToken, Report, silent
from left_intact.core.model.stages import Sign
from left_intact.core.model.update import TORN, RunKind, Settled, StageState, State, Update


@contextmanager
def _opened(
    box: Strongbox, outside: Outside, root: str, report: Report
) -> Iterator[tuple[Journal, Chain | None]]:
    """The journal, and a chain for the run in it that is not at its end."""
    again = "Mend that, then do the same again."
    with in_one_line("nothing is lost", again), box.locked(), box.journal() as journal:
        update = journal.unfinished() or journal.waiting()
        if update is None:
            yield journal, None
            return
        update = _bound(journal, update, root)
        refuse_roots(update.roots, box)
        with Roots(update.roots) as roots:
            chain = Chain(box, journal, update, outside, roots, report, CancelToken())
            yield journal, chain


def _bound(journal: Journal, update: Update, root: str) -> Update:
    """A run whose install was renamed since is led to where it lies now; a link is never followed."""
    roots = tuple(rebound(known, root if not known.label else known.place) for known in update.roots)
    if roots != update.roots:
        journal.amend(update.id, roots=roots)
    return journal.update(update.id)


def rebound(known: Root, place: str) -> Root:
    """A root at the place it has now. Raises `root-replaced` where a link lies there."""
    if os.path.islink(place):
        raise root_replaced(place)
    return replace(known, place=place, identity=identity_of(place) or known.identity)


# ---------------------------------------------------------------- what was cut off


def recover(
    box: Strongbox, outside: Outside, root: str, forward: bool | None, report: Report = silent
) -> Update:
    """End an interrupted run. Without a direction: on to its end once laying had begun, else back.

    Forward and back are those of the update: a going back that was cut off is ended by `forward` with the
    update in force, and what was made on trial in its place. May itself be cut off any number of times.
    Raises `nothing-to-recover`, `cannot-go-forward`, `HalfDone`.
    """
    nothing = LeftIntactError(
        "nothing-to-recover", "no update was cut off", way_out="All is as it should be."
    )
    if not box.exists:
        raise nothing
    with _opened(box, outside, root, report) as (_, chain):
        if chain is None or chain.update.state is State.WAITING:
            raise nothing
        torn = next((s for s in chain.stages() if s.state in TORN), None)
        absent = _absent(chain, torn)
        if absent:
            raise LeftIntactError(
                "root-absent",
                "this folder is not there now; what was cut off waits for it",
                path=absent[0],
                way_out="Bring it back (a stick, a renamed folder), then recover again.",
            )
        if _onward(chain.update, torn, forward):
            _take_up_undone(chain)
            if torn is not None:
                _finish_stage(chain, torn)
            advance(chain)
        else:
            _take_back(chain, torn)
        return chain.again()


def _absent(chain: Chain, torn: StageRow | None) -> list[str]:
    """Folders that a torn stage needs and that are not there; one that it takes away itself may be gone."""
    if torn is None:
        return []
    steps = chain.journal.steps(chain.update.id, torn.seq)
    goes = {step.at.root for step in steps if not step.at.path and step.after is None}
    there = (r for r in chain.roots_now() if r.existed and r.label not in goes)
    return [r.place for r in there if identity_of(r.place) is None]


def _onward(update: Update, torn: StageRow | None, forward: bool | None) -> bool:
    """Whether a run is brought to its own end."""
    if update.kind is RunKind.BACK:
        return (
            not forward if forward is not None else torn is None or torn.state is not StageState.PUTTING_BACK
        )
    if forward is not None:
        return forward
    return update.state is State.CARRYING and (torn is None or torn.state is StageState.CARRYING)


def _take_up_undone(chain: Chain) -> None:
    """Stages that were taken back already, when it was cut off, have their turn again."""
    for stage in (s for s in chain.stages() if s.state is StageState.UNDONE):
        chain.journal.begin_again(chain.update.id, stage.seq)


def _finish_stage(chain: Chain, torn: StageRow) -> None:
    with chain.run(torn.seq) as run:
        try:
            if torn.state is StageState.STAGING:
                make_safe(chain, run)
            else:
                laying.prepare_missing(run)
        except (LeftIntactError, OSError) as error:
            raise LeftIntactError(
                "cannot-go-forward",
                f"the update cannot be completed: {error}",
                path=run.update.arrival,
                way_out="Go back instead: left-intact recover --back.",
            ) from error
        state = State.GOING_BACK if run.update.kind is RunKind.BACK else State.CARRYING
        chain.journal.set_state(run.update.id, state, stage=(torn.seq, StageState.CARRYING))
        run.update = chain.again()
        laying.lay(run, exact=False)
        stage_done(chain, run)


def _take_back(chain: Chain, torn: StageRow | None) -> None:
    """Put the torn stage back, then those before it; a step by hand among them makes the run wait instead."""
    journal, update = chain.journal, chain.update
    if torn is not None:
        with chain.run(torn.seq) as run:
            if torn.state is StageState.STAGING:
                run.annexes.clear()
            else:
                state = State.GOING_BACK if update.kind is RunKind.BACK else State.PUTTING_BACK
                laying.with_state(run, state)
                laying.put_back(run, journal.folders(update.id, torn.seq), ending=run.annexes.clear)
        journal.set_stage(update.id, torn.seq, StageState.UNDONE)
        if any(s.kind == "hand" and s.state is StageState.DONE for s in chain.stages()):
            why = "it was cut off and put back; what came before it is in force"
            wait_to_try_again(chain, torn.seq, why)
            return
    undo_stages(chain)


# ---------------------------------------------------------------- what waits


def go_on(
    box: Strongbox,
    outside: Outside,
    root: str,
    *,
    done: str = "",
    skip: str = "",
    answers: Mapping[str, str] | None = None,
    report: Report = silent,
    cancel: CancelToken | None = None,
) -> Update:
    """Take up a run that waits: look whether its step was done, then carry on.

    Raises `nothing-waits`, `not-done-yet`, `cannot-skip`, `unknown-step`, and whatever carrying out raises.
    """
    with _opened(box, outside, root, report) as (_, chain):
        chain = _waiting_one(chain)
        chain.cancel = cancel or CancelToken()
        stage = next((s for s in chain.stages() if s.state is StageState.WAITING), None)
        if stage is not None:
            _take_up(chain, stage, done, skip, answers or {})
        return advance(chain)


def _waiting_one(chain: Chain | None) -> Chain:
    if chain is None:
        raise LeftIntactError("nothing-waits", "no update waits for you", way_out="All is as it should be.")
    if chain.update.state is not State.WAITING:
        raise interrupted(chain.update)
    return chain


def _take_up(chain: Chain, stage: StageRow, done: str, skip: str, answers: Mapping[str, str]) -> None:
    waits = stage.waits
    named = waits.step if waits else ""
    for word in filter(None, (done, skip)):
        if word != named:
            raise Misuse("unknown-step", f"no step is called {word}", way_out=f"It waits for: {named}.")
    options = waits.options if waits else ()
    for name, answer in answers.items():
        if name != named or answer not in options:
            way = f"{named}: {', '.join(options)}." if options else f"It waits for a step: {named}."
            raise Misuse("unknown-answer", f"{answer!r} answers nothing here", way_out=way)
    if stage.hand is not None:
        _take_up_hand(chain, stage, done=bool(done), skip=bool(skip))
        return
    observe_wait(chain, stage)
    chain.journal.set_stage(
        chain.update.id,
        stage.seq,
        StageState.PLANNED,
        answers={**stage.answers, **answers},
        waits=None,
    )


def _take_up_hand(chain: Chain, stage: StageRow, *, done: bool, skip: bool) -> None:
    step = stage.hand
    assert step is not None
    if skip:
        if not step.may_skip:
            raise LeftIntactError(
                "cannot-skip",
                f"this step cannot be left out: {step.asks}",
                path=chain.update.root,
                way_out="Do it, or end the update with give-up.",
            )
        observe(chain, stage, StageState.SKIPPED)
    elif done:
        if step.check.sign is not Sign.SAID and not chain.outside.was_done(step, chain.update):
            raise LeftIntactError(
                "not-done-yet",
                f"it cannot be seen that this was done: {step.asks}",
                path=chain.roots.full(step.check.at),
                way_out="Do it, then go on.",
            )
        observe(chain, stage, StageState.DONE)


def give_up(box: Strongbox, outside: Outside, root: str) -> Update:
    """End a run that waits where it stands; what is in force stays on trial. Raises `nothing-waits`."""
    with _opened(box, outside, root, silent) as (journal, chain):
        chain = _waiting_one(chain)
        update = chain.update
        for stage in chain.stages():
            if stage.state is StageState.WAITING and stage.hand is not None:
                observe(chain, stage, StageState.GIVEN_UP)
            elif stage.state in (StageState.WAITING, StageState.PLANNED):
                observe_wait(chain, stage)
                journal.set_stage(update.id, stage.seq, StageState.GIVEN_UP, waits=None)
        in_force = [s for s in chain.stages() if s.state is StageState.DONE]
        if update.kind is RunKind.BACK:
            # What it had taken back is seen on the tree by the next going back.
            journal.set_state(update.id, State.ABANDONED, ended=dict.fromkeys(update.undoes, State.ON_TRIAL))
        else:
            state = State.ON_TRIAL if in_force else State.ABANDONED
            journal.set_state(update.id, state, to_version=reached(in_force) or update.to_version)
        return chain.again()


# ---------------------------------------------------------------- settling


def settle(box: Strongbox, only: int | None = None) -> Settled:
    """Confirm what is on trial and free the program's own old files; `only` one update, where that is named.

    What was the person's (merged settings as they were, files they chose to have replaced, what was made
    safe) stays in the strongbox. Raises `nothing-to-settle`, `Interrupted`, `waiting`.
    """
    nothing = LeftIntactError(
        "nothing-to-settle", "there is no update on trial", way_out="Nothing needs doing."
    )
    if not box.exists:
        raise nothing
    with in_one_line("nothing of yours is lost"), box.locked(), box.journal() as journal:
        refuse_if_open(journal)
        every = [u for u in journal.updates() if u.state is State.ON_TRIAL]
        on_trial = [u for u in every if only is None or u.id == only]
        if not on_trial:
            raise nothing
        for update in on_trial:
            journal.set_state(update.id, State.SETTLED)
        freed = tidy(journal, box)
        held = references(journal).yours & box.objects()
        prune(journal, held)
        journal.shrink()
        box.write_list(list_rows(journal, box))
        return Settled(update=journal.update(on_trial[0].id), freed=freed, held=len(held))


def housekeeping(box: Strongbox) -> int:
    """Let go of what ended runs were proven by, and of what nobody needs any more; the bytes freed."""
    with in_one_line("nothing of yours is lost"), box.locked(), box.journal() as journal:
        prune(journal)
        freed = tidy(journal, box)
        box.write_list(list_rows(journal, box))
        return freed


def prune(journal: Journal, held: set[str] | None = None) -> None:
    """Let go of what ended runs were proven by, but for the last one that was settled and a going back that
    was the last thing done: those still can be proven.

    `held` are the digests of what stays in the strongbox for the person, once the rest was freed: the steps
    of anything else go too. Without it every step stays, as the list of what is held is made of them.
    """
    # Those on trial are not ended; when they go back, this one is what lies there and must be proven again.
    last = next((u.id for u in journal.updates() if u.state is State.SETTLED), 0)
    runs = journal.runs()
    back = runs[0].id if runs and runs[0].kind is RunKind.BACK else 0
    ended = [run.id for run in runs if run.state in ENDED and run.id not in (last, back)]
    if held is None:
        journal.prune(ended)
    else:
        journal.prune(ended, steps_of=lambda s: s.before is not None and s.before.digest in held)
