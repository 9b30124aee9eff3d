"""Settings documents keep every byte that no edit names; merging follows who changed what."""

from __future__ import annotations

import json
from collections.abc import Collection
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from left_intact.core.model.classes import FileClass
from left_intact.core.model.place import At
from left_intact.core.model.plan import Merge
from left_intact.core.settings.document import NotReadable, shown
from left_intact.core.settings.formats.registry import format_named, open_document
from left_intact.core.settings.merge import merge_settings
from tests.builders import Mock, plant, release

INI = b"; top\n\n[video]\nsmooth = on ; soft\nscale=2\n\n[sound]\n; rate in Hz\nrate = 22050\n"


def lines_of(merge: Merge) -> dict[str, tuple[str, str | None]]:
    return {line.key: (line.decided, line.result) for line in merge.lines}


@pytest.mark.parametrize(
    ("data", "file_format"),
    [
        (INI, "text ini"),
        (INI.replace(b"\n", b"\r\n"), "text ini"),
        (b"\xef\xbb\xbf[a]\nb=1", "text ini"),
        (b"[a]\nname = caf\xe9\n", "text ini"),
        (b"one = 1\n\n# two\ntwo = a=b # c\n", "text keyvalue"),
        (b"key: value\nother: 2\n", "text keyvalue"),
        (b"garbage\n[half\n= x\n;\n", "text ini"),
        (b'\xef\xbb\xbf{"a": 1}', "text json"),
        (b'// c\n{\n  "a": [1, 2], /* d */ "b": {"c": "\xc3\xa9"}\n}\n', "text json"),
    ],
)
def test_untouched_bytes_come_out_as_they_went_in(data: bytes, file_format: str) -> None:
    assert open_document(data, file_format).to_bytes() == data


def test_values_comments_and_repeats() -> None:
    document = open_document(
        b"top = 0\n[a]\nb = 1 ; note\ncolour = #ff0000\npath = x\npath = y\n", "text ini"
    )
    values = {shown(k): v for k, v in document.values().items()}
    # What follows a value may be a comment or part of it; what stands twice nobody may edit.
    assert values == {"top": "0", "a.b": "1 ; note", "a.colour": "#ff0000", "a.path": "x\ny"}
    assert document.head("1 ; note") == "1" and document.head("#ff0000") == "#ff0000"
    other = open_document(b"[a]\nb = 22\npath = z\n", "text ini")
    document.take(("a", "b"), other, ("a", "b"))
    with pytest.raises(NotReadable):
        document.take(("a", "path"), other, ("a", "path"))
    assert document.to_bytes() == b"top = 0\n[a]\nb = 22\ncolour = #ff0000\npath = x\npath = y\n"


@pytest.mark.parametrize("data", [b"[1, 2]", b"{", b'{"a": 1,}', b'{"a" 1}', b"1"])
def test_what_is_no_json_object_is_not_read(data: bytes) -> None:
    with pytest.raises(NotReadable):
        open_document(data, "text json")


def test_json_edits_keep_the_layout() -> None:
    base = b'{\n    "a": 1,\n    "b": {"x": 1}\n}\n'
    yours = b'{\n    // mine\n    "a": 1,\n    "b": {"x": 7}\n}\n'
    arriving = b'{\n    "a": 2,\n    "b": {"x": 1, "y": 3},\n    "c": {"d": {"e": true}}\n}\n'
    merge = merge_settings(base, yours, arriving, file_format="text json")
    assert not merge.trouble
    assert b"// mine" in merge.content
    plain = json.loads(merge.content.replace(b"// mine", b""))
    assert plain == {"a": 2, "b": {"x": 7, "y": 3}, "c": {"d": {"e": True}}}


def test_json_removal_of_first_middle_last() -> None:
    for key in ("a", "b", "c"):
        document = open_document(b'{"a": 1, "b": 2, "c": 3}', "text json")
        document.remove((key,))
        assert json.loads(document.to_bytes()) == {
            k: v for k, v in {"a": 1, "b": 2, "c": 3}.items() if k != key
        }


