"""The first law of a proof: what was the person's before is accounted for after.

Each file of theirs lies at its place, at another that is named, in one that was merged from it, or was let go
of by an answer. This asks the disk, the witness of all roots and the answers; it repeats none of the plan's
reasons.
"""

from __future__ import annotations

import os
from collections import Counter
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field

from left_intact.core.files.headers import is_code
from left_intact.core.model.classes import OF_A_PACK, FileClass
from left_intact.core.model.entry import Entry, Kind
from left_intact.core.model.pages import Page
from left_intact.core.model.place import OLD, At
from left_intact.core.model.proof import Beginning, Witness
from left_intact.core.model.stages import Verb
from left_intact.core.model.survey import Total
from left_intact.core.model.unchanged import CLASSES
from left_intact.core.proving.compare import Now
from left_intact.core.proving.context import Context

_TEXT_MOST = 1 << 20
"""Bytes of a settings text that is read to see whether only the folder's name was changed in it."""


@dataclass(slots=True)
class Account:
    """What became of the person's files that are not simply where they were."""

    gone: list[str] = field(default_factory=list)
    """Nowhere, and let go of by no answer."""
    displaced: list[str] = field(default_factory=list)
    """At their place lies something else, by no answer."""
    moved: list[tuple[str, str]] = field(default_factory=list)
    """(where it was, where it is)."""
    let_go: list[str] = field(default_factory=list)
    """By an answer."""
    chosen: list[str] = field(default_factory=list)
    """Content that the pack or the updates which the person chose have another of."""
    by_hand: list[str] = field(default_factory=list)
    """Changed while a step by hand was waited for, and not by us."""
    shipped: list[str] = field(default_factory=list)
    """Never known to be theirs, and now as the new build ships it."""
    as_it_was: Total | None = None
    """In a new folder: what of the old one lies there, or is used from there, with the bytes it had."""
    kinds: dict[str, FileClass] = field(default_factory=dict)
    """By path: the class of what is gone or displaced."""
    merged: int = 0
    """Files that keep their place with what came joined to them; each is checked by itself."""

    def lose(self, where: list[str], path: str, kind: FileClass) -> None:
        where.append(path)
        self.kinds[path] = kind

    @property
    def holds(self) -> bool:
        return not (self.gone or self.displaced)


def account_for(witness: Witness, now: Now, context: Context, places: Mapping[str, str]) -> Account:
    """Account for every file of the person's. `places` are the folders of all roots, by label."""
    account = Account()
    if context.answered is None or witness.beginning is None:
        return account  # a record of before the answers were kept
    if context.old_root is not None and not context.old_root.back:
        _in_new_root(account, witness, now, context, places)
    elif context.old_root is None:
        _where_it_was(account, witness, witness.beginning, now, context)
    return account


def _in_new_root(
    account: Account, witness: Witness, now: Now, context: Context, places: Mapping[str, str]
) -> None:
    """What lay in the folder that was left behind has to lie in the new one."""
    old_root, answered = context.old_root, context.answered
    assert old_root is not None and answered is not None
    merged = {at.path for at in witness.merged if not at.root}
    owners, same = dict[str, str](), Total()
    for path, was, kind in _persons_in(witness, OLD):
        target = old_root.moved.get(path, path)
        there = now.entry(At("", target))
        if there is not None and (there.same_content(was) or was.kind is Kind.LINK):
            if target != path:
                account.moved.append((path, target))
            if (other := owners.setdefault(target, path)) != path:
                account.lose(account.gone, f"{path} (as {other})", kind)
            else:
                same += Total(files=1, bytes=was.bytes)
            continue
        asked = At("", path) in answered or At("", target) in answered
        if target in merged or old_root.stays(path) or asked:
            if asked:
                account.let_go.append(path)
            elif target not in merged:
                same += Total(files=1, bytes=was.bytes)
            continue
        if there is None:
            account.lose(account.gone, path, kind)
            continue
        later = bool(context.carried_at) and there.mtime_ns / 1e9 > context.carried_at
        if not later and not _only_leads(path, target, places):
            says = path if target == path else f"{path} (at {target})"
            account.lose(account.displaced, says, kind)
    account.as_it_was = same


