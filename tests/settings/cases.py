"""The cases: what is awkward, in which of the three files, and what came of it.

python -m tests.settings.cases > docs/settings-cases.md
"""

from __future__ import annotations

import json
from collections.abc import Callable, Iterator
from dataclasses import dataclass

from left_intact.core.model.plan import Merge
from left_intact.core.settings.merge import merge_settings
from tests.settings import pieces

Writer = Callable[[str | None, str, str, str], bytes]
"""(an awkward piece or none, how smooth, what scale, what comes new) to a file."""
_PLAIN = ("yaml", "properties", "spaced", "commands", "registry", "list")
_BEGINS = {f"text {name}": "text plain" for name in _PLAIN}
"""What the beginning of a file says where it says less than the whole of it."""

SIDES = (
    "in all",
    "yours only",
    "arriving only",
    "you changed",
    "they changed",
    "both",
    "you dropped",
    "they dropped",
)
"""Where a piece lies: its first form A, its other forms B and C, or not at all."""
_FORMS = {
    "in all": "AAA",
    "yours only": "-A-",
    "arriving only": "--A",
    "you changed": "ABA",
    "they changed": "AAB",
    "both": "ABC",
    "you dropped": "A-A",
    "they dropped": "AA-",
}


@dataclass(frozen=True, slots=True)
class Case:
    """Three versions of one file."""

    awkward: str
    file_format: str
    where: str
    base: bytes | None
    yours: bytes
    arriving: bytes

    def merge(self) -> Merge:
        name = ENDINGS.get(self.file_format, "")
        return merge_settings(
            self.base,
            self.yours,
            self.arriving,
            file_format=_BEGINS.get(self.file_format, self.file_format),
            name=name,
        )


# ---------------------------------------------------------------- pieces within a file

