"""The strongbox over time: who needs an object, what is the person's, what frees room, whether all is sound.

An object is needed while a run that is not at its end could put it back. What was the person's stays after
that, until they free it by name. Anything else is let go of.
"""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field

from left_intact.core.carrying.journal import Journal, Step
from left_intact.core.carrying.strongbox import Strongbox
from left_intact.core.model.classes import MAY_BE_THE_PROGRAMS
from left_intact.core.model.entry import Kind
from left_intact.core.model.errors import LeftIntactError
from left_intact.core.model.keeping import Frees, Held, Holdings, Scrubbed
from left_intact.core.model.progress import CancelToken, Progress, Report, silent
from left_intact.core.model.stages import FromArrival, FromStrongbox, Verb
from left_intact.core.model.update import RunKind, State, Update

ENDED = (State.SETTLED, State.GONE_BACK, State.ABANDONED, State.DONE)
"""Runs that put nothing back any more."""


@dataclass(slots=True)
class References:
    """Which objects are needed, and by how many places; and which are the person's whoever needs them."""

    needed: Counter[str] = field(default_factory=Counter)
    yours: set[str] = field(default_factory=set)
    runs: dict[str, set[int]] = field(default_factory=lambda: defaultdict(set))
    """By object: the runs that need it."""
    places: dict[str, set[str]] = field(default_factory=lambda: defaultdict(set))
    """By object: where it lay."""
    first: dict[str, Update] = field(default_factory=dict)
    """By object: the first run that displaced it."""

    def keeps(self, digest: str) -> bool:
        return digest in self.needed or digest in self.yours


def is_the_persons(step: Step) -> bool:
    """Whether what a step displaced is the person's: by class, as settings before a merge, by name, or as far
    as anybody can prove.
    """
    return step.by_name or step.unproven or step.verb is Verb.MERGE or step.file_class.is_the_persons


def references(journal: Journal) -> References:
    """What all runs of a journal need of the strongbox."""
    found, doubts = References(), _Doubts()
    for run in journal.runs():
        for step in journal.steps(run.id):
            _refer(found, doubts, run, step)
    found.yours |= doubts.left
    return found


@dataclass(slots=True)
class _Doubts:
    """Digests that count as the person's since nobody can prove that they are the program's."""

    laid: set[str] = field(default_factory=set)
    """What updates laid out of what came."""
    set_aside: set[str] = field(default_factory=set)
    """What going back set aside."""
    put_back: set[str] = field(default_factory=set)
    """What going back put in its place again."""
    displaced: set[str] = field(default_factory=set)
    """What updates displaced that were taken back."""

    def note(self, run: Update, step: Step) -> None:
        if step.after is None or run.state not in (
            State.ON_TRIAL,
            State.SETTLED,
            State.GONE_BACK,
            State.DONE,
        ):
            return
        if isinstance(step.source, FromArrival):
            self.laid.add(step.after.digest)
        elif isinstance(step.source, FromStrongbox) and run.kind is RunKind.BACK:
            self.put_back.add(step.after.digest)

    @property
    def left(self) -> set[str]:
        """Those that nothing explains: neither did an update bring them, nor do they lie there again."""
        return (self.set_aside - self.laid) | (self.displaced - self.put_back)


def _refer(found: References, doubts: _Doubts, run: Update, step: Step) -> None:
    doubts.note(run, step)
    lives = run.state not in ENDED
    if lives and isinstance(step.source, FromStrongbox):
        found.needed[step.source.digest] += 1
        found.runs[step.source.digest].add(run.id)
    entry = step.before
    if entry is None or entry.kind is not Kind.FILE:
        return
    found.places[entry.digest].add(step.at.shown)
    if entry.digest not in found.first or run.id < found.first[entry.digest].id:
        found.first[entry.digest] = run
    if lives:
        found.needed[entry.digest] += 1
        found.runs[entry.digest].add(run.id)
    if not is_the_persons(step):
        return
    doubt = step.file_class in MAY_BE_THE_PROGRAMS and not step.by_name and step.verb is not Verb.MERGE
    if doubt and run.kind is RunKind.BACK:
        doubts.set_aside.add(entry.digest)
    elif doubt and run.state is State.GONE_BACK:
        doubts.displaced.add(entry.digest)
    else:
        found.yours.add(entry.digest)