def test_who_changed_what() -> None:
    yours = INI.replace(b"smooth = on", b"smooth = off").replace(b"22050", b"44100")
    arriving = (
        INI.replace(b"scale=2", b"scale=3\n; fresh\nlines = 0").replace(b"22050", b"48000")
        + b"\n[tape]\nexact = yes\n"
    )
    merge = merge_settings(INI, yours, arriving, file_format="text ini")
    assert lines_of(merge) == {
        "video.smooth": ("yours", "off ; soft"),
        "video.scale": ("arriving", "3"),
        "video.lines": ("new", "0"),
        "sound.rate": ("conflict", "44100"),
        "tape.exact": ("new", "yes"),
    }
    text = merge.content.decode()
    assert (
        "smooth = off ; soft" in text
        and "; fresh\nlines = 0" in text
        and text.endswith("[tape]\nexact = yes\n")
    )
    taken = merge_settings(
        INI, yours, arriving, file_format="text ini", answers={("sound", "rate"): "arriving"}
    )
    assert lines_of(taken)["sound.rate"] == ("conflict", "48000")


def test_deleted_keys_stay_deleted_and_dropped_ones_go() -> None:
    yours = INI.replace(b"scale=2\n", b"")
    arriving = INI.replace(b"scale=2", b"scale=5").replace(b"; rate in Hz\nrate = 22050\n", b"")
    merge = merge_settings(INI, yours, arriving, file_format="text ini")
    assert lines_of(merge)["video.scale"] == ("left out", None)
    assert lines_of(merge)["sound.rate"] == ("dropped", None)
    mine = merge_settings(INI, INI.replace(b"22050", b"1"), arriving, file_format="text ini")
    assert lines_of(mine)["sound.rate"] == ("yours", "1")


def test_renamed_keys_carry_the_value() -> None:
    arriving = INI.replace(b"smooth = on", b"smoothing = on")
    merge = merge_settings(
        INI, INI.replace(b"smooth = on", b"smooth = off"), arriving, file_format="text ini"
    )
    assert b"smoothing = off ; soft" in merge.content and b"smooth = " not in merge.content
    told = merge_settings(
        INI,
        INI.replace(b"scale=2", b"scale=4"),
        INI.replace(b"scale=2", b"zoom=1"),
        file_format="text ini",
        renames=[("video.scale", "video.zoom")],
    )
    assert b"zoom=4" in told.content
    unlike = merge_settings(
        INI, INI.replace(b"scale=2", b"scale=4"), INI.replace(b"scale=2", b"zoom=1"), file_format="text ini"
    )
    assert b"scale=4" in unlike.content and b"zoom=1" in unlike.content


def test_without_a_baseline_all_of_yours_stays() -> None:
    merge = merge_settings(None, b"a = 1\nb = 2\n", b"a = 5\nc = 3\n", file_format="text keyvalue")
    assert merge.content == b"a = 1\nc = 3\nb = 2\n"
    assert lines_of(merge)["a"] == ("yours", "1")


def test_trouble_leaves_the_file_alone() -> None:
    merge = merge_settings(None, b'{"a": 1', b'{"a": 2}', file_format="text json")
    assert merge.trouble and merge.content == b'{"a": 1'
    clash = merge_settings(
        b'{"a": 1}', b'{"a": 1, "b": 2}', b'{"a": 1, "b": {"c": 3}}', file_format="text json"
    )
    assert json.loads(clash.content)["b"] == 2


words = st.text("abcxyz", min_size=1, max_size=3)
files = st.dictionaries(
    st.tuples(st.sampled_from(["", "one", "two"]), words), st.sampled_from(["1", "2", "3"]), max_size=8
)


def as_ini(values: dict[tuple[str, str], str]) -> bytes:
    out = [f"{key} = {value}" for (section, key), value in values.items() if not section]
    for name in ("one", "two"):
        inside = [f"{key} = {value}" for (section, key), value in values.items() if section == name]
        out += [f"[{name}]", *inside] if inside else []
    return "\n".join([*out, ""]).encode()


def as_json(values: dict[tuple[str, str], str]) -> bytes:
    nested: dict[str, object] = {}
    for (section, key), value in values.items():
        if section:
            inner = nested.setdefault(f"s-{section}", {})
            assert isinstance(inner, dict)
            inner[key] = int(value)
        else:
            nested[key] = int(value)
    return json.dumps(nested, indent=1).encode()


