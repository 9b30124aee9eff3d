"""Updates: drawn, carried out, waited for, proven, settled, recovered."""

from __future__ import annotations

import os
from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import replace
from typing import TYPE_CHECKING, Any

from left_intact.core.model.errors import Fault, LeftIntactError, Misuse
from left_intact.core.model.place import LET_GO, Root, old_root_in
from left_intact.core.model.progress import CancelToken, Report, silent
from left_intact.core.model.stages import LayerKind
from left_intact.core.model.update import RunKind, Settled, State, Update

if TYPE_CHECKING:
    from left_intact.core.arrival.root import Names
    from left_intact.core.carrying.strongbox import Strongbox
    from left_intact.core.model.install import Install
    from left_intact.core.model.ladder import Package
    from left_intact.core.model.plan import Plan, Route
    from left_intact.core.model.release import Arrival, Release
    from left_intact.core.model.survey import Survey

from left_intact.services.going_back import GoingBack
from left_intact.services.home import Home, Service
from left_intact.services.packages import packages_in, sorted_by_title
from left_intact.services.records import in_session
from left_intact.services.runs import Runs, it_stands
from left_intact.services.surveys import refuse_other_version
from left_intact.services.values import Draft, HistoryLine, Outcome, OutlineLine
from left_intact.words import count

_READ_MOST = 64 << 20
"""Bytes of a file of the install that may be read for a plan, as a part for its version."""


