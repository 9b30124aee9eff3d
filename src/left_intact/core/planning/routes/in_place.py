"""In place: a whole release is laid over the install, and what it no longer ships is set aside."""

from __future__ import annotations

import unicodedata
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field, replace
from functools import lru_cache, partial

from left_intact.core.files.headers import is_binary_program, is_code
from left_intact.core.files.names import link_stays_inside, parents
from left_intact.core.model.classes import MAY_BE_THE_PROGRAMS, FileClass
from left_intact.core.model.entry import Entry, Finding, Folder, Kind
from left_intact.core.model.errors import Fault
from left_intact.core.model.findings import SortedPages
from left_intact.core.model.pages import pages_in
from left_intact.core.model.place import At
from left_intact.core.model.plan import Merge, Move, Question, Route, RouteChoice, Verb
from left_intact.core.model.proof import may_stay_old
from left_intact.core.model.release import Release
from left_intact.core.model.stages import ChangeSet, LayerKind, Shipped, Source
from left_intact.core.model.unchanged import Unchanged
from left_intact.core.planning import blockers
from left_intact.core.planning.counterparts import are_loose, brings_more
from left_intact.core.planning.donors import donor_faults
from left_intact.core.planning.flavours import flavour_question
from left_intact.core.planning.inputs import Drawing, PlanInputs, RoutePlanner
from left_intact.core.planning.laid import laid, member_of
from left_intact.core.planning.may_be_theirs import may_be_theirs
from left_intact.core.planning.merging import made, merged_over, settle_keys
from left_intact.core.planning.nature import Nature
from left_intact.core.planning.questions import Conflict, file_questions
from left_intact.core.planning.sketch import Sketch
from left_intact.core.planning.table import TABLE, Ask, Base, Coming, Mine, Row, Treatment, look_up
from left_intact.core.planning.three_way import Joined, Policy, join
from left_intact.core.settings.document import Key

_BASELINE_LEAST = 0.5
"""Of a baseline at least this share must lie here, else it is not what the install came from."""
_MOST = 0.6
"""Of what comes so much must lie here under the same paths to be evidence."""
_FEW = 5
"""Of fewer files only all of them tell anything."""
_PATCH = 0.5
"""What lacks more of the program than this, and is smaller than that, is no release."""
PATCH = "patch"
"""The question whether what comes is one."""
_WHOLE, _OVER, _UNUSED = 0.8, 0.7, 0.75
"""How much speaks for the route."""
_BRINGS = (Verb.ADD, Verb.REPLACE, Verb.MERGE, Verb.ASK)
_BY_DIGEST = 9
"""The weight of evidence that a digest gives."""


