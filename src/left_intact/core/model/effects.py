"""What a run does to the shelf: known to its journal first, done when it ended, reversed by going back."""

from __future__ import annotations

import os
from collections.abc import Iterable, Mapping
from dataclasses import asdict, dataclass
from typing import Any


@dataclass(frozen=True, slots=True)
class InstallMoved:
    """An install lies in another folder from now on."""

    old: str
    new: str


@dataclass(frozen=True, slots=True)
class RootAdded:
    """A folder is read with the install."""

    label: str
    place: str


@dataclass(frozen=True, slots=True)
class RootDropped:
    """A folder is no longer read with the install."""

    label: str
    place: str


@dataclass(frozen=True, slots=True)
class HoldSet:
    """Nothing newer than a version is wanted, where nothing was held before."""

    beyond: str
    reason: str


@dataclass(frozen=True, slots=True)
class HoldDropped:
    """A hold that a run had set is over."""

    beyond: str
    reason: str


ShelfEffect = InstallMoved | RootAdded | RootDropped | HoldSet | HoldDropped
_KINDS: dict[str, type[ShelfEffect]] = {
    "moved": InstallMoved,
    "root-added": RootAdded,
    "root-dropped": RootDropped,
    "hold-set": HoldSet,
    "hold-dropped": HoldDropped,
}
_NAMES = {kind: name for name, kind in _KINDS.items()}


def reversed_effect(effect: ShelfEffect) -> ShelfEffect:
    match effect:
        case InstallMoved():
            return InstallMoved(effect.new, effect.old)
        case RootAdded():
            return RootDropped(effect.label, effect.place)
        case RootDropped():
            return RootAdded(effect.label, effect.place)
        case HoldSet():
            return HoldDropped(effect.beyond, effect.reason)
        case HoldDropped():
            return HoldSet(effect.beyond, effect.reason)


def reversed_effects(effects: Iterable[ShelfEffect]) -> tuple[ShelfEffect, ...]:
    """What takes some effects back, in the order in which that must be done."""
    return tuple(map(reversed_effect, reversed(tuple(effects))))


def effects_to_record(effects: Iterable[ShelfEffect]) -> list[dict[str, Any]]:
    return [{"kind": _NAMES[type(effect)], **asdict(effect)} for effect in effects]


def effects_from_record(said: Iterable[Mapping[str, Any]]) -> tuple[ShelfEffect, ...]:
    """Of a kind that this version does not know nothing is done."""
    known = (one for one in said if one.get("kind") in _KINDS)
    return tuple(_KINDS[one["kind"]](**{k: v for k, v in one.items() if k != "kind"}) for one in known)


def effects_of(
    moved: InstallMoved, left: Iterable[str] = (), *, back: bool = False
) -> tuple[ShelfEffect, ...]:
    """Of a run that ends with the install in another folder; content that is `left` in the old one is read
    with the install from there. With `back` of one that takes that back.
    """
    roots = (RootAdded(label_for(folder), os.path.join(moved.old, *folder.split("/"))) for folder in left)
    effects: tuple[ShelfEffect, ...] = (moved, *roots)
    return reversed_effects(effects) if back else effects


def label_for(folder: str) -> str:
    """What a folder that stays where it is is called as a root."""
    return "".join(c if c.isalnum() else "-" for c in folder.lower()).strip("-") or "content"


def moved_by(effects: Iterable[ShelfEffect]) -> InstallMoved | None:
    return next((one for one in effects if isinstance(one, InstallMoved)), None)
