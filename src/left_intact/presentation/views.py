"""What a screen shows of a survey, an arrival and a plan: small enough to cross from one process to another.

The columns of a survey cross as they are. A plan stays where it was drawn; its lanes cross with the first
of their moves, and more is asked for when somebody opens one.
"""

from __future__ import annotations

import os
from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass, fields

from left_intact.core.model.classes import FileClass
from left_intact.core.model.errors import Fault
from left_intact.core.model.findings import SortedPages
from left_intact.core.model.ladder import Climb
from left_intact.core.model.outlet import NoteLine
from left_intact.core.model.pages import pages_in
from left_intact.core.model.place import At, old_root_in
from left_intact.core.model.plan import Merge, PartChange, Plan, Question, Route, RouteChoice, Space
from left_intact.core.model.release import Arrival, Reading
from left_intact.core.model.stages import ChangeSet, ManualStep, Move, Prompt, Stage, Verb
from left_intact.core.model.survey import Survey, Total
from left_intact.core.model.telling import USUAL, Telling
from left_intact.presentation.crossing import Lane, LaneHead, has_new_root, lanes_of
from left_intact.presentation.outline import Alike, Outline, alike, outline_of
from left_intact.words import count

FIRST_MOVES = 60
"""How many moves of a lane are shown before somebody asks for more."""


@dataclass(frozen=True, slots=True, kw_only=True)
class SurveyView:
    """A survey, arranged for showing."""

    survey: Survey
    outline: Outline
    groups: list[Alike]
    """The unsorted, by what is alike."""
    unread: tuple[str, ...] = ()
    """`path (why)` of what could not be read."""


