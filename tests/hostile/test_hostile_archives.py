"""Whatever an archive has: it is refused in one line, or read within bounds; nothing is ever written."""

from __future__ import annotations

import json
import os
import subprocess
import sys
import zipfile
from contextlib import nullcontext
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from left_intact.core.arrival.look import look_into
from left_intact.core.files.names import link_stays_inside
from left_intact.core.files.vetting import CROWDED, Member, vetted
from left_intact.core.model.entry import Kind
from left_intact.core.model.errors import LeftIntactError
from tests.builders import LINKS, MODES, Mock, plant, release
from tests.hostile.archives import READ, REFUSED, zipped

MEASURE = """
import json, resource, sys, time
from left_intact.core.arrival.look import look_into
from left_intact.core.model.errors import LeftIntactError
import zstandard, py7zr

def peak():  # of this very program, where the system keeps that
    try:
        lines = open("/proc/self/status").read().splitlines()
        return next(int(line.split()[1]) for line in lines if line.startswith("VmHWM"))
    except OSError:
        return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss

began, before = time.process_time(), peak()
try:
    said = "read " + str(len(look_into(sys.argv[1]).release.entries))
except LeftIntactError as error:
    said = error.code + ": " + error.line()
print(json.dumps([said, (peak() - before) / 1024, time.process_time() - began]))
"""
MOST_MB = 300
"""What looking into any of them may take, all of which are below 10 MB."""