@pytest.mark.parametrize(("write", "file_format"), [(as_ini, "text ini"), (as_json, "text json")])
@given(base=files, yours=files, arriving=files)
def test_the_laws_of_merging(write, file_format, base, yours, arriving) -> None:  # type: ignore[no-untyped-def]
    b, m, t = write(base), write(yours), write(arriving)
    merge = merge_settings(b, m, t, file_format=file_format)
    assert not merge.trouble
    got = {k: v for k, v in open_document(merge.content, file_format).values().items() if v != "{}"}
    mine = {k: v for k, v in open_document(m, file_format).values().items() if v != "{}"}
    old = open_document(b, file_format).values()
    # What the person changed is never lost, save under a new name of its key.
    renamed = {line.key.split(" → ")[0] for line in merge.lines if line.decided == "renamed"}
    for key, value in mine.items():
        if old.get(key) != value and shown(key) not in renamed:
            assert got[key] == value
    # The same on both sides changes nothing; a second merge has nothing left to do.
    assert merge_settings(b, m, b, file_format=file_format).content == m or renamed or m == b
    assert merge_settings(t, merge.content, t, file_format=file_format).content == merge.content


WISHED = {
    "text ini": b"[video]\nsmooth = never\n\n[pad]\nspeed = 9\n",
    "text json": b'{"video": {"smooth": "never"}, "pad": {"speed": 9}}',
    "text toml": b'[video]\nsmooth = "never"\n\n[pad]\nspeed = 9\n',
}
SAYS = {
    "text ini": b"[video]\nsmooth = %s\nscale = 2\n",
    "text json": b'{"video": {"smooth": "%s", "scale": 2}}',
    "text toml": b'[video]\nsmooth = "%s"\nscale = 2\n',
}


@pytest.mark.parametrize("file_format", WISHED)
@pytest.mark.parametrize("answer", ["yours", "arriving"])
@pytest.mark.parametrize("yours", [b"off", b"on", b"never"])
def test_what_is_wished_is_the_last_voice_at_a_key(file_format: str, yours: bytes, answer: str) -> None:
    """Over what is there, what comes, what both changed and what was answered; elsewhere it is silent."""
    wished, smooth, speed = WISHED[file_format], ("video", "smooth"), ("pad", "speed")
    base, mine, comes = (SAYS[file_format] % word for word in (b"on", yours, b"auto"))
    merge = merge_settings(
        base, mine, comes, file_format=file_format, answers={smooth: answer}, wished=wished
    )
    assert not merge.trouble
    said = {line.path: line for line in merge.lines}
    assert said[smooth].decided == said[speed].decided == "wished" and not merge.has_conflict
    read = open_document(merge.content, file_format).values()
    assert read[smooth].strip('"') == "never" and read[speed] == "9"
    assert {path: text for path, text in read.items() if path not in (smooth, speed)} == {
        ("video", "scale"): "2"
    }
    again = merge_settings(base, merge.content, comes, file_format=file_format, wished=wished)
    assert again.content == merge.content


def test_a_wish_is_not_laid_beside_a_key_that_is_spelt_otherwise() -> None:
    mine = b"[video]\nSmooth = on\n"
    merge = merge_settings(None, mine, mine, file_format="text ini", wished=b"[video]\nsmooth = off\n")
    assert merge.content == mine and not merge.trouble


def test_a_merge_that_another_parser_cannot_read_is_not_laid(monkeypatch: pytest.MonkeyPatch) -> None:
    from left_intact.core.settings.formats import registry
    from left_intact.core.settings.formats.json import Json

    base, yours, arriving = b'{"a": 1}', b'{"a": 2}', b'{"a": 1, "b": 3}'

    class Misread(Json):
        def read(self, data: bytes, whole: Collection[tuple[str, ...]] = ()) -> dict[tuple[str, ...], Any]:
            found = super().read(data, whole)
            return found if data in (base, yours, arriving) else found | {("a",): 7}

    assert not merge_settings(base, yours, arriving, file_format="text json").trouble
    monkeypatch.setattr(registry, "FORMATS", (Misread(), *registry.FORMATS[1:]))
    merge = merge_settings(base, yours, arriving, file_format="text json")
    assert merge.trouble == "the merged file did not read back as it should" and merge.content == yours
    monkeypatch.undo()
    for name, good, bad in (
        ("text json", b'{"a": 1}', b"{a: 1}"),
        ("text json", b'{"a": 1} // c', b'{"a": 1, "a": 2} // c'),
        ("text json", b'{"a": [{"b": 1}]}', b'{"a": [{"b": 1, "b": 2}] /* c */}'),
        ("text toml", b"a = [1]\n", b"a = [1\n"),
        ("text ini", b"[a]\nb = 1\n", b"[a]\nno value\n"),
        ("text keyvalue", b"b = 1\n", b"no value\n"),
    ):
        format_named(name).read(good)
        with pytest.raises(NotReadable):
            format_named(name).read(bad)


