"""How well files are sorted, on the drawn corpus: shares, destructive errors, calibration.

    python bench/classify.py [--wrong] [--programs] [--decisions] [--figure FILE.svg]

`--programs` gives a line for each program, `--decisions` how often each decision of the draw came. `--wrong`
lists what was sorted wrong or not at all, of the tuning programs alone: nobody may tune on those held out.
"""

from __future__ import annotations

import sys
import tempfile
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[1]))

from tests.corpus.decisions import tally  # noqa: E402
from tests.corpus.draw import held_out, tuning  # noqa: E402
from tests.corpus.measure import WAYS, Score, measure, reliability  # noqa: E402
from tests.corpus.specimen import Specimen  # noqa: E402

EDGES = (0.0, 0.5, 0.6, 0.7, 0.8, 0.85, 0.9, 0.95, 0.98, 0.99)


def line(name: str, scores: dict[str, Score]) -> str:
    cells = []
    for way in WAYS:
        s = scores[way]
        shares = f"{s.share(s.owned):6.1%} {s.share(s.right):6.1%} {s.share(s.unsorted):6.1%}"
        cells.append(f"{shares} {s.share(len(s.wrong)):6.1%} {len(s.destructive):4}")
    return f"{name:24} {scores[WAYS[0]].entries:5}  " + "  |".join(cells)


def main() -> int:
    groups: dict[str, dict[str, Score]] = {
        g: {way: Score() for way in WAYS} for g in ("tuning", "held out", "all")
    }
    specimens = [*tuning(), *held_out()]
    if "--decisions" in sys.argv:
        tell_decisions(specimens)
    head = "  |".join(f"{way:^32}" for way in WAYS)
    shares = f"{'owner':>6} {'class':>6} {'unsort':>6} {'wrong':>6} {'bad':>4}"
    print(f"{'':24} {'files':>5}  {head}")
    print(f"{'':24} {'':5}  " + "  |".join(shares for _ in WAYS))
    for specimen in specimens:
        with tempfile.TemporaryDirectory() as folder:
            scores = measure(specimen, Path(folder))
        if "--programs" in sys.argv:
            print(line(specimen.name + (" (held out)" if specimen.held_out else ""), scores))
        for group in ("held out" if specimen.held_out else "tuning", "all"):
            for way in WAYS:
                groups[group][way].add(scores[way])
        if "--wrong" in sys.argv and not specimen.held_out:
            for way in WAYS[:3]:
                tell(way, scores[way])
    for group, scores in groups.items():
        print(line(group.upper(), scores))
    print(
        "\nowner: treated as whose they are, what is unsorted as the person's. class: called what they are."
    )
    print("bad: destructive errors, something of the person's called program; 0 wanted, but without names.\n")
    for way in WAYS[:3]:
        print(f"reliability, {way}: certainty against share right")
        for edge, mean, right, count in reliability(groups["all"][way].sure, EDGES):
            print(f"  from {edge:4.2f}: mean certainty {mean:5.3f}, right {right:6.1%}, {count:5} entries")
    if "--figure" in sys.argv:
        from left_intact.charts.reliability import draw_reliability

        target = sys.argv[sys.argv.index("--figure") + 1]
        draw_reliability({way: reliability(groups["all"][way].sure, EDGES) for way in WAYS}, target)
        print(target)
    return 1 if any(groups["all"][way].destructive for way in WAYS[:3]) else 0


def tell_decisions(specimens: list[Specimen]) -> None:
    """How often each option of each decision came, in shares of the times that it was asked."""
    for decision, counts in tally(specimen.decisions for specimen in specimens).items():
        asked = counts.total()
        shares = ", ".join(f"{option} {count / asked:.1%}" for option, count in counts.most_common())
        print(f"{decision} ({asked}): {shares}")
    print()


def tell(way: str, score: Score) -> None:
    for path, truth, finding in score.destructive + score.wrong + score.left:
        why = "; ".join(f"{e.source}: {e.says} {e.speaks_for} {e.weight:+}" for e in finding.why)
        print(f"    {way}: {path} is {truth}, found {finding.file_class} {finding.certainty:.2f} ({why})")


if __name__ == "__main__":
    sys.exit(main())
