"""What lies in the roots of an install today, by place: a value is made only of what somebody asks for."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import replace
from functools import cached_property

from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Entry, Kind
from left_intact.core.model.findings import SortedPages
from left_intact.core.model.pages import Page, PagedPlaces
from left_intact.core.model.place import At
from left_intact.core.model.survey import Survey
from left_intact.core.model.unchanged import CLASS_NUMBER, Unchanged, UnchangedPage, unchanged_of


class Today:
    """A survey, and the pages of roots that are none of it; folders are entries here, also those that are
    not empty.
    """

    def __init__(
        self,
        survey: Survey,
        others: Mapping[str, Sequence[Page]] | None = None,
        tops: Mapping[str, Entry] | None = None,
        was: Unchanged | None = None,
    ) -> None:
        """`others` are pages by the label of their root, `tops` the folders of the roots themselves, `was` is
        what was known when the update began, which tells what the others hold.
        """
        self.survey, self.tops, self.was = survey, dict(tops or {}), was
        self.others = [replace(page, root=label) for label, pages in (others or {}).items() for page in pages]

    @cached_property
    def _entries(self) -> PagedPlaces:
        return PagedPlaces((*self.survey.findings.pages, *self.others))

    def entry(self, at: At) -> Entry | None:
        """What lies at a place; None where nothing does."""
        if not at.path:
            return self.tops.get(at.root)
        return self._entries.look(at)

    def unread(self) -> list[Entry]:
        """What could not be read or listed, in any of the roots."""
        return [entry for page in self._entries.pages for entry in page.unread()]

    def below(self, at: At) -> Iterator[At]:
        """Everything below a folder, the folders too."""
        for folder, page in self._entries.by_folder.items():
            if not at.holds(folder):
                continue
            if folder != at:
                yield folder
            yield from map(folder.inner, page.names)

    def persons(self) -> Iterator[tuple[At, Entry, FileClass]]:
        """All of the person's that was surveyed, files and links."""
        findings = self.survey.findings
        assert isinstance(findings, SortedPages)
        for number, page in enumerate(findings.pages):
            for at, verdict in enumerate(findings.verdicts[number]):
                kind = findings.table[verdict].file_class
                if kind.is_the_persons:
                    entry = page.entry(at)
                    if entry.kind in (Kind.FILE, Kind.LINK):
                        yield entry.at, entry, kind

    def kept(self, because: str, changing: Iterable[At]) -> Unchanged:
        """Everything but what changes; empty folders are not spoken of."""
        whole = unchanged_of(self.survey.findings, because)
        more = [
            UnchangedPage(page=page, classes=self._classes(page), reasons=b"\1" * len(page.names))
            for page in self.others
            if page.names
        ]
        return Unchanged((*whole.pages, *more), whole.because).without(changing)

    def _classes(self, page: Page) -> bytes:
        """The classes of a page that is not of the survey, as they were known when the update began."""
        found = []
        for at in map(page.at.inner, page.names):
            known = self.was.class_at(at) if self.was is not None else None
            found.append(CLASS_NUMBER[known or FileClass.UNSORTED])
        return bytes(found)
