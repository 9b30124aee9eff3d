"""The single checks of a proof: each one comparison of before and after, or one thing for eyes."""

from __future__ import annotations

import os
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping, Sequence

from left_intact.core.files.labels import that_only_name
from left_intact.core.files.names import lies_in
from left_intact.core.files.roots import absolute, roots_reader
from left_intact.core.model.classes import MAY_BE_THE_PROGRAMS, FileClass
from left_intact.core.model.entry import Entry, Kind
from left_intact.core.model.facts import Laid
from left_intact.core.model.pages import Page, PagedEntries, pages_in
from left_intact.core.model.place import OLD, At
from left_intact.core.model.proof import SAME_SCENE, Check, CheckState, Witness, Witnessed
from left_intact.core.model.release import Reading
from left_intact.core.model.stages import KeyLine, Verb
from left_intact.core.model.things import Start, ThingLine
from left_intact.core.model.unchanged import CLASS_NUMBER
from left_intact.core.model.version import Version
from left_intact.core.proving.compare import Now, Tally
from left_intact.core.proving.conservation import Account
from left_intact.core.proving.context import Context
from left_intact.core.settings.document import Format, NotReadable
from left_intact.core.settings.formats.registry import fitting
from left_intact.words import NO_VERSION


def _count(number: int, one: str, many: str = "") -> str:
    return f"{number:,} {one if number == 1 else many or one + 's'}"


def _listed(paths: list[str]) -> str:
    return ", ".join(paths[:3]) + (f" and {len(paths) - 3} more" if len(paths) > 3 else "")


def person_check(tally: Tally) -> Check:
    if tally.lost or tally.altered:
        parts = [f"lost: {_listed(tally.lost)}"] if tally.lost else []
        parts += [f"changed by nobody's leave: {_listed(tally.altered)}"] if tally.altered else []
        parts += [f"changed since, as by a run: {_listed(tally.newer)}"] if tally.newer else []
        return Check(name="yours", state=CheckState.FAILED, says="; ".join(parts))
    if tally.newer:
        says = (
            f"{_count(len(tally.newer), 'file')} changed since the update, as by a run of the program: "
            f"{_listed(tally.newer)}; all else of yours has the digest it had"
        )
        return Check(name="yours", state=CheckState.YOURS, says=says)
    says = f"{_count(tally.kept.files, 'file')} of yours, each with the digest it had"
    says += " before the update" if tally.undoes else ""
    return Check(name="yours", state=CheckState.PASSED, says=says)


def accounted_check(account: Account) -> Check | None:
    """What of theirs is not simply where it was, by name; None where there is nothing of the kind."""
    if not account.holds:
        parts = [f"nowhere now: {_listed(account.gone)}"] if account.gone else []
        parts += (
            [f"something else lies at the place of {_listed(account.displaced)}"] if account.displaced else []
        )
        says = f"{'; '.join(parts)}. Nobody answered that it may go"
        return Check(name="accounted for", state=CheckState.FAILED, says=says)
    parts = []
    if account.moved:
        moved = _listed([f"{was} → {is_now}" for was, is_now in account.moved])
        lies = _count(len(account.moved), "file of yours lies", "files of yours lie")
        parts.append(f"{lies} elsewhere: {moved}")
    for paths, why in (
        (account.let_go, "as you answered"),
        (account.chosen, "of content replaced by what you chose to lay"),
        (account.by_hand, "changed during a step of yours"),
        (account.shipped, "not known to be yours, now as the new build ships it; yours is in the strongbox"),
    ):
        if paths:
            parts.append(f"{_count(len(paths), 'file')} {why}: {_listed(paths)}")
    return Check(name="accounted for", state=CheckState.PASSED, says="; ".join(parts)) if parts else None


def program_check(tally: Tally, witness: Witness, now: Now, context: Context) -> Check:
    """What was laid lies there as it should, and is said to be no more than it is."""
    new = witness.to_version or "the arrival"
    if tally.not_laid:
        says = f"{_count(len(tally.not_laid), 'file')} not as agreed: {_listed(tally.not_laid)}"
        return Check(name="program", state=CheckState.FAILED, says=says)
    laid = [at for at, row in witness.rows.items() if _is_laid(row, now.entry(at))]
    files, says = _count(len(laid), "file"), ""
    if context.laid is Laid.BACK:
        says = f"{files} put back, each as it was before"
        if not laid:
            says = "nothing had to be put back"
    elif context.laid is Laid.PARTS:
        says = (
            f"{_count(len(laid), 'part')} laid, as it came"
            if len(laid) == 1
            else f"{files} laid, as they came"
        )
    elif context.laid is Laid.PACK:
        says = f"{files} of content laid, as the pack has {'it' if len(laid) == 1 else 'them'}"
    elif context.laid is Laid.UPDATES:
        says = f"{files} laid, each as the last update that has it brings it"
    elif context.laid is Laid.OVER and context.came:
        says = f"{files} laid, exactly as {context.came} has {'it' if len(laid) == 1 else 'them'}"
    elif context.laid is Laid.TREE:
        says = f"{files} laid, exactly as the tree that came has them"
    elif not laid and tally.by_hand:
        says = f"{_count(tally.after[FileClass.PROGRAM].files, 'file')} of {new}, which you laid by hand"
    elif not laid and tally.has_new_root and not tally.back:
        says = f"{new} lay in the new folder already: nothing had to be laid"
    else:
        says = _as_shipped(laid, new, now, context)
    return Check(name="program", state=CheckState.PASSED, says=says)


