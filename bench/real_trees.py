"""How well every file of real releases is told, with a person's traces laid over them.

    python bench/real_trees.py [--only NAME] [--way WAY] [--kind KIND] [--wrong] [--held-out]
                               [--seen WHERE.json]

Release pairs of general-purpose packages (`real_packages.toml`), each laid as a portable folder that somebody
lived in (`real_traces.py`), with four kinds of times (`KINDS`) and in three ways: by itself, with the new
release at hand, with the old one on record. Only ownership is judged: the program's or the person's.
A third of the packages, by a digest of the name, is held out of tuning and told apart; `--wrong` lists what
was told wrongly, of the others alone. Times are laid over one reading of each tree.
"""

from __future__ import annotations

import argparse
import json
import random
import shutil
import sys
import tempfile
from array import array
from collections import Counter, defaultdict
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[1]))

from bench.real_packages import Pair, pairs, tree_of  # noqa: E402
from bench.real_traces import Traces, lay_traces  # noqa: E402
from left_intact.core.arrival.look import look_into  # noqa: E402
from left_intact.core.files.tree import Tree, read_tree  # noqa: E402
from left_intact.core.model.classes import FileClass  # noqa: E402
from left_intact.core.model.findings import SortedPages  # noqa: E402
from left_intact.core.model.pages import COLUMNS, Page, pages_in  # noqa: E402
from left_intact.core.model.plan import Verb  # noqa: E402
from left_intact.core.model.release import Release  # noqa: E402
from left_intact.core.model.survey import Survey  # noqa: E402
from left_intact.core.model.version import Version  # noqa: E402
from left_intact.core.planning import blockers  # noqa: E402
from left_intact.core.planning.three_way import Policy, join  # noqa: E402
from left_intact.core.survey.inputs import SurveyInputs  # noqa: E402
from left_intact.core.survey.read import survey_tree  # noqa: E402
from left_intact.core.survey.weights import weights  # noqa: E402

KINDS = ("packed", "build", "flat", "scattered")
WAYS = ("alone", "with arrival", "with baseline")
_DAY, _YEAR = 86_400, 365 * 86_400
_NOW = 1_750_000_000
"""Persons' traces lie before this, a moment in 2025."""
_MOST = 0.6


@dataclass
class Score:
    """What came of the files of a tree."""

    files: int = 0
    right: int = 0
    unsorted: int = 0
    wrong: int = 0
    called: int = 0
    """Of the person's, called the program's."""
    own: int = 0
    replaced: int = 0
    """Patched files replaced, or anything of the person's displaced, without a question."""
    displaced: int = 0
    """Files of the program's that are replaced or retired on evidence alone."""
    questions: int = 0
    told: list[str] = field(default_factory=list)
    sure: list[tuple[float, bool, str]] = field(default_factory=list)
    """(certainty of being the program's, whether it is, the tree) of what is called so."""

    def add(self, other: Score) -> None:
        for name in ("files", "right", "unsorted", "wrong", "called", "own", "replaced", "displaced"):
            setattr(self, name, getattr(self, name) + getattr(other, name))
        self.questions += other.questions
        self.sure += other.sure
        self.told += other.told

    def share(self, count: int) -> float:
        return 100 * count / self.files if self.files else 0.0


def timed(
    pages: Sequence[Page], kind: str, own: set[str], seed: str, packs: Sequence[set[str]] = ()
) -> tuple[Page, ...]:
    """The same pages with times of a kind; what the person unpacked has one time each."""
    chance = random.Random(f"times {kind} of {seed}")
    newest = max(
        (
            t // 10**9
            for page in pages
            for at, t in enumerate(page.numbers[2::COLUMNS])
            if page.path(at) not in own
        ),
        default=0,
    )
    pack_of = {path: n for n, pack in enumerate(packs) for path in pack}
    packed = [chance.randrange(_NOW - 6 * _YEAR, _NOW) for _ in packs]
    built = chance.randrange(_NOW - 4 * _YEAR, _NOW - 2 * _YEAR)
    found = []
    for page in pages:
        numbers = array("q", page.numbers)
        for at in range(len(page.names)):
            mine = page.path(at) in own
            now = numbers[at * COLUMNS + 2]
            if kind == "flat":
                now = built * 10**9
            elif kind == "scattered":
                low, high = (_NOW - 2 * _YEAR, _NOW) if mine else (_NOW - 5 * _YEAR, _NOW - _YEAR)
                now = chance.randrange(low, high) * 10**9
            elif (number := pack_of.get(page.path(at))) is not None:
                now = packed[number] * 10**9
            elif mine:
                start = built if kind == "build" else max(newest, 0)
                now = chance.randrange(start + _DAY, max(start + 2 * _YEAR, _NOW)) * 10**9
            elif kind == "build":
                now = (built + chance.randrange(0, 60)) * 10**9 + chance.randrange(10**9)
            numbers[at * COLUMNS + 2] = now
        found.append(replace(page, stats=numbers.tobytes()))
    return tuple(found)


