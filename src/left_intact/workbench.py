"""The waist: every use case, one call each. All faces use it alone; none reaches past it."""

from __future__ import annotations

import os
import threading
import time
from collections.abc import Callable, Collection, Mapping
from dataclasses import dataclass, replace
from functools import cache
from types import MappingProxyType
from typing import TYPE_CHECKING, Any

from left_intact.core.library.store import Library
from left_intact.core.model.classes import FileClass
from left_intact.core.model.errors import LeftIntactError, Misuse
from left_intact.core.model.install import Install
from left_intact.core.model.place import Root
from left_intact.core.model.progress import CancelToken, Report, silent
from left_intact.core.model.update import State, Update, WaitsFor
from left_intact.knowing import Knowing
from left_intact.noticing import Noticing
from left_intact.updating import Outcome, OutlineLine, Updating, WentBack

__all__ = ["Draft", "Outcome", "OutlineLine", "ShelfRow", "WentBack", "Workbench"]

# The stages are imported by the calls that need them: the shelf must be on the screen at once.
if TYPE_CHECKING:
    from left_intact.core.arrival.root import Names
    from left_intact.core.files.tree import Tree
    from left_intact.core.keepsheet.sheet import Keepsheet
    from left_intact.core.model.plan import Plan
    from left_intact.core.model.release import Arrival, Reading, Release
    from left_intact.core.model.survey import Survey
    from left_intact.core.planning.circumstances import Circumstances
    from left_intact.core.planning.inputs import PlanInputs
    from left_intact.core.survey.inputs import SurveyInputs


@dataclass(frozen=True, slots=True, kw_only=True)
class Draft:
    """All that a plan is drawn from but the answers, so that an answer redraws it at once."""

    install: Install
    inputs: PlanInputs

    def plan(self, answers: Mapping[str, str] | None = None) -> Plan:
        """The plan for some answers. Raises `Misuse` for an answer to no question."""
        from left_intact.core.planning.draw import draw_up

        plan = draw_up(replace(self.inputs, answers=MappingProxyType(dict(answers or {}))))
        _refuse_idle_answers(plan, answers or {})
        return plan


@dataclass(frozen=True, slots=True, kw_only=True)
class ShelfRow:
    """What the shelf knows about an install without reading it."""

    install: Install
    summary: Mapping[str, Any]
    """What the last survey found; empty before the first."""
    waiting: tuple[str, str] | None
    """(path, version) of an arrival that waits."""
    updates: tuple[Update, ...] = ()
    """Newest first."""
    missing: bool = False
    held: tuple[str, str, str] | None = None
    """(version, reason, until) of a hold."""
    newest: str = ""
    """The newest version that outlets offered when they were last looked at, if it is worth telling."""
    trouble: str = ""
    """Why its strongbox or journal cannot be opened; empty where they can."""

    def waiting_for(self, run: Update) -> ShelfRow:
        """The row after a run went on, as far as to its next step by hand."""
        about = run.undoes[0] if run.undoes else run.id
        updates = [
            replace(u, state=State.WAITING, waits=run.waits) if u.id == about else u for u in self.updates
        ]
        return replace(self, updates=tuple(updates))

    @property
    def waits(self) -> WaitsFor | None:
        """What an update of it waits for."""
        return next((u.waits for u in self.updates if u.state is State.WAITING and u.waits), None)

    @property
    def state(self) -> State | None:
        """The state of the newest update that is in force, was cut off or waits."""
        known = [u.state for u in self.updates if u.state is not State.ABANDONED]
        return known[0] if known else None


