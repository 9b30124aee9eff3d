"""`weights.toml`, read once and turned into look-ups."""

from __future__ import annotations

import re
import tomllib
from dataclasses import dataclass
from functools import cache
from importlib.resources import files
from typing import Any

from left_intact.core.model.classes import FileClass

_NOISE = re.compile(r"[\W_]+")
Weighed = tuple[FileClass, float, str]
"""Class, weight, and the reason or words that go with it."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Shape:
    """What the size of bytes without a header says."""

    says: str
    least: int
    most: int
    weights: tuple[tuple[FileClass, float], ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class Weights:
    """All weights in the form the evidence sources look them up."""

    sort: float
    replace: float
    retire: float
    spoken: dict[str, float]
    cluster_seconds: int
    cluster_share: float
    cluster_most: float
    cluster_mixed: float
    apart_seconds: int
    header: dict[str, tuple[str, tuple[tuple[FileClass, float], ...]]]
    shapes: tuple[Shape, ...]
    folder: dict[str, Weighed]
    suffix: dict[str, Weighed]
    stem: dict[str, Weighed]


@cache
def weights() -> Weights:
    """The weights that ship with the program."""
    said = tomllib.loads(files("left_intact.core.survey").joinpath("weights.toml").read_text("utf-8"))
    return Weights(
        sort=said["thresholds"]["sort"],
        replace=said["thresholds"]["replace"],
        retire=said["thresholds"]["retire"],
        spoken=said["spoken"],
        cluster_seconds=said["time"]["cluster-seconds"],
        cluster_share=said["time"]["cluster-share"],
        cluster_most=said["time"]["cluster-most"],
        cluster_mixed=said["time"]["cluster-mixed"],
        apart_seconds=said["time"]["years-apart-seconds"],
        header={form: (row["says"], _by_class(row["weights"])) for row in said["header"] for form in row["formats"]},
        shapes=tuple(
            Shape(says=row["says"], least=row["least"], most=row["most"], weights=_by_class(row["weights"]))
            for row in said["shape"]
        ),
        folder=_names(said["folder"]),
        suffix=_names(said["suffix"]),
        stem=_names(said["stem"]),
    )


def _by_class(table: dict[str, float]) -> tuple[tuple[FileClass, float], ...]:
    return tuple((FileClass(name), weight) for name, weight in table.items())


def _names(rows: list[dict[str, Any]]) -> dict[str, Weighed]:
    return {
        name: (FileClass(row["class"]), row["weight"], row.get("reason", "")) for row in reversed(rows) for name in row["names"]
    }


def bare(name: str) -> str:
    """A name as the tables spell it: lower case, nothing but letters and digits."""
    return _NOISE.sub("", name.lower())
