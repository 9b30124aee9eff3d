"""One labelled install: what the release shipped, what came after, and what each file truly is."""

from __future__ import annotations

import hashlib
import os
from collections.abc import Collection
from pathlib import Path

from left_intact.core.model.classes import FileClass
from left_intact.core.model.place import At, from_words
from left_intact.demo.planting import Bed
from tests.corpus.makers import Maker

DAY = 86400
BUILT = 1_720_000_000
"""When the releases of the corpus were built, in seconds since 1970."""
C = FileClass
APART = "apart"
"""The label of the root beside the first, where a program has one."""


class Specimen:
    """A made-up program as somebody has it, with the truth about every file.

    `times` says what became of the times of the release: `kept` as the packer left them, `unpacked` all at
    the moment of unpacking, `sources` scattered before the build, or `parts`, with a second moment for what
    was built apart.
    """

    def __init__(self, name: str, *, times: str = "kept", held_out: bool = False) -> None:
        self.name, self.times, self.held_out = name, times, held_out
        self.role = ""
        self.make = Maker(name)
        self.bed, self.shipped, self.apart = Bed(), Bed(), Bed()
        self.truth: dict[str, frozenset[FileClass]] = {}
        """By path: what may be said of a file. One class, but where two are both true."""
        self.patched: set[str] = set()
        """Shipped files, no settings, that the person changed: anything but surely as shipped."""
        self.decisions: list[tuple[str, str]] = []
        self._clock = BUILT + 40 * DAY

    # ------------------------------------------------------------ the release

    def ship(self, path: str, content: bytes) -> None:
        """A file of the release, as it was shipped."""
        code = content[:4] in (b"\x7fELF", b"\xcf\xfa\xed\xfe") or content[:2] in (b"#!", b"MZ")
        runs = code and content[:2] != b"MZ"
        mode, when = 0o755 if runs else 0o644, self._release_time(code=code)
        self._plant(path, content, when, C.PROGRAM, mode)
        self.shipped.put(path, content, when, mode)

    def change(self, path: str, content: bytes, *kinds: FileClass) -> None:
        """Something shipped that the person, or a run, changed since; of no class where it is patched."""
        self.bed.put(path, content, self._later(), self.bed.plants[path].mode)
        self.truth[path] = frozenset(kinds)
        if not kinds:
            self.patched.add(path)

    def lose(self, path: str) -> None:
        """Something shipped that the person deleted."""
        del self.bed.plants[path], self.truth[path]

    def ship_list(self, path: str) -> None:
        """The release's own list of its files, as checksum tools write it."""
        rows = (
            f"{hashlib.sha256(plant.content).hexdigest()}  {name}\n"
            for name, plant in sorted(self.shipped.plants.items())
        )
        self.ship(path, "".join(rows).encode())

    # ------------------------------------------------------------ what came after

    def have(
        self, path: str, content: bytes, kind: FileClass | Collection[FileClass], *, when: int | None = None
    ) -> None:
        """A file that the release never shipped; below `APART` it lies in the root beside the first."""
        self._plant(path, content, when or self._later(), kind, 0o644)

    def brought_at(self, days: int) -> int:
        """A moment so many days before the build."""
        return BUILT - days * DAY + self.make.rng.randint(0, 5000)

    # ------------------------------------------------------------ times and planting

    def _release_time(self, *, code: bool = False) -> int:
        rng = self.make.rng
        # What is compiled is of the build's moment, but for libraries taken from elsewhere; of the sources
        # half are as they were fetched to be built, half were worked on at some time.
        if self.times == "sources" and not (code and rng.random() < 0.8):
            if rng.random() < 0.5:
                return BUILT - 400 * DAY + rng.randint(0, 20)
            return BUILT - rng.randint(0, 900) * DAY - rng.randint(0, 80_000)
        if self.times == "parts" and rng.random() < 0.3:
            return BUILT - 90 * DAY + rng.randint(0, 40)
        return BUILT + (30 * DAY if self.times == "unpacked" else 0) + rng.randint(0, 40)

    def _later(self) -> int:
        self._clock += self.make.rng.randint(3600, 4 * DAY)
        return self._clock

    def _plant(
        self, path: str, content: bytes, when: int, kind: FileClass | Collection[FileClass], mode: int
    ) -> None:
        root, inside = from_words(path, (APART,))
        bed = self.apart if root else self.bed
        assert inside and not inside.startswith("/") and path not in self.truth, path
        bed.put(inside, content, when, mode)
        self.truth[path] = frozenset((kind,) if isinstance(kind, FileClass) else kind)

    @property
    def files(self) -> list[str]:
        """The paths of what lies in the first root."""
        return list(self.bed.plants)

    def lay(self, folder: Path) -> tuple[Path, Path]:
        """(install, the release it came from), both as folders."""
        install, release = folder / self.name, folder / f"{self.name}-release"
        for path in (install, release):
            os.makedirs(path)
        self.bed.lay(str(install))
        self.shipped.lay(str(release))
        return install, release

    def lay_apart(self, folder: Path) -> tuple[tuple[str, str], ...]:
        """(label, folder) of the root beside the first; empty for none."""
        if not self.apart.plants:
            return ()
        place = folder / f"{self.name}-apart"
        self.apart.lay(str(place))
        return ((APART, str(place)),)


def folders_of(specimen: Specimen) -> set[str]:
    """All folder paths of a specimen, in both roots, without the label."""
    found = set()
    for path in specimen.truth:
        folder = path.removeprefix(At(APART, "").shown + "/").rpartition("/")[0]
        while folder:
            found.add(folder)
            folder = folder.rpartition("/")[0]
    return found
