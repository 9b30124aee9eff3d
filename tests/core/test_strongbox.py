"""What the strongbox and the copies into it hold to, whoever calls them."""

from __future__ import annotations

import errno
import os
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

import pytest
from blake3 import blake3

from left_intact.core.carrying.boxes import strongbox_for
from left_intact.core.carrying.copies import Copied, Copy, copy_all, metadata_of
from left_intact.core.carrying.heads import make_journal
from left_intact.core.carrying.strongbox import CARD, LIST, PART, Strongbox
from left_intact.core.files.place import LocalPlace
from left_intact.core.model.entry import Entry
from left_intact.core.model.errors import LeftIntactError, Stopped
from left_intact.core.model.progress import CancelToken
from left_intact.core.model.update import KnownBox
from tests import disks
from tests.builders import MODES


@pytest.fixture
def box(tmp_path: Path) -> Iterator[Strongbox]:
    box = Strongbox(str(tmp_path / "boxes" / "mocklet-1"))
    box.make()
    yield box
    box.close()


def digest_of(content: bytes) -> str:
    return blake3(content).hexdigest()


def put(box: Strongbox, content: bytes) -> str:
    digest = digest_of(content)
    box.make_object_folders([digest])
    Path(box.object_path(digest)).write_bytes(content)
    return digest


def test_a_folder_that_cannot_be_made_is_said(tmp_path: Path) -> None:
    (tmp_path / "boxes").write_text("a file")
    with pytest.raises(LeftIntactError) as error:
        Strongbox(str(tmp_path / "boxes" / "mocklet-1")).make()
    assert error.value.code == "strongbox-unwritable"


@MODES
def test_a_box_is_looked_for_where_nobody_else_may_write(box: Strongbox, tmp_path: Path) -> None:
    known, home = KnownBox(id="1", folder=box.folder, needed=False), str(tmp_path / "home")
    (tmp_path / "root").mkdir()

    make_journal(box.journal_path)
    box.claim(str(tmp_path / "root"), "1")
    known = replace(known, id=box.card().id)  # type: ignore[union-attr]

    def found() -> bool:
        return strongbox_for(str(tmp_path / "root"), "mocklet", home, known).folder == box.folder

    assert found()
    os.chmod(os.path.dirname(box.folder), 0o777)
    assert not found()


def test_its_card_is_written_only_where_it_says_something_new(box: Strongbox, tmp_path: Path) -> None:
    first = box.claim(str(tmp_path), "mocklet")
    card = os.path.join(box.folder, CARD)
    was = os.stat(card).st_ino, os.stat(card).st_mtime_ns
    assert box.claim(str(tmp_path), "mocklet") == first
    assert (os.stat(card).st_ino, os.stat(card).st_mtime_ns) == was
    assert box.claim(str(tmp_path / "boxes"), "mocklet").id == first.id
    assert box.card() is not None and box.card().path == str(tmp_path / "boxes")  # type: ignore[union-attr]


def test_a_list_that_is_not_as_it_was_written_is_none(box: Strongbox) -> None:
    row = ("aa", "1", "now", "replace", "ours", "3", "644", "then", "", '"a"')
    box.write_list([row, ("bb", *row[1:])])
    assert box.read_list() == {"1": [row, ("bb", *row[1:])]}
    path = Path(box.folder) / LIST
    whole = path.read_text()
    path.write_text(whole + "cc\t1\n")
    assert box.read_list() is None
    path.write_text(whole.replace("# What", "# Who"))
    assert box.read_list() is None
    path.unlink()
    assert box.read_list() is None


def test_folders_of_objects_are_made_anew_after_it_was_closed(box: Strongbox) -> None:
    digest = put(box, b"one")
    os.unlink(box.object_path(digest))
    os.rmdir(os.path.dirname(box.object_path(digest)))
    box.close()
    assert box.has(put(box, b"one"))


@pytest.mark.parametrize(("number", "reads"), [(errno.EACCES, 1), (errno.EIO, 2)])
def test_only_what_a_disk_fails_to_read_is_read_again(
    box: Strongbox, monkeypatch: pytest.MonkeyPatch, number: int, reads: int
) -> None:
    digest, asked = put(box, b"one"), []

    def refused(self: LocalPlace, real: object, path: str) -> str:
        asked.append(path)
        raise OSError(number, "no")

    disks.instead(monkeypatch, "digest", refused)
    if number == errno.EIO:
        assert not box.has(digest)
    else:
        with pytest.raises(LeftIntactError) as error:
            box.has(digest)
        assert error.value.code == "copy-refused"
    assert len(asked) == reads


def test_what_lies_in_it_is_counted_by_its_names(box: Strongbox) -> None:
    digests = {put(box, b"one"), put(box, b"three")}
    for digest in digests:
        Path(box.object_path(digest) + PART).write_bytes(b"half")
    (Path(box.folder) / "objects" / "stray").write_bytes(b"not ours")
    assert box.objects() == digests and box.size() == 8
    assert sorted(box.parts()) == sorted(f"{box.object_name(digest)}{PART}" for digest in digests)
    one = digest_of(b"one")
    assert box.free(one) == 3 and box.free(one) == 0 and box.objects() == digests - {one}


