"""Outlets, notes, holds, fetching with every fault of the stand-in, and packs by ranges."""

from __future__ import annotations

import json
import zipfile
from collections.abc import Iterator
from pathlib import Path

import pytest

from left_intact.core.model.errors import LeftIntactError
from left_intact.core.model.outlet import Hold, Offer
from left_intact.core.model.plan import Verb
from left_intact.core.model.progress import CancelToken, Progress
from left_intact.core.model.proof import Verdict
from left_intact.core.model.stages import LayerKind
from left_intact.core.model.version import Version
from left_intact.core.outlets.choose import rank
from left_intact.core.outlets.feed import read_feed
from left_intact.core.outlets.fetch import fetch, sha256_of
from left_intact.core.outlets.notes import Touch, as_text, read_notes
from left_intact.standins.outlet import OutletServer
from tests.builders import LATER, Mock, plant, release, zipped

RELEASES = ("1.2-beta1", "1.1", "1.0.5")


def _shelf(folder: Path, versions: tuple[str, ...] = RELEASES) -> Path:
    folder.mkdir(parents=True, exist_ok=True)
    said = []
    for number, version in enumerate(versions):
        name = f"mocklet-{version}.zip"
        zipped(release(version, pad=bytes(range(256)) * 400), folder / name, f"mocklet-{version}")
        said.append(
            {
                "program": "mocklet",
                "file": name,
                "version": version,
                "channel": "preview" if "beta" in version else "stable",
                "platform": "linux x86_64",
                "published": f"2026-11-{20 - number:02}T10:00:00Z",
                "notes": (
                    f"# News of {version}\n\n- Harbour loads faster.\n- sound.rate is 48000 now.\n- "
                    "The tuba is in tune.\n"
                ),
            }
        )
    (folder / "outlet.json").write_text(json.dumps({"title": "mock outlet", "releases": said}))
    return folder


@pytest.fixture
def outlet(tmp_path: Path) -> Iterator[OutletServer]:
    server = OutletServer(str(_shelf(tmp_path / "outlet"))).start()
    yield server
    server.shutdown()
    server.server_close()


@pytest.fixture
def following(mock: Mock, outlet: OutletServer) -> Mock:
    mock.edit({"mocklet.ini": "[video]\nsmooth = on\nscale = 2\n\n[sound]\nrate = 44100\n"})
    mock.bench.surveys.survey(mock.install)
    mock.bench.surveys.set_baseline(mock.install, str(mock.base))
    mock.bench.outlets.follow(mock.install, f"{outlet.url}/feed/mocklet.xml")
    return mock


def test_news_from_a_feed(following: Mock, outlet: OutletServer) -> None:
    news = following.bench.outlets.look_for_news()[0]
    assert news.best is not None and news.best.offer.version == "1.1"
    assert [r.offer.version for r in news.ranked] == ["1.2-beta1", "1.1", "1.0.5"]
    reasons = {line.text: line.why for line in news.lines if line.why}
    assert reasons["sound.rate is 48000 now."] == "you set sound.rate to 44100"
    assert "harbour" in reasons["Harbour loads faster."] and "The tuba is in tune." not in reasons
    assert news.lines[0].why and not news.lines[-1].why
    before = len(outlet.log)
    following.bench.outlets.look_for_news()
    assert outlet.log[before:] == [("/feed/mocklet.xml", 304, 0)]


def test_offline_is_a_normal_state(following: Mock, outlet: OutletServer) -> None:
    following.bench.outlets.look_for_news()
    outlet.shutdown()
    outlet.server_close()
    news = following.bench.outlets.look_for_news()[0]
    assert (
        news.best is not None
        and "cannot be reached" in news.outlets[0].trouble
        and news.outlets[0].checked > 0
    )


def test_a_folder_of_downloads_and_a_place_that_lags(
    following: Mock, tmp_path: Path, outlet: OutletServer
) -> None:
    folder = _shelf(tmp_path / "downloads", ("1.0.5",))
    (folder / "SHA256SUMS").write_text(f"{sha256_of(str(folder / 'mocklet-1.0.5.zip'))}  mocklet-1.0.5.zip\n")
    following.bench.outlets.follow(following.install, str(folder))
    news = following.bench.outlets.look_for_news()[0]
    said = {(r.offer.version, r.offer.outlet): r.says for r in news.ranked}
    lagging = next(
        says for (version, place), says in said.items() if version == "1.0.5" and place == news.outlets[1].id
    )
    assert any("lags behind: 1.1" in s for s in lagging)
    following.bench.outlets.unfollow(following.install, str(folder))
    with pytest.raises(LeftIntactError):
        following.bench.outlets.follow(following.install, "no/such/place")


