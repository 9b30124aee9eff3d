"""Whether one folder looks like an install: what a release brings, and what a person or a run leaves."""

from __future__ import annotations

import os
import re
from collections.abc import Iterator
from dataclasses import dataclass, field

from left_intact.core.files.headers import is_binary_program, recognise
from left_intact.core.model.classes import FileClass
from left_intact.core.model.found import Candidate
from left_intact.core.model.version import name_without_version, version_in_name
from left_intact.core.survey.names import folder_evidence, name_evidence
from left_intact.core.survey.spelling import normalised_name
from left_intact.core.survey.vocabulary import either, words
from left_intact.core.survey.weights import ADDED, weights

P = FileClass.PROGRAM
_PERSONS = (FileClass.SETTINGS, FileClass.SAVES, FileClass.STATES, FileClass.CONTENT, FileClass.EXTRAS)
_CODE_ENDING = re.compile(rf"(?i)\.({either('program-ending')})$")
_LIBRARY = re.compile(r"(?i)\.(dll|so(\.\d+)*|dylib)$")
_PICTURE = re.compile(r"(?i)\.(png|jpe?g|webp)$")
_LIST = re.compile(r"(?i)(\.(json|xml|txt|list|m3u|csv|ya?ml|toml)|^[^.]+)$")
_SEVERAL, _FOLDERS = 2, 60
_RECORDS = tuple(sorted(words("record-of-a-package")))
ENOUGH = 4.0
_LOOK_AT, _HEAD = 12, 128
_PERSONS_OWN = -2.0
_CODE_LEAST, _CODE_SHARE = 10, 0.25
"""So much code below a folder, and of all files there, is a release's though nothing in it starts it."""
_KEPT = (FileClass.SAVES, FileClass.STATES, FileClass.CONTENT, FileClass.EXTRAS)
_READ, _LISTS, _NAMED = 128 << 10, 24, 0.5
"""Bytes that are read of a list, how many are read, and how much of what lies in a folder one must name."""


@dataclass(slots=True)
class Seen:
    """A folder as seen on the way, with what lies below it."""

    path: str
    files: list[str] = field(default_factory=list)
    folders: list[str] = field(default_factory=list)
    below: int = 0
    """Files in it and below."""
    code: int = 0
    """Of those that look as releases ship them."""
    is_home: bool = False
    """Whether it holds what a person's home does."""
    users: bool = False
    """Whether homes lie in it."""
    is_drive: bool = False
    """Whether a folder of users lies in it."""


def list_folder(path: str) -> Seen | None:
    """One folder; None where it cannot be listed. Links are left out."""
    folder = Seen(path)
    try:
        with os.scandir(path) as inside:
            for item in inside:
                if item.is_dir(follow_symlinks=False):
                    folder.folders.append(item.name)
                elif item.is_file(follow_symlinks=False):
                    folder.files.append(item.name)
    except OSError:
        return None
    folder.files.sort()
    folder.below = len(folder.files)
    folder.code = sum(map(looks_like_code, folder.files))
    return folder


def looks_like_code(name: str) -> bool:
    """Whether a name is one of code, or of what goes with it."""
    least = weights().spoken["looks-shipped"]
    return any(e.speaks_for is P and e.weight >= least for e in name_evidence(name))


def judge(folder: Seen, known: frozenset[str]) -> Candidate | None:
    """A candidate, where enough speaks for it: something of a release, and something of a person's."""
    if not words("work-tree").isdisjoint(folder.folders):
        return None  # a work tree of somebody's own
    programs = programs_of(folder)
    found = [*_of_release(folder, programs), *_of_person(folder, programs)]
    is_release = bool(programs) or _is_release(folder)
    is_lived_in = any(lived for _, _, lived in found)
    if _is_being_made(folder) and not any(map(_is_kept, folder.folders)):
        return None
    score = sum(weight for weight, _, _ in found)
    if not is_release or not is_lived_in or score < ENOUGH:
        return None
    base = os.path.basename(folder.path)
    name = name_without_version(base).strip(" .-_") or base
    version = version_in_name(base)
    owned = {kind: name for name in folder.folders for kind in classes_of(name)}
    stem = os.path.splitext(programs[0])[0] if programs else base
    return Candidate(
        path=folder.path,
        name=(name if len(name) > 2 and not name.isdigit() else stem).title(),
        role=role_of(folder, owned),
        version=version.text if version else "",
        score=round(score, 1),
        why=tuple(says for _, says, _ in found),
        known=os.path.realpath(folder.path) in known,
    )


