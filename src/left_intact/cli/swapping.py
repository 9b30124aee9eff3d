"""The command of parts: listed, swapped, tried, fallen back from."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import click

from left_intact.cli.setting import AS_JSON, INSTALL_WORD, bench, cancelling, out, say, telling
from left_intact.core.model.errors import LeftIntactError, Misuse
from left_intact.words import NO_VERSION, bearable, count, listed, size

if TYPE_CHECKING:
    from left_intact.core.model.install import Install
    from left_intact.core.model.parts import PartRow, Parts, PartSwapped
    from left_intact.workbench import Workbench


@click.command("parts")
@INSTALL_WORD
@click.option("--from", "folder", metavar="DIR", default="", help="a folder of downloads; it is remembered")
@click.option("--swap", multiple=True, metavar="PATH", help="swap a part for the newest that waits")
@click.option("--all", "every", is_flag=True, help="swap all for which something newer waits")
@click.option("--tried", metavar="PATH", help="say that a part that was swapped works")
@click.option("--fall-back", metavar="PATH", help="put the one before back")
@click.option("--drop", metavar="PATH", help="let go of the one before")
@AS_JSON
def parts(
    install: str,
    folder: str,
    swap: tuple[str, ...],
    every: bool,
    tried: str | None,
    fall_back: str | None,
    drop: str | None,
    as_json: bool,
) -> None:
    """List cores, libraries and launchers with what waits for them; swap, try, fall back, drop."""
    wishes = [name for name, wish in (("--swap", swap or every), ("--tried", tried)) if wish]
    wishes += [name for name, wish in (("--fall-back", fall_back), ("--drop", drop)) if wish]
    if len(wishes) > 1:
        raise Misuse("one-thing", f"{' and '.join(wishes)} exclude each other", way_out="Give one of them.")
    work = bench()
    target = work.shelf.find(install)
    with telling() as report:
        known = work.parts.look(target, folder, report=report)
    if swap or every:
        _swap(work, target, known, swap, as_json)
    elif word := tried or fall_back or drop:
        _one(work, target, _row(known, word), tried=bool(tried), back=bool(fall_back), as_json=as_json)
    elif as_json:
        out(_as_json(target, known))
    else:
        say(_as_text(known))


def _row(known: Parts, path: str) -> PartRow:
    for row in known.rows:
        if row.path == path or row.path.rpartition("/")[2] == path:
            return row
    raise LeftIntactError(
        "no-such-part", "there is no such part", path=path, way_out="See left-intact parts."
    )


def _swap(work: Workbench, target: Install, known: Parts, wanted: tuple[str, ...], as_json: bool) -> None:
    rows = [_row(known, path) for path in wanted] or [row for row in known.rows if row.best]
    chosen = {row.path: row.best.arrival for row in rows if row.best}
    idle = [row for row in rows if not row.best]
    if idle:
        first = idle[0]
        why = first.waiting[0].because if first.waiting else "nothing waits for it"
        way = "See left-intact parts."
        raise LeftIntactError("nothing-waits-for-it", why, path=first.path, way_out=way)
    if not chosen:
        way = "Name a folder of downloads with --from."
        raise LeftIntactError("nothing-waits-for-it", "nothing waits for any part", way_out=way)
    with cancelling() as cancel, telling() as report:
        done = work.parts.swap(target, chosen, report=report, cancel=cancel)
    if as_json:
        out({"install": target.name, "swapped": [_swapped_json(one) for one in done]})
    else:
        for one in done:
            verdict = one.verdict.upper() or "NOT SWAPPED"
            say(f"{verdict:11} {bearable(one.path)}  {bearable(one.because)}".rstrip())
    if any(one.verdict != "intact" for one in done):
        raise click.exceptions.Exit(1)


def _swapped_json(one: PartSwapped) -> dict[str, Any]:
    return {"path": one.path, "verdict": one.verdict or None, "because": one.because or None}


def _one(work: Workbench, target: Install, row: PartRow, *, tried: bool, back: bool, as_json: bool) -> None:
    said: dict[str, Any] = {"install": target.name, "path": row.path}
    if tried:
        work.parts.tried(target, row)
        said["tried"] = True
        words = f"{row.path} is marked as tried well"
    elif back:
        with telling() as report:
            done = work.parts.fall_back(target, row, report=report)
        verdict = done.proof.verdict.value if done.proof else ""
        said |= {"fell_back_to": row.fallback, "verdict": verdict}
        words = f"{row.path} is {row.fallback} again. {verdict.upper()}"
    else:
        settled = work.parts.drop(target, row)
        said["freed"] = settled.freed
        words = f"{row.path}: the one before is let go of, {size(settled.freed)} freed"
    if as_json:
        out(said)
    else:
        say(words)


def _as_json(target: Install, known: Parts) -> dict[str, Any]:
    return {
        "install": target.name,
        "looked_in": known.looked_in or None,
        "passed_over": list(known.passed_over),
        "unseen": known.unseen,
        "parts": [
            {
                "path": row.path,
                "version": row.version or None,
                "platform": row.platform or None,
                "bytes": row.bytes,
                "waiting": [
                    {
                        "arrival": w.arrival,
                        "version": w.version or None,
                        "because": w.because or None,
                        "options": list(w.options),
                    }
                    for w in row.waiting
                ],
                "update": row.update or None,
                "fallback": row.fallback or None,
                "tried": row.tried,
                "named_in": [{"path": path, "lines": lines} for path, lines in row.named_in],
            }
            for row in known.rows
        ],
    }


def _as_text(known: Parts) -> str:
    if not known.rows:
        return "no file of code lies here"
    lines = []
    for row in known.rows:
        best = row.best
        waits = f" → {best.version or 'another build'} waits" if best else ""
        back = f"  on trial, {row.fallback} to fall back on{', tried well' if row.tried else ''}" * bool(
            row.update
        )
        lines.append(f"{bearable(row.path):40} {row.version or NO_VERSION}{waits}{back}".rstrip())
        lines += [f"{'':40} brings {bearable(one)}" for one in (best.options if best else ())]
        lines += [
            f"{'':40} not {bearable(one.arrival.rpartition('/')[2])}: {bearable(one.because)}"
            for one in row.waiting
            if one.because
        ]
    if known.looked_in:
        lines.append(f"\nlooked for in {known.looked_in}")
    if known.unseen:
        lines.append(f"{count(known.unseen, 'older file')} there not looked into")
    if known.passed_over:
        number = count(len(known.passed_over), "file goes", "files go")
        lines.append(f"{number} by no name here: {bearable(listed(known.passed_over))}")
    return "\n".join(lines)
