"""The values that carry every route: they come back from their records as they went in, and say what they
promise.
"""

from __future__ import annotations

import itertools
import os
from dataclasses import fields, replace
from pathlib import Path
from typing import Any, get_args

import pytest
from hypothesis import given
from hypothesis import strategies as st

from left_intact.core.carrying.heads import make_journal
from left_intact.core.carrying.journal import FolderTime, Journal, Observed, Whole
from left_intact.core.carrying.roots import Roots
from left_intact.core.carrying.steps import steps_of, witness_of
from left_intact.core.model.classes import FileClass
from left_intact.core.model.effects import HoldSet, InstallMoved
from left_intact.core.model.entry import Attributes, Entry, Kind
from left_intact.core.model.errors import LeftIntactError
from left_intact.core.model.facts import RunFacts, Way
from left_intact.core.model.pattern import exactly_at
from left_intact.core.model.place import At, Root, from_words
from left_intact.core.model.records import from_record, from_text, packed, to_record, to_text, unpacked
from left_intact.core.model.stages import (
    ChangeSet,
    Consent,
    DeferredStage,
    FromArrival,
    FromRoot,
    FromStrongbox,
    KeyLine,
    Made,
    ManualCheck,
    ManualStep,
    Move,
    OnFailure,
    Shipped,
    Sign,
    Verb,
)
from left_intact.core.model.things import Counted, Thing, ThingRule
from left_intact.core.model.unchanged import Unchanged
from left_intact.core.model.update import Arrived, RunKind, RunRecord, StageState, State, Update, WaitsFor
from left_intact.core.proving.manual_steps import was_done
from left_intact.core.survey.patterns import Pattern
from tests.builders import STAMPS, plant, release

texts = st.text(st.characters(codec="utf-8", exclude_characters="\0/"), min_size=1, max_size=8)
paths = st.lists(texts, min_size=1, max_size=3).map("/".join)
numbers = st.integers(0, 1 << 62)
entries = st.builds(
    Entry,
    path=paths,
    kind=st.sampled_from([Kind.FILE, Kind.LINK, Kind.FOLDER]),
    bytes=numbers,
    mode=st.none() | st.integers(0, 0o7777),
    mtime_ns=st.integers(-(1 << 60), 1 << 62),
    digest=st.sampled_from(["", "ab" * 32]),
    format=st.sampled_from(["", "text ini"]),
    link=st.sampled_from(["", "../a b"]),
    fault=st.sampled_from(["", "no rights"]),
    stamp=st.tuples(numbers, numbers, numbers),
)
places = st.builds(At, st.sampled_from(["", "saves", "new"]), paths)
attributes = st.builds(
    Attributes,
    owner=st.integers(-1, 9999),
    group=st.integers(-1, 9999),
    names=st.integers(1, 4),
    extended=st.lists(st.tuples(texts, st.binary(max_size=9)), max_size=2).map(tuple),
)
lines = st.builds(
    KeyLine,
    key=texts,
    shipped=st.none() | texts,
    yours=st.none() | texts,
    arriving=st.none() | texts,
    result=st.none() | texts,
    decided=st.sampled_from(["same", "yours", "conflict"]),
)
sources = st.one_of(
    st.none(),
    st.builds(FromArrival, st.integers(0, 3), paths),
    st.builds(FromRoot, places),
    st.builds(FromStrongbox, st.just("cd" * 32)),
    st.builds(Made, st.just("ef" * 32), st.binary(max_size=20), st.lists(lines, max_size=2).map(tuple)),
)
moves = st.builds(
    Move,
    at=places,
    verb=st.sampled_from(list(Verb)),
    file_class=st.sampled_from(list(FileClass)),
    because=texts,
    before=st.none() | entries,
    after=st.none() | entries,
    source=sources,
    bytes=numbers,
    safeguard=st.booleans(),
    by_name=st.booleans(),
    gives=st.none() | attributes,
    joins=st.none() | places,
)
checks = st.builds(ManualCheck, sign=st.sampled_from(list(Sign)), at=places, key=texts, value=texts)
hands = st.builds(
    ManualStep,
    id=texts,
    asks=texts,
    why=texts,
    check=checks,
    may_skip=st.booleans(),
    rebinds=st.lists(texts, max_size=2).map(tuple),
    command=st.lists(texts, max_size=2).map(tuple),
    back=st.none() | st.builds(ManualStep, id=texts, asks=texts, why=texts, check=checks),
)


