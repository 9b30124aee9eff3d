"""The use cases of an update: carry out, wait, prove, go back, settle, recover, give up. A part of the
workbench.
"""

from __future__ import annotations

import os
from collections.abc import Collection, Iterable, Mapping
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any

from left_intact.core.model.classes import FileClass
from left_intact.core.model.errors import Fault, LeftIntactError, Misuse, Refusal
from left_intact.core.model.place import At, Root
from left_intact.core.model.progress import CancelToken, Report, silent
from left_intact.core.model.update import RunKind, State, Update

if TYPE_CHECKING:
    from left_intact.core.carrying.chain import Drawn, Outside
    from left_intact.core.carrying.journal import Journal
    from left_intact.core.carrying.strongbox import Strongbox
    from left_intact.core.keepsheet.sheet import Keepsheet
    from left_intact.core.library.store import Library
    from left_intact.core.model.entry import Entry, Folder
    from left_intact.core.model.install import Install
    from left_intact.core.model.pages import Page
    from left_intact.core.model.plan import Plan
    from left_intact.core.model.proof import Proof
    from left_intact.core.model.release import Arrival, Reading, Release
    from left_intact.core.model.stages import HandStep, Later
    from left_intact.core.model.survey import Survey
    from left_intact.core.model.update import Settled
    from left_intact.core.planning.back import BackInputs
    from left_intact.core.planning.circumstances import Circumstances
    from left_intact.core.planning.today import Today


@dataclass(frozen=True, slots=True, kw_only=True)
class Outcome:
    """An update that was carried out, and the proof of it; or one that waits for the person, without a
    proof.
    """

    update: Update
    proven: Proof | None

    @property
    def proof(self) -> Proof:
        """The proof of an update that came to its end; one that waits has none."""
        assert self.proven is not None
        return self.proven

    @property
    def waits(self) -> bool:
        return self.proven is None


@dataclass(frozen=True, slots=True, kw_only=True)
class OutlineLine:
    """One stage of an update that is under way or waits, in words."""

    state: str
    says: str


@dataclass(frozen=True, slots=True, kw_only=True)
class WentBack:
    """What going back did."""

    update: Update
    """The update that was taken back."""
    restored: int
    """Paths that were brought to their state before."""
    kept: tuple[tuple[str, str], ...]
    """(path, where it is kept now) of what was changed while on trial."""
    missing: tuple[str, ...] = ()
    """What has no sound copy any more, or could not be put back."""
    proof: Proof | None = None
    waits: Update | None = None
    """The going back itself, where it waits for a step by hand."""


