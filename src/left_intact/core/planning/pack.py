"""The plan for a content pack's share: a few owned files replaced, all else left intact."""

from __future__ import annotations

from dataclasses import replace

from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Entry
from left_intact.core.model.place import at_of
from left_intact.core.model.plan import Move, Plan, Route, Verb
from left_intact.core.model.release import Arrival
from left_intact.core.model.stages import Carry, FromArrival
from left_intact.core.model.survey import Survey
from left_intact.core.planning.blockers import machine_faults
from left_intact.core.planning.circumstances import Circumstances
from left_intact.core.planning.draw import roots_of
from left_intact.core.planning.routes import choose_routes
from left_intact.core.planning.space import room_for


def draw_pack(install: str, survey: Survey, arrival: Arrival, facts: Circumstances) -> Plan:
    """Replace what the lifted share has under the same path, add what was asked for, keep the rest.

    The person chose the pack, which is what lets content of theirs be replaced; the old files
    go into the strongbox and count there as theirs.
    """
    moves = []
    labels = [label for label, _ in survey.roots]
    mine = {f.path: f for f in survey.findings}
    for path, finding in mine.items():
        coming, entry = arrival.release.entries.get(path), finding.entry
        if coming is None or coming.same_content(entry):
            moves.append(
                Move(
                    at=at_of(path, labels),
                    verb=Verb.KEEP,
                    file_class=finding.file_class,
                    because="not in the pack",
                    bytes=entry.bytes,
                    before=entry,
                    after=entry,
                )
            )
        else:
            moves.append(
                Move(
                    at=at_of(path, labels),
                    verb=Verb.REPLACE,
                    file_class=finding.file_class,
                    because="the pack has another one of this name; the old one is set aside",
                    bytes=coming.bytes,
                    before=entry,
                    after=_laid(coming),
                    source=_source(arrival, path),
                )
            )
    for path, coming in arrival.release.entries.items():
        if path not in mine:
            moves.append(
                Move(
                    at=at_of(path, labels),
                    verb=Verb.ADD,
                    file_class=FileClass.CONTENT,
                    because="you asked for it",
                    bytes=coming.bytes,
                    after=_laid(coming),
                    source=_source(arrival, path),
                )
            )
    moves.sort(key=lambda m: m.at)
    space = room_for(moves, facts)
    return Plan(
        install=install,
        roots=roots_of(survey, facts),
        from_version=survey.version_text,
        to_version=survey.version_text,
        route=Route.IN_PLACE,
        routes=choose_routes(arrival),
        stages=(Carry(moves=tuple(m for m in moves if m.is_step)),),
        kept=tuple(m for m in moves if not m.is_step),
        survey=survey,
        arrivals=(arrival,),
        space=space,
        blockers=tuple(machine_faults(install, moves, space, facts)),
    )


def _source(arrival: Arrival, path: str) -> FromArrival:
    return FromArrival(0, f"{arrival.root}/{path}" if arrival.root else path)


def _laid(coming: Entry) -> Entry:
    return replace(coming, mode=(coming.mode or 0o644) | 0o600)
