"""Errors that are data: a stable name, the path, the reason, the way out. The faces word them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

PASSABLE = (
    *("donor", "held", "not-a-release", "older-version", "other-line", "other-platform", "out-of-reach"),
    "stranger",
)
"""The codes of blockers that a person may go past knowingly, where the blocker at hand says so."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Fault:
    """One thing that is in the way."""

    code: str
    says: str
    way_out: str = ""
    passable: bool = False
    """Whether the person may go past it knowingly (`--allow CODE`)."""


def reason_of(error: OSError) -> str:
    """Why the system refused, in its own words."""
    return (error.strerror or str(error)).lower()


class LeftIntactError(Exception):
    """Something could not be done, and nothing was left half done.

    `code` is stable, `path` names the file in question, `way_out` says what to do now.
    """

    exit_code = 3

    def __init__(self, code: str, says: str, *, path: str = "", way_out: str = "") -> None:
        super().__init__(says)
        self.code = code
        self.says = says
        self.path = path
        self.way_out = way_out

    def __reduce__(self) -> tuple[object, ...]:
        """Errors cross from the process that works to the one that shows."""
        return _made_again, (type(self), self.args, self.__dict__)

    def line(self) -> str:
        """The whole error in one line."""
        text = self.says.rstrip(".")
        if self.path and self.path not in text:
            text = f"{text}: {self.path}"
        stop = "" if text.endswith(("?", "!")) else "."
        return f"{text}{stop} {self.way_out}".rstrip().replace("\n", " ")


def _made_again(kind: type[LeftIntactError], args: tuple[str, ...], known: dict[str, object]) -> object:
    error = kind.__new__(kind, *args)
    error.__dict__.update(known)
    return error


class Refusal(LeftIntactError):
    """Refused before the first write, with the whole list of faults."""

    def __init__(self, faults: Sequence[Fault]) -> None:
        self.faults = tuple(faults)
        first = self.faults[0]
        rest = f" (and {len(self.faults) - 1} more)" if len(self.faults) > 1 else ""
        super().__init__(first.code, first.says + rest, way_out=first.way_out)


class Stopped(LeftIntactError):
    """The person stopped the work; whatever had been touched was put back."""

    def __init__(self, says: str = "stopped; nothing was changed") -> None:
        super().__init__("stopped", says, way_out="Start again whenever you like.")


class Interrupted(LeftIntactError):
    """An earlier update was cut off and must be ended before anything else."""

    exit_code = 4


class Misuse(LeftIntactError):
    """The words of a command do not fit together."""

    exit_code = 2


class HalfDone(LeftIntactError):
    """Putting back could not be ended; the journal knows how far it came."""

    exit_code = 4