class Updates(Service):
    """Updates: drawn, carried out, waited for, proven, settled, recovered."""

    def __init__(self, home: Home, runs: Runs) -> None:
        super().__init__(home)
        self.runs, self.records, self.places, self.surveys = runs, runs.records, runs.places, runs.surveys
        self.back = GoingBack(home, runs, self._draw_again)

    @in_session
    def draft(
        self,
        install: Install,
        arrival: str | Arrival,
        *,
        baseline: str | None = None,
        route: str | None = None,
        into: str | None = None,
        sheet: str | None = None,
        sheet_text: str = "",
        just_read: Survey | None = None,
        under_way: bool = False,
        report: Report = silent,
        cancel: CancelToken | None = None,
    ) -> Draft:
        """Read all that a plan is drawn from; changes nothing of the install.

        `sheet` is a keepsheet to go by as well, `sheet_text` the text of one. `just_read` is a survey of the
        disk as it is now, and spares another. `under_way` draws for an update that has begun, and waits.
        """
        from left_intact.core.files.roots import reader_in_words
        from left_intact.core.planning.counterparts import parts_that_came
        from left_intact.core.planning.inputs import PlanInputs
        from left_intact.core.planning.nature import nature_of
        from left_intact.core.planning.routes.registry import planner_named, with_new_root
        from left_intact.core.survey.weights import weights

        wanted = _wanted(route, into)
        install = self.places.now(install)
        if not under_way:
            self.records.refuse_if_open(install)
        names = self.surveys.names_of(install) if isinstance(arrival, str) or baseline else None
        if isinstance(arrival, str):
            arrival = self.surveys.arrival(
                install, arrival, sheet=sheet, names=names, report=report, cancel=cancel
            )
        _refuse_overlap(install, arrival)
        known_sheet = self.surveys.sheet_of(install, sheet, text=sheet_text)
        packages, arrival = _updates_in(arrival, wanted, report, cancel)

        def read_by(base: Release | None, before: Survey | None) -> Survey:
            known = self.surveys.inputs_for(install, base, known_sheet, arrival.release)
            return self.surveys.read(install, known, known_sheet, report, cancel, before)

        base, survey, noted = self._by_fitting(install, baseline, names, read_by, just_read)
        coming = arrival.release.version_text
        circumstances = self.surveys.circumstances(install, survey, coming, sheet=known_sheet)
        elsewhere = with_new_root(wanted, survey, coming)
        new_root = self.places.new_root(install, into, arrival, circumstances) if elsewhere else None
        told_apart = wanted is not None and planner_named(wanted).reads_donor
        told_apart |= new_root is not None and new_root.place == arrival.source
        read = reader_in_words(install.root, survey.roots, limit=_READ_MOST)
        updates = sorted_by_title(packages, install, known_sheet, survey, read) if packages else None
        inputs = PlanInputs(
            install=install.name,
            survey=survey,
            arrival=arrival,
            baseline=base,
            ground=self._ground(install, base),
            sheet=known_sheet,
            circumstances=circumstances,
            new_root=new_root,
            read=read,
            updates=updates,
            replace_at=weights().replace,
            retire_at=weights().retire,
            noted=noted,
            offered=self._offered(install),
            nature=nature_of(arrival, survey),
            parts=parts_that_came(survey, arrival),
            donor=self.surveys.donor(arrival, known_sheet, always=told_apart),
            route=wanted,
        )
        return Draft(install=install, inputs=inputs)

    def _ground(self, install: Install, base: Release | None) -> Release | None:
        """What lies there by record, the person's layers too; over `base` where one was named."""
        record = self.records.record(install)
        return (record if base is None else record.over(base)).fold(mine=True)

    def _offered(self, install: Install) -> str:
        """The newest version that is on offer, by what was last known of its outlets and what waits."""
        from left_intact.core.model.waits import newest_of

        known = [one.version for one in self.library.arrivals(install)]
        known += [offer.version for offer in self.library.offers(install) if not offer.pack]
        return newest_of(known)

    def _by_fitting(
        self,
        install: Install,
        path: str | None,
        names: Collection[str] | Names | None,
        read_by: Callable[[Release | None, Survey | None], Survey],
        just_read: Survey | None,
    ) -> tuple[Release | None, Survey, tuple[Fault, ...]]:
        """The baseline at `path`, or what is on record where that one is of another release; with what was
        read by it. Raises `baseline-mismatch` where nothing is on record.
        """
        named = self.surveys.baseline(install, path, names)
        survey = read_by(named, just_read)
        try:
            if path is not None and named is not None:
                refuse_other_version(named, survey, path)
            return named, survey, ()
        except LeftIntactError as error:
            recorded = self.surveys.baseline(install, None)
            if recorded is None:
                raise
            noted = Fault(code=error.code, says=f"{error.says}; what is on record counts")
            return recorded, read_by(recorded, survey), (noted,)

    def update(
        self,
        plan: Plan,
        install: Install,
        *,
        allowed: Collection[str] = (),
        picture: str = "",
        report: Report = silent,
        cancel: CancelToken | None = None,
    ) -> Outcome:
        """Carry a plan out, then prove it. Raises `Refusal` and other `LeftIntactError`.

        `picture` is one of a scene before, to be held against one after; by default the newest capture. A
        plan that changes nothing while an update is on trial begins no other: that one is proven again.
        """
        from left_intact.core.carrying.chain import refuse_if_blocked
        from left_intact.core.model.stages import ManualStep

        refuse_if_blocked(plan, frozenset(allowed))
        # A step by hand that removes the install may take more with it.
        wiped = any(isinstance(stage, ManualStep) and "" in stage.rebinds for stage in plan.stages)
        with self.records.session(install, outside=wiped) as box:
            return self._update(plan, install, box, frozenset(allowed), picture, report, cancel)

    def _update(
        self,
        plan: Plan,
        install: Install,
        box: Strongbox,
        allowed: frozenset[str],
        picture: str,
        report: Report,
        cancel: CancelToken | None,
    ) -> Outcome:
        from left_intact.core.carrying.chain import carry_out

        install = self.places.now(install)
        self.runs.refuse_running(install)
        is_idle = not plan.changes and len(plan.change_sets) == len(plan.stages)
        if is_idle and any(u.state is State.ON_TRIAL for u in self.records.history(install)):
            # Another run would stand between the person and the release that they can go back to.
            return self.prove(install, report, cancel)
        plan = self.runs.with_things(install, plan, picture)
        if plan.baseline is not None and not self.records.history(install):
            self.library.set_baseline(install, plan.baseline)
        self._refuse_shared(install, plan.roots)
        with self.runs.noting(install, box):
            update = carry_out(
                plan,
                box,
                self.back.outside(install),
                allowed=allowed,
                install_id=str(install.id),
                report=report,
                cancel=cancel,
            )
        if update.state is State.WAITING:
            return Outcome(update=update, proven=None)
        with it_stands("the update is carried out and on trial"):
            install = self.places.now(install)
            self._note_shipped(install, update, {n: a.release for n, a in enumerate(plan.arrivals)})
            if plan.baseline is not None and self._lays_a_release(plan) and not old_root_in(update.roots):
                from left_intact.core.model.pages import pages_in

                self.surveys.learn_from_update(
                    install,
                    plan.survey,
                    [*pages_in(plan.baseline.entries), *pages_in(plan.arrival.release.entries)],
                )
            return Outcome(update=update, proven=self.runs.prove_run(install, update, report))

    def _draw_again(self, install: Install, update: Update, answers: Mapping[str, str]) -> Plan:
        """The plan of an update that has begun, on the tree as it lies now. Raises `changed-meanwhile` where
        that cannot be done.
        """
        from left_intact.core.model.plan import Route
        from left_intact.core.planning.routes.registry import planner_named

        if old_root_in(update.roots) or not planner_named(Route(update.route)).is_drawn_again:
            says = "what a step by hand has changed is part of the plan, and it cannot be drawn again"
            way_out = "Give the update up (give-up), and begin it anew."
            raise LeftIntactError("changed-meanwhile", says, path=install.root, way_out=way_out)
        text = self.records.given_sheet(install, update)
        draft = self.draft(install, update.arrival, route=update.route, sheet_text=text, under_way=True)
        known = {question.id: question.options for question in draft.plan().questions}
        return draft.plan({q: said for q, said in answers.items() if said in known.get(q, ())})

    @staticmethod
    def _lays_a_release(plan: Plan) -> bool:
        return any(
            change_set.shipped is not None and not change_set.shipped.over for change_set in plan.change_sets
        )

    def _refuse_shared(self, install: Install, roots: tuple[Root, ...]) -> None:
        """A folder that another install's open run works on is not changed meanwhile."""
        from left_intact.core.files.names import lies_in

        for other in self.library.installs():
            if other.id == install.id or self.library.box(other) is None:
                continue
            try:
                run = self.records.open_run(other)
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
        """Note in the library what the journal says that an update has put on record: its layers."""
        from left_intact.core.carrying.trace import Trace
        from left_intact.core.model.layers import layer_of

        with self.records.strongbox(install).journal() as journal:
            stages = [s for s in Trace(journal, update.id).in_force if s.shipped is not None]
        layers = []
        for stage in stages:
            assert stage.shipped is not None
            number = stage.shipped.arrival
            came = (known or {}).get(number) or self._release_of(install, update, number)
            if came is None:
                return
            source = update.arrivals[number].source if number < len(update.arrivals) else ""
            layers.append(layer_of(came, stage.shipped, source))
        if layers:
            self.library.set_layers(install, update.id, layers)
        whole = any(layer.kind is LayerKind.RELEASE for layer in layers)
        if whole or any(one.path == update.arrival for one in self.library.arrivals(install)):
            self.library.clear_waiting(install, update.arrival, update.to_version)

    def _release_of(self, install: Install, update: Update, number: int) -> Release | None:
        try:
            return self.surveys.arrival(install, update.arrivals[number].source).release
        except (LeftIntactError, IndexError):
            return None

    @in_session
    def prove(
        self,
        install: Install,
        report: Report = silent,
        cancel: CancelToken | None = None,
        *,
        deep: bool = False,
    ) -> Outcome:
        """Compare the disk with the witness of the last update, or of the going back that came after it;
        `deep` reads every byte whatever its size.

        Raises `nothing-to-prove`, `Interrupted`, `waiting`.
        """
        install = self.places.where(install)
        self.records.refuse_if_open(install)
        last = self.records.in_force(install)
        back = self.records.went_back(install)
        if back is not None and (last is None or back.id > last.id):
            return Outcome(update=back, proven=self.runs.prove_run(install, back, report, cancel, deep=deep))
        if last is None:
            raise LeftIntactError(
                "nothing-to-prove", f"{install.name} has no update to prove", way_out="Update it first."
            )
        if not self.library.has_layers(install, last.id):
            self._note_shipped(install, last)  # could not be noted when it was laid
        return Outcome(update=last, proven=self.runs.prove_run(install, last, report, cancel, deep=deep))

    @in_session
    def last_proof(self, install: Install) -> dict[str, Any]:
        """The record of the last proof: of an update, or of the going back that came after it; with the
        number of its run. Raises `nothing-to-prove`.
        """
        last, back = self.records.in_force(install), self.records.went_back(install)
        if back is not None and (last is None or back.id > last.id):
            last = back
        record = self.library.proof(install, last.id) if last else None
        if last is None or record is None:
            says = f"{install.name} has no update to prove"
            raise LeftIntactError("nothing-to-prove", says, way_out="Update it first.")
        return {"run": last.id, **record}

    def ticked(self, install: Install, update: Update) -> frozenset[str]:
        return self.library.ticked(install, update.id)

    def tick(self, install: Install, update: Update, said: Collection[str]) -> None:
        """Remember which of the checks for eyes were ticked."""
        self.library.set_ticked(install, update.id, said)

    def look_at(self, install: Install) -> tuple[str, ...]:
        """What the person wants to tick after every update of it, in their words."""
        return self.library.look_at(install)

    def set_look_at(self, install: Install, says: Sequence[str]) -> None:
        """Another list of the same; what stands in it twice counts once."""
        self.library.set_look_at(install, dict.fromkeys(line for s in says if (line := " ".join(s.split()))))

    @in_session
    def chronicle(self, install: Install) -> tuple[HistoryLine, ...]:
        """Every update and going back, newest first: verdict, what it set aside, what is kept of that."""
        from left_intact.core.model.entry import Kind

        box = self.records.strongbox(install)
        if not box.exists:
            return ()
        sizes, lines = box.sizes(), []
        with box.journal() as journal:
            for run in journal.runs():
                steps = [s.before for s in journal.steps(run.id) if s.before and s.before.kind is Kind.FILE]
                kept = {entry.digest for entry in steps} & sizes.keys()
                proof = self.library.proof(install, run.id)
                lines.append(
                    HistoryLine(
                        id=run.id,
                        kind=run.kind.value,
                        began=run.began,
                        from_version=run.from_version,
                        to_version=run.to_version,
                        state=run.state.value,
                        verdict=proof["verdict"] if proof else "",
                        set_aside=len(steps),
                        kept_files=len(kept),
                        kept_bytes=sum(sizes[digest] for digest in kept),
                    )
                )
        return tuple(lines)

    @in_session
    def pictures(self, install: Install) -> tuple[bytes, bytes]:
        """The bytes of a picture of a scene before the last update and of the newest after it; empty for
        none.
        """
        from left_intact.core.proving.pictures import captures, picture_bytes

        last = self.records.in_force(install)
        if last is None:
            return b"", b""
        with self.records.strongbox(install).journal() as journal:
            before, after = captures(journal.facts(last.id).picture)
        return picture_bytes(before), picture_bytes(after)

    @in_session
    def not_well(self, install: Install) -> tuple[str, ...]:
        """What the last proof of the update on trial says against settling it; empty where it is intact."""
        from left_intact.core.model.proof import Check, CheckState

        last = next((u for u in self.records.history(install) if u.state is State.ON_TRIAL), None)
        if last is None:
            return ()
        said = self.library.proof(install, last.id)
        if said is None:
            return ("it was never proven",)
        if said["verdict"] == "intact":
            return ()
        checks = [Check(**(one | {"state": CheckState(one["state"])})) for one in said["checks"]]
        against = (f"{check.name}: {check.says}" for check in checks if check.is_against_settling)
        return (f"the proof says {said['verdict']}", *against)

    def old_folder(self, install: Install) -> str:
        """The folder that the last update left behind, where it is there still; empty where there is none."""
        return self.places.folder_left(self.places.where(install))[0]

    @in_session
    def free_old(
        self,
        install: Install,
        *,
        all_the_same: bool = False,
        report: Report = silent,
        cancel: CancelToken | None = None,
    ) -> Outcome:
        """Let go of the folder that the last update left behind: all of it into the strongbox, then it goes.

        It can be gone back like any update. Raises `nothing-to-free`, and `Refusal` where something in it was
        used since, unless `all_the_same`, or is used from there.
        """
        from left_intact.core.files.host import rooms
        from left_intact.core.files.identity import identity_of
        from left_intact.core.files.tree import entry_of
        from left_intact.core.model.facts import IntoNewRoot
        from left_intact.core.planning.letting_go import USED_SINCE, draw_letting_go

        install = self.places.now(install)
        self.records.refuse_if_open(install)
        old, update = self.places.folder_left(install)
        if update is None:
            says = f"{install.name} has left no folder behind that is there still"
            raise LeftIntactError("nothing-to-free", says, way_out="Nothing needs doing.")
        shipped = self.records.on_record(install, update.id)
        survey = self.surveys.survey(install, report=report, cancel=cancel)
        circumstances = self.surveys.circumstances(install, survey)
        goes = Root(label=LET_GO, place=old, identity=identity_of(old))
        room = rooms({LET_GO: old})
        with self.records.strongbox(install).journal() as journal:
            way = journal.facts(update.id).way
        plan = draw_letting_go(
            install.name,
            survey,
            self.surveys.other_folder(install, old, shipped, report=report, cancel=cancel),
            entry_of(old, "", content=False),
            (*circumstances.roots, goes),
            replace(
                circumstances,
                roots=(*circumstances.roots, goes),
                rooms={**circumstances.rooms, **room},
                held="",
            ),
            shipped=shipped,
            carried_at=update.changed,
            used_from_there=way.left if isinstance(way, IntoNewRoot) else (),
        )
        allowed = (USED_SINCE,) if all_the_same else ()
        return self.update(plan, install, allowed=allowed, report=report, cancel=cancel)

    @in_session
    def settle(
        self,
        install: Install,
        *,
        only: int | None = None,
        free_old: bool = False,
        all_the_same: bool = False,
        report: Report = silent,
        cancel: CancelToken | None = None,
    ) -> Settled:
        """Confirm what is on trial, or `only` one update, and free the program's old files; with `free_old`
        the folder that was left behind goes first. Raises `not-freed` where it did not go whole.
        """
        from left_intact.core.carrying.recovery import settle

        if free_old:
            outcome = self.free_old(install, all_the_same=all_the_same, report=report, cancel=cancel)
            if outcome.proof.verdict.value != "intact":
                says = "the old folder is not gone whole, so nothing was settled"
                raise LeftIntactError("not-freed", says, way_out="Prove it again, or go back.")
        install = self.places.now(install)
        box = self.records.strongbox(install)
        with self.runs.noting(install, box):
            return settle(box, only)

    @in_session
    def recover(self, install: Install, forward: bool | None, report: Report = silent) -> Update:
        """End an interrupted run, and bring the records in line with the outcome; the update that it was
        about.
        """
        from left_intact.core.carrying.recovery import recover

        install = self.places.now(install)
        box = self.records.strongbox(install)
        with self.runs.noting(install, box):
            run = recover(box, self.back.outside(install), install.root, forward, report)
        with it_stands("what was cut off is ended"):
            return self._ended(self.places.now(install), run)

    @in_session
    def go_on(
        self,
        install: Install,
        *,
        done: str = "",
        skip: str = "",
        run: str = "",
        answers: Mapping[str, str] | None = None,
        report: Report = silent,
        cancel: CancelToken | None = None,
    ) -> Outcome:
        """Take up an update that waits: look whether the step was done, then carry on.

        `run` names a step whose command may be run, from now on at each update. Raises `nothing-waits`,
        `not-done-yet`, `no-command`.
        """
        from left_intact.core.carrying.recovery import go_on

        install = self.places.now(install)
        self.runs.refuse_running(install)
        box = self.records.strongbox(install)
        if not box.exists:
            raise _nothing_waits(install)
        if run:
            self._allow(install, run)
        with self.runs.noting(install, box):
            now = go_on(
                box,
                self.back.outside(install),
                install.root,
                done=done,
                skip=skip,
                answers=answers,
                report=report,
                cancel=cancel,
            )
        if now.state is State.WAITING:
            return Outcome(update=now, proven=None)
        with it_stands("the update is carried out and on trial"):
            self._ended(install, now)
            return Outcome(update=now, proven=self.runs.prove_run(install, now, report))

    def _allow(self, install: Install, step: str) -> None:
        """Remember that the command of the step that is waited for may be run."""
        run = self.records.open_run(install)
        waits = run.waits if run is not None else None
        if waits is None or waits.step != step or not waits.command:
            says = f"no step that is waited for has a command and is called {step}"
            raise Misuse("no-command", says, way_out="See what it waits for: left-intact shelf.")
        self.records.allow_command(install, waits.command)

    @in_session
    def look(self, install: Install) -> tuple[bool, Update | None]:
        """(whether going on would do something, the run that waits now): its step was done, as can be seen,
        or what it will take away has changed since it was copied.

        Changes nothing. Another program of ours may have gone on meanwhile, or ended it.
        """
        from left_intact.core.carrying.fresh import copying_stage, lacking_copies
        from left_intact.core.model.update import StageState

        outside = self.back.outside(install)
        with self.records.strongbox(install).journal() as journal:
            run = journal.waiting()
            stages = journal.stages(run.id) if run is not None else []
            stage = next((s for s in stages if s.state is StageState.WAITING and s.hand is not None), None)
            if run is None or stage is None or stage.hand is None:
                return False, run
            if outside.was_done(stage.hand, run):
                return True, run
            copies = copying_stage(journal, run, stage)
            lying = outside.tree(run.roots) if copies is not None else {}
            return copies is not None and bool(lacking_copies(journal, run, copies[1], lying)), run

    @in_session
    def outline(self, install: Install) -> tuple[OutlineLine, ...]:
        """The stages of the run that waits or was cut off; none where there is no such run."""

        box = self.records.strongbox(install)
        if not box.exists:
            return ()
        with box.journal() as journal:
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
                    says = stage.intends or f"{count(number, 'place changes', 'places change')} at once"
                lines.append(OutlineLine(state=stage.state.value, says=says))
            return tuple(lines)

    @in_session
    def give_up(self, install: Install) -> Update:
        """End a waiting update where it stands; what is in force stays on trial. Raises `nothing-waits`."""
        from left_intact.core.carrying.recovery import give_up

        box = self.records.strongbox(install)
        if not box.exists:
            raise _nothing_waits(install)
        with self.runs.noting(install, box):
            run = give_up(box, self.back.outside(install), install.root)
        with it_stands("the update is given up"):
            return self._ended(install, run)

    def _ended(self, install: Install, run: Update) -> Update:
        """The records after a run came to an end, one way or another; the update that it was about."""

        about = run
        if run.kind is RunKind.BACK:
            with self.records.strongbox(install).journal() as journal:
                about = journal.update(run.undoes[0])
        version = about.to_version if about.state is State.ON_TRIAL else about.from_version
        if version and about.state in (State.ON_TRIAL, State.GONE_BACK, State.ABANDONED):
            self.records.note_version(install, version)
        if about.state is State.ON_TRIAL:
            if not self.library.has_layers(install, about.id):
                self._note_shipped(install, about)
        elif about.state in (State.GONE_BACK, State.ABANDONED):
            self.runs.waits_again(install, about)
        return about


