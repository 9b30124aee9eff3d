"""The crossing between two folders: what is carried over, what stays behind, what the new build brings."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable
from dataclasses import dataclass, field

from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Kind
from left_intact.core.model.place import OLD, At
from left_intact.core.model.plan import Move, Plan, Verb
from left_intact.core.model.stages import FromRoot
from left_intact.core.model.survey import Total
from left_intact.core.model.telling import Stroke
from left_intact.core.model.unchanged import UnchangedPage
from left_intact.presentation.lanes import (
    MOST,
    ORDER,
    Lane,
    asked_words,
    by_class,
    is_open,
    merged_words,
    sum_of,
    sum_of_pages,
)

_BEHIND = (FileClass.PROGRAM, FileClass.CACHE)
_Key = tuple[int, str, str]
"""(place in the order, kind of lane, what it is grouped by)."""


@dataclass(slots=True)
class _Group:
    spoken: list[Move] = field(default_factory=list)
    old: list[UnchangedPage] = field(default_factory=list)
    """What lies in the old folder."""
    there: list[UnchangedPage] = field(default_factory=list)
    """What lies in the new one already."""


def lanes_to_new_root(plan: Plan) -> tuple[Lane, ...]:
    """The lanes of a plan with two folders: the person's first, then what stays behind, then what is new."""
    groups = _groups(plan, coarse=False)
    if len(groups) > MOST:
        groups = _groups(plan, coarse=True)
    return tuple(_lane(key, groups[key], plan) for key in sorted(groups))


def _groups(plan: Plan, *, coarse: bool) -> dict[_Key, _Group]:
    groups: dict[_Key, _Group] = {}
    for move in (*plan.kept.rest, *(m for change_set in plan.change_sets for m in change_set.moves)):
        groups.setdefault(_of_move(move, plan, coarse=coarse), _Group()).spoken.append(move)
    # What is merged has a lane of its own, which says what lies on both sides.
    merged = [
        At(OLD, m.at.path)
        for change_set in plan.change_sets
        for m in change_set.moves
        if m.verb is Verb.MERGE
    ]
    kept = plan.kept.without(merged)
    for page in kept.pages:
        root, folder = page.page.at
        for kind, part in by_class(page):
            key = _of_kept(kind, root, folder, coarse=coarse)
            group = groups.setdefault(key, _Group())
            (group.old if root == OLD else group.there).append(part)
    return groups


def _of_kept(kind: FileClass, root: str, folder: str, *, coarse: bool) -> _Key:
    if root == OLD and kind in _BEHIND:
        return 40 + ORDER[kind], "behind", kind.value
    if root == OLD:
        return 10 + ORDER[kind], "carried", f"{kind.value}/{'' if coarse else folder.partition('/')[0]}"
    if root:
        return 70, "apart", root
    return 60, "there", ""


def _of_move(move: Move, plan: Plan, *, coarse: bool) -> _Key:
    if move.question and move.verb is not Verb.MERGE:
        return 0, "question", move.question
    if move.at.root and move.at.root != OLD:
        return 65, "starts", ""
    if move.verb is Verb.MERGE:
        alone = plan.count(Verb.MERGE) <= 3
        return 10 + ORDER[FileClass.SETTINGS], "merge", move.at.shown if alone else ""
    stays_there = not move.changes_disk and move.file_class.is_the_persons
    if move.verb in (Verb.CARRY, Verb.REHOME) or stays_there or move.at.root == OLD:
        came = move.source.at.path if isinstance(move.source, FromRoot) else move.at.path
        is_folder = move.after is not None and move.after.kind is Kind.FOLDER
        kind = FileClass.UNSORTED if is_folder and move.at.root != OLD else move.file_class
        top = "" if coarse or "/" not in came else came.partition("/")[0]
        top = came if move.after is not None and move.after.kind is Kind.LINK and not coarse else top
        return 10 + ORDER[kind], "carried", f"{kind.value}/{top}"
    if move.verb is Verb.DROP:
        return 55, "left out", ""
    if move.changes_disk:
        return 50, "new", ""
    return 60, "there", ""


def _lane(key: _Key, group: _Group, plan: Plan) -> Lane:
    _, kind, by = key
    stroke = _stroke(kind, group, plan)
    here = [m for m in group.spoken if m.at.root != OLD]
    apart = kind == "apart"
    now = sum_of_pages(group.old) + sum_of(m.before for m in group.spoken if m.at.root == OLD)
    after = sum_of(m.after for m in here) + sum_of_pages(group.there)
    merged = [m for m in here if m.verb is Verb.MERGE]
    if merged:
        now += Total(files=len(merged), bytes=sum(m.before.bytes if m.before else m.bytes for m in merged))
    if apart:
        now = after
    stays = (*group.old, *group.there)
    label = _label(group, kind)
    return Lane(
        key=f"{kind}:{by}",
        label=label,
        after_label=_after_label(group, kind, label),
        file_class=_main_class(group, kind),
        stroke=stroke,
        says=_says(kind, group, here, plan),
        now=now,
        after=after,
        count=len(group.spoken) + sum(len(page.places) for page in stays),
        spoken=tuple(sorted(group.spoken, key=lambda m: (not m.changes_disk, m.at))),
        stays=stays,
        kept=plan.kept,
        question=by if kind == "question" else "",
    )


