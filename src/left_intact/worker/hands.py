"""All that a worker can be asked for: the services of the workbench, and the work behind a desk."""

from __future__ import annotations

from functools import cached_property

from left_intact.workbench import Workbench
from left_intact.worker.desk_work import DeskWork


class Hands(Workbench):
    """A workbench, and what is on the desk."""

    @cached_property
    def desk(self) -> DeskWork:
        return DeskWork(self)

    def warm_up(self) -> None:
        """Import what the first call would wait for."""
        _ = self.surveys, self.updates, self.outlets, self.desk
