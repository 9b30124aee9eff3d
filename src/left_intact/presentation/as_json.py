"""The values in the shapes of docs/commands.md, ready for `as_text`."""

from __future__ import annotations

import json
from collections.abc import Collection, Mapping
from typing import Any

from left_intact.core.model.account import Account
from left_intact.core.model.errors import Fault
from left_intact.core.model.ladder import Climb
from left_intact.core.model.plan import KeyLine, Move, Plan, Question, Verb
from left_intact.core.model.proof import Proof
from left_intact.core.model.records import to_record
from left_intact.core.model.stages import ChangeSet, ManualStep, Stage
from left_intact.core.model.survey import Survey, Total
from left_intact.core.model.update import WaitsFor

Json = dict[str, Any]


def as_text(record: Mapping[str, Any]) -> str:
    """JSON for others to read."""
    return json.dumps(record, indent=1)


def total_json(total: Total) -> Json:
    return {"files": total.files, "bytes": total.bytes}


def survey_json(survey: Survey) -> Json:
    return {
        "root": survey.root,
        "version": {"text": survey.reading.text, "source": survey.reading.source} if survey.reading else None,
        "platform": survey.platform,
        "baseline": survey.baseline or None,
        "roots": [{"label": label, "place": place} for label, place in survey.roots],
        "notes": list(survey.notes),
        "unread": [{"path": entry.at.shown, "because": entry.fault} for entry in survey.unread()],
        "totals": {c.value: total_json(t) for c, t in survey.totals().items()},
        "entries": [
            {
                "path": f.at.shown,
                "kind": f.entry.kind.value,
                "bytes": f.entry.bytes,
                "class": f.file_class.value,
                "certainty": f.certainty,
                "why": [
                    {"source": e.source, "says": e.says, "weight": e.weight, "class": e.speaks_for.value}
                    for e in f.why
                ],
                **({"fault": f.entry.fault} if f.entry.fault else {}),
            }
            for f in survey.findings
        ],
    }


def fault_json(fault: Fault) -> Json:
    return {"code": fault.code, "says": fault.says, "way_out": fault.way_out, "passable": fault.passable}


def question_json(question: Question) -> Json:
    return {
        "id": question.id,
        "asks": question.asks,
        "options": list(question.options),
        "leads_to": list(question.leads_to),
        "default": question.default,
        "answer": question.answer,
        "paths": [at.shown for at in question.paths],
        "choice": question.is_choice,
    }


def move_json(move: Move, open_ids: Collection[str] = ()) -> Json:
    """One line of a plan; of what waits for an answer the verb is `ask`, and `because` says its default."""
    waits = move.question in open_ids and move.verb is not Verb.MERGE
    record = {
        "path": move.at.shown,
        "verb": Verb.ASK.value if waits else move.verb.value,
        "class": move.file_class.value,
        "because": move.because,
        "bytes": move.bytes,
    }
    if move.came_from:
        record["from"] = move.came_from
    if move.question:
        record["question"] = move.question
    return record


def key_json(line: KeyLine) -> Json:
    return {
        "key": line.key,
        "path": list(line.path),
        "shipped": line.shipped,
        "yours": line.yours,
        "arriving": line.arriving,
        "result": line.result,
        "decided": line.decided,
    }


def plan_json(plan: Plan) -> Json:
    open_ids = {question.id for question in plan.questions if question.is_open}
    return {
        "install": plan.install,
        "root": plan.root,
        "from_version": plan.from_version,
        "to_version": plan.to_version,
        "route": plan.route.value,
        "routes": [{"name": r.name.value, "fits": r.fits, "because": r.because} for r in plan.routes],
        "moves": [move_json(m, open_ids) for m in plan.moves],
        "merges": {at.shown: [key_json(line) for line in merge.lines] for at, merge in plan.merges.items()},
        "questions": [question_json(q) for q in plan.questions],
        "blockers": [fault_json(f) for f in plan.blockers],
        "warnings": [fault_json(f) for f in plan.warnings],
        "space": {
            "needed": plan.space.needed,
            "free": plan.space.free,
            "rooms": [{"place": r.place, "needed": r.needed, "free": r.free} for r in plan.space.rooms],
        },
        "stages": [stage_json(stage) for stage in plan.stages],
        "ladder": climb_json(plan.climb),
        "on_failure": plan.on_failure.value,
        "parts": [
            {"path": p.path, "came": p.came, "before": p.before or None, "after": p.after or None}
            for p in plan.parts
        ],
    }


