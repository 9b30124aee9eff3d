"""The whole example without a person: survey, plan, update, proof, back, and update again."""

from __future__ import annotations

import os
import stat
import time
from collections.abc import Callable, Sequence
from typing import Any

from blake3 import blake3

from left_intact.core.model.parts import PartSwapped
from left_intact.core.model.plan import Plan
from left_intact.core.model.proof import Verdict
from left_intact.demo.room import Room
from left_intact.words import count, size, versions
from left_intact.workbench import Outcome, Workbench


def run_unattended(room: Room, *, as_json: bool = False) -> int:
    """Run every example and print what it did; 0 where all were intact and back was byte for byte."""
    import json

    bench, began = Workbench(room.home), time.monotonic()
    said = [
        _one(bench, room.download("brindlemere-4.6.0-linux.zip"), "Brindlemere", (), quiet=as_json),
        _one(bench, room.download("patchwright-3.8.11.zip"), "Patchwright", (), quiet=as_json),
        _one(
            bench,
            room.install("tarnlight-26.11"),
            "Tarnlight",
            (room.install("tarnlight-26.10"), room.install("tarnlight-26.11")),
            quiet=as_json,
        ),
        _parts(bench, room, quiet=as_json),
        _one(bench, room.download("from the attic/loomlight"), "Loomlight", (), quiet=as_json),
        _cleared(bench, room, quiet=as_json),
        _one(bench, room.download("title updates"), "Quillonade", (), quiet=as_json),
        _pack(bench, room, quiet=as_json),
    ]
    seconds = round(time.monotonic() - began, 2)
    good = all(one["first"] == one["again"] == Verdict.INTACT and one["back_is_equal"] for one in said)
    if as_json:
        print(json.dumps({"examples": said, "seconds": seconds, "good": good}, indent=1))
    else:
        print(f"{'All intact' if good else 'SOMETHING IS WRONG'}, in {seconds} s. Built in {room.folder}")
    return 0 if good else 1


def _teller(name: str, quiet: bool) -> Callable[[str, str], None]:
    def tell(stage: str, text: str) -> None:
        if not quiet:
            print(f"  {stage:9} {text}")

    if not quiet:
        print(name)
    return tell


def _one(bench: Workbench, arrival: str, name: str, folders: Sequence[str], *, quiet: bool) -> dict[str, Any]:
    """Survey, plan by the recommended route, update, proof, back, and the update again. `folders` are all
    that it may touch; without any it is the install's own.
    """
    tell, install = _teller(name, quiet), bench.shelf.find(name)
    survey = bench.surveys.survey(install)
    kinds = ", ".join(f"{t.files:,} {c.value}" for c, t in survey.totals().items() if t.files)
    tell("survey", f"{survey.version_text}; {kinds}")
    watched = folders or (install.root,)
    before = [snapshot(folder) for folder in watched]
    plan = _answered(bench, name, arrival)
    up = plan.climb
    way = f"{up.of} {up.here} → {up.wanted}" if up else versions(plan.from_version, plan.to_version)
    tell(
        "plan",
        f"{way}, {plan.route.value}: {_verbs(plan)}; {count(_asked(plan), 'question')}",
    )
    first = bench.updates.update(plan, install)
    tell(
        "proof",
        f"{first.proof.verdict}: {first.proof.kept.files:,} files of yours ({size(first.proof.kept.bytes)}) "
        f"as they were, {len(first.proof.lost)} lost",
    )
    back = bench.updates.back.go(install)
    equal = [snapshot(folder) for folder in watched] == before
    tell(
        "back",
        f"{count(back.restored, 'path')} put back; {'byte for byte as before' if equal else 'NOT AS BEFORE'}",
    )
    again = bench.updates.update(_answered(bench, name, arrival), install)
    tell("again", f"{again.proof.verdict}: {again.proof.version_before} → {again.proof.version_after}")
    return _came_to(name, plan, first, again, equal=equal)


def _came_to(name: str, plan: Plan, first: Outcome, again: Outcome, *, equal: bool) -> dict[str, Any]:
    return {
        "install": name,
        "route": plan.route.value,
        "first": first.proof.verdict,
        "again": again.proof.verdict,
        "back_is_equal": equal,
        "kept": first.proof.kept.files,
        "questions": _asked(plan),
    }


def _asked(plan: Plan) -> int:
    """How many questions a person is asked."""
    return sum(1 for question in plan.questions if not question.is_choice)


def _cleared(bench: Workbench, room: Room, *, quiet: bool) -> dict[str, Any]:
    """Clear and restore on the handheld, with a person at the steps by hand; back, and the same again."""
    from left_intact.demo.person import Person

    tell, install = _teller("Quillonade", quiet), bench.shelf.find("Quillonade")
    person = Person(bench, room)
    before = snapshot(install.root)
    plan = _answered(bench, "Quillonade", room.download("quillonade-5.4.zip"))
    tell(
        "plan",
        f"{plan.from_version} → {plan.to_version}, {plan.route.value}: {count(len(plan.stages), 'stage')}, "
        f"{count(_asked(plan), 'question')}",
    )
    tell("handheld", person.tries_to_lay_over())
    first = person.does_the_rest(bench.updates.update(plan, install))
    tell("by hand", ", ".join(person.did))
    tell(
        "proof",
        f"{first.proof.verdict}: {first.proof.kept.files:,} files of yours ({size(first.proof.kept.bytes)}) "
        f"as they were, {len(first.proof.lost)} lost; {'; '.join(first.update.notes)}",
    )
    back = bench.updates.back.go(install)
    if back.waits is not None:
        person.does_the_rest(None)
    equal = snapshot(install.root) == before
    tell("back", "byte for byte as before" if equal else "NOT AS BEFORE")
    plan = _answered(bench, "Quillonade", room.download("quillonade-5.4.zip"))
    again = person.does_the_rest(bench.updates.update(plan, install))
    tell("again", f"{again.proof.verdict}: {again.proof.version_before} → {again.proof.version_after}")
    return _came_to("Quillonade", plan, first, again, equal=equal)


