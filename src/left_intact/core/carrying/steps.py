"""From a plan to the steps that carry it out, in an order that works forward and, reversed, back."""

from __future__ import annotations

from left_intact.core.carrying.journal import Step
from left_intact.core.files.names import parents
from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Entry, Kind
from left_intact.core.model.plan import Move, Plan, Verb
from left_intact.core.model.proof import Witness, Witnessed
from left_intact.core.model.survey import Folder

_NEW_FOLDER = 0o755


def steps_of(plan: Plan) -> list[Step]:
    """First what goes, then folders, then what is replaced, then what is new."""
    retired = [m for m in plan.moves if m.verb is Verb.RETIRE]
    replaced = [m for m in plan.moves if m.verb in (Verb.REPLACE, Verb.MERGE)]
    added = [m for m in plan.moves if m.verb is Verb.ADD]
    rows: list[tuple[str, Verb, FileClass, Entry | None, Entry | None, bytes | None]] = []
    rows += [(m.path, m.verb, m.file_class, m.before, None, None) for m in retired]
    for folder in _emptied(plan, retired, added):
        entry = Entry(path=folder.path, kind=Kind.FOLDER, mode=folder.mode, mtime_ns=folder.mtime_ns)
        rows.append((folder.path, Verb.RETIRE, FileClass.PROGRAM, entry, None, None))
    for path, mode in _new_folders(plan, added):
        entry = Entry(path=path, kind=Kind.FOLDER, mode=mode)
        rows.append((path, Verb.ADD, FileClass.PROGRAM, None, entry, None))
    for move in replaced:
        content = plan.merges[move.path].content if move.verb is Verb.MERGE else None
        rows.append((move.path, move.verb, move.file_class, move.before, move.after, content))
    rows += [
        (m.path, m.verb, m.file_class, None, m.after, None)
        for m in added
        if m.after is not None and m.after.kind is not Kind.FOLDER
    ]
    return [
        Step(seq=number, path=path, verb=verb, file_class=kind, before=before, after=after, content=content)
        for number, (path, verb, kind, before, after, content) in enumerate(rows, 1)
    ]


def _emptied(plan: Plan, retired: list[Move], added: list[Move]) -> list[Folder]:
    """Folders that hold nothing but what is retired, deepest first."""
    stays: set[str] = set()
    for move in plan.moves:
        if move.before is not None and move.verb is not Verb.RETIRE:
            stays.update(parents(move.path))
            stays.add(move.path)
    for move in added:
        stays.update(parents(move.path))
    touched = {parent for move in retired for parent in parents(move.path)}
    found = [f for f in plan.survey.folders if f.path in touched and f.path not in stays]
    return sorted(found, key=lambda f: (-f.path.count("/"), f.path))


def _new_folders(plan: Plan, added: list[Move]) -> list[tuple[str, int]]:
    """Folders that must be made, outermost first, with their modes."""
    there = {f.path for f in plan.survey.folders}
    wanted: dict[str, int] = {}
    for move in added:
        for parent in parents(move.path):
            wanted.setdefault(parent, _NEW_FOLDER)
        if move.after is not None and move.after.kind is Kind.FOLDER:
            wanted[move.path] = (move.after.mode or _NEW_FOLDER) | 0o700
    return sorted(((p, m) for p, m in wanted.items() if p not in there), key=lambda item: (item[0].count("/"), item[0]))


def touched_folders(plan: Plan, steps: list[Step], root_folder: Folder) -> list[Folder]:
    """Folders whose time the steps will change, as they are now; the root as an empty path."""
    touched = {step.path.rpartition("/")[0] for step in steps}
    found = [f for f in plan.survey.folders if f.path in touched]
    return [root_folder, *found] if "" in touched else found


def witness_of(plan: Plan) -> Witness:
    """What is known before the first change, for the proof to compare with."""
    rows = {}
    for move in plan.moves:
        agreed = move.after if move.changes_disk else move.before
        rows[move.path] = Witnessed(file_class=move.file_class, verb=move.verb, before=move.before, agreed=agreed)
    return Witness(
        rows=rows,
        version=plan.from_version,
        to_version=plan.to_version,
        merged={path: merge.lines for path, merge in plan.merges.items()},
        roots=plan.survey.roots,
    )