def climb_json(climb: Climb | None) -> Json | None:
    """The ladder of a plan, from the ground up."""
    if climb is None:
        return None
    return {
        "of": climb.of,
        "from": climb.here,
        "to": climb.wanted,
        "bytes": climb.bytes,
        "trouble": climb.trouble or None,
        "rungs": [
            {
                "version": rung.version,
                "state": rung.state.value,
                "says": rung.says,
                "bytes": rung.bytes,
                "name": rung.name,
            }
            for rung in climb.rungs
        ],
    }


def stage_json(stage: Stage) -> Json:
    """The outline of a plan: what changes together, steps by hand, and what is drawn later."""
    if isinstance(stage, ChangeSet):
        changes = sum(1 for m in stage.moves if m.changes_disk)
        return {"kind": "carry", "changes": changes, "intends": stage.intends or None}
    if isinstance(stage, ManualStep):
        return {
            "kind": "hand",
            "id": stage.id,
            "asks": stage.asks,
            "why": stage.why,
            "may_skip": stage.may_skip,
            "command": list(stage.command),
            **_device_and_prompts(stage),
        }
    return {"kind": "later", "intends": stage.intends}


def waits_json(waits: WaitsFor | None) -> Json | None:
    """What an update waits for."""
    if waits is None:
        return None
    return {
        "step": waits.step,
        "asks": waits.asks,
        "why": waits.why,
        "may_skip": waits.may_skip,
        "can_be_seen": waits.can_be_seen,
        "options": list(waits.options),
        "command": list(waits.command),
        "sees": waits.sees,
        **_device_and_prompts(waits),
    }


def _device_and_prompts(step: ManualStep | WaitsFor) -> Json:
    """Where a step by hand is done, and what it asks on its way; only what there is."""
    prompts = [to_record(prompt) for prompt in step.prompts]
    return {**({"on": step.on} if step.on else {}), **({"prompts": prompts} if prompts else {})}


def account_json(account: Account) -> Json:
    """The account of one run, with a version of its own: it is read in ten years."""
    record: Json = to_record(account)
    for part in ("kept", "merged", "set_aside"):
        for one, known in zip(record[part], getattr(account, part), strict=True):
            if "at" in one:
                one["path"] = known.at.written
                del one["at"]
            if "file_class" in one:
                one["class"] = one.pop("file_class")
    return {"account": 1, **record}


def proof_json(proof: Proof) -> Json:
    return {
        "verdict": proof.verdict.value,
        "kept": total_json(proof.kept),
        "merged": proof.counts.get(Verb.MERGE, 0),
        "replaced": proof.counts.get(Verb.REPLACE, 0),
        "added": proof.counts.get(Verb.ADD, 0),
        "retired": proof.counts.get(Verb.RETIRE, 0),
        "carried": proof.counts.get(Verb.CARRY, 0),
        "rehomed": proof.counts.get(Verb.REHOME, 0),
        "checks": [
            {"name": c.name, "state": c.state.value, "before": c.before, "after": c.after, "says": c.says}
            for c in proof.checks
        ],
        "lost": list(proof.lost),
        "altered": list(proof.altered),
        "appeared": list(proof.appeared),
        "since": list(proof.since),
        "unread": list(proof.unread),
        "stayed_old": list(proof.stayed_old),
        "things": [
            {
                "thing": line.thing.value,
                "rule": line.rule,
                "before": line.before,
                "after": line.after,
                "missing": list(line.missing),
                "new": list(line.new),
                "trouble": line.trouble,
            }
            for line in proof.things
        ],
        "told_by_stamps": proof.told_by_stamps,
        "version": {"before": proof.version_before, "after": proof.version_after},
        "ledger": [
            {
                "class": line.file_class.value,
                "before": total_json(line.before),
                "after": total_json(line.after),
                "equal": line.equal,
                "agreed": line.agreed,
                "trouble": line.trouble,
                "since": line.since,
                "unread": line.unread,
            }
            for line in proof.ledger
        ],
        "keys": {path: [key_json(line) for line in lines] for path, lines in proof.merged.items()},
    }
