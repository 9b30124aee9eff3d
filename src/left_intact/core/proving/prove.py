"""The comparison afterwards."""

from __future__ import annotations

import os
import time
from collections import Counter
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field

from left_intact.core.files.roots import read_roots, roots_reader
from left_intact.core.files.tree import Tree, text_reader
from left_intact.core.files.versions import read_binaries, read_versions
from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Entry, Kind
from left_intact.core.model.place import At, at_of
from left_intact.core.model.progress import CancelToken, Report, silent
from left_intact.core.model.proof import Check, CheckState, LedgerLine, Proof, Verdict, Witness, Witnessed
from left_intact.core.model.release import Reading
from left_intact.core.model.stages import KeyLine, Verb
from left_intact.core.model.survey import Total
from left_intact.core.model.version import Version
from left_intact.core.settings.document import NotReadable, shown
from left_intact.core.settings.formats.registry import open_document

_STAYS = (Verb.KEEP, Verb.DROP, Verb.ASK)
_BINARY_LIMIT = 64 << 20


@dataclass(slots=True)
class _Tally:
    """What comparing path by path adds up to."""

    counts: Counter[Verb] = field(default_factory=Counter)
    kept: Total = field(default_factory=Total)
    lost: list[str] = field(default_factory=list)
    altered: list[str] = field(default_factory=list)
    newer: list[str] = field(default_factory=list)
    """Altered after the update was carried out, as by a run on trial."""
    not_laid: list[str] = field(default_factory=list)
    still_there: list[str] = field(default_factory=list)
    laid: int = 0
    gone: int = 0
    before: dict[FileClass, Total] = field(default_factory=lambda: dict.fromkeys(FileClass, Total()))
    after: dict[FileClass, Total] = field(default_factory=lambda: dict.fromkeys(FileClass, Total()))
    equal: Counter[FileClass] = field(default_factory=Counter)
    agreed: Counter[FileClass] = field(default_factory=Counter)
    trouble: Counter[FileClass] = field(default_factory=Counter)


def prove(
    root: str,
    witness: Witness,
    *,
    name: str = "",
    carried_at: float = 0.0,
    in_strongbox: Callable[[str], bool] = lambda digest: True,
    extra_readings: tuple[Reading, ...] = (),
    rules: tuple[tuple[str, str], ...] = (),
    report: Report = silent,
    cancel: CancelToken | None = None,
) -> Proof:
    """Read the tree anew, every byte, and compare it with the witness.

    `carried_at` (seconds since 1970) tells what a run on trial changed from what the
    update did. `in_strongbox` says whether a verified copy of a digest is there.
    """
    began = time.monotonic()
    gone = {at.root for at, row in witness.rows.items() if not at.path and row.agreed is None}
    roots = tuple(
        (label, place) for label, place in witness.roots if label not in gone or os.path.lexists(place)
    )
    tree = read_roots(root, roots, report=report, cancel=cancel)
    by_path = tree.by_path()
    now = _by_place(tree, by_path, [label for label, _ in roots])
    tally = _Tally()
    for at, row in witness.rows.items():
        _compare(tally, at.shown, row, now.get(at), carried_at)
    new = sorted(at for at, e in now.items() if at not in witness.rows and e.kind is not Kind.FOLDER)
    appeared = [at.shown for at in new]
    for at in new:
        tally.after[FileClass.UNSORTED] += Total(files=1, bytes=now[at].bytes)
    version = version_now(tree, by_path, name, extra_readings, rules)
    checks = [
        _person_check(tally),
        _program_check(tally, witness),
        _retired_check(tally, witness, in_strongbox),
        *_merge_checks(root, witness),
        _version_check(witness, version),
        _appeared_check(appeared),
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
    )


def _by_place(tree: Tree, by_path: Mapping[str, Entry], labels: list[str]) -> dict[At, Entry]:
    """Everything by its place; folders too, also those that are not empty."""
    now = {
        at_of(f.path, labels): Entry(path=f.path, kind=Kind.FOLDER, mode=f.mode, mtime_ns=f.mtime_ns)
        for f in tree.folders
    }
    now |= {At(label, ""): Entry(path="", kind=Kind.FOLDER) for label in ("", *labels)}
    return now | {at_of(path, labels): entry for path, entry in by_path.items()}


def _total(entry: Entry | None) -> Total:
    if entry is None or entry.kind is Kind.FOLDER:
        return Total()
    return Total(files=1, bytes=entry.bytes)


def _compare(tally: _Tally, path: str, row: Witnessed, now: Entry | None, carried_at: float) -> None:
    kind = row.file_class
    tally.before[kind] += _total(row.before)
    tally.after[kind] += _total(now)
    stays = row.verb in _STAYS or row.agreed == row.before
    if not stays and row.agreed is None:
        if now is None or (
            now.kind is Kind.FOLDER and row.before is not None and row.before.kind is not Kind.FOLDER
        ):
            # A thing that moved is counted once, where it came to lie.
            tally.counts[row.verb] += row.verb is not Verb.REHOME
            tally.agreed[kind] += row.before is not None and row.before.kind is not Kind.FOLDER
        else:
            tally.still_there.append(path)
            tally.trouble[kind] += 1
        return
    if stays:
        _compare_kept(tally, path, row, now, carried_at)
    elif row.agreed is not None and now is not None and _lies_as(now, row.agreed):
        tally.counts[row.verb] += 1
        tally.agreed[kind] += now.kind is not Kind.FOLDER
    elif row.verb is Verb.MERGE:
        tally.trouble[kind] += 1
        _altered(tally, path, now, carried_at)
    else:
        tally.not_laid.append(path)
        tally.trouble[kind] += 1


