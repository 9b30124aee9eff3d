"""What speaks for an entry in what lies around it: its siblings, what is like it, whose name it bears."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable
from functools import lru_cache

from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Evidence
from left_intact.core.model.pages import COLUMNS, HEAD_BYTES, Page
from left_intact.core.model.place import TOP, At
from left_intact.core.settings.formats.registry import is_settings_text
from left_intact.core.survey.names import looks_hashed, split_name
from left_intact.core.survey.said import said
from left_intact.core.survey.spelling import normalised_name
from left_intact.core.survey.weights import weights

P, C = FileClass.PROGRAM, FileClass
PICTURE_FORMATS = frozenset(("png", "jpeg", "webp", "bmp", "gif", "qoi"))
_SHARE = 0.8
_TITLE_LEAST = 4


class Siblings:
    """The classes of what is surely sorted, by folder and by all below it."""

    def __init__(self) -> None:
        self._here: dict[At, Counter[FileClass]] = {}
        self._sizes: Counter[At] = Counter()
        self._below: dict[At, Counter[FileClass]] = {}
        self._below_sizes: Counter[At] = Counter()

    def add(self, folder: At, sure: Counter[FileClass], size: int) -> None:
        """Take in a folder: how many of each class are sure, of how many in all."""
        self._here[folder] = sure
        self._sizes[folder] = size
        for at in folder.upwards():
            if at != TOP:
                self._below.setdefault(at, Counter()).update(sure)
                self._below_sizes[at] += size

    def evidence(self, folder: At, own: FileClass | None) -> tuple[Evidence, ...]:
        """What the siblings of something are; `own` is its class where that is among the sure ones."""
        if folder == TOP:
            return ()
        w = weights()
        found = _speak(
            self._here.get(folder), self._sizes[folder], own, w.siblings["least"], w.siblings["share"]
        )
        if found:
            best, count, others = found
            heavy = w.spoken["siblings-program" if best is P else "siblings"] * count / others
            return (
                said("siblings", f"{count} of {others} others in {folder.shown}/ are {best}", best, heavy),
            )
        for above in folder.upwards():
            if above == TOP:
                break
            found = _speak(
                self._below.get(above),
                self._below_sizes[above],
                own,
                w.siblings["above-least"],
                w.siblings["above-share"],
            )
            if found and found[0] is not P:
                best, count, others = found
                says = f"{count} of {others} others in and below {above.shown}/ are {best}"
                return (said("siblings", says, best, w.spoken["siblings-above"] * count / others),)
        return ()


def _speak(
    counts: Counter[FileClass] | None, size: int, own: FileClass | None, least: float, share: float
) -> tuple[FileClass, int, int] | None:
    if not counts:
        return None
    best, count = max(counts.items(), key=lambda item: item[1] - (item[0] is own))
    count -= best is own
    others = size - 1
    return (best, count, others) if others > 0 and count >= least and count / others >= share else None


def alike_in(page: Page, weak: Iterable[int]) -> dict[int, tuple[Evidence, ...]]:
    """What being one of many that are alike says, for the unknown bytes among the weakly sorted of a page."""
    w, spoken = weights().siblings, weights().spoken
    at = [i for i in weak if page.formats and page.formats[i] in ("bytes", "zeros")]
    if len(at) < w["alike-least"]:
        return {}
    sizes = page.numbers[1::COLUMNS]
    unlike = len({sizes[i] for i in at}) > (1 - _SHARE) * len(at) + 1
    if (
        unlike
        and not any(looks_hashed(page.names[i]) for i in at[:4])
        and max(sizes[i] for i in at) < w["large"]
    ):
        return {}
    by_size = Counter(sizes[i] for i in at)
    size, same_size = by_size.most_common(1)[0]
    hashed = (
        sum(1 for i in at if looks_hashed(page.names[i]))
        if any(looks_hashed(page.names[i]) for i in at[:4])
        else 0
    )
    if not hashed and same_size < _SHARE * len(at) and max(by_size) < w["large"]:
        return {}
    heads = Counter(page.heads[i * HEAD_BYTES : (i + 1) * HEAD_BYTES] for i in at)
    head, same_head = heads.most_common(1)[0]
    power = size >= 512 and size & (size - 1) == 0
    if len(at) >= w["alike-cache-least"] and hashed >= _SHARE * len(at):
        found = (
            said("structure", f"one of {len(at)} that are named by digests", C.CACHE, spoken["alike-cache"]),
        )
    elif same_size >= _SHARE * len(at) and power:
        found = (
            said(
                "structure",
                f"one of {len(at)} of {size:,} bytes, a power of two",
                C.SAVES,
                spoken["alike-saves"],
            ),
        )
    elif same_size >= _SHARE * len(at) and same_head >= _SHARE * len(at) and any(head) and size >= 2048:
        found = (
            said(
                "structure",
                f"one of {len(at)} that begin alike and have one size",
                C.STATES,
                spoken["alike-states"],
            ),
        )
    elif sum(1 for i in at if sizes[i] >= w["large"]) >= _SHARE * len(at):
        found = (
            said("structure", f"one of {len(at)} that are large and not alike", C.CONTENT, spoken["unlike"]),
        )
    else:
        return {}
    return dict.fromkeys(at, found)


class Titles:
    """The names of what is played: other things of the person's bear them too."""

    def __init__(self, names: Iterable[tuple[str, str]]) -> None:
        """`names` are stems and endings of what is played."""
        names = list(names)
        stems = (title_of(stem) for stem, _ in names)
        self._stems = frozenset(s for s in stems if len(s) >= _TITLE_LEAST and not s.isdigit())
        self._endings = frozenset(ending for _, ending in names)

    def __len__(self) -> int:
        return len(self._stems)

    def evidence(self, name: str, file_format: str, size: int) -> tuple[Evidence, ...]:
        if not self._stems:
            return ()
        stem, ending = split_name(name)
        if ending in self._endings or title_of(stem) not in self._stems:
            return ()
        return _titled(_kind_of(file_format, size))


def title_of(stem: str) -> str:
    """A title as names of other files bear it: without what is in brackets, numbers of slots and second
    endings.
    """
    for cut in ("(", "[", "{"):
        stem = stem.partition(cut)[0] or stem
    stem = stem.partition(".")[0] or stem
    return normalised_name(stem).rstrip("0123456789")


def _kind_of(file_format: str, size: int) -> str:
    if file_format in PICTURE_FORMATS:
        return "picture"
    if file_format.startswith("text "):
        return "text" if is_settings_text(file_format) or file_format == "text xml" else ""
    return (
        "memory"
        if size >= 512 and size & (size - 1) == 0
        else "bytes"
        if file_format in ("bytes", "gzip", "zstd", "zip")
        else ""
    )


@lru_cache(maxsize=16)
def _titled(kind: str) -> tuple[Evidence, ...]:
    heavy = weights().spoken["title"]
    says = "bears the name of a title that lies elsewhere here"
    by_kind: dict[str, tuple[tuple[FileClass, float], ...]] = {
        "picture": ((C.EXTRAS, heavy),),
        "text": ((C.SETTINGS, heavy),),
        "memory": ((C.SAVES, heavy),),
        "bytes": ((C.STATES, heavy * 0.7), (C.SAVES, heavy * 0.6)),
    }
    speaks = by_kind.get(kind, ())
    against = said("title", says, P, weights().spoken["title-not-program"])
    return (*(said("title", says, c, x) for c, x in speaks), against)
