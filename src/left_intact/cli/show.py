"""The values as text for a terminal without a screen, and the few JSON shapes of the command line's own."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, Any

from left_intact.core.model.update import State
from left_intact.words import count, size, versions

# What a command does not show is not imported for it.
if TYPE_CHECKING:
    from left_intact.core.model.errors import LeftIntactError
    from left_intact.core.model.install import Install
    from left_intact.core.model.outlet import PackView
    from left_intact.core.model.update import Settled, Update
    from left_intact.workbench import News, ShelfRow, WentBack


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