def test_ranking_says_what_fits() -> None:
    def offer(version: str, **more: object) -> Offer:
        return Offer(place="p", name=f"m-{version}.zip", version=version, **more)  # type: ignore[arg-type]

    offers = [
        offer("1.1", platform="windows x86_64"),
        offer("1.1", platform="linux x86_64", digest="a", outlet=1),
        offer("1.1", platform="linux x86_64", digest="b", outlet=2),
        offer("0.9"),
    ]
    ranked = rank(offers, installed="1.0", platform="linux x86_64")
    assert [r.waits for r in ranked] == [False, True, True, False]
    assert "another place has other bytes under this name" in ranked[1].says
    held = rank(offers, installed="1.0", platform="linux x86_64", hold=Hold(beyond="1.0"))
    assert not any(r.waits for r in held)
    assert not any(
        r.waits for r in rank(offers, installed="1.0", platform="linux x86_64", dismissed=frozenset({"1.1"}))
    )


@pytest.mark.parametrize(
    ("hold", "version", "forbids"),
    [
        (Hold(beyond="1.12"), "1.13", True),
        (Hold(beyond="1.12"), "1.12", False),
        (Hold(beyond=""), "9", True),
        (Hold(beyond="1.12", until="1.14"), "1.14", False),
        (Hold(beyond="1.12", until="1.14"), "1.13", True),
    ],
)
def test_holds(hold: Hold, version: str, forbids: bool) -> None:
    assert hold.forbids(Version.parse(version)) is forbids


def test_a_hold_blocks_and_can_be_passed_knowingly(following: Mock) -> None:
    following.bench.outlets.hold(following.install, "1.0", "the mod is not ready", "1.2")
    following.arrive(release("1.1"))
    plan = following.plan()
    assert [b.code for b in plan.blockers] == ["held"] and "the mod is not ready" in plan.blockers[0].says
    assert following.update(allowed=["held"]).proof.verdict is Verdict.INTACT
    following.bench.outlets.release_hold(following.install)


def test_notes_of_every_kind() -> None:
    text = as_text(
        "<h2>New</h2><ul><li>One <b>thing</b></li><li>Two</li></ul><script>x()</script><p>End", "html"
    )
    assert [line for line in text.splitlines() if line] == ["# New", "- One thing", "- Two", "End"]
    assert as_text("  plain ", "text") == "plain"
    touch = Touch(names={"salt road": "you have it"}, settings={"tape.speed": "fast"})
    lines = read_notes(
        [
            (
                "1.1",
                "# Head\n- Salt Road runs\n- tape.speed2 is new\n- a known bug: it crashes\n- "
                "saves moved to x\n",
            )
        ],
        touch,
    )
    assert [line.why for line in lines] == [
        "",
        "you have it",
        "",
        "a fault that they noted",
        "it may be something of yours",
    ]


@pytest.mark.parametrize(
    "data", [b"", b"<html/>", b"<feed", b'<!DOCTYPE x [<!ENTITY e SYSTEM "file:///etc/passwd">]><x>&e;</x>']
)
def test_what_is_no_feed_is_refused(data: bytes) -> None:
    with pytest.raises(LeftIntactError) as error:
        read_feed(data, "http://here/feed")
    assert error.value.code == "bad-feed"


def _fetched(mock: Mock, version: str = "1.1", **more: object) -> object:
    mock.bench.outlets.look_for_news()
    return mock.bench.outlets.fetch(mock.install, mock.bench.outlets.offer_of(mock.install, version), **more)  # type: ignore[arg-type]


def test_fetching_goes_on_after_drops_and_ends_in_an_update(following: Mock, outlet: OutletServer) -> None:
    outlet.drops = 2
    got = _fetched(following)
    assert Path(got.path).name == "mocklet-1.1.zip" and sum("gone on" in s for s in got.says) == 2  # type: ignore[attr-defined]
    answers = [status for path, status, _ in outlet.log if path.startswith("/files/")]
    assert answers == [200, 206, 206]
    again = _fetched(following)
    assert again.says == ("fetched before",)  # type: ignore[attr-defined]
    waiting = following.bench.shelf.rows()[0].waiting
    assert waiting == (got.path, "1.1")  # type: ignore[attr-defined]
    following.next = Path(got.path)  # type: ignore[attr-defined]
    assert following.update().proof.verdict is Verdict.INTACT


def test_wrong_bytes_are_never_used(following: Mock, outlet: OutletServer) -> None:
    outlet.wrong = True
    with pytest.raises(LeftIntactError) as error:
        _fetched(following)
    assert error.value.code == "wrong-digest" and following.bench.shelf.rows()[0].waiting is None
    outlet.wrong = False
    _fetched(following)
    assert following.bench.shelf.rows()[0].waiting is not None


