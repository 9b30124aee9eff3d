"""What a place refuses, gives and leaves behind, call by call: with handles and without."""

from __future__ import annotations

import errno
import os
import stat
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest
from blake3 import blake3

from left_intact.core.files import place as places
from left_intact.core.files.place import LocalPlace, able
from left_intact.core.files.walk import PIECE
from left_intact.core.model.entry import Attributes, Entry, Kind
from left_intact.core.model.errors import LeftIntactError
from tests import disks
from tests.builders import HANDLES, LINKS, MODES, OWNERS, PIPES

BARE = replace(able(), handles=False, exchange=False, no_replace=False)
AS_ROOT = pytest.mark.skipif(
    not hasattr(os, "geteuid") or os.geteuid() != 0, reason="only root may give files away"
)
OPENED = pytest.mark.skipif(not os.path.isdir("/proc/self/fd"), reason="no list of what is open here")


@pytest.fixture(params=[pytest.param(able(), id="able"), pytest.param(BARE, id="bare")])
def here(request: pytest.FixtureRequest, tmp_path: Path) -> Iterator[LocalPlace]:
    """A folder with some of everything, opened; nothing in it is held open at the end of a test."""
    root = tmp_path / "here"
    (root / "deep/er").mkdir(parents=True)
    (root / "one").write_bytes(b"one\n")
    (root / "deep/two").write_bytes(b"two\n")
    with LocalPlace(str(root), ours=True, able_to=request.param) as place:
        yield place
    assert not held_open(root)


def held_open(root: Path) -> list[str]:
    if not os.path.isdir("/proc/self/fd"):
        return []
    said = []
    for handle in os.listdir("/proc/self/fd"):
        try:
            said.append(os.readlink(f"/proc/self/fd/{handle}"))
        except OSError:
            continue
    return [path for path in said if path.startswith(str(root))]


@contextmanager
def refused(code: str) -> Iterator[None]:
    """A fault with a code, and no other."""
    with pytest.raises(LeftIntactError) as error:
        yield
    assert error.value.code == code, error.value.line()


# ---------------------------------------------------------------- what a system can do


# ---------------------------------------------------------------- opening


@pytest.mark.parametrize("able_to", [able(), BARE])
def test_only_the_very_folder_is_opened(tmp_path: Path, able_to: places.Able) -> None:
    root = tmp_path / "here"
    root.mkdir()
    (tmp_path / "file").write_text("a file")
    with LocalPlace(str(root), able_to=able_to) as place:
        known = place.identity
        assert place.file_system == root.stat().st_dev == known[0]
    LocalPlace(str(root), identity=known, able_to=able_to).close()
    with refused("root-replaced"):
        LocalPlace(str(root), identity=(known[0], known[1] + 1), able_to=able_to)
    with refused("root-replaced"):
        LocalPlace(str(tmp_path / "file"), able_to=able_to)
    with pytest.raises(FileNotFoundError):
        LocalPlace(str(tmp_path / "nothing"), able_to=able_to)
    if able().links:
        (root / "in").mkdir()
        (tmp_path / "link").symlink_to(root)
        for led in (tmp_path / "link", tmp_path / "link" / "in"):
            with refused("root-replaced"):
                LocalPlace(str(led), able_to=able_to)
    assert not held_open(root)


def test_a_folder_that_another_took_the_place_of_is_not_worked_in(here: LocalPlace, tmp_path: Path) -> None:
    """By its handle the old one is worked in; without handles nothing is."""
    os.rename(here.root, tmp_path / "moved")
    (tmp_path / "here").mkdir()
    if here.able.handles:
        here.make_folder("made", 0o755)
        assert (tmp_path / "moved/made").is_dir()
    else:
        for call in (here.stat, here.names, here.look):
            with refused("root-replaced"):
                call("one")
    assert not os.listdir(tmp_path / "here")
    os.rmdir(tmp_path / "here")
    (tmp_path / "here").write_text("a file")
    if not here.able.handles:
        with refused("root-replaced"):
            here.stat("one")


