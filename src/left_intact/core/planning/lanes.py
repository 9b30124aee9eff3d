"""The crossing: a plan's moves gathered into a dozen lanes from now to after."""

from __future__ import annotations

import os
from collections import Counter
from collections.abc import Iterable
from dataclasses import dataclass
from enum import StrEnum

from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Entry, Kind
from left_intact.core.model.plan import KeyLine, Move, Plan, Verb
from left_intact.core.model.survey import Total


class Stroke(StrEnum):
    """What the line of a lane says."""

    INTACT = "intact"
    REPLACED = "replaced"
    SAME = "same"
    MERGED = "merged"
    ASIDE = "aside"
    OPEN = "open"
    LEFT_OUT = "left out"


@dataclass(frozen=True, slots=True, kw_only=True)
class Lane:
    """Moves that go the same way."""

    key: str
    label: str
    after_label: str
    file_class: FileClass
    stroke: Stroke
    says: str
    now: Total
    after: Total
    moves: tuple[Move, ...]
    question: str = ""


_ORDER = {c: n for n, c in enumerate(FileClass)}
_MOST = 22


def lanes_of(plan: Plan) -> tuple[Lane, ...]:
    """The lanes of a plan, the program's first, what goes aside after it, then theirs by class."""
    groups: dict[tuple[int, str, str], list[Move]] = {}
    coarse = len({_group(m, plan, coarse=False) for m in plan.moves}) > _MOST
    for move in plan.moves:
        groups.setdefault(_group(move, plan, coarse=coarse), []).append(move)
    return tuple(_lane(key, moves, plan) for key, moves in sorted(groups.items()))


def _group(move: Move, plan: Plan, *, coarse: bool) -> tuple[int, str, str]:
    """(place in the order, kind of lane, what it is grouped by)."""
    if move.verb is Verb.RETIRE:
        return 1, "aside", ""
    if move.question and move.verb is not Verb.MERGE:
        return 2, "question", move.question
    if move.verb is Verb.DROP:
        return 3, "left out", ""
    if move.verb is Verb.MERGE:
        return 10 + _ORDER[FileClass.SETTINGS] * 2, "merge", move.path if plan.count(Verb.MERGE) <= 3 else ""
    top = move.path.split("/", 1)[0] if "/" in move.path else ""
    if move.file_class is FileClass.PROGRAM:
        return 0, "program", top
    return 11 + _ORDER[move.file_class] * 2, move.file_class.value, "" if coarse else top


def _lane(key: tuple[int, str, str], moves: list[Move], plan: Plan) -> Lane:
    _, kind, by = key
    stroke = _stroke(kind, moves)
    label = _label(moves)
    return Lane(
        key=f"{kind}:{by}",
        label=label,
        after_label=_after_label(stroke, label),
        file_class=Counter(m.file_class for m in moves).most_common(1)[0][0],
        stroke=stroke,
        says=_says(stroke, moves, plan),
        now=_sum(m.before for m in moves),
        after=_sum(m.after for m in moves),
        moves=tuple(sorted(moves, key=lambda m: (not m.changes_disk, m.path))),
        question=by if kind == "question" else moves[0].question if kind == "merge" else "",
    )


def _stroke(kind: str, moves: list[Move]) -> Stroke:
    verbs = {m.verb for m in moves}
    if Verb.ASK in verbs:
        return Stroke.OPEN
    if kind == "aside":
        return Stroke.ASIDE
    if Verb.MERGE in verbs:
        return Stroke.MERGED
    if verbs & {Verb.REPLACE, Verb.ADD}:
        return Stroke.REPLACED
    if verbs == {Verb.DROP}:
        return Stroke.LEFT_OUT
    return Stroke.SAME if kind == "program" else Stroke.INTACT


def _label(moves: list[Move]) -> str:
    if len(moves) == 1:
        return moves[0].path
    folders = {m.path.rpartition("/")[0] for m in moves}
    if folders == {""}:
        return f"{len(moves)} at the root"
    if "" not in folders and (common := os.path.commonpath(folders)):
        return common + "/"
    tops = sorted({m.path.split("/", 1)[0] + ("/" if "/" in m.path else "") for m in moves})
    return ", ".join(tops[:3]) + (" …" if len(tops) > 3 else "")


def _after_label(stroke: Stroke, label: str) -> str:
    if stroke is Stroke.ASIDE:
        return "strongbox"
    if stroke is Stroke.LEFT_OUT:
        return ""
    # Only the last part: the whole path stands on the left of the same line.
    name = label.rstrip("/").rpartition("/")[2]
    return f"{name}/" if label.endswith("/") else name


def _sum(entries: Iterable[Entry | None]) -> Total:
    files = [e for e in entries if e is not None and e.kind is not Kind.FOLDER]
    return Total(files=len(files), bytes=sum(e.bytes for e in files))


def _says(stroke: Stroke, moves: list[Move], plan: Plan) -> str:
    count = Counter(m.verb for m in moves)
    if stroke is Stroke.ASIDE:
        return f"{len(moves)} no longer shipped"
    if stroke is Stroke.OPEN:
        return "waits for your answer"
    if stroke is Stroke.MERGED:
        return _merged_words([plan.merges[m.path].lines for m in moves if m.path in plan.merges])
    if stroke is Stroke.LEFT_OUT:
        return "you deleted it: stays deleted" if len(moves) == 1 else f"{len(moves)} stay deleted"
    if stroke is Stroke.INTACT:
        return "left intact, not sorted" if moves[0].file_class is FileClass.UNSORTED else "left intact"
    parts = [f"{count[Verb.REPLACE]} replaced"] if count[Verb.REPLACE] else []
    parts += [f"{count[Verb.ADD]} added"] if count[Verb.ADD] else []
    if count[Verb.KEEP] and len(parts) < 2:
        parts.append(f"{count[Verb.KEEP]} the same")
    return ", ".join(parts) or "the same"


def _merged_words(merges: list[tuple[KeyLine, ...]]) -> str:
    lines = [line for merge in merges for line in merge]
    mine = sum(
        1 for x in lines if x.result is not None and x.result == x.yours and x.decided not in ("same", "new")
    )
    new = sum(1 for x in lines if x.decided in ("new", "arriving"))
    return f"{mine} of yours kept, {new} new"