class InPlace(RoutePlanner):
    """The route."""

    name = Route.IN_PLACE
    lays_a_build = keeps_ids = True

    def fits(self, inputs: PlanInputs) -> RouteChoice:
        if inputs.arrival.shape == "file":
            return RouteChoice(name=self.name, fits=False, because="a single file is no whole release")
        if not inputs.arrival.release.entries:
            return RouteChoice(name=self.name, fits=False, because="there is nothing in what came")
        if inputs.updates is not None:
            because = "what came are updates that are laid one after the other"
            return RouteChoice(name=self.name, fits=False, because=because)
        if inputs.sheet.clear is not None:
            return RouteChoice(name=self.name, fits=False, because=inputs.sheet.clear.because)
        if are_loose(inputs.parts) and not brings_more(inputs.parts, inputs.arrival.release.entries):
            because = "what came are parts of it, none where it belongs"
            return RouteChoice(name=self.name, fits=False, because=because)
        if inputs.donor is not None and inputs.donor.is_sure:
            because = "it is a tree of somebody's, with saves and settings of theirs"
            return RouteChoice(name=self.name, fits=False, because=because)
        if inputs.donor is not None and inputs.donor.is_somebodys:
            because = "a whole release, if nobody used what came"
            return RouteChoice(name=self.name, fits=True, because=because, weight=_UNUSED)
        if inputs.nature.is_over:
            because = f"it has {_how_much(inputs.nature)} of the program: laid over it, all else stays"
            return RouteChoice(name=self.name, fits=True, because=because, weight=_OVER)
        because = "a whole release, laid over the install"
        if inputs.nature.is_unsure:
            because = "it covers most of the program and brings other code: a release, or a mod over it"
        return RouteChoice(name=self.name, fits=True, because=because, weight=_WHOLE)

    def blockers(self, inputs: PlanInputs, known: Release | None) -> tuple[Fault, ...]:
        survey, arrival, nature = inputs.survey, inputs.arrival, inputs.nature
        faults = [*donor_faults(inputs), *blockers.platform_faults(survey, arrival)]
        if not nature.is_over:
            faults = [*blockers.identity_faults(inputs.install, survey, arrival, known), *faults]
        if nature.raises_version:
            faults += blockers.version_faults(survey.reading, arrival.release.reading)[0]
        return tuple(faults)

    def draw(self, inputs: PlanInputs) -> Drawing:
        nature = inputs.nature
        base = _usable_baseline(inputs)
        likely = nature.raises_version and _lies_here(inputs, base)
        policy = Policy(replace_at=inputs.replace_at, retire_at=inputs.retire_at, likely=likely)
        joined = join(inputs.survey, inputs.arrival.release, base, policy)
        sketch = _Sketch(
            inputs=inputs,
            baseline=base,
            joined=joined,
            folders={f.path: f for f in inputs.survey.folders if not f.root},
            rows=joined.rows,
        )
        if nature.raises_version:
            versions = inputs.survey.reading, inputs.arrival.release.reading
            sketch.warnings += blockers.version_faults(*versions)[1]
        if nature.is_over:
            _lay_over(sketch, nature)
        if inputs.baseline is not None and base is None:
            says = (
                f"{inputs.baseline.name} is not what lies here: less than half of it is here, so it "
                "is left out"
            )
            sketch.warn("baseline-mismatch", says)
        for path in joined.unreadable:
            says = f"{path} cannot be read, so it cannot be replaced safely"
            way = "Give yourself the right to read it."
            sketch.block("unreadable", says, way)
        _keep_what_may_be_theirs(sketch)
        patch = _patch_question(sketch)
        raises = nature.raises_version or (nature.is_unsure and not sketch.is_patch)
        flavour = _flavour_question(sketch)
        _merge_all(sketch)
        _files_over_folders(sketch)
        sketch.questions += [*filter(None, (patch, flavour)), *_ask(sketch)]
        moves = [m for path in sorted(sketch.rows) if (m := _move(sketch, path))]
        moves = sorted(_clear_of_obstacles(sketch, moves), key=lambda m: m.at)
        sketch.warnings += _not_whole(sketch, moves)
        steps = tuple(m for m in moves if m.is_step)
        return sketch.drawing(
            ChangeSet(moves=steps, shipped=_shipped(sketch, raises=raises)),
            kept=_kept(sketch, [m for m in moves if not m.is_step]),
            baseline=base,
            to_version=None if raises else inputs.survey.version_text,
            comes=_laid_over(sketch),
            let_go=tuple(At("", path) for path in sketch.laid_before),
        )


def _shipped(sketch: _Sketch, *, raises: bool) -> Shipped:
    """What is on record afterwards."""
    if not sketch.is_patch:
        return Shipped(arrival=0)
    kept = {sketch.inputs.nature.version_file} - {""}  # something else's own version is not laid
    paths = tuple(path for path in sketch.coming if path not in kept) if kept else ()
    kind = LayerKind.PATCH if raises else LayerKind.MOD
    return Shipped(arrival=0, over=True, paths=paths, kind=kind, raises=raises)


def _laid_over(sketch: _Sketch) -> dict[str, str]:
    """By path: the digest of each file that is laid over a release. Of extras not those for which the person
    keeps their own.
    """
    if not sketch.is_patch:
        return {}
    mine, nature = set[str](), sketch.inputs.nature
    if not nature.raises_version:
        mine = {at.path for q in sketch.questions if q.choice == "yours" for at in q.paths}
        mine.add(nature.version_file)
    return {p: entry.digest for p, entry in sketch.coming.items() if entry.digest and p not in mine}


def _how_much(nature: Nature) -> str:
    return f"{nature.carried:.0%} of the code" if nature.carried else "nothing"


def _lay_over(sketch: _Sketch, nature: Nature) -> None:
    """Something that is no build of the program: nothing goes for it, and the file that says the program's
    version stays what it is.
    """
    _as_a_patch(sketch)
    here = sketch.inputs.survey.version_text
    says = f"{sketch.new} has {_how_much(nature)} of {sketch.inputs.install}: it is laid over what lies here"
    says += f", which stays {here}" if here and not nature.raises_version else ""
    sketch.warn("laid-over", says)
    for path, asked in sketch.rows.items():
        if asked.ask is not None and _was_laid_before(sketch, path):
            because = "as it was laid over before; {new} has another one"
            sketch.rows[path] = replace(asked, verb=Verb.REPLACE, ask=None, because=because)
            sketch.laid_before.append(path)
    row = sketch.rows.get(nature.version_file)
    if row is not None and row.verb in _BRINGS:
        because = f"{sketch.inputs.install}'s own version; the one that came is of {{new}}"
        sketch.rows[nature.version_file] = replace(row, verb=Verb.KEEP, ask=None, because=because)