def held_in(journal: Journal, box: Strongbox) -> list[Held]:
    """Every object, the largest first, with who needs it."""
    known = references(journal)
    found = [
        Held(
            digest=digest,
            bytes=size,
            needed=known.needed[digest],
            runs=tuple(sorted(known.runs[digest])),
            yours=digest in known.yours,
            places=tuple(sorted(known.places[digest])),
            update=first.id if (first := known.first.get(digest)) is not None else 0,
            since=first.began if first is not None else 0.0,
        )
        for digest, size in box.sizes().items()
    ]
    return sorted(found, key=lambda held: (-held.bytes, held.digest))


def tidy(journal: Journal, box: Strongbox) -> int:
    """Let go of every object that nobody needs and that is not the person's; the bytes that were freed.

    Nothing is let go of while a run is cut off or waits: what it still needs is known only at its end.
    """
    if journal.unfinished() is not None or journal.waiting() is not None:
        return 0
    for part in box.parts():
        box.place.discard(part)
    known = references(journal)
    return sum(box.free(digest) for digest in box.objects() if not known.keeps(digest))


def holdings(journal: Journal, box: Strongbox, budget: int = 0) -> Holdings:
    """All that is kept, and what frees room."""
    held = held_in(journal, box)
    return Holdings(held=tuple(held), frees=tuple(_what_frees_room(journal, held)), budget=budget)


def _what_frees_room(journal: Journal, held: Sequence[Held]) -> list[Frees]:
    """What the person can do to get room back, and how much each gives."""
    trial = {run.id for run in journal.runs() if run.state is State.ON_TRIAL}
    by_settling = sum(h.bytes for h in held if h.needed and not h.yours and set(h.runs) <= trial)
    yours = [h for h in held if h.yours and not h.needed]
    files = "1 old file" if len(yours) == 1 else f"{len(yours)} old files"
    unneeded = sum(h.bytes for h in held if not h.needed and not h.yours)
    found = [
        Frees(by="settle", says="the program's old files, once confirmed", bytes=by_settling),
        Frees(by="free", says=f"{files} of yours, each by its path", bytes=_sum(yours)),
        Frees(by="tidy", says="what nobody needs; the next settling lets it go", bytes=unneeded),
    ]
    return [one for one in found if one.bytes]


def _sum(held: Iterable[Held]) -> int:
    return sum(one.bytes for one in held)


def _is_sound(box: Strongbox, digest: str) -> bool:
    try:
        return box.has(digest)
    except LeftIntactError:
        return False  # refused is as bad as damaged to who looks through all of it


def scrub(
    journal: Journal, box: Strongbox, report: Report = silent, cancel: CancelToken | None = None
) -> Scrubbed:
    """Read every object, and say which are not what their name says, and which are needed but gone."""
    cancel = cancel or CancelToken()
    known, sizes = references(journal), box.sizes()
    damaged, done, read = [], 0, 0
    for digest, size in sorted(sizes.items()):
        cancel.check()
        if not _is_sound(box, digest):
            damaged.append(digest)
        done, read = done + 1, read + size
        report(Progress(stage="reading", done=done, total=len(sizes), bytes_done=read, path=digest))
    gone = [d for d in known.needed if d not in sizes]

    def named(digests: Iterable[str]) -> tuple[str, ...]:
        return tuple(sorted({p for d in digests for p in known.places.get(d, ()) or (box.object_path(d),)}))

    return Scrubbed(objects=len(sizes), bytes=read, damaged=named(damaged), missing=named(gone))
