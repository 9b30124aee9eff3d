"""What the new build keeps elsewhere: told by a keepsheet, or by files of the same names in one folder."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterable
from dataclasses import replace

from left_intact.core.files.names import parents
from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Kind
from left_intact.core.model.plan import Verb
from left_intact.core.planning.blockers import is_common
from left_intact.core.planning.new_root.merging import merge_into
from left_intact.core.planning.new_root.sketch import NewRootSketch
from left_intact.core.settings.formats.registry import is_settings_text

_EVERYWHERE = ("index.html", ".keep", ".gitkeep")
"""Names that lie in many folders beside those of documents."""


def rehome(sketch: NewRootSketch) -> None:
    """Give what the new build keeps elsewhere the path that it has there. Nothing of the person's ever takes
    the place of something else of theirs: it keeps its own name then.
    """
    told = [(old, new) for old, new, _ in sketch.inputs.sheet.moved]
    ways = {**_folders_that_moved(sketch), **_files_that_moved(sketch)}
    wished = {
        path: target
        for path, one in sketch.wanted.items()
        if one.old and one.entry.kind is not Kind.FOLDER
        if (target := _by_sheet(path, told) or ways.get(path, "")) and target != path
    }
    claims = Counter(wished.values())
    for path, target in wished.items():
        there = sketch.wanted.get(target)
        if claims[target] > 1 or (there is not None and there.old):
            says = f"{path} keeps its name: something else of yours goes to {target}"
            sketch.warn("keeps-its-name", says)
            continue
        mine = sketch.wanted.pop(path)
        mine.entry, mine.verb = replace(mine.entry, path=target), Verb.REHOME
        mine.because = f"yours; the new build keeps it at {target}"
        sketch.moved[path] = target
        if there is not None:
            merge_into(sketch, path, mine, target, sketch.inputs.arrival.release.texts.get(target))
        sketch.wanted[target] = mine


def _by_sheet(path: str, told: Iterable[tuple[str, str]]) -> str:
    for old, new in told:
        old, new = old.rstrip("/"), new.rstrip("/")
        if path == old:
            return new
        if path.startswith(old + "/"):
            return new + path[len(old) :]
    return ""


def _new_folders(sketch: NewRootSketch) -> dict[str, set[str]]:
    """Names by folder of what the new build has, by its release and by its first start."""
    found: dict[str, set[str]] = defaultdict(set)
    for path, entry in sketch.came.items():
        if entry.kind is Kind.FILE:
            folder, _, name = path.rpartition("/")
            found[folder].add(name)
    for page in sketch.new_root.pages:
        if page.names:
            found[page.folder].update(page.names)
    return found


def _folders_that_moved(sketch: NewRootSketch) -> dict[str, str]:
    """Where whole folders of the person's are kept elsewhere: the new build has none of that name, and just
    one other, which the old one had not, holds files of the same names.

    A name that several folders of theirs have, as a save under the name of each title, says nothing of which
    of them a folder of the new build is: those keep their own.
    """
    there = _new_folders(sketch)
    known = {*there, *(folder for path in there for folder in parents(path + "/x"))}
    mine: dict[str, set[str]] = defaultdict(set)
    lies: Counter[str] = Counter()
    for path, one in sketch.wanted.items():
        folder, _, name = path.rpartition("/")
        if folder and one.old and one.entry.kind is Kind.FILE:
            lies[name] += 1
            if one.verb is Verb.CARRY:
                mine[folder].add(name)
    had = {folder for path, one in sketch.wanted.items() if one.old for folder in parents(path)}
    found = {}
    for folder, names in mine.items():
        if folder in known:
            continue
        telling = {
            name for name in names if lies[name] == 1 and not is_common(name) and name not in _EVERYWHERE
        }
        alike = [
            other
            for other, theirs in there.items()
            if other not in had and telling & theirs and len(names & theirs) >= min(2, len(names))
        ]
        if len(alike) == 1:
            found.update({f"{folder}/{name}": f"{alike[0]}/{name}" if alike[0] else name for name in names})
    return found


def _files_that_moved(sketch: NewRootSketch) -> dict[str, str]:
    """Settings that the release before had elsewhere: this one has just one of that name."""
    base = sketch.in_place.baseline
    if base is None:
        return {}
    there = _new_folders(sketch)
    found = {}
    for path, one in sketch.wanted.items():
        folder, _, name = path.rpartition("/")
        if not one.old or path not in base.entries or name in there.get(folder, ()):
            continue
        if one.file_class is FileClass.SETTINGS or is_settings_text(one.entry.format):
            places = [other for other, names in there.items() if name in names]
            if len(places) == 1:
                found[path] = f"{places[0]}/{name}" if places[0] else name
    return found