_Found = tuple[float, str, bool]
"""(weight, words, whether it shows that somebody lives there)."""


def _is_release(folder: Seen) -> bool:
    """Whether a folder holds a release though nothing in it starts it: an add-on, a front end's files, a tree
    that a system's package was unpacked into.
    """
    if folder.code < max(_CODE_LEAST, _CODE_SHARE * folder.below):
        return False
    records = any(name.endswith(_RECORDS) for name in folder.folders)
    return _is_laid_out(folder) or records or bool(_manifests(folder)) or bool(_documents(folder))


def _is_being_made(folder: Seen) -> bool:
    """Whether a folder is one that somebody builds something in: settings alone show no life there."""
    return bool(words("dependencies").intersection(folder.folders)) or any(
        f.lower() in words("build-file") for f in folder.files
    )


def _is_kept(name: str) -> bool:
    """Whether a folder is named for what people keep, or for the person outright."""
    return any(
        e.speaks_for in _KEPT or (e.speaks_for is P and e.weight <= _PERSONS_OWN)
        for e in folder_evidence(name)
    )


def _is_laid_out(folder: Seen) -> bool:
    names = {name.lower() for name in folder.folders}
    return len(names & words("laid-out")) >= 2 or not names.isdisjoint(words("system-root"))


def _of_release(folder: Seen, programs: list[str]) -> Iterator[_Found]:
    if programs:
        weight = 1.6 if all(map(_is_script, (os.path.join(folder.path, p) for p in programs))) else 2.4
        yield weight, f"has a program: {', '.join(programs[:3])}", False
    elif _is_release(folder):
        yield 1.8, f"{folder.code:,} of {folder.below:,} files are code or what goes with it", False
        if _is_laid_out(folder):
            yield 1.0, "is laid out as packages of a system are", False
    if any(p.endswith(".app") for p in programs):
        yield 1.0, "is laid out as bundles are", False
    if documents := _documents(folder) or _manifests(folder):
        yield 0.8, f"ships {documents[0]}", False
    libraries = sum(1 for f in folder.files if _LIBRARY.search(f))
    if libraries >= 2:
        yield 0.5, f"{libraries} libraries beside it", False
    shipped = [
        n for n in folder.folders if any(e.speaks_for is P and e.weight > 1 for e in folder_evidence(n))
    ]
    if shipped:
        yield 0.7, f"{shipped[0]}/ is where releases put things", False
    records = [n for n in folder.folders if n.endswith(_RECORDS)]
    if records:
        yield 1.0, f"{records[0]}/ is the record of a package", False


def _of_person(folder: Seen, programs: list[str]) -> Iterator[_Found]:
    owned = {kind: name for name in folder.folders for kind in classes_of(name)}
    for kind, name in sorted(owned.items()):
        yield 1.0, f"{name}/ is named for {kind}", True
    stems = {normalised_name(os.path.splitext(p.rpartition("/")[2])[0]) for p in programs}
    for name in folder.folders:
        if name in owned.values():
            continue
        if any(e.speaks_for is P and e.weight < 0 for e in folder_evidence(name)):
            yield 1.0, f"{name}/ is named for the person's own", True
        elif not name.endswith(".app") and any(
            len(s) >= 4 and normalised_name(name).startswith(s) for s in stems
        ):
            yield 1.0, f"{name}/ bears its name", True
    settings = [
        f
        for f in folder.files
        if any(e.speaks_for is FileClass.SETTINGS and e.weight > 1 for e in name_evidence(f))
    ]
    if settings:
        yield 0.8, f"has settings: {settings[0]}", True


def _documents(folder: Seen) -> list[str]:
    return [f for f in folder.files if normalised_name(f.rsplit(".", 1)[0]) in words("document")]


