"""Putting the person's back where a program was removed and laid anew: drawn when its turn comes, on what the
new build has made by then.

What was made safe goes to its place, or to where the new build keeps it. What a first start wrote under its
name is a stub and is set aside; what somebody used since is asked about. Settings are merged key by key.
"""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property

from left_intact.core.files.headers import is_code
from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Entry, Kind
from left_intact.core.model.place import At
from left_intact.core.model.plan import DrawnStage, Merge, Question
from left_intact.core.model.stages import ChangeSet, FromRoot, FromStrongbox, Move, Shipped, Source, Verb
from left_intact.core.planning.deferred import Situation
from left_intact.core.planning.keys import KeyMatch, by_key, by_lists, match_keys
from left_intact.core.planning.merging import made, merge, merged_over
from left_intact.core.settings.formats.registry import may_merge
from left_intact.words import count, listed

PLANNER, NEWER = "restore", "restore-newer"
USED = "used-meanwhile"
"""The question which of two counts: what was saved, or what was used in the new build since."""
_MAY_BE_USED = (FileClass.SAVES, FileClass.STATES)
_FIRST_START = 600 * 10**9
"""Nanoseconds that a first start may take; what is written later was written by somebody who used it."""


@dataclass
class _Sketch:
    situation: Situation
    moves: list[Move] = field(default_factory=list)
    questions: list[Question] = field(default_factory=list)
    notes: list[str] = field(default_factory=list)
    keys: dict[tuple[str, str], str] = field(default_factory=dict)
    """(keyed folder, old id) to the new id."""

    @cached_property
    def started(self) -> int:
        """When the new build was first started, by the oldest of what a start wrote (nanoseconds since 1970).
        What it ships has times of its own.
        """
        ships = self.situation.coming.entries if self.situation.coming is not None else {}
        wrote = [
            entry.mtime_ns
            for at, entry in self.situation.made.items()
            if entry.kind is Kind.FILE and at not in self.situation.saved and at.path not in ships
        ]
        return min(wrote, default=1 << 62)


def draw_restoring(situation: Situation) -> DrawnStage:
    """All that was saved and lies not there as it was, in its place."""
    sketch = _Sketch(situation)
    for folder, _, _ in situation.sheet.keyed:
        _match(sketch, folder.rstrip("/"))
    wanted = _places(sketch)
    used = [target for target, (_, entry, kind) in wanted.items() if _was_used(sketch, target, entry, kind)]
    question = _used_question(situation, used)
    stays = set(used) if question is not None and question.choice == "newer" else set()
    for target, (at, entry, kind) in wanted.items():
        if entry.kind in (Kind.OTHER, Kind.FAULT) or not _comes_back(sketch, at, target, entry, kind):
            continue
        move = _move(sketch, at, target, entry, kind, stays=target in stays, used=target in used)
        if move is not None:
            sketch.moves.append(move)
    _clear_stubs(sketch)
    asked = (*sketch.questions, *((question,) if question else ()))
    moves = tuple(sorted(sketch.moves, key=lambda move: move.at))
    # What lies here now came by the person's hand; where its release could be looked into, it is on record.
    shipped = Shipped(arrival=0) if situation.coming is not None and situation.coming.entries else None
    change_set = ChangeSet(moves=moves, shipped=shipped, reaches=situation.context.get("reaches", ""))
    return DrawnStage(change_set=change_set, questions=asked, notes=tuple(dict.fromkeys(sketch.notes)))


def draw_what_lacks(situation: Situation) -> DrawnStage:
    """At the end of a way back: what was saved then, and came to be after the update that is gone; and over
    what came back, what was used since and is to stay.
    """
    sketch = _Sketch(situation)
    over = {At(*said) for said in json.loads(sketch.situation.context.get("over", "[]"))}
    for at, (entry, kind) in sorted(sketch.situation.saved.items()):
        if kind.is_the_persons and (at not in sketch.situation.tree or at in over):
            move = _move(sketch, at, at, entry, kind, stays=False, used=False)
            if move is not None:
                sketch.moves.append(move)
    return DrawnStage(change_set=ChangeSet(moves=tuple(sketch.moves)))


# ---------------------------------------------------------------- where it goes


