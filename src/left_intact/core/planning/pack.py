"""The plan for a content pack's share: a few owned files replaced, all else left intact."""

from __future__ import annotations

from dataclasses import replace

from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Entry
from left_intact.core.model.plan import Move, Plan, Route, Space, Verb
from left_intact.core.model.release import Arrival
from left_intact.core.model.survey import Survey
from left_intact.core.planning.blockers import machine_faults
from left_intact.core.planning.circumstances import Circumstances
from left_intact.core.planning.routes import choose_routes

_OVERHEAD = 4 << 20


def draw_pack(install: str, survey: Survey, arrival: Arrival, facts: Circumstances) -> Plan:
    """Replace what the lifted share has under the same path, add what was asked for, keep the rest.

    The person chose the pack, which is what lets content of theirs be replaced; the old files
    go into the strongbox and count there as theirs.
    """
    moves = []
    mine = {f.path: f for f in survey.findings}
    for path, finding in mine.items():
        coming = arrival.release.entries.get(path)
        if coming is None or coming.same_content(finding.entry):
            moves.append(Move(path=path, verb=Verb.KEEP, file_class=finding.file_class, because="not in the pack",
                              bytes=finding.entry.bytes, before=finding.entry, after=finding.entry))  # fmt: skip
        else:
            moves.append(Move(path=path, verb=Verb.REPLACE, file_class=finding.file_class,
                              because="the pack has another one of this name; the old one is set aside", bytes=coming.bytes,
                              before=finding.entry, after=_laid(coming)))  # fmt: skip
    for path, coming in arrival.release.entries.items():
        if path not in mine:
            moves.append(Move(path=path, verb=Verb.ADD, file_class=FileClass.CONTENT, because="you asked for it",
                              bytes=coming.bytes, after=_laid(coming)))  # fmt: skip
    moves.sort(key=lambda m: m.path)
    changed = [m for m in moves if m.changes_disk]
    needed = sum((m.after.bytes if m.after else 0) + (m.before.bytes if m.before else 0) for m in changed)
    space = Space(needed=needed + _OVERHEAD if changed else 0, free=facts.free)
    return Plan(
        install=install, root=survey.root, from_version=survey.version_text, to_version=survey.version_text,
        route=Route.IN_PLACE, routes=choose_routes(arrival), moves=tuple(moves), survey=survey, arrival=arrival,
        space=space, blockers=tuple(machine_faults(install, moves, space, facts)), partial=True,
    )  # fmt: skip


def _laid(coming: Entry) -> Entry:
    return replace(coming, mode=(coming.mode or 0o644) | 0o600)