def _was_laid_before(sketch: _Sketch, path: str) -> bool:
    """Whether just what lies at a path was laid by a mod on record, and nobody changed it since."""
    ground, mine = sketch.inputs.ground, sketch.mine(path)
    known = ground.entries.get(path) if ground is not None else None
    return known is not None and mine is not None and path in sketch.coming and known.same_content(mine.entry)


@dataclass(slots=True, kw_only=True)
class _Sketch(Sketch):
    baseline: Release | None
    joined: Joined
    folders: Mapping[str, Folder]
    rows: dict[str, Row]
    laid_before: list[str] = field(default_factory=list)
    """What a mod before laid, and another one replaces."""
    is_patch: bool = False
    """Whether what comes is laid over the release on record, and nothing is retired for it."""
    not_merged: dict[str, str] = field(default_factory=dict)
    """Why, by path."""
    question_of: dict[str, Question] = field(default_factory=dict)

    @property
    def coming(self) -> Mapping[str, Entry]:
        return self.inputs.arrival.release.entries

    def mine(self, path: str) -> Finding | None:
        return self.inputs.survey.findings.find(At("", path))

    @property
    def new(self) -> str:
        release = self.inputs.arrival.release
        if not self.inputs.nature.raises_version:
            return self.inputs.arrival.called
        return release.version_text or "the arrival"


def _kept(sketch: _Sketch, rest: list[Move]) -> Unchanged:
    """What stays: in columns, each with the reason of its row, and the moves that turned out to change
    nothing.
    """
    because = [""] * (max(row.number for row in TABLE) + 1)
    for row in TABLE:
        because[row.number] = _worded(sketch, row.because)
    return Unchanged(sketch.joined.kept, because, rest)


def _worded(sketch: _Sketch, because: str) -> str:
    old = sketch.inputs.survey.version_text or "the release before"
    return because.format(old=old, new=sketch.new)


def _usable_baseline(inputs: PlanInputs) -> Release | None:
    """The baseline, unless it is plainly not the release that lies here."""
    base = inputs.baseline
    if base is None or not base.entries:
        return None
    present = blockers.counterparts(pages_in(base.entries), inputs.survey)
    return base if present >= _BASELINE_LEAST * len(base.entries) else None


def _lies_here(inputs: PlanInputs, base: Release | None) -> bool:
    """Whether, where no baseline speaks, most of what comes lies here under the same paths."""
    coming = inputs.arrival.release.entries
    if base is not None or not coming:
        return False
    here = blockers.counterparts(pages_in(coming), inputs.survey)
    return here >= (_MOST if len(coming) >= _FEW else 1) * len(coming)


def _patch_question(sketch: _Sketch) -> Question | None:
    """What is asked where most of the program lacks in what comes; until it is answered, nothing is retired.

    A release that lost most of its files is rare, an archive with two mended files is not.
    """
    here, missing = _programs_files(sketch)
    coming = sum(1 for entry in sketch.coming.values() if entry.kind is Kind.FILE)
    if sketch.inputs.over:
        _as_a_patch(sketch)
        return None
    alone = sketch.inputs.arrival.shape == "file"  # refused on this route, whatever it is
    lacks_most = here >= _FEW and missing > here * _PATCH and coming < here * _PATCH
    if alone or sketch.is_patch or not (lacks_most or sketch.inputs.nature.is_unsure):
        return None
    if not any(row.verb in _BRINGS for row in sketch.rows.values()):
        _as_a_patch(sketch)  # all of it lies here already: there is nothing to ask
        return None
    answer = sketch.inputs.answers.get(PATCH)
    options = ("patch", "release")
    question = Question(
        id=PATCH,
        asks=f"{sketch.new} has {here - missing} of the {here} program files here: is it a patch for them?",
        options=options,
        leads_to=(
            "a patch: only what came is laid, the rest of the program stays",
            f"a whole release: the {missing} files that it lacks are set aside",
        ),
        default="patch",
        answer=answer if answer in options else None,
        note=f"{missing} of the program's files are not in it",
    )
    if question.choice == "patch":
        _as_a_patch(sketch)
        if blockers.counterparts(pages_in(sketch.coming), sketch.inputs.survey) < coming * _PATCH:
            says = (
                f"{sketch.new} is neither a whole release nor a patch: most of it has nothing to replace here"
            )
            way = "Check what came, or pass it with --allow not-a-release."
            sketch.block("not-a-release", says, way, passable=True)
    return question


