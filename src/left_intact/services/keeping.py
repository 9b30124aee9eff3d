"""What strongboxes hold over time: looked through, taken out of, freed, and kept within a budget."""

from __future__ import annotations

import os
from collections import Counter
from typing import TYPE_CHECKING

from left_intact.core.model.classes import FileClass
from left_intact.core.model.errors import LeftIntactError
from left_intact.core.model.place import old_root_in
from left_intact.core.model.progress import CancelToken, Report, silent
from left_intact.services.home import Home, Service
from left_intact.services.records import Records

if TYPE_CHECKING:
    from left_intact.core.carrying.strongbox import Strongbox
    from left_intact.core.model.install import Install
    from left_intact.core.model.keeping import Holdings, Remains, Scrubbed


class Keeping(Service):
    """What strongboxes hold over time."""

    def __init__(self, home: Home, records: Records) -> None:
        super().__init__(home)
        self.records = records

    def _box(self, install: Install) -> Strongbox:
        box = self.records.strongbox(install)
        if not box.exists:
            raise LeftIntactError(
                "no-strongbox", f"{install.name} has no strongbox yet", way_out="Its first update makes one."
            )
        return box

    def look(self, install: Install) -> Holdings:
        """All that is kept, and what frees room. Raises `no-strongbox`."""
        from left_intact.core.carrying.keeping import holdings

        box = self._box(install)
        budget = int(self.library.choice(f"budget:{install.id}") or 0)
        with box.journal() as journal:
            return holdings(journal, box, budget)

    def remains(self, install: Install) -> Remains:
        """What can still be had of an install whose folder is gone; reads nothing but what is known of it."""
        from left_intact.core.keepsheet.sheet import parse_sheet
        from left_intact.core.model.keeping import Remains

        box = self.records.strongbox(install)
        held = box.objects() if box.exists else set()
        last = next((run for run in self.records.history(install)), None) if box.exists else None
        behind = old_root_in(last.roots) if last is not None else ""
        text = self.library.sheet(install)
        clear = parse_sheet(text, "its keepsheet").clear if text else None
        ghost = os.path.normpath(os.path.join(install.root, clear.ghost)) if clear and clear.ghost else ""
        return Remains(
            classes=self._had(install, held),
            roots=tuple((label, place, os.path.isdir(place)) for label, place in self.library.roots(install)),
            left_behind=behind if behind and os.path.isdir(behind) and behind != install.root else "",
            ghost=ghost if ghost and os.path.lexists(ghost) else "",
        )

    def _had(self, install: Install, held: set[str]) -> tuple[tuple[FileClass, int, int], ...]:
        """Of each class of the person's: how many files were there last, and how many have a copy."""
        before = self.library.before(install)
        sorting = before.sorting(before.contexts[0]) if before.contexts else None
        if sorting is None:
            return ()
        pages = sorted(before.pages.values(), key=lambda page: page.at)
        findings = sorting.of_pages(pages)
        files, copies = Counter[FileClass](), Counter[FileClass]()
        for page, verdicts in zip(pages, findings.verdicts, strict=True):
            for at, number in enumerate(verdicts):
                kind = findings.table[number].file_class
                if kind.is_the_persons:
                    files[kind] += 1
                    copies[kind] += page.entry(at).digest in held
        order = (FileClass.SAVES, FileClass.STATES, FileClass.SETTINGS, *FileClass)
        return tuple((kind, files[kind], copies[kind]) for kind in dict.fromkeys(order) if files[kind])

    def verify(
        self, install: Install, *, report: Report = silent, cancel: CancelToken | None = None
    ) -> Scrubbed:
        """Read every object. Raises `no-strongbox`."""
        from left_intact.core.carrying.keeping import scrub

        box = self._box(install)
        try:
            with box.locked(), box.journal() as journal:
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
        from left_intact.core.carrying.keeping import held_in

        box = self._box(install)
        try:
            with box.locked(), box.journal() as journal:
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
