"""Copies that are kept fresh while a step by hand is waited for that will take away what they are copies of.

Days may pass at such a step, and somebody may go on playing: what they make until they do it is copied too.
"""

from __future__ import annotations

from collections.abc import Mapping

from left_intact.core.carrying.journal import Journal, StageRow, Step
from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Entry, Kind
from left_intact.core.model.place import At
from left_intact.core.model.stages import SAVED_FIRST, Move, save_question
from left_intact.core.model.update import RunKind, StageState, Update

Lying = Mapping[At, tuple[Entry, FileClass]]


def copying_stage(journal: Journal, update: Update, stage: StageRow) -> tuple[StageRow, list[Step]] | None:
    """The stage that did nothing but copy right before a step by hand, with its steps; None where there is
    none. Behind another such step all may lie otherwise, and nothing there is what was copied.
    """
    if stage.hand is None or "" not in stage.hand.rebinds:
        return None
    before = next((s for s in reversed(journal.stages(update.id)) if s.seq < stage.seq), None)
    if before is None or not before.copies or before.state is not StageState.DONE:
        return None
    return before, journal.steps(update.id, before.seq)


def lacking_copies(journal: Journal, update: Update, steps: list[Step], lying: Lying) -> tuple[Move, ...]:
    """Copies that are to be taken of what is the person's, lies there now, and is not as it was when it was
    copied. What lies there no more keeps the copy that it has: it may be going this very moment.
    """
    wanted, known = _wanted(journal, update), {step.at: step for step in steps}
    newer: list[Move] = []
    for at, (entry, kind) in lying.items():
        mine = known.get(at)
        if (kind not in wanted and mine is None) or entry.kind not in (Kind.FILE, Kind.LINK):
            continue
        if mine is None or not _is_of(mine.before, entry):
            newer.append(Move.copy_of(at, entry, mine.file_class if mine else kind, SAVED_FIRST))
    return tuple(sorted(newer, key=lambda move: move.at))


def _wanted(journal: Journal, update: Update) -> set[FileClass]:
    """The classes that are copied: all of the person's that they did not leave out, and caches where they
    wanted those.
    """
    answers = journal.facts(update.id).answers
    found = {kind for kind in FileClass if kind.is_the_persons}
    if update.kind is RunKind.UPDATE and answers.get(save_question(FileClass.CACHE)) == "save":
        found.add(FileClass.CACHE)
    return {kind for kind in found if answers.get(save_question(kind)) != "leave"}


def _is_of(known: Entry | None, now: Entry) -> bool:
    same = known is not None and known.same_content(now)
    return same and known is not None and (known.mode, known.mtime_ns) == (now.mode, now.mtime_ns)
