"""The roots of a run, opened when first needed; one may be missing for a while, or yet to be made."""

from __future__ import annotations

import os
from collections.abc import Iterable

from left_intact.core.files.identity import identity_of
from left_intact.core.files.place import LocalPlace, root_replaced
from left_intact.core.model.entry import Attributes, Entry, Kind
from left_intact.core.model.errors import LeftIntactError
from left_intact.core.model.place import At, Root


class Roots:
    """Places by label. The root itself is a name in the folder above it, so making one is a step like any
    other.
    """

    def __init__(self, roots: Iterable[Root], *, strict: bool = False) -> None:
        """With `strict` each root must be the folder that was looked at, by device and inode."""
        self.all = {root.label: root for root in roots}
        self.strict = strict
        self._open: dict[str, LocalPlace] = {}
        self._above: dict[str, LocalPlace] = {}

    def close(self) -> None:
        for place in (*self._open.values(), *self._above.values()):
            place.close()
        self._open, self._above = {}, {}

    def __enter__(self) -> Roots:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    # ------------------------------------------------------------ places

    def is_there(self, label: str) -> bool:
        return label in self._open or identity_of(self.all[label].place) is not None

    def place(self, label: str) -> LocalPlace:
        """The root, open. Raises `no-folder` where it is not there, `root-replaced` where it is another
        folder.
        """
        known = self._open.get(label)
        if known is None:
            root = self.all[label]
            if not os.path.lexists(root.place):
                raise LeftIntactError(
                    "no-folder", "this folder is not there", path=root.place, way_out="Bring it back."
                )
            identity = root.identity if self.strict else None
            known = self._open[label] = LocalPlace(root.place, identity=identity)
        return known

    def refuse_exchanged(self) -> None:
        """Raise `root-replaced` where a root that was worked on is not the one that its path leads to now."""
        for label, place in self._open.items():
            if identity_of(self.all[label].place) != place.identity:
                raise root_replaced(self.all[label].place)

    def forget(self, label: str) -> None:
        """The root may be another folder from now on."""
        if (known := self._open.pop(label, None)) is not None:
            known.close()

    def spot(self, at: At) -> tuple[LocalPlace, str]:
        """A place and the path in it; a root is found in the folder above it."""
        if at.path:
            return self.place(at.root), at.path
        root = self.all[at.root].place
        above = self._above.get(at.root)
        if above is None:
            above = self._above[at.root] = LocalPlace(os.path.realpath(os.path.dirname(root)))
        return above, os.path.basename(root)

    def file_system(self, label: str) -> int:
        """The device of a root; of the folder above where it is yet to be made."""
        return (
            self.place(label).file_system if self.is_there(label) else self.spot(At(label, ""))[0].file_system
        )

    def full(self, at: At) -> str:
        """A path as messages name it."""
        root = self.all[at.root].place
        return os.path.join(root, at.path) if at.path else root

    # ------------------------------------------------------------ looking

    def look(self, at: At, *, content: bool = False) -> Entry | None:
        """What lies at a place, None where nothing does or its root is not there."""
        if at.path and not self.is_there(at.root):
            return None
        place, path = self.spot(at)
        found = place.look(path, content=content)
        if not at.path and found is not None and found.kind is Kind.LINK:
            raise root_replaced(self.all[at.root].place)
        return found

    def names(self, at: At) -> list[str] | None:
        return self.place(at.root).names(at.path) if self.is_there(at.root) else None

    def attributes(self, at: At) -> Attributes:
        return self.place(at.root).attributes(at.path) if self.is_there(at.root) else Attributes()

    def device(self, at: At) -> int | None:
        """The file system that a folder lies on; None where it is not there."""
        if not self.is_there(at.root):
            return None
        info = self.place(at.root).stat(at.path)
        return info.st_dev if info is not None else None
