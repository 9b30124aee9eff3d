"""Clear and restore: the old one must be removed before the new one can be laid, and its data goes with it.

What is the person's is copied into the strongbox first, and each copy read back. Then come steps that only
the person can do, in an order that matters, each with a sign by which it is seen. What was saved is put back
once the new one has made its folders; that stage is drawn when its turn comes.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace
from types import MappingProxyType
from typing import Any

from left_intact.core.files.headers import is_code
from left_intact.core.model.around import ClearRule, When
from left_intact.core.model.classes import FileClass
from left_intact.core.model.effects import HoldSet, ShelfEffect
from left_intact.core.model.entry import Entry, Finding, Kind
from left_intact.core.model.errors import Fault
from left_intact.core.model.facts import Cleared
from left_intact.core.model.findings import SortedPages
from left_intact.core.model.place import LOOKED_AT, At, Root
from left_intact.core.model.plan import Move, Question, Route, RouteChoice, Verb
from left_intact.core.model.release import Release
from left_intact.core.model.stages import (
    IN_USE,
    SAVED_FIRST,
    ChangeSet,
    Consent,
    DeferredStage,
    ManualCheck,
    ManualStep,
    Sign,
    Stage,
    save_question,
)
from left_intact.core.model.survey import Total
from left_intact.core.model.telling import LaneRule, Stroke, Telling
from left_intact.core.model.unchanged import unchanged_of
from left_intact.core.model.version import Version
from left_intact.core.planning import blockers
from left_intact.core.planning.around import steps_when
from left_intact.core.planning.deferred import DeferredPlanner
from left_intact.core.planning.inputs import Drawing, PlanInputs, RoutePlanner
from left_intact.core.planning.restoring import NEWER, draw_restoring, draw_what_lacks
from left_intact.core.planning.restoring import PLANNER as RESTORE
from left_intact.core.planning.saving import PLANNER as SAVE
from left_intact.core.planning.saving import draw_saving
from left_intact.words import count, size

_ORDER = (
    FileClass.SAVES,
    FileClass.STATES,
    FileClass.SETTINGS,
    FileClass.EXTRAS,
    FileClass.CONTENT,
    FileClass.UNSORTED,
    FileClass.CACHE,
)
_WORDS = {
    FileClass.EXTRAS: "extras",
    FileClass.UNSORTED: "what is not sorted",
    FileClass.CACHE: "caches that were built up",
}
_GOES = "These go when you remove the old one, and no copy is made of them."
GHOST, CHECK = f"{LOOKED_AT}ghost", f"{LOOKED_AT}copy"
"""Labels of the folder that a ghost may lie in, and of the copy that is held against what was put back."""


class ClearAndRestore(RoutePlanner):
    """The route."""

    name = Route.CLEAR_AND_RESTORE
    telling = Telling(
        lanes=(
            LaneRule(
                name="saved",
                stroke=Stroke.CARRIED,
                saved=True,
                says="saved, then put back",
                means="Yours. Each is copied into the strongbox and read back before anything is removed, "
                "and put back once the new one has made its folders.",
            ),
            LaneRule(
                name="removed",
                stroke=Stroke.BEHIND,
                classes=frozenset({FileClass.PROGRAM}),
                says="removed, laid anew",
                means=_GOES,
                together=True,
                goes=True,
            ),
            LaneRule(name="not saved", stroke=Stroke.BEHIND, says="not saved: gone", means=_GOES, goes=True),
        ),
        safe="saved first",
        then="{steps} by hand, then put back",
        back="Going back is one key and such steps again",
    )
    later: Mapping[str, DeferredPlanner] = MappingProxyType(
        {RESTORE: draw_restoring, NEWER: draw_what_lacks, SAVE: draw_saving}
    )

    def fits(self, inputs: PlanInputs) -> RouteChoice:
        if inputs.updates is not None:
            because = "what came are updates that are laid one after the other"
            return RouteChoice(name=self.name, fits=False, because=because)
        if inputs.nature.is_over:
            because = "what came is no build of it that could be laid anew"
            return RouteChoice(name=self.name, fits=False, because=because)
        rule = inputs.sheet.clear
        because = rule.because if rule else "where the old one must be removed first; you do that by hand"
        return RouteChoice(name=self.name, fits=True, because=because, weight=1.0 if rule else 0.2)

    def waits_to_be_asked(self, inputs: PlanInputs) -> bool:
        return inputs.sheet.clear is None

    def blockers(self, inputs: PlanInputs, known: Release | None) -> tuple[Fault, ...]:
        if inputs.arrival.shape == "file":
            return ()
        return (
            *blockers.identity_faults(inputs.install, inputs.survey, inputs.arrival, known),
            *blockers.platform_faults(inputs.survey, inputs.arrival),
        )

    def draw(self, inputs: PlanInputs) -> Drawing:
        rule = inputs.sheet.clear or ClearRule(because="it cannot be laid over the old one")
        groups = _groups(inputs)
        questions = [_question(inputs, kind, total) for kind, total in groups.items()]
        left = {kind for kind, q in zip(groups, questions, strict=True) if q.choice == "leave"}
        saved = tuple(sorted(_saved(inputs, left), key=lambda move: move.at))
        goes = f"goes with the removal; {_new(inputs)} brings its own"
        roots = (*inputs.circumstances.roots, *_looked_at(inputs, rule))
        stages = _by_hand(inputs, rule, left) if rule.by_hand else _reached(inputs, rule, saved)
        return Drawing(
            stages=stages,
            kept=unchanged_of(inputs.survey.findings, goes).without(move.at for move in saved),
            questions=tuple(questions),
            warnings=tuple(_warnings(inputs, rule, groups, left)),
            baseline=inputs.baseline,
            circumstances=replace(inputs.circumstances, roots=roots),
            way=Cleared(not_saved=tuple(sorted(left))),
            effects=_held(inputs),
        )


# ---------------------------------------------------------------- what is saved


def _groups(inputs: PlanInputs) -> dict[FileClass, Total]:
    totals = inputs.survey.totals()
    return {kind: totals[kind] for kind in _ORDER if totals[kind].files}


def _question(inputs: PlanInputs, kind: FileClass, total: Total) -> Question:
    """All of the person's is saved unless they say otherwise; caches are asked about, since they may be large
    and took hours to build, or are built again in no time.
    """
    name, options = save_question(kind), ("save", "leave")
    answer = inputs.answers.get(name)
    asked = kind is FileClass.CACHE
    amount = f"{count(total.files, 'file')}, {size(total.bytes)}"
    words = _WORDS.get(kind, kind.value)
    return Question(
        id=name,
        asks=f"{words}: save {'them' if asked else 'it'} too?" if asked else words,
        options=options,
        leads_to=(f"saved and put back, {amount}", "not saved: gone with the removal"),
        default="save",
        answer=answer if answer in options else None if asked else "save",
        note=amount,
        is_choice=not asked,
    )


def _saved(inputs: PlanInputs, left: set[FileClass]) -> Iterator[Move]:
    """A copy of each thing of the person's, though nothing changes here: the removal will."""
    findings = inputs.survey.findings
    assert isinstance(findings, SortedPages)
    wanted = {k for k in _ORDER if k not in left}
    base = inputs.baseline.entries if inputs.baseline else {}
    for number, page in enumerate(findings.pages):
        for at, verdict in enumerate(findings.verdicts[number]):
            kind = findings.table[verdict].file_class
            if kind in wanted or (kind is FileClass.PROGRAM and base):
                entry = page.entry(at)
                shipped = None if entry.root else base.get(entry.path)
                if kind is FileClass.PROGRAM and not _is_edited(entry, shipped):
                    continue
                yield _copy(entry, kind)
    for folder in findings.folders:
        finding = findings.find(folder)
        if finding is not None and finding.file_class in wanted:
            yield _copy(finding.entry, finding.file_class)


