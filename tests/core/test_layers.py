"""What is on record is layers: what lies here by record is their fold, and one that goes out brings back what
lay below.
"""

from __future__ import annotations

from pathlib import Path
from types import MappingProxyType
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from left_intact.core.library.layer_rows import layers_from_row, layers_to_row
from left_intact.core.model.entry import Entry, Kind
from left_intact.core.model.layers import Layer, Record
from left_intact.core.model.pages import PagedEntries, pages_of
from left_intact.core.model.release import Reading, Release
from left_intact.core.model.stages import LayerKind
from left_intact.demo.binaries import elf
from tests.builders import Mock, plant, release, zipped
from tests.routes.ladders import TITLE, Rally, engine, step

PATHS = ("a", "b/c", "b/d", "b/e/f", "g/h/i")


def entry(path: str, content: str) -> Entry:
    return Entry(path=path, kind=Kind.FILE, bytes=len(content), digest=content.encode().hex().ljust(64, "0"))


def layer(kind: LayerKind, files: dict[str, str], version: str = "", **more: Any) -> Layer:
    readings = (Reading(text=version, source="VERSION"),) if version else ()
    entries = MappingProxyType({path: entry(path, content) for path, content in files.items()})
    return Layer(kind=kind, release=Release(name="x", entries=entries, readings=readings), **more)


files = st.dictionaries(st.sampled_from(PATHS), st.sampled_from("123"), max_size=5)
kinds = st.sampled_from([kind for kind in LayerKind if kind is not LayerKind.RELEASE])
overs = st.lists(st.tuples(kinds, files, st.booleans()), max_size=5)


@given(base=files, over=overs)
def test_the_upper_one_counts_and_what_is_off_does_not(
    base: dict[str, str], over: list[tuple[LayerKind, dict[str, str], bool]]
) -> None:
    layers = [layer(LayerKind.RELEASE, base), *(layer(kind, laid, is_on=on) for kind, laid, on in over)]
    record = Record(tuple(layers))
    wanted = dict(base)
    for _, laid, on in over:
        wanted |= laid if on else {}
    fold = record.fold(mine=True)
    assert fold is not None
    assert {p: e.digest for p, e in fold.entries.items()} == {
        p: entry(p, c).digest for p, c in wanted.items()
    }
    for path in PATHS:
        laid_by = record.laid_by(path)
        assert (record.entry(path) is None) == (path not in wanted) == (not laid_by)
        if laid_by:  # once the one that counts is out, the next one below does
            below = record.without(laid_by[0]).entry(path)
            assert below == (laid_by[1].release.entries[path] if len(laid_by) > 1 else None)


@given(base=files, over=overs)
def test_a_record_is_read_as_it_was_written(
    base: dict[str, str], over: list[tuple[LayerKind, dict[str, str], bool]]
) -> None:
    layers = (layer(LayerKind.RELEASE, base, "1.0"), *(layer(k, laid, is_on=on) for k, laid, on in over))
    again = layers_from_row(layers_to_row(layers))
    assert [(one.kind, one.is_on, one.name, one.version) for one in again] == [
        (one.kind, one.is_on, one.name, one.version) for one in layers
    ]
    for one, other in zip(layers, again, strict=True):
        mine, theirs = one.release.entries, other.release.entries
        assert {p: e.digest for p, e in mine.items()} == {p: e.digest for p, e in theirs.items()}


def test_only_what_carries_the_programs_version_raises_the_installs() -> None:
    release = layer(LayerKind.RELEASE, {"a": "1"}, "1.0")
    mod = layer(LayerKind.MOD, {"b/c": "2"}, "7.3", raises=False)
    patch = layer(LayerKind.PATCH, {"a": "3"}, "1.1")
    assert Record((release, mod)).version == "1.0" and Record((release, mod, patch)).version == "1.1"
    fold = Record((release, patch, mod)).fold()
    assert fold is not None and fold.version_text == "1.1"


def test_what_lies_over_nothing_says_nothing_of_the_rest() -> None:
    assert Record((layer(LayerKind.PART, {"a": "1"}),)).fold() is None and Record().fold() is None


def test_what_is_the_persons_counts_for_nothing_of_the_programs() -> None:
    record = Record((layer(LayerKind.RELEASE, {"a": "1"}), layer(LayerKind.PACK, {"b/c": "2"}, is_mine=True)))
    ours, all_of_it = record.fold(), record.fold(mine=True)
    assert ours is not None and all_of_it is not None
    assert set(ours.entries) == {"a"} and set(all_of_it.entries) == {"a", "b/c"}


def test_a_folder_that_was_empty_and_has_something_now_is_no_entry() -> None:
    pages = pages_of([entry("a", "1"), Entry(path="b", kind=Kind.FOLDER)])
    base = Layer(kind=LayerKind.RELEASE, release=Release(name="x", entries=PagedEntries(pages)))
    fold = Record((base, layer(LayerKind.PATCH, {"b/c": "2"}))).fold()
    assert fold is not None and set(fold.entries) == {"a", "b/c"}


