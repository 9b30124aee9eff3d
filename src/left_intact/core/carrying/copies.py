"""Copying many files, each read back: shared out over the worker processes where there are many.

A copy is told in plain values, so that another process can make it. What goes wrong with one comes back as a
value too, and the first fault is raised here. Nothing is flushed; that is one call for all.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from contextlib import closing
from dataclasses import dataclass
from typing import Any, NamedTuple

from left_intact.core.carrying.strongbox import PART
from left_intact.core.files.place import LocalPlace
from left_intact.core.files.workers import share_out
from left_intact.core.model.entry import Attributes, Entry
from left_intact.core.model.errors import LeftIntactError
from left_intact.core.model.progress import CancelToken

_FEW = 512
"""Below so many, one process is quicker, and every copy is told of."""
_BATCH_FILES, _BATCH_BYTES = 64, 32 << 20


class Copy(NamedTuple):
    """One file to be copied to where nothing lies, or to where the very same lies already."""

    source: str
    target: str
    digest: str
    size: int
    metadata: tuple[int | None, int, tuple[int, int, tuple[tuple[str, bytes], ...]] | None] | None = None
    """(mode, mtime_ns, owner and group and extended attributes) that it gets; None leaves it as it is made.
    """


@dataclass(frozen=True, slots=True)
class Copied:
    """What became of one copy."""

    copy: Copy
    notes: tuple[str, ...]
    """In words, what the system did not let us give."""


OnFault = Callable[[Copy, LeftIntactError | OSError], Exception]
"""Words a fault of one copy."""


def metadata_of(entry: Entry, attributes: Attributes | None) -> tuple[Any, ...]:
    """The last field of a `Copy`."""
    more = (attributes.owner, attributes.group, attributes.extended) if attributes is not None else None
    return entry.mode, entry.mtime_ns, more


def copy_all(
    copies: Sequence[Copy],
    source: LocalPlace,
    target: LocalPlace,
    *,
    on_copied: Callable[[Copied], None],
    on_fault: OnFault,
    cancel: CancelToken,
) -> None:
    """Make all copies. Raises what `on_fault` makes of the first that fails, `Stopped`."""
    if len(copies) < _FEW:
        for copy in copies:
            cancel.check()
            _took(copy, _made(copy, source, target), on_copied, on_fault)
        return
    tasks = _batches(copies)
    common = (source.root, source.identity, source.ours, target.root, target.identity)
    outcomes = share_out(copy_batch, common, [[tuple(copy) for copy in task] for task in tasks], cancel)
    with closing(outcomes):
        for number, results in outcomes:
            for copy, result in zip(tasks[number], results, strict=True):
                _took(copy, result, on_copied, on_fault)


def _batches(copies: Sequence[Copy]) -> list[list[Copy]]:
    tasks: list[list[Copy]] = []
    room = 0
    for copy in copies:
        if not tasks or len(tasks[-1]) >= _BATCH_FILES or room < copy.size:
            tasks.append([])
            room = _BATCH_BYTES
        tasks[-1].append(copy)
        room -= copy.size
    return tasks


Result = tuple[Any, ...]
"""(`done`, notes), (`error`, code, says, path, way out) or (`os`, number, reason, path)."""


def copy_batch(common: tuple[Any, ...], task: list[tuple[Any, ...]]) -> list[Result]:
    """Some copies, in another process."""
    source_root, source_identity, ours, target_root, target_identity = common
    with (
        LocalPlace(source_root, identity=tuple(source_identity), ours=ours) as source,
        LocalPlace(target_root, identity=tuple(target_identity), ours=True) as target,
    ):
        return [_made(Copy(*plain), source, target) for plain in task]


def _made(copy: Copy, source: LocalPlace, target: LocalPlace) -> Result:
    try:
        if copy.metadata is None:
            _keep(copy, source, target)
            return "done", ()
        if not _is_there(copy, target):
            target.copy_in(source, copy.source, copy.target, copy.digest)
        mode, mtime_ns, more = copy.metadata
        entry = Entry(path=copy.target, mode=mode, mtime_ns=mtime_ns)
        given = None if more is None else Attributes(owner=more[0], group=more[1], extended=tuple(more[2]))
        return "done", target.apply_metadata(copy.target, entry, given)
    except LeftIntactError as error:
        return "error", error.code, error.says, error.path, error.way_out
    except OSError as error:
        return "os", error.errno or 0, error.strerror or "", str(error.filename or "")


def _keep(copy: Copy, source: LocalPlace, target: LocalPlace) -> None:
    """A copy that has its name only once it is whole: what is kept is found by its name, also by a person."""
    if _is_there(copy, target):
        return
    part = copy.target + PART
    target.discard(part)
    target.copy_in(source, copy.source, part, copy.digest)
    target.take(target, part, copy.target, over=False)


def _is_there(copy: Copy, target: LocalPlace) -> bool:
    """Whether the very same lies there already; a part that a crash left is removed."""
    if target.stat(copy.target) is None:
        return False
    if target.digest(copy.target) == copy.digest:
        return True
    target.discard(copy.target)
    return False


def _took(copy: Copy, result: Result, on_copied: Callable[[Copied], None], on_fault: OnFault) -> None:
    kind, *told = result
    if kind == "done":
        on_copied(Copied(copy, tuple(told[0])))
        return
    if kind == "os":
        raise on_fault(copy, OSError(told[0], told[1], told[2]))
    code, says, path, way_out = told
    raise on_fault(copy, LeftIntactError(code, says, path=path, way_out=way_out))