def _is_laid(row: Witnessed, there: Entry | None) -> bool:
    """Whether a file of what came, or of before, was laid at a place and lies there."""
    if row.verb not in (Verb.ADD, Verb.REPLACE) or row.agreed is None or there is None:
        return False
    return row.agreed.kind is not Kind.FOLDER and row.agreed != row.before and there.same_content(row.agreed)


def _as_shipped(laid: Sequence[At], new: str, now: Now, context: Context) -> str:
    """How many of what was laid are what the release ships, by its own digests; and what is not."""
    ships = context.shipped.entries if context.shipped is not None else context.comes
    other = [
        at.shown for at in laid if not _ships(ships.get(at.path) if not at.root else None, now.entry(at))
    ]
    exactly = len(laid) - len(other) if ships else 0
    if not ships:
        return f"{_count(len(laid), 'file')} laid, as the plan said"
    says = f"{_count(exactly, 'file')} laid, exactly as {new} ships {'it' if exactly == 1 else 'them'}"
    return f"{says}; as the plan said: {_listed(other)}" if other else says


def _ships(entry: Entry | None, there: Entry | None) -> bool:
    if entry is None or there is None:
        return False
    return entry.digest == there.digest if entry.digest else entry.same_content(there)


def whole_check(old: tuple[str, ...], allowed: int) -> Check | None:
    """Tell where more of what came was not laid than is `allowed`: it is not all of one release."""
    if len(old) <= allowed:
        return None
    lie = _count(len(old), "file of what came lies", "files of what came lie")
    says = f"{lie} here as before, or not at all: {_listed(list(old))}"
    return Check(name="not whole", state=CheckState.FAILED, says=says)


def stayed_old(witness: Witness, now: Now, coming: Mapping[str, Entry]) -> tuple[str, ...]:
    """What came otherwise than it lies here, and what was not the person's to keep."""
    found = []
    for path in _otherwise(coming, now):
        at = At("", path)
        row = witness.rows.get(at)
        if row is not None and row.verb not in (Verb.KEEP, Verb.ASK):
            continue
        if (row.file_class if row is not None else witness.kept.class_at(at)) in MAY_BE_THE_PROGRAMS:
            found.append(path)
    if not witness.by_hand:  # an installer lays what it likes of its package
        found += [path for path in _absent(coming, now) if At("", path) not in witness.rows]
    return tuple(sorted(found))


def _absent(coming: Mapping[str, Entry], now: Now) -> Iterator[str]:
    """The files of a release that lie nowhere here. What the person deleted, or left out, is in the plan."""
    for page in pages_in(coming) if not isinstance(coming, PagedEntries) else coming.pages:
        there = now.page(At("", page.folder))
        lacking = set(page.names) - set(there.names if there is not None else ())
        for at, name in enumerate(page.names) if lacking else ():
            path = page.path(at)
            if name in lacking and page.entry(at).kind is Kind.FILE and not now.is_hidden(At("", path)):
                yield path


def _otherwise(shipped: Mapping[str, Entry], now: Now) -> Iterator[str]:
    """The files of a release that lie here with another content."""
    for path in shipped if not isinstance(shipped, PagedEntries) else _unequal(shipped.pages, now):
        entry, there = shipped[path], now.entry(At("", path))
        if there is not None and entry.kind is there.kind is Kind.FILE and not there.same_content(entry):
            yield path


def _unequal(pages: Iterable[Page], now: Now) -> Iterator[str]:
    for page in pages:
        if (there := now.page(At("", page.folder))) is not None:
            yield from page.unequal(there)


def unread_check(tally: Tally) -> Check | None:
    if not tally.unread:
        return None
    says = (
        f"{_count(len(tally.unread), 'entry', 'entries')} cannot be read, so nobody can say whether "
        f"they are as they were: {_listed(tally.unread)}"
    )
    return Check(name="unreadable", state=CheckState.FAILED, says=says)