def _keep_what_may_be_theirs(sketch: _Sketch) -> None:
    """What was to be laid by default on likelihood, and may be the person's after all, is asked about with
    theirs as the default: what reads as settings, a database, what was written to since the build.
    """
    for path, row in sketch.rows.items():
        if row.ask is not Ask.UNPROVEN:
            continue
        finding = sketch.mine(path)
        if finding is not None and may_be_theirs(finding, sketch.inputs.read):
            because = "it may be yours; {new} ships another"
            sketch.rows[path] = replace(row, ask=Ask.IN_THE_WAY, because=because)


def _kind_and_size(finding: Finding | None) -> tuple[str, int]:
    if finding is None:
        return "", 0
    return "code" if is_code(finding.entry.format) else "resources", finding.entry.bytes


def _flavour_question(sketch: _Sketch) -> Question | None:
    """What is asked where what comes is another, fuller flavour than the one that lies here."""
    pages = sketch.inputs.survey.findings.pages
    code = sum(1 for page in pages for file_format in page.formats if is_binary_program(file_format))
    answers = sketch.inputs.answers
    return flavour_question(sketch.rows, sketch.mine, code, sketch.coming, answers, sketch.new)


def _as_a_patch(sketch: _Sketch) -> None:
    sketch.is_patch = True
    for path, row in sketch.rows.items():
        if row.verb is Verb.RETIRE:
            sketch.rows[path] = replace(row, verb=Verb.KEEP, because="{new} is laid as a patch: it stays")


def _programs_files(sketch: _Sketch) -> tuple[int, int]:
    """(how many files of the program lie here, how many of them are not in what comes)."""
    findings = sketch.inputs.survey.findings
    assert isinstance(findings, SortedPages)
    program = {n for n, v in enumerate(findings.table) if v.file_class is FileClass.PROGRAM}
    coming = blockers.names_by_folder(pages_in(sketch.coming))
    here = missing = 0
    for page, verdicts in zip(findings.pages, findings.verdicts, strict=True):
        if page.root:
            continue
        mine = [name for name, verdict in zip(page.names, verdicts, strict=True) if verdict in program]
        here += len(mine)
        missing += len(set(mine) - coming.get(page.folder, frozenset()))
    return here, missing


def _not_whole(sketch: _Sketch, moves: list[Move]) -> list[Fault]:
    """A warning where more than a few of the program's own files stay as they are, though others come."""
    old = [m.at.path for m in moves if _stays_old(sketch, m)]
    if len(old) <= may_stay_old(len(sketch.coming)):
        return []
    says = f"this update is not whole: {len(old)} files that {sketch.new} ships stay as they are, as {old[0]}"
    return [Fault(code="not-whole", says=says, way_out="Answer the questions about them otherwise.")]


def _stays_old(sketch: _Sketch, move: Move) -> bool:
    stays = move.verb in (Verb.KEEP, Verb.ASK) and move.file_class in MAY_BE_THE_PROGRAMS
    if not stays or move.before is None:
        return False
    question = sketch.question_of.get(move.at.path)
    if question is not None and question.choice == "arriving":
        return False  # unless somebody chooses otherwise, the other one is laid
    coming = sketch.coming.get(move.at.path)
    return coming is not None and not move.before.same_content(coming)


def _merge_all(sketch: _Sketch) -> None:
    for path, row in sketch.rows.items():
        if row.verb is Verb.MERGE:
            sketch.rows[path] = _merged(sketch, path, row)


def _files_over_folders(sketch: _Sketch) -> None:
    """A file may come where a folder lies if all in that folder is set aside; else it is in the way."""
    for path in sketch.joined.in_the_way:
        pages = sketch.inputs.survey.findings.pages
        below = [p for p in pages if At("", path).holds(p.at)]
        inside = [e.path for page in below for e in page.entries()]
        if all(p in sketch.rows and sketch.rows[p].verb is Verb.RETIRE for p in inside):
            sketch.rows[path] = look_up(Base.ABSENT, Mine.ABSENT, Coming.OTHER, Treatment.OPEN)
            continue
        says = f"{path} is a folder here and a file in {sketch.new}"
        sketch.block("in-the-way", says, f"Move {path} elsewhere first.")