def _where_it_was(
    account: Account, witness: Witness, beginning: Beginning, now: Now, context: Context
) -> None:
    """What lay in a root has to lie there, in whatever stages the update came."""
    missed: list[tuple[At, Entry]] = []
    for at, was in _persons(beginning, now):
        there = now.entry(at)
        if at in witness.merged:
            account.merged += 1
        elif there is None or not there.same_content(was):
            unread = now.is_hidden(at) if there is None else there.kind is Kind.FAULT
            if not unread:  # of what cannot be read nobody can say what became of it: a check of its own
                missed.append((at, was))
    ways, anothers = _ways_taken(missed, witness, beginning, context)
    for at, was in missed:
        there, shown = now.entry(at), at.shown
        kind = _class_at(beginning, at) or FileClass.UNSORTED
        if at in ways:
            to = ways[at]
            if now.entry(to) is None:
                account.lose(account.gone, to.shown, kind)
            else:
                account.moved.append((shown, to.shown))
        elif at in anothers:
            account.lose(account.displaced, f"{shown} (at {anothers[at].shown}, which is another's)", kind)
        elif _is_let_go(at, beginning, context):
            account.let_go.append(shown)
        elif at.path in context.chosen and _class_at(beginning, at) in OF_A_PACK:
            account.chosen.append(shown)
        elif was.digest in beginning.put_there and at in beginning.safe:
            account.by_hand.append(beginning.put_there[was.digest].shown)
        elif _is_by_hand(at, there, witness, beginning):
            account.by_hand.append(shown)
        elif there is None:
            account.lose(account.gone, shown, kind)
        elif _is_shipped(at, was, there, beginning, context):
            account.shipped.append(shown)
        elif not (context.carried_at and there.mtime_ns / 1e9 > context.carried_at):
            account.lose(account.displaced, shown, kind)


def _ways_taken(
    missed: Iterable[tuple[At, Entry]], witness: Witness, beginning: Beginning, context: Context
) -> tuple[dict[At, At], dict[At, At]]:
    """Where what is not at its place should lie, if the update calls it moved.

    What merely lies under another name is misnamed. All of one folder goes to one folder, no two to one
    place. Beside them: what went to a folder in which the new build made something that belongs to another.
    """
    laid: dict[str, list[At]] = {}
    for at, row in witness.rows.items():
        if row.verb is Verb.REHOME and row.agreed is not None and row.agreed.digest:
            laid.setdefault(row.agreed.digest, []).append(at)
    folders: dict[At, list[tuple[At, Entry]]] = {}
    for at, was in missed:
        folders.setdefault(at.folder, []).append((at, was))
    found, wrong, taken, made = dict[At, At](), dict[At, At](), set[At](), _made(beginning)
    for inside in folders.values():
        alike = {at: [to for to in laid.get(was.digest, ()) if to.name == at.name] for at, was in inside}
        votes = Counter(to.folder for places in alike.values() for to in places if to not in taken)
        likeliest = (to for to, _ in votes.most_common())
        chosen = next((to for to in likeliest if not _is_anothers(inside, to, beginning, made)), None)
        if chosen is None:
            wrong |= {at: places[0] for at, places in alike.items() if places}
        for at, was in inside:
            to = next((one for one in alike[at] if one.folder == chosen and one not in taken), None)
            if to is None and (renamed := _by_sheet(at, context)) in laid.get(was.digest, ()):
                to = renamed
            if to is not None:
                found[at] = to
                taken.add(to)
    return found, wrong


def _is_anothers(
    inside: Iterable[tuple[At, Entry]],
    folder: At,
    beginning: Beginning,
    made: Mapping[tuple[str, str], set[At]],
) -> bool:
    """Whether the new build made something in a folder that tells it from the one these files are for: a
    file, as one with the title, that is equal to theirs in another folder and not in this one. `made` are the
    folders in which it made a file of some name and digest.
    """
    for at, was in inside:
        there = beginning.by_hand.get(folder.inner(at.name))
        if there is None or there.same_content(was):
            continue
        if made.get((at.name, was.digest), set()) - {folder, at.folder}:
            return True
    return False


def _made(beginning: Beginning) -> dict[tuple[str, str], set[At]]:
    found: dict[tuple[str, str], set[At]] = {}
    for at, entry in beginning.by_hand.items():
        if entry is not None and entry.bytes and entry.digest:
            found.setdefault((at.name, entry.digest), set()).add(at.folder)
    return found