def _ini(names: list[str], value: str = "1") -> bytes:
    return b"[a]\n" + "".join(f"{name} = {value}\n" for name in names).encode()


@pytest.mark.parametrize("file_format", ["text ini", "text json"])
def test_what_would_take_too_long_is_one_question(file_format: str) -> None:
    """Key by key in the text is work that grows with both; what is beyond it is kept whole, and asked."""

    def write(names: list[str]) -> bytes:
        if file_format == "text json":
            return json.dumps(dict.fromkeys(names, 1), indent=0).encode()
        return _ini(names)

    old, new = [f"old{n:04}" for n in range(900)], [f"new{n:04}" for n in range(900)]
    yours = write(["mine", *old])
    merge = merge_settings(write(old), yours, write([*old, *new]), file_format=file_format)
    assert merge.trouble == "900 of its keys change, more than can be merged key by key"
    assert merge.content == yours
    merge = merge_settings(write(old), yours, write(new), file_format=file_format)
    assert merge.trouble == "900 of its keys went, more than can be merged key by key"
    merge = merge_settings(write(old), yours, write([*old, *new[:40]]), file_format=file_format)
    assert not merge.trouble and sum(line.decided == "new" for line in merge.lines) == 40


def test_new_keys_stand_behind_those_they_stand_behind_in_the_release() -> None:
    base, yours = _ini(["one", "two", "six"]), _ini(["six", "mine", "two", "one"], "9")
    merge = merge_settings(
        base, yours, _ini(["zero", "one", "two", "three", "four", "six"]), file_format="text ini"
    )
    keys = [key[-1] for key in open_document(merge.content, "text ini").values()]
    assert keys == ["six", "mine", "two", "three", "four", "one", "zero"]


def test_a_dot_in_a_name_and_a_way_of_two_names_are_two_keys() -> None:
    base, yours = b'{"video.scale": 1}', b'{"video.scale": 7}'
    arriving = b'{"video.scale": 2, "video": {"scale": 3}}'
    merge = merge_settings(base, yours, arriving, file_format="text json")
    assert json.loads(merge.content) == {"video.scale": 7, "video": {"scale": 3}}
    assert [(line.key, line.path) for line in merge.lines] == [
        ('"video.scale"', ("video.scale",)),
        ("video.scale", ("video", "scale")),
    ]
    taken = merge_settings(
        base, yours, arriving, file_format="text json", answers={("video.scale",): "arriving"}
    )
    assert json.loads(taken.content)["video.scale"] == 2


@pytest.mark.parametrize(
    "odd",
    [
        b'{"a":' * 9000 + b"1" + b"}" * 9000,
        b'{"\\ud800": 1}',
        b'{"a": 1, "a": 2}',
        '{"a": "\udc80"}'.encode("utf-8", "surrogatepass"),
    ],
)
def test_one_odd_file_stops_no_plan(mock: Mock, odd: bytes) -> None:
    mock.edit({"odd.json": odd})
    plant(mock.base, {"odd.json": b'{"a": 0}'})
    mock.arrive(release("1.1") | {"odd.json": b'{"a": 5, "b": 6}'})
    plan = mock.plan()
    question = next(q for q in plan.questions if At("", "odd.json") in q.paths)
    assert question.default == "yours"
    mock.update()
    assert (mock.root / "odd.json").read_bytes() == odd
    # The other answer lays the arriving one, and keeps this one until they let go of it.
    mock.bench.updates.back.go(mock.install)
    draft = mock.draft()
    answers = {q.id: q.default for q in draft.plan().questions} | {question.id: "arriving"}
    outcome = mock.bench.updates.update(draft.plan(answers), mock.install)
    assert json.loads(mock.read("odd.json")) == {"a": 5, "b": 6} and outcome.proof.verdict == "intact"
    mock.bench.updates.settle(mock.install)
    assert [h for h in mock.bench.keeping.look(mock.install).held if "odd.json" in h.places]