def _compare_kept(tally: _Tally, path: str, row: Witnessed, now: Entry | None, carried_at: float) -> None:
    before, kind = row.before, row.file_class
    if before is None:
        if now is not None:
            tally.newer.append(path)
        return
    tally.counts[Verb.KEEP] += 1
    if before.kind in (Kind.FAULT, Kind.OTHER):
        same = now is not None
    else:
        same = now is not None and _lies_as(now, before)
    if same:
        tally.equal[kind] += before.kind is not Kind.FOLDER
        if kind.is_the_persons:
            tally.kept += _total(before)
        return
    tally.counts[Verb.KEEP] -= 1
    if kind is FileClass.CACHE:
        tally.agreed[kind] += 1  # what can be rebuilt may change by itself
        return
    tally.trouble[kind] += 1
    _altered(tally, path, now, carried_at)


def _altered(tally: _Tally, path: str, now: Entry | None, carried_at: float) -> None:
    if now is None:
        tally.lost.append(path)
    elif carried_at and now.mtime_ns / 1e9 > carried_at:
        tally.newer.append(path)
    else:
        tally.altered.append(path)


def _lies_as(now: Entry, agreed: Entry) -> bool:
    return now.kind is agreed.kind if agreed.kind is Kind.FOLDER else now.same_content(agreed)


def _count(number: int, one: str, many: str = "") -> str:
    return f"{number:,} {one if number == 1 else many or one + 's'}"


def _listed(paths: list[str]) -> str:
    return ", ".join(paths[:3]) + (f" and {len(paths) - 3} more" if len(paths) > 3 else "")


def _person_check(tally: _Tally) -> Check:
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


def _program_check(tally: _Tally, witness: Witness) -> Check:
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


def _retired_check(tally: _Tally, witness: Witness, in_strongbox: Callable[[str], bool]) -> Check | None:
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
    if data is None:
        return None
    from left_intact.core.files.headers import HEAD_BYTES, recognise

    try:
        document = open_document(data, recognise(data[:HEAD_BYTES], len(data)))
        values = {shown(key): value for key, value in document.values().items()}
    except NotReadable:
        return None
    wrong = []
    for line in lines:
        key = line.key
        if " → " in key:
            old, new = key.split(" → ")
            key = f"{old.rpartition('.')[0]}.{new}".lstrip(".")
        got = values.get(key)
        if (got is None) != (line.result is None) or (
            got is not None and line.result is not None and not document.same(got, line.result)
        ):
            wrong.append(key)
    return wrong


def version_now(
    tree: Tree,
    now: Mapping[str, Entry],
    name: str,
    extra: tuple[Reading, ...],
    rules: tuple[tuple[str, str], ...],
) -> Reading | None:
    # The folder's own name may well carry the old version; it is no witness here.
    readings = [*extra, *read_versions("", now, text_reader(tree.root), rules=rules)]
    readings += read_binaries(name or tree.root, now, text_reader(tree.root, _BINARY_LIMIT))
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


def _for_your_eyes(witness: Witness, now: Mapping[At, Entry]) -> list[Check]:
    """What only a person can check: the newest save, and a state made by the version before."""
    checks = []
    newest = _newest(witness, now, FileClass.SAVES)
    if newest is not None:
        checks.append(
            Check(name="yours to tick", state=CheckState.YOURS, says=f"load the newest save: {newest.shown}")
        )
    state = _newest(witness, now, FileClass.STATES)
    if state is not None:
        says = f"try a state that {witness.version or 'the version before'} made: {state.shown}"
        checks.append(Check(name="yours to tick", state=CheckState.YOURS, says=says))
    checks.append(
        Check(name="yours to tick", state=CheckState.YOURS, says="start the program and look around")
    )
    return checks


def _newest(witness: Witness, now: Mapping[At, Entry], kind: FileClass) -> At | None:
    found = [at for at, row in witness.rows.items() if row.file_class is kind and at in now]
    files = [at for at in found if now[at].kind is Kind.FILE]
    return max(files, key=lambda at: (now[at].mtime_ns, at), default=None)


def _verdict(tally: _Tally, checks: list[Check | None]) -> Verdict:
    if tally.lost or tally.altered or tally.not_laid:
        return Verdict.BROKEN
    failed = any(check is not None and check.state is CheckState.FAILED for check in checks)
    return Verdict.ATTENTION if failed or tally.newer else Verdict.INTACT


def _ledger(tally: _Tally) -> tuple[LedgerLine, ...]:
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
