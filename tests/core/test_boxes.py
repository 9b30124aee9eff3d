"""A strongbox knows whose it is: found wherever it lies, never taken from a stranger, private to one
person.
"""

from __future__ import annotations

import json
import os
import shutil
import sqlite3
import stat
from collections.abc import Callable
from pathlib import Path

import pytest
from blake3 import blake3

from left_intact.core.carrying.boxes import strongbox_for
from left_intact.core.carrying.heads import make_journal
from left_intact.core.carrying.strongbox import CARD, LIST, Strongbox
from left_intact.core.model.errors import Interrupted, LeftIntactError
from left_intact.core.model.proof import Verdict
from left_intact.core.model.update import State
from left_intact.workbench import Workbench
from tests.builders import LINKS, MODES, Mock, plant, release
from tests.chains import KillAt, MadeUp, in_child

AS_ROOT = pytest.mark.skipif(
    not hasattr(os, "geteuid") or os.geteuid() != 0, reason="only root may act as somebody else"
)


def _update(mock: Mock, version: str = "1.1") -> None:
    arriving = release(version)
    del arriving["lib/libpad.so"]
    mock.arrive(arriving, f"mocklet-{version}")
    mock.update()


def _cut(mock: Mock) -> None:
    """An update that was killed while it was laid."""
    mock.arrive(release("1.1"))

    def killed() -> None:
        mock.bench = Workbench(str(mock.folder / "home"))
        mock.update(report=lambda p: KillAt(1)(p) if p.stage == "laying" and p.done == 3 else None)

    assert in_child(killed)
    mock.bench = Workbench(str(mock.folder / "home"))


@pytest.fixture
def pier(tmp_path: Path) -> Mock:
    """An install in a folder that can be renamed with all that lies in it."""
    mock = Mock(tmp_path)
    (tmp_path / "pier").mkdir()
    mock.root.rename(tmp_path / "pier" / "mocklet")
    mock.root = tmp_path / "pier" / "mocklet"
    return mock


def test_a_renamed_parent_hides_no_update_on_trial(pier: Mock) -> None:
    before = pier.state()
    _update(pier)
    pier.root.parent.rename(pier.folder / "jetty")
    pier.root = pier.folder / "jetty" / "mocklet"
    bench = Workbench(str(pier.folder / "home"))
    install = bench.shelf.find(str(pier.root))
    assert (
        install.name == "Mocklet" and len(bench.surveys.library.installs()) == 1
    )  # the same install, elsewhere
    assert bench.records.history(install)[0].state is State.ON_TRIAL
    assert bench.updates.prove(install).proof.verdict is Verdict.INTACT
    bench.updates.back.go(install)
    assert pier.state() == before


@pytest.mark.parametrize("forward", [True, False])
def test_a_renamed_parent_hides_no_half_done_update(pier: Mock, forward: bool) -> None:
    before = pier.state()
    _cut(pier)
    pier.root.parent.rename(pier.folder / "jetty")
    pier.root = pier.folder / "jetty" / "mocklet"
    install = pier.bench.shelf.find(str(pier.root))
    with pytest.raises(Interrupted):
        pier.bench.updates.draft(install, str(pier.next))
    state = pier.bench.updates.recover(install, forward).state
    assert state is (State.ON_TRIAL if forward else State.ABANDONED)
    if forward:
        pier.bench.updates.back.go(install)
    assert pier.state() == before


def test_a_lost_library_loses_no_update(pier: Mock) -> None:
    before = pier.state()
    _update(pier)
    other = Workbench(str(pier.folder / "another home"))
    install = other.shelf.find(str(pier.root))
    assert other.records.history(install)[0].state is State.ON_TRIAL
    other.updates.back.go(install)
    assert pier.state() == before


def test_another_home_meets_the_half_done_update_too(pier: Mock) -> None:
    _cut(pier)
    other = Workbench(str(pier.folder / "another home"))
    install = other.shelf.find(str(pier.root))
    with pytest.raises(Interrupted):
        other.updates.draft(install, str(pier.next))


@LINKS
def test_two_ways_to_one_folder_share_box_and_lock(pier: Mock) -> None:
    _update(pier)
    way = pier.folder / "way"
    way.symlink_to(pier.root.parent)
    bench = Workbench(str(pier.folder / "home"))
    through = bench.shelf.find(str(way / "mocklet"))
    assert through == bench.shelf.find(str(pier.root)) and len(bench.surveys.library.installs()) == 1
    stranger = Workbench(str(pier.folder / "another home"))
    other = stranger.shelf.find(str(way / "mocklet"))
    assert stranger.records.strongbox(other).folder == bench.records.strongbox(through).folder
    with bench.records.strongbox(through).locked(), pytest.raises(LeftIntactError) as error:
        stranger.updates.back.go(other)
    assert error.value.code == "busy"


