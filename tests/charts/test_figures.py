"""Figures are read as anybody else would read them: the shapes of the SVG, the text of the PDF."""

from __future__ import annotations

import errno
import re
import warnings
import xml.etree.ElementTree as ET
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import pytest

from left_intact.charts import registry
from left_intact.charts.composition import draw_composition
from left_intact.charts.paper import fitted, text_width, write
from left_intact.charts.shapes import Box, Label, Page
from left_intact.charts.shelf import draw_shelf
from left_intact.charts.subject import Subject, today
from left_intact.core.model.errors import LeftIntactError, Misuse
from left_intact.core.model.install import Install
from left_intact.core.model.waits import Waits
from left_intact.presentation.views import plan_view
from left_intact.words import size
from left_intact.workbench import MADE_BY, ShelfRow, Workbench, write_out
from tests import disks
from tests.builders import Mock, release
from tests.cli.test_commands import Line, line
from tests.routes.handhelds import Console
from tests.routes.test_at_once import SCENES

__all__ = ["line"]

SVG = "{http://www.w3.org/2000/svg}"
DATE = "2031-05-06"
ODD = ("ὅρμος " * 50, "מעגן " * 60, "$x^2$ & <b>", "\u202eharbour", "a" * 300, "港 \U0001f6a2")


@pytest.fixture
def played(mock: Mock) -> Mock:
    """An install with two updates, one of them taken back, and one that waits."""
    mock.arrive(release("1.1"))
    mock.update()
    mock.bench.updates.back.go(mock.install)
    mock.update()
    mock.arrive(release("1.2"), "mocklet-1.2")
    mock.bench.surveys.survey(mock.install)
    mock.bench.shelf.set_waiting(mock.install, mock.bench.surveys.arrival(mock.install, str(mock.next)))
    return mock


def subject(mock: Mock, date: str = DATE, **more: Any) -> Subject:
    return Subject(bench=mock.bench, install=mock.install, date=date, **more)


def drawn(mock: Mock, figure: str, path: Path, **more: Any) -> ET.Element:
    registry.draw(subject(mock, **more), figure, str(path))
    return ET.parse(path).getroot()


def texts(svg: ET.Element) -> list[str]:
    return ["".join(one.itertext()) for one in svg.iter(f"{SVG}text")]


def area(svg: ET.Element, id: str) -> float:
    """Of the first shape of a group, by its corners."""
    (group,) = (one for one in svg.iter(f"{SVG}g") if one.get("id") == id)
    path = next(group.iter(f"{SVG}path")).get("d", "")
    corners = [tuple(map(float, pair)) for pair in re.findall(r"[ML] (-?[\d.]+) (-?[\d.]+)", path)]
    pairs = zip(corners, corners[1:] + corners[:1], strict=True)
    return abs(sum(x * b - a * y for (x, y), (a, b) in pairs)) / 2


@pytest.mark.parametrize("unit", ["bytes", "files"])
def test_areas_are_true_and_every_number_is_one_of_the_surveys(
    played: Mock, tmp_path: Path, unit: str
) -> None:
    svg = drawn(played, "composition", tmp_path / "it.svg", unit=unit)
    survey = played.bench.surveys.survey(played.install)
    totals = {kind: total for kind, total in survey.totals().items() if total.files}
    ids = [one.get("id", "") for one in svg.iter(f"{SVG}g") if one.get("id", "").startswith("area-")]
    by_class: dict[str, float] = {}
    for id in ids:
        by_class[id.rsplit("-", 1)[1]] = by_class.get(id.rsplit("-", 1)[1], 0.0) + area(svg, id)
    whole = sum(by_class.values())
    amounts = {kind: total.bytes if unit == "bytes" else total.files for kind, total in totals.items()}
    assert by_class.keys() == {kind.value for kind, amount in amounts.items() if amount}
    for kind, amount in amounts.items():
        share = amount / sum(amounts.values())
        assert by_class.get(kind.value, 0.0) / whole == pytest.approx(share, rel=0.01)
    said = " ".join(texts(svg))
    assert DATE in said and "Mocklet 1.1" in said
    for total in totals.values():
        files = "1 file" if total.files == 1 else f"{total.files:,} files"
        assert f"{files}, {size(total.bytes)}" in said


def test_bars_of_a_proof_are_true(played: Mock, tmp_path: Path) -> None:
    svg = drawn(played, "proof", tmp_path / "it.svg")
    ledger = {line["class"]: line for line in played.bench.updates.last_proof(played.install)["ledger"]}
    content = area(svg, "before-content")
    for kind in ("saves", "states"):
        for when in ("before", "after"):
            share = ledger[kind][when]["bytes"] / ledger["content"]["before"]["bytes"]
            assert area(svg, f"{when}-{kind}") / content == pytest.approx(share, rel=0.01)
    said = texts(svg)
    assert "intact" in said[0] and any("each with the digest it had" in text for text in said)


