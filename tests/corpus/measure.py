"""How well the corpus is sorted: shares, destructive errors, calibration."""

from __future__ import annotations

from array import array
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path

from left_intact.core.arrival.look import look_into
from left_intact.core.files.roots import read_roots
from left_intact.core.files.tree import Tree
from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Finding
from left_intact.core.model.pages import COLUMNS, Page
from left_intact.core.survey.inputs import SurveyInputs
from left_intact.core.survey.read import survey_tree
from left_intact.core.survey.weights import weights
from tests.corpus.specimen import BUILT, DAY, Specimen

P = FileClass.PROGRAM
WAYS = ("with baseline", "as packed", "times silent", "without names")
"""With the release it came from; without it, with the times it has; without it, all of one time; and without
what names say.
"""


@dataclass
class Score:
    """What came of some entries."""

    entries: int = 0
    right: int = 0
    """Called what they are."""
    owned: int = 0
    """Treated as whose they are: what is unsorted is treated as the person's."""
    unsorted: int = 0
    wrong: list[tuple[str, str, Finding]] = field(default_factory=list)
    """(program and path, what it truly is, what was found)."""
    left: list[tuple[str, str, Finding]] = field(default_factory=list)
    """The same of what stayed unsorted."""
    destructive: list[tuple[str, str, Finding]] = field(default_factory=list)
    """Something of the person's called the program's, or patched and called so surely."""
    sure: list[tuple[float, bool]] = field(default_factory=list)
    """(certainty, whether the class with most evidence was right) of every entry."""

    def add(self, other: Score) -> None:
        self.entries += other.entries
        self.right += other.right
        self.owned += other.owned
        self.unsorted += other.unsorted
        self.wrong += other.wrong
        self.left += other.left
        self.destructive += other.destructive
        self.sure += other.sure

    def share(self, count: int) -> float:
        return count / self.entries if self.entries else 0.0


def score_of(specimen: Specimen, findings: Iterable[Finding]) -> Score:
    """Compare findings with the truth."""
    score = Score()
    for finding in findings:
        truth, called = specimen.truth[finding.at.shown], finding.file_class
        row = (f"{specimen.name}/{finding.at.shown}", " or ".join(sorted(truth)) or "patched", finding)
        if finding.at.shown in specimen.patched:
            if called is P and finding.certainty >= weights().replace:
                score.destructive.append(row)
            continue
        score.entries += 1
        score.sure.append((finding.certainty, finding.leaning in truth))
        score.right += called in truth
        score.owned += called in truth or (P in truth) is (called is P)
        if called is P and P not in truth:
            score.destructive.append(row)
        if called in truth:
            continue
        if called is FileClass.UNSORTED:
            score.unsorted += 1
            score.left.append(row)
        else:
            score.wrong.append(row)
    return score


def measure(specimen: Specimen, folder: Path, ways: Sequence[str] = WAYS) -> dict[str, Score]:
    """The score of one program in each of the ways."""
    install, release = specimen.lay(folder)
    roots = specimen.lay_apart(folder)
    tree = read_roots(str(install), roots)
    base = look_into(str(release), installed=specimen.files, name=specimen.name).release
    inputs = {
        "with baseline": (tree, SurveyInputs(baseline=base)),
        "as packed": (tree, SurveyInputs()),
        "times silent": (_silent(tree), SurveyInputs()),
        "without names": (tree, SurveyInputs(names=False)),
    }
    return {
        way: score_of(specimen, survey_tree(laid, known, name=specimen.name, roots=roots).findings)
        for way, (laid, known) in inputs.items()
        if way in ways
    }


def _silent(tree: Tree) -> Tree:
    """The same tree as it is after a copy that kept no times."""

    def silenced(page: Page) -> Page:
        numbers = array("q", page.numbers)
        numbers[2::COLUMNS] = array("q", [(BUILT + 500 * DAY) * 10**9] * len(page.names))
        return replace(page, stats=numbers.tobytes())

    return Tree(root=tree.root, pages=tuple(map(silenced, tree.pages)))


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