def test_two_installs_of_one_name_have_boxes_of_their_own(tmp_path: Path) -> None:
    home = str(tmp_path / "home")
    one, other = plant(tmp_path / "a/mock", {"x": "1"}), plant(tmp_path / "b/mock", {"x": "1"})
    boxes = {strongbox_for(str(root), "Mock", home).folder for root in (one, other)}
    at_home = {strongbox_for(str(root), "Mock", home, outside=True).folder for root in (one, other)}
    assert len(boxes) == 2 and len(at_home) == 2


def test_a_box_that_is_needed_and_gone_stops_every_changing_command(pier: Mock) -> None:
    _update(pier)
    box = pier.bench.records.strongbox(pier.install)
    shutil.move(os.path.dirname(box.folder), pier.folder / "stick")
    now = pier.state()
    pier.arrive(release("1.2"), "mocklet-1.2")
    calls: tuple[Callable[[], object], ...] = (
        pier.update,
        lambda: pier.bench.updates.back.go(pier.install),
        lambda: pier.bench.updates.settle(pier.install),
        lambda: pier.bench.updates.recover(pier.install, None),
        lambda: pier.bench.updates.prove(pier.install),
    )
    for call in calls:
        with pytest.raises(LeftIntactError) as error:
            call()
        assert error.value.code == "strongbox-missing" and box.folder in error.value.line()
    assert pier.state() == now
    assert "should be" in pier.bench.shelf.rows()[0].trouble
    shutil.move(pier.folder / "stick", os.path.dirname(box.folder))
    pier.bench.updates.back.go(pier.install)


def test_a_box_that_lies_elsewhere_is_found_by_its_number(pier: Mock) -> None:
    """As on a stick that is mounted elsewhere: at home, say, where somebody put it."""
    before = pier.state()
    _update(pier)
    box = pier.bench.records.strongbox(pier.install)
    home = pier.folder / "home" / "strongbox"
    home.mkdir(mode=0o700)
    shutil.move(box.folder, home / "brought-here")
    pier.bench.updates.back.go(pier.install)
    assert pier.state() == before


# ---------------------------------------------------------------- strangers


def _plant_box(folder: Path, root: Path) -> None:
    """What a stranger would plant: a journal that names another root, ready to be recovered."""
    box = folder / ".left-intact" / "mocklet-0bad0bad"
    box.mkdir(parents=True)
    (box / CARD).write_text(
        json.dumps({"v": 1, "id": "bad", "install": "1", "path": str(root), "identity": None})
    )
    sqlite3.connect(box / "journal.sqlite").close()


@AS_ROOT
def test_a_box_planted_by_somebody_else_is_not_obeyed(pier: Mock) -> None:
    _plant_box(pier.root.parent, pier.root)
    for path in (pier.root.parent / ".left-intact", *(pier.root.parent / ".left-intact").rglob("*")):
        os.chown(path, 4242, 4242)
    box = pier.bench.records.strongbox(pier.install)
    assert box.folder.startswith(str(pier.folder / "home"))
    assert not pier.bench.shelf.interrupted()
    before = pier.state()
    _update(pier)
    pier.bench.updates.back.go(pier.install)
    assert pier.state() == before


@MODES
def test_a_link_or_a_folder_that_all_may_write_is_no_place_for_a_box(pier: Mock, tmp_path: Path) -> None:
    away = tmp_path / "away"
    _plant_box(away, pier.root)
    (pier.root.parent / ".left-intact").symlink_to(away / ".left-intact")
    assert pier.bench.records.strongbox(pier.install).folder.startswith(str(pier.folder / "home"))
    (pier.root.parent / ".left-intact").unlink()
    (pier.root.parent / ".left-intact").mkdir()
    (pier.root.parent / ".left-intact").chmod(0o777)
    assert pier.bench.records.strongbox(pier.install).folder.startswith(str(pier.folder / "home"))
    (pier.root.parent / ".left-intact").chmod(0o700)
    assert pier.bench.records.strongbox(pier.install).folder.startswith(str(pier.root.parent))


