"""Mutants: one small change to the heart at a time, and whether a test notices.

    python tools/mutants.py cover              which tests run over which line (minutes; kept in build/)
    python tools/mutants.py sound              whether those tests pass with nothing changed
    python tools/mutants.py [COUNT] [--seed N] [--guards] [--only PART] [--show] [--those FILE] [--also TESTS]

400 seeded mutants over planning, settings, carrying, proving and evidence, as a rule; `--guards` takes every
condition and every raise of the decision table and the engine instead. For each, those tests of the core, the
routes, the command line and the corpus that run over the changed line are run, the likeliest first, until one
fails. What decorators say (`frozen=True`) is left alone, and what `mutants_alike.txt` names, each with the
reason why it changes nothing that can be seen. Prints the share that was caught, and those that were not. No
package takes a seeded sample of a part against a time budget, so this is our own.
"""

from __future__ import annotations

import argparse
import ast
import gc
import hashlib
import importlib
import importlib.abc
import importlib.util
import json
import os
import random
import re
import shutil
import signal
import subprocess
import sys
import threading
import time
from collections import Counter, defaultdict
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from dataclasses import dataclass
from functools import cache
from importlib.machinery import ModuleSpec
from pathlib import Path
from types import CodeType, FunctionType, ModuleType
from typing import NoReturn

ROOT = Path(__file__).resolve().parents[1]
SOURCE = ROOT / "src" / "left_intact" / "core"
MAP = ROOT / "build" / "coverage.json"
UNSOUND = ROOT / "build" / "unsound.json"
"""Tests that fail where all is loaded and nothing is changed: they catch nothing."""
ALIKE = Path(__file__).with_name("mutants_alike.txt")
PARTS = {
    "planning": ["planning"],
    "settings": ["settings"],
    "carrying": ["carrying", "files/place.py"],
    "proving": ["proving"],
    "evidence": ["survey/classify.py", "survey/releases.py", "survey/siblings.py", "survey/references.py"],
}
TESTED_BY = ("core", "cli", "corpus", "routes")
GUARDED = [
    "planning/table.py",
    "planning/three_way.py",
    "carrying/chain.py",
    "carrying/laying.py",
    "carrying/recovery.py",
    "carrying/copies.py",
    "carrying/strongbox.py",
    "files/place.py",
]
HOMES = (
    "engine",
    "recovery",
    "chain",
    "boxes",
    "keeping",
    "places",
    "guards",
    "crash",
    "waits",
    "old_files",
    "pins",
)
"""What the names of the engine's own files of tests have in them: they have the first say about it."""
LANES = (os.cpu_count() or 1) + 1
"""Changes that are tried at a time: one more than there are cores, as tests wait for the disk."""
MOST_TESTS, SECONDS = 80, 240
"""Tests of a first helping, and seconds after which it is ended."""
FEW = {"LEFT_INTACT_LAWS": "few"} | os.environ
"""A few examples of every law, unless somebody wants more (`bare`: as many as in `make test`)."""
_PAIRS = (
    (ast.Eq, ast.NotEq),
    (ast.Lt, ast.LtE),
    (ast.Gt, ast.GtE),
    (ast.Is, ast.IsNot),
    (ast.In, ast.NotIn),
    (ast.And, ast.Or),
    (ast.Add, ast.Sub),
)
_SWAPS: dict[type, type] = dict(_PAIRS) | {two: one for one, two in _PAIRS}


@dataclass(frozen=True, slots=True)
class Mutant:
    """One change: the how manieth that a file allows, where it is, and what it says."""

    path: str
    number: int
    line: int
    says: str

    def __str__(self) -> str:
        return f"{self.path}:{self.line} {self.says}"

    @property
    def key(self) -> str:
        """What names a change whatever is written above it: its file, its function, and what it says."""
        return f"{self.path} {_function_at(self.path, self.line)}: {self.says}"