def test_a_way_that_leads_through_a_file_is_none(here: LocalPlace) -> None:
    with refused("changed-meanwhile"):
        here.new_file("one/inside")
    assert here.stat("one/inside") is None and here.names("one/inside") is None and here.names("one") is None
    assert here.stat("gone/inside") is None and here.names("gone") is None
    with pytest.raises(FileNotFoundError):
        here.new_file("gone/inside")


@LINKS
def test_a_way_that_leads_through_a_link_is_none(here: LocalPlace) -> None:
    os.symlink("deep", os.path.join(here.root, "link"))
    with refused("changed-meanwhile"):
        here.new_file("link/inside")
    with refused("changed-meanwhile"):
        here.new_file("link/er/inside")
    assert here.stat("link/two") is None and not os.listdir(os.path.join(here.root, "deep/er"))


def test_a_folder_that_was_renamed_is_walked_to_anew(here: LocalPlace) -> None:
    here.make_folder("deep/er/first", 0o755)
    os.rename(os.path.join(here.root, "deep"), os.path.join(here.root, "was"))
    os.makedirs(os.path.join(here.root, "deep/er"))
    here.make_folder("deep/er/second", 0o755)
    assert os.listdir(os.path.join(here.root, "deep/er")) == ["second"]
    assert os.listdir(os.path.join(here.root, "was/er")) == ["first"]


@OPENED
@HANDLES
def test_so_many_folders_are_kept_open_and_no_more(tmp_path: Path) -> None:
    with LocalPlace(str(tmp_path)) as place:
        for number in range(40):
            place.make_folder(f"f{number:02}", 0o755)
            place.make_folder(f"f{number:02}/in", 0o755)
        held = len(held_open(tmp_path))
        assert held < 40  # of eighty
        assert place.stat("f00/in") is not None  # walked to once more
        with refused("changed-meanwhile"):
            (tmp_path / "f00/in/file").write_text("x")
            place.stat("f00/in")
            place.new_file("f00/in/file/deeper/still")
        assert len(held_open(tmp_path)) <= held
    assert not held_open(tmp_path)


