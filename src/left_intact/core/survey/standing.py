"""Where a folder stands: a name claims only what its content suits.

A folder named for pictures that holds four thousand files of code holds no pictures, and `cache` or `theme`
between files of code is a part of that code. So before names of folders speak, what looks shipped is counted
for every folder and all below it.
"""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Sequence

from left_intact.core.files.headers import is_binary_program
from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Evidence
from left_intact.core.model.pages import Page
from left_intact.core.model.place import TOP, At
from left_intact.core.settings.formats.registry import is_settings_text
from left_intact.core.survey.names import evidence_of_folders, known_folders, name_evidence, split_name
from left_intact.core.survey.weights import ADDED, EXTENDED, Weighed, weights

P = FileClass.PROGRAM
_MADE_BY_RUNS = (FileClass.SAVES, FileClass.STATES, FileClass.CACHE)
OTHER, LOOKS_SHIPPED, SOURCE, SCRIPT, MACHINE = 0, 1, 2, 3, 4
"""How a file looks: as nothing that tells, as releases ship by its ending, and that as text, as a script, as
machine code."""
_FEW = 3
_MOST = 0.5
"""Of what lies in a folder so much must look shipped for the folder to be one of code."""
_HOLDS_THE_CODE = 0.4
"""A folder with so much of all code is where the program lies, whatever it is called."""
_BIG, _MANY, _OFTEN = 20, 40, 4
_TELLING = 2.0
"""The weight of a name that tells what a run makes."""
_RESOURCES = ("font", "wasm", "resource")
_PICTURES = frozenset(("png", "jpeg", "gif", "webp", "bmp", "text svg"))


