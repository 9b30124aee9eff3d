"""The comparison afterwards."""

from __future__ import annotations

import os
import time
from collections.abc import Mapping, Sequence
from dataclasses import replace

from left_intact.core.files.manifests import manifests_in, read_manifests
from left_intact.core.files.roots import read_roots
from left_intact.core.files.tree import Tree, entry_of, text_reader
from left_intact.core.files.versions import binaries_in, read_binaries, read_versions, shallow_entries
from left_intact.core.model.classes import FileClass
from left_intact.core.model.facts import Laid
from left_intact.core.model.pages import COLUMNS, HEAD_BYTES, Page, pages_of
from left_intact.core.model.place import OLD, At, is_spot
from left_intact.core.model.progress import CancelToken, Report, silent
from left_intact.core.model.proof import Check, CheckState, Proof, Verdict, Witness, may_stay_old
from left_intact.core.model.release import Reading
from left_intact.core.model.survey import Total
from left_intact.core.model.unchanged import CLASS_NUMBER
from left_intact.core.proving.checks import (
    accounted_check,
    appeared_check,
    for_your_eyes,
    links_check,
    merge_checks,
    person_check,
    program_check,
    read_check,
    retired_check,
    rights_check,
    starts_check,
    stayed_old,
    things_check,
    unread_check,
    version_check,
    whole_check,
)
from left_intact.core.proving.compare import Now, Tally, compare
from left_intact.core.proving.conservation import Account, account_for
from left_intact.core.proving.context import NO_CONTEXT, Context
from left_intact.core.proving.ledger import ledger_of_files, ledger_of_things

EVERY_BYTE = 8 << 30
"""Up to so many bytes a proof reads all."""
_BINARY_LIMIT = 64 << 20


def prove(
    root: str,
    witness: Witness,
    context: Context = NO_CONTEXT,
    *,
    deep: bool = False,
    most: int = EVERY_BYTE,
    report: Report = silent,
    cancel: CancelToken | None = None,
) -> Proof:
    """Read the tree anew, and compare it with the witness.

    Up to `most` bytes that stay, every byte is read; beyond, what the update touched, saves and settings are,
    and for the rest unchanged stamps count, unless `deep`.
    """
    began = time.monotonic()
    known = {} if deep else _told_by_stamps(witness, most)
    tree, now = _lying(root, witness, known, modes=context.modes, report=report, cancel=cancel)
    is_back = context.old_root is not None and context.old_root.back
    undoes, has_new_root = context.laid is Laid.BACK, context.old_root is not None
    tally = Tally(has_new_root=has_new_root, back=is_back, by_hand=witness.by_hand, undoes=undoes)
    compare(tally, witness, now, context.carried_at)
    account = account_for(witness, now, context, {"": root, **dict(witness.roots)})
    _take_into(tally, account)
    unchanged = _context(known, now)
    appeared = tally.appeared
    home = _old_folder(tree, witness) if is_back else tree
    version = version_now(home, context.name, context.readings, context.version_places)
    coming = context.shipped.entries if context.shipped is not None else context.comes
    old, allowed = stayed_old(witness, now, coming), may_stay_old(len(coming))
    lines = ledger_of_things(witness, now, home.root, context)
    checks = [
        person_check(tally),
        accounted_check(account),
        program_check(tally, witness, now, context),
        whole_check(old, allowed),
        retired_check(tally, witness, context.in_strongbox),
        *merge_checks(root, witness),
        version_check(witness, version),
        unread_check(tally),
        rights_check(tally),
        links_check(root, witness, now, context.confirmed),
        things_check(lines),
        starts_check(context.starts, witness, context.starts_of_old_root),
        appeared_check(appeared),
        read_check(tree.count, unchanged),
        *for_your_eyes(witness, now, context, context.pictures, tally),
    ]
    return Proof(
        verdict=_verdict(tally, checks),
        ledger=ledger_of_files(tally),
        checks=tuple(check for check in checks if check is not None),
        kept=tally.kept,
        counts=dict(tally.counts),
        lost=tuple(sorted(tally.lost)),
        altered=tuple(sorted(tally.altered)),
        appeared=tuple(appeared),
        since=tuple(sorted(tally.newer)),
        unread=tuple(sorted(tally.unread)),
        stayed_old=old if len(old) > allowed else (),
        things=lines,
        look_at=tuple(context.look_at),
        pictures=context.pictures,
        undoes=undoes,
        merged={at.shown: lines for at, lines in witness.merged.items()},
        version_before=witness.version,
        version_after=version.text if version else "",
        seconds=time.monotonic() - began,
        told_by_stamps=unchanged,
    )


def _take_into(tally: Tally, account: Account) -> None:
    """What is not accounted for is lost or altered, in the ledger too."""
    if account.as_it_was is not None:
        tally.kept = account.as_it_was
    for found, paths in ((tally.lost, account.gone), (tally.altered, account.displaced)):
        for path in paths:
            if path in tally.lost or path in tally.altered:
                continue
            found.append(path)
            kind = account.kinds[path]
            tally.trouble[kind] += 1
            tally.equal[kind] = max(0, tally.equal[kind] - 1)
            if account.as_it_was is None:
                tally.kept = Total(files=max(0, tally.kept.files - 1), bytes=tally.kept.bytes)


