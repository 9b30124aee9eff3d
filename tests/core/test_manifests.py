"""Versions from what packages write about themselves, and from nothing that is the person's."""

from __future__ import annotations

import gzip
from pathlib import Path

import pytest

from left_intact.core.files.manifests import bare_name, kind_of, manifests_in, read_manifests
from left_intact.core.files.tree import read_tree, text_reader
from left_intact.core.files.versions import read_binaries, read_versions
from left_intact.core.model.entry import Entry
from left_intact.core.survey.inputs import SurveyInputs
from left_intact.core.survey.lists import parse_list
from left_intact.core.survey.read import survey_install
from left_intact.demo.binaries import elf
from tests.builders import LATER, Tree, plant, release


def version_of(root: Path, name: str = "lanternkit") -> str:
    return survey_install(str(root), SurveyInputs(), name=name)[0].version_text


@pytest.mark.parametrize(
    ("path", "text", "version"),
    [
        ("lanternkit-4.2.dist-info/METADATA", "Name: lanternkit\nVersion: 4.2\n", "4.2"),
        ("lib/lanternkit.egg-info/PKG-INFO", "Name: Lantern-Kit\nVersion: 4.2rc1\n", "4.2rc1"),
        ("package.json", '{"name": "@pier/lanternkit", "version": "4.2.0"}', "4.2.0"),
        ("lib/lanternkit/composer.json", '{"name": "pier/lanternkit", "version": "4.2"}', "4.2"),
        ("usr/lib/lanternkit/application.ini", "[App]\nName=LanternKit\nVersion=4.2\n", "4.2"),
        (
            "share/metainfo/kit.metainfo.xml",
            "<component><name>LanternKit</name><releases>"
            '<release version="4.2" date="2024-01-01"/><release version="4.1"/></releases></component>',
            "4.2",
        ),
        ("lib/pkgconfig/lanternkit.pc", "Name: lanternkit\nVersion: 4.2\n", "4.2"),
        ("lanternkit/__init__.py", '"""Kit."""\n__version__ = "4.2"\n', "4.2"),
        ("lanternkit/version.py", "VERSION = (4, 2, 1)\n", "4.2.1"),
        ("include/lanternkit/version.h", '#define KIT_VERSION "4.2"\n', "4.2"),
        ("lanternkit/version.rb", 'module Kit\n  VERSION = "4.2"\nend\n', "4.2"),
        ("cmake/lanternkitConfigVersion.cmake", 'set(PACKAGE_VERSION "4.2")\n', ""),
        ("CHANGELOG.md", "# Changes\n\n## 6.3.1 - 2022-12-06\n\n- a\n\n## 6.3.0\n", "6.3.1"),
        ("CHANGES.rst", "Unreleased\n==========\n\n4.2 (March 3, 2024)\n-----\n", "4.2"),
        ("NEWS", "Version 4.2, 12.03.2024\n", "4.2"),
        ("CHANGELOG.md", "# Changes\n\n## 2024-03-12\n\n- nothing else is said\n", "2024-03-12"),
    ],
)
def test_each_says_the_version(path: str, text: str, version: str, tmp_path: Path) -> None:
    assert version_of(plant(tmp_path / "lanternkit", {path: text})) == version


def test_the_log_of_a_distribution_says_what_its_makers_call_it(tmp_path: Path) -> None:
    log = gzip.compress(b"lanternkit (2:4.2.1+repack-3~sub1) stable; urgency=low\n\n  * a\n")
    assert version_of(plant(tmp_path / "a", {"usr/share/doc/lanternkit/changelog.Debian.gz": log})) == "4.2.1"
    broken = plant(tmp_path / "b", {"usr/share/doc/lanternkit/changelog.Debian.gz": log[:20] + b"x" * 30})
    assert version_of(broken) == ""


def test_what_a_program_is_made_of_does_not_speak_for_it(tmp_path: Path) -> None:
    tree: Tree = {
        "other-9.9.dist-info/METADATA": "Name: other\nVersion: 9.9\n",
        "lib/dep/package.json": '{"name": "dep", "version": "8.8"}',
        "usr/share/doc/libdep/changelog.Debian.gz": gzip.compress(b"libdep (7.7-1) stable; urgency=low\n"),
        "dep/__init__.py": '__version__ = "6.6"\n',
    }
    assert version_of(plant(tmp_path / "p", tree)) == ""
    tree["lanternkit-1.2.dist-info/METADATA"] = "Name: lanternkit\nVersion: 1.2\n"
    assert version_of(plant(tmp_path / "q", tree)) == "1.2"


def test_two_that_disagree_say_nothing(tmp_path: Path) -> None:
    tree = {
        "a/lanternkit-1.2.dist-info/METADATA": "Name: lanternkit\nVersion: 1.2\n",
        "b/lanternkit-1.3.dist-info/METADATA": "Name: lanternkit\nVersion: 1.3\n",
    }
    root = plant(tmp_path / "p", tree)
    pages = read_tree(str(root)).pages
    assert read_manifests(("lanternkit",), manifests_in(pages), text_reader(str(root))) == ()


def test_nothing_of_the_persons_says_the_version(tmp_path: Path) -> None:
    root = plant(tmp_path / "mocklet", release("1.0"))
    plant(root, {"mods/mocklet/package.json": '{"name": "mocklet", "version": "7.0"}'}, mtime=LATER)
    survey = survey_install(str(root), SurveyInputs(), name="mocklet")[0]
    assert {r.text for r in survey.readings} == {"1.0"}


def test_a_number_in_a_path_is_no_version_and_a_damaged_binary_ends_nothing() -> None:
    for data, text in ((b"\0/usr/share/mocklet/15/extra\0", ""), (b"\0mocklet 15.2\0", "15.2")):
        binary = elf("zz", data)
        entry = Entry(path="mocklet", bytes=len(binary), format="elf x86_64")
        found = read_binaries("mocklet", {"mocklet": entry}, {"mocklet": binary}.get)
        assert [r.text for r in found] == ([text] if text else [])
    whole = elf("mocklet 3.3", b"y" * 600)
    for cut in range(16, len(whole), 7):
        broken = whole[:cut] + b"\xff" * (len(whole) - cut)
        entry = Entry(path="mocklet", bytes=len(broken), format="elf x86_64")
        read_binaries("mocklet", {"mocklet": entry}, {"mocklet": broken}.get)


def test_which_files_are_manifests() -> None:
    assert kind_of("x.dist-info", "METADATA") and not kind_of("docs", "METADATA")
    assert kind_of("a/b/c/d", "package.json") and not kind_of("a/b/c/d", "__init__.py")
    assert bare_name("@pier/Lantern-Kit 4.2") == "lanternkit"


def test_a_date_alone_is_still_a_version() -> None:
    notes = {"NEWS": Entry(path="NEWS", bytes=30, format="text plain")}
    found = read_versions("", notes, lambda path: b"# 2024-05-06\n")
    assert [(r.text, r.version.line) for r in found if r.version] == [("2024-05-06", "date")]


def test_records_of_installed_packages_are_lists() -> None:
    text = "kit/__init__.py,sha256=LCa0a2j_xo_5m0U8HTBBNBNCLXBkg7-g-YpeiGJm564,3\nkit.dist-info/RECORD,,\n"
    digest = "2c26b46b68ffc68ff99b453c1d30413413422d706483bfa0f98a5e886266e7ae"
    assert parse_list(text.encode()) == {"kit/__init__.py": digest, "kit.dist-info/RECORD": ""}
