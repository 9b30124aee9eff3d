"""Whatever an outlet answers: its own trouble is told in a line, and the others are shown."""

from __future__ import annotations

import hashlib
import json
import os
import stat
import threading
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from left_intact.core.model.errors import LeftIntactError
from left_intact.core.model.outlet import Fetched, Offer, Outlet, OutletKind
from left_intact.core.outlets import fetch
from left_intact.core.outlets.asking import asker, leads_to, without_secrets
from left_intact.core.outlets.feed import read_feed
from left_intact.core.outlets.fetch import check, key_of, name_for
from left_intact.standins.outlet import OutletServer
from tests import disks
from tests.builders import MODES, Mock, release, zipped

FEED = """<feed xmlns="http://www.w3.org/2005/Atom" xmlns:li="urn:left-intact:outlet:1"><entry>
<title>M 1.1</title><updated>2026-11-20T12:00:00Z</updated><content>{notes}</content>
<link rel="enclosure" href="{href}" length="{length}" li:sha256="{digest}" li:full="{length}"/>
</entry></feed>"""


def feed(
    href: str = "/files/m-1.1.zip", length: str = "10", digest: str = "", notes: str = ""
) -> tuple[Offer, ...]:
    return read_feed(
        FEED.format(href=href, length=length, digest=digest, notes=notes).encode(), "https://a.pier/feed"
    )


def packed(path: Path, version: str) -> None:
    """A release with something large in it that does not pack."""
    large = b"".join(hashlib.sha256(f"{version} {n}".encode()).digest() for n in range(9_000))
    zipped(release(version, **{"data__large": large}), path, f"mocklet-{version}")


@pytest.fixture
def outlet(tmp_path: Path) -> Iterator[OutletServer]:
    folder = tmp_path / "outlet"
    folder.mkdir()
    packed(folder / "mocklet-1.1.zip", "1.1")
    said = {"program": "Mocklet", "published": "2026-11-20T12:00:00Z", "version": "1.1"}
    said |= {"file": "mocklet-1.1.zip"}
    (folder / "outlet.json").write_text(json.dumps({"title": "it", "releases": [said]}))
    server = OutletServer(str(folder)).start()
    yield server
    server.shutdown()
    server.server_close()


def followed(server: OutletServer, number: int = 1) -> Outlet:
    return Outlet(id=number, install=number, kind=OutletKind.FEED, place=f"{server.url}/feed.xml")


def offered(server: OutletServer, **more: object) -> Offer:
    place = f"{server.url}/files/mocklet-1.1.zip"
    return replace(Offer(place=place, name="mocklet-1.1.zip", version="1.1"), **more)  # type: ignore[arg-type]


# ---------------------------------------------------------------- feeds


def test_a_digest_is_64_hex_digits_and_a_length_is_a_number() -> None:
    for said in ("../../../victim", "a" * 63, "a" * 65, "g" * 64, "/etc/passwd"):
        assert feed(digest=said)[0].digest == ""
    assert feed(digest="A" * 64)[0].digest == "a" * 64
    for said in ("-1", "\u00b2", "1e9", "9" * 400, "x"):
        offer = feed(length=said)[0]
        assert offer.bytes == offer.full_bytes == 0
    assert feed(length="10")[0].bytes == 10


@pytest.mark.parametrize(
    "href", ["file:///etc/passwd", "ftp://a/b", "http://[half/x", "javascript:x", "data:,x"]
)
def test_what_is_no_address_on_the_web_is_no_offer(href: str) -> None:
    assert feed(href=href) == ()


def test_a_feed_without_end_of_builds_is_refused() -> None:
    one = '<entry><link rel="enclosure" href="/x"/></entry>'
    with pytest.raises(LeftIntactError) as error:
        read_feed(f'<feed xmlns="http://www.w3.org/2005/Atom">{one * 2001}</feed>'.encode(), "http://a/f")
    assert error.value.code == "bad-feed"


@given(st.binary(max_size=300))
def test_bytes_of_any_kind_are_a_feed_or_refused(data: bytes) -> None:
    for body in (data, b'<feed xmlns="http://www.w3.org/2005/Atom"><entry>' + data + b"</entry></feed>"):
        try:
            read_feed(body, "http://here/feed")
        except LeftIntactError as error:
            assert error.code == "bad-feed"


