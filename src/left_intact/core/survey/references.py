"""What the program's own settings say of folders: `folder for saves = kept` is strong evidence about `kept/`.

Also finds the folders outside the install that settings name: other roots of it.
"""

from __future__ import annotations

import itertools
import os
import re
from collections.abc import Callable, Iterator, Sequence

from left_intact.core.files.names import lies_in
from left_intact.core.model.classes import FileClass
from left_intact.core.model.pages import COLUMNS, Page
from left_intact.core.model.place import At
from left_intact.core.settings.formats.registry import names
from left_intact.core.survey.names import known_word
from left_intact.core.survey.self_description import Reference, References
from left_intact.core.survey.spelling import normalised_name, words_of
from left_intact.core.survey.vocabulary import either, words
from left_intact.core.survey.weights import PICTURES, Weighed, weights

_FILES, _SIZE = 60, 128 << 10
_DEPTH = 4
_TEXTS = frozenset({"text xml", "text plain"})
_LINE = re.compile(
    r"""^[\s{,]*["']?([\w][\w .\-/\[\]]{0,60}?)["']?\s*[=:]\s*["'\[]*([^"'\n\]]{1,400}?)["'\],;]*\s*$"""
)
_XML = re.compile(
    r"""<(\w[\w.-]*)(?:\s[^<>]*)?>([^<>\n]{1,400})</|\b(\w[\w.-]*)=["']([^"'<>\n]{1,400})["']"""
)
_PLACE_ENDING = re.compile(rf"(?i)({either('place-ending')})s?\d*$")


def read_references(
    root: str,
    pages: Sequence[Page],
    read: Callable[[At], bytes | None],
    is_foreign: Callable[[At], bool],
    name: str = "",
) -> References:
    """Read the settings files near the root for folders that they name."""
    by_bare = {page.folder.casefold(): page.folder for page in pages if not page.root}
    inside: dict[str, Reference] = {}
    outside: dict[str, Reference] = {}
    for source in _settings_files(pages, is_foreign):
        data = read(source)
        if data is None:
            continue
        for key, value in pairs_in(data.decode("utf-8", "replace")):
            about = about_key(key)
            if about is None or not _may_be_path(value, key):
                continue
            reference = Reference(
                source=source.shown,
                key=key.strip(),
                file_class=about[0],
                pictures=about[2].endswith(PICTURES),
            )
            for place in _places(root, source, value):
                below = _below(place, root)
                if below == ".":
                    continue
                if not below.startswith("../"):
                    if (found := by_bare.get(below.casefold())) is not None:
                        inside.setdefault(found, reference)
                        break
                elif os.path.isdir(place) and _may_be_root(place, root):
                    outside.setdefault(place, reference)
                    break
    return References(inside=inside, outside=outside)


def _settings_files(pages: Sequence[Page], is_foreign: Callable[[At], bool]) -> list[At]:
    """Those of all roots, the nearest to the top first."""
    found, readable = [], names() | _TEXTS
    for page in pages:
        if readable.isdisjoint(page.formats) or page.folder.count("/") >= _DEPTH or is_foreign(page.at):
            continue
        sizes = page.numbers[1::COLUMNS]
        found += [
            page.place(at)
            for at, file_format in enumerate(page.formats)
            if file_format in readable and 0 < sizes[at] <= _SIZE
        ]
    return sorted(found, key=lambda at: (at.path.count("/"), not _looks_like_settings(at.name), at))[:_FILES]


def _looks_like_settings(name: str) -> bool:
    known = weights().suffix.get("." + name.rpartition(".")[2].lower())
    return known is not None and known[0] is FileClass.SETTINGS


def pairs_in(text: str) -> Iterator[tuple[str, str]]:
    """(key, value) pairs of any text that has them on one line: INI, JSON, YAML, TOML, XML."""
    if text.lstrip()[:1] == "<":
        for found in _XML.finditer(text):
            yield found[1] or found[3], (found[2] or found[4]).strip()
        return
    for line in text.splitlines():
        if match := _LINE.match(line):
            yield match[1], match[2].strip().replace("\\\\", "\\")


def about_key(key: str) -> Weighed | None:
    """What a key of a settings file is about: `SaveStatePath` is about states, `window width` about
    nothing.
    """
    parts = words_of(key.rpartition("/")[2].rpartition(".")[2] or key)
    about = [w for w in parts if w not in words("place")]
    if not about and len(parts) > 0:
        return None
    trimmed = [_PLACE_ENDING.sub("", w) or w for w in about]
    pairs = ["".join(p) for p in itertools.pairwise(trimmed)]
    for candidate in (normalised_name("".join(trimmed)), *pairs, *reversed(trimmed)):
        found = known_word(candidate)
        if found is not None and found[1] >= 1.0:
            return found
    return None


def _may_be_path(value: str, key: str) -> bool:
    if len(value) < 2 or value.startswith(("http:", "https:", "#")) or value.lower() in words("no-place"):
        return False
    has_word = any(_PLACE_ENDING.search(w) or w in words("place") for w in words_of(key))
    return "/" in value or "\\" in value or has_word


def _places(root: str, source: At, value: str) -> Iterator[str]:
    """Absolute paths that a value may mean."""
    text = value.strip().strip("\"'").replace("\\", "/").rstrip("/")
    home = os.path.expanduser("~")
    text = re.sub(r"^(?:\$\{?HOME\}?|%USERPROFILE%)", lambda _: home, text)
    text = re.sub(r"^(?:\{\w+\}|\$\{?\w+\}?|%\w+%|:|\$\(\w+\))/?", "", text)
    if text.startswith("~"):
        text = os.path.expanduser(text)
    if os.path.isabs(text):
        yield os.path.normpath(text)
    if re.match(r"^[a-zA-Z]:/", text):
        # A path of another machine: what lies below the install's own folder name may lie here.
        parts = text.split("/")
        name = os.path.basename(root).casefold()
        for at in range(len(parts) - 1, 0, -1):
            if parts[at - 1].casefold() == name:
                yield os.path.normpath(os.path.join(root, *parts[at:]))
        return
    if os.path.isabs(text):
        return
    yield os.path.normpath(os.path.join(root, text))
    above = source.folder.path
    if above and not source.root:
        yield os.path.normpath(os.path.join(root, above, text))


def _below(place: str, root: str) -> str:
    """A path as it is seen from the root; what lies on another drive begins with `../` too."""
    try:
        return os.path.relpath(place, root).replace(os.sep, "/")
    except ValueError:
        return f"../{place}"


def _may_be_root(place: str, root: str) -> bool:
    """Not the whole disk, not a home folder, and nothing that the install lies in."""
    home, parts = os.path.expanduser("~"), place.strip(os.sep).split(os.sep)
    return len(parts) >= 2 and place != os.path.normpath(home) and not lies_in(root, place)