def test_the_crossing_has_every_lane_of_the_plan(played: Mock, tmp_path: Path) -> None:
    from left_intact.presentation.crossing import lanes_of

    said = texts(drawn(played, "crossing", tmp_path / "it.svg"))
    plan = played.bench.updates.draft(played.install, str(played.next)).plan()
    for lane in lanes_of(plan):
        assert lane.says in said and lane.label in said
        assert not lane.now.files or f"{lane.now.files:,}  {size(lane.now.bytes)}" in said


@pytest.mark.parametrize("route", SCENES)
def test_the_crossing_of_what_was_carried_out_is_what_lies_there_now(tmp_path: Path, route: str) -> None:
    home, name, plan, roots = SCENES[route](tmp_path / "all")
    bench = Workbench(home)
    install = bench.shelf.known(name)
    before = files_below(roots[0])
    if route == "clear and restore":
        Console(tmp_path / "by hand").whole()
        bench = Workbench(str(tmp_path / "by hand" / "home"))
    else:
        bench.updates.update(plan, install)
    install = bench.shelf.known(name)
    run, done = bench.accounts.as_carried_out(install)
    view = plan_view(done)
    assert (run.from_version, run.to_version, view.route) == (
        plan.from_version,
        plan.to_version,
        plan.route,
    )
    if route != "side by side":  # there the two sides are two folders
        assert sum(lane.now.files for lane in view.lanes if not lane.key.startswith("left out")) == before
    stays = [lane for lane in view.lanes if lane.after_label != "strongbox"]
    assert sum(lane.after.files for lane in stays) == files_below(Path(install.root))
    of = Subject(bench=bench, install=install, date=DATE, number=run.id)
    said = texts(ET.fromstring(Path(registry.draw(of, "crossing", str(tmp_path / "it.svg"))).read_text()))
    assert any("carried out" in text for text in said) and "what happened" in said


def files_below(root: Path) -> int:
    return sum(path.is_file() for path in root.rglob("*"))


def test_the_year_has_a_stroke_for_each_update_and_going_back(played: Mock, tmp_path: Path) -> None:
    svg = drawn(played, "shelf", tmp_path / "it.svg", date=today())
    strokes = [one.get("id", "") for one in svg.iter(f"{SVG}g") if one.get("id", "").startswith("year-")]
    assert len(strokes) == 3 and "3 updates and goings back" in texts(svg)
    assert not [text for text in texts(drawn(played, "shelf", tmp_path / "it.svg")) if "over a year" in text]


def test_history_names_every_run(played: Mock, tmp_path: Path) -> None:
    said = texts(drawn(played, "history", tmp_path / "it.svg"))
    assert said.count("1.0 → 1.1") == 2 and "back to 1.0" in said and said.count("intact") == 3
    held = played.bench.keeping.look(played.install).bytes
    assert any(f"the strongbox holds {size(held)}" in text for text in said)


@pytest.mark.parametrize("figure", registry.FIGURES)
def test_nothing_is_cut_and_no_text_lies_on_another(played: Mock, figure: str) -> None:
    assert_sound(registry.FIGURES[figure](subject(played)))


def test_names_of_any_letters_and_length_keep_to_their_place(tmp_path: Path) -> None:
    summary = {"totals": {"saves": {"files": 3, "bytes": 40_000}}}
    rows = [
        ShelfRow(
            install=Install(id=number, name=name, root=name, role="", added=0.0),
            summary={"version": name, **summary},
            arrivals=(Waits(path=name, version=name, channel="stable", since=0.0),),
        )
        for number, name in enumerate(ODD * 4)
    ]
    pages = draw_shelf(rows, {}, date=DATE)
    assert len(pages) > 1
    assert_sound(pages)
    warnings.simplefilter("error")  # nobody wants to read which letters a font lacks
    for ending in ("svg", "pdf"):
        assert Path(write(pages, str(tmp_path / f"odd.{ending}"))).stat().st_size


def assert_sound(pages: Sequence[Page]) -> None:
    for page in pages:
        places = []
        for item in page.items:
            if isinstance(item, Box):
                assert item.x >= 0 and item.x + item.width <= page.width + 0.01, item
                assert item.y >= 0 and item.y + item.height <= page.height + 0.01, item
            elif isinstance(item, Label) and item.text:
                wide = text_width(item.text, item.points, bold=item.bold)
                left = item.x - {"left": 0.0, "center": wide / 2, "right": wide}[item.anchor]
                assert left >= 0 and left + wide <= page.width, item
                assert item.points <= item.y <= page.height - 2, item
                places.append((left, left + wide, item.y - item.points * 0.7, item.y, item))
        for number, (left, right, top, bottom, item) in enumerate(places):
            for a, b, c, d, other in places[number + 1 :]:
                apart = right <= a or b <= left or bottom <= c or d <= top
                assert apart or item == other, (item, other)