def _is_edited(entry: Entry, shipped: Entry | None) -> bool:
    return shipped is not None and entry.kind is Kind.FILE and not entry.same_content(shipped)


def _copy(entry: Entry, kind: FileClass) -> Move:
    edited = "a shipped file that was changed: its copy stays in the strongbox"
    because = edited if kind is FileClass.PROGRAM else SAVED_FIRST
    return Move.copy_of(entry.at, entry, kind, because)


# ---------------------------------------------------------------- the stages


def _reached(inputs: PlanInputs, rule: ClearRule, saved: tuple[Move, ...]) -> tuple[Stage, ...]:
    """Where the device, or the folder, is reached from here."""
    sheet, words = inputs.sheet, _Words.of(inputs, rule)
    mark, labels = _mark(inputs), _labels(inputs)
    is_gone = ManualCheck(sign=Sign.GONE, at=At("", mark))
    here = inputs.survey.version_text
    is_back = ManualCheck(sign=Sign.VERSION_READS, value=here) if here else _appears(mark)
    is_new = ManualCheck(sign=Sign.VERSION_READS, value=words.to) if words.to else _appears(mark)

    def step(name: str, asks: str, why: str, check: ManualCheck, **more: Any) -> ManualStep:
        return ManualStep(id=name, asks=asks, why=why, check=check, rebinds=labels, on=rule.device, **more)

    lay_again = step("lay-again", words.lay_again, words.why_again, is_back)
    remove_new = step("remove-new", words.remove_new, words.why_again, is_gone)
    remove = step("remove", words.remove, words.why, is_gone, back=lay_again)
    lay = step("lay", words.lay, words.why_lay, is_new, back=remove_new)
    start = step("start", words.start, words.why_start, _started(inputs), bounds=IN_USE)
    ghosts = [
        ManualStep(id="ghost", asks=words.ghost, why=words.why_ghost, check=_no_ghost(rule), bounds=IN_USE)
    ]
    return (
        ChangeSet(moves=saved, intends=_copies(saved), copies=True),
        remove,
        *(ghosts if rule.ghost else ()),
        *steps_when(sheet, (When.REMOVED,), ()),
        lay,
        *steps_when(sheet, (When.LAID,), ()),
        start,
        *steps_when(sheet, (When.STARTED,), ()),
        _restore(inputs),
        *_refuse(inputs),
    )


