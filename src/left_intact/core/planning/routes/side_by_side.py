"""Side by side: the new build gets a folder of its own, and what is the person's is carried over.

What would lie in the install after an update in place is what is to lie in the new folder: the same table
decides for every path. The old folder stays whole. Where the new one was started before, the files that the
start wrote under the names of the person's are stubs: the person's win, and the stubs are set aside.
"""

from __future__ import annotations

import shlex
from dataclasses import replace

from left_intact.core.files.names import parents
from left_intact.core.model.classes import FileClass
from left_intact.core.model.effects import InstallMoved, effects_of
from left_intact.core.model.entry import Entry, Finding, Folder, Kind
from left_intact.core.model.errors import Fault
from left_intact.core.model.facts import IntoNewRoot
from left_intact.core.model.findings import SortedPages
from left_intact.core.model.pages import Page
from left_intact.core.model.place import OLD, At
from left_intact.core.model.plan import Move, Route, RouteChoice, Verb
from left_intact.core.model.release import Release
from left_intact.core.model.stages import ChangeSet, Shipped
from left_intact.core.model.survey import Survey
from left_intact.core.model.unchanged import CLASS_NUMBER, Unchanged, UnchangedPage
from left_intact.core.planning.inputs import Drawing, PlanInputs, RoutePlanner
from left_intact.core.planning.naming import bears_its_version, named_for
from left_intact.core.planning.new_root.content import content_question
from left_intact.core.planning.new_root.paths import lead_paths
from left_intact.core.planning.new_root.rehome import rehome
from left_intact.core.planning.new_root.sketch import NewRootSketch, gather
from left_intact.core.planning.new_root.starts import led_starts
from left_intact.core.planning.new_root.stubs import over_stubs, used_on_both_sides
from left_intact.core.planning.routes.in_place import InPlace

_HERE = 0.5
"""So much of what comes must lie in a folder that is not empty for it to be the new build's."""
_STAYS, _THERE, _BESIDE = 1, 2, 3
_BECAUSE = (
    "",
    "the old folder stays whole until you let go of it",
    "in the new folder already",
    "in a folder of its own, where it stays",
)


class SideBySide(RoutePlanner):
    """The route."""

    name = Route.SIDE_BY_SIDE
    lays_a_build = keeps_ids = takes_a_folder = True

    def fits(self, inputs: PlanInputs) -> RouteChoice:
        whole = InPlace().fits(_undonated(inputs))
        if not whole.fits:
            return RouteChoice(name=self.name, fits=False, because=whole.because)
        if inputs.nature.is_over:
            because = "what came is no build of it that could have a folder of its own"
            return RouteChoice(name=self.name, fits=False, because=because)
        because = "in a folder of its own; the old one stays whole"
        weight = 1.0 if inputs.new_root is not None else 0.3
        return RouteChoice(name=self.name, fits=True, because=because, weight=weight)

    def blockers(self, inputs: PlanInputs, known: Release | None) -> tuple[Fault, ...]:
        return (*InPlace().blockers(_undonated(inputs), known), *_folder_faults(inputs))

    def draw(self, inputs: PlanInputs) -> Drawing:
        new_root = inputs.new_root
        assert new_root is not None, "the service gathers the new folder for this route"
        sketch = NewRootSketch(inputs=inputs, new_root=new_root, in_place=InPlace().draw(_undonated(inputs)))
        gather(sketch)
        rehome(sketch)
        used = used_on_both_sides(sketch)
        over_stubs(sketch, used)
        content = content_question(sketch)
        led = led_starts(sketch)
        lead_paths(sketch)
        moves = [*_moves(sketch), *led.moves]
        survey = _joined_survey(sketch)
        stubs = tuple(p for p in sketch.replaced if p in sketch.came and sketch.is_the_arrival)
        before = sketch.in_place
        sketch.questions += [*before.questions, *used, *content, *led.questions]
        sketch.blockers[:0] = before.blockers
        sketch.warnings = [*before.warnings, *sketch.warnings, *led.warnings]
        return sketch.drawing(
            ChangeSet(
                moves=tuple(m for m in moves if m.is_step),
                shipped=Shipped(arrival=0, without=stubs),
                times=_times(sketch),
            ),
            kept=_kept(sketch, [m for m in moves if not m.is_step]),
            baseline=before.baseline,
            circumstances=replace(new_root.circumstances, roots=(*new_root.circumstances.roots, *led.roots)),
            survey=survey,
            way=IntoNewRoot(moved=tuple(sorted(sketch.moved.items())), left=tuple(sketch.left)),
            effects=effects_of(InstallMoved(new_root.was, new_root.place), sketch.left),
        )

    def wants_new_root(self, survey: Survey, coming: str, *, asked: bool) -> bool:
        """Unasked where the folder here bears its version, and one for the new build would be called
        otherwise.
        """
        if asked:
            return True
        named = coming and bears_its_version(survey.root, survey)
        return bool(named) and named_for(survey.root, coming) != survey.root


