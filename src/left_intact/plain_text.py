"""The values as plain text: what the command line prints, and what a person keeps as a file."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from left_intact.core.model.classes import FileClass
from left_intact.core.model.update import State
from left_intact.words import NO_VERSION, bearable, count, listed, moment, size, versions

# What a command does not show is not imported for it.
if TYPE_CHECKING:
    from left_intact.core.model.install import Install
    from left_intact.core.model.plan import Plan
    from left_intact.core.model.stages import Stage
    from left_intact.core.model.survey import Survey
    from left_intact.workbench import HistoryLine, Outcome, ShelfRow

_MARK = {"passed": "ok", "failed": "FAILED", "yours-to-check": "yours"}


def shelf_text(rows: list[ShelfRow]) -> str:
    if not rows:
        return "Nothing on the shelf yet. Survey a folder to put it there: left-intact survey FOLDER"
    lines = []
    for row in rows:
        version = row.summary.get("version") or NO_VERSION
        waiting = f" → {row.waiting[1] or 'a new build'} waits" if row.waiting else ""
        waiting += f" (and {len(row.arrivals) - 1} more)" if len(row.arrivals) > 1 else ""
        state = f"  [{row.state.value}]" if row.state and row.state is not State.SETTLED else ""
        lines.append(f"{row.install.name:20} {version}{waiting}{state}  {row.install.root}")
        if row.waits:
            lines.append(f"{'':20} waits for you: {row.waits.asks} ({row.waits.why})")
        if number := row.summary.get("unread"):
            lines.append(f"{'':20} {count(number, 'place')} in it cannot be read")
        if row.trouble:
            lines.append(f"{'':20} {row.trouble}")
    return "\n".join(lines)


def survey_text(survey: Survey) -> str:
    version = f"{survey.reading.text}, {survey.reading.read_from}" if survey.reading else NO_VERSION
    lines = [survey.root, *(f"{label}:  {place}" for label, place in survey.roots), f"version  {version}"]
    lines += [
        f"baseline {survey.baseline or 'none on record'}",
        *(f"known    {note}" for note in survey.notes),
        "",
    ]
    for kind, total in survey.totals().items():
        lines.append(f"{kind.value:10} {total.files:>8,} {size(total.bytes):>10}")
    if unread := survey.unread():
        lines += ["", f"{count(len(unread), 'place')} that cannot be read, so nothing in them is counted:"]
        lines += [f"  {entry.at.shown}  ({entry.fault})" for entry in unread[:10]] + ["  …"] * (
            len(unread) > 10
        )
    if number := survey.totals()[FileClass.UNSORTED].files:
        lines += ["", f"{count(number, 'entry', 'entries')} not sorted, so treated as yours:"]
        first = survey.findings.unsorted_places(10)
        lines += [f"  {path}" for path in first] + (["  …"] if number > len(first) else [])
    return "\n".join(lines)


def plan_text(plan: Plan, *, every: bool = False) -> str:
    """Lanes with what lies in them, merged keys, stages, room, what stands against it, questions."""
    from left_intact.core.model.stages import Verb

    climb = plan.climb
    of = f"{climb.of} {versions(climb.here, climb.wanted)}" if climb and climb.of != plan.install else ""
    said = of or versions(plan.from_version, plan.to_version)
    head = f"{plan.install}  {said}  {plan.route.value}"
    taken = next((choice for choice in plan.routes if choice.name is plan.route), None)
    other = next((choice for choice in plan.routes if choice.fits and choice.name is not plan.route), None)
    lines = [head]
    lines += [taken.because] if taken is not None else []
    lines += [f"or {other.name.value}: {other.because}"] if other is not None else []
    lines.append("")
    for verb in Verb:
        if number := plan.count(verb):
            mine = plan.left_intact().files if verb is Verb.KEEP else 0
            yours = f"  ({mine:,} of them yours)" if mine else ""
            lines.append(f"{verb.value:8} {count(number, 'path'):>14}{yours}")
    if len(plan.stages) > 1:
        lines += ["", *(f"stage {n}  {_stage_words(stage)}" for n, stage in enumerate(plan.stages, 1))]
    lines += _changes(plan, every=every)
    lines.append(f"\nroom     {size(plan.space.needed)} needed, {size(plan.space.free)} free")
    lines += [f"BLOCKED  {f.says}. {f.way_out}" for f in plan.blockers]
    lines += [f"warning  {f.says}" for f in plan.warnings]
    return "\n".join(lines) + ("\n\n" + questions_text(plan) if plan.questions else "")


_SHOWN = 5
"""Paths of a lane that are named where not all are wanted."""


def _changes(plan: Plan, *, every: bool) -> list[str]:
    """What changes by name, the first of each verb or all of it, and merged files key by key."""
    from left_intact.core.model.stages import Verb

    lines: list[str] = []
    for verb in Verb:
        if verb is Verb.KEEP and not every:
            continue
        moves = [move for move in plan.moves if move.verb is verb]
        lines += [f"\n{verb.value}"] * bool(moves)
        for move in moves if every else moves[:_SHOWN]:
            lines.append(f"  {bearable(move.at.shown)}  ({bearable(move.because)})")
        if not every and len(moves) > _SHOWN:
            lines.append(f"  … and {len(moves) - _SHOWN:,} more; -v names all")
    for at, merge in plan.merges.items():
        changed = [line for line in merge.lines if line.decided != "same"]
        lines += [f"\n{bearable(at.shown)}, key by key"] * bool(changed)
        for line in changed:
            result = "nothing" if line.result is None else bearable(line.result.replace("\n", " ¶ "))
            lines.append(f"  {line.decided:15} {bearable(line.key)} = {result}")
    return lines


def _stage_words(stage: Stage) -> str:
    from left_intact.core.model.stages import ChangeSet, ManualStep

    if isinstance(stage, ChangeSet):
        changes = sum(1 for m in stage.moves if m.changes_disk)
        if stage.intends and not changes:
            return bearable(stage.intends)
        leads = f"{bearable(stage.intends)}: " if stage.intends else ""
        return f"{leads}{count(changes, 'change')} at once"
    if isinstance(stage, ManualStep):
        return f"you: {stage.asks} ({stage.why})"
    return f"then drawn: {stage.intends}"


def questions_text(plan: Plan) -> str:
    lines = []
    for question in plan.questions:
        if question.is_choice:
            others = listed([option for option in question.options if option != question.choice])
            choice = f"{question.choice} (or {others})"
            lines.append(f"  {question.id}: {question.asks}, {question.note}: {choice}")
            continue
        lines.append(f"? {question.id}: {question.asks}" + (f" ({question.note})" if question.note else ""))
        for option, leads in zip(question.options, question.leads_to, strict=True):
            mark = "*" if option == question.choice else " "
            lines.append(f"  {mark} {option}: {leads}")
    return "\n".join(lines)


def proof_text(install: Install, outcome: Outcome) -> str:
    proof = outcome.proof
    lines = [
        f"{proof.verdict.value.upper()}  {install.name} "
        f"{versions(proof.version_before, proof.version_after)}",
        "",
    ]
    for line in proof.ledger:
        if line.before.files or line.after.files:
            told = f"{line.equal:,} equal, {line.agreed:,} as agreed"
            told += f", {line.trouble:,} NOT" if line.trouble else ""
            told += f", {line.since:,} changed since" if line.since else ""
            told += f", {line.unread:,} cannot be read" if line.unread else ""
            kind = "not sorted" if line.file_class is FileClass.UNSORTED else line.file_class.value
            lines.append(f"{kind:10} {line.before.files:>7,} → {line.after.files:>7,}   {told}")
    if proof.things:
        lines.append("")
    for thing in proof.things:
        gone = f"   without {listed(thing.missing)}" if thing.missing else f"   {thing.trouble}"
        counts = f"{thing.thing.value:22} {thing.before:>7,} → {thing.after:>7,}"
        lines.append(f"{counts}   {thing.rule}{gone}".rstrip())
    lines.append("")
    lines += [f"{_MARK[c.state.value]:6} {c.name:14} {c.says}" for c in proof.checks]
    lines += [f"note   {note}" for note in outcome.update.notes]
    if outcome.update.state is State.ON_TRIAL:
        lines.append(f'\nOn trial. Back again: left-intact go-back "{install.name}"')
    return "\n".join(lines)


def history_text(name: str, runs: Sequence[HistoryLine]) -> str:
    """Each update and going back: when, what, how it stands, its verdict, and what is kept of it."""
    lines = []
    for run in runs:
        kept = f"{count(run.kept_files, 'copy', 'copies')} kept, {size(run.kept_bytes)}"
        aside = f"{count(run.set_aside, 'file')} set aside" if run.set_aside else "nothing set aside"
        kind = "back  " if run.kind == "back" else "update"
        lines.append(
            f"{run.id:>4}  {moment(run.began)}  {kind}  {versions(run.from_version, run.to_version):22} "
            f"{run.state:11} {run.verdict or 'not proven':10} {aside}; {kept}"
        )
    return "\n".join(lines) or f"{name} was never updated by this program"
