"""From a stage to the steps that carry it out, in an order that works forward and, reversed, back.

A step follows from what lies at a place, what is to lie there and where its bytes come from; the
verb is only a word for people. One step a place.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import replace

from left_intact.core.carrying.journal import FolderTime, Step
from left_intact.core.carrying.roots import Roots
from left_intact.core.files.names import is_below, parents
from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Attributes, Entry, Kind
from left_intact.core.model.errors import LeftIntactError
from left_intact.core.model.findings import SortedPages
from left_intact.core.model.place import At
from left_intact.core.model.plan import Plan
from left_intact.core.model.proof import Witness, Witnessed
from left_intact.core.model.stages import ChangeSet, FromRoot, Made, Move, Verb
from left_intact.core.model.unchanged import NOT_KEPT, Unchanged

NEW_FOLDER = 0o755


OtherNames = Callable[[int, int], list[At]]
"""All places where a file of a device and inode is known to lie."""


def steps_of(
    change_set: ChangeSet, places: Roots, names: OtherNames = lambda device, inode: []
) -> list[Step]:
    """First what goes, then folders, then what is exchanged, then what is new. Reads the disk for folders
    and attributes.

    `names` finds other names of files that are hard-linked. Raises
    `bad-path`, `other-file-system`, `changed-meanwhile`.
    """
    moves = [_vetted(move) for move in change_set.moves if move.is_step]
    for move in moves:
        refuse_bad_path(move.at, places)
    steps = {move.at: _step_of(move) for move in moves}
    for step in _new_folders(steps, places):
        steps[step.at] = step
    if change_set.tidy:
        for step in _emptied(steps, places):
            steps[step.at] = step
    ready = [_with_attributes(step, places, names) for step in sorted(steps.values(), key=_order)]
    _refuse_other_file_systems(ready, places)
    return [replace(step, seq=number) for number, step in enumerate(ready, 1)]


def refuse_bad_path(at: At, roots: Roots) -> None:
    """Raise `bad-path` unless a place is one below a root of the run; a journal is read as if a stranger
    had written it.
    """
    if at.root not in roots.all or (at.path and not is_below(at.path)):
        raise LeftIntactError(
            "bad-path",
            "this is no path below a root of the install",
            path=at.shown,
            way_out="Nothing was changed; draw the plan again.",
        )


def _vetted(move: Move) -> Move:
    for entry in (move.before, move.after):
        if entry is not None and entry.kind in (Kind.OTHER, Kind.FAULT) and move.changes_disk:
            raise LeftIntactError(
                "unreadable",
                "this cannot be read, so it cannot be displaced safely",
                path=move.at.shown,
                way_out="Leave it out, or give yourself the right to read it.",
            )
    return move


def _step_of(move: Move) -> Step:
    return Step(
        seq=0,
        at=move.at,
        verb=move.verb,
        file_class=move.file_class,
        before=move.before,
        after=move.after,
        source=move.source,
        gives=move.gives,
        joins=move.joins,
        by_name=move.by_name,
        unproven=move.unproven,
    )


def _order(step: Step) -> tuple[int, int, At]:
    depth = step.at.path.count("/") if step.at.path else -1
    was = step.before is not None and step.before.kind is Kind.FOLDER
    is_folder = step.after is not None and step.after.kind is Kind.FOLDER
    if step.after is None:
        return (1, -depth, step.at) if was else (0, 0, step.at)
    if is_folder:
        return 2, depth, step.at
    return (4 if step.before is None else 3), 0, step.at


def _new_folders(steps: Mapping[At, Step], places: Roots) -> list[Step]:
    """Folders that must be made on the way to what is laid, unless they are there or a step makes them."""
    wanted: dict[At, Step] = {}
    there_already: set[At] = set()
    for at, step in steps.items():
        if step.after is None or at.folder in there_already:
            continue
        for folder in parents(at.path):
            place = At(at.root, folder)
            known_folder = place in steps and _is_folder(steps[place].after)
            if place in wanted or place in there_already or known_folder:
                continue
            there = places.look(place)
            if there is not None and there.kind is Kind.FOLDER:
                there_already.add(place)
                continue
            known = steps.get(place)
            before = known.before if known is not None else None
            if there is not None and (before is None or known is None):
                raise LeftIntactError(
                    "changed-meanwhile",
                    "this is no folder, and something is to be laid in it",
                    path=place.shown,
                    way_out="Draw the plan again.",
                )
            after = Entry(path=folder, kind=Kind.FOLDER, mode=NEW_FOLDER)
            kind = known.file_class if known is not None else FileClass.PROGRAM
            wanted[place] = Step(seq=0, at=place, verb=Verb.ADD, file_class=kind, before=before, after=after)
    for label in {at.root for at, step in steps.items() if step.after is not None}:
        if At(label, "") not in steps and not places.is_there(label):
            after = Entry(path="", kind=Kind.FOLDER, mode=NEW_FOLDER)
            root = At(label, "")
            wanted[root] = Step(
                seq=0, at=root, verb=Verb.ADD, file_class=FileClass.PROGRAM, before=None, after=after
            )
    return list(wanted.values())


def _is_folder(entry: Entry | None) -> bool:
    return entry is not None and entry.kind is Kind.FOLDER


def _emptied(steps: Mapping[At, Step], places: Roots) -> list[Step]:
    """Folders that hold nothing but what goes."""
    stays = {
        At(at.root, folder)
        for at, step in steps.items()
        if step.after is not None
        for folder in parents(at.path)
    }
    going = {at for at, step in steps.items() if step.after is None and not _is_folder(step.before)}
    asked = {At(at.root, folder) for at in going for folder in parents(at.path)}
    found: dict[At, Step] = {}
    for at in sorted(asked - stays, key=lambda a: -a.path.count("/")):
        known = steps.get(at)
        if known is not None and known.after is not None and not _is_folder(known.after):
            continue  # it becomes a file: one exchange, which the planner asked for
        names = places.names(at)
        inside = [At(at.root, f"{at.path}/{name}") for name in names or []]
        if names is None or any(one not in going and one not in found for one in inside):
            continue
        there = places.look(at)
        found[at] = Step(
            seq=0, at=at, verb=Verb.RETIRE, file_class=FileClass.PROGRAM, before=there, after=None
        )
    return list(found.values())


def _with_attributes(step: Step, places: Roots, names: OtherNames) -> Step:
    if step.gives is None and isinstance(step.source, FromRoot):
        # What is carried over takes its owner and attributes along.
        carried = places.attributes(step.source.at)
        step = replace(step, gives=replace(carried, names=Attributes().names))
    if step.before is None or step.before.kind is Kind.FOLDER:
        return step
    attributes = places.attributes(step.at)
    others = names(*step.before.stamp[:2]) if attributes.names > 1 else ()
    partner = next((at for at in others if at != step.at), None)
    return replace(step, attributes=None if attributes == Attributes() else attributes, partner=partner)


def _refuse_other_file_systems(steps: Iterable[Step], places: Roots) -> None:
    seen: set[At] = set()
    for step in steps:
        folder = step.at.folder
        if not folder.path or folder in seen:
            continue
        seen.add(folder)
        device = places.device(folder)
        if device is not None and device != places.file_system(folder.root):
            raise LeftIntactError(
                "other-file-system",
                "this folder lies on another file system than the install",
                path=folder.shown,
                way_out="Take it up as a root of its own (left-intact roots --add).",
            )


def touched_folders(steps: Iterable[Step], places: Roots) -> list[FolderTime]:
    """Folders whose time the steps will change, as they are now; a root has an empty path."""
    found: dict[At, FolderTime] = {}
    for step in steps:
        at = step.at.folder
        if at in found or not step.at.path:
            continue
        there = places.look(at)
        if there is not None and there.kind is Kind.FOLDER:
            found[at] = FolderTime(at=at, mode=there.mode or 0, mtime_ns=there.mtime_ns)
    return list(found.values())


def unspoken(plan: Plan) -> Iterator[Move]:
    """What the survey saw and no line of a plan speaks of. There should be nothing of the kind; if there is,
    it has to stay as it is all the same.
    """
    findings = plan.survey.findings
    if plan.undoes or not isinstance(findings, SortedPages):
        return
    spoken: dict[At, set[str]] = {}
    for move in (*plan.kept.rest, *(move for change_set in plan.change_sets for move in change_set.moves)):
        spoken.setdefault(move.at.folder, set()).add(move.at.name)
    kept = {page.page.at: page for page in plan.kept.pages}
    for number, page in enumerate(findings.pages):
        top = page.at
        stays = kept.get(top)
        if stays is not None and stays.page.names == page.names and NOT_KEPT not in stays.reasons:
            continue
        known = {stays.page.names[at] for at in stays.places} if stays is not None else set()
        known |= spoken.get(top, set())
        for at, name in enumerate(page.names):
            if name not in known:
                entry = page.entry(at)
                yield Move(
                    at=entry.at,
                    verb=Verb.KEEP,
                    file_class=findings.class_at(number, at),
                    because="nobody spoke of it",
                    before=entry,
                    after=entry,
                    bytes=entry.bytes,
                )


def witness_of(
    moves: Iterable[Move],
    kept: Unchanged,
    *,
    version: str,
    to_version: str,
    roots: tuple[tuple[str, str], ...],
) -> Witness:
    """What is known before the first change, for the proof to compare with."""
    rows, merged = {}, {}
    for move in (*moves, *kept.rest):
        agreed = move.after if move.changes_disk else move.before
        rows[move.at] = Witnessed(
            file_class=move.file_class, verb=move.verb, before=move.before, agreed=agreed
        )
        if isinstance(move.source, Made) and move.source.lines:
            merged[move.at] = move.source.lines
    stays = Unchanged(kept.pages, ("", ""))
    return Witness(rows=rows, version=version, to_version=to_version, merged=merged, roots=roots, kept=stays)