@AS_ROOT
@pytest.mark.parametrize("cut", [True, False])
def test_another_user_cannot_go_over_it_unseen(pier: Mock, cut: bool) -> None:
    """The install and its box belong to one user; another one is told, and changes nothing."""
    if cut:
        _cut(pier)
    else:
        _update(pier)
    for path in (pier.root.parent, *pier.root.parent.rglob("*")):
        os.chown(path, 4242, 4242, follow_symlinks=False)
    open_to_all = [pier.root.parent, *(p for p in pier.root.rglob("*") if p.is_dir()), pier.root]
    for folder in open_to_all:
        folder.chmod(0o777)
    before = pier.state()
    said = pier.folder / "said"
    (pier.folder / "theirs").mkdir()
    os.chown(pier.folder / "theirs", 4343, 4343)
    for above in (pier.folder, *pier.folder.parents):
        if above != Path("/") and not above.stat().st_mode & 0o001:
            above.chmod(above.stat().st_mode | 0o011)
    said.write_text("")
    said.chmod(0o666)

    def as_another() -> None:
        os.setgid(4343)
        os.setuid(4343)
        bench = Workbench(str(pier.folder / "theirs" / "home"))
        install = bench.shelf.find(str(pier.root))
        try:
            bench.updates.draft(install, str(pier.next))
        except LeftIntactError as error:
            said.write_text(error.code)

    in_child(as_another)
    assert said.read_text() == "other-user" and pier.state() == before


@AS_ROOT
def test_what_the_superuser_updated_is_not_gone_over_by_the_owner(pier: Mock) -> None:
    _update(pier)
    for path in (pier.root, *pier.root.rglob("*")):
        os.chown(path, 4343, 4343, follow_symlinks=False)
    for above in (pier.root.parent, *pier.root.parent.parents):
        if above != Path("/") and not above.stat().st_mode & 0o001:
            above.chmod(above.stat().st_mode | 0o011)
    said = pier.folder / "said"
    said.write_text("")
    said.chmod(0o666)

    def as_owner() -> None:
        os.setgid(4343)
        os.setuid(4343)
        try:
            strongbox_for(str(pier.root), "Mocklet", "/nowhere")
        except LeftIntactError as error:
            said.write_text(error.code)

    in_child(as_owner)
    assert said.read_text() == "other-user"


# ---------------------------------------------------------------- private, and restored by hand


@MODES
def test_everything_of_ours_is_for_its_owner_alone(pier: Mock) -> None:
    os.umask(0o022)
    _update(pier)
    pier.bench.surveys.export_sheet(pier.install)
    box = Path(pier.bench.records.strongbox(pier.install).folder)
    for path in (box.parent, box, *box.rglob("*"), pier.folder / "home", *(pier.folder / "home").rglob("*")):
        wanted = 0o700 if path.is_dir() else 0o600
        if "objects" in path.parts and path.is_file():
            assert path.stat().st_mode & 0o077 == 0, path
        else:
            assert path.stat().st_mode & 0o777 == wanted, path


def test_a_person_can_restore_by_hand_from_the_plain_list(pier: Mock) -> None:
    """With nothing of ours: read the list, copy the objects to their paths."""
    pier.edit({"mocklet.ini": "[video]\nsmooth = off\nscale = 2\n\n[sound]\nrate = 44100\n"})
    before = {
        p.relative_to(pier.root).as_posix(): p.read_bytes() for p in pier.root.rglob("*") if p.is_file()
    }
    _update(pier)
    box = next(p for p in (pier.root.parent / ".left-intact").iterdir() if p.is_dir())
    rows = [line.split("\t") for line in (box / LIST).read_text().splitlines() if not line.startswith("#")]
    heads, rows = rows[0], rows[1:]
    assert heads[0] == "object" and heads[-1] == "path" and rows
    for row in rows:
        said = dict(zip(heads, row, strict=True))
        target = Path(json.loads(said["root"])) / json.loads(said["path"])
        target.write_bytes((box / "objects" / said["object"][:2] / said["object"]).read_bytes())
    now = {p.relative_to(pier.root).as_posix(): p.read_bytes() for p in pier.root.rglob("*") if p.is_file()}
    assert {path: data for path, data in now.items() if path in before} == before