class FolderContents:
    """What the folders of a tree hold. `names` says whether names may speak at all."""

    def __init__(self, pages: Sequence[Page], *, names: bool = True) -> None:
        self._names = names
        self._looks: dict[At, bytes] = {}
        self._spoken: dict[At, list[tuple[Evidence, ...]]] = {}
        self._files: Counter[At] = Counter()
        self._code: Counter[At] = Counter()
        self._below: Counter[At] = Counter()
        self._called: Counter[str] = Counter()
        self._pictures_below: Counter[At] = Counter()
        self._code_below: Counter[At] = Counter()
        self._own_formats: dict[str, Counter[At]] = defaultdict(Counter)
        self._is_own: dict[str, bool] = {}
        self._holds_own: dict[At, bool] = {}
        self._evidence: dict[At, tuple[Evidence, ...]] = {}
        known: dict[tuple[int, str], int] = {}
        for page in pages:
            self._count(page, known)

    def _count(self, page: Page, known: dict[tuple[int, str], int]) -> None:
        looks = bytearray()
        spoken = [name_evidence(name) if self._names else () for name in page.names]
        self._spoken[page.at] = spoken
        for evidence, file_format in zip(spoken, page.formats or [""] * len(spoken), strict=True):
            key = (id(evidence), file_format)
            found = known.get(key)
            if found is None:
                found = known[key] = _look_of(evidence, file_format)
            looks.append(found)
        self._looks[page.at] = bytes(looks)
        source = looks.count(SOURCE) + looks.count(SCRIPT)
        size, code = len(looks), source + looks.count(MACHINE)
        self._files[page.at], self._code[page.at] = size, source
        pictures = sum(1 for file_format in page.formats if file_format in _PICTURES)
        self._called[page.at.name] += 1
        for name, file_format in zip(page.names, page.formats, strict=False):
            if file_format == "text xml" and (ending := split_name(name)[1]) not in weights().suffix:
                self._own_formats[ending][page.at] += 1
        for at in page.at.upwards():
            self._below[at] += size
            self._pictures_below[at] += pictures
            self._code_below[at] += code

    def looks(self, folder: At) -> bytes:
        """For each name of a folder how it looks."""
        return self._looks.get(folder, b"")

    def is_added_to(self, folder: At) -> bool:
        """Whether a folder or one above is named for what people add, or may, whatever lies in it."""
        return any(row[2].endswith((ADDED, EXTENDED)) for _, _, row in known_folders(folder.shown))

    def spoken(self, folder: At) -> Sequence[tuple[Evidence, ...]]:
        """What each name of a folder says by itself."""
        return self._spoken.get(folder, ())

    def is_in_code(self, folder: At) -> bool:
        """Whether a folder lies in one of code that people write, or deep in a tree of it. Machine code does
        not count: beside that lies what people start, and what they keep.
        """
        above = [at for at in folder.upwards() if at not in (folder, TOP)]
        if not above:
            return False
        if self._code[above[0]] >= 2 and self._code[above[0]] >= _MOST * self._files[above[0]]:
            return True
        return any(self._code_below[at] >= max(_BIG, _MOST * self._below[at]) for at in above[1:])

    def evidence(self, folder: At) -> tuple[Evidence, ...]:
        """What the names of a folder and of those above it say, as far as they may claim it."""
        found = self._evidence.get(folder)
        if found is None:
            # The label of a root speaks like the name of a folder.
            known = known_folders(folder.shown) if self._names and folder != TOP else ()
            start = len(folder.root) + 2 if folder.root else 0
            rows = [(part, row, self.claims(At(folder.root, at[start:]), row)) for part, at, row in known]
            kept = [(part, (kind, weight * share, why)) for part, (kind, weight, why), share in rows if share]
            found = self._evidence[folder] = evidence_of_folders(kept)
        return found

    def is_foreign(self, folder: At) -> bool:
        """Whether a folder is, by its name or one above, of things that the person keeps or a run makes."""
        least = weights().spoken["subtree-least"]
        return any(e.speaks_for is not P and e.weight >= least for e in self.evidence(folder))

    def is_made(self, folder: At, of_name: tuple[Evidence, ...]) -> bool:
        """Whether a file is, by its names, one that a run makes: no release ships many of those. `of_name` is
        what its own says.
        """
        if any(e.speaks_for is P and e.weight > 0 for e in of_name):
            return False  # a note in a folder for saves
        return any(
            e.speaks_for in _MADE_BY_RUNS and e.weight >= _TELLING for e in (*self.evidence(folder), *of_name)
        )

    def is_own_format(self, name: str, file_format: str) -> bool:
        """Whether something is XML of an ending that only this program has, most of it where releases put
        things: its dialogs and lists.
        """
        if file_format != "text xml" or not self._names:
            return False
        ending = split_name(name)[1]
        found = self._is_own.get(ending)
        if found is None:
            by_folder = self._own_formats.get(ending, Counter())
            files = sum(by_folder.values())
            shipped = sum(n for folder, n in by_folder.items() if self._is_shipped(folder))
            found = len(by_folder) >= _OFTEN and files >= _MANY and shipped >= _MOST * files
            self._is_own[ending] = found
        return found

    def _is_shipped(self, folder: At) -> bool:
        """Whether the names of a folder and those above say that releases put things there."""
        evidence = self.evidence(folder)
        return sum(e.weight if e.speaks_for is P else -e.weight for e in evidence) > 0

    def _holds_own_format(self, folder: At) -> bool:
        """Whether most below a folder is XML of an ending that only this program has, in many folders: its
        dialogs, say, and nobody's settings.
        """
        found = self._holds_own.get(folder)
        if found is None:
            found = False
            for by_folder in self._own_formats.values():
                inside = [n for at, n in by_folder.items() if folder.holds(at)]
                found |= len(inside) >= _OFTEN and sum(inside) >= max(_BIG, _MOST * self._below[folder])
            self._holds_own[folder] = found
        return found

    def claims(self, folder: At, row: Weighed) -> float:
        """How much of what its name says for the person a folder may claim, from 0 to 1."""
        kind, weight, reason = row
        if kind is P and weight > 0:
            return 1.0
        size, code = self._below[folder], self._code_below[folder]
        in_code = self.is_in_code(folder)
        if kind is FileClass.SETTINGS and self._holds_own_format(folder):
            return 0.0
        if reason.endswith(ADDED):
            if code >= _BIG and code >= _HOLDS_THE_CODE * self._code_below[TOP]:
                return 0.0
            if code >= _MOST * size and self._called[folder.name] >= _OFTEN:
                return 0.0
            if in_code and code >= _MOST * size:
                return weights().spoken["code-in-code"]
        elif size >= _FEW and code >= _MOST * size:
            return 0.0
        elif kind is FileClass.CONTENT and self._pictures_below[folder] >= max(_FEW, _MOST * size):
            return 0.0  # images in another sense
        return weights().spoken["in-code"] if in_code else 1.0


def _look_of(evidence: tuple[Evidence, ...], file_format: str) -> int:
    if is_binary_program(file_format):
        return MACHINE
    if file_format.startswith("script "):
        return SCRIPT
    if file_format in _RESOURCES:
        return LOOKS_SHIPPED
    if is_settings_text(file_format) or any(_speaks_against(e) for e in evidence):
        return OTHER
    if not any(e.weight >= weights().spoken["looks-shipped"] for e in evidence):
        return OTHER
    return SOURCE if file_format.startswith("text ") or not file_format else LOOKS_SHIPPED


def _speaks_against(evidence: Evidence) -> bool:
    """Whether a name denies that something is the program's: a word for themes or mods does not, where it
    is but a part of the name of code.
    """
    if evidence.speaks_for is FileClass.EXTRAS and 0 < evidence.weight < weights().spoken["looks-theirs"]:
        return False
    return evidence.speaks_for is not P or evidence.weight < 0