class Changes(ast.NodeTransformer):
    """Goes over a file and counts what could be changed; makes one change where told to."""

    def __init__(self, wanted: int = -1, *, guards: bool = False) -> None:
        self.wanted, self.guards = wanted, guards
        self.found: list[tuple[int, str]] = []

    def _may(self, line: int, says: str) -> bool:
        self.found.append((line, says))
        return len(self.found) - 1 == self.wanted

    def visit_Compare(self, node: ast.Compare) -> ast.AST:
        self.generic_visit(node)
        swap = _SWAPS.get(type(node.ops[0]))
        if (
            not self.guards
            and swap
            and self._may(node.lineno, f"{type(node.ops[0]).__name__} is {swap.__name__}")
        ):
            node.ops[0] = swap()
        return node

    def visit_BoolOp(self, node: ast.BoolOp) -> ast.AST:
        self.generic_visit(node)
        for at, part in enumerate(node.values):
            if self._may(part.lineno, f"`{ast.unparse(part)[:50]}` left out"):
                node.values.pop(at)
                return node.values[0] if len(node.values) == 1 else node
        if not self.guards and self._may(node.lineno, f"{type(node.op).__name__} swapped"):
            node.op = _SWAPS[type(node.op)]()
        return node

    def visit_BinOp(self, node: ast.BinOp) -> ast.AST:
        self.generic_visit(node)
        swap = _SWAPS.get(type(node.op))
        plain = not isinstance(node.left, ast.Constant | ast.JoinedStr) and not self.guards
        if swap and plain and self._may(node.lineno, f"{type(node.op).__name__} is {swap.__name__}"):
            node.op = swap()
        return node

    def visit_UnaryOp(self, node: ast.UnaryOp) -> ast.AST:
        self.generic_visit(node)
        if isinstance(node.op, ast.Not) and not self.guards and self._may(node.lineno, "`not` left out"):
            return node.operand
        return node

    def visit_If(self, node: ast.If) -> ast.AST:
        self.generic_visit(node)
        if "TYPE_CHECKING" in ast.unparse(node.test):
            return node
        for value in (False, True):
            if self._may(node.lineno, f"`if {ast.unparse(node.test)[:60]}` is always {value}"):
                node.test = ast.copy_location(ast.Constant(value), node.test)
        return node

    def visit_Expr(self, node: ast.Expr) -> ast.AST:
        self.generic_visit(node)
        if isinstance(node.value, ast.Call) and self._may(
            node.lineno, f"`{ast.unparse(node)[:60]}` not called"
        ):
            return ast.copy_location(ast.Pass(), node)
        return node

    def visit_keyword(self, node: ast.keyword) -> ast.AST:
        if node.arg != "strict":  # of zip: columns of one length, which nothing could make otherwise
            node.value = self.visit(node.value)
        return node

    def visit_Constant(self, node: ast.Constant) -> ast.AST:
        if self.guards or node.value is None or isinstance(node.value, str | bytes) or node.value is Ellipsis:
            return node
        other = (not node.value) if isinstance(node.value, bool) else node.value + 1  # type: ignore[operator]
        if self._may(node.lineno, f"{node.value!r} is {other!r}"):
            return ast.copy_location(ast.Constant(other), node)
        return node

    def visit_Raise(self, node: ast.Raise) -> ast.AST:
        self.generic_visit(node)
        if node.exc is not None and self._may(node.lineno, f"`{ast.unparse(node)[:60]}` not raised"):
            return ast.copy_location(ast.Pass(), node)
        return node

    def visit_AnnAssign(self, node: ast.AnnAssign) -> ast.AST:
        if node.value is not None:
            node.value = self.visit(node.value)
        return node

    def visit_ClassDef(self, node: ast.ClassDef) -> ast.AST:
        node.body = [self.visit(one) for one in node.body]
        return node

    def visit_FunctionDef(self, node: ast.FunctionDef) -> ast.AST:
        node.body = [self.visit(one) for one in node.body]
        return node


def files_of(parts: list[str]) -> Iterator[Path]:
    for part in parts:
        place = SOURCE / part
        yield from sorted(place.rglob("*.py")) if place.is_dir() else [place]


def mutants_of(path: Path, *, guards: bool) -> list[Mutant]:
    changes = Changes(guards=guards)
    changes.visit(ast.parse(path.read_text()))
    name = str(path.relative_to(SOURCE))
    return [Mutant(name, number, line, says) for number, (line, says) in enumerate(changes.found)]


def mutated(path: Path, number: int, *, guards: bool) -> ast.Module:
    tree = ast.parse(path.read_text())
    changed = Changes(number, guards=guards).visit(tree)
    return ast.fix_missing_locations(changed)


# ---------------------------------------------------------------- which tests run over which line