def _match(sketch: _Sketch, folder: str) -> None:
    """The new ids of one keyed folder; where that is not sure the person is asked."""
    situation = sketch.situation
    old = by_key(((at.path, e) for at, (e, _) in situation.saved.items() if not at.root), folder)
    there = by_key(((at.path, e) for at, (e, _) in situation.tree.items() if not at.root), folder)
    if not old:
        return
    base, coming = situation.baseline, situation.coming
    said = by_lists(base, coming, old) if base is not None and coming is not None else {}
    found = match_keys(old, there, said)
    asked = _ask_for_keys(sketch, folder, old, found)
    for key, new in {**found.pairs, **asked}.items():
        if new != key:
            sketch.keys[folder, key] = new
    lacking = [key for key in found.left if there]
    if lacking:
        says = f"{count(len(lacking), 'save')} under {folder}/ keep their ids ({listed(lacking, 3)})"
        sketch.notes.append(f"{says}: the new build has made none that fits, and may not find them")
    moved = sum(1 for (f, _) in sketch.keys if f == folder)
    if moved:
        sketch.notes.append(f"{count(moved, 'save')} under {folder}/ went to the ids of the new build")


def _ask_for_keys(
    sketch: _Sketch, folder: str, old: Mapping[str, Mapping[str, Entry]], found: KeyMatch
) -> dict[str, str]:
    answers: dict[str, str] = {}
    for key, may_be in sorted(found.unsure.items()):
        name = f"key-{folder.replace('/', '-')}-{key}"
        choices = tuple(one for one in may_be if one not in answers.values())
        options = (*choices, key)
        answer = sketch.situation.answers.get(name)
        inside = listed(sorted(old[key]), 3)
        sketch.questions.append(
            Question(
                id=name,
                asks=f"{folder}/{key} ({inside}): under which id does the new build look for it?",
                options=options,
                leads_to=(*(f"under {one}" for one in choices), "under the old one"),
                default=options[0],
                answer=answer if answer in options else None,
                paths=(At("", f"{folder}/{key}"),),
            )
        )
        if answer in options:
            answers[key] = answer
    return answers


def _target(sketch: _Sketch, at: At) -> At:
    """Where something that was saved belongs now."""
    for (folder, key), new in sketch.keys.items():
        start = f"{folder}/{key}"
        if not at.root and (at.path == start or at.path.startswith(start + "/")):
            return At("", f"{folder}/{new}{at.path[len(start) :]}")
    for old, new, _ in sketch.situation.sheet.moved if not at.root else ():
        old, new = old.rstrip("/"), new.rstrip("/")
        if at.path == old or at.path.startswith(old + "/"):
            return At("", new + at.path[len(old) :])
    return at


def _places(sketch: _Sketch) -> dict[At, tuple[At, Entry, FileClass]]:
    """Where each thing that was saved goes: by its place then, the place it had, and what it was. What keeps
    its name comes first; two never go to one place, since one of them would be gone.
    """
    saved = sketch.situation.saved
    found = {at: (at, *said) for at, said in sorted(saved.items()) if _target(sketch, at) == at}
    for at, said in sorted(saved.items()):
        target = _target(sketch, at)
        if target == at:
            continue
        place = next((one for one in (target, at) if one not in found), None)
        if place is not target:
            where = "keeps its name" if place is not None else "stays in the strongbox"
            sketch.notes.append(f"{at.shown} {where}: something of yours goes to {target.shown} too")
        if place is not None:
            found[place] = (at, *said)
    return found


# ---------------------------------------------------------------- what becomes of it


def _comes_back(sketch: _Sketch, at: At, target: At, entry: Entry, kind: FileClass) -> bool:
    """Tell whether a copy goes back at all, and note why where it does not: not over what the new build
    ships itself, unless it is the person's by all evidence and they changed it.
    """
    now, base = _there(sketch, target), sketch.situation.baseline
    if kind is FileClass.PROGRAM:
        sketch.notes.append(f"{at.shown} had been changed by somebody: its copy stays in the strongbox")
        return False
    if now is None or now.same_content(entry):
        return True
    shipped = base.entries.get(at.path) if base is not None and not at.root else None
    if shipped is not None and shipped.same_content(entry):
        return False
    if shipped is not None and is_code(entry.format):  # what was changed in it is of the version that is gone
        sketch.notes.append(f"{at.shown} had been changed by somebody: its copy stays in the strongbox")
        return False
    if kind is FileClass.UNSORTED and _is_shipped(sketch, target, now):
        sketch.notes.append(f"{at.shown} is shipped by the new build: what was saved stays in the strongbox")
        return False
    return True


def _is_shipped(sketch: _Sketch, at: At, now: Entry) -> bool:
    coming = sketch.situation.coming
    known = coming.entries.get(at.path) if coming is not None and not at.root else None
    return known is not None and known.same_content(now)


def _there(sketch: _Sketch, at: At) -> Entry | None:
    found = sketch.situation.tree.get(at)
    return found[0] if found is not None else None


