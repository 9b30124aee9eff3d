"""Where things wait that are about to be laid or were just displaced: on the file system of their root, so
that one rename moves them.

On the strongbox's own file system that is its work folder. Elsewhere it is an annex: a folder of ours
beside the root, or inside it (hidden, and passed over by every walk) where nothing may be made beside it.
Names in it are short and ours alone, so no file of a person can be taken for one, and no name of theirs is
too long for it.
"""

from __future__ import annotations

import errno
import os
from contextlib import suppress

from left_intact.core.carrying.boxes import is_trusted
from left_intact.core.carrying.roots import Roots
from left_intact.core.carrying.strongbox import Strongbox
from left_intact.core.files.identity import identity_of
from left_intact.core.files.names import STRONGBOX_FOLDER
from left_intact.core.files.place import LocalPlace
from left_intact.core.model.errors import LeftIntactError, reason_of

WORK = "work-"
"""What the names of work folders begin with; the number of their run follows."""


class Annexes:
    """The work folders of one run, one a root."""

    def __init__(self, box: Strongbox, roots: Roots, update: int) -> None:
        card = box.card()
        self.box, self.roots = box, roots
        self.work = f"{WORK}{update}"
        self._name = f"annex-{card.id if card else 'old'}"
        self._open: dict[str, LocalPlace] = {}

    def close(self) -> None:
        for place in self._open.values():
            if place is not self.box.place:
                place.close()
        self._open = {}

    def of(self, label: str) -> LocalPlace:
        """A place of ours on the file system of a root. Raises `no-annex`."""
        known = self._open.get(label)
        if known is None:
            known = self._open[label] = self._made(label)
            known.make_folders(self.work)
        return known

    def _made(self, label: str) -> LocalPlace:
        device = self.roots.file_system(label)
        if self.box.place.file_system == device:
            return self.box.place
        why = ""
        for folder in self._folders(label):
            above = os.path.dirname(os.path.dirname(folder))
            found = identity_of(above)
            if found is None or found[0] != device:
                continue
            try:
                for made in (os.path.dirname(folder), folder):
                    with suppress(FileExistsError):
                        os.mkdir(made, 0o700)
                    if not is_trusted(made):
                        raise OSError(errno.EPERM, "not a folder of yours alone", made)
                return LocalPlace(folder, ours=True)
            except OSError as error:
                why = reason_of(error)
        raise LeftIntactError(
            "no-annex",
            f"nothing can be prepared on the disk of this folder ({why or 'nowhere to put it'})",
            path=self.roots.all[label].place,
            way_out="Give yourself the right to write there.",
        )

    def _folders(self, label: str) -> list[str]:
        root = self.roots.all[label].place
        beside = os.path.join(os.path.dirname(root), STRONGBOX_FOLDER, self._name)
        return [beside, os.path.join(root, STRONGBOX_FOLDER, self._name)]

    def clear(self) -> None:
        """Empty the work folders, also those that earlier runs could not, and remove annexes that nobody
        needs; what cannot be removed waits for the next time.
        """
        _discard_work(self.box.place)
        for label in self.roots.all:
            for folder in self._folders(label):
                if not is_trusted(folder):
                    continue
                with suppress(OSError), LocalPlace(folder, ours=True) as annex:
                    _discard_work(annex)
                for gone in (folder, os.path.dirname(folder)):
                    self._remove_empty(gone)
        self.close()

    def _remove_empty(self, folder: str) -> None:
        with suppress(OSError, LeftIntactError), LocalPlace(os.path.dirname(folder)) as above:
            above.remove_empty(os.path.basename(folder))


def _discard_work(place: LocalPlace) -> None:
    """All work folders of a place of ours: one run at a time has any."""
    for name in place.names("") or []:
        if name.startswith(WORK):
            place.discard_all(name)
