"""Another flavour of the program: what only the one that lies here has is asked about before it goes.

A store's build ships a few files without which the store no longer knows it; the project's own archive never
did, and brings many parts more. A release of the same flavour that merely drops a file is told from that by
what it brings: it adds little.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace

from left_intact.core.files.headers import is_binary_program
from left_intact.core.model.entry import Entry, Finding, Kind
from left_intact.core.model.place import At
from left_intact.core.model.plan import Question, Verb
from left_intact.core.planning.table import Row
from left_intact.words import count, listed

FLAVOUR = "flavour"
"""The question."""
_FULLER_LEAST, _FULLER_SHARE = 4, 0.3
"""So many new files of machine code, and of those here so large a share, make what comes a fuller flavour."""
_SMALL = 4096
"""Bytes of a file that may name this copy: an id, a receipt, the address of its shop."""


def flavour_question(
    rows: dict[str, Row],
    here: Callable[[str], Finding | None],
    code_here: int,
    coming: Mapping[str, Entry],
    answers: Mapping[str, str],
    new: str,
) -> Question | None:
    """Ask about what only this flavour has, and keep it in `rows` unless the answer is otherwise."""
    added = [coming[path] for path, row in rows.items() if row.verb is Verb.ADD]
    adds = sum(1 for entry in added if is_binary_program(entry.format))
    if adds < max(_FULLER_LEAST, _FULLER_SHARE * code_here):
        return None
    only = [
        path
        for path, row in sorted(rows.items())
        if row.verb is Verb.RETIRE and (found := here(path)) is not None and _is_told(found.entry)
    ]
    if not only:
        return None
    options = ("keep", "retire")
    answer = answers.get(FLAVOUR)
    what = only[0] if len(only) == 1 else f"{count(len(only), 'file')} ({listed(only, 3)})"
    them = "it" if len(only) == 1 else "them"
    question = Question(
        id=FLAVOUR,
        asks=f"only the flavour that lies here has {what}; {new} brings {adds} parts more, and not {them}",
        options=options,
        leads_to=(
            f"{'it stays' if len(only) == 1 else 'they stay'}: a store may know its copy by {them}",
            f"{'it is' if len(only) == 1 else 'they are'} set aside like all that {new} no longer ships",
        ),
        default="keep",
        answer=answer if answer in options else None,
        paths=tuple(At("", path) for path in only),
        note="another flavour of it",
        lets_go=("retire",),
    )
    if question.choice == "keep":
        for path in only:
            rows[path] = replace(rows[path], verb=Verb.KEEP, because="only this flavour has it: it stays")
    return question


def _is_told(entry: Entry) -> bool:
    """Return True for machine code, and for what is small enough to be a name of this copy."""
    if entry.kind is not Kind.FILE:
        return False
    return is_binary_program(entry.format) or entry.bytes <= _SMALL
