"""What strongboxes hold over time: looked through, taken out of, freed, and kept within a budget."""

from __future__ import annotations

import os
from typing import TYPE_CHECKING

from left_intact.core.model.errors import LeftIntactError
from left_intact.core.model.progress import CancelToken, Report, silent
from left_intact.services.records import Records

if TYPE_CHECKING:
    from left_intact.core.carrying.strongbox import Strongbox
    from left_intact.core.model.install import Install
    from left_intact.core.model.keeping import Holdings, Scrubbed


class Keeping(Records):
    """What strongboxes hold over time."""

    def _box(self, install: Install) -> Strongbox:
        box = self.strongbox(install)
        if not box.exists:
            raise LeftIntactError(
                "no-strongbox", f"{install.name} has no strongbox yet", way_out="Its first update makes one."
            )
        return box

    def look(self, install: Install) -> Holdings:
        """All that is kept, and what frees room. Raises `no-strongbox`."""
        from left_intact.core.carrying.journal import Journal
        from left_intact.core.carrying.keeping import holdings

        box = self._box(install)
        budget = int(self.library.choice(f"budget:{install.id}") or 0)
        with Journal(box.journal_path) as journal:
            return holdings(journal, box, budget)

    def verify(
        self, install: Install, *, report: Report = silent, cancel: CancelToken | None = None
    ) -> Scrubbed:
        """Read every object. Raises `no-strongbox`."""
        from left_intact.core.carrying.journal import Journal
        from left_intact.core.carrying.keeping import scrub

        box = self._box(install)
        try:
            with box.locked(), Journal(box.journal_path) as journal:
                return scrub(journal, box, report, cancel)
        finally:
            box.close()

    def take(self, install: Install, path: str, folder: str) -> list[str]:
        """Copy what lay at a path out into a folder, all that is kept of it; the paths of the copies.

        Raises `not-kept`, `in-the-way`, `strongbox-damaged`.
        """
        from left_intact.core.files.place import LocalPlace

        box = self._box(install)
        found = [held for held in self.look(install).held if path in held.places]
        if not found:
            raise self._not_kept(install, path)
        place = os.path.realpath(os.path.expanduser(folder))
        os.makedirs(place, exist_ok=True)
        name, taken = os.path.basename(path), []
        with LocalPlace(place) as target:
            for number, held in enumerate(found, 1):
                wanted = name if number == 1 else f"{name}.{number}"
                if target.stat(wanted) is not None:
                    raise LeftIntactError(
                        "in-the-way",
                        "something lies there already, and nothing is written over",
                        path=target.full(wanted),
                        way_out="Name another folder.",
                    )
                box.give(held.digest, target, wanted)
                taken.append(target.full(wanted))
        box.close()
        return taken

    def free(self, install: Install, path: str) -> int:
        """Let go of all that is kept of a path and that no update needs; the bytes freed. Raises `not-kept`,
        `still-needed`.
        """
        from left_intact.core.carrying.contents import list_rows
        from left_intact.core.carrying.journal import Journal
        from left_intact.core.carrying.keeping import held_in

        box = self._box(install)
        try:
            with box.locked(), Journal(box.journal_path) as journal:
                found = [held for held in held_in(journal, box) if path in held.places]
                if not found:
                    raise self._not_kept(install, path)
                free = [held for held in found if not held.needed]
                if not free:
                    raise LeftIntactError(
                        "still-needed",
                        f"an update on trial would be put back from it: {path}",
                        way_out="Settle the update or go back first.",
                    )
                freed = sum(box.free(held.digest) for held in free)
                box.write_list(list_rows(journal, box))
                return freed
        finally:
            box.close()

    @staticmethod
    def _not_kept(install: Install, path: str) -> LeftIntactError:
        return LeftIntactError(
            "not-kept",
            f"nothing is kept of {path}",
            way_out=f'See what is: left-intact strongbox "{install.name}" list.',
        )

    def set_budget(self, install: Install, most: int) -> None:
        """Say from now on when the strongbox takes more; 0 for any size."""
        self.library.set_choice(f"budget:{install.id}", str(most) if most else "")
