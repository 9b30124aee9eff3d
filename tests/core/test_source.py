"""What the source may not say."""

from __future__ import annotations

import ast
from collections.abc import Iterator
from functools import cache
from pathlib import Path

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


@cache
def _tree(path: Path) -> ast.Module:
    return ast.parse(path.read_text())


@cache
def _nodes(path: Path) -> list[ast.AST]:
    return list(ast.walk(_tree(path)))


@cache
def _calls(path: Path) -> list[tuple[str, str, int]]:
    """(module or object, function, line) of every call through a name."""
    found = []
    for node in _nodes(path):
        if isinstance(node, ast.Call) and isinstance(node.func, ast.Attribute):
            owner = node.func.value
            found.append((owner.id if isinstance(owner, ast.Name) else "", node.func.attr, node.lineno))
    return found


def test_nobody_removes_anything() -> None:
    """Only places remove, and only where they are our own; the demo its own folder."""
    found = [
        (path, name, line)
        for path in FILES
        if path != DISK and path not in OWN_FOLDERS
        for owner, name, line in _calls(path)
        if name in REMOVES and owner in ("os", "shutil", "pathlib", "path")
    ]
    assert not found


def test_only_carrying_moves_and_links() -> None:
    found = [
        (path, name, line)
        for path in FILES
        if path not in OURS and path not in OWN_FOLDERS
        for owner, name, line in _calls(path)
        if owner in ("os", "shutil") and name in WRITES
    ]
    assert not found


def test_every_module_says_why_it_exists() -> None:
    assert not [path for path in FILES if not ast.get_docstring(_tree(path))]


def test_no_function_is_a_page_long() -> None:
    long = []
    for path in FILES:
        for node in _nodes(path):
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
        for node in _tree(path).body:
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
    for node in _nodes(path):
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


def test_the_formatter_is_not_kept_off() -> None:
    for path in FILES:
        text = path.read_text()
        assert "fmt: skip" not in text and "fmt: off" not in text, path


# ---------------------------------------------------------------- what tests may not hold

TESTS = Path(__file__).parents[1]
REACHES_BELOW = {TESTS / "disks.py", TESTS / "conftest.py", TESTS / "torture/power.py"}
"""What makes disks fail, clocks stand and power go: all else asks of plans, trees, journals and words."""
REGISTRIES = {"ROUTES", "FORMATS"}
"""Made to be added to, by tests too."""


def test_no_test_holds_the_inside_of_the_code() -> None:
    """No private name of ours, no stand-in for a value of ours, nothing of ours patched: such a test says how
    something is done, and stands in the way when it is done better.
    """
    found = [
        f"{path.relative_to(TESTS)}:{line}: {what}"
        for path in sorted(TESTS.rglob("*.py"))
        if path not in REACHES_BELOW
        for line, what in _inside(_tree(path))
    ]
    assert not found


def _inside(tree: ast.Module) -> Iterator[tuple[int, str]]:
    ours: set[str] = set()
    for node in ast.walk(tree):
        if isinstance(node, ast.ImportFrom):
            names = [alias.name for alias in node.names]
            if (node.module or "").startswith("left_intact"):
                ours |= {alias.asname or alias.name for alias in node.names}
                yield from ((node.lineno, name) for name in names if _is_private(name))
            if "SimpleNamespace" in names:
                yield node.lineno, "SimpleNamespace"
    for node in ast.walk(tree):
        if isinstance(node, ast.Attribute) and _is_private(node.attr) and _owner(node) in ours:
            yield node.lineno, ast.unparse(node)
        patched = _patched(node)
        if patched is not None and _owner(patched[0]) in ours and patched[1] not in REGISTRIES:
            yield getattr(node, "lineno", 0), f"{ast.unparse(patched[0])}.{patched[1]} is patched"


def _is_private(name: str) -> bool:
    return name.startswith("_") and not name.startswith("__") and name != "_replace"


def _owner(node: ast.expr) -> str:
    while isinstance(node, ast.Attribute):
        node = node.value
    return node.id if isinstance(node, ast.Name) else ""


def _patched(node: ast.AST) -> tuple[ast.expr, str] | None:
    """What has an attribute exchanged, and which one."""
    if isinstance(node, ast.Call) and isinstance(node.func, (ast.Attribute, ast.Name)) and len(node.args) > 1:
        called = node.func.attr if isinstance(node.func, ast.Attribute) else node.func.id
        if called in ("setattr", "delattr") and isinstance(node.args[1], ast.Constant):
            return node.args[0], str(node.args[1].value)
    if isinstance(node, ast.Assign) and isinstance(node.targets[0], ast.Attribute):
        return node.targets[0].value, node.targets[0].attr
    return None
