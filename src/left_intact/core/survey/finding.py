"""Finding installs on a disk: what looks like one, what it probably is, and why.

Hidden folders and drives made for other systems are looked into like any other. No link is followed, no
file is opened but the first bytes of what may be the program itself.
"""

from __future__ import annotations

import os
from collections.abc import Collection, Sequence
from dataclasses import replace
from datetime import datetime
from functools import cache

from left_intact.core.model.classes import FileClass
from left_intact.core.model.found import Candidate
from left_intact.core.model.progress import CancelToken, Progress, Report, silent
from left_intact.core.model.version import name_without_version, version_in_name
from left_intact.core.survey.candidates import Seen, classes_of, judge, list_folder, programs_of
from left_intact.core.survey.drives import is_home
from left_intact.core.survey.names import folder_evidence
from left_intact.core.survey.spelling import normalised_name
from left_intact.core.survey.vocabulary import words

_DEPTH = 14
_NESTED = 5.0
"""What an install holds must look more like an install than what stands by itself."""
_COMPARED = 400
"""So many of the paths of what came are looked for in a candidate."""


def find_installs(
    place: str,
    known: frozenset[str] = frozenset(),
    *,
    like: Collection[str] = (),
    report: Report = silent,
    cancel: CancelToken | None = None,
) -> list[Candidate]:
    """Every folder at or below a place that looks like an install, the likest first. `known` are real
    paths. What lies in an install counts where it looks like one of its own; a folder of several does not.

    With `like`, paths of what came, a folder counts where enough of those lie in it, whatever it looks like,
    and those that hold the most of them come first; among equals the one that was used last.
    """
    tops = frozenset(path.partition("/")[0] for path in like)
    search = _Search(known, tops, report, cancel or CancelToken())
    found = search.below(os.path.abspath(place))
    report(Progress(stage="finding", done=search.seen, total=search.seen))
    if like:
        paths = sorted(like)
        some = paths[:: max(1, len(paths) // _COMPARED)]
        compared = [_compared(one, some, search.cancel) for one in found]
        return sorted((c for c in compared if c.share), key=lambda c: (-c.share, -c.used, c.path))
    return sorted(found, key=lambda c: (-c.score, c.path))


class _Search:
    def __init__(
        self, known: frozenset[str], tops: frozenset[str], report: Report, cancel: CancelToken
    ) -> None:
        self.known, self.tops, self.report, self.cancel = known, tops, report, cancel
        self.seen = 0

    def below(self, place: str) -> list[Candidate]:
        return self._look(place, 0)[1]

    def _look(self, path: str, depth: int) -> tuple[Seen | None, list[Candidate]]:
        """A folder with the counts of what lies below it, and the candidates in it."""
        self.cancel.check()
        folder = list_folder(path)
        if folder is None:
            return None, []
        self.seen += 1
        if self.seen % 200 == 0:
            self.report(Progress(stage="finding", done=self.seen, path=path))
        inside: list[Candidate] = []
        for name in folder.folders if depth < _DEPTH else ():
            if normalised_name(name) in _not_looked_into():
                continue
            one, found = self._look(os.path.join(path, name), depth + 1)
            if one is not None:
                folder.below += one.below
                folder.code += one.code
                folder.users |= one.is_home
                folder.is_drive |= one.users
            inside += found
        folder.is_home = is_home((*folder.folders, *folder.files))
        theirs = folder.is_home or ((folder.users or folder.is_drive) and not programs_of(folder))
        candidate = None if theirs else judge(folder, self.known)
        if candidate is None and self.tops and _holds(folder, self.tops):
            candidate = _unlike(folder, self.known)
        if candidate is None:
            return folder, inside
        nested = [c for c in inside if c.score >= _NESTED and _stands_alone(c.path, path)]
        if _is_shelf(folder, inside):
            return folder, inside
        return folder, [candidate, *nested]


@cache
def _not_looked_into() -> frozenset[str]:
    return frozenset(map(normalised_name, words("not-looked-into")))


def _is_shelf(folder: Seen, inside: Sequence[Candidate]) -> bool:
    """Whether a folder only holds installs: several right in it, and no program of its own."""
    right_in = sum(os.path.dirname(c.path) == folder.path for c in inside)
    return right_in >= 2 and not programs_of(folder)


def _stands_alone(path: str, above: str) -> bool:
    """Whether what lies in an install is one of its own rather than a part: it has a program, things of a
    person's, and does not lie where releases put code.
    """
    folder = list_folder(path)
    if folder is None or not programs_of(folder):
        return False
    between = os.path.relpath(path, above).split(os.sep)
    shipped = any(
        e.speaks_for is FileClass.PROGRAM and e.weight > 0 for e in folder_evidence("/".join(between[:-1]))
    )
    return not shipped and any(any(True for _ in classes_of(name)) for name in folder.folders)


def _holds(folder: Seen, tops: frozenset[str]) -> bool:
    """Whether at least half of what lies at the top of what came lies here, and more than one thing."""
    here = len(tops.intersection(folder.files)) + len(tops.intersection(folder.folders))
    return here > 1 and here >= len(tops) / 2


def _unlike(folder: Seen, known: frozenset[str]) -> Candidate:
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
    for folder in (path, *(os.path.join(path, name) for name in (list_folder(path) or Seen(path)).folders)):
        try:
            with os.scandir(folder) as inside:
                times = [
                    i.stat(follow_symlinks=False).st_mtime for i in inside if i.is_file(follow_symlinks=False)
                ]
        except OSError:
            continue
        last = max(last, *times, 0.0)
    return last