@pytest.mark.parametrize(
    ("file_format", "shipped", "yours", "arriving", "result"),
    [
        ("text ini", "[v]\nold = 1\n", "[v]\nold = 1\n", "[v]\nfresh = 2\n", "[v]\nfresh = 2\n"),
        ("text ini", "[v]\nold = 1\n", "[v]\nold = 7\n", "[v]\nfresh = 1\n", "[v]\nfresh = 7\n"),
        ("text toml", "[v]\nold = 1\n", "[v]\nold = 7\n", "[v]\nfresh = 1\n", "[v]\nfresh = 7\n"),
        ("text json", '{"v": {"old": 1}}', '{"v": {"old": 7}}', '{"v": {"größe": 1}}', '{"v": {"größe": 7}}'),
    ],
)
def test_a_key_that_was_renamed_is_written_in_its_place(
    file_format: str, shipped: str, yours: str, arriving: str, result: str
) -> None:
    new = "v.größe" if "json" in file_format else "v.fresh"
    merge = merge_settings(
        shipped.encode(),
        yours.encode(),
        arriving.encode(),
        file_format=file_format,
        renames=(("v.old", new),),
    )
    assert (merge.trouble, merge.content.decode()) == ("", result)


def test_a_name_twice_in_an_object_is_found_beside_comments_too() -> None:
    from left_intact.core.settings.document import NotReadable
    from left_intact.core.settings.formats.registry import format_named

    assert len(format_named("text json").read(b'{"b": {"a": 1}, "a": 1} // one of each')) == 2
    for text in (b'{"a": 1, "a": 2} // twice', b'{"b": {"a": 1, "a": 2}} // twice'):
        with pytest.raises(NotReadable, match="a stands in it twice"):
            format_named("text json").read(text)


def test_lines_behind_the_first_are_indented_as_the_first_of_them_was() -> None:
    from left_intact.core.settings.formats.registry import open_document

    document = open_document(b"[a]\nnotes = one\n  two\n        three\n", "text ini")
    document.set(("a", "notes"), "one\nnext\nlast")
    assert document.to_bytes() == b"[a]\nnotes = one\n  next\n  last\n"


# ---------------------------------------------------------------- which format it is


@pytest.mark.parametrize(
    ("base", "yours", "arriving"),
    [
        (b"[t]\nx = 1\n", b"[t]\nx = 1\ny = 2\n", b"t.x = 9\n"),
        (b"t.x = 1\n", b"t.x = 1\nmine = 2\n", b"[t]\nx = 9\n"),
        (b"[a]\nb = 1\n", b"[a]\nb = 2\n", b'["a"]\nb = 1\nc = 2\n'),
        (b"[a]\nb.c = 1\n", b"[a]\nb.c = 2\n", b"[a.b]\nc = 1\nd = 3\n"),
    ],
)
def test_what_all_sides_are_by_a_strict_parser_the_merged_file_is_too(
    base: bytes, yours: bytes, arriving: bytes
) -> None:
    import tomllib

    for name in ("quay.conf", "quay.toml"):
        merge = merge_settings(base, yours, arriving, file_format="text ini", name=name)
        said = tomllib.loads(merge.content.decode())
        mine, old = tomllib.loads(yours.decode()), tomllib.loads(base.decode())
        assert said != old and (mine == old or said != tomllib.loads(arriving.decode()))


def test_a_list_on_one_line_is_no_section() -> None:
    from left_intact.core.settings.formats.registry import recognise_settings

    assert recognise_settings('["harbour", "mill"]\n') == "text json"
    assert recognise_settings("[video]\nscale = 2\n") == "text ini"


PLAIN = {
    "quay.properties": ("scale=%s\nsmooth=%s\n", "lines=0\n"),
    "quay.yaml": ("scale: %s\nsmooth: %s\n", "lines: 0\n"),
    "quay": ('scale %s\nsmooth "%s"\n', "lines 0\n"),
    "keys.cfg": ('bind a %s\nbind b "%s"\n', "bind c jump\n"),
}


@pytest.mark.parametrize("name", PLAIN)
@pytest.mark.parametrize("shipped", [True, False])
def test_settings_of_every_format_are_merged_by_an_update(mock: Mock, name: str, shipped: bool) -> None:
    """Mine stays, what is new comes, and the proof reads it again; with what was shipped and without."""
    says, more = PLAIN[name]
    mock.edit({name: (says % ("2", "off")).encode()})
    if shipped:
        plant(mock.base, {name: (says % ("2", "on")).encode()})
    mock.bench.surveys.rule(mock.install, name, FileClass.SETTINGS)
    mock.arrive(release("1.1") | {name: (says % ("3", "on") + more).encode()})
    outcome = mock.update()
    wanted = says % ("3" if shipped else "2", "off") + more
    assert (mock.root / name).read_text() == wanted
    assert outcome.proof.verdict == "intact"
    mock.bench.updates.back.go(mock.install)
    assert (mock.root / name).read_text() == says % ("2", "off")


