"""Going back, drawn as a plan and carried out like one."""

from __future__ import annotations

import os
from collections.abc import Callable, Collection, Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

from left_intact.core.model.errors import LeftIntactError, Misuse
from left_intact.core.model.place import At, Root, is_spot
from left_intact.core.model.progress import CancelToken, Report, silent
from left_intact.core.model.update import State, Update

if TYPE_CHECKING:
    from left_intact.core.carrying.chain import Outside
    from left_intact.core.carrying.strongbox import Strongbox
    from left_intact.core.carrying.trace import Trace
    from left_intact.core.model.install import Install
    from left_intact.core.model.pages import Page
    from left_intact.core.model.plan import Plan
    from left_intact.core.model.survey import Survey
    from left_intact.core.model.unchanged import Unchanged
    from left_intact.core.planning.back import BackInputs, Segment
    from left_intact.core.planning.today import Today

from left_intact.services.home import Home, Service
from left_intact.services.other_stages import OtherStages
from left_intact.services.records import in_session
from left_intact.services.runs import Runs, it_stands
from left_intact.services.values import WentBack

_MAY_GO_BACK = (State.ON_TRIAL, State.GOING_BACK, State.WAITING)


DrawAgain = Callable[["Install", Update, Mapping[str, str]], "Plan"]


class GoingBack(Service):
    """Going back, drawn as a plan and carried out like one."""

    def __init__(self, home: Home, runs: Runs, draw_again: DrawAgain) -> None:
        """`draw_again` draws the plan of an update anew."""
        super().__init__(home)
        self.runs, self.records, self.places, self.surveys = runs, runs.records, runs.places, runs.surveys
        self._draw_again = draw_again

    @in_session
    def draw(
        self,
        install: Install,
        *,
        number: int | None = None,
        answers: Mapping[str, str] | None = None,
        behind: int = 0,
        report: Report = silent,
    ) -> Plan:
        """The plan for taking back the last update on trial, or a named one. Changes nothing.

        `behind` takes back only the stages behind that number. Raises `nothing-to-go-back-to`,
        `Interrupted`, `waiting`.
        """
        from left_intact.core.planning.back import draw_back

        install = self.places.where(install)
        self.records.refuse_if_open(install)
        inputs = self.inputs(install, number, answers or {}, behind, report)
        plan = draw_back(inputs)
        known = {q.id for q in plan.questions}
        for name in answers or {}:
            if name not in known:
                raise Misuse(
                    "unknown-question", f"no question is called {name}", way_out="See go-back --plan."
                )
        return plan

    def inputs(
        self,
        install: Install,
        number: int | None,
        answers: Mapping[str, str],
        behind: int,
        report: Report = silent,
        *,
        under_way: bool = False,
    ) -> BackInputs:
        """All that the way back is drawn from; `under_way` where it has begun."""
        from left_intact.core.carrying.recovery import rebound
        from left_intact.core.model.entry import Kind
        from left_intact.core.planning.back import BackInputs

        box = self.records.strongbox(install)
        trial = _trial(box, install, number, behind)
        update, segments = trial.update, trial.segments
        # A step by hand may have taken the folder away; for any other update its absence is a mistake.
        gone = trial.may_be_gone and not os.path.lexists(install.root)
        survey = self.surveys.survey(install, under_way=under_way or gone, report=report)
        places = {at for segment in segments for at in segment.touched}
        today = self._today(survey, update.roots, places, trial.was)
        wanted = {
            state.digest
            for s in segments
            for w in s.touched.values()
            for state in (w.first, *w.seen)
            if state and state.kind is Kind.FILE
        }
        sound = frozenset(digest for digest in wanted if box.has(digest))
        box.close()
        roots = tuple(
            replace(r, identity=None, existed=False)
            if At(r.label, "") in places and not os.path.lexists(r.place)  # the going back makes it anew
            else rebound(r, install.root if not r.label else r.place)
            for r in update.roots
        )
        circumstances = replace(self.surveys.circumstances(install, survey), roots=roots)
        return BackInputs(
            install=install.name,
            roots=roots,
            update=update.id,
            from_version=update.to_version,
            to_version=update.from_version,
            segments=segments,
            today=today,
            times=trial.times,
            sound=sound,
            answers=answers,
            circumstances=circumstances,
            later=trial.later,
            effects=update.effects if not behind else (),
        )

    @staticmethod
    def _today(survey: Survey, roots: tuple[Root, ...], places: Collection[At], was: Unchanged) -> Today:
        """All that lies in the roots of an update: as surveyed, or read now where a root is not the
        install's; of folders with shortcuts only the places that it touched.
        """
        from left_intact.core.files.tree import entry_if_there, read_tree
        from left_intact.core.model.entry import Kind
        from left_intact.core.model.pages import pages_in
        from left_intact.core.planning.today import Today

        known = [label for label, _ in survey.roots]
        # Another program may be at work in them: of a folder that goes meanwhile nothing lies here.
        own = {root.label: it for root in roots if (it := entry_if_there(root.place, "")) is not None}
        there = [root for root in roots if root.label in own and own[root.label].kind is Kind.FOLDER]
        others: dict[str, Sequence[Page]] = {}
        for root in there:
            if is_spot(root.label):
                paths = sorted(at.path for at in places if at.root == root.label)
                looked = {p: entry_if_there(os.path.join(root.place, p), p, content=True) for p in paths}
                lying = {p: entry for p, entry in looked.items() if entry is not None}
                others[root.label] = pages_in(lying)
            elif root.label and root.label not in known:
                others[root.label] = read_tree(root.place).pages
        return Today(survey, others, {r.label: own[r.label] for r in there}, was)

    @in_session
    def go(
        self,
        install: Install,
        report: Report = silent,
        *,
        plan: Plan | None = None,
        number: int | None = None,
        answers: Mapping[str, str] | None = None,
        cancel: CancelToken | None = None,
    ) -> WentBack:
        """Undo the last update (or a named one), then prove that. Raises `nothing-to-go-back-to`,
        `Interrupted`, `Refusal`.
        """
        from left_intact.core.carrying.chain import carry_out
        from left_intact.core.carrying.recovery import housekeeping

        install = self.places.now(install)
        self.runs.refuse_running(install)
        drawn = plan or self.draw(install, number=number, answers=answers, report=report)
        drawn = self.runs.with_things(install, drawn)
        box = self.records.strongbox(install)
        with self.runs.noting(install, box):
            run = carry_out(
                drawn, box, self.outside(install), install_id=str(install.id), report=report, cancel=cancel
            )
        with box.journal() as journal:
            undone = journal.update(drawn.undoes[0])
            kept = tuple(journal.trial(undone.id))
        if run.state is State.WAITING:
            return WentBack(update=undone, restored=0, kept=kept, waits=run)
        missing = [f.says for f in drawn.warnings if f.code in ("strongbox-damaged", "in-the-way")]
        with it_stands("the update is taken back"):
            install = self.places.now(install)
            self.runs.waits_again(install, undone)
            proof = self.runs.prove_run(install, run, report, just_done=True)
        if not missing and not run.missing:  # what could not be put back may yet be got from its copy
            with suppress(LeftIntactError):  # the going back is done and proven whatever becomes of it
                housekeeping(box)
        return WentBack(
            update=undone,
            restored=len(drawn.changes),
            kept=kept,
            missing=(*missing, *run.missing),
            proof=proof,
            run=run,
        )

    def outside(self, install: Install) -> Outside:
        return OtherStages(self.records, self.surveys, install, self.inputs, self._draw_again)


