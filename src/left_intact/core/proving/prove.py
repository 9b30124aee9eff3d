"""The comparison afterwards."""

from __future__ import annotations

import os
import time
from collections.abc import Callable, Mapping, Sequence

from left_intact.core.files.roots import read_roots, roots_reader
from left_intact.core.files.tree import Tree, text_reader
from left_intact.core.files.versions import binaries_in, read_binaries, read_versions, shallow_entries
from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Kind
from left_intact.core.model.kept import CLASS_NUMBER
from left_intact.core.model.pages import COLUMNS, HEAD_BYTES, Page
from left_intact.core.model.progress import CancelToken, Report, silent
from left_intact.core.model.proof import Check, CheckState, LedgerLine, Proof, Verdict, Witness
from left_intact.core.model.release import Reading
from left_intact.core.model.stages import KeyLine, Verb
from left_intact.core.model.version import Version
from left_intact.core.proving.compare import Now, Tally, compare
from left_intact.core.settings.document import NotReadable
from left_intact.core.settings.formats.registry import format_named

EVERY_BYTE = 8 << 30
"""Up to so many bytes a proof reads all."""
_BINARY_LIMIT = 64 << 20


def prove(
    root: str,
    witness: Witness,
    *,
    name: str = "",
    carried_at: float = 0.0,
    in_strongbox: Callable[[str], bool] = lambda digest: True,
    extra_readings: tuple[Reading, ...] = (),
    rules: tuple[tuple[str, str], ...] = (),
    deep: bool = False,
    most: int = EVERY_BYTE,
    report: Report = silent,
    cancel: CancelToken | None = None,
) -> Proof:
    """Read the tree anew, and compare it with the witness.

    Up to `most` bytes that stay, every byte is read; beyond, what the update touched, saves and settings are,
    and for the rest unchanged stamps count, unless `deep`. `carried_at` (seconds since 1970) tells what a run
    on trial changed from what the update did. `in_strongbox` says whether a verified copy of a digest is
    there.
    """
    began = time.monotonic()
    gone = {at.root for at, row in witness.rows.items() if not at.path and row.agreed is None}
    roots = tuple(
        (label, place) for label, place in witness.roots if label not in gone or os.path.lexists(place)
    )
    known = {} if deep else _told_by_stamps(witness, most)
    tree = read_roots(root, roots, known=(lambda: known) if known else None, report=report, cancel=cancel)
    now = Now(tree.pages, [label for label, _ in roots])
    tally = Tally()
    compare(tally, witness, now, carried_at)
    told = _told(known, now)
    appeared = tally.appeared
    version = version_now(tree, name, extra_readings, rules)
    checks = [
        _person_check(tally),
        _program_check(tally, witness),
        _retired_check(tally, witness, in_strongbox),
        *_merge_checks(root, witness),
        _version_check(witness, version),
        _appeared_check(appeared),
        _read_check(tree.count, told),
        *_for_your_eyes(witness, now),
    ]
    return Proof(
        verdict=_verdict(tally, checks),
        ledger=_ledger(tally),
        checks=tuple(check for check in checks if check is not None),
        kept=tally.kept,
        counts=dict(tally.counts),
        lost=tuple(sorted(tally.lost)),
        altered=tuple(sorted(tally.altered + tally.newer)),
        appeared=tuple(appeared),
        merged={at.shown: lines for at, lines in witness.merged.items()},
        version_before=witness.version,
        version_after=version.text if version else "",
        seconds=time.monotonic() - began,
        told_by_stamps=told,
    )


def _told_by_stamps(witness: Witness, most: int) -> dict[str, Page]:
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
            found[kept.page.folder] = _only(kept.page, places)
    return found


def _only(page: Page, places: Sequence[int]) -> Page:
    """Some names of a page, as the page of an earlier reading."""
    numbers, wide = page.stats, COLUMNS * 8
    return Page(
        folder=page.folder,
        facts=page.facts,
        names=tuple(page.names[at] for at in places),
        stats=b"".join(numbers[at * wide : (at + 1) * wide] for at in places),
        inner=page.inner,
        digests=b"".join(map(page.digest, places)),
        formats=("",) * len(places),
        heads=bytes(HEAD_BYTES * len(places)),
        marks=bytes(len(places)),
    )


def _told(known: Mapping[str, Page], now: Now) -> int:
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


def _count(number: int, one: str, many: str = "") -> str:
    return f"{number:,} {one if number == 1 else many or one + 's'}"


