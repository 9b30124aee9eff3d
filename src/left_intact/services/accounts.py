"""Accounts of what was done: gathered from the journal, the witness and the proof on record."""

from __future__ import annotations

from typing import TYPE_CHECKING

from blake3 import blake3

from left_intact.core.model.errors import LeftIntactError
from left_intact.services.home import Home, Service
from left_intact.services.records import Records, in_session

if TYPE_CHECKING:
    from collections.abc import Iterator

    from left_intact.core.model.account import Account, KeptClass
    from left_intact.core.model.classes import FileClass
    from left_intact.core.model.entry import Entry
    from left_intact.core.model.install import Install
    from left_intact.core.model.proof import Witness


class Accounts(Service):
    """Accounts of what was done."""

    def __init__(self, home: Home, records: Records) -> None:
        super().__init__(home)
        self.records = records

    @in_session
    def of(self, install: Install, number: int | None = None) -> Account:
        """The account of a run, the last one as a rule. Raises `no-such-update`."""
        from left_intact.core.carrying.trace import Trace
        from left_intact.core.model.account import Account, Answered, MergedFile, SetAside
        from left_intact.core.model.entry import Kind
        from left_intact.core.model.proof import Check, CheckState

        box = self.records.strongbox(install)
        if not box.exists:
            raise _no_such_update(install, number)
        with box.journal() as journal:
            run = next((one for one in journal.runs() if number in (None, one.id)), None)
            if run is None:
                raise _no_such_update(install, number)
            facts, steps = journal.facts(run.id), journal.steps(run.id)
            witness = Trace(journal, run.id).witness
        there, aside = box.objects(), []
        for step in steps:
            entry = step.before
            if entry is None or entry.kind is not Kind.FILE or step.before == step.after:
                continue
            copy = box.object_name(entry.digest) if entry.digest in there else ""
            kind, digest = step.file_class, entry.digest
            aside.append(SetAside(at=step.at, file_class=kind, bytes=entry.bytes, digest=digest, copy=copy))
        proof = self.library.proof(install, run.id) or {}
        return Account(
            install=install.name,
            root=run.root,
            run=run.id,
            kind=run.kind.value,
            route=run.route,
            began=run.began,
            ended=run.changed,
            state=run.state.value,
            from_version=run.from_version,
            to_version=run.to_version,
            came=run.arrivals,
            is_whole=bool(witness.kept.pages or witness.rows),
            kept=_kept(witness),
            merged=tuple(MergedFile(at=at, lines=lines) for at, lines in sorted(witness.merged.items())),
            set_aside=tuple(aside),
            answers=tuple(Answered(question=q, answer=a) for q, a in sorted(facts.answers.items())),
            verdict=proof.get("verdict", ""),
            checks=tuple(
                Check(**(one | {"state": CheckState(one["state"])})) for one in proof.get("checks", ())
            ),
            ticked=tuple(sorted(self.library.ticked(install, run.id))),
            strongbox=box.folder,
        )


def _kept(witness: Witness) -> tuple[KeptClass, ...]:
    """By class: what the run left as it lay."""
    from left_intact.core.model.account import KeptClass
    from left_intact.core.model.classes import FileClass

    sums: dict[FileClass, tuple[int, int, blake3]] = {}
    for kind, entry in sorted(_staying(witness), key=lambda one: one[1].at):
        files, size, digest = sums.get(kind, (0, 0, blake3()))
        line = f"{entry.digest}  {entry.at.written}\n".encode("utf-8", "surrogateescape")
        digest.update(line)
        sums[kind] = files + 1, size + entry.bytes, digest
    return tuple(
        KeptClass(file_class=kind, files=sums[kind][0], bytes=sums[kind][1], digest=sums[kind][2].hexdigest())
        for kind in FileClass
        if kind in sums
    )


def _staying(witness: Witness) -> Iterator[tuple[FileClass, Entry]]:
    from left_intact.core.model.entry import Kind
    from left_intact.core.model.stages import Verb
    from left_intact.core.model.unchanged import CLASSES

    for page in witness.kept.pages:
        for at in page.places:
            entry = page.page.entry(at)
            if entry.kind is Kind.FILE:
                yield CLASSES[page.classes[at]], entry
    for row in witness.rows.values():
        if row.verb is Verb.KEEP and row.before is not None and row.before.kind is Kind.FILE:
            yield row.file_class, row.before


def _no_such_update(install: Install, number: int | None) -> LeftIntactError:
    which = "no update" if number is None else f"no update {number}"
    says = f"{install.name} has {which} on record"
    return LeftIntactError("no-such-update", says, way_out="See which there are: left-intact history.")
