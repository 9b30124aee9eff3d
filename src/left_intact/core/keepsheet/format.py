"""The keepsheet as a schema: what may stand in the file, field by field. Imported only when one is read.

docs/keepsheet.schema.json is made from it (`left-intact sheet --schema`).
"""

from __future__ import annotations

from typing import Annotated, Literal, Self

from pydantic import AfterValidator, BaseModel, ConfigDict, Field, model_validator

from left_intact.core.model.classes import FileClass
from left_intact.core.model.pattern import is_pattern, why_no_pattern

FORMAT = 1
ClassName = Literal["program", "settings", "saves", "states", "content", "extras", "cache", "unsorted"]


def _relative(path: str) -> str:
    if path.startswith("/") or "\\" in path or ".." in path.split("/") or not path:
        raise ValueError("a path below the install, with forward slashes")
    return path


def _expression(pattern: str) -> str:
    import regex

    try:
        regex.compile(pattern)  # type: ignore[no-untyped-call]
    except (regex.error, RecursionError) as error:
        raise ValueError(f"not a regular expression ({error})") from error
    return pattern


def _pattern(text: str) -> str:
    if is_pattern(text) and (why := why_no_pattern(text)):
        raise ValueError(f"no pattern: {why}")
    return text


Pattern = Annotated[str, AfterValidator(_pattern)]
Below = Annotated[str, AfterValidator(_relative)]
Expression = Annotated[str, AfterValidator(_expression)]


class Strict(BaseModel):
    """Nothing that is not described may stand in a keepsheet: a misspelt word would be silently lost."""

    model_config = ConfigDict(extra="forbid")


class VersionPlace(Strict):
    """Where the version of an install is read."""

    file: Below
    pattern: Expression = Field(description="a regular expression; its last group is the version")


class Renamed(Strict):
    """A key that a release renamed in a settings file."""

    file: Below
    old: str = Field(alias="from")
    new: str = Field(alias="to")
    since: str = ""


class Moved(Strict):
    """A path that a release moved."""

    old: Below = Field(alias="from")
    new: Below = Field(alias="to")
    since: str = Field(default="", description="the first version that has the new path")


class Keyed(Strict):
    """A folder whose parts are named by ids that may change with an update."""

    folder: Below
    holds: ClassName = "saves"
    key: str = Field(default="", description="what the ids are, in words")


class Wish(Strict):
    """A setting that is to hold after every update."""

    file: Below
    key: str
    value: str
    reason: str = ""


class Tie(Strict):
    """What this install needs of another, or what must be made anew after an update of it."""

    to: str
    versions: str = Field(default="", description="the versions it goes with, such as `>=1.2 <2`")
    made: Below | None = Field(default=None, description="a file here that is made from the other one")
    reason: str = ""


class Things(Strict):
    """How things of a kind are counted before and after an update, beside what is counted by itself."""

    counts: Literal["titles", "pictures", "saves", "states", "mods", "profiles", "starts"]
    files: Pattern = Field(default="", description="a pattern; each file that meets it is one")
    file: Below | None = Field(
        default=None, description="a list of the program's own: JSON, TOML, INI, XML, lines"
    )
    at: str = Field(
        default="", description="with `file`: the way to the list in it, or the name of its elements"
    )
    name: str = Field(default="", description="with `file`: which part of an item names it")
    on: str = Field(default="", description="with `file`, of mods: which part says whether it is on")


class FirstStart(Strict):
    """What the program writes when it is first started: stubs, until somebody uses them."""

    files: list[Below] = []
    folders: list[Below] = []


class Asked(Strict):
    """What a step asks on its way, and the right answer."""

    asks: str = Field(min_length=1, max_length=200)
    answer: str = Field(min_length=1, max_length=200)


class Step(Strict):
    """A step around the swap that the person does, or a command that they allowed."""

    id: str = Field(default="", max_length=60, pattern=r"^[a-z0-9-]*$")
    when: Literal["before", "removed", "laid", "started", "after"] = "after"
    do: str = Field(min_length=1, max_length=400)
    why: str = ""
    gone: Below | None = Field(default=None, description="it is done once this is not there")
    appears: Below | None = Field(default=None, description="it is done once this is there")
    version: str = Field(default="", description="it is done once the install reads this version")
    file: Below | None = Field(default=None, description="it is done once this settings file has `key`")
    key: str = ""
    value: str = ""
    skip: bool = Field(default=False, description="whether it may be left out")
    parts: list[Pattern] = Field(default=[], description="only where something that meets one changes")
    command: list[str] = Field(
        default=[], max_length=20, description="words of a command that does it; run once it was allowed"
    )
    undo: str = Field(default="", description="what undoes it, in words")
    on: str = Field(default="", description="the device that it is done on, in words")
    prompt: list[Asked] = Field(default=[], description="what it asks on its way, and the right answers")
    may_change: list[FileClass] = Field(
        default=[], alias="may-change", description="classes that it may change, beside what use changes"
    )
    may_remove: list[FileClass] = Field(
        default=[], alias="may-remove", description="classes of which it may take something away"
    )

    @model_validator(mode="after")
    def _one_sign(self) -> Self:
        signs = [self.gone, self.appears, self.version or None, self.file]
        if sum(sign is not None for sign in signs) > 1:
            raise ValueError("only one of gone, appears, version and file")
        if self.file is not None and not self.key:
            raise ValueError("file needs a key")
        return self


class Test(Strict):
    """How a part, or the whole, is tried after an update."""

    title: str = Field(min_length=1)
    configuration: str = Field(default="", alias="with")
    look: str = ""
    parts: list[Pattern] = []


class WorkaroundOf(Strict):
    """Something done against a fault of some versions."""

    what: str = Field(min_length=1)
    since: str = Field(default="", alias="from")
    until: str = ""
    reason: str = ""


def _from_here(path: str) -> str:
    if path.startswith("/") or "\\" in path or not path.strip("./"):
        raise ValueError("a path from the install, with forward slashes")
    return path


class Clear(Strict):
    """How a program is cleared that cannot be laid over the old one."""

    because: str = Field(min_length=1)
    wipes: bool = Field(default=True, description="whether removing it takes its data along")
    by_hand: bool = Field(
        default=False,
        alias="by-hand",
        description="whether the device is reached only by a bridge or its own file browser",
    )
    device: str = ""
    remove: str = ""
    lay: str = ""
    start: str = ""
    prompt: str = Field(default="", description="what it asks on the way, and the right answer")
    ghost: Annotated[str, AfterValidator(_from_here)] | None = Field(
        default=None, description="from the install: what a former one may leave behind, still in the way"
    )
    unghost: str = ""


class Sheet(Strict):
    """A keepsheet: what is known about one program."""

    format: int = Field(ge=1, le=FORMAT)
    program: str = ""
    classes: dict[Pattern, FileClass] = Field(
        default={}, description="pattern to class; later lines speak before earlier ones"
    )
    version: list[VersionPlace] = []
    renamed: list[Renamed] = []
    moved: list[Moved] = []
    keyed: list[Keyed] = []
    wish: list[Wish] = []
    tie: list[Tie] = []
    things: list[Things] = []
    first_start: FirstStart = Field(default=FirstStart(), alias="first-start")
    step: list[Step] = []
    test: list[Test] = []
    workaround: list[WorkaroundOf] = []
    clear: Clear | None = None


def json_schema() -> dict[str, object]:
    """The JSON Schema (draft 2020-12) of the format."""
    schema = Sheet.model_json_schema(by_alias=True)
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", **schema}