@pytest.mark.parametrize(("stage", "at"), [("safe", 1), ("unpacking", 1), ("laying", 2)])
def test_the_plain_list_names_what_a_recovery_displaced(pier: Mock, stage: str, at: int) -> None:
    """Wherever it was cut off, also before the list was written."""
    before = {blake3(p.read_bytes()).hexdigest() for p in pier.root.rglob("*") if p.is_file()}
    pier.arrive(release("1.1"))

    def killed() -> None:
        pier.bench = Workbench(str(pier.folder / "home"))
        pier.update(report=lambda p: KillAt(1)(p) if p.stage == stage and p.done == at else None)

    assert in_child(killed)
    bench = Workbench(str(pier.folder / "home"))
    assert bench.updates.recover(pier.install, True).state is State.ON_TRIAL
    box = Path(bench.records.strongbox(pier.install).folder)
    listed = {line.partition("\t")[0] for line in (box / LIST).read_text().splitlines()}
    displaced = before - {blake3(p.read_bytes()).hexdigest() for p in pier.root.rglob("*") if p.is_file()}
    assert displaced and displaced <= listed


def test_the_plain_list_names_only_what_is_still_kept(pier: Mock) -> None:
    pier.edit({"mocklet.ini": "[video]\nsmooth = off\nscale = 2\n\n[sound]\nrate = 44100\n"})
    pier.arrive(
        release("1.1", **{"mocklet.ini": "[video]\nsmooth = on\nscale = 3\n\n[sound]\nrate = 22050\n"})
    )
    pier.update()
    box = Path(pier.bench.records.strongbox(pier.install).folder)

    def listed() -> set[str]:
        lines = (box / LIST).read_text().splitlines()
        return {line.split("\t")[0] for line in lines if not line.startswith("#")} - {"object"}

    def kept() -> set[str]:
        return {p.name for p in (box / "objects").rglob("*") if p.is_file()}

    assert listed() == kept() and len(kept()) > 1
    assert pier.bench.updates.settle(pier.install).held == 1
    assert listed() == kept() and len(kept()) == 1


def test_a_journals_paths_are_vetted_as_a_strangers(pier: Mock) -> None:
    _cut(pier)
    away = plant(pier.folder / "away", {"victim": "mine\n"})
    with sqlite3.connect(pier.bench.records.strongbox(pier.install).journal_path) as journal:
        number, record = journal.execute("SELECT seq, record FROM steps ORDER BY seq LIMIT 1").fetchone()
        said = json.loads(record) | {"at": ["", "../away/victim"]}
        journal.execute("UPDATE steps SET record = ? WHERE seq = ?", (json.dumps(said), number))
    for forward in (True, False):
        with pytest.raises(LeftIntactError) as error:
            pier.bench.updates.recover(pier.install, forward)
        assert error.value.code == "bad-path"
    assert (away / "victim").read_text() == "mine\n"


@MODES
def test_what_lies_above_a_new_strongbox_is_for_its_owner_alone(tmp_path: Path) -> None:
    box = Strongbox(str(tmp_path / "above" / "shelf" / "box"))
    box.make()
    for folder in (tmp_path / "above" / "shelf", tmp_path / "above" / "shelf" / "box"):
        assert stat.S_IMODE(folder.stat().st_mode) & 0o077 == 0
    box.close()


def test_the_plain_list_has_what_earlier_runs_set_aside(mock: Mock) -> None:
    mock.arrive(release("1.1"))
    mock.update()
    mock.arrive(release("1.2"), "mocklet-1.2")
    mock.base = plant(mock.folder / "base" / "mocklet-1.1", release("1.1"))
    mock.update()
    rows = mock.bench.records.strongbox(mock.install).read_list()
    assert rows is not None and {"1", "2"} <= set(rows)


@pytest.mark.skipif(
    not hasattr(os, "geteuid") or os.geteuid() != 0, reason="only the superuser gives files away"
)
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
    beside = mock.root.parent / ".left-intact"
    beside.write_text("") if is_file else beside.mkdir()
    os.chown(beside, box, box)
    os.chown(mock.root, install, install)
    monkeypatch.setattr(os, "geteuid", lambda: user)
    code = ""
    try:
        strongbox_for(str(mock.root), "mocklet", str(mock.folder / "home"))
    except LeftIntactError as error:
        code = error.code
    assert (code == "other-user") is refused


def test_no_annex_is_left_on_another_file_system(tmp_path: Path) -> None:
    from tests.builders import in_memory

    with in_memory() as other:
        made = MadeUp(tmp_path / "all", Path(other))
        make_journal(made.box.journal_path)
        made.bench.updates.update(made.plan(hand=False), made.install)
        assert made.bench.records.strongbox(made.install).folder.startswith(other)
        ours = (".left-intact", "annex")
        left = [p for p in (tmp_path / "all" / "pier").rglob("*") if p.name.startswith(ours)]
        assert not left
