"""What all commands share: where home is, and how they answer."""

from __future__ import annotations

import json
import signal
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from typing import Any

import click

from left_intact.core.model.progress import CancelToken
from left_intact.words import bearable
from left_intact.workbench import Workbench


@dataclass(slots=True)
class Setting:
    home: str = ""


setting = Setting()

INSTALL_WORD = click.argument(
    "install", metavar="INSTALL", help="a registered name, or the path of its folder"
)
AS_JSON = click.option("--json", "as_json", is_flag=True, help="one JSON object on standard output")


def bench() -> Workbench:
    return Workbench(setting.home)


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


def say(text: str, *, err: bool = False) -> None:
    """Lines for a person. What they name may be anybody's: no control character reaches the terminal."""
    click.echo("\n".join(map(bearable, text.split("\n"))), err=err)


def out(said: dict[str, Any]) -> None:
    click.echo(json.dumps(said, indent=1))