INI = {
    "a plain key": ("extra = 1", "extra = 2", "extra = 3"),
    "lines that go on": ("roots = one\n  two", "roots = one\n  two\n  mine", "roots = one\n  other"),
    "goes on after a blank line": ("roots = one\n\n  two", "roots = one\n\n  mine", "roots = two\n\n  two"),
    "a comment among the lines": (
        "roots = one\n  # note\n  two",
        "roots = one\n  # note\n  me",
        "roots = two",
    ),
    "nothing, then lines": ("roots =\n  one\n  two", "roots =\n  one\n  mine", "roots =\n  three"),
    "a line that may be a key": ("args = a\n  lines = 2", "args = a\n  lines = 5", "args = b\n  lines = 2"),
    "lines with signs of their own": ("args = a\n  --b=2", "args = a\n  --b=5", "args = c\n  --b=2"),
    "a comment sign in a value": ("name = Player #1", "name = Player #7", "name = Guest #1"),
    "a comment behind a value": ("gain = 3 ; dB", "gain = 9 ; dB", "gain = 4 ; decibel"),
    "only the comment differs": ("gain = 3 ; dB", "gain = 9 ; dB", "gain = 3 ; decibel"),
    "quotes": ('title = "a # b"', 'title = "c # d"', 'title = "e ; f"'),
    "half a quote": ('title = "a', 'title = "b', 'title = c"'),
    "no value": ("empty =", "empty = mine", "empty = theirs"),
    "a key twice": ("path = a\npath = b", "path = a\npath = mine", "path = c\npath = b"),
    "a section twice": ("[more]\na = 1\n[more]\nb = 2", "[more]\na = 1\n[more]\nb = 9", "[more]\na = 3"),
    "capitals": ("Volume = 1", "volume = 9", "Volume = 2"),
    "capitals of a section": ("[Pads]\nleft = 1", "[pads]\nleft = 9", "[Pads]\nleft = 2\nright = 2"),
    "a backslash at the end": ("dir = C:\\old\\", "dir = C:\\mine\\", "dir = C:\\new\\"),
    "goes on after a backslash": ("args = a \\\n  b", "args = a \\\n  mine", "args = c \\\n  b"),
    "a sign in a key": ("a=b = c", "a=b = mine", "a=c = d"),
    "a colon": ("left: 1", "left: 9", "left: 2"),
    "a colon before the sign": ("c:key = 1", "c:key = 9", "c:key = 2"),
    "a line without a sign": ("just words", "other words", "more words"),
    "a bracket in a value": ("list = [1, 2]", "list = [9]", "list = [3]"),
    "a bracket before the sign": ("[x] = 1", "[x] = 9", "[x] = 2"),
    "a comment after a section": ("[aux] ; note\na = 1", "[aux] ; note\na = 9", "[aux] ; other\na = 2"),
    "spaces in a section": ("[ aux ]\na = 1", "[ aux ]\na = 9", "[ aux ]\na = 2"),
    "other comment signs": ("// c\nextra = 1", "// mine\nextra = 9", "// d\nextra = 2"),
    "letters of far away": ("name = 音楽", "name = 私の", "name = 画面"),
    "a very long value": ("long = " + "a" * 9000, "long = " + "b" * 9000, "long = " + "c" * 9000),
    "the name of another section": ("sound = 1", "sound = 9", "sound = 2"),
    "indented keys": ("[in]\n   a = 1\n   b = 2", "[in]\n   a = 9\n   b = 2", "[in]\n   a = 1\n   b = 3"),
    "keys indented further": ("[in]\na = 1\n   b = 2", "[in]\na = 1\n   b = 9", "[in]\na = 1\nb = 2"),
}
JSON: dict[str, tuple[str, str, str]] = {
    "a plain key": ('"extra": 1', '"extra": 2', '"extra": 3'),
    "an object where a list was": ('"x": {"a": 1}', '"x": {"a": 9}', '"x": [1]'),
    "a list where an object was": ('"x": [1]', '"x": [9]', '"x": {"a": 1}'),
    "a value where an object was": ('"x": {"a": 1}', '"x": {"a": 9}', '"x": 5'),
    "nothing where an object was": ('"x": {"a": 1}', '"x": {"a": 9}', '"x": null'),
    "an object that is empty": ('"x": {}', '"x": {"mine": 1}', '"x": {"theirs": 1}'),
    "a dot in a name": ('"video.scale": 1', '"video.scale": 9', '"video.scale": 2'),
    "an arrow in a name": ('"a → b": 1', '"a → b": 9', '"a → b": 2'),
    "a name twice": ('"d": 1, "d": 2', '"d": 1, "d": 9', '"d": 3, "d": 2'),
    "a name twice, deeper": ('"e": {"d": 1, "d": 2}', '"e": {"d": 1, "d": 9}', '"e": {"d": 3}'),
    "a name twice, in a list": ('"e": [{"d": 1, "d": 2}]', '"e": [{"d": 9, "d": 2}]', '"e": [{"d": 3}]'),
    "a name that is empty": ('"": 1', '"": 9', '"": 2'),
    "half a letter as a value": ('"h": "\\ud800"', '"h": "\\ud801"', '"h": "\\ud802"'),
    "half a letter as a name": ('"\\ud800": 1', '"\\ud800": 9', '"\\ud800": 2'),
    "an escaped name": ('"\\u0065xtra": 1', '"\\u0065xtra": 9', '"\\u0065xtra": 2'),
    "capitals": ('"Volume": 1', '"volume": 9', '"Volume": 2'),
    "true and 1": ('"on": true', '"on": 1', '"on": false'),
    "1 and 1.0": ('"n": 1', '"n": 1.0', '"n": 2'),
    "very large numbers": ('"n": 123456789012345678901', '"n": 1e400', '"n": 123456789012345678902'),
    "no number": ('"n": 1', '"n": NaN', '"n": 2'),
    "a comment": ('"c": 1 /* one */', '"c": 9 /* mine */', '"c": 2 /* two */'),
    "a comment on its line": ('"c": 1 // one\n', '"c": 9 // mine\n', '"c": 2 // two\n'),
    "lists": ('"l": [1, [2]]', '"l": [9, [2]]', '"l": [1, [3]]'),
    "quotes in a value": ('"q": "a \\" b"', '"q": "c \\" // d"', '"q": "/* e"'),
    "letters of far away": ('"f": "音楽"', '"f": "私の"', '"f": "画面"'),
    "nested deep": ('"z": ' + '{"z":' * 90 + "1" + "}" * 90, '"z": 9', '"z": 2'),
}
TOML: dict[str, tuple[str, str, str]] = {
    "a plain key": ("extra = 1", "extra = 2", "extra = 3"),
    "a list over lines": (
        'roots = [\n  "a",\n  "b",\n]',
        'roots = [\n  "a",\n  "mine",\n]',
        'roots = [\n  "c",\n]',
    ),
    "a list with notes": ('roots = [\n  "a", # note\n]', 'roots = [\n  "mine", # note\n]', 'roots = ["c"]'),
    "tables in a list": (
        "[[pads]]\na = 1\n[[pads]]\na = 2",
        "[[pads]]\na = 1\n[[pads]]\na = 9",
        "[[pads]]\na = 3",
    ),
    "a table in a line": ("t = {a = 1, b = 2}", "t = {a = 9, b = 2}", "t = {a = 1, b = 3}"),
    "a table, once in a line": ("[t]\na = 1", "[t]\na = 9", "t = {a = 1, b = 3}"),
    "names with dots": ("a.b = 1\na.c = 1", "a.b = 9\na.c = 1", "a.b = 1\na.c = 2"),
    "a dot in a name": ('"a.b" = 1', '"a.b" = 9', '"a.b" = 2'),
    "text over lines": ('s = """\none\n"""', 's = """\nmine\n"""', 's = """\ntwo\n"""'),
    "a comment sign in a text": ('s = "a # b"', 's = "c # d"', 's = "e # f"'),
    "a comment": ("n = 1 # note", "n = 9 # mine", "n = 2 # other"),
    "a date": ("d = 2026-01-01", "d = 2026-02-02", "d = 2026-03-03"),
    "true and 1": ("on = true", "on = 1", "on = false"),
    "1 and 1.0": ("n = 1", "n = 1.0", "n = 2"),
    "capitals": ("Volume = 1", "volume = 9", "Volume = 2"),
    "a name twice": ("d = 1\nd = 2", "d = 1\nd = 9", "d = 3"),
    "a value where a table was": ("[t]\na = 1", "[t]\na = 9", "t = 5"),
    "an empty table": ("[t]", "[t]\nmine = 1", "[t]\ntheirs = 1"),
    "tables out of order": (
        "[p.a]\nx = 1\n[q]\ny = 1\n[p.b]\nx = 1",
        "[p.a]\nx = 9\n[q]\ny = 1\n[p.b]\nx = 1",
        "[p.a]\nx = 2\n[q]\ny = 1",
    ),
    "letters of far away": ('s = "音楽"', 's = "私の"', 's = "画面"'),
}


