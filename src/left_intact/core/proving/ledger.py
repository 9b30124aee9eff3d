"""The two ledgers of a proof: files by class, and things by name."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator

from left_intact.core.files.roots import reader_in_words
from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Kind
from left_intact.core.model.place import At
from left_intact.core.model.proof import LedgerLine, Witness
from left_intact.core.model.things import Counted, Thing, ThingLine
from left_intact.core.model.unchanged import CLASSES
from left_intact.core.proving.compare import Now, Tally
from left_intact.core.proving.context import Context, OldRoot, is_in_old_root
from left_intact.core.proving.things import THINGS_OF, Item, compared, count_things, joined

_Placed = tuple[At, FileClass, str]
"""(place, class, format) of one file."""


def _items_before(witness: Witness, *, agreed: bool, old_root: OldRoot | None) -> Iterator[Item]:
    """What lay there before, or of that what the plan meant to lie there still. Where a folder was left
    behind that is what lay in it, under the paths that the new folder has.
    """
    for at, kind, file_format in _items_of(witness, agreed=agreed):
        if old_root is None:
            yield at.shown, kind, file_format
        elif inside := old_root.path(at):
            yield inside, kind, file_format


def _items_of(witness: Witness, *, agreed: bool) -> Iterator[_Placed]:
    for kept in witness.kept.pages:
        for at in kept.places:
            yield kept.page.place(at), CLASSES[kept.classes[at]], ""
    for place, row in witness.rows.items():
        if row.before is not None and row.before.kind is not Kind.FOLDER and (row.agreed or not agreed):
            yield place, row.file_class, row.before.format


def _items_now(witness: Witness, now: Now, old_root: OldRoot | None) -> Iterator[Item]:
    """What is new has the class of most of its folder."""
    for at, kind, file_format in _items_there(witness, now):
        apart = old_root is not None and is_in_old_root(at)
        if old_root is None or (not apart and not old_root.back):
            yield at.shown, kind, file_format
        elif apart and (old_root.back or old_root.stays(old_root.path(at))):
            yield old_root.path(at), kind, file_format


def _items_there(witness: Witness, now: Now) -> Iterator[_Placed]:
    rows = {at: row.file_class for at, row in witness.rows.items()}
    kept = {one.page.at: one for one in witness.kept.pages}
    for page in now.entries.pages:
        known = kept.get(page.at)
        places = {known.page.names[at]: known.classes[at] for at in known.places} if known else {}
        most = CLASSES[Counter(places.values()).most_common(1)[0][0]] if places else FileClass.UNSORTED
        for at, name in enumerate(page.names):
            place = page.place(at)
            kind = CLASSES[places[name]] if name in places else rows.get(place, most)
            yield place, kind, page.formats[at] if page.formats else ""


def ledger_of_things(witness: Witness, now: Now, root: str, context: Context) -> tuple[ThingLine, ...]:
    """The ledger of things. What was counted from lists before is compared with what they say now."""
    by_list = {one.thing for one in context.things}
    spoken = by_list | ({Thing.MODS, Thing.MODS_ON, Thing.MODS_OFF} if Thing.MODS_ON in by_list else set())
    known = tuple(rule for rule in context.rules if not rule.file or THINGS_OF[rule.counts] in by_list)
    of_files = tuple(rule for rule in known if not rule.file)
    ruled = {THINGS_OF[rule.counts] for rule in of_files}
    read = reader_in_words(root, witness.roots)

    def by_files(agreed: bool) -> list[Counted]:
        items = _items_before(witness, agreed=agreed, old_root=context.old_root)
        counted = count_things(items, read, of_files)
        return [one for one in counted if one.thing not in spoken or one.thing in ruled]

    before = by_files(False)
    # Counting all of it once more is for updates that take something away.
    stays = by_files(True) if any(r.before and not r.agreed for r in witness.rows.values()) else before
    starts = context.starts if Thing.STARTS in by_list else ()
    after = count_things(_items_now(witness, now, context.old_root), read, known, starts)
    return compared(joined((*context.things, *before)), after, joined((*context.things, *stays)))


def ledger_of_files(tally: Tally) -> tuple[LedgerLine, ...]:
    return tuple(
        LedgerLine(
            file_class=c,
            before=tally.before[c],
            after=tally.after[c],
            equal=tally.equal[c],
            agreed=tally.agreed[c],
            trouble=tally.trouble[c],
            since=tally.since[c],
            unread=tally.untold[c],
        )
        for c in FileClass
    )
