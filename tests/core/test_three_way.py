"""The join by columns, held against the table applied path by path: every short way must come to the same."""

from __future__ import annotations

from array import array
from collections.abc import Mapping

import pytest
from blake3 import blake3
from hypothesis import given
from hypothesis import strategies as st

from left_intact.core.model.classes import FileClass
from left_intact.core.model.entry import Entry, Finding, Kind
from left_intact.core.model.findings import SortedPages, Verdict
from left_intact.core.model.pages import Page, PagedEntries, pages_of
from left_intact.core.model.plan import Verb
from left_intact.core.model.release import Release
from left_intact.core.model.survey import Survey
from left_intact.core.model.unchanged import CLASSES
from left_intact.core.planning.table import TABLE, Mine, Row, Treatment, look_up, situate, treatment_of
from left_intact.core.planning.three_way import Joined, Policy, join
from left_intact.core.settings.formats.registry import may_merge

C = FileClass
Tree = Mapping[str, Entry]
SHUT = "not to be listed"
FORMATS = ("text ini", "text json", "text plain", "elf x86_64")
VERDICTS = tuple(
    Verdict(file_class=kind, certainty=certainty, leaning=leaning, why=())
    for kind, certainty, leaning in (
        (C.PROGRAM, 1.0, C.PROGRAM),
        (C.PROGRAM, 0.98, C.PROGRAM),
        (C.PROGRAM, 0.9, C.PROGRAM),
        (C.SETTINGS, 0.9, C.SETTINGS),
        (C.SAVES, 0.9, C.SAVES),
        (C.UNSORTED, 0.5, C.PROGRAM),
        (C.UNSORTED, 0.5, C.SAVES),
    )
)


def entry(path: str, what: tuple[str, str]) -> Entry:
    kind, content = what
    if kind == "folder":
        return Entry(path=path, kind=Kind.FOLDER)
    if kind == "link":
        return Entry(path=path, kind=Kind.LINK, link=content)
    if kind == "shut":
        return Entry(path=path, kind=Kind.FAULT, fault=SHUT)
    if kind == "unread":
        return Entry(path=path, bytes=9, mode=0o644, format=content)
    if kind == "fault":
        return Entry(path=path, kind=Kind.FAULT, bytes=9, fault="not to be read")
    return Entry(path=path, bytes=9, mode=0o644, digest=blake3(content.encode()).hexdigest(), format=kind)


def without_clashes(tree: Mapping[str, tuple[str, str]]) -> Tree:
    """No path below one that is no folder."""
    kept: dict[str, Entry] = {}
    for path in sorted(tree):
        above = [path.rsplit("/", n)[0] for n in range(1, path.count("/") + 1)]
        if not any(one in kept for one in above):
            kept[path] = entry(path, tree[path])
    return kept


leaves = st.tuples(st.sampled_from((*FORMATS, *FORMATS, "link", "folder")), st.sampled_from("xyz"))
mine_leaves = st.tuples(
    st.sampled_from((*FORMATS, *FORMATS, "link", "folder", "fault", "shut", "unread")), st.sampled_from("xyz")
)
paths = st.from_regex(r"[ab](/[abc]){0,2}", fullmatch=True)
trees = st.dictionaries(paths, leaves, max_size=9).map(without_clashes)
my_trees = st.dictionaries(paths, mine_leaves, max_size=9).map(without_clashes)
picks = st.lists(st.integers(0, len(VERDICTS) - 1), min_size=1, max_size=9)
policies = st.builds(Policy, replace_at=st.just(0.97), retire_at=st.just(0.99), likely=st.booleans())


def surveyed(tree: Tree, pick: list[int]) -> Survey:
    pages = pages_of(e for e in tree.values() if e.fault != SHUT)
    pages += [Page(folder=e.path, fault=SHUT) for e in tree.values() if e.fault == SHUT]
    pages.sort(key=lambda page: page.folder)
    numbers = iter(pick * 40)
    verdicts = [array("I", [next(numbers) for _ in page.names]) for page in pages]
    folders = {page.at: next(numbers) for page in pages if page.is_entry}
    every = {path.rsplit("/", n)[0] for path in tree for n in range(1, path.count("/") + 1)}
    every |= {path for path, e in tree.items() if e.kind is Kind.FOLDER}
    return Survey(
        root="/nowhere",
        findings=SortedPages(pages, verdicts, VERDICTS, folders),
        folders=tuple(page.as_folder for page in pages_of([Entry(path=p, kind=Kind.FOLDER) for p in every])),
    )


