"""Parts of an install: what is in, what may take its place, what to fall back on; swapping several."""

from __future__ import annotations

import os
from collections.abc import Mapping, Sequence
from contextlib import suppress
from functools import cmp_to_key
from itertools import islice
from typing import TYPE_CHECKING

from left_intact.core.model.errors import LeftIntactError
from left_intact.core.model.parts import PartRow, Parts, PartSwapped, PartWaiting
from left_intact.core.model.place import At
from left_intact.core.model.progress import CancelToken, Report, silent
from left_intact.core.model.update import Settled, State, Update
from left_intact.services.home import Home, Service

if TYPE_CHECKING:
    from left_intact.core.files.tree import ReadText
    from left_intact.core.model.install import Install
    from left_intact.core.model.release import Arrival
    from left_intact.core.model.survey import Survey
    from left_intact.core.planning.counterparts import Part
    from left_intact.services.surveys import Surveys
    from left_intact.services.updates import Updates
    from left_intact.services.values import WentBack

_MOST_FILES = 200
"""So many files of a folder of downloads are looked into, the newest."""
_MOST_TEXTS, _TEXT_MOST = 400, 256 << 10
"""So many texts of the person's, of so many bytes each, are searched for names of parts."""
_READ_MOST = 64 << 20
"""Bytes of a part that may be read for its version."""
_FEW = 6
"""An archive with more files than this is no single part."""
_BEFORE = "the one before"