# ---------------------------------------------------------------- records


plain = st.one_of(entries, hands, moves, st.builds(Root, label=texts, place=paths, identity=st.none()))


@given(plain)
def test_a_value_comes_back_from_its_record(value: Any) -> None:
    assert from_text(type(value), to_text(value)) == value


@given(st.lists(moves, max_size=4), st.booleans())
def test_a_stage_comes_back(some: list[Move], tidy: bool) -> None:
    change_set = ChangeSet(
        moves=tuple(some),
        shipped=Shipped(arrival=1, over=True, paths=("a",)),
        tidy=tidy,
        times=((At("", "a"), 5),),
    )
    assert unpacked(ChangeSet, packed(change_set)) == change_set


def test_what_is_drawn_later_comes_back() -> None:
    consent = Consent(roots=("", "saves"), classes=(FileClass.SAVES,), verbs=(Verb.ADD, Verb.REHOME), bytes=7)
    later = DeferredStage(planner="rung", intends="lay the next", consent=consent, context={"n": "2"})
    assert from_text(DeferredStage, to_text(later)) == later


@given(st.sampled_from(get_args(Way)), st.none() | st.lists(places, max_size=2).map(tuple))
def test_what_is_known_of_a_run_comes_back(way: type[Any], let_go: tuple[At, ...] | None) -> None:
    facts = RunFacts(
        way=way(),
        came="Night Lamps",
        comes={"a": "ab" * 32},
        rules=(ThingRule(counts="mods", file="list.txt"),),
        counted=(Counted(thing=Thing.MODS_ON, rule="by list.txt", names=("lamps",)),),
        under_ids={"saves": 2},
        let_go=let_go,
        answers={"q": "yes"},
    )
    assert unpacked(RunFacts, packed(facts)) == facts


def test_a_source_that_is_not_known_is_refused() -> None:
    said = to_record(Move(at=At("", "a"), verb=Verb.ADD, file_class=FileClass.PROGRAM, because=""))
    with pytest.raises(ValueError, match="moon"):
        from_record(Move, said | {"source": {"from": "moon"}})


def test_names_that_are_no_utf8_come_back() -> None:
    odd = b"\xff\xfe.sav".decode("utf-8", "surrogateescape")
    entry = Entry(path=odd, mode=0o644)
    assert unpacked(Entry, packed(entry)) == entry


# ---------------------------------------------------------------- places


@pytest.mark.parametrize(
    ("words", "place"),
    [
        ("a/b", At("", "a/b")),
        ("saves:/a", At("saves", "a")),
        ("saves:", At("saves", "")),
        ("other:/a", At("", "other:/a")),
        ("saves:a", At("", "saves:a")),
        ("./saves:/a", At("", "saves:/a")),
        ("", At("", "")),
    ],
)
def test_only_a_known_label_parts_a_path_that_a_person_wrote(words: str, place: At) -> None:
    assert from_words(words, ["saves"]) == place
    assert place.shown == words.removeprefix("./")


def test_a_folder_that_is_called_like_a_root_is_none() -> None:
    folder, root = At("", "saves:/a"), At("saves", "a")
    assert folder != root and folder.shown == root.shown
    assert not folder.holds(root) and not root.folder.holds(folder)


@given(places, st.sampled_from(["saves", "memory"]))
def test_a_pattern_that_the_program_writes_of_a_place_means_that_one(place: At, label: str) -> None:
    for at in (place, At(label, place.path)):
        labels = [at.root] if at.root else ["saves", "memory"]
        assert Pattern.of(exactly_at(at), labels).speaks_of(at) or not at.path
        for other in (At("other", at.path), At("", f"{label}:/{at.path}")):
            assert other == at or not Pattern.of(exactly_at(at), labels).speaks_of(other)