def _by_sheet(at: At, context: Context) -> At | None:
    """The place that a keepsheet says the new build has for one."""
    for old, new in context.renamed if not at.root else ():
        old, new = old.rstrip("/"), new.rstrip("/")
        if at.path == old or at.path.startswith(old + "/"):
            return At("", new + at.path[len(old) :])
    return None


def _is_let_go(at: At, beginning: Beginning, context: Context) -> bool:
    """Whether an answer of the person's let go of it."""
    assert context.answered is not None
    if at in context.answered or at in beginning.left:
        return True
    kind = _class_at(beginning, at)
    return kind in context.not_saved and at not in beginning.safe


def _is_shipped(at: At, was: Entry, there: Entry, beginning: Beginning, context: Context) -> bool:
    """Whether something that nobody called theirs, or code of the version that is gone, lies as the release
    on record ships it.
    """
    ships = context.shipped.entries.get(at.path) if context.shipped is not None and not at.root else None
    unproven = _class_at(beginning, at) is FileClass.UNSORTED or is_code(was.format)
    return unproven and ships is not None and ships.same_content(there)


def _is_by_hand(at: At, there: Entry | None, witness: Witness, beginning: Beginning) -> bool:
    """Whether it changed while a step by hand was waited for. Where the program was removed in one, what
    nobody made safe went with it, and is missed.
    """
    if at in beginning.since:
        return True
    if at in beginning.safe or at not in beginning.by_hand:
        return False
    return there is not None or not witness.by_hand


def _class_at(beginning: Beginning, at: At) -> FileClass | None:
    for known in (beginning.safe, beginning.rows):
        if at in known:
            return known[at][1]
    return beginning.kept.class_at(at)


def _persons(beginning: Beginning, now: Now) -> Iterator[tuple[At, Entry]]:
    """Every file and link of the person's before, but for folders that are just as they were."""
    spoken = {**beginning.rows, **beginning.safe}
    for kept in beginning.kept.pages:
        there = now.page(kept.page.at)
        if there is not None and _is_same(kept.page, there):
            continue
        for number in kept.places:
            if not CLASSES[kept.classes[number]].is_the_persons:
                continue
            entry = kept.page.entry(number)
            at = entry.at
            if at not in spoken and entry.kind in (Kind.FILE, Kind.LINK):
                yield at, entry
    for at, (entry, kind) in spoken.items():
        if kind.is_the_persons and entry.kind in (Kind.FILE, Kind.LINK):
            yield at, entry


def _is_same(was: Page, now: Page) -> bool:
    return was.digests == now.digests and was.names == now.names and was.said == now.said


def _persons_in(witness: Witness, label: str) -> Iterator[tuple[str, Entry, FileClass]]:
    """(path, what it was, its class) of every file and link of the person's in a root before."""
    for page in witness.kept.pages:
        for number in page.places if page.page.root == label else ():
            entry = page.page.entry(number)
            if CLASSES[page.classes[number]].is_the_persons and entry.kind in (Kind.FILE, Kind.LINK):
                yield entry.path, entry, CLASSES[page.classes[number]]
    for at, row in witness.rows.items():
        was = row.before
        if at.root != label or was is None or not row.file_class.is_the_persons:
            continue
        if was.kind in (Kind.FILE, Kind.LINK):
            yield at.path, was, row.file_class


def _only_leads(path: str, target: str, places: Mapping[str, str]) -> bool:
    """Return True if two texts, of the old folder and of the new one, differ in nothing but lines that named
    the old folder.
    """
    before, after = _read(os.path.join(places[OLD], path)), _read(os.path.join(places[""], target))
    if before is None or after is None:
        return False
    old = os.fsencode(places[OLD])
    mine, theirs = before.splitlines(), after.splitlines()
    return len(mine) == len(theirs) and all(a == b or old in a for a, b in zip(mine, theirs, strict=True))


def _read(path: str) -> bytes | None:
    try:
        with open(path, "rb") as file:
            data = file.read(_TEXT_MOST + 1)
    except OSError:
        return None
    return data if len(data) <= _TEXT_MOST else None
