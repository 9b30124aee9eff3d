"""Watching a run: what was made, changed or taken away while the program ran.

Two looks at the disk, before and after; no file is opened for it, so nothing that the program
holds open is in the way, and 100,000 files cost a second.
"""

from __future__ import annotations

import os
import subprocess
import time
from collections.abc import Callable, Sequence

from left_intact.core.files.roots import absolute
from left_intact.core.files.tree import look_again
from left_intact.core.files.walk import read_pages
from left_intact.core.model.errors import LeftIntactError, reason_of
from left_intact.core.model.found import Run
from left_intact.core.model.pages import COLUMNS, Page
from left_intact.core.model.place import At
from left_intact.core.model.progress import CancelToken, Progress, Report, silent

_POLL = 0.05
Roots = Sequence[tuple[str, str]]


Stamps = dict[At, dict[str, tuple[int, ...]]]
"""By folder and name: what the disk said."""


def look(root: str, roots: Roots = (), cancel: CancelToken | None = None) -> Stamps:
    """What the disk says of everything below the roots, without opening a file."""
    found: Stamps = {}
    for label, place in (("", root), *roots):
        try:
            pages = read_pages(place, cancel=cancel, content=False)
        except OSError as error:
            if not label:
                raise LeftIntactError(
                    "no-folder", "this folder cannot be read", path=place, way_out="Check the path."
                ) from error
            continue
        for page in pages:
            found[At(label, page.folder)] = _stamps(page)
    return found


def _stamps(page: Page) -> dict[str, tuple[int, ...]]:
    numbers = page.numbers
    return {name: tuple(numbers[at * COLUMNS : (at + 1) * COLUMNS]) for at, name in enumerate(page.names)}


def compare(before: Stamps, after: Stamps) -> tuple[list[At], list[At], list[At], list[At]]:
    """(made, changed, gone, new folders). Changed is what was written, not what was merely moved to another
    mode.
    """
    made, changed, gone = [], [], []
    for folder, names in after.items():
        old = before.get(folder, {})
        if names == old:
            continue
        for name, stamp in names.items():
            was = old.get(name)
            if was is None:
                made.append(folder.inner(name))
            elif was[1:3] != stamp[1:3] or was[4] != stamp[4]:
                changed.append(folder.inner(name))
    for folder, names in before.items():
        now = after.get(folder, {})
        gone += [folder.inner(name) for name in names if name not in now]
    folders = [folder for folder in after if folder not in before]
    return sorted(made), sorted(changed), sorted(gone), sorted(folders)


def watch_run(
    root: str,
    roots: Roots = (),
    *,
    command: Sequence[str] = (),
    wait: Callable[[], None] | None = None,
    report: Report = silent,
    cancel: CancelToken | None = None,
) -> Run:
    """Watch one run of a program.

    With a command it is started in the root and waited for; without, `wait` returns when the
    person says that they have quit. Raises `no-start` where the command cannot be started and
    `Stopped` where the person wants out; a program that was started is left running then.
    """
    cancel = cancel or CancelToken()
    before, began = look(root, roots, cancel), time.monotonic()
    report(Progress(stage="watching"))
    status = None
    if command:
        status = _start_and_wait(root, command, cancel)
    elif wait is not None:
        wait()
    cancel.check()
    made, changed, gone, folders = compare(before, look(root, roots, cancel))
    return Run(
        made=tuple(made),
        changed=tuple(changed),
        gone=tuple(gone),
        new_folders=tuple(folders),
        seconds=time.monotonic() - began,
        status=status,
        digests=tuple((at, _digest(root, roots, at)) for at in (*made, *changed)),
    )


def _start_and_wait(root: str, command: Sequence[str], cancel: CancelToken) -> int:
    try:
        process = subprocess.Popen(
            list(command),
            cwd=root,
            stdin=subprocess.DEVNULL,
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
            start_new_session=True,
        )
    except OSError as error:
        why = reason_of(error)
        raise LeftIntactError(
            "no-start",
            f"the program could not be started ({why})",
            path=command[0],
            way_out="Check the command; it is run in the install's folder.",
        ) from error
    while True:
        try:
            return process.wait(_POLL)
        except subprocess.TimeoutExpired:
            cancel.check()


def _digest(root: str, roots: Roots, at: At) -> str:
    place = absolute(root, roots, at)
    entry = look_again(os.path.dirname(place), os.path.basename(place))
    return entry.digest if entry is not None else ""
