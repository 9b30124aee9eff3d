"""The report of an update, read as in ten years: the text of the PDF, the JSON, and the copies."""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path

import pytest
from blake3 import blake3
from pypdf import PdfReader

from left_intact.charts.report import write_report
from left_intact.core.model.account import Account
from left_intact.core.model.errors import LeftIntactError
from left_intact.core.model.place import At
from left_intact.words import size
from tests.builders import Mock, release
from tests.charts.test_figures import ODD
from tests.cli.test_commands import Line, line

__all__ = ["line"]


@pytest.fixture
def updated(mock: Mock) -> Mock:
    mock.edit({"mocklet.ini": "[video]\nsmooth = off\nscale = 2\n\n[sound]\nrate = 44100\n"})
    arriving = release("1.1") | {
        "mocklet.ini": "[video]\nsmooth = on\nscale = 2\n\n[sound]\nrate = 48000\n\n[pad]\nspeed = 1\n"
    }
    mock.arrive(arriving)
    mock.update()
    return mock


def text_of(path: Path) -> str:
    return " ".join(" ".join(page.extract_text().split()) for page in PdfReader(path).pages)


def account_of(mock: Mock) -> Account:
    return mock.bench.accounts.of(mock.install)


def test_the_pdf_says_what_was_done(updated: Mock, tmp_path: Path) -> None:
    account = account_of(updated)
    said = text_of(Path(write_report(account, str(tmp_path / "it.pdf"))))
    for words in (
        "Mocklet: update 1.0 → 1.1",
        f"Verdict: {account.verdict}",
        "sound.rate",
        "44100",
        f"{len(account.set_aside)} files, {size(sum(one.bytes for one in account.set_aside))}",
        "mocklet-ini-sound-rate",
        "left-intact go-back",
        "contents.tsv",
    ):
        assert words in said, words
    for kept in account.kept:
        assert kept.digest in said.replace(" ", ""), kept


def test_the_json_leads_to_every_copy_without_anything_of_ours(updated: Mock, tmp_path: Path) -> None:
    record = json.loads(Path(write_report(account_of(updated), str(tmp_path / "it.json"))).read_text())
    assert record["account"] == 1 and record["set_aside"]
    for one in record["set_aside"]:
        data = (Path(record["strongbox"]) / one["copy"]).read_bytes()
        assert blake3(data).hexdigest() == one["digest"] and len(data) == one["bytes"]
    for kept in record["kept"]:
        lines = []
        for path in sorted(p for p in updated.root.rglob("*") if p.is_file()):
            lines.append((path.relative_to(updated.root).as_posix(), blake3(path.read_bytes()).hexdigest()))
        if kept["class"] == "saves":
            mine = sorted((p, d) for p, d in lines if p.startswith("saves/"))
            listed = "".join(f"{digest}  {path}\n" for path, digest in mine)
            assert kept["digest"] == blake3(listed.encode()).hexdigest() and kept["files"] == len(mine)


def test_of_what_was_let_go_of_the_report_says_so(updated: Mock, tmp_path: Path) -> None:
    bench = updated.bench
    for number in (2, 3):
        bench.updates.settle(updated.install)
        updated.arrive(release(f"1.{number}"), f"mocklet-1.{number}")
        updated.update()
    bench.updates.settle(updated.install)
    first, last = bench.accounts.of(updated.install, 1), bench.accounts.of(updated.install)
    assert not first.is_whole and first.verdict and last.is_whole
    says = "not on record any more"
    assert says in text_of(Path(write_report(first, str(tmp_path / "first.pdf"))))
    assert says not in text_of(Path(write_report(last, str(tmp_path / "last.pdf"))))


def test_the_same_gives_the_same_pdf(updated: Mock, tmp_path: Path) -> None:
    files = [Path(write_report(account_of(updated), str(tmp_path / f"{n}.pdf"))).read_bytes() for n in "ab"]
    assert files[0] == files[1]


@pytest.mark.parametrize("odd", ODD)
def test_names_of_any_letters_and_length_are_written(updated: Mock, tmp_path: Path, odd: str) -> None:
    account = account_of(updated)
    aside = tuple(replace(one, at=At("", odd)) for one in account.set_aside)
    account = replace(account, install=odd, root=odd, from_version=odd, set_aside=aside, ticked=(odd,))
    assert len(PdfReader(write_report(account, str(tmp_path / "it.pdf"))).pages) >= 1
    assert json.loads(Path(write_report(account, str(tmp_path / "it.json"))).read_text())["install"] == odd


def test_an_older_one_by_its_number_and_one_that_is_not_there(
    line: Line, updated: Mock, tmp_path: Path
) -> None:
    updated.bench.updates.back.go(updated.install)
    out, _ = line("report", str(updated.root), str(tmp_path / "it.json"), "--update", "1")
    assert str(tmp_path / "it.json") in out
    assert json.loads((tmp_path / "it.json").read_text())["state"] == "gone-back"
    line("report", str(updated.root), str(tmp_path / "last.json"))
    assert json.loads((tmp_path / "last.json").read_text())["kind"] == "back"
    with pytest.raises(LeftIntactError) as error:
        updated.bench.accounts.of(updated.install, 9)
    assert error.value.code == "no-such-update"
    with pytest.raises(LeftIntactError) as error:
        write_report(account_of(updated), str(tmp_path / "it.txt"))
    assert error.value.code == "bad-report"
