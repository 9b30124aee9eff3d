"""The person of the demo: does what an update waits for, on the handheld and where the program is tried."""

from __future__ import annotations

from left_intact.core.model.errors import LeftIntactError
from left_intact.demo import quillonade
from left_intact.demo.room import Room
from left_intact.standins.handheld import Handheld
from left_intact.workbench import Outcome, Workbench

_MOST = 20
"""So many steps are done before something must be wrong."""


class Person:
    """Somebody with the handheld before them."""

    def __init__(self, bench: Workbench, room: Room) -> None:
        self.bench, self.room = bench, room
        self.device = Handheld(room.handheld)
        self.did: list[str] = []

    def tries_to_lay_over(self) -> str:
        """What the handheld says to the new one over the old."""
        try:
            self.device.lay(self.room.download("quillonade-5.4.zip"))
        except LeftIntactError as error:
            return error.says
        return "THE HANDHELD TOOK IT"

    def does_the_rest(self, outcome: Outcome | None) -> Outcome:
        """Do each step that is waited for, and go on, until the end."""
        install = self.bench.shelf.find(quillonade.NAME)
        for _ in range(_MOST):
            if outcome is not None and not outcome.waits:
                return outcome
            run = self.bench.records.open_run(install)
            step = run.waits.step if run is not None and run.waits is not None else ""
            said = self.does(step)
            self.did.append(step)
            outcome = self.bench.updates.go_on(install, done=step if said else "")
        raise LeftIntactError("no-end", "the update of Quillonade came to no end", way_out="Look at it.")

    def does(self, step: str) -> bool:
        """Do one step; whether it has to be said."""
        match step:
            case "remove" | "remove-new":
                self.device.remove(quillonade.NAME)
            case "ghost":
                self.device.clear_ghost(quillonade.NAME)
            case "lay":
                self.device.lay(self.room.download("quillonade-5.4.zip"))
            case "lay-again":
                self.device.lay(self.room.download("kept/quillonade-5.1.zip"))
            case "start":
                self.device.start(quillonade.NAME)
            case "grant":
                self.device.grant(quillonade.NAME)
            case _:
                return True
        return False
