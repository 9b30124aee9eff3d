"""Pockets: a pack that was unpacked inside the content folder, to be sorted from there.

What lies in one came with the pack. It makes nobody the owner of anything.
"""

from __future__ import annotations

import os
import zipfile
from collections import defaultdict
from collections.abc import Callable, Iterable, Iterator

from left_intact.core.files.names import lies_in
from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Kind
from left_intact.core.model.errors import LeftIntactError
from left_intact.core.model.survey import Survey


def pockets(
    survey: Survey,
    place: str,
    members: Iterable[zipfile.ZipInfo],
    is_member: Callable[[str, zipfile.ZipInfo], bool],
) -> frozenset[str]:
    """The folders of an install that hold nothing but what a pack has, and are one: the pack itself, or a
    folder of which something lies elsewhere in the content under the same name. `is_member` says whether the
    file of a path is a member, byte for byte.
    """
    named = {_name(info.filename).casefold(): info for info in members}
    by_folder: dict[str, list[str]] = defaultdict(list)
    elsewhere: dict[str, set[str]] = defaultdict(set)
    for finding in survey.findings:
        if (
            finding.file_class is FileClass.CONTENT
            and finding.entry.kind is Kind.FILE
            and not finding.at.root
        ):
            folder = finding.at.folder.path
            by_folder[folder].append(finding.at.path)
            elsewhere[_name(finding.at.path).casefold()].add(folder)
    found = {own} if (own := pocket_at(survey, place)) else set()
    for folder, paths in by_folder.items():
        if own and (folder == own or folder.startswith(own + "/")):
            continue
        infos = [named.get(_name(path).casefold()) for path in paths]
        twice = any(len(elsewhere[_name(path).casefold()]) > 1 for path in paths)
        if not twice or not folder or any(info is None for info in infos):
            continue
        if all(info is not None and is_member(path, info) for path, info in zip(paths, infos, strict=True)):
            found.add(folder)
    return frozenset(found)


def pocket_at(survey: Survey, place: str) -> str:
    """The folder of an install, as a path in it, that a pack given by its place is; empty for none.

    A pocket lies inside the content folder: content lies in the folder above it too. A folder of which that
    is not so may be all the content that somebody owns.
    """
    folder = _inside(survey, place)
    above = folder.rpartition("/")[0]
    return folder if above and above in (f.rpartition("/")[0] for f in _content(survey)) else ""


def refuse_own_content(survey: Survey, place: str) -> None:
    """A folder that holds all content of an install is what is owned, and no pack. Raises `own-content`."""
    folder = _inside(survey, place)
    if folder and all(path.startswith(folder + "/") for path in _content(survey)):
        raise LeftIntactError(
            "own-content",
            "all content of this install lies in this folder: it is what you own, and no pack",
            path=place,
            way_out="Name the pack itself: an archive, or the folder that it was unpacked to.",
        )


def _content(survey: Survey) -> Iterator[str]:
    """The paths of what lies in the install's own folder."""
    return (f.at.path for f in survey.findings if f.file_class is FileClass.CONTENT and not f.at.root)


def _inside(survey: Survey, place: str) -> str:
    """The path below the install that a place is, if it is a folder in it."""
    root, pack = os.path.realpath(survey.root), os.path.realpath(place)
    if "://" in place or not os.path.isdir(pack) or pack == root or not lies_in(pack, root):
        return ""
    return os.path.relpath(pack, root).replace(os.sep, "/")


def lies_in_pocket(path: str, found: Iterable[str]) -> bool:
    return any(path.startswith(folder + "/") for folder in found)


def _name(path: str) -> str:
    return path.replace("\\", "/").rpartition("/")[2]
