"""Finding installs on a disk: what looks like one, what it probably is, and why.

Hidden folders and numbered prefixes are looked into like any other. No link is followed, no
file is opened but the first bytes of what may be the program itself.
"""

from __future__ import annotations

import os
import re
from collections.abc import Collection, Iterator, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime

from left_intact.core.files.headers import is_binary_program, recognise
from left_intact.core.model.classes import FileClass
from left_intact.core.model.found import Candidate
from left_intact.core.model.progress import CancelToken, Progress, Report, silent
from left_intact.core.model.version import name_without_version, version_in_name
from left_intact.core.survey.names import folder_evidence, name_evidence
from left_intact.core.survey.spelling import normalised_name
from left_intact.core.survey.weights import weights

_DEPTH = 12
_SKIP = frozenset(
    normalised_name(name)
    for name in (
        "proc",
        "sys",
        "dev",
        "run",
        "lost+found",
        ".git",
        "node_modules",
        "__pycache__",
        ".left-intact",
        "site-packages",
        "windows",
        "system32",
        "syswow64",
        "winsxs",
        "$Recycle.Bin",
        "System Volume Information",
        "etc",
        "boot",
    )
)
_PERSONS = (FileClass.SETTINGS, FileClass.SAVES, FileClass.STATES, FileClass.CONTENT, FileClass.EXTRAS)
_DOCUMENTS = ("readme", "license", "licence", "changelog", "changes", "whatsnew", "version", "news")
_CODE_ENDING = re.compile(r"(?i)\.(exe|appimage|x86_64|sh|py|jar|bin|run|app)$")
_LIBRARY = re.compile(r"(?i)\.(dll|so(\.\d+)*|dylib)$")
_ENOUGH = 4.0
_LOOK_AT = 12
_HEAD = 128
_COMPARED = 400
"""So many of the paths of what came are looked for in a candidate."""


@dataclass(slots=True)
class _Folder:
    path: str
    files: list[str] = field(default_factory=list)
    runnable: set[str] = field(default_factory=set)
    folders: list[str] = field(default_factory=list)