def _undonated(inputs: PlanInputs) -> PlanInputs:
    """What came is no donor's tree where it is the new folder, with what a first start made in it."""
    at_home = inputs.new_root is not None and inputs.arrival.source == inputs.new_root.place
    return replace(inputs, donor=None) if at_home else inputs


def _folder_faults(inputs: PlanInputs) -> list[Fault]:
    """A blocker where the new folder is another install, or holds something else."""
    new_root, coming = inputs.new_root, inputs.arrival.release.entries
    if new_root is not None and new_root.of:
        says = f"{new_root.of} on the shelf lies in {new_root.place}"
        first = f"left-intact forget {shlex.quote(new_root.of)}"
        way = (
            f"Take it off the shelf ({first}; nothing of it is touched), or name another folder with --into."
        )
        return [Fault(code="into-taken", says=says, way_out=way)]
    if new_root is None or new_root.is_empty or inputs.arrival.source == new_root.place:
        return []
    files = [path for path, entry in coming.items() if entry.kind is Kind.FILE]
    here = sum(1 for path in files if new_root.entry(path) is not None)
    if here >= len(files) * _HERE:
        return []
    says = f"{new_root.place} holds something else: {here} of {len(files)} files of what came lie there"
    return [Fault(code="into-taken", says=says, way_out="Name another folder with --into.")]


def _moves(sketch: NewRootSketch) -> list[Move]:
    new = sketch.inputs.arrival.release.version_text or "the arrival"
    found = [
        Move(
            at=At("", path),
            verb=one.verb,
            file_class=one.file_class,
            because=one.because.replace("{new}", new),
            before=one.before,
            after=one.entry,
            source=one.source,
            bytes=one.entry.bytes,
            question=one.question,
            joins=one.joins,
            by_name=one.by_name,
            unproven=one.before is not None,
        )
        for path, one in sketch.wanted.items()
    ]
    found += _folders(sketch)
    return sorted(found, key=lambda m: m.at)


def _folders(sketch: NewRootSketch) -> list[Move]:
    """The new folder itself, and folders of the person's that fewer may open than others."""
    survey, found = sketch.inputs.survey, []
    modes = {f.path: f for f in survey.folders if not f.root}
    if not sketch.new_root.existed:
        top = modes.get("") or Folder(path="", mode=0o755, mtime_ns=0)
        entry = Entry(path="", kind=Kind.FOLDER, mode=top.mode)
        found.append(
            Move(
                at=At("", ""),
                verb=Verb.ADD,
                file_class=FileClass.PROGRAM,
                because="the new folder",
                after=entry,
            )
        )
    needed = {folder for path in sketch.wanted for folder in parents(path)}
    for path in sorted(needed):
        known = modes.get(path)
        if (
            known is None
            or known.mode == 0o755
            or sketch.new_root.entry(path) is not None
            or path in sketch.wanted
        ):
            continue
        after = Entry(path=path, kind=Kind.FOLDER, mode=known.mode)
        found.append(
            Move(
                at=At("", path),
                verb=Verb.CARRY,
                file_class=FileClass.UNSORTED,
                because="with the rights that you gave it",
                after=after,
            )
        )
    return found


