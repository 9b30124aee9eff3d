"""The crossing: a plan's moves gathered into a dozen lanes from now to after."""

from __future__ import annotations

import os
from collections import Counter
from dataclasses import dataclass, field

from left_intact.core.model.classes import FileClass
from left_intact.core.model.facts import IntoNewRoot
from left_intact.core.model.plan import Move, Plan, Verb
from left_intact.core.model.survey import Total
from left_intact.core.model.telling import LaneRule, Stroke
from left_intact.core.model.unchanged import UnchangedPage
from left_intact.presentation.crossing_to_new_root import lanes_to_new_root
from left_intact.presentation.lanes import (
    MOST,
    ORDER,
    Lane,
    LaneHead,
    asked_words,
    by_class,
    is_open,
    merged_words,
    sum_of,
    sum_of_pages,
)

__all__ = ["Lane", "LaneHead", "has_new_root", "lanes_of"]
_Key = tuple[int, str, str, str]
"""(place in the order, kind of lane, what it is grouped by, the route's own rule for it)."""


@dataclass(slots=True)
class _Group:
    """What goes into one lane."""

    rule: LaneRule | None = None
    """The route's own, where it has one for it."""
    spoken: list[Move] = field(default_factory=list)
    stays: list[UnchangedPage] = field(default_factory=list)

    @property
    def count(self) -> int:
        return len(self.spoken) + sum(len(page.places) for page in self.stays)


def lanes_of(plan: Plan) -> tuple[Lane, ...]:
    """The lanes of a plan, the program's first, what goes aside after it, then theirs by class."""
    if has_new_root(plan):
        return lanes_to_new_root(plan)
    coarse = len(_groups(plan, coarse=False)) > MOST
    groups = _groups(plan, coarse=coarse)
    return tuple(_lane(key, groups[key], plan) for key in sorted(groups))


def has_new_root(plan: Plan) -> bool:
    """Whether a plan leaves a folder behind; none that goes back to it does."""
    return isinstance(plan.facts.way, IntoNewRoot)


def _groups(plan: Plan, *, coarse: bool) -> dict[_Key, _Group]:
    groups: dict[_Key, _Group] = {}
    lanes = plan.telling.lanes

    def group(key: tuple[int, str, str], rule: LaneRule | None) -> _Group:
        order, kind, by = key
        by = "" if rule is not None and rule.together else by
        return groups.setdefault((order, kind, by, rule.name if rule else ""), _Group(rule=rule))

    for move in (*plan.kept.rest, *plan.net):
        rule = next((rule for rule in lanes if rule.takes(move)), None)
        group(_group(move, plan, coarse=coarse), rule).spoken.append(move)
    for page in plan.kept.pages:
        top = page.page.at.shown.partition("/")[0]
        for kind, part in by_class(page):
            rule = next((rule for rule in lanes if rule.takes_those(Verb.KEEP, kind)), None)
            group(_group_of_kept(kind, top, coarse=coarse), rule).stays.append(part)
    return groups


def _group_of_kept(kind: FileClass, top: str, *, coarse: bool) -> tuple[int, str, str]:
    if kind is FileClass.PROGRAM and coarse:
        return 0, "program", ""
    if kind is FileClass.PROGRAM:
        return 0, "program", top
    return 11 + ORDER[kind] * 2, kind.value, "" if coarse else top


def _group(move: Move, plan: Plan, *, coarse: bool) -> tuple[int, str, str]:
    if move.verb is Verb.RETIRE:
        return 1, "aside", ""
    if move.question and move.verb is not Verb.MERGE:
        return 2, "question", move.question
    if move.verb is Verb.DROP:
        return 3, "left out", ""
    if move.verb is Verb.MERGE:
        return (
            10 + ORDER[FileClass.SETTINGS] * 2,
            "merge",
            move.at.shown if plan.count(Verb.MERGE) <= 3 else "",
        )
    path = move.at.shown
    top = path.split("/", 1)[0] if "/" in path else ""
    return _group_of_kept(move.file_class, top, coarse=coarse)