def cover() -> None:
    """Run the tests without a screen once; keep which ran over which line, and how long each took."""
    folder = MAP.parent / "coverage"
    folder.mkdir(parents=True, exist_ok=True)
    for old in folder.iterdir():
        shutil.rmtree(old) if old.is_dir() else old.unlink()
    settings = folder / "rc"
    settings.write_text(
        f"[run]\nsource = {SOURCE}\n"
        f"parallel = true\ndata_file = {folder}/data\n"
        "concurrency = multiprocessing\nsigterm = true\n"
    )
    files = sorted(str(file) for part in TESTED_BY for file in (ROOT / "tests" / part).glob("test_*.py"))
    lanes = LANES
    words = ["-m", "coverage", "run", f"--rcfile={settings}", "-m", "pytest", "-q"]
    words += ["-o", "addopts=--strict-markers", "--durations=0", "--durations-min=0", "-p", "no:xdist"]
    words += ["-p", "no:cacheprovider", "-p", "mutants"]
    paths = os.pathsep.join([str(Path(__file__).parent), *filter(None, [os.environ.get("PYTHONPATH")])])

    def run(lane: int) -> str:
        share = [sys.executable, *words, f"--basetemp={folder}/tmp{lane}", *files[lane::lanes]]
        env = FEW | {"PYTHONPATH": paths}
        done = subprocess.run(share, cwd=ROOT, env=env, capture_output=True, text=True, check=False)
        (folder / f"log{lane}").write_text(done.stdout + done.stderr)
        return done.stdout

    with ThreadPoolExecutor(lanes) as pool:
        told = list(pool.map(run, range(lanes)))
    subprocess.run(
        [sys.executable, "-m", "coverage", "combine", f"--rcfile={settings}"], cwd=ROOT, check=True
    )
    from coverage import CoverageData

    data = CoverageData(f"{folder}/data")
    data.read()
    seconds: dict[str, float] = defaultdict(float)
    for line in (line for one in told for line in one.splitlines()):
        words = line.split()
        if len(words) == 3 and words[0].endswith("s") and words[1] in ("call", "setup", "teardown"):
            seconds[_function(words[2])] += float(words[0][:-1])
    lines: dict[str, dict[int, list[str]]] = {}
    for file in data.measured_files():
        by_line = {
            line: sorted({context for context in contexts if context})
            for line, contexts in data.contexts_by_lineno(file).items()
        }
        lines[str(Path(file).relative_to(SOURCE))] = by_line
    breadth = Counter(name for of_file in lines.values() for names in of_file.values() for name in names)
    sources = {path: _said_by(path) for path in lines}
    MAP.write_text(json.dumps({"seconds": seconds, "lines": lines, "breadth": breadth, "sources": sources}))
    print("\n".join(one.splitlines()[-1] for one in told))


def _said_by(path: str) -> str:
    """What tells whether a source was changed since the map was made."""
    return hashlib.sha256((SOURCE / path).read_bytes()).hexdigest()


def pytest_runtest_logstart(nodeid: str) -> None:
    """As a plugin of the run that makes the map: what runs from here on is this test's, laws included."""
    from coverage import Coverage

    if (running := Coverage.current()) is not None:
        running.switch_context(_function(nodeid))


def _function(node: str) -> str:
    """`tests/core/test_x.py::test_y[z]` as `tests.core.test_x.test_y`."""
    path, _, name = node.partition("::")
    return f"{path.removesuffix('.py').replace('/', '.')}.{name.partition('[')[0]}"


def tests_over(
    mutant: Mutant, known: dict[str, dict[str, dict[str, list[str]]]], budget: float
) -> list[list[str]]:
    """Node ids of the tests that ran over a line, the likeliest first: a first helping, and the rest of it as
    far as the time goes.

    Likely is what is quick, and runs over little else; the likeliest of every file come first. A line outside
    of all functions runs but once, in whichever test comes first: all that run over its file may notice.
    """
    if not budget:
        return []
    seconds: dict[str, float] = known["seconds"]  # type: ignore[assignment]
    breadth: dict[str, int] = known["breadth"]  # type: ignore[assignment]
    of_file = known["lines"].get(mutant.path, {})
    # A condition of several lines may have no code on its first.
    near = (of_file.get(str(line), []) for line in range(mutant.line, mutant.line + 8))
    found = next(filter(None, near), [])
    if _is_outside(mutant):
        found = [name for names in of_file.values() for name in names]
    sound = [name for name in set(found) if _id_of(name) not in _unsound()]
    by_likelihood = sorted(sound, key=lambda name: seconds.get(name, 9.0) * breadth.get(name, 1))
    if mutant.path.startswith(("carrying/", "files/place")):
        own = [name for name in by_likelihood if any(home in name.split(".")[2] for home in HOMES)]
        own.sort(key=lambda name: seconds.get(name, 9.0))
        first = set(own)
        ranked = [*own, *_in_turn([name for name in by_likelihood if name not in first])]
    else:
        ranked = _in_turn(by_likelihood)
    helpings: list[list[str]] = [[], []]
    spent = 0.0
    for number, name in enumerate(ranked):
        spent += seconds.get(name, 9.0)
        if number >= MOST_TESTS and spent > budget:
            break
        helpings[number >= MOST_TESTS].append(_id_of(name))
    return [one for one in helpings if one]


