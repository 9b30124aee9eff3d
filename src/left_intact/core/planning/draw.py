"""Drawing up the plan for the route in place.

A pure function: the same survey, arrival, baseline, sheet, answers and circumstances
give the same plan. The tree is not read here; texts to be merged are handed in.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from types import MappingProxyType

from blake3 import blake3

from left_intact.core.files.roots import is_apart
from left_intact.core.files.tree import ReadText
from left_intact.core.keepsheet.sheet import NO_SHEET, Keepsheet
from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Entry, Finding, Kind
from left_intact.core.model.errors import Fault
from left_intact.core.model.place import At, Root, at_of
from left_intact.core.model.plan import Merge, Move, Plan, Question, Route, Verb
from left_intact.core.model.release import Arrival, Release
from left_intact.core.model.stages import Carry, FromArrival, Made, Shipped, Source
from left_intact.core.model.survey import Folder, Survey
from left_intact.core.planning import blockers
from left_intact.core.planning.circumstances import Circumstances
from left_intact.core.planning.questions import Conflict, file_questions, key_questions
from left_intact.core.planning.routes import choose_routes
from left_intact.core.planning.space import room_for
from left_intact.core.planning.table import (
    Ask,
    Base,
    Coming,
    Mine,
    Row,
    Treatment,
    look_up,
    situate,
    treatment_of,
)
from left_intact.core.settings.formats.registry import may_merge
from left_intact.core.settings.merge import merge_settings

_BASELINE_LEAST = 0.5


@dataclass(frozen=True, slots=True, kw_only=True)
class PlanInputs:
    """Everything a plan is drawn from."""

    install: str
    survey: Survey
    arrival: Arrival
    baseline: Release | None = None
    sheet: Keepsheet = NO_SHEET
    answers: Mapping[str, str] = field(default_factory=lambda: MappingProxyType({}))
    facts: Circumstances = field(default_factory=Circumstances)
    read: ReadText = lambda path: None
    """Gives the bytes of a file of the install, for merging."""
    replace_at: float = 0.97
    retire_at: float = 0.99


@dataclass(slots=True)
class _Sketch:
    inputs: PlanInputs
    mine: dict[str, Finding]
    folders: Mapping[str, Folder]
    baseline: Release | None
    rows: dict[str, Row] = field(default_factory=dict)
    merges: dict[str, Merge] = field(default_factory=dict)
    choices: dict[str, str] = field(default_factory=dict)
    """What was chosen for a path in conflict, and the question it belongs to."""
    question_of: dict[str, Question] = field(default_factory=dict)
    warnings: list[Fault] = field(default_factory=list)
    blockers: list[Fault] = field(default_factory=list)

    @property
    def coming(self) -> Mapping[str, Entry]:
        return self.inputs.arrival.release.entries


def draw_up(inputs: PlanInputs) -> Plan:
    """The plan for its inputs. Questions without an answer leave their moves at `ask`."""
    mine = {f.path: f for f in inputs.survey.findings}
    sketch = _Sketch(inputs, mine, {f.path: f for f in inputs.survey.folders}, _usable_baseline(inputs, mine))
    if inputs.baseline is not None and sketch.baseline is None:
        says = (
            f"{inputs.baseline.name} is not what lies here: less than half of it is here, so it is left out"
        )
        sketch.warnings.append(Fault(code="baseline-mismatch", says=says))
    _look_up_all(sketch)
    questions = _ask(sketch)
    moves = _clear_of_obstacles(sketch, [m for path in sorted(sketch.rows) if (m := _move(sketch, path))])
    space = room_for(moves, inputs.facts)
    version_blockers, version_warnings = blockers.version_faults(
        inputs.survey.reading, inputs.arrival.release.reading
    )
    known = sketch.baseline.entries if sketch.baseline else None
    return Plan(
        install=inputs.install,
        roots=roots_of(inputs.survey, inputs.facts),
        from_version=inputs.survey.version_text,
        to_version=inputs.arrival.release.version_text,
        route=Route.IN_PLACE,
        routes=choose_routes(inputs.arrival),
        stages=(Carry(moves=tuple(m for m in moves if m.is_step), shipped=Shipped(arrival=0)),),
        kept=tuple(m for m in moves if not m.is_step),
        merges=MappingProxyType(sketch.merges),
        questions=tuple(questions),
        blockers=(
            *blockers.identity_faults(inputs.install, inputs.survey, inputs.arrival, known),
            *blockers.platform_faults(inputs.survey, inputs.arrival),
            *version_blockers,
            *sketch.blockers,
            *blockers.machine_faults(inputs.install, moves, space, inputs.facts),
        ),
        warnings=(*version_warnings, *sketch.warnings, *blockers.reading_warnings(inputs.survey.findings)),
        space=space,
        survey=inputs.survey,
        arrivals=(inputs.arrival,),
        baseline=sketch.baseline,
        inputs=MappingProxyType({"arrival_digest": inputs.arrival.digest}),
    )


def roots_of(survey: Survey, facts: Circumstances) -> tuple[Root, ...]:
    """The folders of an install, with their identities where those were looked at."""
    if facts.roots:
        return facts.roots
    others = (Root(label=label, place=place) for label, place in survey.roots)
    return (Root(label="", place=survey.root), *others)


def _usable_baseline(inputs: PlanInputs, mine: Mapping[str, Finding]) -> Release | None:
    """The baseline, unless it is plainly not the release that lies here."""
    base = inputs.baseline
    if base is None or not base.entries:
        return None
    present = sum(1 for path in base.entries if path in mine)
    return base if present >= _BASELINE_LEAST * len(base.entries) else None


def _look_up_all(sketch: _Sketch) -> None:
    base = sketch.baseline.entries if sketch.baseline else {}
    folders_in_the_way: list[str] = []
    for path in {*sketch.mine, *sketch.coming, *base}:
        finding, coming, shipped = sketch.mine.get(path), sketch.coming.get(path), base.get(path)
        if finding is None and path in sketch.folders:
            if coming is None or coming.kind is Kind.FOLDER:
                continue  # a folder of theirs that a release also has needs no move
            folders_in_the_way.append(path)
            continue
        place = situate(
            shipped, finding.entry if finding else None, coming, known=sketch.baseline is not None
        )
        mergeable = _mergeable(finding, coming)
        treatment = treatment_of(
            finding, mergeable=mergeable, replace=sketch.inputs.replace_at, retire=sketch.inputs.retire_at
        )
        if finding is not None and (finding.entry.kind is Kind.FOLDER or is_apart(path)):
            treatment = (
                Treatment.THEIRS
            )  # of what lies apart from the program nothing is ever replaced or retired
        row = look_up(*place, treatment)
        if row.verb is Verb.MERGE and finding is not None:
            row = _merged(sketch, path, row, shipped)
        if row.verb is not None:
            sketch.rows[path] = row
        if place[1] is Mine.FAULT and coming is not None:
            says = f"{path} cannot be read, so it cannot be replaced safely"
            sketch.blockers.append(
                Fault(code="unreadable", says=says, way_out="Give yourself the right to read it.")
            )
    _files_over_folders(sketch, folders_in_the_way)


def _files_over_folders(sketch: _Sketch, paths: list[str]) -> None:
    """A file may come where a folder lies if all in that folder is set aside; else it is in the way."""
    for path in paths:
        inside = [p for p in sketch.mine if p.startswith(path + "/")]
        if all(p in sketch.rows and sketch.rows[p].verb is Verb.RETIRE for p in inside):
            sketch.rows[path] = look_up(Base.ABSENT, Mine.ABSENT, Coming.OTHER, Treatment.OPEN)
            continue
        says = (
            f"{path} is a folder here and a file in "
            f"{sketch.inputs.arrival.release.version_text or 'the arrival'}"
        )
        sketch.blockers.append(Fault(code="in-the-way", says=says, way_out=f"Move {path} elsewhere first."))


def _mergeable(finding: Finding | None, coming: Entry | None) -> bool:
    if (
        finding is None
        or coming is None
        or finding.entry.kind is not Kind.FILE
        or coming.kind is not Kind.FILE
    ):
        return False
    return may_merge(finding.entry.format, coming.format)


def _merged(sketch: _Sketch, path: str, row: Row, shipped: Entry | None) -> Row:
    """Merge a file, or keep it whole where that does not work."""
    yours = sketch.inputs.read(path)
    arriving = sketch.inputs.arrival.release.texts.get(path)
    base = sketch.baseline.texts.get(path) if sketch.baseline and shipped else None
    entry = sketch.mine[path].entry
    if yours is None or blake3(yours).hexdigest() != entry.digest or arriving is None:
        merge = Merge(lines=(), content=b"", trouble="it could not be read in full")
    else:
        merge = merge_settings(
            base, yours, arriving, file_format=entry.format, renames=sketch.inputs.sheet.renames_in(path)
        )
    if merge.trouble:
        says = f"{path} could not be merged ({merge.trouble}): yours stays as it is"
        sketch.warnings.append(Fault(code="not-merged", says=says))
        return replace(row, verb=Verb.KEEP, because=f"yours; it could not be merged: {merge.trouble}")
    if merge.content == yours and not any(line.decided == "conflict" for line in merge.lines):
        return replace(
            row, verb=Verb.KEEP, because="nothing to merge: all that {new} brings is there already"
        )
    sketch.merges[path] = merge
    return row


def _ask(sketch: _Sketch) -> list[Question]:
    new = sketch.inputs.arrival.release.version_text or "the arrival"
    answers = sketch.inputs.answers
    conflicts = [Conflict(path=p, ask=r.ask) for p, r in sorted(sketch.rows.items()) if r.ask is not None]
    questions = file_questions(conflicts, new, answers)
    for question in questions:
        for path in question.paths:
            sketch.question_of[path] = question
    keys, chosen = key_questions(dict(sorted(sketch.merges.items())), answers, questions)
    for path, by_key in chosen.items():
        sketch.merges[path] = _merge_again(sketch, path, by_key)
    for question in keys:
        for path in question.paths:
            sketch.question_of.setdefault(path, question)
    return [*questions, *keys]


def _merge_again(sketch: _Sketch, path: str, by_key: Mapping[str, str]) -> Merge:
    yours = sketch.inputs.read(path)
    base = sketch.baseline.texts.get(path) if sketch.baseline else None
    assert yours is not None
    return merge_settings(
        base,
        yours,
        sketch.inputs.arrival.release.texts[path],
        file_format=sketch.mine[path].entry.format,
        answers=by_key,
        renames=sketch.inputs.sheet.renames_in(path),
    )


def _move(sketch: _Sketch, path: str) -> Move | None:
    row, finding, coming = sketch.rows[path], sketch.mine.get(path), sketch.coming.get(path)
    before = finding.entry if finding else None
    verb, because, question = _settled(sketch, path, row)
    file_class = finding.file_class if finding else FileClass.PROGRAM
    if before is None and (folder := sketch.folders.get(path)) is not None and verb is Verb.ADD:
        before = Entry(path=path, kind=Kind.FOLDER, mode=folder.mode, mtime_ns=folder.mtime_ns)
    after = before
    if verb in (Verb.ADD, Verb.REPLACE):
        assert coming is not None
        after = _laid(coming, before if before is None or before.kind is Kind.FILE else None)
    elif verb is Verb.RETIRE:
        after = None
    elif verb is Verb.MERGE:
        assert before is not None
        content = sketch.merges[path].content
        asked = sketch.question_of.get(path)
        if asked is not None and asked.answer is not None and blake3(content).hexdigest() == before.digest:
            verb, because = Verb.KEEP, because + "; you chose to keep all of yours"
        after = replace(before, bytes=len(content), digest=blake3(content).hexdigest(), stamp=(0, 0, 0))
    size = after.bytes if after else before.bytes if before else coming.bytes if coming else 0
    said = because.format(
        old=sketch.inputs.survey.version_text or "the release before",
        new=sketch.inputs.arrival.release.version_text or "the arrival",
    )
    return Move(
        at=_at(sketch, path),
        verb=verb,
        file_class=file_class,
        because=said,
        bytes=size,
        before=before,
        after=after,
        source=_source(sketch, path, verb, after),
        question=question,
    )


def _at(sketch: _Sketch, path: str) -> At:
    return at_of(path, [label for label, _ in sketch.inputs.survey.roots])


def _source(sketch: _Sketch, path: str, verb: Verb, after: Entry | None) -> Source | None:
    """Where the bytes of what is laid come from."""
    if after is None or verb not in (Verb.ADD, Verb.REPLACE, Verb.MERGE):
        return None
    if verb is Verb.MERGE:
        merge = sketch.merges[path]
        return Made(after.digest, merge.content, merge.lines)
    wrapper = sketch.inputs.arrival.root
    return FromArrival(0, f"{wrapper}/{path}" if wrapper else path)


def _settled(sketch: _Sketch, path: str, row: Row) -> tuple[Verb, str, str]:
    """(verb, reason, question id) of a row once its question is answered."""
    assert row.verb is not None
    question = sketch.question_of.get(path)
    if question is None:
        return row.verb, row.because, ""
    if row.ask is None or question.answer is None:
        return row.verb, row.because, question.id
    said = row.because + "; you chose: " + question.leads_to[question.options.index(question.answer)]
    if row.ask is Ask.DELETED_CHANGED:
        return (Verb.ADD if question.answer == "lay" else Verb.DROP), said, question.id
    return (Verb.REPLACE if question.answer == "arriving" else Verb.KEEP), said, question.id


def _laid(coming: Entry, before: Entry | None) -> Entry:
    """The arriving entry as it will lie; where the archive knows no mode, the old one stays."""
    kept = before.mode if before is not None and before.kind is Kind.FILE else None
    mode = coming.mode
    if mode is None:
        mode = kept if kept is not None else 0o644
    elif kept is not None:
        mode |= kept & 0o111
    return replace(coming, mode=mode | 0o600 if coming.kind is Kind.FILE else mode)


def _clear_of_obstacles(sketch: _Sketch, moves: list[Move]) -> list[Move]:
    """Nothing is laid through a link or a file of theirs, nor under a second spelling of a name."""
    solid = {
        m.path: m
        for m in moves
        if m.before is not None and m.before.kind is not Kind.FOLDER and m.verb is not Verb.RETIRE
    }
    spelled = {m.path.casefold(): m.path for m in moves if m.before is not None}
    result = []
    for move in moves:
        if move.verb is not Verb.ADD:
            result.append(move)
            continue
        obstacle = _obstacle(move.path, solid)
        if obstacle is not None and obstacle.before is not None and obstacle.before.kind is Kind.LINK:
            because = f"{obstacle.path} is a link of yours; nothing is laid behind it"
            result.append(replace(move, verb=Verb.DROP, because=because, after=None))
            continue
        if obstacle is not None:
            says = f"{obstacle.path} is a file here and a folder in the arrival"
            sketch.blockers.append(
                Fault(code="in-the-way", says=says, way_out=f"Move {obstacle.path} elsewhere first.")
            )
        twin = spelled.get(move.path.casefold(), move.path)
        if sketch.inputs.facts.folds_case and twin != move.path:
            says = f"{move.path} and {twin} are one name on this file system"
            sketch.blockers.append(Fault(code="names", says=says, way_out=f"Rename {twin} first."))
        result.append(move)
    return result


def _obstacle(path: str, solid: Mapping[str, Move]) -> Move | None:
    at = path.find("/")
    while at > 0:
        if path[:at] in solid:
            return solid[path[:at]]
        at = path.find("/", at + 1)
    return None
