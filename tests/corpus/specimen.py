"""One labelled install: what the release shipped, what came after, and what each file truly is."""

from __future__ import annotations

import hashlib
import os
from collections.abc import Callable, Iterable
from pathlib import Path

from left_intact.core.model.classes import FileClass
from left_intact.demo.planting import Bed
from tests.corpus.makers import TITLES, Maker

DAY = 86400
BUILT = 1_720_000_000
"""When the releases of the corpus were built, in seconds since 1970."""
C = FileClass


class Specimen:
    """A made-up program as somebody has it, with the truth about every file.

    `dates` says what became of the times of the release: `kept` as the packer left them,
    `unpacked` all at the moment of unpacking, `sources` scattered before the build, or `flat`,
    when the whole install was copied without its times.
    """

    def __init__(self, name: str, *, dates: str = "kept", held_out: bool = False) -> None:
        self.name, self.dates, self.held_out = name, dates, held_out
        self.make = Maker(name)
        self.bed, self.shipped = Bed(), Bed()
        self.truth: dict[str, FileClass] = {}
        self._clock = BUILT + 40 * DAY
        self.titles = list(TITLES)
        self.make.rng.shuffle(self.titles)

    # ------------------------------------------------------------ the release

    def ship(self, path: str, content: bytes, *, mode: int = 0o644) -> None:
        """A file of the release, as it was shipped."""
        code = content[:4] in (b"\x7fELF", b"\xcf\xfa\xed\xfe") or content[:2] in (b"#!", b"MZ")
        when = self._release_time(code=code)
        runs = code and content[:2] != b"MZ"
        self._plant(path, content, when, 0o755 if runs else mode, C.PROGRAM)
        self.shipped.put(path, content, when)

    def ships(self, pattern: str, names: Iterable[str], maker: Callable[[], bytes]) -> None:
        for name in names:
            self.ship(pattern.format(name), maker())

    def ship_and_change(
        self, path: str, shipped: bytes, changed: bytes, kind: FileClass = C.SETTINGS
    ) -> None:
        """A file of the release that the person, or a run, changed since."""
        self.shipped.put(path, shipped, self._release_time())
        self._plant(path, changed, self._later(), 0o644, kind)

    def ship_list(self, path: str = "SHA256SUMS") -> None:
        """The release's own list of its files, as checksum tools write it."""
        rows = [
            f"{hashlib.sha256(p.content).hexdigest()}  {name}\n"
            for name, p in sorted(self.shipped.plants.items())
        ]
        self.ship(path, "".join(rows).encode())

    # ------------------------------------------------------------ what came after

    def have(self, path: str, content: bytes, kind: FileClass, *, when: int | None = None) -> None:
        """A file that the release never shipped."""
        self._plant(path, content, when or self._later(), 0o644, kind)

    def haves(self, pattern: str, names: Iterable[str], maker: Callable[[], bytes], kind: FileClass) -> None:
        for name in names:
            self.have(pattern.format(name), maker(), kind)

    def brought(
        self,
        pattern: str,
        names: Iterable[str],
        maker: Callable[[], bytes],
        kind: FileClass,
        days: int = -200,
    ) -> None:
        """Files of one date, as things have that were unpacked from somewhere else."""
        when = BUILT + days * DAY + self.make.rng.randint(0, 5000)
        for name in names:
            self.have(pattern.format(name), maker(), kind, when=when + self.make.rng.randint(0, 3))

    def some(self, count: int, start: int = 0) -> list[str]:
        return self.titles[start : start + count]

    # ------------------------------------------------------------ times and planting

    def _release_time(self, *, code: bool = False) -> int:
        rng = self.make.rng
        # What is compiled is of the build's moment, but for libraries taken from elsewhere.
        if self.dates == "sources" and not (code and rng.random() < 0.8):
            return BUILT - rng.randint(0, 900) * DAY - rng.randint(0, 80_000)
        return BUILT + (30 * DAY if self.dates == "unpacked" else 0) + rng.randint(0, 40)

    def _later(self) -> int:
        self._clock += self.make.rng.randint(3600, 4 * DAY)
        return self._clock

    def _plant(self, path: str, content: bytes, when: int, mode: int, kind: FileClass) -> None:
        assert path not in self.truth, path
        self.bed.put(path, content, BUILT + 500 * DAY if self.dates == "flat" else when, mode)
        self.truth[path] = kind

    def lay(self, folder: Path) -> tuple[Path, Path]:
        """(install, the release it came from), both as folders."""
        install, release = folder / self.name, folder / f"{self.name}-release"
        for path in (install, release):
            os.makedirs(path)
        self.bed.lay(str(install))
        self.shipped.lay(str(release))
        return install, release