def _listed(paths: list[str]) -> str:
    return ", ".join(paths[:3]) + (f" and {len(paths) - 3} more" if len(paths) > 3 else "")


def _person_check(tally: Tally) -> Check:
    if tally.lost or tally.altered:
        parts = [f"lost: {_listed(tally.lost)}"] if tally.lost else []
        parts += [f"changed by nobody's leave: {_listed(tally.altered)}"] if tally.altered else []
        return Check(name="yours", state=CheckState.FAILED, says="; ".join(parts))
    if tally.newer:
        says = (
            f"{_count(len(tally.newer), 'file')} changed since the update, as by a run: "
            f"{_listed(tally.newer)}"
        )
        return Check(name="yours", state=CheckState.YOURS, says=says)
    says = f"{_count(tally.kept.files, 'file')} of yours, each with the digest it had"
    return Check(name="yours", state=CheckState.PASSED, says=says)


def _program_check(tally: Tally, witness: Witness) -> Check:
    laid = tally.counts[Verb.ADD] + tally.counts[Verb.REPLACE]
    new = witness.to_version or "the arrival"
    if tally.not_laid:
        says = f"{_count(len(tally.not_laid), 'file')} not as {new} ships: {_listed(tally.not_laid)}"
        return Check(name="program", state=CheckState.FAILED, says=says)
    return Check(
        name="program",
        state=CheckState.PASSED,
        says=f"{_count(laid, 'file')} laid, exactly as {new} ships them",
    )


def _retired_check(tally: Tally, witness: Witness, in_strongbox: Callable[[str], bool]) -> Check | None:
    changed = [
        r
        for r in witness.rows.values()
        if r.before is not None and r.agreed != r.before and r.before.kind is not Kind.FOLDER
    ]
    displaced = [r.before for r in changed if r.before is not None]
    gone = [r.before for r in changed if r.agreed is None and r.verb is not Verb.REHOME]
    if not displaced:
        return None
    missing = [e.path for e in displaced if e.kind is Kind.FILE and not in_strongbox(e.digest)]
    if tally.still_there:
        says = f"still there, though no longer shipped: {_listed(tally.still_there)}"
        return Check(name="set aside", state=CheckState.FAILED, says=says)
    if missing:
        says = f"no sound copy in the strongbox: {_listed(missing)}"
        return Check(name="set aside", state=CheckState.FAILED, says=says)
    says = (
        f"{_count(len(displaced), 'old file')} sound in the strongbox, {len(gone):,} of them no "
        "longer shipped"
    )
    return Check(name="set aside", state=CheckState.PASSED, says=says)


def _merge_checks(root: str, witness: Witness) -> list[Check]:
    """Each merged file, read again key by key."""
    read = roots_reader(root, witness.roots)
    checks = []
    for at, lines in witness.merged.items():
        path = at.shown
        wrong = _wrong_keys(read(path), lines)
        if wrong is None:
            checks.append(
                Check(name="merged", state=CheckState.FAILED, says=f"{path} cannot be read as settings")
            )
        elif wrong:
            checks.append(
                Check(name="merged", state=CheckState.FAILED, says=f"{path}: not as agreed: {_listed(wrong)}")
            )
        else:
            mine = sum(
                1 for x in lines if x.decided in ("yours", "conflict", "renamed") and x.result == x.yours
            )
            new = sum(1 for x in lines if x.decided in ("new", "arriving"))
            says = f"{path}: {_count(mine, 'value')} of yours kept, {_count(new, 'key')} from the release"
            checks.append(Check(name="merged", state=CheckState.PASSED, says=says))
    return checks


def _wrong_keys(data: bytes | None, lines: tuple[KeyLine, ...]) -> list[str] | None:
    """Keys that do not say what was agreed; None where the file is none that anybody could read."""
    if data is None:
        return None
    from left_intact.core.files.headers import HEAD_BYTES, recognise

    whole = {line.path for line in lines if line.path}
    try:
        known = format_named(recognise(data[:HEAD_BYTES], len(data)))
        document = known.open(data)
        values = document.values(whole)
        # A parser that is not ours must find the same keys.
        if values.keys() != known.read(data, whole).keys():
            return None
    except NotReadable:
        return None
    by_words = {".".join(key): value for key, value in values.items()}
    wrong = []
    for line in lines:
        got = values.get(line.path) if line.path else by_words.get(_words_of_old(line.key))
        if (got is None) != (line.result is None) or (
            got is not None and line.result is not None and not document.same(got, line.result)
        ):
            wrong.append(line.key)
    return wrong


