"""What a file's company says where times are silent: who names it, and how many others are like it."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator, Sequence

from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Evidence
from left_intact.core.model.pages import Page
from left_intact.core.settings.formats.registry import is_settings_text
from left_intact.core.survey.mentions import Mentions
from left_intact.core.survey.names import copied_from, is_language, name_evidence, split_name
from left_intact.core.survey.said import said
from left_intact.core.survey.standing import LOOKS_SHIPPED, MACHINE, OTHER, SOURCE, FolderContents
from left_intact.core.survey.weights import weights

P = FileClass.PROGRAM
Why = tuple[Evidence, ...]
ALONE = "company"
"""The source that says that nothing at all tells whether something came with the program."""
_SET_ASIDE = re.compile(
    r"(?i)[ _.-](?:old|alt|vieux|viejo|vecchio|oud|gammal|backup|bak|orig|original|copy|kopie|neu|new|my)"
    r"(?=\.|$)"
)
"""What people put into the name of something that they keep beside what it was."""
_TYPES = ((".d.ts", (".js", ".mjs", ".cjs")), (".d.mts", (".mjs",)), (".d.cts", (".cjs",)))
_REPEATED, _FAMILY, _KIND, _SIBLINGS = 4, 20, 40, 3
_PLAIN_WEIGHT = 2.4
"""The weight of a whole name that every release has, such as a licence."""


def is_like_settings(name: str, file_format: str) -> bool:
    """Whether something may be settings by its text or its ending, so that to be named says nothing of who
    wrote what is in it.
    """
    if is_settings_text(file_format) or file_format == "text xml":
        return True
    ending = weights().suffix.get(split_name(name)[1])
    return ending is not None and ending[0] is FileClass.SETTINGS


def made_from_each_other(names: Sequence[str]) -> frozenset[str]:
    """The names of a folder that are two forms of one thing: what was packed, mapped or told the types of,
    and what it was made from.
    """
    there = set(names)
    made = [(name, source) for name in names for source in _sources_of(name) if source in there]
    return frozenset(name for pair in made for name in pair)


def _sources_of(name: str) -> Iterator[str]:
    stem = name.removesuffix(".map")
    if stem != name and "." in stem:
        yield stem
    for packed in (".min.", "-min."):
        if packed in name:
            yield name.replace(packed, ".", 1)
    for ending, of in _TYPES:
        if name.endswith(ending):
            yield from (name.removesuffix(ending) + source for source in of)


class Company:
    """What is known of every file by those around it. Made for a tree whose times tell nothing apart; of what
    lies in other roots it knows nothing, since no file of the program's names things there.
    """

    def __init__(self, pages: Sequence[Page], standing: FolderContents, mentions: Mentions) -> None:
        self._standing, self._mentions = standing, mentions
        self._folders: Counter[str] = Counter()
        self._families: Counter[tuple[str, str]] = Counter()
        self._kinds: Counter[str] = Counter()
        self._code: Counter[tuple[str, str]] = Counter()
        self._named: Counter[tuple[str, str]] = Counter()
        self._languages: Counter[tuple[str, str]] = Counter()
        for page in pages:
            if page.root:
                continue
            named = mentions.of(page.folder)
            for name in page.names:
                stem, _, ending = name.rpartition(".")
                self._languages[page.folder, ending] += is_language(stem)
            for name, look in zip(page.names, standing.looks(page.at), strict=True):
                if look == OTHER and not _is_manifest(name):
                    continue
                self._folders[name] += 1
                ending = name.rpartition(".")[2]
                if look == LOOKS_SHIPPED or ending in _DRAWN:
                    self._families[page.folder, ending] += 1
                    self._kinds[ending] += 1
                if look >= SOURCE:
                    self._code[page.folder, ending] += 1
                    self._named[page.folder, ending] += name in named
        self._alone = (said(ALONE, "nothing here tells whether it came with the program", P, _of("alone")),)
        self._unnamed = (
            said(ALONE, "nothing of the program's names it, and its like is named", P, _of("unnamed")),
        )
        self._is_named = (said("mention", "the program's own files name it", P, _of("named")),)
        self._is_own = (said("mention", "of a format of its own, as many here are", P, _of("family")),)
        self._is_made = (said("mention", "lies here in two forms, as releases hold it", P, _of("made")),)

    def evidence(self, page: Page) -> list[Why]:
        """What its company says of each name of a folder."""
        if page.root:
            return [()] * len(page.names)
        looks, named = self._standing.looks(page.at), self._mentions.of(page.folder)
        formats = page.formats or [""] * len(page.names)
        may_be_added = self._standing.is_added_to(page.at) or page.folder in self._mentions.one_more
        made = _NOTHING if may_be_added else made_from_each_other(page.names)
        return [
            self._is_made
            if name in made and name not in named
            else self._one(page, name, look, file_format, named=name in named)
            for name, look, file_format in zip(page.names, looks, formats, strict=True)
        ]

    def _one(self, page: Page, name: str, look: int, file_format: str, *, named: bool) -> Why:
        is_text = file_format.startswith("text ") or file_format in _DOCUMENTS
        if look == OTHER and not is_text and not named:
            return ()
        folder = page.folder
        if copied_from(name):
            return ()
        if (match := _SET_ASIDE.search(name)) is not None and page.find(
            name[: match.start()] + name[match.end() :]
        ) >= 0:
            return self._alone
        if self._standing.is_own_format(name, file_format) and folder not in self._mentions.one_more:
            return self._is_own
        if is_like_settings(name, file_format) and not _is_manifest(name):
            return self._alone
        is_plain = _is_plain(name)
        if (named and not is_plain) or (folder in self._mentions.called and _is_manifest(name)):
            return self._is_named
        if look == OTHER and not _is_manifest(name):
            return self._alone
        if folder not in self._mentions.one_more and (of_many := self._of_many(folder, name)):
            return of_many
        if is_plain and (not folder or folder in self._mentions.called or self._mentions.of(folder) - {name}):
            return ()
        if not folder and look >= MACHINE:
            return ()
        ending = name.rpartition(".")[2]
        size = self._code[folder, ending]
        if size > _SIBLINGS and self._named[folder, ending] >= _of("like-share") * (size - 1):
            return self._unnamed
        return self._alone

    def _of_many(self, folder: str, name: str) -> Why:
        """What it says that many are like one. It is not asked where somebody may have made one more: that
        bears the names of the others.
        """
        stem, _, ending = name.rpartition(".")
        if (count := self._folders[name]) >= _REPEATED and not _is_plain(name):
            says = f"lies in {count} folders here under the same name"
            return (said("mention", says, P, _of("repeated")),)
        if is_language(stem) and (count := self._languages[folder, ending]) >= _FAMILY:
            return (said("mention", f"one of {count} languages", P, _of("family")),)
        count = self._families[folder, ending]
        if count >= _FAMILY or (count and self._kinds[ending] >= _KIND):
            says = f"one of {max(count, self._kinds[ending])} resources of a kind"
            return (said("mention", says, P, _of("family")),)
        return ()


def _is_manifest(name: str) -> bool:
    """Whether something is called what packages call the list of what they are, and nobody their settings."""
    return name in _MANIFESTS


def _is_plain(name: str) -> bool:
    """Whether a name is one that everything which is handed on has: a licence, a note of the version."""
    return any(e.speaks_for is P and e.weight >= _PLAIN_WEIGHT for e in name_evidence(name))


_NOTHING: frozenset[str] = frozenset()
_DOCUMENTS = frozenset(("pdf", "zip", "png", "jpeg", "sqlite", "empty"))
_MANIFESTS = frozenset(("package.json", "bower.json", "composer.json"))
_DRAWN = frozenset(("svg", "h", "hpp", "ri"))
"""Endings of text that is drawn or made in great numbers."""


def _of(key: str) -> float:
    return weights().spoken[key]
