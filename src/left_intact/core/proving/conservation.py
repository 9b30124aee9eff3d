"""The first law of a proof: what was the person's before is accounted for after.

Each file of theirs lies at its place, at another that is named, in one that was merged from it, or was let go
of by an answer. This asks the disk, the witness of all roots and the answers; it repeats none of the plan's
reasons.
"""

from __future__ import annotations

import os
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field

from left_intact.core.model.entry import Entry, Kind
from left_intact.core.model.kept import CLASSES
from left_intact.core.model.place import OLD, At
from left_intact.core.model.proof import Witness
from left_intact.core.model.stages import Verb
from left_intact.core.proving.compare import Now
from left_intact.core.proving.told import Told

_TEXT_MOST = 1 << 20
"""Bytes of a settings text that is read to see whether only the folder's name was changed in it."""


@dataclass(slots=True)
class Account:
    """What became of the person's files that are not simply where they were."""

    gone: list[str] = field(default_factory=list)
    """Nowhere, and let go of by no answer."""
    displaced: list[str] = field(default_factory=list)
    """At their place lies something else, by no answer."""
    moved: list[tuple[str, str]] = field(default_factory=list)
    """(where it was, where it is)."""
    let_go: list[str] = field(default_factory=list)
    """By an answer."""

    @property
    def holds(self) -> bool:
        return not (self.gone or self.displaced)


def account_for(witness: Witness, now: Now, told: Told, places: Mapping[str, str]) -> Account:
    """Account for every file of the person's. `places` are the folders of all roots, by label."""
    account = Account()
    if told.answered is None:
        return account  # a record of before the answers were kept
    if told.behind is not None and not told.behind.back:
        _beside(account, witness, now, told, places)
    elif told.is_the_persons_alone and not witness.by_hand:
        _in_place(account, witness, told)
    return account


def _beside(account: Account, witness: Witness, now: Now, told: Told, places: Mapping[str, str]) -> None:
    """What lay in the folder that was left behind has to lie in the new one."""
    behind, answered = told.behind, told.answered
    assert behind is not None and answered is not None
    merged = {at.path for at in witness.merged if not at.root}
    owners = dict[str, str]()
    for path, was in _persons_in(witness, OLD):
        target = behind.moved.get(path, path)
        there = now.entry(At("", target))
        if there is not None and (there.same_content(was) or was.kind is Kind.LINK):
            if target != path:
                account.moved.append((path, target))
            if (other := owners.setdefault(target, path)) != path:
                account.gone.append(f"{path} (as {other})")
            continue
        if target in merged or behind.stays(path) or path in answered or target in answered:
            if path in answered or target in answered:
                account.let_go.append(path)
            continue
        if there is None:
            account.gone.append(path)
            continue
        later = bool(told.carried_at) and there.mtime_ns / 1e9 > told.carried_at
        if not later and not _only_leads(path, target, places):
            account.displaced.append(path if target == path else f"{path} (at {target})")


def _in_place(account: Account, witness: Witness, told: Told) -> None:
    """What the update changed or took away that was the person's, without having asked."""
    assert told.answered is not None
    for at, row in witness.rows.items():
        was = row.before
        if was is None or was.kind is not Kind.FILE or not row.file_class.is_the_persons:
            continue
        if row.verb not in (Verb.REPLACE, Verb.RETIRE) or row.agreed == was:
            continue
        if at.shown in told.answered:
            account.let_go.append(at.shown)
        elif row.agreed is None:
            account.gone.append(at.shown)
        else:
            account.displaced.append(at.shown)


def _persons_in(witness: Witness, label: str) -> Iterator[tuple[str, Entry]]:
    """(path, what it was) of every file and link of the person's in a root before."""
    for page in witness.kept.pages:
        root, above = witness.kept.folder_at(page)
        for number in page.places if root == label else ():
            entry = page.page.entry(number)
            if CLASSES[page.classes[number]].is_the_persons and entry.kind in (Kind.FILE, Kind.LINK):
                name = page.page.names[number]
                yield (f"{above}/{name}" if above else name), entry
    for at, row in witness.rows.items():
        was = row.before
        if at.root != label or was is None or not row.file_class.is_the_persons:
            continue
        if was.kind in (Kind.FILE, Kind.LINK):
            yield at.path, was


def _only_leads(path: str, target: str, places: Mapping[str, str]) -> bool:
    """Return True if two texts, of the old folder and of the new one, differ in nothing but lines that named
    the old folder.
    """
    before, after = _read(os.path.join(places[OLD], path)), _read(os.path.join(places[""], target))
    if before is None or after is None:
        return False
    old = os.fsencode(places[OLD])
    mine, theirs = before.splitlines(), after.splitlines()
    return len(mine) == len(theirs) and all(a == b or old in a for a, b in zip(mine, theirs, strict=True))


def _read(path: str) -> bytes | None:
    try:
        with open(path, "rb") as file:
            data = file.read(_TEXT_MOST + 1)
    except OSError:
        return None
    return data if len(data) <= _TEXT_MOST else None