class PartsService(Service):
    """Parts of an install."""

    def __init__(self, home: Home, surveys: Surveys, updates: Updates) -> None:
        super().__init__(home)
        self.surveys, self.updates = surveys, updates

    def look(
        self,
        install: Install,
        folder: str = "",
        *,
        report: Report = silent,
        cancel: CancelToken | None = None,
    ) -> Parts:
        """All parts, with what waits for them in a folder of downloads: the one named here is remembered."""
        from left_intact.core.files.headers import platform_of
        from left_intact.core.files.roots import reader_in_words
        from left_intact.core.planning.counterparts import parts_here, version_of

        install = self.updates.places.now(install)
        if folder:
            folder = self._remembered(install, folder)
        survey = self.surveys.survey(install, report=report, cancel=cancel)
        read = reader_in_words(install.root, survey.roots, limit=_READ_MOST)
        looked_in = folder or self.library.choice(_place(install))
        files, unseen = self._files(install, looked_in)
        waiting, passed = self._waiting(install, survey, files, cancel)
        swapped, here_now = self._swapped(install), list(parts_here(survey))
        named_in = _named_in(survey, read, [finding.at.path for finding in here_now])
        rows = []
        for finding in here_now:
            here = version_of(finding.at.path, finding.entry, read)
            update, fallback, tried = swapped.get(finding.at.path, (0, "", False))
            rows.append(
                PartRow(
                    path=finding.at.path,
                    version=here.text if here else "",
                    platform=platform_of(finding.entry.format),
                    bytes=finding.entry.bytes,
                    waiting=tuple(waiting.get(finding.at.path, ())),
                    update=update,
                    fallback=fallback,
                    tried=tried,
                    named_in=tuple(named_in.get(finding.at.path, ())),
                )
            )
        rows.sort(key=lambda row: (row.best is None, not row.update, not row.refused, row.path))
        return Parts(rows=tuple(rows), looked_in=looked_in, passed_over=tuple(passed), unseen=unseen)

    def _remembered(self, install: Install, folder: str) -> str:
        place = os.path.abspath(os.path.expanduser(folder))
        if not os.path.isdir(place):
            raise LeftIntactError(
                "no-folder", "there is no folder here", path=place, way_out="Check the path."
            )
        self.library.set_choice(_place(install), place)
        return place

    # ------------------------------------------------------------ what waits

    def _waiting(
        self, install: Install, survey: Survey, files: Sequence[str], cancel: CancelToken | None
    ) -> tuple[dict[str, list[PartWaiting]], list[str]]:
        """(what may take the place of each part, what goes by no name here)."""
        found: dict[str, list[PartWaiting]] = {}
        passed = []
        for path in files:
            if cancel is not None:
                cancel.check()
            try:
                arrival = self.surveys.arrival(install, path, names=())
            except LeftIntactError:
                continue
            came = self._single(survey, arrival)
            if came is None:
                continue
            part = next(part for part in came if not part.settings)
            if not part.places:
                passed.append(os.path.basename(path))
                continue
            found.setdefault(part.places[0], []).append(self._judged(install, survey, arrival, came, part))
        for several in found.values():
            several.sort(key=cmp_to_key(_order))
        return found, passed

    def _files(self, install: Install, folder: str) -> tuple[list[str], int]:
        """(what waits and the newest files of a folder of downloads, how many there are more)."""
        waits = [one.path for one in self.library.arrivals(install) if os.path.isfile(one.path)]
        inside: list[tuple[float, str]] = []
        if folder:
            with suppress(OSError), os.scandir(folder) as listed:
                inside = [(one.stat().st_mtime, one.path) for one in listed if one.is_file()]
        newest = [path for _, path in sorted(inside, reverse=True)]
        return list(dict.fromkeys([*waits, *sorted(newest[:_MOST_FILES])])), len(newest[_MOST_FILES:])

    @staticmethod
    def _single(survey: Survey, arrival: Arrival) -> tuple[Part, ...] | None:
        """The one part in it, with its settings; None where what came is no single part."""
        from left_intact.core.planning.counterparts import parts_that_came

        if arrival.shape != "file" and len(arrival.release.entries) > _FEW:
            return None
        came = parts_that_came(survey, arrival)
        parts = [part for part in came if not part.settings]
        return came if len(parts) == 1 else None

    def _judged(
        self, install: Install, survey: Survey, arrival: Arrival, came: tuple[Part, ...], part: Part
    ) -> PartWaiting:
        """What would come of it, without drawing the whole plan."""
        from left_intact.core.files.roots import reader_in_words
        from left_intact.core.planning.counterparts import version_there
        from left_intact.core.planning.inputs import PlanInputs
        from left_intact.core.planning.routes.single_part import SinglePart

        inputs = PlanInputs(
            install=install.name,
            survey=survey,
            arrival=arrival,
            parts=came,
            read=reader_in_words(install.root, survey.roots, limit=_READ_MOST),
        )
        faults = SinglePart().blockers(inputs, None)
        mine = survey.findings.find(At("", part.places[0]))
        same = mine is not None and arrival.release.entries[part.came].same_content(mine.entry)
        there = version_there(arrival, part.came)
        because = faults[0].says if faults else "it is the very one that lies here" if same else ""
        options: tuple[str, ...] = ()
        if not because:
            merges = SinglePart().draw(inputs).merges
            fresh = [x for m in merges.values() for x in m.lines if x.decided == "new"]
            options = tuple(f"{line.key} = {line.result}" for line in fresh)
        version = there.text if there else ""
        code = faults[0].code if faults else "same" if same else ""
        return PartWaiting(
            arrival=arrival.source, version=version, because=because, code=code, options=options
        )

    # ------------------------------------------------------------ what was swapped

    def _swapped(self, install: Install) -> dict[str, tuple[int, str, bool]]:
        """By path: (the update on trial that swapped it last, what to fall back on, whether it was tried)."""

        found: dict[str, tuple[int, str, bool]] = {}
        box = self.updates.records.strongbox(install)
        if not box.exists:
            return found
        with box.journal() as journal:
            for update in journal.updates():
                if update.state is not State.ON_TRIAL:
                    continue
                tried = self.library.ticked(install, update.id)
                for part in journal.facts(update.id).parts:
                    before = part.before or _BEFORE
                    found.setdefault(part.path, (update.id, before, _tick(part.path) in tried))
        return found

    def tried(self, install: Install, row: PartRow) -> None:
        """Remember that a part that was swapped works. Raises `no-fallback`."""
        update = self._on_trial(install, row)
        ticked = set(self.library.ticked(install, update.id))
        self.library.set_ticked(install, update.id, ticked | {_tick(row.path)})

    def _on_trial(self, install: Install, row: PartRow) -> Update:
        for update in self.updates.records.history(self.updates.places.now(install)):
            if update.id == row.update and update.state is State.ON_TRIAL:
                return update
        raise LeftIntactError(
            "no-fallback",
            f"{row.path} was not swapped, so there is none to fall back on",
            way_out="Swap it first.",
        )

    def swap(
        self,
        install: Install,
        chosen: Mapping[str, str],
        *,
        report: Report = silent,
        cancel: CancelToken | None = None,
    ) -> tuple[PartSwapped, ...]:
        """Swap several parts, each by an update of its own, so that each has its own way back.

        `chosen` is by path of the part: the path of what came. One that cannot be swapped stops no other.
        """
        done = []
        for path, arrival in chosen.items():
            try:
                done.append(self._swap_one(install, path, arrival, report, cancel))
            except LeftIntactError as error:
                done.append(PartSwapped(path=path, verdict="", because=error.line()))
                if error.code in ("stopped", "half-done", "interrupted", "waiting", "running"):
                    break
        return tuple(done)

    def _swap_one(
        self, install: Install, path: str, arrival: str, report: Report, cancel: CancelToken | None
    ) -> PartSwapped:
        draft = self.updates.draft(install, arrival, route="single-part", report=report, cancel=cancel)
        plan = draft.plan()
        answers = {q.id: path if path in q.options else q.default for q in plan.questions}
        plan = draft.plan(answers)
        if path not in {change.path for change in plan.parts}:
            return PartSwapped(path=path, verdict="", because=f"{os.path.basename(arrival)} is no {path}")
        outcome = self.updates.update(plan, install, report=report, cancel=cancel)
        return PartSwapped(path=path, verdict=outcome.proof.verdict.value)

    def fall_back(self, install: Install, row: PartRow, *, report: Report = silent) -> WentBack:
        """Put the one before back, and leave all other parts as they are. Raises `no-fallback`."""
        return self.updates.back.go(install, report, number=self._on_trial(install, row).id)

    def drop(self, install: Install, row: PartRow) -> Settled:
        """Let go of the fallback of one part. Raises `no-fallback`."""
        return self.updates.settle(install, only=self._on_trial(install, row).id)


