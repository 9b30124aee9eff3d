"""The home folder, and the library in it."""

from __future__ import annotations

import os
import threading
from typing import TYPE_CHECKING

from left_intact.core.library.store import Library

if TYPE_CHECKING:
    from left_intact.core.carrying.strongbox import Strongbox


class Home:
    """One home folder, and where its shelf is. Safe to use from several threads."""

    def __init__(self, folder: str, shelf_at: str = "") -> None:
        self.folder = os.path.abspath(folder)
        self.shelf_at = os.path.abspath(shelf_at) if shelf_at else self.folder
        self._local = threading.local()

    @property
    def library(self) -> Library:
        """The library, opened once a thread."""
        library: Library | None = getattr(self._local, "library", None)
        if library is None:
            library = self._local.library = Library(self.shelf_at)
        return library

    @property
    def sessions(self) -> dict[int, Strongbox]:
        """By install: the strongbox that this thread is at work with."""
        sessions: dict[int, Strongbox] | None = getattr(self._local, "sessions", None)
        if sessions is None:
            sessions = self._local.sessions = {}
        return sessions


class Service:
    """Something that can be done with a home folder."""

    def __init__(self, home: Home) -> None:
        self.at = home

    @property
    def library(self) -> Library:
        return self.at.library

    @property
    def home(self) -> str:
        return self.at.folder
