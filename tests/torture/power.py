"""Power that fails: a place that forgets or reorders whatever was not flushed, cut off at every operation.

The work is done once, and each thing it does to a disk is written down, with the journal as it was then (its
The work is done once; each thing it does to a disk is written down, with the journal as it was then (its
some part, in some order. A name given to a file may survive while its content does not.
"""

from __future__ import annotations

import os
import random
from collections.abc import Callable, Iterator
from contextlib import ExitStack, contextmanager, suppress
from dataclasses import dataclass, field
from pathlib import Path
from typing import IO, Any
from unittest import mock

from left_intact.core.files import place as places
from left_intact.core.files.place import LocalPlace
from tests.torture.ground import Ground, Judged

Do = Callable[[], object]


@dataclass(slots=True)
class Op:
    """One thing done to a disk, and how to do it again."""

    says: str
    where: int
    """The file system."""
    do: Do
    flushed: bool = False
    """Whether it survives whatever comes."""


@dataclass(slots=True)
class Tape:
    """All that a work did, in its order."""

    journal: Path
    ops: list[Op] = field(default_factory=list)
    flushes: list[tuple[int, int]] = field(default_factory=list)
    """(after how many operations all before was on the device, which file system)."""
    journals: list[bytes] = field(default_factory=list)
    """The journal before the first operation, and after each."""

    def add(self, says: str, at: LocalPlace | int, do: Do, *, flushed: bool = False) -> None:
        where = at if isinstance(at, int) else at.file_system
        self.ops.append(Op(says, where, do, flushed))
        self.journals.append(self._journal())

    def _journal(self) -> bytes:
        with suppress(FileNotFoundError):
            hot = self.journal.with_name(self.journal.name + "-journal")
            assert not hot.exists() or not hot.stat().st_size, "a transaction is open while a disk is changed"
            return self.journal.read_bytes()
        return b""

    def begin(self) -> None:
        self.journals.append(self._journal())

    def end(self) -> None:
        """What was committed after the last operation."""
        self.journals.append(self._journal())
        self.ops.append(Op("the end", -1, lambda: None))

    def first_change(self, root: Path) -> int:
        """The number of the first operation that changes something below a folder."""
        inside = f"{root}{os.sep}"
        return next(
            n
            for n, op in enumerate(self.ops)
            if op.says.startswith(("rename", "exchange")) and inside in op.says
        )

    def survives(self, number: int, at: int) -> bool:
        """Whether an operation is on the device when the power fails after `at` operations."""
        op = self.ops[number]
        return op.flushed or any(number < n <= at and where == op.where for n, where in self.flushes)


class _Written:
    """A file being written: its content is one operation, made when it is closed."""

    def __init__(self, file: IO[bytes], at: LocalPlace, path: str, tape: Tape) -> None:
        self._file, self._at, self._path, self._tape = file, at, path, tape
        self.flushed = False

    def __getattr__(self, name: str) -> Any:
        return getattr(self._file, name)

    def __enter__(self) -> _Written:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    def close(self) -> None:
        if self._file.closed:
            return
        self._file.close()
        content = Path(self._path).read_bytes()
        path = self._path
        self._tape.add(
            f"content of {path}", self._at, lambda: Path(path).write_bytes(content), flushed=self.flushed
        )


class _Recorder:
    """What a place does, done and written down."""

    def __init__(self, tape: Tape) -> None:
        self.tape = tape
        self.open_files: dict[int, _Written] = {}
        self.real = {name: getattr(LocalPlace, name) for name in self.instead()}
        self.real_fsync, self.real_mkdir = os.fsync, os.mkdir

    def instead(self) -> dict[str, Callable[..., Any]]:
        return {
            "new_file": self.new_file,
            "new_link": self.new_link,
            "second_name": self.second_name,
            "make_folder": self.make_folder,
            "remove_empty": self.remove_empty,
            "discard": self.discard,
            "take": self.take,
            "exchange": self.exchange,
            "_apply": self.apply,
            "_apply_link_metadata": self.apply_link,
            "flush": self.flush,
        }

    def new_file(self, at: LocalPlace, path: str) -> Any:
        full = at.full(path)
        file = _Written(self.real["new_file"](at, path), at, full, self.tape)
        self.open_files[file.fileno()] = file
        flags = os.O_CREAT | os.O_EXCL | os.O_WRONLY
        self.tape.add(f"create {full}", at, lambda: os.close(os.open(full, flags, 0o600)))
        return file

    def new_link(self, at: LocalPlace, path: str, target: str) -> None:
        self.real["new_link"](at, path, target)
        full = at.full(path)
        self.tape.add(f"link {full}", at, lambda: os.symlink(target, full))

    def second_name(self, at: LocalPlace, other: LocalPlace, other_path: str, path: str) -> None:
        self.real["second_name"](at, other, other_path, path)
        old, new = other.full(other_path), at.full(path)
        self.tape.add(f"second name {new}", at, lambda: os.link(old, new))

    def make_folder(self, at: LocalPlace, path: str, mode: int) -> None:
        full = at.full(path)
        with at._spot(path) as spot:
            os.mkdir(spot.name, 0o700, dir_fd=spot.folder)
        self.tape.add(f"folder {full}", at, lambda: os.mkdir(full, 0o700))
        at._apply(path, mode, None, None)

    def remove_empty(self, at: LocalPlace, path: str) -> bool:
        done: bool = self.real["remove_empty"](at, path)
        full = at.full(path)
        if done:
            self.tape.add(f"no folder {full}", at, lambda: os.rmdir(full))
        return done

    def discard(self, at: LocalPlace, path: str) -> None:
        there, full = at.stat(path) is not None, at.full(path)
        self.real["discard"](at, path)
        if there:
            self.tape.add(f"discard {full}", at, lambda: os.unlink(full))

    def take(self, at: LocalPlace, source: LocalPlace, source_path: str, path: str, *, over: bool) -> None:
        self.real["take"](at, source, source_path, path, over=over)
        old, new = source.full(source_path), at.full(path)
        again = os.replace if over else _rename_free
        self.tape.add(f"rename {old} to {new}", at, lambda: again(old, new))

    def exchange(self, at: LocalPlace, source: LocalPlace, source_path: str, path: str) -> bool:
        done: bool = self.real["exchange"](at, source, source_path, path)
        old, new = source.full(source_path), at.full(path)
        if done:
            self.tape.add(f"exchange {old} and {new}", at, lambda: _exchange(old, new))
        return done

    def apply(self, at: LocalPlace, path: str, *more: Any) -> Any:
        said = self.real["_apply"](at, path, *more)
        _meta(self.tape, at, path)
        return said

    def apply_link(self, at: LocalPlace, path: str, *more: Any) -> Any:
        said = self.real["_apply_link_metadata"](at, path, *more)
        _meta(self.tape, at, path)
        return said

    def flush(self, at: LocalPlace) -> None:
        self.real["flush"](at)
        self.tape.flushes.append((len(self.tape.ops), at.file_system))

    def mkdir(self, path: Any, mode: int = 0o777, *, dir_fd: int | None = None) -> None:
        """Folders of ours that are made by their whole path."""
        self.real_mkdir(path, mode, dir_fd=dir_fd)
        if dir_fd is None:
            full = os.fspath(path)
            self.tape.add(f"folder {full}", os.stat(full).st_dev, lambda: self.real_mkdir(full, mode))

    def fsync(self, descriptor: int) -> None:
        self.real_fsync(descriptor)
        if descriptor in self.open_files:
            self.open_files[descriptor].flushed = True