def test_a_stop_keeps_what_came_and_goes_on(following: Mock, outlet: OutletServer) -> None:
    token = CancelToken()

    def report(progress: Progress) -> None:
        if progress.stage == "fetching":
            token.cancel()

    with pytest.raises(LeftIntactError) as error:
        _fetched(following, report=report, cancel=token)
    assert error.value.code == "stopped" and following.bench.shelf.rows()[0].waiting is None
    _fetched(following)
    assert any(status == 206 for _, status, _ in outlet.log)


def test_too_many_drops_are_said_in_one_line(following: Mock, outlet: OutletServer) -> None:
    outlet.drops = 50
    with pytest.raises(LeftIntactError) as error:
        _fetched(following)
    assert error.value.code == "fetch-failed" and "try again" in error.value.line()


def test_a_redirect_elsewhere_is_said_and_a_stale_place_shown(
    following: Mock, outlet: OutletServer, tmp_path: Path
) -> None:
    other = OutletServer(outlet.folder).start()
    outlet.redirect_to = other.url
    got = _fetched(following)
    assert any(s.startswith("redirected to 127.0.0.1") for s in got.says)  # type: ignore[attr-defined]
    other.shutdown()
    other.server_close()
    outlet.stale = True
    news = following.bench.outlets.look_for_news()[0]
    assert "1.2-beta1" not in [r.offer.version for r in news.ranked]


def test_no_room_and_no_file_are_one_line(following: Mock, tmp_path: Path) -> None:
    huge = Offer(place="http://127.0.0.1:1/x.zip", name="x.zip", version="1", bytes=1 << 60)
    with pytest.raises(LeftIntactError) as error:
        fetch(huge, str(tmp_path / "into"))
    assert error.value.code == "no-room"
    with pytest.raises(LeftIntactError) as error:
        fetch(Offer(place=str(tmp_path / "gone.zip"), name="gone.zip", version="1"), str(tmp_path / "into"))
    assert error.value.code == "fetch-failed"


def test_not_this_one_is_remembered(following: Mock) -> None:
    following.bench.outlets.look_for_news()
    following.bench.outlets.dismiss(following.install, "1.1")
    assert following.bench.outlets.news(following.install).best.offer.version == "1.0.5"  # type: ignore[union-attr]
    following.bench.outlets.dismiss(following.install, "1.1", again=True)
    assert following.bench.outlets.news(following.install).best.offer.version == "1.1"  # type: ignore[union-attr]


# ---------------------------------------------------------------- packs


@pytest.fixture
def packed(mock: Mock, tmp_path: Path) -> Iterator[tuple[Mock, OutletServer]]:
    mock.edit({f"games/g{n:02}.cart": bytes([n]) * 3000 for n in range(20)})
    folder = tmp_path / "packs"
    folder.mkdir()
    with zipfile.ZipFile(folder / "pack.zip", "w", zipfile.ZIP_STORED) as archive:
        archive.writestr("pack-1.1/changed/read me.txt", "hello")
        for number in range(90):
            fresh = (
                bytes([number % 250]) * (3000 if number != 5 else 2900)
                if number not in (3, 7, 9)
                else bytes([200]) * 3100
            )
            archive.writestr(f"pack-1.1/changed/deep/g{number:02}.cart", fresh)
    (folder / "outlet.json").write_text('{"title": "x", "releases": []}')
    server = OutletServer(str(folder)).start()
    yield mock, server
    server.shutdown()
    server.server_close()


def test_only_my_share_of_a_pack_comes_over_the_wire(packed: tuple[Mock, OutletServer]) -> None:
    mock, server = packed
    before = mock.state()
    survey = mock.bench.surveys.survey(mock.install)
    view = mock.bench.outlets.pack(mock.install, f"{server.url}/files/pack.zip", survey)
    assert [line.path for line in view.of("mine")] == [
        "games/g03.cart",
        "games/g05.cart",
        "games/g07.cart",
        "games/g09.cart",
    ]
    assert len(view.of("same")) == 16 and len(view.of("lacking")) == 70 and len(view.of("other")) == 1
    plan = mock.bench.outlets.pack_plan(mock.install, view, survey)
    wire = sum(size for _, _, size in server.log)
    with zipfile.ZipFile(Path(server.folder, "pack.zip")) as archive:
        directory = Path(server.folder, "pack.zip").stat().st_size - archive.start_dir
    assert wire <= 1.1 * view.share_bytes + directory + 1024, (wire, view.share_bytes, directory)
    assert wire < 0.15 * view.pack_bytes
    outcome = mock.bench.updates.update(plan, mock.install)
    assert outcome.proof.verdict is Verdict.INTACT and outcome.proof.counts[Verb.REPLACE] == 4
    assert (mock.root / "games/g03.cart").read_bytes() == bytes([200]) * 3100
    mock.bench.updates.back.go(mock.install)
    assert mock.state() == before