def rights_check(tally: Tally) -> Check | None:
    if not tally.weaker:
        return None
    says = (
        f"{_count(len(tally.weaker), 'file')} may no longer be read, written or run: {_listed(tally.weaker)}"
    )
    return Check(name="rights", state=CheckState.FAILED, says=says)


def links_check(root: str, witness: Witness, now: Now, confirmed: Collection[str]) -> Check | None:
    """Links that lead out of all roots: what lies behind them is no part of this proof."""
    places = [os.path.realpath(place) for place in (root, *(place for _, place in witness.roots))]
    out = []
    for link in now.links():
        leads = os.path.realpath(absolute(root, witness.roots, link.at))
        if not any(lies_in(leads, place) for place in places):
            out.append((link.at.shown, leads))
    unknown = [path for path, _ in out if path not in confirmed]
    if unknown:
        says = (
            f"{_count(len(unknown), 'link')} lead out of the install, where nothing is proven: "
            f"{_listed([f'{p} → {leads}' for p, leads in out if p in unknown])}; take that folder up as a "
            "root, or rule on the link"
        )
        return Check(name="links", state=CheckState.FAILED, says=says)
    if out:
        says = f"{_count(len(out), 'link')} that you know of lead out of the install; nothing is proven there"
        return Check(name="links", state=CheckState.YOURS, says=says)
    return None


def things_check(lines: tuple[ThingLine, ...]) -> Check | None:
    """Every kind of things that has fewer names than before, by name."""
    short = [line for line in lines if line.missing or line.trouble]
    if not lines:
        return None
    if short:
        parts = [
            line.trouble
            or f"{line.thing.value} {line.before:,} before, {line.after:,} now, without "
            f"{_listed(list(line.missing))}"
            for line in short
        ]
        return Check(name="things", state=CheckState.FAILED, says="; ".join(parts))
    parts = [f"{line.after:,} {line.thing.of(line.after)}" for line in lines]
    return Check(name="things", state=CheckState.PASSED, says=f"all there by name: {', '.join(parts)}")


def starts_check(starts: Sequence[Start], witness: Witness, old_root: Sequence[str] = ()) -> Check | None:
    """Ways to start the program that name another version than the one that lies here, or lead to the folder
    that was left behind.
    """
    if old_root:
        says = (
            f"{_listed(list(old_root))} {'leads' if len(old_root) == 1 else 'lead'} to the old folder still"
        )
        return Check(name="ways to start", state=CheckState.YOURS, says=says)
    want = Version.parse(witness.to_version)
    old = [
        s.path
        for s in starts
        if s.version
        and want is not None
        and (v := Version.parse(s.version)) is not None
        and v.compare(want) not in (0, None)
    ]
    if not old:
        return None
    says = f"{_listed(old)} {'names' if len(old) == 1 else 'name'} another version than {witness.to_version}"
    return Check(name="ways to start", state=CheckState.YOURS, says=says)


def retired_check(tally: Tally, witness: Witness, in_strongbox: Callable[[str], bool]) -> Check | None:
    displaced = {
        at: r.before
        for at, r in witness.rows.items()
        if r.before is not None and r.agreed != r.before and r.before.kind is not Kind.FOLDER
    }
    rows = [witness.rows[at] for at in displaced]
    gone = [r for r in rows if r.agreed is None and r.verb is not Verb.REHOME]
    if not displaced:
        return None
    missing = [at.shown for at, e in displaced.items() if e.kind is Kind.FILE and not in_strongbox(e.digest)]
    if tally.still_there:
        says = f"still there, though it was to go: {_listed(tally.still_there)}"
        return Check(name="set aside", state=CheckState.FAILED, says=says)
    if missing:
        says = f"no sound copy in the strongbox: {_listed(missing)}"
        return Check(name="set aside", state=CheckState.FAILED, says=says)
    copies = _count(len(displaced), "file" if tally.undoes else "old file")
    says = f"{copies} sound in the strongbox"
    if gone:
        why = "had not lain here before" if tally.undoes else "no longer shipped"
        says += f", {len(gone):,} of them {why}"
    return Check(name="set aside", state=CheckState.PASSED, says=says)


def merge_checks(root: str, witness: Witness) -> list[Check]:
    """Each merged file, read again key by key."""
    read = roots_reader(root, witness.roots)
    checks = []
    for at, lines in witness.merged.items():
        path = at.shown
        wrong = _wrong_keys(at.name, read(at), lines)
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


