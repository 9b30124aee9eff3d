"""How a face reaches a worker: in a process of its own, or in threads of this one."""

from __future__ import annotations

import pickle
import subprocess
import sys
import threading
from collections.abc import Callable
from typing import IO, Protocol, cast

from left_intact.core.model.errors import LeftIntactError
from left_intact.worker.call import Message, as_sent

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
        self._open: set[int] = set()
        self._lock = threading.Lock()

    def open(self, heard: Heard) -> None:
        self._heard = heard
        self._running()

    def send(self, message: Message) -> None:
        child = self._running() if message[0] == "do" else self._child
        if child is None:
            return
        if message[0] == "do":
            self._open.add(message[1])
        pipe = cast(IO[bytes], child.stdin)
        try:
            with self._lock:
                pickle.dump(message, pipe, pickle.HIGHEST_PROTOCOL)
                pipe.flush()
        except OSError:
            pass  # it is gone; the thread that listens says so

    def close(self) -> None:
        child, self._child = self._child, None
        if child is not None:
            self._open.clear()
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
                self._open.discard(message[1])
            self._heard(message)
        child.wait()  # only then does the next call see that another is to be started
        for number in sorted(self._open):
            self._open.discard(number)
            self._heard(("failed", number, _gone()))


def _gone() -> LeftIntactError:
    return LeftIntactError(
        "worker-gone",
        "the process that did this ended in the midst of it",
        way_out="Nothing is lost: open the install again; an update that was cut off is ended there first.",
    )


class ThreadLink:
    """A worker in threads of this process. Everything crosses as it would to another process."""

    def __init__(self, home: str) -> None:
        from left_intact.worker.hands import Hands

        self._hands = Hands(home)

    def open(self, heard: Heard) -> None:
        from left_intact.worker.lanes import Lanes

        self._lanes = Lanes(self._hands, lambda message: heard(as_sent(message)))

    def send(self, message: Message) -> None:
        self._lanes.take(as_sent(message))

    def close(self) -> None:
        self._lanes.end()