@pytest.fixture
def twice(mock: Mock) -> Mock:
    """A release on record, and two mods over it that both lay one of its extras."""
    mock.arrive(
        release("1.1", textures__sea=b"\x10" * 64, textures__sky=b"\x11" * 64, sounds__sea=b"\x12" * 64)
    )
    mock.update()
    return mock


def test_of_two_mods_that_lay_one_file_the_one_below_is_back_once_the_upper_goes(twice: Mock) -> None:
    calm = {"textures/sea": b"\x20" * 64, "sounds/sea": b"\x22" * 64}
    lay(twice, zipped(dict(calm), twice.folder / "calm.zip"))
    storm = {"textures/sea": b"\x30" * 64, "textures/sky": b"\x31" * 64, "sounds/sea": b"\x32" * 64}
    lay(twice, zipped(dict(storm), twice.folder / "storm.zip"))
    record = twice.bench.records.record(twice.install)
    assert [one.name for one in record.laid_by("textures/sea")] == ["storm.zip", "calm.zip", "mocklet-1.1"]
    assert [one.name for one in record.laid_by("textures/sky")] == ["storm.zip", "mocklet-1.1"]
    assert record.version == "1.1"
    calm = record.laid_by("textures/sea")[1].release.entries["textures/sea"]
    twice.bench.updates.back.go(twice.install)
    again = twice.bench.records.record(twice.install)
    lies = again.entry("textures/sea")
    assert lies is not None and lies.digest == calm.digest
    assert (Path(twice.root) / "textures/sea").read_bytes() == b"\x20" * 64
    assert [one.name for one in again.laid_by("textures/sky")] == ["mocklet-1.1"]


def test_a_part_that_is_taken_back_is_off_the_record(twice: Mock) -> None:
    part = twice.folder / "libpad.so"
    part.write_bytes(elf("mocklet 1.1b pad", b"pad" * 40))
    bench = twice.bench
    before = bench.records.on_record(twice.install)
    draft = bench.updates.draft(twice.install, str(part))
    bench.updates.update(draft.plan(), twice.install)
    record = bench.records.record(twice.install)
    assert [one.kind for one in record.laid_by("lib/libpad.so")] == [LayerKind.PART, LayerKind.RELEASE]
    bench.updates.back.go(twice.install)
    after = bench.records.on_record(twice.install)
    assert before is not None and after is not None
    assert after.entries["lib/libpad.so"].digest == before.entries["lib/libpad.so"].digest


def lay(mock: Mock, arrival: Path, says: str = "arriving") -> None:
    draft = mock.bench.updates.draft(mock.install, str(arrival))
    answers = {q.id: says if says in q.options else q.default for q in draft.plan().questions}
    mock.bench.updates.update(draft.plan(answers), mock.install)


def skins(shade: int) -> dict[str, bytes]:
    return {f"skins/s{n}.png": b"\x89PNG\r\n\x1a\n" + bytes([n + shade]) * 400 for n in range(8)}


def test_a_mod_outlives_the_next_release_and_its_version_is_never_the_programs(mock: Mock) -> None:
    mock.arrive(release("1.1"))
    mock.update()
    mock.edit(dict(skins(1)))
    lay(mock, zipped({**skins(50), "VERSION": "7.3\n"}, mock.folder / "calm.zip"))
    assert mock.read("VERSION") == "1.1\n" and (mock.root / "skins/s3.png").read_bytes()[-1] == 53
    newer = zipped({**skins(90), "VERSION": "7.4\n"}, mock.folder / "calm-2.zip")
    assert not mock.bench.updates.draft(mock.install, str(newer)).plan().questions  # it knows the one before
    lay(mock, newer)
    mock.arrive(release("1.2"), "mocklet-1.2")
    plan = mock.draft(baseline=False).plan()
    assert not plan.questions and not [m for m in plan.changes if m.at.path.startswith("skins/")]
    lay(mock, mock.next)
    assert mock.read("VERSION") == "1.2\n" and (mock.root / "skins/s3.png").read_bytes()[-1] == 93


def test_a_titles_update_outlives_the_next_release(tmp_path: Path) -> None:
    rally = Rally(tmp_path, {})
    title = "titles/moth hour"
    plant(rally.root, {f"{title}/VERSION": "1.0\n", f"{title}/hour.pak": b"PAK1 one " * 30})
    rally.bench.surveys.set_baseline(rally.install, str(plant(tmp_path / "base" / "rally-1.04", TITLE)))
    for number in (1, 2):
        inside = {"VERSION": f"1.{number}\n", "hour.pak": b"PAK1 " + str(number).encode() * 90}
        tree = step(f"1.{number}", f"1.{number - 1}", inside, of="Moth Hour", more=f'into = "{title}"\n')
        zipped(tree, rally.came / f"moth-{number}.zip")
        assert not rally.plan().open_questions
        rally.update()
    mine = (rally.root / title / "hour.pak").read_bytes()
    arrival = zipped(TITLE | engine("1.05"), tmp_path / "rally-1.05.zip", "rally-1.05")
    lay(rally, arrival)  # type: ignore[arg-type]
    assert rally.read("VERSION") == "1.05\n" and rally.read(f"{title}/VERSION") == "1.2\n"
    assert (rally.root / title / "hour.pak").read_bytes() == mine