@contextmanager
def recording(tape: Tape) -> Iterator[None]:
    """Write down what is done to disks by way of places."""
    recorder = _Recorder(tape)

    def by(function: Callable[..., Any]) -> Callable[..., Any]:
        return lambda at, *words, **named: function(at, *words, **named)

    with ExitStack() as stack:
        for name, function in recorder.instead().items():
            stack.enter_context(mock.patch.object(LocalPlace, name, by(function)))
        stack.enter_context(mock.patch.object(os, "fsync", recorder.fsync))
        stack.enter_context(mock.patch.object(os, "mkdir", recorder.mkdir))
        yield


def _meta(tape: Tape, at: LocalPlace, path: str) -> None:
    full = at.full(path)
    info = os.lstat(full)
    mode, times = info.st_mode & 0o7777, (info.st_mtime_ns, info.st_mtime_ns)

    def do() -> None:
        if not os.path.islink(full):
            os.chmod(full, mode)
        os.utime(full, ns=times, follow_symlinks=False)

    tape.add(f"mode and time of {full}", at, do)


def _rename_free(old: str, new: str) -> None:
    if os.path.lexists(new):
        raise FileExistsError(new)
    os.rename(old, new)


def _exchange(old: str, new: str) -> None:
    libc = places._libc()
    assert libc is not None
    if libc.renameat2(-100, os.fsencode(old), -100, os.fsencode(new), 2) != 0:
        raise OSError(f"{old} and {new} cannot be exchanged")


@dataclass(frozen=True, slots=True)
class Cut:
    """Where the power fails, and what of the unflushed survives, in which order."""

    at: int
    survives: tuple[int, ...]

    def __str__(self) -> str:
        return f"after {self.at} operations, {len(self.survives)} unflushed survive"


def tape_of(ground: Ground, work: str) -> Tape:
    """Do a work once, and write it down."""
    ground.put_back(ground.image_for(work))
    tape = Tape(ground.journal)
    tape.begin()
    with recording(tape):
        ground.run(work)()
    tape.end()
    return tape


def cuts(tape: Tape, rng: random.Random, mixed: int) -> Iterator[Cut]:
    """At every operation: all of the unflushed survive, none, and some in any order, so many times."""
    for at in range(len(tape.ops) + 1):
        rest = [n for n in range(at) if not tape.survives(n, at)]
        yield Cut(at, tuple(rest))
        if rest:
            yield Cut(at, ())
        for _ in range(mixed if len(rest) > 1 else 0):
            some = rng.sample(rest, rng.randrange(1, len(rest) + 1))
            yield Cut(at, tuple(some if rng.random() < 0.5 else sorted(some)))


def carry_out(ground: Ground, work: str, tape: Tape, cut: Cut, *, forward: bool) -> Judged:
    """Put the disk together as the cut leaves it, then end what was cut off, and look."""
    ground.put_back(ground.image_for(work))
    ground.strongbox.mkdir(parents=True, exist_ok=True)
    (ground.strongbox / "objects").mkdir(exist_ok=True)
    kept = [n for n in range(cut.at) if tape.survives(n, cut.at)]
    for number in (*kept, *cut.survives):
        with suppress(OSError):  # what it would be done to did not survive
            tape.ops[number].do()
    if tape.journals[cut.at]:
        ground.journal.write_bytes(tape.journals[cut.at])
    return ground.judge(work, "cut off", forward=forward)
