"""The store of verified copies of everything an update displaced.

It lies beside the install, in `.left-intact/`, so that it shares the file system and outlives
an uninstall. Objects are named by their digest and verified whenever read. It belongs to one
person alone, and carries whose it is: `boxes` finds it by that. A plain list in it says what
every object is, so that a person can restore by hand (docs/strongbox.md).
"""

from __future__ import annotations

import errno
import json
import os
from collections.abc import Iterable, Iterator, Sequence
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from typing import TYPE_CHECKING

from left_intact.core.files.identity import identity_of
from left_intact.core.model.errors import LeftIntactError, reason_of

if TYPE_CHECKING:
    from left_intact.core.carrying.heads import Heads
    from left_intact.core.carrying.journal import Journal
    from left_intact.core.files.place import LocalPlace

CARD = "box.json"
"""The file that says whose a strongbox is."""
LIST = "contents.tsv"
PART = ".part"
"""What the name of a file ends with that is not whole yet."""
_LIST_HEAD = (
    "# What every object is. An object is a plain copy of a file, named by the BLAKE3 digest of its bytes:\n"
    "# objects/AB/ABCDEF... To restore by hand, copy it to the path of its line. Paths are JSON strings.\n"
    "object\tupdate\ttaken\tverb\tclass\tbytes\tmode\tmodified\troot\tpath\n"
)
_LIST_COLUMNS = 10


@dataclass(frozen=True, slots=True, kw_only=True)
class Card:
    """Whose a strongbox is."""

    id: str
    install: str
    """The install's own id in a library."""
    path: str
    identity: tuple[int, int] | None


