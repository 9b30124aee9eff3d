"""Keepsheets as the stages use them, and reading them. The format is described in docs/keepsheets.md."""

from __future__ import annotations

import re
import tomllib
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

from left_intact.core.model.around import ClearRule, StepRule, TestRule, When, Workaround
from left_intact.core.model.classes import FileClass
from left_intact.core.model.errors import LeftIntactError
from left_intact.core.model.stages import IN_USE, Prompt, Sign
from left_intact.core.model.things import ThingRule

if TYPE_CHECKING:
    from pydantic import ValidationError

    from left_intact.core.keepsheet.format import Clear, Sheet, Step


@dataclass(frozen=True, slots=True, kw_only=True)
class Keepsheet:
    """What is known about one program."""

    program: str = ""
    classes: tuple[tuple[str, FileClass], ...] = ()
    """(pattern, class); later ones speak before earlier ones."""
    version_places: tuple[tuple[str, str], ...] = ()
    """(file, regular expression) of where the version is read."""
    renamed: tuple[tuple[str, str, str], ...] = ()
    """(file, old key, new key) as shown keys."""
    moved: tuple[tuple[str, str, str], ...] = ()
    """(old path, new path, first version with it)."""
    keyed: tuple[tuple[str, str, str], ...] = ()
    """(folder, class of what it holds, what its ids are)."""
    wishes: tuple[tuple[str, str, str, str], ...] = ()
    """(file, key, value, reason) of settings that are to hold after every update."""
    ties: tuple[tuple[str, str, str, str], ...] = ()
    """(other install, versions it goes with, file made from it, reason)."""
    first_start: tuple[str, ...] = ()
    """Patterns of what a first start writes."""
    things: tuple[ThingRule, ...] = ()
    """How titles, mods and the like are counted."""
    steps: tuple[StepRule, ...] = ()
    """Steps around the swap, in their order."""
    tests: tuple[TestRule, ...] = ()
    workarounds: tuple[Workaround, ...] = ()
    clear: ClearRule | None = None
    """How it is cleared, where it cannot be laid over the old one."""
    given: str = ""
    """The text of a sheet that was given for one plan alone: its later stages need it, too."""

    def renames_in(self, path: str) -> tuple[tuple[str, str], ...]:
        return tuple((old, new) for file, old, new in self.renamed if file == path)

    def over(self, under: Keepsheet) -> Keepsheet:
        """This sheet with what another one knows beneath it."""
        return Keepsheet(
            program=self.program or under.program,
            classes=(*under.classes, *self.classes),
            version_places=(*self.version_places, *under.version_places),
            renamed=(*under.renamed, *self.renamed),
            moved=(*under.moved, *self.moved),
            keyed=(*under.keyed, *self.keyed),
            wishes=(*under.wishes, *self.wishes),
            ties=(*under.ties, *self.ties),
            first_start=(*under.first_start, *self.first_start),
            things=(*self.things, *under.things),
            steps=(*under.steps, *self.steps),
            tests=(*under.tests, *self.tests),
            workarounds=(*under.workarounds, *self.workarounds),
            clear=self.clear or under.clear,
            given=self.given,
        )


NO_SHEET = Keepsheet()


def read_sheet(path: str) -> Keepsheet:
    """Read a keepsheet. Raises `LeftIntactError` (`bad-sheet`) with the place of the fault."""
    return parse_sheet(read_text(path), path)


def read_text(path: str) -> str:
    try:
        return Path(path).read_text("utf-8")
    except (OSError, UnicodeDecodeError) as error:
        reason = error.strerror if isinstance(error, OSError) and error.strerror else str(error)
        raise _bad(path, f"it cannot be read ({reason.lower()})") from error


