"""What carrying out needs of the other stages: looks, reads and draws, while an update is under way."""

from __future__ import annotations

import os
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

from left_intact.core.model.classes import FileClass
from left_intact.core.model.errors import LeftIntactError
from left_intact.core.model.pages import Page
from left_intact.core.model.place import At, Root, is_spot
from left_intact.core.model.update import Update

if TYPE_CHECKING:
    from left_intact.core.keepsheet.sheet import Keepsheet
    from left_intact.core.model.entry import Entry, Folder
    from left_intact.core.model.install import Install
    from left_intact.core.model.plan import DrawnStage, Plan
    from left_intact.core.model.release import Release
    from left_intact.core.model.stages import DeferredStage, ManualStep
    from left_intact.core.planning.back import BackInputs
    from left_intact.core.planning.deferred import Situation

from left_intact.services.records import Records
from left_intact.services.surveys import Surveys

_TEXT_MOST = 1 << 20
"""Bytes of a copy of settings that are read to be merged."""


@dataclass(frozen=True, slots=True)
class OtherStages:
    """Looks, reads and draws for a chain, with the workbench's own stages."""

    records: Records
    surveys: Surveys
    install: Install
    back_inputs: Callable[..., BackInputs]
    again: Callable[[Install, Update, Mapping[str, str]], Plan]

    def was_done(self, step: ManualStep, update: Update) -> bool:
        from left_intact.core.proving.manual_steps import was_done

        sheet = self._sheet(update)
        asked = self.surveys.asked(self.install)
        # It looks every two seconds: what has not changed since the last survey is not read again.
        pages = self._own_pages()
        return was_done(
            step.check,
            update.roots,
            name=self.install.name,
            rules=sheet.version_places,
            extra_readings=asked,
            known=pages,
        )

    def draw_again(self, update: Update, answers: Mapping[str, str]) -> Plan:
        return self.again(self.install, update, answers)

    def run_command(self, step: ManualStep, update: Update) -> bool:
        from left_intact.core.proving.run_step import run_step

        if not self.records.is_allowed(self.install, step.command):
            return False
        return run_step(update.roots[0].place, step.command)

    def _sheet(self, update: Update) -> Keepsheet:
        """What is known about the program, also by a sheet that was given for this update alone."""
        return self.surveys.sheet_of(self.install, text=self.records.given_sheet(self.install, update))

    def tree(self, roots: tuple[Root, ...]) -> Mapping[At, tuple[Entry, FileClass]]:
        from left_intact.core.files.identity import identity_of
        from left_intact.core.files.tree import read_tree

        classes, found, folders = self._classes(), {}, []
        pages = self._own_pages()
        for root in roots:
            if identity_of(root.place) is None or is_spot(root.label):
                continue  # absent for a while, or yet to be made, or not ours to read
            tree = read_tree(root.place, known=pages if not root.label else None)
            for entry in tree.entries:
                at = At(root.label, entry.path)
                found[at] = (entry, classes.get(at, FileClass.UNSORTED))
            folders += [(At(root.label, f.path), f) for f in tree.folders]
        return {**found, **{at: (e, FileClass.UNSORTED) for at, e in _folders(roots, folders).items()}}

    def _own_pages(self) -> Mapping[str, Page]:
        """What the last survey saw in the install's own folder."""
        pages = self.records.library.before(self.install).pages
        return {page.folder: page for page in pages.values() if not page.root}

    def _classes(self) -> dict[At, FileClass]:
        """As the last survey sorted; a place it did not see counts as the person's."""
        before = self.records.library.before(self.install)
        sorting = before.sorting(before.contexts[0]) if before.contexts else None
        if sorting is None:
            return {}
        pages = sorted(before.pages.values(), key=lambda page: page.at)
        found: dict[At, FileClass] = {}
        findings = sorting.of_pages(pages)
        for page, verdicts in zip(pages, findings.verdicts, strict=True):
            for at, number in enumerate(verdicts):
                found[page.place(at)] = findings.table[number].file_class
        return found

    def draw(self, later: DeferredStage, update: Update, answers: Mapping[str, str]) -> DrawnStage:
        from left_intact.core.model.plan import DrawnStage
        from left_intact.core.planning.back import PLANNER, draw_segment
        from left_intact.core.planning.routes.registry import deferred_planner

        if later.planner == PLANNER:
            number, behind = int(later.context["update"]), int(later.context["behind"])
            inputs = self.back_inputs(self.install, number, answers, behind, under_way=True)
            # What lies behind later steps by hand was taken back before them; this is the part down to
            # `behind`.
            inputs = replace(inputs, roots=update.roots, segments=inputs.segments[-1:])
            change_set, questions, blockers = draw_segment(inputs)
            return DrawnStage(change_set=change_set, questions=questions, blockers=blockers)
        return deferred_planner(later.planner)(self._situation(later, update, answers))

    def _situation(self, later: DeferredStage, update: Update, answers: Mapping[str, str]) -> Situation:
        """All that a stage is drawn from whose turn has come."""
        from left_intact.core.carrying.trace import Trace
        from left_intact.core.files.roots import roots_reader
        from left_intact.core.files.tree import first_bytes
        from left_intact.core.planning.deferred import Situation

        box = self.records.strongbox(self.install)
        with box.journal() as journal:
            trace = Trace(journal, update.id)
            saved, made = trace.made_safe, trace.made_by_hand()
        others = [(root.label, root.place) for root in update.roots if root.label and not is_spot(root.label)]
        read = roots_reader(update.roots[0].place, others)
        return Situation(
            install=self.install.name,
            roots=update.roots,
            tree=self.tree(update.roots),
            context=later.context,
            arrival=lambda n: self.surveys.arrival(self.install, update.arrivals[n].source),
            baseline=self.surveys.baseline(self.install, None),
            sheet=self._sheet(update),
            answers=answers,
            saved=saved,
            made=made,
            read=read,
            read_saved=lambda digest: first_bytes(box.object_path(digest), _TEXT_MOST),
            coming=self._coming(update),
        )

    def _coming(self, update: Update) -> Release | None:
        """What an update lays, where it still lies there and can be looked into."""
        if not update.arrivals:
            return None
        try:
            arrival = self.surveys.arrival(self.install, update.arrivals[0].source)
        except LeftIntactError:
            return None
        return arrival.release if arrival.shape != "file" else None


def _folders(roots: tuple[Root, ...], found: list[tuple[At, Folder]]) -> dict[At, Entry]:
    """Folders as entries, those of the roots themselves too."""
    from left_intact.core.files.tree import entry_of
    from left_intact.core.model.entry import Entry, Kind

    folders = {at: Entry(path=at.path, kind=Kind.FOLDER, mode=f.mode, mtime_ns=f.mtime_ns) for at, f in found}
    for root in roots:
        if os.path.isdir(root.place) and not os.path.islink(root.place):
            folders[At(root.label, "")] = entry_of(root.place, "", content=False)
    return folders
