"""The settings formats that can be merged. A new one is one file beside this and a line here."""

from __future__ import annotations

from functools import lru_cache

from left_intact.core.settings.document import Document, Format, NotReadable
from left_intact.core.settings.formats.ini import Ini
from left_intact.core.settings.formats.json import Json
from left_intact.core.settings.formats.sectionless import Sectionless
from left_intact.core.settings.formats.toml import Toml

FORMATS: tuple[Format, ...] = (Json(), Toml(), Ini(), Sectionless())
"""The stricter first: where two are equally sure of a text, the first has it."""
_LEAST = 0.5


def names() -> frozenset[str]:
    """The names of all of them."""
    return frozenset(one.name for one in FORMATS)


def recognise_settings(text: str) -> str:
    """The name of the format that the beginning of a text is of; empty where it is of none."""
    sure, name = 0.0, ""
    for one in FORMATS:
        certainty = one.recognise(text)
        if certainty >= _LEAST and certainty > sure:
            sure, name = certainty, one.name
    return name


def is_settings_text(file_format: str) -> bool:
    """Whether a format, in the words of `files.headers`, is one of these."""
    return _named(file_format) is not None


def may_merge(*file_formats: str) -> bool:
    """Whether files of some formats can be merged with each other."""
    families = {one.family if (one := _named(name)) is not None else "" for name in file_formats}
    return len(families) == 1 and "" not in families


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


def format_by_whole(file_format: str, *sides: bytes) -> str:
    """The format that the whole of some files is of, where their beginnings said another one.

    What is remembered of a file may be of a version of this program that knew fewer formats.
    """
    for one in FORMATS:
        if one.name == file_format:
            break  # the rest is less strict
        if not may_merge(one.name, file_format) and any(_is_of(one, side) for side in sides):
            return one.name
    return file_format


def _is_of(one: Format, data: bytes) -> bool:
    """Whether all of a file is of a format, by its beginning and by a parser that is not ours."""
    if one.recognise(data.decode("utf-8", "replace")) < _LEAST:
        return False
    try:
        return bool(one.read(data))
    except (NotReadable, RecursionError):
        return False


def open_document(data: bytes, file_format: str) -> Document:
    """A file of a format in the words of `files.headers`. Raises `NotReadable`."""
    return format_named(file_format).open(data)
