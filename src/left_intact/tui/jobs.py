"""Long work in one thread at a time, with its own cancel token; nothing of it touches a widget.

A job runs a workbench call. Progress comes as small messages, at most twenty a second;
the end comes as one message with the result or the error. Only handlers touch widgets.
"""

from __future__ import annotations

import time
from collections import deque
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

from textual.app import App
from textual.message import Message

from left_intact.core.model.errors import LeftIntactError, Stopped, reason_of
from left_intact.core.model.progress import CancelToken, Progress, Report

_TELL_EVERY = 0.05
Work = Callable[[Report, CancelToken], Any]


@dataclass(slots=True, eq=False)
class Job:
    """One piece of long work, and what is to happen when it ends."""

    title: str
    work: Work
    on_done: Callable[[Any], None]
    on_failed: Callable[[LeftIntactError], None]
    cancel: CancelToken = field(default_factory=CancelToken)
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
    """The queue of an application: one job runs, the others wait their turn."""

    def __init__(self, app: App[Any]) -> None:
        self._app = app
        self._waiting: deque[Job] = deque()
        self.running: Job | None = None

    def start(self, job: Job) -> Job:
        self._waiting.append(job)
        self._next()
        return job

    def stop(self) -> None:
        """Cancel the job at work, and forget those that wait."""
        self._waiting.clear()
        if self.running is not None:
            self.running.cancel.cancel()

    def ended(self, message: JobEnded) -> None:
        """Hand the outcome on; called by the application's handler."""
        if self.running is message.job:
            self.running = None
        if message.error is not None:
            message.job.on_failed(message.error)
        else:
            message.job.on_done(message.result)
        self._next()

    def _next(self) -> None:
        if self.running is None and self._waiting:
            self.running = self._waiting.popleft()
            self.running.began = time.monotonic()
            job = self.running
            self._app.run_worker(lambda: self._run(job), thread=True, exit_on_error=False, name=job.title)

    def _run(self, job: Job) -> None:
        last = 0.0

        def report(progress: Progress) -> None:
            nonlocal last
            now = time.monotonic()
            if now - last >= _TELL_EVERY or progress.done == progress.total:
                last = now
                self._app.post_message(JobProgress(job, progress))

        result, error = None, None
        try:
            job.cancel.check()
            result = job.work(report, job.cancel)
        except LeftIntactError as known:
            error = known
        except Exception as unknown:  # noqa: BLE001 (whatever it is, the person gets one line)
            error = _worded(unknown)
        self._app.post_message(JobEnded(job, result, error))


def _worded(error: Exception) -> LeftIntactError:
    if isinstance(error, OSError):
        reason = reason_of(error)
        return LeftIntactError("disk", f"the disk refused ({reason})", path=str(error.filename or ""))
    return LeftIntactError("unexpected", f"this should not happen: {error!r}", way_out="Please report it.")


def was_stopped(error: LeftIntactError) -> bool:
    return isinstance(error, Stopped)