def _manifests(folder: Seen) -> list[str]:
    return [f for f in folder.files if f.lower() in words("manifest")]


def classes_of(name: str) -> Iterator[FileClass]:
    """The classes of the person's that the name of a folder claims."""
    for evidence in folder_evidence(name):
        if evidence.speaks_for in _PERSONS and evidence.weight >= weights().spoken["subtree-least"]:
            yield evidence.speaks_for


def programs_of(folder: Seen) -> list[str]:
    """Files at the top that are programs by their first bytes; code in `bin/` counts for the folder above."""
    likely = [f for f in folder.files if _CODE_ENDING.search(f) or "." not in f][:_LOOK_AT]
    found = [f for f in likely if _is_program(os.path.join(folder.path, f))]
    bundles = [f for f in folder.folders if f.endswith(".app")]
    if not found and not bundles and "bin" in folder.folders:
        inside = list_folder(os.path.join(folder.path, "bin"))
        names = inside.files[:_LOOK_AT] if inside else []
        found = [f"bin/{f}" for f in names if _is_program(os.path.join(folder.path, "bin", f))]
    return bundles + found


def _is_program(path: str) -> bool:
    head = _head_of(path)
    file_format = recognise(head, max(len(head), 1))
    return is_binary_program(file_format) or file_format.startswith("script ") or head[:2] == b"MZ"


def _is_script(path: str) -> bool:
    return _head_of(path)[:2] == b"#!"


def _head_of(path: str, size: int = _HEAD) -> bytes:
    try:
        with open(path, "rb") as file:
            return file.read(size)
    except OSError:
        return b""


def guess_role(root: str) -> str:
    """What a folder that somebody named probably is; an emulator where nothing says otherwise."""
    folder = list_folder(root)
    if folder is None:
        return "emulator"
    owned = {kind: name for name in folder.folders for kind in classes_of(name)}
    role = role_of(folder, owned)
    return "emulator" if role == "launcher" else role


def role_of(folder: Seen, owned: dict[FileClass, str]) -> str:
    """What it probably is, by what it holds. A front end has a list that names the libraries lying here, or
    the pictures where nothing is played in it; a modding tool has folders in which people put what they add,
    and nothing to play.
    """
    if _has_a_list(folder, _LIBRARY):
        return "front end"
    if {FileClass.SAVES, FileClass.STATES}.isdisjoint(owned) and _has_a_list(folder, _PICTURE):
        return "front end"
    plays = {FileClass.SAVES, FileClass.STATES, FileClass.CONTENT}
    if FileClass.EXTRAS in owned and plays.isdisjoint(owned) and _is_added_to(folder.path, owned):
        return "modding tool"
    return "launcher" if plays.isdisjoint(owned) else "emulator"


def _is_added_to(path: str, owned: dict[FileClass, str]) -> bool:
    """Return True if a folder named for what people add holds several things of several files each."""
    name = owned[FileClass.EXTRAS]
    if not any(e.says.endswith(ADDED) for e in folder_evidence(name)):
        return False
    inside = list_folder(os.path.join(path, name))
    return inside is not None and len(inside.folders) >= _SEVERAL


def _has_a_list(folder: Seen, of_kind: re.Pattern[str]) -> bool:
    """Return True if a list here names most of the files of a kind that lie in one folder."""
    near = [
        folder,
        *(one for name in folder.folders if (one := list_folder(os.path.join(folder.path, name)))),
    ]
    deeper = [
        one for at in near[1:] for name in at.folders if (one := list_folder(os.path.join(at.path, name)))
    ]
    folders = near + deeper[:_FOLDERS]
    kinds = ([name for name in at.files if of_kind.search(name)] for at in folders)
    named = [[os.path.splitext(name)[0].encode() for name in kind] for kind in kinds if len(kind) >= _SEVERAL]
    if not named:
        return False
    lists = [os.path.join(at.path, name) for at in folders for name in at.files if _LIST.search(name)]
    texts = [text for path in lists[:_LISTS] if (text := _head_of(path, _READ))]
    return any(
        sum(stem in text for stem in stems) >= _NAMED * len(stems) for stems in named for text in texts
    )