def released(tree: Tree) -> Release:
    return Release(name="a release", entries=PagedEntries(pages_of(tree.values())))


def slowly(
    survey: Survey, coming: Tree, base: Tree | None, policy: Policy
) -> tuple[dict[str, Row], set[str], set[str]]:
    """(the row of every path, what is in the way, what cannot be read), a path at a time."""
    mine = {f.at.shown: f for f in survey.findings}
    whole = {folder.path for folder in survey.folders}
    rows: dict[str, Row] = {}
    in_the_way: set[str] = set()
    unreadable: set[str] = set()
    for path in sorted({*mine, *coming, *(base or {})}):
        own, comes, was = mine.get(path), coming.get(path), (base or {}).get(path)
        shut = {s for s, e in mine.items() if e.entry.fault == SHUT and path.startswith(f"{s}/")}
        if shut:
            unreadable |= shut if comes is not None else set()
            continue
        if own is None and path in whole:
            if comes is not None and comes.kind is not Kind.FOLDER:
                in_the_way.add(path)
            continue
        place = situate(was, own.entry if own else None, comes, known=base is not None)
        if place[1] is Mine.FAULT and comes is not None:
            unreadable.add(path)
        row = look_up(*place, treatment(own, comes, policy))
        if row.verb is not None:
            rows[path] = row
    return rows, in_the_way, unreadable


def treatment(own: Finding | None, comes: Entry | None, policy: Policy) -> Treatment:
    if own is None:
        return Treatment.OPEN
    if own.entry.kind is Kind.FOLDER:
        return Treatment.THEIRS
    both_files = comes is not None and own.entry.kind is Kind.FILE and comes.kind is Kind.FILE
    merges = both_files and comes is not None and may_merge(own.entry.format, comes.format)
    alike = both_files and comes is not None and own.entry.format == comes.format and not merges
    return treatment_of(
        own,
        mergeable=merges,
        replace=policy.replace_at,
        retire=policy.retire_at,
        likely=policy.likely and alike,
    )


def rows_of(joined: Joined) -> dict[str, int]:
    told = {path: row.number for path, row in joined.rows.items()}
    for kept in joined.kept:
        for at, reason in enumerate(kept.reasons):
            if reason:
                assert kept.page.path(at) not in told
                told[kept.page.path(at)] = reason
    return told


@given(
    my_trees,
    trees,
    st.none() | trees,
    policies,
    st.lists(st.integers(0, len(VERDICTS) - 1), min_size=1, max_size=9),
)
def test_the_join_by_columns_is_the_table(
    mine: Tree, coming: Tree, base: Tree | None, policy: Policy, pick: list[int]
) -> None:
    is_the_table(mine, coming, base, policy, pick)


One = Mapping[str, tuple[str, str]]
INI, ELF, LINK, FOLDER, SHUT_ONE, UNREAD = (
    (kind, "x") for kind in ("text ini", "elf x86_64", "link", "folder", "shut", "unread")
)
OTHER_INI, OTHER_LINK = ("text ini", "y"), ("link", "y")


