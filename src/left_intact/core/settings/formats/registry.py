"""The settings formats that can be merged. A new one is one file beside this and a line here."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from functools import lru_cache

from left_intact.core.settings.document import Document, Format, Key, NotReadable
from left_intact.core.settings.formats.commands import Commands
from left_intact.core.settings.formats.ini import Ini
from left_intact.core.settings.formats.json import Json
from left_intact.core.settings.formats.lines import decoded
from left_intact.core.settings.formats.listed import Listed
from left_intact.core.settings.formats.properties import Properties
from left_intact.core.settings.formats.registry_text import RegistryText
from left_intact.core.settings.formats.sectionless import Sectionless
from left_intact.core.settings.formats.spaced import Spaced
from left_intact.core.settings.formats.toml import Toml
from left_intact.core.settings.formats.xml import Xml
from left_intact.core.settings.formats.yaml import Yaml

FORMATS: tuple[Format, ...] = (
    Json(),
    Toml(),
    Ini(),
    Sectionless(),
    Xml(),
    Yaml(),
    RegistryText(),
    Properties(),
    Spaced(),
    Commands(),
    Listed(),
)
"""The stricter first: where two are equally sure of a text, the first has it."""
_LEAST = 0.5
_PAGES = frozenset({"text html", "text svg", "text markdown"})


def names() -> frozenset[str]:
    """The names of those that are settings wherever they lie."""
    return frozenset(one.name for one in FORMATS if one.tells_settings)


def recognise_settings(text: str) -> str:
    """The name of the format that the beginning of a text is of, if it is settings; else nothing."""
    sure, name = 0.0, ""
    for one in FORMATS:
        certainty = one.recognise(text) if one.tells_settings else 0.0
        if certainty >= _LEAST and certainty > sure:
            sure, name = certainty, one.name
    return name


def is_settings_text(file_format: str) -> bool:
    """Whether a format, in the words of `files.headers`, is one that is settings wherever it lies."""
    found = _named(file_format)
    return found is not None and found.tells_settings


def may_merge(*file_formats: str) -> bool:
    """Whether files of some formats can be merged with each other, wherever they lie."""
    families = {
        one.family if is_settings_text(name) and (one := _named(name)) else "" for name in file_formats
    }
    return len(families) == 1 and "" not in families


def may_be_settings(*file_formats: str) -> bool:
    """Whether files that are known to be settings may turn out to be some that can be merged."""
    return all(one.startswith("text ") and one not in _PAGES for one in file_formats)


def format_named(file_format: str) -> Format:
    """Raises `NotReadable` for one that nobody knows."""
    if (found := _named(file_format)) is None:
        raise NotReadable(f"nobody here can read {file_format or 'this format'} key by key")
    return found


def _named(file_format: str) -> Format | None:
    return _by_name(FORMATS).get(file_format)


@lru_cache(maxsize=2)
def _by_name(formats: tuple[Format, ...]) -> dict[str, Format]:
    """Asked for every file."""
    return {one.name: one for one in formats}


def fitting(file_format: str, name: str, *sides: bytes) -> list[Format]:
    """The formats that all of some files are of, the likeliest first: by what the name ends in, by the whole
    of each, and by a parser that is not ours. `file_format` is what their beginning said; that one counts
    last where it is settings, so that somebody says why it cannot be read.
    """
    known, by_name = _named(file_format), _format_by_name(name)
    texts = [text for side in sides if (text := _text_of(side)).strip()]
    told = {one: [one.recognise(text) for text in texts] for one in FORMATS}
    found: list[tuple[float, Format]] = []
    for family in dict.fromkeys(one.family for one in FORMATS):
        kin = [one for one in FORMATS if one.family == family]
        sure = min((max(by_side) for by_side in zip(*(told[one] for one in kin), strict=True)), default=0.0)
        one = by_name if by_name in kin else max(kin, key=lambda one: sum(told[one]))
        if (sure or one is by_name) and _fits(one, sides, says_so=sure >= _LEAST):
            found.append((sure + (one is by_name), one))
    ranked = [one for _, one in sorted(found, key=lambda pair: -pair[0])]
    strict = by_name or _strict_one(known, told, sides)
    if strict is not None and strict not in ranked:
        return [strict]  # whatever else could read them: some of it is what only this one reads
    return ranked if known is None or known in ranked else [*ranked, known]


def _format_by_name(name: str) -> Format | None:
    ending = name.rpartition(".")[2].lower() if "." in name else ""
    return next((one for one in FORMATS if ending in one.endings), None)


def _fits(one: Format, sides: Sequence[bytes], *, says_so: bool) -> bool:
    """Whether all of some files are of a format; what does not say so has to have keys, too."""
    return all(
        (keys := _keys_in(one, side)) is not None and (says_so or bool(keys) or not side.strip())
        for side in sides
    )


def _strict_one(
    known: Format | None, told: Mapping[Format, Sequence[float]], sides: Sequence[bytes]
) -> Format | None:
    """The strict format that one of some files surely is of: by its beginning, or by all of it."""
    if known is not None and known.is_strict:
        return known
    likely = (one for one in FORMATS if one.is_strict and max(told[one], default=0.0) >= _LEAST)
    return next((one for one in likely if any(_keys_in(one, side) for side in sides)), None)


def reads(one: Format, data: bytes) -> bool:
    """Whether a parser that is not ours reads a file as one of a format."""
    return _keys_in(one, data) is not None


def _keys_in(one: Format, data: bytes) -> Collection[Key] | None:
    """The keys of a file by a parser that is not ours; None where it is not of the format."""
    try:
        return one.read(data).keys()
    except (NotReadable, RecursionError):
        return None


def _text_of(side: bytes) -> str:
    try:
        return decoded(side).text
    except NotReadable:
        return ""


def open_document(data: bytes, file_format: str) -> Document:
    """A file of a format in the words of `files.headers`. Raises `NotReadable`."""
    return format_named(file_format).open(data)
