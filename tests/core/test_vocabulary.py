"""Every word that the survey goes by says what entitles it, and none is one program's own."""

from __future__ import annotations

import ast
import tomllib
from collections import defaultdict
from collections.abc import Iterator
from pathlib import Path

import pytest

from left_intact.core import survey

HERE = Path(survey.__file__).parent
LANGUAGES = {
    *("cs", "da", "de", "en", "es", "fi", "fr", "hu", "it", "ja", "ko", "lt"),
    *("nb", "nl", "pl", "pt", "ru", "sk", "sv", "tr", "uk", "zh"),
}
"""Source: ISO 639-1."""
MODULES = (
    "names.py",
    "spelling.py",
    "references.py",
    "candidates.py",
    "elsewhere.py",
    "finding.py",
    "drives.py",
)
Group = dict[str, object]


def groups() -> Iterator[tuple[str, Group]]:
    """(where it stands, the group) of all words in both files."""
    weights = tomllib.loads((HERE / "weights.toml").read_text("utf-8"))
    for kind in ("folder", "suffix", "stem"):
        for row in weights[kind]:
            for group in row["words"]:
                yield f"{kind} {row['class']} {row['weight']}", group
    for table, row in tomllib.loads((HERE / "vocabulary.toml").read_text("utf-8")).items():
        for group in row["words"] if isinstance(row, dict) else row:
            yield table, group


def test_each_word_says_what_entitles_it() -> None:
    """A standard by its name, the trade by what the word means there, or the language whose word it is."""
    seen = 0
    for where, group in groups():
        entitled = {"standard", "trade", "plain"} & group.keys()
        assert len(entitled) == 1, (where, group)
        by = str(group[next(iter(entitled))])
        if "plain" in group:
            assert by in LANGUAGES, (where, by)
        else:
            assert len(by) >= 3, (where, group)
        if "trade" in group:
            assert len(by.split()) >= 3, f"{where}: {by!r} does not say what it means"
            assert by not in group["names"], where
        names = group.get("names", [group.get("path")])
        assert isinstance(names, list) and names and len(names) == len(set(names)), where
        seen += len(names)
    assert seen > 900


@pytest.mark.parametrize("kind", ["folder", "suffix", "stem"])
def test_no_word_speaks_for_two_classes(kind: str) -> None:
    """But for the program's, where a word may also say that something is not its own."""
    speaks: dict[str, set[str]] = defaultdict(set)
    for where, group in groups():
        if where.startswith(f"{kind} "):
            for name in group["names"]:  # type: ignore[attr-defined]
                speaks[name].add(where.split()[1])
    assert not {name: classes for name, classes in speaks.items() if len(classes) > 1}


@pytest.mark.parametrize("module", MODULES)
def test_words_stand_where_they_are_entitled_and_nowhere_else(module: str) -> None:
    """No module of the survey that looks at names keeps a list of words of its own."""
    tree = ast.parse((HERE / module).read_text("utf-8"))
    for node in ast.walk(tree):
        if isinstance(node, (ast.Tuple, ast.List, ast.Set)):
            texts = [e.value for e in node.elts if isinstance(e, ast.Constant) and isinstance(e.value, str)]
            assert len([t for t in texts if t.strip("./ -_").isalpha()]) < 5, (
                f"{module}:{node.lineno}: {texts}"
            )
