"""What names say: of folders, of endings, of files, in several languages and many ways of writing."""

from __future__ import annotations

import itertools
import re
import unicodedata
from collections.abc import Sequence
from functools import cache, lru_cache

from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Evidence
from left_intact.core.survey.said import said
from left_intact.core.survey.spelling import normalised_name, words_of
from left_intact.core.survey.vocabulary import either, words
from left_intact.core.survey.weights import PICTURES, Weighed, weights

P = FileClass.PROGRAM
_LIBRARY = re.compile(r"\.so(\.\d+)+$")
_COUNTED = re.compile(r"^(\.[a-z]{2,}?)[\-_]?\d{1,3}$")
_COPY, _KEPT_AS = either("copy"), either("copy-ending")
_COPIED = re.compile(
    rf"(?i)(?:\.(?:{_KEPT_AS})\d*|(?<=.)~|[ ._-]*\((?:{_COPY}|\d+)\)|"
    rf"[ _][-–—][ _](?:{_COPY})(?:[ _]?\(\d+\))?| (?:のコピー|的副本|의 복사본)(?: ?\d+)?|"
    rf" (?:{_COPY})(?: \d+)?)$"
)
_COPY_OF = re.compile(
    rf"(?i)^(?:(?:{_COPY})(?: \(?\d+\)?)?[ _](?:{either('copy-of')})[ _]|(?:コピー|副本) ?[～~-] ?)(?=.)"
)
_WRAPPED = re.compile(r"(?i)\.(?:save|\d{1,3})$")
_HASHED = re.compile(r"(?i)^[0-9a-f]{8,64}(?:[-_.][0-9a-f]{2,64})*$")
_JOINED_LEAST, _PART_LEAST = 6, 3
_SHORT_LEAST, _SHORT_MOST, _SHORT_KNOWN = 3, 4, 2
"""Letters of what may be short for something, and how many words it must be short for."""


def looks_hashed(name: str) -> bool:
    """Whether a name is a digest, as programs give to what they can make again."""
    stem = name.rsplit(".", 1)[0] if "." in name else name
    return bool(_HASHED.match(stem)) and any(c.isdigit() for c in stem)


@lru_cache(maxsize=16384)
def known_word(word: str) -> Weighed | None:
    """What the table of folders says of a normalised word: itself, two words joined, or an abbreviation."""
    return weights().folder.get(word) or _joined(word) or _short_for(word)


def _joined(word: str) -> Weighed | None:
    """`tapesettings` is settings: the last of two joined words says what it is, the first is of any table
    or says whose.
    """
    w = weights()
    if len(word) < _JOINED_LEAST:
        return None
    for at in range(_PART_LEAST, len(word) - _PART_LEAST + 1):
        first, last = word[:at], word[at:]
        row = w.folder.get(last) or w.folder.get(last.removesuffix("s"))
        is_known = first in words("whose") or first in w.folder or first in w.stem
        if row is None or row[0] is P or not is_known:
            continue
        other = w.folder.get(first)
        if row[0] is FileClass.SAVES and other is not None and other[0] is FileClass.STATES:
            row = other  # saves of states are states
        return row[0], row[1] * w.spoken["joined-words"], row[2]
    return None


def _short_for(word: str) -> Weighed | None:
    """`mem` is short for words that are all of one class; a beginning that several classes share says
    nothing.
    """
    if not _SHORT_LEAST <= len(word) <= _SHORT_MOST:
        return None
    row, known = _beginnings().get(word, (None, 0))
    if row is None or known < _SHORT_KNOWN or row[0] is P:
        return None
    return row[0], row[1] * weights().spoken["short-for"], row[2]


@cache
def _beginnings() -> dict[str, tuple[Weighed | None, int]]:
    """By beginning: what all words that begin so are (None where they differ), and how many there are."""
    found: dict[str, tuple[Weighed | None, int]] = {}
    for word, row in weights().folder.items():
        for length in range(_SHORT_LEAST, min(_SHORT_MOST, len(word) - 1) + 1):
            known, count = found.get(word[:length], (row, 0))
            found[word[:length]] = (known if known is not None and known[0] is row[0] else None, count + 1)
    return found