def test_a_text_is_never_wider_than_its_room() -> None:
    for text in (*ODD, "", "harbour"):
        for room in (0.0, 3.0, 20.0, 90.0, 400.0):
            assert text_width(fitted(text, room)) <= room


def test_text_stays_text_and_letters_are_embedded(played: Mock, tmp_path: Path) -> None:
    drawn(played, "composition", tmp_path / "it.svg")
    assert "font/woff;base64," in (tmp_path / "it.svg").read_text()
    registry.draw(subject(played), "composition", str(tmp_path / "it.pdf"))
    from pypdf import PdfReader

    (page,) = PdfReader(tmp_path / "it.pdf").pages
    said = page.extract_text()
    assert "Mocklet 1.1" in said and "areas are true to bytes" in said and DATE in said
    fonts = [font.get_object() for font in page["/Resources"]["/Font"].values()]  # type: ignore[index]
    assert fonts and all("/FontFile2" in str(font) or "/DescendantFonts" in font for font in fonts)


@pytest.mark.parametrize("ending", ["svg", "pdf"])
def test_the_same_gives_the_same_file(played: Mock, tmp_path: Path, ending: str) -> None:
    survey = played.bench.surveys.survey(played.install)
    files = []
    for name in ("one", "two"):
        pages = draw_composition(survey, name="Mocklet", date=DATE)
        files.append(Path(write(pages, str(tmp_path / f"{name}.{ending}"))).read_bytes())
    assert files[0] == files[1]


def test_figures_that_cannot_be_drawn_are_refused_in_a_line(mock: Mock, tmp_path: Path) -> None:
    for figure, path, code in (
        ("nothing", "it.svg", "unknown-figure"),
        ("composition", "it.png", "bad-figure"),
        ("composition", "no/such/folder/it.svg", "disk"),
        ("crossing", "it.svg", "nothing-to-draw"),
        ("proof", "it.svg", "nothing-to-prove"),
    ):
        with pytest.raises((LeftIntactError, Misuse)) as error:
            registry.draw(subject(mock), figure, str(tmp_path / path))
        assert error.value.code == code and "\n" not in error.value.line()


def test_what_a_person_has_is_never_written_over(played: Mock, tmp_path: Path) -> None:
    mine = tmp_path / "config.svg"
    mine.write_bytes(b"<svg>mine, for ten years</svg>")
    with pytest.raises(LeftIntactError) as error:
        registry.draw(subject(played), "history", str(mine))
    assert error.value.code == "in-the-way" and mine.read_bytes() == b"<svg>mine, for ten years</svg>"
    (tmp_path / "link.svg").symlink_to(mine)
    with pytest.raises(LeftIntactError):
        registry.draw(subject(played), "history", str(tmp_path / "link.svg"))
    for ending in ("svg", "pdf"):  # what is ours is made anew
        for date in (DATE, "2032-01-01"):
            registry.draw(subject(played, date), "history", str(tmp_path / f"it.{ending}"))
    assert "2032-01-01" in (tmp_path / "it.svg").read_text()


@pytest.mark.parametrize("ending", ["svg", "pdf"])
def test_a_figure_that_the_person_changed_is_theirs(played: Mock, tmp_path: Path, ending: str) -> None:
    target = tmp_path / f"it.{ending}"
    registry.draw(subject(played), "history", str(target))
    data = target.read_bytes()
    for changed in (
        data + b"mine",
        data.replace(b"Left Intact", b"Left intact"),
        b"Left Intact is what I use",
    ):
        target.write_bytes(changed)
        with pytest.raises(LeftIntactError) as error:
            registry.draw(subject(played), "history", str(target))
        assert error.value.code == "in-the-way" and target.read_bytes() == changed


def test_what_cannot_be_written_whole_leaves_what_was_there(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    target = str(tmp_path / "it.svg")
    write_out(target, f"{MADE_BY}, the first".encode(), "figure")
    with monkeypatch.context() as patch:
        patch.setattr("os.fsync", disks.fails(errno.ENOSPC))
        with pytest.raises(LeftIntactError) as error:
            write_out(target, f"{MADE_BY}, the second".encode(), "figure")
    assert error.value.code == "disk" and b", the first" in Path(target).read_bytes()
    assert [path.name for path in tmp_path.iterdir()] == ["it.svg"]


def test_the_command_says_what_it_wrote(line: Line, played: Mock, tmp_path: Path) -> None:
    target = tmp_path / "it.svg"
    out, _ = line("draw", str(played.root), "history", str(target))
    assert f"{target}, {size(target.stat().st_size)}" in out
    _, err = line("draw", str(played.root), "portrait", str(target), code=2)
    assert "there is no figure portrait" in err
