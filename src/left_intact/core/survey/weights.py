"""`weights.toml`, read once and turned into look-ups."""

from __future__ import annotations

import tomllib
from dataclasses import dataclass
from functools import cache
from importlib.resources import files
from typing import Any

from left_intact.core.model.classes import FileClass
from left_intact.core.survey.spelling import normalised_name

Weighed = tuple[FileClass, float, str]
"""Class, weight, and the reason or words that go with it."""
PICTURES = "for pictures"
"""How the reason of a folder name ends that is about pictures: what is none does not belong there."""

ADDED = "what people add"
"""How the reason of a folder name ends that is about things which bring code of their own."""
EXTENDED = "extended by some"
"""The same, of folders that most releases fill themselves: for plug-ins, say."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Shape:
    """What the size of bytes without a header says."""

    says: str
    least: int
    most: int
    power_of_two: bool
    sparse: bool
    weights: tuple[tuple[FileClass, float], ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class Weights:
    """All weights as the evidence sources look them up."""

    sort: float
    program: float
    """Needed to be called the program's; more than `sort`."""
    cache: float
    """Needed to be called what can be rebuilt."""
    replace: float
    retire: float
    lead: float
    """So many times likelier than the program's a class of the person's must be to be called so."""
    alone: float
    """The most where names alone speak for the program's, in a tree that has more to say of others."""
    unvouched: float
    """The most where nothing vouches for what is in a file; less than `replace`."""
    temperature: float
    most: float
    spoken: dict[str, float]
    time: dict[str, float]
    siblings: dict[str, float]
    header: dict[str, tuple[str, tuple[tuple[FileClass, float], ...]]]
    shapes: tuple[Shape, ...]
    folder: dict[str, Weighed]
    suffix: dict[str, Weighed]
    stem: dict[str, Weighed]


@cache
def weights() -> Weights:
    """The weights that ship with the program."""
    said = tomllib.loads(files("left_intact.core.survey").joinpath("weights.toml").read_text("utf-8"))
    thresholds, calibration = said["thresholds"], said["calibration"]
    return Weights(
        sort=thresholds["sort"],
        program=thresholds["program"],
        cache=thresholds["cache"],
        replace=thresholds["replace"],
        retire=thresholds["retire"],
        lead=thresholds["lead"],
        alone=thresholds["alone"],
        unvouched=thresholds["unvouched"],
        temperature=calibration["temperature"],
        most=calibration["most"],
        spoken=said["spoken"],
        time=said["time"],
        siblings=said["siblings"],
        header={
            name: (row["says"], _by_class(row["weights"]))
            for row in said["header"]
            for name in row["formats"]
        },
        shapes=tuple(
            Shape(
                says=row["says"],
                least=row["least"],
                most=row["most"],
                power_of_two=row.get("power-of-two", False),
                sparse=row.get("sparse", False),
                weights=_by_class(row["weights"]),
            )
            for row in said["shape"]
        ),
        folder=_names(said["folder"]),
        suffix=_names(said["suffix"], normalised=False),
        stem=_names(said["stem"]),
    )


def _by_class(table: dict[str, float]) -> tuple[tuple[FileClass, float], ...]:
    return tuple((FileClass(name), weight) for name, weight in table.items())


def _names(rows: list[dict[str, Any]], *, normalised: bool = True) -> dict[str, Weighed]:
    return {
        normalised_name(name) if normalised else name: (
            FileClass(row["class"]),
            row["weight"],
            row.get("reason", ""),
        )
        for row in reversed(rows)
        for group in row["words"]
        for name in group["names"]
    }


@cache
def fingerprint() -> str:
    """A digest of the weights and words: what was sorted by others must be sorted anew."""
    from blake3 import blake3

    here = files("left_intact.core.survey")
    return blake3(
        b"".join(here.joinpath(n).read_bytes() for n in ("weights.toml", "vocabulary.toml"))
    ).hexdigest()[:16]