@HANDLES
def test_what_refuses_a_folder_is_passed_on(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    (tmp_path / "deep/er").mkdir(parents=True)
    with LocalPlace(str(tmp_path)) as place:
        real = os.open

        def refuse(path: Any, flags: int, *more: Any, **named: Any) -> int:
            if path == "er":
                raise PermissionError(errno.EACCES, "no")
            return real(path, flags, *more, **named)

        monkeypatch.setattr(os, "open", refuse)
        with pytest.raises(PermissionError):
            place.new_file("deep/er/file")
    assert not held_open(tmp_path)


# ---------------------------------------------------------------- looking


def test_what_lies_there_is_told_by_its_kind(here: LocalPlace) -> None:
    root = Path(here.root)
    found = here.look("deep/two", content=True)
    info = (root / "deep/two").stat()
    assert found is not None and found.kind is Kind.FILE and found.bytes == 4
    assert found.digest == blake3(b"two\n").hexdigest() == here.digest("deep/two")
    assert found.format == "text plain" and found.mtime_ns == info.st_mtime_ns
    assert found.stamp == (info.st_dev, info.st_ino, info.st_ctime_ns)
    bare = here.look("deep/two")
    assert bare is not None and (bare.digest, bare.format) == ("", "") and bare.bytes == 4
    folder = here.look("deep", content=True)
    assert folder is not None and folder.kind is Kind.FOLDER and folder.digest == ""
    assert here.look("") is not None and here.look("nothing") is None
    (root / "none").write_bytes(b"")
    assert here.look("none", content=True).format == "empty"  # type: ignore[union-attr]
    large = os.urandom(PIECE + 7)
    (root / "large").write_bytes(large)
    assert here.digest("large") == blake3(large).hexdigest()
    assert here.look("large", content=True).digest == blake3(large).hexdigest()  # type: ignore[union-attr]
    assert here.names("") == ["deep", "large", "none", "one"] and here.names("deep") == ["er", "two"]
    assert here.names("deep/er") == []
    assert here.full("") == here.root and here.full("one") == os.path.join(here.root, "one")


@LINKS
def test_a_link_is_told_and_never_read(here: LocalPlace) -> None:
    os.symlink("one", os.path.join(here.root, "link"))
    found = here.look("link", content=True)
    assert found is not None and (found.kind, found.link) == (Kind.LINK, "one")
    with refused("changed-meanwhile"):
        here.digest("link")
    with refused("changed-meanwhile"):
        here.set_time("link", 5)


@PIPES
def test_a_pipe_is_told_and_never_read(here: LocalPlace) -> None:
    os.mkfifo(os.path.join(here.root, "pipe"))
    found = here.look("pipe", content=True)
    assert found is not None and found.kind is Kind.OTHER and found.digest == ""
    with refused("changed-meanwhile"):
        here.digest("pipe")


@HANDLES
def test_only_a_file_is_read(here: LocalPlace, monkeypatch: pytest.MonkeyPatch) -> None:
    with refused("changed-meanwhile"):
        here.digest("deep")
    with pytest.raises(FileNotFoundError):
        here.digest("nothing")
    real = os.open
    for number, told in ((errno.EACCES, PermissionError), (errno.ENXIO, LeftIntactError)):

        def refuse(path: Any, *more: Any, number: int = number, **named: Any) -> int:
            if str(path).endswith("one"):
                raise OSError(number, "no")
            return real(path, *more, **named)

        monkeypatch.setattr(os, "open", refuse)
        with pytest.raises(told):
            here.digest("one")
        monkeypatch.setattr(os, "open", real)


def test_what_cannot_be_read_is_a_fault(here: LocalPlace, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(os, "read", disks.fails())
    monkeypatch.setattr(os, "readv", disks.fails(), raising=False)
    found = here.look("one", content=True)
    assert found is not None and found.kind is Kind.FAULT and found.bytes == 4 and found.fault


@OWNERS
def test_what_the_system_keeps_beside(here: LocalPlace) -> None:
    path = os.path.join(here.root, "deep/two")
    os.link(path, os.path.join(here.root, "deep/three"))
    found = here.attributes("deep/two")
    assert (found.owner, found.group, found.names) == (os.stat(path).st_uid, os.stat(path).st_gid, 2)
    assert here.attributes("nothing") == Attributes() and here.attributes("deep").names == 1
    assert here.attributes("deep").extended == ()
    try:
        os.setxattr(path, "user.b", b"2")
        os.setxattr(path, "user.a", b"1")
        os.setxattr(os.path.join(here.root, "deep"), "user.c", b"3")
    except (OSError, AttributeError):
        pytest.skip("this file system has no extended attributes")
    assert here.attributes("deep/two").extended == (("user.a", b"1"), ("user.b", b"2"))
    assert here.attributes("deep").extended == ()  # of files alone


def test_without_owners_nothing_is_known(tmp_path: Path) -> None:
    (tmp_path / "one").write_text("1")
    with LocalPlace(str(tmp_path), able_to=replace(able(), owners=False)) as place:
        assert place.attributes("one") == Attributes()
        before = os.stat(tmp_path / "one")
        assert place.apply_metadata("one", Entry(path="one"), Attributes(owner=12, group=12)) == ()
        assert os.stat(tmp_path / "one").st_uid == before.st_uid


# ---------------------------------------------------------------- making and removing


@MODES
def test_what_is_made_is_for_its_owner_until_it_has_its_mode(here: LocalPlace) -> None:
    here.new_file("new").close()
    here.make_folder("folder", 0o750)
    here.make_folders("deep/er/a/b")
    here.make_folders("deep/er/a/b")
    root = Path(here.root)
    modes = [
        stat.S_IMODE((root / path).stat().st_mode) for path in ("new", "folder", "deep/er/a", "deep/er/a/b")
    ]
    assert modes == [0o600, 0o750, 0o700, 0o700]
    with pytest.raises(FileExistsError):
        here.new_file("new")
    with pytest.raises(FileExistsError):
        here.make_folder("folder", 0o755)


def _wrongly(reading: int, writing: int) -> int:
    """A disk that gives back other bytes than it holds."""
    content = os.read(reading, 100)
    return os.write(writing, content.replace(b"e", b"f"))


@pytest.mark.skipif(not hasattr(os, "copy_file_range"), reason="this system copies no ranges")
def test_a_copy_is_read_back(here: LocalPlace, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    one = blake3(b"one\n").hexdigest()
    here.copy_in(here, "one", "deep/copy", one)
    assert here.digest("deep/copy") == one
    with pytest.raises(FileExistsError):
        here.copy_in(here, "one", "deep/copy", one)
    with refused("changed-meanwhile"):
        here.copy_in(here, "one", "deep/other", blake3(b"something else").hexdigest())
    monkeypatch.setattr(os, "copy_file_range", lambda reading, writing, count: _wrongly(reading, writing))
    with refused("copy-differs"):
        here.copy_in(here, "one", "deep/third", one)


@LINKS
def test_links_and_second_names(here: LocalPlace) -> None:
    here.new_link("deep/link", "../one")
    assert here.link_at("deep/link") == "../one"
    with pytest.raises(FileExistsError):
        here.new_link("deep/link", "elsewhere")
    if not able().owners:
        return
    here.second_name(here, "one", "deep/also")
    assert os.path.samefile(here.full("one"), here.full("deep/also"))
    with pytest.raises(FileExistsError):
        here.second_name(here, "one", "deep/two")


def test_only_what_is_empty_or_ours_is_removed(here: LocalPlace) -> None:
    assert here.remove_empty("deep/er") and not here.remove_empty("deep") and not here.remove_empty("one")
    with pytest.raises(FileNotFoundError):
        here.remove_empty("nothing")
    here.discard("one")
    here.discard("one")
    here.make_folders("deep/a/b")
    here.new_file("deep/a/b/c").close()
    here.new_file("deep/a/d").close()
    here.discard_all("deep")
    here.discard_all("deep")
    assert os.listdir(here.root) == []
    with LocalPlace(here.root) as theirs, pytest.raises(AssertionError):
        theirs.discard("one")


def test_what_refuses_a_removal_is_passed_on(here: LocalPlace, monkeypatch: pytest.MonkeyPatch) -> None:
    def refuse(*_: Any, **__: Any) -> None:
        raise OSError(errno.EACCES, "no")

    monkeypatch.setattr(os, "rmdir", refuse)
    monkeypatch.setattr(os, "unlink", refuse)
    with pytest.raises(OSError, match="no"):
        here.remove_empty("deep/er")
    with pytest.raises((OSError, LeftIntactError)):
        here.discard("one")
    assert here.stat("one") is not None


# ---------------------------------------------------------------- renaming


def test_nothing_is_gone_over_unless_it_is_meant(here: LocalPlace) -> None:
    with refused("changed-meanwhile"):
        here.take(here, "one", "deep/two", over=False)
    assert Path(here.full("deep/two")).read_bytes() == b"two\n" and here.stat("one") is not None
    here.take(here, "one", "deep/er/one", over=False)
    assert here.stat("one") is None and here.stat("deep/er/one") is not None
    here.take(here, "deep/er/one", "deep/two", over=True)
    assert Path(here.full("deep/two")).read_bytes() == b"one\n" and here.names("deep/er") == []
    with pytest.raises(FileNotFoundError):
        here.take(here, "nothing", "deep/new", over=False)
    with pytest.raises(FileNotFoundError):
        here.take(here, "nothing", "deep/new", over=True)


def test_two_things_change_places_where_that_can_be(here: LocalPlace) -> None:
    done = here.exchange(here, "one", "deep/two")
    assert done is here.able.exchange
    said = Path(here.full("one")).read_bytes(), Path(here.full("deep/two")).read_bytes()
    assert said == ((b"two\n", b"one\n") if done else (b"one\n", b"two\n"))
    if done:
        with pytest.raises(FileNotFoundError):
            here.exchange(here, "nothing", "one")


# ---------------------------------------------------------------- metadata


@MODES
def test_mode_and_time_are_given_to_the_very_thing(here: LocalPlace) -> None:
    when = 1_500_000_000_123_456_789
    for path, kind in (("deep/two", Kind.FILE), ("deep/er", Kind.FOLDER), ("one", Kind.FILE)):
        assert here.apply_metadata(path, Entry(path=path, kind=kind, mode=0o710, mtime_ns=when)) == ()
        info = os.stat(here.full(path))
        assert (stat.S_IMODE(info.st_mode), info.st_mtime_ns) == (0o710, when)
    here.apply_metadata("one", Entry(path="one", mtime_ns=5))
    assert stat.S_IMODE(os.stat(here.full("one")).st_mode) == 0o710 and here.stat("one").st_mtime_ns == 5  # type: ignore[union-attr]
    here.set_time("one", 7)
    assert here.stat("one").st_mtime_ns == 7  # type: ignore[union-attr]
    with pytest.raises(FileNotFoundError):
        here.set_time("nothing", 7)


@LINKS
@OWNERS
def test_a_link_gets_its_own_time_and_what_it_leads_to_none(
    here: LocalPlace, monkeypatch: pytest.MonkeyPatch
) -> None:
    before = os.stat(here.full("one"))
    here.new_link("link", "one")
    link = Entry(path="link", kind=Kind.LINK, link="one", mtime_ns=9)
    assert here.apply_metadata("link", link) == ()
    assert here.stat("link").st_mtime_ns == 9 and os.stat(here.full("one")) == before  # type: ignore[union-attr]
    given: list[Any] = []
    monkeypatch.setattr(
        os, "chown", lambda *words, **named: given.append((words[1:], named["follow_symlinks"]))
    )
    assert here.apply_metadata("link", link, Attributes(owner=12, group=13)) == ()
    assert here.apply_metadata("link", link, Attributes()) == ()
    assert given == [((12, 13), False)]

    def refuse(*_: Any, **__: Any) -> None:
        raise PermissionError(errno.EPERM, "no")

    monkeypatch.setattr(os, "chown", refuse)
    assert here.apply_metadata("link", link, Attributes(owner=12, group=13)) == ("owner",)


@OWNERS
def test_an_owner_is_given_where_it_differs(here: LocalPlace, monkeypatch: pytest.MonkeyPatch) -> None:
    info = os.stat(here.full("one"))
    given: list[Any] = []
    monkeypatch.setattr(os, "chown", lambda target, *who: given.append(who))
    entry = Entry(path="one", mode=0o4755, mtime_ns=5)
    same = Attributes(owner=info.st_uid, group=info.st_gid)
    assert here.apply_metadata("one", entry, same) == () and given == []
    assert stat.S_IMODE(os.stat(here.full("one")).st_mode) == 0o4755
    here.apply_metadata("one", entry, Attributes())  # nobody's: not given
    here.apply_metadata("one", entry, replace(same, group=info.st_gid + 1))
    here.apply_metadata("one", entry, replace(same, owner=info.st_uid + 1))
    assert given == [(info.st_uid, info.st_gid + 1), (info.st_uid + 1, info.st_gid)]
    if hasattr(os, "setxattr"):
        monkeypatch.setattr(os, "setxattr", lambda *_: (_ for _ in ()).throw(OSError(errno.EPERM, "no")))
        assert here.apply_metadata("one", entry, replace(same, extended=(("user.a", b"1"),))) == ("user.a",)


@OWNERS
@AS_ROOT
def test_the_first_user_of_all_is_an_owner_too(here: LocalPlace) -> None:
    os.chown(here.full("one"), 1234, 1234)
    assert here.apply_metadata("one", Entry(path="one", mode=0o644), Attributes(owner=0, group=0)) == ()
    assert os.stat(here.full("one")).st_uid == 0


@OWNERS
@AS_ROOT
def test_a_set_id_bit_survives_that_an_owner_is_given(here: LocalPlace) -> None:
    """Giving an owner takes the bit away, so the mode is given after it, also where it looks right."""
    os.chmod(here.full("one"), 0o4755)
    assert (
        here.apply_metadata("one", Entry(path="one", mode=0o4755, mtime_ns=5), Attributes(owner=12, group=13))
        == ()
    )
    info = os.stat(here.full("one"))
    assert (info.st_uid, info.st_gid, stat.S_IMODE(info.st_mode)) == (12, 13, 0o4755)


@MODES
def test_without_modes_none_is_given(tmp_path: Path) -> None:
    (tmp_path / "one").write_text("1")
    (tmp_path / "one").chmod(0o640)
    with LocalPlace(str(tmp_path), able_to=replace(able(), modes=False)) as place:
        place.apply_metadata("one", Entry(path="one", mode=0o600, mtime_ns=5))
    assert stat.S_IMODE((tmp_path / "one").stat().st_mode) == 0o640


@HANDLES
def test_a_file_that_its_owner_may_not_read_gets_its_mode(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    if not hasattr(os, "O_PATH"):
        pytest.skip("this system has no bare handles")
    (tmp_path / "one").write_text("1")
    with LocalPlace(str(tmp_path)) as place:
        real = os.open

        def refuse(path: Any, flags: int, *more: Any, **named: Any) -> int:
            if path == "one" and not flags & os.O_PATH:
                raise PermissionError(errno.EACCES, "no")
            return real(path, flags, *more, **named)

        monkeypatch.setattr(os, "open", refuse)
        place.apply_metadata("one", Entry(path="one", mode=0o000, mtime_ns=5))
    info = os.stat(tmp_path / "one")
    assert (stat.S_IMODE(info.st_mode), info.st_mtime_ns) == (0, 5) and not held_open(tmp_path)


# ---------------------------------------------------------------- flushing and pouring


@pytest.mark.parametrize("where", ["at once", "half way", "nowhere"])
def test_bytes_are_poured_whole_also_where_the_quick_way_fails(
    here: LocalPlace, monkeypatch: pytest.MonkeyPatch, where: str
) -> None:
    content = os.urandom(PIECE * 2 + 11)
    Path(here.full("large")).write_bytes(content)

    def quick(reading: int, writing: int, count: int) -> int:
        if where == "half way" and os.lseek(writing, 0, os.SEEK_CUR) == 0:
            return os.write(writing, os.read(reading, 1000))
        raise OSError(errno.EXDEV, "no")

    if where == "nowhere":
        monkeypatch.delattr(os, "copy_file_range", raising=False)
    else:
        monkeypatch.setattr(os, "copy_file_range", quick, raising=False)
    real = os.write
    monkeypatch.setattr(os, "write", lambda to, data: real(to, bytes(data)[: PIECE // 3]))
    here.copy_in(here, "large", "deep/large", blake3(content).hexdigest())
    assert Path(here.full("deep/large")).read_bytes() == content


def test_a_disk_that_fails_while_pouring_is_said(here: LocalPlace, monkeypatch: pytest.MonkeyPatch) -> None:
    def fails(*_: int) -> int:
        raise OSError(errno.EIO, "no")

    monkeypatch.setattr(os, "copy_file_range", fails, raising=False)
    with pytest.raises(OSError, match="no"):
        here.copy_in(here, "one", "deep/copy", "")


# ---------------------------------------------------------------- what another system needs


def test_without_extended_attributes_the_rest_is_told(
    here: LocalPlace, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.delattr(os, "listxattr", raising=False)
    assert here.attributes("one").extended == ()