def survey_view(survey: Survey) -> SurveyView:
    assert isinstance(survey.findings, SortedPages)
    return SurveyView(
        survey=survey,
        outline=outline_of(survey),
        groups=alike(survey.findings),
        unread=tuple(f"{entry.at.shown} ({entry.fault})" for entry in survey.unread()),
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class ArrivalView:
    """What came, without its entries."""

    source: str
    shape: str
    name: str
    version_text: str
    platform: str
    readings: tuple[Reading, ...]
    packed_bytes: int
    digest: str
    notes: tuple[str, ...]
    news: tuple[NoteLine, ...]
    """The release notes that it carries, the lines that touch the person first."""
    content: Total
    """All its files, unpacked."""
    here_already: int
    """How many of its paths lie in the install."""


def arrival_view(arrival: Arrival, survey: Survey | None, news: tuple[NoteLine, ...] = ()) -> ArrivalView:
    release = arrival.release
    pages = pages_in(release.entries)
    pages_here = survey.findings.pages if survey is not None else ()
    mine = {page.folder: page.names for page in pages_here if not page.root}
    return ArrivalView(
        source=arrival.source,
        shape=arrival.shape,
        name=release.name,
        version_text=release.version_text,
        platform=release.platform,
        readings=release.readings,
        packed_bytes=arrival.packed_bytes,
        digest=arrival.digest,
        notes=arrival.notes,
        news=news,
        content=Total(
            files=sum(len(page.names) for page in pages), bytes=sum(page.content for page in pages)
        ),
        here_already=sum(len(set(page.names).intersection(mine.get(page.folder, ()))) for page in pages),
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class LaneView(LaneHead):
    """A lane of a plan, with the first of its moves."""

    reasons: Counter[str]
    shown: tuple[Move, ...]


def lane_view(lane: Lane) -> LaneView:
    head = {field.name: getattr(lane, field.name) for field in fields(LaneHead)}
    return LaneView(**head, reasons=lane.reasons, shown=tuple(lane.first(FIRST_MOVES)))


@dataclass(frozen=True, slots=True, kw_only=True)
class FolderView:
    """One of the two folders of a crossing: what it is called, and what it is made of."""

    name: str
    version: str
    files: Mapping[FileClass, int]
    bytes: int
    says: str


def _folders_of(plan: Plan, lanes: tuple[Lane, ...]) -> tuple[FolderView, ...]:
    """The old folder as it lies and the new one as it will lie; none where there is but one."""
    if not has_new_root(plan):
        return ()
    old = old_root_in(plan.roots)
    now, after = Counter[FileClass](), Counter[FileClass]()
    for lane in lanes:
        now[lane.file_class] += lane.now.files
        after[lane.file_class] += lane.after.files
    new = plan.roots[0]
    started = any(m.before is not None and m.verb is not Verb.KEEP for m in plan.changes if not m.at.root)
    says = "made by this" if not new.existed else "started before" if started else "there already"
    return (
        FolderView(
            name=os.path.basename(old),
            version=plan.from_version,
            files=now,
            bytes=sum(lane.now.bytes for lane in lanes),
            says="stays whole",
        ),
        FolderView(
            name=os.path.basename(new.place),
            version=plan.to_version,
            files=after,
            bytes=sum(lane.after.bytes for lane in lanes),
            says=says,
        ),
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class StageView:
    """One stage of a plan, in words."""

    kind: str
    """`carry`, `hand` or `later`."""
    says: str
    why: str = ""
    sees: str = ""
    back: str = ""
    """What undoes it by hand."""
    on: str = ""
    """The device that it is done on."""
    prompts: tuple[Prompt, ...] = ()
    """What it asks on its way, and the right answers."""


def _stage_view(stage: Stage) -> StageView:
    if isinstance(stage, ManualStep):
        back = stage.back.asks if stage.back is not None else ""
        sees = stage.check.words or "you say that it was done: it cannot be seen"
        return StageView(
            kind="hand",
            says=stage.asks,
            why=stage.why,
            sees=sees,
            back=back,
            on=stage.on,
            prompts=stage.prompts,
        )
    if isinstance(stage, ChangeSet):
        changes = sum(1 for m in stage.moves if m.changes_disk)
        says = stage.intends or f"{count(changes, 'place changes', 'places change')} at once"
        return StageView(kind="carry", says=says, why="whole, or not at all")
    why = "drawn when its turn comes, on what lies there then; it asks where it would go beyond this"
    return StageView(kind="later", says=stage.intends, why=why)


@dataclass(frozen=True, slots=True, kw_only=True)
class PlanView:
    """A plan as it is read: lanes, questions, faults, sums."""

    install: str
    from_version: str
    to_version: str
    route: Route
    routes: tuple[RouteChoice, ...]
    lanes: tuple[LaneView, ...]
    merges: Mapping[At, Merge]
    questions: tuple[Question, ...]
    blockers: tuple[Fault, ...]
    warnings: tuple[Fault, ...]
    space: Space
    packed_bytes: int
    """How much came; 0 for a going back."""
    with_baseline: bool
    left_intact: Total
    """What is the person's and stays just as it lies."""
    counts: Mapping[Verb, int]
    changes: Mapping[Verb, int]
    """Paths that change on the disk, by verb."""
    manual_steps: tuple[ManualStep, ...]
    folders: tuple[FolderView, ...] = ()
    """The old one and the new one, where the install gets another folder."""
    parts: tuple[PartChange, ...] = ()
    stages: tuple[StageView, ...] = ()
    """All of them, where there are steps by hand."""
    climb: Climb | None = None
    telling: Telling = USUAL
    """What its route says of it."""

    @property
    def does_something(self) -> bool:
        return bool(self.changes) or bool(self.manual_steps)

    @property
    def asked(self) -> tuple[Question, ...]:
        """Those that somebody is asked."""
        return tuple(q for q in self.questions if not q.is_choice)

    @property
    def open_questions(self) -> tuple[Question, ...]:
        return tuple(q for q in self.questions if q.answer is None)

    def count(self, verb: Verb) -> int:
        return self.counts.get(verb, 0)


def plan_view(plan: Plan) -> PlanView:
    lanes = lanes_of(plan)
    return PlanView(
        install=plan.install,
        from_version=plan.from_version,
        to_version=plan.to_version,
        route=plan.route,
        routes=plan.routes,
        lanes=tuple(lane_view(lane) for lane in lanes),
        folders=_folders_of(plan, lanes),
        parts=plan.parts,
        merges=dict(plan.merges),
        questions=plan.questions,
        blockers=plan.blockers,
        warnings=plan.warnings,
        space=plan.space,
        packed_bytes=sum(arrival.packed_bytes for arrival in plan.arrivals),
        with_baseline=plan.baseline is not None,
        left_intact=plan.left_intact(),
        counts={verb: plan.count(verb) for verb in Verb},
        changes=Counter(move.verb for move in plan.changes),
        manual_steps=(hands := tuple(stage for stage in plan.stages if isinstance(stage, ManualStep))),
        stages=tuple(map(_stage_view, plan.stages)) if hands else (),
        climb=plan.climb.without_content() if plan.climb is not None else None,
        telling=plan.telling,
    )
