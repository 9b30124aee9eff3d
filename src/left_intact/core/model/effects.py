"""What a run does to the shelf: known to its journal first, done when it ended, reversed by going back."""

from __future__ import annotations

import os
from collections.abc import Iterable

import msgspec


class InstallMoved(msgspec.Struct, frozen=True, tag_field="kind", tag="moved"):
    """An install lies in another folder from now on."""

    old: str
    new: str


class RootAdded(msgspec.Struct, frozen=True, tag_field="kind", tag="root-added"):
    """A folder is read with the install."""

    label: str
    place: str


class RootDropped(msgspec.Struct, frozen=True, tag_field="kind", tag="root-dropped"):
    """A folder is no longer read with the install."""

    label: str
    place: str


class HoldSet(msgspec.Struct, frozen=True, tag_field="kind", tag="hold-set"):
    """Nothing newer than a version is wanted, where nothing was held before."""

    beyond: str
    reason: str


class HoldDropped(msgspec.Struct, frozen=True, tag_field="kind", tag="hold-dropped"):
    """A hold that a run had set is over."""

    beyond: str
    reason: str


ShelfEffect = InstallMoved | RootAdded | RootDropped | HoldSet | HoldDropped


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


def effects_of(moved: InstallMoved, left: Iterable[str] = ()) -> tuple[ShelfEffect, ...]:
    """Of a run that ends with the install in another folder; content that is `left` in the old one is read
    with the install from there.
    """
    roots = (RootAdded(label_for(folder), os.path.join(moved.old, *folder.split("/"))) for folder in left)
    return moved, *roots


def label_for(folder: str) -> str:
    """What a folder that stays where it is is called as a root."""
    return "".join(c if c.isalnum() else "-" for c in folder.lower()).strip("-") or "content"


def moved_by(effects: Iterable[ShelfEffect]) -> InstallMoved | None:
    return next((one for one in effects if isinstance(one, InstallMoved)), None)
