"""What is on record of an install: layers, a release at the bottom and what was laid over it since.

What lies here by record is their fold: of two that lay one file the upper one's counts, and where one goes
out, what lay below is on record again.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from types import MappingProxyType

from left_intact.core.model.entry import Entry, Kind
from left_intact.core.model.pages import Page, PagedEntries, pages_in, pages_of
from left_intact.core.model.release import Release
from left_intact.core.model.stages import LayerKind, Shipped


@dataclass(frozen=True, slots=True, kw_only=True)
class Layer:
    """One of them: a release, or what was laid over what lay there."""

    kind: LayerKind
    release: Release
    """What it is called, its files, the version that it says of itself."""
    source: str = ""
    """What it came in."""
    is_on: bool = True
    """One that is off stays known, and counts for nothing."""
    raises: bool = True
    """Whether it carries the program's own version, so that the install's is raised by it."""
    is_mine: bool = False
    """Whether its files are the person's, as those of a mod, a pack and a title's update: no release takes
    them away or replaces them as its own.
    """

    @property
    def name(self) -> str:
        return self.release.name

    @property
    def version(self) -> str:
        return self.release.version_text


_MINE = (LayerKind.MOD, LayerKind.PACK, LayerKind.TITLE_UPDATE)


def layer_of(came: Release, shipped: Shipped, source: str = "") -> Layer:
    """What a stage has put on record, out of what came: the entries that count, under the names they have
    here.
    """
    release = came
    if shipped.over and shipped.paths:
        names = dict(zip(shipped.members or shipped.paths, shipped.paths, strict=True))
        entries = {names[p]: replace(came.entries[p], path=names[p]) for p in names if p in came.entries}
        texts = {names[p]: came.texts[p] for p in names if p in came.texts}
        release = replace(came, entries=MappingProxyType(entries), texts=MappingProxyType(texts))
    elif shipped.without:
        gone = frozenset(shipped.without)
        entries = {p: e for p, e in came.entries.items() if p not in gone}
        texts = {p: t for p, t in came.texts.items() if p not in gone}
        release = replace(came, entries=MappingProxyType(entries), texts=MappingProxyType(texts))
    kind = shipped.kind or (LayerKind.PATCH if shipped.over else LayerKind.RELEASE)
    return Layer(
        kind=kind,
        release=release,
        source=source,
        raises=shipped.raises,
        is_mine=kind in _MINE,
    )


@dataclass(frozen=True, slots=True)
class Record:
    """The layers of an install, the lowest first."""

    layers: tuple[Layer, ...] = ()
    _known: dict[bool, Release | None] = field(default_factory=dict, compare=False, repr=False)

    @property
    def in_force(self) -> tuple[Layer, ...]:
        """Those that count: from the last whole release up, without what is off."""
        on = [layer for layer in self.layers if layer.is_on]
        whole = [n for n, layer in enumerate(on) if layer.kind is LayerKind.RELEASE]
        return tuple(on[whole[-1] :] if whole else on)

    @property
    def version(self) -> str:
        """The install's, as the uppermost says that carries it; empty for none."""
        return next((one.version for one in reversed(self.in_force) if one.raises and one.version), "")

    def laid_by(self, path: str) -> tuple[Layer, ...]:
        """The layers that lay a file, the one that counts first: where there are several, those below lie
        there again once it goes out.
        """
        return tuple(layer for layer in reversed(self.in_force) if path in layer.release.entries)

    def entry(self, path: str) -> Entry | None:
        """What lies at a path by record."""
        return next((layer.release.entries[path] for layer in self.laid_by(path)), None)

    def over(self, release: Release) -> Record:
        """The same layers over another release at the bottom."""
        above = (layer for layer in self.in_force if layer.kind is not LayerKind.RELEASE)
        return Record((Layer(kind=LayerKind.RELEASE, release=release), *above))

    def without(self, gone: Layer) -> Record:
        """The record once one layer is out."""
        return Record(tuple(layer for layer in self.layers if layer is not gone))

    def fold(self, *, mine: bool = False) -> Release | None:
        """What lies here by record, as one release; with `mine` also what the person chose for themselves.
        None where no release is at the bottom: what is over nothing says nothing of the rest.
        """
        if mine not in self._known:
            self._known[mine] = self._folded(mine)
        return self._known[mine]

    def _folded(self, mine: bool) -> Release | None:
        counting = [layer for layer in self.in_force if mine or not layer.is_mine]
        if not counting or counting[0].kind is not LayerKind.RELEASE:
            return None
        base, *over = counting
        if not over:
            return base.release
        speaks = next((one for one in reversed(over) if one.raises and one.release.readings), base)
        texts = dict(base.release.texts)
        for layer in over:
            texts |= layer.release.texts
        return replace(
            base.release,
            entries=_laid_over(pages_in(base.release.entries), [one.release.entries for one in over]),
            texts=MappingProxyType(texts),
            readings=speaks.release.readings,
        )


def _laid_over(pages: Sequence[Page], over: Iterable[Mapping[str, Entry]]) -> PagedEntries:
    """Pages with entries in place of theirs; only folders of which something is laid are made anew."""
    laid: dict[str, dict[str, Entry]] = {}
    empty: dict[str, Entry] = {}
    for entry in (entry for entries in over for entry in entries.values()):
        if entry.kind is Kind.FOLDER:
            empty[entry.path] = entry
        else:
            laid.setdefault(entry.path.rpartition("/")[0], {})[entry.path] = entry
    stay = []
    for page in pages:
        if page.folder not in laid:
            stay.append(page)
        elif not page.is_entry:  # an empty folder is none any more
            laid[page.folder] = {entry.path: entry for entry in page.entries()} | laid[page.folder]
    known = {page.folder for page in stay} | laid.keys()
    more = (entry for path, entry in empty.items() if path not in known)
    made = pages_of((*(entry for entries in laid.values() for entry in entries.values()), *more))
    return PagedEntries(sorted((*stay, *made), key=lambda page: page.folder))