def _pack(bench: Workbench, room: Room, *, quiet: bool) -> dict[str, Any]:
    """The share of a pack of changed content that is the person's; back, and the same again."""
    tell, install = _teller("Tarnlight", quiet), bench.shelf.find("Tarnlight")
    before = snapshot(install.root)
    place = os.path.join(room.outlet, "tarnlight-changed-content-26.11.zip")

    def lay() -> Plan:
        survey = bench.surveys.survey(install)
        return bench.outlets.pack_plan(install, bench.outlets.pack(install, place, survey), survey)

    plan = lay()
    tell("plan", f"{plan.route.value}: {_verbs(plan)}; {count(_asked(plan), 'question')}")
    first = bench.updates.update(plan, install)
    tell("proof", f"{first.proof.verdict}: {len(first.proof.lost)} lost")
    bench.updates.back.go(install)
    equal = snapshot(install.root) == before
    tell("back", "byte for byte as before" if equal else "NOT AS BEFORE")
    again = bench.updates.update(lay(), install)
    tell("again", f"{again.proof.verdict}")
    return _came_to("Tarnlight", plan, first, again, equal=equal)


def _parts(bench: Workbench, room: Room, *, quiet: bool) -> dict[str, Any]:
    """Every part for which something newer came, each swapped and back again, and then once more."""
    tell, install = _teller("Lanternfish", quiet), bench.shelf.find("Lanternfish")
    before = snapshot(install.root)
    known = bench.parts.look(install, room.download("cores"))
    refused = [row.refused for row in known.rows if row.best is None and row.refused]
    tell(
        "parts",
        f"{len(known.rows)} here; {sum(1 for r in known.rows if r.best)} wait, {len(refused)} refused",
    )
    chosen = {row.path: row.best.arrival for row in known.rows if row.best}
    first = bench.parts.swap(install, chosen)
    tell("proof", "; ".join(f"{one.path} {one.verdict or one.because}" for one in first))
    swapped = [row for row in bench.parts.look(install).rows if row.update]
    for row in sorted(swapped, key=lambda row: -row.update):
        bench.parts.fall_back(install, row)
    equal = snapshot(install.root) == before
    tell("back", f"{count(len(swapped), 'part')}; {'byte for byte as before' if equal else 'NOT AS BEFORE'}")
    again = bench.parts.swap(install, chosen)
    tell("again", "; ".join(f"{one.path} {one.verdict or one.because}" for one in again))
    return {
        "install": "Lanternfish",
        "route": "single-part",
        "first": _worst(first),
        "again": _worst(again),
        "back_is_equal": equal,
        "kept": 0,
        "questions": 0,
    }


def _worst(swapped: Sequence[PartSwapped]) -> str:
    verdicts = {one.verdict for one in swapped} or {""}
    return "intact" if verdicts == {"intact"} else min(verdicts - {"intact"}) or "not swapped"


def _answered(bench: Workbench, name: str, archive: str) -> Plan:
    draft = bench.updates.draft(bench.shelf.find(name), archive)
    plan = draft.plan()
    return draft.plan({q.id: q.default for q in plan.questions})


def _verbs(plan: Plan) -> str:
    counts: dict[str, int] = {}
    for move in plan.moves:
        counts[move.verb.value] = counts.get(move.verb.value, 0) + 1
    return ", ".join(f"{number:,} {verb}" for verb, number in counts.items())


def snapshot(root: str) -> dict[str, tuple[Any, ...]]:
    """Names, contents, modes, times and links of all below a folder, the folders and the root included."""
    said: dict[str, tuple[Any, ...]] = {"/": (os.stat(root).st_mode, os.stat(root).st_mtime_ns)}
    for folder, folders, names in os.walk(os.fspath(root)):
        for name in (*folders, *names):
            path = os.path.join(folder, name)
            info, shown = os.lstat(path), os.path.relpath(path, root).replace(os.sep, "/")
            mode, when = stat.S_IMODE(info.st_mode), info.st_mtime_ns
            if stat.S_ISLNK(info.st_mode):
                said[shown] = ("link", 0, mode, when, "", os.readlink(path))
            elif stat.S_ISDIR(info.st_mode):
                said[f"{shown}/"] = (mode, when)
                if not os.listdir(path):
                    said[shown] = ("folder", 0, mode, when, "", "")
            elif not stat.S_ISREG(info.st_mode):
                said[shown] = ("other", 0, mode, when, "", "")
            else:
                said[shown] = ("file", info.st_size, mode, when, _digest(path), "")
    return said


def _digest(path: str) -> str:
    """Read here by ourselves: a check that used the reading that it checks would prove little."""
    with open(path, "rb") as file:
        return blake3(file.read()).hexdigest()