def _was_used(sketch: _Sketch, target: At, entry: Entry, kind: FileClass) -> bool:
    """Whether something of the new build's under that name is more than a stub: it was changed since the
    first start.
    """
    now = _there(sketch, target)
    if now is None or kind not in _MAY_BE_USED or now.kind is not Kind.FILE or now.same_content(entry):
        return False
    made = sketch.situation.made.get(target)
    if made is None or not made.same_content(now):
        return True
    return now.mtime_ns > sketch.started + _FIRST_START


def _used_question(situation: Situation, used: list[At]) -> Question | None:
    if not used:
        return None
    what = used[0].shown if len(used) == 1 else f"{len(used)} files, as {used[0].shown},"
    options = ("saved", "newer")
    answer = situation.answers.get(USED)
    return Question(
        id=USED,
        asks=f"{what} {'was' if len(used) == 1 else 'were'} used in the new build since: which counts?",
        options=options,
        leads_to=(
            "what was saved comes back; the newer one is kept in the strongbox, under its own name",
            "the newer one stays; what was saved stays in the strongbox",
        ),
        default="saved",
        answer=answer if answer in options else None,
        paths=tuple(used),
        lets_go=("newer",),
    )


def _move(
    sketch: _Sketch, at: At, target: At, entry: Entry, kind: FileClass, *, stays: bool, used: bool
) -> Move | None:
    """What has to be done for one thing that was saved; None where it lies there as it was."""
    now = _there(sketch, target)
    if stays and now is not None:
        because = "the newer one stays, as you chose; what was saved is in the strongbox"
        return Move(
            at=target,
            verb=Verb.KEEP,
            file_class=kind,
            because=because,
            before=now,
            after=now,
            source=FromRoot(at),
            safeguard=True,
            bytes=now.bytes,
        )
    after = replace(entry, path=target.path, root=target.root, stamp=(0, 0, 0))
    if entry.kind is Kind.FOLDER:
        if now is not None:
            return None
        return Move(
            at=target, verb=Verb.CARRY, file_class=kind, because="an empty folder of yours", after=after
        )
    if now is not None and now.kind is Kind.FOLDER:
        sketch.notes.append(f"{target.shown} is a folder of the new build: yours stays in the strongbox")
        return None
    same = now is not None and now.same_content(entry)
    if same and now is not None and (now.mode, now.mtime_ns) == (entry.mode, entry.mtime_ns):
        return None
    verb = Verb.CARRY if target == at else Verb.REHOME
    because = "yours, as it was" if target == at else f"yours, from {at.shown}"
    source: Source | None = FromStrongbox(entry.digest) if entry.kind is Kind.FILE else None
    if now is not None and not same:
        merged = _merged(sketch, at, entry, now)
        if merged is not None:
            after = replace(merged_over(entry, merged), path=target.path, root=target.root)
            verb, source = Verb.MERGE, made(merged)
            because = "yours, with what the new build has more"
        else:
            because += "; what was used since is kept by its name" if used else "; the stub gives way"
    return Move(
        at=target,
        verb=verb,
        file_class=kind,
        because=because,
        before=now,
        after=after,
        source=source,
        bytes=after.bytes,
        by_name=used,
    )


def _merged(sketch: _Sketch, at: At, entry: Entry, now: Entry) -> Merge | None:
    """The person's settings with what those of the new build have more; None where that is not sure."""
    situation = sketch.situation
    if at.root or not may_merge(entry.format, now.format):
        return None
    mine, coming = situation.read_saved(entry.digest), situation.read(at)
    if mine is None or coming is None:
        return None
    base = situation.baseline.texts.get(at.path) if situation.baseline is not None else None
    merged = merge(
        at, entry, mine=mine, base=base, arriving=coming, sheet=situation.sheet, wishes=situation.wishes
    )
    return None if merged.trouble or merged.content == mine else merged


def _clear_stubs(sketch: _Sketch) -> None:
    """What a first start wrote under an id that somebody's saves went to, and that none of them replaced."""
    folders = {f"{folder}/{new}/" for (folder, _), new in sketch.keys.items()}
    taken = {move.at for move in sketch.moves}
    for at, (entry, kind) in sketch.situation.tree.items():
        inside = not at.root and any(at.path.startswith(folder) for folder in folders)
        made = sketch.situation.made.get(at)
        if not inside or at in taken or entry.kind is not Kind.FILE or made is None:
            continue
        if made.same_content(entry) and _target_of_none(sketch, at):
            sketch.moves.append(
                Move(
                    at=at,
                    verb=Verb.RETIRE,
                    file_class=kind,
                    because="a stub of the first start",
                    before=entry,
                    bytes=entry.bytes,
                )
            )


def _target_of_none(sketch: _Sketch, at: At) -> bool:
    """Whether nothing that was saved belongs to a place."""
    return all(_target(sketch, saved) != at for saved in sketch.situation.saved)