def _lane(key: _Key, group: _Group, plan: Plan) -> Lane:
    _, kind, by, rule = key
    stroke = _stroke(kind, group, plan)
    label = _label(group)
    stays = sum_of_pages(group.stays)
    goes = group.rule is not None and group.rule.goes and stroke is group.rule.stroke
    first = group.spoken[0].question if group.spoken else ""
    return Lane(
        key=f"{kind}:{by}:{rule}" if rule else f"{kind}:{by}",
        label=label,
        after_label=_after_label(stroke, label),
        file_class=_main_class(group),
        stroke=stroke,
        says=_says(stroke, group, plan),
        now=sum_of(m.before for m in group.spoken) + stays,
        after=Total() if goes else sum_of(m.after for m in group.spoken) + stays,
        count=group.count,
        spoken=tuple(sorted(group.spoken, key=lambda m: (not m.changes_disk, m.at))),
        stays=tuple(group.stays),
        kept=plan.kept,
        means=group.rule.means if group.rule is not None and stroke is group.rule.stroke else "",
        question=by if kind == "question" else first if kind == "merge" else "",
    )


def _main_class(group: _Group) -> FileClass:
    found = Counter(m.file_class for m in group.spoken)
    for page in group.stays:
        found.update({kind: total.files for kind, total in page.totals().items()})
    return found.most_common(1)[0][0]


def _verbs(group: _Group) -> Counter[Verb]:
    found = Counter(m.verb for m in group.spoken)
    if stays := group.count - len(group.spoken):
        found[Verb.KEEP] += stays
    return found


def _stroke(kind: str, group: _Group, plan: Plan) -> Stroke:
    verbs = set(_verbs(group))
    if kind == "question" and is_open(plan, group.spoken[0].question):
        return Stroke.OPEN
    if group.rule is not None:
        return group.rule.stroke
    if kind == "aside":
        return Stroke.ASIDE
    if Verb.MERGE in verbs:
        return Stroke.MERGED
    if verbs & {Verb.REPLACE, Verb.ADD}:
        return Stroke.REPLACED
    if Verb.REHOME in verbs:
        return Stroke.CARRIED
    if verbs == {Verb.DROP}:
        return Stroke.LEFT_OUT
    return Stroke.SAME if kind == "program" else Stroke.INTACT


def _label(group: _Group) -> str:
    if group.count == 1:
        only = group.spoken[0].at if group.spoken else group.stays[0].page.place(group.stays[0].places[0])
        return only.shown
    folders = {m.at.folder.shown for m in group.spoken} | {page.page.at.shown for page in group.stays}
    if folders == {""}:
        return f"{group.count} at the root"
    if "" not in folders and (common := os.path.commonpath(folders)):
        return common + "/"
    paths = [m.at.shown for m in group.spoken]
    tops = {path.split("/", 1)[0] + ("/" if "/" in path else "") for path in paths}
    for page in group.stays:
        folder = page.page.at.shown
        tops |= {folder.split("/", 1)[0] + "/"} if folder else {page.page.names[at] for at in page.places}
    shown = sorted(tops)
    return ", ".join(shown[:3]) + (" …" if len(shown) > 3 else "")


def _after_label(stroke: Stroke, label: str) -> str:
    if stroke is Stroke.ASIDE:
        return "strongbox"
    if stroke in (Stroke.LEFT_OUT, Stroke.BEHIND):
        return ""
    if ", " in label:
        return label
    # Only the last part: the whole path stands on the left of the same line.
    name = label.rstrip("/").rpartition("/")[2]
    return f"{name}/" if label.endswith("/") else name


def _says(stroke: Stroke, group: _Group, plan: Plan) -> str:
    count = _verbs(group)
    if group.rule is not None and stroke is group.rule.stroke:
        return group.rule.says.format(count=group.count)
    if stroke is Stroke.ASIDE:
        return f"{group.count} no longer shipped"
    if stroke is Stroke.OPEN:
        return asked_words(group.spoken, waits=True)
    if stroke is Stroke.MERGED:
        return merged_words([plan.merges[m.at].lines for m in group.spoken if m.at in plan.merges])
    if stroke is Stroke.CARRIED:
        return "kept elsewhere"
    if stroke is Stroke.LEFT_OUT:
        return "you deleted it: stays deleted" if group.count == 1 else f"{group.count} stay deleted"
    if stroke is Stroke.INTACT:
        unsorted = _main_class(group) is FileClass.UNSORTED
        return "left intact, not sorted" if unsorted else "left intact"
    parts = [f"{count[Verb.REPLACE]} replaced"] if count[Verb.REPLACE] else []
    parts += [f"{count[Verb.ADD]} added"] if count[Verb.ADD] else []
    if count[Verb.KEEP] and len(parts) < 2:
        parts.append(f"{count[Verb.KEEP]} the same")
    return ", ".join(parts) or "the same"
