"""Reading keepsheets. The format is described in docs/keepsheets.md."""

from __future__ import annotations

import re
import tomllib
from pathlib import Path
from typing import TYPE_CHECKING, Any

from left_intact.core.model.classes import FileClass
from left_intact.core.model.errors import LeftIntactError

if TYPE_CHECKING:
    from pydantic import ValidationError

FORMAT = 1


class Keepsheet:
    """A keepsheet as the stages use it: patterns, version places, renamed keys."""

    def __init__(
        self,
        program: str = "",
        classes: tuple[tuple[str, FileClass], ...] = (),
        version_places: tuple[tuple[str, str], ...] = (),
        renamed: tuple[tuple[str, str, str], ...] = (),
    ) -> None:
        self.program = program
        self.classes = classes
        self.version_places = version_places
        self.renamed = renamed
        """(file, old key, new key) as shown keys."""

    def renames_in(self, path: str) -> tuple[tuple[str, str], ...]:
        return tuple((old, new) for file, old, new in self.renamed if file == path)


NO_SHEET = Keepsheet()


def read_sheet(path: str) -> Keepsheet:
    """Read a keepsheet. Raises `LeftIntactError` (`bad-sheet`) with the place of the fault."""
    try:
        text = Path(path).read_text("utf-8")
    except (OSError, UnicodeDecodeError) as error:
        raise _bad(path, f"it cannot be read ({error})") from error
    return parse_sheet(text, path)


def parse_sheet(text: str, where: str) -> Keepsheet:
    """Parse the text of a keepsheet; `where` is named in errors."""
    from pydantic import ValidationError

    try:
        said = tomllib.loads(text)
    except tomllib.TOMLDecodeError as error:
        place = "" if "line" in str(error) else f"line {max(1, len(text.splitlines()))}: "
        raise _bad(where, place + str(error)) from error
    try:
        return _checked(said)
    except ValidationError as error:
        raise _bad(where, _first_fault(error, text)) from error


def _checked(said: dict[str, Any]) -> Keepsheet:
    from pydantic import BaseModel, ConfigDict, Field

    class Strict(BaseModel):
        model_config = ConfigDict(extra="forbid")

    class VersionPlace(Strict):
        file: str
        pattern: str

    class Renamed(Strict):
        file: str
        old: str = Field(alias="from")
        new: str = Field(alias="to")

    class Sheet(Strict):
        format: int = Field(ge=1, le=FORMAT)
        program: str = ""
        classes: dict[str, FileClass] = {}
        version: list[VersionPlace] = []
        renamed: list[Renamed] = []

    sheet = Sheet.model_validate(said)
    return Keepsheet(
        program=sheet.program,
        classes=tuple(sheet.classes.items()),
        version_places=tuple((place.file, place.pattern) for place in sheet.version),
        renamed=tuple((r.file, r.old, r.new) for r in sheet.renamed),
    )


def _first_fault(error: ValidationError, text: str) -> str:
    first = error.errors()[0]
    place = ".".join(str(part) for part in first["loc"])
    last = str(first["loc"][-1]) if first["loc"] else ""
    line = next(
        (n for n, row in enumerate(text.splitlines(), 1) if last and re.match(rf"\s*\[*[\"']?{re.escape(last)}\b", row)), 0
    )
    return f"line {line}, {place}: {first['msg']}" if line else f"{place}: {first['msg']}"


def _bad(path: str, why: str) -> LeftIntactError:
    return LeftIntactError("bad-sheet", f"this keepsheet is refused: {why}", path=path, way_out="Mend it and try again.")