class Workbench(Noticing, Knowing, Updating):
    """One home folder, and all that can be done with it. Safe to call from several threads."""

    def __init__(self, home: str) -> None:
        self.home = os.path.abspath(home)
        self._local = threading.local()

    @property
    def library(self) -> Library:
        """The library, opened once a thread."""
        library: Library | None = getattr(self._local, "library", None)
        if library is None:
            library = self._local.library = Library(self.home)
        return library

    # ------------------------------------------------------------ installs

    def find(self, word: str) -> Install:
        """An install by name or path. Raises `no-install`."""
        return self.library.find(word)

    def shelf(self) -> list[ShelfRow]:
        """All installs with what is known about them; reads no install."""
        return [self._row(install) for install in self.library.installs()]

    def _row(self, install: Install) -> ShelfRow:
        summary, hold = self.library.summary(install), self.library.hold(install)
        updates, trouble = self._known_updates(install)
        return ShelfRow(
            install=install,
            summary=summary,
            waiting=self.library.waiting(install),
            updates=updates,
            trouble=trouble,
            missing=not os.path.isdir(install.root),
            held=(hold.beyond, hold.reason, hold.until) if hold else None,
            newest=self._newest_known(install, summary),
        )

    def _known_updates(self, install: Install) -> tuple[tuple[Update, ...], str]:
        """All updates, and why they cannot be told; one damaged journal stops no other install."""
        try:
            updates, run = self.runs(install)
        except LeftIntactError as error:
            return (), error.line()
        if run is not None and run.state is State.WAITING:
            about = run.undoes[0] if run.undoes else run.id
            updates = [
                replace(u, state=State.WAITING, waits=run.waits) if u.id == about else u for u in updates
            ]
        return tuple(updates), ""

    def _newest_known(self, install: Install, summary: Mapping[str, Any]) -> str:
        offers = self.library.offers(install)
        if not offers:
            return ""
        from left_intact.core.outlets.choose import rank

        ranked = rank(
            offers,
            installed=summary.get("version", ""),
            platform=summary.get("platform", ""),
            hold=self.library.hold(install),
            dismissed=self.library.dismissed(install),
        )
        return next((r.offer.version for r in ranked if r.waits), "")

    def set_waiting(self, install: Install, arrival: Arrival) -> None:
        """Remember an arrival as the one to lay in next."""
        self.library.set_waiting(install, arrival.source, arrival.release.version_text)

    # ------------------------------------------------------------ survey

    def survey(
        self,
        install: Install,
        *,
        baseline: str | None = None,
        sheet: str | None = None,
        report: Report = silent,
        cancel: CancelToken | None = None,
    ) -> Survey:
        """Read and classify an install; changes nothing of it."""
        known_sheet = self.sheet_of(install, sheet)
        known = cache(lambda: self._known(install, self._baseline(install, baseline), known_sheet, None))
        return self._read(install, known, known_sheet, report, cancel)[0]

    def _known(
        self, install: Install, base: Release | None, sheet: Keepsheet, arrival: Release | None
    ) -> SurveyInputs:
        from left_intact.core.survey.inputs import SurveyInputs

        rulings = [(ruling.pattern, ruling.file_class) for ruling in self.library.rulings(install)]
        return SurveyInputs(
            baseline=base,
            arrival=arrival,
            rulings=rulings,
            sheet=sheet.classes,
            runs=self._runs(install, sheet),
        )

    def _runs(self, install: Install, sheet: Keepsheet) -> dict[str, tuple[str, str]]:
        """What runs made or changed: as watched, and as the keepsheet says of a first start."""
        return {
            path: ("made", "") for path in sheet.first_start if not path.endswith("/")
        } | self.library.runs(install)

    def _read(
        self,
        install: Install,
        known: SurveyInputs | Callable[[], SurveyInputs],
        sheet: Keepsheet,
        report: Report,
        cancel: CancelToken | None,
    ) -> tuple[Survey, Tree]:
        from left_intact.core.survey.read import survey_install

        before = cache(lambda: self.library.before(install))
        survey, tree, context = survey_install(
            install.root,
            known,
            name=install.name,
            before=before if self.library.was_surveyed(install) else None,
            roots=self.library.roots(install),
            rules=sheet.version_places,
            extra_readings=self._asked(install),
            report=report,
            cancel=cancel,
        )
        by = known() if callable(known) else known
        self.library.set_surveyed(install, survey, context, before(), planned=by.arrival is not None)
        self._note_summary(install, survey)
        return survey, tree

    def _asked(self, install: Install) -> tuple[Reading, ...]:
        from left_intact.core.proving.ask_program import ask_program

        said = ask_program(install.root, install.version_command)
        return (said,) if said else ()

    def _note_summary(self, install: Install, survey: Survey) -> None:
        from left_intact.core.model.as_json import total_json

        newest = survey.findings.newest(FileClass.SAVES)
        summary = {
            "version": survey.version_text,
            "platform": survey.platform,
            "totals": {c.value: total_json(t) for c, t in survey.totals().items()},
            "newest_save": [newest.path, newest.mtime_ns] if newest else None,
            "read_at": time.time(),
            "baseline": survey.baseline,
        }
        self.library.set_summary(install, summary)

    def sort_again(
        self,
        install: Install,
        survey: Survey,
        arrival: Arrival | None = None,
        cancel: CancelToken | None = None,
    ) -> Survey:
        """The same entries with the rulings of now; of the disk only settings that name folders are read."""
        from left_intact.core.files.tree import Tree
        from left_intact.core.model.findings import SortedPages
        from left_intact.core.survey.classify import sort_out
        from left_intact.core.survey.read import with_self_description

        assert isinstance(survey.findings, SortedPages)
        tree = Tree(root=survey.root, pages=tuple(survey.findings.pages))
        known = self._known(
            install,
            self._baseline(install, None),
            self.sheet_of(install),
            arrival.release if arrival else None,
        )
        known = with_self_description(tree, known, survey.roots)
        again = replace(survey, findings=sort_out(tree.pages, known, cancel))
        self._note_summary(install, again)
        return again

    # ------------------------------------------------------------ arrival and plan

    def arrival(
        self,
        install: Install,
        path: str,
        *,
        sheet: str | None = None,
        report: Report = silent,
        cancel: CancelToken | None = None,
    ) -> Arrival:
        """Look into what came. Raises `archive-hostile`, `archive-broken`, `no-arrival`."""
        from left_intact.core.arrival.look import look_into

        return look_into(
            path,
            installed=self._paths_of(install),
            name=install.name,
            rules=self.sheet_of(install, sheet).version_places,
            known=self.library.release_pages,
            keep=self.library.set_release_pages,
            report=report,
            cancel=cancel,
        )

    def _paths_of(self, install: Install) -> Collection[str] | Names:
        """What lies in an install: names by folder as last surveyed, else its paths."""
        seen = self.library.seen(install)
        if seen:
            return {page.folder: page.names for page in seen if page.names}
        found = []
        for folder, _, names in os.walk(install.root):
            below = os.path.relpath(folder, install.root).replace(os.sep, "/")
            found += [name if below == "." else f"{below}/{name}" for name in names]
        return found

    def draft(
        self,
        install: Install,
        arrival: str | Arrival,
        *,
        baseline: str | None = None,
        route: str | None = None,
        into: str | None = None,
        sheet: str | None = None,
        report: Report = silent,
        cancel: CancelToken | None = None,
    ) -> Draft:
        """Read all that a plan is drawn from; changes nothing of the install."""
        from left_intact.core.files.roots import roots_reader
        from left_intact.core.planning.inputs import PlanInputs
        from left_intact.core.planning.routes.registry import route_named
        from left_intact.core.survey.weights import weights

        wanted = route_named(route)
        if into:
            raise Misuse("into-not-here", "--into goes with the route side-by-side", way_out="Leave it out.")
        self.refuse_if_open(install)
        if isinstance(arrival, str):
            arrival = self.arrival(install, arrival, sheet=sheet, report=report, cancel=cancel)
        _refuse_overlap(install, arrival)
        read_sheet_once, base = self.sheet_of(install, sheet), self._baseline(install, baseline)
        known = self._known(install, base, read_sheet_once, arrival.release)
        survey, _ = self._read(install, known, read_sheet_once, report, cancel)
        inputs = PlanInputs(
            install=install.name,
            survey=survey,
            arrival=arrival,
            baseline=base,
            sheet=read_sheet_once,
            facts=self._circumstances(install, survey, arrival.release.version_text),
            read=roots_reader(install.root, survey.roots),
            replace_at=weights().replace,
            retire_at=weights().retire,
            route=wanted,
        )
        return Draft(install=install, inputs=inputs)

    def _baseline(self, install: Install, path: str | None) -> Release | None:
        """The release the install came from: as given, or as on record."""
        if path is not None:
            return self.arrival(install, path).release
        return self.on_record(install)

    def set_baseline(self, install: Install, path: str) -> Release:
        """Put on record which release an install came from."""
        release = self.arrival(install, path).release
        self.library.set_baseline(install, 0, release)
        return release

    def _circumstances(self, install: Install, survey: Survey, arriving: str = "") -> Circumstances:
        from left_intact.core.carrying.boxes import strongbox_for
        from left_intact.core.files import host
        from left_intact.core.files.identity import identity_of
        from left_intact.core.files.place import able
        from left_intact.core.files.roots import is_apart
        from left_intact.core.planning.circumstances import BOX, Circumstances

        root = install.root
        folders = ["", *(f.path for f in survey.folders if not is_apart(f.path))]
        places = (("", root), *survey.roots)
        roots = tuple(
            Root(label=label, place=os.path.realpath(p), identity=identity_of(os.path.realpath(p)))
            for label, p in places
        )
        box = strongbox_for(root, install.name, self.home, self.library.box(install))
        name_bytes, path_bytes = host.longest_names(root)
        return Circumstances(
            free=host.free_bytes(os.path.dirname(root)),
            unwritable=host.unwritable(root, folders),
            running=host.running_from(root),
            narrow_names=host.narrow_names(root),
            folds_case=host.folds_case(root),
            held=self._held(install, arriving),
            name_bytes=name_bytes,
            path_bytes=path_bytes,
            links=able().links,
            roots=roots,
            rooms=host.rooms({BOX: box.folder, **{r.label: r.place for r in roots}}),
        )


def _refuse_overlap(install: Install, arrival: Arrival) -> None:
    root, source = os.path.realpath(install.root), os.path.realpath(arrival.source)
    inside = os.path.commonpath([root, source])
    if root == source or (arrival.shape == "folder" and inside in (root, source)):
        raise LeftIntactError(
            "arrival-is-install",
            "the arrival and the install are one folder, or one lies in the other",
            path=arrival.source,
            way_out="Name the folder or archive of the new build.",
        )


def _refuse_idle_answers(plan: Plan, answers: Mapping[str, str]) -> None:
    questions = {q.id: q for q in plan.questions}
    for name, answer in answers.items():
        question = questions.get(name)
        if question is None:
            known = ", ".join(questions) or "none"
            raise Misuse(
                "unknown-question", f"no question is called {name}", way_out=f"Open questions: {known}."
            )
        if answer not in question.options:
            options = ", ".join(question.options)
            raise Misuse(
                "unknown-answer", f"{answer!r} answers nothing in {name}", way_out=f"Options: {options}."
            )
