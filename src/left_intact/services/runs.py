"""What an update and a going back have in common: nobody at work, and the proof afterwards."""

from __future__ import annotations

import os
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from typing import TYPE_CHECKING

from left_intact.core.model.errors import Fault, LeftIntactError, Refusal
from left_intact.core.model.progress import CancelToken, Report, silent
from left_intact.core.model.update import State, Update

if TYPE_CHECKING:
    from left_intact.core.carrying.strongbox import Strongbox
    from left_intact.core.model.install import Install
    from left_intact.core.model.proof import Proof
    from left_intact.services.home import Home

from left_intact.services.records import Records
from left_intact.services.surveys import Surveys


@contextmanager
def it_stands(stands: str) -> Iterator[None]:
    """What fails once a run has come to its end leaves that as it is: say so."""
    from left_intact.core.carrying.laying import as_stop

    try:
        yield
    except (LeftIntactError, OSError) as error:
        stop = as_stop(error, "it could not be written down")
        way_out = "Mend that, then prove it: left-intact prove."
        raise LeftIntactError(
            stop.code, f"{stands}, but {stop.says}", path=stop.path, way_out=way_out
        ) from error


class Runs(Records):
    """What an update and a going back have in common: nobody at work, and the proof afterwards."""

    def __init__(self, home: Home, surveys: Surveys) -> None:
        super().__init__(home)
        self.surveys = surveys

    @contextmanager
    def noting(self, install: Install, box: Strongbox) -> Iterator[None]:
        """Around a run: afterwards it is noted where the strongbox is, however the run ended."""
        try:
            yield
        except BaseException:
            with suppress(LeftIntactError, OSError):  # what went wrong before is what is to be said
                self.note_box(install, box)
            raise
        with it_stands("it came to its end"):
            self.note_box(install, box)

    def refuse_running(self, install: Install) -> None:
        from left_intact.core.files import host

        if running := host.running_from(install.root):
            says = f"{install.name} is running: {', '.join(running[:3])}"
            raise Refusal([Fault(code="running", says=says, way_out="Quit it first.")])

    def prove_run(
        self,
        install: Install,
        update: Update,
        report: Report = silent,
        cancel: CancelToken | None = None,
        *,
        deep: bool = False,
    ) -> Proof:
        """Prove one run, and keep what the proof says."""
        from left_intact.core.carrying.journal import Journal
        from left_intact.core.carrying.touched import witness_of_all
        from left_intact.core.files.identity import identity_of
        from left_intact.core.files.place import root_replaced
        from left_intact.core.model.as_json import proof_json
        from left_intact.core.proving.prove import prove

        box = self.strongbox(install)
        with Journal(box.journal_path) as journal:
            witness = witness_of_all(journal, update.id)
        if identity_of(install.root) is None:
            raise root_replaced(install.root)
        held = box.has if update.state in (State.ON_TRIAL, State.DONE) else (lambda digest: True)
        try:
            proof = prove(
                install.root,
                witness,
                name=install.name,
                carried_at=update.changed,
                in_strongbox=held,
                extra_readings=self.surveys.asked(install),
                deep=deep,
                report=report,
                cancel=cancel,
            )
        finally:
            box.close()
        self.library.set_proof(install, update.id, proof_json(proof))
        if proof.version_after:
            self.note_version(install, proof.version_after)
        return proof

    def waits_again(self, install: Install, update: Update) -> None:
        """What was taken back may be laid again, if it is still there."""
        lifted = os.path.join(self.home, "lifted") + os.sep  # a pack's share is no release that could wait
        if os.path.exists(update.arrival) and not update.arrival.startswith(lifted):
            self.library.set_waiting(install, update.arrival, update.to_version)
