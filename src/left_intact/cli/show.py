"""The values as text for a terminal without a screen, and the few JSON shapes of the command line's own."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, Any

from left_intact.core.model.classes import FileClass
from left_intact.core.model.update import State
from left_intact.words import NO_VERSION, bearable, count, listed, size, versions

# What a command does not show is not imported for it.
if TYPE_CHECKING:
    from left_intact.core.model.errors import LeftIntactError
    from left_intact.core.model.install import Install
    from left_intact.core.model.outlet import PackView
    from left_intact.core.model.plan import Plan
    from left_intact.core.model.stages import Stage
    from left_intact.core.model.survey import Survey
    from left_intact.core.model.update import Settled, Update
    from left_intact.workbench import News, Outcome, ShelfRow, WentBack

_MARK = {"passed": "ok", "failed": "FAILED", "yours-to-check": "yours"}


def shelf_json(row: ShelfRow) -> dict[str, Any]:
    from left_intact.presentation.as_json import waits_json

    return {
        "name": row.install.name,
        "root": row.install.root,
        "role": row.install.role,
        "version": row.summary.get("version") or None,
        "waiting": {"arrival": row.waiting[0], "version": row.waiting[1]} if row.waiting else None,
        "arrivals": [{"arrival": w.path, "version": w.version, "channel": w.channel} for w in row.arrivals],
        "state": row.state.value if row.state else None,
        "standing": row.standing.value,
        "waits_for": waits_json(row.waits),
        "trouble": row.trouble or None,
        "totals": row.summary.get("totals"),
    }


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


def news_json(news: News) -> dict[str, Any]:
    return {
        "install": news.install.name,
        "installed": news.installed,
        "newest": news.best.offer.version if news.best else None,
        "held": {"beyond": news.hold.beyond, "reason": news.hold.reason, "until": news.hold.until}
        if news.hold
        else None,
        "outlets": [
            {"place": o.place, "checked": o.checked or None, "trouble": o.trouble or None}
            for o in news.outlets
        ],
        "offers": [
            {
                "version": r.offer.version,
                "name": r.offer.name,
                "place": r.offer.place,
                "channel": r.offer.channel,
                "platform": r.offer.platform,
                "bytes": r.offer.bytes,
                "sha256": r.offer.digest,
                "newer": r.newer,
                "fits": r.fits,
                "held": r.held,
                "dismissed": r.dismissed,
                "pack": r.offer.pack,
                "says": list(r.says),
            }
            for r in news.ranked
        ],
        "notes": [{"version": x.version, "text": x.text, "why": x.why} for x in news.lines if not x.heading],
    }


def news_text(found: list[News]) -> str:
    lines = []
    for news in found:
        best = news.best
        waits = (
            f"{best.offer.version} is out, {size(best.offer.bytes)}" if best else "nothing newer that fits"
        )
        lines.append(
            f"{news.install.name} {news.installed or '?'}: {waits}" + ("  [held]" if news.hold else "")
        )
        lines += [f"  * {x.text}  ({x.why})" for x in news.lines if x.why]
        rest = sum(1 for x in news.lines if not x.why and not x.heading)
        if rest:
            lines.append(f"    {count(rest, 'more line')} about other things")
        lines += [f"  ! {o.place}: {o.trouble}" for o in news.outlets if o.trouble]
        lines += [f"  > {o.place}: {o.leads}" for o in news.outlets if o.leads]
        if not news.outlets:
            lines.append("  follows no outlet: left-intact follow INSTALL PLACE")
    return "\n".join(lines) or "Nothing on the shelf yet."


def pack_json(view: PackView) -> dict[str, Any]:
    return {
        "pack": view.name,
        "sizes": {"full": view.full_bytes, "pack": view.pack_bytes, "share": view.share_bytes},
        "lines": [
            {"member": x.member, "path": x.path, "kind": x.kind, "bytes": x.bytes, "packed": x.packed}
            for x in view.lines
        ],
    }


_PACK_WORDS = {
    "mine": "replace something you own",
    "same": "you own as they are",
    "lacking": "you lack",
    "other": "are not for you",
}


def pack_text(view: PackView) -> str:
    lines = [f"{view.name}: {size(view.pack_bytes)}, of which {size(view.share_bytes)} are for you"]
    lines += [f"{len(view.of(kind)):>6,} {says}" for kind, says in _PACK_WORDS.items()]
    lines += [f"  {x.path}  {size(x.old_bytes)} → {size(x.bytes)}" for x in view.of("mine")]
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


def not_well_text(install: Install, wrong: Sequence[str]) -> str:
    """Why an update should not be settled yet."""
    lines = [f"NOT SETTLED  {install.name}", "", *wrong, ""]
    lines.append(f'Look at that first. To settle all the same: left-intact settle "{install.name}" --yes')
    lines.append(f'Back again: left-intact go-back "{install.name}"')
    return "\n".join(lines)


def waits_said(update: Update) -> dict[str, Any]:
    """What a run that waits answers, as JSON."""
    from left_intact.presentation.as_json import waits_json

    return {"install": update.install, "state": update.state.value, "waits_for": waits_json(update.waits)}


def waits_text(install: Install, update: Update) -> str:
    waits = update.waits
    lines = [f"WAITS  {install.name} {versions(update.from_version, update.to_version)}"]
    if waits is not None:
        lines += ["", f"do       {waits.asks}", f"why      {waits.why}"]
        lines += [f"on       {waits.on}"] if waits.on else []
        lines += [f"asks     {one.asks}: {one.answer}" for one in waits.prompts]
        if waits.options:
            lines.append(f"answers  {waits.step} = {' | '.join(waits.options)}")
        seen = (
            "it is seen by itself"
            if waits.can_be_seen
            else f"--done {waits.step}"
            if not waits.options
            else "--answers FILE"
        )
        lines += ["", f'Then: left-intact go-on "{install.name}"' + ("" if waits.can_be_seen else f" {seen}")]
    return "\n".join(lines)


def given_up_text(install: Install, update: Update) -> str:
    if update.state is State.ON_TRIAL:
        return (
            f"{install.name}: what was in force stays, on trial. Back again: left-intact go-back "
            f'"{install.name}"'
        )
    return f"{install.name}: given up; nothing of it is in force"


def back_json(install: Install, back: WentBack) -> dict[str, Any]:
    from left_intact.presentation.as_json import proof_json, waits_json

    kept = [{"path": path, "kept_at": where} for path, where in back.kept]
    said: dict[str, Any] = {
        "install": install.name,
        "version": back.update.from_version,
        "restored": back.restored,
        "kept": kept,
        "missing": list(back.missing),
    }
    if back.waits is not None:
        said |= {"waits_for": waits_json(back.waits.waits)}
    if back.proof is not None:
        said |= {"verdict": back.proof.verdict.value, "proof": proof_json(back.proof)}
    return said


def back_text(install: Install, back: WentBack) -> str:
    if back.waits is not None:
        return waits_text(install, back.waits)
    verdict = f" Proof: {back.proof.verdict.value}." if back.proof is not None else ""
    to = back.update.to_version or "another build"
    stands = (
        "is as it was before the update" if not back.missing else "is not all as it was before the update"
    )
    lines = [f"{install.name} {stands} to {to}: {count(back.restored, 'path')} put back.{verdict}"]
    lines += [f"not put back: {says}" for says in back.missing]
    lines += [f"kept from the trial: {path} is at {where}" for path, where in back.kept]
    return "\n".join(lines)


def settled_text(install: Install, done: Settled) -> str:
    held = f" {count(done.held, 'file')} of yours stay in the strongbox." if done.held else ""
    return (
        f"{install.name} {done.update.to_version or 'as it is'} is settled; {size(done.freed)} freed.{held}"
    )


def recovered_json(
    done: list[tuple[Install, Update]], failed: list[tuple[Install, LeftIntactError]]
) -> dict[str, Any]:
    """What became of every run that was cut off."""
    return {
        "recovered": [
            {
                "install": i.name,
                "state": u.state.value,
                "to_version": u.to_version,
                "missing": list(u.missing),
            }
            for i, u in done
        ],
        "failed": [{"install": i.name, "code": e.code, "says": e.line()} for i, e in failed],
    }


def recovered_text(done: list[tuple[Install, Update]]) -> str:
    if not done:
        return "No update was cut off; nothing to recover."
    words = {State.ON_TRIAL: "the update is complete and on trial"}
    words |= {State.WAITING: "what was cut off is put back, and the update waits: left-intact go-on"}
    lines = [f"{i.name}: {words.get(u.state, 'everything is as it was before')}" for i, u in done]
    lines += [f"{i.name}: not put back, no sound copy is left: {path}" for i, u in done for path in u.missing]
    return "\n".join(lines)