@pytest.mark.parametrize(
    ("mine", "coming", "base"),
    [
        # Emptied by its owner, and filled by both releases.
        ({"a": FOLDER}, {"a/b": INI}, {"a/b": INI}),
        ({"a": FOLDER, "b": INI}, {"a": OTHER_INI}, None),
        # A folder comes where a file lies, beside what is no file; or had been there.
        ({"a/b": INI, "a/c": LINK}, {"a/b/a": INI}, None),
        ({"a/b": INI, "a/c": LINK}, {"a/b": OTHER_INI}, {"a/b/a": INI}),
        ({"a/c": LINK}, {"a/b": INI}, {"a/b/a": INI}),
        # What was an empty folder is a full one here.
        ({"a/b": INI}, {"c": INI}, {"a": FOLDER}),
        ({"a/b": INI}, {"a": INI}, {"a": FOLDER}),
        ({"a/b": INI}, {"a": FOLDER}, None),
        # Settings and links beside what is no plain file.
        ({"a/b": INI, "a/c": LINK}, {"a/b": OTHER_INI}, None),
        ({"a/b": INI, "a/c": LINK}, {"a/b": OTHER_INI, "a/c": OTHER_LINK}, {"a/b": INI}),
        ({"a/c": LINK}, {"a/c": INI}, None),
        ({"a/c": LINK}, {"a/c": OTHER_LINK}, None),
        ({"a/b": INI}, {"a/c": INI}, None),
        ({"a/c": INI}, {"a/c": LINK}, None),
        # Of what was not read nobody knows whether it is the same.
        ({"a/b": UNREAD}, {"a/b": UNREAD}, None),
        ({"a/b": UNREAD, "a/c": INI}, {"a/b": INI, "a/c": OTHER_INI}, {"a/b": UNREAD}),
        # A folder that cannot be listed, and what comes there or below it.
        ({"a": SHUT_ONE}, {"a": INI}, None),
        ({"a": SHUT_ONE}, {"a": FOLDER}, {"a": FOLDER}),
        ({"a": SHUT_ONE}, {"a/b": INI}, None),
        ({"a": SHUT_ONE}, {"a/b/c": INI, "a/b/d": ELF}, None),
        ({"a": SHUT_ONE}, {"a/b": FOLDER}, None),
        ({"a": SHUT_ONE, "ab/c": INI}, {"ab/c": OTHER_INI, "ab/d": INI}, {"a/b": INI, "a/c": FOLDER}),
    ],
)
@pytest.mark.parametrize("likely", [False, True])
def test_what_is_rare_is_the_table_too(mine: One, coming: One, base: One | None, likely: bool) -> None:
    policy = Policy(replace_at=0.97, retire_at=0.99, likely=likely)
    for verdict in range(len(VERDICTS)):
        trees = [without_clashes(one) for one in (mine, coming, base or {})]
        is_the_table(trees[0], trees[1], None if base is None else trees[2], policy, [verdict])


def is_the_table(mine: Tree, coming: Tree, base: Tree | None, policy: Policy, pick: list[int]) -> None:
    survey = surveyed(mine, pick)
    joined = join(survey, released(coming), released(base) if base is not None else None, policy)
    rows, in_the_way, unreadable = slowly(survey, coming, base, policy)
    assert rows_of(joined) == {path: row.number for path, row in rows.items()}
    stays = {row.number for row in TABLE if row.verb is Verb.KEEP}
    assert all(stays.issuperset(filter(None, kept.reasons)) for kept in joined.kept)
    assert sorted(joined.in_the_way) == sorted(in_the_way)
    assert sorted(joined.unreadable) == sorted(unreadable)
    for path, row in joined.rows.items():
        own = mine.get(path)
        assert row.verb is not Verb.KEEP or own is None or own.kind is Kind.FOLDER or own.fault == SHUT


@given(my_trees, picks)
def test_the_very_same_is_kept_with_its_classes(mine: Tree, pick: list[int]) -> None:
    sound = {path: e for path, e in mine.items() if e.kind is Kind.FILE and e.digest}
    survey = surveyed(sound, pick)
    joined = join(survey, released(sound), None, Policy(replace_at=0.97, retire_at=0.99))
    told = {kept.page.path(at): CLASSES[n] for kept in joined.kept for at, n in enumerate(kept.classes)}
    assert not joined.rows and told == {f.at.shown: f.file_class for f in survey.findings}


@pytest.mark.parametrize("size", [3, 300])
def test_many_verdicts_keep_their_classes(size: int) -> None:
    tree = {f"a/{n:03}": entry(f"a/{n:03}", ("elf x86_64", str(n))) for n in range(size)}
    pages = pages_of(tree.values())
    table = tuple(VERDICTS[n % len(VERDICTS)] for n in range(size))
    survey = Survey(root="/nowhere", findings=SortedPages(pages, [array("I", range(size))], table, {}))
    joined = join(survey, released(tree), None, Policy(replace_at=0.97, retire_at=0.99))
    assert [CLASSES[n] for n in joined.kept[0].classes] == [v.file_class for v in table]
