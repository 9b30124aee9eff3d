"""The sources of evidence that look at one entry. Each looks at one thing and says what it saw, in words.

What names say is in `names`, what times say in `times`, what siblings say in `siblings`, what
settings say of folders in `references`.
"""

from __future__ import annotations

from functools import lru_cache

from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Entry, Evidence
from left_intact.core.model.pages import MENTIONS_PERSON, SPARSE
from left_intact.core.settings.formats.registry import is_settings_text
from left_intact.core.survey.said import said
from left_intact.core.survey.times import Times
from left_intact.core.survey.weights import Shape, weights

P, S = FileClass.PROGRAM, FileClass.SETTINGS
_MADE_BY_RUNS = (FileClass.SAVES, FileClass.SETTINGS, FileClass.CACHE)


def from_pattern(source: str, pattern: str, file_class: FileClass, path: str) -> tuple[Evidence, ...]:
    """What a ruling or a line of a keepsheet says of a path that meets it; both in words."""
    word = "you said" if source == "ruling" else "the keepsheet says"
    text = f"{word} {pattern} is {file_class}" if pattern != path else f"{word} this is {file_class}"
    return (said(source, text, file_class, weights().spoken[source]),)


@lru_cache(maxsize=4096)
def of_baseline(name: str, key: str, settings: bool = False) -> tuple[Evidence, ...]:
    """What it says where a path is `absent`, `equal` or `changed`."""
    spoken = weights().spoken
    if key == "absent":
        return (said("baseline", f"{name} did not ship it", P, spoken["baseline-absent"]),)
    if key == "equal":
        return (said("baseline", f"{name} shipped exactly this", P, spoken["baseline-equal"]),)
    if settings:
        says = f"{name} shipped it, you changed it"
        return (
            said("baseline", says, S, spoken["baseline-changed-settings"]),
            said("baseline", says, P, spoken["baseline-changed"]),
        )
    return (said("baseline", f"{name} shipped it, it was changed since", P, spoken["baseline-changed"]),)


def from_baseline(
    name: str, shipped: Entry, digest: str, file_format: str, link: str
) -> tuple[Evidence, ...]:
    """What the release that the install came from had under a path."""
    same = digest == shipped.digest if digest else bool(link) and link == shipped.link
    return of_baseline(
        name,
        "equal" if same else "changed",
        is_settings_text(file_format) or is_settings_text(shipped.format),
    )


@lru_cache(maxsize=64)
def from_list(source: str, state: str, settings: bool) -> tuple[Evidence, ...]:
    """What a list of files that the release itself carries says of a path. `state` is from `Listed`."""
    if not state:
        return ()
    spoken = weights().spoken
    says = {
        "equal": f"{source} lists exactly this",
        "named": f"{source} lists it",
        "changed": f"{source} lists it, it was changed since",
        "absent": f"{source} does not list it",
    }
    key = {"equal": "listed-equal", "named": "listed", "changed": "listed-changed", "absent": "listed-absent"}
    found = (said("list", says[state], P, spoken[key[state]]),)
    if state == "changed" and settings:
        return (*found, said("list", says[state], S, spoken["baseline-changed-settings"]))
    return found


def arrival_case(
    coming: Entry, digest: str, file_format: str, seconds: int, times: Times, *, like_settings: bool
) -> str:
    """What is the case where the arriving release has something under a path: a key of `of_arrival`.

    Settings text says little, since a default lies under the name of the person's own; but
    one that was written in the very seconds of the release was never touched since.
    """
    if digest and coming.digest == digest:
        return "arrival-equal"
    if coming.format.split(" ")[0] != file_format.split(" ", maxsplit=1)[0]:
        return "arrival-other"
    if not like_settings:
        return "arrival-path"
    return "arrival-path-untouched" if times.near(seconds) else "arrival-path-settings"


_ARRIVAL_SAYS = {
    "arrival-absent": "has nothing here",
    "arrival-absent-unproven": "has nothing here",
    "arrival-folder-absent": "has no such folder",
    "arrival-equal": "ships exactly this",
    "arrival-other": "ships something else here",
}


