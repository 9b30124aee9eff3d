"""Where else things of an install lie: folders that its settings name, and the usual places.

The usual places are those of the open XDG Base Directory specification and the folders for documents and
program data that the common systems have, also those of users on a drive that was made for another system's
programs.
"""

from __future__ import annotations

import os
from collections.abc import Iterable, Mapping

from left_intact.core.model.classes import FileClass
from left_intact.core.model.found import OtherRoot
from left_intact.core.model.pages import Page
from left_intact.core.survey import vocabulary
from left_intact.core.survey.self_description import References
from left_intact.core.survey.spelling import normalised_name

_BY_CLASS = {
    FileClass.SETTINGS: "settings",
    FileClass.SAVES: "saves",
    FileClass.STATES: "states",
    FileClass.CONTENT: "content",
    FileClass.EXTRAS: "extras",
    FileClass.CACHE: "cache",
    FileClass.PROGRAM: "own",
}
_MOST_FILES = 200_000


def usual_places(
    home: str, environment: Mapping[str, str], *, users: Iterable[str] = ()
) -> list[tuple[str, str]]:
    """(label, folder) of every place in which programs keep folders of their own name. `users` are the
    folders of users on a foreign drive that the install lies on.
    """
    known = list(vocabulary.usual_places())
    found = [
        (
            place.label,
            (place.variable and environment.get(place.variable))
            or os.path.join(home, *place.path.split("/")),
        )
        for place in known
        if place.path
    ]
    found += [(place.label, home) for place in known if not place.path]
    for user in users:
        found += [(place.label, os.path.join(user, *place.path.split("/"))) for place in known if place.user]
    return found


def other_roots(
    root: str,
    names: Iterable[str],
    references: References,
    places: Iterable[tuple[str, str]],
    known: Iterable[str] = (),
    home: str = "~",
) -> list[OtherRoot]:
    """Folders outside an install that look like its own, those that its settings name first. `known` are
    left out.
    """
    home = os.path.expanduser(home)
    taken = {os.path.realpath(place) for place in known}
    labels: set[str] = set()
    found: list[OtherRoot] = []

    def add(label: str, place: str, why: str) -> None:
        real = os.path.realpath(place)
        inside = real == os.path.realpath(root) or os.path.realpath(root).startswith(real + os.sep)
        if inside or real.startswith(os.path.realpath(root) + os.sep):
            return
        if any(real == t or real.startswith(t + os.sep) for t in taken):
            return
        taken.add(real)
        found.append(OtherRoot(label=_free(label, labels), place=place, why=why, files=_count(place)))

    for place, reference in sorted(references.outside.items()):
        add(_BY_CLASS[reference.file_class], place, f"{reference.source} names it as “{reference.key}”")
    wanted = {normalised_name(name) for name in names if len(normalised_name(name)) >= 3}
    for label, place in places:
        for folder in _folders(place):
            name = os.path.basename(folder)
            # Right in a home folder only hidden ones are a program's own; others are anybody's.
            if normalised_name(name) in wanted and (name.startswith(".") or not _is_home(place, home)):
                add(label, folder, f"a folder of the program's name in {place}")
    return found


def program_names(pages: Iterable[Page], install: str) -> set[str]:
    """The names under which a program may have made folders: its own, and those of its executables."""
    names = {install}
    for page in pages:
        if not page.folder:
            names |= {
                os.path.splitext(name)[0]
                for name, file_format in zip(page.names, page.formats, strict=False)
                if file_format.startswith(("elf ", "pe ", "macho ", "script "))
                and not name.lower().endswith((".dll", ".so", ".dylib"))
            }
    return names


def _is_home(place: str, home: str) -> bool:
    return os.path.realpath(place) == os.path.realpath(home)


def _free(label: str, labels: set[str]) -> str:
    number, name = 2, label
    while name in labels:
        name, number = f"{label}-{number}", number + 1
    labels.add(name)
    return name


def _folders(place: str) -> list[str]:
    try:
        with os.scandir(place) as inside:
            return sorted(item.path for item in inside if item.is_dir(follow_symlinks=False))
    except OSError:
        return []


def _count(place: str) -> int:
    count, todo = 0, [place]
    while todo and count < _MOST_FILES:
        try:
            with os.scandir(todo.pop()) as inside:
                for item in inside:
                    if item.is_dir(follow_symlinks=False):
                        todo.append(item.path)
                    else:
                        count += 1
        except OSError:
            continue
    return count
