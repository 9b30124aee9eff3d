"""The manifest of an update package, `update.toml`: our own format, described in docs/update-packages.md."""

from __future__ import annotations

import re
import tomllib
from typing import Annotated

from pydantic import AfterValidator, BaseModel, ConfigDict, Field, ValidationError

from left_intact.core.files.names import safe_path
from left_intact.core.model.errors import LeftIntactError

FORMAT = 1


def _below(path: str) -> str:
    path = path.rstrip("/")
    if "\\" in path or (path and safe_path(path) != path):
        raise ValueError("a path below the install, with forward slashes")
    return path


Below = Annotated[str, AfterValidator(_below)]


class Manifest(BaseModel):
    """What an update package says of itself."""

    model_config = ConfigDict(extra="forbid")
    format: int = Field(ge=1, le=FORMAT)
    of: str = Field(min_length=1, max_length=200, description="the program or title that it updates")
    after: str = Field(
        default="", alias="from", description="the version that must lie there; empty: any older one"
    )
    to: str = Field(min_length=1, max_length=80, description="the version that it leads to")
    into: Below = Field(default="", description="the folder of the install that it is laid over")
    removes: list[Below] = Field(default=[], description="paths below `into` that it takes away")


def read_manifest(data: bytes, where: str) -> Manifest:
    """Read one. Raises `bad-manifest` with the reason."""
    try:
        return Manifest.model_validate(tomllib.loads(data.decode("utf-8")))
    except ValidationError as error:
        first = error.errors()[0]
        why = f"{'.'.join(str(part) for part in first['loc'])}: {first['msg']}"
    except (tomllib.TOMLDecodeError, UnicodeDecodeError, RecursionError) as error:
        why = re.sub(r"\s+", " ", str(error))
    raise LeftIntactError(
        "bad-manifest", f"its update.toml is refused: {why}", path=where, way_out="Get the update anew."
    )
