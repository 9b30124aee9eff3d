"""What all commands share: where home is, and how they answer."""

from __future__ import annotations

import json
from dataclasses import dataclass
from typing import Annotated, Any

import typer

from left_intact.workbench import Workbench


@dataclass(slots=True)
class Setting:
    home: str = ""


setting = Setting()

InstallWord = Annotated[str, typer.Argument(metavar="INSTALL", help="a registered name, or the path of its folder")]
AsJson = Annotated[bool, typer.Option("--json", help="one JSON object on standard output")]


def bench() -> Workbench:
    return Workbench(setting.home)


def out(said: dict[str, Any]) -> None:
    typer.echo(json.dumps(said, indent=1))
