"""Whether a folder is the very one that an install was updated in, before anything is put back there."""

from __future__ import annotations

import os
import shlex

from left_intact.core.carrying.heads import unfinished_of, waiting_of
from left_intact.core.carrying.journal import Journal
from left_intact.core.carrying.strongbox import Strongbox
from left_intact.core.carrying.trace import Trace
from left_intact.core.files.host import keeps_identities
from left_intact.core.files.identity import identity_of
from left_intact.core.model.classes import FileClass
from left_intact.core.model.effects import moved_by
from left_intact.core.model.entry import Entry, Kind
from left_intact.core.model.errors import LeftIntactError
from left_intact.core.model.unchanged import CLASSES
from left_intact.core.model.update import State, Update

_MOST_OF_IT = 0.9


def refuse_another(box: Strongbox, root: str, name: str) -> None:
    """Raise `another-folder` where another folder lies in an install's place than the one that its strongbox
    and its journal know, and something of it is on trial or under way: what would be put back is not its own.

    A device may get another number when it is plugged in, and some file systems keep no inodes: there what
    the update laid, and what it left, tells.
    """
    card, now = box.card(), identity_of(root)
    if card is None or card.identity is None or now is None or card.identity == now:
        return
    if card.path == root and card.identity[1] == now[1]:
        return
    with box.journal() as journal:
        runs = journal.runs()
        run = unfinished_of(runs) or waiting_of(runs)
        if run is None and not any(one.state is State.ON_TRIAL for one in runs):
            return
        if any(known.identity == now and known.place == root for one in runs[:1] for known in one.roots):
            return  # the journal knows it, and what is there: the card is written after both
        if run is not None and (moved_by(run.effects) or _may_be_another(journal, run)):
            return
        if card.path == root and not keeps_identities(root) and bears_what_was_laid(journal, root):
            return
    raise LeftIntactError(
        "another-folder",
        f"this is not the folder in which {name} is on trial: another one lies in its place",
        path=root,
        way_out=f"Put that one back, or say where it lies: left-intact move {shlex.quote(name)} FOLDER.",
    )


def refuse_move(box: Strongbox, root: str, name: str) -> None:
    """Raise `another-folder` where an install is said to lie in a folder that its strongbox does not know,
    and that does not bear what its update on trial left.
    """
    card = box.card()
    if card is not None and card.identity is not None and card.identity == identity_of(root):
        return
    with box.journal() as journal:
        if bears_what_was_laid(journal, root):
            return
    raise LeftIntactError(
        "another-folder",
        f"what lies here is not {name} as its update on trial left it",
        path=root,
        way_out="Name the folder that it lies in, or forget it and survey this one.",
    )


def _may_be_another(journal: Journal, run: Update) -> bool:
    """Whether a step by hand of a run puts another folder in the install's place."""
    return any(stage.hand is not None and "" in stage.hand.rebinds for stage in journal.stages(run.id))


def bears_what_was_laid(journal: Journal, root: str) -> bool:
    """Whether nearly all that the last update left in an install lies in a folder: what it laid, and what it
    let be.
    """
    update = next((one for one in journal.updates() if one.state is State.ON_TRIAL), None)
    if update is None:
        return True
    witness = Trace(journal, update.id).witness
    rows = [(at, row.agreed, row.file_class) for at, row in witness.rows.items()]
    for page in witness.kept.pages:
        folder = page.page.at
        for at in page.places:
            name = page.page.names[at]
            place = folder.inner(name)
            rows.append((place, page.page.entry(at), CLASSES[page.classes[at]]))
    wanted = [(at.path, entry, kind) for at, entry, kind in rows if not at.root and entry is not None]
    there = sum(_lies(os.path.join(root, *path.split("/")), entry, kind) for path, entry, kind in wanted)
    return there >= len(wanted) * _MOST_OF_IT


def _lies(path: str, entry: Entry, kind: FileClass) -> bool:
    """Of the person's no size is asked: they play on."""
    try:
        size = os.lstat(path).st_size
    except OSError:
        return False
    return kind is not FileClass.PROGRAM or entry.kind is not Kind.FILE or size == entry.bytes
