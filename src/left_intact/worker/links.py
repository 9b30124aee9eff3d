"""How a face reaches a worker: in a process of its own, or in threads of this one."""

from __future__ import annotations

import pickle
import subprocess
import sys
import threading
from collections.abc import Callable
from contextlib import suppress
from typing import IO, TYPE_CHECKING, Protocol, cast

from left_intact.core.model.errors import LeftIntactError
from left_intact.worker.call import Message, as_sent

if TYPE_CHECKING:
    from left_intact.worker.lanes import Lanes

Heard = Callable[[Message], None]
"""Takes what comes from the worker; called in threads of the link's own."""


class Link(Protocol):
    """A way to a worker."""

    def open(self, heard: Heard) -> None:
        """Get ready to work; what comes from the worker goes to `heard`."""
        ...

    def send(self, message: Message) -> None:
        """Tell the worker something; see `Message`."""
        ...

    def close(self) -> None:
        """End the worker, and wait until it has put back what it had begun."""
        ...


class ProcessLink:
    """A worker in a process of its own; a new one is started where the last one ended."""

    def __init__(self, home: str) -> None:
        self._home = home
        self._heard: Heard = lambda message: None
        self._child: subprocess.Popen[bytes] | None = None
        self._open: dict[int, subprocess.Popen[bytes]] = {}
        """Calls that are not at their end, by number, and which worker has them."""
        self._lock = threading.Lock()

    def open(self, heard: Heard) -> None:
        self._heard = heard
        with suppress(OSError):  # the first call says it
            self._running()

    def send(self, message: Message) -> None:
        kind, number = message[:2]
        with self._lock:
            try:
                child = self._running() if kind == "do" else self._child
                if child is None:
                    return
                if kind == "do":
                    self._open[number] = child
                pipe = cast(IO[bytes], child.stdin)
                pickle.dump(message, pipe, pickle.HIGHEST_PROTOCOL)
                pipe.flush()
                return
            except OSError:
                if kind != "do" or number in self._open:
                    return  # it is gone; the thread that listens says so
        self._heard(("failed", number, _gone("no process can be started for this")))

    def close(self) -> None:
        child, self._child = self._child, None
        if child is not None:
            self._open.clear()
            with suppress(OSError):  # it may be gone already
                cast(IO[bytes], child.stdin).close()
            child.wait()

    @property
    def pid(self) -> int:
        """The process of the worker; 0 where none was started."""
        return self._child.pid if self._child is not None else 0

    def _running(self) -> subprocess.Popen[bytes]:
        if self._child is None or self._child.poll() is not None:
            self._child = subprocess.Popen(
                [sys.executable, "-m", "left_intact.worker", self._home],
                stdin=subprocess.PIPE,
                stdout=subprocess.PIPE,
            )
            threading.Thread(target=self._listen, args=(self._child,), daemon=True).start()
        return self._child

    def _listen(self, child: subprocess.Popen[bytes]) -> None:
        pipe = cast(IO[bytes], child.stdout)
        while True:
            try:
                message: Message = pickle.load(pipe)
            except (EOFError, OSError, pickle.UnpicklingError):
                break
            if message[0] != "progress":
                self._open.pop(message[1], None)
            self._heard(message)
        child.wait()  # only then does the next call see that another is to be started
        with self._lock:
            left = sorted(number for number, its in self._open.items() if its is child)
            for number in left:
                del self._open[number]
        for number in left:
            self._heard(("failed", number, _gone("the process that did this ended in the midst of it")))


def _gone(says: str) -> LeftIntactError:
    return LeftIntactError(
        "worker-gone",
        says,
        way_out="Nothing is lost: open the install again; an update that was cut off is ended there first.",
    )


class ThreadLink:
    """A worker in threads of this process. Everything crosses as it would to another process."""

    def __init__(self, home: str) -> None:
        from left_intact.worker.hands import Hands

        self._hands = Hands(home)
        self._lanes: Lanes | None = None

    def open(self, heard: Heard) -> None:
        from left_intact.worker.lanes import Lanes

        self._lanes = Lanes(self._hands, lambda message: heard(as_sent(message)))

    def send(self, message: Message) -> None:
        if self._lanes is not None:
            self._lanes.take(as_sent(message))

    def close(self) -> None:
        if self._lanes is not None:
            self._lanes.end()