def _by_hand(inputs: PlanInputs, rule: ClearRule, left: set[FileClass]) -> tuple[Stage, ...]:
    """Where only a bridge or a file browser reaches the device: the install is a copy of what lies there, and
    each way is checked here.
    """
    sheet, words = inputs.sheet, _Words.of(inputs, rule)
    root, labels = inputs.survey.root, _labels(inputs)
    said = ManualCheck(sign=Sign.SAID)

    def step(name: str, asks: str, why: str, *, check: ManualCheck = said, back: str = "") -> ManualStep:
        on, undo = rule.device, None
        if back:
            undo = ManualStep(id=f"{name}-again", asks=back, why=words.why_again, check=said, on=on)
        return ManualStep(id=name, asks=asks, why=why, check=check, back=undo, rebinds=labels, on=on)

    device = rule.device or "the device"
    saves = sum(inputs.survey.totals()[kind].files for kind in (FileClass.SAVES, FileClass.STATES))
    keep = DeferredStage(
        planner=SAVE,
        intends="make the copy safe, and read it back",
        consent=Consent(roots=labels, verbs=(Verb.KEEP,)),
        context={"leave": ",".join(sorted(kind.value for kind in left)), "saves": str(saves)},
    )
    again = f"copy {root} back onto {device}, as it lies here then"
    ghosts = [step("ghost", words.ghost, words.why_ghost)]
    return (
        ChangeSet(moves=(), intends="the way by hand begins"),
        step("copy-out", f"copy its folder off {device} to {root}", "all else is drawn on that copy"),
        keep,
        step("remove", words.remove, words.why, back=f"{words.lay_again}; then {again}"),
        *(ghosts if rule.unghost else ()),
        *steps_when(sheet, (When.REMOVED,), ()),
        step("lay", words.lay, words.why_lay, back=words.remove_new),
        *steps_when(sheet, (When.LAID,), ()),
        step("start", words.start, words.why_start),
        *steps_when(sheet, (When.STARTED,), ()),
        step(
            "copy-new",
            f"copy its folder off {device} once more, to {root} in place of what lies there",
            "yours is put into what the new one has made",
        ),
        _restore(inputs),
        step("copy-back", again, "yours is in it again"),
        step(
            "copy-check",
            f"copy it off {device} a last time, to {root}-check",
            "it is held against what was put back, file by file; the folder may go afterwards",
            check=ManualCheck(sign=Sign.SAME, at=At(CHECK, "")),
        ),
        *_refuse(inputs),
    )