class Strongbox:
    """The strongbox of one install."""

    def __init__(self, folder: str) -> None:
        self.folder = folder
        self._place: LocalPlace | None = None
        self._made: set[str] = set()
        """Folders of objects that are known to be there."""
        self._journal: Journal | None = None
        self._users = 0
        """How many hold the journal, or wish it to stay open."""

    @property
    def journal_path(self) -> str:
        return os.path.join(self.folder, "journal.sqlite")

    @property
    def exists(self) -> bool:
        """Whether it is one: where its card or its list lies, its journal must lie too."""
        return any(os.path.lexists(os.path.join(self.folder, one)) for one in ("journal.sqlite", CARD, LIST))

    @property
    def place(self) -> LocalPlace:
        """The folder itself, open."""
        if self._place is None:
            from left_intact.core.files.place import LocalPlace

            self._place = LocalPlace(self.folder, ours=True)
        return self._place

    # ------------------------------------------------------------ its journal

    @contextmanager
    def journal(self) -> Iterator[Journal]:
        """Its journal, opened once for all who hold it at a time. Raises what opening one raises."""
        if self._journal is None:
            from left_intact.core.carrying.journal import Journal

            self._journal = Journal(self.journal_path)
        with self.held():
            yield self._journal

    @contextmanager
    def heads(self) -> Iterator[Heads]:
        """The heads of its runs: more of it is opened only where it is to stay open."""
        if self._users:
            with self.journal() as journal:
                yield journal
            return
        from left_intact.core.carrying.heads import Heads

        with Heads(self.journal_path) as heads:
            yield heads

    @contextmanager
    def held(self) -> Iterator[None]:
        """Until then its journal, once opened, stays so."""
        self._users += 1
        try:
            yield
        finally:
            self._users -= 1
            if not self._users and self._journal is not None:
                self._journal.close()
                self._journal = None

    def close(self) -> None:
        if self._place is not None:
            self._place.close()
            self._place = None
        self._made.clear()

    def make(self) -> None:
        """Make the folders, each for its owner alone. Raises `strongbox-unwritable`."""
        try:
            for folder in (os.path.dirname(self.folder), self.folder, os.path.join(self.folder, "objects")):
                _private_folder(folder)
        except OSError as error:
            raise LeftIntactError(
                "strongbox-unwritable",
                f"the strongbox cannot be made ({reason_of(error)})",
                path=self.folder,
                way_out="Give yourself the right to write there.",
            ) from error

    # ------------------------------------------------------------ whose it is

    def card(self) -> Card | None:
        """Whose it is; None where that cannot be read."""
        try:
            with open(os.path.join(self.folder, CARD), encoding="utf-8") as file:
                said = json.load(file)
            identity = said.get("identity")
            return Card(
                id=said["id"],
                install=said.get("install", ""),
                path=said["path"],
                identity=(identity[0], identity[1]) if identity else None,
            )
        except (OSError, ValueError, KeyError, TypeError):
            return None

    def claim(self, root: str, install: str) -> Card:
        """Write down whose it is, where that is not so already."""
        import secrets

        known = self.card()
        card = Card(
            id=known.id if known else secrets.token_hex(8),
            install=install,
            path=root,
            identity=identity_of(root),
        )
        if card != known:
            said = {"v": 1, "id": card.id, "install": install, "path": root, "identity": card.identity}
            self._write_whole(CARD, json.dumps(said).encode())
        return card

    def _write_whole(self, name: str, content: bytes) -> None:
        """A file of ours written beside, then put in its place in one step."""
        part = name + PART
        self.place.discard(part)
        with self.place.new_file(part) as file:
            file.write(content)
            file.flush()
            os.fsync(file.fileno())
        self.place.take(self.place, part, name, over=True)

    def write_list(self, rows: Iterable[Sequence[str]]) -> None:
        """The plain list of what every object is."""
        body = "".join("\t".join(row) + "\n" for row in rows)
        self._write_whole(LIST, (_LIST_HEAD + body).encode("utf-8", "backslashreplace"))

    def read_list(self) -> dict[str, list[tuple[str, ...]]] | None:
        """The rows of the plain list by their run; None where there is none, or it is not as it was
        written.
        """
        try:
            with open(os.path.join(self.folder, LIST), encoding="utf-8") as file:
                text = file.read()
        except (OSError, ValueError):
            return None
        if not text.startswith(_LIST_HEAD):
            return None
        found: dict[str, list[tuple[str, ...]]] = {}
        for line in text[len(_LIST_HEAD) :].splitlines():
            row = tuple(line.split("\t"))
            if len(row) != _LIST_COLUMNS:
                return None
            found.setdefault(row[1], []).append(row)
        return found

    # ------------------------------------------------------------ objects

    @staticmethod
    def object_name(digest: str) -> str:
        return f"objects/{digest[:2]}/{digest}"

    def object_path(self, digest: str) -> str:
        return os.path.join(self.folder, *self.object_name(digest).split("/"))

    def has(self, digest: str) -> bool:
        """Whether a verified copy is there; a damaged one counts as none.

        What a disk fails to read is read once more: a copy that is called damaged may never be put back.
        Raises `copy-refused` where the system will not let it be read: that says nothing of the copy.
        """
        name = self.object_name(digest)
        try:
            try:
                return self.place.digest(name) == digest
            except OSError as error:
                if error.errno != errno.EIO:
                    raise
                return self.place.digest(name) == digest
        except (FileNotFoundError, LeftIntactError):
            return False
        except OSError as error:
            if error.errno == errno.EIO:
                return False
            raise LeftIntactError(
                "copy-refused",
                f"a copy in the strongbox cannot be read ({reason_of(error)})",
                path=self.object_path(digest),
                way_out="Mend that, then start again.",
            ) from error

    def make_object_folders(self, digests: Iterable[str]) -> None:
        """The folders that objects with some digests lie in."""
        for folder in {self.object_name(digest).rpartition("/")[0] for digest in digests} - self._made:
            self.place.make_folders(folder)
            self._made.add(folder)

    def damaged(self, digest: str) -> LeftIntactError:
        """What is said where an object cannot be copied out."""
        return LeftIntactError(
            "strongbox-damaged",
            "a copy in the strongbox is missing or damaged",
            path=self.object_path(digest),
            way_out="Nothing else was touched; see what is in the strongbox before going on.",
        )

    def give(self, digest: str, place: LocalPlace, path: str) -> None:
        """Copy an object out to a new path. Raises `strongbox-damaged` where it fails its digest."""
        try:
            place.copy_in(self.place, self.object_name(digest), path, digest)
        except (LeftIntactError, FileNotFoundError) as error:
            raise self.damaged(digest) from error

    def free(self, digest: str) -> int:
        """Let go of an object; returns the bytes it freed."""
        info = self.place.stat(self.object_name(digest))
        if info is None:
            return 0
        self.place.discard(self.object_name(digest))
        return info.st_size

    def objects(self) -> set[str]:
        """The digests of all objects that are there, sound or not."""
        found: set[str] = set()
        for folder, _, names in os.walk(os.path.join(self.folder, "objects")):
            found.update(
                name for name in names if name.startswith(os.path.basename(folder)) and "." not in name
            )
        return found

    def parts(self) -> list[str]:
        """Copies that a crash cut off before they had their names, by their paths in the strongbox."""
        return [
            f"objects/{os.path.basename(folder)}/{name}"
            for folder, _, names in os.walk(os.path.join(self.folder, "objects"))
            for name in names
            if name.endswith(PART)
        ]

    def sizes(self) -> dict[str, int]:
        """The bytes of every object by its digest; another program may be letting go of some."""
        found = {}
        for digest in self.objects():
            with suppress(FileNotFoundError):
                found[digest] = os.path.getsize(self.object_path(digest))
        return found

    def size(self) -> int:
        """Bytes in all objects."""
        return sum(self.sizes().values())

    def flush(self) -> None:
        self.place.flush()

    # ------------------------------------------------------------ what was made on trial

    def trial_path(self, update: int, path: str) -> str:
        """Where a file that was changed while on trial is kept, under its own name; a name that is free."""
        wanted = f"from-trial-{update}/{path}"
        name, number = wanted, 2
        while self.place.stat(name) is not None:
            name, number = f"{wanted}.{number}", number + 1
        self.place.make_folders(name.rpartition("/")[0])
        return name

    def holds(self, path: str) -> bool:
        """Whether a whole path is one in this strongbox, and something lies there."""
        start = self.folder + os.sep
        return path.startswith(start) and self.place.stat(path[len(start) :].replace(os.sep, "/")) is not None

    # ------------------------------------------------------------ one at a time

    @contextmanager
    def locked(self) -> Iterator[None]:
        """Hold the strongbox for one process; a crash lets go of it by itself. Raises `busy`, `no-room`."""
        self.make()
        from left_intact.core.files.alone import alone

        try:
            with alone(os.path.join(self.folder, "lock"), "another Left Intact is at work on this install"):
                yield
        finally:
            self.close()


def _private_folder(folder: str) -> None:
    """A real folder for its owner alone, made where it is not there; an older one of ours is mended."""
    if not os.path.isdir(os.path.dirname(folder)):
        os.makedirs(os.path.dirname(folder), mode=0o700, exist_ok=True)
    with suppress(FileExistsError):
        os.mkdir(folder, 0o700)
    if hasattr(os, "getuid"):
        info = os.lstat(folder)
        if info.st_uid == os.getuid() and info.st_mode & 0o077:
            os.chmod(folder, 0o700)