def test_a_name_of_what_was_made_on_trial_is_free(box: Strongbox) -> None:
    for name in ("from-trial-7/saves/a.sav", "from-trial-7/saves/a.sav.2", "from-trial-7/saves/a.sav.3"):
        assert box.trial_path(7, "saves/a.sav") == name
        assert not box.holds(os.path.join(box.folder, *name.split("/")))
        (Path(box.folder) / name).write_bytes(b"x")
        assert box.holds(os.path.join(box.folder, *name.split("/")))
    assert not box.holds("") and not box.holds(box.folder + "-other/objects")


# ---------------------------------------------------------------- copies


@pytest.fixture
def two(tmp_path: Path) -> Iterator[tuple[LocalPlace, LocalPlace]]:
    (tmp_path / "from").mkdir()
    (tmp_path / "to").mkdir()
    with LocalPlace(str(tmp_path / "from")) as source, LocalPlace(str(tmp_path / "to"), ours=True) as target:
        yield source, target


@pytest.fixture(params=[0, 600])
def more(request: pytest.FixtureRequest, two: tuple[LocalPlace, LocalPlace]) -> list[Copy]:
    """What is copied besides: nothing, and so many that they are shared out to other processes."""
    return wanted(two[0], *(f"more{number:03}" for number in range(request.param)))


def wanted(source: LocalPlace, *names: str) -> list[Copy]:
    for name in names:
        Path(source.root, name).write_bytes(name.encode() * 3)
    return [Copy(name, name, digest_of(name.encode() * 3), len(name) * 3) for name in names]


def take(
    many: list[Copy], source: LocalPlace, target: LocalPlace, cancel: CancelToken | None = None
) -> list[Copied]:
    told: list[Copied] = []
    copy_all(
        many,
        source,
        target,
        on_copied=told.append,
        on_fault=lambda copy, error: error,
        cancel=cancel or CancelToken(),
    )
    return told


def test_each_is_there_whole_and_told_of(two: tuple[LocalPlace, LocalPlace], more: list[Copy]) -> None:
    """The same from this process, and shared out in batches."""
    source, target = two
    many = wanted(source, "a", "bb", "ccc")
    Path(target.root, f"a{PART}").write_bytes(b"half")  # a crash left them
    Path(target.root, "bb").write_bytes(b"half")
    Path(target.root, "ccc").write_bytes(b"ccc" * 3)
    was = os.stat(Path(target.root, "ccc")).st_ino
    assert sorted(one.copy for one in take([*many, *more], source, target)) == sorted([*many, *more])
    assert {p.name: p.read_bytes() for p in Path(target.root).iterdir() if not p.name.startswith("more")} == {
        "a": b"aaa",
        "bb": b"bbbbbb",
        "ccc": b"ccccccccc",
    }
    assert os.stat(Path(target.root, "ccc")).st_ino == was  # the very same lay there already


def test_a_copy_that_fails_is_the_fault_it_is(two: tuple[LocalPlace, LocalPlace], more: list[Copy]) -> None:
    source, target = two
    good, changed, gone = wanted(source, "good", "changed", "gone")
    Path(source.root, "changed").write_bytes(b"CHANGEDchangedchanged")
    Path(source.root, "gone").unlink()
    with pytest.raises(LeftIntactError) as error:
        take([good, changed, *more], source, target)
    assert error.value.code == "changed-meanwhile" and error.value.path
    with pytest.raises(FileNotFoundError):
        take([good, gone, *more], source, target)
    assert [
        p.name for p in Path(target.root).iterdir() if not p.name.endswith(PART) and "more" not in p.name
    ] == ["good"]


def test_it_stops_when_it_is_told_to(two: tuple[LocalPlace, LocalPlace]) -> None:
    source, target = two
    cancel = CancelToken()
    cancel.cancel()
    with pytest.raises(Stopped):
        take(wanted(source, "a", "bb"), source, target, cancel)
    assert not os.listdir(target.root)


def test_a_time_is_given_with_the_bytes(two: tuple[LocalPlace, LocalPlace]) -> None:
    source, target = two
    (copy,) = wanted(source, "a")
    entry = Entry(path="a", mode=0o640, mtime_ns=1_000_000_000)
    take([copy._replace(metadata=metadata_of(entry, None))], source, target)
    assert os.stat(Path(target.root, "a")).st_mtime_ns == 1_000_000_000
    assert not os.path.exists(Path(target.root, f"a{PART}"))


@pytest.mark.parametrize("lies", [b"aaa", b"half"])
def test_what_is_ready_already_is_not_made_again(two: tuple[LocalPlace, LocalPlace], lies: bytes) -> None:
    source, target = two
    (copy,) = wanted(source, "a")
    Path(target.root, "a").write_bytes(lies)
    take([copy._replace(metadata=(0o600, 1_000_000_000, None))], source, target)
    assert Path(target.root, "a").read_bytes() == b"aaa"
    assert os.stat(Path(target.root, "a")).st_mtime_ns == 1_000_000_000