@lru_cache(maxsize=256)
def of_arrival(name: str, case: str, whole: float) -> tuple[Evidence, ...]:
    """What the arriving release says in a case; `whole` is how much it speaks as a whole, from 0 to 1."""
    spoken = weights().spoken
    weight = 0.0 if case == "arrival-other" else spoken[case]
    if (most := spoken.get(f"{case}-whole")) is not None:
        weight += whole * (most - weight)
    return (said("arrival", f"{name} {_ARRIVAL_SAYS.get(case, 'ships one of this kind here')}", P, weight),)


@lru_cache(maxsize=1024)
def from_header(file_format: str) -> tuple[Evidence, ...]:
    """What the first bytes say."""
    known = weights().header
    found = known.get(file_format) or known.get(file_format.split(" ", maxsplit=1)[0])
    if not found and is_settings_text(file_format):
        found = known.get("text settings")
    if not found:
        return ()
    says, by_class = found
    detailed = file_format.split(" ", maxsplit=1)[0] in ("elf", "pe", "macho", "script")
    return tuple(
        said("header", f"{says} ({file_format})" if detailed else says, c, weight) for c, weight in by_class
    )


def shape_key(file_format: str, size: int, mark: int) -> tuple[int, int]:
    """Everything that `from_shape` depends on, as a small key."""
    if mark & MENTIONS_PERSON:
        return -1, 1 if is_settings_text(file_format) or file_format in ("text xml", "text plain") else 0
    if file_format in ("bytes", "zeros", "ones"):
        blank = 1 if mark & SPARSE or file_format != "bytes" else 0
        if size & (size - 1) == 0:
            return size, blank
        return (1 << 20) + 1 if size > 1 << 20 else 0, blank
    return 0, 0


@lru_cache(maxsize=4096)
def from_shape(key: tuple[int, int]) -> tuple[Evidence, ...]:
    """What the size of bytes without a header, or the places that a text names, say."""
    size, more = key
    spoken = weights().spoken
    if size == -1:
        says = "names places of the person's"
        against = said("structure", says, P, spoken["mentions-not-program"])
        return (said("structure", says, S, spoken["mentions-person"]), against) if more else (against,)
    return tuple(e for shape in weights().shapes for e in _shape(size, bool(more), shape))


def _shape(size: int, blank: bool, shape: Shape) -> list[Evidence]:
    power = size > 0 and size & (size - 1) == 0
    if (
        not shape.least <= size <= shape.most
        or (shape.power_of_two and not power)
        or (shape.sparse and not blank)
    ):
        return []
    text = f"{size:,} bytes: {shape.says}" if shape.power_of_two else shape.says
    return [said("structure" if shape.sparse else "size", text, c, weight) for c, weight in shape.weights]


@lru_cache(maxsize=64)
def from_rights(executable: bool, read_only: bool) -> tuple[Evidence, ...]:
    """What the mode says, on a file system where modes mean something."""
    spoken = weights().spoken
    found = []
    if executable:
        found.append(said("rights", "may be run", P, spoken["mode-runs"]))
    if read_only:
        found.append(said("rights", "nobody may write it", P, spoken["mode-read-only"]))
    return tuple(found)


def from_run(change: str) -> tuple[Evidence, ...]:
    """What watching a run of the program says: `made` or `changed` while it ran; `stub`, made and untouched
    since.
    """
    spoken = weights().spoken
    says = (
        "made while you ran the program, untouched since: a stub"
        if change == "stub"
        else f"{change} while you ran the program"
    )
    found = [said("run", says, P, spoken["run-changed" if change == "changed" else "run-made"])]
    return (*found, *(said("run", says, c, spoken["run-made-kept"]) for c in _MADE_BY_RUNS))


def from_link(target: str, folder: str) -> tuple[Evidence, ...]:
    """What the target of a link says: inside the install like the release's own, or out of it."""
    spoken = weights().spoken
    depth = folder.count("/") + 1 if folder else 0
    outward = target.startswith(("/", "\\")) or target.split("/").count("..") > depth or target[1:2] == ":"
    if outward:
        return (said("link", "a link that leads out of the install", P, spoken["link-outside"]),)
    return (said("link", "a link to something beside it", P, spoken["link-inside"]),)