@dataclass(frozen=True, slots=True, kw_only=True)
class _Trial:
    """What the journal knows of an update that is to be taken back."""

    update: Update
    segments: tuple[Segment, ...]
    times: Mapping[At, int]
    later: tuple[str, ...]
    """Versions of later updates on trial that touched the same places."""
    was: Unchanged
    """What stayed as it lay, with its classes, as the update began."""
    may_be_gone: bool
    """Whether a step by hand of it may have taken the folder of the install away."""


def _trial(box: Strongbox, install: Install, number: int | None, behind: int) -> _Trial:
    """The last update on trial, or a named one. Raises `nothing-to-go-back-to`."""
    from left_intact.core.carrying.trace import Trace

    nothing = LeftIntactError(
        "nothing-to-go-back-to",
        f"{install.name} has no update on trial to go back from",
        way_out="Settled updates have given their old files up.",
    )
    if not box.exists:
        raise nothing
    with box.journal() as journal:
        trial = [u for u in journal.updates() if u.state in _MAY_GO_BACK]
        update = next((u for u in trial if number is None or u.id == number), None)
        if update is None:
            raise nothing
        trace = Trace(journal, update.id)
        segments = _segments(trace, behind)
        newer = [u for u in trial if u.id > update.id and u.state is State.ON_TRIAL]
        return _Trial(
            update=update,
            segments=segments,
            times=trace.first_times(behind),
            was=trace.witness.kept,
            later=tuple(u.to_version or str(u.id) for u in newer if _meets(Trace(journal, u.id), segments)),
            may_be_gone=any(s.hand and "" in s.hand.rebinds for s in trace.stages),
        )


def _segments(trace: Trace, behind: int) -> tuple[Segment, ...]:
    """The parts of a going back, newest first, parted by steps by hand that another step by hand undoes."""
    from left_intact.core.planning.back import Segment

    found = [
        Segment(behind=stage.seq, touched=trace.touched(stage.seq), hand=stage.hand.back)
        for stage in reversed(trace.in_force)
        if stage.seq > behind and stage.hand is not None and stage.hand.back is not None
    ]
    return (*found, Segment(behind=behind, touched=trace.touched(behind)))


def _meets(later: Trace, segments: tuple[Segment, ...]) -> bool:
    """Whether a later update touched a place of the one that is to go back, or one above or below it."""
    every = (touch for segment in segments for touch in segment.touched.values())
    mine = {touch.at for touch in every if not touch.is_of_folders_alone}
    theirs = {touch.at for touch in later.touched().values() if not touch.is_of_folders_alone}
    if mine & theirs:
        return True
    above_mine = {folder for at in mine for folder in at.folder.upwards() if folder.path}
    above_theirs = {folder for at in theirs for folder in at.folder.upwards() if folder.path}
    return bool(mine & above_theirs or theirs & above_mine)