def _ini(piece: str | None, smooth: str, scale: str, more: str) -> bytes:
    body = f"[video]\nscale = {scale}\nsmooth = {smooth}\n{more}"
    if piece is not None and not piece.startswith("["):
        body += piece + "\n"
    body += "[sound]\nrate = 22050\n"
    if piece is not None and piece.startswith("["):
        body += piece + "\n"
    return body.encode()


def _json(piece: str | None, smooth: str, scale: str, more: str) -> bytes:
    parts = [f'"scale": {json.dumps(scale)}', f'"smooth": {json.dumps(smooth)}']
    parts += ['"lines": 0'] if more else []
    parts += [piece] if piece is not None else []
    inside = ",\n    ".join(parts)
    return f'{{\n  "video": {{\n    {inside}\n  }},\n  "sound": {{"rate": 22050}}\n}}\n'.encode()


def _toml(piece: str | None, smooth: str, scale: str, more: str) -> bytes:
    tables = piece is not None and piece.startswith("[")
    body = "" if piece is None or tables else piece + "\n"
    body += f'[video]\nscale = "{scale}"\nsmooth = "{smooth}"\n{more}[sound]\nrate = 22050\n'
    return (body + (f"{piece}\n" if tables else "")).encode()


def _xml(piece: str | None, smooth: str, scale: str, more: str) -> bytes:
    inside = [f"<scale>{scale}</scale>", f"<smooth>{smooth}</smooth>"]
    inside += ["<lines>0</lines>"] * bool(more) + ([piece] if piece is not None else [])
    body = "".join(f"    {one}\n" for one in inside)
    body = f'<settings>\n  <video>\n{body}  </video>\n  <sound rate="22050"/>\n</settings>\n'
    return f'<?xml version="1.0"?>\n{body}'.encode()