def test_an_xml_file_is_merged_by_an_update(mock: Mock) -> None:
    says = '<?xml version="1.0"?>\n<quay>\n  <!-- mine -->\n  <pad name="left" speed="%s"/>\n%s</quay>\n'
    mock.edit({"quay.xml": (says % ("9", "")).encode()})
    plant(mock.base, {"quay.xml": (says % ("1", "")).encode()})
    mock.bench.surveys.rule(mock.install, "quay.xml", FileClass.SETTINGS)
    more = '  <pad name="right" speed="2"/>\n'
    mock.arrive(release("1.1") | {"quay.xml": (says % ("1", more)).encode()})
    outcome = mock.update()
    assert (mock.root / "quay.xml").read_text() == says % ("9", more)
    assert outcome.proof.verdict == "intact"


def test_what_nobody_can_read_key_by_key_stays_whole(mock: Mock) -> None:
    prose = b"This is what I wrote of the pads.\nThe left one sticks, so mind it.\n"
    merge = merge_settings(prose, prose + b"Mine.\n", b"This is new. " + prose, file_format="text plain")
    assert merge.trouble == "nobody here can read it key by key" and merge.content == prose + b"Mine.\n"


PLAYER = '<s>\n  <player name="%s"%s/>%s\n</s>\n'
IN_A_BLOCK = "pads {\nbind a %s\nbind b run\n}\n"


@pytest.mark.parametrize(
    ("name", "base", "yours", "arriving"),
    [
        ("a.xml", PLAYER % ("Guest", "", ""), PLAYER % ("Mo", "", ""), PLAYER % ("Guest", ' skin="1"', "")),
        ("a.xml", None, PLAYER % ("Mo", "", ""), PLAYER % ("Guest", ' skin="1"', "")),
        ("keys", IN_A_BLOCK % "jump", IN_A_BLOCK % "fly", "pads {\nbind c new\nbind a jump\nbind b run\n}\n"),
        (
            "keys",
            "pad left\n  bind a jump\n",
            "pad left\n  bind a fly\n",
            "pad left\n  bind b x\n  bind a jump\n",
        ),
    ],
)
def test_what_may_belong_elsewhere_is_not_laid_beside_it(
    name: str, base: str | None, yours: str, arriving: str
) -> None:
    """One thing that was renamed, and lines that stand within others."""
    shipped = base.encode() if base is not None else None
    merge = merge_settings(shipped, yours.encode(), arriving.encode(), file_format="text plain", name=name)
    assert merge.trouble and merge.content == yours.encode()


@pytest.mark.parametrize(
    ("name", "base", "yours", "arriving"),
    [
        ("a.ini", "[v]\na = 1\n[pad]\nx = 1\n", "[v]\na = 1\n", "[v]\na = 2\n[pad]\nx = 1\ny = 2\n"),
        ("a.json", '{"v": 1, "pad": {"x": 1}}', '{"v": 1}', '{"v": 2, "pad": {"x": 1, "y": 2}}'),
        ("a.yaml", "v: 1\npad:\n  x: 1\n", "v: 1\n", "v: 2\npad:\n  x: 1\n  y: 2\n"),
        (
            "a.xml",
            PLAYER % ("Guest", "", '<player name="Ann"/>'),
            PLAYER % ("Mo", "", '<player name="Ann"/>'),
            PLAYER % ("Guest", ' skin="1"', '<player name="Ann"/>'),
        ),
    ],
)
def test_what_comes_to_something_that_the_person_deleted_stays_away(
    name: str, base: str, yours: str, arriving: str
) -> None:
    from left_intact.core.files.headers import recognise

    files = [text.encode() for text in (base, yours, arriving)]
    file_format = recognise(files[1], len(files[1]), name)
    merge = merge_settings(*files, file_format=file_format, name=name)
    assert not merge.trouble and "left out" in {line.decided for line in merge.lines}
    assert b"pad" not in merge.content and b"Guest" not in merge.content and b"skin" not in merge.content


def test_source_code_is_never_merged_as_settings(mock: Mock) -> None:
    says = "cd quay\nstart %s\nwait 1\n"
    mock.edit({"run.bat": (says % "mine").encode()})
    plant(mock.base, {"run.bat": (says % "old").encode()})
    mock.bench.surveys.rule(mock.install, "run.bat", FileClass.SETTINGS)
    mock.arrive(release("1.1") | {"run.bat": (says % "old" + "set fresh 1\n").encode()})
    mock.update()
    assert mock.read("run.bat") == says % "mine"