def parse_sheet(text: str, where: str) -> Keepsheet:
    """Parse the text of a keepsheet; `where` is named in errors."""
    sheet = validated(text, where)
    return Keepsheet(
        program=sheet.program,
        classes=tuple(sheet.classes.items()),
        version_places=tuple((place.file, place.pattern) for place in sheet.version),
        renamed=tuple((r.file, r.old, r.new) for r in sheet.renamed),
        moved=tuple((m.old, m.new, m.since) for m in sheet.moved),
        keyed=tuple((k.folder, k.holds, k.key) for k in sheet.keyed),
        wishes=tuple((w.file, w.key, w.value, w.reason) for w in sheet.wish),
        ties=tuple((t.to, t.versions, t.made or "", t.reason) for t in sheet.tie),
        first_start=(*sheet.first_start.files, *(f.rstrip("/") + "/" for f in sheet.first_start.folders)),
        things=tuple(
            ThingRule(counts=t.counts, files=t.files, file=t.file or "", at=t.at, name=t.name, on=t.on)
            for t in sheet.things
        ),
        steps=tuple(_step(number, one) for number, one in enumerate(sheet.step, 1)),
        tests=tuple(
            TestRule(title=t.title, with_=t.configuration, look=t.look, parts=tuple(t.parts))
            for t in sheet.test
        ),
        workarounds=tuple(
            Workaround(what=w.what, since=w.since, until=w.until, reason=w.reason) for w in sheet.workaround
        ),
        clear=_clear(sheet.clear),
    )


def _step(number: int, one: Step) -> StepRule:
    signs = {
        Sign.GONE: one.gone,
        Sign.APPEARS: one.appears,
        Sign.VERSION_READS: one.version or None,
        Sign.SETTING_HAS: one.file,
    }
    sign = next((sign for sign, said in signs.items() if said is not None), Sign.SAID)
    reads = sign is Sign.VERSION_READS
    return StepRule(
        id=one.id or f"step-{number}",
        when=When(one.when),
        do=one.do,
        why=one.why,
        sign=sign,
        path="" if reads else (signs.get(sign) or ""),
        key=one.key,
        value=one.version if reads else one.value,
        may_skip=one.skip,
        parts=tuple(one.parts),
        command=tuple(one.command),
        undo=one.undo,
        on=one.on,
        prompts=tuple(Prompt(asks=asked.asks, answer=asked.answer) for asked in one.prompt),
        bounds=replace(
            IN_USE,
            changes=tuple(dict.fromkeys((*IN_USE.changes, *one.may_change, *one.may_remove))),
            goes=tuple(dict.fromkeys((*IN_USE.goes, *one.may_remove))),
        ),
    )


def _clear(one: Clear | None) -> ClearRule | None:
    if one is None:
        return None
    return ClearRule(
        because=one.because,
        wipes=one.wipes,
        by_hand=one.by_hand,
        device=one.device,
        remove=one.remove,
        lay=one.lay,
        start=one.start,
        prompt=one.prompt,
        ghost=one.ghost or "",
        unghost=one.unghost,
    )


_SHEET_MOST = 1 << 20


def validated(text: str, where: str) -> Sheet:
    """The file as its schema knows it. Raises `bad-sheet` with line and reason."""
    from pydantic import ValidationError

    from left_intact.core.keepsheet.format import Sheet

    if len(text) > _SHEET_MOST:
        raise _bad(where, f"it is larger than {_SHEET_MOST:,} letters")
    try:
        said: dict[str, Any] = tomllib.loads(text)
    except RecursionError as error:
        raise _bad(where, "it is nested too deep") from error
    except tomllib.TOMLDecodeError as error:
        place = "" if "line" in str(error) else f"line {max(1, len(text.splitlines()))}: "
        raise _bad(where, place + str(error)) from error
    try:
        return Sheet.model_validate(said)
    except ValidationError as error:
        raise _bad(where, _first_fault(error, text)) from error


def _first_fault(error: ValidationError, text: str) -> str:
    first = error.errors()[0]
    place = ".".join(str(part) for part in first["loc"])
    line = _line_of([str(part) for part in first["loc"]], text.splitlines())
    return f"line {line}, {place}: {first['msg']}" if line else f"{place}: {first['msg']}"


def _line_of(parts: list[str], rows: list[str]) -> int:
    """The line that a fault is in: down through tables and their number to the key itself; 0 where it
    cannot be told.
    """
    at = 0
    for part, number in zip(parts, [*parts[1:], ""], strict=True):
        if part.isdigit():
            continue
        wanted = int(number) if number.isdigit() else 0
        for line in range(at, len(rows)):
            if re.match(rf"\s*\[*[\"']?{re.escape(part)}[\"']?\s*(?:[\]=.]|$)", rows[line]):
                if wanted:
                    wanted -= 1
                    continue
                at = line
                break
        else:
            return at + 1 if at else 0
    return at + 1 if rows else 0


def _bad(path: str, why: str) -> LeftIntactError:
    return LeftIntactError(
        "bad-sheet", f"this keepsheet is refused: {why}", path=path, way_out="Mend it and try again."
    )
