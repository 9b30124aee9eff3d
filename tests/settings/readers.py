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


def elements(data: bytes) -> Reading:
    """XML by the standard library's other parser: elements that are alike as one."""
    import xml.etree.ElementTree as ET

    found: Reading = {}

    def walk(element: ET.Element, above: tuple[str, ...]) -> None:
        naming = next((n for n in ("name", "id", "key") if n in element.attrib), "")
        key = (*above, f"{element.tag}[{element.attrib[naming]}]" if naming else element.tag)
        said = [(f"@{name}", value) for name, value in element.attrib.items() if name != naming]
        if not len(element):
            said.append(("", " ".join((element.text or "").split())))
        for name, value in said:
            found[(*key, name)] = f"{found[(*key, name)]}, {value}" if (*key, name) in found else value
        for one in element:
            walk(one, key)

    try:
        walk(ET.fromstring(data), ())
    except ET.ParseError as error:
        raise ValueError("no XML") from error
    return found


def mappings(data: bytes) -> Reading:
    """YAML by the reader that keeps its layout."""
    from ruamel.yaml import YAML
    from ruamel.yaml.error import YAMLError

    try:
        tree = YAML(typ="rt").load(data)
    except (YAMLError, AttributeError) as error:
        raise ValueError("no YAML") from error
    return ways(tree) if isinstance(tree, dict) else {}


def properties(data: bytes) -> Reading:
    import javaproperties

    return {(name,): value for name, value in javaproperties.loads(text_of(data)).items()}


def plain_properties(data: bytes) -> Reading:
    """As programs read them that know neither escapes nor lines that go on."""
    pairs = [
        line.partition("=")
        for line in lines_of(data)
        if "=" in line and not line.lstrip().startswith(("#", "!"))
    ]
    return {(name.strip(),): value.strip() for name, _, value in pairs}


def first_words(data: bytes, *, twice: bool = False) -> Reading:
    """A name and the rest of the line; with `twice` two words are the name. The last wins."""
    found: Reading = {}
    for line in lines_of(data):
        words = line.split(None, 2 if twice else 1)
        if words and not words[0].startswith(("#", ";", "//")):
            number = min(len(words), 2 if twice else 1)
            found[tuple(words[:number])] = [word.strip() for word in words[number:]]
    return found


def registry(data: bytes) -> Reading:
    found: Reading = {}
    section = ""
    for line in re.sub(r"\\\s*\n\s*", "", "\n".join(lines_of(data))).split("\n"):
        said = line.strip()
        if said.startswith("["):
            section = said
        elif match := re.match(r'("(?:[^"\\]|\\.)*"|@)=(.*)', said):
            found[(section, match.group(1))] = match.group(2)
    return found


def entries(data: bytes) -> Reading:
    """Entries with their marks; what is off may be a comment."""
    lines = [line.strip() for line in lines_of(data) if line.strip()]
    return {(line.lstrip("+-*!# "),): line[0] if line[0] in "+-*!#" else "" for line in lines}


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
    "text xml": {"standard": elements},
    "text yaml": {"with its layout": mappings},
    "text properties": {"with escapes": properties, "without": plain_properties},
    "text spaced": {"the first word": first_words},
    "text commands": {"the first two words": lambda data: first_words(data, twice=True)},
    "text registry": {"line by line": registry},
    "text list": {"line by line": entries},
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
