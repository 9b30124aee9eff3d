"""What a route says of a tree that is somebody's."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable

from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Finding
from left_intact.core.model.errors import Fault
from left_intact.core.planning.inputs import PlanInputs


def counted(findings: Iterable[Finding]) -> str:
    """`3 saves, 2 settings, 1 state`."""
    found = Counter(f.file_class for f in findings)
    return ", ".join(f"{found[kind]:,} {_named(kind, found[kind])}" for kind in FileClass if found[kind])


def _named(kind: FileClass, number: int) -> str:
    words = _OF_ONE if number == 1 else _OF_MANY
    return words.get(kind, kind.value)


_OF_ONE = {
    FileClass.SAVES: "save",
    FileClass.STATES: "state",
    FileClass.SETTINGS: "settings file",
    FileClass.CONTENT: "file of content",
    FileClass.EXTRAS: "extra",
    FileClass.UNSORTED: "file that nobody can tell",
}
_OF_MANY = {
    FileClass.SETTINGS: "settings files",
    FileClass.CONTENT: "files of content",
    FileClass.UNSORTED: "files that nobody can tell",
}


def donor_faults(inputs: PlanInputs) -> tuple[Fault, ...]:
    """A blocker where somebody's tree would be laid whole, their saves and account with it."""
    if inputs.donor is None or not inputs.donor.is_sure:
        return ()
    says = f"this tree is somebody's: it holds {counted(inputs.donor.own)} that would come along"
    way = "Take the route graft, or pass it with --allow donor."
    return (Fault(code="donor", says=says, way_out=way, passable=True),)
