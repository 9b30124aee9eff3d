"""The promises of classification, on programs that are drawn; and of the draw itself."""

from __future__ import annotations

import itertools
import os
import re
from pathlib import Path

import pytest

from left_intact.core.model.classes import FileClass
from left_intact.core.model.place import At
from tests.corpus.decisions import tally
from tests.corpus.draw import CLASSES, HELD_OUT, ROLES, TUNING, WHERE, _Program, draw, held_out, tuning
from tests.corpus.measure import Score, measure, reliability
from tests.corpus.specimen import Specimen, folders_of
from tests.corpus.words import common_short_forms, common_words

WAYS = ("with baseline", "as packed", "times silent")


@pytest.mark.sampled(1)
@pytest.mark.parametrize("half", ["tuning", "held out"])
def test_nothing_of_the_persons_is_called_the_programs(half: str, tmp_path: Path) -> None:
    """Whatever is known: with a baseline, without, and where times are silent. And certainties can be
    trusted: of what is given 0.9 or more, nine in ten are right.
    """
    scores = {way: Score() for way in WAYS}
    drawn = list(tuning() if half == "tuning" else held_out())
    every = len(drawn) // (60 if os.environ.get("LEFT_INTACT_LAWS") == "many" else 15)
    for specimen in drawn[:: max(1, every)]:
        for way, score in measure(specimen, tmp_path / specimen.name, WAYS).items():
            assert not score.destructive, way
            scores[way].add(score)
    assert scores["with baseline"].share(scores["with baseline"].owned) >= 0.99
    for way, score in scores.items():
        for edge, _, right, entries in reliability(score.sure, (0.0, 0.9, 0.95, 0.99)):
            assert edge < 0.9 or entries < 10 or right >= 0.88, (way, edge)


def test_a_program_is_the_same_each_time_it_is_drawn() -> None:
    for seed in (TUNING[0], TUNING[7], HELD_OUT[3]):
        one, again = draw(seed), _Program(seed).specimen
        assert one.bed.plants == again.bed.plants and one.apart.plants == again.apart.plants
        assert one.truth == again.truth and one.decisions == again.decisions


def test_each_option_of_each_decision_comes() -> None:
    """None below one in thirty of the times that its decision was taken."""
    counted = tally(specimen.decisions for specimen in (*tuning(), *held_out()))
    assert set(counted["role"]) == set(ROLES) and set(counted["where things lie"]) == set(WHERE)
    for decision, options in counted.items():
        assert len(options) > 1, decision
        for option, count in options.items():
            assert count * 30 >= options.total(), (
                f"{decision}: {option} came {count} of {options.total()} times"
            )


def test_no_two_programs_share_a_folder_but_by_common_words() -> None:
    """What two trees have in common are single words that everybody uses, never a layout."""
    found = {s.name: folders_of(s) for s in (*tuning(), *held_out())}
    for (one, folders), (other, others) in itertools.combinations(found.items(), 2):
        for path in folders & others:
            assert all(_is_common(part) for part in path.split("/")), (one, other, path)


def _is_common(part: str) -> bool:
    """Return True for a word that the lexicon has for all programs, however it is spelt or shortened."""
    apart = re.sub(r"(?<=[a-z])(?=[A-Z])", " ", part).lower()
    spelt = "".join(c if c.isalnum() else " " for c in apart).split()
    dated = part[:2] == "20" and part[2:].replace("-", "").isdigit()
    known = part.startswith("slot") or all(word in common_words() for word in spelt)
    return dated or known or "".join(spelt) in common_short_forms()


def test_the_truth_is_told_of_every_file() -> None:
    for specimen in (*tuning(), *held_out()):
        lies = {*specimen.bed.plants, *(At("apart", path).shown for path in specimen.apart.plants)}
        assert lies == set(specimen.truth) and specimen.patched <= lies
        assert {FileClass.PROGRAM, FileClass.SETTINGS} <= kinds(specimen)
    assert set(CLASSES.values()) == set().union(*map(kinds, tuning())) - {FileClass.UNSORTED}


def kinds(specimen: Specimen) -> set[FileClass]:
    return set().union(*specimen.truth.values())
