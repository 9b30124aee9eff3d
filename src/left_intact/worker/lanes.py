"""Two lanes of work: one for what is long, one beside it for what is asked meanwhile."""

from __future__ import annotations

import queue
import threading
import time
import traceback
from collections.abc import Callable
from contextlib import suppress

from left_intact.core.model.errors import LeftIntactError
from left_intact.core.model.progress import CancelToken, Progress
from left_intact.fault_log import write_fault
from left_intact.worker.call import Call, Message, Signals, carry_out, worded
from left_intact.worker.hands import Hands

_TELL_EVERY = 0.05
_END = None


class Lanes:
    """Does what it is told, a lane in turn; tells how far it is, and how it ended."""

    def __init__(self, hands: Hands, tell: Callable[[Message], None]) -> None:
        self._hands, self._tell = hands, tell
        self._signals: dict[int, Signals] = {}
        self._queues: tuple[queue.SimpleQueue[tuple[int, Call] | None], ...] = (
            queue.SimpleQueue(),
            queue.SimpleQueue(),
        )
        self._threads = [
            threading.Thread(target=self._serve, args=(q,), daemon=True, name=name)
            for q, name in zip(self._queues, ("long work", "work beside"), strict=True)
        ]
        for thread in self._threads:
            thread.start()

    def take(self, message: Message) -> None:
        """What came from the face."""
        kind, number, *more = message
        if kind == "do":
            wanted, beside = more
            self._signals[number] = Signals(self._report(number), CancelToken())
            self._queues[bool(beside)].put((number, wanted))
        elif (signals := self._signals.get(number)) is not None:
            (signals.cancel.cancel if kind == "cancel" else signals.nudged.set)()

    def end(self) -> None:
        """Stop all work at its next step, and wait until it has put back what it had begun."""
        for signals in list(self._signals.values()):
            signals.cancel.cancel()
            signals.nudged.set()
        for waiting in self._queues:
            waiting.put(_END)
        for thread in self._threads:
            thread.join()

    def _worded(self, error: BaseException) -> LeftIntactError:
        """An error as a line; a fault of ours is written down, and the line says where."""
        said = worded(error)
        if said.code == "unexpected":
            with suppress(OSError):
                said.path = write_fault(self._hands.home, "".join(traceback.format_exception(error)))
        return said

    def _report(self, number: int) -> Callable[[Progress], None]:
        last = 0.0

        def report(progress: Progress) -> None:
            nonlocal last
            now = time.monotonic()
            if now - last >= _TELL_EVERY or progress.done == progress.total:
                last = now
                self._tell(("progress", number, progress))

        return report

    def _serve(self, waiting: queue.SimpleQueue[tuple[int, Call] | None]) -> None:
        while (item := waiting.get()) is not _END:
            number, wanted = item
            signals = self._signals[number]
            try:
                signals.cancel.check()
                said: Message = ("done", number, carry_out(wanted, self._hands, signals))
            except BaseException as error:  # noqa: BLE001 (whatever it is, the person gets one line)
                said = ("failed", number, self._worded(error))
            del self._signals[number]
            self._tell(said)