def _yaml(piece: str | None, smooth: str, scale: str, more: str) -> bytes:
    body = f'video:\n  scale: {scale}\n  smooth: "{smooth}"\n' + ("  lines: 0\n" if more else "")
    body += f"  {piece}\n" if piece is not None else ""
    return (body + "sound:\n  rate: 22050\n").encode()


def _rows(line: str, first: str = "") -> Writer:
    """A writer of rows, each as `line` says it of a name and a value."""

    def write(piece: str | None, smooth: str, scale: str, more: str) -> bytes:
        said = [("scale", scale), ("smooth", smooth), *([("lines", "0")] if more else [])]
        rows = [line.format(name=name, value=value) for name, value in said]
        rows += [piece] if piece is not None else []
        return "\n".join(
            [*([first] if first else []), *rows, line.format(name="rate", value="22050"), ""]
        ).encode()

    return write


def _registry(piece: str | None, smooth: str, scale: str, more: str) -> bytes:
    rows = [
        f'"scale"="{scale}"',
        f'"smooth"="{smooth}"',
        *(['"lines"="0"'] if more else []),
        '"rate"="22050"',
    ]
    rows += [piece] if piece is not None else []
    head = "Windows Registry Editor Version 5.00\n\n[HKEY_CURRENT_USER\\Pier]\n"
    return (head + "\n".join(rows) + "\n").encode()


def _listed(piece: str | None, smooth: str, scale: str, more: str) -> bytes:
    marks = {"on": "*", "off": "-"}
    rows = [f"{marks[smooth]}smooth.mod", f"{'*' if scale == '2' else '+'}scale.mod"]
    rows += (["*lines.mod"] if more else []) + ([piece] if piece is not None else []) + ["*rate.mod"]
    return ("\n".join(rows) + "\n").encode()


_WRITERS: dict[str, tuple[Writer, dict[str, tuple[str, str, str]]]] = {
    "text ini": (_ini, INI),
    "text json": (_json, JSON),
    "text toml": (_toml, TOML),
    "text xml": (_xml, pieces.XML),
    "text yaml": (_yaml, pieces.YAML),
    "text properties": (_rows("{name}={value}"), pieces.PROPERTIES),
    "text spaced": (_rows("{name} {value}"), pieces.SPACED),
    "text commands": (_rows("set {name} {value}", "bind q quit"), pieces.COMMANDS),
    "text registry": (_registry, pieces.REGISTRY),
    "text list": (_listed, pieces.LISTS),
}
ENDINGS = {"text properties": "quay.properties", "text list": "order.list"}
"""What files are called where their beginning does not say enough."""

# ---------------------------------------------------------------- whole files

_WHOLE: dict[str, Callable[[bytes], bytes]] = {
    "a byte order mark": lambda data: b"\xef\xbb\xbf" + data,
    "CRLF": lambda data: data.replace(b"\n", b"\r\n"),
    "CR": lambda data: data.replace(b"\n", b"\r"),
    "mixed line ends": lambda data: data.replace(b"\n", b"\r\n", 2),
    "no end of the last line": lambda data: data.rstrip(b"\n"),
    "UTF-16": lambda data: data.decode().encode("utf-16"),
    "Latin-1": lambda data: data.replace(b"scale", b"\xe9chelle"),
    "Latin-1 in a value": lambda data: data.replace(b"22050", b'"caf\xe9"'),
    "empty": lambda data: b"",
    "blank lines": lambda data: b"\n\n" + data + b"\n\n",
    "zero bytes": lambda data: data + b"\0\0\0",
    "cut off": lambda data: data[:-9],
    "no text": lambda data: bytes(range(256)),
    "letters of far away": lambda data: data.replace(b"22050", '"音"'.encode()),
}


