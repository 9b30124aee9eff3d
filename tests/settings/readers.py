"""Readers of settings files in the ways that programs differ in, none of them ours.

What a person changed must be there after a merge by every one of these: nobody knows which the program uses.
"""

from __future__ import annotations

import configparser
import json
import re
import tomllib
from collections.abc import Callable
from typing import Any

Reading = dict[tuple[str, ...], Any]
Reader = Callable[[bytes], Reading]


def text_of(data: bytes) -> str:
    for bom, encoding in ((b"\xef\xbb\xbf", "utf-8"), (b"\xff\xfe", "utf-16-le"), (b"\xfe\xff", "utf-16-be")):
        if data.startswith(bom):
            return data[len(bom) :].decode(encoding, "surrogateescape")
    try:
        return data.decode()
    except UnicodeDecodeError:
        return data.decode("latin-1")


def lines_of(data: bytes) -> list[str]:
    return re.split(r"\r\n|\r|\n", text_of(data))


def standard(data: bytes, *, inline: bool = False, fold: bool = False) -> Reading:
    """The standard library's, which goes on with a value in lines indented further; the last wins."""
    parser = configparser.RawConfigParser(
        strict=False,
        comment_prefixes=("#", ";", "//"),
        inline_comment_prefixes=("#", ";") if inline else (),
        allow_no_value=True,
        default_section="\0",
    )
    if not fold:
        parser.optionxform = str  # type: ignore[assignment,method-assign]
    parser.read_string("[\0top]\n" + "\n".join(lines_of(data)))
    return {(s.strip(), k): v for s in parser.sections() for k, v in parser.items(s)}


def line_by_line(data: bytes, *, fold: bool = False, first: bool = False, glued: bool = False) -> Reading:
    """What most programs have: a line with a sign is a key, and no line goes on with another."""
    found: Reading = {}
    section, lines = "", lines_of(data)
    if glued:  # a line that ends in a backslash goes on in the next
        lines = re.sub(r"\\\n\s*", "", "\n".join(lines)).split("\n")
    for line in lines:
        said = line.strip()
        if said.startswith(("#", ";", "//")):
            continue
        if match := re.match(r"\[([^\]]*)\]", said):
            section = match.group(1).strip()
        elif "=" in said:
            name, _, value = said.partition("=")
            key = (section, name.strip())
            if fold:
                key = (section.casefold(), name.strip().casefold())
            if not (first and key in found):
                found[key] = value.strip()
    return found


def objects(data: bytes, *, fold: bool = False, first: bool = False) -> Reading:
    """JSON, with the comments taken out; of a name that stands twice the last wins, or the first."""
    text = re.sub(
        r'("(?:\\.|[^"\\])*")|//[^\n]*|/\*.*?\*/', lambda m: m.group(1) or "", text_of(data), flags=re.S
    )

    def pairs(said: list[tuple[str, Any]]) -> dict[str, Any]:
        found: dict[str, Any] = {}
        for name, value in reversed(said) if first else said:
            found[name.casefold() if fold else name] = value
        return found

    return ways(json.loads(text, object_pairs_hook=pairs))


def tables(data: bytes) -> Reading:
    return ways(tomllib.loads(data.decode()))


def ways(tree: Any, above: tuple[str, ...] = ()) -> Reading:
    found: Reading = {}
    for name, value in tree.items():
        if isinstance(value, dict) and value:
            found |= ways(value, (*above, name))
        else:
            found[(*above, name)] = repr(value)
    return found


READERS: dict[str, dict[str, Reader]] = {
    "text ini": {
        "standard": standard,
        "with comments behind values": lambda data: standard(data, inline=True),
        "standard, without capitals": lambda data: standard(data, fold=True),
        "line by line": line_by_line,
        "line by line, without capitals": lambda data: line_by_line(data, fold=True),
        "the first wins": lambda data: line_by_line(data, first=True),
        "backslash goes on": lambda data: line_by_line(data, glued=True),
    },
    "text json": {
        "the last wins": objects,
        "the first wins": lambda data: objects(data, first=True),
        "without capitals": lambda data: objects(data, fold=True),
    },
    "text toml": {"standard": tables},
}


def lost(file_format: str, base: bytes | None, yours: bytes, result: bytes) -> list[str]:
    """What the person had changed or added and no longer has, by each reader that reads all of it."""
    found = []
    for name, read in READERS[file_format].items():
        try:
            before, mine = read(base) if base is not None else {}, read(yours)
        except (ValueError, configparser.Error, RecursionError):
            continue
        after = read(result)
        for key, value in mine.items():
            # An object without keys may receive some.
            if value != "{}" and before.get(key) != value and after.get(key) != value:
                found.append(f"{name}: {key} was {value!r}, is {after.get(key)!r}")
    return found
