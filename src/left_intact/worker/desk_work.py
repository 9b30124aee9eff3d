"""The work behind a desk: what was read and drawn for one install stays here, the screens get views of it."""

from __future__ import annotations

import time
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

from left_intact.core.model.classes import FileClass
from left_intact.core.model.errors import LeftIntactError
from left_intact.core.model.findings import SortedPages
from left_intact.core.model.install import Install
from left_intact.core.model.place import At
from left_intact.core.model.progress import CancelToken, Report, silent
from left_intact.presentation.crossing import lanes_of
from left_intact.presentation.views import (
    ArrivalView,
    PlanView,
    SurveyView,
    arrival_view,
    plan_view,
    survey_view,
)
from left_intact.workbench import Draft, HistoryLine, News, Outcome, Preview, WentBack, Workbench

if TYPE_CHECKING:
    from left_intact.core.model.entry import Finding
    from left_intact.core.model.found import Candidate, OtherRoot
    from left_intact.core.model.keeping import Holdings
    from left_intact.core.model.outlet import Offer, PackView
    from left_intact.core.model.plan import Plan
    from left_intact.core.model.release import Arrival, Release
    from left_intact.core.model.stages import Move
    from left_intact.core.model.survey import Lesson, Survey


_A_MOMENT = 60.0
"""Seconds for which a reading counts as the disk as it is; a person reads a plan no faster."""


@dataclass(slots=True)
class _Table:
    """What lies there for one install."""

    install: Install
    survey: Survey | None = None
    read_at: float = 0.0
    """When the disk was walked for it, on the clock of this process."""
    arrival: Arrival | None = None
    draft: Draft | None = None
    plan: Plan | None = None
    back: Plan | None = None
    pack: PackView | None = None
    likely: dict[str, Release] = field(default_factory=dict)
    """Releases that it may have come from, by path."""