def find_installs(
    place: str,
    known: frozenset[str] = frozenset(),
    *,
    like: Collection[str] = (),
    report: Report = silent,
    cancel: CancelToken | None = None,
) -> list[Candidate]:
    """Every folder at or below a place that looks like an install, the likest first. `known` are real
    paths.

    With `like`, paths of what came, a folder counts where enough of those lie in it, whatever it looks like,
    and those that hold the most of them come first; among equals the one that was used last.
    """
    tops = frozenset(path.partition("/")[0] for path in like)
    cancel = cancel or CancelToken()
    found: list[Candidate] = []
    todo, seen = [(os.path.abspath(place), 0)], 0
    while todo:
        path, depth = todo.pop()
        cancel.check()
        folder = _list(path)
        if folder is None:
            continue
        seen += 1
        if seen % 200 == 0:
            report(Progress(stage="finding", done=seen, path=path))
        candidate = _judge(folder, known)
        if candidate is None and tops and _holds(folder, tops):
            candidate = _unlike(folder, known)
        if candidate is not None:
            found.append(candidate)
        elif depth < _DEPTH:
            todo += [
                (os.path.join(path, name), depth + 1)
                for name in folder.folders
                if normalised_name(name) not in _SKIP
            ]
    report(Progress(stage="finding", done=seen, total=seen))
    if like:
        paths = sorted(like)
        some = paths[:: max(1, len(paths) // _COMPARED)]
        compared = [_compared(one, some, cancel) for one in found]
        return sorted((c for c in compared if c.share), key=lambda c: (-c.share, -c.used, c.path))
    return sorted(found, key=lambda c: (-c.score, c.path))


def _holds(folder: _Folder, tops: frozenset[str]) -> bool:
    """Whether at least half of what lies at the top of what came lies here, and more than one thing."""
    here = len(tops.intersection(folder.files)) + len(tops.intersection(folder.folders))
    return here > 1 and here >= len(tops) / 2


def _unlike(folder: _Folder, known: frozenset[str]) -> Candidate:
    """A candidate that looks like no install by itself."""
    base = os.path.basename(folder.path)
    found = version_in_name(base)
    return Candidate(
        path=folder.path,
        name=(name_without_version(base) or base).title(),
        role="launcher",
        version=found.text if found else "",
        score=0.0,
        why=(),
        known=os.path.realpath(folder.path) in known,
    )


def _compared(candidate: Candidate, some: Sequence[str], cancel: CancelToken) -> Candidate:
    """A candidate with how much of what came lies in it, by `some` paths of it, and when it was last used."""
    cancel.check()
    here = sum(os.path.lexists(os.path.join(candidate.path, path)) for path in some)
    share = here / len(some)
    used = _last_used(candidate.path)
    when = datetime.fromtimestamp(used).date().isoformat() if used else "never"
    why = (f"{here} of {len(some)} files of what came lie here", f"last written to on {when}", *candidate.why)
    return replace(candidate, share=round(share, 3), used=used, why=why)


def _last_used(path: str) -> float:
    """When something in a folder or right below it was last written."""
    last = 0.0
    for folder in (path, *(os.path.join(path, name) for name in (_list(path) or _Folder(path)).folders)):
        try:
            with os.scandir(folder) as inside:
                times = [
                    i.stat(follow_symlinks=False).st_mtime for i in inside if i.is_file(follow_symlinks=False)
                ]
        except OSError:
            continue
        last = max(last, *times, 0.0)
    return last


def _list(path: str) -> _Folder | None:
    folder = _Folder(path)
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
    return folder


def _judge(folder: _Folder, known: frozenset[str]) -> Candidate | None:
    """A candidate, where enough speaks for it: a program, and something of a person's or a release's beside
    it.
    """
    programs = _programs(folder)
    if not programs:
        return None
    why, score = [], 2.0
    why.append(f"has a program: {', '.join(programs[:3])}")
    owned = {kind: name for name in folder.folders for kind in _classes_of(name)}
    for kind, name in sorted(owned.items()):
        score += 1.0
        why.append(f"{name}/ is named for {kind}")
    stems = {normalised_name(os.path.splitext(p.rpartition("/")[2])[0]) for p in programs}
    for name in folder.folders:
        if any(e.speaks_for is FileClass.PROGRAM and e.weight < 0 for e in folder_evidence(name)):
            why.append(f"{name}/ is named for the person's own")
        elif not name.endswith(".app") and any(
            len(s) >= 4 and normalised_name(name).startswith(s) for s in stems
        ):
            why.append(f"{name}/ bears its name")
        else:
            continue
        owned.setdefault(FileClass.UNSORTED, name)
        score += 1.0
    if any(p.endswith(".app") for p in programs):
        score += 1.0
    documents = [f for f in folder.files if normalised_name(f.rsplit(".", 1)[0]) in _DOCUMENTS]
    if documents:
        score += 0.8
        why.append(f"ships {documents[0]}")
    settings = [
        f
        for f in folder.files
        if any(e.speaks_for is FileClass.SETTINGS and e.weight > 1 for e in name_evidence(f))
    ]
    if settings:
        score += 0.8
        why.append(f"has settings: {settings[0]}")
    libraries = sum(1 for f in folder.files if _LIBRARY.search(f))
    if libraries >= 2:
        score += 0.5
        why.append(f"{libraries} libraries beside it")
    shipped = [
        n
        for n in folder.folders
        if any(e.speaks_for is FileClass.PROGRAM and e.weight > 1 for e in folder_evidence(n))
    ]
    if shipped:
        score += 0.7
        why.append(f"{shipped[0]}/ is where releases put things")
    if score < _ENOUGH or not (owned or settings):
        return None
    base = os.path.basename(folder.path)
    name = name_without_version(base).strip(" .-_") or base
    found = version_in_name(base)
    return Candidate(
        path=folder.path,
        name=(name if len(name) > 2 and not name.isdigit() else os.path.splitext(programs[0])[0]).title(),
        role=_role(folder, owned),
        version=found.text if found else "",
        score=round(score, 1),
        why=tuple(why),
        known=os.path.realpath(folder.path) in known,
    )


def _classes_of(name: str) -> Iterator[FileClass]:
    for evidence in folder_evidence(name):
        if evidence.speaks_for in _PERSONS and evidence.weight >= weights().spoken["subtree-least"]:
            yield evidence.speaks_for


def _programs(folder: _Folder) -> list[str]:
    """Files at the top that are programs by their first bytes; code in `bin/` counts for the folder above
    it.
    """
    likely = [f for f in folder.files if _CODE_ENDING.search(f) or "." not in f][:_LOOK_AT]
    found = [f for f in likely if _is_program(os.path.join(folder.path, f))]
    bundles = [f for f in folder.folders if f.endswith(".app")]
    if not found and not bundles and "bin" in folder.folders:
        inside = _list(os.path.join(folder.path, "bin"))
        names = inside.files[:_LOOK_AT] if inside else []
        found = [f"bin/{f}" for f in names if _is_program(os.path.join(folder.path, "bin", f))]
    return bundles + found


def _is_program(path: str) -> bool:
    try:
        with open(path, "rb") as file:
            head = file.read(_HEAD)
    except OSError:
        return False
    file_format = recognise(head, max(len(head), 1))
    return is_binary_program(file_format) or file_format.startswith("script ") or head[:2] == b"MZ"


def guess_role(root: str) -> str:
    """What a folder that somebody named probably is; an emulator where nothing says otherwise."""
    folder = _list(root)
    if folder is None:
        return "emulator"
    owned = {kind: name for name in folder.folders for kind in _classes_of(name)}
    role = _role(folder, owned)
    return "emulator" if role == "launcher" else role


def _role(folder: _Folder, owned: dict[FileClass, str]) -> str:
    """What it probably is, by the siblings that the program keeps."""
    names = {normalised_name(n) for n in folder.folders}
    if names & {"mods", "lineups", "profiles"} and FileClass.CONTENT not in owned:
        return "modding tool"
    if names & {"cores", "core"} and names & {"playlists", "lists", "thumbnails", "pictures", "assets"}:
        return "front end"
    if names & {"themes", "collections", "looks"} and names & {
        "lists",
        "pictures",
        "collections",
        "media",
        "themes",
    }:
        return "front end"
    if FileClass.SAVES in owned or FileClass.STATES in owned or FileClass.CONTENT in owned:
        return "emulator"
    return "launcher"