class Updating:
    """Mixed into the workbench, whose library and surveys it uses."""

    home: str

    if TYPE_CHECKING:

        @property
        def library(self) -> Library: ...

        def survey(
            self,
            install: Install,
            *,
            baseline: str | None = None,
            sheet: str | None = None,
            report: Report = silent,
            cancel: CancelToken | None = None,
        ) -> Survey: ...

        def arrival(
            self,
            install: Install,
            path: str,
            *,
            sheet: str | None = None,
            report: Report = silent,
            cancel: CancelToken | None = None,
        ) -> Arrival: ...

        def sheet_of(self, install: Install, given: str | None = None) -> Keepsheet: ...
        def _baseline(self, install: Install, path: str | None) -> Release | None: ...
        def _asked(self, install: Install) -> tuple[Reading, ...]: ...
        def _circumstances(self, install: Install, survey: Survey, arriving: str = "") -> Circumstances: ...
        def export_path(self, install: Install, what: str, ending: str) -> str: ...
        def learn_from_update(
            self, install: Install, survey: Survey, shipped: Iterable[Page]
        ) -> dict[str, FileClass]: ...

    # ------------------------------------------------------------ the strongbox and its journal

    def strongbox(self, install: Install) -> Strongbox:
        """The strongbox of an install, found by whose it is. Raises `strongbox-missing`, `other-user`."""
        from left_intact.core.carrying.boxes import strongbox_for

        return strongbox_for(install.root, install.name, self.home, self.library.box(install))

    def runs(self, install: Install) -> tuple[list[Update], Update | None]:
        """All updates, newest first, and the run that was cut off or waits. Raises what opening its journal
        raises.
        """
        from left_intact.core.carrying.heads import Heads

        box = self.strongbox(install)
        if not box.exists:
            return [], None
        with Heads(box.journal_path) as journal:
            return journal.updates(), journal.unfinished() or journal.waiting()

    def history(self, install: Install) -> list[Update]:
        """All updates of an install, newest first."""
        return self.runs(install)[0]

    def open_run(self, install: Install) -> Update | None:
        """The run that was cut off, or that waits; None where there is none."""
        return self.runs(install)[1]

    def refuse_if_open(self, install: Install) -> None:
        """Raise `Interrupted` where a run was cut off, `waiting` where one waits for the person."""
        from left_intact.core.carrying.chain import interrupted, waiting

        run = self.open_run(install)
        if run is not None:
            raise waiting(run) if run.state is State.WAITING else interrupted(run)

    def _note_box(self, install: Install, box: Strongbox) -> None:
        """Remember where the strongbox is, and whether it is needed."""
        from left_intact.core.carrying.heads import Heads

        card = box.card()
        if card is None or not box.exists:
            return
        with Heads(box.journal_path) as journal:
            needed = any(
                run.state not in (State.SETTLED, State.GONE_BACK, State.ABANDONED, State.DONE)
                for run in journal.runs()
            )
        self.library.set_box(install, card.id, box.folder, needed=needed)

    # ------------------------------------------------------------ carrying out

    def update(
        self,
        plan: Plan,
        install: Install,
        *,
        allowed: Collection[str] = (),
        report: Report = silent,
        cancel: CancelToken | None = None,
    ) -> Outcome:
        """Carry a plan out, then prove it. Raises `Refusal` and other `LeftIntactError`."""
        from left_intact.core.carrying.chain import carry_out, refuse_if_blocked

        refuse_if_blocked(plan, frozenset(allowed))
        self._refuse_running(install)
        box = self._box_for(install, plan)
        plan = replace(plan, inputs={**plan.inputs, **self._inputs(install)})
        if plan.baseline is not None and not self.history(install):
            self.library.set_baseline(install, 0, plan.baseline)
        self._refuse_shared(install, plan.roots)
        try:
            update = carry_out(
                plan,
                box,
                self._outside(install),
                allowed=frozenset(allowed),
                install_id=str(install.id),
                report=report,
                cancel=cancel,
            )
        finally:
            self._note_box(install, box)
        if update.state is State.WAITING:
            return Outcome(update=update, proven=None)
        self._note_shipped(install, update, {n: a.release for n, a in enumerate(plan.arrivals)})
        if plan.baseline is not None and self._lays_a_release(plan):
            from left_intact.core.model.pages import pages_in

            self.learn_from_update(
                install,
                plan.survey,
                [*pages_in(plan.baseline.entries), *pages_in(plan.arrival.release.entries)],
            )
        return Outcome(update=update, proven=self._prove(install, update, report))

    def _box_for(self, install: Install, plan: Plan) -> Strongbox:
        """The strongbox; a new one is made at home where a step by hand removes the install, and may take
        more with it.
        """
        from left_intact.core.carrying.boxes import strongbox_for
        from left_intact.core.model.stages import HandStep

        wiped = any(isinstance(stage, HandStep) and "" in stage.rebinds for stage in plan.stages)
        return strongbox_for(install.root, install.name, self.home, self.library.box(install), outside=wiped)

    def _inputs(self, install: Install) -> dict[str, Any]:
        """What a plan was drawn from beside the trees, for the journal."""
        rulings = [[r.pattern, r.file_class.value] for r in self.library.rulings(install)]
        return {"rulings": rulings, "sheet": self.library.sheet(install)}

    @staticmethod
    def _lays_a_release(plan: Plan) -> bool:
        return any(carry.shipped is not None and not carry.shipped.over for carry in plan.carries)

    def _refuse_running(self, install: Install) -> None:
        from left_intact.core.files import host

        if running := host.running_from(install.root):
            says = f"{install.name} is running: {', '.join(running[:3])}"
            raise Refusal([Fault(code="running", says=says, way_out="Quit it first.")])

    def _refuse_shared(self, install: Install, roots: tuple[Root, ...]) -> None:
        """A folder that another install's open run works on is not changed meanwhile."""
        from left_intact.core.files.names import lies_in

        for other in self.library.installs():
            if other.id == install.id or self.library.box(other) is None:
                continue
            try:
                run = self.open_run(other)
            except LeftIntactError:
                continue
            if run is None:
                continue
            for mine in roots:
                for theirs in run.roots:
                    if lies_in(mine.place, theirs.place) or lies_in(theirs.place, mine.place):
                        raise LeftIntactError(
                            "claimed",
                            f"an update of {other.name} that is not at its end works on this folder",
                            path=mine.place,
                            way_out="End that one first.",
                        )

    def _note_shipped(
        self, install: Install, update: Update, known: Mapping[int, Release] | None = None
    ) -> None:
        """Note in the library what the journal says is on record now: a release, or entries laid over the
        one before.
        """
        from left_intact.core.carrying.journal import Journal
        from left_intact.core.carrying.touched import in_force

        with Journal(self.strongbox(install).journal_path) as journal:
            stages = [s for s in in_force(journal, update.id) if s.shipped is not None]
        release: Release | None = None
        whole = False
        for stage in stages:
            assert stage.shipped is not None
            number = stage.shipped.arrival
            came = (known or {}).get(number) or self._release_of(install, update, number)
            if came is None:
                return
            whole = whole or not stage.shipped.over
            if stage.shipped.over:
                release = _laid_over(release or self.on_record(install, update.id), came, stage.shipped.paths)
            else:
                release = came
        if release is not None:
            self.library.set_baseline(install, update.id, release)
        if whole:
            self.library.clear_waiting(install)

    def _release_of(self, install: Install, update: Update, number: int) -> Release | None:
        try:
            return self.arrival(install, update.arrivals[number][0]).release
        except (LeftIntactError, IndexError):
            return None

    # ------------------------------------------------------------ proving

    def prove(self, install: Install, report: Report = silent, cancel: CancelToken | None = None) -> Outcome:
        """Compare the disk with the witness of the last update. Raises `nothing-to-prove`, `Interrupted`,
        `waiting`.
        """
        self.refuse_if_open(install)
        last = next((u for u in self.history(install) if u.state in (State.ON_TRIAL, State.SETTLED)), None)
        if last is None:
            raise LeftIntactError(
                "nothing-to-prove", f"{install.name} has no update to prove", way_out="Update it first."
            )
        return Outcome(update=last, proven=self._prove(install, last, report, cancel))

    def _prove(
        self, install: Install, update: Update, report: Report = silent, cancel: CancelToken | None = None
    ) -> Proof:
        from left_intact.core.carrying.journal import Journal
        from left_intact.core.carrying.touched import witness_of_all
        from left_intact.core.files.identity import identity_of
        from left_intact.core.files.place import root_replaced
        from left_intact.core.model.as_json import proof_json
        from left_intact.core.proving.prove import prove

        box = self.strongbox(install)
        with Journal(box.journal_path) as journal:
            witness = witness_of_all(journal, update.id)
        if identity_of(install.root) is None:
            raise root_replaced(install.root)
        held = box.has if update.state in (State.ON_TRIAL, State.DONE) else (lambda digest: True)
        try:
            proof = prove(
                install.root,
                witness,
                name=install.name,
                carried_at=update.changed,
                in_strongbox=held,
                extra_readings=self._asked(install),
                report=report,
                cancel=cancel,
            )
        finally:
            box.close()
        self.library.set_proof(install, update.id, proof_json(proof))
        if proof.version_after:
            self._note_version(install, proof.version_after)
        return proof

    def _note_version(self, install: Install, version: str) -> None:
        """What the shelf says is installed, until the next survey."""
        self.library.set_summary(install, {**self.library.summary(install), "version": version})

    def export_proof(self, install: Install) -> str:
        """Write the proof of the last update below `--home/exports`, as JSON; returns its path."""
        import json

        from left_intact.core.files.private import write_private

        last = next((u for u in self.history(install) if u.state in (State.ON_TRIAL, State.SETTLED)), None)
        said = self.library.proof(install, last.id) if last else None
        if last is None or said is None:
            raise LeftIntactError(
                "nothing-to-prove", f"{install.name} has no update to prove", way_out="Update it first."
            )
        path = self.export_path(install, "proof", f"-{last.id}.json")
        write_private(path, json.dumps({"install": install.name, "root": install.root, **said}, indent=1))
        return path

    def ticked(self, install: Install, update: Update) -> frozenset[str]:
        return self.library.ticked(install, update.id)

    def tick(self, install: Install, update: Update, said: Collection[str]) -> None:
        """Remember which of the checks for eyes were ticked."""
        self.library.set_ticked(install, update.id, said)

    # ------------------------------------------------------------ going back

    def draft_back(
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

        self.refuse_if_open(install)
        inputs = self._back_inputs(install, number, answers or {}, behind, report)
        plan = draw_back(inputs)
        known = {q.id for q in plan.questions}
        for name in answers or {}:
            if name not in known:
                raise Misuse(
                    "unknown-question", f"no question is called {name}", way_out="See go-back --plan."
                )
        return plan

    def _back_inputs(
        self,
        install: Install,
        number: int | None,
        answers: Mapping[str, str],
        behind: int,
        report: Report = silent,
    ) -> BackInputs:
        from left_intact.core.carrying.journal import Journal
        from left_intact.core.carrying.recovery import rebound
        from left_intact.core.carrying.touched import first_times
        from left_intact.core.model.entry import Kind
        from left_intact.core.planning.back import BackInputs

        nothing = LeftIntactError(
            "nothing-to-go-back-to",
            "there is no update on trial to go back from",
            way_out="Settled updates have given their old files up.",
        )
        box = self.strongbox(install)
        if not box.exists:
            raise nothing
        with Journal(box.journal_path) as journal:
            trial = [
                u for u in journal.updates() if u.state in (State.ON_TRIAL, State.GOING_BACK, State.WAITING)
            ]
            update = next((u for u in trial if number is None or u.id == number), None)
            if update is None:
                raise nothing
            segments = _segments(journal, update, behind)
            later = [
                u
                for u in trial
                if u.id > update.id and u.state is State.ON_TRIAL and _meets(journal, u, segments)
            ]
            times = first_times(journal, update.id, behind)
        survey = self.survey(install, report=report)
        today = self._today(survey, update.roots)
        wanted = {
            w.first.digest
            for s in segments
            for w in s.touched.values()
            if w.first and w.first.kind is Kind.FILE
        }
        sound = frozenset(digest for digest in wanted if box.has(digest))
        box.close()
        roots = tuple(rebound(r, install.root if not r.label else r.place) for r in update.roots)
        facts = replace(self._circumstances(install, survey), roots=roots)
        return BackInputs(
            install=install.name,
            roots=roots,
            update=update.id,
            from_version=update.to_version,
            to_version=update.from_version,
            segments=segments,
            today=today,
            times=times,
            sound=sound,
            answers=answers,
            facts=facts,
            later=tuple(u.to_version or str(u.id) for u in later),
        )

    @staticmethod
    def _today(survey: Survey, roots: tuple[Root, ...]) -> Today:
        """All that lies in the roots of an update: as surveyed, or read now where a root is not the
        install's.
        """
        from left_intact.core.files.identity import identity_of
        from left_intact.core.files.tree import entry_of, read_tree
        from left_intact.core.planning.today import Today

        known = [label for label, _ in survey.roots]
        there = [root for root in roots if identity_of(root.place) is not None]
        others = {r.label: read_tree(r.place).pages for r in there if r.label and r.label not in known}
        return Today(survey, others, {r.label: entry_of(r.place, "", content=False) for r in there})

    def go_back(
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
        from left_intact.core.carrying.journal import Journal

        self._refuse_running(install)
        drawn = plan or self.draft_back(install, number=number, answers=answers, report=report)
        box = self.strongbox(install)
        try:
            run = carry_out(
                drawn, box, self._outside(install), install_id=str(install.id), report=report, cancel=cancel
            )
        finally:
            self._note_box(install, box)
        with Journal(box.journal_path) as journal:
            undone = journal.update(drawn.undoes[0])
            kept = tuple(journal.trial(undone.id))
        if run.state is State.WAITING:
            return WentBack(update=undone, restored=0, kept=kept, waits=run)
        missing = [f.says for f in drawn.warnings if f.code in ("strongbox-damaged", "in-the-way")]
        self._waits_again(install, undone)
        proof = self._prove(install, run, report)
        return WentBack(
            update=undone,
            restored=len(drawn.changes),
            kept=kept,
            missing=(*missing, *run.missing),
            proof=proof,
        )

    def _waits_again(self, install: Install, update: Update) -> None:
        """What was taken back may be laid again, if it is still there."""
        lifted = os.path.join(self.home, "lifted") + os.sep  # a pack's share is no release that could wait
        if os.path.exists(update.arrival) and not update.arrival.startswith(lifted):
            self.library.set_waiting(install, update.arrival, update.to_version)

    # ------------------------------------------------------------ settling, recovering, going on

    def settle(self, install: Install) -> Settled:
        """Confirm the update on trial and free the program's old files."""
        from left_intact.core.carrying.recovery import settle

        box = self.strongbox(install)
        try:
            return settle(box)
        finally:
            self._note_box(install, box)

    def interrupted(self) -> list[tuple[Install, Update]]:
        """Every install whose last run was cut off. One whose journal cannot be read stops no other."""
        found = []
        for install in self.library.installs():
            try:
                run = self.open_run(install)
            except LeftIntactError:
                continue
            if run is not None and run.state is not State.WAITING:
                found.append((install, run))
        return found

    def troubled(self) -> list[tuple[Install, LeftIntactError]]:
        """Every install whose strongbox or journal cannot be opened, with why."""
        found = []
        for install in self.library.installs():
            try:
                self.open_run(install)
            except LeftIntactError as error:
                found.append((install, error))
        return found

    def recover(self, install: Install, forward: bool | None, report: Report = silent) -> Update:
        """End an interrupted run, and bring the records in line with the outcome; the update that it was
        about.
        """
        from left_intact.core.carrying.recovery import recover

        box = self.strongbox(install)
        try:
            run = recover(box, self._outside(install), install.root, forward, report)
        finally:
            self._note_box(install, box)
        return self._ended(install, run)

    def go_on(
        self,
        install: Install,
        *,
        done: str = "",
        skip: str = "",
        answers: Mapping[str, str] | None = None,
        report: Report = silent,
        cancel: CancelToken | None = None,
    ) -> Outcome:
        """Take up an update that waits: look whether the step was done, then carry on. Raises
        `nothing-waits`, `not-done-yet`.
        """
        from left_intact.core.carrying.recovery import go_on

        self._refuse_running(install)
        box = self.strongbox(install)
        if not box.exists:
            raise LeftIntactError(
                "nothing-waits", "no update waits for you", way_out="All is as it should be."
            )
        try:
            run = go_on(
                box,
                self._outside(install),
                install.root,
                done=done,
                skip=skip,
                answers=answers,
                report=report,
                cancel=cancel,
            )
        finally:
            self._note_box(install, box)
        if run.state is State.WAITING:
            return Outcome(update=run, proven=None)
        self._ended(install, run)
        return Outcome(update=run, proven=self._prove(install, run, report))

    def was_done(self, install: Install) -> bool:
        """Whether it can be seen that the step an update waits for was done; changes nothing."""
        from left_intact.core.carrying.journal import Journal
        from left_intact.core.model.update import StageState

        box = self.strongbox(install)
        with Journal(box.journal_path) as journal:
            run = journal.waiting()
            stages = journal.stages(run.id) if run is not None else []
        step = next((s.hand for s in stages if s.state is StageState.WAITING and s.hand is not None), None)
        return run is not None and step is not None and self._outside(install).was_done(step, run)

    def outline(self, install: Install) -> tuple[OutlineLine, ...]:
        """The stages of the run that waits or was cut off; none where there is no such run."""
        from left_intact.core.carrying.journal import Journal

        box = self.strongbox(install)
        if not box.exists:
            return ()
        with Journal(box.journal_path) as journal:
            run = journal.unfinished() or journal.waiting()
            if run is None:
                return ()
            lines = []
            for stage in journal.stages(run.id):
                if stage.hand is not None:
                    says = f"you: {stage.hand.asks}"
                elif stage.later is not None:
                    says = stage.later.intends
                else:
                    drawn = journal.drawn(run.id, stage.seq)
                    number = len(journal.steps(run.id, stage.seq)) or (len(drawn.moves) if drawn else 0)
                    says = f"{number:,} places change at once"
                lines.append(OutlineLine(state=stage.state.value, says=says))
            return tuple(lines)

    def give_up(self, install: Install) -> Update:
        """End a waiting update where it stands; what is in force stays on trial. Raises `nothing-waits`."""
        from left_intact.core.carrying.recovery import give_up

        box = self.strongbox(install)
        if not box.exists:
            raise LeftIntactError(
                "nothing-waits", "no update waits for you", way_out="All is as it should be."
            )
        try:
            run = give_up(box, self._outside(install), install.root)
        finally:
            self._note_box(install, box)
        return self._ended(install, run)

    def _ended(self, install: Install, run: Update) -> Update:
        """The records after a run came to an end, one way or another; the update that it was about."""
        from left_intact.core.carrying.journal import Journal

        about = run
        if run.kind is RunKind.BACK:
            with Journal(self.strongbox(install).journal_path) as journal:
                about = journal.update(run.undoes[0])
        version = about.to_version if about.state is State.ON_TRIAL else about.from_version
        if version and about.state in (State.ON_TRIAL, State.GONE_BACK, State.ABANDONED):
            self._note_version(install, version)
        if about.state is State.ON_TRIAL:
            if self.library.baseline(install, about.id) is None:
                self._note_shipped(install, about)
        elif about.state in (State.GONE_BACK, State.ABANDONED):
            self._waits_again(install, about)
        return about

    def on_record(self, install: Install, before: int | None = None) -> Release | None:
        """The release that the install came from, as on record; `before` looks at updates below that number
        alone.

        An update that laid no whole release (a pack) leaves the record as it was.
        """
        for update in self.history(install):
            in_force = update.state in (State.ON_TRIAL, State.SETTLED)
            if not in_force or (before is not None and update.id >= before):
                continue
            if (release := self.library.baseline(install, update.id)) is not None:
                return release
        return self.library.baseline(install, 0)

    # ------------------------------------------------------------ what carrying needs of the other stages

    def _outside(self, install: Install) -> Outside:
        return _Outside(self, install)


@dataclass(frozen=True, slots=True)
class _Outside:
    """Looks, reads and draws for a chain, with the workbench's own stages."""

    bench: Updating
    install: Install

    def was_done(self, step: HandStep, update: Update) -> bool:
        from left_intact.core.proving.hand_steps import was_done

        sheet = self.bench.sheet_of(self.install)
        asked = self.bench._asked(self.install)
        # It looks every two seconds: what has not changed since the last survey is not read again.
        pages = self.bench.library.before(self.install).pages
        return was_done(
            step.check,
            update.roots,
            name=self.install.name,
            rules=sheet.version_places,
            extra_readings=asked,
            known=pages,
        )

    def tree(self, roots: tuple[Root, ...]) -> Mapping[At, tuple[Entry, FileClass]]:
        from left_intact.core.files.identity import identity_of
        from left_intact.core.files.tree import read_tree

        classes, found, folders = self._classes(), {}, []
        pages = self.bench.library.before(self.install).pages
        for root in roots:
            if identity_of(root.place) is None:
                continue  # absent for a while, or yet to be made
            tree = read_tree(root.place, known=pages if not root.label else None)
            for entry in tree.entries:
                at = At(root.label, entry.path)
                found[at] = (entry, classes.get(at.shown, FileClass.UNSORTED))
            folders += [(At(root.label, f.path), f) for f in tree.folders]
        return {**found, **{at: (e, FileClass.UNSORTED) for at, e in _folders(roots, folders).items()}}

    def _classes(self) -> dict[str, FileClass]:
        """As the last survey sorted; a path it did not see counts as the person's."""
        before = self.bench.library.before(self.install)
        sorting = before.sorting(before.contexts[0]) if before.contexts else None
        if sorting is None:
            return {}
        pages = sorted(before.pages.values(), key=lambda page: page.folder)
        found: dict[str, FileClass] = {}
        findings = sorting.of_pages(pages)
        for page, verdicts in zip(pages, findings.verdicts, strict=True):
            for at, number in enumerate(verdicts):
                found[page.path(at)] = findings.table[number].file_class
        return found

    def draw(self, later: Later, update: Update, answers: Mapping[str, str]) -> Drawn:
        from left_intact.core.carrying.chain import Drawn
        from left_intact.core.planning.back import PLANNER, draw_segment
        from left_intact.core.planning.later import Situation
        from left_intact.core.planning.routes.registry import later_planner

        if later.planner == PLANNER:
            number, behind = int(later.with_["update"]), int(later.with_["behind"])
            inputs = self.bench._back_inputs(self.install, number, answers, behind)
            # What lies behind later steps by hand was taken back before them; this is the part down to
            # `behind`.
            inputs = replace(inputs, roots=update.roots, segments=inputs.segments[-1:])
            carry, questions, blockers = draw_segment(inputs)
            return Drawn(carry=carry, questions=questions, blockers=tuple(f.says for f in blockers))
        situation = Situation(
            install=self.install.name,
            roots=update.roots,
            tree=self.tree(update.roots),
            told=later.with_,
            arrival=lambda n: self.bench.arrival(self.install, update.arrivals[n][0]),
            baseline=self.bench._baseline(self.install, None),
            sheet=self.bench.sheet_of(self.install),
            answers=answers,
        )
        drawn = later_planner(later.planner)(situation)
        return Drawn(
            carry=drawn.carry, questions=drawn.questions, blockers=tuple(f.says for f in drawn.blockers)
        )


def _folders(roots: tuple[Root, ...], found: list[tuple[At, Folder]]) -> dict[At, Entry]:
    """Folders as entries, those of the roots themselves too."""
    from left_intact.core.files.tree import entry_of
    from left_intact.core.model.entry import Entry, Kind

    folders = {at: Entry(path=at.path, kind=Kind.FOLDER, mode=f.mode, mtime_ns=f.mtime_ns) for at, f in found}
    for root in roots:
        if os.path.isdir(root.place) and not os.path.islink(root.place):
            folders[At(root.label, "")] = entry_of(root.place, "", content=False)
    return folders


def _segments(journal: Journal, update: Update, behind: int) -> tuple[Any, ...]:
    """The parts of a going back, newest first, parted by steps by hand that another step by hand undoes."""
    from left_intact.core.carrying.touched import in_force, touched
    from left_intact.core.planning.back import Segment, Was

    def places(after: int) -> dict[At, Was]:
        return {
            at: Was(
                at=at,
                first=t.first,
                last=t.last,
                file_class=t.file_class,
                attributes=t.attributes,
                partner=t.partner,
                seen=t.seen,
            )
            for at, t in touched(journal, update.id, after).items()
        }

    found = []
    for stage in reversed(in_force(journal, update.id, behind)):
        if stage.hand is not None and stage.hand.back is not None:
            found.append(Segment(behind=stage.seq, touched=places(stage.seq), hand=stage.hand.back))
    return (*found, Segment(behind=behind, touched=places(behind)))


def _meets(journal: Journal, later: Update, segments: tuple[Any, ...]) -> bool:
    """Whether a later update touched a place of the one that is to go back, or one above or below it."""
    from left_intact.core.carrying.touched import touched
    from left_intact.core.files.names import parents

    mine = {
        at
        for segment in segments
        for at, was in segment.touched.items()
        if not _only_times(was.first, was.last)
    }
    theirs = {
        at for at, touch in touched(journal, later.id).items() if not _only_times(touch.first, touch.last)
    }
    if mine & theirs:
        return True
    above_mine = {At(at.root, folder) for at in mine for folder in parents(at.path)}
    above_theirs = {At(at.root, folder) for at in theirs for folder in parents(at.path)}
    return bool(mine & above_theirs or theirs & above_mine)


def _only_times(first: Entry | None, last: Entry | None) -> bool:
    """Whether a place was and is a folder."""
    from left_intact.core.model.entry import Kind

    return first is not None and last is not None and first.kind is last.kind is Kind.FOLDER


def _laid_over(before: Release | None, came: Release, paths: tuple[str, ...]) -> Release:
    """The release on record with some entries of another laid over it."""
    from types import MappingProxyType

    entries = {p: e for p, e in came.entries.items() if not paths or p in paths}
    if before is None:
        return replace(came, entries=MappingProxyType(entries))
    texts = {**before.texts, **{p: t for p, t in came.texts.items() if p in entries}}
    return replace(
        before, entries=MappingProxyType({**before.entries, **entries}), texts=MappingProxyType(texts)
    )