def _known_folder(part: str) -> Weighed | None:
    """What the table says of one folder name: whole, else by two words together, else by one."""
    w = weights()
    if known := known_word(normalised_name(part)):
        return known
    parts = words_of(part)
    if parts and parts[0] in words("ordered-by"):
        return None  # how things are grouped, not what they are
    if len(parts) < 2:
        stripped = parts[0] if parts else ""
        return w.folder.get(stripped) if stripped and stripped != normalised_name(part) else None
    pairs = ["".join(pair) for pair in itertools.pairwise(parts)]
    for word in (*reversed(pairs), *reversed(parts)):
        row = w.folder.get(word)
        if row is not None and row[0] is not P:
            last = word in (pairs[-1], parts[-1], parts[0] if len(parts) == 1 else "")
            return row[0], row[1] * w.spoken["part-of-name" if last else "before-in-name"], row[2]
    return None


@lru_cache(maxsize=16384)
def known_folders(folder: str) -> tuple[tuple[str, str, Weighed], ...]:
    """(name, path of the folder so named, what the table says of it), the nearest first."""
    found, parts = [], folder.split("/") if folder else []
    for at in range(len(parts), 0, -1):
        if (row := _known_folder(parts[at - 1])) is not None:
            found.append((parts[at - 1], "/".join(parts[:at]), row))
    return tuple(found)


@lru_cache(maxsize=16384)
def nearest_name(folder: str) -> tuple[str, FileClass] | None:
    """(folder, class) of the nearest folder that is named outright for something of the person's."""
    least = weights().spoken["subtree-least"]
    rows = known_folders(folder)
    return next(((at, kind) for _, at, (kind, weight, _) in rows if kind is not P and weight >= least), None)


@lru_cache(maxsize=16384)
def folder_evidence(folder: str) -> tuple[Evidence, ...]:
    """What the names of a folder and of those above it say by themselves, whatever lies in them."""
    return evidence_of_folders([(part, row) for part, _, row in known_folders(folder)])


def evidence_of_folders(known: Sequence[tuple[str, Weighed]]) -> tuple[Evidence, ...]:
    """What known names of folders say, from the nearest to those above; the nearest counts most.

    Inside something that is named for the person's (`mods/Night Harbour/bin`) everything is:
    a mod brings its own code, a theme its own documents.
    """
    w = weights()
    if not known:
        return ()
    found: list[Evidence] = []
    part, (nearest, weight, reason) = known[0]
    outer = next(((p, k) for p, k in known if k[0] is not P and k[1] >= w.spoken["subtree-least"]), None)
    inside = outer is not None and nearest is P and weight > 0
    shipped = next(((p, k) for p, k in known[1:] if k[0] is P and k[1] >= w.spoken["shipped-subtree"]), None)
    if nearest is not P and shipped is not None:
        name, (_, heavy, why) = shipped
        return (
            said("name", f"in {part}/, {reason}", nearest, weight * w.spoken["in-a-shipped-subtree"]),
            said("name", f"all inside {name}/, {why}", P, heavy),
        )
    factor = w.spoken["in-a-subtree"] if inside else 1.0
    found.append(said("name", f"in {part}/, {reason}", nearest, weight * factor))
    if inside:
        assert outer is not None
        name, (subtree, heavy, why) = outer
        found.append(said("name", f"all inside {name}/, {why}", subtree, heavy))
        found.append(
            said("name", f"what {name}/ brings is not the program's", P, w.spoken["subtree-not-program"])
        )
        return tuple(found)
    for name, (kind, heavy, why) in known[1:]:
        in_subtree = nearest is P and weight > 0 and kind is P and heavy >= w.spoken["shipped-subtree"]
        share = w.spoken["further-in-a-subtree" if in_subtree else "outer-folder"]
        found.append(said("name", f"further up {name}/, {why}", kind, heavy * share))
        break
    if nearest is not P and weight >= w.spoken["subtree-least"]:
        shown = nearest is FileClass.SETTINGS or reason.endswith(PICTURES)
        key = "subtree-slightly-not-program" if shown else "subtree-seldom-program"
        found.append(said("name", f"releases seldom ship what lies in {part}/", P, w.spoken[key]))
    return tuple(found)