def _stroke(kind: str, group: _Group, plan: Plan) -> Stroke:
    strokes = {
        "behind": Stroke.BEHIND,
        "new": Stroke.NEW,
        "merge": Stroke.MERGED,
        "left out": Stroke.LEFT_OUT,
        "starts": Stroke.REPLACED,
        "there": Stroke.NEW,
        "apart": Stroke.INTACT,
    }
    if kind == "question" and is_open(plan, group.spoken[0].question):
        return Stroke.OPEN
    if kind == "question" and all(m.verb is Verb.DROP for m in group.spoken):
        return Stroke.LEFT_OUT
    if kind not in ("carried", "question"):
        return strokes[kind]
    return Stroke.CARRIED if any(m.changes_disk for m in group.spoken) else Stroke.BEHIND


def _main_class(group: _Group, kind: str) -> FileClass:
    if kind == "new":
        return FileClass.PROGRAM
    found = Counter(m.file_class for m in group.spoken if m.after is None or m.after.kind is not Kind.FOLDER)
    for page in (*group.old, *group.there):
        found.update({c: total.files for c, total in page.totals().items()})
    return found.most_common(1)[0][0] if found else FileClass.UNSORTED


def _paths(group: _Group) -> list[str]:
    """What it is called in the old folder."""
    there = [page.page.place(at) for page in (*group.old, *group.there) for at in page.places]
    if not there:
        there = [m.source.at if isinstance(m.source, FromRoot) else m.at for m in group.spoken]
    return [at.path if at.root == OLD else at.shown for at in there]


def _label(group: _Group, kind: str) -> str:
    words = {"new": "", "there": "", "starts": "shortcuts", "left out": "left out"}
    if kind in words:
        return words[kind]
    if kind == "behind":
        name = _main_class(group, kind).value
        return "the old program" if name == "program" else f"{name}s" if not name.endswith("s") else name
    return _common(_paths(group))


def _common(paths: list[str]) -> str:
    if len(paths) == 1:
        return paths[0]
    tops = Counter(path.partition("/")[0] + "/" if "/" in path else path for path in paths)
    if len(tops) == 1:
        return next(iter(tops))
    if not any(top.endswith("/") for top in tops):
        return f"{len(paths)} at the root"
    shown = [top for top, _ in tops.most_common(3)]
    return ", ".join(sorted(shown)) + (" …" if len(tops) > 3 else "")


def _after_label(group: _Group, kind: str, now: str) -> str:
    if kind in ("behind", "left out"):
        return ""
    if kind in ("new", "there"):
        return "program"
    moved = [m.at.shown for m in group.spoken if m.verb is Verb.REHOME]
    shown = _common(moved) if moved else now
    name = shown.rstrip("/").rpartition("/")[2]
    return f"{name}/" if shown.endswith("/") else name


def _says(kind: str, group: _Group, here: Iterable[Move], plan: Plan) -> str:
    here = list(here)
    new = plan.to_version or "the new build"
    if kind == "question":
        return asked_words(here, waits=is_open(plan, group.spoken[0].question))
    if kind == "behind":
        program = _main_class(group, kind) is FileClass.PROGRAM
        return "stays behind" if program else "stays behind, can be rebuilt"
    if kind == "new":
        replaced = sum(1 for m in here if m.before is not None and m.before.kind is not Kind.FOLDER)
        return f"{new} ships it" + (f", {replaced} replaced" if replaced else "")
    if kind == "merge":
        return merged_words([plan.merges[m.at].lines for m in here if m.at in plan.merges])
    if kind == "starts":
        return "led to the new folder"
    if kind == "there":
        return "lies there already"
    if kind == "apart":
        return "stays where it is"
    if kind == "left out":
        return "not laid"
    return _carried_words(here)


def _carried_words(here: list[Move]) -> str:
    files = [m for m in here if m.after is not None and m.after.kind is not Kind.FOLDER]
    if not any(m.changes_disk for m in here):
        return "stays behind"
    links = sum(1 for m in files if m.after is not None and m.after.kind is Kind.LINK and m.source is None)
    if links and links == len(files):
        return "stays there, with a link to it"
    stubs = sum(1 for m in files if m.before is not None and m.changes_disk)
    words = "kept elsewhere" if any(m.verb is Verb.REHOME for m in files) else "carried"
    if any(m.joins is not None for m in files):
        words = "one copy under two names"
    states = sum(1 for m in files if m.file_class is FileClass.STATES)
    if stubs:
        return f"{words} over {stubs} stub{'s' if stubs > 1 else ''}"
    return f"{words}; {states} may not load" if states == len(files) and states else words