def _wanted(route: str | None, into: str | None) -> Route | None:
    """The route that was asked for; a folder for the new build asks for one, too. Raises `Misuse`."""
    from left_intact.core.planning.routes.registry import route_named, routes_into_a_folder

    wanted = route_named(route)
    if not into:
        return wanted
    known = routes_into_a_folder()
    if wanted is not None and wanted not in known:
        says = f"--into goes with the route {' or '.join(known)}"
        raise Misuse("into-not-here", says, way_out="Leave it out.")
    return wanted or known[0]


def _updates_in(
    arrival: Arrival, wanted: Route | None, report: Report, cancel: CancelToken | None
) -> tuple[tuple[Package, ...], Arrival]:
    """(the update packages in what came, what they bring together); none on another route."""
    from left_intact.core.model.ladder import together
    from left_intact.core.planning.routes.registry import planner_named

    asked = wanted is not None and planner_named(wanted).reads_updates
    if wanted is not None and not asked:
        return (), arrival
    found = packages_in(arrival, always=asked, report=report, cancel=cancel)
    return found, together(found, arrival) if found else arrival


def _nothing_waits(install: Install) -> LeftIntactError:
    says = f"{install.name}: no update waits for you"
    return LeftIntactError("nothing-waits", says, way_out="All is as it should be.")


def _refuse_overlap(install: Install, arrival: Arrival) -> None:
    from left_intact.core.files.names import lies_in

    root, source = os.path.realpath(install.root), os.path.realpath(arrival.source)
    if arrival.shape == "folder" and (lies_in(source, root) or lies_in(root, source)):
        raise LeftIntactError(
            "arrival-is-install",
            "the arrival and the install are one folder, or one lies in the other",
            path=arrival.source,
            way_out="Name the folder or archive of the new build.",
        )