def _order(one: PartWaiting, other: PartWaiting) -> int:
    """What can be laid first, the newest of it first; what has no version last."""
    from left_intact.core.model.version import Version

    if bool(one.because) != bool(other.because):
        return 1 if one.because else -1
    mine, theirs = (Version.parse(w.version) if w.version else None for w in (one, other))
    if mine is None or theirs is None:
        return (mine is None) - (theirs is None)
    return -(mine.compare(theirs) or 0)


def _named_in(survey: Survey, read: ReadText, paths: Sequence[str]) -> dict[str, list[tuple[str, int]]]:
    """By part: the person's texts that name it most, and in how many lines: lists of titles, settings."""
    from left_intact.core.planning.counterparts import part_key

    words = {}
    for path in paths:
        name = path.rpartition("/")[2]
        called = {name, name.partition(".")[0], part_key(name).replace("-", "_")}
        words[path] = [word.encode() for word in called if word]
    found: dict[str, list[tuple[str, int]]] = {}
    for text in _texts(survey):
        data = read(text) or b""
        for path, called_so in words.items():
            if any(word in data for word in called_so):
                lines = sum(1 for line in data.splitlines() if any(word in line for word in called_so))
                found.setdefault(path, []).append((text, lines))
    return {path: sorted(texts, key=lambda one: (-one[1], one[0]))[:4] for path, texts in found.items()}


def _texts(survey: Survey) -> list[str]:
    """Paths of texts of the person's that are short enough to be read."""
    from left_intact.core.model.classes import FileClass
    from left_intact.core.model.findings import SortedPages

    kinds = (FileClass.SETTINGS, FileClass.CONTENT, FileClass.EXTRAS, FileClass.UNSORTED)
    findings = survey.findings
    assert isinstance(findings, SortedPages)
    found = (
        entry.at.shown
        for number, page in enumerate(findings.pages)
        for at, file_format in enumerate(page.formats)
        if file_format.startswith("text ")
        and findings.class_at(number, at) in kinds
        and (entry := page.entry(at)).bytes <= _TEXT_MOST
    )
    return list(islice(found, _MOST_TEXTS))


def _place(install: Install) -> str:
    return f"parts-from-{install.id}"


def _tick(path: str) -> str:
    return f"part:{path}"
