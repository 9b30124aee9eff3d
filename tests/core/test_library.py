"""The library: what is known of installs, whatever becomes of their folders."""

from __future__ import annotations

from pathlib import Path

from tests.builders import Workbench, plant, release


def test_an_install_that_comes_to_anothers_folder_takes_over_what_was_ruled_there(tmp_path: Path) -> None:
    bench = Workbench(str(tmp_path / "home"))
    for name in ("here", "there"):
        plant(tmp_path / name, release("1.0"))
    one, other = (bench.shelf.register(str(tmp_path / name)) for name in ("here", "there"))
    bench.surveys.rule(one, "docs/", "program")
    bench.surveys.rule(other, "docs/", "extras")
    bench.surveys.rule(other, "lib/", "content")
    library = bench.updates.library
    library.set_place(one, str(tmp_path / "there"))
    (left,) = library.installs()
    assert (left.id, left.root) == (one.id, str(tmp_path / "there"))
    assert {r.pattern: r.file_class.value for r in library.rulings(left)} == {
        "docs/": "program",
        "lib/": "content",
    }