@pytest.mark.parametrize(
    ("fault", "says"),
    [
        ("huge", "more than 8,388,608 bytes"),
        ("packed", "answers packed"),
        ("drip", "had not answered whole"),
        ("hang", "cannot be reached"),
    ],
)
def test_each_outlet_has_bounds_of_its_own(
    outlet: OutletServer, fault: str, says: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    disks.patience(monkeypatch, 0.3 if fault == "drip" else 60.0)
    outlet.faults.add(fault)
    with asker() as ask:
        ask.client.timeout = 0.3
        checked = check(followed(outlet), "Mocklet", ask, 1.0)
        assert says in checked.outlet.trouble and checked.offers is None
        outlet.faults.clear()
        assert check(followed(outlet), "Mocklet", ask, 1.0).offers


@pytest.mark.parametrize(
    "place", ["http://", "http://[::1", "http://a b/", "https://\u2603" * 40, "http://a:99999/x"]
)
def test_an_address_that_is_none_is_trouble_of_its_own(place: str) -> None:
    with asker() as ask:
        checked = check(Outlet(id=1, install=1, kind=OutletKind.FEED, place=place), "M", ask, 1.0)
    assert checked.outlet.trouble and "\n" not in checked.outlet.trouble


def test_those_that_hang_keep_none_of_the_others_back(mock: Mock, outlet: OutletServer) -> None:
    """Every other one of twelve hangs until the rest are noted: they are asked side by side."""
    library, install = mock.bench.surveys.library, mock.install
    hanging = OutletServer(outlet.folder, 0, "hang").start()
    for number in range(6):
        library.follow(install, "feed", f"{hanging.url}/feed/{number}.xml")
        library.follow(install, "feed", f"{outlet.url}/feed.xml?{number}")
    noted: list[str] = []

    def report(progress: object) -> None:
        noted.append(progress.path)  # type: ignore[attr-defined]
        if len(noted) == 6:
            hanging.ended.set()  # they answer nothing and are let go

    mock.bench.outlets.look_for_news([install], report=report)  # type: ignore[arg-type]
    assert all(outlet.url in place for place in noted[:6]) and len(noted) == 12
    assert sum(bool(one.trouble) for one in library.outlets(install)) == 6
    hanging.shutdown()
    hanging.server_close()


# ---------------------------------------------------------------- the way there


def test_no_redirect_leads_from_https_to_http() -> None:
    says: list[str] = []
    assert leads_to("https://a/x", "/y", says) == "https://a/y" and not says
    assert leads_to("https://a/x", "https://b/y", says) == "https://b/y" and says == ["redirected to b"]
    assert leads_to("http://a/x", "https://me:secret@a/y", None) == "https://a/y"
    for location in ("http://a/y", "file:///etc/passwd", "", "ftp://a/x"):
        with pytest.raises(LeftIntactError) as error:
            leads_to("https://a/x", location, None)
        assert error.value.code == "outlet-refused"


def test_a_feed_that_leads_on_says_where_to(outlet: OutletServer, monkeypatch: pytest.MonkeyPatch) -> None:
    other = OutletServer(outlet.folder).start()

    with asker() as ask:
        assert check(followed(outlet), "Mocklet", ask, 1.0).outlet.leads == ""
        outlet.redirect_to = other.url
        monkeypatch.setattr(outlet, "redirect_feeds", True, raising=False)
        leads = check(followed(outlet), "Mocklet", ask, 1.0).outlet.leads
    assert leads == f"redirected to {other.url.removeprefix('http://')}"
    other.shutdown()
    other.server_close()


@MODES
def test_names_and_passwords_are_in_no_message_and_no_library(mock: Mock, outlet: OutletServer) -> None:
    outlets, install = mock.bench.outlets, mock.install
    host = outlet.url.removeprefix("http://")
    outlets.follow(install, f"http://keeper:s%40lt@{host}/feed.xml")
    (one,) = outlets.followed(install)
    assert one.place == f"{outlet.url}/feed.xml"
    kept = Path(outlets.home) / "outlets-secrets.json"
    assert outlets.secrets() == {outlet.url: "keeper:s@lt"} and stat.S_IMODE(kept.stat().st_mode) == 0o600
    outlets.look_for_news([install])
    assert outlet.said_to_be == ["keeper:s@lt"]
    for path in Path(outlets.home).rglob("*"):
        assert path == kept or not path.is_file() or b"s@lt" not in path.read_bytes()
    survey = mock.bench.surveys.survey(install)
    view = outlets.pack(install, f"http://keeper:p%3Aw@{host}/files/mocklet-1.1.zip", survey)
    assert view.place == f"{outlet.url}/files/mocklet-1.1.zip" and outlet.said_to_be[-1] == "keeper:p:w"
    outlet.shutdown()
    outlet.server_close()
    outlets.look_for_news([install])
    assert "s@lt" not in outlets.followed(install)[0].trouble
    outlets.unfollow(install, f"http://keeper:s%40lt@{host}/feed.xml")
    assert (
        without_secrets("http://a:b@c:1/d?e#f") == "http://c:1/d?e#f"
        and without_secrets("no url") == "no url"
    )


@MODES
def test_what_an_older_version_wrote_down_is_cleaned(mock: Mock, outlet: OutletServer) -> None:
    outlets, install = mock.bench.outlets, mock.install
    host = outlet.url.removeprefix("http://")
    outlets.surveys.library.follow(install, "feed", f"http://keeper:salt@{host}/feed.xml")
    assert outlets.look_for_news([install])[0].outlets[0].place == f"{outlet.url}/feed.xml"
    assert outlet.said_to_be == ["keeper:salt"] and len(outlets.followed(install)) == 1


# ---------------------------------------------------------------- files


def test_a_file_is_known_by_its_place_version_and_length(tmp_path: Path) -> None:
    first = Offer(place="https://a/A/download.zip", name="download.zip", version="1.0", bytes=10)
    others = [
        replace(first, place="https://a/B/download.zip"),
        replace(first, version="1.1"),
        replace(first, bytes=11),
        replace(first, digest="a" * 64),
    ]
    assert len({key_of(first), *map(key_of, others)}) == 5
    assert key_of(replace(first, place="https://me:x@a/A/download.zip")) == key_of(first)


@pytest.mark.parametrize(
    ("said", "name"),
    [
        ("../../x.zip", "x.zip"),
        ("a\\..\\b.zip", "b.zip"),
        ("x\x1b[31m\u202e.zip", "x-[31m-.zip"),
        ("", "download-"),
        ("..", "download-"),
        ("con.zip", "download-con.zip"),
        ("a:b?.zip", "a-b-.zip"),
    ],
)
def test_a_name_from_outside_is_made_a_name(said: str, name: str) -> None:
    assert name_for(said) == name and len(name_for(said + "n" * 999).encode()) < 200


def got(server: OutletServer, into: Path, **more: object) -> Fetched:
    with asker() as ask:
        return fetch.fetch(offered(server, **more), str(into), ask=ask)


def test_without_a_digest_nothing_else_of_that_name_is_taken(outlet: OutletServer, tmp_path: Path) -> None:
    whole = (Path(outlet.folder) / "mocklet-1.1.zip").read_bytes()
    (tmp_path / "f").mkdir()
    (tmp_path / "f/mocklet-1.1.zip").write_bytes(b"another program")
    assert Path(got(outlet, tmp_path / "f", bytes=len(whole)).path).read_bytes() == whole
    assert got(outlet, tmp_path / "f", bytes=len(whole)).says == ("fetched before",)


def test_old_and_new_bytes_are_never_mixed(outlet: OutletServer, tmp_path: Path) -> None:
    """Half of a file came; at the outlet there is another of the same name by then."""
    path, into = Path(outlet.folder) / "mocklet-1.1.zip", tmp_path / "f"
    outlet.drops = 5
    with pytest.raises(LeftIntactError):
        got(outlet, into)
    outlet.drops = 0
    packed(path, "1.2")
    assert Path(got(outlet, into).path).read_bytes() == path.read_bytes()


@pytest.mark.parametrize("fault", ["", "untagged", "unsaid", "shifted"])
def test_what_comes_in_the_end_is_what_lies_there(outlet: OutletServer, tmp_path: Path, fault: str) -> None:
    whole = (Path(outlet.folder) / "mocklet-1.1.zip").read_bytes()
    outlet.faults |= {fault} - {""}
    outlet.drops = 1
    (tmp_path / "f").mkdir()
    try:
        fetched = got(outlet, tmp_path / "f", bytes=0 if fault == "unsaid" else len(whole))
    except LeftIntactError:
        assert fault == "unsaid"  # what was cut off could not be told from the whole: nobody said how long
        return
    if fault != "unsaid":
        assert Path(fetched.path).read_bytes() == whole


def test_a_finished_part_without_a_length_is_not_asked_for_again_and_again(
    outlet: OutletServer, tmp_path: Path
) -> None:
    whole, into = (Path(outlet.folder) / "mocklet-1.1.zip").read_bytes(), tmp_path / "f"
    outlet.drops = 5
    with pytest.raises(LeftIntactError):
        got(outlet, into)
    outlet.drops = 0
    (into / "mocklet-1.1.zip.part").write_bytes(whole)
    before = len(outlet.log)
    assert Path(got(outlet, into).path).read_bytes() == whole
    assert len([1 for path, _, _ in outlet.log[before:] if path.startswith("/files/mock")]) == 1


def test_no_more_is_taken_than_was_said(outlet: OutletServer, tmp_path: Path) -> None:
    outlet.faults.add("long")
    size = (Path(outlet.folder) / "mocklet-1.1.zip").stat().st_size
    with pytest.raises(LeftIntactError) as error:
        got(outlet, tmp_path / "f", bytes=size)
    assert error.value.code == "wrong-length" and not (tmp_path / "f/mocklet-1.1.zip").exists()
    assert (tmp_path / "f/mocklet-1.1.zip.part").stat().st_size == 0


@MODES
def test_a_link_in_the_place_of_a_part_is_not_written_through(outlet: OutletServer, tmp_path: Path) -> None:
    (tmp_path / "f").mkdir()
    victim = tmp_path / "victim"
    victim.write_text("of theirs")
    os.symlink(victim, tmp_path / "f/mocklet-1.1.zip.part")
    with pytest.raises(LeftIntactError) as error:
        got(outlet, tmp_path / "f")
    assert error.value.code == "fetch-failed" and victim.read_text() == "of theirs"


def test_two_that_fetch_the_same_at_once_both_have_it(
    mock: Mock, outlet: OutletServer, tmp_path: Path
) -> None:
    other = Mock(tmp_path / "other")
    twin = mock.bench.shelf.register(str(other.root), name="Twin")
    offer = offered(outlet)
    found = mock.bench.outlets.fetch_all([(mock.install, offer), (twin, offer), (mock.install, offer)])
    assert all(isinstance(got, Fetched) for _, got in found), found
    assert len({got.path for _, got in found if isinstance(got, Fetched)}) == 1
    assert sum(path.startswith("/files/mock") for path, _, _ in outlet.log) == 1


def test_another_process_that_fetches_the_same_is_waited_for(outlet: OutletServer, tmp_path: Path) -> None:
    import subprocess
    import sys

    into = tmp_path / "f"
    got(outlet, into)  # the folder and its lock are there
    holds = (
        "import sys\nfrom left_intact.core.files.alone import alone\n"
        f"with alone({str(into / 'lock')!r}, 'busy'):\n print('held', flush=True)\n sys.stdin.read()\n"
    )
    with subprocess.Popen(
        [sys.executable, "-c", holds], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True
    ) as other:
        assert other.stdout is not None and other.stdout.readline() == "held\n"
        with pytest.raises(LeftIntactError) as error:
            got(outlet, into)
        assert error.value.code == "busy" and "is fetching this" in error.value.line()
        other.communicate("")
    assert got(outlet, into).path


def test_a_full_disk_loses_the_results_of_no_others(
    mock: Mock, outlet: OutletServer, monkeypatch: pytest.MonkeyPatch
) -> None:
    real, first = mock.bench.outlets.fetch, threading.Event()

    def may_fail(install, offer, **how):  # type: ignore[no-untyped-def]
        if offer.version == "full":
            first.set()
            raise OSError(28, "No space left on device")
        first.wait(20)
        return real(install, offer, **how)

    outlets = mock.bench.outlets
    monkeypatch.setattr(type(outlets), "fetch", lambda self, *words, **how: may_fail(*words, **how))
    found = outlets.fetch_all(
        [(mock.install, offered(outlet, version="full")), (mock.install, offered(outlet))]
    )
    assert [isinstance(got, Fetched) for _, got in found] == [False, True]
    assert "could not be kept (no space left on device)" in found[0][1].line()  # type: ignore[union-attr]


# ---------------------------------------------------------------- what holds from the beginning


def test_a_certificate_that_nobody_vouches_for_is_refused(outlet: OutletServer) -> None:
    import ssl

    context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
    context.load_cert_chain(Path(__file__).parent / "nobody-vouches.pem")
    outlet.socket = context.wrap_socket(outlet.socket, server_side=True)
    place = f"{outlet.url.replace('http', 'https')}/feed.xml"
    with asker() as ask:
        checked = check(Outlet(id=1, install=1, kind=OutletKind.FEED, place=place), "Mocklet", ask, 1.0)
    assert "certificate" in checked.outlet.trouble.lower() and checked.offers is None
    assert not outlet.log


@pytest.mark.parametrize(
    "doctype",
    [
        '<!DOCTYPE x [<!ENTITY e SYSTEM "file:///etc/passwd">]>',
        '<!DOCTYPE x [<!ENTITY e0 "'
        + "a" * 999
        + '">'
        + "".join(f'<!ENTITY e{n} "' + f"&e{n - 1};" * 99 + '">' for n in range(1, 9))
        + '<!ENTITY e "&e8;">]>',
        '<!DOCTYPE x SYSTEM "http://127.0.0.1:9/x.dtd">',
    ],
    ids=["a file", "a bomb", "elsewhere"],
)
def test_entities_are_no_part_of_a_feed(doctype: str) -> None:
    body = FEED.format(href="/x.zip", length="1", digest="", notes="&e;")
    try:
        offers = read_feed((doctype + body).encode(), "https://a.pier/feed")
    except LeftIntactError as error:
        assert error.code == "bad-feed"
    else:
        assert all("root:" not in offer.notes and len(offer.notes) < 99 for offer in offers)