@given(places)
def test_the_folders_above_a_place_hold_it(place: At) -> None:
    above = list(place.upwards())
    assert above[0] == place and above[-1] == At(place.root, "") and all(one.holds(place) for one in above)
    assert all(one.folder == two for one, two in itertools.pairwise(above))


# ---------------------------------------------------------------- moves and consent


def _move(
    verb: Verb = Verb.ADD,
    root: str = "",
    before: Entry | None = None,
    size: int = 5,
    kind: FileClass = FileClass.SAVES,
) -> Move:
    after = Entry(path="x", bytes=size, digest="ab" * 32, mode=0o644)
    return Move(at=At(root, "x"), verb=verb, file_class=kind, because="", before=before, after=after)


def test_what_changes_is_told_by_what_lies_there_not_by_the_verb() -> None:
    entry = Entry(path="x", digest="ab" * 32, bytes=5, mode=0o644, mtime_ns=3)
    for verb in Verb:
        same = Move(
            at=At("", "x"), verb=verb, file_class=FileClass.PROGRAM, because="", before=entry, after=entry
        )
        assert not same.changes_disk and not same.is_step
    assert _move().changes_disk
    gone = Move(at=At("", "x"), verb=Verb.KEEP, file_class=FileClass.PROGRAM, because="", before=entry)
    assert gone.changes_disk
    later = Entry(path="x", digest="ab" * 32, bytes=5, mode=0o600, mtime_ns=3)
    assert Move(
        at=At("", "x"), verb=Verb.KEEP, file_class=FileClass.PROGRAM, because="", before=entry, after=later
    ).changes_disk


@pytest.mark.parametrize(
    ("move", "says"),
    [
        (_move(), ""),
        (_move(root="other"), "a folder that was not spoken of"),
        (_move(verb=Verb.RETIRE), "would be a retire"),
        (
            _move(before=Entry(path="x", digest="cd" * 32, bytes=9, mode=0o644), kind=FileClass.SETTINGS),
            "would be displaced",
        ),
        (_move(size=101), "more than was spoken of"),
    ],
)
def test_consent_covers_what_was_spoken_of_and_no_more(move: Move, says: str) -> None:
    consent = Consent(roots=("",), classes=(FileClass.SAVES,), verbs=(Verb.ADD,), bytes=100)
    found = consent.covers((move,))
    assert (says in found) if says else not found


# ---------------------------------------------------------------- steps


def _steps(root: Path, *some: Move, tidy: bool = True) -> list[tuple[str, str]]:
    with Roots([Root(label="", place=str(root))]) as roots:
        steps = steps_of(ChangeSet(moves=some, tidy=tidy), roots)
    return [
        (step.at.path, "made" if step.before is None else "gone" if step.after is None else "other")
        for step in steps
    ]


def _gone(root: Path, path: str) -> Move:
    from left_intact.core.files.tree import entry_of

    return Move(
        at=At("", path),
        verb=Verb.RETIRE,
        file_class=FileClass.PROGRAM,
        because="",
        before=entry_of(str(root / path), path),
    )


def test_steps_come_in_an_order_that_works_both_ways(tmp_path: Path) -> None:
    root = plant(tmp_path / "r", {"a/b/one": "1", "a/b/two": "2", "keep/x": "3"})
    new = Move(
        at=At("", "n/m/o"),
        verb=Verb.ADD,
        file_class=FileClass.PROGRAM,
        because="",
        after=Entry(path="n/m/o", digest="ab" * 32, mode=0o644),
    )
    assert _steps(root, new, _gone(root, "a/b/two"), _gone(root, "a/b/one")) == [
        ("a/b/one", "gone"),
        ("a/b/two", "gone"),
        ("a/b", "gone"),
        ("a", "gone"),
        ("n", "made"),
        ("n/m", "made"),
        ("n/m/o", "made"),
    ]
    assert ("a/b", "gone") not in _steps(root, _gone(root, "a/b/one"))  # something stays in it
    assert _steps(root, _gone(root, "a/b/one"), _gone(root, "a/b/two"), tidy=False)[-1] == ("a/b/two", "gone")


