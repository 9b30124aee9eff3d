"""Adding the evidence up: a class and a certainty for every entry."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from left_intact.core.model.classes import SORTABLE, FileClass
from left_intact.core.model.entry import Entry, Evidence, Finding, Kind
from left_intact.core.model.progress import CancelToken
from left_intact.core.model.release import Release
from left_intact.core.survey import evidence as sources
from left_intact.core.survey.weights import weights


@dataclass(frozen=True, slots=True, kw_only=True)
class Known:
    """What is known beside the tree itself."""

    baseline: Release | None = None
    arrival: Release | None = None
    rulings: Sequence[tuple[str, FileClass]] = ()
    sheet: Sequence[tuple[str, FileClass]] = ()


def classify(entries: Sequence[Entry], known: Known, cancel: CancelToken | None = None) -> tuple[Finding, ...]:
    """A finding for every entry, in their order.

    Two passes: what each entry says by itself, then what its company adds where that
    was not enough. A pure function of its arguments.
    """
    cancel = cancel or CancelToken()
    built = sources.build_time(entries)
    namesakes = sources.program_names(entries)
    first: list[Finding] = []
    known_sums: _Weighed = {}
    for number, entry in enumerate(entries):
        if number % 1000 == 0:
            cancel.check()
        first.append(weigh(entry, _own_evidence(entry, known, built, namesakes), known_sums))
    company = sources.Company(first)
    return tuple(_with_company(finding, company, known_sums) for finding in first)


def _own_evidence(entry: Entry, known: Known, built: int | None, namesakes: frozenset[str]) -> list[Evidence]:
    why = sources.from_patterns("ruling", known.rulings, entry.path)
    why += sources.from_patterns("keepsheet", known.sheet, entry.path)
    if entry.kind is Kind.FAULT:
        return why
    why += sources.from_baseline(entry, known.baseline)
    why += sources.from_arrival(entry, known.arrival, built)
    why += sources.from_header(entry)
    why += sources.from_name(entry.path)
    why += sources.from_namesake(entry, namesakes)
    why += sources.from_time(entry, built)
    return why


def _with_company(finding: Finding, company: sources.Company, known: _Weighed) -> Finding:
    if finding.certainty >= weights().replace and finding.file_class is not FileClass.UNSORTED:
        return finding
    if finding.entry.kind in (Kind.FAULT, Kind.FOLDER):
        return finding
    more = company.evidence(finding.path)
    return weigh(finding.entry, [*finding.why, *more], known) if more else finding


def scores(why: Iterable[Evidence]) -> dict[FileClass, float]:
    """The probability of each class: a softmax over the summed log-odds."""
    sums: dict[FileClass, float] = dict.fromkeys(SORTABLE, 0.0)
    for evidence in why:
        sums[evidence.speaks_for] = sums.get(evidence.speaks_for, 0.0) + evidence.weight
    top = max(sums.values())
    powers = {c: math.exp(s - top) for c, s in sums.items()}
    whole = sum(powers.values())
    return {c: power / whole for c, power in powers.items()}


_Weighed = dict[tuple[int, ...], tuple[FileClass, float, FileClass, tuple[Evidence, ...]]]
"""What some evidence leads to, by the identities of it: equal evidence is one shared value."""


def weigh(entry: Entry, why: Sequence[Evidence], known: _Weighed | None = None) -> Finding:
    """The finding that some evidence leads to. `known` spares the sums where they were made before."""
    key = tuple(map(id, why))
    done = known.get(key) if known is not None else None
    if done is None:
        done = _weighed(why)
        if known is not None:
            known[key] = done
    file_class, certainty, leaning, shared = done
    return Finding(entry=entry, file_class=file_class, certainty=certainty, why=shared, leaning=leaning)


def _weighed(why: Sequence[Evidence]) -> tuple[FileClass, float, FileClass, tuple[Evidence, ...]]:
    by_class = scores(why)
    best = max(by_class, key=lambda c: by_class[c])
    certainty = by_class[best]
    positive = any(e.speaks_for is best and e.weight > 0 for e in why)
    sorted_out = certainty >= weights().sort and positive
    return (best if sorted_out else FileClass.UNSORTED), round(certainty, 4), best, tuple(why)