def _wrong_keys(name: str, data: bytes | None, lines: tuple[KeyLine, ...]) -> list[str] | None:
    """Keys that do not say what was agreed; None where the file is none that anybody could read. Of several
    formats that it may be of, the one counts by which most is as agreed.
    """
    if data is None:
        return None
    from left_intact.core.files.headers import HEAD_BYTES, recognise

    file_format = recognise(data[:HEAD_BYTES], len(data), name)
    read = [_wrong_by(known, data, lines) for known in fitting(file_format, name, data)]
    return min((wrong for wrong in read if wrong is not None), key=len, default=None)


def _wrong_by(known: Format, data: bytes, lines: tuple[KeyLine, ...]) -> list[str] | None:
    whole = {line.path for line in lines if line.path}
    try:
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


def version_check(witness: Witness, now: Reading | None) -> Check:
    before, wanted = witness.version or NO_VERSION, witness.to_version
    if now is None or not wanted:
        says = "it could not be read; look at what the program shows"
        return Check(name="version", state=CheckState.YOURS, says=says, before=before)
    want = Version.parse(wanted)
    right = now.version is not None and want is not None and now.version.compare(want) == 0
    says = f"{before} before, {now.text} now, {now.read_from}"
    state = CheckState.PASSED if right else CheckState.FAILED
    return Check(
        name="version",
        state=state,
        says=says if right else f"{says}; {wanted} was to be",
        before=before,
        after=now.text,
    )


def appeared_check(appeared: list[str]) -> Check:
    if not appeared:
        return Check(
            name="nothing else", state=CheckState.PASSED, says="nothing appeared that was not planned"
        )
    says = f"{_count(len(appeared), 'file')} appeared that nobody planned: {_listed(appeared)}"
    return Check(name="nothing else", state=CheckState.YOURS, says=says)


def read_check(files: int, told: int) -> Check | None:
    """How it was read, where not everything was."""
    if not told:
        return None
    says = (
        f"{_count(files - told, 'file')} read byte by byte, {_count(told, 'file')} told by unchanged stamps"
    )
    return Check(name="read back", state=CheckState.PASSED, says=f"{says}; prove --deep reads all")


def for_your_eyes(
    witness: Witness, now: Now, context: Context, pictures: tuple[str, str], tally: Tally
) -> list[Check]:
    """What only a person can check: their own list, the newest save, the newest state of the folder that is
    the install now.
    """
    checks = [Check(name="yours to tick", state=CheckState.YOURS, says=says) for says in context.look_at]
    if pictures[0]:
        before, after = (os.path.basename(path) for path in pictures)
        says = f"{SAME_SCENE}: {before} before, {after or 'none yet: take one and prove again'}"
        checks.append(Check(name="yours to tick", state=CheckState.YOURS, says=says))
    if context.under_ids:
        folder = max(context.under_ids, key=lambda one: context.under_ids[one])
        lie = _count(sum(context.under_ids.values()), "save lies", "saves lie")
        says = f"see that the titles find their saves: {lie} under ids, as in {folder}/, and "
        says += "these may be out of reach"
        checks.append(Check(name="yours to tick", state=CheckState.YOURS, says=says))
    newest = _newest(witness, now, FileClass.SAVES, tally)
    if newest is not None:
        checks.append(
            Check(name="yours to tick", state=CheckState.YOURS, says=f"load the newest save: {newest}")
        )
    state = _newest(witness, now, FileClass.STATES, tally)
    if state is not None:
        says = f"try the newest state, as states may be tied to a version: {state}"
        checks.append(Check(name="yours to tick", state=CheckState.YOURS, says=says))
    checks.append(
        Check(name="yours to tick", state=CheckState.YOURS, says="start the program and look around")
    )
    return checks


def _newest(witness: Witness, now: Now, kind: FileClass, tally: Tally) -> str | None:
    """The file of a class that was written last; its path as the install has it."""
    rows = (at for at, row in witness.rows.items() if row.file_class is kind and tally.adds_after(at))
    found = [e for at in rows if (e := now.entry(at)) is not None and e.kind is Kind.FILE]
    number = CLASS_NUMBER[kind]
    for kept in witness.kept.pages:
        page = now.page(kept.page.at) if number in kept.classes else None
        if page is None or not tally.adds_after(kept.page.at):
            continue
        for at in kept.places:
            place = page.find(kept.page.names[at]) if kept.classes[at] == number else -1
            if place >= 0 and (entry := page.entry(place)).kind is Kind.FILE:
                found.append(entry)
    only = that_only_name(found)
    newest = max(((e.mtime_ns, e.at) for e in found if e.at not in only), default=None)
    if newest is None:
        return None
    return newest[1].path if newest[1].root == OLD else newest[1].shown