class DeskWork:
    """Reading, looking into, drawing, carrying out for the install at hand; taking up another clears it."""

    def __init__(self, bench: Workbench) -> None:
        self.bench = bench
        self._table: _Table | None = None

    def _at(self, install: Install) -> _Table:
        if self._table is None or self._table.install.id != install.id:
            self._table = _Table(install)
        return self._table

    # ------------------------------------------------------------ reading

    def read(
        self, install: Install, *, report: Report = silent, cancel: CancelToken | None = None
    ) -> SurveyView:
        """Read and sort an install, arranged for showing."""
        table = self._at(install)
        table.survey = self.bench.surveys.survey(install, report=report, cancel=cancel)
        table.read_at = time.monotonic()
        return survey_view(table.survey)

    def take_stock(
        self, install: Install, *, report: Report = silent, cancel: CancelToken | None = None
    ) -> None:
        """Read and sort an install for what the shelf says of it."""
        self.bench.surveys.survey(install, report=report, cancel=cancel)

    def add(self, path: str, *, report: Report = silent, cancel: CancelToken | None = None) -> None:
        """Put the install in a folder on the shelf, and read it."""
        self.take_stock(self.bench.shelf.find(path), report=report, cancel=cancel)

    def find(
        self, place: str, arrival: str = "", *, report: Report = silent, cancel: CancelToken | None = None
    ) -> list[Candidate]:
        """What looks like an install at or below a folder, or holds most of `arrival`, the likest first."""
        like = self.bench.surveys.programs_paths(arrival) if arrival else ()
        return self.bench.shelf.find_installs(place, like=like, report=report, cancel=cancel)

    def take_up(
        self, found: Sequence[Candidate], *, report: Report = silent, cancel: CancelToken | None = None
    ) -> None:
        """Put what was found on the shelf, and read it."""
        for install in [self.bench.shelf.take_up(one) for one in found]:
            self.take_stock(install, report=report, cancel=cancel)

    def history(self, install: Install) -> tuple[tuple[HistoryLine, ...], Holdings | None]:
        """What was done to an install, and what its strongbox keeps; None where it has none."""
        runs = self.bench.updates.chronicle(install)
        try:
            return runs, self.bench.keeping.look(install)
        except LeftIntactError as error:
            if error.code != "no-strongbox":
                raise
            return runs, None

    def rule(self, install: Install, ruled: Mapping[str, FileClass]) -> SurveyView:
        """Rule some patterns, and sort what was read by them."""
        self.bench.surveys.rule_all(install, ruled)
        return self._sort_again(install)

    def take_back(self, install: Install) -> tuple[SurveyView, tuple[str, ...]]:
        """Take back what was ruled last, and sort what was read without it; the patterns."""
        patterns = self.bench.surveys.take_back(install)
        return self._sort_again(install), patterns

    def _sort_again(self, install: Install) -> SurveyView:
        survey, arrival = self._read(install), self._at(install).arrival
        again = self.bench.surveys.sort_again(install, survey, arrival)
        self._at(install).survey = again
        return survey_view(again)

    def _read(self, install: Install) -> Survey:
        survey = self._at(install).survey
        if survey is None:
            raise LeftIntactError(
                "not-read", "what was read of it is not here any more", way_out="Open the install again."
            )
        return survey

    def _columns(self, install: Install) -> SortedPages:
        findings = self._read(install).findings
        assert isinstance(findings, SortedPages)
        return findings

    # ------------------------------------------------------------ looking closer

    def ranked(self, install: Install, by: str, limit: int) -> list[Finding]:
        """The first entries by certainty, size or time."""
        return self._columns(install).ranked(by, limit)

    def containing(self, install: Install, part: str, limit: int) -> tuple[list[Finding], int]:
        """(the first entries with some text in their path, how many there are)."""
        return self._columns(install).containing(part, limit)

    def of_class(self, install: Install, kind: FileClass, limit: int) -> tuple[list[Finding], int]:
        """(the first entries of a class, how many there are)."""
        findings = self._columns(install)
        return findings.of_class(kind, limit), findings.totals()[kind].files

    def next_unsorted(self, install: Install, here: At) -> At:
        """The place of the next unsorted entry; after the last comes the first."""
        left = self._columns(install).unsorted_places()
        return next((at for at in left if at > here), left[0])

    def met_by(self, install: Install, pattern: str, limit: int) -> tuple[list[Finding], int]:
        """(the first entries that a ruling on a pattern would speak of, how many there are)."""
        return self.bench.surveys.met_by(self._read(install), pattern, limit)

    def preview(self, install: Install, pattern: str, kind: FileClass) -> Preview:
        """What a ruling would speak of, and how much it would change."""
        return self.bench.surveys.preview(self._read(install), pattern, kind)

    def peek(self, install: Install, at: At, limit: int) -> bytes | None:
        """The first bytes of a file."""
        return self.bench.surveys.peek(install, self._read(install), at, limit)

    def export(
        self,
        install: Install,
        view: str,
        name: str,
        path: str,
        *,
        unit: str = "bytes",
        number: int | None = None,
        outcome: Outcome | None = None,
    ) -> tuple[str, int]:
        """Write what a view shows to a file, out of what is at hand of it; (its path, its bytes)."""
        from left_intact.charts.exports import write_export
        from left_intact.charts.subject import Subject

        table = self._at(install)
        subject = Subject(
            bench=self.bench,
            install=install,
            unit=unit,
            number=number,
            survey=table.survey if view == "survey" else None,
            plan=table.plan if view == "plan" else None,
            outcome=outcome,
        )
        return write_export(subject, view, name, path)

    def likely_baselines(
        self, install: Install, *, report: Report = silent, cancel: CancelToken | None = None
    ) -> tuple[int, list[tuple[str, str]]]:
        """(how many archives were looked into, (path, why) of those that the install may have come from)."""
        found = self.bench.surveys.infer_baseline(install, report=report, cancel=cancel)
        fitting = [one for one in found if one.fits]
        self._at(install).likely = {one.path: one.release for one in fitting}
        return len(found), [(one.path, one.says) for one in fitting]

    def lessons(self, install: Install, *, cancel: CancelToken | None = None) -> tuple[Lesson, ...]:
        """What the survey could learn from, where it is in doubt."""
        waiting = self.bench.shelf.waiting(install)
        return self.bench.surveys.lessons(install, self._read(install), waiting, cancel)

    def learn_from(
        self, install: Install, path: str, *, report: Report = silent, cancel: CancelToken | None = None
    ) -> SurveyView:
        """Put the release in an archive on record as the one that lies here, and sort again by it. Raises
        `baseline-mismatch` where it is another.
        """
        self.bench.surveys.set_baseline(install, path)
        return self.read(install, report=report, cancel=cancel)

    def sort_with(
        self, install: Install, path: str, *, report: Report = silent, cancel: CancelToken | None = None
    ) -> SurveyView:
        """Look into what came, and sort what was read by it too."""
        self.look_into(install, path, report=report, cancel=cancel)
        return self._sort_again(install)

    def adopt_baseline(self, install: Install, path: str) -> None:
        """Put one of the likely releases on record as the one that the install came from."""
        self.bench.surveys.adopt_baseline(install, self._at(install).likely[path])

    def find_elsewhere(
        self, install: Install, *, report: Report = silent
    ) -> tuple[tuple[tuple[str, str], ...], list[OtherRoot]]:
        """((label, place) of the folders elsewhere that are read with it, those that may be its own too)."""
        found = self.bench.surveys.find_roots(install, report=report)
        return self.bench.surveys.roots(install), found

    def read_elsewhere(self, install: Install, wanted: Mapping[str, str]) -> None:
        """Let these be the folders elsewhere that are read with it: labels by place."""
        for label, place in self.bench.surveys.roots(install):
            if place not in wanted:
                self.bench.surveys.drop_root(install, label)
        known = {place for _, place in self.bench.surveys.roots(install)}
        for place, label in wanted.items():
            if place not in known:
                self.bench.surveys.add_root(install, label, place)

    # ------------------------------------------------------------ an update

    def look_into(
        self, install: Install, path: str, *, report: Report = silent, cancel: CancelToken | None = None
    ) -> ArrivalView:
        """Look into what came."""
        table = self._at(install)
        table.arrival = table.draft = table.plan = None
        seen = table.survey.findings.pages if table.survey is not None else None
        names = (
            {page.folder: page.names for page in seen if page.names and not page.root}
            if seen is not None
            else None
        )
        table.arrival = self.bench.surveys.arrival(install, path, names=names, report=report, cancel=cancel)
        news = self.bench.outlets.notes_of(install, table.arrival, seen)
        return arrival_view(table.arrival, table.survey, news)

    def draw_up(
        self,
        install: Install,
        answers: Mapping[str, str],
        *,
        route: str | None = None,
        into: str | None = None,
        report: Report = silent,
        cancel: CancelToken | None = None,
    ) -> tuple[SurveyView, PlanView]:
        """Draw the plan for what came, by a route or the recommended one. The install is walked again, unless
        that was done a moment ago.
        """
        table = self._at(install)
        if table.arrival is None:
            raise LeftIntactError(
                "no-arrival", "what came is not at hand any more", way_out="Name it again (2, o)."
            )
        table.draft = table.plan = None
        just_read = table.survey if time.monotonic() - table.read_at < _A_MOMENT else None
        table.draft = self.bench.updates.draft(
            install,
            table.arrival,
            route=route,
            into=into,
            just_read=just_read,
            report=report,
            cancel=cancel,
        )
        table.survey = table.draft.inputs.survey
        if just_read is None:
            table.read_at = time.monotonic()
        return survey_view(table.survey), self.draw_again(install, answers)

    def draw_again(self, install: Install, answers: Mapping[str, str]) -> PlanView:
        """The plan for some answers."""
        table = self._at(install)
        table.plan = self._draft(install).plan(answers)
        return plan_view(table.plan)

    def _draft(self, install: Install) -> Draft:
        draft = self._at(install).draft
        if draft is None:
            raise LeftIntactError(
                "no-plan", "the plan is not at hand any more", way_out="Open the install again."
            )
        return draft

    def moves(self, install: Install, lane: str, limit: int) -> list[Move]:
        """The first moves of a lane of the plan."""
        plan = self._at(install).plan
        found = next((one for one in lanes_of(plan) if one.key == lane), None) if plan is not None else None
        return found.first(limit) if found is not None else []

    def carry_out(
        self,
        install: Install,
        answers: Mapping[str, str],
        allowed: Collection[str],
        *,
        report: Report = silent,
        cancel: CancelToken | None = None,
    ) -> Outcome:
        """Carry the plan out and prove it. It is drawn again only where it lacks an answer."""
        plan = self._at(install).plan
        if plan is None or _lacks(plan, answers):
            plan = self._draft(install).plan(answers)
        self._table = None  # the disk is another afterwards, and the plan alone holds what it needs
        return self.bench.updates.update(plan, install, allowed=allowed, report=report, cancel=cancel)

    def way_back(self, install: Install, *, report: Report = silent) -> PlanView:
        """The plan for taking the update on trial back."""
        table = self._at(install)
        table.back = self.bench.updates.back.draw(install, report=report)
        return plan_view(table.back)

    def go_back(
        self,
        install: Install,
        answers: Mapping[str, str],
        *,
        report: Report = silent,
        cancel: CancelToken | None = None,
    ) -> WentBack:
        """Carry the way back out; it is drawn again only where it lacks an answer."""
        plan = self._at(install).back
        if plan is not None and _lacks(plan, answers):
            plan = None
        self._table = None
        return self.bench.updates.back.go(
            install, report, plan=plan, answers=None if plan else answers, cancel=cancel
        )

    # ------------------------------------------------------------ outlets and packs

    def news(self) -> list[News]:
        """What is known of all outlets."""
        return [self.bench.outlets.news(install) for install in self.bench.shelf.installs()]

    def turn_looking_at_start(self) -> bool:
        """Whether the outlets are asked at every start from now on."""
        wanted = not self.bench.shelf.choice("look-at-start")
        self.bench.shelf.set_choice("look-at-start", "yes" if wanted else "")
        return wanted

    def open_pack(
        self, install: Install, offer: Offer, *, report: Report = silent, cancel: CancelToken | None = None
    ) -> PackView:
        """Sort a pack of content for an install."""
        table = self._at(install)
        table.survey = self.bench.surveys.survey(install, report=report, cancel=cancel)
        table.pack = self.bench.outlets.pack(install, offer.place, table.survey, full=offer.full_bytes)
        return table.pack

    def lay_pack(
        self,
        install: Install,
        with_lacking: Collection[str],
        *,
        report: Report = silent,
        cancel: CancelToken | None = None,
    ) -> Outcome:
        """Fetch the person's share of the pack that is open, lay it and prove it."""
        pack, survey = self._at(install).pack, self._read(install)
        if pack is None:
            raise LeftIntactError("no-pack", "the pack is not open any more", way_out="Open it again.")
        plan = self.bench.outlets.pack_plan(
            install, pack, survey, with_lacking=with_lacking, report=report, cancel=cancel
        )
        self._table = None
        return self.bench.updates.update(plan, install, report=report, cancel=cancel)


def _lacks(plan: Plan, answers: Mapping[str, str]) -> bool:
    """Whether a plan was drawn for other answers than these."""
    return any(answers.get(question.id) != question.answer for question in plan.questions)