def _lying(
    root: str,
    witness: Witness,
    known: Mapping[At, Page],
    *,
    modes: bool,
    report: Report,
    cancel: CancelToken | None,
) -> tuple[Tree, Now]:
    """What lies in all roots now; `known` need not be read. A root that was to go may be gone."""
    gone = {at.root for at, row in witness.rows.items() if not at.path and row.agreed is None}
    roots = tuple(
        (label, place)
        for label, place in witness.roots
        if not is_spot(label) and (label not in gone or os.path.lexists(place))
    )
    known_pages = (lambda: known) if known else None
    tree = read_roots(root, roots, known=known_pages, may_lack="" in gone, report=report, cancel=cancel)
    spots = [label for label, place in witness.roots if is_spot(label) and os.path.isdir(place)]
    there = [label for label, place in (("", root), *roots) if label or os.path.lexists(place)]
    return tree, Now((*tree.pages, *_in_spots(witness)), [*there, *spots], modes=modes)


def _in_spots(witness: Witness) -> list[Page]:
    """What a plan touched in folders of which nothing else is looked at."""
    places = dict(witness.roots)
    found = {}
    for at in witness.rows:
        path = os.path.join(places[at.root], at.path) if is_spot(at.root) else ""
        if path and os.path.lexists(path):
            found[at] = replace(entry_of(path, at.path), root=at.root)
    return pages_of(entry for _, entry in sorted(found.items()))


def _old_folder(tree: Tree, witness: Witness) -> Tree:
    """The tree of the folder that was left behind, where it is the install again."""
    pages = [replace(page, root="") for page in tree.pages if page.root]
    return Tree(root=dict(witness.roots)[OLD], pages=tuple(pages))


def _told_by_stamps(witness: Witness, most: int) -> dict[At, Page]:
    """Of a witness of more than so many bytes: what need not be read while its stamps are what they were.

    That is neither anything that an update touched, nor saves or settings.
    """
    sizes = sum(t.bytes for page in witness.kept.pages for t in page.totals().values())
    if sizes <= most:
        return {}
    read_always = {CLASS_NUMBER[FileClass.SAVES], CLASS_NUMBER[FileClass.SETTINGS]}
    found = {}
    for kept in witness.kept.pages:
        places = [
            at for at in kept.places if kept.classes[at] not in read_always and at not in kept.page.said
        ]
        if places:
            found[kept.page.at] = _only(kept.page, places)
    return found


def _only(page: Page, places: Sequence[int]) -> Page:
    """Some names of a page, as the page of an earlier reading."""
    numbers, wide = page.stats, COLUMNS * 8
    return Page(
        folder=page.folder,
        root=page.root,
        facts=page.facts,
        names=tuple(page.names[at] for at in places),
        stats=b"".join(numbers[at * wide : (at + 1) * wide] for at in places),
        inner=page.inner,
        digests=b"".join(map(page.digest, places)),
        formats=("",) * len(places),
        heads=bytes(HEAD_BYTES * len(places)),
        marks=bytes(len(places)),
    )


def _context(known: Mapping[At, Page], now: Now) -> int:
    """How many files were told by their stamps, and not read."""
    count = 0
    for folder, before in known.items():
        page = now.page(folder)
        if page is None or page.facts[2] != before.facts[2]:
            continue
        then, wide = before.stats, COLUMNS * 8
        for at, name in enumerate(before.names):
            place = page.find(name)
            count += (
                place >= 0
                and page.stats[place * wide : (place + 1) * wide] == then[at * wide : (at + 1) * wide]
            )
    return count


def version_now(
    tree: Tree, name: str, extra: tuple[Reading, ...], rules: tuple[tuple[str, str], ...]
) -> Reading | None:
    """The heaviest reading of the version of a tree that was just read."""
    # The folder's own name may well carry the old version; it is no witness here.
    pages = tree.own_pages
    shallow, binaries = shallow_entries(pages), binaries_in(pages)
    readings = [*extra, *read_versions("", shallow, text_reader(tree.root), rules=rules)]
    readings += read_manifests(
        (name, os.path.basename(tree.root)), manifests_in(pages), text_reader(tree.root)
    )
    readings += read_binaries(name or tree.root, binaries, text_reader(tree.root, _BINARY_LIMIT))
    return max(readings, key=lambda r: r.weight, default=None)


def _verdict(tally: Tally, checks: list[Check | None]) -> Verdict:
    if tally.lost or tally.altered or tally.not_laid:
        return Verdict.BROKEN
    failed = any(check is not None and check.state is CheckState.FAILED for check in checks)
    return Verdict.ATTENTION if failed or tally.newer or tally.unread else Verdict.INTACT
