"""What an update is made of: places that change, steps for the person, and what can only be drawn later."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import StrEnum
from types import MappingProxyType

import msgspec

from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Attributes, Entry, Kind
from left_intact.core.model.place import At


class Verb(StrEnum):
    """The closed set of what can happen to a path; words for people, nothing is decided by them."""

    KEEP = "keep"
    REPLACE = "replace"
    ADD = "add"
    RETIRE = "retire"
    MERGE = "merge"
    CARRY = "carry"
    REHOME = "rehome"
    DROP = "drop"
    """The arriving one is not laid; what is there stays as it is."""
    ASK = "ask"
    """Waits for an answer; nothing happens to it before that."""


@dataclass(frozen=True, slots=True, kw_only=True)
class KeyLine:
    """One key of a settings file, as each side says it. None where a side lacks the key."""

    key: str
    shipped: str | None
    yours: str | None
    arriving: str | None
    result: str | None
    decided: str
    """`same`, `yours`, `arriving`, `new`, `renamed`, `dropped`, `left out`, `spelt otherwise`, `conflict`,
    `wished`.
    """
    path: tuple[str, ...] = ()
    """What identifies the key; `key` is words for people. Empty in records of an older version."""
    was: tuple[str, ...] = ()
    """What identified it before, where it got another name."""


# ---------------------------------------------------------------- where bytes come from


class FromArrival(msgspec.Struct, frozen=True, tag_field="from", tag="arrival"):
    """A member of something that came."""

    arrival: int
    """Its number among the arrivals of the plan."""
    member: str
    """Path in the archive, wrapper folders included."""


class FromRoot(msgspec.Struct, frozen=True, tag_field="from", tag="root"):
    """What lies at another place of the install now."""

    at: At


class FromStrongbox(msgspec.Struct, frozen=True, tag_field="from", tag="strongbox"):
    """A copy that an earlier stage or update took."""

    digest: str


class Made(msgspec.Struct, frozen=True, tag_field="from", tag="made"):
    """Bytes that were made for this plan, as merged settings are."""

    digest: str
    content: bytes
    lines: tuple[KeyLine, ...] = ()


Source = FromArrival | FromRoot | FromStrongbox | Made
SAVED_FIRST = "saved first, put back in the end"


def save_question(kind: FileClass) -> str:
    """The name of the question whether a class is saved before a step by hand takes it away."""
    return f"save-{kind.value}"


# ---------------------------------------------------------------- moves


@dataclass(frozen=True, slots=True, kw_only=True)
class Move:
    """One line of a plan: what lies at a place, and what is to lie there."""

    at: At
    verb: Verb
    file_class: FileClass
    because: str
    before: Entry | None = None
    """What lies there now."""
    after: Entry | None = None
    """What will lie there; None where the path will be empty, equal to `before` where it stays."""
    source: Source | None = None
    """Where the bytes of `after` come from; None where none are needed."""
    bytes: int = 0
    """Size after the move (before it, for what is retired)."""
    question: str = ""
    safeguard: bool = False
    """Whether a verified copy is taken though nothing changes here: a step by hand may."""
    by_name: bool = False
    """Whether what is displaced is kept under its own name too, for a person to find."""
    unproven: bool = False
    """Whether nobody can prove that what is displaced is as a release shipped it: settling keeps it too."""
    gives: Attributes | None = None
    """Owner and attributes that what is laid gets; None leaves those of what lies there."""
    joins: At | None = None
    """Another name that it is to share its bytes with, as hard links do."""

    @staticmethod
    def copy_of(at: At, entry: Entry, file_class: FileClass, because: str) -> Move:
        """What stays as it is, and is copied: a step by hand will take it away."""
        return Move(
            at=at,
            verb=Verb.KEEP,
            file_class=file_class,
            because=because,
            bytes=entry.bytes,
            before=entry,
            after=entry,
            safeguard=True,
        )

    @property
    def changes_disk(self) -> bool:
        """Told by what lies there before and after, never by the verb."""
        if self.before is None or self.after is None:
            return self.before is not self.after
        return self.before is not self.after and (
            not self.before.same_content(self.after)
            or (self.before.mode, self.before.mtime_ns) != (self.after.mode, self.after.mtime_ns)
        )

    @property
    def is_step(self) -> bool:
        """Whether something has to be done for it."""
        return self.changes_disk or self.safeguard

    @property
    def came_from(self) -> str:
        """The other place it comes from, in words; empty where there is none."""
        return self.source.at.shown if isinstance(self.source, FromRoot) else ""


# ---------------------------------------------------------------- stages


class LayerKind(StrEnum):
    """What something on record is."""

    RELEASE = "release"
    PART = "part"
    TITLE_UPDATE = "title-update"
    PACK = "pack"
    MOD = "mod"
    PATCH = "patch"


@dataclass(frozen=True, slots=True, kw_only=True)
class Shipped:
    """What is on record once a stage is done, as a layer: a release, or entries laid over what was."""

    arrival: int
    over: bool = False
    """Whether it only adds to the release on record, as a single part does."""
    paths: tuple[str, ...] = ()
    """With `over`: which of its entries count."""
    members: tuple[str, ...] = ()
    """With `paths`: what each of them is called in what came, where parts go by other names there."""
    without: tuple[str, ...] = ()
    """Which of its entries no release ships: what was somebody's in a donor's tree."""
    kind: LayerKind | None = None
    """None where that is a release, or with `over` a patch."""
    raises: bool = True
    """Whether it carries the program's own version."""


