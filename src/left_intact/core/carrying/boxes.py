"""Finding the strongbox of an install by whose it is, wherever it lies; and which boxes are trusted.

A box is looked for where it was, beside the install and at home. Three speak of which folder an install
is: what lies there (its device and inode), the card of the box, and its journal. Two that agree are
enough, so a renamed folder, a changed right or a lost library lose nothing; one alone proves nothing, so a
box whose card and journal speak of another folder is never taken for this one's. What is no real folder
of this person alone is never obeyed.
"""

from __future__ import annotations

import os
import re
import stat
from collections.abc import Collection, Iterator, Sequence
from contextlib import suppress
from itertools import chain, count

from left_intact.core.carrying.strongbox import Card, Strongbox
from left_intact.core.files.identity import identity_of
from left_intact.core.files.names import STRONGBOX_FOLDER
from left_intact.core.model.effects import moved_by
from left_intact.core.model.errors import LeftIntactError
from left_intact.core.model.place import OLD
from left_intact.core.model.update import KnownBox, RunKind, State, Update

_ENDED = (State.SETTLED, State.GONE_BACK, State.ABANDONED, State.DONE)


def strongbox_for(
    root: str, name: str, home: str, recorded: KnownBox | None = None, *, outside: bool = False
) -> Strongbox:
    """The strongbox of an install; one that is still to be made where there is none.

    With `outside` a new one is made at home, as the folder that the install lies in may be wiped. Raises
    `strongbox-missing` where one is needed and cannot be found, `other-user` where the install and its box
    are another person's.
    """
    root = os.path.realpath(root)
    found = _find(root, name, home, recorded)
    if found is not None:
        return found
    if recorded is not None and recorded.needed:
        raise LeftIntactError(
            "strongbox-missing",
            f"the strongbox of {name} cannot be opened, and an update of it is not settled; it should be",
            path=recorded.folder,
            way_out="Bring it back (a stick, a right, a renamed folder); until then nothing is changed.",
        )
    _refuse_another_persons(root)
    from hashlib import sha256

    slug = re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-")[:40] or "install"
    # The same label each time, so that two who begin at once meet at one lock.
    label = f"{slug}-{sha256(os.fsencode(root)).hexdigest()[:8]}"
    shelf = _beside(root)
    if outside or not _may_use(shelf, os.path.dirname(root)) or os.path.dirname(root) == root:
        shelf = os.path.join(home, "strongbox")
    # One of that name is another's: it was made for a folder that lay here once.
    names = chain([label], (f"{label}-{number}" for number in count(2)))
    return next(box for name in names if not (box := Strongbox(os.path.join(shelf, name))).exists)


def _beside(root: str) -> str:
    return os.path.join(os.path.dirname(root), STRONGBOX_FOLDER)


def _find(root: str, name: str, home: str, recorded: KnownBox | None) -> Strongbox | None:
    boxes = [box for box in _candidates(root, name, home, recorded) if box.exists]
    if recorded is not None:
        for box in boxes:
            card = box.card()
            if card is not None and card.id == recorded.id:
                return box
    identity, others = identity_of(root), []
    for box in boxes:
        card = box.card()
        if card is not None and identity is not None and card.identity == identity:
            return box
        others.append((box, card))
    said = [box for box, card in others if card is not None and _lies_at(box, card) == root]
    old = [box for box, card in others if card is None and _is_of(box, root)]
    return next(iter((*said, *old)), None)


def _lies_at(box: Strongbox, card: Card) -> str:
    """Where an install lies by its strongbox alone: by the card, and by a run that ended after it was
    written.
    """
    try:
        with box.heads() as journal:
            return lies_after(card.path, journal.runs())
    except LeftIntactError:
        return card.path


def lies_after(place: str, runs: Sequence[Update], done: Collection[int] = ()) -> str:
    """Where an install lies that lay somewhere, by the runs in its journal, newest first; what is `done` has
    been reckoned with. A run that lays a new folder counts from its first line, a going back at its end.
    """
    for run in reversed(runs):
        moved = moved_by(run.effects)
        if moved is None or run.id in done:
            continue
        back = run.kind is RunKind.BACK
        counts = run.state is State.DONE if back else run.state not in (State.ABANDONED, State.GONE_BACK)
        if counts and place == moved.old:
            place = moved.new
    return place


def left_by(root: str, home: str) -> tuple[str, str] | None:
    """(name, folder) of the install whose update left a folder behind and is not settled; None where none
    did. Its journal says so, and knows that folder by what lies there.
    """
    identity = identity_of(root)
    for box in _candidates(root, "", home, None):
        card = box.card()
        if card is None or identity is None or card.identity == identity:
            continue
        with suppress(LeftIntactError), box.heads() as journal:
            for run in journal.runs():
                old = next((one for one in run.roots if one.label == OLD), None)
                if run.state not in _ENDED and old is not None and old.identity == identity:
                    return run.install, run.roots[0].place
    return None


def _candidates(root: str, name: str, home: str, recorded: KnownBox | None) -> Iterator[Strongbox]:
    """Every trusted box that could be it, each once."""
    seen: set[str] = set()
    for folder in _folders(root, home, recorded):
        if folder not in seen and is_trusted(folder):
            seen.add(folder)
            yield Strongbox(folder)


def _folders(root: str, home: str, recorded: KnownBox | None) -> Iterator[str]:
    if recorded is not None and is_trusted(os.path.dirname(recorded.folder)):
        yield recorded.folder
    for shelf in (_beside(root), os.path.join(home, "strongbox")):
        if not is_trusted(shelf):
            continue
        try:
            with os.scandir(shelf) as inside:
                yield from sorted(item.path for item in inside if item.is_dir(follow_symlinks=False))
        except OSError:
            continue


def _is_of(box: Strongbox, root: str) -> bool:
    """Whether a box whose card cannot be read is of an install: by its label, or by its journal."""
    from hashlib import sha256

    for path in (root, os.path.abspath(root)):
        if box.folder.endswith("-" + sha256(os.fsencode(path)).hexdigest()[:8]):
            return True
    try:
        with box.heads() as journal:
            return any(os.path.realpath(update.root) == root for update in journal.runs())
    except LeftIntactError:
        return False


# ---------------------------------------------------------------- trust


def is_trusted(folder: str) -> bool:
    """Whether a folder is a real one of this person alone; group rights are borne."""
    try:
        info = os.lstat(folder)
    except OSError:
        return False
    if not stat.S_ISDIR(info.st_mode):
        return False
    if not hasattr(os, "geteuid"):
        return True
    return info.st_uid == os.geteuid() and not info.st_mode & stat.S_IWOTH


def _may_use(folder: str, parent: str) -> bool:
    """Whether a shelf for boxes is there and trusted, or can be made."""
    if os.path.lexists(folder):
        return is_trusted(folder) and os.access(folder, os.W_OK | os.X_OK)
    return os.access(parent, os.W_OK | os.X_OK)


def _refuse_another_persons(root: str) -> None:
    """Where the strongbox folder is that of the install's owner, or the superuser's, their updates cannot
    be seen from here.
    """
    if not hasattr(os, "geteuid"):
        return
    try:
        box, install = os.lstat(_beside(root)), os.lstat(root)
    except OSError:
        return
    if not stat.S_ISDIR(box.st_mode) or box.st_uid == os.geteuid():
        return
    if box.st_uid in (install.st_uid, 0):
        raise LeftIntactError(
            "other-user",
            "the strongbox folder beside this install belongs to another user (number "
            f"{box.st_uid}), who may have updated it",
            path=root,
            way_out="Run Left Intact as that user.",
        )