def _restore(inputs: PlanInputs) -> DeferredStage:
    return DeferredStage(
        planner=RESTORE,
        context={"reaches": inputs.arrival.release.version_text},
        intends="clear the stubs, and put yours back",
        consent=Consent(
            roots=_labels(inputs),
            classes=_ORDER,
            verbs=(Verb.KEEP, Verb.CARRY, Verb.REHOME, Verb.MERGE, Verb.RETIRE),
            bytes=1 << 62,  # it is the person's own, and may grow while a step is waited for
        ),
    )


def _refuse(inputs: PlanInputs) -> list[ManualStep]:
    """Where the wanted version is older than the newest on offer: that one is offered again and again."""
    if not _newer_on_offer(inputs):
        return []
    to = inputs.arrival.release.version_text
    return [
        ManualStep(
            id="refuse",
            asks=f"refuse the update to {inputs.offered} where it is offered",
            why=f"{to} is the one that you want; it is held here from now on",
            check=ManualCheck(sign=Sign.SAID),
            may_skip=True,
            bounds=IN_USE,
            on=inputs.sheet.clear.device if inputs.sheet.clear is not None else "",
        )
    ]


def _newer_on_offer(inputs: PlanInputs) -> bool:
    offered = Version.parse(inputs.offered) if inputs.offered else None
    wanted = inputs.arrival.release.version
    return offered is not None and wanted is not None and offered.compare(wanted) == 1


def _held(inputs: PlanInputs) -> tuple[ShelfEffect, ...]:
    """Whoever takes an older build than the newest wants that one: the newer is not offered again."""
    if not _newer_on_offer(inputs):
        return ()
    wanted = inputs.arrival.release.version_text
    return (HoldSet(wanted, "you wanted this one, though a newer one is on offer"),)


def _copies(saved: tuple[Move, ...]) -> str:
    number = count(len(saved), "copy", "copies")
    return f"{number} of what is yours, {size(sum(move.bytes for move in saved))}, each read back"


# ---------------------------------------------------------------- words


@dataclass(frozen=True, slots=True)
class _Words:
    """What each step says, by the keepsheet where it knows better."""

    to: str
    remove: str
    why: str
    lay: str
    why_lay: str
    start: str
    why_start: str
    ghost: str
    why_ghost: str
    lay_again: str
    remove_new: str
    why_again: str = "it is part of the way back"

    @staticmethod
    def of(inputs: PlanInputs, rule: ClearRule) -> _Words:
        name, where = inputs.install, f" from {rule.device}" if rule.device else ""
        on = f" on {rule.device}" if rule.device else ""
        here, to = inputs.survey.version_text, inputs.arrival.release.version_text
        package = inputs.arrival.source.replace("\\", "/").rpartition("/")[2]
        wiped = "; its data goes with it, so all of yours was copied first" if rule.wipes else ""
        return _Words(
            to=to,
            remove=rule.remove or f"remove {name} {here}{where}".replace("  ", " "),
            why=rule.because + wiped,
            lay=rule.lay or f"lay {name} {to}{on}: {package}",
            why_lay=rule.prompt or "yours comes back once it is there",
            start=rule.start or f"start {name} once{on}, and close it",
            why_start="it makes its folders; yours is put into them",
            ghost=f"if a ghost is left: {rule.unghost or f'clear what is left of the former {name}{on}'}",
            why_ghost="a former install, not to be seen, is in the way, and the new one is refused",
            lay_again=f"lay {name} {here or 'as it was before'} again{on}",
            remove_new=f"remove {name} {to}{where}".replace("  ", " "),
        )