def score_of(survey: Survey, traces: Traces, *, tell: bool) -> Score:
    score = Score()
    findings = survey.findings
    for finding in findings:
        if finding.path in traces.patched:
            continue
        mine = finding.path in traces.own
        score.files += 1
        score.own += mine
        called = finding.file_class
        if called is FileClass.PROGRAM:
            score.sure.append((finding.certainty, not mine, survey.root))
        if called is FileClass.UNSORTED:
            score.unsorted += 1
        elif (called is FileClass.PROGRAM) is not mine:
            score.right += 1
        else:
            score.wrong += 1
            score.called += mine
        if tell and (called is FileClass.UNSORTED or (called is FileClass.PROGRAM) is mine):
            why = "; ".join(f"{e.source}: {e.says} {e.speaks_for} {e.weight:+.1f}" for e in finding.why)
            whose = "person's" if mine else "program's"
            score.told.append(
                f"{finding.path} is the {whose}, found {called} {finding.certainty:.3f} ({why})"
            )
    return score


def planned(
    survey: Survey, coming: Release, base: Release | None, traces: Traces, score: Score, *, tell: bool
) -> None:
    """What a plan would do unasked, added to a score."""
    here = blockers.counterparts(pages_in(coming.entries), survey)
    likely = base is None and here >= _MOST * len(coming.entries)
    policy = Policy(replace_at=weights().replace, retire_at=weights().retire, likely=likely)
    rows = join(survey, coming, base, policy).rows
    asked = set()
    for path, row in rows.items():
        if row.verb is Verb.ASK:
            asked.add(row.ask)
        if row.verb not in (Verb.REPLACE, Verb.RETIRE):
            continue
        if path in traces.patched or path in traces.own:
            score.replaced += 1
            if tell:
                score.told.append(f"{path} would be displaced unasked: row {row.number}")
        else:
            score.displaced += 1
    score.questions += len(asked)


def measure(
    pair: Pair, folder: Path, kinds: Sequence[str], ways: Sequence[str], *, tell: bool
) -> tuple[dict[tuple[str, str], Score], list[str], int] | None:
    """(scores by kind of times and way, the versions found, files) of a pair; None where it cannot be had."""
    old, new = tree_of(pair, pair.old), tree_of(pair, pair.new)
    if old is None or new is None:
        return None
    install = folder / pair.name.rpartition("/")[2]
    traces = lay_traces(old, install, pair.name)
    tree = read_tree(str(install))
    paths = [path for page in tree.pages for path in (page.path(at) for at in range(len(page.names)))]
    coming = look_into(str(new), installed=paths, name=pair.name).release
    base = look_into(str(old), installed=paths, name=pair.name).release
    person = traces.own | traces.patched
    scores: dict[tuple[str, str], Score] = {}
    found_versions: list[str] = []
    for kind in kinds:
        laid = Tree(root=tree.root, pages=timed(tree.pages, kind, person, pair.name, traces.packs))
        for way, known in (
            ("alone", SurveyInputs()),
            ("with arrival", SurveyInputs(arrival=coming)),
            ("with baseline", SurveyInputs(baseline=base, arrival=coming)),
        ):
            if way not in ways:
                continue
            survey = survey_tree(laid, known, name=pair.name)
            assert isinstance(survey.findings, SortedPages)
            score = scores[kind, way] = score_of(survey, traces, tell=tell)
            if way != "alone":
                planned(survey, coming, known.baseline, traces, score, tell=tell)
            found_versions.append(survey.version_text)
    shutil.rmtree(install)
    return scores, found_versions, len(paths)


def heading(kinds: Sequence[str]) -> str:
    cells = "  ".join(f"{kind:^27}" for kind in kinds)
    names = "  ".join(f"{'right':>6}{'unsort':>7}{'wrong':>6}{'call':>4}{'disp':>4}" for _ in kinds)
    return f"{'':26}{'':>6}  {cells}\n{'':26}{'files':>6}  {names}"


