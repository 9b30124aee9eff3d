"""Surveying an install: the tree, the classes, the version.

What sorts is imported where something has to be sorted: a survey of what has not changed need not wait for
it.
"""

from __future__ import annotations

import json
import os
import time
from array import array
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cache
from types import MappingProxyType

from blake3 import blake3

from left_intact.core.files.roots import read_roots, reader_in_words, roots_reader
from left_intact.core.files.tree import Tree, head_reader, text_reader
from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Entry
from left_intact.core.model.findings import SortedPages, Verdict
from left_intact.core.model.pages import Page, pages_in
from left_intact.core.model.place import At
from left_intact.core.model.progress import CancelToken, Progress, Report, silent
from left_intact.core.model.release import Reading, Release
from left_intact.core.model.survey import IN_DOUBT, Survey, Total
from left_intact.core.survey.inputs import SurveyInputs
from left_intact.core.survey.weights import fingerprint

_BINARY_LIMIT = 64 << 20
_WRITTEN_SINCE = -2.0
"""The weight of a time that says that somebody wrote to something since it came."""

Roots = tuple[tuple[str, str], ...]
"""(label, absolute path) of every root beside the first."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Sorting:
    """How some pages were sorted."""

    verdicts: array[int]
    """Numbers of `table`, of all names of all pages in their order."""
    table: Sequence[Verdict]
    folders: Mapping[At, int]
    readings: tuple[Reading, ...]
    platform: str
    notes: tuple[str, ...]
    totals: Mapping[FileClass, Total]

    def of_pages(self, pages: Sequence[Page]) -> SortedPages:
        """The findings, where these are the pages that were sorted."""
        columns, at = [], 0
        for page in pages:
            columns.append(self.verdicts[at : at + len(page.names)])
            at += len(page.names)
        return SortedPages(pages, columns, self.table, self.folders, self.totals)


@dataclass(frozen=True, slots=True, kw_only=True)
class PreviousSurvey:
    """What an earlier survey left behind, to spare what has not changed."""

    pages: Mapping[At, Page] = field(default_factory=lambda: MappingProxyType({}))
    contexts: tuple[str, ...] = ()
    """What its pages were sorted by; the same context and the same pages give the same findings."""
    sorting: Callable[[str], Sorting | None] = lambda context: None
    """Gives the sorting of one of the contexts; None where it cannot be read."""

    def seen_as(self, pages: Sequence[Page]) -> PreviousSurvey:
        """The same with these very pages, where they say what its own say."""
        if len(pages) != len(self.pages) or any(self.pages.get(page.at) != page for page in pages):
            return self
        return replace(self, pages={page.at: page for page in pages})

    def holds(self, pages: Sequence[Page]) -> bool:
        """Whether some pages are the very ones that were left, all of them."""
        return len(pages) == len(self.pages) and all(self.pages.get(page.at) is page for page in pages)

    def sorted_by(self, context: str, pages: Sequence[Page]) -> Sorting | None:
        """How these very pages were sorted by a context before."""
        return self.sorting(context) if context in self.contexts and self.holds(pages) else None


def survey_install(
    root: str,
    known: SurveyInputs | Callable[[], SurveyInputs],
    *,
    name: str = "",
    before: Callable[[], PreviousSurvey] | None = None,
    roots: Roots = (),
    rules: Sequence[tuple[str, str]] = (),
    extra_readings: Sequence[Reading] = (),
    tree: Tree | None = None,
    report: Report = silent,
    cancel: CancelToken | None = None,
) -> tuple[Survey, Tree, str]:
    """Read and classify everything below `root` and other roots; changes nothing.

    `before` gives what an earlier survey left; it, and `known` where that is a function, are called while
    the walk is under way. `tree` is what was read just now, and spares the walk. Gives the survey, the tree
    and the context it was sorted by. Raises
    `LeftIntactError` (`no-folder`, `no-rights`) where the root itself cannot be read.
    """
    began = time.monotonic()
    known_now = cache(known if callable(known) else lambda: known)

    @cache
    def left() -> PreviousSurvey:
        known_now()
        return before() if before else PreviousSurvey()

    tree = tree or read_roots(
        root, roots, known=(lambda: left().pages) if before else None, report=report, cancel=cancel
    )
    sorted_by = known_now()
    context = context_of(sorted_by, name, roots, rules)
    was = left().sorted_by(context, tree.pages)
    if was is not None:
        survey = Survey(
            root=tree.root,
            findings=was.of_pages(tree.pages),
            folders=tree.folders,
            readings=_by_weight([*extra_readings, *was.readings]),
            platform=was.platform,
            roots=tuple(roots),
            baseline=_baseline_text(sorted_by.baseline),
            notes=was.notes,
        )
    else:
        report(Progress(stage="sorting", done=0, total=tree.count))
        survey = survey_tree(
            tree, sorted_by, name=name, roots=roots, rules=rules, extra_readings=extra_readings, cancel=cancel
        )
    return replace(survey, seconds=time.monotonic() - began), tree, context


def context_of(
    known: SurveyInputs, name: str, roots: Roots = (), rules: Sequence[tuple[str, str]] = ()
) -> str:
    """A digest of everything beside the tree that classes depend on."""
    said = [
        fingerprint(),
        name,
        known.names,
        list(known.rulings),
        list(known.sheet),
        sorted((*at, *said) for at, said in known.runs.items()),
        list(roots),
        list(rules),
        _release_key(known.baseline),
        _release_key(known.arrival),
    ]
    return blake3(json.dumps(said).encode()).hexdigest()


def _release_key(release: Release | None) -> str:
    if release is None:
        return ""
    key = blake3(release.version_text.encode())
    for page in pages_in(release.entries):
        said = [page.folder, *page.names, *page.formats, *(f"{at} {what}" for at, what in page.said.items())]
        key.update("\0".join(said).encode("utf-8", "surrogatepass"))
        key.update(page.digests)
    return key.hexdigest()


def survey_tree(
    tree: Tree,
    known: SurveyInputs,
    *,
    name: str = "",
    roots: Roots = (),
    rules: Sequence[tuple[str, str]] = (),
    extra_readings: Sequence[Reading] = (),
    cancel: CancelToken | None = None,
) -> Survey:
    """Classify a tree that was read before, and read its version."""
    from left_intact.core.files.manifests import manifests_in, read_manifests
    from left_intact.core.files.versions import (
        binaries_in,
        main_platform,
        read_binaries,
        read_versions,
        shallow_entries,
    )
    from left_intact.core.survey.classify import sort_out

    base = os.path.basename(tree.root)
    read = reader_in_words(tree.root, roots)
    known = with_self_description(tree, known, roots)
    findings = sort_out(tree.pages, known, cancel)
    own_pages = tree.own_pages  # the program says its version where it lies
    shallow, binaries = shallow_entries(own_pages), binaries_in(own_pages)
    shallow = _not_theirs(shallow, findings, by_name=False)
    manifests = _not_theirs(manifests_in(own_pages), findings, by_name=True)
    readings = list(extra_readings)
    readings += read_versions(base, shallow, read, rules=rules)
    readings += read_manifests((name, base), manifests, read)
    own = _not_theirs(binaries, findings, by_name=True)
    readings += read_binaries(name or base, own, text_reader(tree.root, _BINARY_LIMIT))
    return Survey(
        root=tree.root,
        findings=findings,
        folders=tree.folders,
        readings=_by_weight(readings),
        platform=main_platform(binaries.values(), name or base),
        baseline=_baseline_text(known.baseline),
        roots=tuple(roots),
        notes=_notes(known, roots),
    )


def _not_theirs(entries: Mapping[str, Entry], findings: SortedPages, *, by_name: bool) -> dict[str, Entry]:
    """Without what is of a class of the person's: their own library says nothing of the program's version.
    What nobody could sort speaks at the top, or where it says the program's name (`by_name`).
    """

    def is_theirs(path: str) -> bool:
        finding = findings.find(At("", path))
        if finding is None or finding.file_class is FileClass.PROGRAM:
            return False
        if finding.file_class is FileClass.UNSORTED:
            return "/" in path and not by_name
        shipped = finding.file_class is FileClass.SETTINGS  # defaults that a release ships are called so too
        return not shipped or any(e.source == "time" and e.weight <= _WRITTEN_SINCE for e in finding.why)

    return {path: entry for path, entry in entries.items() if not is_theirs(path)}


def with_self_description(tree: Tree, known: SurveyInputs, roots: Roots = ()) -> SurveyInputs:
    """`known` with what the install says of itself: lists of files, settings that name folders."""
    from left_intact.core.survey.lists import LIST_LIMIT, file_hasher, find_list
    from left_intact.core.survey.mentions import NONE, read_mentions
    from left_intact.core.survey.references import read_references
    from left_intact.core.survey.standing import FolderContents
    from left_intact.core.survey.times import read_times

    own_pages = tree.own_pages
    standing = FolderContents(tree.pages, names=known.names)
    hasher = file_hasher(tree.root)
    whole = text_reader(tree.root, LIST_LIMIT)
    listed = None if known.baseline else find_list(own_pages, whole, hasher, standing.is_foreign)
    read = roots_reader(tree.root, roots)
    references = read_references(tree.root, tree.pages, read, standing.is_foreign)
    return replace(
        known,
        listed=listed,
        references=references,
        standing=standing,
        times=read_times(tree.pages, standing),
        mentions=lambda: read_mentions(own_pages, standing, head_reader(tree.root)) if known.names else NONE,
    )


def _by_weight(readings: list[Reading]) -> tuple[Reading, ...]:
    return tuple(dict.fromkeys(sorted(readings, key=lambda r: -r.weight)))


def _baseline_text(baseline: Release | None) -> str:
    return baseline.version_text or "on record" if baseline else ""


def _notes(known: SurveyInputs, roots: Roots) -> tuple[str, ...]:
    notes = [IN_DOUBT] if known.is_in_doubt else []
    if known.listed is not None:
        notes.append(f"{known.listed.source} lists {len(known.listed.states):,} files of the release")
    places = len(known.references.inside)
    if places:
        notes.append(f"the program's own settings name {places} folder{'s' if places > 1 else ''}")
    taken = [os.path.realpath(place) for _, place in roots]
    named = [os.path.realpath(place) + os.sep for place in known.references.outside]
    outside = [place for place in named if not any(place.startswith(root + os.sep) for root in taken)]
    if outside:
        notes.append(
            f"its settings name {len(outside)} folder{'s' if len(outside) > 1 else ''} "
            "elsewhere, not read with it"
        )
    return tuple(notes)
