"""The promises of classification, on every program of the corpus."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest

from left_intact.core.model.classes import FileClass
from left_intact.core.survey.weights import weights
from tests.corpus.measure import WAYS, in_short, measure, reliability
from tests.corpus.programs import PROGRAMS
from tests.corpus.specimen import Specimen

SORTED = Path(__file__).parent / "sorted.txt"


@pytest.mark.parametrize("build", PROGRAMS, ids=lambda b: b.__name__)
def test_nothing_of_the_persons_is_called_the_programs(build: Callable[[], Specimen], tmp_path: Path) -> None:
    """Whatever is known: with a baseline, without, and without names. And it is sorted as it was: who changes
    the evidence sees what that does, and writes it down anew.
    """
    specimen = build()
    scores = measure(specimen, tmp_path)
    assert set(scores) == set(WAYS)
    assert not set(in_short(specimen, scores)) - set(SORTED.read_text().splitlines())
    for way, score in scores.items():
        assert not score.destructive, way
        sure = [
            found
            for found in score.wrong
            if found[2].certainty >= weights().replace and found[1] is not FileClass.PROGRAM
        ]
        assert not [found for found in sure if found[2].file_class is FileClass.PROGRAM], way
    assert scores["with baseline"].share(scores["with baseline"].right) >= 0.8


def test_the_corpus_is_broad_and_a_third_is_held_out() -> None:
    specimens = [build() for build in PROGRAMS]
    assert len(specimens) >= 12 and sum(s.held_out for s in specimens) * 3 >= len(specimens)
    assert {s.dates for s in specimens} == {"kept", "unpacked", "sources", "flat"}
    for specimen in specimens:
        assert (
            set(specimen.truth.values()) >= {FileClass.PROGRAM, FileClass.SETTINGS, FileClass.CACHE}
            or specimen.name == "turnstone"
        )
        again = next(b for b in PROGRAMS if b.__name__ == specimen.name)()
        assert again.bed.plants == specimen.bed.plants  # the same tree every time


def test_certainties_can_be_trusted(tmp_path: Path) -> None:
    """Of the entries given a certainty of 0.9 or more, nine in ten are right, with a baseline and without."""
    sure: dict[str, list[tuple[float, bool]]] = {way: [] for way in WAYS[:2]}
    for build in PROGRAMS:
        scores = measure(build(), tmp_path)
        for way in sure:
            sure[way] += scores[way].sure
    for way, pairs in sure.items():
        for edge, _, right, entries in reliability(pairs, (0.0, 0.9, 0.95, 0.99)):
            assert edge < 0.9 or entries < 10 or right >= 0.9, (way, edge)
