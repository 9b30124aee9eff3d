"""Letting go of the folder that an update left behind: all of it into the strongbox, then it goes.

A plan like any other, so it can be gone back. What is the person's stays in the strongbox whatever settling
frees.
"""

from __future__ import annotations

from collections.abc import Mapping

from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Entry, Kind
from left_intact.core.model.errors import Fault
from left_intact.core.model.facts import OldRootFreed, RunFacts
from left_intact.core.model.findings import SortedPages
from left_intact.core.model.place import LET_GO, At, Root
from left_intact.core.model.plan import Move, Plan, Route, Verb
from left_intact.core.model.release import Release
from left_intact.core.model.stages import ChangeSet
from left_intact.core.model.survey import Survey
from left_intact.core.model.unchanged import unchanged_of
from left_intact.core.planning.blockers import machine_faults
from left_intact.core.planning.circumstances import Circumstances
from left_intact.core.planning.space import room_for
from left_intact.words import listed

USED_SINCE = "used-since"
"""The blocker that a person passes by letting go all the same."""


def draw_letting_go(
    install: str,
    survey: Survey,
    old: Survey,
    top: Entry,
    roots: tuple[Root, ...],
    circumstances: Circumstances,
    *,
    shipped: Release | None,
    carried_at: float,
    used_from_there: tuple[str, ...] = (),
) -> Plan:
    """The plan. `survey` is of the install, `old` and `top` are the folder that goes, `shipped` the release
    that lay in it, as far as that is on record.
    """
    findings = old.findings
    assert isinstance(findings, SortedPages)
    known: Mapping[str, Entry] = shipped.entries if shipped is not None else {}
    moves, newer, faults = [], [], []
    for finding in findings:
        entry = finding.entry
        if entry.kind in (Kind.OTHER, Kind.FAULT):
            says = f"{entry.path} cannot be read, so it cannot be set aside"
            faults.append(Fault(code="unreadable", says=says, way_out="Give yourself the right to read it."))
            continue
        as_shipped = entry.path in known and known[entry.path].same_content(entry)
        if not as_shipped and entry.kind is Kind.FILE and entry.mtime_ns / 1e9 > carried_at:
            newer.append(entry.path)
        moves.append(_goes(At(LET_GO, entry.path), entry, finding.file_class, unproven=not as_shipped))
    moves.append(_goes(At(LET_GO, ""), top, FileClass.PROGRAM, unproven=False))
    if newer:
        says = f"{listed(newer, 1)} in the old folder changed since the update, so the new one has not got it"
        way = "Carry it over by hand first, or free it all the same with --yes."
        faults.append(Fault(code=USED_SINCE, says=says, way_out=way, passable=True))
    if used_from_there:
        says = f"{used_from_there[0]} is used from the old folder"
        faults.append(Fault(code="still-used", says=says, way_out="Move it into the new folder first."))
    space = room_for(moves, circumstances)
    return Plan(
        install=install,
        roots=roots,
        from_version=survey.version_text,
        to_version=survey.version_text,
        route=Route.SIDE_BY_SIDE,
        stages=(ChangeSet(moves=tuple(sorted(moves, key=lambda m: m.at))),),
        kept=unchanged_of(survey.findings, "in the new folder, where it stays"),
        blockers=(*faults, *machine_faults(install, moves, space, circumstances)),
        space=space,
        survey=survey,
        facts=RunFacts(way=OldRootFreed(place=old.root)),
    )


def _goes(at: At, entry: Entry, kind: FileClass, *, unproven: bool) -> Move:
    return Move(
        at=at,
        verb=Verb.RETIRE,
        file_class=kind,
        because="the old folder goes; it is kept in the strongbox",
        before=entry,
        bytes=entry.bytes,
        unproven=unproven,
    )