def _merge(sketch: _Sketch, path: str, by_key: Mapping[Key, str]) -> Merge:
    finding = sketch.mine(path)
    assert finding is not None
    return sketch.inputs.merge(
        At("", path),
        finding.entry,
        base=sketch.baseline.texts.get(path) if sketch.baseline else None,
        arriving=sketch.inputs.arrival.release.texts.get(path),
        answers=by_key,
    )


def _merged(sketch: _Sketch, path: str, row: Row) -> Row:
    """Merge a file, or keep it whole where that does not work."""
    merge, finding = _merge(sketch, path, {}), sketch.mine(path)
    if merge.trouble:
        sketch.not_merged[path] = merge.trouble
        because = f"yours; it could not be merged: {_plain(merge.trouble)}"
        return replace(row, verb=Verb.ASK, ask=Ask.NOT_MERGED, because=because)
    assert finding is not None
    if not merge.has_conflict and merged_over(finding.entry, merge).digest == finding.entry.digest:
        return replace(
            row, verb=Verb.KEEP, because="nothing to merge: all that {new} brings is there already"
        )
    sketch.merges[path] = merge
    return row


def _ask(sketch: _Sketch) -> list[Question]:
    answers = sketch.inputs.answers
    conflicts = [
        Conflict(path=p, ask=r.ask, note=sketch.not_merged.get(p, ""), kind=kind, bytes=size)
        for p, r in sorted(sketch.rows.items())
        if r.ask is not None
        for kind, size in (_kind_and_size(sketch.mine(p)),)
    ]
    questions = file_questions(conflicts, sketch.new, answers)
    for question in questions:
        for at in question.paths:
            sketch.question_of[at.path] = question
    keys = settle_keys(sketch.merges, answers, questions, partial(_merge, sketch))
    for question in keys:
        for at in question.paths:
            sketch.question_of.setdefault(at.path, question)
    return [*questions, *keys]


def _plain(words: str) -> str:
    """Words of others, in a reason that is yet to be filled in."""
    return words.replace("{", "{{").replace("}", "}}")


def _move(sketch: _Sketch, path: str) -> Move | None:
    row, finding, coming = sketch.rows[path], sketch.mine(path), sketch.coming.get(path)
    before = finding.entry if finding else None
    verb, because, question = _settled(sketch, path, row)
    file_class = finding.file_class if finding else FileClass.PROGRAM
    if before is None and (folder := sketch.folders.get(path)) is not None and verb is Verb.ADD:
        before = Entry(path=path, kind=Kind.FOLDER, mode=folder.mode, mtime_ns=folder.mtime_ns)
    after = before
    if verb in (Verb.ADD, Verb.REPLACE):
        assert coming is not None
        after = laid(coming, before if before is None or before.kind is Kind.FILE else None)
    elif verb is Verb.RETIRE:
        after = None
    elif verb is Verb.MERGE:
        assert before is not None
        after = merged_over(before, sketch.merges[path])
        asked = sketch.question_of.get(path)
        if asked is not None and asked.answer is not None and after.same_content(before):
            verb, because = Verb.KEEP, because + "; you chose to keep all of yours"
    size = after.bytes if after else before.bytes if before else coming.bytes if coming else 0
    displaced = finding if verb in (Verb.REPLACE, Verb.RETIRE) else None
    return Move(
        at=At("", path),
        verb=verb,
        unproven=displaced is not None and not _is_as_shipped(sketch, displaced),
        file_class=file_class,
        because=_worded(sketch, because),
        bytes=size,
        before=before,
        after=after,
        source=_source(sketch, path, verb),
        question=question,
    )


def _is_as_shipped(sketch: _Sketch, finding: Finding) -> bool:
    """Whether a digest proves that a release shipped it: the baseline's, or one of a list that came along."""
    entry = finding.entry
    base = sketch.baseline.entries.get(entry.path) if sketch.baseline else None
    if entry.kind is not Kind.FILE or (base is not None and base.same_content(entry)):
        return True
    return any(
        e.source in ("baseline", "list") and e.speaks_for is FileClass.PROGRAM and e.weight >= _BY_DIGEST
        for e in finding.why
    )