def _times(sketch: NewRootSketch) -> tuple[tuple[At, int], ...]:
    """Folders that are made for nothing but what is carried have the time that they had."""
    known = {f.path: f.mtime_ns for f in sketch.inputs.survey.folders if not f.root}
    mixed = {path.rpartition("/")[0] for path, one in sketch.wanted.items() if not one.old}
    folders = {path.rpartition("/")[0] for path, one in sketch.wanted.items() if one.old} - mixed
    new = [f for f in sorted(folders) if f in known and f and sketch.new_root.entry(f) is None]
    return tuple((At("", f), known[f]) for f in new)


def _kept(sketch: NewRootSketch, rest: list[Move]) -> Unchanged:
    """The old folder whole, what lies in the new one and stays, and the roots elsewhere."""
    findings = sketch.inputs.survey.findings
    assert isinstance(findings, SortedPages)
    numbers = [CLASS_NUMBER[v.file_class] for v in findings.table]
    pages = []
    for page, verdicts in zip(findings.pages, findings.verdicts, strict=True):
        if page.names:
            classes = bytes(numbers[v] for v in verdicts)
            reason = _BESIDE if page.root else _STAYS
            pages.append(
                UnchangedPage(page=_behind(page), classes=classes, reasons=bytes([reason]) * len(classes))
            )
    unsorted = CLASS_NUMBER[FileClass.UNSORTED]
    for page in sketch.new_root.pages:
        if page.names:
            one = UnchangedPage(
                page=page,
                classes=bytes([unsorted]) * len(page.names),
                reasons=bytes([_THERE]) * len(page.names),
            )
            pages.append(_classed(sketch, one))
    changing = [At("", path) for path in sketch.wanted]
    empty = [
        _as_it_is(At(OLD, folder.path), finding)
        for folder in sorted(findings.folders)
        if not folder.root and (finding := findings.find(folder)) is not None
    ]
    stays = Unchanged(pages, _BECAUSE).without(changing)
    return Unchanged(stays.pages, _BECAUSE, (*rest, *empty))


def _classed(sketch: NewRootSketch, kept: UnchangedPage) -> UnchangedPage:
    """What lies in the new folder is the program's where it comes so, else what nobody has sorted yet."""
    program = CLASS_NUMBER[FileClass.PROGRAM]
    classes = bytearray(kept.classes)
    for at in range(len(classes)):
        if kept.page.path(at) in sketch.came:
            classes[at] = program
    return replace(kept, classes=bytes(classes))


def _as_it_is(at: At, finding: Finding) -> Move:
    entry = finding.entry
    return Move(
        at=at,
        verb=Verb.KEEP,
        file_class=finding.file_class,
        because=_BECAUSE[_STAYS],
        before=entry,
        after=entry,
    )


def _behind(page: Page) -> Page:
    """A page of the old folder, as the plan calls it."""
    return page if page.root else replace(page, root=OLD)


def _joined_survey(sketch: NewRootSketch) -> Survey:
    """What lies in the new folder and, under its label, in the old one."""
    survey, findings = sketch.inputs.survey, sketch.inputs.survey.findings
    assert isinstance(findings, SortedPages)
    pages = [_behind(page) for page in findings.pages]
    folders = {f if f.root else At(OLD, f.path): number for f, number in findings.folders.items()}
    return replace(
        survey,
        root=sketch.new_root.place,
        roots=((OLD, sketch.new_root.was), *survey.roots),
        findings=SortedPages(pages, findings.verdicts, findings.table, folders),
        folders=tuple(f if f.root else replace(f, root=OLD) for f in survey.folders),
    )
