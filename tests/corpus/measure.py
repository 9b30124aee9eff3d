"""How well the corpus is sorted: shares, destructive errors, calibration.

    python -m tests.corpus.measure > tests/corpus/sorted.txt

writes down how every program is sorted now, so that a change of the evidence is seen as one.
"""

from __future__ import annotations

import tempfile
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from pathlib import Path

from left_intact.core.arrival.look import look_into
from left_intact.core.files.tree import read_tree
from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Finding
from left_intact.core.survey.inputs import SurveyInputs
from left_intact.core.survey.read import survey_tree
from tests.corpus.specimen import Specimen

WAYS = ("with baseline", "without", "without names")


@dataclass
class Score:
    """What came of some entries."""

    entries: int = 0
    right: int = 0
    unsorted: int = 0
    wrong: list[tuple[str, FileClass, Finding]] = field(default_factory=list)
    """(program and path, what it truly is, what was found)."""
    left: list[tuple[str, FileClass, Finding]] = field(default_factory=list)
    """The same of what stayed unsorted."""
    destructive: list[tuple[str, FileClass, Finding]] = field(default_factory=list)
    """Something of the person's called the program's."""
    sure: list[tuple[float, bool]] = field(default_factory=list)
    """(certainty, whether the class with most evidence was right) of every entry."""

    def add(self, other: Score) -> None:
        self.entries += other.entries
        self.right += other.right
        self.unsorted += other.unsorted
        for mine, theirs in (
            (self.wrong, other.wrong),
            (self.destructive, other.destructive),
            (self.sure, other.sure),
        ):
            mine.extend(theirs)  # type: ignore[arg-type]

    def share(self, count: int) -> float:
        return count / self.entries if self.entries else 0.0


def score_of(specimen: Specimen, findings: Iterable[Finding]) -> Score:
    """Compare findings with the truth."""
    score = Score()
    for finding in findings:
        truth = specimen.truth[finding.path]
        score.entries += 1
        score.sure.append((finding.certainty, finding.leaning is truth))
        if finding.file_class is truth:
            score.right += 1
        elif finding.file_class is FileClass.UNSORTED:
            score.unsorted += 1
            score.left.append((f"{specimen.name}/{finding.path}", truth, finding))
        else:
            score.wrong.append((f"{specimen.name}/{finding.path}", truth, finding))
        if finding.file_class is FileClass.PROGRAM and truth is not FileClass.PROGRAM:
            score.destructive.append((f"{specimen.name}/{finding.path}", truth, finding))
    return score


def measure(specimen: Specimen, folder: Path) -> dict[str, Score]:
    """The score of one program in each of the ways."""
    install, release = specimen.lay(folder)
    tree = read_tree(str(install))
    base = look_into(str(release), installed=list(specimen.truth), name=specimen.name).release
    ways = {
        "with baseline": SurveyInputs(baseline=base),
        "without": SurveyInputs(),
        "without names": SurveyInputs(names=False),
    }
    return {
        way: score_of(specimen, survey_tree(tree, known, name=specimen.name).findings)
        for way, known in ways.items()
    }


def in_short(specimen: Specimen, scores: Mapping[str, Score]) -> list[str]:
    """A line for each way: how its entries were sorted, and how sure that is in all."""
    return [
        f"{specimen.name:14} {way:14} {score.entries:5} entries {score.right:5} right {len(score.wrong):4} "
        f"wrong {score.unsorted:4} unsorted  certainty {sum(c for c, _ in score.sure):11.4f}"
        for way, score in scores.items()
    ]


def reliability(
    sure: Iterable[tuple[float, bool]], edges: tuple[float, ...]
) -> list[tuple[float, float, float, int]]:
    """(from, mean certainty, share right, entries) of each bin of certainty that has any."""
    bins: dict[float, list[tuple[float, bool]]] = {}
    for certainty, right in sure:
        bins.setdefault(max(e for e in edges if certainty >= e), []).append((certainty, right))
    return [
        (edge, sum(c for c, _ in rows) / len(rows), sum(r for _, r in rows) / len(rows), len(rows))
        for edge, rows in sorted(bins.items())
    ]


def main() -> None:
    from tests.corpus.programs import PROGRAMS

    for build in PROGRAMS:
        specimen = build()
        with tempfile.TemporaryDirectory() as folder:
            print("\n".join(in_short(specimen, measure(specimen, Path(folder)))))


if __name__ == "__main__":
    main()
