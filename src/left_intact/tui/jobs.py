"""Long work: handed to a worker, told of in small messages; nothing of it touches a widget.

One job runs at a time, the others wait their turn; what is asked beside it runs at once. The end comes as
one message with the result or the error. Only handlers touch widgets.
"""

from __future__ import annotations

import asyncio
import time
from collections import deque
from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from textual.app import App
from textual.message import Message

from left_intact.core.model.errors import LeftIntactError, Stopped
from left_intact.core.model.progress import Progress
from left_intact.worker.call import Call
from left_intact.worker.call import Message as FromWorker

if TYPE_CHECKING:
    from left_intact.worker.links import Link


@dataclass(slots=True, eq=False)
class Job:
    """One piece of work, and what is to happen when it ends."""

    title: str
    call: Call
    on_done: Callable[[Any], object]
    on_failed: Callable[[LeftIntactError], None]
    beside: bool = False
    """Whether it need not wait for the job at work: a look, a note."""
    changes_disk: bool = False
    """Whether an install may be changed by it, so that nobody leaves in the midst of it."""
    number: int = 0
    began: float = 0.0


class JobProgress(Message):
    """How far the job at work is."""

    def __init__(self, job: Job, progress: Progress) -> None:
        super().__init__()
        self.job, self.progress = job, progress

    def can_replace(self, message: Message) -> bool:
        return isinstance(message, JobProgress)


class JobEnded(Message):
    """The job came to an end, one way or another."""

    def __init__(self, job: Job, result: Any, error: LeftIntactError | None) -> None:
        super().__init__()
        self.job, self.result, self.error = job, result, error


class Jobs:
    """The queue of an application, and its worker."""

    def __init__(self, app: App[Any], link: Link) -> None:
        self._app, self._link = app, link
        self._waiting: deque[Job] = deque()
        self._sent: dict[int, Job] = {}
        self._numbers = 0
        self.running: Job | None = None
        self.quiet = asyncio.Event()
        """Set while nothing is at work and nothing waits."""
        self.quiet.set()
        self._opened = False

    def open(self) -> None:
        """Get the worker ready, so that the first job need not wait for it."""
        if not self._opened:
            self._opened = True
            self._link.open(self._heard)

    def close(self) -> None:
        """End the worker; it puts back what it had begun."""
        self._link.close()

    def start(self, job: Job) -> Job:
        """Queue a job. One that changes the disk is never queued behind another: a key that was pressed twice
        asks once, and what it asked for is answered by the one at work, which is handed back.
        """
        if job.changes_disk:
            for other in (self.running, *self._waiting):
                if other is not None and other.changes_disk:
                    return other
        self.quiet.clear()
        if job.beside:
            self._send(job)
        else:
            self._waiting.append(job)
            self._next()
        return job

    def cancel(self, job: Job) -> None:
        """Stop one job at its next step; one that waits does not begin."""
        if job in self._waiting:
            self._waiting.remove(job)
            job.on_failed(Stopped())
        elif job.number:
            self._link.send(("cancel", job.number))

    def nudge(self, job: Job) -> None:
        """Tell a job that what it waits for is over."""
        self._link.send(("nudge", job.number))

    def stop(self) -> None:
        """Cancel the job at work, and forget those that wait."""
        self._waiting.clear()
        if self.running is not None:
            self.cancel(self.running)

    def ended(self, message: JobEnded) -> None:
        """Hand the outcome on; called by the application's handler."""
        self._sent.pop(message.job.number, None)
        if self.running is message.job:
            self.running = None
        if message.error is not None:
            message.job.on_failed(message.error)
        else:
            message.job.on_done(message.result)
        self._next()
        if not self._sent and not self._waiting:
            self.quiet.set()

    def _next(self) -> None:
        if self.running is None and self._waiting:
            self.running = self._waiting.popleft()
            self._send(self.running)

    def _send(self, job: Job) -> None:
        self.open()
        self._numbers += 1
        job.number, job.began = self._numbers, time.monotonic()
        self._sent[job.number] = job
        self._link.send(("do", job.number, job.call, job.beside))

    def _heard(self, message: FromWorker) -> None:
        """What the worker says; called in a thread of the link's."""
        kind, number, what = message
        job = self._sent.get(number)
        if job is None:
            return
        if kind == "progress":
            if not job.beside:
                self._app.post_message(JobProgress(job, what))
        else:
            failed = kind == "failed"
            self._app.post_message(JobEnded(job, None if failed else what, what if failed else None))


def was_stopped(error: LeftIntactError) -> bool:
    return isinstance(error, Stopped)
