"""Single lines that nothing else depends on, each pinned: bounds, orders, flushes, odd answers of a disk."""

from __future__ import annotations

import errno
import os
import signal
import stat
from dataclasses import replace
from pathlib import Path
from types import SimpleNamespace
from typing import Any

import pytest

from left_intact.core.carrying.journal import Journal
from left_intact.core.carrying.recovery import recover
from left_intact.core.carrying.roots import Roots
from left_intact.core.carrying.steps import steps_of, touched_folders
from left_intact.core.carrying.strongbox import Strongbox
from left_intact.core.files import place as places
from left_intact.core.files.place import LocalPlace, able
from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Attributes, Entry, Kind
from left_intact.core.model.errors import LeftIntactError
from left_intact.core.model.pages import pages_of
from left_intact.core.model.place import At, Root
from left_intact.core.model.plan import Move, Question, Verb
from left_intact.core.model.release import Release
from left_intact.core.model.stages import Carry, FromStrongbox, HandCheck, OnFailure, Sign
from left_intact.core.model.things import Counted, Start, Thing, ThingRule
from left_intact.core.model.update import StageState, State
from left_intact.core.planning.later import LaterStage, Situation
from left_intact.core.proving.compare import Now
from left_intact.core.settings.merge import merge_settings
from left_intact.services.other_stages import OtherStages
from tests.builders import FORKS, LATER, MODES, Mock, open_below, plant, release
from tests.chains import PLANNER, KillAt, MadeUp, in_child, with_later

ROOT = pytest.mark.skipif(
    not hasattr(os, "geteuid") or os.geteuid() != 0, reason="only the superuser gives files away"
)


def file_at(path: str, digest: str = "aa", **more: Any) -> Entry:
    return Entry(path=path, bytes=3, mode=0o644, mtime_ns=5, digest=digest * 32, **more)


# ---------------------------------------------------------------- planning


def test_five_files_are_enough_to_tell_another_program(mock: Mock) -> None:
    odd = {f"quite/{n}.bin": b"x" + bytes([n]) for n in range(4)}
    mock.arrive(odd | {"mocklet": "another\n"}, "another-1.1")
    assert "other-program" in {b.code for b in mock.plan().blockers}


def test_what_every_release_has_is_no_counterpart() -> None:
    from left_intact.core.planning.blockers import _files_of

    names = ["README.md", "mocklet", "LICENSE"]
    (page,) = pages_of([replace(file_at(name), kind=Kind.FILE) for name in names])
    assert list(_files_of(page)) == ["mocklet"]


def test_three_places_are_listed_whole() -> None:
    from left_intact.core.planning.back import _listed

    three = [At("", "a"), At("", "b"), At("", "c")]
    assert _listed(three) == "a, b, c" and _listed([*three, At("", "d")]) == "a, b, c …"


def test_what_the_pack_has_as_it_lies_here_is_no_move(mock: Mock) -> None:
    from left_intact.core.planning.inputs import PlanInputs
    from left_intact.core.planning.routes.content_pack import ContentPack

    survey = mock.bench.surveys.survey(mock.install)
    same, other = survey.findings.find("games/harbour.cart"), file_at("games/harbour.cart", "bb")
    assert same is not None
    mock.arrive(release("1.1"))
    arrival = mock.bench.surveys.arrival(mock.install, str(mock.next))

    def moves(entry: Entry) -> int:
        came = replace(arrival, release=replace(arrival.release, entries={entry.path: entry}))
        drawn = ContentPack().draw(PlanInputs(install="Mocklet", survey=survey, arrival=came))
        return len(drawn.stages[0].moves)  # type: ignore[union-attr]

    assert (moves(same.entry), moves(other)) == (0, 1)


@pytest.mark.parametrize(("last", "long"), [(94, False), (95, True)])
def test_how_long_a_path_may_be(last: int, long: bool) -> None:
    from left_intact.core.planning.blockers import _too_long
    from left_intact.core.planning.circumstances import Circumstances

    path = "/".join(["a" * 99] * 40 + ["b" * last])
    assert _too_long(path, Circumstances()) is long


# ---------------------------------------------------------------- settings


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


def test_a_line_of_comment_is_no_pair() -> None:
    from left_intact.core.settings.formats.lines import _pair

    assert (
        _pair("# loudness = 40") is None
        and _pair("  ; loudness = 40") is None
        and _pair("loudness = 40") is not None
    )


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


# ---------------------------------------------------------------- places and the strongbox