def _source(sketch: _Sketch, path: str, verb: Verb) -> Source | None:
    """Where the bytes of what is laid come from."""
    if verb is Verb.MERGE:
        return made(sketch.merges[path])
    return member_of(sketch.inputs.arrival, path) if verb in (Verb.ADD, Verb.REPLACE) else None


def _settled(sketch: _Sketch, path: str, row: Row) -> tuple[Verb, str, str]:
    """(verb, reason, question id) of a row once its question is answered."""
    assert row.verb is not None
    question = sketch.question_of.get(path)
    if question is None:
        return row.verb, row.because, ""
    if row.ask is None:
        return row.verb, row.because, question.id
    # What nobody has answered yet goes as its default says: totals and room follow the answers as they stand.
    who = "by default" if question.answer is None else "you chose"
    leads = _plain(question.leads_to[question.options.index(question.choice)])
    said = f"{row.because}; {who}: {leads}"
    if row.ask is Ask.DELETED_CHANGED:
        return (Verb.ADD if question.choice == "lay" else Verb.DROP), said, question.id
    return (Verb.REPLACE if question.choice == "arriving" else Verb.KEEP), said, question.id


def _clear_of_obstacles(sketch: _Sketch, moves: list[Move]) -> list[Move]:
    """Nothing is laid through a link or a file of theirs, nor under a second spelling of a name."""
    going = frozenset(m.at.path for m in moves if m.verb is Verb.RETIRE)
    solid = lru_cache(maxsize=None)(lambda folder: _solid(sketch, folder, going))
    folds = sketch.inputs.circumstances.folds_case
    spelled = {_bare(p, folds): p for p in _paths_of_mine(sketch) if folds or not p.isascii()}
    links = _links_then(sketch, moves)
    result = []
    for move in moves:
        if (
            move.at.path in links
            and move.changes_disk
            and not link_stays_inside(move.at.path, links[move.at.path], links)
        ):
            says = f"it would lead out of the install, to {links[move.at.path]}, by way of a link of yours"
            result.append(replace(move, verb=Verb.DROP, because=says, after=move.before))
            continue
        if move.verb is not Verb.ADD:
            result.append(move)
            continue
        obstacle = solid(move.at.path.rpartition("/")[0])
        if obstacle is not None and obstacle.kind is Kind.LINK:
            because = f"{obstacle.path} is a link of yours; nothing is laid behind it"
            result.append(replace(move, verb=Verb.DROP, because=because, after=None))
            continue
        if obstacle is not None:
            says = f"{obstacle.path} is a file here and a folder in the arrival"
            way = f"Move {obstacle.path} elsewhere first."
            sketch.block("in-the-way", says, way)
        twin = spelled.get(_bare(move.at.path, folds), move.at.path)
        if twin != move.at.path:
            says = f"{move.at.path} and {twin} are one name on this file system"
            if _bare(move.at.path, False) == _bare(twin, False):
                says = f"{move.at.path} is there already, spelled in the other of the two forms of Unicode"
            sketch.block("names", says, f"Rename {twin} first.")
        result.append(move)
    return result


def _links_then(sketch: _Sketch, moves: list[Move]) -> dict[str, str]:
    """The links that lie there once all is carried out, with where they lead."""
    pages = sketch.inputs.survey.findings.pages
    mine = (page.entry(at) for page in pages if not page.root for at in page.said)
    links = {entry.path: entry.link for entry in mine if entry.kind is Kind.LINK}
    for move in moves:
        if move.changes_disk:
            links.pop(move.at.path, None)
            if move.after is not None and move.after.kind is Kind.LINK:
                links[move.at.path] = move.after.link
    return links


def _bare(path: str, folds: bool) -> str:
    """A path as it is seen where neither the two forms of a letter nor, with `folds`, case are told apart."""
    path = path if path.isascii() else unicodedata.normalize("NFC", path)
    return path.casefold() if folds else path


def _solid(sketch: _Sketch, folder: str, going: frozenset[str]) -> Entry | None:
    """What is no folder at a path or above it, the outermost, and stays there."""
    for path in [*parents(folder), folder] if folder else ():
        finding = sketch.mine(path)
        if finding is not None and finding.entry.kind is not Kind.FOLDER and path not in going:
            return finding.entry
    return None


def _paths_of_mine(sketch: _Sketch) -> Iterator[str]:
    for page in sketch.inputs.survey.findings.pages:
        if not page.root:
            yield from (page.path(at) for at in range(len(page.names)))
    yield from sketch.folders
