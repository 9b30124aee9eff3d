"""Two processes for work that is many small calls to the disk: threads would only get in each other's way.

`share_out` gives every task to whichever process is free. Where this process has one thread it
is forked, which costs a millisecond; where it has more (the full screen), fresh ones are started.
Where neither can be had, or one dies, the work is done here.
"""

from __future__ import annotations

import contextlib
import marshal
import os
import selectors
import struct
import subprocess
import sys
import threading
from collections.abc import Callable, Generator, Iterator, Sequence
from importlib import import_module
from typing import Any

from left_intact.core.model.progress import CancelToken

WORKERS = 2
_FRAME = struct.Struct("<II")
_NUMBER = struct.Struct("<I")
_WIDE = 1 << 20
_PIPE_ROOM = 12_000
"""Task numbers that fit into a pipe that nobody reads yet (64 KiB on Linux), with room to spare."""

Work = Callable[[Any, Any], Any]
"""(what all tasks share, one task) to a result; all three of plain values that `marshal` knows."""


Outcomes = Generator[tuple[int, Any], None, None]
"""(number, result) in the order in which tasks are done. Closing it ends all helpers."""


def share_out(work: Work, common: Any, tasks: Sequence[Any], cancel: CancelToken) -> Outcomes:
    """Begin all tasks at once; they are at work when this returns. `work` is a module-level function."""
    if len(tasks) < 2 or not hasattr(os, "fork"):
        return _here(work, common, tasks, set(range(len(tasks))), cancel)
    numbers, feed = os.pipe()
    os.write(feed, b"".join(_NUMBER.pack(n) for n in range(min(len(tasks), _PIPE_ROOM))))
    os.close(feed)
    start = _fork if forks() else _spawn
    workers: list[_Worker] = []
    with contextlib.suppress(OSError):
        for _ in range(WORKERS):
            workers.append(start(work, common, tasks, numbers))
    os.close(numbers)
    outcomes = _by_workers(workers, work, common, tasks, cancel)
    next(outcomes)  # from here on closing it ends the helpers
    return outcomes


def forks() -> bool:
    """Whether helpers would be forks of this process, and so know all that it knows."""
    return hasattr(os, "fork") and threading.active_count() == 1


def _here(work: Work, common: Any, tasks: Sequence[Any], left: set[int], cancel: CancelToken) -> Outcomes:
    for number in sorted(left):
        cancel.check()
        yield number, work(common, tasks[number])


def _by_workers(
    workers: list[_Worker], work: Work, common: Any, tasks: Sequence[Any], cancel: CancelToken
) -> Outcomes:
    left = set(range(len(tasks)))
    try:
        yield -1, None
        for number, result in _collect([worker.out for worker in workers], cancel):
            left.discard(number)
            yield number, result
    finally:
        for worker in workers:
            worker.end()
    yield from _here(work, common, tasks, left, cancel)


class _Worker:
    """A process at work, and the pipe that its results come through."""

    def __init__(self, out: int, pid: int = 0, process: subprocess.Popen[bytes] | None = None) -> None:
        self.out, self.pid, self.process = out, pid, process

    def end(self) -> None:
        if self.process is not None:
            self.process.kill()
            self.process.wait()
        else:
            with contextlib.suppress(OSError):
                os.kill(self.pid, 9)
            with contextlib.suppress(OSError):
                os.waitpid(self.pid, 0)
        os.close(self.out)


def _wide_pipe() -> tuple[int, int]:
    """A pipe that a process can fill for a while before anybody reads it, where the system lets it be so."""
    out, into = os.pipe()
    with contextlib.suppress(ImportError, OSError, AttributeError):
        import fcntl

        fcntl.fcntl(into, fcntl.F_SETPIPE_SZ, _WIDE)
    return out, into


def _fork(work: Work, common: Any, tasks: Sequence[Any], numbers: int) -> _Worker:
    out, into = _wide_pipe()
    pid = os.fork()
    if pid:
        os.close(into)
        return _Worker(out, pid=pid)
    # The child never returns into the program: whatever happens, it ends here.
    try:
        os.close(out)
        _serve(work, common, tasks, numbers, into)
    finally:
        os._exit(0)


def _spawn(work: Work, common: Any, tasks: Sequence[Any], numbers: int) -> _Worker:
    out, into = _wide_pipe()
    try:
        command = [sys.executable, "-m", __name__, str(numbers), str(into)]
        process = subprocess.Popen(
            command,
            stdin=subprocess.PIPE,
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
            pass_fds=(numbers, into),
        )
    except OSError:
        os.close(out)
        raise
    finally:
        os.close(into)
    assert process.stdin is not None
    with contextlib.suppress(BrokenPipeError):
        process.stdin.write(marshal.dumps((work.__module__, work.__name__, common, tuple(tasks))))
        process.stdin.close()
    return _Worker(out, process=process)


def _serve(work: Work, common: Any, tasks: Sequence[Any], numbers: int, into: int) -> None:
    with os.fdopen(into, "wb", buffering=1 << 18) as results:
        while number := os.read(numbers, _NUMBER.size):
            at = _NUMBER.unpack(number)[0]
            said = marshal.dumps(work(common, tasks[at]))
            results.write(_FRAME.pack(at, len(said)))
            results.write(said)


def _collect(outs: list[int], cancel: CancelToken) -> Iterator[tuple[int, Any]]:
    with selectors.DefaultSelector() as watch:
        for out in outs:
            watch.register(out, selectors.EVENT_READ, bytearray())
        while watch.get_map():
            cancel.check()
            for key, _ in watch.select(0.2):
                data = os.read(key.fd, 1 << 18)
                if not data:
                    watch.unregister(key.fd)
                    continue
                key.data.extend(data)
                yield from _whole_frames(key.data)


def _whole_frames(data: bytearray) -> Iterator[tuple[int, Any]]:
    at = 0
    while len(data) - at >= _FRAME.size:
        number, length = _FRAME.unpack_from(data, at)
        end = at + _FRAME.size + length
        if len(data) < end:
            break
        yield number, marshal.loads(memoryview(data)[at + _FRAME.size : end].tobytes())
        at = end
    del data[:at]


def main() -> None:
    """The other end of `_spawn`."""
    numbers, into = int(sys.argv[1]), int(sys.argv[2])
    module, name, common, tasks = marshal.loads(sys.stdin.buffer.read())
    _serve(getattr(import_module(module), name), common, tasks, numbers, into)


if __name__ == "__main__":
    main()