def _huge(number: int) -> bytes:
    return b"[all]\n" + b"".join(b"key%d = %d\n" % (n, n) for n in range(number))


def _deep(number: int, value: int) -> bytes:
    return b'{"d":' * number + b"%d" % value + b"}" * number


def every_case() -> Iterator[Case]:
    """All of them, in the order of the table."""
    for file_format, (write, awkward_ones) in _WRITERS.items():
        for awkward, forms in awkward_ones.items():
            for where, letters in _FORMS.items():
                said = [None if x == "-" else forms["ABC".index(x)] for x in letters]
                files = (
                    write(said[0], "on", "2", ""),
                    write(said[1], "off", "2", ""),
                    write(said[2], "on", "3", "lines = 0\n"),
                )
                yield Case(awkward, file_format, where, *files)
                if where == "both":
                    yield Case(awkward, file_format, "no baseline", None, *files[1:])
        for awkward, change in _WHOLE.items():
            plain = (
                write(None, "on", "2", ""),
                write(None, "off", "2", ""),
                write(None, "on", "3", "lines = 0\n"),
            )
            for where, letters in (("in all", "XXX"), ("yours only", "-X-"), ("arriving only", "--X")):
                files3 = [change(f) if x == "X" else f for x, f in zip(letters, plain, strict=True)]
                yield Case(awkward, file_format, where, files3[0], files3[1], files3[2])
    big = _huge(20_000)
    yield Case(
        "20,000 keys", "text ini", "in all", big, big.replace(b"key7 = 7", b"key7 = 8"), big + b"new = 1\n"
    )
    yield Case("nested too deep", "text json", "in all", _deep(9000, 1), _deep(9000, 2), _deep(9000, 3))
    yield Case("nested too deep", "text json", "arriving only", b'{"a": 1}', b'{"a": 2}', _deep(9000, 3))


def table() -> str:
    """How every case ended, as a page."""
    rows: dict[tuple[str, str], dict[str, str]] = {}
    whys: dict[tuple[str, str], str] = {}
    number = merged = 0
    for case in every_case():
        merge = case.merge()
        number, merged = number + 1, merged + (not merge.trouble)
        asks = any(line.decided == "conflict" for line in merge.lines)
        key = (case.file_format.removeprefix("text "), case.awkward)
        rows.setdefault(key, {})[case.where] = "whole" if merge.trouble else "asks" if asks else "merged"
        if merge.trouble:
            whys.setdefault(key, merge.trouble.split(" (")[0])
    where = (*SIDES, "no baseline")
    out = [_HEAD.format(number=number, merged=merged, whole=number - merged)]
    out.append("| format | what is awkward | " + " | ".join(where) + " | why it stays whole |")
    out.append("|---" * (len(where) + 3) + "|")
    for (name, awkward), ends in rows.items():
        cells = " | ".join(ends.get(one, "") for one in where)
        out.append(f"| {name} | {awkward} | {cells} | {whys.get((name, awkward), '')} |")
    return "\n".join(out) + "\n"


_HEAD = """# Settings files that are awkward to merge

Made by `python -m tests.settings.cases > docs/settings-cases.md`, and held to it by
`tests/core/test_settings_cases.py`, which also checks that by no reader in use (seven for INI, three for
JSON, two for properties, one for each other; none of them ours) a value that the person changed is lost.

In each case the person changed a value, the release changed another and added a key; on top of that
something awkward lies in one or all of the three files: `merged` key by key; `asks` merged, with a question
on a key that both changed; `whole`: the person's file stays as it is, and a question offers the arriving one
instead.

{number} cases: {merged} merged, {whole} kept whole.
"""

if __name__ == "__main__":
    print(table(), end="")
