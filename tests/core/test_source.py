"""What the source may not say."""

from __future__ import annotations

import ast
from pathlib import Path

import pytest

SOURCE = Path(__file__).parents[2] / "src" / "left_intact"
FILES = sorted(SOURCE.rglob("*.py"))
REMOVES = {"unlink", "rmtree", "remove", "rmdir", "removedirs"}
WRITES = {
    "rename",
    "renames",
    "replace",
    "link",
    "symlink",
    "truncate",
    "write_bytes",
    "write_text",
    "copyfile",
    "copytree",
    "move",
}
DISK = SOURCE / "core/files/place.py"
"""The only module that removes or renames, and only in a place that is our own, or into one."""
OURS = {DISK, SOURCE / "core/files/private.py"}
LATE = {"format.py", "manifest.py"}
"""Modules that are themselves imported only where they are used."""
OWN_FOLDERS = {SOURCE / "demo/build.py", SOURCE / "demo/planting.py", SOURCE / "standins/handheld.py"}


def _calls(path: Path) -> list[tuple[str, str, int]]:
    """(module or object, function, line) of every call through a name."""
    found = []
    for node in ast.walk(ast.parse(path.read_text())):
        if isinstance(node, ast.Call) and isinstance(node.func, ast.Attribute):
            owner = node.func.value
            found.append((owner.id if isinstance(owner, ast.Name) else "", node.func.attr, node.lineno))
    return found


@pytest.mark.parametrize("path", FILES, ids=lambda p: str(p.relative_to(SOURCE)))
def test_nobody_removes_anything(path: Path) -> None:
    """Only places remove, and only where they are our own; the demo its own folder."""
    if path == DISK or path in OWN_FOLDERS:
        return
    found = [
        (name, line)
        for owner, name, line in _calls(path)
        if name in REMOVES and owner in ("os", "shutil", "pathlib", "path")
    ]
    assert not found


@pytest.mark.parametrize("path", FILES, ids=lambda p: str(p.relative_to(SOURCE)))
def test_only_carrying_moves_and_links(path: Path) -> None:
    if path in OURS or path in OWN_FOLDERS:
        return
    found = [
        (name, line) for owner, name, line in _calls(path) if owner in ("os", "shutil") and name in WRITES
    ]
    assert not found


def test_every_module_says_why_it_exists() -> None:
    assert not [path for path in FILES if not ast.get_docstring(ast.parse(path.read_text()))]


def test_no_function_is_a_page_long() -> None:
    long = []
    for path in FILES:
        for node in ast.walk(ast.parse(path.read_text())):
            if isinstance(node, (ast.FunctionDef, ast.AsyncFunctionDef)):
                length = (node.end_lineno or 0) - node.lineno + 1
                if length > 75:
                    long.append((path.name, node.name, length))
    assert not long


def test_slow_packages_are_imported_where_they_are_used() -> None:
    slow = {
        "matplotlib",
        "httpx",
        "feedparser",
        "py7zr",
        "pefile",
        "elftools",
        "psutil",
        "pydantic",
        "lxml",
        "tree_sitter_json",
    }
    early = []
    for path in FILES:
        if path.name in LATE:
            continue
        for node in ast.parse(path.read_text()).body:
            names = (
                [a.name for a in node.names]
                if isinstance(node, ast.Import)
                else [node.module or ""]
                if isinstance(node, ast.ImportFrom)
                else []
            )
            if {n.split(".")[0] for n in names} & slow:
                early.append(path.name)
    assert not early


def _imports(path: Path) -> set[Path]:
    """The files of ours that a file imports, also where it does so only to name types, or late."""
    found = set()
    for node in ast.walk(ast.parse(path.read_text())):
        names: list[str] = []
        if isinstance(node, ast.ImportFrom) and node.module:
            names = [node.module, *(f"{node.module}.{alias.name}" for alias in node.names)]
        elif isinstance(node, ast.Import):
            names = [alias.name for alias in node.names]
        for name in names:
            file = SOURCE.parent / (name.replace(".", "/") + ".py")
            if name.startswith("left_intact") and file.is_file() and file != path:
                found.add(file)
    return found


def test_no_files_import_each_other_in_a_circle() -> None:
    graph = {path: _imports(path) for path in FILES}
    while ready := [path for path, needs in graph.items() if not needs & graph.keys()]:
        for path in ready:
            del graph[path]
    assert not graph, sorted(str(path.relative_to(SOURCE)) for path in graph)


@pytest.mark.parametrize("path", FILES, ids=lambda p: str(p.relative_to(SOURCE)))
def test_the_formatter_is_not_kept_off(path: Path) -> None:
    text = path.read_text()
    assert "fmt: skip" not in text and "fmt: off" not in text