def _in_turn(names: list[str]) -> list[str]:
    """The first of every file, then the second of every file, and so on."""
    seen: Counter[str] = Counter()
    turns = []
    for name in names:
        module = name.rpartition(".")[0]
        turns.append((seen[module], len(turns), name))
        seen[module] += 1
    return [name for _, _, name in sorted(turns)]


@cache
def _unsound() -> frozenset[str]:
    return frozenset(json.loads(UNSOUND.read_text())) if UNSOUND.exists() else frozenset()


def _id_of(name: str) -> str:
    """`tests.core.test_x.test_y` as `tests/core/test_x.py::test_y`."""
    module, _, function = name.rpartition(".")
    return f"{module.replace('.', '/')}.py::{function}"


@cache
def _in_functions(path: str) -> frozenset[int]:
    """The lines of a file that lie in functions."""
    tree = ast.parse((SOURCE / path).read_text())
    kinds = (ast.FunctionDef, ast.AsyncFunctionDef, ast.Lambda)
    spans = [(n.lineno, n.end_lineno or n.lineno) for n in ast.walk(tree) if isinstance(n, kinds)]
    return frozenset(line for first, last in spans for line in range(first, last + 1))


@cache
def _functions(path: str) -> list[tuple[int, int, str]]:
    tree = ast.parse((SOURCE / path).read_text())
    return [
        (node.lineno, node.end_lineno or node.lineno, node.name)
        for node in ast.walk(tree)
        if isinstance(node, ast.FunctionDef)
    ]


def _function_at(path: str, line: int) -> str:
    """The innermost function that a line lies in."""
    inside = [(last - first, name) for first, last, name in _functions(path) if first <= line <= last]
    return min(inside, default=(0, ""))[1]


@cache
def _alike() -> frozenset[str]:
    lines = ALIKE.read_text().splitlines() if ALIKE.exists() else []
    return frozenset(line.partition(" | ")[0] for line in lines if line and not line.startswith("#"))


def _is_outside(mutant: Mutant) -> bool:
    return mutant.line not in _in_functions(mutant.path)


# ---------------------------------------------------------------- running them


SERVER = """
import json, os, sys
sys.path.insert(0, {root!r} + "/tools"); sys.path.insert(0, {root!r})
import mutants
mutants.make_ready(loaded={loaded!r})
for line in sys.stdin:
    job = json.loads(line)
    child = os.fork()
    if child == 0:
        os.setpgid(0, 0)
        mutants.run_one(**job)
    print(mutants.ended(child), flush=True)
"""
READY = (
    "pytest _pytest.assertion.rewrite hypothesis hypothesis.strategies blake3 ruamel.yaml lxml.etree tomlkit "
    "configupdater pefile elftools.elf.elffile httpx zstandard py7zr psutil pydantic rich.console regex"
)
"""Packages of others that are loaded once for all changes."""
UNFIT, TOO_LONG = 98, 97
"""How a process ends that could not put a change in where all is loaded, and one that has no end."""

_FUNCTIONS: dict[str, list[FunctionType]] = {}
"""By file, the functions that are loaded."""


def make_ready(*, loaded: bool) -> None:
    """Load what every trial needs: the packages of others, and where `loaded`, ours and the tests too.

    A change is then put into a function that is there already.
    """
    for name in READY.split():
        with suppress(ImportError):
            importlib.import_module(name)
    if not loaded:
        return
    for part in TESTED_BY:
        for file in sorted((ROOT / "tests" / part).glob("test_*.py")):
            importlib.import_module(f"tests.{part}.{file.stem}")
    gc.collect()
    for thing in gc.get_objects():
        if isinstance(thing, FunctionType):
            _FUNCTIONS.setdefault(thing.__code__.co_filename, []).append(thing)
    gc.freeze()