def looked_into(path: Path) -> tuple[str, float]:
    """(how it ended, the MB it took), in a process of its own."""
    if sys.platform == "win32":
        try:
            return f"read {len(look_into(str(path)).release.entries)}", 0.0
        except LeftIntactError as error:
            return f"{error.code}: {error.line()}", 0.0
    words = [sys.executable, "-c", MEASURE, str(path)]
    done = subprocess.run(words, capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stderr[-2000:]
    said, megabytes, _ = json.loads(done.stdout)
    return said, megabytes


HEAVY = ("links by way of forty others", "240,000 empty files in a megabyte")


@pytest.mark.sampled(14)
@pytest.mark.filterwarnings("ignore:Duplicate name")
@pytest.mark.parametrize(
    "what",
    [one for one in REFUSED if one not in HEAVY or os.environ.get("LEFT_INTACT_LAWS") == "many"],
)
def test_what_is_made_to_do_harm_is_refused(what: str, tmp_path: Path) -> None:
    make, ends = REFUSED[what]
    path = make(tmp_path)
    assert path.stat().st_size < 10 << 20
    said, megabytes = looked_into(path)
    assert (
        said.startswith(f"archive-{ends}: ") and str(path) in said and "\n" not in said and "\x1b" not in said
    )
    assert megabytes < MOST_MB and list(tmp_path.iterdir()) == [path]


@pytest.mark.sampled(2)
@pytest.mark.parametrize("what", READ)
def test_what_is_odd_is_read_within_bounds(what: str, tmp_path: Path) -> None:
    path = READ[what](tmp_path)
    assert path.stat().st_size < 10 << 20
    said, megabytes = looked_into(path)
    assert said.startswith("read ") and megabytes < MOST_MB


@MODES
def test_what_a_release_says_of_rights_is_no_right_for_others(tmp_path: Path) -> None:
    modes = {"all": 0o777, "write": 0o666, "set": 0o4755, "sticky": 0o1777, "own": 0o700}
    path = zipped(*((name, 0o100000 | mode, b"#! x") for name, mode in modes.items()))(tmp_path)
    entries = look_into(str(path)).release.entries
    wanted = {"all": 0o755, "write": 0o644, "set": 0o755, "sticky": 0o755, "own": 0o700}
    assert {name: entry.mode for name, entry in entries.items()} == wanted
    plant(tmp_path / "made", {"x/a": "1", "x/b": "2"})
    (tmp_path / "made/x/a").chmod(0o6777)
    assert look_into(str(tmp_path / "made")).release.entries["a"].mode == 0o755


@LINKS
def test_a_link_that_leads_out_by_way_of_theirs_is_not_laid(mock: Mock) -> None:
    """Their own link may lead anywhere; one that comes may not use it."""
    away = mock.folder / "away"
    away.mkdir()
    (mock.root / "shelf").symlink_to(away)
    mock.arrive(release("1.1", lib__sly=("link", "../shelf/../secret"), lib__fine=("link", "libcore.so")))
    plan = mock.plan()
    verbs = {move.at.shown: move.verb.value for move in plan.moves}
    assert verbs["lib/sly"] == "drop" and verbs["lib/fine"] == "add"
    mock.update()
    assert not (mock.root / "lib/sly").is_symlink() and (mock.root / "lib/fine").is_symlink()


@LINKS
@given(
    st.dictionaries(
        st.sampled_from(["a", "b", "d/a", "d/e/b", "d/c"]),
        st.lists(st.sampled_from(["..", "a", "b", "c", "d", "e", "."]), min_size=1, max_size=6).map("/".join),
        min_size=1,
    )
)
def test_where_links_lead_is_where_the_system_goes(links: dict[str, str]) -> None:
    """By way of one another; checked against what the system itself makes of the same links."""
    import os

    from tests.builders import in_memory

    with in_memory() as folder:
        root = os.path.join(os.path.realpath(folder), "p", "q", "root")
        os.makedirs(os.path.join(root, "d", "e"))
        for path, target in links.items():
            os.symlink(target, os.path.join(root, path))
        for path, target in links.items():
            try:
                real = os.path.realpath(os.path.join(root, path), strict=True)
            except OSError:
                continue  # it leads nowhere
            inside = real == root or real.startswith(root + os.sep)
            # One that comes back in after it was out is refused all the same.
            assert inside or not link_stays_inside(path, target, links), (path, target)


@pytest.mark.parametrize(("packed", "refused"), [(25_000 * CROWDED, False), (25_000 * CROWDED - 1, True)])
def test_many_files_are_read_that_their_bytes_can_hold(packed: int, refused: bool) -> None:
    crowd = (Member(path=f"f{n}", kind=Kind.FILE, bytes=1, mode=None, mtime_ns=0) for n in range(25_000))
    with pytest.raises(LeftIntactError) if refused else nullcontext():
        assert len(vetted("it.tar.xz", crowd, packed)) == 25_000


LEADS = (
    b"PK\x03\x04",
    b"7z\xbc\xaf\x27\x1c",
    b"\x1f\x8b\x08",
    b"BZh9",
    b"\xfd7zXZ\0",
    b"\x28\xb5\x2f\xfd",
    b"",
)


@given(st.binary(max_size=400), st.sampled_from(LEADS))
def test_bytes_of_any_kind_are_read_or_refused(data: bytes, lead: bytes) -> None:
    _looked(lead + data)


@given(st.data())
def test_sound_archives_with_changed_bytes_are_read_or_refused(data: st.DataObject) -> None:
    from tests.core.test_archives import PACKERS

    kind = data.draw(st.sampled_from(sorted(name for name in PACKERS if name != "a")))
    whole = bytearray(_sound(kind))
    for at in data.draw(st.lists(st.integers(0, len(whole) - 1), min_size=1, max_size=4)):
        whole[at] = data.draw(st.integers(0, 255))
    _looked(bytes(whole), kind)


_KNOWN: dict[str, bytes] = {}


def _sound(kind: str) -> bytes:
    from tests.builders import in_memory
    from tests.core.test_archives import PACKERS

    if kind not in _KNOWN:
        with in_memory() as folder:
            tree = {"w/VERSION": b"1.0\n", "w/lib/a.so": b"\x7fELF" + bytes(99), "w/a.ini": b"[a]\nb = 1\n"}
            _KNOWN[kind] = PACKERS[kind](tree, Path(folder) / kind).read_bytes()
    return _KNOWN[kind]


def _looked(data: bytes, name: str = "came") -> None:
    from tests.builders import in_memory

    with in_memory() as folder:
        path = Path(folder) / name
        path.write_bytes(data)
        try:
            look_into(str(path))
        except LeftIntactError as error:
            assert error.code in ("archive-broken", "archive-hostile", "arrival-unreadable") and error.line()
        assert [found.name for found in Path(folder).iterdir()] == [name]


def test_a_zip_of_many_names_is_listed_in_one_pass(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    opened: list[object] = []
    real = zipfile.ZipFile.__init__

    def counted(self, *words, **named):  # type: ignore[no-untyped-def]
        opened.append(words)
        real(self, *words, **named)

    path = READ["2,000 links"](tmp_path)
    monkeypatch.setattr(zipfile.ZipFile, "__init__", counted)
    assert len(look_into(str(path)).release.entries) == 2_001 and len(opened) <= 3
