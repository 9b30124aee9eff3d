"""Where the Pier Room lies on the disk."""

from __future__ import annotations

import os
from dataclasses import dataclass


@dataclass(frozen=True, slots=True, kw_only=True)
class Room:
    """Where things are in a built demo."""

    folder: str

    @property
    def home(self) -> str:
        return os.path.join(self.folder, "home")

    def install(self, name: str) -> str:
        return os.path.join(self.folder, "pier", name)

    @property
    def handheld(self) -> str:
        return os.path.join(self.folder, "handheld")

    @property
    def outlet(self) -> str:
        return os.path.join(self.folder, "outlet")

    def download(self, name: str) -> str:
        return os.path.join(self.folder, "downloads", name)