@lru_cache(maxsize=4096)
def copied_from(name: str) -> str:
    """The name of what something is a copy of, as people and their systems name copies; empty for none."""
    name = name if name.isascii() else unicodedata.normalize("NFC", name)
    if begin := _COPY_OF.match(name):
        return name[begin.end() :]
    stem, dot, ending = name.rpartition(".")
    for inner, rest in ((name, ""), (stem, dot + ending)):
        if (match := _COPIED.search(inner)) is not None and inner[: match.start()].strip("._- "):
            return inner[: match.start()] + rest
    return ""


_LANGUAGE = re.compile(r"^[a-z]{2}([_@-]\w{2,8})*$")


def is_language(name: str) -> bool:
    """Whether something is called by the code of a language, as releases call those that they ship. Source:
    ISO 639-1, with what locales put behind it.
    """
    return _LANGUAGE.match(name) is not None


def split_name(name: str) -> tuple[str, str]:
    """(stem, ending with its dot in lower case); copies are told as what they are copies of."""
    name = copied_from(name) or name
    if match := _WRAPPED.search(name):
        inner = name[: match.start()]
        if "." in inner or not match[0].startswith("."):
            name = inner
    stem, dot, ending = name.rpartition(".")
    if not dot or not ending:
        return name, ""
    if not stem:
        return ending, ""
    inner, dot, middle = stem.rpartition(".")
    if inner and (double := f".{middle}.{ending}".lower()) in weights().suffix:
        return inner, double
    return stem, "." + ending.lower()


_DIGITS = str.maketrans("123456789", "000000000")
_BY_KEY: dict[tuple[str, str, bool], tuple[Evidence, ...]] = {}
_BY_NAME: dict[tuple[str, str], tuple[Evidence, ...]] = {}
_MOST_NAMES = 200_000


def name_evidence(name: str) -> tuple[Evidence, ...]:
    """What the ending and the name of a file say. Equal evidence is one shared tuple.

    Which digits a name has before its ending says nothing, so `disk1` and `disk2` are looked at once.
    """
    stem, _, ending = name.rpartition(".")
    known = (stem.translate(_DIGITS), ending)
    found = _BY_NAME.get(known)
    if found is None:
        if len(_BY_NAME) > _MOST_NAMES:
            _BY_NAME.clear()
        found = _BY_NAME[known] = _look_up(f"{known[0]}.{ending}" if stem else name)
    return found


def _look_up(name: str) -> tuple[Evidence, ...]:
    stem, ending = split_name(name)
    w = weights()
    if ending and ending[1:].isdigit() and _LIBRARY.search(name):
        ending = ".so"
    if ending and ending not in w.suffix and (counted := _COUNTED.match(ending)):
        ending = counted[1]
    key = (ending if ending in w.suffix else "", _known_word(stem), bool(copied_from(name)))
    found = _BY_KEY.get(key)
    if found is None:
        found = _BY_KEY[key] = _name_evidence(*key)
    return found


def _known_word(stem: str) -> str:
    """The word of a stem that the table knows: the whole, else (marked with a dash) one of several."""
    w = weights()
    whole = normalised_name(stem)
    if whole in w.stem:
        return whole
    trimmed = whole.strip("0123456789")
    if trimmed in w.stem:
        return trimmed
    if len(whole) > len(trimmed) or not stem.isalnum() or not stem.islower():
        parts = words_of(stem)
        if 1 < len(parts) <= 5:
            singles = (parts[0], parts[-1]) if words("about").intersection(parts) else (parts[-1], parts[0])
            for word in ("".join(parts[-2:]), "".join(parts[:2]), *singles):
                if word in w.stem:
                    return "-" + word
    return ""


def _name_evidence(ending: str, word: str, copied: bool) -> tuple[Evidence, ...]:
    w = weights()
    found = []
    if copied:
        found.append(said("name", "named as a copy is", P, w.spoken["copied"]))
    if ending:
        kind, weight, _ = w.suffix[ending]
        found.append(said("name", f"ends in {ending}", kind, weight))
    if word:
        kind, weight, _ = _stem(word)
        part = word.startswith("-")
        says = f"has {word[1:]} in its name" if part else f"is called {word}"
        found.append(said("name", says, kind, weight * (w.spoken["part-of-name"] if part else 1)))
    return tuple(found)


def _stem(word: str) -> Weighed:
    return weights().stem[word.removeprefix("-")]
