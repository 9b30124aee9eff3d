"""The command of the strongbox: what is kept, getting it out, looking through it, freeing it."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING

import click

from left_intact.cli.setting import AS_JSON, INSTALL_WORD, asked, cancelling, out, say
from left_intact.core.model.errors import Misuse
from left_intact.words import count, date, size

if TYPE_CHECKING:
    from left_intact.core.model.keeping import Held, Holdings

_UNITS = {"": 1, "K": 1000, "M": 1000**2, "G": 1000**3, "T": 1000**4}


@click.command("strongbox")
@INSTALL_WORD
@click.argument(
    "does", default="list", metavar="[list|take|verify|free]", help="what to do; lists without it"
)
@click.argument("path", default="", metavar="[PATH]", help="what lay there, for take and free")
@click.option("--to", metavar="DIR", help="where take puts it")
@click.option("--budget", metavar="SIZE", help="say so beyond this, e.g. 2G; 0 for any size")
@AS_JSON
def strongbox(install: str, does: str, path: str, to: str | None, budget: str | None, as_json: bool) -> None:
    """What is kept of an install, and getting it out."""
    work, target = asked(install, changes=budget is not None or does in ("take", "free"))
    keeping = work.keeping
    if budget is not None:
        keeping.set_budget(target, _bytes(budget))
    if does in ("take", "free") and not path:
        raise Misuse(
            "no-path",
            f"a path to {does} is missing",
            way_out=f"left-intact strongbox {install!r} {does} PATH.",
        )
    said: dict[str, object] = {"install": target.name}
    match does:
        case "list":
            kept = keeping.look(target)
            said |= _as_json(kept)
            lines = _as_lines(kept)
        case "take":
            if not to:
                raise Misuse(
                    "no-folder", "there is no place to take it to", way_out="Name a folder with --to."
                )
            taken = keeping.take(target, path, to)
            said |= {"path": path, "taken": taken}
            lines = [f"taken: {one}" for one in taken]
        case "verify":
            with cancelling() as token:
                found = keeping.verify(target, cancel=token)
            said |= {"objects": found.objects, "bytes": found.bytes}
            said |= {"damaged": list(found.damaged), "missing": list(found.missing)}
            lines = [f"{count(found.objects, 'copy', 'copies')} read, {size(found.bytes)}"]
            lines += [f"damaged: {one}" for one in found.damaged] + [
                f"missing: {one}" for one in found.missing
            ]
            lines += ["all sound"] * found.sound
            _say(said, lines, as_json)
            raise click.exceptions.Exit(0 if found.sound else 1)
        case "free":
            freed = keeping.free(target, path)
            said |= {"path": path, "freed": freed}
            lines = [f"{size(freed)} freed"]
        case _:
            raise Misuse(
                "no-such-word", f"strongbox does not {does}", way_out="It can list, take, verify or free."
            )
    _say(said, lines, as_json)


def _as_json(kept: Holdings) -> dict[str, object]:
    return {
        "objects": [
            {"digest": h.digest, "bytes": h.bytes, "needed": h.needed, "yours": h.yours}
            | {"paths": list(h.places), "update": h.update or None, "since": h.since or None}
            for h in kept.held
        ],
        "frees": [{"by": f.by, "bytes": f.bytes, "says": f.says} for f in kept.frees],
        "budget": kept.budget,
        "over": kept.over,
    }


def _as_lines(kept: Holdings) -> list[str]:
    lines = [f"{count(len(kept.held), 'copy', 'copies')}, {size(kept.bytes)}"]
    lines += [
        f"  {size(h.bytes):>9}  {_why(h.needed, h.yours):22} {_since(h):24} {', '.join(h.places)}"
        for h in kept.held
    ]
    lines += ["what frees room"] * bool(kept.frees)
    lines += [f"  {size(f.bytes):>9}  {f.by:6} {f.says}" for f in kept.frees]
    lines += [f"over its budget by {size(kept.over)}"] * bool(kept.over)
    return lines


def _say(said: dict[str, object], lines: list[str], as_json: bool) -> None:
    if as_json:
        out(said)
    else:
        say("\n".join(lines))


def _why(needed: int, yours: bool) -> str:
    if needed:
        return f"needed for {count(needed, 'place')}"
    return "yours" if yours else "needed by nobody"


def _since(held: Held) -> str:
    return f"update {held.update}, {date(held.since)}" if held.update else "no update is known"


def _bytes(word: str) -> int:
    match = re.fullmatch(r"(\d+)\s*([KMGT]?)B?", word.strip(), re.IGNORECASE)
    if match is None:
        raise Misuse("no-size", f"{word!r} is no size", way_out="Give one like 500M or 2G.")
    return int(match[1]) * _UNITS[match[2].upper()]