@pytest.mark.parametrize(
    "path", ["../x", "/etc/x", "a/../../x", "a//b", *(["c:/x"] if os.name == "nt" else [])]
)
def test_a_path_that_leaves_its_root_yields_no_step(tmp_path: Path, path: str) -> None:
    root = plant(tmp_path / "r", {"x": "1"})
    move = Move(
        at=At("", path),
        verb=Verb.ADD,
        file_class=FileClass.PROGRAM,
        because="",
        after=Entry(path=path, mode=0o644),
    )
    with pytest.raises(LeftIntactError) as error:
        _steps(root, move)
    assert error.value.code == "bad-path"


def test_what_cannot_be_read_is_never_displaced(tmp_path: Path) -> None:
    root = plant(tmp_path / "r", {"x": "1"})
    for kind in (Kind.FAULT, Kind.OTHER):
        move = Move(
            at=At("", "x"),
            verb=Verb.RETIRE,
            file_class=FileClass.PROGRAM,
            because="",
            before=Entry(path="x", kind=kind),
        )
        with pytest.raises(LeftIntactError) as error:
            _steps(root, move)
        assert error.value.code == "unreadable"


# ---------------------------------------------------------------- the journal


def test_a_run_comes_back_from_its_journal(tmp_path: Path) -> None:
    hand = ManualStep(
        id="start", asks="start it", why="it must", check=ManualCheck(sign=Sign.SAID), may_skip=True
    )
    consent = Consent(roots=("",), classes=(), verbs=(), bytes=0)
    second = ChangeSet(moves=(_move(),), shipped=Shipped(arrival=0))
    stages = (ChangeSet(moves=()), hand, DeferredStage(planner="p", intends="i", consent=consent), second)
    roots = (Root(label="", place="/a", identity=(1, 2)), Root(label="new", place="/b", existed=False))
    record = RunRecord(
        install="Mocklet",
        from_version="1",
        to_version="2",
        route="in-place",
        roots=roots,
        arrivals=(Arrived(source="z.zip", root="w", digest="d", version="2"),),
        on_failure=OnFailure.KEEP,
        effects=(InstallMoved("/a", "/b"), HoldSet("2", "wanted")),
    )
    facts = RunFacts(answers={"q": "yes"})
    path = str(tmp_path / "journal.sqlite")
    make_journal(path)
    with Journal(path) as journal:
        update = journal.begin(record, facts, stages)
        assert replace(update, began=0) == Update(
            **{one.name: getattr(record, one.name) for one in fields(record)},
            id=1,
            state=State.STAGING,
            changed=update.changed,
            stages=4,
        )
        assert journal.facts(1) == facts
        assert [s.kind for s in journal.stages(1)] == ["carry", "hand", "later", "carry"]
        assert journal.stages(1)[1].hand == hand and journal.drawn(1, 4) == second
        waits = WaitsFor(step="start", asks="start it", why="it must", may_skip=True, can_be_seen=False)
        journal.wait(1, 2, waits)
        assert (
            journal.waiting() == journal.update(1)
            and journal.update(1).waits == waits
            and journal.unfinished() is None
        )
        seen = [
            Observed(
                at=At("new", "a"), before=None, after=Entry(path="a", mode=0o644), file_class=FileClass.SAVES
            )
        ]
        journal.set_observed(1, 2, seen, ended=(StageState.DONE, State.WAITING))
        assert journal.observed(1, 2) == seen and journal.stages(1)[1].state is StageState.DONE
        witness = witness_of([_move()], Unchanged(), version="1", to_version="2", roots=(("new", "/b"),))
        times = [
            FolderTime(at=At("", "a"), mode=0o755, mtime_ns=9),
            FolderTime(at=At("", ""), mode=0, mtime_ns=1, wanted=True),
        ]
        journal.put_carry(1, 3, Whole(change_set=second, steps=[], folders=times, witness=witness))
        assert journal.witness_of(1, 3) == witness and journal.folders(1, 3) == times
        assert journal.stages(1)[2].kind == "carry"
        journal.begin_again(1, 3)
        assert journal.stages(1)[2].kind == "later"  # what was drawn late is drawn again
        takes_back = replace(record, undoes=(1,), kind=RunKind.BACK)
        back = journal.begin(takes_back, RunFacts(), (ChangeSet(moves=()),))
        assert journal.update(1).state is State.GOING_BACK and journal.unfinished() == back
        assert [u.id for u in journal.updates()] == [1] and [u.id for u in journal.runs()] == [2, 1]