def _put_in(path: str, number: int, guards: bool) -> bool:
    """Give what functions are loaded the code that a change leaves them with; whether that could be done."""
    file = str(SOURCE / path)
    plain, changed = (
        {(code.co_qualname, code.co_firstlineno): code for code in _codes(compile(tree, file, "exec"))}
        for tree in (ast.parse(Path(file).read_text()), mutated(Path(file), number, guards=guards))
    )
    has_changed = False
    for function in _FUNCTIONS.get(file, ()):
        key = (function.__code__.co_qualname, function.__code__.co_firstlineno)
        if key in changed and changed[key] != plain[key]:
            try:
                function.__code__ = changed[key]
            except ValueError:  # it closes over other names than before
                return False
            has_changed = True
    return has_changed


def _codes(code: CodeType) -> Iterator[CodeType]:
    yield code
    for inner in code.co_consts:
        if isinstance(inner, CodeType):
            yield from _codes(inner)


class _Changed(importlib.abc.Loader, importlib.abc.MetaPathFinder):
    """Loads one module of ours with one change in it."""

    def __init__(self, path: str, number: int, guards: bool) -> None:
        self.path, self.number, self.guards = SOURCE / path, number, guards
        self.name = "left_intact.core." + path.removesuffix(".py").replace("/", ".").removesuffix(".__init__")

    def find_spec(self, name: str, path: object, target: object = None) -> ModuleSpec | None:
        if name != self.name:
            return None
        return importlib.util.spec_from_file_location(name, self.path, loader=self)

    def create_module(self, spec: ModuleSpec) -> None:
        return None

    def exec_module(self, module: ModuleType) -> None:
        tree = mutated(self.path, self.number, guards=self.guards)
        exec(compile(tree, str(self.path), "exec"), module.__dict__)


def run_one(path: str, number: int, guards: bool, tests: list[str]) -> NoReturn:
    """In a process of its own: the tests, over the change; over none where the number is below 0."""
    code = 1
    try:
        import pytest

        quiet = os.open(os.devnull, os.O_RDWR)
        for one in (0, 1, 2):
            os.dup2(quiet, one)
        if number >= 0 and not _FUNCTIONS:
            sys.meta_path.insert(0, _Changed(path, number, guards))
        elif number >= 0 and not _put_in(path, number, guards):
            os._exit(UNFIT)
        plain = ["-x", "-q", "-o", "addopts=--strict-markers", "-p", "no:cacheprovider", "-p", "no:xdist"]
        code = int(pytest.main([*tests, *plain]))
    finally:
        os._exit(code)


def ended(child: int) -> int:
    """How a process ended; one that takes too long is ended."""
    until = time.monotonic() + SECONDS
    while time.monotonic() < until:
        done, status = os.waitpid(child, os.WNOHANG)
        if done:
            _end(child)
            return os.waitstatus_to_exitcode(status)
        time.sleep(0.02)
    _end(child)
    os.waitpid(child, 0)
    return TOO_LONG


def _end(group: int) -> None:
    with suppress(ProcessLookupError):
        os.killpg(group, signal.SIGKILL)


class Lane:
    """A process that has all loaded, or the packages of others only, and tries one change after another."""

    def __init__(self, *, loaded: bool) -> None:
        self.process = subprocess.Popen(
            [sys.executable, "-c", SERVER.format(root=str(ROOT), loaded=loaded)],
            cwd=ROOT,
            env=FEW,
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            text=True,
        )

    def ends_with(self, path: str, number: int, tests: list[str], *, guards: bool) -> int:
        """How the tests end with a change: 0 where all pass."""
        assert self.process.stdin is not None and self.process.stdout is not None
        job = {"path": path, "number": number, "guards": guards, "tests": tests}
        print(json.dumps(job), file=self.process.stdin, flush=True)
        return int(self.process.stdout.readline())


_OF_THREAD = threading.local()


def _lane(*, loaded: bool) -> Lane:
    lanes: dict[bool, Lane] = _OF_THREAD.__dict__.setdefault("lanes", {})
    if loaded not in lanes:
        lanes[loaded] = Lane(loaded=loaded)
    return lanes[loaded]


def is_caught(mutant: Mutant, tests: list[str], *, guards: bool) -> bool:
    """Whether one of some tests fails with the change."""
    ended_with = UNFIT
    if not _is_outside(mutant):
        ended_with = _lane(loaded=True).ends_with(mutant.path, mutant.number, tests, guards=guards)
    if ended_with == UNFIT:
        ended_with = _lane(loaded=False).ends_with(mutant.path, mutant.number, tests, guards=guards)
    if ended_with == TOO_LONG:
        print(f"no end within {SECONDS} s, which does not count as caught: {mutant}", flush=True)
    return ended_with not in (0, TOO_LONG)


