"""Making a copy safe that the person fetched from a device which only they can reach."""

from __future__ import annotations

from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Kind
from left_intact.core.model.errors import Fault
from left_intact.core.model.plan import DrawnStage, Question
from left_intact.core.model.stages import SAVED_FIRST, ChangeSet, Move
from left_intact.core.planning.deferred import Situation
from left_intact.words import count

PLANNER = "save"
LACKS = "copy-lacks"
"""The question whether a copy with fewer saves than the one before is whole."""
_SAVES = (FileClass.SAVES, FileClass.STATES)


def draw_saving(situation: Situation) -> DrawnStage:
    """A copy of all of the person's that lies in the roots now, but for the classes that they left out."""
    leave = {FileClass(word) for word in situation.context.get("leave", "").split(",") if word}
    moves, saves = [], 0
    for at, (entry, kind) in sorted(situation.tree.items()):
        if kind is FileClass.PROGRAM or entry.kind not in (Kind.FILE, Kind.LINK):
            continue
        saves += kind in _SAVES
        if kind not in leave:
            moves.append(Move.copy_of(at, entry, kind, SAVED_FIRST))
    if not situation.tree:
        nothing = Fault(code="no-copy", says="nothing was copied to where the copy belongs yet")
        return DrawnStage(change_set=ChangeSet(moves=()), blockers=(nothing,))
    lacking = int(situation.context.get("saves", "0")) - saves
    questions = (_lacks(situation, lacking),) if lacking > 0 else ()
    return DrawnStage(change_set=ChangeSet(moves=tuple(moves), copies=True), questions=questions)


def _lacks(situation: Situation, lacking: int) -> Question:
    options = ("whole", "again")
    answer = situation.answers.get(LACKS)
    return Question(
        id=LACKS,
        asks=f"the copy has {count(lacking, 'save')} fewer than lay here before: is it whole?",
        options=options,
        leads_to=("it is whole: go on", "copy it again, then go on"),
        default="again",
        answer=answer if answer == "whole" else None,
    )