@pytest.mark.parametrize(
    ("path", "folder", "inside"),
    [
        ("/a/b", "/a", True),
        ("/a", "/a", True),
        ("/ab", "/a", False),
        ("/a", "/a/b", False),
        ("/a", "/", True),
    ],
)
def test_what_lies_in_a_folder(path: str, folder: str, inside: bool) -> None:
    from left_intact.core.files.names import lies_in

    assert lies_in(path, folder) is inside


# ---------------------------------------------------------------- signs


def test_every_sign_of_a_step_by_hand(tmp_path: Path) -> None:
    root = plant(tmp_path / "mocklet", release("1.1", **{"mocklet.ini": "[video]\nsmooth = off\n"}))
    roots = (Root(label="", place=str(root)), Root(label="gone", place=str(tmp_path / "nowhere")))

    def seen(sign: Sign, at: At = At("", ""), key: str = "", value: str = "") -> bool:  # noqa: B008
        return was_done(ManualCheck(sign=sign, at=at, key=key, value=value), roots, name="Mocklet")

    assert seen(Sign.APPEARS, At("", "VERSION")) and not seen(Sign.APPEARS, At("", "nothing"))
    assert seen(Sign.GONE, At("", "nothing")) and not seen(Sign.GONE, At("", "VERSION"))
    assert seen(Sign.GONE, At("gone", "")) and not seen(Sign.APPEARS, At("gone", ""))
    assert seen(Sign.VERSION_READS, value="1.1") and not seen(Sign.VERSION_READS, value="1.2")
    assert seen(Sign.SETTING_HAS, At("", "mocklet.ini"), "video.smooth", "off")
    assert not seen(Sign.SETTING_HAS, At("", "mocklet.ini"), "video.smooth", "on")
    assert not seen(Sign.SETTING_HAS, At("", "nothing.ini"), "a", "b") and not seen(
        Sign.VERSION_READS, At("gone", ""), value="1"
    )
    plant(root, {"torn.json": '{"a": ', "lamp.json": '{"a": {"b": 1}}'})
    assert seen(Sign.SETTING_HAS, At("", "lamp.json"), "a.b", "1")
    assert not seen(Sign.SETTING_HAS, At("", "torn.json"), "a", "1")
    assert not seen(Sign.SETTING_HAS, At("", "lib/libcore.so"), "a", "1")
    assert not seen(Sign.SAID)


@STAMPS
def test_looking_again_and_again_reads_only_what_has_changed(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    from left_intact.core.files.tree import read_tree

    root = plant(tmp_path / "mocklet", release("1.1"))
    pages = {page.folder: page for page in read_tree(str(root)).pages}
    opened: list[str] = []
    real = os.open
    monkeypatch.setattr(os, "open", lambda p, *m, **n: (opened.append(str(p)), real(p, *m, **n))[1])
    check = ManualCheck(sign=Sign.VERSION_READS, value="1.1")
    assert was_done(check, [Root(label="", place=str(root))], name="Mocklet", known=pages) and not opened
    (root / "VERSION").write_text("1.2\n")
    assert not was_done(check, [Root(label="", place=str(root))], name="Mocklet", known=pages)
    assert [Path(path).name for path in opened] == ["VERSION"]