def sound() -> int:
    """Whether the tests that are gone by pass where all is loaded and nothing is changed; how many do not."""
    known = json.loads(MAP.read_text())
    tests = sorted(
        {name for of_file in known["lines"].values() for names in of_file.values() for name in names}
    )
    ids = [_id_of(name) for name in tests]

    def fails(test: str) -> bool:
        return _lane(loaded=True).ends_with("", -1, [test], guards=True) != 0

    with ThreadPoolExecutor(LANES) as pool:
        wrong = [test for test, failed in zip(ids, pool.map(fails, ids), strict=True) if failed]
    UNSOUND.write_text(json.dumps(wrong))
    print(
        "\n".join([*(f"fails by itself: {test}" for test in wrong), f"{len(ids)} tests, {len(wrong)} fail"])
    )
    return len(wrong)


def main() -> int:
    said = argparse.ArgumentParser()
    said.add_argument("count", nargs="?", default="400")
    said.add_argument("--seed", type=int, default=2)
    said.add_argument("--guards", action="store_true")
    said.add_argument("--only", default="")
    said.add_argument("--show", action="store_true")
    said.add_argument("--also", default="", help="files of tests, by commas, that are tried on each first")
    said.add_argument("--from-line", type=int, default=0)
    said.add_argument(
        "--budget",
        type=float,
        default=90.0,
        help="seconds of tests that a change is worth; 0: those of --also only",
    )
    said.add_argument("--those", help="a file that an earlier run was printed to: what it names")
    asked = said.parse_args()
    if asked.count == "cover":
        cover()
        return 0
    if asked.count == "sound":
        return min(1, sound())
    more = [word for word in asked.also.split(",") if word]
    chosen = list(_chosen(asked))
    if asked.those:
        # Whatever was written above them since: by what they say, not by their lines.
        said_before = {
            re.sub(r":\d+ ", " ", line.removeprefix("not noticed: "))
            for line in Path(asked.those).read_text().splitlines()
        }
        chosen = [mutant for mutant in chosen if f"{mutant.path} {mutant.says}" in said_before]
    chosen = [mutant for mutant in chosen if mutant.line >= asked.from_line]
    if asked.show:
        print("\n".join(mutant.key for mutant in chosen))
        return 0
    alike = [mutant for mutant in chosen if mutant.key in _alike()]
    chosen = [mutant for mutant in chosen if mutant.key not in _alike()]
    if not MAP.exists():
        print(
            "no map of which tests run over which line yet; making it, which takes some minutes",
            file=sys.stderr,
        )
        cover()
    known = json.loads(MAP.read_text())
    since = {m.path for m in chosen if known.get("sources", {}).get(m.path) != _said_by(m.path)}
    if since and asked.budget:
        print(f"the map is older than {', '.join(sorted(since))}: make it anew (cover)", file=sys.stderr)
        return 2
    began, missed, by_part = time.monotonic(), [], Counter()
    caught_of: Counter[str] = Counter()

    def judged(mutant: Mutant) -> bool:
        tests = [*([more] if more else []), *tests_over(mutant, known, asked.budget)]
        return any(is_caught(mutant, some, guards=asked.guards) for some in tests)

    with ThreadPoolExecutor(LANES) as pool:
        for mutant, caught in zip(chosen, pool.map(judged, chosen), strict=True):
            part = mutant.path.partition("/")[0]
            by_part[part] += 1
            caught_of[part] += caught
            if not caught:
                missed.append(mutant)
                print(f"not noticed: {mutant}", flush=True)
    for part, number in sorted(by_part.items()):
        print(f"{part:12}{caught_of[part]:5} of {number:5} caught")
    whole = len(chosen)
    share = (whole - len(missed)) / whole if whole else 1.0
    print(f"{whole - len(missed)} of {whole} caught, {share:.1%}, in {time.monotonic() - began:.0f} s")
    print(f"{len(alike)} more change nothing that can be seen: {ALIKE.name}")
    return 0


def _chosen(asked: argparse.Namespace) -> Iterator[Mutant]:
    if asked.guards:
        for path in files_of(GUARDED):
            yield from (m for m in mutants_of(path, guards=True) if asked.only in m.path)
        return
    rng = random.Random(asked.seed)
    every: list[Mutant] = []
    for parts in PARTS.values():
        for path in files_of(parts):
            every += mutants_of(path, guards=False)
    every = [m for m in every if asked.only in m.path]
    yield from rng.sample(every, min(int(asked.count), len(every)))


if __name__ == "__main__":
    sys.exit(main())