def _words_of_old(key: str) -> str:
    """The key that a record of version 0.2 and before speaks of, which said a renamed one in words."""
    old, arrow, new = key.partition(" → ")
    return f"{old.rpartition('.')[0]}.{new}".lstrip(".") if arrow else key


def version_now(
    tree: Tree, name: str, extra: tuple[Reading, ...], rules: tuple[tuple[str, str], ...]
) -> Reading | None:
    """The heaviest reading of the version of a tree that was just read."""
    # The folder's own name may well carry the old version; it is no witness here.
    shallow, binaries = shallow_entries(tree.pages), binaries_in(tree.pages)
    readings = [*extra, *read_versions("", shallow, text_reader(tree.root), rules=rules)]
    readings += read_binaries(name or tree.root, binaries, text_reader(tree.root, _BINARY_LIMIT))
    return max(readings, key=lambda r: r.weight, default=None)


def _version_check(witness: Witness, now: Reading | None) -> Check:
    before, wanted = witness.version or "unknown", witness.to_version
    if now is None or not wanted:
        says = "it could not be read; look at what the program shows"
        return Check(name="version", state=CheckState.YOURS, says=says, before=before)
    want = Version.parse(wanted)
    right = now.version is not None and want is not None and now.version.compare(want) == 0
    says = f"{before} before, {now.text} now, read from {now.source}"
    state = CheckState.PASSED if right else CheckState.FAILED
    return Check(
        name="version",
        state=state,
        says=says if right else f"{says}; {wanted} was to be",
        before=before,
        after=now.text,
    )


def _appeared_check(appeared: list[str]) -> Check:
    if not appeared:
        return Check(
            name="nothing else", state=CheckState.PASSED, says="nothing appeared that was not planned"
        )
    says = f"{_count(len(appeared), 'file')} appeared that nobody planned: {_listed(appeared)}"
    return Check(name="nothing else", state=CheckState.YOURS, says=says)


def _read_check(files: int, told: int) -> Check | None:
    """How it was read, where not everything was."""
    if not told:
        return None
    says = (
        f"{_count(files - told, 'file')} read byte by byte, {_count(told, 'file')} told by unchanged stamps"
    )
    return Check(name="read back", state=CheckState.PASSED, says=f"{says}; prove --deep reads all")


def _for_your_eyes(witness: Witness, now: Now) -> list[Check]:
    """What only a person can check: the newest save, and a state made by the version before."""
    checks = []
    newest = _newest(witness, now, FileClass.SAVES)
    if newest is not None:
        checks.append(
            Check(name="yours to tick", state=CheckState.YOURS, says=f"load the newest save: {newest}")
        )
    state = _newest(witness, now, FileClass.STATES)
    if state is not None:
        says = f"try a state that {witness.version or 'the version before'} made: {state}"
        checks.append(Check(name="yours to tick", state=CheckState.YOURS, says=says))
    checks.append(
        Check(name="yours to tick", state=CheckState.YOURS, says="start the program and look around")
    )
    return checks


def _newest(witness: Witness, now: Now, kind: FileClass) -> str | None:
    """The file of a class that was written last, as paths are shown."""
    rows = (at for at, row in witness.rows.items() if row.file_class is kind)
    found = [
        (e.mtime_ns, at.shown) for at in rows if (e := now.entry(at)) is not None and e.kind is Kind.FILE
    ]
    number = CLASS_NUMBER[kind]
    for kept in witness.kept.pages:
        page = now.page(kept.page.folder) if number in kept.classes else None
        if page is None:
            continue
        for at in kept.places:
            place = page.find(kept.page.names[at]) if kept.classes[at] == number else -1
            if place >= 0 and (entry := page.entry(place)).kind is Kind.FILE:
                found.append((entry.mtime_ns, entry.path))
    return max(found)[1] if found else None


def _verdict(tally: Tally, checks: list[Check | None]) -> Verdict:
    if tally.lost or tally.altered or tally.not_laid:
        return Verdict.BROKEN
    failed = any(check is not None and check.state is CheckState.FAILED for check in checks)
    return Verdict.ATTENTION if failed or tally.newer else Verdict.INTACT


def _ledger(tally: Tally) -> tuple[LedgerLine, ...]:
    return tuple(
        LedgerLine(
            file_class=c,
            before=tally.before[c],
            after=tally.after[c],
            equal=tally.equal[c],
            agreed=tally.agreed[c],
            trouble=tally.trouble[c],
        )
        for c in FileClass
    )
