"""Steps around the swap, as a keepsheet has them: what the person does before and after, on any route."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import replace

from left_intact.core.keepsheet.sheet import Keepsheet
from left_intact.core.model.around import StepRule, TestRule, When, Workaround
from left_intact.core.model.place import At
from left_intact.core.model.stages import IN_USE, ManualCheck, ManualStep, Sign
from left_intact.core.model.version import Version
from left_intact.core.survey.patterns import matches


def steps_when(sheet: Keepsheet, when: Sequence[When], changing: Iterable[str]) -> tuple[ManualStep, ...]:
    """The steps that have their turn then, in the order of the sheet. `changing` are the paths that change:
    a step for some parts alone is left out where none of them does.
    """
    paths = tuple(changing)
    return tuple(_hand(rule) for rule in sheet.steps if rule.when in when and _concerns(rule.parts, paths))


def around(
    sheet: Keepsheet, changing: Iterable[str], *, here: str, to: str, parts_only: bool = False
) -> tuple[tuple[ManualStep, ...], tuple[ManualStep, ...]]:
    """(steps before, steps after) an update from one version to another. Those after end with what was done
    against faults that are mended now, and with how it is tried. With `parts_only` what is for the whole
    program is left out.
    """
    paths = tuple(changing)
    if parts_only:
        sheet = replace(
            sheet,
            steps=tuple(rule for rule in sheet.steps if rule.parts),
            tests=tuple(rule for rule in sheet.tests if rule.parts),
            workarounds=(),
        )
    before = steps_when(sheet, (When.BEFORE,), paths)
    after = [*steps_when(sheet, (When.AFTER,), paths)]
    after += [
        _drop(number, one) for number, one in enumerate(sheet.workarounds, 1) if _is_mended(one, here, to)
    ]
    after += [
        _test(number, rule, paths)
        for number, rule in enumerate(sheet.tests, 1)
        if _concerns(rule.parts, paths)
    ]
    return before, tuple(after)


def _concerns(parts: Sequence[str], paths: Sequence[str]) -> bool:
    return not parts or any(matches(part, path) for part in parts for path in paths)


def _hand(rule: StepRule) -> ManualStep:
    undo = ManualStep(
        id=f"undo-{rule.id}",
        asks=rule.undo,
        why=f"it undoes: {rule.do}",
        check=ManualCheck(sign=Sign.SAID),
        may_skip=True,
        bounds=rule.bounds,
        on=rule.on,
    )
    return ManualStep(
        id=rule.id,
        asks=rule.do,
        why=rule.why or "its keepsheet says that every update needs it",
        check=ManualCheck(sign=rule.sign, at=At("", rule.path), key=rule.key, value=rule.value),
        back=undo if rule.undo else None,
        may_skip=rule.may_skip,
        command=rule.command,
        bounds=rule.bounds,
        prompts=rule.prompts,
        on=rule.on,
    )


def _test(number: int, rule: TestRule, paths: Sequence[str]) -> ManualStep:
    tried = next((p for p in paths if any(matches(part, p) for part in rule.parts)), "")
    asks = f"try {tried}: start {rule.title}" if tried else f"try it: start {rule.title}"
    asks += f" with {rule.with_}" if rule.with_ else ""
    return ManualStep(
        id=f"test-{number}",
        asks=asks,
        why=rule.look or "the same title and settings each time, so that a difference is the update's",
        check=ManualCheck(sign=Sign.SAID),
        may_skip=True,
        bounds=IN_USE,
    )


def _drop(number: int, one: Workaround) -> ManualStep:
    span = f"needed from {one.since or 'the beginning'} until {one.until}"
    return ManualStep(
        id=f"drop-{number}",
        asks=f"drop the workaround: {one.what}",
        why=f"{span}{f' ({one.reason})' if one.reason else ''}; leave this out to keep it",
        check=ManualCheck(sign=Sign.SAID),
        may_skip=True,
        bounds=IN_USE,
    )


def _is_mended(one: Workaround, here: str, to: str) -> bool:
    """Whether a workaround was needed until now, and is not from this version on."""
    until, there, mine = Version.parse(one.until), Version.parse(to), Version.parse(here)
    if until is None or there is None:
        return False
    reached = there.compare(until)
    was_past = mine.compare(until) if mine is not None else None
    since = Version.parse(one.since) if one.since else None
    needed = since is None or mine is None or mine.compare(since) in (0, 1, None)
    return reached in (0, 1) and was_past not in (0, 1) and needed
