"""What an update and a going back have in common: nobody at work, and the proof afterwards."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from dataclasses import replace
from typing import TYPE_CHECKING

from left_intact.core.model.errors import Fault, LeftIntactError, Refusal
from left_intact.core.model.layers import Record
from left_intact.core.model.place import old_root_in
from left_intact.core.model.progress import CancelToken, Report, silent
from left_intact.core.model.update import RunKind, State, Update

if TYPE_CHECKING:
    from left_intact.core.carrying.strongbox import Strongbox
    from left_intact.core.model.facts import RunFacts
    from left_intact.core.model.install import Install
    from left_intact.core.model.plan import Plan
    from left_intact.core.model.proof import Proof
    from left_intact.core.model.release import Reading
    from left_intact.core.model.things import Start
    from left_intact.core.proving.context import Context, OldRoot

from left_intact.services.home import Home, Service
from left_intact.services.places import Places
from left_intact.services.surveys import Surveys


@contextmanager
def it_stands(stands: str) -> Iterator[None]:
    """What fails once a run has come to its end leaves that as it is: say so."""
    from left_intact.core.carrying.laying import as_stop

    try:
        yield
    except (LeftIntactError, OSError) as error:
        stop = as_stop(error, "it could not be written down")
        way_out = "Mend that, then prove it: left-intact prove."
        raise LeftIntactError(
            stop.code, f"{stands}, but {stop.says}", path=stop.path, way_out=way_out
        ) from error


def _old_root(facts: RunFacts) -> OldRoot | None:
    """The folder that a run left behind, as its facts tell."""
    from left_intact.core.model.facts import IntoNewRoot, PutBack
    from left_intact.core.proving.context import OldRoot

    match facts.way:
        case IntoNewRoot(moved=moved, left=left):
            return OldRoot(moved=dict(moved), left=left)
        case PutBack(to_old_root=True):
            return OldRoot(back=True)
    return None


class Runs(Service):
    """What an update and a going back have in common: nobody at work, and the proof afterwards."""

    def __init__(self, home: Home, places: Places, surveys: Surveys) -> None:
        super().__init__(home)
        self.records, self.places, self.surveys = places.records, places, surveys

    @contextmanager
    def noting(self, install: Install, box: Strongbox) -> Iterator[None]:
        """Around a run: afterwards it is noted where the strongbox is, however the run ended."""
        try:
            yield
        except BaseException:
            with suppress(LeftIntactError, OSError):  # what went wrong before is what is to be said
                self._note(install, box)
            raise
        with it_stands("it came to its end"):
            self._note(install, box)

    def _note(self, install: Install, box: Strongbox) -> None:
        self.records.note_box(install, box)
        self.places.do_effects(install)

    def refuse_running(self, install: Install) -> None:
        from left_intact.core.files import host

        if running := host.running_from(install.root):
            says = f"{install.name} is running: {', '.join(running[:3])}"
            raise Refusal([Fault(code="running", says=says, way_out="Quit it first.")])

    def prove_run(
        self,
        install: Install,
        update: Update,
        report: Report = silent,
        cancel: CancelToken | None = None,
        *,
        deep: bool = False,
        just_done: bool = False,
    ) -> Proof:
        """Prove one run, and keep what the proof says.

        `just_done` is a going back whose copies nobody has let go of yet.
        """
        from left_intact.core.carrying.trace import Trace
        from left_intact.core.files.identity import identity_of
        from left_intact.core.files.place import root_replaced
        from left_intact.core.proving.prove import prove
        from left_intact.presentation.as_json import proof_json

        if identity_of(install.root) is None:
            raise root_replaced(install.root)
        box = self.records.strongbox(install)
        try:
            with box.journal() as journal:
                trace, facts = Trace(journal, update.id), journal.facts(update.id)
                witness = trace.witness
            whole = any(stage.shipped and not stage.shipped.over for stage in trace.in_force)
            held = box.has if just_done or update.state is State.ON_TRIAL else (lambda digest: True)
            context = self._context(install, update, facts, held, whole=whole)
            # Going back to a folder that was left behind is proven in both: what it took away is gone there.
            back = update.kind is RunKind.BACK and old_root_in(update.roots)
            root = update.roots[0].place if back else install.root
            proof = prove(root, witness, context, deep=deep, report=report, cancel=cancel)
        finally:
            box.close()
        self.library.set_proof(install, update.id, proof_json(proof))
        if proof.version_after:
            self.records.note_version(install, proof.version_after)
        return proof

    def _context(
        self,
        install: Install,
        update: Update,
        facts: RunFacts,
        held: Callable[[str], bool],
        *,
        whole: bool,
    ) -> Context:
        """What the proof of a run is told beside the disk and the witness; `whole` says whether a whole
        release was laid.
        """
        from left_intact.core.files.place import able
        from left_intact.core.files.starts import find_starts, start_folders
        from left_intact.core.model.entry import Entry
        from left_intact.core.model.facts import Cleared
        from left_intact.core.proving.context import Context
        from left_intact.core.proving.pictures import captures

        sheet = self.surveys.sheet_of(install)
        starts, old_root = find_starts(install.root, start_folders()), old_root_in(update.roots)
        old: tuple[Start, ...] = ()
        if old_root:  # the versions that they name are those of the folders
            old = find_starts(old_root, start_folders()) if old_root != install.root else ()
            starts = tuple(replace(one, version="") for one in (*starts, *old))
        return Context(
            name=install.name,
            carried_at=update.changed,
            modes=able().modes,
            in_strongbox=held,
            readings=self._readings(install, update),
            version_places=(*sheet.version_places, *facts.version_places),
            laid=facts.laid(whole=whole),
            came=facts.came,
            shipped=Record(self.library.layers(install, update.id)).fold() if whole else None,
            comes={path: Entry(path=path, digest=digest) for path, digest in facts.comes.items()},
            confirmed=frozenset(ruling.pattern for ruling in self.library.rulings(install)),
            things=facts.counted,
            rules=facts.rules,
            starts=starts,
            starts_of_old_root=[one.path for one in old],
            under_ids=facts.under_ids,
            look_at=self.library.look_at(install),
            pictures=captures(facts.picture),
            old_root=_old_root(facts) if old_root else None,
            answered=None if facts.let_go is None else frozenset(facts.let_go),
            not_saved=facts.way.not_saved if isinstance(facts.way, Cleared) else (),
            chosen=frozenset(facts.chosen),
            renamed=tuple((old, new) for old, new, _ in sheet.moved),
        )

    def _readings(self, install: Install, update: Update) -> tuple[Reading, ...]:
        """What program and person say of the version. What the person read before an update is of the
        build that lay here then, unless that was to stay.
        """
        noted = self.surveys.version_read(install)
        found = self.surveys.asked(install)
        stale = noted is not None and noted.when < update.changed and noted.text != update.to_version
        return found[1:] if stale else found

    def with_things(self, install: Install, plan: Plan, picture: str = "") -> Plan:
        """A plan with what is counted beforehand from the program's own lists and from what leads to it, and
        the picture that the one after is to be held against.
        """
        from left_intact.core.files.roots import reader_in_words
        from left_intact.core.files.starts import find_starts, start_folders
        from left_intact.core.proving.mod_lists import find_mod_list, mods_and_texts
        from left_intact.core.proving.pictures import newest_capture
        from left_intact.core.proving.things import count_things

        rules = plan.facts.rules
        if not plan.arrivals:  # what only lets something go, or takes it back, is drawn without a keepsheet
            rules = self.surveys.sheet_of(install).things
        base, starts = install.root, find_starts(install.root, start_folders())
        if plan.facts.has_old_root:
            old = old_root_in(plan.roots)
            if plan.undoes:
                base, starts = old, (*starts, *find_starts(old, start_folders()))
            starts = tuple(replace(one, version="") for one in starts)
        read = reader_in_words(base, plan.survey.roots)
        if not any(rule.counts == "mods" for rule in rules):
            rule = find_mod_list(*mods_and_texts(plan.survey.findings, read))
            rules = (*rules, *([rule] if rule is not None else []))
        counted = count_things((), read, rules, starts, lists_only=True)
        picture = picture or newest_capture(plan.survey)
        return replace(plan, facts=replace(plan.facts, rules=rules, counted=counted, picture=picture))

    def waits_again(self, install: Install, update: Update) -> None:
        """What was taken back may be laid again, if it is still there."""
        lifted = os.path.join(self.home, "lifted") + os.sep  # a pack's share is no release that could wait
        if os.path.exists(update.arrival) and not update.arrival.startswith(lifted):
            self.library.set_waiting(install, update.arrival, update.aimed or update.to_version)