def _new(inputs: PlanInputs) -> str:
    return inputs.arrival.release.version_text or "the new one"


def _labels(inputs: PlanInputs) -> tuple[str, ...]:
    return ("", *(label for label, _ in inputs.survey.roots))


def _appears(path: str) -> ManualCheck:
    return ManualCheck(sign=Sign.APPEARS, at=At("", path))


def _mark(inputs: PlanInputs) -> str:
    """A file of the program by whose going its removal is seen: where its version is read, else the program
    itself; the folder where it has none.
    """
    findings = inputs.survey.findings
    read = inputs.survey.reading.source if inputs.survey.reading else ""
    finding = findings.find(At("", read))
    if finding is not None and finding.file_class is FileClass.PROGRAM:
        return read
    assert isinstance(findings, SortedPages)
    program = findings.of_class(FileClass.PROGRAM, 1 << 20)
    found = [f for f in program if f.entry.kind is Kind.FILE and not f.at.root]
    return min(found, key=_how_far).at.path if found else ""


def _how_far(finding: Finding) -> tuple[bool, int, str]:
    return not is_code(finding.entry.format or ""), finding.at.path.count("/"), finding.at.path


def _started(inputs: PlanInputs) -> ManualCheck:
    """What a first start makes, by the keepsheet, and the release does not ship; else the person says so."""
    for path in inputs.sheet.first_start:
        clean = path.rstrip("/")
        below = any(p == clean or p.startswith(clean + "/") for p in inputs.arrival.release.entries)
        if not below:
            return _appears(clean)
    return ManualCheck(sign=Sign.SAID)


def _no_ghost(rule: ClearRule) -> ManualCheck:
    return ManualCheck(sign=Sign.GONE, at=At(GHOST, rule.ghost.rpartition("/")[2]))


def _looked_at(inputs: PlanInputs, rule: ClearRule) -> list[Root]:
    found = []
    if rule.ghost and not rule.by_hand and inputs.circumstances.ghost is not None:
        found.append(replace(inputs.circumstances.ghost, label=GHOST))
    if rule.by_hand:
        found.append(Root(label=CHECK, place=f"{inputs.survey.root}-check", existed=False))
    return found


def _warnings(
    inputs: PlanInputs, rule: ClearRule, groups: Mapping[FileClass, Total], left: set[FileClass]
) -> Iterator[Fault]:
    for kind in _ORDER:
        if kind in left:
            says = f"{_WORDS.get(kind, kind.value)} ({groups[kind].files:,}, {size(groups[kind].bytes)})"
            yield Fault(code="not-saved", says=f"{says} will be gone: not saved, as you chose")
    for folder, _, key in inputs.sheet.keyed:
        if any(At("", folder.rstrip("/")).holds(f.at) for f in _saves(inputs)):
            says = f"{folder.rstrip('/')}/ files saves under ids{f' ({key})' if key else ''}"
            way = "After the first start they are matched by what is inside, and put where it looks for them."
            yield Fault(code="keys", says=f"{says}, which {_new(inputs)} may make anew", way_out=way)
    if inputs.circumstances.box_beside:
        says = f"the strongbox lies beside the install, in {inputs.circumstances.box_beside}"
        yield Fault(code="box-beside", says=f"{says}: the removal must not take it along")
    if _newer_on_offer(inputs):
        says = f"{inputs.offered} is on offer, and {_new(inputs)} is wanted: it is held afterwards"
        yield Fault(code="older-wanted", says=says)


def _saves(inputs: PlanInputs) -> list[Finding]:
    findings = inputs.survey.findings
    assert isinstance(findings, SortedPages)
    return findings.of_class(FileClass.SAVES, 1 << 16)