def line(name: str, way: str, scores: dict[tuple[str, str], Score], kinds: Sequence[str]) -> str:
    cells = []
    for kind in kinds:
        s = scores[kind, way]
        cells.append(
            f"{s.share(s.right):6.1f}{s.share(s.unsorted):7.1f}{s.share(s.wrong):6.2f}{s.called:4}{s.replaced:4}"
        )
    return f"{name:26}{scores[kinds[0], way].files:6}  " + "  ".join(cells)


def main() -> int:
    said = argparse.ArgumentParser()
    said.add_argument("--only", default="")
    said.add_argument("--way", default="", help="one of alone, arrival, baseline")
    said.add_argument("--kind", default="", help=f"one of {', '.join(KINDS)}")
    said.add_argument(
        "--wrong", action="store_true", help="list what was told wrongly, of those not held out"
    )
    said.add_argument("--held-out", action="store_true", help="measure those held out too")
    said.add_argument("--seen", help="write the figures there, as JSON")
    asked = said.parse_args()
    groups: dict[str, dict[tuple[str, str], Score]] = {
        g: defaultdict(Score) for g in ("tuning", "held out", "all")
    }
    versions: dict[str, Counter[str]] = {g: Counter() for g in groups}
    ways = [way for way in WAYS if asked.way in way]
    kinds = [kind for kind in KINDS if asked.kind in kind]
    print(heading(kinds))
    for pair in pairs():
        if asked.only not in pair.name or (pair.held_out and not asked.held_out):
            continue
        with tempfile.TemporaryDirectory() as folder:
            found = measure(pair, Path(folder), kinds, ways, tell=asked.wrong and not pair.held_out)
        if found is None:
            continue
        scores, found_versions, _ = found
        group = "held out" if pair.held_out else "tuning"
        told = _version_told(found_versions, pair.version)
        for one in (group, "all"):
            versions[one][told] += 1
            for key, score in scores.items():
                groups[one][key].add(score)
        for way in ways:
            print(line(f"{pair.name[:18]} {way[-8:]}", way, scores, kinds), flush=True)
            for kind in kinds:
                print("".join(f"    {kind}, {way}: {one}\n" for one in scores[kind, way].told), end="")
        if told != "right":
            print(f"{'':6}version {told}: {set(found_versions)} for {pair.version}")
    for group, by_key in groups.items():
        if not by_key:
            continue
        print(f"\n{group.upper()}: versions {dict(versions[group])}")
        for way in ways:
            print(line(way, way, by_key, kinds), flush=True)
        _tell_certainty(by_key, kinds, ways)
    if asked.seen:
        Path(asked.seen).write_text(json.dumps({g: list(_figures(by)) for g, by in groups.items()}, indent=1))
    return 0


def _version_told(found: Sequence[str], truth: str) -> str:
    """Wrong where it is wrong in any kind of times and way, none where it is found in not all."""
    truly = Version.parse(truth)
    if any(one and Version.parse(one) != truly for one in found):
        return "wrong"
    return "right" if all(found) else "none"


def _tell_certainty(by_key: dict[tuple[str, str], Score], kinds: Sequence[str], ways: Sequence[str]) -> None:
    for way in ways:
        sure = [row for kind in kinds for row in by_key[kind, way].sure]
        trees = len({tree for *_, tree in sure})
        cells = []
        for edge in (0.85, 0.9, 0.95, weights().replace, weights().retire):
            above = [right for certainty, right, _ in sure if certainty >= edge]
            off = len({tree for certainty, right, tree in sure if certainty >= edge and not right})
            wrong = len(above) - sum(above)
            cells.append(f"from {edge}: {wrong} wrong of {len(above):,}, in {off} of {trees} trees")
        asked = sum(by_key[kind, way].questions for kind in kinds)
        moved = sum(by_key[kind, way].displaced for kind in kinds)
        print(
            f"  called the program's, {way}: {'; '.join(cells)}; "
            f"{moved:,} displaced, {asked} kinds of questions"
        )


def _figures(by_key: dict[tuple[str, str], Score]) -> Iterator[dict[str, object]]:
    for (kind, way), s in by_key.items():
        yield {
            "times": kind,
            "way": way,
            "files": s.files,
            "right": s.share(s.right),
            "unsorted": s.share(s.unsorted),
            "wrong": s.share(s.wrong),
            "called": s.called,
            "displaced unasked": s.replaced,
        }


if __name__ == "__main__":
    sys.exit(main())
