"""What all commands share: where home is, and how they answer."""

from __future__ import annotations

import os
import signal
import sys
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

import click
from click.shell_completion import CompletionItem

from left_intact.core.model.progress import CancelToken, Progress, Report, silent
from left_intact.words import bearable
from left_intact.workbench import Workbench

if TYPE_CHECKING:
    from left_intact.core.model.install import Install

_PATIENCE, _EVERY = 1.0, 0.2
"""Seconds before anything is told, and between two tellings."""


@dataclass(slots=True)
class Setting:
    home: str = ""


setting = Setting()


def _names(context: click.Context, parameter: click.Parameter, begun: str) -> list[CompletionItem]:
    """The names on the shelf that begin with what was typed, then folders."""
    from left_intact.core.model.errors import LeftIntactError
    from left_intact.home import default_home

    home = os.environ.get("LEFT_INTACT_HOME") or default_home()
    try:
        names = [install.name for install in Workbench(home).shelf.installs()] if os.path.isdir(home) else []
    except LeftIntactError:
        names = []
    found = [CompletionItem(name) for name in names if name.lower().startswith(begun.lower())]
    return found or [CompletionItem(begun, type="dir")]


INSTALL_WORD = click.argument(
    "install",
    metavar="INSTALL",
    help="a registered name, or the path of its folder",
    shell_complete=_names,
)
AS_JSON = click.option("--json", "as_json", is_flag=True, help="one JSON object on standard output")


def bench() -> Workbench:
    return Workbench(setting.home)


def asked(word: str, *, changes: object = False) -> tuple[Workbench, Install]:
    """(what answers, the install) for a command that only asks, unless it `changes` something: what only asks
    puts nothing on the shelf.
    """
    if changes:
        ours = bench()
        return ours, ours.shelf.find(word)
    return click.get_current_context().with_resource(_asking(word))


@contextmanager
def _asking(word: str) -> Iterator[tuple[Workbench, Install]]:
    """A folder that is not on the shelf is looked at with a shelf of its own, gone afterwards. Raises
    `no-install`, and what a folder is refused for.
    """
    from left_intact.core.model.errors import LeftIntactError

    ours, root = bench(), os.path.realpath(os.path.expanduser(word))
    known = None
    try:
        known = ours.shelf.known(word)
    except LeftIntactError as error:
        if error.code != "no-install" or not os.path.lexists(root):
            raise
    if known is not None:
        yield ours, known
        return
    from tempfile import TemporaryDirectory

    ours.shelf.library.vet(root)
    with TemporaryDirectory(prefix="left-intact-") as folder:
        other = Workbench(ours.home, shelf_at=folder)
        try:
            yield other, other.shelf.find(word)
        finally:
            other.shelf.library.close()


@contextmanager
def cancelling() -> Iterator[CancelToken]:
    """The first Ctrl-C stops the work and puts everything back; a second one ends the program at once."""
    token, before = CancelToken(), signal.getsignal(signal.SIGINT)

    def stop(number: int, frame: object) -> None:
        token.cancel()
        signal.signal(signal.SIGINT, signal.default_int_handler)

    if threading.current_thread() is not threading.main_thread():
        yield token
        return
    signal.signal(signal.SIGINT, stop)
    try:
        yield token
    finally:
        signal.signal(signal.SIGINT, before)


@contextmanager
def telling() -> Iterator[Report]:
    """How far some work is, on standard error, once it has taken longer than a second; on a terminal only."""
    if not sys.stderr.isatty():
        yield silent
        return
    began = last = time.monotonic()
    told = False

    def report(progress: Progress) -> None:
        nonlocal last, told
        now = time.monotonic()
        if now - began < _PATIENCE or now - last < _EVERY:
            return
        last, told = now, True
        of = f" of {progress.total:,}" if progress.total else ""
        click.echo(f"\r\x1b[K{bearable(progress.stage)} {progress.done:,}{of}", nl=False, err=True)

    try:
        yield report
    finally:
        if told:
            click.echo("\r\x1b[K", nl=False, err=True)


def say(text: str, *, err: bool = False) -> None:
    """Lines for a person. What they name may be anybody's: no control character reaches the terminal."""
    click.echo("\n".join(map(bearable, text.split("\n"))), err=err)


def out(said: dict[str, Any]) -> None:
    from left_intact.presentation.as_json import as_text

    click.echo(as_text(said))
