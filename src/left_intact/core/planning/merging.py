"""Merging a settings file for a plan: three texts become one, and that becomes a move. All routes do it here,
and so do stages that are drawn later.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace
from types import MappingProxyType

from blake3 import blake3

from left_intact.core.files.headers import is_code_text
from left_intact.core.keepsheet.sheet import Keepsheet
from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Entry
from left_intact.core.model.place import At
from left_intact.core.model.plan import KeyLine, Merge, Question
from left_intact.core.model.stages import Made, Move, Verb
from left_intact.core.planning.questions import key_questions
from left_intact.core.settings.document import Key
from left_intact.core.settings.merge import merge_settings

Wishes = Mapping[At, bytes]
"""By the place of a settings file: a piece of settings in its format, with the keys that the person wants to
say so whatever comes.
"""
NO_WISHES: Wishes = MappingProxyType({})


def merge(
    at: At,
    lies: Entry,
    *,
    mine: bytes | None,
    base: bytes | None,
    arriving: bytes | None,
    sheet: Keepsheet,
    wishes: Wishes = NO_WISHES,
    answers: Mapping[Key, str] | None = None,
) -> Merge:
    """The person's settings with what comes, key by key. `lies` is their file, `mine` its bytes, `base` what
    was shipped before. Where that does not work `trouble` says why.
    """
    if mine is None or arriving is None or blake3(mine).hexdigest() != lies.digest:
        return Merge(lines=(), content=mine or b"", trouble="it could not be read in full")
    if is_code_text(at.name, mine):
        return Merge(lines=(), content=mine, trouble="it is source code")
    return merge_settings(
        base,
        mine,
        arriving,
        file_format=lies.format,
        name=at.name,
        answers=answers,
        wished=wishes.get(at),
        renames=sheet.renames_in(at.path),
    )


def settle_keys(
    merges: dict[str, Merge],
    answers: Mapping[str, str],
    asked: list[Question],
    again: Callable[[str, Mapping[Key, str]], Merge],
) -> list[Question]:
    """What is asked about keys that both sides changed; the merges become what the answers say so far.

    `again` merges a path once more with answers by key; `asked` are questions that there are already.
    """
    questions, chosen = key_questions(dict(sorted(merges.items())), answers, asked)
    for path, by_key in chosen.items():
        merges[path] = again(path, by_key)
    return questions


def made(merged: Merge) -> Made:
    """The bytes of a merged file, as what a move lays."""
    return Made(blake3(merged.content).hexdigest(), merged.content, merged.lines)


def merged_over(lies: Entry, merged: Merge) -> Entry:
    """A merged file as it lies then: at the place and with the mode and time of the one that was."""
    digest = blake3(merged.content).hexdigest()
    return replace(lies, bytes=len(merged.content), digest=digest, stamp=(0, 0, 0))


def merge_move(
    at: At, lies: Entry, merged: Merge, because: str, *, file_class: FileClass = FileClass.SETTINGS
) -> Move:
    """What lays a merged file over the person's own."""
    after = merged_over(lies, merged)
    return Move(
        at=at,
        verb=Verb.MERGE,
        file_class=file_class,
        because=because,
        bytes=after.bytes,
        before=lies,
        after=after,
        source=made(merged),
    )


def one_on_the_other(below: Merge, above: Merge) -> Merge:
    """Two merges, the second over what the first made: what the first decided stands where the second is
    silent.
    """
    before = {line.path: line for line in below.lines}

    def spoken(line: KeyLine) -> KeyLine:
        known = before.pop(line.path, None)
        if known is None:
            return line
        decided = known.decided if line.decided in ("same", "yours") else line.decided
        return replace(line, shipped=known.shipped, yours=known.yours, decided=decided)

    lines = tuple(map(spoken, above.lines))
    return replace(above, lines=(*lines, *before.values()))