def without(**lacks: bool) -> Any:
    return replace(able(), **lacks)


def test_a_rename_without_the_systems_help_goes_over_nothing(tmp_path: Path) -> None:
    plant(tmp_path / "p", {"one": "1", "two": "2"})
    with LocalPlace(
        str(tmp_path / "p"), ours=True, able_to=without(no_replace=False, exchange=False)
    ) as place:
        with pytest.raises(LeftIntactError) as stop:
            place.take(place, "one", "two", over=False)
        place.take(place, "one", "three", over=False)
    assert stop.value.code == "changed-meanwhile"
    assert sorted(p.name for p in (tmp_path / "p").iterdir()) == ["three", "two"]


def test_a_disk_that_refuses_to_remove_a_folder_is_no_folder_with_something_in_it(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    plant(tmp_path / "p", {"full/x": "1", "empty": None})

    def refuses(*_: Any, **__: Any) -> None:
        raise OSError(errno.EIO, "input/output error")

    with LocalPlace(str(tmp_path / "p"), ours=True) as place:
        assert place.remove_empty("full") is False
        monkeypatch.setattr(os, "rmdir", refuses)
        with pytest.raises(OSError, match="input/output"):
            place.remove_empty("empty")


def test_a_copy_that_reads_otherwise_is_told_from_a_source_that_changed(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    plant(tmp_path / "p", {"one": "1"})
    with LocalPlace(str(tmp_path / "p"), ours=True) as place:
        digest = place.digest("one")
        with pytest.raises(LeftIntactError) as changed:
            place.copy_in(place, "one", "two", "00" * 32)
        whole = LocalPlace.digest
        monkeypatch.setattr(
            LocalPlace, "digest", lambda self, p: "ff" * 32 if p == "three" else whole(self, p)
        )
        with pytest.raises(LeftIntactError) as differs:
            place.copy_in(place, "one", "three", digest)
    assert (changed.value.code, differs.value.code) == ("changed-meanwhile", "copy-differs")


@pytest.mark.skipif(not hasattr(os, "setxattr"), reason="this system has no extended attributes")
def test_an_attribute_that_cannot_be_given_is_noted(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    plant(tmp_path, {"one": "1"})

    def refuses(*_: Any) -> None:
        raise OSError(errno.ENOTSUP, "not supported")

    monkeypatch.setattr(os, "setxattr", refuses)
    info = (tmp_path / "one").stat()
    wanted = Attributes(owner=info.st_uid, group=info.st_gid, extended=(("user.mood", b"calm"),))
    assert places._give_owner(str(tmp_path / "one"), info, wanted) == ["user.mood"]


@MODES
def test_what_lies_above_a_new_strongbox_is_for_its_owner_alone(tmp_path: Path) -> None:
    box = Strongbox(str(tmp_path / "above" / "shelf" / "box"))
    box.make()
    for folder in (tmp_path / "above" / "shelf", tmp_path / "above" / "shelf" / "box"):
        assert stat.S_IMODE(folder.stat().st_mode) & 0o077 == 0
    box.close()


def test_what_is_written_whole_is_flushed_before_it_takes_its_place(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    box = Strongbox(str(tmp_path / "box"))
    box.make()
    seen: list[str] = []
    flush, take = os.fsync, LocalPlace.take

    def taking(self: LocalPlace, *words: Any, **more: Any) -> Any:
        seen.append("take")
        return take(self, *words, **more)

    monkeypatch.setattr(os, "fsync", lambda number: (seen.append("flush"), flush(number))[1])
    monkeypatch.setattr(LocalPlace, "take", taking)
    rows = [[f"{name}{n}" for name in "abcdefghij"] for n in range(3)]
    box.write_list(rows)
    assert "flush" in seen and seen.index("flush") < seen.index("take")
    found = box.read_list()
    assert found is not None and sorted(found) == ["b0", "b1", "b2"]
    box.close()


def test_where_there_are_no_owners_none_is_told(tmp_path: Path) -> None:
    plant(tmp_path / "p", {"one": "1"})
    with LocalPlace(str(tmp_path / "p"), able_to=without(owners=False)) as place:
        assert place.attributes("one") == Attributes()


@ROOT
def test_the_first_user_of_all_is_an_owner_too(tmp_path: Path) -> None:
    plant(tmp_path / "p", {"one": "1"})
    os.chown(tmp_path / "p" / "one", 1234, 1234)
    with LocalPlace(str(tmp_path / "p"), ours=True) as place:
        assert place.apply_metadata("one", file_at("one"), Attributes(owner=0, group=0)) == ()
    assert (tmp_path / "p" / "one").stat().st_uid == 0


def test_without_a_call_for_one_disk_all_are_flushed(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    seen: list[str] = []
    monkeypatch.setattr(places, "_libc", lambda: None)
    monkeypatch.setattr(os, "sync", lambda: seen.append("all"), raising=False)
    plant(tmp_path / "p", {"one": "1"})
    with LocalPlace(str(tmp_path / "p"), ours=True) as place:
        place.flush()
    assert seen == ["all"]


# ---------------------------------------------------------------- carrying out


@FORKS
def test_a_run_that_was_cut_off_between_two_stages_goes_on_unasked(mock: Mock) -> None:
    mock.arrive(release("1.1"))
    mock.update()
    box = mock.bench.updates.strongbox(mock.install)
    with Journal(box.journal_path) as journal:
        journal.set_state(1, State.CARRYING)
    ended = recover(box, mock.bench.updates.back.outside(mock.install), str(mock.root), None)
    assert ended.state is State.ON_TRIAL


def test_the_plain_list_has_what_earlier_runs_set_aside(mock: Mock) -> None:
    mock.arrive(release("1.1"))
    mock.update()
    mock.arrive(release("1.2"), "mocklet-1.2")
    mock.base = plant(mock.folder / "base" / "mocklet-1.1", release("1.1"))
    mock.update()
    rows = mock.bench.updates.strongbox(mock.install).read_list()
    assert rows is not None and {"1", "2"} <= set(rows)


def test_what_an_earlier_run_left_half_made_is_in_nobodys_way(mock: Mock) -> None:
    mock.arrive(release("1.1"))
    box = mock.bench.updates.strongbox(mock.install)
    box.make()
    for number in range(1, 14):
        plant(Path(box.folder) / "work-1", {f"ready-1-{number}/half": "made"})
    with Journal(box.journal_path):
        pass
    box.close()
    assert mock.update().proof.verdict == "intact"


@MODES
def test_folders_that_are_touched_are_known_with_their_rights(tmp_path: Path) -> None:
    plant(tmp_path / "r", {"deep/er/x": "1"})
    (tmp_path / "r/deep/er").chmod(0o750)
    gone = SimpleNamespace(at=At("", "deep/er/x"))
    with Roots((Root(label="", place=str(tmp_path / "r")),)) as roots:
        (folder,) = touched_folders([gone], roots)  # type: ignore[list-item]
    assert (folder.at, folder.mode) == (At("", "deep/er"), 0o750)


def test_a_folder_on_another_file_system_is_refused(mock: Mock, monkeypatch: pytest.MonkeyPatch) -> None:
    mock.arrive(release("1.1"))
    (carry,) = mock.plan().carries
    monkeypatch.setattr(Roots, "device", lambda self, at: 99 if at.path == "lib" else self.file_system(""))
    with Roots((Root(label="", place=str(mock.root)),)) as roots, pytest.raises(LeftIntactError) as stop:
        steps_of(Carry(moves=carry.moves), roots)
    assert stop.value.code == "other-file-system" and "lib" in str(stop.value.path)


@FORKS
def test_a_cut_off_update_takes_what_has_another_time_by_now(mock: Mock) -> None:
    """What lies there is known by its bytes: a time that a backup gave it stops no recovery."""
    mock.arrive(release("1.1"))
    killed = in_child(
        lambda: mock.update(report=lambda p: KillAt(1)(p) if (p.stage, p.done) == ("laying", 2) else None)
    )
    assert killed == signal.SIGKILL
    for path in mock.root.rglob("*"):
        if path.is_file():
            os.utime(path, (LATER + 5, LATER + 5))
    box = mock.bench.updates.strongbox(mock.install)
    ended = recover(box, mock.bench.updates.back.outside(mock.install), str(mock.root), None)
    assert ended.state is State.ON_TRIAL  # once laying had begun, it goes on without being told so
    assert (mock.root / "VERSION").read_text() == "1.1\n"


@FORKS
def test_one_that_was_cut_off_before_it_laid_anything_goes_back_unasked(mock: Mock) -> None:
    mock.arrive(release("1.1"))
    before = mock.state()
    assert in_child(lambda: mock.update(report=lambda p: KillAt(1)(p) if p.stage == "safe" else None))
    box = mock.bench.updates.strongbox(mock.install)
    ended = recover(box, mock.bench.updates.back.outside(mock.install), str(mock.root), None)
    assert ended.state is State.ABANDONED and mock.state() == before


def test_what_was_made_ready_goes_when_making_ready_fails(mock: Mock) -> None:
    mock.arrive(release("1.1"))
    plan = mock.plan()
    plan = mock.plan({q.id: q.default for q in plan.questions})
    mock.arrive(release("1.1", more__of="it\n") | {"VERSION": "another\n"})
    with pytest.raises(LeftIntactError):
        mock.bench.updates.update(plan, mock.install)
    left = [p for p in (mock.folder / ".left-intact").rglob("*") if p.name.startswith(("ready-", "aside-"))]
    assert not left


def test_an_update_leaves_no_file_open(mock: Mock, tmp_path: Path) -> None:
    mock.arrive(release("1.1"))
    plan = mock.plan()
    plan = mock.plan({q.id: q.default for q in plan.questions})
    mock.bench.updates.update(plan, mock.install)
    mock.bench.updates.back.go(mock.install)
    plan = mock.plan({q.id: q.default for q in mock.plan().questions})
    before = open_below(tmp_path)
    mock.bench.updates.update(plan, mock.install)
    assert open_below(tmp_path) == before


def test_a_stage_that_is_drawn_later_may_ask(tmp_path: Path) -> None:
    made = MadeUp(tmp_path / "all")
    question = Question(
        id="which", asks="which of two?", options=("one", "two"), leads_to=("one", "two"), default="one"
    )

    def draws(situation: Situation) -> LaterStage:
        answered = replace(question, answer=situation.answers.get("which"))
        return LaterStage(carry=Carry(moves=()), questions=(answered,))

    with_later(PLANNER, draws)
    made.bench.updates.update(made.plan(), made.install)
    made.start_once()
    asked = made.bench.updates.go_on(made.install).update
    assert asked.state is State.WAITING and asked.waits is not None
    assert (asked.waits.step, asked.waits.options) == ("which", ("one", "two"))
    ended = made.bench.updates.go_on(made.install, answers={"which": "two"}).update
    assert ended.state is State.ON_TRIAL


class Falls:
    """A planner of a later stage whose bytes are nowhere."""

    def __call__(self, situation: Situation) -> LaterStage:
        gone = file_at("b044/kept.blk", "dd", stamp=(0, 0, 0))
        move = Move(
            at=At("new", "fallen.blk"),
            verb=Verb.CARRY,
            file_class=FileClass.SAVES,
            because="made up",
            after=gone,
            source=FromStrongbox(gone.digest),
        )
        return LaterStage(carry=Carry(moves=(move,)))


@pytest.mark.parametrize("keep", [True, False])
def test_a_later_stage_that_fails_is_waited_for_or_given_up_with_those_behind_it(
    tmp_path: Path, keep: bool
) -> None:
    made = MadeUp(tmp_path / "all")
    with_later(PLANNER, Falls())
    plan = made.plan(on_failure=OnFailure.KEEP if keep else OnFailure.UNDO)
    plan = replace(plan, stages=(*plan.stages, plan.stages[-1]))
    made.bench.updates.update(plan, made.install)
    made.start_once()
    with pytest.raises(LeftIntactError):
        made.bench.updates.go_on(made.install)
    with Journal(made.box.journal_path) as journal:
        states = [stage.state for stage in journal.stages(1)]
        update = journal.update(1)
    if keep:
        assert states[2:] == [StageState.GIVEN_UP, StageState.GIVEN_UP] and update.state is State.ON_TRIAL
    else:
        assert update.state is State.WAITING and update.waits is not None
        assert update.waits.step == "stage-3" and states[3] is StageState.PLANNED


def test_what_cannot_be_seen_is_never_taken_for_done(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    made = MadeUp(tmp_path / "all")
    plan = made.plan()
    said = replace(plan.stages[1], check=HandCheck(sign=Sign.SAID))  # type: ignore[type-var]
    monkeypatch.setattr(OtherStages, "was_done", lambda self, step, update: True)
    outcome = made.bench.updates.update(
        replace(plan, stages=(plan.stages[0], said, plan.stages[2])), made.install
    )
    assert outcome.update.waits is not None and not outcome.update.waits.can_be_seen


@ROOT
@pytest.mark.parametrize(
    ("box", "install", "user", "is_file", "refused"),
    [
        (1234, 1234, 0, False, True),
        (0, 1234, 5678, False, True),
        (4321, 1234, 0, False, False),
        (1234, 1234, 1234, False, False),
        (1234, 1234, 0, True, False),
    ],
)
def test_whose_strongbox_folder_it_is(
    mock: Mock,
    monkeypatch: pytest.MonkeyPatch,
    box: int,
    install: int,
    user: int,
    is_file: bool,
    refused: bool,
) -> None:
    from left_intact.core.carrying.boxes import _refuse_another_persons

    beside = mock.root.parent / ".left-intact"
    beside.write_text("") if is_file else beside.mkdir()
    os.chown(beside, box, box)
    os.chown(mock.root, install, install)
    monkeypatch.setattr(os, "geteuid", lambda: user)
    code = ""
    try:
        _refuse_another_persons(str(mock.root))
    except LeftIntactError as error:
        code = error.code
    assert (code == "other-user") is refused


def test_no_annex_is_left_on_another_file_system(tmp_path: Path) -> None:
    from tests.builders import in_memory

    with in_memory() as other:
        made = MadeUp(tmp_path / "all", Path(other))
        with Journal(made.box.journal_path):
            pass
        made.bench.updates.update(made.plan(hand=False), made.install)
        assert made.bench.updates.strongbox(made.install).folder.startswith(other)
        ours = (".left-intact", "annex")
        left = [p for p in (tmp_path / "all" / "pier").rglob("*") if p.name.startswith(ours)]
        assert not left


def test_the_annex_is_where_the_file_system_is_the_right_one(
    mock: Mock, monkeypatch: pytest.MonkeyPatch
) -> None:
    from left_intact.core.carrying import annex

    box = mock.bench.updates.strongbox(mock.install)
    box.make()
    beside, inside = str(mock.root.parent), str(mock.root)
    monkeypatch.setattr(annex, "identity_of", lambda path: (77 if path == inside else 78, 1))
    monkeypatch.setattr(Roots, "file_system", lambda self, label: 77)
    with Roots((Root(label="", place=inside),)) as roots:
        made = annex.Annexes(box, roots, 1)
        assert Path(made.of("").root).is_relative_to(inside) and Path(inside).parent == Path(beside)
        made.clear()
        made.close()


def test_where_nothing_can_be_prepared_that_is_said(mock: Mock, monkeypatch: pytest.MonkeyPatch) -> None:
    from left_intact.core.carrying import annex

    box = mock.bench.updates.strongbox(mock.install)
    box.make()
    monkeypatch.setattr(Roots, "file_system", lambda self, label: 77)
    with Roots((Root(label="", place=str(mock.root)),)) as roots, pytest.raises(LeftIntactError) as stop:
        annex.Annexes(box, roots, 1).of("")
    assert (stop.value.code, stop.value.path) == ("no-annex", str(mock.root))


def test_of_the_program_nothing_is_copied_before_a_removal() -> None:
    from left_intact.core.planning.saving import draw_saving

    kinds = (FileClass.PROGRAM, FileClass.SAVES, FileClass.CACHE)
    tree = {At("", kind.value): (file_at(kind.value), kind) for kind in kinds}
    situation: Any = SimpleNamespace(tree=tree, told={"leave": "cache"}, answers={})
    assert [move.path for move in draw_saving(situation).carry.moves] == ["saves"]


def test_where_a_folder_lies_is_known_or_it_is_not_there(tmp_path: Path) -> None:
    roots = (Root(label="", place=str(tmp_path)), Root(label="gone", place=str(tmp_path / "gone")))
    with Roots(roots) as open_ones:
        assert open_ones.device(At("", "")) == os.stat(tmp_path).st_dev
        assert open_ones.device(At("gone", "x")) is None and open_ones.device(At("", "no")) is None


# ---------------------------------------------------------------- proving


def test_what_appeared_is_told_in_the_order_of_its_paths(mock: Mock) -> None:
    mock.arrive(release("1.1"))
    mock.update()
    plant(mock.root, {"zebra.txt": "1", "lib/ant.txt": "2", "docs/bee.txt": "3"}, mtime=LATER)
    proof = mock.bench.updates.prove(mock.install).proof
    assert list(proof.appeared) == ["docs/bee.txt", "lib/ant.txt", "zebra.txt"]


def test_things_that_there_were_none_of_before_are_lines_too() -> None:
    from left_intact.core.proving.things import compared

    fresh = Counted(thing=Thing.SAVES, rule="each file of class saves", names=("a.sav",))
    (line,) = compared((), (fresh,))
    assert (line.before, line.after, line.new) == (0, 1, ("a.sav",))


def test_only_the_elements_that_a_rule_names_are_counted() -> None:
    from left_intact.core.proving.things import count_things

    data = b"<shelf><game name='a'/><box><game name='b'/><cover name='c'/></box></shelf>"
    rule = ThingRule(counts="titles", files="", file="list.xml", at="game", name="name", on="")
    (counted,) = count_things((), lambda path: data, [rule])
    assert counted.names == ("a", "b")


def test_where_no_version_was_to_be_no_way_to_start_names_another() -> None:
    from left_intact.core.proving.checks import starts_check

    start = Start("/x/mocklet.desktop", "mocklet", "1.0")
    assert starts_check([start], SimpleNamespace(to_version="")) is None  # type: ignore[arg-type]
    said = starts_check([start], SimpleNamespace(to_version="1.1"))  # type: ignore[arg-type]
    assert said is not None and "another version than 1.1" in said.says


def test_the_folder_of_a_root_lies_there_where_the_root_does() -> None:
    now = Now((), ["", "new"])
    assert now.entry(At("new", "")) is not None and now.entry(At("gone", "")) is None


@pytest.mark.parametrize(("mode", "runs"), [(0o645, False), (0o744, True), (0o644, False)])
def test_the_right_to_run_is_the_owners(mode: int, runs: bool) -> None:
    from left_intact.core.proving.compare import _may_run

    (page,) = pages_of([replace(file_at("x"), mode=mode)])
    assert _may_run(page) is runs


def test_a_picture_of_just_the_size_that_is_shown(tmp_path: Path) -> None:
    from left_intact.core.proving.pictures import _MOST, picture_bytes

    with open(tmp_path / "just", "wb") as file:
        file.truncate(_MOST)
    assert len(picture_bytes(str(tmp_path / "just"))) == _MOST


def test_a_program_is_asked_by_one_word_or_not_at_all(tmp_path: Path) -> None:
    from left_intact.core.proving.ask_program import ask_program

    plant(tmp_path, {"tool": "#!/bin/sh\necho tool 1.5\n"})
    (tmp_path / "tool").chmod(0o755)
    assert ask_program(str(tmp_path), ["tool", "--version", "--all"]) is None


@FORKS
def test_a_program_that_says_nothing_is_ended(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    from left_intact.core.proving import ask_program as asking

    monkeypatch.setattr(asking, "_SECONDS", 0.05)
    plant(tmp_path, {"tool": "#!/bin/sh\nexec sleep 900\n"})
    (tmp_path / "tool").chmod(0o755)
    assert asking.ask_program(str(tmp_path), ["tool"]) is None


# ---------------------------------------------------------------- what every file is


@pytest.mark.parametrize("value", ["x", "http://a/b", "https://a/b", "#a/b", "auto", "None", "TRUE"])
def test_what_is_no_path_in_settings(value: str) -> None:
    from left_intact.core.survey.references import _may_be_path

    assert not _may_be_path(value, "games-folder") and _may_be_path("/home/w/games", "games-folder")


def test_the_rows_of_the_table_are_all_numbered() -> None:
    from left_intact.core.planning.table import TABLE

    assert [row.number for row in TABLE] == list(range(1, 26))


def test_beside_a_baseline_each_name_is_held_against_its_own() -> None:
    from left_intact.core.survey.releases import beside_baseline

    shipped = {f"lib/{name}": file_at(f"lib/{name}", digest) for name, digest in (("a", "aa"), ("c", "cc"))}
    beside = beside_baseline(Release(name="base", entries=shipped))
    mine = [file_at("lib/a", "aa"), file_at("lib/b", "bb"), file_at("lib/c", "cc")]
    (page,) = pages_of(mine)
    first, second, third = beside.evidence(page)
    (whole,) = pages_of([mine[0], mine[2]])
    assert first is third is beside.evidence(whole)[0] and first is not second
    assert {e.speaks_for for e in first} == {FileClass.PROGRAM}
    (renamed,) = pages_of([file_at("lib/x", "aa"), file_at("lib/z", "cc")])
    assert first not in beside.evidence(renamed)


def test_a_link_is_never_as_shipped_by_the_digest_of_nothing() -> None:
    from left_intact.core.survey.releases import beside_baseline

    link = Entry(path="lib/l", kind=Kind.LINK, link="here", mode=0o777, mtime_ns=5)
    beside = beside_baseline(Release(name="base", entries={"lib/l": link}))
    (page,) = pages_of([replace(link, link="elsewhere")])
    (same,) = pages_of([link])
    assert beside.evidence(page) != beside.evidence(same)