def test_a_local_pack_with_what_is_lacking(packed: tuple[Mock, OutletServer]) -> None:
    mock, server = packed
    survey = mock.bench.surveys.survey(mock.install)
    view = mock.bench.outlets.pack(mock.install, str(Path(server.folder, "pack.zip")), survey)
    lacking = [line.member for line in view.of("lacking")][:2]
    plan = mock.bench.outlets.pack_plan(mock.install, view, survey, with_lacking=lacking)
    assert plan.count(Verb.ADD) == 2 and plan.change_sets[0].shipped.kind is LayerKind.PACK
    mock.bench.surveys.set_baseline(mock.install, str(mock.base))
    assert mock.bench.updates.update(plan, mock.install).proof.verdict is Verdict.INTACT
    mock.arrive(release("1.1"))
    again = mock.bench.updates.draft(mock.install, str(mock.next)).plan()
    assert again.baseline is not None and not again.blockers
    assert all(m.verb == "keep" for m in again.moves if m.at.shown.startswith("games/"))


def test_packs_that_are_none(packed: tuple[Mock, OutletServer], tmp_path: Path) -> None:
    mock, server = packed
    survey = mock.bench.surveys.survey(mock.install)
    (tmp_path / "bad.zip").write_bytes(b"PK but no")
    for place in (str(tmp_path / "bad.zip"), str(tmp_path / "none.zip"), f"{server.url}/files/none.zip"):
        with pytest.raises(LeftIntactError):
            mock.bench.outlets.pack(mock.install, place, survey)
    zipped({"x/nothing.txt": "1"}, tmp_path / "empty.zip")
    view = mock.bench.outlets.pack(mock.install, str(tmp_path / "empty.zip"), survey)
    with pytest.raises(LeftIntactError) as error:
        mock.bench.outlets.pack_plan(mock.install, view, survey)
    assert error.value.code == "nothing-in-it"


def test_the_stand_in_keeps_to_its_folder(outlet: OutletServer, tmp_path: Path) -> None:
    import httpx

    plant(tmp_path, {"secret.txt": "x"}, mtime=LATER)
    assert httpx.get(f"{outlet.url}/files/..%2Fsecret.txt").status_code == 404
    assert httpx.get(f"{outlet.url}/nowhere").status_code == 404
    with pytest.raises(ValueError, match="no fault"):
        OutletServer(outlet.folder, 0, "tantrum")


def test_packs_that_are_folders_or_other_archives(packed: tuple[Mock, OutletServer], tmp_path: Path) -> None:
    from tests.builders import tarred

    mock, _ = packed
    survey = mock.bench.surveys.survey(mock.install)
    inside = {
        "a pack/new/g03.cart": bytes([9]) * 50,
        "a pack/new/g04.cart": bytes([4]) * 3000,
        "a pack/read me.txt": b"hi",
    }
    for place in (
        plant(tmp_path / "as folder", dict(inside)),
        tarred(dict(inside), tmp_path / "as.tar.gz", "w:gz"),
    ):
        view = mock.bench.outlets.pack(mock.install, str(place), survey)
        assert [line.path for line in view.of("mine")] == ["games/g03.cart"] and len(view.of("same")) == 1
        plan = mock.bench.outlets.pack_plan(mock.install, view, survey)
        assert [m.at.shown for m in plan.changes] == ["games/g03.cart"]


def test_a_slow_place_is_waited_for_and_a_sums_file_beside_counts(
    following: Mock, outlet: OutletServer, tmp_path: Path
) -> None:
    outlet.slow = True
    seen: list[int] = []
    name = "mocklet-1.1.zip"
    digest = sha256_of(str(Path(outlet.folder, name)))
    Path(outlet.folder, "SHA256SUMS").write_text(f"{digest}  {name}\n{'0' * 64}  other.zip\n")
    offer = Offer(place=f"{outlet.url}/files/{name}", name=name, version="1.1")
    got = fetch(offer, str(tmp_path / "into"), report=lambda p: seen.append(p.done))
    assert (
        got.digest == digest
        and any("checked against" in s for s in got.says)
        and seen == sorted(seen)
        and len(seen) > 1
    )
    Path(outlet.folder, "SHA256SUMS").write_text(f"{'0' * 64}  {name}\n")
    with pytest.raises(LeftIntactError) as error:
        fetch(offer, str(tmp_path / "again"))
    assert error.value.code == "wrong-digest"
