"""True conflicts, gathered into as few questions as they allow."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass

from left_intact.core.model.place import At
from left_intact.core.model.plan import KeyLine, Merge, Question
from left_intact.core.planning.table import Ask
from left_intact.words import size

_MANY = 4
Key = tuple[str, ...]
_WORDS: dict[Ask, tuple[str, tuple[str, str], tuple[str, str]]] = {
    Ask.BOTH_CHANGED: (
        "{what}: you changed {it}, and {new} changed {it} too",
        ("yours", "arriving"),
        (
            "yours stays",
            "the arriving one is laid, yours goes into the strongbox",
        ),
    ),
    Ask.DELETED_CHANGED: (
        "{what}: shipped, and you deleted {it}; {new} ships {it} anew",
        ("leave", "lay"),
        ("it stays deleted", "it is laid again"),
    ),
    Ask.IN_THE_WAY: (
        "{what}: not known to be the program's, and {new} ships {it} too",
        ("yours", "arriving"),
        (
            "yours stays",
            "the arriving one is laid, yours goes into the strongbox",
        ),
    ),
    Ask.NOT_MERGED: (
        "{what}: {new} ships {it} changed, and it is not sure how to merge {it}",
        ("yours", "arriving"),
        (
            "yours stays whole",
            "the arriving one is laid, yours goes into the strongbox",
        ),
    ),
    Ask.UNPROVEN: (
        "{what}: likely the program's, or changed by you; {new} has others",
        ("arriving", "yours"),
        (
            "the arriving one is laid, what lies there goes into the strongbox",
            "it stays as it is, beside what {new} brings",
        ),
    ),
}
_KINDS = {"code": "files of code", "resources": "resources and documents"}


@dataclass(frozen=True, slots=True, kw_only=True)
class Conflict:
    """One path that a question is about."""

    path: str
    ask: Ask
    note: str = ""
    """What is to be said with the question."""
    kind: str = ""
    """Of what is asked once for each kind: `code` or `resources`."""
    bytes: int = 0
    """How large what lies there is."""


def file_questions(conflicts: Sequence[Conflict], new: str, answers: Mapping[str, str]) -> list[Question]:
    """One question a kind and folder; with many folders, one a top folder; with many of those, one. What is
    likely the program's is one question, which tells how much of it is code.
    """
    questions: list[Question] = []
    for ask in Ask:
        mine = [c for c in conflicts if c.ask is ask]
        lump = ask is Ask.UNPROVEN
        groups = {"": [c.path for c in mine]} if lump else _grouped([c.path for c in mine])
        for where, group in groups.items():
            if not group:
                continue
            asks, options, leads = _WORDS[ask]
            only = len(group) == 1
            what = group[0] if only else f"{len(group)} files in {where}/" if where else f"{len(group)} files"
            if lump and not only:
                what = _by_kind(mine)
                amount = size(sum(c.bytes for c in mine))
                leads = (
                    f"they are laid; {amount} go into the strongbox",
                    f"they stay old: {new} is not whole then",
                )
            elif not only:
                leads = (leads[0].replace("stays", "stay"), leads[1].replace(" one is", " ones are"))
                leads = (leads[0], leads[1].replace("yours goes", "yours go").replace("it is", "they are"))
            leads = (leads[0], leads[1].format(new=new))
            text = asks.format(what=what, it="it" if only else "them", new=new)
            base = _slug(f"{ask}-{group[0] if only else where or 'files'}")
            notes = {c.note: c.path for c in conflicts if c.note and c.ask is ask and c.path in group}
            note = "; ".join(n if only else f"{path}: {n}" for n, path in list(notes.items())[:2])
            questions.append(
                _question(
                    base,
                    text,
                    options,
                    leads,
                    options[0],
                    tuple(group),
                    answers,
                    questions,
                    note=note,
                    lets_go=("arriving",),
                )
            )
    return questions


def _by_kind(conflicts: Sequence[Conflict]) -> str:
    """`12 files of code, 40 resources and documents`."""
    found = Counter(conflict.kind or "resources" for conflict in conflicts)
    return ", ".join(f"{found[kind]:,} {words}" for kind, words in _KINDS.items() if found[kind])


def _grouped(paths: list[str]) -> dict[str, list[str]]:
    ways: tuple[Callable[[str], str], ...] = (
        lambda p: p.rpartition("/")[0],
        lambda p: p.split("/")[0] if "/" in p else "",
        lambda p: "",
    )
    groups: dict[str, list[str]] = {}
    for way in ways:
        groups = {}
        for path in paths:
            groups.setdefault(way(path), []).append(path)
        if len(groups) <= _MANY:
            break
    return groups


def key_questions(
    merges: Mapping[str, Merge], answers: Mapping[str, str], before: list[Question]
) -> tuple[list[Question], dict[str, dict[Key, str]]]:
    """(questions, answers by path and key). The same conflict in many files of a folder is one question."""
    groups: dict[tuple[str, Key, str | None, str | None], list[tuple[str, KeyLine]]] = {}
    for path, merge in merges.items():
        for line in merge.lines:
            if line.decided == "conflict":
                alike = (path.rpartition("/")[0], line.path, line.shipped, line.arriving)
                groups.setdefault(alike, []).append((path, line))
    questions: list[Question] = []
    for (folder, _, shipped, arriving), group in groups.items():
        path, line = group[0]
        only = len(group) == 1
        what = path if only else f"{len(group)} files in {folder}/"
        mine = f"yours, {line.yours}" if only else "yours"
        leads = (f"keeps {mine}", f"takes the arriving {arriving}")
        base = _slug(f"{path if only else folder}-{line.key}")
        asks = f"{what}: you and the release both changed {line.key}"
        paths = tuple(p for p, _ in group)
        questions.append(
            _question(
                base,
                asks,
                ("yours", "arriving"),
                leads,
                "yours",
                paths,
                answers,
                [*before, *questions],
                note=f"was shipped as {shipped}",
            )
        )
    chosen: dict[str, dict[Key, str]] = {}
    for question, (_, key, _, _) in zip(questions, groups, strict=True):
        for at in question.paths:
            chosen.setdefault(at.path, {})[key] = question.choice
    return questions, chosen


def _question(
    base: str,
    asks: str,
    options: tuple[str, ...],
    leads: tuple[str, ...],
    default: str,
    paths: Iterable[str],
    answers: Mapping[str, str],
    taken: list[Question],
    note: str = "",
    lets_go: tuple[str, ...] = (),
) -> Question:
    ids = {q.id for q in taken}
    name, number = base, 2
    while name in ids:
        name, number = f"{base}-{number}", number + 1
    answer = answers.get(name)
    return Question(
        id=name,
        asks=asks,
        options=options,
        leads_to=leads,
        default=default,
        answer=answer if answer in options else None,
        paths=tuple(At("", path) for path in paths),
        note=note,
        lets_go=lets_go,
    )


def _slug(text: str) -> str:
    return re.sub(r"[^a-z0-9]+", "-", text.lower()).strip("-")[:80] or "question"