@dataclass(frozen=True, slots=True, kw_only=True)
class ChangeSet:
    """Places that change together, whole or not at all."""

    moves: tuple[Move, ...]
    """Those that do something, ordered by place."""
    shipped: Shipped | None = None
    tidy: bool = True
    """Whether folders that hold nothing but what goes, go too."""
    intends: str = ""
    """In words, for the outline; empty where what changes says enough."""
    copies: bool = False
    """Whether it only copies what the step by hand after it takes away; they are kept fresh until then."""
    reaches: str = ""
    """The version that lies here once it is done, where later stages lead to another one."""
    times: tuple[tuple[At, int], ...] = ()
    """Times (nanoseconds since 1970) that folders get at the end, as going back wants them."""


_ROOT = At("", "")


class Sign(StrEnum):
    """The closed set of how it is seen that a step was done by hand."""

    GONE = "gone"
    APPEARS = "appears"
    VERSION_READS = "version reads"
    SETTING_HAS = "setting has"
    SAME = "same"
    """All files of the install lie in the folder at `at` too, byte for byte."""
    SAID = "said"
    """It cannot be seen: the person says so."""


@dataclass(frozen=True, slots=True, kw_only=True)
class ManualCheck:
    """What to look at to see that a step was done."""

    sign: Sign
    at: At = _ROOT
    """The place that goes or appears, or the settings file."""
    key: str = ""
    value: str = ""
    """The version, or the value of the key."""

    @property
    def words(self) -> str:
        """What is looked for, for people; empty where it cannot be seen."""
        where = self.at.path or "its folder"
        match self.sign:
            case Sign.GONE:
                return f"{where} is there still: it goes on by itself once that is gone"
            case Sign.APPEARS:
                return f"it goes on by itself once {where} is there"
            case Sign.VERSION_READS:
                return f"it goes on by itself once {self.value} lies there"
            case Sign.SETTING_HAS:
                return f"it goes on by itself once {where} says {self.key} = {self.value}"
            case Sign.SAME:
                return "it goes on by itself once that copy has all that was put back, byte for byte"
            case Sign.SAID:
                return ""


_EVERY = tuple(FileClass)


@dataclass(frozen=True, slots=True, kw_only=True)
class Bounds:
    """What may change of what lies there while a step by hand is waited for. The rest is held against the
    witness. What is new has no bounds.
    """

    changes: tuple[FileClass, ...] = _EVERY
    goes: tuple[FileClass, ...] = _EVERY
    """Of what changes: the classes of which something may be gone."""
    roots: tuple[str, ...] | None = None
    """Labels; None for all."""

    def allow(self, at: At, kind: FileClass, *, gone: bool) -> bool:
        return (self.roots is None or at.root in self.roots) and kind in (self.goes if gone else self.changes)


ANYTHING = Bounds()
IN_USE = Bounds(
    changes=tuple(c for c in FileClass if c not in (FileClass.CONTENT, FileClass.EXTRAS)),
    goes=(FileClass.PROGRAM, FileClass.STATES, FileClass.CACHE),
)
"""What comes of using a program, for days too: content and extras stay, and no save goes."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Prompt:
    """What a step by hand asks on its way, and the right answer."""

    asks: str
    answer: str


@dataclass(frozen=True, slots=True, kw_only=True)
class ManualStep:
    """A step that the person does outside the tool; waited for and checked."""

    id: str
    asks: str
    why: str
    check: ManualCheck
    back: ManualStep | None = None
    """The step that undoes it; None where there is nothing for a person to undo."""
    may_skip: bool = False
    rebinds: tuple[str, ...] = ()
    """Labels of roots that may vanish meanwhile, or come back as another folder."""
    command: tuple[str, ...] = ()
    """Words of a command that does it; run only where the person has allowed these very words."""
    bounds: Bounds = ANYTHING
    prompts: tuple[Prompt, ...] = ()
    on: str = ""
    """The device that it is done on; empty for where the install lies."""

    def may_change(self, at: At, kind: FileClass, *, gone: bool) -> bool:
        """Whether what became of a place while this was waited for is within its bounds, or its sign."""
        looked_at = bool(self.check.at.path) and (at == self.check.at or self.check.at.holds(at))
        return looked_at or self.bounds.allow(at, kind, gone=gone)


@dataclass(frozen=True, slots=True, kw_only=True)
class Consent:
    """Within what a stage that is drawn later may be carried out unasked."""

    roots: tuple[str, ...] = ()
    classes: tuple[FileClass, ...] = ()
    """Classes of what it may displace."""
    verbs: tuple[Verb, ...] = ()
    bytes: int = 0
    """The most that it may lay."""

    def covers(self, moves: tuple[Move, ...]) -> str:
        """Why some moves go beyond it; empty where they do not."""
        laid = 0
        for move in moves:
            if not move.changes_disk:
                continue
            if move.at.root not in self.roots:
                return f"{move.at.shown} lies in a folder that was not spoken of"
            if move.verb not in self.verbs:
                return f"{move.at.shown} would be a {move.verb.value}, which was not spoken of"
            if (
                move.before is not None
                and move.before.kind is not Kind.FOLDER
                and move.file_class not in self.classes
            ):
                return (
                    f"{move.at.shown} ({move.file_class.value}) would be displaced, which was not spoken of"
                )
            laid += move.after.bytes if move.after else 0
        return f"{laid:,} bytes would be laid, more than was spoken of" if laid > self.bytes else ""


@dataclass(frozen=True, slots=True, kw_only=True)
class DeferredStage:
    """What cannot be drawn yet, since a stage before it decides what will lie there."""

    planner: str
    """Name in the registry of `planning.later`."""
    intends: str
    """In words, for the outline."""
    consent: Consent
    context: Mapping[str, str] = field(default_factory=lambda: MappingProxyType({}))
    """What the planner is told, beside the tree."""


Stage = ChangeSet | ManualStep | DeferredStage


class OnFailure(StrEnum):
    """What becomes of the stages before one that fails."""

    UNDO = "undo"
    KEEP = "keep"
